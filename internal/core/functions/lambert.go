package functions

import (
	"math"
	"math/cmplx"
)

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
