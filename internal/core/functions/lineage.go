package functions

import (
	"context"
	"slices"
	"sort"

	"nimbusreach/internal/core/array"
)

// Lineage says, after a call, which cells of its operands each cell of its result comes from.
type Lineage func(c *Call, out *array.Array) []Link

// Link is one operand of a call and how the result's cells come from its cells, in one of the forms of Cells. Where a
// cell of the operand decided which others were used, or where they went, it is a choice; else it is a value, an
// operand of what was computed. Shapes and lengths are neither.
type Link struct {
	Operand int    // of the call's arguments
	Option  string // or the option whose value it is
	Choice  bool
	Cells
}

// Cells says from which cells of an operand the cells of a result come, both counted flat, rows first. One form is set.
type Cells struct {
	From []int32 // for each cell of the result the one it comes from; -1 for none

	// A cell of the result comes from all cells of the operand whose group is its own, and with Upto from those of them
	// alone whose place is not past it. A group below 0 is none.
	Out, In     []int32
	Upto, Place []int32
	Via         []int32 // In is of a stretched operand: for each of its cells the operand's; nil for the operand itself

	Low, High []int32 // or from the cells from Low to High, both in
}

// NumbersOf is an array of a shape whose elements are the numbers of its cells, from 1. What only moves cells, moves
// those.
func NumbersOf(shape []int) *array.Array {
	out := array.New(array.Int, slices.Clone(shape))
	for i := range out.Ints() {
		out.Ints()[i] = int64(i + 1)
	}
	return out
}

// CellsAt reads back which cells are where; 0 becomes -1, for none.
func CellsAt(numbers *array.Array) []int32 {
	out := make([]int32, numbers.Size())
	for i := range out {
		out[i] = int32(numbers.IntAt(i)) - 1
	}
	return out
}

// Stretched is for each cell of a shape the cell of an operand that is laid on it.
func Stretched(operand, shape []int) []int32 {
	return CellsAt(NumbersOf(operand).Stretch(shape))
}

// AllOf says that every cell of a result comes from every cell of an operand.
func AllOf(out, operand *array.Array) Cells {
	return Cells{Out: make([]int32, out.Size()), In: make([]int32, operand.Size())}
}

func identical(n int) []int32 {
	out := make([]int32, n)
	for i := range out {
		out[i] = int32(i)
	}
	return out
}

// nothingLineage is the lineage of what has none: literals, shapes, lengths, draws.
func nothingLineage(*Call, *array.Array) []Link { return nil }

// elementwiseLineage: each cell comes from the cells that are broadcast to it, of options too.
func elementwiseLineage(c *Call, out *array.Array) []Link {
	var links []Link
	for i, a := range c.Args {
		links = append(links, Link{Operand: i, Cells: Cells{From: Stretched(a.Shape(), out.Shape())}})
	}
	for name, v := range c.Options {
		if v.Array != nil {
			links = append(links, Link{Option: name, Cells: Cells{From: Stretched(v.Array.Shape(), out.Shape())}})
		}
	}
	return links
}

// pickedLineage: the mask chooses, and the cell chosen is the value.
func pickedLineage(c *Call, out *array.Array) []Link {
	mask := c.Args[0].Stretch(out.Shape())
	links := []Link{{Choice: true, Cells: Cells{From: Stretched(c.Args[0].Shape(), out.Shape())}}}
	for i, taken := range []bool{true, false} {
		from := Stretched(c.Args[i+1].Shape(), out.Shape())
		for k := range from {
			if mask.BoolAt(k) != taken {
				from[k] = -1
			}
		}
		links = append(links, Link{Operand: i + 1, Cells: Cells{From: from}})
	}
	return links
}

// everythingLineage: each cell comes from all cells of all arguments.
func everythingLineage(c *Call, out *array.Array) []Link {
	var links []Link
	for i, a := range c.Args {
		links = append(links, Link{Operand: i, Cells: AllOf(out, a)})
	}
	return links
}

