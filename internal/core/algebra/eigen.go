package algebra

import (
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// Symmetric finds the eigenvalues of a real symmetric matrix, ascending, and its
// eigenvectors as columns of unit length.
func Symmetric(clock Clock, a []float64, n int) (values, vectors []float64, ok bool) {
	if n == 0 {
		return nil, nil, true
	}
	var e mat.EigenSym
	var v mat.Dense
	copied := mat.NewSymDense(n, slices.Clone(a))
	await(clock, n, func() {
		if ok = e.Factorize(copied, true); ok {
			e.VectorsTo(&v)
		}
	})
	if !ok {
		return nil, nil, false
	}
	return e.Values(nil), v.RawMatrix().Data, true
}

// General finds the eigenvalues of a real matrix by descending modulus, then ascending
// angle, and its eigenvectors as columns of unit length.
func General(clock Clock, a []float64, n int) (values, vectors []complex128, ok bool) {
	if n == 0 {
		return nil, nil, true
	}
	var e mat.Eigen
	var v mat.CDense
	copied := mat.NewDense(n, n, slices.Clone(a))
	await(clock, n, func() {
		if ok = e.Factorize(copied, mat.EigenRight); ok {
			e.VectorsTo(&v)
		}
	})
	if !ok {
		return nil, nil, false
	}
	values = e.Values(nil)
	vectors = make([]complex128, n*n)
	for i := range n {
		for j := range n {
			vectors[i*n+j] = v.At(i, j)
		}
	}
	return arrange(values, vectors, n)
}

// arrange sorts eigenvalues by descending modulus and then ascending angle in (-pi, pi],
// moduli that differ by rounding alone counting as equal, and makes every vector of
// unit length with its largest element real and positive.
func arrange(values, vectors []complex128, n int) ([]complex128, []complex128, bool) {
	top := 0.0
	for _, z := range values {
		top = math.Max(top, cmplx.Abs(z))
	}
	near := top * 1e-10
	order := make([]int, n)
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return descending(cmplx.Abs(values[i]), cmplx.Abs(values[j])) })
	for from := 0; from < n; {
		to := from + 1
		for to < n && cmplx.Abs(values[order[to-1]])-cmplx.Abs(values[order[to]]) <= near {
			to++
		}
		slices.SortStableFunc(order[from:to], func(i, j int) int {
			return descending(angle(values[j], near),
				angle(values[i], near))
		})
		from = to
	}
	outValues, outVectors := make([]complex128, n), make([]complex128, n*n)
	for k, from := range order {
		outValues[k] = values[from]
		column := make([]complex128, n)
		for i := range n {
			column[i] = vectors[i*n+from]
		}
		normalise(column)
		for i := range n {
			outVectors[i*n+k] = column[i]
		}
	}
	return outValues, outVectors, true
}

func descending(a, b float64) int {
	switch {
	case a > b:
		return -1
	case a < b:
		return 1
	}
	return 0
}

// angle is in (-pi, pi]; an imaginary part of rounding alone is none.
func angle(z complex128, near float64) float64 {
	if math.Abs(imag(z)) <= near {
		z = complex(real(z), 0)
	}
	return cmplx.Phase(z)
}

func normalise(v []complex128) {
	moduli := make([]float64, len(v))
	largest := 0
	for i, z := range v {
		moduli[i] = cmplx.Abs(z)
		if moduli[i] > moduli[largest]*(1+1e-12) {
			largest = i
		}
	}
	size := Norm(moduli)
	if size == 0 {
		return
	}
	turn := complex(size, 0)
	if moduli[largest] > 0 {
		turn *= v[largest] / complex(moduli[largest], 0)
	}
	for i := range v {
		v[i] /= turn
	}
}
