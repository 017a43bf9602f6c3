package array

import "slices"

// PickKind says what a Pick does with its axis.
type PickKind uint8

// The kinds of Pick.
const (
	PickPosition PickKind = iota // one position; the axis goes
	PickRange                    // Count positions from Start by Step; the axis stays
	PickList                     // the positions listed, in that order; the axis stays
	PickNew                      // no axis of the source; an axis of length 1 appears
)

// Pick is one selector computed: positions count from 0 and lie on the axis.
type Pick struct {
	Kind        PickKind
	Start, Step int
	Count       int
	List        []int
}

// WholeAxis picks all of an axis of length n.
func WholeAxis(n int) Pick { return Pick{Kind: PickRange, Step: 1, Count: n} }

// SharesCells reports whether Select with these picks shares cells with its source.
func SharesCells(picks []Pick) bool {
	for i := range picks {
		if picks[i].Kind == PickList {
			return false
		}
	}
	return true
}

// SelectedShape returns the shape Select gives.
func SelectedShape(picks []Pick) []int {
	shape := make([]int, 0, len(picks))
	for _, p := range picks {
		switch p.Kind {
		case PickRange:
			shape = append(shape, p.Count)
		case PickList:
			shape = append(shape, len(p.List))
		case PickNew:
			shape = append(shape, 1)
		}
	}
	return shape
}

// Select applies one pick for each axis, with PickNew between them where an axis
// is to appear. Without lists the result shares the array's cells; with lists it
// is the block where they cross, in cells of its own.
func (a *Array) Select(picks []Pick) *Array { return (*Arena)(nil).Select(a, picks) }

// Select is the method Select of an array, from the arena where the array is small.
func (r *Arena) Select(a *Array, picks []Pick) *Array {
	view, lists := a.header(r, picks)
	if lists == nil {
		return view
	}
	out := New(a.kind, view.shape).SetLabels(view.labels)
	switch a.kind {
	case Bool:
		gatherLists(out.cells.bools, a.cells.bools, view, lists)
	case Int:
		gatherLists(out.cells.ints, a.cells.ints, view, lists)
	case Real:
		gatherLists(out.cells.reals, a.cells.reals, view, lists)
	default:
		gatherLists(out.cells.complexes, a.cells.complexes, view, lists)
	}
	return out
}

// header works the picks into a header. lists holds the storage offsets along
// each axis picked by a list (whose stride is then unused), nil when there is none.
func (a *Array) header(arena *Arena, picks []Pick) (view *Array, lists [][]int) {
	view = arena.seen(a, len(picks))
	l := view.layout
	var labels []string
	axis := 0
	for i, p := range picks {
		label, step := "", 0
		if p.Kind != PickNew {
			label, step = a.Label(axis), a.strides[axis]
			axis++
		}
		switch p.Kind {
		case PickPosition:
			view.offset += p.Start * step
			continue
		case PickRange:
			if p.Count > 0 {
				view.offset += p.Start * step
			}
			l.shape, l.strides = append(l.shape, p.Count), append(l.strides, p.Step*step)
		case PickList:
			if lists == nil {
				lists = make([][]int, len(picks))
			}
			places := make([]int, len(p.List))
			for k, at := range p.List {
				places[k] = at * step
			}
			lists[len(l.shape)] = places
			l.shape, l.strides = append(l.shape, len(p.List)), append(l.strides, 0)
		case PickNew:
			l.shape, l.strides = append(l.shape, 1), append(l.strides, 0)
		}
		if a.labels != nil {
			if labels == nil {
				labels = make([]string, 0, len(picks)-i)
			}
			labels = append(labels, label)
		}
	}
	l.labels = named(labels)
	l.counted()
	if view.size == 0 {
		view.offset = 0 // there may be no cells at the place that it would begin at
	}
	return view, lists
}

