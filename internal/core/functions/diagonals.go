package functions

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

func triangle(upper bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a := c.Args[0]
		if a.Rank() < 2 {
			return nil, c.wantRank(a, 2)
		}
		offset, d := c.intOption("offset", 0)
		if d != nil {
			return nil, d
		}
		if d := c.take(a.Kind(), a.Shape()); d != nil {
			return nil, d
		}
		rows, columns := a.Len(a.Rank()-2), a.Len(a.Rank()-1)
		if extent, ok := array.Extent([]int{rows, columns}); !ok || extent > 1<<40 {
			return nil, c.take(array.Bool, []int{rows, columns})
		}
		if d := c.Meter.Borrow(array.Bool, rows*columns); d != nil {
			return nil, d
		}
		mask := make([]bool, rows*columns)
		for i := range mask {
			row, column := i/columns, i%columns
			mask[i] = (upper && column-row >= offset) || (!upper && column-row <= offset)
		}
		zero := array.New(a.Kind(), nil)
		return array.Pick3(a.Shape(), array.FromBools(mask, rows, columns), a, zero).WithLabels(a.Labels()), nil
	}
}

func diagonal(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.wantRank(a, 1); d != nil {
		return nil, d
	}
	offset, d := c.intOption("offset", 0)
	if d != nil {
		return nil, d
	}
	n := a.Len(0) + max(offset, -offset)
	if n < 0 {
		n = 1 << 40
	}
	if d := c.take(a.Kind(), []int{n, n}); d != nil {
		return nil, d
	}
	out := array.New(a.Kind(), []int{n, n})
	for i := range a.Len(0) {
		at := []array.Pick{{Kind: array.PickPosition, Start: i + max(-offset, 0)}, {Kind: array.PickPosition, Start: i +
			max(offset, 0)}}
		out.Assign(at, a.Element(i))
	}
	return out, nil
}

func diagonalOf(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.wantRank(a, 2); d != nil {
		return nil, d
	}
	offset, d := c.intOption("offset", 0)
	if d != nil {
		return nil, d
	}
	var rows, columns []int
	for i := range a.Len(0) {
		if j := i + offset; j >= 0 && j < a.Len(1) {
			rows, columns = append(rows, i), append(columns, j)
		}
	}
	if d := c.Meter.Take(a.Kind(), len(rows)); d != nil {
		return nil, d
	}
	if len(rows) == 0 {
		return array.New(a.Kind(), []int{0}), nil
	}
	return a.Paired([]int{0, 1}, [][]int{rows, columns}).WithLabels(nil), nil
}