// ofArgumentsLineage: each cell comes from all cells of some arguments, and of all options with a value.
func ofArgumentsLineage(operands ...int) Lineage {
	return func(c *Call, out *array.Array) []Link {
		var links []Link
		for _, i := range operands {
			if i < len(c.Args) {
				links = append(links, Link{Operand: i, Cells: AllOf(out, c.Args[i])})
			}
		}
		for name, v := range c.Options {
			if v.Array != nil {
				links = append(links, Link{Option: name, Cells: AllOf(out, v.Array)})
			}
		}
		return links
	}
}

// groupsOf numbers the cells of a shape by where they go when axes collapse; count is how many there are.
func groupsOf(shape, axes []int) (in []int32, count int) {
	kept := slices.Clone(shape)
	for _, axis := range axes {
		kept[axis] = 1
	}
	count, _ = array.Size(kept)
	return Stretched(kept, shape), count
}

// collapsing are the axes that a call collapses.
func (c *Call) collapsing() []int {
	if c.Axes != nil {
		return c.Axes
	}
	out := make([]int, c.Args[0].Rank())
	for i := range out {
		out[i] = i
	}
	return out
}

// collapsedLineage: the cells collapsed, without those that `only` leaves out, which it chooses; with their weights.
// The results of several for each group come one after the other, the groups of each in order.
func collapsedLineage(c *Call, out *array.Array) []Link {
	x := c.Args[0]
	in, count := groupsOf(x.Shape(), c.collapsing())
	to := make([]int32, out.Size())
	for i := range to {
		to[i] = int32(i % max(count, 1))
	}
	return c.grouped(in, to)
}

// grouped links groups of the first argument's cells to the result.
func (c *Call) grouped(in, to []int32) []Link {
	x := c.Args[0]
	var links []Link
	used := in
	if only, is := c.Options["only"]; is {
		mask := only.Array.Stretch(x.Shape())
		used = slices.Clone(in)
		for i := range used {
			if !mask.BoolAt(i) {
				used[i] = -1
			}
		}
		links = append(links, Link{Option: "only", Choice: true, Cells: Cells{Out: to, In: in,
			Via: Stretched(only.Array.Shape(), x.Shape())}})
	}
	if w, is := c.Options["weights"]; is {
		links = append(links, Link{Option: "weights", Cells: Cells{Out: to, In: used,
			Via: Stretched(w.Array.Shape(), x.Shape())}})
	}
	return append(links, Link{Cells: Cells{Out: to, In: used}})
}

// quantilesLineage: as collapsed, and each from its own percentage, which come first.
func quantilesLineage(c *Call, out *array.Array) []Link {
	links := collapsedLineage(c, out)
	p := c.Args[1]
	from := make([]int32, out.Size())
	for i := range from {
		from[i] = int32(i / max(out.Size()/max(p.Size(), 1), 1))
	}
	return append(links, Link{Operand: 1, Cells: Cells{From: from}})
}

// binnedLineage: as collapsed; the edges decide what goes where.
func binnedLineage(c *Call, out *array.Array) []Link {
	return append(collapsedLineage(c, out), Link{Operand: 1, Choice: true, Cells: AllOf(out, c.Args[1])})
}

// extremeLineage: any of the candidates could have been it, and its place.
func extremeLineage(c *Call, out *array.Array) []Link {
	if len(c.collapsing()) == c.Args[0].Rank() {
		return c.grouped(make([]int32, c.Args[0].Size()), make([]int32, out.Size()))
	}
	return collapsedLineage(c, out)
}

// hitsLineage: a place is chosen by the cells of the mask up to it.
func hitsLineage(c *Call, out *array.Array) []Link {
	mask := c.Args[0]
	cells := AllOf(out, mask)
	cells.Place = identical(mask.Size())
	for i := range mask.Size() {
		if mask.BoolAt(i) {
			for range mask.Rank() {
				cells.Upto = append(cells.Upto, int32(i))
			}
		}
	}
	return []Link{{Choice: true, Cells: cells}}
}

