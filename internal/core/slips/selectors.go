package slips

import (
	"slices"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var selectorOperators = []*Operator{
	{
		Name: "shift", Codes: []codes.Code{codes.UnitFirst, codes.SelectShifted, codes.SelectEnd, codes.AxisOther},
		Where: "a position, positions, a range, and a function that gives positions", Change: "moves by one or two",
		Right: "r = x[2]", Wrong: "r = x[3]",
		join:     byChange,
		selector: (*walker).shifted,
		expression: []onExpression{on((*walker).shiftedRange), onCallOf((*walker).otherBase, positionFunctions...),
			onCallOf((*walker).otherWay, "rotated")},
	},
	{
		Name: "reversed", Codes: []codes.Code{codes.SelectReversed, codes.SelectEnd, codes.AxisOther},
		Where:  "an axis, a range, a list of positions, `first` and `last`",
		Change: "takes it from the other end, or backwards",
		Right:  "r = x[all]", Wrong: "r = x[reversed]",
		join: byChange, selector: (*walker).reversed,
	},
	{
		Name: "complement", Codes: []codes.Code{codes.SelectComplement},
		Where: "a position, positions, a mask or a range", Change: "puts `except` in, or takes it away",
		Right: "r = x[except 0]", Wrong: "r = x[0]",
		selector: (*walker).complement,
	},
	{
		Name: "kept", Codes: []codes.Code{codes.AxisKept, codes.AxisDropped},
		Where: "a position, and a list of one position", Change: "puts the position in a list, or takes it out of one",
		Right: "r = x[2]", Wrong: "r = x[[2]]",
		Adds: true, selector: (*walker).inList,
	},
	{
		Name: "whole", Codes: []codes.Code{codes.StepMissing, codes.StepExtra, codes.SelectEnd, codes.AxisOther},
		Where: "a position or a range", Change: "takes the whole axis",
		Right: "r = a[0, all]", Wrong: "r = a[all, all]",
		selector: (*walker).wholeAxis,
	},
	{
		Name: "shorter", Codes: []codes.Code{codes.SelectEnd, codes.AxisOther},
		Where: "a list of positions", Change: "leaves the last one out",
		Right: "r = x[[0, 2, 4]]", Wrong: "r = x[[0, 2]]",
		selector: (*walker).shorter,
	},
}

// positionFunctions are functions whose result counts from the course's first position.
var positionFunctions = []string{"max_at", "min_at", "sort_order", "positions", "insertion_place", "indices",
	"unflat_position"}

var givesPositions = func() map[string]bool {
	out := map[string]bool{}
	for _, name := range positionFunctions {
		out[name] = true
	}
	return out
}()

// put collects that another selector takes a selector's place.
func (w *walker) put(cause, undoes codes.Code, s *notation.Selection, i int, with *notation.Selector) {
	old := s.Selectors[i]
	with.Label = old.Label
	if w.key == "" {
		w.key = oneSelector(old) + " → " + oneSelector(with)
		defer func() { w.key = "" }()
	}
	w.selectionSlip(cause, undoes, s, func() { exchange(s, old, with) })
}

// exchange puts a selector in another's place, wherever that is by now. A selector that
// another change has taken out is left alone.
func exchange(s *notation.Selection, old, with *notation.Selector) {
	if i := slices.Index(s.Selectors, old); i >= 0 {
		s.Selectors[i] = with
	}
}

// offset is an expression moved by k positions; ok is false where that has no plain
// form.
func (w *walker) offset(e notation.Expr, k int64) (moved notation.Expr, ok bool) {
	e = notation.Strip(e)
	switch e := e.(type) {
	case *notation.Number:
		if e.Kind == array.Int && e.Int+k >= 0 {
			return number(e.Span, e.Int+k), true
		}
		return nil, false
	case *notation.Edge:
		if e.Last && k > 0 {
			return nil, false // past the end
		}
		return plusOffset(e.Span, e, k), true
	case *notation.Binary:
		if n, ok := notation.Strip(e.Right).(*notation.Number); ok && n.Kind == array.Int && (e.Op == "+" || e.Op == "-") {
			total := n.Int
			if e.Op == "-" {
				total = -total
			}
			return plusOffset(e.Span, e.Left, total+k), true
		}
	case *notation.List:
		items := make([]notation.Expr, len(e.Items))
		for i, item := range e.Items {
			moved, ok := w.offset(item, k)
			if !ok {
				return nil, false
			}
			items[i] = moved
		}
		return &notation.List{Span: e.Span, Items: items}, len(items) > 0
	}
	if o := w.outline(e); o.KnowsKind() && o.Kind() != array.Int {
		return nil, false
	}
	return plusOffset(e.Pos(), e, k), true
}

// plusOffset writes e + k.
func plusOffset(at notation.Span, e notation.Expr, k int64) notation.Expr {
	switch {
	case k > 0:
		return binary(at, "+", e, number(at, k))
	case k < 0:
		return binary(at, "-", e, number(at, -k))
	}
	return e
}

// shiftCauses names a move by k positions: counted from the other base where it is the
// base's difference, else positions off by k. made is for a slip of a reference, undone
// for the same move that fixes an attempt.
func (w *walker) shiftCauses(k int64) (made, undone codes.Code) {
	other := int64(1) // what counting from the other base adds
	if w.m.Counting == 1 {
		other = -1
	}
	made, undone = codes.SelectShifted, codes.SelectShifted
	if k == other {
		made = codes.UnitFirst
	}
	if k == -other {
		undone = codes.UnitFirst
	}
	return made, undone
}

// shiftKey joins moves of several positions and ranges by k.
func shiftKey(k int64) string { return "by " + strconv.FormatInt(k, 10) }

// position reports whether a selector is a position or positions, given by value.
func (w *walker) position(sel *notation.Selector) (edge *notation.Edge, ok bool) {
	if sel.Kind != notation.SelectValue {
		return nil, false
	}
	edge, isEdge := notation.Strip(sel.Value).(*notation.Edge)
	o := w.outline(sel.Value)
	return edge, isEdge || o.Is(array.Int)
}

// scalar reports whether a selector is one position.
func (w *walker) scalar(sel *notation.Selector) bool {
	edge, ok := w.position(sel)
	return ok && (edge != nil || w.rank(sel.Value) == 0)
}

// shifted moves a position, positions or a range.
func (w *walker) shifted(s *notation.Selection, i int, sel *notation.Selector) {
	if sel.Kind == notation.SelectRange {
		w.shiftedSelector(s, i, sel)
		return
	}
	edge, ok := w.position(sel)
	if !ok {
		return
	}
	for _, k := range []int64{1, -1, 2, -2} {
		moved, ok := w.offset(sel.Value, k)
		if !ok {
			continue
		}
		made, undone := w.shiftCauses(k)
		if edge != nil {
			made, undone = codes.SelectShifted, codes.SelectShifted
		}
		w.key = shiftKey(k)
		if _, nested := notation.Strip(sel.Value).(*notation.Select); nested {
			w.key += " of an item" // whose own position is moved by itself
		}
		w.put(made, undone, s, i, withValue(sel, moved))
		w.key = ""
	}
	w.itemShifted(s, i, sel)
}

// itemShifted moves one of several positions that are written out.
func (w *walker) itemShifted(s *notation.Selection, i int, sel *notation.Selector) {
	l, ok := w.positionList(sel)
	if !ok || !w.repairing() || len(l.Items) < 2 || len(l.Items) > mostPlaces {
		return
	}
	for at := range l.Items {
		for _, k := range []int64{1, -1} {
			if moved, ok := w.offset(l.Items[at], k); ok {
				items := slices.Clone(l.Items)
				items[at] = moved
				_, undone := w.shiftCauses(k)
				w.put(undone, undone, s, i, withValue(sel, &notation.List{Span: l.Span, Items: items}))
			}
		}
	}
}

// otherBase gives positions as a course with the other base counts them.
func (w *walker) otherBase(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() {
		w.replace(codes.UnitFirst, codes.SelectShifted, slot, plusOffset(c.Span, c, int64(1-2*w.m.Counting)))
	}
}

// otherWay rotates backwards.
func (w *walker) otherWay(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) != 2 {
		return
	}
	back := notation.Expr(&notation.Unary{Span: c.Args[1].Pos(), Op: "-", Operand: grouped(c.Args[1])})
	if u, ok := notation.Strip(c.Args[1]).(*notation.Unary); ok && u.Op == "-" {
		back = u.Operand
	}
	w.both(codes.SelectShifted, slot, withArgs(c, c.Args[0], back))
}

