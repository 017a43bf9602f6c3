package functions

import (
	"math"
	"sync"
)

// doubled is a number of about 106 bits: the sum of two doubles, the second at most
// half a unit in the last place of the first (T. J. Dekker, A floating-point technique
// for extending the available precision, 1971).
type doubled struct{ hi, lo float64 }

// exactSum is a + b, whole.
func exactSum(a, b float64) doubled {
	s := a + b
	t := s - a
	return doubled{s, (a - (s - t)) + (b - t)}
}

// exactProduct is a * b, whole.
func exactProduct(a, b float64) doubled {
	p := a * b
	return doubled{p, math.FMA(a, b, -p)}
}

func (a doubled) plus(b doubled) doubled {
	s := exactSum(a.hi, b.hi)
	return exactSum(s.hi, s.lo+(a.lo+b.lo))
}

func (a doubled) minus(b doubled) doubled { return a.plus(doubled{-b.hi, -b.lo}) }

func (a doubled) times(b doubled) doubled {
	p := exactProduct(a.hi, b.hi)
	return exactSum(p.hi, p.lo+(a.hi*b.lo+a.lo*b.hi))
}

func (a doubled) over(b doubled) doubled {
	q := a.hi / b.hi
	r := a.minus(b.times(doubled{hi: q}))
	return exactSum(q, (r.hi+r.lo)/b.hi)
}

var (
	ln2Doubled   = doubled{math.Ln2, 2.3190468138462996e-17}
	piDoubled    = doubled{math.Pi, 1.2246467991473532e-16}
	halfLogTwoPi = doubled{0.9189385332046728, -3.8782941580672414e-17}
)

// log is the natural logarithm of a positive number to about 80 bits. The number times
// the rounded reciprocal of one near it is 1 + r, r small, whose series is short (P. T. P.
// Tang, Table-driven implementation of the logarithm function, 1990).
func (a doubled) log() doubled {
	m, k := math.Frexp(a.hi)
	if m < math.Sqrt2/2 {
		m, k = m*2, k-1
	}
	x := doubled{m, a.lo * math.Ldexp(1, -k)}
	near := int(m*64+0.5) - firstNear
	r := x.times(doubled{hi: 64 / float64(near+firstNear)}).minus(doubled{hi: 1})
	sum := doubled{hi: 1.0/5 - r.hi*(1.0/6-r.hi*(1.0/7-r.hi*(1.0/8-r.hi*(1.0/9-r.hi*(1.0/10-r.hi/11)))))}
	for n := 3; n >= 0; n-- {
		sum = inverses[n].minus(r.times(sum))
	}
	out := r.times(sum).plus(nearLogs()[near])
	if k == 0 {
		return out
	}
	return out.plus(ln2Doubled.times(doubled{hi: float64(k)}))
}

// inverses are 1, 1/2, 1/3 and 1/4.
var inverses = [4]doubled{{hi: 1}, {hi: 0.5}, doubled{hi: 1}.over(doubled{hi: 3}), {hi: 0.25}}

// firstNear is the first of the 64ths from 1/sqrt(2) to sqrt(2).
const firstNear = 45

// nearLogs are the logarithms of the reciprocals of 64/45, 64/46 and so on to 64/91, as
// they are rounded.
var nearLogs = sync.OnceValue(func() *[47]doubled {
	var out [47]doubled
	for i := range out {
		l := doubled{hi: 64 / float64(i+firstNear)}.logSeries()
		out[i] = doubled{-l.hi, -l.lo}
	}
	return &out
})

// logSeries is the logarithm of a number between 1/2 and 2, by a long series.
func (a doubled) logSeries() doubled {
	// log x = 2 atanh((x - 1) / (x + 1))
	s := a.minus(doubled{hi: 1}).over(a.plus(doubled{hi: 1}))
	square := s.times(s)
	sum, power := s, s
	for n := 3.0; math.Abs(power.hi) > 1e-34; n += 2 {
		power = power.times(square)
		sum = sum.plus(power.over(doubled{hi: n}))
	}
	return doubled{2 * sum.hi, 2 * sum.lo}
}

// exp is e to the power of a number, rounded to a double.
func (a doubled) exp() float64 {
	e := math.Exp(a.hi)
	if math.IsInf(e, 0) || e == 0 {
		return e
	}
	return e + e*a.lo
}

// logGamma is the logarithm of the gamma function of a positive number: Stirling's
// series (DLMF 5.11.1) from 16 on, where smaller numbers are shifted to (5.5.1).
func logGamma(x doubled) doubled {
	z, product := x, doubled{hi: 1}
	for n := 1.0; z.hi < 16; n++ {
		product = product.times(z)
		z = x.plus(doubled{hi: n})
	}
	r := 1 / z.hi
	q := r * r
	tail := 1.0/1188 - q*(691.0/360360-q*(1.0/156-q*(3617.0/122400)))
	series := r * (1.0/12 - q*(1.0/360-q*(1.0/1260-q*(1.0/1680-q*tail))))
	out := z.minus(doubled{hi: 0.5}).times(z.log()).minus(z).plus(halfLogTwoPi).plus(doubled{hi: series})
	if product.hi != 1 {
		out = out.minus(product.log())
	}
	return out
}

