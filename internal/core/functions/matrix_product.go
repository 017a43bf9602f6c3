package functions

import (
	"errors"
	"fmt"
	"math/bits"
	"slices"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Dot is the matrix product (n, k)·(k, m). An operand of one axis is a row on the
// left and a column on the right, and loses that axis; leading axes broadcast.
func Dot(m *Meter, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	if a.Rank() == 0 || b.Rank() == 0 {
		return nil, scalarDot(a, b)
	}
	kind, wide, d := Unify(m, array.Int, a, b)
	if d != nil {
		return nil, d
	}
	left, right := wide[0], wide[1]
	if a.Rank() == 1 {
		left = left.Select([]array.Pick{{Kind: array.PickNew}, array.WholeAxis(a.Len(0))})
	}
	if b.Rank() == 1 {
		right = right.Select([]array.Pick{array.WholeAxis(b.Len(0)), {Kind: array.PickNew}})
	}
	n, k, cols := left.Len(left.Rank()-2), left.Len(left.Rank()-1), right.Len(right.Rank()-1)
	if inner := right.Len(right.Rank() - 2); inner != k {
		return nil, innerFault(a, b, k, inner)
	}
	noteInnerLabels(m, a, b, left, right)
	leadA, leadB := left.Shape()[:left.Rank()-2], right.Shape()[:right.Rank()-2]
	lead, err := array.BroadcastShape(leadA, leadB)
	if e := (*array.BroadcastError)(nil); errors.As(err, &e) {
		return nil, leadFault(a, b, e.Axis)
	}
	shape := append(slices.Clone(lead), n, cols)
	if d := m.TakeShape(kind, shape); d != nil {
		return nil, d
	}
	out, d := products(m, kind, lead, left, right, n, k, cols)
	if d != nil {
		return nil, d
	}
	out = out.WithLabels(dotLabels(lead, left, right))
	out = dropOnes(out, a.Rank() == 1, b.Rank() == 1)
	if kind >= array.Real {
		noteDot(m, out, a, b)
	}
	return out, nil
}

// products multiplies each pair of matrices behind the leading axes.
func products(m *Meter, kind array.Kind, lead []int, left, right *array.Array, n, k, cols int) (*array.Array,
	*notation.Diagnostic) {
	count, _ := array.Size(lead)
	left = left.Stretch(append(slices.Clone(lead), n, k))
	right = right.Stretch(append(slices.Clone(lead), k, cols))
	out := array.New(kind, append(slices.Clone(lead), n, cols))
	for i := range count {
		x, y := matrixAt(left, lead, i), matrixAt(right, lead, i)
		from, to := i*n*cols, (i+1)*n*cols
		switch kind {
		case array.Int:
			if !dotInts(m, out.Ints()[from:to], x.Ints(), y.Ints(), n, k, cols) {
				return nil, fault(codes.RunOverflow, "an element of the matrix product does not fit an int",
					"convert one side with `real(...)` first")
			}
		case array.Real:
			algebra.Multiply(m, out.Reals()[from:to], x.Reals(), y.Reals(), n, k, cols)
		default:
			algebra.MultiplyComplex(m, out.Complexes()[from:to], x.Complexes(), y.Complexes(), n, k, cols)
		}
		m.Worked(1000) // what finding the pair takes
	}
	return out, nil
}

// matrixAt is the matrix at a row-major place of the leading axes.
func matrixAt(a *array.Array, lead []int, flat int) *array.Array {
	picks := make([]array.Pick, a.Rank())
	for i := len(lead) - 1; i >= 0; i-- {
		picks[i] = array.Pick{Kind: array.PickPosition, Start: flat % lead[i]}
		flat /= lead[i]
	}
	for i := len(lead); i < a.Rank(); i++ {
		picks[i] = array.WholeAxis(a.Len(i))
	}
	return a.Select(picks)
}

// dotInts adds products up in 128 bits; false when one sum does not fit.
func dotInts(m *Meter, out, a, b []int64, n, k, cols int) bool {
	for i := range n {
		for j := range cols {
			m.Worked(k)
			var hi, lo uint64
			for l := range k {
				x, y := a[i*k+l], b[l*cols+j]
				h, w := bits.Mul64(uint64(x), uint64(y))
				h -= uint64(x>>63)&uint64(y) + uint64(y>>63)&uint64(x)
				var carry uint64
				lo, carry = bits.Add64(lo, w, 0)
				hi, _ = bits.Add64(hi, h, carry)
			}
			if int64(hi) != int64(lo)>>63 {
				return false
			}
			out[i*cols+j] = int64(lo)
		}
	}
	return true
}

func dotLabels(lead []int, left, right *array.Array) []string {
	labels := make([]string, len(lead)+2)
	merged, _ := array.BroadcastLabels(len(lead), headless(left), headless(right))
	copy(labels, merged)
	labels[len(lead)] = left.Label(left.Rank() - 2)
	labels[len(lead)+1] = right.Label(right.Rank() - 1)
	return labels
}

// headless is an array whose axes are the leading ones, for merging labels.
func headless(a *array.Array) *array.Array {
	picks := make([]array.Pick, a.Rank())
	for i := range picks {
		picks[i] = array.WholeAxis(a.Len(i))
		if i >= len(picks)-2 {
			picks[i] = array.Pick{Kind: array.PickPosition}
		}
	}
	return a.Select(picks)
}

func noteInnerLabels(m *Meter, a, b, left, right *array.Array) {
	la, lb := left.Label(left.Rank()-1), right.Label(right.Rank()-2)
	if la == "" || lb == "" || la == lb {
		return
	}
	sa, sb := ShapeOf(a), ShapeOf(b)
	sa.Mark, sb.Mark = a.Rank()-1, max(b.Rank()-2, 0)
	m.Notice(codes.NoticeLabels, fmt.Sprintf("`dot` sums over `%s` on the left and `%s` on the right", la, lb),
		"check that the inner axes are the same thing; `transpose` turns one side", sa, sb)
}

// dropOnes takes away the axis that an operand of one axis was given.
func dropOnes(out *array.Array, row, column bool) *array.Array {
	if !row && !column {
		return out
	}
	picks := make([]array.Pick, out.Rank())
	for i := range picks {
		picks[i] = array.WholeAxis(out.Len(i))
	}
	if row {
		picks[len(picks)-2] = array.Pick{Kind: array.PickPosition}
	}
	if column {
		picks[len(picks)-1] = array.Pick{Kind: array.PickPosition}
	}
	return out.Select(picks)
}

func leadFault(a, b Form, axis int) *notation.Diagnostic {
	sa, sb := ShapeOf(a), ShapeOf(b)
	sa.Mark, sb.Mark = a.Rank()-2-axis, b.Rank()-2-axis
	return fault(codes.ShapeBroadcast, fmt.Sprintf("`dot`: the leading axes of %s and %s do not fit", sa, sb),
		"leading axes broadcast; the last two are the matrix", sa, sb)
}

func scalarDot(a, b Form) *notation.Diagnostic {
	return fault(codes.ShapeInner, fmt.Sprintf("`dot` multiplies matrices, and got %s and %s", Describe(a), Describe(b)),
		"to multiply by a scalar write `*`", ShapeOf(a), ShapeOf(b))
}

func innerFault(a, b Form, k, inner int) *notation.Diagnostic {
	sa, sb := ShapeOf(a), ShapeOf(b)
	sa.Mark, sb.Mark = a.Rank()-1, max(b.Rank()-2, 0)
	hint := "the last axis of the left side meets the axis before the last of the right side"
	switch {
	case b.Rank() >= 2 && b.Len(b.Rank()-1) == k:
		hint = "`A dot transpose(B)` would fit"
	case a.Rank() >= 2 && a.Len(a.Rank()-2) == inner:
		hint = "`transpose(A) dot B` would fit"
	}
	return fault(codes.ShapeInner, fmt.Sprintf("`dot`: the inner lengths differ: %s ends in %d, and %s brings %d", sa, k,
		sb, inner), hint, sa, sb)
}

// noteDot leaves notices for values that no operand held.
func noteDot(m *Meter, out, a, b *array.Array) {
	finite := func(x *array.Array) bool {
		switch x.Kind() {
		case array.Real:
			return array.Finite(x.Reals())
		case array.Complex:
			return allFiniteComplex(x.Complexes())
		}
		return true
	}
	if finite(out) || !finite(a) || !finite(b) {
		return
	}
	m.Notice(codes.NoticeInfinite, "`dot` made an infinite value where no operand was infinite",
		"the values are too large; scale them first")
}