func (w *walker) reversed(s *notation.Selection, i int, sel *notation.Selector) {
	put := func(with *notation.Selector) { w.put(codes.SelectReversed, codes.SelectReversed, s, i, with) }
	switch sel.Kind {
	case notation.SelectAll:
		put(selector(sel.Span, notation.SelectReversed))
	case notation.SelectReversed:
		put(selector(sel.Span, notation.SelectAll))
	case notation.SelectRange:
		w.reversedRange(s, i, sel)
	case notation.SelectValue:
		w.mirrored(s, i, sel)
		if edge, ok := notation.Strip(sel.Value).(*notation.Edge); ok {
			other := &notation.Edge{Span: sel.Span, Last: !edge.Last}
			put(withValue(sel, other))
			if w.repairing() { // the second, from the other end
				w.put(codes.SelectEnd, codes.SelectEnd, s, i, withValue(sel, w.placesBeside(other)[0]))
			}
		}
		if from := w.fromOtherEnd(notation.Strip(sel.Value)); from != nil {
			put(withValue(sel, from))
		}
		if l, ok := w.positionList(sel); ok && len(l.Items) > 1 {
			items := slices.Clone(l.Items)
			slices.Reverse(items)
			put(withValue(sel, &notation.List{Span: l.Span, Items: items}))
		}
	}
}

