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
)

// rowsOf is a matrix the slow way: rows of complex numbers.
type rowsOf [][]complex128

func tableOf(a *array.Array) rowsOf {
	out := make(rowsOf, a.Len(0))
	for i := range out {
		out[i] = make([]complex128, a.Len(1))
		for j := range out[i] {
			out[i][j] = a.ComplexAt(i*a.Len(1) + j)
		}
	}
	return out
}

func (a rowsOf) times(b rowsOf) rowsOf {
	out := make(rowsOf, len(a))
	for i := range out {
		out[i] = make([]complex128, len(b[0]))
		for j := range out[i] {
			for k := range b {
				out[i][j] += a[i][k] * b[k][j]
			}
		}
	}
	return out
}

// turned is the table with rows for columns, conjugated.
func (a rowsOf) turned() rowsOf {
	out := make(rowsOf, len(a[0]))
	for i := range out {
		out[i] = make([]complex128, len(a))
		for j := range out[i] {
			out[i][j] = cmplx.Conj(a[j][i])
		}
	}
	return out
}

// far is the largest distance between elements.
func far(a, b rowsOf) float64 {
	d := 0.0
	for i := range a {
		for j := range a[i] {
			d = max(d, cmplx.Abs(a[i][j]-b[i][j]))
		}
	}
	return d
}

func unitTable(n int) rowsOf {
	out := make(rowsOf, n)
	for i := range out {
		out[i] = make([]complex128, n)
		out[i][i] = 1
	}
	return out
}

// matrix draws a matrix of a kind, seen through a transposition or a turn now and then.
func matrix(r *rand.Rand, kind array.Kind, rows, columns int) *array.Array {
	turned := r.IntN(2) == 0
	if turned {
		rows, columns = columns, rows
	}
	var a *array.Array
	switch kind {
	case array.Complex:
		cells := make([]complex128, rows*columns)
		for i := range cells {
			cells[i] = complex(r.NormFloat64(), r.NormFloat64())
		}
		a = array.FromComplexes(cells, rows, columns)
	case array.Int:
		cells := make([]int64, rows*columns)
		for i := range cells {
			cells[i] = r.Int64N(19) - 9
		}
		a = array.FromInts(cells, rows, columns)
	default:
		cells := make([]float64, rows*columns)
		for i := range cells {
			cells[i] = r.NormFloat64()
		}
		a = array.FromReals(cells, rows, columns)
	}
	if turned {
		a = a.Transpose([]int{1, 0})
	}
	return a
}

var numberKinds = []array.Kind{array.Int, array.Real, array.Complex}

func TestProductsAgainstTheSlowSum(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 300 {
		n, k, m := 1+r.IntN(7), 1+r.IntN(7), 1+r.IntN(7)
		a, b := matrix(r, numberKinds[r.IntN(3)], n, k), matrix(r, numberKinds[r.IntN(3)], k, m)
		got, d := Binary(meter(), "dot", a, b)
		require.Nil(t, d)
		require.Equal(t, array.Wider(a.Kind(), b.Kind()), got.Kind())
		require.Equal(t, []int{n, m}, got.Shape())
		require.Less(t, far(tableOf(got), tableOf(a).times(tableOf(b))), 1e-12)

		// One axis is a row on the left and a column on the right.
		row, column := a.Select([]array.Pick{{Kind: array.PickPosition}, array.WholeAxis(k)}),
			b.Select([]array.Pick{array.WholeAxis(k), {Kind: array.PickPosition}})
		left, d := Binary(meter(), "dot", row, b)
		require.Nil(t, d)
		require.Equal(t, []int{m}, left.Shape())
		right, d := Binary(meter(), "dot", a, column)
		require.Nil(t, d)
		require.Equal(t, []int{n}, right.Shape())
		both, d := Binary(meter(), "dot", row, column)
		require.Nil(t, d)
		require.Zero(t, both.Rank())
		assert.InDelta(t, 0, cmplx.Abs(left.ComplexAt(0)-got.ComplexAt(0)), 1e-12)
		assert.InDelta(t, 0, cmplx.Abs(right.ComplexAt(0)-got.ComplexAt(0)), 1e-12)
		assert.InDelta(t, 0, cmplx.Abs(both.ComplexAt(0)-got.ComplexAt(0)), 1e-12)
	}
}

