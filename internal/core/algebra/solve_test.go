package algebra

import (
	"fmt"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// starred is the conjugate transpose, the slow way.
func starred(a []complex128, rows, columns int) []complex128 {
	out := make([]complex128, len(a))
	for i := range rows {
		for j := range columns {
			out[j*rows+i] = cmplx.Conj(a[i*columns+j])
		}
	}
	return out
}

// assertNear compares elements, times a size that they have.
func assertNear(t *testing.T, want, got []complex128, size float64, what string) {
	t.Helper()
	require.Len(t, got, len(want), what)
	for i, z := range want {
		if !assert.LessOrEqual(t, cmplx.Abs((got[i]-z)/complex(size, 0)), 1e-11, "%s at %d: want %v, got %v", what, i, z,
			got[i]) {
			return
		}
	}
}

func unitOf(n int) []complex128 {
	out := make([]complex128, n*n)
	for i := range n {
		out[i*n+i] = 1
	}
	return out
}

func TestEliminationOfManyPanels(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	for _, n := range []int{63, 64, 65, 130, 200} {
		a := random(r, n*n)
		inverse, reciprocal, ok := Inverse(free{}, a, n)
		require.True(t, ok)
		assertNear(t, unitOf(n), widen(times(a, inverse, n, n, n)), 1/reciprocal, fmt.Sprint("inverse ", n))
		const m = 300
		b := random(r, n*m)
		x, again, ok := Solve(free{}, a, b, n, m)
		require.True(t, ok)
		assert.Equal(t, reciprocal, again)
		assertNear(t, widen(b), widen(times(a, x, n, n, m)), 1/reciprocal, fmt.Sprint("solve ", n))
		complexDet := DetComplex(free{}, widen(a), n)
		assert.InEpsilon(t, real(complexDet), Det(free{}, a, n), 1e-9, "one panel against many")
		assert.Zero(t, imag(complexDet))
		copy(a[(n-1)*n:], a[:n])
		_, _, ok = Inverse(free{}, a, n)
		assert.False(t, ok, "a row twice")
	}
}

func TestDeterminantsWhosePivotsLeaveTheRange(t *testing.T) {
	diagonal := make([]float64, 16)
	for i, v := range []float64{1e200, 1e-300, 1e300, 3e-200} {
		diagonal[i*4+i] = v
	}
	assert.InEpsilon(t, 3, Det(free{}, diagonal, 4), 1e-15)
	assert.InEpsilon(t, 3, real(DetComplex(free{}, widen(diagonal), 4)), 1e-15)
	diagonal[15] = 1e200
	assert.True(t, math.IsInf(Det(free{}, diagonal, 4), 1))
	diagonal[15] = 0
	assert.False(t, math.Signbit(Det(free{}, diagonal, 4)))
	assert.Equal(t, -6.0, Det(free{}, []float64{0, 2, 0, 1, 0, 0, 0, 0, 3}, 3))
}

// svdHolds checks that columns are orthonormal, values fall, and the product is a.
func svdHolds(t *testing.T, a, u []complex128, values []float64, v []complex128, rows, columns int, what string) {
	t.Helper()
	k := min(rows, columns)
	require.Len(t, values, k, what)
	assertNear(t, unitOf(k), times(starred(u, rows, k), u, k, rows, k), 1, what+": left vectors")
	assertNear(t, unitOf(k), times(starred(v, columns, k), v, k, columns, k), 1, what+": right vectors")
	weighted := slices.Clone(u)
	for s, value := range values {
		if s > 0 {
			assert.LessOrEqual(t, value, values[s-1], what)
		}
		assert.GreaterOrEqual(t, value, 0.0, what)
		for i := range rows {
			weighted[i*k+s] *= complex(value, 0)
		}
	}
	assertNear(t, a, times(weighted, starred(v, columns, k), rows, k, columns), values[0], what)
}

func TestSingularValues(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for _, size := range [][2]int{{1, 1}, {2, 2}, {1, 5}, {5, 1}, {4, 3}, {3, 4}, {12, 12}, {70, 66}, {500, 3}, {3, 500},
		{777, 20}} {
		rows, columns := size[0], size[1]
		for _, scale := range []float64{1, 1e300, 1e-300} {
			what := fmt.Sprint(size, " times ", scale)
			a, z := random(r, rows*columns), randomComplex(r, rows*columns)
			for i := range a {
				a[i] *= scale
				z[i] *= complex(scale, 0)
			}
			u, values, v := SVD(free{}, a, rows, columns)
			svdHolds(t, widen(a), widen(u), values, widen(v), rows, columns, what)
			w, values, q := SVDComplex(free{}, z, rows, columns)
			svdHolds(t, z, w, values, q, rows, columns, "complex "+what)
		}
	}
	_, values, _ := SVDComplex(free{}, []complex128{3i, 0, 0, -4}, 2, 2)
	assert.InDeltaSlice(t, []float64{4, 3}, values, 1e-15)
	_, values, _ = SVDComplex(free{}, make([]complex128, 6), 3, 2)
	assert.Equal(t, []float64{0, 0}, values)
	_, values, _ = SVD(free{}, nil, 0, 3)
	assert.Equal(t, []float64{}, values)
	_, values, _ = SVDComplex(free{}, nil, 3, 0)
	assert.Equal(t, []float64{}, values)
}

func TestPseudoInverseHasItsFourProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for _, size := range [][2]int{{3, 3}, {5, 2}, {2, 5}, {4, 4}, {300, 5}, {5, 300}} {
		n, m := size[0], size[1]
		a, z := random(r, n*m), randomComplex(r, n*m)
		if n == 4 {
			copy(a[12:], a[:4]) // a row twice: not of full rank
			copy(z[12:], z[:4])
		}
		p, ok := PseudoInverse(free{}, a, n, m)
		require.True(t, ok)
		q, ok := PseudoInverseComplex(free{}, z, n, m)
		require.True(t, ok)
		for _, pair := range [][2][]complex128{{widen(a), widen(p)}, {z, q}} {
			a, p := pair[0], pair[1]
			ap, pa := times(a, p, n, m, n), times(p, a, m, n, m)
			assertNear(t, a, times(ap, a, n, n, m), 1, "A P A")
			assertNear(t, p, times(pa, p, m, m, n), 1, "P A P")
			assertNear(t, ap, starred(ap, n, n), 1, "A P")
			assertNear(t, pa, starred(pa, m, m), 1, "P A")
		}
	}
	p, ok := PseudoInverse(free{}, nil, 0, 4)
	assert.True(t, ok)
	assert.Empty(t, p)
}

