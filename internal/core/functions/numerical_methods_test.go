package functions

import (
	"math"
	"math/cmplx"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

func drawn(r *rand.Rand, n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = math.Round(r.NormFloat64()*64) / 8
	}
	return out
}

// risingFrom draws points that rise strictly.
func risingFrom(r *rand.Rand, n int) []float64 {
	out := make([]float64, n)
	at := r.NormFloat64()
	for i := range out {
		at += 0.25 + r.Float64()
		out[i] = at
	}
	return out
}

func reals(x []float64) *array.Array { return array.FromReals(x, len(x)) }

// TestInterpolationFollowsTheLine takes points between and on the given ones.
func TestInterpolationFollowsTheLine(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 11))
	for range 100 {
		n := 2 + r.IntN(6)
		xs, ys := risingFrom(r, n), drawn(r, n)
		at := []float64{xs[0], xs[n-1], xs[r.IntN(n)]}
		for range 5 {
			at = append(at, xs[0]+(xs[n-1]-xs[0])*r.Float64())
		}
		got := demand(t, &Call{Args: []*array.Array{reals(at), reals(xs), reals(ys)}}, "interpolated")
		for i, x := range at {
			k := 1
			for k < n-1 && xs[k] < x {
				k++
			}
			share := (x - xs[k-1]) / (xs[k] - xs[k-1])
			require.InDelta(t, ys[k-1]+share*(ys[k]-ys[k-1]), got.RealAt(i), 1e-12)
		}
		require.Equal(t, ys[0], got.RealAt(0), "a given point is met exactly")
		require.Equal(t, ys[n-1], got.RealAt(1))
	}
	m := meter()
	out, d := Lookup("interpolated").Run(&Call{Function: Lookup("interpolated"), Meter: m,
		Args: []*array.Array{reals([]float64{0, 9}), reals([]float64{1, 2}), reals([]float64{5, 6})}})
	require.Nil(t, d)
	assert.True(t, math.IsNaN(out.RealAt(0)) && math.IsNaN(out.RealAt(1)), "outside there is no line")
	require.Len(t, m.Notices, 1)
	assert.Equal(t, codes.Code("notice.nan"), m.Notices[0].Code)
}

// TestPolynomials evaluates by powers, and fits points that lie on a polynomial.
func TestPolynomials(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 11))
	for range 100 {
		degree := r.IntN(4)
		coefficients := drawn(r, degree+1)
		x := risingFrom(r, degree+1+r.IntN(5))
		y := demand(t, &Call{Args: []*array.Array{reals(coefficients), reals(x)}}, "polynomial")
		for i, v := range x {
			want, size := 0.0, 0.0
			for k, c := range coefficients {
				term := c * math.Pow(v, float64(k))
				want, size = want+term, size+math.Abs(term)
			}
			require.InDelta(t, want, y.RealAt(i), 1e-14*(1+size))
		}
		fit := demand(t, &Call{Args: []*array.Array{reals(x), y, array.Scalar(int64(degree))}}, "fitted_polynomial")
		require.Equal(t, degree+1, fit.Size())
		for k, c := range coefficients {
			require.InDelta(t, c, fit.RealAt(k), 1e-6*(1+math.Abs(c)), "points on a polynomial give it back")
		}
	}
}

func TestIntegralsAndSlopes(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 11))
	for range 100 {
		n := 2 + r.IntN(8)
		x, y := risingFrom(r, n), drawn(r, n)
		area := 0.0
		for i := 1; i < n; i++ {
			area += (x[i] - x[i-1]) * (y[i] + y[i-1]) / 2
		}
		require.InDelta(t, area, demand(t, &Call{Args: []*array.Array{reals(y), reals(x)}}, "trapezoid").RealAt(0),
			1e-12*(1+math.Abs(area)))

		spacing := 0.25 + r.Float64()
		slope := demand(t, &Call{Args: []*array.Array{reals(y)}, Axes: []int{0},
			Options: map[string]Value{"spacing": {Array: array.Scalar(spacing)}}}, "gradient")
		for i := range y {
			low, high := max(i-1, 0), min(i+1, n-1)
			require.InDelta(t, (y[high]-y[low])/(float64(high-low)*spacing), slope.RealAt(i),
				1e-12*(1+math.Abs(slope.RealAt(i))))
		}
	}
}