// Leading axes broadcast, and each pair of matrices is multiplied by itself.
func TestProductsOfStacks(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	for range 60 {
		a := viewOf(r, array.Real, 3)
		k := a.Len(2)
		b := array.New(array.Real, []int{k, 1 + r.IntN(3)})
		for i := range b.Reals() {
			b.Reals()[i] = r.NormFloat64()
		}
		got, d := Binary(meter(), "dot", a, b)
		require.Nil(t, d)
		require.Equal(t, []int{a.Len(0), a.Len(1), b.Len(1)}, got.Shape())
		for _, index := range positionsIn(got.Shape()) {
			want := 0.0
			for i := range k {
				want += a.RealAt(place(a.Shape(), []int{index[0], index[1], i})) * b.RealAt(i*b.Len(1)+index[2])
			}
			require.InDelta(t, want, got.RealAt(place(got.Shape(), index)), 1e-9)
		}
	}
}

func TestOuterAndKronecker(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 200 {
		a, b := viewOf(r, numberKinds[r.IntN(3)], 1), viewOf(r, numberKinds[r.IntN(3)], 1)
		got := called(t, "outer", a, b)
		require.Equal(t, []int{a.Len(0), b.Len(0)}, got.Shape())
		for i := range a.Len(0) {
			for j := range b.Len(0) {
				require.Equal(t, a.ComplexAt(i)*b.ComplexAt(j), got.ComplexAt(i*b.Len(0)+j))
			}
		}
		x, y := viewOf(r, numberKinds[r.IntN(3)], 2), viewOf(r, numberKinds[r.IntN(3)], 2)
		product := called(t, "kronecker", x, y)
		require.Equal(t, []int{x.Len(0) * y.Len(0), x.Len(1) * y.Len(1)}, product.Shape())
		for _, index := range positionsIn(product.Shape()) {
			want := x.ComplexAt(place(x.Shape(), []int{index[0] / y.Len(0), index[1] / y.Len(1)})) *
				y.ComplexAt(place(y.Shape(), []int{index[0] % y.Len(0), index[1] % y.Len(1)}))
			require.Equal(t, want, product.ComplexAt(place(product.Shape(), index)))
		}
	}
}

// The cross product is at right angles to both, turns with its sides, and has the length
// of the area between them.
func TestCrossProducts(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	dot := func(a, b []float64) float64 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }
	for range 200 {
		a, b := matrix(r, array.Real, 1+r.IntN(3), 3), matrix(r, array.Real, 1, 3)
		got, back := called(t, "cross", a, b), called(t, "cross", b, a)
		require.Equal(t, a.Shape(), got.Shape())
		for i := range a.Len(0) {
			x, y, z := a.Reals()[3*i:3*i+3], b.Reals(), got.Reals()[3*i:3*i+3]
			require.InDelta(t, 0, dot(x, z), 1e-12)
			require.InDelta(t, 0, dot(y, z), 1e-12)
			require.InDelta(t, dot(x, x)*dot(y, y)-dot(x, y)*dot(x, y), dot(z, z), 1e-9)
			for k := range 3 {
				require.Equal(t, -z[k], back.Reals()[3*i+k])
			}
		}
	}
	ints := called(t, "cross", array.FromInts([]int64{1, 2, 3}, 3), array.FromInts([]int64{4, 5, 6}, 3))
	assert.Equal(t, []int64{-3, 6, -3}, ints.Ints())
}

// expanded is the determinant by expansion along the first row.
func expanded(a rowsOf) complex128 {
	if len(a) == 0 {
		return 1
	}
	sum, sign := complex128(0), complex128(1)
	for j := range a {
		minor := make(rowsOf, 0, len(a)-1)
		for _, row := range a[1:] {
			minor = append(minor, slices.Delete(slices.Clone(row), j, j+1))
		}
		sum += sign * a[0][j] * expanded(minor)
		sign = -sign
	}
	return sum
}

