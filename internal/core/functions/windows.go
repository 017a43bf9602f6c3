package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

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
		c.Meter.Notice(codes.NoticeEmpty, fmt.Sprintf("a window of %d is longer than the axis %s, whose length is %d", n,
			AxisWord(a, axis, c.Counting), a.Len(axis)), "give a shorter window")
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
