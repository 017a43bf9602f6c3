package functions

import (
	"fmt"
	"math"

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
					m.Notice(codes.NoticePrecision, "an int beyond 2^53 became a real that is not the same number",
						"keep such numbers int, or work with smaller ones")
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

func toInt(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := downToReal(c)
	if d != nil {
		return nil, d
	}
	if a.Kind() <= array.Int {
		return Widen(c.Meter, a, array.Int)
	}
	var bad *notation.Diagnostic
	out, d := run1(c, a, func(v float64) int64 {
		t := math.Trunc(v)
		if !(t >= -(1<<63) && t < 1<<63) {
			if bad == nil {
				bad = fault(codes.RunValue, fmt.Sprintf("%s has no int", realWord(v)),
					"keep such values out first, with `pick(is_finite(x), x, 0)` say")
			}
			return 0
		}
		return int64(t)
	})
	if bad != nil {
		return nil, bad
	}
	return out, d
}

func realWord(v float64) string {
	switch {
	case math.IsNaN(v):
		return "NaN"
	case math.IsInf(v, 0):
		return "an infinite value"
	}
	return fmt.Sprintf("%v", v)
}

// downToReal refuses complex values that would lose their imaginary part.
func downToReal(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if a.Kind() != array.Complex {
		return a, nil
	}
	for _, v := range a.Complexes() {
		if imag(v) != 0 {
			return nil, fault(codes.RunKind, fmt.Sprintf("`%s` would lose the imaginary part of %v", c.Function.Name, v),
				"take `real_part(x)`, or the modulus with `abs(x)`")
		}
	}
	return run1(c, a, func(v complex128) float64 { return real(v) })
}

func toReal(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := downToReal(c)
	if d != nil {
		return nil, d
	}
	return Widen(c.Meter, a, array.Real)
}

func toComplex(c *Call) (*array.Array, *notation.Diagnostic) {
	if len(c.Args) == 1 {
		return Widen(c.Meter, c.Args[0], array.Complex)
	}
	return pairReal(func(re, im float64) complex128 { return complex(re, im) })(c)
}
