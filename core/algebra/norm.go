package algebra

import "math"

// Norm is the root of the sum of squares. Where squares would overflow or vanish the
// elements are scaled by a power of two first, which is exact.
func Norm(x []float64) float64 {
	top := 0.0
	for _, v := range x {
		if v != v {
			return v
		}
		top = math.Max(top, math.Abs(v))
	}
	scale := 1.0
	switch {
	case top == 0 || math.IsInf(top, 0):
		return top
	case top > 1e100:
		scale = 0x1p-600
	case top < 1e-100:
		scale = 0x1p600
	}
	return math.Sqrt(sumSquares(x, scale)) / scale
}

// sumSquares adds the squares of scaled elements in pairs.
func sumSquares(x []float64, scale float64) float64 {
	if len(x) > 128 {
		half := len(x) / 2
		return sumSquares(x[:half], scale) + sumSquares(x[half:], scale)
	}
	s := 0.0
	for _, v := range x {
		v *= scale
		s += float64(v * v)
	}
	return s
}
