package array

// Arena is where the small arrays of one run come from. They are cut from pieces for
// several, since allocating costs more than most work on them: without it the eight
// statements of `make bench` take up to half as long again. A piece lives as long as one of
// its arrays, so nothing large may hang on it. The nil arena allocates each.
type Arena struct {
	heads   []fresh
	layouts []laid
	cells   []float64
}

const (
	mostSmall    = 64  // elements
	headsAPart   = 131 // 9,472 bytes: a size that the allocator hands out six times from one span
	layoutsAPart = 69
	cellsAPart   = 1184
)

// New is the function New, from the arena where the array is small.
func (r *Arena) New(kind Kind, shape []int) *Array {
	n, _ := Size(shape)
	if r == nil || kind != Real || n > mostSmall {
		return New(kind, shape)
	}
	a := r.reals(n)
	a.layout, a.shared = r.rows(shape), true
	return a
}

// rows is the layout of a small array of a shape without labels.
func (r *Arena) rows(shape []int) *layout {
	return r.layout().rows(shape)
}

// Like makes an array of zeros of the shape and labels of an array without gaps.
func (r *Arena) Like(a *Array) *Array {
	if r == nil || a.size > mostSmall {
		return New(Real, a.shape).SetLabels(a.labels)
	}
	out := r.reals(a.size)
	out.layout, out.shared = a.layout, true
	return out
}

// reals makes an array of n reals that has no layout yet.
func (r *Arena) reals(n int) *Array {
	if len(r.cells) < n {
		r.cells = make([]float64, cellsAPart)
	}
	f := r.head()
	f.array.kind, f.array.cells = Real, &f.cells
	f.cells.reals = r.cells[:n:n]
	r.cells = r.cells[n:]
	return &f.array
}

func (r *Arena) head() *fresh {
	if len(r.heads) == 0 {
		r.heads = make([]fresh, headsAPart)
	}
	f := &r.heads[0]
	r.heads = r.heads[1:]
	return f
}

func (r *Arena) layout() *laid {
	if len(r.layouts) == 0 {
		r.layouts = make([]laid, layoutsAPart)
	}
	l := &r.layouts[0]
	r.layouts = r.layouts[1:]
	return l
}
