package check

import (
	"context"
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/slips"
)

// Question is the exercise as causes see it, computed once.
func (p *Prepared) Question() *causes.Question {
	p.once.Do(func() {
		e := p.Exercise
		q := &causes.Question{Exercise: e, Reference: p.Program,
			Material: &slips.Material{Inputs: e.InputNames(), Counting: e.Counting, Known: p.Outlines(true),
				Scalars: p.scalars()}}
		for i := range p.Cases {
			c := &p.Cases[i]
			expected := map[string]*array.Array{}
			for name, v := range c.Expected {
				expected[name] = v
			}
			for name, v := range c.Steps {
				expected[name] = v
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
		for i, f := range e.Functions {
			q.Targets = append(q.Targets, causes.Target{Name: f.Name, Tolerance: f.Tolerance, Calls: p.Calls[i]})
		}
		p.question = q
	})
	return p.question
}

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
	failed := t.failed
	seen := map[string]bool{}
	for _, c := range causes.Find(ctx, q, t.program, got, t.changed, causes.Default) {
		one := Cause{Code: c.Code, Confidence: "likely", Message: c.Direction(), Evidence: string(c.Evidence),
			Change: c.Change, Cases: len(q.Cases), Note: c.Note}
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
