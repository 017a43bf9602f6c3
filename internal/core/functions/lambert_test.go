package functions

import (
	"math"
	"math/big"
	"math/cmplx"
	"testing"

	"github.com/stretchr/testify/assert"
)

// insertedBack is how far w e^w lies from z, in units of (1 + |w|) 2^-53 |z|, computed
// with many digits.
func insertedBack(w, z complex128) float64 {
	e := preciseExp(num(real(w)))
	s, c := preciseSinCos(num(imag(w)))
	re, im := times(e, c), times(e, s)
	u, v := num(real(w)), num(imag(w))
	x := minus(minus(times(u, re), times(v, im)), num(real(z)))
	y := minus(plus(times(u, im), times(v, re)), num(imag(z)))
	size := root(plus(times(x, x), times(y, y)))
	unit := times(num(1+cmplx.Abs(w)), times(num(0x1p-53), root(plus(times(num(real(z)), num(real(z))),
		times(num(imag(z)), num(imag(z)))))))
	off, _ := over(size, unit).Float64()
	return off
}

// principal reports whether a number lies where the principal branch has its values:
// right of the curve x = -y cot y (Corless et al. 1996, figure 4).
func principal(w complex128) bool {
	x, y := real(w), math.Abs(imag(w))
	if y == 0 {
		return x >= -1
	}
	return y < math.Pi && x >= -y/math.Tan(y)-1e-7
}

func TestLambertWOfComplexNumbersIsPutBack(t *testing.T) {
	worst, at := 0.0, complex128(0)
	try := func(z complex128) {
		w := complexW(z)
		if off := insertedBack(w, z); off > worst {
			worst, at = off, z
		}
		assert.True(t, principal(w), "%v of %v", w, z)
	}
	for _, k := range []float64{-300, -40, -12, -7, -3, -1.5, -1, -0.7, -0.45, -0.43, -0.4, -0.2, 0, 0.2, 0.5, 1, 2, 5,
		20, 150, 307} {
		for turn := range 72 {
			angle := math.Pi * (float64(turn)/36 - 1)
			try(cmplx.Rect(math.Pow(10, k), angle))
			// Around the branch point.
			if k <= 1 {
				try(complex(-1/math.E, 0) + cmplx.Rect(math.Pow(10, k), angle))
			}
		}
	}
	for _, x := range []float64{-0.3679, -0.37, -0.5, -1, -math.Pi / 2, -3, -30, -1e9, -1e300} {
		above, below := complexW(complex(x, 0)), complexW(complex(x, math.Copysign(0, -1)))
		try(complex(x, 0))
		assert.Positive(t, imag(above), "%v", x)
		assert.Equal(t, cmplx.Conj(above), below, "each side of the cut has its own limit")
	}
	assert.LessOrEqual(t, worst, 4.0, "at %v", at)
	assert.Greater(t, worst, 0.5, "the bound stated is far above what is met")
	t.Logf("%.2f at %v", worst, at)
}

func TestLambertWOfComplexNumbersKeepsRealValues(t *testing.T) {
	for _, x := range []float64{-0.36, -0.1, 0, 1e-20, 1, math.E, 1e10} {
		assert.Equal(t, complex(principalW(x), 0), complexW(complex(x, 0)))
	}
	assert.InDelta(t, -0.3181315052, real(complexW(-1)), 1e-9) // DLMF 4.13: W(-1)
	assert.InDelta(t, 1.3372357014, imag(complexW(-1)), 1e-9)
	assert.InDelta(t, math.Pi/2, imag(complexW(-math.Pi/2)), 1e-14, "W(-pi/2) is i pi/2")
	assert.True(t, cmplx.IsInf(complexW(cmplx.Inf())))
	assert.True(t, cmplx.IsNaN(complexW(cmplx.NaN())))
}

func TestLog1pOfComplexNumbers(t *testing.T) {
	check := func(z complex128) {
		x, y := num(real(z)), num(imag(z))
		one := plus(x, num(1))
		want := over(preciseLog(plus(times(one, one), times(y, y))), num(2))
		got := complexLog1p(z)
		if f, _ := want.Float64(); f != 0 {
			off, _ := over(minus(num(real(got)), want), new(big.Float).Abs(want)).Float64()
			assert.LessOrEqual(t, math.Abs(off), 16*0x1p-53, "%v", z)
		}
		assert.Equal(t, math.Atan2(imag(z), 1+real(z)), imag(got))
	}
	for _, z := range []complex128{complex(1e-12, 1e-13), complex(-0.02, 0.2), complex(-0.0199, 0.1990), complex(3, 2),
		complex(-0.5, 0.75), complex(-1.9, -0.4), complex(1e-300, 1), complex(50, -70)} {
		check(z)
	}
	// On the unit circle around -1 the real part is a difference of almost equal numbers.
	for i := 1; i < 60; i++ {
		a := float64(i) / 10
		check(complex(math.Cos(a)-1, math.Sin(a)))
	}
}
