package algebra

import (
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"
	"gonum.org/v1/gonum/lapack/lapack64"
	"gonum.org/v1/gonum/mat"
)

// singularBelow is the reciprocal condition under which a matrix counts as singular:
// its inverse has no correct digit.
const singularBelow = 0x1p-52

// panel is how many columns are worked on together.
const panel = 64

// lu is a real matrix as the product of a permutation, a lower and an upper triangle.
type lu struct {
	data       []float64 // the triangles, n by n
	n          int
	order      []int // the row each row was exchanged with
	reciprocal float64
}

func (f *lu) block(i, j, rows, columns int) blas64.General {
	return general(f.data[i*f.n+j:], rows, columns, f.n)
}

func (f *lu) triangle(at, size int, half blas.Uplo, diagonal blas.Diag) blas64.Triangular {
	return blas64.Triangular{Uplo: half, Diag: diagonal, N: size, Stride: f.n, Data: f.data[at*f.n+at:]}
}

// eliminate factors a by panels, the largest element of a column leading (Golub and
// Van Loan, Matrix Computations, 4th ed., 3.4); ok is false when a pivot is zero.
func eliminate(clock Clock, a []float64, n int) (f *lu, ok bool) {
	f, ok = &lu{data: slices.Clone(a), n: n, order: make([]int, n)}, true
	for j := 0; j < n; j += panel {
		width := min(panel, n-j)
		behind := j + width
		ok = lapack64.Getrf(f.block(j, j, n-j, width), f.order[j:behind]) && ok
		for i := j; i < behind; i++ {
			f.order[i] += j
			exchange(f.data[i*n:i*n+j], f.data[f.order[i]*n:])
			exchange(f.data[i*n+behind:(i+1)*n], f.data[f.order[i]*n+behind:])
		}
		if behind < n {
			blas64.Trsm(blas.Left, blas.NoTrans, 1, f.triangle(j, width, blas.Lower, blas.Unit), f.block(j, behind, width,
				n-behind))
			blas64.Gemm(blas.NoTrans, blas.NoTrans, -1, f.block(behind, j, n-behind, width), f.block(j, behind, width,
				n-behind), 1, f.block(behind, behind, n-behind, n-behind))
		}
		clock.Worked((n - j) * (n - j) * width)
	}
	return f, ok
}

func exchange(x, y []float64) {
	if len(x) == 0 || &x[0] == &y[0] {
		return
	}
	for k := range x {
		x[k], y[k] = y[k], x[k]
	}
}

// factor eliminates and finds the reciprocal condition; ok is false when a is singular.
func factor(clock Clock, a []float64, n int) (f *lu, ok bool) {
	f, ok = eliminate(clock, a, n)
	if !ok {
		return f, false
	}
	size := lapack64.Lange(mat.CondNorm, general(a, n, n, n), nil)
	f.reciprocal = lapack64.Gecon(mat.CondNorm, f.block(0, 0, n, n), size, make([]float64, 4*n), make([]int, n))
	return f, f.reciprocal >= singularBelow
}

// Det is the determinant by pivoted LU.
func Det(clock Clock, a []float64, n int) float64 {
	f, _ := eliminate(clock, a, n)
	d, exponent := 1.0, 0
	for i, p := range f.order {
		if p != i {
			d = -d
		}
		// The product of the pivots may leave the range of reals halfway.
		fraction, power := math.Frexp(d * f.data[i*n+i])
		d, exponent = fraction, exponent+power
	}
	if d == 0 {
		return 0 // and not -0
	}
	return math.Ldexp(d, exponent)
}

// Inverse is the inverse by pivoted LU; ok is false when the matrix is singular.
func Inverse(clock Clock, a []float64, n int) (out []float64, reciprocal float64, ok bool) {
	if n == 0 {
		return []float64{}, 1, true
	}
	f, ok := factor(clock, a, n)
	if !ok {
		return nil, f.reciprocal, false
	}
	f.invertUpper(clock)
	f.divideByLower(clock)
	for j := n - 1; j >= 0; j-- {
		if p := f.order[j]; p != j {
			blas64.Swap(blas64.Vector{N: n, Inc: n, Data: f.data[j:]}, blas64.Vector{N: n, Inc: n, Data: f.data[p:]})
		}
	}
	return f.data, f.reciprocal, true
}

// invertUpper replaces the upper triangle by its inverse, whose diagonal has no zero.
func (f *lu) invertUpper(clock Clock) {
	for j := 0; j < f.n; j += panel {
		width := min(panel, f.n-j)
		corner := f.triangle(j, width, blas.Upper, blas.NonUnit)
		if j > 0 {
			above := f.block(0, j, j, width)
			blas64.Trmm(blas.Left, blas.NoTrans, 1, f.triangle(0, j, blas.Upper, blas.NonUnit), above)
			blas64.Trsm(blas.Right, blas.NoTrans, -1, corner, above)
		}
		lapack64.Trtri(corner)
		clock.Worked(j * j * width / 2)
	}
}

