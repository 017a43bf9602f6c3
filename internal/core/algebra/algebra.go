package algebra

import (
	"math"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"
)

// Clock bounds slow work. Both methods may end it by a panic that the caller recovers.
type Clock interface {
	// Worked counts the multiplications done since the last call. It is called from the
	// caller's goroutine.
	Worked(products int)
	// Await does work of about so many multiplications that cannot be ended halfway. It may
	// unwind to the caller before work ends, so work must write to nothing that anyone else
	// uses.
	Await(products int, work func())
}

// number is what matrices hold.
type number interface{ float64 | complex128 }

// atOnce is about how many products are computed between two looks at the clock.
const atOnce = 1 << 26

// Multiply sets out, n by m, to the product of a, n by k, and b, k by m. Each element
// is the sum over k in order, whatever the size, so results do not depend on the method.
func Multiply(clock Clock, out, a, b []float64, n, k, m int) {
	if n*k*m < 32*32*32 || !finite(b) {
		// gonum passes over zeros on the left, which would hide 0 * inf.
		multiplyPlain(clock, out, a, b, n, k, m)
		return
	}
	right := general(b, k, m, m)
	most := max(64, atOnce/(k*m))
	for i := 0; i < n; i += most {
		rows := min(most, n-i)
		blas64.Gemm(blas.NoTrans, blas.NoTrans, 1, general(a[i*k:], rows, k, k), right, 0, general(out[i*m:], rows, m, m))
		clock.Worked(rows * k * m)
	}
}

// general is a block of rows by columns at the start of x.
func general(x []float64, rows, columns, stride int) blas64.General {
	return blas64.General{Rows: rows, Cols: columns, Stride: stride, Data: x}
}

func finite(x []float64) bool {
	for _, v := range x {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return false
		}
	}
	return true
}

func multiplyPlain[T number](clock Clock, out, a, b []T, n, k, m int) {
	for i := range n {
		row := out[i*m : (i+1)*m]
		for l := range k {
			addScaled(row, a[i*k+l], b[l*m:(l+1)*m])
			clock.Worked(m)
		}
	}
}

// MultiplyComplex is Multiply for complex numbers.
func MultiplyComplex(clock Clock, out, a, b []complex128, n, k, m int) {
	multiplyPlain(clock, out, a, b, n, k, m)
}

// addScaled adds f times x to y.
func addScaled[T number](y []T, f T, x []T) {
	x = x[:len(y)]
	for j, v := range x {
		y[j] += T(f * v) // the conversion rounds the product before it is added
	}
}

// dotted sums the products of two vectors in order, nothing conjugated.
func dotted[T number](x, y []T) T {
	var sum T
	y = y[:len(x)]
	for j, v := range x {
		sum += T(v * y[j])
	}
	return sum
}

// transposed is a matrix of rows by columns as one of columns by rows.
func transposed[T any](a []T, rows, columns int) []T {
	out := make([]T, len(a))
	for i := range rows {
		for j := range columns {
			out[j*rows+i] = a[i*columns+j]
		}
	}
	return out
}