// seen makes a header for an array's cells that may get a number of axes.
func (r *Arena) seen(a *Array, rank int) *Array {
	var view *Array
	var l *laid
	if r != nil && a.kind == Real && len(a.cells.reals) <= mostSmall {
		// A head is of no use to another array; the cells that come with it are not used.
		view, l = &r.head().array, r.layout()
	} else {
		f := &struct {
			array Array
			laid
		}{}
		view, l = &f.array, &f.laid
	}
	*view = Array{kind: a.kind, offset: a.offset, cells: a.cells, layout: l.axes(rank)}
	return view
}

// eachPlace calls f with the storage place of every element of view, row-major.
func eachPlace(view *Array, lists [][]int, f func(flat, place int)) {
	n := view.Size()
	index := make([]int, len(view.shape))
	at := view.offset
	step := func(axis, i int) int {
		if axis < len(lists) && lists[axis] != nil {
			return lists[axis][i]
		}
		return i * view.strides[axis]
	}
	for axis := range index {
		if n > 0 {
			at += step(axis, 0)
		}
	}
	for flat := range n {
		f(flat, at)
		for axis := len(index) - 1; axis >= 0; axis-- {
			at -= step(axis, index[axis])
			index[axis]++
			if index[axis] < view.shape[axis] {
				at += step(axis, index[axis])
				break
			}
			index[axis] = 0
			at += step(axis, 0)
		}
	}
}

func gatherLists[T Cell](out, data []T, view *Array, lists [][]int) {
	eachPlace(view, lists, func(flat, place int) { out[flat] = data[place] })
}

// Assign writes a value, which broadcasts to the picks' shape and has the
// array's kind, into the picked cells. The value must not share cells with the
// array.
func (a *Array) Assign(picks []Pick, value *Array) {
	view, lists := a.header(nil, picks)
	value = value.Stretch(view.shape)
	switch a.kind {
	case Bool:
		scatter(a.cells.bools, value.cells.bools, view, lists, value)
	case Int:
		scatter(a.cells.ints, value.cells.ints, view, lists, value)
	case Real:
		scatter(a.cells.reals, value.cells.reals, view, lists, value)
	default:
		scatter(a.cells.complexes, value.cells.complexes, view, lists, value)
	}
}

func scatter[T Cell](data, from []T, view *Array, lists [][]int, value *Array) {
	if lists == nil {
		p := NewPlan(view.shape, view, value)
		p.Each(func(_, n int, at []int) {
			to, src := at[0], at[1]
			for i := range n {
				data[to+i*p.Steps[0]] = from[src+i*p.Steps[1]]
			}
		})
		return
	}
	flat := gathered[T](value)
	eachPlace(view, lists, func(i, place int) { data[place] = flat[i] })
}

// gathered returns the elements row-major in T, whatever the strides.
func gathered[T Cell](a *Array) []T {
	out := make([]T, a.Size())
	if len(out) > 0 {
		gather(out, storage[T](a.cells), a)
	}
	return out
}

// places returns the storage places of the elements where a mask of the array's
// shape is true, rows first.
func (a *Array) places(mask *Array) []int {
	flags := mask.Bools()
	n := 0
	for _, f := range flags {
		if f {
			n++
		}
	}
	out := make([]int, 0, n)
	p := NewPlan(a.shape, a)
	p.Each(func(lo, n int, at []int) {
		for i := range n {
			if flags[lo+i] {
				out = append(out, at[0]+i*p.Steps[0])
			}
		}
	})
	return out
}

// Where returns the elements at which a mask of the array's shape is true, rows
// first, on one axis without label.
func (a *Array) Where(mask *Array) *Array { return a.at(a.places(mask)) }

func (a *Array) at(places []int) *Array {
	switch a.kind {
	case Bool:
		return collect(a.cells.bools, places)
	case Int:
		return collect(a.cells.ints, places)
	case Real:
		return collect(a.cells.reals, places)
	default:
		return collect(a.cells.complexes, places)
	}
}

func collect[T Cell](data []T, places []int) *Array {
	out := make([]T, len(places))
	for i, at := range places {
		out[i] = data[at]
	}
	return From(out, []int{len(out)})
}

// CountTrue returns how many elements of a bool array are true.
func (a *Array) CountTrue() int {
	n := 0
	for _, f := range a.Bools() {
		if f {
			n++
		}
	}
	return n
}

