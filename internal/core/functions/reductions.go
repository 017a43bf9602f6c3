package functions

import (
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

const collapsedShape = "the axes not collapsed; without `over` a scalar; with `keep: true` collapsed axes stay with length 1"

var collapseOptions = []Option{{Name: "keep"}, {Name: "only"}}

func init() {
	for _, f := range []struct {
		name, doc, example string
		relatives          []string
		options            []Option
		run                func(*Call) (*array.Array, *notation.Diagnostic)
	}{
		{"sum", "The sum; of nothing 0. Ints add up in 128 bits and overflow only when the sum does not fit; reals add pairwise (Higham 2002, 4.2).", "sum([1, 2, 3])", []string{"mean", "product", "running_sum"}, nil, sum},
		{"mean", "The sum divided by the count; of nothing run.empty.", "mean([1, 2, 6])", []string{"median", "sum"}, []Option{{Name: "weights"}}, mean},
		{"min", "The smallest value, in the argument's kind; of nothing run.empty; NaN when one is, with a notice.", "min([3, 1, 2])", []string{"max", "lesser", "min_at"}, nil, extreme(false)},
		{"max", "The largest value, in the argument's kind; of nothing run.empty; NaN when one is, with a notice.", "max([3, 1, 2])", []string{"min", "greater", "max_at"}, nil, extreme(true)},
		{"count", "How many elements are true; of numbers, how many are not zero.", "count([5, 0, 7])", []string{"sum", "any"}, nil, countTrue},
		{"any", "True when one element is true; numbers count as non-zero; of nothing false.", "any([false, true])", []string{"all", "count"}, nil, anyTrue},
		{"all", "True when every element is true; numbers count as non-zero; of nothing true.", "all([false, true])", []string{"any", "count"}, nil, allTrue},
		{"product", "The product; of nothing 1. Of ints exact, or run.overflow.", "product([2, 3, 4])", []string{"sum", "running_product"}, nil, product},
		{"var", "The variance: the mean squared distance from the mean, divided by n, in two passes; of nothing run.empty.", "var([1, 2, 3, 4])", []string{"sample_var", "std"}, nil, variance(0, false)},
		{"std", "The standard deviation: the square root of `var`.", "std([1, 2, 3, 4])", []string{"sample_std", "var"}, nil, variance(0, true)},
		{"sample_var", "The variance divided by n - 1; of fewer than two elements run.empty.", "sample_var([1, 2, 3, 4])", []string{"var", "sample_std"}, nil, variance(1, false)},
		{"sample_std", "The square root of `sample_var`.", "sample_std([1, 2, 3, 4])", []string{"std", "sample_var"}, nil, variance(1, true)},
		{"median", "The middle value, or the mean of the two middle ones; a real; of nothing run.empty.", "median([5, 1, 2])", []string{"mean", "percentile"}, nil, median},
		{"extent", "The largest value less the smallest, in the argument's kind (int for bool).", "extent([3, 1, 7])", []string{"min", "max"}, nil, extent},
	} {
		register(&Function{Name: f.name, Topic: Reductions, Signature: f.name + "(x over AXES, keep: false, only: mask)", Doc: f.doc, Shape: collapsedShape,
			Example: f.example, Relatives: f.relatives, Min: 1, Max: 1, Clause: Over, Options: append(slices.Clone(collapseOptions), f.options...), Run: f.run})
	}
	table["mean"].Signature = "mean(x over AXES, keep: false, only: mask, weights: w)"
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
