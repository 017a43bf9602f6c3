package check

import (
	"context"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Sides are the two sides of one output in one case. Actual is nil when the
// attempt did not bind it; Difference and Within when the sides cannot be laid on
// each other.
type Sides struct {
	Of                 *exercise.Output
	Expected, Actual   *array.Array
	Difference, Within *array.Array
}

// Compare runs an attempt on one case again and returns both sides of an output;
// nil when there is no such case or output.
func Compare(ctx context.Context, p *Prepared, text, caseName, output string, bound Bound) (*Sides, error) {
	c, out := p.find(caseName, output)
	if out == nil || c.Expected[output] == nil {
		return nil, nil
	}
	program, errs := notation.Parse(text)
	if len(errs) > 0 || len(evaluate.Check(program, p.Exercise.InputNames())) > 0 {
		return &Sides{Of: out, Expected: c.Expected[output]}, nil
	}
	if bound != nil {
		var cancel context.CancelFunc
		ctx, cancel = bound(ctx)
		defer cancel()
	}
	result := evaluate.Run(ctx, program, c.Inputs, p.Options(c))
	if functions.TimedOut(result.Error) {
		return nil, ErrOutOfTime
	}
	return p.sides(c, out, result.Value(output)), nil
}

// CompareResults gives both sides of an output of arrays that were handed in; nil when
// there is no such case or output.
func CompareResults(p *Prepared, results Results, caseName, output string) *Sides {
	c, out := p.find(caseName, output)
	if out == nil || c.Expected[output] == nil {
		return nil
	}
	return p.sides(c, out, results.of(c)[output])
}

// sides sets what an attempt made beside what was expected.
func (p *Prepared) sides(c *PreparedCase, out *exercise.Output, actual *array.Array) *Sides {
	s := &Sides{Of: out, Expected: c.Expected[out.Name], Actual: actual}
	if s.Actual != nil {
		s.Actual = Freedom(out.Freedom, s.Expected, p.Exercise.Counting).Align(s.Expected, s.Actual, out.Tolerance)
	}
	if s.Actual == nil || !array.SameShape(s.Expected, s.Actual) {
		return s
	}
	s.Within = compare.Within(s.Expected, s.Actual, out.Tolerance)
	s.Difference = difference(s.Expected, s.Actual)
	return s
}

func (p *Prepared) find(caseName, output string) (*PreparedCase, *exercise.Output) {
	for i := range p.Cases {
		if p.Cases[i].Name != caseName {
			continue
		}
		for k := range p.Exercise.Outputs {
			if p.Exercise.Outputs[k].Name == output {
				return &p.Cases[i], &p.Exercise.Outputs[k]
			}
		}
	}
	return nil, nil
}

// difference is got less expected, as reals or complex numbers.
func difference(r, a *array.Array) *array.Array {
	kind := max(r.Kind(), a.Kind(), array.Real)
	x, y := r.Widen(kind), a.Widen(kind)
	if kind == array.Complex {
		return array.Map2(r.Shape(), y, x, array.EachPair(func(a, b complex128) complex128 { return a - b })).
			WithLabels(r.Labels())
	}
	return array.Map2(r.Shape(), y, x, array.EachPair(func(a, b float64) float64 { return a - b })).WithLabels(r.Labels())
}
