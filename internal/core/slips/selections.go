package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// selection changes one selection: of names the value selected from.
func (w *maker) selection(s *notation.Selection, of notation.Expr) {
	o := w.outline(of)
	for i, sel := range s.Selectors {
		w.oneSelector(s, i, sel)
	}
	w.lastWritten(s, o)
	w.moved(s)
	if o.KnowsRank() {
		w.relabelled(s, of)
	}
	if !s.Paired && arraySelectors(s) >= 2 && plainValues(s) {
		w.selectionSlip("block", codes.SelectBlock, codes.SelectBlock, s, func() { s.Paired = true })
	}
	if s.Paired {
		w.selectionSlip("block", codes.SelectBlock, codes.SelectBlock, s, func() { s.Paired = false })
	}
}

// lastWritten writes the last position in as a number, or takes such a number for the
// last, where the axis is as long as that in the data that are known.
func (w *maker) lastWritten(s *notation.Selection, o shapes.Outline) {
	if !o.KnowsRank() || len(s.Selectors) > o.Rank() {
		return
	}
	for i, sel := range s.Selectors {
		axis := i
		if sel.Label != nil {
			for axis = 0; axis < o.Rank() && labelOf(&o, axis) != sel.Label.Name; {
				axis++
			}
		}
		if sel.Kind == notation.SelectNew || sel.Kind == notation.SelectRest || axis >= o.Rank() {
			return
		}
		length := o.Len(axis)
		if length < 2 {
			continue
		}
		last := int64(length - 1 + w.m.Counting)
		other := func(e notation.Expr) notation.Expr {
			switch x := notation.Strip(e).(type) {
			case *notation.Number:
				if x.Kind == array.Int && x.Int == last && w.repairing() {
					return &notation.Edge{Span: x.Span, Last: true}
				}
			case *notation.Edge:
				if x.Last {
					return number(x.Span, last)
				}
			}
			return nil
		}
		if sel.Kind == notation.SelectValue {
			if e := other(sel.Value); e != nil {
				w.put("length", codes.LengthFixed, codes.LengthFixed, s, i, withValue(sel, e))
			}
		}
		if sel.Kind == notation.SelectRange && sel.Range.End != nil {
			if e := other(sel.Range.End); e != nil {
				r := *sel.Range
				r.End = e
				w.put("length", codes.LengthFixed, codes.LengthFixed, s, i, withRange(sel, r))
			}
		}
	}
}

// selectionSlip notes a change of a selection made by f; the selection's own fields
// are put back afterwards.
func (w *maker) selectionSlip(operator string, cause, undoes codes.Code, s *notation.Selection, f func()) {
	apply := func() func() {
		paired, selectors := s.Paired, slices.Clone(s.Selectors)
		f()
		return func() { s.Paired, s.Selectors = paired, selectors }
	}
	w.add(operator, cause, undoes, s.Span, func() string { return notation.PrintSelection(s) }, func() string {
		defer apply()()
		return notation.PrintSelection(s)
	}, apply)
}

// put notes that another selector takes a selector's place.
func (w *maker) put(operator string, cause, undoes codes.Code, s *notation.Selection, i int, with *notation.Selector) {
	old := s.Selectors[i]
	with.Label = old.Label
	w.selectionSlip(operator, cause, undoes, s, func() { exchange(s, old, with) })
}

// exchange puts a selector in another's place, wherever that stands by now. A selector
// that another change has taken out is left alone.
func exchange(s *notation.Selection, old, with *notation.Selector) {
	if i := slices.Index(s.Selectors, old); i >= 0 {
		s.Selectors[i] = with
	}
}

func (w *maker) oneSelector(s *notation.Selection, i int, sel *notation.Selector) {
	at := sel.Span
	switch sel.Kind {
	case notation.SelectAll:
		w.put("reversed", codes.SelectReversed, codes.SelectReversed, s, i, selector(at, notation.SelectReversed))
		if w.repairing() {
			for _, edge := range []bool{false, true} {
				w.put("position", codes.AxisKept, codes.AxisKept, s, i, valueSelector(at, &notation.Edge{Span: at, Last: edge}))
			}
			w.openRanges(s, i, at)
		}
	case notation.SelectReversed:
		w.put("reversed", codes.SelectReversed, codes.SelectReversed, s, i, selector(at, notation.SelectAll))
	case notation.SelectRange:
		w.rangeSelector(s, i, sel)
	case notation.SelectValue:
		w.valueSelector(s, i, sel)
	}
	if sel.Kind == notation.SelectRange || sel.Kind == notation.SelectValue {
		turned := *sel
		turned.Except = !sel.Except
		if sel.Except || !s.Paired {
			w.put("complement", codes.SelectComplement, codes.SelectComplement, s, i, &turned)
		}
	}
}

