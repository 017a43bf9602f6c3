package functions

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// smallReals works small arithmetic on reals out; ok is false where it takes more.
func smallReals(m *Meter, op string, a, b *array.Array) (out *array.Array, d *notation.Diagnostic, ok bool) {
	if !isPlain(op) {
		return nil, nil, false
	}
	n := max(a.Size(), b.Size())
	if n > mostPlain {
		return nil, nil, false
	}
	out, finite, ok := array.Arithmetic(&m.Arena, op[0], a, b)
	if !ok {
		return nil, nil, false
	}
	if d := m.Take(array.Real, n); d != nil {
		return nil, d, true
	}
	if !finite {
		NoteNonFinite(m, "`"+op+"`", "", out, a, b)
	}
	return out, nil, true
}

// SmallRealsWith works small arithmetic of reals with a number out, which stands on
// the left when first; ok is false where it takes more.
func SmallRealsWith(m *Meter, op string, a *array.Array, v float64, first bool) (out *array.Array,
	d *notation.Diagnostic, ok bool) {
	if !isPlain(op) || a.Size() > mostPlain {
		return nil, nil, false
	}
	out, finite, ok := array.ArithmeticWith(&m.Arena, op[0], a, v, first)
	if !ok {
		return nil, nil, false
	}
	if d := m.Take(array.Real, out.Size()); d != nil {
		return nil, d, true
	}
	if !finite {
		number := array.Scalar(v)
		if first {
			NoteNonFinite(m, "`"+op+"`", "", out, number, a)
		} else {
			NoteNonFinite(m, "`"+op+"`", "", out, a, number)
		}
	}
	return out, nil, true
}

// isPlain reports whether an operator is plain arithmetic.
func isPlain(op string) bool {
	return len(op) == 1 && (op[0] == '+' || op[0] == '-' || op[0] == '*' || op[0] == '/')
}

// mostPlain is how many elements are computed before the meter is asked for them.
const mostPlain = 1 << 12
