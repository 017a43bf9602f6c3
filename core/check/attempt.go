package check

import (
	"context"
	"errors"
	"fmt"

	"nimbusreach/core/array"
	"nimbusreach/core/compare"
	"nimbusreach/core/evaluate"
	"nimbusreach/core/exercise"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

// ErrOutOfTime says that seconds ran out, which gives no verdict: another try on a
// quieter machine may end.
var ErrOutOfTime = errors.New("checking ran out of seconds")

// Bound gives a case a context that ends when its seconds are over.
type Bound func(context.Context) (context.Context, context.CancelFunc)

// Attempt checks a program. bound may be nil.
func Attempt(ctx context.Context, p *Prepared, text string, bound Bound) (*Verdict, error) {
	v := &Verdict{Findings: []Finding{}, Causes: []Cause{}, Cases: []CaseLine{}, Rules: []Rule{}}
	for _, out := range p.Exercise.Outputs {
		v.Points.Possible += out.Points
	}
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, p.Exercise.InputNames())
	}
	if len(errs) > 0 {
		v.Verdict = Failed
		for _, d := range errs {
			v.Findings = append(v.Findings, errorFinding(d, nil))
		}
		return v, nil
	}
	run := &attempt{p: p, program: program, verdict: v, agreed: make([]int, len(p.Exercise.Outputs)), found: make([][]Finding, len(p.Exercise.Outputs))}
	for i := range p.Cases {
		if err := run.oneCase(ctx, &p.Cases[i], bound); err != nil {
			return nil, err
		}
	}
	run.finish()
	return v, nil
}

// attempt is an attempt being checked.
type attempt struct {
	p       *Prepared
	program *notation.Program
	verdict *Verdict
	agreed  []int       // cases in which each output agrees
	found   [][]Finding // findings of each output
	failed  bool
	cost    Cost

	bindings map[string]notation.Span // where each name is bound last
}

func (t *attempt) oneCase(ctx context.Context, c *PreparedCase, bound Bound) error {
	if bound != nil {
		var cancel context.CancelFunc
		ctx, cancel = bound(ctx)
		defer cancel()
	}
	e := t.p.Exercise
	result := evaluate.Run(ctx, t.program, c.Inputs, t.p.options(c.index))
	if functions.TimedOut(result.Error) {
		return ErrOutOfTime
	}
	line := CaseLine{Name: c.Name, Verdict: Agrees, Statements: result.Statements, Cells: result.Cells, Notices: result.Notices}
	if line.Notices == nil {
		line.Notices = []*notation.Diagnostic{}
	}
	t.cost.Statements += result.Statements
	t.cost.Cells += result.Cells
	if result.Error != nil {
		line.Verdict, t.failed = Failed, true
		t.verdict.Cases = append(t.verdict.Cases, line)
		t.addError(result.Error, c.Name)
		return nil
	}
	for i := range e.Outputs {
		f := t.output(&e.Outputs[i], c, result)
		if f == nil {
			t.agreed[i]++
			continue
		}
		line.Verdict = Differs
		t.found[i] = append(t.found[i], *f)
	}
	t.verdict.Cases = append(t.verdict.Cases, line)
	return nil
}

// addError keeps one finding for each error at one place.
func (t *attempt) addError(d *notation.Diagnostic, name string) {
	f := errorFinding(d, &name)
	for _, known := range t.verdict.Findings {
		if known.Code == f.Code && *known.Span == *f.Span {
			return
		}
	}
	t.verdict.Findings = append(t.verdict.Findings, f)
}

func errorFinding(d *notation.Diagnostic, name *string) Finding {
	place := d.Place
	return Finding{Code: d.Code, Case: name, Message: d.Message, Hint: d.Hint, Span: &place, Shapes: d.Shapes}
}

