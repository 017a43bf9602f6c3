package functions

import (
	"fmt"
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// ascending reads an argument of one axis whose values ascend; strictly when asked.
func (c *Call) rising(a *array.Array, strictly bool) ([]float64, *notation.Diagnostic) {
	a, d := c.realsOfRank(a, 1)
	if d != nil {
		return nil, d
	}
	x := a.Reals()
	for i := range x {
		if x[i] != x[i] || (i > 0 && (x[i] < x[i-1] || (strictly && x[i] == x[i-1]))) {
			return nil, fault(codes.RunValue, fmt.Sprintf("`%s` takes ascending values, and %v is at position %d",
				c.Function.Name, x[i], i+c.Counting), "sort them with `sort`, and the values that go with them by `sort_order`")
		}
	}
	return x, nil
}

// oneLength refuses arrays of one axis whose lengths differ.
func (c *Call) oneLength(a, b *array.Array) *notation.Diagnostic {
	if a.Len(0) == b.Len(0) {
		return nil
	}
	return fault(codes.ShapeJoin, fmt.Sprintf("`%s` walks them together, and the lengths are %d and %d", c.Function.Name,
		a.Len(0), b.Len(0)), "give arrays of one length", ShapeOf(a), ShapeOf(b))
}

func interpolated(c *Call) (*array.Array, *notation.Diagnostic) {
	xs, d := c.rising(c.Args[1], true)
	if d != nil {
		return nil, d
	}
	y, d := c.realsOfRank(c.Args[2], 1)
	if d != nil {
		return nil, d
	}
	if d := c.oneLength(c.Args[1], y); d != nil {
		return nil, d
	}
	if d := c.atMost(c.Args[0], array.Real, "x is real"); d != nil {
		return nil, d
	}
	if len(xs) == 0 {
		return nil, fault(codes.RunEmpty, "`interpolated` has no points to go through", "give at least one point")
	}
	ys := y.Reals()
	out, d := run1(c, c.Args[0], func(x float64) float64 {
		i, exact := slices.BinarySearch(xs, x)
		switch {
		case exact:
			return ys[i]
		case x != x || i == 0 || i == len(xs):
			return math.NaN()
		}
		t := (x - xs[i-1]) / (xs[i] - xs[i-1])
		return ys[i-1] + t*(ys[i]-ys[i-1])
	})
	if d != nil {
		return nil, d
	}
	x, d := Widen(c.Meter, c.Args[0], array.Real)
	if d != nil {
		return nil, d
	}
	NoteNonFinite(c.Meter, "`interpolated`", "a place is outside the points; `clipped` keeps it in", out, x)
	return out, nil
}

func insertionPlace(c *Call) (*array.Array, *notation.Diagnostic) {
	values, d := c.rising(c.Args[0], false)
	if d != nil {
		return nil, d
	}
	if d := c.atMost(c.Args[1], array.Real, "complex numbers have no order"); d != nil {
		return nil, d
	}
	return run1(c, c.Args[1], func(x float64) int64 {
		if x != x {
			return int64(len(values) + c.Counting)
		}
		at, _ := slices.BinarySearch(values, x)
		return int64(at + c.Counting)
	})
}
