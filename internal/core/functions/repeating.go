package functions

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// times reads a count that is 0 or more.
func (c *Call) times(a *array.Array, what string) (int, *notation.Diagnostic) {
	n, d := c.integer(a, what)
	if d == nil && n < 0 {
		d = fault(codes.RunValue, fmt.Sprintf("%s of `%s` is %d", what, c.Function.Name, n), "give 0 or more")
	}
	return n, d
}

func repeated(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	n, d := c.times(c.Args[1], "the count")
	if d != nil {
		return nil, d
	}
	a := c.Args[0]
	total, ok := array.Size([]int{n, a.Len(axis)})
	if !ok {
		return nil, c.Meter.TakeShape(array.Int, []int{n, a.Len(axis)})
	}
	if d := c.Meter.Take(array.Int, total); d != nil {
		return nil, d
	}
	list := make([]int, 0, total)
	for i := range a.Len(axis) {
		for range n {
			list = append(list, i)
		}
	}
	return c.itemsAt(a, axis, list)
}

func tiled(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	counts, d := c.lengths(c.Args[1:])
	if d != nil {
		return nil, d
	}
	rank := max(a.Rank(), len(counts))
	if d := CheckRank(rank); d != nil {
		return nil, d
	}
	// One axis for the count and one for the elements, side by side, read rows first.
	var shape, stretched []int
	var picks []array.Pick
	labels := make([]string, rank)
	for i := range rank {
		n, times := 1, 1
		if at := i - (rank - a.Rank()); at >= 0 {
			n, labels[i] = a.Len(at), a.Label(at)
			picks = append(picks, array.Pick{Kind: array.PickNew}, array.WholeAxis(n))
		} else {
			picks = append(picks, array.Pick{Kind: array.PickNew}, array.Pick{Kind: array.PickNew})
		}
		if at := i - (rank - len(counts)); at >= 0 {
			times = counts[at]
		}
		size, ok := array.Size([]int{n, times})
		if !ok {
			return nil, c.take(a.Kind(), []int{n, times})
		}
		shape, stretched = append(shape, size), append(stretched, times, n)
	}
	if d := c.take(a.Kind(), shape); d != nil {
		return nil, d
	}
	return a.Select(picks).Stretch(stretched).Reshape(shape).WithLabels(labels), nil
}

func reversedAlong(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	picks := wholePicks(c.Args[0].Shape())
	n := picks[axis].Count
	picks[axis] = array.Pick{Kind: array.PickRange, Start: n - 1, Step: -1, Count: n}
	return c.Args[0].Select(picks), nil
}

func rotated(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	by, d := c.integer(c.Args[1], "the shift")
	if d != nil {
		return nil, d
	}
	n := c.Args[0].Len(axis)
	if d := c.Meter.Take(array.Int, n); d != nil {
		return nil, d
	}
	list := make([]int, n)
	for i := range list {
		list[(i+(by%n+n)%n)%n] = i
	}
	return c.itemsAt(c.Args[0], axis, list)
}
