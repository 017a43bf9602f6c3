package evaluate

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// selected is a selection computed: one of its three forms is set.
type selected struct {
	picks  []array.Pick
	mask   *array.Array // of the whole shape
	paired *pairing
}

// shape is the shape the selection gives, with its labels.
func (s selected) shape(target *array.Array) ([]int, []string) {
	switch {
	case s.mask != nil:
		return []int{s.mask.CountTrue()}, nil
	case s.paired != nil:
		return target.PairedShape(s.paired.axes, s.paired.lists), nil
	}
	var labels []string
	axis := 0
	for _, p := range s.picks {
		label := ""
		if p.Kind != array.PickNew {
			label = target.Label(axis)
			axis++
		}
		if p.Kind != array.PickPosition {
			labels = append(labels, label)
		}
	}
	return array.SelectedShape(s.picks), labels
}

// axisOf is the source's axis that a pick selects on.
func (s selected) axisOf(pick int) int {
	axis := 0
	for _, p := range s.picks[:pick] {
		if p.Kind != array.PickNew {
			axis++
		}
	}
	return axis
}

// read takes the selected elements.
func (r *runner) read(span notation.Span, s selected, a *array.Array) *array.Array {
	switch {
	case s.mask != nil:
		r.ok(span, r.meter.Take(a.Kind(), s.mask.CountTrue()))
		return a.Where(s.mask)
	case s.paired != nil:
		r.ok(span, r.meter.TakeShape(a.Kind(), a.PairedShape(s.paired.axes, s.paired.lists)))
		return a.Paired(s.paired.axes, s.paired.lists)
	}
	if !array.SharesCells(s.picks) {
		r.ok(span, r.meter.TakeShape(a.Kind(), array.SelectedShape(s.picks)))
	}
	return r.meter.Arena.Select(a, s.picks)
}

// takePicks gives scratch for the picks of one selection, new scratch while another has it.
func (r *runner) takePicks() []array.Pick {
	scratch := r.picks
	r.picks = nil
	if scratch == nil {
		return make([]array.Pick, 0, 4)
	}
	return scratch
}

// givePicks takes the scratch back.
func (r *runner) givePicks(scratch []array.Pick) {
	scratch = scratch[:cap(scratch)]
	clear(scratch)
	r.picks = scratch[:0]
}

// selection evaluates a selection of an array, its picks in scratch where they find it.
func (r *runner) selection(s *notation.Selection, a *array.Array, scratch []array.Pick) selected {
	switch {
	case s.Paired:
		return selected{paired: r.pairedSelection(s, a)}
	case s.Selectors[0].Label != nil:
		return selected{picks: r.labelledSelection(s, a)}
	}
	var lone *array.Array
	if r.isLone(s) {
		lone = r.within(a, 0, s.Selectors[0].Value)
		if lone.Kind() == array.Bool && (a.Rank() > 1 || lone.Rank() > 1) && a.Rank() > 0 {
			return selected{mask: r.wholeMask(s, a, lone)}
		}
	}
	r.checkCount(s, a)
	picks := scratch
	axis := 0
	for _, sel := range s.Selectors {
		switch sel.Kind {
		case notation.SelectNew:
			picks = append(picks, array.Pick{Kind: array.PickNew})
		case notation.SelectRest:
			for range a.Rank() - consumed(s) {
				picks = append(picks, array.WholeAxis(a.Len(axis)))
				axis++
			}
		default:
			picks = append(picks, r.pick(sel, a, axis, lone))
			axis++
		}
	}
	r.ok(s.Span, functions.CheckRank(len(picks)))
	return selected{picks: picks}
}

// isLone reports whether a selection is one value, which may be a mask of the whole array.
func (r *runner) isLone(s *notation.Selection) bool {
	if len(s.Selectors) != 1 || s.Selectors[0].Kind != notation.SelectValue || s.Selectors[0].Except {
		return false
	}
	_, plain := r.written(s.Selectors[0].Value)
	return !plain
}

// consumed is how many axes the selectors name.
func consumed(s *notation.Selection) int {
	n := 0
	for _, sel := range s.Selectors {
		if sel.Kind != notation.SelectNew && sel.Kind != notation.SelectRest {
			n++
		}
	}
	return n
}