// axisOf is the axis that a call works through.
func (c *Call) axisOf() int {
	axis, _ := c.alongAxis()
	return axis
}

// PlacesOn is for each cell of a shape its place on an axis.
func PlacesOn(shape []int, axis int) []int32 {
	of := make([]int, len(shape))
	for i := range of {
		of[i] = 1
	}
	of[axis] = shape[axis]
	return Stretched(of, shape)
}

// upToItLineage: the cells along the axis up to its own.
func upToItLineage(c *Call, out *array.Array) []Link {
	shape, axis := c.Args[0].Shape(), c.axisOf()
	line, _ := groupsOf(shape, []int{axis})
	at := PlacesOn(shape, axis)
	return []Link{{Cells: Cells{Out: line, In: line, Upto: at, Place: at}}}
}

// fromPlaces: from the first argument's cells at places of the axis that follow from the result's.
func (c *Call) fromPlaces(out *array.Array, axis int, at func(place int) int) Cells {
	list := make([]int, out.Len(axis))
	for i := range list {
		list[i] = at(i)
	}
	picks := make([]array.Pick, out.Rank())
	for i := range picks {
		picks[i] = array.WholeAxis(out.Len(i))
	}
	picks[axis] = array.Pick{Kind: array.PickList, List: list}
	return Cells{From: CellsAt(NumbersOf(c.Args[0].Shape()).Select(picks))}
}

// neighboursLineage: a difference's two cells.
func neighboursLineage(c *Call, out *array.Array) []Link {
	axis := c.axisOf()
	return []Link{{Cells: c.fromPlaces(out, axis, func(k int) int { return k })},
		{Cells: c.fromPlaces(out, axis, func(k int) int { return k + 1 })}}
}

// aroundLineage: the cells on both sides of its own; at an end its own and its neighbour.
func aroundLineage(c *Call, out *array.Array) []Link {
	axis := c.axisOf()
	last := out.Len(axis) - 1
	links := []Link{{Cells: c.fromPlaces(out, axis, func(k int) int { return max(k-1, 0) })},
		{Cells: c.fromPlaces(out, axis, func(k int) int { return min(k+1, last) })}}
	if v, is := c.Options["spacing"]; is {
		links = append(links, Link{Option: "spacing", Cells: AllOf(out, v.Array)})
	}
	return links
}

// again does a call over with other arguments; nil where it fails.
func (c *Call) again(f *Function, args []*array.Array) *array.Array {
	again := *c
	again.Function, again.Args = f, args
	again.Meter = NewMeter(context.Background(), Limits{Statements: 1, Cells: 1e9, Bytes: 1 << 40, Depth: 1})
	again.Meter.Draw = c.Meter.Draw
	if again.Meter.draws = c.Meter.draws; again.Meter.draws > 0 {
		again.Meter.draws-- // the call that was made drew once, if it draws
	}
	out, d := f.Run(&again)
	if d != nil {
		return nil
	}
	return out
}

// movedLineage: the cells of the first argument go somewhere, which options with a value choose.
func movedLineage(c *Call, out *array.Array) []Link { return c.movedBy(out, 1) }

// movedAllLineage: so do those of all arguments.
func movedAllLineage(c *Call, out *array.Array) []Link { return c.movedBy(out, len(c.Args)) }

// movedByStepsLineage: the second argument chooses where to.
func movedByStepsLineage(c *Call, out *array.Array) []Link {
	return append(c.movedBy(out, 1), Link{Operand: 1, Choice: true, Cells: AllOf(out, c.Args[1])})
}