// AssignWhere writes a scalar, or one element for each true of the mask, rows
// first. The value has the array's kind and shares no cells with it.
func (a *Array) AssignWhere(mask, value *Array) {
	places := a.places(mask)
	value = value.Stretch([]int{len(places)})
	switch a.kind {
	case Bool:
		put(a.cells.bools, places, gathered[bool](value))
	case Int:
		put(a.cells.ints, places, gathered[int64](value))
	case Real:
		put(a.cells.reals, places, gathered[float64](value))
	default:
		put(a.cells.complexes, places, gathered[complex128](value))
	}
}

func put[T Cell](data []T, places []int, values []T) {
	for i, at := range places {
		data[at] = values[i]
	}
}

// Paired returns an array whose first axis walks the listed axes pointwise: the
// lists have one length. The other axes follow whole, in their order.
func (a *Array) Paired(axes []int, lists [][]int) *Array {
	out := New(a.kind, a.PairedShape(axes, lists))
	n := len(lists[0])
	for i := range n {
		out.Assign(rowPicks(out.shape, i), a.Select(a.pairedPicks(axes, lists, i)))
	}
	if a.labels != nil {
		labels := []string{""}
		for axis, l := range a.labels {
			if !slices.Contains(axes, axis) {
				labels = append(labels, l)
			}
		}
		out.SetLabels(labels)
	}
	return out
}

// PairedShape is the shape Paired gives.
func (a *Array) PairedShape(axes []int, lists [][]int) []int {
	shape := []int{len(lists[0])}
	for axis, d := range a.shape {
		if !slices.Contains(axes, axis) {
			shape = append(shape, d)
		}
	}
	return shape
}

// AssignPaired writes a value, which broadcasts to Paired's shape, pointwise.
func (a *Array) AssignPaired(axes []int, lists [][]int, value *Array) {
	shape := a.PairedShape(axes, lists)
	value = value.Stretch(shape)
	for i := range shape[0] {
		a.Assign(a.pairedPicks(axes, lists, i), value.Select(rowPicks(shape, i)))
	}
}

func rowPicks(shape []int, i int) []Pick {
	picks := []Pick{{Kind: PickPosition, Start: i}}
	for _, d := range shape[1:] {
		picks = append(picks, WholeAxis(d))
	}
	return picks
}

func (a *Array) pairedPicks(axes []int, lists [][]int, i int) []Pick {
	picks := make([]Pick, len(a.shape))
	for axis, d := range a.shape {
		picks[axis] = WholeAxis(d)
	}
	for k, axis := range axes {
		picks[axis] = Pick{Kind: PickPosition, Start: lists[k][i]}
	}
	return picks
}

// Transpose returns the array with its axes in another order, sharing cells:
// axis i of the result is axis order[i] of the array.
func (a *Array) Transpose(order []int) *Array {
	f := &struct {
		array Array
		laid
	}{array: Array{kind: a.kind, offset: a.offset, cells: a.cells}}
	l := f.axes(len(order))
	if a.labels != nil {
		l.labels = make([]string, len(order))
	}
	for i, axis := range order {
		l.shape, l.strides = append(l.shape, a.shape[axis]), append(l.strides, a.strides[axis])
		if l.labels != nil {
			l.labels[i] = a.labels[axis]
		}
	}
	l.labels = named(l.labels)
	f.array.layout = l.counted()
	return &f.array
}

// Reshape returns the row-major elements under another shape of the same size,
// without labels. It shares cells when the array is contiguous.
func (a *Array) Reshape(shape []int) *Array {
	if !a.IsContiguous() {
		a = a.Copy()
	}
	b := newHeader(a.kind, shape)
	b.cells, b.offset = a.cells, a.offset
	return b
}

// Overlap reports whether two arrays over the same storage have a cell in common.
func Overlap(a, b *Array) bool {
	if a.cells != b.cells {
		return false
	}
	mine := make(map[int]bool, a.Size())
	eachPlace(a, nil, func(_, place int) { mine[place] = true })
	found := false
	eachPlace(b, nil, func(_, place int) { found = found || mine[place] })
	return found
}
