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

// reflector is a Householder reflector, I - scale v v* for a column v: unitary, and its own
// conjugate transpose (Golub and Van Loan, 5.1). Without v it is I.
type reflector[T number] struct {
	v, conjugate []T
	scale        T
}

// reflectorOf finds the reflector that makes all but the first element of x zero, and what
// the first becomes.
func reflectorOf[T number](x []T) (h reflector[T], first T) {
	if len(x) == 0 {
		return h, first
	}
	if len(x) == 1 || modulus(x[1:]) == 0 {
		return h, x[0]
	}
	size := modulus(x)
	v := make([]T, len(x))
	for i, z := range x {
		v[i] = over(z, size)
	}
	head := modulus(v[:1])
	turn := ofReal[T](1)
	if head > 0 {
		turn = over(v[0], head)
	}
	v[0] += turn // away from zero, so nothing cancels
	h = reflector[T]{v: v, conjugate: conjugated(v), scale: ofReal[T](1 / (1 + head))}
	return h, -turn * ofReal[T](size)
}

// left multiplies the block of a whose first row is given, columns from to to, from
// the left. The work is done along rows, as the elements lie.
func (h reflector[T]) left(clock Clock, a []T, stride, row, from, to int) {
	if h.v == nil || from >= to {
		return
	}
	if reals, ok := any(a).([]float64); ok {
		v := blas64.Vector{N: len(h.v), Inc: 1, Data: any(h.v).([]float64)}
		sums := blas64.Vector{N: to - from, Inc: 1, Data: make([]float64, to-from)}
		block := general(reals[row*stride+from:], len(h.v), to-from, stride)
		blas64.Gemv(blas.Trans, 1, block, v, 0, sums)
		blas64.Ger(-any(h.scale).(float64), v, sums, block)
		clock.Worked(2 * len(h.v) * (to - from))
		return
	}
	sums := make([]T, to-from)
	for i, f := range h.conjugate {
		addScaled(sums, f, a[(row+i)*stride+from:(row+i)*stride+to])
		clock.Worked(to - from)
	}
	for i, f := range h.v {
		addScaled(a[(row+i)*stride+from:(row+i)*stride+to], -h.scale*f, sums)
		clock.Worked(to - from)
	}
}

// right multiplies the block of a whose first column is given, rows from to to, from
// the right.
func (h reflector[T]) right(clock Clock, a []T, stride, column, from, to int) {
	if h.v == nil {
		return
	}
	for i := from; i < to; i++ {
		row := a[i*stride+column : i*stride+column+len(h.v)]
		addScaled(row, -h.scale*dotted(row, h.v), h.conjugate)
		clock.Worked(2 * len(row))
	}
}

// column reads a column from a row on.
func column[T number](a []T, stride, rows, row, at int) []T {
	out := make([]T, 0, rows-row)
	for i := row; i < rows; i++ {
		out = append(out, a[i*stride+at])
	}
	return out
}

// orthogonal is the Q of a QR decomposition, kept as reflectors: orthogonal columns, no more
// than rows.
// Rows come in pieces that stay in the cache: each stage's reflectors, the k-th beginning
// at row k, work on the triangle that the stage before left, and on its piece below.
type orthogonal[T number] struct {
	stages        [][]reflector[T]
	rows, columns int
}

// piece is how many rows the first stage takes, and each after it beside the triangle.
func (q *orthogonal[T]) piece() int { return max(4*q.columns, 64) }

// triangular is a matrix of rows by columns, no more columns than rows, as q times an
// upper triangle of columns by columns.
func triangular[T number](clock Clock, a []T, rows, columns int) (q *orthogonal[T], upper []T) {
	q = &orthogonal[T]{rows: rows, columns: columns}
	for from := 0; from < rows; from += q.piece() {
		to := min(from+q.piece(), rows)
		w := append(upper, a[from*columns:to*columns]...)
		height := len(w) / columns
		var hs []reflector[T]
		for k := range min(height, columns) {
			h, first := reflectorOf(column(w, columns, height, k, k))
			h.left(clock, w, columns, k, k+1, columns)
			w[k*columns+k] = first
			hs = append(hs, h)
		}
		upper = w[: columns*columns : columns*columns]
		for i := range columns {
			clear(upper[i*columns : i*columns+i])
		}
		q.stages = append(q.stages, hs)
	}
	return q, upper
}