func hasRest(s *notation.Selection) bool {
	for _, sel := range s.Selectors {
		if sel.Kind == notation.SelectRest {
			return true
		}
	}
	return false
}

// checkCount refuses too few or too many selectors, spelling the missing ones.
func (r *runner) checkCount(s *notation.Selection, a *array.Array) {
	n := consumed(s)
	if n == a.Rank() || (hasRest(s) && n <= a.Rank()) {
		return
	}
	r.fail(s.Span, functions.CountFault(a, n, r.program.Source.Slice(s.Span)))
}

// within evaluates an expression where first and last mean positions of an axis.
func (r *runner) within(a *array.Array, axis int, e notation.Expr) *array.Array {
	context := axisContext{}
	if axis < a.Rank() {
		context = axisContext{length: a.Len(axis), known: true}
	}
	r.axes = append(r.axes, context)
	v := r.expr(e)
	r.axes = r.axes[:len(r.axes)-1]
	return v
}

// written reads an int that is in the text as it is, which nobody watches being
// computed.
func (r *runner) written(e notation.Expr) (int64, bool) {
	n, ok := e.(*notation.Number)
	if !ok || n.Kind != array.Int || r.options.Watch != nil {
		return 0, false
	}
	return n.Int, true
}

func (r *runner) wholeMask(s *notation.Selection, a, mask *array.Array) *array.Array {
	if mask.Rank() == 0 || !array.SameShape(a, mask) {
		r.fail(s.Span, functions.MaskFault(a, mask))
	}
	return mask
}

func (r *runner) labelledSelection(s *notation.Selection, a *array.Array) []array.Pick {
	picks := make([]array.Pick, a.Rank())
	for i := range picks {
		picks[i] = array.WholeAxis(a.Len(i))
	}
	for _, sel := range s.Selectors {
		axis, d := functions.FindLabel(a, sel.Label.Name, r.options.Counting)
		if d != nil {
			if r.frame.find(sel.Label.Name) != nil && d.Code == codes.AxisUnknown {
				d.Hint = fmt.Sprintf("a word before `:` is a label; for a range write `%s to ...`. %s", sel.Label.Name, d.Hint)
			}
			r.fail(sel.Label.Span, d)
		}
		picks[axis] = r.pick(sel, a, axis, nil)
	}
	return picks
}

// pick evaluates one selector on its axis. lone is its value when that is known.
func (r *runner) pick(sel *notation.Selector, a *array.Array, axis int, lone *array.Array) array.Pick {
	n := a.Len(axis)
	var p array.Pick
	switch sel.Kind {
	case notation.SelectAll:
		return array.WholeAxis(n)
	case notation.SelectReversed:
		return array.Pick{Kind: array.PickRange, Start: n - 1, Step: -1, Count: n}
	case notation.SelectRange:
		p = r.rangePick(sel.Range, a, axis)
	default:
		v := lone
		if v == nil {
			if at, ok := r.written(sel.Value); ok && !sel.Except {
				return array.Pick{Kind: array.PickPosition, Start: r.position(sel.Value.Pos(), at, a, axis)}
			}
			v = r.within(a, axis, sel.Value)
		}
		p = r.valuePick(sel, v, a, axis)
	}
	if sel.Except {
		return complement(p, n)
	}
	return p
}

// complement lists the positions of an axis that a pick leaves out.
func complement(p array.Pick, n int) array.Pick {
	gone := make([]bool, n)
	switch p.Kind {
	case array.PickPosition:
		gone[p.Start] = true
	case array.PickRange:
		for k := range p.Count {
			gone[p.Start+k*p.Step] = true
		}
	default:
		for _, at := range p.List {
			gone[at] = true
		}
	}
	list := make([]int, 0, n)
	for i, g := range gone {
		if !g {
			list = append(list, i)
		}
	}
	return array.Pick{Kind: array.PickList, List: list}
}

