package algebra

import (
	"fmt"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func random(r *rand.Rand, n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = r.NormFloat64()
	}
	return out
}

func randomComplex(r *rand.Rand, n int) []complex128 {
	out := make([]complex128, n)
	for i := range out {
		out[i] = complex(r.NormFloat64(), r.NormFloat64())
	}
	return out
}

// times is the product the slow way, the oracle of this file.
func times[T float64 | complex128](a, b []T, n, k, m int) []T {
	out := make([]T, n*m)
	for i := range n {
		for j := range m {
			for l := range k {
				out[i*m+j] += a[i*k+l] * b[l*m+j]
			}
		}
	}
	return out
}

// free is a clock that does not end anything.
type free struct{}

func (free) Worked(int)               {}
func (free) Await(_ int, work func()) { work() }

func TestProductsAreTheSameBitsWhateverTheMethod(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for _, size := range [][3]int{{1, 1, 1}, {3, 4, 5}, {40, 50, 60}, {300, 70, 33}} {
		n, k, m := size[0], size[1], size[2]
		a, b := random(r, n*k), random(r, k*m)
		fast, plain := make([]float64, n*m), make([]float64, n*m)
		Multiply(free{}, fast, a, b, n, k, m)
		multiplyPlain(free{}, plain, a, b, n, k, m)
		assert.Equal(t, plain, fast)
		assert.InDeltaSlice(t, times(a, b, n, k, m), fast, 1e-10)
	}
}

func TestZeroTimesInfinityIsNotHidden(t *testing.T) {
	n := 40
	a, b := make([]float64, n*n), make([]float64, n*n)
	b[0] = math.Inf(1)
	out := make([]float64, n*n)
	Multiply(free{}, out, a, b, n, n, n)
	assert.True(t, math.IsNaN(out[0]))
}

func TestSolving(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for n := 1; n <= 20; n++ {
		a, b := random(r, n*n), random(r, n*2)
		x, _, ok := Solve(free{}, a, b, n, 2)
		require.True(t, ok)
		assert.InDeltaSlice(t, b, times(a, x, n, n, 2), 1e-8)
		inverse, _, ok := Inverse(free{}, a, n)
		require.True(t, ok)
		unit := times(a, inverse, n, n, n)
		for i := range n {
			assert.InDelta(t, 1, unit[i*n+i], 1e-8)
		}
		z, w := randomComplex(r, n*n), randomComplex(r, n)
		x2, _, ok := SolveComplex(free{}, z, w, n, 1)
		require.True(t, ok)
		for i, v := range times(z, x2, n, n, 1) {
			assert.InDelta(t, 0, cmplx.Abs(v-w[i]), 1e-8)
		}
	}
	_, _, ok := Solve(free{}, []float64{1, 2, 2, 4}, []float64{1, 1}, 2, 1)
	assert.False(t, ok)
	_, _, ok = SolveComplex(free{}, []complex128{1, 1i, 1i, -1}, []complex128{1, 1}, 2, 1)
	assert.False(t, ok)
}

func TestDeterminants(t *testing.T) {
	assert.InDelta(t, -2, Det(free{}, []float64{1, 2, 3, 4}, 2), 1e-12)
	assert.Equal(t, 1.0, Det(free{}, nil, 0))
	assert.InDelta(t, 0, cmplx.Abs(DetComplex(free{}, []complex128{0, 1i, 1, 0}, 2)-(-1i)), 1e-12)
}

// eigenHolds checks A v = k v for every column, and that columns have unit length.
func eigenHolds(t *testing.T, a, values, vectors []complex128, n int, what string) {
	t.Helper()
	av := times(a, vectors, n, n, n)
	for k := range n {
		size := 0.0
		for i := range n {
			size += real(vectors[i*n+k])*real(vectors[i*n+k]) + imag(vectors[i*n+k])*imag(vectors[i*n+k])
			assert.InDelta(t, 0, cmplx.Abs(av[i*n+k]-values[k]*vectors[i*n+k]), 1e-7, what)
		}
		assert.InDelta(t, 1, size, 1e-9, what)
	}
}

