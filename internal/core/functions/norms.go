package functions

import (
	"math"
	"math/cmplx"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

func norm(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if kind := c.Options["kind"].Word; kind != "" {
		return c.matrixNorm(kind)
	}
	a, d := c.moduli(a)
	if d != nil {
		return nil, d
	}
	out, d := grouped(c, a, 0, algebra.Norm)
	return c.noticed(out, d, a)
}

// moduli are the absolute values as reals.
func (c *Call) moduli(a *array.Array) (*array.Array, *notation.Diagnostic) {
	if a.Kind() == array.Complex {
		return run1(c, a, cmplx.Abs)
	}
	w, d := Widen(c.Meter, a, array.Real)
	if d != nil {
		return nil, d
	}
	return run1(c, w, math.Abs)
}

func (c *Call) matrixNorm(kind string) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.wantRank(a, 2); d != nil {
		return nil, d
	}
	if kind == "spectral" {
		values, d := c.singular(a)
		if d != nil {
			return nil, d
		}
		if len(values) == 0 {
			return array.Scalar(0.0), nil
		}
		return array.Scalar(values[0]), nil
	}
	m, d := c.moduli(a)
	if d != nil {
		return nil, d
	}
	over := 0
	if kind == "infinity" {
		over = 1
	}
	sums := array.Reduce(nil, m, []int{over}, false, array.PairwiseSum)
	best := 0.0
	for _, v := range sums.Reals() {
		best = math.Max(best, v)
	}
	return array.Scalar(best), nil
}

func logOfSums(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.orderedReals()
	if d != nil {
		return nil, d
	}
	out, d := grouped(c, a, 1, func(items []float64) float64 {
		top := largestReal(items)
		if math.IsInf(top, 0) || top != top {
			return top
		}
		parts := make([]float64, len(items))
		for i, v := range items {
			parts[i] = math.Exp(v - top)
		}
		c.Meter.Worked(2 * plain * len(items))
		return top + math.Log(array.PairwiseSum(parts))
	})
	return c.noticed(out, d, a)
}
