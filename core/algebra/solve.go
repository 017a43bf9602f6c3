package algebra

import (
	"math"
	"math/cmplx"

	"gonum.org/v1/gonum/blas/blas64"
	"gonum.org/v1/gonum/lapack/lapack64"
	"gonum.org/v1/gonum/mat"
)

// singularBelow is the reciprocal condition under which a matrix counts as singular:
// its inverse has no correct digit.
const singularBelow = 0x1p-52

// Det is the determinant by pivoted LU.
func Det(a []float64, n int) float64 {
	if n == 0 {
		return 1
	}
	return mat.Det(mat.NewDense(n, n, clone(a)))
}

func clone[T any](x []T) []T { return append([]T(nil), x...) }

// factor is a real LU factorisation with its reciprocal condition.
func factor(a []float64, n int) (lu *mat.LU, reciprocal float64) {
	lu = &mat.LU{}
	lu.Factorize(mat.NewDense(n, n, clone(a)))
	if c := lu.Cond(); c > 0 {
		reciprocal = 1 / c
	}
	return lu, reciprocal
}

// Inverse is the inverse by pivoted LU; ok is false when the matrix is singular.
func Inverse(a []float64, n int) (out []float64, reciprocal float64, ok bool) {
	if n == 0 {
		return []float64{}, 1, true
	}
	lu := blas64.General{Rows: n, Cols: n, Stride: n, Data: clone(a)}
	size := lapack64.Lange(mat.CondNorm, lu, nil)
	order := make([]int, n)
	if !lapack64.Getrf(lu, order) {
		return nil, 0, false
	}
	reciprocal = lapack64.Gecon(mat.CondNorm, lu, size, make([]float64, 4*n), make([]int, n))
	if !(reciprocal >= singularBelow) {
		return nil, reciprocal, false
	}
	// The first call asks how much room the second works best with.
	room := make([]float64, 1)
	lapack64.Getri(lu, order, room, -1)
	room = make([]float64, int(room[0]))
	return lu.Data, reciprocal, lapack64.Getri(lu, order, room, len(room))
}

// Solve finds x with a x = b, b having m columns; ok is false when a is singular.
func Solve(a, b []float64, n, m int) (x []float64, reciprocal float64, ok bool) {
	if n == 0 || m == 0 {
		return make([]float64, n*m), 1, true
	}
	lu, reciprocal := factor(a, n)
	if reciprocal < singularBelow {
		return nil, reciprocal, false
	}
	var out mat.Dense
	if err := lu.SolveTo(&out, false, mat.NewDense(n, m, clone(b))); err != nil {
		if _, poor := err.(mat.Condition); !poor {
			return nil, 0, false
		}
	}
	return out.RawMatrix().Data, reciprocal, true
}

// complexLU factors in place with partial pivoting.
func complexLU(a []complex128, n int) (order []int, sign complex128, ok bool) {
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
			for j := k + 1; j < n; j++ {
				a[i*n+j] -= f * a[k*n+j]
			}
		}
	}
	return order, sign, ok
}

// DetComplex is the determinant of a complex matrix.
func DetComplex(a []complex128, n int) complex128 {
	lu := clone(a)
	_, d, _ := complexLU(lu, n)
	for i := range n {
		d *= lu[i*n+i]
	}
	return d
}

// SolveComplex finds x with a x = b; the reciprocal condition is in the 1-norm.
func SolveComplex(a, b []complex128, n, m int) (x []complex128, reciprocal float64, ok bool) {
	if n == 0 {
		return make([]complex128, 0), 1, true
	}
	lu := clone(a)
	order, _, ok := complexLU(lu, n)
	if !ok {
		return nil, 0, false
	}
	unit := make([]complex128, n*n)
	for i := range n {
		unit[i*n+i] = 1
	}
	reciprocal = 1 / (oneNorm(a, n) * oneNorm(substitute(lu, order, unit, n, n), n))
	if !(reciprocal >= singularBelow) {
		return nil, reciprocal, false
	}
	return substitute(lu, order, b, n, m), reciprocal, true
}

