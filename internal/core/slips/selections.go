package slips

import (
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var selectionOperators = []*Operator{
	{
		Name: "moved", Codes: []codes.Code{codes.SelectAxis, codes.BroadcastAxis},
		Where: "a selection", Change: "puts a selector on another axis, or the new axis on another side",
		Right: "r = a[0, all]", Wrong: "r = a[all, 0]",
		OtherAxes: true, join: byCause, selection: (*walker).movedSelectors,
	},
	{
		Name: "new out", Codes: []codes.Code{codes.BroadcastAxis, codes.AxisKept},
		Where: "a selection with `new`", Change: "leaves the new axis out",
		Right: "r = x[all, new] * y", Wrong: "r = x[all] * y",
		selection: (*walker).newLeftOut,
	},
	{
		Name: "block", Codes: []codes.Code{codes.SelectBlock},
		Where: "a selection by several lists of positions", Change: "crosses the positions, or pairs them",
		Right: "r = a[paired [0, 1], [1, 2]]", Wrong: "r = a[[0, 1], [1, 2]]",
		selection: (*walker).crossedOrPaired,
	},
	{
		Name: "unselected", Codes: []codes.Code{codes.StepMissing, codes.StepExtra, codes.MaskUnapplied, codes.MissingValues},
		Where: "a selection, and an assignment to one", Change: "takes, or binds, the whole array",
		Right: "r = sum(x[x > 3])", Wrong: "r = sum(x)",
		expression: []onExpression{on((*walker).unselected)}, statement: onStatement((*walker).bindsWhole),
	},
	{
		Name: "apart", Codes: []codes.Code{codes.SortApart},
		Where: "a selection by an order", Change: "sorts the values themselves",
		Right: "r = a[sort_order(x[0 to 2]), all]", Wrong: "r = sort(a along 0)",
		expression: []onExpression{on((*walker).sortedApart)},
	},
}

// selectionSlip collects a change of a selection made by f; the selection's own fields
// are put back afterwards.
func (w *walker) selectionSlip(cause, undoes codes.Code, s *notation.Selection, f func()) {
	apply := func() func() {
		paired, selectors := s.Paired, slices.Clone(s.Selectors)
		f()
		return func() { s.Paired, s.Selectors = paired, selectors }
	}
	w.add(cause, undoes, s.Span, func() string { return notation.PrintSelection(s) }, func() string {
		defer apply()()
		return notation.PrintSelection(s)
	}, apply)
}

// movedSelectors puts selectors on other axes, and new on another side.
func (w *walker) movedSelectors(s *notation.Selection, of notation.Expr) {
	if n := len(s.Selectors); (n == 2 || n == 3) && s.Selectors[0].Label == nil {
		for i, a := range s.Selectors {
			for _, b := range s.Selectors[i+1:] {
				w.selectorsExchanged(s, a, b)
			}
		}
	}
	w.relabelled(s, of)
}

func (w *walker) selectorsExchanged(s *notation.Selection, a, b *notation.Selector) {
	if a.Kind == notation.SelectRest || b.Kind == notation.SelectRest && a.Kind != notation.SelectNew ||
		sameSelector(a, b) {
		return
	}
	cause := codes.SelectAxis
	if a.Kind == notation.SelectNew || b.Kind == notation.SelectNew {
		cause = codes.BroadcastAxis
	}
	w.selectionSlip(cause, cause, s, func() {
		if i, k := slices.Index(s.Selectors, a), slices.Index(s.Selectors, b); i >= 0 && k >= 0 {
			s.Selectors[i], s.Selectors[k] = b, a
		}
	})
}

func sameSelector(a, b *notation.Selector) bool {
	return a.Kind == b.Kind && oneSelector(a) == oneSelector(b)
}

// oneSelector prints a selector alone.
func oneSelector(s *notation.Selector) string {
	return notation.PrintSelection(&notation.Selection{Selectors: []*notation.Selector{s}})
}

// relabelled puts a labelled selector on another axis of the value.
func (w *walker) relabelled(s *notation.Selection, of notation.Expr) {
	o := w.outline(of)
	if !o.KnowsRank() || len(s.Selectors) == 0 || s.Selectors[0].Label == nil {
		return
	}
	for _, sel := range s.Selectors {
		for axis := range o.Rank() {
			label := labelOf(&o, axis)
			if label == "" || slices.ContainsFunc(s.Selectors, func(x *notation.Selector) bool {
				return x.Label != nil &&
					x.Label.Name == label
			}) {
				continue
			}
			with := *sel
			with.Label = &notation.Name{Span: sel.Label.Span, Name: label}
			w.selectionSlip(codes.SelectAxis, codes.SelectAxis, s, func() { exchange(s, sel, &with) })
		}
	}
}

func (w *walker) newLeftOut(s *notation.Selection, _ notation.Expr) {
	for _, sel := range s.Selectors {
		if sel.Kind != notation.SelectNew || len(s.Selectors) == 1 {
			continue
		}
		undoes := codes.BroadcastAxis
		if len(w.binaries) == 0 {
			undoes = codes.AxisKept
		}
		w.selectionSlip(codes.BroadcastAxis, undoes, s, func() {
			s.Selectors = slices.DeleteFunc(slices.Clone(s.Selectors), func(x *notation.Selector) bool { return x == sel })
		})
	}
}

// crossedOrPaired takes a block for pairs of positions, or pairs for a block.
func (w *walker) crossedOrPaired(s *notation.Selection, _ notation.Expr) {
	if s.Paired || positionLists(s) >= 2 && byValue(s) {
		w.selectionSlip(codes.SelectBlock, codes.SelectBlock, s, func() { s.Paired = !s.Paired })
	}
}

// positionLists counts selectors that are written as lists or other arrays.
func positionLists(s *notation.Selection) int {
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

// byValue reports whether a selection may be paired: it has neither ranges nor new axes,
// nothing backwards and nothing left out.
func byValue(s *notation.Selection) bool {
	for _, sel := range s.Selectors {
		if sel.Kind == notation.SelectNew || sel.Kind == notation.SelectRange || sel.Kind == notation.SelectReversed ||
			sel.Except {
			return false
		}
	}
	return true
}

// unselected takes the whole array for a part of it.
func (w *walker) unselected(slot *notation.Expr, e *notation.Select) {
	if onlyNew(e.Selection) {
		return
	}
	cause := codes.StepMissing
	if sel, ok := w.maskSelector(e); ok {
		cause = w.maskCause(sel.Value)
	}
	w.replace(cause, codes.StepExtra, slot, e.Of)
}

// onlyNew reports whether a selection chooses nothing and only adds axes.
func onlyNew(s *notation.Selection) bool {
	for _, sel := range s.Selectors {
		if sel.Kind != notation.SelectNew && sel.Kind != notation.SelectAll && sel.Kind != notation.SelectRest {
			return false
		}
	}
	return true
}

// bindsWhole binds the name where a part of it was to be assigned.
func (w *walker) bindsWhole(_ *[]notation.Statement, s *notation.Assign) {
	selection := s.Selection
	if selection == nil {
		return
	}
	cause := codes.StepMissing
	if len(selection.Selectors) == 1 && selection.Selectors[0].Kind == notation.SelectValue &&
		w.isMask(selection.Selectors[0].Value) {
		cause = codes.MaskUnapplied
	}
	drop := func(value notation.Expr) {
		old := s.Value
		w.add(cause, codes.StepExtra, s.Span,
			func() string { return s.Target.Name + notation.PrintSelection(selection) }, func() string { return s.Target.Name },
			func() func() {
				s.Selection, s.Value = nil, value
				return func() { s.Selection, s.Value = selection, old }
			})
	}
	drop(s.Value)
	// The same part on the right is the whole then, too.
	b, ok := notation.Strip(s.Value).(*notation.Binary)
	if !ok {
		return
	}
	same := func(e notation.Expr) (notation.Expr, bool) {
		x, ok := notation.Strip(e).(*notation.Select)
		if !ok || notation.PrintSelection(x.Selection) != notation.PrintSelection(selection) {
			return nil, false
		}
		return x.Of, true
	}
	if of, ok := same(b.Left); ok {
		drop(binary(b.Span, b.Op, of, b.Right))
	} else if of, ok := same(b.Right); ok {
		drop(binary(b.Span, b.Op, b.Left, of))
	}
}

// sortedApart sorts the value itself where it should follow another's order.
func (w *walker) sortedApart(slot *notation.Expr, e *notation.Select) {
	for _, sel := range e.Selection.Selectors {
		if sel.Kind != notation.SelectValue {
			continue
		}
		c, ok := notation.Strip(sel.Value).(*notation.Call)
		if !ok || c.Name.Name != "sort_order" {
			if c = w.orderNamed(sel.Value); c == nil {
				continue
			}
		}
		with := withArgs(withName(c, "sort"), e.Of)
		with.Span = e.Span
		o := w.outline(e.Of)
		if w.rank(e.Of) <= 1 {
			w.both(codes.SortApart, slot, with)
			continue
		}
		for axis := range o.Rank() {
			w.both(codes.SortApart, slot, w.withAxes(with, true, []*notation.Axis{w.axisOf(e.Span, labelOf(&o, axis), axis)}))
		}
	}
}
