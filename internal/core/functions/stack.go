package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// Stack lays arrays of one shape along a new first axis without label; the kinds
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

// stackScalars lays scalars of one kind along an axis.
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
