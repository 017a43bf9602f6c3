package check

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

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

// newVerdict is a verdict of a kind of attempt with nothing found yet.
func newVerdict(p *Prepared, kind string) *Verdict {
	v := &Verdict{Kind: kind, Findings: []Finding{}, Causes: []Cause{}, Cases: []CaseLine{}, Rules: []Rule{}, RulesChecked: kind == "program"}
	e := p.Exercise
	for _, out := range e.Outputs {
		v.Points.Possible += out.Points
	}
	for _, s := range e.Steps {
		v.Points.Possible += s.Points
	}
	for _, q := range e.Properties {
		v.Points.Possible += q.Points
	}
	if kind == "program" {
		for _, f := range e.Functions {
			v.Points.Possible += f.Points
		}
	}
	return v
}

// Read parses an attempt's text and tells what keeps it from running at all.
func Read(p *Prepared, text string) (*notation.Program, []*notation.Diagnostic) {
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, p.Exercise.InputNames())
	}
	return program, errs
}

// Attempt checks a program and says why it differs, where there is evidence. bound may
// be nil.
func Attempt(ctx context.Context, p *Prepared, text string, bound Bound) (*Verdict, error) {
	return judge(ctx, p, text, bound, true)
}

// Plain checks a program without asking why.
func Plain(ctx context.Context, p *Prepared, text string, bound Bound) (*Verdict, error) {
	return judge(ctx, p, text, bound, false)
}

func judge(ctx context.Context, p *Prepared, text string, bound Bound, why bool) (*Verdict, error) {
	v := newVerdict(p, "program")
	program, errs := Read(p, text)
	if len(errs) > 0 {
		v.Verdict = Failed
		for _, d := range errs {
			v.Findings = append(v.Findings, errorFinding(d, nil))
		}
		return v, nil
	}
	run := newAttempt(p, program, v)
	for i := range p.Cases {
		if err := run.oneCase(ctx, &p.Cases[i], bound); err != nil {
			return nil, err
		}
	}
	run.finish(len(p.Cases))
	if why && (v.Verdict == Differs || v.Verdict == Failed) {
		run.causes(ctx)
	}
	return v, nil
}

func newAttempt(p *Prepared, program *notation.Program, v *Verdict) *attempt {
	e := p.Exercise
	return &attempt{p: p, program: program, verdict: v,
		outputs: make([]tally, len(e.Outputs)), steps: make([]tally, len(e.Steps)), functions: make([]tally, len(e.Functions)), properties: make([]tally, len(e.Properties))}
}

// tally counts the cases in which one thing agrees, and keeps what was found.
type tally struct {
	agreed int
	found  []Finding
}

// attempt is an attempt being checked.
type attempt struct {
	p       *Prepared
	program *notation.Program // nil for an attempt of arrays
	verdict *Verdict
	failed  bool
	cost    Cost
	changed []string // inputs that the program writes into

	outputs, steps, functions, properties []tally
	missed                                []Finding // where an error was the right outcome

	bindings map[string]notation.Span // where each name is bound last
}

func (t *attempt) oneCase(ctx context.Context, c *PreparedCase, bound Bound) error {
	if bound != nil {
		var cancel context.CancelFunc
		ctx, cancel = bound(ctx)
		defer cancel()
	}
	result := evaluate.Run(ctx, t.program, c.Inputs, t.p.Options(c))
	if functions.TimedOut(result.Error) {
		return ErrOutOfTime
	}
	line := CaseLine{Name: c.Name, Verdict: Agrees, Statements: result.Statements, Cells: result.Cells}
	t.cost = t.cost.plus(Cost{result.Statements, result.Cells})
	for _, name := range result.Changed {
		if !slices.Contains(t.changed, name) {
			t.changed = append(t.changed, name)
		}
	}
	switch {
	case c.Error != nil:
		t.expected(c, result, &line)
	case result.Error != nil:
		line.Verdict, t.failed = Failed, true
		t.addError(result.Error, c.Name)
	default:
		if err := t.items(ctx, c, result, &line); err != nil {
			return err
		}
	}
	line.Notices = result.Notices
	if line.Notices == nil {
		line.Notices = []*notation.Diagnostic{}
	}
	t.verdict.Cases = append(t.verdict.Cases, line)
	return nil
}

// expected judges a case whose right outcome is an error.
func (t *attempt) expected(c *PreparedCase, result *evaluate.Result, line *CaseLine) {
	if result.Error != nil && result.Error.Code == c.Error.Code {
		for _, list := range [][]tally{t.outputs, t.steps, t.functions, t.properties} {
			for i := range list {
				list[i].agreed++
			}
		}
		return
	}
	line.Verdict = Differs
	f := Finding{Code: "expects.missed", Case: &c.Name, Message: fmt.Sprintf("the right outcome here is the error %s, and the program ran to its end", c.Error.Code),
		Hint: "some data have no answer; let the program stop on them instead of giving one"}
	if result.Error != nil {
		place := result.Error.Place
		f.Span = &place
		f.Message = fmt.Sprintf("the right outcome here is the error %s, and the program ended in %s", c.Error.Code, result.Error.Code)
	}
	t.missed = append(t.missed, f)
}

