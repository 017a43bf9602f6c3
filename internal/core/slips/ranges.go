package slips

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var rangeOperators = []*Operator{
	{
		Name: "range", Codes: []codes.Code{codes.SelectEnd, codes.AxisOther},
		Where: "a range", Change: "moves one end by one, or takes the end in or out",
		Right: "r = x[1 to 3]", Wrong: "r = x[1 before 3]",
		join:     byChange,
		selector: (*walker).movedEnd, expression: []onExpression{on((*walker).movedEndOfValue)},
	},
	{
		Name: "open", Codes: []codes.Code{codes.SelectEnd, codes.AxisOther},
		Where: "a range, and in an attempt a whole axis", Change: "leaves an end open, or leaves out as many at the other " +
			"end",
		Right: "r = x[from 2]", Wrong: "r = x[before last]",
		selector: (*walker).openEnd,
	},
	{
		Name: "step", Codes: []codes.Code{codes.SelectStep},
		Where: "a range", Change: "changes the step",
		Right: "r = x[by 2]", Wrong: "r = x[by 3]",
		join:     byChange,
		selector: (*walker).otherStep, expression: []onExpression{on((*walker).otherStepOfValue)},
	},
	{
		Name: "other end", Codes: []codes.Code{codes.SelectShifted, codes.AxisOther},
		Where: "a range from the first position", Change: "takes as many positions from the other end",
		Right: "r = x[0 to 2]", Wrong: "r = x[last - 2 to last]",
		selector: (*walker).otherEnd,
	},
}

func withValue(sel *notation.Selector, e notation.Expr) *notation.Selector {
	out := *sel
	out.Kind, out.Range, out.Value = notation.SelectValue, nil, e
	return &out
}

func withRange(sel *notation.Selector, r notation.RangeExpr) *notation.Selector {
	out := *sel
	out.Kind, out.Value, out.Range = notation.SelectRange, nil, &r
	return &out
}

// putRange collects a changed range; one that is the whole axis is another operator's.
func (w *walker) putRange(made, undone codes.Code, s *notation.Selection, i int, sel *notation.Selector,
	change func(r *notation.RangeExpr)) {
	r := *sel.Range
	change(&r)
	if r.From != nil || r.End != nil || r.By != nil {
		w.put(made, undone, s, i, withRange(sel, r))
	}
}

func orNothing(e notation.Expr) notation.Expr {
	if e == nil {
		return &notation.Truth{}
	}
	return e
}

// fromLast reports whether a position is counted from the last.
func fromLast(e notation.Expr) bool {
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		if x, ok := n.(*notation.Edge); ok && x.Last {
			found = true
		}
		return !found
	})
	return found
}

// moved are the ends of a range, each moved by k where it can be.
func (w *walker) moved(r *notation.RangeExpr, k int64) (from, end notation.Expr) {
	if r.From != nil {
		if e, ok := w.offset(r.From, k); ok {
			from = e
		}
	}
	if r.End != nil {
		if e, ok := w.offset(r.End, k); ok {
			end = e
		}
	}
	return from, end
}

// toTheEnd reports whether a range ends where its axis does.
func toTheEnd(r *notation.RangeExpr) bool {
	_, edge := notation.Strip(orNothing(r.End)).(*notation.Edge)
	return r.End == nil || edge
}

// shiftedSelector moves both ends of a range, or its start where it goes to the end of
// the axis.
func (w *walker) shiftedSelector(s *notation.Selection, i int, sel *notation.Selector) {
	r := sel.Range
	for _, k := range []int64{1, -1} {
		from, end := w.moved(r, k)
		made, undone := w.shiftCauses(k)
		if from != nil && toTheEnd(r) {
			startMade, startUndone := made, undone
			if r.By == nil {
				// Not the other base's start: one more, or one fewer, is taken in.
				if made != codes.UnitFirst || fromLast(r.From) {
					startMade = codes.SelectEnd
				}
				if undone != codes.UnitFirst || fromLast(r.From) {
					startUndone = codes.SelectEnd
				}
			}
			w.putRange(startMade, startUndone, s, i, sel, func(r *notation.RangeExpr) { r.From = from })
		}
		w.key = shiftKey(k)
		if from != nil && end != nil {
			w.putRange(made, undone, s, i, sel, func(r *notation.RangeExpr) { r.From, r.End = from, end })
		}
		w.key = ""
	}
}

