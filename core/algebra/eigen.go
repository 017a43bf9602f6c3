package algebra

import (
	"math"
	"math/cmplx"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// Symmetric finds the eigenvalues of a real symmetric matrix, rising, and its
// eigenvectors as columns of unit length.
func Symmetric(a []float64, n int) (values, vectors []float64, ok bool) {
	if n == 0 {
		return nil, nil, true
	}
	var e mat.EigenSym
	if !e.Factorize(mat.NewSymDense(n, clone(a)), true) {
		return nil, nil, false
	}
	var v mat.Dense
	e.VectorsTo(&v)
	return e.Values(nil), v.RawMatrix().Data, true
}

// General finds the eigenvalues of a real matrix by falling modulus, then rising
// angle, and its eigenvectors as columns of unit length.
func General(a []float64, n int) (values, vectors []complex128, ok bool) {
	if n == 0 {
		return nil, nil, true
	}
	var e mat.Eigen
	if !e.Factorize(mat.NewDense(n, n, clone(a)), mat.EigenRight) {
		return nil, nil, false
	}
	values = e.Values(nil)
	var v mat.CDense
	e.VectorsTo(&v)
	vectors = make([]complex128, n*n)
	for i := range n {
		for j := range n {
			vectors[i*n+j] = v.At(i, j)
		}
	}
	return arrange(values, vectors, n)
}

// arrange sorts eigenvalues by falling modulus and then rising angle in (-pi, pi],
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
		slices.SortStableFunc(order[from:to], func(i, j int) int { return descending(angle(values[j], near), angle(values[i], near)) })
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

// Hermitian finds the eigenvalues of a complex Hermitian matrix, rising, and its
// eigenvectors as columns, by the cyclic Jacobi method (Golub and Van Loan, Matrix
// Computations, 4th ed., 8.5).
func Hermitian(a []complex128, n int) (values []float64, vectors []complex128, ok bool) {
	h, v := clone(a), make([]complex128, n*n)
	for i := range n {
		v[i*n+i] = 1
	}
	for sweep := 0; ; sweep++ {
		off, on := 0.0, 0.0
		for i := range n {
			for j := range n {
				m := cmplx.Abs(h[i*n+j])
				if i == j {
					on += m * m
				} else {
					off += m * m
				}
			}
		}
		if off <= 1e-31*on || off == 0 {
			break
		}
		if sweep > 60 {
			return nil, nil, false
		}
		for p := range n {
			for q := p + 1; q < n; q++ {
				rotate(h, v, n, p, q)
			}
		}
	}
	order := make([]int, n)
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int { return descending(real(h[j*n+j]), real(h[i*n+i])) })
	values, vectors = make([]float64, n), make([]complex128, n*n)
	for k, from := range order {
		values[k] = real(h[from*n+from])
		for i := range n {
			vectors[i*n+k] = v[i*n+from]
		}
	}
	return values, vectors, true
}

// rotate makes the elements (p, q) and (q, p) zero.
func rotate(h, v []complex128, n, p, q int) {
	b := h[p*n+q]
	m := cmplx.Abs(b)
	if m == 0 {
		return
	}
	phase := b / complex(m, 0)
	theta := (real(h[q*n+q]) - real(h[p*n+p])) / (2 * m)
	t := 1 / (math.Abs(theta) + math.Sqrt(theta*theta+1))
	if theta < 0 {
		t = -t
	}
	c := 1 / math.Sqrt(t*t+1)
	cc, s := complex(c, 0), complex(t*c, 0)*phase
	for k := range n {
		x, y := h[k*n+p], h[k*n+q]
		h[k*n+p], h[k*n+q] = cc*x-cmplx.Conj(s)*y, s*x+cc*y
		x, y = v[k*n+p], v[k*n+q]
		v[k*n+p], v[k*n+q] = cc*x-cmplx.Conj(s)*y, s*x+cc*y
	}
	for k := range n {
		x, y := h[p*n+k], h[q*n+k]
		h[p*n+k], h[q*n+k] = cc*x-s*y, cmplx.Conj(s)*x+cc*y
	}
	h[p*n+q], h[q*n+p] = 0, 0 // but for rounding
}

