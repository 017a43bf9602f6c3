package array

// Room is where the small arrays of one run come from. They are cut from pieces for
// several, since allocating costs more than most work on them. A piece lives as long as
// one of its arrays, so nothing large may hang on it. The nil room allocates each.
type Room struct {
	heads   []fresh
	layouts []laid
	cells   []float64
	// recent are the layouts last made for rows without labels: the next shape is often
	// one of them.
	recent [4]*layout
	next   uint8
}

const (
	mostSmall    = 64  // elements
	headsAPart   = 131 // 9,472 bytes: a size that the allocator hands out six times from one span
	layoutsAPart = 69
	cellsAPart   = 1184
)

// New is the function New, from the room where the array is small.
func (r *Room) New(kind Kind, shape []int) *Array {
	n, _ := Size(shape)
	if r == nil || kind != Real || n > mostSmall {
		return New(kind, shape)
	}
	a := r.reals(n)
	a.layout, a.shared = r.rows(shape), true
	return a
}

// rows is the layout of a small array of a shape without labels.
func (r *Room) rows(shape []int) *layout {
	for _, l := range r.recent {
		if l != nil && len(l.shape) == len(shape) && SameLengths(l.shape, shape) {
			return l
		}
	}
	l := r.layout().rows(shape)
	r.recent[r.next%4] = l
	r.next++
	return l
}

// Like makes an array of zeros of the shape and labels of an array without gaps.
func (r *Room) Like(a *Array) *Array {
	if r == nil || a.size > mostSmall {
		return New(Real, a.shape).SetLabels(a.labels)
	}
	out := r.reals(a.size)
	out.layout, out.shared = a.layout, true
	return out
}

// reals makes an array of n reals that has no layout yet.
func (r *Room) reals(n int) *Array {
	if len(r.cells) < n {
		r.cells = make([]float64, cellsAPart)
	}
	f := r.head()
	f.array.kind, f.array.cells = Real, &f.cells
	f.cells.reals = r.cells[:n:n]
	r.cells = r.cells[n:]
	return &f.array
}

func (r *Room) head() *fresh {
	if len(r.heads) == 0 {
		r.heads = make([]fresh, headsAPart)
	}
	f := &r.heads[0]
	r.heads = r.heads[1:]
	return f
}

func (r *Room) layout() *laid {
	if len(r.layouts) == 0 {
		r.layouts = make([]laid, layoutsAPart)
	}
	l := &r.layouts[0]
	r.layouts = r.layouts[1:]
	return l
}
