// Package algebra does matrix work on flat row-major slices, with gonum beneath.
//
// It knows lengths and numbers, nothing of arrays' labels or of the notation.
package algebra

import (
	"math"

	"gonum.org/v1/gonum/blas"
	"gonum.org/v1/gonum/blas/blas64"
)

// rowsAtOnce is how many rows are multiplied between two looks at the clock.
const rowsAtOnce = 256

// Multiply sets out, n by m, to the product of a, n by k, and b, k by m. It
// returns false when stop asked it to end early. Each element is the sum over k
// in order, whatever the size, so results do not depend on the method.
func Multiply(out, a, b []float64, n, k, m int, stop func() bool) bool {
	if n*k*m < 32*32*32 || !finite(b) {
		// gonum passes over zeros on the left, which would hide 0 * inf.
		return multiplyPlain(out, a, b, n, k, m, stop)
	}
	right := blas64.General{Rows: k, Cols: m, Stride: m, Data: b}
	most := rowsAtOnce
	if k*m > 1<<20 {
		most /= 4 // or it would be long until stop is asked
	}
	for i := 0; i < n; i += most {
		rows := min(most, n-i)
		if i > 0 && stop() {
			return false
		}
		blas64.Gemm(blas.NoTrans, blas.NoTrans, 1,
			blas64.General{Rows: rows, Cols: k, Stride: k, Data: a[i*k : (i+rows)*k]}, right,
			0, blas64.General{Rows: rows, Cols: m, Stride: m, Data: out[i*m : (i+rows)*m]})
	}
	return true
}

func finite(x []float64) bool {
	for _, v := range x {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return false
		}
	}
	return true
}

// number is what a plain product multiplies.
type number interface{ float64 | complex128 }

func multiplyPlain[T number](out, a, b []T, n, k, m int, stop func() bool) bool {
	for i := range n {
		if i > 0 && i*k*m%(1<<20) < k*m && stop() {
			return false
		}
		row := out[i*m : (i+1)*m]
		for l := range k {
			v := a[i*k+l]
			for j, w := range b[l*m : (l+1)*m] {
				row[j] += T(v * w) // the conversion rounds the product before it is added
			}
		}
	}
	return true
}

// MultiplyComplex is Multiply for complex numbers.
func MultiplyComplex(out, a, b []complex128, n, k, m int, stop func() bool) bool {
	return multiplyPlain(out, a, b, n, k, m, stop)
}
