package functions

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func trapezoid(c *Call) (*array.Array, *notation.Diagnostic) {
	y, d := c.realsOfRank(c.Args[0], 1)
	if d != nil {
		return nil, d
	}
	x, d := c.realsOfRank(c.Args[1], 1)
	if d != nil {
		return nil, d
	}
	if d := c.oneLength(y, x); d != nil {
		return nil, d
	}
	ys, xs := y.Reals(), x.Reals()
	parts := make([]float64, max(len(xs)-1, 0))
	c.Meter.Worked(plain * len(xs))
	for i := range parts {
		parts[i] = (xs[i+1] - xs[i]) * ((ys[i] + ys[i+1]) / 2)
	}
	out := array.Scalar(array.PairwiseSum(parts))
	c.noteMade(out, y, x)
	return out, nil
}

func gradient(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	spacing, d := c.realOption("spacing", 1)
	if d != nil {
		return nil, d
	}
	if !(spacing > 0) {
		return nil, fault(codes.RunValue, fmt.Sprintf("the spacing is %v", spacing), "give a number above 0")
	}
	if d := c.atMost(c.Args[0], array.Real, "take the parts apart with `real_part` and `imaginary_part`"); d != nil {
		return nil, d
	}
	a, d := Widen(c.Meter, c.Args[0], array.Real)
	if d != nil {
		return nil, d
	}
	n := a.Len(axis)
	if n < 2 {
		return nil, fault(codes.RunEmpty, fmt.Sprintf("a slope needs two places, and axis %s has %d", AxisWord(a, axis,
			c.Counting), n), "give a longer axis", ShapeOf(a))
	}
	if d := c.take(array.Real, a.Shape()); d != nil {
		return nil, d
	}
	out := array.Along(a, axis, n, func(out, y []float64) {
		out[0], out[n-1] = (y[1]-y[0])/spacing, (y[n-1]-y[n-2])/spacing
		for i := 1; i < n-1; i++ {
			out[i] = (y[i+1] - y[i-1]) / (2 * spacing)
		}
	})
	c.noteMade(out, a)
	return out, nil
}
