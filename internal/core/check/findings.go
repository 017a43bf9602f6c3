package check

import (
	"fmt"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// addError keeps one finding for each error at one place: a shown case's where there is
// one, which a student may read.
func (t *attempt) addError(d *notation.Diagnostic, c *PreparedCase) {
	f := errorFinding(d, &c.Name)
	for i, known := range t.verdict.Findings {
		if known.Code == f.Code && *known.Span == *f.Span {
			if c.Shown && !t.shown(*known.Case) {
				t.verdict.Findings[i] = f
			}
			return
		}
	}
	t.verdict.Findings = append(t.verdict.Findings, f)
}

// shown reports whether a case is shown.
func (t *attempt) shown(name string) bool {
	return slices.ContainsFunc(t.p.Cases, func(c PreparedCase) bool { return c.Name == name && c.Shown })
}

func errorFinding(d *notation.Diagnostic, name *string) Finding {
	place := d.Place
	return Finding{Code: d.Code, Case: name, Message: d.Message, Hint: d.Hint, Span: &place, Shapes: d.Shapes}
}

// output compares one output of one case; nil when it agrees.
func (t *attempt) output(out *exercise.Output, c *PreparedCase, result *evaluate.Result) *Finding {
	expected := c.Expected[out.Name]
	actual := result.Value(out.Name)
	if t.brief {
		return t.briefly(out, expected, actual)
	}
	f := &Finding{Case: &c.Name, Output: &out.Name, Expected: sideOf(expected)}
	if actual == nil {
		f.Code = codes.OutputMissing
		f.Message = fmt.Sprintf("the program never binds `%s`", out.Name)
		f.Hint = fmt.Sprintf("bind it: `%s = ...`", out.Name)
		if near := nearName(out.Name, result.Order()); near != "" {
			f.Hint = fmt.Sprintf("`%s` is bound; was `%s` meant?", near, out.Name)
		}
		if t.program == nil {
			f.Message = fmt.Sprintf("the attempt gives no array for `%s`", out.Name)
			f.Hint = fmt.Sprintf("hand in a file `%s.json`, .csv or .mtx for the case", out.Name)
		}
		return f
	}
	f.Actual = sideOf(actual)
	f.Span = t.bindingOf(out.Name)
	outcome, d := compare.Compare(expected, actual, out.Tolerance, Freedom(out.Freedom, expected, t.p.Exercise.Counting),
		c.Masks...)
	if outcome == compare.Agrees {
		t.noteLabels(out.Name, expected, actual, result)
		return nil
	}
	t.describe(f, out.Name, outcome, d, expected, actual)
	return f
}

// outcomeCodes are the codes of outcomes.
var outcomeCodes = map[compare.Outcome]codes.Code{compare.KindDiffers: codes.KindDiffers,
	compare.ShapeDiffers: codes.ShapeDiffers, compare.ValuesDiffer: codes.ValueDiffers}

// briefly is the code of what an output's finding would be; nil when it agrees.
func (t *attempt) briefly(out *exercise.Output, expected, actual *array.Array) *Finding {
	if actual == nil {
		return &Finding{Code: codes.OutputMissing, Output: &out.Name}
	}
	outcome := compare.Judge(expected, actual, out.Tolerance, Freedom(out.Freedom, expected, t.p.Exercise.Counting))
	if outcome == compare.Agrees {
		return nil
	}
	return &Finding{Code: outcomeCodes[outcome], Output: &out.Name}
}

// nearName is a bound name one edit away, or the same in other letters of case.
func nearName(name string, bound []string) string {
	for _, b := range bound {
		if strings.EqualFold(b, name) {
			return b
		}
	}
	if near := notation.Nearest(name, bound); len(near) > 0 {
		return near[0]
	}
	return ""
}

// describe says how a value differs from what was expected.
func (t *attempt) describe(f *Finding, name string, outcome compare.Outcome, d *compare.Differences, expected,
	actual *array.Array) {
	f.Code = outcomeCodes[outcome]
	switch outcome {
	case compare.KindDiffers:
		f.Message = fmt.Sprintf("`%s` holds %s where %s were expected", name, kindPhrase(actual.Kind()),
			kindPhrase(expected.Kind()))
		f.Hint = kindHint(expected.Kind())
	case compare.ShapeDiffers:
		f.Message = fmt.Sprintf("`%s` %s where %s was expected", name, f.Actual.phrase(), f.Expected.text())
		f.Hint = shapeHint(expected, actual)
	default:
		f.Differences = differencesOf(d, expected, actual, t.p.Exercise.Counting)
		f.Message = fmt.Sprintf("`%s` has the right shape, and %s", name, countWords(d, f.Differences.Where.Words))
		f.Hint = "compare the worst elements with what you compute by hand for them"
	}
}

// countWords says how many elements differ and where they lie.
func countWords(d *compare.Differences, where string) string {
	switch {
	case d.Count == d.Of:
		return where
	case d.Count == 1:
		return fmt.Sprintf("1 of its %d elements differs: %s", d.Of, where)
	}
	return fmt.Sprintf("%d of its %d elements differ: %s", d.Count, d.Of, where)
}

func kindPhrase(k array.Kind) string {
	if k == array.Bool {
		return "truth values (bool)"
	}
	return "numbers (" + k.String() + ")"
}

func kindHint(want array.Kind) string {
	if want == array.Bool {
		return "a comparison, `x > 0`, gives truth values"
	}
	return "numbers are wanted: to count truth values use `count`, to take elements select with the mask"
}

// shapeHint says the plainest way in which two shapes differ.
func shapeHint(r, a *array.Array) string {
	switch {
	case a.Rank() > r.Rank():
		return fmt.Sprintf("%s too many: an axis was to be reduced or a position selected", axesWords(a.Rank()-r.Rank()))
	case a.Rank() < r.Rank():
		return fmt.Sprintf("%s too few: look at what was reduced, and over which axes", axesWords(r.Rank()-a.Rank()))
	}
	for i := range r.Rank() {
		if r.Label(i) != "" && a.Label(i) != "" && r.Label(i) != a.Label(i) {
			return fmt.Sprintf("the axis is `%s` where `%s` was expected: look at the axes named in the last step", a.Label(i),
				r.Label(i))
		}
	}
	return "as many axes as wanted, of other lengths: look at ranges, and at which axis each step works on"
}

func axesWords(n int) string {
	if n == 1 {
		return "one axis"
	}
	return fmt.Sprintf("%d axes", n)
}

// noteLabels leaves a notice when both sides have labels that differ.
func (t *attempt) noteLabels(name string, r, a *array.Array, result *evaluate.Result) {
	for i := range r.Rank() {
		if r.Label(i) == "" || a.Label(i) == "" || r.Label(i) == a.Label(i) {
			continue
		}
		n := &notation.Diagnostic{Code: codes.LabelsDiffer,
			Message: fmt.Sprintf("`%s` agrees, and its axes are labelled %s where %s was expected", name, functions.ShapeOf(a),
				functions.ShapeOf(r)),
			Hint: "check that the axes are in the order wanted", Shapes: []notation.Shape{functions.ShapeOf(r),
				functions.ShapeOf(a)}}
		if at := t.bindingOf(name); at != nil {
			n.Place = *at
		}
		result.Notices = append(result.Notices, n)
		return
	}
}

// bindingOf finds the last statement that binds a name or assigns into it.
func (t *attempt) bindingOf(name string) *notation.Place {
	if t.program == nil {
		return nil
	}
	if t.bindings == nil {
		t.bindings = map[string]notation.Span{}
		t.noteBindings(t.program)
	}
	span, ok := t.bindings[name]
	if !ok {
		return nil
	}
	place := t.program.Source.Place(span)
	return &place
}

// noteBindings notes where each name of the program is bound, the last time.
func (t *attempt) noteBindings(program *notation.Program) {
	notation.EachBinding(program.Statements, func(s notation.Statement, names []*notation.Name) {
		span := s.Pos()
		switch s := s.(type) {
		case *notation.Assign:
			span = s.Value.Pos()
		case *notation.Each:
			span = s.Header
		}
		for _, n := range names {
			t.bindings[n.Name] = span
		}
	})
}