// TestConvolutionIsTheProductOfPolynomials multiplies every pair.
func TestConvolutionIsTheProductOfPolynomials(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 11))
	for range 100 {
		a, b := drawn(r, 1+r.IntN(6)), drawn(r, 1+r.IntN(6))
		want := make([]float64, len(a)+len(b)-1)
		for i, x := range a {
			for j, y := range b {
				want[i+j] += x * y
			}
		}
		got := demand(t, &Call{Args: []*array.Array{reals(a), reals(b)}}, "convolved")
		require.Equal(t, want, slices.Clone(got.Reals()), "eighths are exact")
	}
}

// TestCovariances compares both forms with the definition.
func TestCovariances(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 11))
	together := func(x, y []float64, lost int) float64 {
		mx, my, s := total(x)/float64(len(x)), total(y)/float64(len(y)), 0.0
		for i := range x {
			s += (x[i] - mx) * (y[i] - my)
		}
		return s / float64(len(x)-lost)
	}
	for range 100 {
		n, k := 3+r.IntN(5), 1+r.IntN(4)
		columns := make([][]float64, k)
		cells := make([]float64, n*k)
		for j := range columns {
			columns[j] = drawn(r, n)
			for i, v := range columns[j] {
				cells[i*k+j] = v
			}
		}
		lost := r.IntN(2)
		options := map[string]Value{"sample": {Array: array.Scalar(lost == 1)}}
		table := demand(t, &Call{Args: []*array.Array{array.FromReals(cells, n, k)}, Axes: []int{0}, Options: options},
			"covariance")
		relative := demand(t, &Call{Args: []*array.Array{array.FromReals(cells, n, k)}, Axes: []int{0}}, "correlation")
		for i := range k {
			for j := range k {
				want := together(columns[i], columns[j], lost)
				require.InDelta(t, want, table.RealAt(i*k+j), 1e-10*(1+math.Abs(want)))
				pair := demand(t, &Call{Args: []*array.Array{reals(columns[i]), reals(columns[j])}, Options: options}, "covariance")
				require.InDelta(t, want, pair.RealAt(0), 1e-10*(1+math.Abs(want)))
				spread := math.Sqrt(together(columns[i], columns[i], 0) * together(columns[j], columns[j], 0))
				if spread > 0 {
					require.InDelta(t, together(columns[i], columns[j], 0)/spread, relative.RealAt(i*k+j), 1e-10)
				}
			}
		}
	}
}

func TestPlacesInSortedValues(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 11))
	for range 100 {
		sorted := slices.Sorted(slices.Values(drawn(r, r.IntN(7))))
		x, counting := drawn(r, 6), r.IntN(2)
		x = append(x, sorted...)
		got := demand(t, &Call{Args: []*array.Array{reals(sorted), reals(x)}, Counting: counting}, "insertion_place")
		for i, v := range x {
			want := 0
			for want < len(sorted) && sorted[want] < v {
				want++
			}
			require.Equal(t, int64(want+counting), got.IntAt(i))
		}
	}
}

// TestComplexPartsGoTogether takes numbers apart and puts them together.
func TestComplexPartsGoTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for range 100 {
		z := complex(r.NormFloat64(), r.NormFloat64())
		a := array.FromComplexes([]complex128{z}, 1)
		one := func(name string, args ...*array.Array) *array.Array { return demand(t, &Call{Args: args}, name) }
		re, im := one("real_part", a), one("imaginary_part", a)
		require.Equal(t, z, one("complex", re, im).ComplexAt(0))
		require.Equal(t, cmplx.Conj(z), one("conjugate", a).ComplexAt(0))
		modulus, angle := one("abs", a), one("angle", a)
		require.InDelta(t, cmplx.Abs(z), modulus.RealAt(0), 1e-15)
		back := one("polar", modulus, angle).ComplexAt(0)
		require.InDelta(t, 0, cmplx.Abs(back-z), 1e-14)
	}
}

