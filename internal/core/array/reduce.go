package array

import (
	"math/bits"
	"slices"

	"gonum.org/v1/gonum/floats"
)

// split separates axes into kept and reduced ones.
func split(rank int, collapse []int) (kept []int) {
	for axis := range rank {
		if !slices.Contains(collapse, axis) {
			kept = append(kept, axis)
		}
	}
	return kept
}

// AppendCollapsed appends the lengths left when axes are reduced; with keep the
// reduced ones stay with length 1.
func (a *Array) AppendCollapsed(shape, collapse []int, keep bool) []int {
	for axis, d := range a.shape {
		switch {
		case !slices.Contains(collapse, axis):
			shape = append(shape, d)
		case keep:
			shape = append(shape, 1)
		}
	}
	return shape
}

// Collapsed makes the array that collapsing axes to a shape fills, zeros as yet; axes
// that stay keep their labels.
func (a *Array) Collapsed(arena *Arena, kind Kind, shape, collapse []int, keep bool) *Array {
	out := arena.New(kind, shape)
	if a.labels == nil {
		return out
	}
	labels := make([]string, 0, len(out.shape))
	for axis, l := range a.labels {
		if keep || !slices.Contains(collapse, axis) {
			labels = append(labels, l)
		}
	}
	return out.SetLabels(labels)
}

// Reduce reduces axes: f gets the elements behind each result element in
// row-major order and must not keep or change the slice. A small result comes from the arena.
func Reduce[T, O Cell](arena *Arena, a *Array, collapse []int, keep bool, f func(items []T) O) *Array {
	var near [8]int
	out := a.Collapsed(arena, KindOf[O](), a.AppendCollapsed(near[:0], collapse, keep), collapse, keep)
	cells := storage[O](out.cells)
	EachGroup(a, collapse, func(i int, items []T) { cells[i] = f(items) })
	return out
}

// mostRelative bounds the table of places that EachGroup gathers by.
const mostRelative = 1 << 16

// EachGroup calls f for each place of the kept axes, row-major, with the elements
// of the reduced axes behind it in row-major order. The slice is reused.
func EachGroup[T Cell](a *Array, collapse []int, f func(i int, items []T)) {
	if first, last, ok := trailing(a, collapse); ok {
		n := 1
		for axis := first; axis <= last; axis++ {
			n *= a.shape[axis]
		}
		if n > 0 {
			data := storage[T](a.cells)[a.offset : a.offset+a.Size()]
			for i := 0; len(data) > 0; i, data = i+1, data[n:] {
				f(i, data[:n:n])
			}
			return
		}
	}
	kept := split(len(a.shape), collapse)
	sorted := slices.Clone(collapse)
	slices.Sort(sorted)
	outer, inner := a.Transpose(kept), a.Transpose(sorted)
	data := storage[T](a.cells)
	n := inner.Size()
	p := NewPlan(outer.shape, outer)
	if outer.Size() == 0 {
		return
	}
	switch {
	case n == 0:
		for i := range outer.Size() {
			f(i, nil)
		}
	case inner.IsContiguous():
		p.Each(func(lo, run int, at []int) {
			for i := range run {
				from := at[0] + i*p.Steps[0]
				f(lo+i, data[from:from+n])
			}
		})
	case n > mostRelative:
		buffer := make([]T, n)
		header := *inner
		p.Each(func(lo, run int, at []int) {
			for i := range run {
				header.offset = at[0] + i*p.Steps[0]
				gather(buffer, data, &header)
				f(lo+i, buffer)
			}
		})
	default:
		eachTile(data, p, relativePlaces(inner, n), f)
	}
}

// trailing reports whether axes are the last ones of an array without gaps, so that
// the elements behind each result lie in one piece.
func trailing(a *Array, collapse []int) (first, last int, ok bool) {
	if len(collapse) == 0 || !a.IsContiguous() {
		return 0, 0, false
	}
	first, last, ok = neighbours(collapse)
	return first, last, ok && last == len(a.shape)-1
}