// movedEnd moves one end of a range.
func (w *walker) movedEnd(s *notation.Selection, i int, sel *notation.Selector) {
	if sel.Kind != notation.SelectRange {
		return
	}
	r := sel.Range
	put := func(change func(r *notation.RangeExpr)) {
		w.putRange(codes.SelectEnd, codes.SelectEnd, s, i, sel, change)
	}
	for _, k := range []int64{1, -1} {
		from, end := w.moved(r, k)
		if from != nil && !toTheEnd(r) {
			put(func(r *notation.RangeExpr) { r.From = from })
		}
		if end != nil {
			put(func(r *notation.RangeExpr) { r.End = end })
		}
		// A range over all but its ends keeps its length when it is moved.
		if from != nil && r.End == nil && k < 0 {
			last := plusOffset(sel.Span, &notation.Edge{Span: sel.Span, Last: true}, -1)
			put(func(r *notation.RangeExpr) { r.From, r.End = from, last })
		}
	}
	if r.End != nil {
		put(func(r *notation.RangeExpr) { r.Before = !r.Before })
	}
}

// movedEndOfValue moves one end of a range that stands as a value.
func (w *walker) movedEndOfValue(slot *notation.Expr, e *notation.RangeExpr) {
	put := func(change func(r *notation.RangeExpr)) {
		with := *e
		change(&with)
		w.both(codes.SelectEnd, slot, &with)
	}
	put(func(r *notation.RangeExpr) { r.Before = !r.Before })
	for _, k := range []int64{1, -1} {
		if from, ok := w.offset(e.From, k); ok {
			put(func(r *notation.RangeExpr) { r.From = from })
		}
		if end, ok := w.offset(e.End, k); ok {
			put(func(r *notation.RangeExpr) { r.End = end })
		}
	}
}

// shiftedRange moves a range that stands as a value.
func (w *walker) shiftedRange(slot *notation.Expr, e *notation.RangeExpr) {
	for _, k := range []int64{1, -1} {
		from, okFrom := w.offset(e.From, k)
		end, okEnd := w.offset(e.End, k)
		if okFrom && okEnd {
			made, undone := w.shiftCauses(k)
			if w.repairing() {
				made, undone = codes.UnitFirst, codes.UnitFirst
			}
			with := *e
			with.From, with.End = from, end
			w.adding = w.repairing() // two ends at once: a plainer change goes before it
			w.replace(made, undone, slot, &with)
			w.adding = false
		}
	}
}

// openEnd leaves an end of a range open, or one position out at either end of the axis.
func (w *walker) openEnd(s *notation.Selection, i int, sel *notation.Selector) {
	first := func() notation.Expr { return plusOffset(sel.Span, &notation.Edge{Span: sel.Span}, 1) }
	last := func() notation.Expr { return &notation.Edge{Span: sel.Span, Last: true} }
	if sel.Kind == notation.SelectAll && w.repairing() {
		w.put(codes.SelectEnd, codes.SelectEnd, s, i, withRange(sel, notation.RangeExpr{Span: sel.Span, From: first()}))
		w.put(codes.SelectEnd, codes.SelectEnd, s, i, withRange(sel, notation.RangeExpr{Span: sel.Span, End: last(),
			Before: true}))
	}
	if sel.Kind != notation.SelectRange {
		return
	}
	put := func(change func(r *notation.RangeExpr)) {
		w.putRange(codes.SelectEnd, codes.SelectEnd, s, i, sel, change)
	}
	r := sel.Range
	if r.End != nil {
		put(func(r *notation.RangeExpr) { r.End, r.Before = nil, false })
	}
	if r.From != nil {
		put(func(r *notation.RangeExpr) { r.From = nil })
	}
	switch {
	case r.By != nil:
	case r.From != nil && r.End == nil:
		// from k against before last - k: the same number, from the other side.
		put(func(r *notation.RangeExpr) { r.From, r.End, r.Before = nil, last(), true })
	case r.From == nil && r.End != nil:
		put(func(r *notation.RangeExpr) { r.From, r.End, r.Before = first(), nil, false })
	}
}

// otherEnd takes as many positions from the other end of the axis.
func (w *walker) otherEnd(s *notation.Selection, i int, sel *notation.Selector) {
	r := sel.Range
	if sel.Kind != notation.SelectRange || r.By != nil {
		return
	}
	first := int64(w.m.Counting)
	from, ok := first, r.From == nil
	if n, isNumber := notation.Strip(orNothing(r.From)).(*notation.Number); isNumber {
		from, ok = n.Int, true
	}
	if w.repairing() && ok && from == first && r.End != nil {
		w.otherEndOf(s, i, sel, r)
	}
	end, isNumber := notation.Strip(orNothing(r.End)).(*notation.Number)
	if ok && isNumber && !r.Before && from == first && end.Int > from {
		last := &notation.Edge{Span: sel.Span, Last: true}
		other := notation.RangeExpr{Span: sel.Span, From: plusOffset(sel.Span, last, from-end.Int), End: last}
		w.put(codes.SelectShifted, codes.SelectShifted, s, i, withRange(sel, other))
	}
}

