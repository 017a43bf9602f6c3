package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

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
		return nil, fault(codes.ShapeJoin, fmt.Sprintf("there are %d groups for the %d items along axis %s", len(groups),
			a.Len(axis), AxisWord(a, axis, c.Counting)), "give the group of every item", ShapeOf(a), ShapeOf(c.Args[1]))
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
