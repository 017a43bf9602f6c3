// Package redraw makes arrays of the same sort as given ones: other values from the same
// range and on the same grid, in another shape where one is asked for.
//
// It knows arrays and numbers alone. Whether an exercise's reference runs on what it makes is
// the caller's to find out.
package redraw

import (
	"math"
	"math/rand/v2"
	"slices"

	"nimbusreach/internal/core/array"
)

// Values reads an array's elements as reals; nil for bool and complex.
func Values(a *array.Array) []float64 {
	if a.Kind() != array.Int && a.Kind() != array.Real {
		return nil
	}
	return slices.Clone(a.Widen(array.Real).Reals())
}

// Rebuilt makes an array of another's kind, int or real, from reals.
func Rebuilt(a *array.Array, shape []int, cells []float64) *array.Array {
	if a.Kind() == array.Int {
		ints := make([]int64, len(cells))
		for i, x := range cells {
			ints[i] = int64(x)
		}
		return array.FromInts(ints, shape...)
	}
	return array.FromReals(cells, shape...)
}

// Filled makes an array of a shape from another's values, half of them drawn anew between the
// least and the greatest. A symmetric matrix stays symmetric.
func Filled(r *rand.Rand, a *array.Array, shape []int) *array.Array {
	n, _ := array.Size(shape)
	size := a.Size()
	if size == 0 {
		return array.New(a.Kind(), shape).WithLabels(a.Labels())
	}
	if from := Values(a); from != nil {
		low, high, whole := slices.Min(from), slices.Max(from), true
		for _, x := range from {
			whole = whole && x == math.Trunc(x)
		}
		cells := make([]float64, n)
		for i := range cells {
			cells[i] = from[r.IntN(size)]
			if r.IntN(2) == 0 && low < high {
				x := low + r.Float64()*(high-low)
				switch {
				case whole:
					x = math.Round(x)
				case high-low > 0.1:
					x = math.Round(x*100) / 100 // easy to read, and to paste
				}
				cells[i] = x
			}
		}
		out := Rebuilt(a, shape, cells)
		if Symmetric(a) && len(shape) == 2 && shape[0] == shape[1] {
			out = Symmetrized(out)
		}
		return out.WithLabels(a.Labels())
	}
	list := make([]int, n)
	for i := range list {
		list[i] = r.IntN(size)
	}
	return a.Reshape([]int{size}).Select([]array.Pick{{Kind: array.PickList, List: list}}).Reshape(shape).
		WithLabels(a.Labels())
}

// Alike is Filled for data that programs may rely on: values that ascend go on to, those that
// are all different stay so, an order of positions stays one, shares of one stay shares of one, and a diagonal of a
// sort of its own stays of that sort.
func Alike(r *rand.Rand, a *array.Array, shape []int) *array.Array {
	from := Values(a)
	n, _ := array.Size(shape)
	if len(from) < 2 || slices.ContainsFunc(from, math.IsNaN) {
		return Filled(r, a, shape)
	}
	if axis := sharedAlong(a, from); axis >= 0 && len(shape) == a.Rank() {
		return shared(r, a, shape, axis)
	}
	if hasDiagonal(a, from) && len(shape) == 2 && shape[0] == shape[1] {
		return square(r, a, from, shape[0])
	}
	distinct := len(slices.Compact(slices.Sorted(slices.Values(from)))) == len(from)
	if a.Rank() == 1 && len(shape) == 1 && slices.IsSorted(from) {
		return ascending(r, a, from, n)
	}
	if !distinct || Symmetric(a) {
		return Filled(r, a, shape)
	}
	low, high := slices.Min(from), slices.Max(from)
	if a.Kind() == array.Int && high-low == float64(len(from)-1) && n == len(from) {
		r.Shuffle(n, func(i, k int) { from[i], from[k] = from[k], from[i] })
		return Rebuilt(a, shape, from).WithLabels(a.Labels())
	}
	return Rebuilt(a, shape, different(r, a.Kind() == array.Int, low, high, n)).WithLabels(a.Labels())
}

// sharedAlong finds the axis along which values are shares of one: probabilities, parts of a whole. -1 for none.
func sharedAlong(a *array.Array, from []float64) int {
	if a.Kind() != array.Real || a.Rank() > 2 || slices.Min(from) < 0 {
		return -1
	}
	for axis := a.Rank() - 1; axis >= 0; axis-- {
		if a.Len(axis) < 2 {
			continue
		}
		sums := make([]float64, len(from)/a.Len(axis))
		for i, x := range from {
			sums[lineOf(a.Shape(), axis, i)] += x
		}
		if !slices.ContainsFunc(sums, func(s float64) bool { return math.Abs(s-1) > 1e-9 }) {
			return axis
		}
	}
	return -1
}

// lineOf says which of the lines along an axis of a vector or matrix a cell is in.
func lineOf(shape []int, axis, cell int) int {
	switch {
	case len(shape) == 1:
		return 0
	case axis == 0:
		return cell % shape[1]
	}
	return cell / shape[1]
}

// grain is what shares are whole multiples of: one in so many, and so short to read.
const grain = 20

