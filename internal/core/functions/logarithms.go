package functions

import (
	"fmt"
	"math"
	"math/cmplx"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// log2 takes the exponent off so that what is left lies around 1, where math.Log2 loses
// its digits to a difference.
func log2(x float64) float64 {
	if x <= 0 || math.IsInf(x, 0) || x != x {
		return math.Log2(x)
	}
	m, k := math.Frexp(x)
	if m < math.Sqrt2/2 {
		m, k = m*2, k-1
	}
	return float64(k) + float64(math.Log(m)*(1/math.Ln2))
}

// log10 is exact at powers of ten, which math.Log10 misses for some.
func log10(x float64) float64 {
	y := math.Log10(x)
	if n := math.Round(y); n != y && math.Abs(n) < 300 && math.Pow(10, n) == x {
		return n
	}
	return y
}

func logarithm(c *Call) (*array.Array, *notation.Diagnostic) {
	base, ok := c.Options["base"]
	if !ok {
		return eachReal(math.Log, cmplx.Log)(c)
	}
	b := base.Array
	if b.Rank() != 0 || b.Kind() == array.Complex || b.Kind() == array.Bool {
		return nil, fault(codes.RunKind, fmt.Sprintf("the option `base` is %s; it takes one real", Describe(b)),
			"write `log(x, base: 3)`")
	}
	v := b.RealAt(0)
	switch v {
	case 2:
		return eachReal(log2, func(z complex128) complex128 { return cmplx.Log(z) / math.Ln2 })(c)
	case 10:
		return eachReal(log10, cmplx.Log10)(c)
	}
	return eachReal(func(x float64) float64 { return math.Log(x) / math.Log(v) },
		func(z complex128) complex128 { return cmplx.Log(z) / complex(math.Log(v), 0) })(c)
}

func complexLog2(z complex128) complex128 { return cmplx.Log(z) / math.Ln2 }

// complexLog1p is log(1 + z). The modulus of 1 + z is taken from 2 x + x^2 + y^2, summed
// with twice the digits, where it is near 1.
func complexLog1p(z complex128) complex128 {
	x, y := real(z), imag(z)
	if math.Abs(x) > 4 || math.Abs(y) > 4 || cmplx.IsNaN(z) {
		return cmplx.Log(1 + z)
	}
	s := exactProduct(x, x).plus(exactProduct(y, y)).plus(doubled{hi: 2 * x})
	return complex(math.Log1p(s.hi+s.lo)/2, math.Atan2(y, 1+x))
}
