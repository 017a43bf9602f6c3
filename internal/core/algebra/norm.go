package algebra

import (
	"math"

	"nimbusreach/internal/core/array"
)

// Norm is the root of the sum of squares. Where squares would overflow or underflow the
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
	if scale != 1 {
		scaled := make([]float64, len(x))
		for i, v := range x {
			scaled[i] = v * scale
		}
		x = scaled
	}
	return math.Sqrt(array.PairwiseSquares(x, 0)) / scale
}
