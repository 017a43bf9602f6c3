package array

import "slices"

// split separates axes into kept and collapsed ones.
func split(rank int, collapse []int) (kept []int) {
	for axis := range rank {
		if !slices.Contains(collapse, axis) {
			kept = append(kept, axis)
		}
	}
	return kept
}

// CollapsedShape returns the shape and labels left when axes are collapsed; with
// keep they stay with length 1 and their label.
func (a *Array) CollapsedShape(collapse []int, keep bool) ([]int, []string) {
	shape := make([]int, 0, len(a.shape))
	var labels []string
	for axis, d := range a.shape {
		if slices.Contains(collapse, axis) {
			if !keep {
				continue
			}
			d = 1
		}
		shape = append(shape, d)
		if a.labels != nil {
			labels = append(labels, a.labels[axis])
		}
	}
	return shape, labels
}

// Reduce collapses axes: f gets the elements behind each result element in
// row-major order and must not keep or change the slice.
func Reduce[T, O Cell](a *Array, collapse []int, keep bool, f func(items []T) O) *Array {
	shape, labels := a.CollapsedShape(collapse, keep)
	out := New(KindOf[O](), shape)
	cells := storage[O](out.cells)
	EachGroup(a, collapse, func(i int, items []T) { cells[i] = f(items) })
	return out.setLabels(labels)
}

// EachGroup calls f for each place of the kept axes, row-major, with the elements
// of the collapsed axes behind it in row-major order. The slice is reused.
func EachGroup[T Cell](a *Array, collapse []int, f func(i int, items []T)) {
	kept := split(len(a.shape), collapse)
	sorted := slices.Clone(collapse)
	slices.Sort(sorted)
	outer, inner := a.Transpose(kept), a.Transpose(sorted)
	data := storage[T](a.cells)
	n := inner.Size()
	groups := outer.Size()
	direct := inner.IsContiguous()
	var buffer []T
	if !direct && groups > 0 {
		buffer = make([]T, n)
	}
	header := *inner
	p := NewPlan(outer.shape, outer)
	p.Each(func(lo, run int, at []int) {
		for i := range run {
			header.offset = at[0] + i*p.Steps[0]
			switch {
			case n == 0:
				f(lo+i, nil)
			case direct:
				f(lo+i, data[header.offset:header.offset+n])
			default:
				gather(buffer, data, &header)
				f(lo+i, buffer)
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
	out := New(KindOf[O](), shape)
	cells := storage[O](out.cells)
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
	out.labels = a.labels
	return out
}

// PairwiseSum adds reals in one fixed order: pieces of 128 are added with eight
// running sums, and pieces are added in pairs. The error grows with the logarithm
// of the count, not with the count (N. J. Higham, Accuracy and Stability of
// Numerical Algorithms, 2nd ed., 4.2).
func PairwiseSum(x []float64) float64 {
	if len(x) > 128 {
		half := (len(x) / 2) &^ 7
		return PairwiseSum(x[:half]) + PairwiseSum(x[half:])
	}
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
	s := [8]float64(x[:8])
	i := 8
	for ; i+8 <= len(x); i += 8 {
		p := x[i : i+8]
		for k := range 8 {
			s[k] += p[k]
		}
	}
	sum := ((s[0] + s[1]) + (s[2] + s[3])) + ((s[4] + s[5]) + (s[6] + s[7]))
	for ; i < len(x); i++ {
		sum += x[i]
	}
	return sum
}