func TestDeterminantsAndTraces(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 300 {
		n := 1 + r.IntN(5)
		a := matrix(r, numberKinds[r.IntN(3)], n, n)
		det := called(t, "det", a)
		require.InDelta(t, 0, cmplx.Abs(det.ComplexAt(0)-expanded(tableOf(a)))/(1+cmplx.Abs(det.ComplexAt(0))), 1e-9)
		trace := complex128(0)
		for i := range n {
			trace += a.ComplexAt(i*n + i)
		}
		require.InDelta(t, 0, cmplx.Abs(called(t, "trace", a).ComplexAt(0)-trace), 1e-12)
	}
}

func TestInversesAndSolutions(t *testing.T) {
	r := rand.New(rand.NewPCG(10, 10))
	for range 300 {
		n := 1 + r.IntN(6)
		a := matrix(r, numberKinds[r.IntN(3)], n, n)
		if cmplx.Abs(called(t, "det", a).ComplexAt(0)) < 1e-2 {
			continue
		}
		inverse := tableOf(called(t, "inverse", a))
		require.Less(t, far(tableOf(a).times(inverse), unitTable(n)), 1e-8)
		b := matrix(r, numberKinds[r.IntN(3)], n, 1+r.IntN(3))
		x := called(t, "solve", a, b)
		require.Equal(t, b.Shape(), x.Shape())
		require.Less(t, far(tableOf(a).times(tableOf(x)), tableOf(b)), 1e-8)
		single := b.Select([]array.Pick{array.WholeAxis(n), {Kind: array.PickPosition}})
		require.Equal(t, []int{n}, called(t, "solve", a, single).Shape())
	}
}

func TestPowersOfMatrices(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 11))
	for range 100 {
		n := 1 + r.IntN(3)
		a := matrix(r, numberKinds[r.IntN(3)], n, n)
		want := unitTable(n)
		for k := range int64(6) {
			got := called(t, "mat_power", a, array.Scalar(k))
			require.Less(t, far(tableOf(got), want), 1e-6, "to the %d", k)
			if a.Kind() == array.Int {
				require.Equal(t, array.Int, got.Kind())
			}
			want = want.times(tableOf(a))
		}
		if cmplx.Abs(called(t, "det", a).ComplexAt(0)) > 0.1 {
			inverse := tableOf(called(t, "inverse", a))
			require.Less(t, far(tableOf(called(t, "mat_power", a, array.Scalar(int64(-2)))), inverse.times(inverse)), 1e-6)
		}
	}
}

// The four conditions that only the pseudo-inverse fulfils (R. Penrose 1955).
func TestPseudoInversesFulfilTheFourConditions(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 12))
	for round := range 200 {
		n, m := 1+r.IntN(5), 1+r.IntN(5)
		a := matrix(r, array.Real, n, m)
		if round%3 == 0 && n > 1 { // of lower rank
			a = a.Copy()
			copy(a.Reals()[m:2*m], a.Reals()[:m])
		}
		x, p := tableOf(a), tableOf(called(t, "pseudo_inverse", a))
		require.Less(t, far(x.times(p).times(x), x), 1e-9)
		require.Less(t, far(p.times(x).times(p), p), 1e-7)
		require.Less(t, far(x.times(p).turned(), x.times(p)), 1e-8)
		require.Less(t, far(p.times(x).turned(), p.times(x)), 1e-8)
	}
}

// What is left of the right side is at right angles to every column.
func TestLeastSquaresLeaveWhatNoColumnExplains(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 13))
	for range 200 {
		n, m := 2+r.IntN(5), 1+r.IntN(3)
		a, b := matrix(r, array.Real, n, m), matrix(r, array.Real, n, 1+r.IntN(2))
		x := called(t, "least_squares", a, b)
		require.Equal(t, []int{m, b.Len(1)}, x.Shape())
		left := tableOf(a).times(tableOf(x))
		for i := range left {
			for j := range left[i] {
				left[i][j] -= b.ComplexAt(i*b.Len(1) + j)
			}
		}
		if n >= m {
			for _, row := range tableOf(a).turned().times(left) {
				for _, v := range row {
					require.InDelta(t, 0, cmplx.Abs(v), 1e-9)
				}
			}
		}
	}
}

