package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func extreme(largest bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a := c.Args[0]
		if d := c.atMost(a, array.Real, "complex numbers have no order; compare `abs(...)`"); d != nil {
			return nil, d
		}
		switch a.Kind() {
		case array.Bool:
			return grouped(c, a, 1, func(items []bool) bool { return slices.Contains(items, largest) == largest })
		case array.Int:
			return grouped(c, a, 1, func(items []int64) int64 {
				if largest {
					return slices.Max(items)
				}
				return slices.Min(items)
			})
		}
		one, over := smallestReal, array.SmallestOver
		if largest {
			one, over = largestReal, array.LargestOver
		}
		out, d := c.tables(a, 1, one, over)
		return c.noticed(out, d, a)
	}
}

// largestReal is NaN when an element is.
func largestReal(items []float64) float64 {
	best := items[0]
	for _, v := range items {
		if v > best {
			best = v
		} else if v != v {
			return v
		}
	}
	return best
}

// smallestReal is NaN when an element is.
func smallestReal(items []float64) float64 {
	best := items[0]
	for _, v := range items {
		if v < best {
			best = v
		} else if v != v {
			return v
		}
	}
	return best
}

func extent(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.atMost(a, array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	if a.Kind() < array.Real {
		overflow := false
		out, d := grouped(c, a.Widen(array.Int), 1, func(items []int64) int64 {
			v, ok := subtractInts(slices.Max(items), slices.Min(items))
			overflow = overflow || !ok
			return v
		})
		if d == nil && overflow {
			return nil, fault(codes.RunOverflow, "the extent does not fit an int", "convert with `real(...)` first")
		}
		return out, d
	}
	out, d := grouped(c, a, 1, func(items []float64) float64 {
		return largestReal(items) - smallestReal(items)
	})
	return c.noticed(out, d, a)
}

func extremeAt(largest bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a, d := c.orderedExactly()
		if d != nil {
			return nil, d
		}
		axes := c.overAxes()
		if len(axes) != 1 && len(axes) != a.Rank() {
			return nil, fault(codes.TextCall, fmt.Sprintf("`%s` over %d of %d axes has no plain position", c.Function.Name,
				len(axes), a.Rank()), "name one axis, or all of them by leaving `over` out", ShapeOf(a))
		}
		if c.Args[0].Kind() == array.Real {
			c.notePassedNaN(c.Args[0], "and gives the position of the first")
		}
		// Positions are looked for among the elements `only:` leaves, and counted
		// among all.
		call := *c
		if d := c.Meter.Borrow(array.Int, a.Size()); d != nil {
			return nil, d
		}
		counted := placesOf(a)
		keep, d := c.truth("keep")
		if d != nil {
			return nil, d
		}
		call.Options = map[string]Value{"keep": {Array: array.Scalar(keep)}}
		if only, ok := c.Options["only"]; ok {
			call.Options["only"] = only
		}
		best := func(places []int64) int64 { return mostExtreme(a.Reals(), places, largest) }
		if a.Kind() == array.Int {
			best = func(places []int64) int64 { return mostExtreme(a.Ints(), places, largest) }
		}
		flat, d := grouped(&call, counted, 1, best)
		if d != nil {
			return nil, d
		}
		return c.positionsOf(a, flat, axes)
	}
}

// orderedExactly is the argument with bool as int, refusing complex.
func (c *Call) orderedExactly() (*array.Array, *notation.Diagnostic) {
	if d := c.atMost(c.Args[0], array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	return Widen(c.Meter, c.Args[0], array.Int)
}

// placesOf is an array of the same shape that holds each element's row-major place.
func placesOf(a *array.Array) *array.Array {
	places := make([]int64, a.Size())
	for i := range places {
		places[i] = int64(i)
	}
	return array.FromInts(places, a.Shape()...).WithLabels(a.Labels())
}

// mostExtreme is the first place at which none beats the cell; NaN beats any number, and
// none itself.
func mostExtreme[T int64 | float64](cells []T, places []int64, largest bool) int64 {
	best := places[0]
	for _, at := range places[1:] {
		x, y := cells[at], cells[best]
		if y == y && (x != x || largest && x > y || !largest && x < y) {
			best = at
		}
	}
	return best
}

// positionsOf turns row-major places into positions along the axis, or into one
// position of all axes.
func (c *Call) positionsOf(a, flat *array.Array, axes []int) (*array.Array, *notation.Diagnostic) {
	inner := make([]int, a.Rank())
	step := 1
	for i := a.Rank() - 1; i >= 0; i-- {
		inner[i] = step
		step *= a.Len(i)
	}
	if len(axes) == 1 {
		axis := axes[0]
		return array.Map1(flat, array.EachCell(func(at int64) int64 {
			return int64(int(at)/inner[axis]%a.Len(axis) +
				c.Counting)
		})), nil
	}
	out := make([]int64, a.Rank())
	for i := range out {
		out[i] = int64(int(flat.IntAt(0))/inner[i]%a.Len(i) + c.Counting)
	}
	return array.FromInts(out, len(out)), nil
}
