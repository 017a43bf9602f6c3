package functions

import (
	"math/cmplx"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

// NoteNonFinite leaves a notice when a result holds NaN or an infinity in a place
// where no operand did. The operands broadcast to the result's shape.
func NoteNonFinite(m *Meter, what, nanHint string, out *array.Array, operands ...*array.Array) {
	switch out.Kind() {
	case array.Real:
		if array.Finite(out.Reals()) {
			return
		}
	case array.Complex:
		if allFiniteComplex(out.Complexes()) {
			return
		}
	default:
		return
	}
	values := make([]*array.Array, len(operands))
	for i, a := range operands {
		values[i] = a.Stretch(out.Shape())
	}
	madeNaN, madeInf := false, false
	for i := range out.Size() {
		switch v := out.ComplexAt(i); {
		case cmplx.IsNaN(v):
			madeNaN = madeNaN || !anyAt(values, i, cmplx.IsNaN)
		case cmplx.IsInf(v):
			madeInf = madeInf || !anyAt(values, i, cmplx.IsInf)
		}
		if madeNaN && madeInf {
			break
		}
	}
	if madeNaN {
		if nanHint == "" {
			nanHint = "look at the operands there with `is_finite`, or choose with `pick` before"
		}
		m.Notice(codes.NoticeNaN, what+" made NaN where no operand was NaN", nanHint)
	}
	if madeInf {
		m.Notice(codes.NoticeInfinite, what+" made an infinite value where no operand was infinite",
			"look for a division by zero or a value too large")
	}
}

func anyAt(values []*array.Array, i int, is func(complex128) bool) bool {
	for _, a := range values {
		if is(a.ComplexAt(i)) {
			return true
		}
	}
	return false
}

func allFiniteComplex(x []complex128) bool {
	for _, v := range x {
		if cmplx.IsNaN(v) || cmplx.IsInf(v) {
			return false
		}
	}
	return true
}

// notePassedNaN leaves the one notice of a collapsing call whose data hold NaN, and says
// what that does to its result.
func (c *Call) notePassedNaN(a *array.Array, does string) {
	has := false
	switch a.Kind() {
	case array.Real:
		for _, v := range a.Reals() {
			has = has || v != v
		}
	case array.Complex:
		for _, v := range a.Complexes() {
			has = has || cmplx.IsNaN(v)
		}
	}
	if has {
		c.Meter.Notice(codes.NoticeNaN, "`"+c.Function.Name+"` met NaN in its data, "+does,
			"leave missing values out with `only: not is_nan(x)`")
	}
}
