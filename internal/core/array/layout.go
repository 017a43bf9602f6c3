package array

// layout is how the elements of an array lie in its cells. It never changes once an
// array is seen, so that arrays of one shape may share it.
type layout struct {
	shape   []int
	strides []int    // in cells, zero where an axis is stretched, negative where reversed
	labels  []string // nil when no axis has one; "" for an axis without
	size    int      // elements
	even    bool     // they are in row-major order without gaps
}

// mostNear is how many axes a layout holds in place.
const mostNear = 3

// laid allocates a layout and the lists of its few axes in one.
type laid struct {
	layout
	dims [2 * mostNear]int
}

// noAxes is the layout of every scalar.
var noAxes = &layout{size: 1, even: true}

// axes gives the layout lists for a number of axes, to be filled.
func (l *laid) axes(rank int) *layout {
	if rank <= mostNear {
		l.shape, l.strides = l.dims[:0:mostNear], l.dims[mostNear:mostNear]
		return &l.layout
	}
	dims := make([]int, 2*rank)
	l.shape, l.strides = dims[:0:rank], dims[rank:rank]
	return &l.layout
}

// rows is the layout of row-major order without gaps.
func (l *laid) rows(shape []int) *layout {
	l.axes(len(shape))
	l.shape, l.strides = l.shape[:len(shape)], l.strides[:len(shape)]
	step := 1
	for i := len(shape) - 1; i >= 0; i-- {
		l.shape[i], l.strides[i] = shape[i], step
		step *= shape[i]
	}
	l.size, l.even = step, true
	return &l.layout
}

// counted computes what follows from shape and strides.
func (l *layout) counted() *layout {
	step := 1
	l.even = true
	for i := len(l.shape) - 1; i >= 0; i-- {
		if l.shape[i] != 1 && l.strides[i] != step {
			l.even = false
		}
		step *= l.shape[i]
	}
	l.size = step
	l.even = l.even || step == 0
	return l
}

// with is the layout under other labels; it keeps the slice.
func (l *layout) with(labels []string) *layout {
	other := *l
	other.labels = named(labels)
	return &other
}

// named drops labels that are all empty.
func named(labels []string) []string {
	for _, label := range labels {
		if label != "" {
			return labels
		}
	}
	return nil
}