func (c *Call) movedBy(out *array.Array, count int) []Link {
	args := slices.Clone(c.Args)
	begins := make([]int64, count+1)
	for i := range count {
		numbers := NumbersOf(c.Args[i].Shape()).WithLabels(c.Args[i].Labels())
		for k := range numbers.Ints() {
			numbers.Ints()[k] += begins[i]
		}
		args[i], begins[i+1] = numbers, begins[i]+int64(numbers.Size())
	}
	at := c.again(c.Function, args)
	if at == nil || at.Size() != out.Size() {
		return everythingLineage(c, out)
	}
	var links []Link
	for i := range count {
		from := make([]int32, out.Size())
		for k := range from {
			from[k] = -1
			if n := at.IntAt(k); n > begins[i] && n <= begins[i+1] {
				from[k] = int32(n - begins[i] - 1)
			}
		}
		links = append(links, Link{Operand: i, Cells: Cells{From: from}})
	}
	for name, v := range c.Options {
		if v.Array != nil && name != "again" {
			links = append(links, Link{Option: name, Choice: true, Cells: AllOf(out, v.Array)})
		}
	}
	return links
}

// lines are the lines along a call's axis, of its first argument and of a result of its shape.
func (c *Call) lines() Cells {
	line, _ := groupsOf(c.Args[0].Shape(), []int{c.axisOf()})
	return Cells{Out: line, In: line}
}

// orderLineage: the whole line decides what comes where.
func orderLineage(c *Call, out *array.Array) []Link {
	links := []Link{{Choice: true, Cells: c.lines()}}
	if v, is := c.Options["descending"]; is {
		links = append(links, Link{Option: "descending", Choice: true, Cells: AllOf(out, v.Array)})
	}
	return links
}

// sortedLineage: its own cell is the value, and the line decides which that is.
func sortedLineage(c *Call, out *array.Array) []Link {
	links := orderLineage(c, out)
	x := c.Args[0]
	by := c.again(Lookup("sort_order"), c.Args)
	if by == nil {
		return append(links, everythingLineage(c, out)...)
	}
	axis := c.axisOf()
	stride := 1
	for _, n := range x.Shape()[axis+1:] {
		stride *= n
	}
	at := PlacesOn(x.Shape(), axis)
	from := make([]int32, out.Size())
	for k := range from {
		from[k] = int32(k) + (int32(by.IntAt(k)-int64(c.Counting))-at[k])*int32(stride)
	}
	return append(links, Link{Cells: Cells{From: from}})
}

// distinctLineage: the cells that are equal to it, and all decide which it is.
func distinctLineage(c *Call, out *array.Array) []Link {
	x := c.Args[0]
	values := c.again(Lookup("unique"), c.Args)
	if values == nil || values.Size() != out.Size() {
		return everythingLineage(c, out)
	}
	groups, nan := map[complex128]int32{}, int32(values.Size())
	to := make([]int32, out.Size())
	group := func(z complex128) int32 {
		if array.HasNaN(z) {
			return nan
		}
		return groups[z]
	}
	for k := range to {
		groups[values.ComplexAt(k)] = int32(k)
		to[k] = group(values.ComplexAt(k))
	}
	in := make([]int32, x.Size())
	for i := range in {
		in[i] = group(x.ComplexAt(i))
	}
	return []Link{{Cells: Cells{Out: to, In: in}}, {Choice: true, Cells: AllOf(out, x)}}
}

// totalledLineage: the cells of its group, which the groups choose.
func totalledLineage(c *Call, out *array.Array) []Link {
	x, groups, axis := c.Args[0], c.Args[1], c.axisOf()
	rest, _ := groupsOf(x.Shape(), []int{axis})
	at := PlacesOn(x.Shape(), axis)
	outRest, _ := groupsOf(out.Shape(), []int{axis})
	outAt := PlacesOn(out.Shape(), axis)
	n := int32(out.Len(axis))
	in, to := make([]int32, x.Size()), make([]int32, out.Size())
	for i := range in {
		in[i] = rest[i]*n + int32(groups.IntAt(int(at[i]))-int64(c.Counting))
	}
	for k := range to {
		to[k] = outRest[k]*n + outAt[k]
	}
	return []Link{{Cells: Cells{Out: to, In: in}}, {Operand: 1, Choice: true, Cells: AllOf(out, groups)}}
}

