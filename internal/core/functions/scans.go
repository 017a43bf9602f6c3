package functions

import (
	"fmt"
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// fold sets each element to what f makes of the one before and the item there.
func fold[T any](out, items []T, f func(a, b T) T) {
	for i, v := range items {
		if i == 0 {
			out[0] = v
			continue
		}
		out[i] = f(out[i-1], v)
	}
}

func foldReals(f func(a, b float64) float64) func(out, items []float64) {
	return func(out, items []float64) { fold(out, items, f) }
}

// runningReals adds with a correction for what each addition lost.
func runningReals(out, items []float64) {
	sum, lost := 0.0, 0.0
	for i, v := range items {
		t := sum + v
		if !math.IsInf(t, 0) {
			if math.Abs(sum) >= math.Abs(v) {
				lost += (sum - t) + v
			} else {
				lost += (v - t) + sum
			}
		}
		sum = t
		out[i] = sum + lost
	}
}

func runningComplexes(out, items []complex128) {
	re, im := make([]float64, len(items)), make([]float64, len(items))
	for i, v := range items {
		re[i], im[i] = real(v), imag(v)
	}
	runningReals(re, re)
	runningReals(im, im)
	for i := range out {
		out[i] = complex(re[i], im[i])
	}
}

// running works through ints exactly and through reals and complex numbers.
func running(ints func(a, b int64) (int64, bool), reals func(out, items []float64), complexes func(out, items []complex128)) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		axis, d := c.alongAxis()
		if d != nil {
			return nil, d
		}
		a, d := Widen(c.Meter, c.Args[0], array.Int)
		if d != nil {
			return nil, d
		}
		if d := c.take(a.Kind(), a.Shape()); d != nil {
			return nil, d
		}
		n := a.Len(axis)
		var out *array.Array
		switch a.Kind() {
		case array.Int:
			overflow := false
			out = array.Along(a, axis, n, func(out, items []int64) {
				fold(out, items, func(a, b int64) int64 {
					v, ok := ints(a, b)
					overflow = overflow || !ok
					return v
				})
			})
			if overflow {
				return nil, fault(codes.RunOverflow, fmt.Sprintf("a value of `%s` does not fit an int", c.Function.Name), "convert with `real(...)` first")
			}
			return out, nil
		case array.Real:
			out = array.Along(a, axis, n, reals)
		default:
			out = array.Along(a, axis, n, complexes)
		}
		c.noteMade(out, a)
		return out, nil
	}
}

// noteMade leaves notices for NaN and infinities where the argument held none at all.
func (c *Call) noteMade(out *array.Array, args ...*array.Array) {
	for _, a := range args {
		if (a.Kind() == array.Real && !array.Finite(a.Reals())) || (a.Kind() == array.Complex && !allFiniteComplex(a.Complexes())) {
			return
		}
	}
	NoteNonFinite(c.Meter, "`"+c.Function.Name+"`", "", out)
}

func runningExtreme(largest bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		axis, d := c.alongAxis()
		if d != nil {
			return nil, d
		}
		a := c.Args[0]
		if d := c.atMost(a, array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
			return nil, d
		}
		if d := c.take(a.Kind(), a.Shape()); d != nil {
			return nil, d
		}
		n := a.Len(axis)
		switch a.Kind() {
		case array.Bool:
			return array.Along(a, axis, n, func(out, items []bool) {
				fold(out, items, func(a, b bool) bool { return (largest && (a || b)) || (!largest && a && b) })
			}), nil
		case array.Int:
			return array.Along(a, axis, n, func(out, items []int64) {
				fold(out, items, func(a, b int64) int64 {
					if largest {
						return max(a, b)
					}
					return min(a, b)
				})
			}), nil
		}
		return array.Along(a, axis, n, func(out, items []float64) {
			fold(out, items, func(a, b float64) float64 {
				if largest {
					return math.Max(a, b)
				}
				return math.Min(a, b)
			})
		}), nil
	}
}

