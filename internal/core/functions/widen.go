package functions

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Widen converts an array to a wider kind, with a notice when an int turns into
// a real that is not the same number.
func Widen(m *Meter, a *array.Array, kind array.Kind) (*array.Array, *notation.Diagnostic) {
	if a.Kind() >= kind {
		return a, nil
	}
	if a.Size() > 64 {
		// Small conversions are not worth counting; large ones are memory.
		if d := m.Take(kind, a.Size()); d != nil {
			return nil, d
		}
	}
	if a.Kind() == array.Int && kind >= array.Real {
		for _, v := range a.Ints() {
			if v > 1<<53 || v < -(1<<53) {
				if f := float64(v); f >= 1<<63 || int64(f) != v {
					m.Notice(codes.NoticePrecision, "an int beyond 2^53 became a real that is not the same number", "keep such numbers int, or work with smaller ones")
					break
				}
			}
		}
	}
	return a.Widen(kind), nil
}

// Unify widens arrays to the widest of their kinds, and at least to a kind.
func Unify(m *Meter, least array.Kind, arrays ...*array.Array) (array.Kind, []*array.Array, *notation.Diagnostic) {
	kind := least
	for _, a := range arrays {
		// An empty [] written in the text has kind real but carries no value of it.
		kind = array.Wider(kind, a.Kind())
	}
	same := true
	for _, a := range arrays {
		same = same && a.Kind() == kind
	}
	if same {
		return kind, arrays, nil
	}
	out := make([]*array.Array, len(arrays))
	for i, a := range arrays {
		w, d := Widen(m, a, kind)
		if d != nil {
			return kind, nil, d
		}
		out[i] = w
	}
	return kind, out, nil
}