// TestWholeNumberFunctions holds divisors, arrangements and choices against counting.
func TestWholeNumberFunctions(t *testing.T) {
	one := func(name string, args ...int64) int64 {
		arrays := make([]*array.Array, len(args))
		for i, v := range args {
			arrays[i] = array.Scalar(v)
		}
		return demand(t, &Call{Args: arrays}, name).IntAt(0)
	}
	for n := int64(0); n <= 20; n++ {
		product := int64(1)
		for k := int64(1); k <= n; k++ {
			product *= k
		}
		require.Equal(t, product, one("factorial", n))
		for k := int64(0); k <= n; k++ {
			// Pascal's triangle, and each choice in every order.
			want := int64(1)
			if k > 0 && k < n {
				want = one("combinations", n-1, k-1) + one("combinations", n-1, k)
			}
			require.Equal(t, want, one("combinations", n, k))
			require.Equal(t, want*one("factorial", k), one("permutations", n, k))
		}
	}
	for a := int64(-12); a <= 12; a++ {
		for b := int64(-12); b <= 12; b++ {
			divisor := int64(0)
			for k := int64(1); k <= 12; k++ {
				if a%k == 0 && b%k == 0 && (a != 0 || b != 0) {
					divisor = k
				}
			}
			require.Equal(t, divisor, one("gcd", a, b))
			multiple := int64(0)
			for k := int64(1); a != 0 && b != 0 && multiple == 0; k++ {
				if k%a == 0 && k%b == 0 {
					multiple = k
				}
			}
			require.Equal(t, multiple, one("lcm", a, b))
		}
	}
	_, d := Lookup("factorial").Run(&Call{Function: Lookup("factorial"), Args: []*array.Array{array.Scalar(int64(21))},
		Meter: meter()})
	require.NotNil(t, d)
	assert.Equal(t, codes.Code("run.overflow"), d.Code)
}

// TestEvenlySpaced meets both ends, whatever the rounding between.
func TestEvenlySpaced(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 11))
	for range 200 {
		a, b, n := r.NormFloat64()*10, r.NormFloat64()*10, 2+r.IntN(30)
		got := demand(t, &Call{Args: []*array.Array{array.Scalar(a), array.Scalar(b), array.Scalar(int64(n))}}, "spaced")
		require.Equal(t, n, got.Size())
		require.Equal(t, a, got.RealAt(0))
		require.Equal(t, b, got.RealAt(n-1))
		for k := range n - 1 {
			require.Equal(t, a+float64(k)*(b-a)/float64(n-1), got.RealAt(k))
		}
	}
	wide := demand(t, &Call{Args: []*array.Array{array.Scalar(-1.5e308), array.Scalar(1.5e308), array.Scalar(int64(4))}},
		"spaced")
	assert.InEpsilonSlice(t, []float64{-1.5e308, -0.5e308, 0.5e308, 1.5e308}, wide.Reals(), 1e-12,
		"also where the distance is no double")
}

// TestClippingAndNearness compares one by one.
func TestClippingAndNearness(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 11))
	special := []float64{math.NaN(), math.Inf(1), math.Inf(-1), 0}
	for range 300 {
		v, w, ends := r.NormFloat64(), r.NormFloat64(), slices.Sorted(slices.Values(drawn(r, 2)))
		if r.IntN(4) == 0 {
			v = special[r.IntN(4)]
		}
		if r.IntN(4) == 0 {
			w = special[r.IntN(4)]
		}
		got := demand(t, &Call{Args: []*array.Array{array.Scalar(v), array.Scalar(ends[0]), array.Scalar(ends[1])}},
			"clipped").RealAt(0)
		switch {
		case v != v:
			require.True(t, got != got)
		case v < ends[0]:
			require.Equal(t, ends[0], got)
		case v > ends[1]:
			require.Equal(t, ends[1], got)
		default:
			require.Equal(t, v, got)
		}
		relative, absolute := r.Float64(), r.Float64()/4
		near := demand(t, &Call{Args: []*array.Array{array.Scalar(v), array.Scalar(w)},
			Options: map[string]Value{"relative": {Array: array.Scalar(relative)},
				"absolute": {Array: array.Scalar(absolute)}}}, "near").BoolAt(0)
		want := math.Abs(v-w) <= absolute+relative*math.Abs(w) && !math.IsInf(w, 0) && !math.IsInf(v, 0) || v == w
		require.Equal(t, want, near, "%v near %v", v, w)
	}
}
