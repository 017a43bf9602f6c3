package check

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/slips"
)

// Question is the exercise as causes see it, computed once.
func (p *Prepared) Question() *causes.Question {
	p.once.Do(func() { p.question = p.asked(func(*PreparedCase) bool { return true }) })
	return p.question
}

// shownQuestion is the exercise with its shown cases alone, which arrays are computed for.
func (p *Prepared) shownQuestion() *causes.Question {
	p.shownOnce.Do(func() {
		p.shown = p.asked(openCase)
	})
	return p.shown
}

// openCase reports whether arrays are computed for a case.
func openCase(c *PreparedCase) bool { return c.Shown && c.Error == nil }

// casesOf lists the cases that a question has.
func (p *Prepared) casesOf(takes func(*PreparedCase) bool) []*PreparedCase {
	var out []*PreparedCase
	for i := range p.Cases {
		if takes(&p.Cases[i]) {
			out = append(out, &p.Cases[i])
		}
	}
	return out
}

// asked is the exercise as causes see it, with some of its cases.
func (p *Prepared) asked(takes func(*PreparedCase) bool) *causes.Question {
	e := p.Exercise
	q := &causes.Question{Exercise: e, Reference: p.Program,
		Material: &slips.Material{Inputs: e.InputNames(), Counting: e.Counting, Known: p.Outlines(true),
			Scalars: p.scalars()}}
	for i := range p.Cases {
		c := &p.Cases[i]
		if !takes(c) {
			continue
		}
		expected := map[string]*array.Array{}
		for name, v := range c.Expected {
			expected[name] = v
		}
		for name, v := range c.Steps {
			expected[name] = v
		}
		for k := range e.Properties {
			expected[propertyName(k)] = array.Scalar(true)
		}
		for k, calls := range c.Calls {
			for n, v := range calls {
				expected[causes.CallName(e.Functions[k].Name, n)] = v
			}
		}
		q.Cases = append(q.Cases, causes.Case{Inputs: c.Inputs, Expected: expected, Error: c.Error, Shown: c.Shown,
			Options: p.Options(c)})
	}
	for _, s := range e.Steps {
		q.Targets = append(q.Targets, causes.Target{Name: s.Name, Tolerance: s.Tolerance, Step: true})
	}
	for _, out := range e.Outputs {
		t := causes.Target{Name: out.Name, Tolerance: out.Tolerance}
		if f := out.Freedom; f.Ones || f.AnyOrder != "" || f.FreeSign != "" || f.FreeScale != "" {
			t.Freedom = func(expected *array.Array) compare.Freedom { return Freedom(f, expected, e.Counting) }
		}
		q.Targets = append(q.Targets, t)
	}
	for i := range e.Properties {
		q.Targets = append(q.Targets, causes.Target{Name: propertyName(i), Holds: p.Holds[i]})
	}
	for i, f := range e.Functions {
		q.Targets = append(q.Targets, causes.Target{Name: f.Name, Tolerance: f.Tolerance, Calls: p.Calls[i]})
	}
	return q
}

// propertyName is what a property is called among the targets; no text can spell it.
func propertyName(i int) string { return fmt.Sprint("property ", i) }

// scalars holds the values of the inputs without axes in the first case.
func (p *Prepared) scalars() map[string]float64 {
	out := map[string]float64{}
	for i := range p.Cases {
		if p.Cases[i].Error != nil {
			continue
		}
		for name, a := range p.Cases[i].Inputs {
			if a.Rank() == 0 && (a.Kind() == array.Int || a.Kind() == array.Real) {
				out[name] = a.RealAt(0)
			}
		}
		break
	}
	return out
}

// causes says why the attempt differs, where there is evidence.
func (t *attempt) causes(ctx context.Context) {
	q := t.p.Question()
	got := make([]causes.Outcome, len(q.Cases))
	for i := range q.Cases {
		got[i] = q.Outcome(ctx, i, t.program, t.ran[i])
	}
	t.tell(causes.Find(ctx, q, t.program, got, t.changed, causes.Default), t.p.casesOf(func(*PreparedCase) bool {
		return true
	}))
}