func (r *runner) valuePick(sel *notation.Selector, v, a *array.Array, axis int) array.Pick {
	switch {
	case v.Kind() == array.Int && v.Rank() == 0:
		return array.Pick{Kind: array.PickPosition, Start: r.position(sel.Value.Pos(), v.IntAt(0), a, axis)}
	case v.Kind() == array.Int && v.Rank() == 1:
		r.ok(sel.Span, r.meter.Take(array.Int, v.Size()))
		list := make([]int, v.Size())
		for i, at := range v.Ints() {
			list[i] = r.position(sel.Value.Pos(), at, a, axis)
		}
		return array.Pick{Kind: array.PickList, List: list}
	case v.Rank() == 1 && v.Size() == 0 && v.Kind() == array.Real:
		return array.Pick{Kind: array.PickList, List: []int{}}
	case v.Kind() == array.Bool && v.Rank() == 1:
		return r.axisMask(sel, v, a, axis)
	}
	r.fail(sel.Span, functions.SelectorFault(a, v, axis, r.options.Counting, sel.Except))
	return array.Pick{}
}

func (r *runner) axisMask(sel *notation.Selector, mask, a *array.Array, axis int) array.Pick {
	n := a.Len(axis)
	if mask.Len(0) != n {
		r.fail(sel.Span, functions.AxisMaskFault(a, mask, axis, r.options.Counting))
	}
	list := make([]int, 0, n)
	for i, f := range mask.Bools() {
		if f {
			list = append(list, i)
		}
	}
	r.ok(sel.Span, r.meter.Take(array.Int, len(list)))
	return array.Pick{Kind: array.PickList, List: list}
}

// position checks a position in the course's counting and turns it to one from 0.
func (r *runner) position(span notation.Span, at int64, a *array.Array, axis int) int {
	counting := int64(r.options.Counting)
	n := int64(a.Len(axis))
	if at < counting || at >= n+counting {
		r.outside(span, "position", at, a, axis)
	}
	return int(at - counting)
}

func (r *runner) outside(span notation.Span, what string, at int64, a *array.Array, axis int) {
	r.fail(span, functions.OutsideAxis(what, at, a, axis, r.options.Counting))
}

// rangePick evaluates a range with open ends on an axis.
func (r *runner) rangePick(x *notation.RangeExpr, a *array.Array, axis int) array.Pick {
	counting, n := int64(r.options.Counting), int64(a.Len(axis))
	part := func(e notation.Expr) int64 {
		if n, ok := r.written(e); ok {
			return n
		}
		v := r.within(a, axis, e)
		if v.Rank() != 0 || v.Kind() != array.Int {
			r.failWith(e.Pos(), codes.SelectKind, fmt.Sprintf("an end or step of a range of positions is one int, and this "+
				"is %s", functions.Describe(v)), "convert with `int(...)`, or take one element")
		}
		return v.IntAt(0)
	}
	by := int64(1)
	if x.By != nil {
		if by = part(x.By); by == 0 {
			r.failWith(x.By.Pos(), codes.RunValue, "the range's step is 0, so it never reaches its end",
				"give a step other than 0")
		}
	}
	start, end := counting, n-1+counting
	if by < 0 {
		start, end = end, start
	}
	before := x.Before && x.End != nil
	if x.From != nil {
		start = part(x.From)
	}
	if x.End != nil {
		end = part(x.End)
	}
	count := functions.RangeCount(start, end, by, before)
	inside := func(at, slack int64) bool { return at >= counting-slack && at < n+counting+slack }
	if count == 0 {
		if x.From != nil && !inside(start, 1) {
			r.outside(x.From.Pos(), "start", start, a, axis)
		}
		if x.End != nil && !inside(end, 1) {
			r.outside(x.End.Pos(), "end", end, a, axis)
		}
		if n > 0 || x.From != nil || x.End != nil {
			r.meter.At(x.Span)
			functions.EmptyRange(&r.meter)
		}
		return array.Pick{Kind: array.PickRange, Step: 1}
	}
	if x.From != nil && !inside(start, 0) {
		r.outside(x.From.Pos(), "start", start, a, axis)
	}
	slack := int64(0)
	if before {
		slack = 1
	}
	if x.End != nil && !inside(end, slack) {
		r.outside(x.End.Pos(), "end", end, a, axis)
	}
	if by > n || by < -n {
		by = 1 // one position only, and a step that fits any arithmetic
	}
	return array.Pick{Kind: array.PickRange, Start: int(start - counting), Step: int(by), Count: int(count)}
}
