package array

import (
	"math"
	"slices"
)

// Flat returns the elements in row-major order. The array must be of T's kind.
// The slice is the array's own storage when that is contiguous, so callers only
// read it.
func Flat[T Cell](a *Array) []T {
	data := storage[T](a.cells)
	n := a.Size()
	if n == 0 {
		return nil
	}
	if a.IsContiguous() {
		return data[a.offset : a.offset+n]
	}
	out := make([]T, n)
	gather(out, data, a)
	return out
}

// Bools is Flat for bools; Ints, Reals and Complexes are so for their kinds.
func (a *Array) Bools() []bool { return Flat[bool](a) }

// Ints returns the elements of an int array in row-major order.
func (a *Array) Ints() []int64 { return Flat[int64](a) }

// Reals returns the elements of a real array in row-major order.
func (a *Array) Reals() []float64 {
	if a.even && a.size > 0 {
		return a.cells.reals[a.offset : a.offset+a.size]
	}
	return Flat[float64](a)
}

// Complexes returns the elements of a complex array in row-major order.
func (a *Array) Complexes() []complex128 { return Flat[complex128](a) }

// Element returns the element at a row-major place as a scalar.
func (a *Array) Element(flat int) *Array {
	return &Array{kind: a.kind, cells: a.cells, offset: a.place(flat), layout: noAxes, shared: true}
}

// place turns a row-major place among the elements into a place in the storage.
func (a *Array) place(flat int) int {
	at := a.offset
	for i := len(a.shape) - 1; i >= 0; i-- {
		at += flat % a.shape[i] * a.strides[i]
		flat /= a.shape[i]
	}
	return at
}

// BoolAt reads one element of a bool array at a row-major place.
func (a *Array) BoolAt(flat int) bool { return a.cells.bools[a.place(flat)] }

// IntAt reads one element of an int or bool array.
func (a *Array) IntAt(flat int) int64 {
	if a.kind == Bool {
		return intOfBool(a.cells.bools[a.place(flat)])
	}
	return a.cells.ints[a.place(flat)]
}

// RealAt reads one element of any kind but complex as a real.
func (a *Array) RealAt(flat int) float64 {
	if a.kind == Real {
		return a.cells.reals[a.place(flat)]
	}
	return float64(a.IntAt(flat))
}

// ComplexAt reads one element of any kind as a complex number.
func (a *Array) ComplexAt(flat int) complex128 {
	if a.kind == Complex {
		return a.cells.complexes[a.place(flat)]
	}
	return complex(a.RealAt(flat), 0)
}

// SameShape reports whether two arrays have equal lengths on equally many axes.
func SameShape(a, b *Array) bool { return slices.Equal(a.shape, b.shape) }

// Equal reports whether two arrays have one kind, one shape and the same elements; NaN
// equals NaN, and labels do not count.
func Equal(a, b *Array) bool {
	if a.kind != b.kind || !SameShape(a, b) {
		return false
	}
	switch a.kind {
	case Bool:
		return slices.Equal(a.Bools(), b.Bools())
	case Int:
		return slices.Equal(a.Ints(), b.Ints())
	case Real:
		return slices.EqualFunc(a.Reals(), b.Reals(), func(x, y float64) bool {
			return x == y || math.IsNaN(x) &&
				math.IsNaN(y)
		})
	}
	return slices.EqualFunc(a.Complexes(), b.Complexes(), func(x, y complex128) bool {
		return x == y || HasNaN(x) &&
			HasNaN(y)
	})
}

// HasNaN reports whether a part of a complex number is NaN.
func HasNaN(z complex128) bool { return math.IsNaN(real(z)) || math.IsNaN(imag(z)) }