// evenlyLineage: points between two ends, each of which is one of the points.
func evenlyLineage(c *Call, out *array.Array) []Link {
	first, last := make([]int32, out.Size()), make([]int32, out.Size())
	for k := range out.Size() {
		if k == 0 {
			last[k] = -1
		} else if k == out.Size()-1 {
			first[k] = -1
		}
	}
	return []Link{{Cells: Cells{From: first}}, {Operand: 1, Cells: Cells{From: last}}}
}

// productLineage: a row and a column.
func productLineage(a, b, out *array.Array) []Link {
	lead := 0
	rows, cols := 1, 1
	if a.Rank() > 1 {
		rows = a.Len(a.Rank() - 2)
	}
	if b.Rank() > 1 {
		cols = b.Len(b.Rank() - 1)
	}
	k := a.Len(a.Rank() - 1)
	if rows*cols > 0 {
		lead = out.Size() / (rows * cols)
	}
	leading := slices.Clone(out.Shape())
	leading = leading[:len(leading)-min(a.Rank()-1, 1)-min(b.Rank()-1, 1)]
	batch := func(m *array.Array) []int32 { // for each leading place the operand's matrix
		return Stretched(m.Shape()[:max(m.Rank()-2, 0)], leading)
	}
	left, right := batch(a), batch(b)
	var la, lb Cells
	la.Out, lb.Out = make([]int32, out.Size()), make([]int32, out.Size())
	for i := range lead * rows * cols {
		at, row, col := i/(rows*cols), i/cols%rows, i%cols
		la.Out[i] = left[at]*int32(rows) + int32(row)
		lb.Out[i] = right[at]*int32(cols) + int32(col)
	}
	la.In, lb.In = make([]int32, a.Size()), make([]int32, b.Size())
	for i := range la.In {
		la.In[i] = int32(i / k)
	}
	for i := range lb.In {
		lb.In[i] = int32(i/(k*cols)*cols + i%cols)
	}
	return []Link{{Cells: la}, {Operand: 1, Cells: lb}}
}

// OperatorLineage is the lineage of a two-sided operator's result.
func OperatorLineage(op string, a, b, out *array.Array) []Link {
	if op == "dot" {
		return productLineage(a, b, out)
	}
	return elementwiseLineage(&Call{Args: []*array.Array{a, b}}, out)
}

// RangeLineage is that of a range: its start is in every point, its step in all but the first. Its end is a length.
func RangeLineage(out *array.Array) []Link {
	step := make([]int32, out.Size())
	if len(step) > 0 {
		step[0] = -1
	}
	return []Link{{Cells: Cells{From: make([]int32, out.Size())}}, {Operand: 2, Cells: Cells{From: step}}}
}

// columnwiseLineage: all of the matrix, and of the right side its own column.
func columnwiseLineage(c *Call, out *array.Array) []Link {
	b := c.Args[1]
	links := []Link{{Cells: AllOf(out, c.Args[0])}}
	right := AllOf(out, b)
	if b.Rank() == 2 {
		right.Out, right.In = PlacesOn(out.Shape(), 1), PlacesOn(b.Shape(), 1)
	}
	return append(links, Link{Operand: 1, Cells: right})
}

// onDiagonalLineage: the cells whose two positions are one.
func onDiagonalLineage(c *Call, out *array.Array) []Link {
	a := c.Args[0]
	cells := AllOf(out, a)
	for i := range cells.In {
		if i/max(a.Len(1), 1) != i%max(a.Len(1), 1) {
			cells.In[i] = -1
		}
	}
	return []Link{{Cells: cells}}
}

