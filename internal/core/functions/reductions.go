package functions

import (
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

const reducedShape = "the axes not reduced; without `over` a scalar; with `keep: true` reduced axes stay with length 1"

// reductionOptions are those of every reduction, and more.
func reductionOptions(more ...Option) []Option {
	return append([]Option{{Name: "keep"}, {Name: "only"}}, more...)
}

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

// truths reads any kind as truth values.
func truths(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	switch a.Kind() {
	case array.Bool:
		return a, nil
	case array.Int:
		return run1(c, a, func(v int64) bool { return v != 0 })
	case array.Real:
		return run1(c, a, func(v float64) bool { return v != 0 })
	}
	return run1(c, a, func(v complex128) bool { return v != 0 })
}

func overTruths[O array.Cell](f func(items []bool) O) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a, d := truths(c)
		if d != nil {
			return nil, d
		}
		return grouped(c, a, 0, f)
	}
}

var (
	countTrue = overTruths(func(items []bool) int64 {
		n := int64(0)
		for _, v := range items {
			if v {
				n++
			}
		}
		return n
	})
	anyTrue = overTruths(func(items []bool) bool { return slices.Contains(items, true) })
	allTrue = overTruths(func(items []bool) bool { return !slices.Contains(items, false) })
)

func median(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.atMost(a, array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	a, d := Widen(c.Meter, a, array.Real)
	if d != nil {
		return nil, d
	}
	if d := c.roomToOrder(a); d != nil {
		return nil, d
	}
	var sorted []float64
	out, d := grouped(c, a, 1, func(items []float64) float64 {
		sorted = append(sorted[:0], items...)
		sortReals(c.Meter, sorted)
		if sorted[0] != sorted[0] { // which comes first
			return math.NaN()
		}
		half := len(sorted) / 2
		if len(sorted)%2 == 1 {
			return sorted[half]
		}
		low, high := sorted[half-1], sorted[half]
		if m := (low + high) / 2; !math.IsInf(m, 0) || math.IsInf(low, 0) || math.IsInf(high, 0) {
			return m
		}
		return low/2 + high/2
	})
	return c.noticed(out, d, a)
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
