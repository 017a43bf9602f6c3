package algebra

import "math"

// Norm is the root of the sum of squares, scaled by the largest element so that
// squares neither overflow nor vanish (as LAPACK's dnrm2 does).
func Norm(x []float64) float64 {
	top := 0.0
	for _, v := range x {
		if v != v {
			return v
		}
		top = math.Max(top, math.Abs(v))
	}
	if top == 0 || math.IsInf(top, 0) {
		return top
	}
	if top > 1e-100 && top < 1e100 {
		return math.Sqrt(sumSquares(x, 1))
	}
	_, exponent := math.Frexp(top)
	return math.Ldexp(math.Sqrt(sumSquares(x, -exponent)), exponent)
}

// sumSquares adds (x * 2^shift)^2 pairwise; a shift of 1 stands for none.
func sumSquares(x []float64, shift int) float64 {
	if len(x) > 128 {
		half := len(x) / 2
		return sumSquares(x[:half], shift) + sumSquares(x[half:], shift)
	}
	s := 0.0
	for _, v := range x {
		if shift != 1 {
			v = math.Ldexp(v, shift)
		}
		s += float64(v * v)
	}
	return s
}
