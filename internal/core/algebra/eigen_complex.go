package algebra

import (
	"math"
	"math/cmplx"
)

// Hermitian finds the eigenvalues of a complex Hermitian matrix, ascending, and its
// eigenvectors as columns of unit length, the largest element real and positive.
// Householder reflectors from both sides make it tridiagonal (Golub and Van Loan, 8.3); the
// phases of the off-diagonals go into the vectors.
func Hermitian(clock Clock, a []complex128, n int) (values []float64, vectors []complex128, ok bool) {
	w, back := scaled(a)
	var hs []reflector[complex128]
	three, turns := make([]float64, n*n), make([]complex128, n)
	turn := complex128(1)
	for k := range n {
		turns[k] = turn
		three[k*n+k] = real(w[k*n+k])
		if k+1 == n {
			break
		}
		h, first := reflectorOf(column(w, n, n, k+1, k))
		h.left(clock, w, n, k+1, k+1, n)
		h.right(clock, w, n, k+1, k+1, n)
		hs = append(hs, h)
		turn *= phase(first)
		three[k*n+k+1] = cmplx.Abs(first)
		three[(k+1)*n+k] = three[k*n+k+1]
	}
	values, columns, ok := Symmetric(clock, three, n)
	if !ok {
		return nil, nil, false
	}
	for k := range values {
		values[k] *= back
	}
	vectors = applied(clock, hs, 1, turned(turns, columns), n, n)
	for k := range n {
		v := column(vectors, n, n, 0, k)
		normalise(v)
		for i, z := range v {
			vectors[i*n+k] = z
		}
	}
	return values, vectors, true
}

// GeneralComplex finds the eigenvalues of a complex matrix by the shifted QR method
// on its Hessenberg form (Golub and Van Loan, 7.4 and 7.5), in arrange's order, and its
// eigenvectors by back substitution in the triangular form.
func GeneralComplex(clock Clock, a []complex128, n int) (values, vectors []complex128, ok bool) {
	t, back := scaled(a)
	q := hessenberg(clock, t, n)
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
		sweepQR(clock, t, q, n, low, high, shift)
	}
	vectors = backSubstitute(clock, t, q, n)
	values = make([]complex128, n)
	for i := range n {
		values[i] = t[i*n+i] * complex(back, 0)
	}
	return arrange(values, vectors, n)
}

// hessenberg makes everything below the first diagonal under the main one vanish by
// reflectors from both sides, and gives their product.
func hessenberg(clock Clock, t []complex128, n int) (q []complex128) {
	var hs []reflector[complex128]
	for k := range max(n-2, 0) {
		h, first := reflectorOf(column(t, n, n, k+1, k))
		h.left(clock, t, n, k+1, k+1, n)
		h.right(clock, t, n, k+1, 0, n)
		t[(k+1)*n+k] = first
		for i := k + 2; i < n; i++ {
			t[i*n+k] = 0
		}
		hs = append(hs, h)
	}
	unit := make([]complex128, n*n)
	for i := range n {
		unit[i*n+i] = 1
	}
	return applied(clock, hs, 1, unit, n, n)
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

// rotation is [c s; -conj(s) c], which makes the second of two numbers vanish.
type rotation struct {
	c float64
	s complex128
}

func rotationOf(x, y complex128) rotation {
	sizeX, sizeY := cmplx.Abs(x), cmplx.Abs(y)
	size := math.Hypot(sizeX, sizeY)
	switch {
	case size == 0:
		return rotation{c: 1}
	case sizeX == 0:
		return rotation{s: over(cmplx.Conj(y), sizeY)}
	}
	return rotation{c: sizeX / size, s: over(x, sizeX) * over(cmplx.Conj(y), size)}
}

// turn gives both numbers turned.
func (r rotation) turn(x, y complex128) (p, q complex128) {
	a, b := real(r.s), imag(r.s)
	return complex(
			float64(r.c*real(x))+(float64(a*real(y))-float64(b*imag(y))),
			float64(r.c*imag(x))+(float64(a*imag(y))+float64(b*real(y)))),
		complex(
			float64(r.c*real(y))-(float64(a*real(x))+float64(b*imag(x))),
			float64(r.c*imag(y))-(float64(a*imag(x))-float64(b*real(x))))
}

// sweepQR is one shifted QR step on the block from low to high. Each rotation turns two
// rows; then all of them turn each row's columns in order, as the elements lie.
func sweepQR(clock Clock, t, q []complex128, n, low, high int, shift complex128) {
	for i := range n {
		t[i*n+i] -= shift
	}
	back := make([]rotation, 0, high-low)
	for i := low; i < high; i++ {
		r := rotationOf(t[i*n+i], t[(i+1)*n+i])
		above, below := t[i*n+i:(i+1)*n], t[(i+1)*n+i:(i+2)*n]
		for k := range above {
			above[k], below[k] = r.turn(above[k], below[k])
		}
		below[0] = 0
		back = append(back, rotation{r.c, cmplx.Conj(r.s)})
		clock.Worked(2 * len(above))
	}
	turnColumns := func(row []complex128, from int) {
		for k := from; k < len(back); k++ {
			row[k], row[k+1] = back[k].turn(row[k], row[k+1])
		}
		clock.Worked(2 * len(back))
	}
	for i := range high + 1 {
		turnColumns(t[i*n+low:i*n+high+1], max(i-low-1, 0))
	}
	for i := range n {
		turnColumns(q[i*n+low:i*n+high+1], 0)
	}
	for i := range n {
		t[i*n+i] += shift
	}
}

// backSubstitute turns the eigenvectors of a triangular t into those of q t q*.
func backSubstitute(clock Clock, t, q []complex128, n int) []complex128 {
	size := 0.0
	for _, z := range t {
		size = math.Max(size, cmplx.Abs(z))
	}
	least := math.Max(size, 1e-300) * 0x1p-52
	columns := make([]complex128, n*n)
	for k := range n {
		x := columns[k*n : k*n+k+1]
		x[k] = 1
		for i := k - 1; i >= 0; i-- {
			d := t[i*n+i] - t[k*n+k]
			if cmplx.Abs(d) < least {
				d = complex(least, 0)
			}
			x[i] = -dotted(t[i*n+i+1:i*n+k+1], x[i+1:]) / d
			if cmplx.Abs(x[i]) > 1e100 { // it may grow so at each element
				for j := i; j <= k; j++ {
					x[j] *= 1e-100
				}
			}
			clock.Worked(k - i)
		}
	}
	out := make([]complex128, n*n)
	MultiplyComplex(clock, out, q, transposed(columns, n, n), n, n, n)
	return out
}
