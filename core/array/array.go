package array

import (
	"math/bits"
	"slices"
)

// Array is a value of the notation. Its header never changes; its cells change
// only through Assign functions, and only when the owner knows nobody else
// relies on them.
type Array struct {
	kind    Kind
	shape   []int
	strides []int    // in cells, zero where an axis is stretched, negative where reversed
	labels  []string // nil when no axis has one; "" for an axis without
	offset  int
	cells   *Cells
}

// Size returns the number of cells a shape holds, and false when that number
// does not fit 62 bits.
func Size(shape []int) (int, bool) {
	n, zero := 1, false
	for _, d := range shape {
		if d == 0 {
			zero = true
		}
	}
	if zero {
		return 0, true
	}
	for _, d := range shape {
		high, low := bits.Mul64(uint64(n), uint64(d))
		if d < 0 || high > 0 || low > 1<<62 {
			return 0, false
		}
		n = int(low)
	}
	return n, true
}

// Extent returns the product of a shape's lengths with zeros left out, and false when
// that does not fit 62 bits: what work along some of the axes may need room for, though
// the array holds no cell.
func Extent(shape []int) (int, bool) {
	rest := make([]int, 0, 8)
	for _, d := range shape {
		if d != 0 {
			rest = append(rest, d)
		}
	}
	return Size(rest)
}

// fresh allocates header and storage record together.
type fresh struct {
	array Array
	cells Cells
	dims  [2 * mostNear]int
}

// mostNear is how many axes a header holds in place.
const mostNear = 3

// New makes an array of zeros (false for bool). The caller has checked that the
// shape's size is one it can afford.
func New(kind Kind, shape []int) *Array {
	n, _ := Size(shape)
	a := newHeader(kind, shape)
	switch kind {
	case Bool:
		a.cells.bools = make([]bool, n)
	case Int:
		a.cells.ints = make([]int64, n)
	case Real:
		a.cells.reals = make([]float64, n)
	default:
		a.cells.complexes = make([]complex128, n)
	}
	return a
}

func newHeader(kind Kind, shape []int) *Array {
	var f *fresh
	if kind == Bool || kind == Complex {
		with := &struct {
			fresh
			rarer rarer
		}{}
		f, with.cells.rarer = &with.fresh, &with.rarer
	} else {
		f = &fresh{}
	}
	f.array.kind = kind
	return f.shaped(shape)
}

// shaped gives a header its shape and the strides of row-major order.
func (f *fresh) shaped(shape []int) *Array {
	a := &f.array
	a.cells = &f.cells
	if rank := len(shape); rank <= mostNear {
		a.shape, a.strides = f.dims[:rank:rank], f.dims[mostNear:mostNear+rank:mostNear+rank]
	} else {
		dims := make([]int, 2*rank)
		a.shape, a.strides = dims[:rank:rank], dims[rank:]
	}
	step := 1
	for i := len(shape) - 1; i >= 0; i-- {
		a.shape[i], a.strides[i] = shape[i], step
		step *= shape[i]
	}
	return a
}

// FromBools wraps row-major cells; it keeps the slice.
func FromBools(data []bool, shape ...int) *Array {
	a := newHeader(Bool, shape)
	a.cells.bools = data
	return a
}

// FromInts wraps row-major cells; it keeps the slice.
func FromInts(data []int64, shape ...int) *Array {
	a := newHeader(Int, shape)
	a.cells.ints = data
	return a
}

// FromReals wraps row-major cells; it keeps the slice.
func FromReals(data []float64, shape ...int) *Array {
	a := newHeader(Real, shape)
	a.cells.reals = data
	return a
}

// FromComplexes wraps row-major cells; it keeps the slice.
func FromComplexes(data []complex128, shape ...int) *Array {
	a := newHeader(Complex, shape)
	a.cells.complexes = data
	return a
}

// From wraps row-major cells of any kind; it keeps the slice.
func From[T Cell](data []T, shape []int) *Array {
	switch d := any(data).(type) {
	case []bool:
		return FromBools(d, shape...)
	case []int64:
		return FromInts(d, shape...)
	case []float64:
		return FromReals(d, shape...)
	default:
		return FromComplexes(any(data).([]complex128), shape...)
	}
}

// freshScalar allocates a scalar with its one cell.
type freshScalar[T Cell] struct {
	array Array
	cells Cells
	cell  [1]T
}