func differences(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	a := c.Args[0]
	picks := wholePicks(a.Shape())
	n := max(a.Len(axis)-1, 0)
	picks[axis] = array.Pick{Kind: array.PickRange, Start: min(1, a.Len(axis)), Step: 1, Count: n}
	later := a.Select(picks)
	picks[axis] = array.Pick{Kind: array.PickRange, Step: 1, Count: n}
	return Binary(c.Meter, "-", later, a.Select(picks))
}

func windows(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	n, d := c.integer(c.Args[1], "the length")
	if d != nil {
		return nil, d
	}
	if n < 1 {
		return nil, fault(codes.RunValue, fmt.Sprintf("a window has the length %d", n), "give 1 or more")
	}
	a := c.Args[0]
	count := a.Len(axis) - n + 1
	if count < 1 {
		count = 0
		c.Meter.Notice(codes.NoticeEmpty, fmt.Sprintf("a window of %d is longer than the axis %s, whose length is %d", n, AxisWord(a, axis, c.Counting), a.Len(axis)), "give a shorter window")
	}
	shape := append(slices.Clone(a.Shape()), n)
	shape[axis] = count
	if d := CheckRank(len(shape)); d != nil {
		return nil, d
	}
	if d := c.take(a.Kind(), shape); d != nil {
		return nil, d
	}
	labels := make([]string, len(shape))
	copy(labels, a.Labels())
	out := array.New(a.Kind(), shape)
	if count == 0 {
		return out.WithLabels(labels), nil
	}
	to, from := wholePicks(shape), wholePicks(a.Shape())
	for k := range n {
		to[len(to)-1] = array.Pick{Kind: array.PickPosition, Start: k}
		from[axis] = array.Pick{Kind: array.PickRange, Start: k, Step: 1, Count: count}
		out.Assign(to, a.Select(from))
	}
	return out.WithLabels(labels), nil
}

func totalsBy(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	groups, d := c.intsOf(c.Args[1], "the groups")
	if d != nil {
		return nil, d
	}
	n, d := c.times(c.Args[2], "the number of groups")
	if d != nil {
		return nil, d
	}
	a, d := Widen(c.Meter, c.Args[0], array.Int)
	if d != nil {
		return nil, d
	}
	if len(groups) != a.Len(axis) {
		return nil, fault(codes.ShapeJoin, fmt.Sprintf("there are %d groups for the %d items along axis %s", len(groups), a.Len(axis), AxisWord(a, axis, c.Counting)), "give the group of every item", ShapeOf(a), ShapeOf(c.Args[1]))
	}
	shape := slices.Clone(a.Shape())
	shape[axis] = n
	if d := c.take(a.Kind(), shape); d != nil {
		return nil, d
	}
	// The list of a group takes three ints, and is there also where nothing is in it.
	if d := c.Meter.Borrow(array.Int, 3*n); d != nil {
		return nil, d
	}
	members := make([][]int, n)
	for i, g := range groups {
		at := g - int64(c.Counting)
		if at < 0 || at >= int64(n) {
			return nil, outsideAxis("group", g, n, c.Counting)
		}
		members[at] = append(members[at], i)
	}
	overflow := false
	var out *array.Array
	switch a.Kind() {
	case array.Int:
		out = totals(a, axis, members, func(items []int64) int64 {
			s, ok := SumInts(items)
			overflow = overflow || !ok
			return s
		})
	case array.Real:
		out = totals(a, axis, members, array.PairwiseSum)
	default:
		out = totals(a, axis, members, sumComplexes)
	}
	if overflow {
		return nil, fault(codes.RunOverflow, "a total does not fit an int", "total reals: `totals_by(real(x), ...)`")
	}
	c.noteMade(out, a)
	return out, nil
}

func totals[T array.Cell](a *array.Array, axis int, members [][]int, sum func([]T) T) *array.Array {
	var buffer []T
	return array.Along(a, axis, len(members), func(out, items []T) {
		for g, list := range members {
			buffer = buffer[:0]
			for _, i := range list {
				buffer = append(buffer, items[i])
			}
			out[g] = sum(buffer)
		}
	})
}

func runningRealProduct(out, items []float64) {
	fold(out, items, func(a, b float64) float64 { return a * b })
}

func runningComplexProduct(out, items []complex128) {
	fold(out, items, func(a, b complex128) complex128 { return a * b })
}