// otherEndOf takes as many positions from the other end, where their number is a name.
func (w *walker) otherEndOf(s *notation.Selection, i int, sel *notation.Selector, r *notation.RangeExpr) {
	n, ok := notation.Strip(r.End).(*notation.Name)
	if !ok {
		return
	}
	last := &notation.Edge{Span: sel.Span, Last: true}
	fewer := int64(w.m.Counting) // positions than one more than the name says
	if r.Before {
		fewer++
	}
	from := plusOffset(sel.Span, binary(sel.Span, "-", last, n), fewer)
	w.put(codes.SelectShifted, codes.SelectShifted, s, i, withRange(sel, notation.RangeExpr{Span: sel.Span, From: from,
		End: last}))
}

// otherStep changes the step of a range.
func (w *walker) otherStep(s *notation.Selection, i int, sel *notation.Selector) {
	if sel.Kind != notation.SelectRange {
		return
	}
	step := func(by notation.Expr) {
		w.putRange(codes.SelectStep, codes.SelectStep, s, i, sel, func(r *notation.RangeExpr) { r.By = by })
	}
	if sel.Range.By == nil {
		if !ofOneStep(sel.Range) {
			step(number(sel.Span, 2))
		}
		return
	}
	step(nil)
	if w.repairing() {
		for _, name := range w.m.Inputs {
			if o := w.m.Known[name]; o.IsScalar() && o.Is(array.Int) {
				step(&notation.Name{Span: sel.Span, Name: name})
			}
		}
	}
	if by, ok := notation.Strip(sel.Range.By).(*notation.Number); ok && by.Kind == array.Int {
		if sel.Range.End == nil && by.Int > 0 { // for how far it goes
			w.putRange(codes.SelectStep, codes.SelectStep, s, i, sel, func(r *notation.RangeExpr) { r.End, r.By = by, nil })
		}
		step(number(by.Span, by.Int+1))
		if by.Int > 2 {
			step(number(by.Span, by.Int-1))
		}
	}
}

// ofOneStep reports whether a range is written out and so short that a step of two leaves one of it.
func ofOneStep(r *notation.RangeExpr) bool {
	from, okFrom := notation.Strip(orNothing(r.From)).(*notation.Number)
	end, okEnd := notation.Strip(orNothing(r.End)).(*notation.Number)
	return okFrom && okEnd && end.Int-from.Int < 2
}

// otherStepOfValue leaves the step of a range that stands as a value out, or takes another.
func (w *walker) otherStepOfValue(slot *notation.Expr, e *notation.RangeExpr) {
	if e.By == nil {
		return
	}
	step := func(by notation.Expr) {
		with := *e
		with.By = by
		w.both(codes.SelectStep, slot, &with)
	}
	step(nil)
	if by, ok := notation.Strip(e.By).(*notation.Number); ok && by.Kind == array.Int {
		step(number(by.Span, by.Int+1))
		if by.Int > 2 {
			step(number(by.Span, by.Int-1))
		}
	}
}

// reversedRange runs a range backwards.
func (w *walker) reversedRange(s *notation.Selection, i int, sel *notation.Selector) {
	put := func(by notation.Expr) {
		end := sel.Range.End
		if sel.Range.Before { // the same positions, so without that end
			moved, ok := w.offset(end, -1)
			if !ok {
				return
			}
			end = moved
		}
		w.putRange(codes.SelectReversed, codes.SelectReversed, s, i, sel, func(r *notation.RangeExpr) {
			r.From, r.End, r.By = end, r.From, by
			r.Before = false
		})
	}
	minus := func(e notation.Expr) notation.Expr { return &notation.Unary{Span: e.Pos(), Op: "-", Operand: e} }
	if sel.Range.By == nil {
		put(minus(number(sel.Span, 1)))
		return
	}
	switch by := notation.Strip(sel.Range.By).(type) {
	case *notation.Number:
		if by.Kind == array.Int {
			put(minus(by))
		}
	case *notation.Unary:
		put(by.Operand)
	}
}
