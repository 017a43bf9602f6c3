package functions

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// ulps is how far a lies from b in units of b's last place.
func ulps(a, b float64) float64 {
	if a == b {
		return 0
	}
	unit := math.Nextafter(math.Abs(b), math.Inf(1)) - math.Abs(b)
	return math.Abs(a-b) / unit
}

// TestPublishedValues holds special functions against values to more digits than a
// double has (Abramowitz and Stegun; DLMF; Lambert W from its defining equation).
func TestPublishedValues(t *testing.T) {
	for _, c := range []struct {
		name       string
		got, want  float64
		most, near float64
	}{
		{"gamma(1/2)", gammaReal(0.5), 1.77245385090551602729816748334114518, 2, 0},
		{"gamma(1/3)", gammaReal(1.0 / 3), 2.67893853470774763365569294097467764, 4, 0},
		{"gamma(10.5)", gammaReal(10.5), 1133278.38894878556733457416558889247556, 8, 0},
		{"gamma(171)", gammaReal(171), 7.257415615307994e306, 8, 0},
		{"gamma(-1.5)", gammaReal(-1.5), 2.36327180120735470306422331112152691, 4, 0},
		{"beta(2, 3)", betaReal(2, 3), 1.0 / 12, 4, 0},
		{"beta(0.5, 0.5)", betaReal(0.5, 0.5), math.Pi, 4, 0},
		{"beta(100, 200)", betaReal(100, 200), 3.607285449794666e-84, 0, 1e-12},
		{"W(1)", principalW(1), 0.567143290409783872999968662210355549753815787, 2, 0},
		{"W(e)", principalW(math.E), 1, 2, 0},
		{"W(10)", principalW(10), 1.745528002740699383074301264875389911535288, 2, 0},
		{"W(-0.3)", principalW(-0.3), -0.4894022271802149336, 2, 0},
		{"W(1e300)", principalW(1e300), 684.2472086297608492, 2, 0},
		{"log10(1000)", log10(1000), 3, 0, 0},
		{"log10(1e-5)", log10(1e-5), -5, 0, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			if c.near > 0 {
				assert.InEpsilon(t, c.want, c.got, c.near, c.name)
				return
			}
			assert.LessOrEqual(t, ulps(c.got, c.want), c.most, "%s is %v, wanted %v", c.name, c.got, c.want)
		})
	}
}

// TestLogarithmsOfManyDigits compares the short series with the long one.
func TestLogarithmsOfManyDigits(t *testing.T) {
	for x := 0.5; x < 2; x += 0.000317 {
		a := doubled{x, x * 1e-17}
		want := a.logSeries()
		assert.LessOrEqual(t, math.Abs(a.log().minus(want).hi), 1e-23*math.Abs(want.hi), "log of %v", x)
		for _, k := range []int{-600, 3, 1000} {
			far := doubled{math.Ldexp(a.hi, k), math.Ldexp(a.lo, k)}
			shifted := want.plus(ln2Doubled.times(doubled{hi: float64(k)}))
			assert.LessOrEqual(t, math.Abs(far.log().minus(shifted).hi), 1e-23*math.Abs(shifted.hi), "log of %v 2^%d", x, k)
		}
	}
}

// TestThePrincipalBranchSolvesItsEquation walks from the branch point to large values.
func TestThePrincipalBranchSolvesItsEquation(t *testing.T) {
	for _, x := range []float64{-0.367, -0.36, -0.3, -0.1, -1e-8, 1e-300, 1e-8, 0.1, 0.5, 2, 3, 50, 1e5, 1e100} {
		w := principalW(x)
		assert.InEpsilon(t, x, w*math.Exp(w), 1e-13*(1+math.Abs(w)), "x = %v", x)
		assert.GreaterOrEqual(t, w, -1.0)
	}
	assert.Equal(t, -1.0, principalW(-1/math.E))
	assert.InDelta(t, -1+math.Sqrt(2*(math.E*(-1/math.E+1e-9)+1)), principalW(-1/math.E+1e-9), 1e-8)
	assert.True(t, math.IsNaN(principalW(-0.5)))
	assert.True(t, math.IsInf(principalW(math.Inf(1)), 1))
	assert.Zero(t, principalW(0))
}

func TestPolesAndLimits(t *testing.T) {
	assert.True(t, math.IsNaN(gammaReal(0)))
	assert.True(t, math.IsNaN(gammaReal(-2)))
	assert.True(t, math.IsNaN(betaReal(0, 1)))
	assert.True(t, math.IsInf(gammaReal(200), 1))
}

func TestDivisors(t *testing.T) {
	for _, c := range []struct {
		a, b, gcd, lcm int64
		gcdOK, lcmOK   bool
	}{
		{12, 18, 6, 36, true, true}, {-4, 6, 2, 12, true, true}, {0, 5, 5, 0, true, true}, {0, 0, 0, 0, true, true},
		{math.MinInt64, 0, 0, 0, false, true}, {math.MaxInt64, math.MaxInt64 - 1, 1, 0, true, false},
	} {
		g, ok := gcd(c.a, c.b)
		assert.Equal(t, c.gcdOK, ok)
		if ok {
			assert.Equal(t, c.gcd, g)
		}
		l, ok := lcm(c.a, c.b)
		assert.Equal(t, c.lcmOK, ok)
		if ok {
			assert.Equal(t, c.lcm, l)
		}
	}
}

func TestQuantiles(t *testing.T) {
	x := []float64{1, 2, 4, 8}
	for p, want := range map[float64]float64{0: 1, 25: 1.75, 50: 3, 75: 5, 100: 8, 33.333333333333336: 2} {
		assert.InDelta(t, want, quantile(x, p), 1e-12, "%v", p)
	}
	assert.Equal(t, 7.0, quantile([]float64{7}, 30))
	assert.Equal(t, math.Inf(1), quantile([]float64{math.Inf(1), math.Inf(1)}, 30),
		"equal infinities are their own middle")
}