// divideByLower takes the inverse of the upper triangle over the lower one, from the
// last columns on, each of which needs those behind it.
func (f *lu) divideByLower(clock Clock) {
	n := f.n
	lower := make([]float64, n*panel)
	for j := (n - 1) / panel * panel; j >= 0; j -= panel {
		width := min(panel, n-j)
		behind := j + width
		for k := j; k < behind; k++ {
			for i := k + 1; i < n; i++ {
				lower[i*panel+k-j], f.data[i*n+k] = f.data[i*n+k], 0
			}
		}
		columns := f.block(0, j, n, width)
		if behind < n {
			blas64.Gemm(blas.NoTrans, blas.NoTrans, -1, f.block(0, behind, n, n-behind), general(lower[behind*panel:],
				n-behind, width, panel), 1, columns)
		}
		blas64.Trsm(blas.Right, blas.NoTrans, 1, blas64.Triangular{Uplo: blas.Lower, Diag: blas.Unit, N: width,
			Stride: panel, Data: lower[j*panel:]}, columns)
		clock.Worked(n * (n - j) * width)
	}
}

// Solve finds x with a x = b, b having m columns; ok is false when a is singular.
func Solve(clock Clock, a, b []float64, n, m int) (x []float64, reciprocal float64, ok bool) {
	if n == 0 || m == 0 {
		return make([]float64, n*m), 1, true
	}
	f, ok := factor(clock, a, n)
	if !ok {
		return nil, f.reciprocal, false
	}
	x = slices.Clone(b)
	const together = 4 * panel
	for j := 0; j < m; j += together {
		width := min(together, m-j)
		lapack64.Getrs(blas.NoTrans, f.block(0, 0, n, n), general(x[j:], n, width, m), f.order)
		clock.Worked(n * n * width)
	}
	return x, f.reciprocal, true
}

// eliminateComplex factors in place with partial pivoting: order is where each row
// came from, and ok is false when a pivot is zero.
func eliminateComplex(clock Clock, a []complex128, n int) (order []int, sign complex128, ok bool) {
	order = make([]int, n)
	for i := range order {
		order[i] = i
	}
	sign, ok = 1, true
	for k := range n {
		p := k
		for i := k + 1; i < n; i++ {
			if cmplx.Abs(a[i*n+k]) > cmplx.Abs(a[p*n+k]) {
				p = i
			}
		}
		if a[p*n+k] == 0 {
			ok = false
			continue
		}
		if p != k {
			for j := range n {
				a[p*n+j], a[k*n+j] = a[k*n+j], a[p*n+j]
			}
			order[p], order[k] = order[k], order[p]
			sign = -sign
		}
		for i := k + 1; i < n; i++ {
			f := a[i*n+k] / a[k*n+k]
			a[i*n+k] = f
			addScaled(a[i*n+k+1:(i+1)*n], -f, a[k*n+k+1:(k+1)*n])
			clock.Worked(n - k)
		}
	}
	return order, sign, ok
}

// DetComplex is the determinant of a complex matrix.
func DetComplex(clock Clock, a []complex128, n int) complex128 {
	f := slices.Clone(a)
	_, d, _ := eliminateComplex(clock, f, n)
	exponent := 0
	for i := range n {
		d *= f[i*n+i]
		_, power := math.Frexp(math.Max(math.Abs(real(d)), math.Abs(imag(d))))
		d, exponent = scaledBy(d, -power), exponent+power
	}
	return scaledBy(d, exponent)
}

// SolveComplex finds x with a x = b; the reciprocal condition is in the 1-norm.
func SolveComplex(clock Clock, a, b []complex128, n, m int) (x []complex128, reciprocal float64, ok bool) {
	if n == 0 {
		return make([]complex128, 0), 1, true
	}
	f := slices.Clone(a)
	order, _, ok := eliminateComplex(clock, f, n)
	if !ok {
		return nil, 0, false
	}
	unit := make([]complex128, n*n)
	for i := range n {
		unit[i*n+i] = 1
	}
	reciprocal = 1 / (oneNorm(a, n) * oneNorm(substitute(clock, f, order, unit, n, n), n))
	if !(reciprocal >= singularBelow) {
		return nil, reciprocal, false
	}
	return substitute(clock, f, order, b, n, m), reciprocal, true
}

// substitute solves the two triangles one after the other, for all columns of b at once.
func substitute(clock Clock, f []complex128, order []int, b []complex128, n, m int) []complex128 {
	x := make([]complex128, 0, n*m)
	for _, from := range order {
		x = append(x, b[from*m:(from+1)*m]...)
	}
	row := func(i int) []complex128 { return x[i*m : (i+1)*m] }
	for i := range n {
		for j := range i {
			addScaled(row(i), -f[i*n+j], row(j))
			clock.Worked(m)
		}
	}
	for i := n - 1; i >= 0; i-- {
		for j := i + 1; j < n; j++ {
			addScaled(row(i), -f[i*n+j], row(j))
			clock.Worked(m)
		}
		for k := range row(i) {
			x[i*m+k] /= f[i*n+i]
		}
	}
	return x
}

func oneNorm(a []complex128, n int) float64 {
	sums := make([]float64, n)
	best := 0.0
	for i := range n {
		for j, z := range a[i*n : (i+1)*n] {
			sums[j] += cmplx.Abs(z)
			best = math.Max(best, sums[j])
		}
	}
	return best
}