// Scalar makes an array without axes.
func Scalar[T Cell](v T) *Array {
	f := &freshScalar[T]{cell: [1]T{v}}
	f.array.kind, f.array.cells = KindOf[T](), &f.cells
	switch cell := any(f.cell[:]).(type) {
	case []bool:
		f.cells.rarer = &rarer{bools: cell}
	case []int64:
		f.cells.ints = cell
	case []float64:
		f.cells.reals = cell
	case []complex128:
		f.cells.rarer = &rarer{complexes: cell}
	}
	return &f.array
}

// Kind returns the kind.
func (a *Array) Kind() Kind { return a.kind }

// Shape returns the lengths of the axes; the caller must not change it.
func (a *Array) Shape() []int { return a.shape }

// Rank returns the number of axes.
func (a *Array) Rank() int { return len(a.shape) }

// Len returns the length of one axis.
func (a *Array) Len(axis int) int { return a.shape[axis] }

// Size returns the number of elements, which fits an int for every array there is.
func (a *Array) Size() int {
	n := 1
	for _, d := range a.shape {
		n *= d
	}
	return n
}

// Cells returns the storage.
func (a *Array) Cells() *Cells { return a.cells }

// Label returns an axis's label, "" when it has none.
func (a *Array) Label(axis int) string {
	if a.labels == nil {
		return ""
	}
	return a.labels[axis]
}

// Labels returns one label an axis, "" where there is none; nil when no axis
// has one. The caller must not change it.
func (a *Array) Labels() []string { return a.labels }

// WithLabels returns the same cells under other labels. Labels that are all
// empty are dropped.
func (a *Array) WithLabels(labels []string) *Array {
	if labels == nil && a.labels == nil {
		return a
	}
	b := *a
	b.labels = nil
	for _, l := range labels {
		if l != "" {
			b.labels = slices.Clone(labels)
			break
		}
	}
	return &b
}

// SetLabels is WithLabels for a header that nobody else has seen yet; it keeps the
// slice.
func (a *Array) SetLabels(labels []string) *Array {
	a.labels = nil
	for _, l := range labels {
		if l != "" {
			a.labels = labels
			break
		}
	}
	return a
}

// IsContiguous reports whether the elements lie in row-major order without gaps.
func (a *Array) IsContiguous() bool {
	step := 1
	for i := len(a.shape) - 1; i >= 0; i-- {
		if a.shape[i] != 1 && a.strides[i] != step {
			return a.Size() == 0
		}
		step *= a.shape[i]
	}
	return true
}

// Copy returns a contiguous array with cells of its own.
func (a *Array) Copy() *Array {
	var b *Array
	switch a.kind {
	case Bool:
		b = copyCells[bool](a)
	case Int:
		b = copyCells[int64](a)
	case Real:
		b = copyCells[float64](a)
	default:
		b = copyCells[complex128](a)
	}
	b.labels = a.labels
	return b
}

func copyCells[T Cell](a *Array) *Array {
	out := make([]T, a.Size())
	if len(out) > 0 {
		gather(out, storage[T](a.cells), a)
	}
	return From(out, a.shape)
}

// gather copies the elements of a, whose storage is data, row-major into out.
func gather[T Cell](out, data []T, a *Array) {
	if a.IsContiguous() {
		copy(out, data[a.offset:a.offset+len(out)])
		return
	}
	p := NewPlan(a.shape, a)
	p.Each(func(lo, n int, at []int) {
		from, step := at[0], p.Steps[0]
		if step == 1 {
			copy(out[lo:lo+n], data[from:from+n])
			return
		}
		for i := range n {
			out[lo+i] = data[from+i*step]
		}
	})
}

// Widen copies the array's elements into cells of a wider kind.
func (a *Array) Widen(kind Kind) *Array {
	if a.kind >= kind {
		return a
	}
	var b *Array
	switch kind {
	case Int:
		b = convert(a.Bools(), a.shape, intOfBool)
	case Real:
		if a.kind == Bool {
			b = convert(a.Bools(), a.shape, func(v bool) float64 { return float64(intOfBool(v)) })
		} else {
			b = convert(a.Ints(), a.shape, func(v int64) float64 { return float64(v) })
		}
	default:
		r := a.Widen(Real)
		b = convert(r.Reals(), r.shape, func(v float64) complex128 { return complex(v, 0) })
	}
	b.labels = a.labels
	return b
}

func intOfBool(v bool) int64 {
	if v {
		return 1
	}
	return 0
}

func convert[A, B Cell](in []A, shape []int, f func(A) B) *Array {
	out := make([]B, len(in))
	for i, v := range in {
		out[i] = f(v)
	}
	return From(out, shape)
}