// tensorLineage: each cell of one with each of the other.
func tensorLineage(c *Call, out *array.Array) []Link {
	a, b := make([]int32, out.Size()), make([]int32, out.Size())
	n := c.Args[1].Size()
	for k := range a {
		a[k], b[k] = int32(k/n), int32(k%n)
	}
	return []Link{{Cells: Cells{From: a}}, {Operand: 1, Cells: Cells{From: b}}}
}

// blocksLineage: each cell of one with a copy of the other.
func blocksLineage(c *Call, out *array.Array) []Link {
	a, b := make([]int32, out.Size()), make([]int32, out.Size())
	rows, cols := c.Args[1].Len(0), c.Args[1].Len(1)
	for k := range a {
		i, j := k/out.Len(1), k%out.Len(1)
		a[k], b[k] = int32(i/rows*c.Args[0].Len(1)+j/cols), int32(i%rows*cols+j%cols)
	}
	return []Link{{Cells: Cells{From: a}}, {Operand: 1, Cells: Cells{From: b}}}
}

// crossedLineage: of both the two other components.
func crossedLineage(c *Call, out *array.Array) []Link {
	var links []Link
	for operand := range 2 {
		for step := 1; step <= 2; step++ {
			from := make([]int32, out.Size())
			for k := range from {
				from[k] = int32(k - k%3 + (k+step)%3)
			}
			links = append(links, Link{Operand: operand, Cells: Cells{From: from}})
		}
	}
	return links
}

// slidingLineage: the products whose positions add up to its own.
func slidingLineage(c *Call, out *array.Array) []Link {
	var links []Link
	for i := range 2 {
		own, other := c.Args[i].Size(), c.Args[1-i].Size()
		cells := Cells{Low: make([]int32, out.Size()), High: make([]int32, out.Size())}
		for k := range out.Size() {
			cells.Low[k], cells.High[k] = int32(max(0, k-other+1)), int32(min(k, own-1))
		}
		links = append(links, Link{Operand: i, Cells: cells})
	}
	return links
}

// pairsOfColumnsLineage: two columns of a table, or all of two arrays.
func pairsOfColumnsLineage(c *Call, out *array.Array) []Link {
	if len(c.Args) == 2 {
		return everythingLineage(c, out)
	}
	m := c.Args[0]
	column := PlacesOn(m.Shape(), 1-c.axisOf())
	return []Link{{Cells: Cells{Out: PlacesOn(out.Shape(), 0), In: column}},
		{Cells: Cells{Out: PlacesOn(out.Shape(), 1), In: column}}}
}

// betweenLineage: its own place, and the two points around it, which the places of all choose.
func betweenLineage(c *Call, out *array.Array) []Link {
	x, xs := c.Args[0], c.Args[1]
	links := []Link{{Cells: Cells{From: Stretched(x.Shape(), out.Shape())}},
		{Operand: 1, Choice: true, Cells: AllOf(out, xs)}}
	for side := range 2 {
		from := make([]int32, out.Size())
		for k := range from {
			at := sort.Search(max(xs.Size()-2, 0), func(i int) bool { return xs.RealAt(i+1) >= x.RealAt(k) })
			from[k] = int32(min(at+side, xs.Size()-1))
		}
		links = append(links, Link{Operand: 1, Cells: Cells{From: from}}, Link{Operand: 2, Cells: Cells{From: from}})
	}
	return links
}

// placedLineage: its own cell and all that are sorted choose the place.
func placedLineage(c *Call, out *array.Array) []Link {
	return []Link{{Choice: true, Cells: AllOf(out, c.Args[0])},
		{Operand: 1, Choice: true, Cells: Cells{From: Stretched(c.Args[1].Shape(), out.Shape())}}}
}

// ofItsOwnLineage: one argument's cell of its own, and all cells of the other.
func ofItsOwnLineage(own, whole int) Lineage {
	return func(c *Call, out *array.Array) []Link {
		return []Link{{Operand: own, Cells: Cells{From: Stretched(c.Args[own].Shape(), out.Shape())}},
			{Operand: whole, Cells: AllOf(out, c.Args[whole])}}
	}
}
