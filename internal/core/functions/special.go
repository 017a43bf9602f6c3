package functions

import (
	"fmt"
	"math"
	"math/bits"
	"math/cmplx"

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

// principalW solves w e^w = x on the principal branch. Near the branch point -1/e it
// starts from the series in p = sqrt(2 (e x + 1)) (Corless et al. 1996, 4.22),
// elsewhere from a logarithm, and improves by Halley's method.
func principalW(x float64) float64 {
	const branch = -1 / math.E
	switch {
	case x != x || x < branch-1e-17:
		return math.NaN()
	case x == 0 || math.IsInf(x, 1):
		return x
	}
	var w float64
	q := math.E*x + 1
	switch {
	case q <= 0:
		return -1
	case x < -0.25:
		p := math.Sqrt(2 * q)
		w = -1 + p*(1+p*(-1.0/3+p*(11.0/72+p*(-43.0/540+p*(769.0/17280)))))
		if p < 1e-3 {
			return w // the series is exact to double precision here, and Halley is not
		}
	case x < 3:
		w = math.Log1p(x) * 0.8
	default:
		l := math.Log(x)
		w = l - math.Log(l) + math.Log(l)/l
	}
	for range 30 {
		e := math.Exp(w)
		f := w*e - x
		step := f / (e*(w+1) - (w+2)*f/(2*w+2))
		w -= step
		if math.Abs(step) <= 1e-16*math.Abs(w) {
			break
		}
	}
	return w
}

// branchSeries holds the coefficients of the series of the Lambert W function in
// p = sqrt(2 (e z + 1)) around the branch point -1/e (Corless et al. 1996, 4.23 and 4.24).
var branchSeries = func() (mu [16]float64) {
	alpha := [16]float64{2, -1}
	mu[0], mu[1] = -1, 1
	for k := 2; k < len(mu); k++ {
		n := float64(k)
		for j := 2; j < k; j++ {
			alpha[k] += mu[j] * mu[k+1-j]
		}
		mu[k] = (n-1)/(n+1)*(mu[k-2]/2+alpha[k-2]/4) - alpha[k]/2 - mu[k-1]/(n+1)
	}
	return mu
}()

// nearBranch is the series at z, and its p.
func nearBranch(z complex128) (w, p complex128) {
	// e as a sum of two doubles keeps the digits of e z + 1 that cancelling leaves.
	const eLow = 1.4456468917292502e-16
	q := complex(math.FMA(math.E, real(z), 1)+eLow*real(z), math.E*imag(z))
	p = cmplx.Sqrt(2 * q)
	for k := len(branchSeries) - 1; k >= 0; k-- {
		w = w*p + complex(branchSeries[k], 0)
	}
	return w, p
}

// newtonStep is how far Newton's method for w e^w = z would go from w.
func newtonStep(w, z complex128) float64 {
	step := cmplx.Abs((w - z*cmplx.Exp(-w)) / (1 + w))
	if step != step {
		return math.Inf(1)
	}
	return step
}

// complexW solves w e^w = z on the principal branch. It starts from the series around the
// branch point, a quotient of polynomials around 0 or logarithms far out (Corless et al.
// 1996, 4.20), whichever is nearest, and improves by Halley's method. On the cut it is the limit
// from the side that the sign of the imaginary zero says.
func complexW(z complex128) complex128 {
	x, y := real(z), imag(z)
	switch {
	case cmplx.IsNaN(z):
		return cmplx.NaN()
	case cmplx.IsInf(z):
		return complex(math.Inf(1), cmplx.Phase(z))
	case y == 0 && x >= -1/math.E:
		return complex(principalW(x), y)
	case math.Signbit(y):
		return cmplx.Conj(complexW(cmplx.Conj(z)))
	}
	w, p := nearBranch(z)
	if cmplx.Abs(p) < 0.1 {
		return w
	}
	l := cmplx.Log(z)
	m := cmplx.Log(l)
	for _, start := range []complex128{z * (1 + z*(4.0/3)) / (1 + z*(7.0/3+z*(5.0/6))), l - m + m/l} {
		if newtonStep(start, z) < newtonStep(w, z) {
			w = start
		}
	}
	for range 30 {
		r := w - z*cmplx.Exp(-w)
		step := r / (w + 1 - (w+2)*r/(2*w+2))
		w -= step
		if cmplx.Abs(step) <= 1e-16*cmplx.Abs(w) {
			break
		}
	}
	return w
}

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

func clipped(c *Call) (*array.Array, *notation.Diagnostic) {
	for _, a := range c.Args {
		if d := c.atMost(a, array.Real, "complex numbers have no order; clip `abs(...)`"); d != nil {
			return nil, d
		}
	}
	below, d := Binary(c.Meter, ">", c.Args[1], c.Args[2])
	if d != nil {
		return nil, d
	}
	if below.CountTrue() > 0 {
		return nil, fault(codes.RunValue, "a low end lies above its high end", "give the low end first", ShapeOf(c.Args[1]), ShapeOf(c.Args[2]))
	}
	shape, labels, d := Merge(c.Meter, "`clipped`", c.Args...)
	if d != nil {
		return nil, d
	}
	kind, wide, d := Unify(c.Meter, array.Int, c.Args...)
	if d != nil {
		return nil, d
	}
	if d := c.take(kind, shape); d != nil {
		return nil, d
	}
	if kind == array.Int {
		out := array.Map2(shape, wide[0], wide[1], array.EachPair(func(x, low int64) int64 { return max(x, low) }))
		return array.Map2(shape, out, wide[2], array.EachPair(func(x, high int64) int64 { return min(x, high) })).WithLabels(labels), nil
	}
	out := array.Map2(shape, wide[0], wide[1], array.EachPair(math.Max))
	return array.Map2(shape, out, wide[2], array.EachPair(math.Min)).WithLabels(labels), nil
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
	return fault(codes.RunDomain, fmt.Sprintf("`%s` of the negative int %d does not exist", c.Function.Name, n), "keep negative numbers out, or widen to real for `gamma`'s values")
}

func (c *Call) overflow() *notation.Diagnostic {
	return fault(codes.RunOverflow, fmt.Sprintf("a value of `%s` does not fit an int", c.Function.Name), "convert with `real(...)` first")
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
func choosing(ints func(n, k int64) (int64, bool), reals func(n, k float64) float64) func(*Call) (*array.Array, *notation.Diagnostic) {
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

// pairInts applies a function of two ints that may overflow.
func pairInts(f func(a, b int64) (int64, bool)) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		for _, a := range c.Args {
			if d := c.atMost(a, array.Int, "convert whole reals with `int(...)`"); d != nil {
				return nil, d
			}
		}
		shape, labels, wide, d := c.merged(array.Int, c.Args...)
		if d != nil {
			return nil, d
		}
		if d := c.take(array.Int, shape); d != nil {
			return nil, d
		}
		overflow := false
		out := array.Map2(shape, wide[0], wide[1], paced2(c.Meter, c.Function.work(), array.EachPair(func(a, b int64) int64 {
			v, ok := f(a, b)
			overflow = overflow || !ok
			return v
		})))
		if overflow {
			return nil, c.overflow()
		}
		return out.WithLabels(labels), nil
	}
}

func magnitude(a int64) uint64 {
	if a < 0 {
		return -uint64(a)
	}
	return uint64(a)
}

func gcdUnsigned(a, b uint64) uint64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

func gcd(a, b int64) (int64, bool) {
	g := gcdUnsigned(magnitude(a), magnitude(b))
	return int64(g), g <= math.MaxInt64
}

func lcm(a, b int64) (int64, bool) {
	if a == 0 || b == 0 {
		return 0, true
	}
	x, y := magnitude(a), magnitude(b)
	hi, lo := bits.Mul64(x/gcdUnsigned(x, y), y)
	return int64(lo), hi == 0 && lo <= math.MaxInt64
}

func isIn(c *Call) (*array.Array, *notation.Diagnostic) {
	kind, wide, d := Unify(c.Meter, array.Int, c.Args...)
	if d != nil {
		return nil, d
	}
	if d := c.Meter.Take(array.Bool, wide[0].Size()+wide[1].Size()); d != nil {
		return nil, d
	}
	switch kind {
	case array.Int:
		return member[int64](c.Meter, wide[0], wide[1]), nil
	case array.Real:
		return member[float64](c.Meter, wide[0], wide[1]), nil
	}
	return member[complex128](c.Meter, wide[0], wide[1]), nil
}

// lookup is the work of asking or adding to a set.
const lookup = 100

func member[T array.Cell](m *Meter, a, values *array.Array) *array.Array {
	set := map[T]bool{}
	for _, v := range array.Flat[T](values) {
		if v == v { // NaN is in nothing
			set[v] = true
		}
		m.Worked(lookup)
	}
	return array.Map1(a, paced1(m, lookup, array.EachCell(func(v T) bool { return set[v] })))
}

func combinationsReal(n, k float64) float64 {
	return quotient(gammaReal(n+1), gammaReal(k+1)*gammaReal(n-k+1))
}

func permutationsReal(n, k float64) float64 { return quotient(gammaReal(n+1), gammaReal(n-k+1)) }

// spacing is the distance to the next larger double.
func spacing(x float64) float64 {
	x = math.Abs(x)
	return math.Nextafter(x, math.Inf(1)) - x
}
