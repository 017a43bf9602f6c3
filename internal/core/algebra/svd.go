package algebra

import (
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// SVD is a thin singular value decomposition: u is rows by k, v columns by k, and
// values descend; k is the smaller side. values is nil when the method did not converge.
func SVD(clock Clock, a []float64, rows, columns int) (u, values, v []float64) {
	switch {
	case rows == 0 || columns == 0:
		return nil, []float64{}, nil
	case rows < columns:
		v, values, u = SVD(clock, transposed(a, rows, columns), columns, rows)
		return u, values, v
	case rows > columns:
		w, back := scaled(a)
		q, upper := triangular(clock, w, rows, columns)
		u, values, v = SVD(clock, upper, columns, columns)
		if values == nil {
			return nil, nil, nil
		}
		for k := range values {
			values[k] *= back
		}
		return q.times(clock, u, columns), values, v
	}
	var svd mat.SVD
	var um, vm mat.Dense
	converged := false
	copied := mat.NewDense(rows, columns, slices.Clone(a))
	await(clock, rows, func() {
		if converged = svd.Factorize(copied, mat.SVDThin); converged {
			svd.UTo(&um)
			svd.VTo(&vm)
		}
	})
	if !converged {
		return nil, nil, nil
	}
	return um.RawMatrix().Data, svd.Values(nil), vm.RawMatrix().Data
}

// await does gonum's work on a matrix beside the clock where it is more than an
// instant's. It takes some tens of products for each of the cube of its rows.
func await(clock Clock, n int, work func()) {
	products := 20 * n * n * n
	if n <= 64 {
		work()
		clock.Worked(products)
		return
	}
	clock.Await(products, work)
}

// SVDComplex is SVD for complex numbers: a is u diag(values) v*. Householder
// reflectors from both sides make it bidiagonal (Golub and Van Loan, 5.4); the phases of the
// diagonals go into u and v.
func SVDComplex(clock Clock, a []complex128, rows, columns int) (u []complex128, values []float64, v []complex128) {
	if rows < columns {
		v, values, u = SVDComplex(clock, conjugated(transposed(a, rows, columns)), columns, rows)
		return u, values, v
	}
	w, back := scaled(a)
	var lefts, rights []reflector[complex128]
	for k := range columns {
		h, first := reflectorOf(column(w, columns, rows, k, k))
		h.left(clock, w, columns, k, k+1, columns)
		w[k*columns+k] = first
		lefts = append(lefts, h)
		if k+1 < columns {
			h, first = reflectorOf(conjugated(w[k*columns+k+1 : (k+1)*columns]))
			h.right(clock, w, columns, k+1, k+1, rows)
			w[k*columns+k+1] = cmplx.Conj(first)
			rights = append(rights, h)
		}
	}
	two := make([]float64, columns*columns)
	left, right := make([]complex128, columns), make([]complex128, columns)
	turn := complex128(1)
	for k := range columns {
		right[k] = turn
		diagonal := w[k*columns+k] * turn
		left[k] = phase(diagonal)
		two[k*columns+k] = cmplx.Abs(diagonal)
		if k+1 < columns {
			beside := w[k*columns+k+1]
			turn = cmplx.Conj(phase(beside)) * left[k]
			two[k*columns+k+1] = cmplx.Abs(beside)
		}
	}
	realU, values, realV := SVD(clock, two, columns, columns)
	if values == nil {
		return nil, nil, nil
	}
	for k := range values {
		values[k] *= back
	}
	return applied(clock, lefts, 0, turned(left, realU), rows, columns), values,
		applied(clock, rights, 1, turned(right, realV), columns, columns)
}

// turned multiplies the rows of a real square matrix by numbers.
func turned(by []complex128, a []float64) []complex128 {
	out := make([]complex128, len(a))
	for i, f := range by {
		for j := range by {
			out[i*len(by)+j] = f * complex(a[i*len(by)+j], 0)
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

// PseudoInverse is the Moore-Penrose inverse, columns by rows, by SVD; ok is false
// when that did not converge.
func PseudoInverse(clock Clock, a []float64, rows, columns int) (out []float64, ok bool) {
	u, values, v := SVD(clock, a, rows, columns)
	return pseudo(clock, Multiply, u, values, v, rows, columns)
}

// PseudoInverseComplex is PseudoInverse for complex numbers.
func PseudoInverseComplex(clock Clock, a []complex128, rows, columns int) (out []complex128, ok bool) {
	u, values, v := SVDComplex(clock, a, rows, columns)
	return pseudo(clock, MultiplyComplex, u, values, v, rows, columns)
}

// pseudo is v over the values that count, times u*.
func pseudo[T number](clock Clock, multiply func(clock Clock, out, a, b []T, n, k, m int), u []T, values []float64,
	v []T, rows, columns int) (out []T, ok bool) {
	least := RankTolerance(values, rows, columns)
	for s, value := range values {
		for i := range columns {
			if value > least {
				v[i*len(values)+s] = over(v[i*len(values)+s], value)
			} else {
				v[i*len(values)+s] = 0
			}
		}
	}
	out = make([]T, rows*columns)
	multiply(clock, out, v, conjugated(transposed(u, rows, len(values))), columns, len(values), rows)
	return out, values != nil
}