func substitute(lu []complex128, order []int, b []complex128, n, m int) []complex128 {
	x := make([]complex128, n*m)
	for c := range m {
		for i := range n {
			v := b[order[i]*m+c]
			for j := range i {
				v -= lu[i*n+j] * x[j*m+c]
			}
			x[i*m+c] = v
		}
		for i := n - 1; i >= 0; i-- {
			v := x[i*m+c]
			for j := i + 1; j < n; j++ {
				v -= lu[i*n+j] * x[j*m+c]
			}
			x[i*m+c] = v / lu[i*n+i]
		}
	}
	return x
}

func oneNorm(a []complex128, n int) float64 {
	best := 0.0
	for j := range n {
		s := 0.0
		for i := range n {
			s += cmplx.Abs(a[i*n+j])
		}
		best = math.Max(best, s)
	}
	return best
}

// SVD is a thin singular value decomposition: u is rows by k, v columns by k, and
// values fall; k is the smaller side.
func SVD(a []float64, rows, columns int) (u, values, v []float64) {
	if rows == 0 || columns == 0 {
		return nil, nil, nil
	}
	var svd mat.SVD
	if !svd.Factorize(mat.NewDense(rows, columns, clone(a)), mat.SVDThin) {
		return nil, nil, nil
	}
	var um, vm mat.Dense
	svd.UTo(&um)
	svd.VTo(&vm)
	return um.RawMatrix().Data, svd.Values(nil), vm.RawMatrix().Data
}

// Embed writes a complex matrix as the real one twice as large, [[re, -im], [im, re]],
// whose singular values are the complex one's, each twice.
func Embed(a []complex128, rows, columns int) []float64 {
	out := make([]float64, 4*rows*columns)
	for i := range rows {
		for j := range columns {
			z := a[i*columns+j]
			out[i*2*columns+j], out[i*2*columns+columns+j] = real(z), -imag(z)
			out[(rows+i)*2*columns+j], out[(rows+i)*2*columns+columns+j] = imag(z), real(z)
		}
	}
	return out
}

// Lift reads a complex matrix back from its real form.
func Lift(a []float64, rows, columns int) []complex128 {
	out := make([]complex128, rows*columns)
	for i := range rows {
		for j := range columns {
			out[i*columns+j] = complex(a[i*2*columns+j], a[(rows+i)*2*columns+j])
		}
	}
	return out
}

// RankTolerance is the size under which a singular value counts as zero: the usual
// max(rows, columns) * 2^-52 * the largest.
func RankTolerance(values []float64, rows, columns int) float64 {
	if len(values) == 0 {
		return 0
	}
	return float64(max(rows, columns)) * 0x1p-52 * values[0]
}

// PseudoInverse is the Moore-Penrose inverse, columns by rows, by SVD.
func PseudoInverse(a []float64, rows, columns int) (out []float64, ok bool) {
	out = make([]float64, rows*columns)
	if rows == 0 || columns == 0 {
		return out, true
	}
	u, values, v := SVD(a, rows, columns)
	if values == nil {
		return nil, false
	}
	k := len(values)
	least := RankTolerance(values, rows, columns)
	for s, value := range values {
		if value <= least {
			break
		}
		for i := range columns {
			f := v[i*k+s] / value
			for j := range rows {
				out[i*rows+j] += float64(f * u[j*k+s])
			}
		}
	}
	return out, true
}

// LeastSquares finds the x for which a x lies nearest to b, by QR; ok is false when
// the columns of a, columns at most rows, depend on each other.
func LeastSquares(a, b []float64, rows, columns int) (x []float64, ok bool) {
	var qr mat.QR
	qr.Factorize(mat.NewDense(rows, columns, clone(a)))
	if qr.Cond() > 1/singularBelow {
		return nil, false
	}
	var out mat.VecDense
	if err := qr.SolveVecTo(&out, false, mat.NewVecDense(rows, clone(b))); err != nil {
		if _, poor := err.(mat.Condition); !poor {
			return nil, false
		}
	}
	return out.RawVector().Data, true
}