// relativePlaces lists the places of the elements, from that of the first.
func relativePlaces(a *Array, n int) []int {
	relative := make([]int, n)
	p := NewPlan(a.shape, a)
	p.Each(func(lo, run int, at []int) {
		for i := range run {
			relative[lo+i] = at[0] - a.offset + i*p.Steps[0]
		}
	})
	return relative
}

// tile is how many groups that are adjacent are gathered together, so that
// every line of the cache is read once.
const tile = 32

// eachTile gathers groups whose elements lie apart, many neighbours at a time.
func eachTile[T Cell](data []T, p *Plan, relative []int, f func(i int, items []T)) {
	n := len(relative)
	wide := max(1, min(tile, p.Run, mostRelative/n))
	buffer := make([]T, n*wide)
	p.Each(func(lo, run int, at []int) {
		for first := 0; first < run; first += wide {
			m := min(wide, run-first)
			from, step := at[0]+first*p.Steps[0], p.Steps[0]
			for k, r := range relative {
				place := from + r
				for j := range m {
					buffer[j*n+k] = data[place+j*step]
				}
			}
			for j := range m {
				f(lo+first+j, buffer[j*n:(j+1)*n])
			}
		}
	})
}

// Along works through one axis: f gets the elements along it and fills a result
// of length length, for every place of the other axes. The slices are reused.
// Labels stay.
func Along[T, O Cell](a *Array, axis, length int, f func(out []O, items []T)) *Array {
	shape := slices.Clone(a.shape)
	shape[axis] = length
	out := New(KindOf[O](), shape).SetLabels(a.labels)
	cells := storage[O](out.cells)
	if len(cells) == 0 {
		return out
	}
	step := out.strides[axis]
	line := make([]O, length)
	kept := out.Transpose(split(len(shape), []int{axis}))
	EachGroup(a, []int{axis}, func(i int, items []T) {
		f(line, items)
		at := kept.place(i)
		for k, v := range line {
			cells[at+k*step] = v
		}
	})
	return out
}

// SumOver adds reals over the leading axes of a contiguous array of rows elements
// behind each of columns places, element by element in PairwiseSum's order, reading
// it in order.
func SumOver(out, data []float64, rows, columns int) {
	wide := min(256, columns)
	var scratch []float64
	if rows >= 8 { // fewer are added without any
		scratch = make([]float64, wide*(8+bits.Len(uint(rows))))
	}
	for from := 0; from < columns; from += wide {
		m := min(wide, columns-from)
		sumRows(out[from:from+m], data[from:], rows, columns, scratch)
	}
}

// sumRows adds rows of len(out) elements that lie stride apart.
func sumRows(out, data []float64, rows, stride int, scratch []float64) {
	m := len(out)
	if rows > 128 {
		half := (rows / 2) &^ 7
		sumRows(out, data, half, stride, scratch[m:])
		other := scratch[:m]
		sumRows(other, data[half*stride:], rows-half, stride, scratch[m:])
		addInto(out, other)
		return
	}
	if rows < 8 {
		clear(out)
		for r := range rows {
			if r == 0 {
				copy(out, data[:m])
				continue
			}
			addInto(out, data[r*stride:r*stride+m])
		}
		return
	}
	lanes := scratch[:8*m]
	for k := range 8 {
		copy(lanes[k*m:(k+1)*m], data[k*stride:k*stride+m])
	}
	r := 8
	for ; r+8 <= rows; r += 8 {
		for k := range 8 {
			addInto(lanes[k*m:(k+1)*m], data[(r+k)*stride:(r+k)*stride+m])
		}
	}
	for j := range out {
		out[j] = ((lanes[j] + lanes[m+j]) + (lanes[2*m+j] + lanes[3*m+j])) + ((lanes[4*m+j] + lanes[5*m+j]) +
			(lanes[6*m+j] + lanes[7*m+j]))
	}
	for ; r < rows; r++ {
		addInto(out, data[r*stride:r*stride+m])
	}
}

// LargestOver finds the largest of rows elements behind each of columns places of a
// contiguous table, reading memory in order; NaN where one is.
func LargestOver(out, data []float64, rows, columns int) {
	copy(out, data[:columns])
	for r := 1; r < rows; r++ {
		row := data[r*columns : (r+1)*columns]
		out := out[:len(row)]
		for j, v := range row {
			if v > out[j] || v != v {
				out[j] = v
			}
		}
	}
}

