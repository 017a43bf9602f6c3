package check

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
)

// ErrOutOfTime says that seconds ran out, which gives no verdict: another try on a
// quieter machine may end.
var ErrOutOfTime = errors.New("checking ran out of seconds")

// Bound gives a case a context that ends when its seconds are over.
type Bound func(context.Context) (context.Context, context.CancelFunc)

// newVerdict is a verdict of a kind of attempt with nothing found yet.
func newVerdict(p *Prepared, kind string) *Verdict {
	v := &Verdict{Kind: kind, Findings: []Finding{}, Causes: []Cause{}, Cases: []CaseLine{}, Rules: []Rule{},
		RulesChecked: kind == "program", On: OnAll}
	e := p.Exercise
	v.Points.Possible = e.Possible()
	if kind != "program" {
		for _, f := range e.Functions {
			v.Points.Possible -= f.Points
		}
	}
	return v
}

// Read parses an attempt's text and says what keeps it from running at all.
func Read(p *Prepared, text string) (*notation.Program, []*notation.Diagnostic) {
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, p.Exercise.InputNames())
	}
	return program, errs
}

// Attempt checks a program and says why it differs, where there is evidence. bound may
// be nil. A fault of ours comes back as an error that holds a *guard.Fault; one in the
// search for causes is kept in Verdict.Fault, and the verdict stands.
func Attempt(ctx context.Context, p *Prepared, text string, bound Bound) (*Verdict, error) {
	return guarded(ctx, p, text, bound, true)
}

// Plain checks a program without asking why.
func Plain(ctx context.Context, p *Prepared, text string, bound Bound) (*Verdict, error) {
	return guarded(ctx, p, text, bound, false)
}

// guarded is the edge of an attempt: a panic ends it alone.
func guarded(ctx context.Context, p *Prepared, text string, bound Bound, why bool) (v *Verdict, err error) {
	err = guard.Call("checking an attempt", func() error {
		v, err = judge(ctx, p, text, bound, why)
		return err
	})
	if err != nil {
		return nil, err
	}
	return v, nil
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
	run.why = why && causes.Default.Reads(program, len(p.Cases))
	for i := range p.Cases {
		if err := run.oneCase(ctx, &p.Cases[i], bound); err != nil {
			return nil, err
		}
	}
	run.finish(len(p.Cases))
	if run.why && (v.Verdict == Differs || v.Verdict == Failed) {
		// An edge of its own: without the causes the verdict stands.
		if err := guard.Call("searching for causes", func() error { run.causes(ctx); return nil }); err != nil {
			v.Causes, v.Fault = []Cause{}, guard.As(err)
		} else {
			v.Fault = p.Question().Fault()
		}
		if err := guard.Call("searching for an example",
			func() error { v.Example = run.example(ctx); return nil }); err != nil {
			v.Example, v.Fault = nil, guard.As(err)
		}
	}
	if why && v.Verdict == Differs {
		if err := guard.Call("tracing where values come from", func() error { run.madeFrom(ctx); return nil }); err != nil {
			v.Fault = guard.As(err)
		}
	}
	return v, nil
}

func newAttempt(p *Prepared, program *notation.Program, v *Verdict) *attempt {
	e := p.Exercise
	return &attempt{p: p, program: program, verdict: v,
		outputs: make([]tally, len(e.Outputs)), steps: make([]tally, len(e.Steps)), functions: make([]tally,
			len(e.Functions)), properties: make([]tally, len(e.Properties))}
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
	brief   bool // the code of what differs is enough
	cost    Cost
	why     bool               // causes are asked for
	ran     []*evaluate.Result // on each case, for them
	changed []string           // inputs that the program writes into
	openly  bool               // it does so in a shown case

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
	if t.why = t.why && causes.Default.Holds(t.cost.Cells); t.why {
		t.ran = append(t.ran, result)
	} else {
		t.ran = nil
	}
	t.openly = t.openly || c.Shown && len(result.Changed) > 0
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
		line.note(result.Error.Code)
		t.addError(result.Error, c)
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
	line.note(codes.ExpectsMissed)
	f := Finding{Code: codes.ExpectsMissed, Case: &c.Name,
		Message: fmt.Sprintf("the right outcome here is the error %s, and the program ran to its end", c.Error.Code),
		Hint:    "some data have no answer; let the program stop on them instead of giving one"}
	if result.Error != nil {
		place := result.Error.Place
		f.Span = &place
		f.Message = fmt.Sprintf("the right outcome here is the error %s, and the program ended in %s", c.Error.Code,
			result.Error.Code)
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
		line.note(f.Code)
		if f.Code != codes.StepDiffers {
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
			line.note(f.Code)
			continue // told as an error already
		}
		if f != nil && f.Code == codes.FunctionMissing && len(t.functions[i].found) > 0 {
			line.Verdict = Differs
			line.note(f.Code)
			continue // told once
		}
		differs(&t.functions[i], f)
	}
	return nil
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
	if t.brief {
		return
	}
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

// rules lists the rules the attempt breaks; true when one of them refuses it.
func (t *attempt) rules() bool {
	if t.program == nil {
		return false
	}
	refused := false
	for _, r := range append(treeRules(t.p.Exercise, t.program), t.runRules()...) {
		if r.Code == codes.RuleLoop {
			r.Cost = &CostPair{Attempt: t.cost, Reference: t.p.cost}
		}
		refused = refused || r.Code != codes.RuleLoop || t.p.Exercise.Loops == exercise.LoopsRefuse
		t.verdict.Rules = append(t.verdict.Rules, r)
	}
	return refused
}
