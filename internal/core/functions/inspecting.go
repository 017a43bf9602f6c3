package functions

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func hasKind(k array.Kind) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		return array.Scalar(c.Args[0].Kind() == k), nil
	}
}

func shapeOf(c *Call) (*array.Array, *notation.Diagnostic) {
	shape := c.Args[0].Shape()
	out := make([]int64, len(shape))
	for i, d := range shape {
		out[i] = int64(d)
	}
	return array.FromInts(out, len(out)), nil
}

func length(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	return array.Scalar(int64(c.Args[0].Len(axis))), nil
}

func indices(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	n := c.Args[0].Len(axis)
	if d := c.Meter.Take(array.Int, n); d != nil {
		return nil, d
	}
	out := make([]int64, n)
	for i := range out {
		out[i] = int64(i + c.Counting)
	}
	return array.FromInts(out, n), nil
}

func size(c *Call) (*array.Array, *notation.Diagnostic) {
	return array.Scalar(int64(c.Args[0].Size())), nil
}

func axisCount(c *Call) (*array.Array, *notation.Diagnostic) {
	return array.Scalar(int64(c.Args[0].Rank())), nil
}

// spelled reads a shape argument and whether it is filled by columns.
func (c *Call) spelled() (shape []int, columns bool, d *notation.Diagnostic) {
	shape, d = c.lengths(c.Args[:1])
	return shape, c.Options["fill"].Word == "columns", d
}

func flatPosition(c *Call) (*array.Array, *notation.Diagnostic) {
	shape, columns, d := c.spelled()
	if d != nil {
		return nil, d
	}
	at, d := c.intsOf(c.Args[1], "the position")
	if d != nil {
		return nil, d
	}
	if len(at) != len(shape) {
		return nil, fault(codes.SelectCount, fmt.Sprintf("the position has %d numbers, and the shape %s %d axes", len(at),
			notation.Shape{Lengths: shape, Mark: -1}, len(shape)), "give one number for each axis")
	}
	if _, ok := array.Size(shape); !ok {
		return nil, tooManyToCount(shape)
	}
	flat := int64(0)
	for k := range shape {
		i := k
		if columns {
			i = len(shape) - 1 - k
		}
		p := at[i] - int64(c.Counting)
		if p < 0 || p >= int64(shape[i]) {
			return nil, outsideAxis("position", at[i], shape[i], c.Counting)
		}
		flat = flat*int64(shape[i]) + p
	}
	return array.Scalar(flat + int64(c.Counting)), nil
}

func tooManyToCount(shape []int) *notation.Diagnostic {
	return fault(codes.RunOverflow, fmt.Sprintf("an array of the shape %s would have more elements than an int can "+
		"count", notation.Shape{Lengths: shape, Mark: -1}), "give the shape of an array there is: `shape(x)`")
}

func unflatPosition(c *Call) (*array.Array, *notation.Diagnostic) {
	shape, columns, d := c.spelled()
	if d != nil {
		return nil, d
	}
	k, d := c.integer(c.Args[1], "the position")
	if d != nil {
		return nil, d
	}
	flat := k - c.Counting
	size, ok := array.Size(shape)
	if !ok {
		return nil, tooManyToCount(shape)
	}
	if flat < 0 || flat >= size {
		return nil, outsideAxis("position", int64(k), size, c.Counting)
	}
	out := make([]int64, len(shape))
	for n := range shape {
		i := len(shape) - 1 - n
		if columns {
			i = n
		}
		out[i] = int64(flat%shape[i] + c.Counting)
		flat /= shape[i]
	}
	return array.FromInts(out, len(out)), nil
}

// shares answers as the notation sees it: copies share cells underneath until one
// is written into, and yet do not share.
func shares(c *Call) (*array.Array, *notation.Diagnostic) {
	a, b := c.Args[0], c.Args[1]
	if a == b {
		return array.Scalar(true), nil
	}
	if a.Cells() != b.Cells() || !a.Cells().Viewed() {
		return array.Scalar(false), nil
	}
	if d := c.Meter.Take(array.Int, a.Size()+b.Size()); d != nil {
		return nil, d
	}
	return array.Scalar(array.Overlap(a, b)), nil
}