// items judges all that is checked in a case that ran to its end.
func (t *attempt) items(ctx context.Context, c *PreparedCase, result *evaluate.Result, line *CaseLine) error {
	e := t.p.Exercise
	differs := func(into *tally, f *Finding) {
		if f == nil {
			into.agreed++
			return
		}
		into.found = append(into.found, *f)
		if f.Code != "step.differs" {
			line.Verdict = Differs
		}
	}
	wrongStep := t.stepsOf(c, result)
	for i := range e.Outputs {
		f := t.output(&e.Outputs[i], c, result)
		if f != nil && wrongStep != "" && t.follows(e.Outputs[i].Name, wrongStep) {
			f.Hint = fmt.Sprintf("it follows from the step `%s`, which differs first: look there", wrongStep)
		}
		differs(&t.outputs[i], f)
	}
	for i := range e.Properties {
		f, err := t.property(ctx, i, c, result)
		if err != nil {
			return err
		}
		differs(&t.properties[i], f)
	}
	if t.program == nil {
		return nil
	}
	for i := range e.Functions {
		f, err := t.function(ctx, i, c)
		if err != nil {
			return err
		}
		if f != nil && f.Output == nil {
			line.Verdict = Failed
			continue // told as an error already
		}
		if f != nil && f.Code == "function.missing" && len(t.functions[i].found) > 0 {
			line.Verdict = Differs
			continue // told once
		}
		differs(&t.functions[i], f)
	}
	return nil
}

// stepsOf judges the steps; the first that differs is told, and later ones that do
// not follow from it. Its name comes back.
func (t *attempt) stepsOf(c *PreparedCase, result *evaluate.Result) string {
	first := ""
	for i, s := range t.p.Exercise.Steps {
		expected := c.Steps[s.Name]
		actual := result.Value(s.Name)
		f := Finding{Code: "step.differs", Case: &c.Name, Output: &t.p.Exercise.Steps[i].Name, Expected: sideOf(expected)}
		if actual == nil {
			f.Message = fmt.Sprintf("the step `%s` is not bound", s.Name)
			f.Hint = fmt.Sprintf("bind it on the way: `%s = ...`; it earns points of its own", s.Name)
			t.steps[i].found = append(t.steps[i].found, f)
			continue
		}
		f.Actual, f.Span = sideOf(actual), t.bindingOf(s.Name)
		outcome, d := compare.Compare(expected, actual, s.Tolerance, compare.Freedom{}, c.Masks...)
		if outcome == compare.Agrees {
			t.steps[i].agreed++
			continue
		}
		t.describe(&f, s.Name, outcome, d, expected, actual)
		f.Code = "step.differs"
		if first != "" && t.follows(s.Name, first) {
			continue // not blamed for what comes before it
		}
		if first == "" {
			first = s.Name
		}
		f.Message = "the step " + f.Message
		t.steps[i].found = append(t.steps[i].found, f)
	}
	return first
}

// follows reports whether a name is worked out from another, in the attempt.
func (t *attempt) follows(name, from string) bool {
	if t.program == nil {
		return true
	}
	names := map[string]bool{name: true}
	for grown := true; grown; {
		grown = false
		for _, s := range t.program.Statements {
			a, ok := s.(*notation.Assign)
			if !ok || !names[a.Target.Name] {
				continue
			}
			notation.Walk(a, func(n notation.Node) bool {
				if x, ok := n.(*notation.Name); ok && !names[x.Name] {
					names[x.Name], grown = true, true
				}
				return true
			})
		}
	}
	return names[from]
}

// property asks one property of a case.
func (t *attempt) property(ctx context.Context, i int, c *PreparedCase, result *evaluate.Result) (*Finding, error) {
	q := t.p.Exercise.Properties[i]
	f := &Finding{Code: "property.fails", Case: &c.Name, Message: fmt.Sprintf("it does not hold that %s", q.Says), Hint: "work it out for a shown case, step by step"}
	names := withInputs(c.Case, result.Values())
	missing := ""
	notation.Walk(t.p.Holds[i], func(n notation.Node) bool {
		if x, ok := n.(*notation.Name); ok && missing == "" && names[x.Name] == nil && c.Values[x.Name] != nil {
			missing = x.Name
		}
		return true
	})
	if missing != "" {
		f.Message = fmt.Sprintf("`%s` is not bound, and it cannot hold that %s", missing, q.Says)
		f.Hint = fmt.Sprintf("bind it: `%s = ...`", missing)
		return f, nil
	}
	v, d := t.p.Ask(ctx, c, t.p.Program, t.p.Holds[i], names)
	switch {
	case functions.TimedOut(d):
		return nil, ErrOutOfTime
	case d != nil:
		f.Message += fmt.Sprintf(": asking it stops with %s", d.Code)
		f.Hint, f.Shapes = "look at the shapes of what you bound", d.Shapes
		return f, nil
	case v.Kind() == array.Bool && v.Rank() == 0 && v.BoolAt(0):
		return nil, nil
	}
	return f, nil
}