func widen(a []float64) []complex128 {
	out := make([]complex128, len(a))
	for i, v := range a {
		out[i] = complex(v, 0)
	}
	return out
}

func TestEigen(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for n := 1; n <= 12; n++ {
		a := random(r, n*n)
		values, vectors, ok := General(free{}, a, n)
		require.True(t, ok)
		eigenHolds(t, widen(a), values, vectors, n, fmt.Sprint("general ", n))
		for k := 1; k < n; k++ {
			assert.GreaterOrEqual(t, cmplx.Abs(values[k-1]), cmplx.Abs(values[k])-1e-9)
		}
		z := randomComplex(r, n*n)
		values, vectors, ok = GeneralComplex(free{}, z, n)
		require.True(t, ok)
		eigenHolds(t, z, values, vectors, n, fmt.Sprint("complex ", n))
		h := make([]complex128, n*n)
		s := make([]float64, n*n)
		for i := range n {
			for j := range n {
				h[i*n+j] = z[i*n+j] + cmplx.Conj(z[j*n+i])
				s[i*n+j] = a[i*n+j] + a[j*n+i]
			}
		}
		reals, vectors, ok := Hermitian(free{}, h, n)
		require.True(t, ok)
		eigenHolds(t, h, widen(reals), vectors, n, fmt.Sprint("Hermitian ", n))
		rising, columns, ok := Symmetric(free{}, s, n)
		require.True(t, ok)
		eigenHolds(t, widen(s), widen(rising), widen(columns), n, fmt.Sprint("symmetric ", n))
		for k := 1; k < n; k++ {
			assert.LessOrEqual(t, rising[k-1], rising[k])
			assert.LessOrEqual(t, reals[k-1], reals[k])
		}
	}
}

func TestEigenvaluesOfEqualModulusRiseByAngle(t *testing.T) {
	values, _, ok := General(free{}, []float64{0, 0, 1, 1, 0, 0, 0, 1, 0}, 3) // the cube roots of 1
	require.True(t, ok)
	for i, want := range []float64{-2 * math.Pi / 3, 0, 2 * math.Pi / 3} {
		assert.InDelta(t, want, cmplx.Phase(values[i]), 1e-9)
	}
	values, _, ok = General(free{}, []float64{-1, 5, 0, 1}, 2)
	require.True(t, ok)
	assert.InDelta(t, 1, real(values[0]), 1e-12)
	assert.InDelta(t, -1, real(values[1]), 1e-12, "pi is the last angle")
}

func TestNormsNeitherOverflowNorVanish(t *testing.T) {
	assert.Equal(t, 5.0, Norm([]float64{3, -4}))
	assert.InEpsilon(t, 5e300, Norm([]float64{3e300, 4e300}), 1e-15)
	assert.InEpsilon(t, 5e-300, Norm([]float64{3e-300, 4e-300}), 1e-15)
	assert.Zero(t, Norm(nil))
	assert.True(t, math.IsInf(Norm([]float64{1, math.Inf(-1)}), 1))
	assert.True(t, math.IsNaN(Norm([]float64{1, math.NaN()})))
}

func TestLeastSquares(t *testing.T) {
	x, ok := LeastSquares(free{}, []float64{1, 0, 1, 1, 1, 2}, []float64{1, 3, 5}, 3, 2)
	require.True(t, ok)
	assert.InDeltaSlice(t, []float64{1, 2}, x, 1e-12)
	_, ok = LeastSquares(free{}, []float64{1, 1, 1, 1}, []float64{1, 2}, 2, 2)
	assert.False(t, ok)
}

func ExampleSolve() {
	x, _, ok := Solve(free{}, []float64{2, 0, 0, 4}, []float64{2, 4}, 2, 1)
	fmt.Println(x, ok)
	// Output: [1 1] true
}