// mirrored counts each of several positions from the other end.
func (w *walker) mirrored(s *notation.Selection, i int, sel *notation.Selector) {
	from := w.fromOtherEnd(notation.Strip(sel.Value))
	if edge, ok := notation.Strip(sel.Value).(*notation.Edge); ok {
		from = &notation.Edge{Span: sel.Span, Last: !edge.Last}
	}
	if from == nil || !w.repairing() {
		return
	}
	w.key, w.together = "from the other end", true
	w.put(codes.SelectReversed, codes.SelectReversed, s, i, withValue(sel, from))
	w.key, w.together = "", false
}

// fromOtherEnd counts a position from the other end: the number n from the last, and `last - k` from the first; nil for
// anything else.
func (w *walker) fromOtherEnd(e notation.Expr) notation.Expr {
	switch e := e.(type) {
	case *notation.Number:
		if n := e.Int - int64(w.m.Counting); e.Kind == array.Int && n >= 0 && n < mostFromEnd {
			return plusOffset(e.Span, &notation.Edge{Span: e.Span, Last: true}, -n)
		}
	case *notation.Binary:
		edge, isEdge := notation.Strip(e.Left).(*notation.Edge)
		n, isNumber := notation.Strip(e.Right).(*notation.Number)
		if isEdge && edge.Last && e.Op == "-" && isNumber && n.Kind == array.Int && n.Int < mostFromEnd {
			return number(e.Span, n.Int+int64(w.m.Counting))
		}
	}
	return nil
}

// mostFromEnd bounds the positions that somebody counts from the wrong end.
const mostFromEnd = 10

// positionList is a list of positions that is written out.
func (w *walker) positionList(sel *notation.Selector) (*notation.List, bool) {
	if _, ok := w.position(sel); !ok {
		return nil, false
	}
	l, ok := notation.Strip(sel.Value).(*notation.List)
	return l, ok
}

func (w *walker) complement(s *notation.Selection, i int, sel *notation.Selector) {
	if sel.Kind != notation.SelectRange && sel.Kind != notation.SelectValue {
		return
	}
	if sel.Except || !s.Paired {
		turned := *sel
		turned.Except = !sel.Except
		w.adding = turned.Except
		w.put(codes.SelectComplement, codes.SelectComplement, s, i, &turned)
		w.adding = false
	}
}

