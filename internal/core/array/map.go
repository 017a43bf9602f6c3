package array

// Block is how many elements an element-wise kernel gets at a time: few enough
// that the operands and the result of one step stay in the first cache.
const Block = 512

// feed hands a kernel contiguous pieces of an operand that may be strided.
type feed[T Cell] struct {
	data   []T
	step   int
	buffer []T
	filled int // how many elements of the buffer hold the value at place held
	held   int
}

func newFeed[T Cell](a *Array, step int) *feed[T] {
	f := &feed[T]{data: storage[T](a.cells), step: step}
	return f
}

// piece returns n elements from a place in storage on.
func (f *feed[T]) piece(at, n int) []T {
	if f.step == 1 {
		return f.data[at : at+n]
	}
	if len(f.buffer) < n {
		f.buffer, f.filled = make([]T, min(Block, max(n, 16))), 0
	}
	out := f.buffer[:n]
	if f.step == 0 {
		if f.filled < n || f.held != at {
			v := f.data[at]
			for i := range out {
				out[i] = v
			}
			f.filled, f.held = n, at
		}
		return out
	}
	for i := range out {
		out[i] = f.data[at+i*f.step]
	}
	return out
}

// Map1 applies an element-wise kernel to one array.
func Map1[A, O Cell](a *Array, kernel func(out []O, a []A)) *Array {
	out := New(KindOf[O](), a.shape).SetLabels(a.labels)
	cells := storage[O](out.cells)
	if len(cells) == 0 {
		return out
	}
	if a.IsContiguous() {
		kernel(cells, storage[A](a.cells)[a.offset:a.offset+len(cells)])
		return out
	}
	p := NewPlan(a.shape, a)
	fa := newFeed[A](a, p.Steps[0])
	p.Each(func(lo, n int, at []int) {
		for i := 0; i < n; i += Block {
			m := min(Block, n-i)
			kernel(cells[lo+i:lo+i+m], fa.piece(at[0]+i*p.Steps[0], m))
		}
	})
	return out
}

// Map2 applies an element-wise kernel to two arrays broadcast to a shape they
// both fit. The result has no labels.
func Map2[A, B, O Cell](shape []int, a, b *Array, kernel func(out []O, a []A, b []B)) *Array {
	out := New(KindOf[O](), shape)
	cells := storage[O](out.cells)
	if len(cells) == 0 {
		return out
	}
	if len(cells) == 1 {
		kernel(cells, storage[A](a.cells)[a.offset:a.offset+1], storage[B](b.cells)[b.offset:b.offset+1])
		return out
	}
	if len(a.shape) == len(shape) && len(b.shape) == len(shape) && SameLengths(a.shape, shape) && SameLengths(b.shape,
		shape) && a.IsContiguous() && b.IsContiguous() {
		kernel(cells, storage[A](a.cells)[a.offset:a.offset+len(cells)], storage[B](b.cells)[b.offset:b.offset+len(cells)])
		return out
	}
	a, b = a.Stretch(shape), b.Stretch(shape)
	p := NewPlan(shape, a, b)
	fa, fb := newFeed[A](a, p.Steps[0]), newFeed[B](b, p.Steps[1])
	p.Each(func(lo, n int, at []int) {
		for i := 0; i < n; i += Block {
			m := min(Block, n-i)
			kernel(cells[lo+i:lo+i+m], fa.piece(at[0]+i*p.Steps[0], m), fb.piece(at[1]+i*p.Steps[1], m))
		}
	})
	return out
}

// EachCell applies f to every element.
func EachCell[A, O Cell](f func(A) O) func(out []O, a []A) {
	return func(out []O, a []A) {
		for i, v := range a {
			out[i] = f(v)
		}
	}
}

// EachPair applies f to every pair of elements.
func EachPair[A, B, O Cell](f func(A, B) O) func(out []O, a []A, b []B) {
	return func(out []O, a []A, b []B) {
		b = b[:len(a)]
		for i, v := range a {
			out[i] = f(v, b[i])
		}
	}
}

// Pick3 chooses, element by element over a shape all three fit, from a where the
// mask is true and from b elsewhere. a and b have one kind.
func Pick3(shape []int, mask, a, b *Array) *Array {
	switch a.kind {
	case Bool:
		return pick3[bool](shape, mask, a, b)
	case Int:
		return pick3[int64](shape, mask, a, b)
	case Real:
		return pick3[float64](shape, mask, a, b)
	default:
		return pick3[complex128](shape, mask, a, b)
	}
}

func pick3[T Cell](shape []int, mask, a, b *Array) *Array {
	out := New(KindOf[T](), shape)
	cells := storage[T](out.cells)
	flags, as, bs := mask.cells.bools, storage[T](a.cells), storage[T](b.cells)
	p := NewPlan(shape, mask.Stretch(shape), a.Stretch(shape), b.Stretch(shape))
	even := p.Steps[0] == 1 && p.Steps[1] == 1 && p.Steps[2] == 1
	p.Each(func(lo, n int, at []int) {
		m, x, y := at[0], at[1], at[2]
		if even {
			OnCores(n, n, func(first, end int) {
				to, mask, a, b := cells[lo+first:lo+end], flags[m+first:m+end], as[x+first:x+end], bs[y+first:y+end]
				for i, f := range mask {
					if f {
						to[i] = a[i]
					} else {
						to[i] = b[i]
					}
				}
			})
			return
		}
		for i := range n {
			if flags[m+i*p.Steps[0]] {
				cells[lo+i] = as[x+i*p.Steps[1]]
			} else {
				cells[lo+i] = bs[y+i*p.Steps[2]]
			}
		}
	})
	return out
}