// output compares one output of one case; nil when it agrees.
func (t *attempt) output(out *exercise.Output, c *PreparedCase, result *evaluate.Result) *Finding {
	expected := c.Expected[out.Name]
	f := &Finding{Case: &c.Name, Output: &out.Name, Expected: sideOf(expected)}
	actual, ok := result.Values[out.Name]
	if !ok {
		f.Code = "output.missing"
		f.Message = fmt.Sprintf("the program never binds `%s`", out.Name)
		f.Hint = fmt.Sprintf("bind it: `%s = ...`", out.Name)
		if near := notation.Nearest(out.Name, result.Order); len(near) > 0 {
			f.Hint = fmt.Sprintf("`%s` is bound; was `%s` meant?", near[0], out.Name)
		}
		return f
	}
	f.Actual = sideOf(actual)
	f.Span = t.bindingOf(out.Name)
	outcome, d := compare.Compare(expected, actual, out.Tolerance)
	switch outcome {
	case compare.Agrees:
		t.noteLabels(out.Name, expected, actual, result)
		return nil
	case compare.KindDiffers:
		f.Code = "kind.differs"
		f.Message = fmt.Sprintf("`%s` holds %s where %s were expected", out.Name, kindPhrase(actual.Kind()), kindPhrase(expected.Kind()))
		f.Hint = kindHint(expected.Kind())
	case compare.ShapeDiffers:
		f.Code = "shape.differs"
		f.Message = fmt.Sprintf("`%s` %s where %s was expected", out.Name, f.Actual.phrase(), f.Expected.text())
		f.Hint = shapeHint(expected, actual)
	default:
		f.Code = "value.differs"
		f.Differences = differencesOf(d, expected, actual, t.p.Exercise.Counting)
		f.Message = fmt.Sprintf("`%s` has the right shape, and %s", out.Name, countWords(d, f.Differences.Where.Words))
		f.Hint = "compare the worst elements with what you work out by hand for them"
	}
	return f
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
		return fmt.Sprintf("%s too many: an axis was to be collapsed or a position selected", axesWords(a.Rank()-r.Rank()))
	case a.Rank() < r.Rank():
		return fmt.Sprintf("%s too few: look at what was collapsed, and over which axes", axesWords(r.Rank()-a.Rank()))
	}
	for i := range r.Rank() {
		if r.Label(i) != "" && a.Label(i) != "" && r.Label(i) != a.Label(i) {
			return fmt.Sprintf("`%s` stands where `%s` was wanted: look at the axes named in the last step", a.Label(i), r.Label(i))
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
		n := &notation.Diagnostic{Code: "labels.differ", Message: fmt.Sprintf("`%s` agrees, and its axes are labelled %s where %s was expected", name, functions.ShapeOf(a), functions.ShapeOf(r)),
			Hint: "check that the axes stand in the order wanted", Shapes: []notation.Shape{functions.ShapeOf(r), functions.ShapeOf(a)}}
		if at := t.bindingOf(name); at != nil {
			n.Place = *at
		}
		result.Notices = append(result.Notices, n)
		return
	}
}

// bindingOf finds the last statement that binds a name or assigns into it.
func (t *attempt) bindingOf(name string) *notation.Place {
	if t.bindings == nil {
		t.bindings = map[string]notation.Span{}
		for _, s := range t.program.Statements {
			t.noteBindings(s)
		}
	}
	span, ok := t.bindings[name]
	if !ok {
		return nil
	}
	place := t.program.Source.Place(span)
	return &place
}

// noteBindings walks statements, not what is in them; functions bind names of their
// own.
func (t *attempt) noteBindings(n notation.Node) {
	switch n := n.(type) {
	case *notation.Assign:
		t.bindings[n.Target.Name] = n.Value.Pos()
	case *notation.View:
		t.bindings[n.Name.Name] = n.Span
	case *notation.Each:
		for _, name := range n.Names {
			t.bindings[name.Name] = n.Header
		}
		for _, s := range n.Body {
			t.noteBindings(s)
		}
	case *notation.Repeat:
		for _, s := range n.Body {
			t.noteBindings(s)
		}
	case *notation.If:
		for _, s := range n.Then {
			t.noteBindings(s)
		}
		for _, s := range n.Else {
			t.noteBindings(s)
		}
	}
}

// finish puts findings in order, adds points up and says the verdict.
func (t *attempt) finish() {
	v, e := t.verdict, t.p.Exercise
	for i, out := range e.Outputs {
		v.Findings = append(v.Findings, t.found[i]...)
		v.Points.Earned += out.Points * float64(t.agreed[i]) / float64(len(t.p.Cases))
	}
	refused := t.rules()
	switch {
	case t.failed:
		v.Verdict = Failed
	case len(v.Findings) > 0:
		v.Verdict = Differs
	case refused:
		v.Verdict = Refused
		v.Points.Earned = 0
	default:
		v.Verdict = Agrees
	}
}

// rules tells the rules the attempt breaks; true when one of them refuses it.
func (t *attempt) rules() bool {
	rule := t.p.Exercise.Loops
	if rule == exercise.LoopsAllow {
		return false
	}
	found := loops(t.program)
	for _, l := range found {
		place := t.program.Source.Place(l.span)
		t.verdict.Rules = append(t.verdict.Rules, Rule{Code: "rule.loop", Message: l.what + "; this exercise wants whole arrays", Span: &place,
			Cost: &CostPair{Attempt: t.cost, Reference: t.p.cost}})
	}
	return rule == exercise.LoopsRefuse && len(found) > 0
}
