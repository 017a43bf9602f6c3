package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

func join(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	first := c.Args[0]
	shape := slices.Clone(first.Shape())
	for i, a := range c.Args[1:] {
		fits := a.Rank() == first.Rank()
		for at := range shape {
			fits = fits && (at == axis || a.Len(at) == first.Len(at))
		}
		if !fits {
			return nil, joinFault("join", i+1+c.Counting, a, first, "all lengths but the one along the axis must be equal")
		}
		shape[axis] += a.Len(axis)
	}
	kind, wide, d := Unify(c.Meter, array.Bool, filledOnly(c.Args)...)
	if d != nil {
		return nil, d
	}
	if d := c.take(kind, shape); d != nil {
		return nil, d
	}
	labels, clashes := array.BroadcastLabels(len(shape), c.Args...)
	noteClashes(c.Meter, "`join`", len(shape), clashes, c.Args)
	out := array.New(kind, shape)
	picks := wholePicks(shape)
	at := 0
	for _, a := range wide {
		picks[axis] = array.Pick{Kind: array.PickRange, Start: at, Step: 1, Count: a.Len(axis)}
		out.Assign(picks, a)
		at += a.Len(axis)
	}
	return out.WithLabels(labels), nil
}

// filledOnly leaves empty reals out, so that joining with [] keeps ints ints.
func filledOnly(args []*array.Array) []*array.Array {
	var out []*array.Array
	for _, a := range args {
		if a.Size() > 0 || a.Kind() != array.Real || a.Rank() != 1 {
			out = append(out, a)
		}
	}
	if out == nil {
		return args
	}
	return out
}

func stack(c *Call) (*array.Array, *notation.Diagnostic) {
	first := c.Args[0]
	for i, a := range c.Args[1:] {
		if !array.SameShape(first, a) {
			return nil, joinFault("stack", i+1+c.Counting, a, first,
				"arrays that are stacked have one shape; `join` joins unequal ones end to end")
		}
	}
	out, d := Stack(c.Meter, c.Args)
	if d != nil || c.Axes == nil || c.Axes[0] == 0 {
		return out, d
	}
	order := make([]int, 0, out.Rank())
	for i := range out.Rank() {
		switch {
		case i < c.Axes[0]:
			order = append(order, i+1)
		case i == c.Axes[0]:
			order = append(order, 0)
		default:
			order = append(order, i)
		}
	}
	return out.Transpose(order), nil
}

// Stack stacks arrays of one shape along a new first axis without label; the kinds
// widen and the other labels merge as in broadcasting. Of nothing it is the
// empty real array [0].
func Stack(m *Meter, items []*array.Array) (*array.Array, *notation.Diagnostic) {
	if len(items) == 0 {
		return array.New(array.Real, []int{0}), nil
	}
	kind, wide, d := Unify(m, array.Bool, items...)
	if d != nil {
		return nil, d
	}
	shape := append([]int{len(items)}, items[0].Shape()...)
	if d := CheckRank(len(shape)); d != nil {
		return nil, d
	}
	if d := m.TakeShape(kind, shape); d != nil {
		return nil, d
	}
	if len(shape) == 1 {
		return stackScalars(kind, wide), nil
	}
	out := array.New(kind, shape)
	picks := make([]array.Pick, len(shape))
	for i, n := range shape {
		picks[i] = array.WholeAxis(n)
	}
	for i, a := range wide {
		picks[0] = array.Pick{Kind: array.PickPosition, Start: i}
		out.Assign(picks, a)
	}
	labels, clashes := array.BroadcastLabels(len(shape)-1, items...)
	noteClashes(m, "the list", len(shape)-1, clashes, items)
	if labels != nil {
		out = out.WithLabels(slices.Insert(labels, 0, ""))
	}
	return out, nil
}

// stackScalars stacks scalars of one kind along an axis.
func stackScalars(kind array.Kind, items []*array.Array) *array.Array {
	switch kind {
	case array.Bool:
		return eachScalar(items, (*array.Array).BoolAt)
	case array.Int:
		return eachScalar(items, (*array.Array).IntAt)
	case array.Real:
		return eachScalar(items, (*array.Array).RealAt)
	}
	return eachScalar(items, (*array.Array).ComplexAt)
}

func eachScalar[T array.Cell](items []*array.Array, at func(*array.Array, int) T) *array.Array {
	out := make([]T, len(items))
	for i, a := range items {
		out[i] = at(a, 0)
	}
	return array.From(out, []int{len(items)})
}