// times multiplies q with a matrix of its columns by m.
func (q *orthogonal[T]) times(clock Clock, top []T, m int) []T {
	out := make([]T, q.rows*m)
	for i := len(q.stages) - 1; i >= 0; i-- {
		from, above := i*q.piece(), q.columns
		if i == 0 {
			above = 0
		}
		to := min(from+q.piece(), q.rows)
		block := applied(clock, q.stages[i], 0, top, above+to-from, m)
		copy(out[from*m:], block[above*m:])
		top = block[:above*m]
	}
	return out
}

// turn multiplies a vector by q's conjugate transpose.
func (q *orthogonal[T]) turn(clock Clock, b []T) []T {
	var top []T
	for i, hs := range q.stages {
		from := i * q.piece()
		top = append(top, b[from:min(from+q.piece(), q.rows)]...)
		for k, h := range hs {
			h.left(clock, top, 1, k, 0, 1)
		}
		top = top[:q.columns:q.columns]
	}
	return top
}

// applied multiplies the product of reflectors, the k-th beginning at row k + shift,
// with top, which has m columns and zeros below up to so many rows.
func applied[T number](clock Clock, hs []reflector[T], shift int, top []T, rows, m int) []T {
	out := make([]T, rows*m)
	copy(out, top)
	for k := len(hs) - 1; k >= 0; k-- {
		hs[k].left(clock, out, m, k+shift, 0, m)
	}
	return out
}

// LeastSquares finds the x for which a x is nearest to b, by QR; ok is false when
// the columns of a, columns at most rows, are linearly dependent.
func LeastSquares(clock Clock, a, b []float64, rows, columns int) (x []float64, ok bool) {
	q, upper := triangular(clock, a, rows, columns)
	r := blas64.Triangular{Uplo: blas.Upper, Diag: blas.NonUnit, N: columns, Stride: columns, Data: upper}
	if !(lapack64.Trcon(mat.CondNorm, r, make([]float64, 3*columns), make([]int, columns)) >= singularBelow) {
		return nil, false
	}
	x = q.turn(clock, b)
	blas64.Trsv(blas.NoTrans, r, blas64.Vector{N: columns, Inc: 1, Data: x})
	return x, true
}

// modulus is the root of the sum of squared sizes.
func modulus[T number](x []T) float64 { return Norm(parts(x)) }

// parts lists real and imaginary parts as reals.
func parts[T number](x []T) []float64 {
	reals, ok := any(x).([]float64)
	if !ok {
		for _, z := range any(x).([]complex128) {
			reals = append(reals, real(z), imag(z))
		}
	}
	return reals
}

func conjugated[T number](x []T) []T {
	z, ok := any(x).([]complex128)
	if !ok {
		return x
	}
	out := make([]complex128, len(z))
	for i, v := range z {
		out[i] = cmplx.Conj(v)
	}
	return any(out).([]T)
}

func ofReal[T number](x float64) (out T) {
	switch p := any(&out).(type) {
	case *float64:
		*p = x
	case *complex128:
		*p = complex(x, 0)
	}
	return out
}

// over divides by a real, a complex number part by part.
func over[T number](x T, by float64) T {
	switch p := any(&x).(type) {
	case *float64:
		*p /= by
	case *complex128:
		*p = complex(real(*p)/by, imag(*p)/by)
	}
	return x
}

// phase is a number of size 1 in the direction of z; that of 0 is 1.
func phase(z complex128) complex128 {
	if z == 0 {
		return 1
	}
	return over(z, cmplx.Abs(z))
}

// scaled copies a matrix times a power of two at which squares of its elements neither
// overflow nor underflow, and gives what undoes it.
func scaled[T number](a []T) (out []T, back float64) {
	top := 0.0
	for _, x := range parts(a) {
		top = math.Max(top, math.Abs(x))
	}
	out = slices.Clone(a)
	if top == 0 || top > 1e-100 && top < 1e100 {
		return out, 1
	}
	power := math.Ilogb(top)
	for i, z := range a {
		out[i] = scaledBy(z, -power)
	}
	return out, math.Ldexp(1, power)
}

// scaledBy multiplies with a power of two.
func scaledBy[T number](x T, power int) T {
	switch p := any(&x).(type) {
	case *float64:
		*p = math.Ldexp(*p, power)
	case *complex128:
		*p = complex(math.Ldexp(real(*p), power), math.Ldexp(imag(*p), power))
	}
	return x
}