// inList keeps an axis of length 1 by a list of one position, or drops it.
func (w *walker) inList(s *notation.Selection, i int, sel *notation.Selector) {
	if l, ok := w.positionList(sel); ok && len(l.Items) == 1 {
		w.put(codes.AxisDropped, codes.AxisKept, s, i, withValue(sel, l.Items[0]))
	}
	if w.scalar(sel) && !sel.Except && !s.Paired {
		w.put(codes.AxisKept, codes.AxisDropped, s, i, withValue(sel, &notation.List{Span: sel.Span,
			Items: []notation.Expr{sel.Value}}))
	}
}

// wholeAxis takes the whole axis for a position or a range of it.
func (w *walker) wholeAxis(s *notation.Selection, i int, sel *notation.Selector) {
	made, undone := codes.StepMissing, codes.StepExtra
	switch {
	case sel.Kind == notation.SelectRange:
		if r := sel.Range; (r.From == nil) != (r.End == nil) && r.By == nil {
			made, undone = codes.SelectEnd, codes.SelectEnd
		}
	case !w.scalar(sel) || sel.Except || s.Paired:
		return
	}
	w.put(made, undone, s, i, selector(sel.Span, notation.SelectAll))
}

// shorter leaves the last of several positions out; an attempt may lack the last of its axis, or the first.
func (w *walker) shorter(s *notation.Selection, i int, sel *notation.Selector) {
	if l, ok := w.positionList(sel); ok && w.repairing() {
		for _, last := range []bool{true, false} {
			items := append(slices.Clone(l.Items), &notation.Edge{Span: l.Span, Last: last})
			if !last {
				items = append([]notation.Expr{&notation.Edge{Span: l.Span}}, l.Items...)
			}
			w.put(codes.SelectEnd, codes.SelectEnd, s, i, withValue(sel, &notation.List{Span: l.Span, Items: items}))
		}
	}
	if l, ok := w.positionList(sel); ok && len(l.Items) > 1 {
		w.put(codes.SelectEnd, codes.SelectEnd, s, i, withValue(sel, &notation.List{Span: l.Span,
			Items: l.Items[:len(l.Items)-1]}))
	}
}

// edgeForAxis takes the first or last position for an axis or a range of it.
func (w *walker) edgeForAxis(s *notation.Selection, i int, sel *notation.Selector) {
	switch {
	case sel.Kind == notation.SelectAll && w.repairing():
		cause := codes.AxisKept
		if w.isLonger(s, i) {
			cause = codes.StepMissing
		}
		for _, last := range []bool{false, true} {
			w.put(cause, cause, s, i, valueSelector(sel.Span, &notation.Edge{Span: sel.Span, Last: last}))
		}
	case sel.Kind == notation.SelectRange:
		for _, last := range []bool{true, false} {
			w.put(codes.AxisDropped, codes.SelectEnd, s, i, withValue(sel, &notation.Edge{Span: sel.Span, Last: last}))
		}
	}
}

// isLonger reports whether the axis that a selector is for has more than one position: by its length where that is
// known, else where nothing that is searched for decides it.
func (w *walker) isLonger(s *notation.Selection, i int) bool {
	o := w.outline(w.selected)
	if name, ok := notation.Strip(w.selected).(*notation.Name); ok {
		o = w.valueOf(name.Name)
	}
	axis := 0
	for _, sel := range s.Selectors[:i] {
		if sel.Kind != notation.SelectNew {
			axis++
		}
	}
	if s.Paired {
		return false
	}
	if label := s.Selectors[i].Label; label != nil && o.KnowsRank() {
		axis = o.Rank()
		for k := range o.Rank() {
			if o.Label(k) == label.Name {
				axis = k
			}
		}
	}
	if o.KnowsRank() && axis < o.Rank() && o.Len(axis) >= 0 {
		return o.Len(axis) > 1
	}
	return !w.mayBeOne(w.selected)
}

// mayBeOne reports whether an axis of an expression is as long as something is found: `positions` or a mask may find
// one.
func (w *walker) mayBeOne(e notation.Expr) bool {
	if name, ok := notation.Strip(e).(*notation.Name); ok && w.definition(name.Name) != nil {
		e = w.definition(name.Name)
	}
	found := callIn(e, "positions", "unique") != nil
	notation.Walk(e, func(n notation.Node) bool {
		sel, ok := n.(*notation.Selector)
		found = found || ok && sel.Value != nil && !w.scalar(sel)
		return !found
	})
	return found
}