// function asks the calls of one function. A finding without an output stands for an
// error, which is kept among the attempt's errors.
func (t *attempt) function(ctx context.Context, i int, c *PreparedCase) (*Finding, error) {
	fn := t.p.Exercise.Functions[i]
	name := &t.p.Exercise.Functions[i].Name
	own := t.program.Functions()
	if own[fn.Name] == nil {
		hint := fmt.Sprintf("define it: `function %s(...) = ...`", fn.Name)
		var names []string
		for n := range own {
			names = append(names, n)
		}
		slices.Sort(names)
		if near := notation.Nearest(fn.Name, names); len(near) > 0 {
			hint = fmt.Sprintf("`%s` is defined; was `%s` meant?", near[0], fn.Name)
		}
		return &Finding{Code: "function.missing", Output: name, Message: fmt.Sprintf("the program does not define the function `%s`", fn.Name), Hint: hint}, nil
	}
	for k, call := range t.p.Calls[i] {
		if errs := evaluate.Check(t.program.Asking(askedName, call), t.p.Exercise.InputNames()); len(errs) > 0 {
			place := t.program.Source.Place(own[fn.Name].Header)
			return &Finding{Code: "function.missing", Output: name, Span: &place, Message: fmt.Sprintf("the call `%s` does not fit the function: %s", fn.Calls[k], errs[0].Message), Hint: errs[0].Hint}, nil
		}
		value, d := t.p.Ask(ctx, c, t.program, call, c.Inputs)
		if functions.TimedOut(d) {
			return nil, ErrOutOfTime
		}
		if d != nil {
			t.failed = true
			d.Message = fmt.Sprintf("the call `%s` stops: %s", fn.Calls[k], d.Message)
			t.addError(d, c.Name)
			return &Finding{}, nil
		}
		expected := c.Calls[i][k]
		outcome, diff := compare.Compare(expected, value, fn.Tolerance, compare.Freedom{}, c.Masks...)
		if outcome == compare.Agrees {
			continue
		}
		place := t.program.Source.Place(own[fn.Name].Header)
		f := &Finding{Case: &c.Name, Output: name, Expected: sideOf(expected), Actual: sideOf(value), Span: &place}
		t.describe(f, fn.Calls[k], outcome, diff, expected, value)
		return f, nil
	}
	return nil, nil
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
	actual := result.Value(out.Name)
	if actual == nil {
		f.Code = "output.missing"
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
	outcome, d := compare.Compare(expected, actual, out.Tolerance, Freedom(out.Freedom, expected, t.p.Exercise.Counting), c.Masks...)
	if outcome == compare.Agrees {
		t.noteLabels(out.Name, expected, actual, result)
		return nil
	}
	t.describe(f, out.Name, outcome, d, expected, actual)
	return f
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
func (t *attempt) describe(f *Finding, name string, outcome compare.Outcome, d *compare.Differences, expected, actual *array.Array) {
	switch outcome {
	case compare.KindDiffers:
		f.Code = "kind.differs"
		f.Message = fmt.Sprintf("`%s` holds %s where %s were expected", name, kindPhrase(actual.Kind()), kindPhrase(expected.Kind()))
		f.Hint = kindHint(expected.Kind())
	case compare.ShapeDiffers:
		f.Code = "shape.differs"
		f.Message = fmt.Sprintf("`%s` %s where %s was expected", name, f.Actual.phrase(), f.Expected.text())
		f.Hint = shapeHint(expected, actual)
	default:
		f.Code = "value.differs"
		f.Differences = differencesOf(d, expected, actual, t.p.Exercise.Counting)
		f.Message = fmt.Sprintf("`%s` has the right shape, and %s", name, countWords(d, f.Differences.Where.Words))
		f.Hint = "compare the worst elements with what you work out by hand for them"
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
	if t.program == nil {
		return nil
	}
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
func (t *attempt) finish(cases int) {
	v, e := t.verdict, t.p.Exercise
	earn := func(list []tally, points func(i int) float64) {
		for i := range list {
			v.Findings = append(v.Findings, list[i].found...)
			if cases > 0 {
				v.Points.Earned += points(i) * float64(list[i].agreed) / float64(cases)
			}
		}
	}
	earn(t.outputs, func(i int) float64 { return e.Outputs[i].Points })
	if t.program != nil {
		earn(t.functions, func(i int) float64 { return e.Functions[i].Points })
	}
	earn(t.properties, func(i int) float64 { return e.Properties[i].Points })
	v.Findings = append(v.Findings, t.missed...)
	differs := len(v.Findings) > 0
	earn(t.steps, func(i int) float64 { return e.Steps[i].Points })
	switch refused := t.rules(); {
	case t.failed:
		v.Verdict = Failed
	case differs:
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
	if t.program == nil {
		return false
	}
	refused := false
	for _, r := range append(treeRules(t.p.Exercise, t.program), t.runRules()...) {
		if r.Code == "rule.loop" {
			r.Cost = &CostPair{Attempt: t.cost, Reference: t.p.cost}
		}
		refused = refused || r.Code != "rule.loop" || t.p.Exercise.Loops == exercise.LoopsRefuse
		t.verdict.Rules = append(t.verdict.Rules, r)
	}
	return refused
}