// arrayCauses says why arrays that were computed elsewhere differ.
func (t *attempt) arrayCauses(ctx context.Context, given func(c *PreparedCase) map[string]*array.Array) {
	q := t.p.shownQuestion()
	var got []causes.Outcome
	for i := range t.p.Cases {
		if c := &t.p.Cases[i]; openCase(c) {
			got = append(got, causes.Outcome{Values: given(c)})
		}
	}
	found := causes.Find(ctx, q, nil, got, nil, causes.Default)
	if len(found) == 0 {
		found = t.misread(ctx, given)
	}
	t.tell(found, t.p.casesOf(openCase))
}

// misread explains arrays by one input whose file was read in the other order of rows and columns: the reference on it
// gives them, in all cases, where on the input as it is it does not.
func (t *attempt) misread(ctx context.Context, given func(c *PreparedCase) map[string]*array.Array) []causes.Cause {
	for _, in := range t.p.Exercise.Inputs {
		var found []causes.Cause
		for k := range t.p.Exercise.Outputs {
			out := &t.p.Exercise.Outputs[k]
			if len(t.outputs[k].found) == 0 {
				continue
			}
			if !t.madeBy(ctx, in.Name, out, given) {
				found = nil
				break
			}
			found = append(found, causes.Cause{Code: codes.FillOrder, Certain: true, Output: out.Name, Evidence: causes.Slip,
				Changes: 1, Change: fmt.Sprintf("%s read by columns where it lies by rows", in.Name)})
		}
		if len(found) > 0 {
			return found
		}
	}
	return nil
}

// madeBy reports whether the reference gives an output as it was handed in, in all open cases, when it reads an
// input in the other order.
func (t *attempt) madeBy(ctx context.Context, input string, out *exercise.Output,
	given func(c *PreparedCase) map[string]*array.Array) bool {
	for _, c := range t.p.casesOf(openCase) {
		a := c.Inputs[input]
		if a == nil || a.Rank() < 2 || given(c)[out.Name] == nil {
			return false
		}
		other := *c.Case
		other.Inputs = maps.Clone(c.Inputs)
		other.Inputs[input] = byColumns(a)
		made := t.p.Run(ctx, &PreparedCase{Case: &other, Cost: c.Cost}, t.p.Program, 4)
		v := made.Values[out.Name]
		if made.Error != nil || v == nil || !compare.Agree(v, given(c)[out.Name], out.Tolerance, Freedom(out.Freedom, v,
			t.p.Exercise.Counting)) {
			return false
		}
	}
	return true
}

// byColumns is an array of the same shape whose elements, taken as they lie, were laid down first axis first.
func byColumns(a *array.Array) *array.Array {
	turned := slices.Clone(a.Shape())
	slices.Reverse(turned)
	order := make([]int, a.Rank())
	for i := range order {
		order[i] = a.Rank() - 1 - i
	}
	out := a.WithLabels(nil).Reshape(turned).Transpose(order)
	if a.Labels() != nil {
		out = out.WithLabels(a.Labels())
	}
	return out
}

// tell keeps causes in the verdict.
func (t *attempt) tell(found []causes.Cause, cases []*PreparedCase) {
	failed := t.failed
	seen := map[string]bool{}
	for _, c := range found {
		one := Cause{Code: c.Code, Confidence: "likely", Message: c.Direction(), Evidence: string(c.Evidence),
			Change: c.Told(), Cases: len(cases), Note: c.Note, HiddenOnly: len(c.In) > 0}
		if c.Certain {
			one.Confidence = "certain"
		}
		if c.Output != "" && !failed {
			name := c.Output
			one.Output = &name
		}
		if c.Span != nil {
			place := t.program.Source.Place(*c.Span)
			one.Span = &place
		}
		if c.Before != c.After {
			one.Diff = &Diff{Before: c.Before, After: c.After}
		}
		for _, i := range c.In {
			one.In = append(one.In, cases[i].Name)
			one.HiddenOnly = one.HiddenOnly && !cases[i].Shown
		}
		for _, d := range c.Dropped {
			one.Rivals = append(one.Rivals, Rival{d.Code, string(d.Evidence), d.Change, d.Why})
		}
		key := fmt.Sprint(c.Code, one.Output != nil, c.Output)
		if failed {
			key = string(c.Code)
		}
		if seen[key] {
			continue
		}
		seen[key] = true
		t.verdict.Causes = append(t.verdict.Causes, one)
	}
}
