package functions

import (
	"fmt"
	"math"
	"math/bits"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// intArithmetic works exactly or says that the result does not fit.
func intArithmetic(m *Meter, op string, shape []int, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	var bad *notation.Diagnostic
	apply := intOps[op]
	out := array.Map2(shape, a, b, paced2(m, plain, func(out, a, b []int64) {
		for i := range out {
			v, ok := apply(a[i], b[i])
			if !ok && bad == nil {
				bad = intFault(op, a[i], b[i])
			}
			out[i] = v
		}
	}))
	return out, bad
}

func intFault(op string, a, b int64) *notation.Diagnostic {
	if (op == "div" || op == "mod") && b == 0 {
		return fault(codes.RunDivide, fmt.Sprintf("`%d %s 0` has no int value", a, op),
			"keep zeros out of the divisor, with `pick(b == 0, 1, b)` say, or divide reals with `/`")
	}
	return fault(codes.RunOverflow, fmt.Sprintf("`%d %s %d` does not fit an int, whose range is from -2^63 to 2^63 - 1", a,
		op, b), "convert one side with `real(...)` first")
}

var intOps = map[string]func(a, b int64) (int64, bool){
	"+":   AddInts,
	"-":   subtractInts,
	"*":   MultiplyInts,
	"^":   powerInts,
	"div": divideInts,
	"mod": moduloInts,
}

// AddInts adds, and reports whether the sum fits.
func AddInts(a, b int64) (int64, bool) {
	s := a + b
	return s, (a^s)&(b^s) >= 0
}

func subtractInts(a, b int64) (int64, bool) {
	s := a - b
	return s, (a^b)&(a^s) >= 0
}

// MultiplyInts multiplies, and reports whether the product fits.
func MultiplyInts(a, b int64) (int64, bool) {
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	// The high word of the signed product.
	h := int64(hi) - (a>>63)&b - (b>>63)&a
	return int64(lo), h == int64(lo)>>63
}

func powerInts(a, n int64) (int64, bool) {
	switch {
	case a == 1 || n == 0:
		return 1, true
	case a == 0:
		return 0, true
	case a == -1:
		return 1 - 2*(n&1), true
	case n > 63:
		return 0, false
	}
	p := int64(1)
	for range n {
		q, ok := MultiplyInts(p, a)
		if !ok {
			return 0, false
		}
		p = q
	}
	return p, true
}

func divideInts(a, b int64) (int64, bool) {
	if b == 0 || (a == math.MinInt64 && b == -1) {
		return 0, false
	}
	q := a / b
	if a%b != 0 && (a < 0) != (b < 0) {
		q--
	}
	return q, true
}

func moduloInts(a, b int64) (int64, bool) {
	switch b {
	case 0:
		return 0, false
	case -1:
		return 0, true
	}
	r := a % b
	if r != 0 && (r < 0) != (b < 0) {
		r += b
	}
	return r, true
}
