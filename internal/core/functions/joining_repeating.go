package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func matrixOf(row bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		if d := c.wantRank(c.Args[0], 1); d != nil {
			return nil, d
		}
		picks := []array.Pick{array.WholeAxis(c.Args[0].Len(0)), {Kind: array.PickNew}}
		if row {
			slices.Reverse(picks)
		}
		return c.Args[0].Select(picks), nil
	}
}

func withoutOnes(c *Call) (*array.Array, *notation.Diagnostic) {
	picks := wholePicks(c.Args[0].Shape())
	for i, n := range c.Args[0].Shape() {
		if n == 1 {
			picks[i] = array.Pick{Kind: array.PickPosition}
		}
	}
	return c.Args[0].Select(picks), nil
}

func join(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	first := c.Args[0]
	shape := slices.Clone(first.Shape())
	for i, a := range c.Args[1:] {
		fits := a.Rank() == first.Rank()
		for at := range shape {
			fits = fits && (at == axis || a.Len(at) == first.Len(at))
		}
		if !fits {
			return nil, joinFault("join", i+1+c.Counting, a, first, "all lengths but the one along the axis must be equal")
		}
		shape[axis] += a.Len(axis)
	}
	kind, wide, d := Unify(c.Meter, array.Bool, filledOnly(c.Args)...)
	if d != nil {
		return nil, d
	}
	if d := c.take(kind, shape); d != nil {
		return nil, d
	}
	labels, clashes := array.BroadcastLabels(len(shape), c.Args...)
	noteClashes(c.Meter, "`join`", len(shape), clashes, c.Args)
	out := array.New(kind, shape)
	picks := wholePicks(shape)
	at := 0
	for _, a := range wide {
		picks[axis] = array.Pick{Kind: array.PickRange, Start: at, Step: 1, Count: a.Len(axis)}
		out.Assign(picks, a)
		at += a.Len(axis)
	}
	return out.WithLabels(labels), nil
}

// filledOnly leaves empty reals out, so that joining with [] keeps ints ints.
func filledOnly(args []*array.Array) []*array.Array {
	var out []*array.Array
	for _, a := range args {
		if a.Size() > 0 || a.Kind() != array.Real || a.Rank() != 1 {
			out = append(out, a)
		}
	}
	if out == nil {
		return args
	}
	return out
}

func stack(c *Call) (*array.Array, *notation.Diagnostic) {
	first := c.Args[0]
	for i, a := range c.Args[1:] {
		if !array.SameShape(first, a) {
			return nil, joinFault("stack", i+1+c.Counting, a, first, "arrays that are stacked have one shape; `join` lays unequal ones end to end")
		}
	}
	out, d := Stack(c.Meter, c.Args)
	if d != nil || c.Axes == nil || c.Axes[0] == 0 {
		return out, d
	}
	order := make([]int, 0, out.Rank())
	for i := range out.Rank() {
		switch {
		case i < c.Axes[0]:
			order = append(order, i+1)
		case i == c.Axes[0]:
			order = append(order, 0)
		default:
			order = append(order, i)
		}
	}
	return out.Transpose(order), nil
}

// times reads a count that is 0 or more.
func (c *Call) times(a *array.Array, what string) (int, *notation.Diagnostic) {
	n, d := c.integer(a, what)
	if d == nil && n < 0 {
		d = fault(codes.RunValue, fmt.Sprintf("%s of `%s` is %d", what, c.Function.Name, n), "give 0 or more")
	}
	return n, d
}

func repeated(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	n, d := c.times(c.Args[1], "the count")
	if d != nil {
		return nil, d
	}
	a := c.Args[0]
	total, ok := array.Size([]int{n, a.Len(axis)})
	if !ok {
		return nil, c.Meter.TakeShape(array.Int, []int{n, a.Len(axis)})
	}
	if d := c.Meter.Take(array.Int, total); d != nil {
		return nil, d
	}
	list := make([]int, 0, total)
	for i := range a.Len(axis) {
		for range n {
			list = append(list, i)
		}
	}
	return c.itemsAt(a, axis, list)
}

func tiled(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	counts, d := c.lengths(c.Args[1:])
	if d != nil {
		return nil, d
	}
	rank := max(a.Rank(), len(counts))
	if d := CheckRank(rank); d != nil {
		return nil, d
	}
	// One axis for the count and one for the elements, side by side, read rows first.
	var shape, stretched []int
	var picks []array.Pick
	labels := make([]string, rank)
	for i := range rank {
		n, times := 1, 1
		if at := i - (rank - a.Rank()); at >= 0 {
			n, labels[i] = a.Len(at), a.Label(at)
			picks = append(picks, array.Pick{Kind: array.PickNew}, array.WholeAxis(n))
		} else {
			picks = append(picks, array.Pick{Kind: array.PickNew}, array.Pick{Kind: array.PickNew})
		}
		if at := i - (rank - len(counts)); at >= 0 {
			times = counts[at]
		}
		size, ok := array.Size([]int{n, times})
		if !ok {
			return nil, c.take(a.Kind(), []int{n, times})
		}
		shape, stretched = append(shape, size), append(stretched, times, n)
	}
	if d := c.take(a.Kind(), shape); d != nil {
		return nil, d
	}
	return a.Select(picks).Stretch(stretched).Reshape(shape).WithLabels(labels), nil
}

func reversedAlong(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	picks := wholePicks(c.Args[0].Shape())
	n := picks[axis].Count
	picks[axis] = array.Pick{Kind: array.PickRange, Start: n - 1, Step: -1, Count: n}
	return c.Args[0].Select(picks), nil
}

func rotated(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	by, d := c.integer(c.Args[1], "the shift")
	if d != nil {
		return nil, d
	}
	n := c.Args[0].Len(axis)
	if d := c.Meter.Take(array.Int, n); d != nil {
		return nil, d
	}
	list := make([]int, n)
	for i := range list {
		list[(i+(by%n+n)%n)%n] = i
	}
	return c.itemsAt(c.Args[0], axis, list)
}

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
		at := []array.Pick{{Kind: array.PickPosition, Start: i + max(-offset, 0)}, {Kind: array.PickPosition, Start: i + max(offset, 0)}}
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
		return nil, fault(codes.SelectCount, fmt.Sprintf("the position has %d numbers, and the shape %s %d axes", len(at), notation.Shape{Lengths: shape, Mark: -1}, len(shape)), "give one number for each axis")
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
	return fault(codes.RunOverflow, fmt.Sprintf("an array of the shape %s would have more elements than an int can count", notation.Shape{Lengths: shape, Mark: -1}), "give the shape of an array there is: `shape(x)`")
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
