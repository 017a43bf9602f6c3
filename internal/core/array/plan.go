package array

// Plan walks several arrays of one shape together, row-major, in runs along the
// innermost axis. Neighbouring axes that lie evenly in every operand are walked
// as one, so contiguous operands give a single run.
type Plan struct {
	// Run is the length of every run and Steps the stride of each operand in it.
	Run   int
	Steps []int

	shape   []int
	strides [][]int
	offsets []int
	runs    int
}

// NewPlan prepares a walk. Every operand has the shape already, by Stretch where
// it was smaller.
func NewPlan(shape []int, operands ...*Array) *Plan {
	p := &Plan{Run: 1}
	k, rank := len(operands), len(shape)
	// One allocation holds offsets, steps, shape and strides.
	ints := make([]int, 2*k+rank*(k+1))
	p.offsets, p.Steps, ints = ints[:k:k], ints[k:2*k:2*k], ints[2*k:]
	p.shape, ints = ints[:0:rank], ints[rank:]
	p.strides = make([][]int, k)
	for i, a := range operands {
		p.offsets[i] = a.offset
		p.strides[i], ints = ints[:0:rank], ints[rank:]
	}
	for i, d := range shape {
		if d == 1 {
			continue
		}
		if last := len(p.shape) - 1; last >= 0 && mergeable(p, operands, i, last) {
			p.shape[last] *= d
			for k, a := range operands {
				p.strides[k][last] = a.strides[i]
			}
			continue
		}
		p.shape = append(p.shape, d)
		for k, a := range operands {
			p.strides[k] = append(p.strides[k], a.strides[i])
		}
	}
	if last := len(p.shape) - 1; last >= 0 {
		p.Run = p.shape[last]
		p.shape = p.shape[:last]
		for k := range operands {
			p.Steps[k] = p.strides[k][last]
		}
	}
	p.runs, _ = Size(p.shape)
	if p.Run == 0 {
		p.runs = 0
	}
	return p
}

// mergeable reports whether axis i continues the plan's last axis in every operand.
func mergeable(p *Plan, operands []*Array, i, last int) bool {
	for k, a := range operands {
		if p.strides[k][last] != a.strides[i]*a.shape[i] {
			return false
		}
	}
	return true
}

// Each calls f for every run with the row-major place of its first element, its
// length, and the place of that element in each operand's storage. The slice at
// is reused between calls.
func (p *Plan) Each(f func(lo, n int, at []int)) {
	at := make([]int, len(p.offsets)+len(p.shape))
	at, index := at[:len(p.offsets):len(p.offsets)], at[len(p.offsets):]
	copy(at, p.offsets)
	for r, lo := 0, 0; r < p.runs; r, lo = r+1, lo+p.Run {
		f(lo, p.Run, at)
		for i := len(index) - 1; i >= 0; i-- {
			index[i]++
			for k := range at {
				at[k] += p.strides[k][i]
			}
			if index[i] < p.shape[i] {
				break
			}
			for k := range at {
				at[k] -= p.strides[k][i] * p.shape[i]
			}
			index[i] = 0
		}
	}
}
