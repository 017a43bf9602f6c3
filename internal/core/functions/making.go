package functions

import (
	"fmt"
	"math"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func constant(v float64) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		shape, d := c.lengths(c.Args)
		if d != nil {
			return nil, d
		}
		if d := c.take(array.Real, shape); d != nil {
			return nil, d
		}
		out := array.New(array.Real, shape)
		if v != 0 {
			cells := out.Reals()
			for i := range cells {
				cells[i] = v
			}
		}
		return out, nil
	}
}

func filled(c *Call) (*array.Array, *notation.Diagnostic) {
	shape, d := c.lengths(c.Args[:1])
	if d != nil {
		return nil, d
	}
	v := c.Args[1]
	if v.Rank() != 0 {
		return nil, fault(codes.RunKind, fmt.Sprintf("`filled` takes one value, and got %s", Describe(v)),
			"to repeat an array side by side use `tiled`")
	}
	if d := c.take(v.Kind(), shape); d != nil {
		return nil, d
	}
	return v.Stretch(shape).Copy(), nil
}

func identity(c *Call) (*array.Array, *notation.Diagnostic) {
	n, d := c.integer(c.Args[0], "the size")
	if d != nil {
		return nil, d
	}
	if n < 0 {
		return nil, fault(codes.RunValue, fmt.Sprintf("the size %d is negative", n), "sizes are 0 or more")
	}
	if d := c.take(array.Real, []int{n, n}); d != nil {
		return nil, d
	}
	out := array.New(array.Real, []int{n, n})
	cells := out.Reals()
	for i := range n {
		cells[i*n+i] = 1
	}
	return out, nil
}

func spaced(c *Call) (*array.Array, *notation.Diagnostic) {
	n, d := c.integer(c.Args[2], "the count")
	if d != nil {
		return nil, d
	}
	for _, a := range c.Args[:2] {
		if a.Rank() != 0 || a.Kind() == array.Complex {
			return nil, fault(codes.RunKind, fmt.Sprintf("an end of `spaced` is %s; it takes one real", Describe(a)),
				"write `spaced(0, 1, 5)`")
		}
	}
	if n < 0 {
		return nil, fault(codes.RunValue, fmt.Sprintf("the count %d is negative", n), "counts are 0 or more")
	}
	if d := c.take(array.Real, []int{n}); d != nil {
		return nil, d
	}
	from, to := c.Args[0].RealAt(0), c.Args[1].RealAt(0)
	out := make([]float64, n)
	steps := float64(max(n-1, 1))
	for k := range out {
		// Multiplied before it is divided, so that spaced(0, 1, 11) holds 3 / 10 itself.
		out[k] = from + float64(k)*(to-from)/steps
		if math.IsInf((to-from)*steps, 0) {
			out[k] = from*(1-float64(k)/steps) + to*(float64(k)/steps)
		}
	}
	if n > 1 {
		out[n-1] = to
	}
	return array.FromReals(out, n), nil
}