// SmallestOver is LargestOver for the smallest.
func SmallestOver(out, data []float64, rows, columns int) {
	copy(out, data[:columns])
	for r := 1; r < rows; r++ {
		row := data[r*columns : (r+1)*columns]
		out := out[:len(row)]
		for j, v := range row {
			if v < out[j] || v != v {
				out[j] = v
			}
		}
	}
}

func addInto(to, from []float64) { floats.Add(to, from[:len(to)]) }

// RowsAndColumns reports whether collapsing axes of an array is collapsing rows of
// tables that lie in memory as outer tables of rows by columns; one column where the
// last axes are reduced.
func RowsAndColumns(a *Array, collapse []int) (outer, rows, columns int, ok bool) {
	if !a.IsContiguous() || len(collapse) == 0 {
		return 0, 0, 0, false
	}
	first, last, ok := neighbours(collapse)
	if !ok {
		return 0, 0, 0, false
	}
	outer, rows, columns = 1, 1, 1
	for axis, n := range a.shape {
		switch {
		case axis < first:
			outer *= n
		case axis <= last:
			rows *= n
		default:
			columns *= n
		}
	}
	return outer, rows, columns, true
}

// neighbours reports whether axes, each named once, are adjacent, and the first and
// last of them.
func neighbours(axes []int) (first, last int, ok bool) {
	if len(axes) == 1 {
		return axes[0], axes[0], true
	}
	first, last = slices.Min(axes), slices.Max(axes)
	return first, last, last-first == len(axes)-1
}

// PairwiseSquares adds the squares of the distances from a middle in PairwiseSum's
// order, without an array of all of them.
func PairwiseSquares(x []float64, middle float64) float64 {
	if len(x) > 128 {
		return halves(x, func(x []float64) float64 { return PairwiseSquares(x, middle) })
	}
	var squares [128]float64
	for i, v := range x {
		d := v - middle
		squares[i] = d * d
	}
	return sumPiece(squares[:len(x)])
}

// halves adds what both halves give, on two cores where they are long: the order of
// adding is the same.
func halves(x []float64, sum func([]float64) float64) float64 {
	half := (len(x) / 2) &^ 7
	if len(x) < 4*splitAt {
		return sum(x[:half]) + sum(x[half:])
	}
	var parts [2]float64
	OnCores(2, len(x), func(from, to int) {
		for i := from; i < to; i++ {
			parts[i] = sum(x[half*i : half+i*(len(x)-half)])
		}
	})
	return parts[0] + parts[1]
}

// PairwiseSum adds reals in one fixed order: pieces of 128 are added with eight
// running sums, and pieces are added in pairs. The error grows with the logarithm
// of the count, not with the count (N. J. Higham, Accuracy and Stability of
// Numerical Algorithms, 2nd ed., 4.2).
func PairwiseSum(x []float64) float64 {
	if len(x) > 128 {
		return halves(x, PairwiseSum)
	}
	return sumPiece(x)
}

// sumPiece adds at most 128 reals with eight running sums.
func sumPiece(x []float64) float64 {
	if len(x) < 8 {
		s := 0.0
		for i, v := range x {
			if i == 0 {
				s = v
			} else {
				s += v
			}
		}
		return s
	}
	s0, s1, s2, s3, s4, s5, s6, s7 := x[0], x[1], x[2], x[3], x[4], x[5], x[6], x[7]
	i := 8
	for ; i+8 <= len(x); i += 8 {
		p := x[i : i+8 : i+8]
		s0 += p[0]
		s1 += p[1]
		s2 += p[2]
		s3 += p[3]
		s4 += p[4]
		s5 += p[5]
		s6 += p[6]
		s7 += p[7]
	}
	sum := ((s0 + s1) + (s2 + s3)) + ((s4 + s5) + (s6 + s7))
	for ; i < len(x); i++ {
		sum += x[i]
	}
	return sum
}