// TestLeastSquaresInManyPieces looks at the residual, which is at right angles to the
// columns.
func TestLeastSquaresInManyPieces(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for _, size := range [][2]int{{3, 3}, {63, 5}, {64, 5}, {65, 5}, {1000, 7}, {129, 1}} {
		rows, columns := size[0], size[1]
		a, b := random(r, rows*columns), random(r, rows)
		x, ok := LeastSquares(free{}, a, b, rows, columns)
		require.True(t, ok)
		residual := times(a, x, rows, columns, 1)
		for i := range residual {
			residual[i] -= b[i]
		}
		assert.InDeltaSlice(t, make([]float64, columns), times(residual, a, 1, rows, columns), 1e-10, "%v", size)
	}
}

// TestVectorsOfMatricesThatLackSome takes Jordan blocks, in which each eigenvector but
// one is missing: what is found stays finite and of unit length.
func TestVectorsOfMatricesThatLackSome(t *testing.T) {
	for _, n := range []int{2, 5, 40} {
		for _, scale := range []complex128{1, 1e300, 1e-300} {
			a := make([]complex128, n*n)
			for i := range n {
				a[i*n+i] = scale * (2 + 1i)
				if i > 0 {
					a[(i-1)*n+i] = scale
				}
			}
			values, vectors, ok := GeneralComplex(free{}, a, n)
			require.True(t, ok)
			for k := range n {
				assert.InDelta(t, 0, cmplx.Abs(values[k]/scale-(2+1i)), 1e-12)
				assert.InDelta(t, 1, modulus(column(vectors, n, n, 0, k)), 1e-12)
			}
		}
	}
}

