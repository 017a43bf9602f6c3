package check

import (
	"context"
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// stepsOf judges the steps; the first that differs is reported, and later ones that do
// not follow from it. Its name comes back.
func (t *attempt) stepsOf(c *PreparedCase, result *evaluate.Result) string {
	first := ""
	for i, s := range t.p.Exercise.Steps {
		expected := c.Steps[s.Name]
		actual := result.Value(s.Name)
		f := Finding{Code: codes.StepDiffers, Case: &c.Name, Output: &t.p.Exercise.Steps[i].Name, Expected: sideOf(expected)}
		if actual == nil {
			f.Message = fmt.Sprintf("the step `%s` is not bound", s.Name)
			f.Hint = fmt.Sprintf("bind it as an intermediate value: `%s = ...`; it earns points of its own", s.Name)
			if t.program == nil {
				f.Message = fmt.Sprintf("the step `%s` is not among the arrays", s.Name)
				f.Hint = "hand it in beside the outputs; it earns points of its own"
			}
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
		f.Code = codes.StepDiffers
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

// follows reports whether a name is computed from another, in the attempt.
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
	f := &Finding{Code: codes.PropertyFails, Case: &c.Name, Message: fmt.Sprintf("it does not hold that %s", q.Says),
		Hint: "work it out for a shown case, step by step"}
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
		return &Finding{Code: codes.FunctionMissing, Output: name,
			Message: fmt.Sprintf("the program does not define the function `%s`", fn.Name), Hint: hint}, nil
	}
	for k, call := range t.p.Calls[i] {
		if errs := evaluate.Check(t.program.Asking(askedName, call), t.p.Exercise.InputNames()); len(errs) > 0 {
			place := t.program.Source.Place(own[fn.Name].Header)
			return &Finding{Code: codes.FunctionMissing, Output: name, Span: &place,
				Message: fmt.Sprintf("the call `%s` does not fit the function: %s", fn.Calls[k], errs[0].Message),
				Hint:    errs[0].Hint}, nil
		}
		value, d := t.p.Ask(ctx, c, t.program, call, c.Inputs)
		if functions.TimedOut(d) {
			return nil, ErrOutOfTime
		}
		if d != nil {
			t.failed = true
			d.Message = fmt.Sprintf("the call `%s` stops: %s", fn.Calls[k], d.Message)
			t.addError(d, c)
			return &Finding{Code: d.Code}, nil
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