func TestEigenvaluesSolveTheirEquation(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 14))
	for round := range 200 {
		n := 1 + r.IntN(5)
		a := matrix(r, array.Real, n, n)
		symmetric := round%2 == 0
		if symmetric {
			a, _ = Binary(meter(), "+", a, a.Transpose([]int{1, 0}))
		}
		values, vectors := called(t, "eigenvalues", a), called(t, "eigenvectors", a)
		require.Equal(t, []int{n}, values.Shape())
		require.Equal(t, symmetric || n == 1, values.Kind() == array.Real, "real where the matrix is symmetric")
		product, columns := tableOf(a).times(tableOf(vectors)), tableOf(vectors)
		sum := complex128(0)
		for j := range n {
			k := values.ComplexAt(j)
			sum += k
			length := 0.0
			for i := range n {
				require.InDelta(t, 0, cmplx.Abs(product[i][j]-k*columns[i][j]), 1e-9)
				length += real(columns[i][j] * cmplx.Conj(columns[i][j]))
			}
			require.InDelta(t, 1, length, 1e-9, "vectors have unit length")
			if j == 0 {
				continue
			}
			before := values.ComplexAt(j - 1)
			if symmetric {
				require.LessOrEqual(t, real(before), real(k), "rising")
			} else {
				require.GreaterOrEqual(t, cmplx.Abs(before), cmplx.Abs(k)*(1-1e-12), "falling modulus")
			}
		}
		require.InDelta(t, 0, cmplx.Abs(sum-called(t, "trace", a).ComplexAt(0)), 1e-9, "they add up to the trace")
	}
}

func TestSingularValuesRanksAndConditions(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 15))
	for range 200 {
		n, m := 1+r.IntN(5), 1+r.IntN(5)
		a := matrix(r, array.Real, n, m)
		values := called(t, "singular_values", a).Reals()
		require.Len(t, values, min(n, m))
		squares, sum := 0.0, 0.0
		for i, v := range values {
			require.GreaterOrEqual(t, v, 0.0)
			if i > 0 {
				require.GreaterOrEqual(t, values[i-1], v, "falling")
			}
			sum += v * v
		}
		for _, v := range a.Reals() {
			squares += v * v
		}
		require.InDelta(t, squares, sum, 1e-9, "their squares add up to those of the elements")
		require.EqualValues(t, min(n, m), called(t, "rank", a).IntAt(0))
		require.InEpsilon(t, values[0]/values[len(values)-1], called(t, "condition", a).RealAt(0), 1e-9)
		// A product through k columns has the rank k.
		k := 1 + r.IntN(min(n, m))
		thin, _ := Binary(meter(), "dot", matrix(r, array.Real, n, k), matrix(r, array.Real, k, m))
		require.EqualValues(t, k, called(t, "rank", thin).IntAt(0))
	}
}

func TestNormsOfMatrices(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 16))
	for range 200 {
		a := matrix(r, numberKinds[1+r.IntN(2)], 1+r.IntN(4), 1+r.IntN(4))
		columns, rows, squares := make([]float64, a.Len(1)), make([]float64, a.Len(0)), 0.0
		for i, row := range tableOf(a) {
			for j, v := range row {
				columns[j] += cmplx.Abs(v)
				rows[i] += cmplx.Abs(v)
				squares += real(v * cmplx.Conj(v))
			}
		}
		norm := func(kind string) float64 {
			c := &Call{Args: []*array.Array{a}}
			if kind != "" {
				c.Options = map[string]Value{"kind": {Word: kind}}
			}
			return demand(t, c, "norm").RealAt(0)
		}
		require.InEpsilon(t, math.Sqrt(squares), norm(""), 1e-12)
		require.InEpsilon(t, slices.Max(columns), norm("one"), 1e-12)
		require.InEpsilon(t, slices.Max(rows), norm("infinity"), 1e-12)
		require.InEpsilon(t, called(t, "singular_values", a).RealAt(0), norm("spectral"), 1e-9)
	}
	for _, scale := range []float64{1e300, 1e-300} {
		big := array.FromReals([]float64{3 * scale, 4 * scale}, 2)
		require.InEpsilon(t, 5*scale, called(t, "norm", big).RealAt(0), 1e-14, "neither overflows nor vanishes")
	}
}

func TestConjugateTransposes(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 17))
	for range 100 {
		a := matrix(r, numberKinds[r.IntN(3)], 1+r.IntN(4), 1+r.IntN(4))
		require.Zero(t, far(tableOf(called(t, "conjugate_transpose", a)), tableOf(a).turned()))
	}
}
