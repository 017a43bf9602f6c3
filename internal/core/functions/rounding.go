package functions

import (
	"math"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// wholeNumber rounds reals and keeps ints.
func wholeNumber(f func(float64) float64) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a := c.Args[0]
		if d := c.atMost(a, array.Real, "round `real_part(...)` and `imaginary_part(...)` separately"); d != nil {
			return nil, d
		}
		if a.Kind() == array.Real {
			return run1(c, a, f)
		}
		return Widen(c.Meter, a, array.Int)
	}
}

func rounded(c *Call) (*array.Array, *notation.Diagnostic) {
	o, ok := c.Options["digits"]
	if !ok {
		return wholeNumber(math.Round)(c)
	}
	digits, d := c.integer(o.Array, "the option `digits`")
	if d != nil {
		return nil, d
	}
	a := c.Args[0]
	if d := c.atMost(a, array.Real, "round `real_part(...)` and `imaginary_part(...)` separately"); d != nil {
		return nil, d
	}
	if a.Kind() == array.Real {
		return run1(c, a, func(v float64) float64 { return roundDigits(v, digits) })
	}
	if digits >= 0 {
		return Widen(c.Meter, a, array.Int)
	}
	overflow := false
	out, d := run1(c, a, func(v int64) int64 {
		r, ok := roundInt(v, -digits)
		overflow = overflow || !ok
		return r
	})
	if overflow {
		return nil, fault(codes.RunOverflow, "a rounded value does not fit an int", "convert with `real(...)` first")
	}
	return out, d
}

// roundDigits rounds to decimals, halves away from zero. The scaled value is
// rounded only while it is small enough to have decimals at all.
func roundDigits(v float64, digits int) float64 {
	switch {
	case math.IsNaN(v) || math.IsInf(v, 0) || digits > 320:
		return v
	case digits < -310:
		return math.Copysign(0, v)
	case digits < 0:
		p := math.Pow(10, float64(-digits))
		return math.Round(v/p) * p
	}
	if math.Abs(v) >= 1<<52 {
		return v
	}
	if digits > 300 {
		return v
	}
	p := math.Pow(10, float64(digits))
	scaled := v * p
	if math.IsInf(scaled, 0) || math.Abs(scaled) >= 1<<53 {
		return v
	}
	return math.Round(scaled) / p
}

// roundInt rounds to a power of ten, halves away from zero.
func roundInt(v int64, tens int) (int64, bool) {
	if tens > 19 {
		return 0, true
	}
	p := uint64(1)
	for range tens {
		p *= 10
	}
	u := uint64(v)
	if v < 0 {
		u = -u
	}
	q, r := u/p, u%p
	if r >= p-r {
		q++
	}
	r = q * p
	if q != 0 && r/q != p || r > math.MaxInt64 {
		return 0, false
	}
	if v < 0 {
		return -int64(r), true
	}
	return int64(r), true
}
