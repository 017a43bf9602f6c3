package functions

import (
	"fmt"
	"math"
	"math/bits"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// quotient is a ratio of gammas.
func quotient(a, b float64) float64 { return a / b }

func gammaReal(x float64) float64 {
	if x == 0 {
		return math.NaN() // its two sides go to opposite infinities
	}
	whole := x == math.Floor(x)
	switch {
	case x != x || math.IsInf(x, 0) || x > 172 || x < 0 && whole || math.Abs(x) < 1e-300:
		return math.Gamma(x)
	case whole && x <= 171:
		product := doubled{hi: 1}
		for n := 2.0; n < x; n++ {
			product = product.times(doubled{hi: n})
		}
		return product.hi
	case x > 0:
		return logGamma(doubled{hi: x}).exp()
	}
	// gamma(x) gamma(1 - x) = pi / sin(pi x) (DLMF 5.5.3)
	n := math.Round(x)
	angle := piDoubled.times(doubled{hi: x - n})
	sine := math.Sin(angle.hi) + math.Cos(angle.hi)*angle.lo
	if math.Mod(n, 2) != 0 {
		sine = -sine
	}
	other := logGamma(exactSum(1, -x))
	return math.Pi / sine * doubled{-other.hi, -other.lo}.exp()
}

func betaReal(a, b float64) float64 {
	if math.IsInf(a, 1) && b > 0 || math.IsInf(b, 1) && a > 0 {
		return 0
	}
	if a > 0 && b > 0 && a < 1e300 && b < 1e300 {
		return logGamma(doubled{hi: a}).plus(logGamma(doubled{hi: b})).minus(logGamma(exactSum(a, b))).exp()
	}
	la, sa := math.Lgamma(a)
	lb, sb := math.Lgamma(b)
	lc, sc := math.Lgamma(a + b)
	if math.IsInf(la, 1) || math.IsInf(lb, 1) {
		return math.NaN()
	}
	return float64(sa*sb*sc) * math.Exp(la+lb-lc)
}

func factorialInt(n int64) (int64, bool) {
	p := int64(1)
	for k := int64(2); k <= n; k++ {
		var ok bool
		if p, ok = MultiplyInts(p, k); !ok {
			return 0, false
		}
	}
	return p, true
}

func (c *Call) domain(n int64) *notation.Diagnostic {
	return fault(codes.RunDomain, fmt.Sprintf("`%s` of the negative int %d does not exist", c.Function.Name, n),
		"keep negative numbers out, or widen to real for `gamma`'s values")
}

func (c *Call) overflow() *notation.Diagnostic {
	return fault(codes.RunOverflow, fmt.Sprintf("a value of `%s` does not fit an int", c.Function.Name),
		"convert with `real(...)` first")
}

func factorial(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if a.Kind() >= array.Real {
		return eachReal(func(x float64) float64 { return gammaReal(x + 1) }, nil)(c)
	}
	var bad *notation.Diagnostic
	a, d := Widen(c.Meter, a, array.Int)
	if d != nil {
		return nil, d
	}
	out, d := run1(c, a, func(n int64) int64 {
		if n < 0 {
			bad = c.domain(n)
			return 0
		}
		v, ok := factorialInt(min(n, 1000))
		if !ok && bad == nil {
			bad = c.overflow()
		}
		return v
	})
	if d == nil {
		d = bad
	}
	return out, d
}

func combinationsInt(n, k int64) (int64, bool) {
	if k > n {
		return 0, true
	}
	k = min(k, n-k)
	out := uint64(1)
	for i := int64(1); i <= k; i++ {
		// out * (n - k + i) / i is whole at each step; the product needs 128 bits.
		hi, lo := bits.Mul64(out, uint64(n-k+i))
		if hi >= uint64(i) {
			return 0, false
		}
		out, _ = bits.Div64(hi, lo, uint64(i))
		if out > math.MaxInt64 {
			return 0, false
		}
	}
	return int64(out), true
}

func permutationsInt(n, k int64) (int64, bool) {
	if k > n {
		return 0, true
	}
	out := int64(1)
	for i := range k {
		var ok bool
		if out, ok = MultiplyInts(out, n-i); !ok {
			return 0, false
		}
	}
	return out, true
}

// choosing counts exactly for ints and through gamma for reals.
func choosing(ints func(n, k int64) (int64, bool), reals func(n, k float64) float64) func(*Call) (*array.Array,
	*notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		if max(c.Args[0].Kind(), c.Args[1].Kind()) >= array.Real {
			return pairReal(reals)(c)
		}
		var negative *notation.Diagnostic
		out, d := pairInts(func(n, k int64) (int64, bool) {
			if n < 0 || k < 0 {
				negative = c.domain(min(n, k))
				return 0, true
			}
			return ints(n, k)
		})(c)
		if negative != nil {
			return nil, negative
		}
		return out, d
	}
}

func combinationsReal(n, k float64) float64 {
	return quotient(gammaReal(n+1), gammaReal(k+1)*gammaReal(n-k+1))
}

func permutationsReal(n, k float64) float64 { return quotient(gammaReal(n+1), gammaReal(n-k+1)) }
