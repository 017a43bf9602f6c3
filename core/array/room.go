package array

// Room is where the small arrays of one run come from. They are cut from pieces for
// several, since allocating costs more than most work on them. A piece lives as long as
// one of its arrays, so nothing large may hang on it. The nil room allocates each.
type Room struct {
	heads []fresh
	cells []float64
}

const (
	mostSmall  = 64 // elements
	headsAPart = 78 // 16 KB, as the cells: the larger, the less each byte costs
	cellsAPart = 2048
)

// New is the function New, from the room where the array is small.
func (r *Room) New(kind Kind, shape []int) *Array {
	n, _ := Size(shape)
	if r == nil || kind != Real || n > mostSmall || len(shape) > mostNear {
		return New(kind, shape)
	}
	if len(r.cells) < n {
		r.cells = make([]float64, cellsAPart)
	}
	f := r.head()
	f.array.kind = Real
	f.cells.reals = r.cells[:n:n]
	r.cells = r.cells[n:]
	return f.shaped(shape)
}

func (r *Room) head() *fresh {
	if len(r.heads) == 0 {
		r.heads = make([]fresh, headsAPart)
	}
	f := &r.heads[0]
	r.heads = r.heads[1:]
	return f
}