// Coefficients of log gamma around its zeros, zeta(k) / k at 1 and (zeta(k) - 1) / k at 2
// (DLMF 5.7.3), the first Euler's constant and 1 less it.
var (
	aroundOne = []float64{0.57721566490153286, 0.82246703342411322, 0.40068563438653143, 0.27058080842778455,
		0.20738555102867399,
		0.16955717699740819, 0.14404989676884612, 0.12550966952474304, 0.11133426586956469, 0.10009945751278181}
	aroundTwo = []float64{-0.42278433509846714, 0.32246703342411322, 0.067352301053198095, 0.020580808427784548,
		0.0073855510286739853,
		0.0028905103307415233, 0.0011927539117032610, 0.00050966952474304242, 0.00022315475845357938, 0.000099457512781808534}
)

// logGammaReal is the logarithm of the gamma function's absolute value: a series where it
// passes 0, which no sum of larger terms meets, and elsewhere twice the digits.
func logGammaReal(x float64) float64 {
	near := func(t float64, coefficients []float64) float64 {
		s := 0.0
		for k := len(coefficients) - 1; k >= 0; k-- {
			s = s*-t - coefficients[k]
		}
		return t * s
	}
	switch {
	case math.Abs(x-1) < 0.01:
		return near(x-1, aroundOne)
	case math.Abs(x-2) < 0.01:
		return near(x-2, aroundTwo)
	case x > 0 && x < 1e15:
		v := logGamma(doubled{hi: x})
		return v.hi + v.lo
	}
	v, _ := math.Lgamma(x)
	return v
}

// tangent is the tangent: its series (DLMF 4.19.3) near 0, where a quotient of sine and
// cosine would lose nothing but math.Tan does, and that quotient elsewhere.
func tangent(x float64) float64 {
	if math.Abs(x) < 1e-3 {
		q := x * x
		return x + x*q*(1.0/3+q*(2.0/15+q*(17.0/315)))
	}
	sin, cos := math.Sincos(x)
	return sin / cos
}

// arcSine goes by the half angle, too, where 1 - x^2 would lose its digits.
func arcSine(x float64) float64 {
	if math.Abs(x) <= 0.7 || math.Abs(x) > 1 || x != x {
		return math.Asin(x)
	}
	return math.Copysign(math.Pi/2-arcCosine(math.Abs(x)), x)
}

// arcCosine goes by the half angle (DLMF 4.24.13 and 4.24.14) where a difference from
// pi / 2 would cancel.
func arcCosine(x float64) float64 {
	switch {
	case x >= 0.5:
		return 2 * math.Atan(math.Sqrt((1-x)/(1+x)))
	case x <= -0.5:
		return math.Pi - arcCosine(-x)
	}
	return math.Pi/2 - math.Asin(x)
}

// hyperbolicSine goes by exp(x) - 1, which keeps its digits near 0.
func hyperbolicSine(x float64) float64 {
	if math.Abs(x) > 20 {
		return math.Sinh(x)
	}
	m := math.Expm1(math.Abs(x))
	if math.Abs(x) < 1 {
		m = 2*m - m*m/(m+1)
	} else {
		m += m / (m + 1)
	}
	return math.Copysign(m/2, x)
}

// hypotenuse is sqrt(x^2 + y^2), fixed once by what the root's square lacks.
func hypotenuse(x, y float64) float64 {
	big, small := math.Abs(x), math.Abs(y)
	if big < small {
		big, small = small, big
	}
	if math.IsInf(big, 1) || math.IsNaN(x) || math.IsNaN(y) || small == 0 {
		return math.Hypot(x, y)
	}
	_, k := math.Frexp(big)
	if k > 500 || k < -400 {
		return math.Ldexp(hypotenuse(math.Ldexp(big, -k), math.Ldexp(small, -k)), k)
	}
	h := math.Sqrt(math.FMA(big, big, small*small))
	a, b, c := exactProduct(big, big), exactProduct(small, small), exactProduct(h, h)
	return h + (((a.hi-c.hi)+b.hi)+((a.lo-c.lo)+b.lo))/(2*h)
}

// inverseErf fixes math.Erfinv by one step of Newton's method.
func inverseErf(x float64) float64 {
	y := math.Erfinv(x)
	if math.IsInf(y, 0) || y != y || math.Abs(x) > 0.9 {
		return y
	}
	return y - (math.Erf(y)-x)*math.Exp(y*y)*(math.Sqrt(math.Pi)/2)
}

var halfRootDoubled = doubled{math.Sqrt2 / 2, -4.833646656726457e-17}

// normalCDF is erfc(-x / sqrt(2)) / 2. The quotient is kept whole: far out, half a unit
// in its last place is thousands of them in the result.
func normalCDF(x float64) float64 {
	if math.IsInf(x, 0) {
		return math.Erfc(-x) / 2
	}
	t := halfRootDoubled.times(doubled{hi: -x})
	v := math.Erfc(t.hi)
	if v == 0 || v == 2 || v != v {
		return v / 2
	}
	return (v - t.lo*(2/math.Sqrt(math.Pi))*math.Exp(-t.hi*t.hi)) / 2
}
