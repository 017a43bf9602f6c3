package array

// BroadcastError says which pair of lengths does not fit when shapes are laid
// under each other at their last axes.
type BroadcastError struct {
	A, B int // the two operands, by their place in the call
	Axis int // the first pair that does not fit, counted from the last axis: 1 is the last
}

func (e *BroadcastError) Error() string { return "shapes do not broadcast" }

// BroadcastShape merges shapes aligned at their last axes. Lengths fit when they
// are equal or one is 1; a missing axis counts as 1.
func BroadcastShape(shapes ...[]int) ([]int, error) {
	rank := 0
	var largest []int
	for _, s := range shapes {
		if len(s) >= rank {
			rank, largest = len(s), s
		}
	}
	if inside(shapes, largest) {
		return largest, nil
	}
	out := make([]int, rank)
	owner := make([]int, rank)
	for i := range out {
		out[i] = 1
	}
	for k, s := range shapes {
		shift := rank - len(s)
		for i, d := range s {
			switch at := shift + i; {
			case out[at] == 1:
				out[at], owner[at] = d, k
			case d != 1 && d != out[at]:
				// The pair told is the first from the left within this operand.
				return nil, &BroadcastError{A: owner[at], B: k, Axis: rank - at}
			}
		}
	}
	return out, nil
}

// inside reports whether every shape stretches to the largest without changing it.
func inside(shapes [][]int, largest []int) bool {
	for _, s := range shapes {
		shift := len(largest) - len(s)
		for i, d := range s {
			if d != 1 && d != largest[shift+i] {
				return false
			}
		}
	}
	return true
}

// LabelClash is a result axis on which two operands carry different labels.
type LabelClash struct {
	Axis int // in the result
	A, B string
}

// BroadcastLabels merges labels as BroadcastShape merges lengths: an axis keeps
// a label when all operands that label it agree. It returns nil when no axis
// ends with a label.
func BroadcastLabels(rank int, operands ...*Array) ([]string, []LabelClash) {
	var out []string
	var clashes []LabelClash
	for _, a := range operands {
		if a.labels == nil {
			continue
		}
		if out == nil {
			out = make([]string, rank)
		}
		shift := rank - len(a.labels)
		for i, l := range a.labels {
			at := shift + i
			switch {
			case l == "" || out[at] == l:
			case out[at] == "":
				if !clashOn(clashes, at) {
					out[at] = l
				}
			default:
				clashes = append(clashes, LabelClash{Axis: at, A: out[at], B: l})
				out[at] = ""
			}
		}
	}
	for _, l := range out {
		if l != "" {
			return out, clashes
		}
	}
	return nil, clashes
}

func clashOn(clashes []LabelClash, axis int) bool {
	for _, c := range clashes {
		if c.Axis == axis {
			return true
		}
	}
	return false
}

// Stretch returns the array seen under a larger shape it broadcasts to, without
// copying: a stretched axis has stride zero. The caller has checked the fit.
func (a *Array) Stretch(shape []int) *Array {
	if len(a.shape) == len(shape) && SameLengths(a.shape, shape) {
		return a
	}
	b := &struct {
		Array
		own layout
	}{Array: Array{kind: a.kind, offset: a.offset, cells: a.cells}}
	b.own.shape, b.own.strides = shape, make([]int, len(shape))
	shift := len(shape) - len(a.shape)
	for i, d := range a.shape {
		if d == shape[shift+i] {
			b.own.strides[shift+i] = a.strides[i]
		}
	}
	b.layout = b.own.counted()
	return &b.Array
}

// SameLengths reports whether two shapes of equal rank have equal lengths.
func SameLengths(a, b []int) bool {
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}