// GeneralComplex finds the eigenvalues of a complex matrix by the shifted QR method
// on its Hessenberg form (Golub and Van Loan, 7.5), in arrange's order, and its
// eigenvectors by back substitution in the triangular form.
func GeneralComplex(a []complex128, n int) (values, vectors []complex128, ok bool) {
	t, q := clone(a), make([]complex128, n*n)
	for i := range n {
		q[i*n+i] = 1
	}
	for k := 1; k < n; k++ { // to Hessenberg form by Givens rotations
		for i := n - 1; i > k; i-- {
			givens(t, q, n, i-1, i, k-1)
		}
	}
	high := n - 1
	for steps := 0; high > 0; steps++ {
		if steps > 60*n {
			return nil, nil, false
		}
		low := high
		for low > 0 {
			size := cmplx.Abs(t[low*n+low]) + cmplx.Abs(t[(low-1)*n+low-1])
			if cmplx.Abs(t[low*n+low-1]) <= 0x1p-53*size || t[low*n+low-1] == 0 {
				t[low*n+low-1] = 0
				break
			}
			low--
		}
		if low == high {
			high--
			continue
		}
		shift := corner(t, n, high)
		if steps%11 == 10 { // an odd shift breaks cycles
			shift += complex(cmplx.Abs(t[high*n+high-1]), 0)
		}
		sweepQR(t, q, n, low, high, shift)
	}
	values = make([]complex128, n)
	for i := range n {
		values[i] = t[i*n+i]
	}
	return arrange(values, backSubstitute(t, q, n), n)
}

// corner is the eigenvalue of the last two by two block nearest its last element.
func corner(t []complex128, n, high int) complex128 {
	a, b := t[(high-1)*n+high-1], t[(high-1)*n+high]
	c, d := t[high*n+high-1], t[high*n+high]
	half := (a + d) / 2
	root := cmplx.Sqrt((a-d)*(a-d)/4 + b*c)
	if cmplx.Abs(half+root-d) < cmplx.Abs(half-root-d) {
		return half + root
	}
	return half - root
}

// rotation makes y vanish against x: [c s; -conj(s) c] [x; y] = [r; 0].
func rotation(x, y complex128) (c float64, s complex128) {
	r := math.Hypot(cmplx.Abs(x), cmplx.Abs(y))
	if r == 0 {
		return 1, 0
	}
	if x == 0 {
		return 0, cmplx.Conj(y) / complex(cmplx.Abs(y), 0)
	}
	c = cmplx.Abs(x) / r
	return c, x / complex(cmplx.Abs(x), 0) * cmplx.Conj(y) / complex(r, 0)
}

func rows(t []complex128, n, i, j, from int, c float64, s complex128) {
	cc := complex(c, 0)
	for k := from; k < n; k++ {
		x, y := t[i*n+k], t[j*n+k]
		t[i*n+k], t[j*n+k] = cc*x+s*y, -cmplx.Conj(s)*x+cc*y
	}
}

func columns(t []complex128, n, i, j, to int, c float64, s complex128) {
	cc := complex(c, 0)
	for k := range to {
		x, y := t[k*n+i], t[k*n+j]
		t[k*n+i], t[k*n+j] = cc*x+cmplx.Conj(s)*y, -s*x+cc*y
	}
}

// givens makes element (j, column) zero by turning rows i and j, and turns the
// columns back so that the eigenvalues stay.
func givens(t, q []complex128, n, i, j, column int) {
	c, s := rotation(t[i*n+column], t[j*n+column])
	rows(t, n, i, j, 0, c, s)
	columns(t, n, i, j, n, c, s)
	columns(q, n, i, j, n, c, s)
	t[j*n+column] = 0
}

// sweepQR is one shifted QR step on the block from low to high.
func sweepQR(t, q []complex128, n, low, high int, shift complex128) {
	for i := range n {
		t[i*n+i] -= shift
	}
	type turn struct {
		c float64
		s complex128
	}
	turns := make([]turn, 0, high-low)
	for i := low; i < high; i++ {
		c, s := rotation(t[i*n+i], t[(i+1)*n+i])
		rows(t, n, i, i+1, i, c, s)
		t[(i+1)*n+i] = 0
		turns = append(turns, turn{c, s})
	}
	for k, r := range turns {
		i := low + k
		columns(t, n, i, i+1, min(i+2, high+1), r.c, r.s)
		columns(q, n, i, i+1, n, r.c, r.s)
	}
	for i := range n {
		t[i*n+i] += shift
	}
}

// backSubstitute turns the eigenvectors of a triangular t into those of q t q*.
func backSubstitute(t, q []complex128, n int) []complex128 {
	size := 0.0
	for _, z := range t {
		size = math.Max(size, cmplx.Abs(z))
	}
	least := complex(math.Max(size, 1e-300)*0x1p-52, 0)
	out := make([]complex128, n*n)
	for k := range n {
		x := make([]complex128, n)
		x[k] = 1
		for i := k - 1; i >= 0; i-- {
			s := complex128(0)
			for j := i + 1; j <= k; j++ {
				s -= t[i*n+j] * x[j]
			}
			d := t[i*n+i] - t[k*n+k]
			if cmplx.Abs(d) < real(least) {
				d = least
			}
			x[i] = s / d
		}
		for i := range n {
			for j := 0; j <= k; j++ {
				out[i*n+k] += q[i*n+j] * x[j]
			}
		}
	}
	return out
}