// offset is an expression moved by k positions; ok is false where that has no plain
// form.
func (w *maker) offset(e notation.Expr, k int64) (notation.Expr, bool) {
	e = notation.Strip(e)
	switch e := e.(type) {
	case *notation.Number:
		if e.Kind == array.Int && e.Int+k >= 0 {
			return number(e.Span, e.Int+k), true
		}
		return nil, false
	case *notation.Edge:
		if e.Last == (k > 0) && k != 0 && e.Last {
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

// shiftCauses names a move by k positions: counted from the other base when it is
// the base's difference, else positions off by k. made is for a slip of a reference,
// undone for the same move that fixes an attempt.
func (w *maker) shiftCauses(k int64) (made, undone codes.Code) {
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

func (w *maker) valueSelector(s *notation.Selection, i int, sel *notation.Selector) {
	e := notation.Strip(sel.Value)
	at := sel.Span
	if edge, ok := e.(*notation.Edge); ok {
		w.put("reversed", codes.SelectReversed, codes.SelectReversed, s, i, withValue(sel, &notation.Edge{Span: at, Last: !edge.Last}))
	}
	o := w.outline(sel.Value)
	_, isEdge := e.(*notation.Edge)
	isInt := o.KnowsKind() && o.Kind() == array.Int || isEdge
	if !isInt {
		return
	}
	for _, k := range []int64{1, -1, 2, -2} {
		if moved, ok := w.offset(sel.Value, k); ok {
			made, undone := w.shiftCauses(k)
			if isEdge {
				made, undone = codes.SelectShifted, codes.SelectShifted
			}
			w.put("shift", made, undone, s, i, withValue(sel, moved))
		}
	}
	if l, ok := e.(*notation.List); ok {
		w.listSelector(s, i, sel, l)
	}
	scalar := o.KnowsRank() && o.Rank() == 0 || isEdge
	if scalar && !sel.Except && !s.Paired {
		w.put("kept", codes.AxisKept, codes.AxisDropped, s, i, withValue(sel, &notation.List{Span: at, Items: []notation.Expr{sel.Value}}))
		w.put("whole", codes.StepMissing, codes.StepExtra, s, i, selector(at, notation.SelectAll))
	}
}

func (w *maker) listSelector(s *notation.Selection, i int, sel *notation.Selector, l *notation.List) {
	if len(l.Items) == 1 {
		w.put("kept", codes.AxisDropped, codes.AxisKept, s, i, withValue(sel, l.Items[0]))
	}
	if len(l.Items) > 1 {
		items := slices.Clone(l.Items)
		slices.Reverse(items)
		w.put("reversed", codes.SelectReversed, codes.SelectReversed, s, i, withValue(sel, &notation.List{Span: l.Span, Items: items}))
		w.put("shorter", codes.SelectEnd, codes.SelectEnd, s, i, withValue(sel, &notation.List{Span: l.Span, Items: l.Items[:len(l.Items)-1]}))
	}
}

func withValue(sel *notation.Selector, e notation.Expr) *notation.Selector {
	out := *sel
	out.Kind, out.Range, out.Value = notation.SelectValue, nil, e
	return &out
}

// moved puts selectors on other axes, and new on another side.
func (w *maker) moved(s *notation.Selection) {
	if len(s.Selectors) == 2 && s.Selectors[0].Label == nil || len(s.Selectors) == 3 && s.Selectors[0].Label == nil {
		for i := range s.Selectors {
			for k := i + 1; k < len(s.Selectors); k++ {
				a, b := s.Selectors[i], s.Selectors[k]
				if a.Kind == notation.SelectRest || b.Kind == notation.SelectRest && a.Kind != notation.SelectNew {
					continue
				}
				if sameSelector(a, b) {
					continue
				}
				cause := codes.SelectAxis
				if a.Kind == notation.SelectNew || b.Kind == notation.SelectNew {
					cause = codes.BroadcastAxis
				}
				w.selectionSlip("moved", cause, cause, s, func() {
					if i, k := slices.Index(s.Selectors, a), slices.Index(s.Selectors, b); i >= 0 && k >= 0 {
						s.Selectors[i], s.Selectors[k] = b, a
					}
				})
			}
		}
	}
	for _, sel := range s.Selectors {
		if sel.Kind == notation.SelectNew && len(s.Selectors) > 1 {
			undoes := codes.BroadcastAxis
			if len(w.binaries) == 0 {
				undoes = codes.AxisKept
			}
			w.selectionSlip("new out", codes.BroadcastAxis, undoes, s, func() {
				s.Selectors = slices.DeleteFunc(slices.Clone(s.Selectors), func(x *notation.Selector) bool { return x == sel })
			})
		}
	}
}

func sameSelector(a, b *notation.Selector) bool {
	one := func(s *notation.Selector) string {
		return notation.PrintSelection(&notation.Selection{Selectors: []*notation.Selector{s}})
	}
	return a.Kind == b.Kind && one(a) == one(b)
}

// relabelled puts a labelled selector on another axis of the value.
func (w *maker) relabelled(s *notation.Selection, of notation.Expr) {
	if len(s.Selectors) == 0 || s.Selectors[0].Label == nil {
		return
	}
	o := w.outline(of)
	for _, sel := range s.Selectors {
		for axis := range o.Rank() {
			label := labelOf(&o, axis)
			if label == "" || slices.ContainsFunc(s.Selectors, func(x *notation.Selector) bool { return x.Label != nil && x.Label.Name == label }) {
				continue
			}
			with := *sel
			with.Label = &notation.Name{Span: sel.Label.Span, Name: label}
			w.selectionSlip("moved", codes.SelectAxis, codes.SelectAxis, s, func() { exchange(s, sel, &with) })
		}
	}
}

// arraySelectors counts selectors that are written as lists or other arrays.
func arraySelectors(s *notation.Selection) int {
	n := 0
	for _, sel := range s.Selectors {
		if sel.Kind == notation.SelectValue && !sel.Except {
			switch notation.Strip(sel.Value).(type) {
			case *notation.Number, *notation.Edge:
			default:
				n++
			}
		}
	}
	return n
}

func plainValues(s *notation.Selection) bool {
	for _, sel := range s.Selectors {
		if sel.Kind == notation.SelectNew || sel.Kind == notation.SelectRange || sel.Kind == notation.SelectReversed || sel.Except {
			return false
		}
	}
	return true
}
