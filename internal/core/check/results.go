package check

import (
	"context"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
)

// The data that a verdict was found on.
const (
	OnAll   = "all"
	OnOwn   = "own"
	OnShown = "shown"
)

// Results are arrays computed elsewhere: for each case, by output.
type Results map[string]map[string]*array.Array

// of finds the arrays for a case, by its own name or that of its group.
func (r Results) of(c *PreparedCase) map[string]*array.Array {
	if given := r[c.Name]; given != nil {
		return given
	}
	return r[c.Group]
}

// Arrays checks an attempt of arrays on the open cases: those of a ticket, where p is what Own gives, or else the shown
// ones, as Verdict.On says. The exercise's rules are not checked. A fault of ours comes back as an error that holds a
// *guard.Fault.
func Arrays(ctx context.Context, p *Prepared, results Results) (*Verdict, error) {
	return guardedArrays(ctx, p, results, true)
}

// PlainArrays checks arrays without asking why.
func PlainArrays(ctx context.Context, p *Prepared, results Results) (*Verdict, error) {
	return guardedArrays(ctx, p, results, false)
}

func guardedArrays(ctx context.Context, p *Prepared, results Results, why bool) (v *Verdict, err error) {
	err = guard.Call("checking arrays", func() error {
		v, err = arrays(ctx, p, results, why)
		return err
	})
	if err != nil {
		return nil, err
	}
	return v, nil
}

func arrays(ctx context.Context, p *Prepared, results Results, why bool) (*Verdict, error) {
	v := newVerdict(p, "results")
	if v.On = OnShown; p.from != nil {
		v.On = OnOwn
	}
	t := newAttempt(p, nil, v)
	cases := 0
	for i := range p.Cases {
		c := &p.Cases[i]
		if !openCase(c) {
			continue
		}
		cases++
		line := CaseLine{Name: c.Name, Verdict: Agrees, Notices: []*notation.Diagnostic{}}
		if err := t.items(ctx, c, evaluate.Given(results.of(c)), &line); err != nil {
			return nil, err
		}
		v.Cases = append(v.Cases, line)
	}
	t.finish(cases)
	if v.Verdict == Differs && why {
		err := guard.Call("searching for causes of arrays", func() error { t.arrayCauses(ctx, results.of); return nil })
		if err != nil {
			v.Causes, v.Fault = []Cause{}, guard.As(err)
		}
	}
	return v, nil
}