// shared draws shares of one along an axis.
func shared(r *rand.Rand, a *array.Array, shape []int, axis int) *array.Array {
	n, _ := array.Size(shape)
	cells := make([]float64, n)
	lines := map[int][]int{}
	for i := range cells {
		line := lineOf(shape, axis, i)
		lines[line] = append(lines[line], i)
	}
	for line := range len(lines) {
		for range grain {
			cells[lines[line][r.IntN(len(lines[line]))]]++
		}
	}
	for i := range cells {
		cells[i] /= grain
	}
	return Rebuilt(a, shape, cells).WithLabels(a.Labels())
}

// hasDiagonal reports whether the diagonal of a square matrix is of a sort of its own: that of a symmetric matrix, or
// one value.
func hasDiagonal(a *array.Array, from []float64) bool {
	if a.Rank() != 2 || a.Len(0) != a.Len(1) || a.Len(0) < 2 {
		return false
	}
	diagonal, _ := parted(from, a.Len(0))
	return Symmetric(a) || len(slices.Compact(diagonal)) == 1
}

// parted are the elements of a square matrix on its diagonal, and all others.
func parted(cells []float64, n int) (diagonal, others []float64) {
	for i, x := range cells {
		if i/n == i%n {
			diagonal = append(diagonal, x)
		} else {
			others = append(others, x)
		}
	}
	return diagonal, others
}

// mostHalved bounds how often what is beside a diagonal is halved, for a matrix that is to be positive definite.
const mostHalved = 8

// mostDefinite bounds the rows of a matrix that is asked whether it is positive definite.
const mostDefinite = 50

// square draws a square matrix, its diagonal from the diagonal and the rest from the rest. A symmetric one stays
// symmetric, and a positive definite one positive definite.
func square(r *rand.Rand, a *array.Array, from []float64, n int) *array.Array {
	old := a.Len(0)
	draw := func(cells []float64, count int) []float64 {
		return Values(Filled(r, Rebuilt(a, []int{len(cells)}, cells), []int{count}))
	}
	diagonal, others := parted(from, old)
	diagonal, others = draw(diagonal, n), draw(others, n*n-n)
	cells := make([]float64, n*n)
	symmetric := Symmetric(a)
	k := 0
	for i := range cells {
		if i/n == i%n {
			cells[i] = diagonal[i/n]
			continue
		}
		cells[i] = others[k]
		k++
		if column := i % n; symmetric && column < i/n {
			cells[i] = cells[column*n+i/n]
		}
	}
	stays := max(n, old) <= mostDefinite && definite(from, old)
	for range mostHalved {
		if !stays || definite(cells, n) {
			break
		}
		for i := range cells {
			if i/n != i%n {
				cells[i] = halved(cells[i])
			}
		}
	}
	return Rebuilt(a, []int{n, n}, cells).WithLabels(a.Labels())
}

// halved is half of a value, whole if that is.
func halved(x float64) float64 {
	if x == math.Trunc(x) {
		return math.Trunc(x / 2)
	}
	return x / 2
}

// definite reports whether a matrix is symmetric and positive definite: whether it has a Cholesky factor.
func definite(cells []float64, n int) bool {
	l := slices.Clone(cells)
	for i := range n {
		for j := range i + 1 {
			if cells[i*n+j] != cells[j*n+i] {
				return false
			}
			sum := l[i*n+j]
			for k := range j {
				sum -= l[i*n+k] * l[j*n+k]
			}
			switch {
			case i != j:
				l[i*n+j] = sum / l[j*n+j]
			case sum <= 0:
				return false
			default:
				l[i*n+i] = math.Sqrt(sum)
			}
		}
	}
	return true
}

// ascending begins with the same value, and goes on by gaps of the same sort.
func ascending(r *rand.Rand, a *array.Array, from []float64, n int) *array.Array {
	cells := make([]float64, n)
	at := from[0]
	for i := range cells {
		if i > 0 {
			k := 1 + r.IntN(len(from)-1)
			at += from[k] - from[k-1]
		}
		cells[i] = at
	}
	return Rebuilt(a, []int{n}, cells).WithLabels(a.Labels())
}

// different draws numbers of which no two are equal; ints go as far above as they must.
func different(r *rand.Rand, whole bool, low, high float64, n int) []float64 {
	seen := map[float64]bool{}
	cells := make([]float64, n)
	for i := range cells {
		for try := 0; ; try++ {
			x := low + r.Float64()*(high-low)
			switch {
			case whole:
				x = math.Round(x) + float64(try/20)
			case high-low > 0.1 && try < 20:
				x = math.Round(x*100) / 100
			}
			if !seen[x] {
				seen[x], cells[i] = true, x
				break
			}
		}
	}
	return cells
}

// Ascends reports whether an array of one axis is in ascending order.
func Ascends(a *array.Array) bool {
	from := Values(a)
	return a.Rank() == 1 && len(from) > 2 && slices.IsSorted(from)
}

// Symmetric reports whether an array is a square matrix equal to its transpose.
func Symmetric(a *array.Array) bool {
	return a.Rank() == 2 && a.Len(0) == a.Len(1) && a.Len(0) > 1 && array.Equal(a, a.Transpose([]int{1, 0}))
}

// Symmetrized is a square matrix with its lower triangle above the diagonal too.
func Symmetrized(a *array.Array) *array.Array {
	n := a.Len(0)
	out := a.Copy()
	for i := range n {
		for k := range i {
			picks := func(r, c int) []array.Pick {
				return []array.Pick{{Kind: array.PickPosition, Start: r}, {Kind: array.PickPosition, Start: c}}
			}
			out.Assign(picks(i, k), out.Select(picks(k, i)))
		}
	}
	return out
}
