package array

import (
	"math/bits"
	"math/cmplx"
	"slices"
)

// Array is a value of the notation. Its header never changes; its cells change
// only through Assign functions, and only when the owner knows nobody else
// relies on them.
type Array struct {
	*layout
	cells  *Cells
	offset int
	kind   Kind
	shared bool // other arrays have the layout too
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
// that does not fit 62 bits: what work along some of the axes may need memory for, though
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
}

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
	var l *laid
	if kind == Real {
		with := &struct {
			fresh
			laid
		}{}
		f, l = &with.fresh, &with.laid
	} else {
		with := &struct {
			fresh
			laid
			rarer rarer
		}{}
		f, l, with.cells.rarer = &with.fresh, &with.laid, &with.rarer
	}
	f.array.kind, f.array.cells, f.array.layout = kind, &f.cells, l.rows(shape)
	return &f.array
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
	f.array.kind, f.array.cells, f.array.layout, f.array.shared = KindOf[T](), &f.cells, noAxes, true
	switch cell := any(f.cell[:]).(type) {
	case []bool:
		f.cells.rarer = &rarer{bools: cell}
	case []int64:
		f.cells.rarer = &rarer{ints: cell}
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
func (a *Array) Size() int { return a.size }

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
	b.layout, b.shared = a.layout.with(slices.Clone(labels)), false
	return &b
}

// SetLabels is WithLabels for a header that nobody else has seen yet; it keeps the
// slice.
func (a *Array) SetLabels(labels []string) *Array {
	switch {
	case labels == nil && a.labels == nil:
	case a.shared:
		a.layout, a.shared = a.layout.with(labels), false
	default:
		a.labels = named(labels)
	}
	return a
}

// IsContiguous reports whether the elements are in row-major order without gaps.
func (a *Array) IsContiguous() bool { return a.even }

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
	return b.SetLabels(a.labels)
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
	return b.SetLabels(a.labels)
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

// AllFinite reports whether no element is NaN or infinite.
func AllFinite(a *Array) bool {
	for i := range a.Size() {
		if z := a.ComplexAt(i); cmplx.IsNaN(z) || cmplx.IsInf(z) {
			return false
		}
	}
	return true
}