func TestSpectraOfSpecialMatrices(t *testing.T) {
	for _, n := range []int{1, 2, 7, 30} {
		for _, scale := range []float64{1, 1e300, 1e-300} {
			zero, equal, ones := make([]complex128, n*n), make([]complex128, n*n), make([]complex128, n*n)
			for i := range n {
				equal[i*n+i] = complex(-3*scale, 0)
				for j := range n {
					// i^(a-b): Hermitian, with one value of n and all others 0.
					ones[i*n+j] = complex(scale, 0) * []complex128{1, 1i, -1, -1i}[((i-j)%4+4)%4]
				}
			}
			for _, c := range []struct {
				a    []complex128
				want func(k int) float64
			}{
				{zero, func(int) float64 { return 0 }},
				{equal, func(int) float64 { return -3 }},
				{ones, func(k int) float64 { return float64(n) * float64((k+1)/n) }},
			} {
				values, vectors, ok := Hermitian(free{}, c.a, n)
				require.True(t, ok)
				assertNear(t, unitOf(n), times(starred(vectors, n, n), vectors, n, n, n), 1, "vectors")
				for k, v := range values {
					assert.InDelta(t, c.want(k), v/scale, 1e-12, "%d times %v", n, scale)
				}
				general, _, ok := GeneralComplex(free{}, c.a, n)
				require.True(t, ok)
				top := 0.0
				for _, z := range general {
					top = max(top, cmplx.Abs(z)/scale)
				}
				assert.InDelta(t, max(math.Abs(c.want(0)), c.want(n-1)), top, 1e-7)
			}
		}
	}
}

// ending is a clock that ends work after so many calls.
type ending struct{ left, awaited int }

type ended struct{}

func (e *ending) Worked(products int) {
	if products < 0 {
		panic("less than no work")
	}
	if e.left--; e.left < 0 {
		panic(ended{})
	}
}

func (e *ending) Await(products int, work func()) {
	e.awaited++
	e.Worked(products)
	work()
}

// TestSlowWorkCanBeEnded ends each method at many places: none goes on for long without
// a look at the clock, and none swallows the end.
func TestSlowWorkCanBeEnded(t *testing.T) {
	const n = 150
	r := rand.New(rand.NewPCG(9, 9))
	a, z := random(r, n*n), randomComplex(r, n*n)
	symmetric, hermitian := make([]float64, n*n), make([]complex128, n*n)
	for i := range n {
		for j := range n {
			symmetric[i*n+j] = a[i*n+j] + a[j*n+i]
			hermitian[i*n+j] = z[i*n+j] + cmplx.Conj(z[j*n+i])
		}
	}
	out, outComplex := make([]float64, n*n), make([]complex128, n*n)
	for _, c := range []struct {
		name           string
		least, awaited int // looks at the clock, and works of gonum's waited for
		work           func(Clock)
	}{
		{"Multiply", 1, 0, func(c Clock) { Multiply(c, out, a, a, n, n, n) }},
		{"MultiplyComplex", n, 0, func(c Clock) { MultiplyComplex(c, outComplex, z, z, n, n, n) }},
		{"Det", 3, 0, func(c Clock) { Det(c, a, n) }},
		{"DetComplex", n, 0, func(c Clock) { DetComplex(c, z, n) }},
		{"Inverse", 9, 0, func(c Clock) { Inverse(c, a, n) }},
		{"Solve", 4, 0, func(c Clock) { Solve(c, a, a, n, n) }},
		{"SolveComplex", 3 * n, 0, func(c Clock) { SolveComplex(c, z, z, n, n) }},
		{"SVD", 1, 1, func(c Clock) { SVD(c, a, n, n) }},
		{"SVD of a tall matrix", n, 1, func(c Clock) { SVD(c, a, 2*n, n/2) }},
		{"SVDComplex", n, 1, func(c Clock) { SVDComplex(c, z, n, n) }},
		{"PseudoInverse", 2, 1, func(c Clock) { PseudoInverse(c, a, n, n) }},
		{"PseudoInverseComplex", n, 1, func(c Clock) { PseudoInverseComplex(c, z, n, n) }},
		{"LeastSquares", n, 0, func(c Clock) { LeastSquares(c, a, a[:n], n, n) }},
		{"Symmetric", 1, 1, func(c Clock) { Symmetric(c, symmetric, n) }},
		{"General", 1, 1, func(c Clock) { General(c, a, n) }},
		{"Hermitian", n, 1, func(c Clock) { Hermitian(c, hermitian, n) }},
		{"GeneralComplex", 10 * n, 0, func(c Clock) { GeneralComplex(c, z, n) }},
	} {
		t.Run(c.name, func(t *testing.T) {
			counted := &ending{left: 1 << 40}
			c.work(counted)
			looks := 1<<40 - counted.left
			assert.GreaterOrEqual(t, looks, c.least, c.name)
			assert.Equal(t, c.awaited, counted.awaited, c.name)
			for part := range 5 {
				assert.PanicsWithValue(t, ended{}, func() { c.work(&ending{left: looks * part / 5}) }, c.name)
			}
		})
	}
}
