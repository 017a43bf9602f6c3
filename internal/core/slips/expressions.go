package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// expression notes the changes of one expression, and of those inside it.
func (w *maker) expression(slot *notation.Expr) {
	if w.full() {
		return
	}
	switch e := (*slot).(type) {
	case *notation.Number:
		w.numberSlips(slot, e)
	case *notation.Name:
		w.nameSlips(slot, e)
	case *notation.Truth:
		w.both("constant", codes.ConstantOther, slot, truth(e.Span, !e.Value))
	case *notation.Paren:
		w.expression(&e.Inner)
	case *notation.List:
		for i := range e.Items {
			w.expression(&e.Items[i])
		}
		if len(e.Items) == 2 && w.selecting == 0 {
			w.both("exchanged", codes.OperandOrder, slot, &notation.List{Span: e.Span, Items: []notation.Expr{e.Items[1], e.Items[0]}})
		}
	case *notation.Unary:
		w.unarySlips(slot, e)
	case *notation.Binary:
		w.binarySlips(slot, e)
	case *notation.Compare:
		w.compareSlips(slot, e)
	case *notation.RangeExpr:
		w.rangeSlips(slot, e)
	case *notation.Select:
		w.selectSlips(slot, e)
	case *notation.Call:
		w.callSlips(slot, e)
	}
}

// nameSlips uses another input, or an earlier value, of a fitting shape.
func (w *maker) nameSlips(slot *notation.Expr, n *notation.Name) {
	o := w.outline(n)
	inputs := w.m.Inputs
	if w.inside {
		inputs = nil // a function sees its parameters alone
	}
	for _, other := range slices.Concat(inputs, w.bound) {
		if other == n.Name || slices.Contains(notation.Predefined, other) {
			continue
		}
		known, ok := w.m.Known[other]
		if slices.Contains(w.bound, other) {
			known, ok = w.names[other]
		}
		if !ok && !w.inside || (known.KnowsRank() && o.KnowsRank() && known.Rank() != o.Rank()) {
			continue
		}
		if known.KnowsKind() && o.KnowsKind() && (known.Kind() == array.Bool) != (o.Kind() == array.Bool) {
			continue
		}
		w.both("name", codes.InputOther, slot, &notation.Name{Span: n.Span, Name: other})
	}
	if o.Is(array.Bool) && w.selecting == 0 {
		w.both("not", codes.MaskInverted, slot, not(n.Span, n))
	}
	if o.KnowsRank() && o.Rank() == 2 && w.repairing() {
		w.both("turned", codes.TransposeMissing, slot, call(n.Span, "transpose", n))
	}
	if o.IsScalar() && o.Is(array.Int) && slices.Contains(w.m.Inputs, n.Name) {
		for _, other := range w.m.Inputs {
			if known := w.m.Known[other]; known.KnowsRank() && known.Rank() == 1 {
				w.both("name", codes.InputOther, slot, call(n.Span, "size", &notation.Name{Span: n.Span, Name: other}))
			}
		}
	}
}

func (w *maker) unarySlips(slot *notation.Expr, e *notation.Unary) {
	switch e.Op {
	case "-":
		w.both("sign", codes.SignFlipped, slot, e.Operand)
	case "not":
		w.both("not", codes.MaskInverted, slot, e.Operand)
	}
	if p, ok := notation.Strip(e.Operand).(*notation.Binary); ok && e.Op == "-" && p.Op == "^" {
		w.both("grouping", "grouping", slot, binary(e.Span, "^", &notation.Paren{Span: e.Span, Inner: &notation.Unary{Span: e.Span, Op: "-", Operand: p.Left}}, p.Right))
	}
	w.expression(&e.Operand)
}

var strictness = map[string]string{"<": "<=", "<=": "<", ">": ">=", ">=": ">"}

var opposites = map[string][]string{"<": {">", ">="}, "<=": {">=", ">"}, ">": {"<", "<="}, ">=": {"<=", "<"}, "==": {"!="}, "!=": {"=="}}

func (w *maker) compareSlips(slot *notation.Expr, e *notation.Compare) {
	set := func(i int, operator string, cause codes.Code, op string) {
		old := e.Ops[i]
		w.add(operator, cause, cause, e.Span, func() string { return old }, func() string { return op }, func() func() {
			e.Ops[i] = op
			return func() { e.Ops[i] = old }
		})
	}
	for i, op := range e.Ops {
		if other := strictness[op]; other != "" {
			set(i, "strict", codes.MaskBoundary, other)
		}
		for _, other := range opposites[op] {
			set(i, "opposite", codes.MaskInverted, other)
		}
		if op == "==" || op == "!=" {
			for _, other := range []string{"<=", ">="} {
				set(i, "operator", codes.OperatorOther, other)
			}
		}
	}
	if len(e.Ops) == 2 {
		w.replace("left only", codes.MaskUnapplied, codes.StepExtra, slot, &notation.Compare{Span: e.Span, Operands: e.Operands[:2], Ops: slices.Clone(e.Ops[:1]), OpSpans: e.OpSpans[:1]})
		w.replace("right only", codes.MaskUnapplied, codes.StepExtra, slot, &notation.Compare{Span: e.Span, Operands: e.Operands[1:], Ops: slices.Clone(e.Ops[1:]), OpSpans: e.OpSpans[1:]})
	}
	for i := range e.Operands {
		w.expression(&e.Operands[i])
	}
}

// rangeSlips changes a range that stands as a value.
func (w *maker) rangeSlips(slot *notation.Expr, e *notation.RangeExpr) {
	put := func(operator string, cause codes.Code, change func(r *notation.RangeExpr)) {
		with := *e
		change(&with)
		w.both(operator, cause, slot, &with)
	}
	put("range", codes.SelectEnd, func(r *notation.RangeExpr) { r.Before = !r.Before })
	for _, k := range []int64{1, -1} {
		if from, ok := w.offset(e.From, k); ok {
			put("range", codes.SelectEnd, func(r *notation.RangeExpr) { r.From = from })
			if end, ok := w.offset(e.End, k); ok {
				made, undone := w.shiftCauses(k)
				with := *e
				with.From, with.End = from, end
				w.replace("shift", made, undone, slot, &with)
			}
		}
		if end, ok := w.offset(e.End, k); ok {
			put("range", codes.SelectEnd, func(r *notation.RangeExpr) { r.End = end })
		}
	}
	if e.By != nil {
		put("step", codes.SelectStep, func(r *notation.RangeExpr) { r.By = nil })
	}
	w.selecting++
	for _, part := range []*notation.Expr{&e.From, &e.End, &e.By} {
		if *part != nil {
			w.expression(part)
		}
	}
	w.selecting--
}

// selectSlips changes a selection, leaves it out, or takes the positions for the
// values.
func (w *maker) selectSlips(slot *notation.Expr, e *notation.Select) {
	w.selection(e.Selection, e.Of)
	cause, undoes := codes.StepMissing, codes.StepExtra
	if len(e.Selection.Selectors) == 1 && e.Selection.Selectors[0].Kind == notation.SelectValue {
		sel := e.Selection.Selectors[0]
		o := w.outline(sel.Value)
		if o.Is(array.Bool) {
			cause = codes.MaskUnapplied
			w.both("not", codes.MaskInverted, slot, selected(e.Span, e.Of, valueSelector(sel.Span, not(sel.Span, sel.Value))))
			w.zeroed(slot, e, sel.Value)
			if w.heedsNaN(sel.Value) {
				cause = codes.MissingValues
			}
			if !sel.Except && !hasEdge(sel.Value) {
				w.replace("position", codes.PositionValue, codes.PositionValue, slot, call(e.Span, "positions", sel.Value))
			}
		}
		if _, plain := notation.Strip(sel.Value).(*notation.Number); !plain && !sel.Except && !hasEdge(sel.Value) {
			w.replace("position", codes.PositionValue, codes.PositionValue, slot, sel.Value)
		}
		w.sortedApart(slot, e, sel.Value)
	} else {
		for _, sel := range e.Selection.Selectors {
			if sel.Kind == notation.SelectValue {
				w.sortedApart(slot, e, sel.Value)
			}
		}
	}
	if !onlyNew(e.Selection) {
		w.replace("unselected", cause, undoes, slot, e.Of)
	}
	w.expression(&e.Of)
	w.selectorValues(e.Selection)
}

// hasEdge reports whether an expression speaks of first or last, which mean something
// inside their selection alone.
func hasEdge(e notation.Expr) bool {
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		switch n.(type) {
		case *notation.Edge:
			found = true
		case *notation.Selection:
			return false
		}
		return !found
	})
	return found
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

// zeroed keeps every element and sets those left out to zero, where a selection was
// meant.
func (w *maker) zeroed(slot *notation.Expr, e *notation.Select, mask notation.Expr) {
	cause := codes.MaskUnapplied
	if w.heedsNaN(mask) {
		cause = codes.MissingValues
	}
	w.replace("zeroed", cause, cause, slot, call(e.Span, "pick", mask, e.Of, number(e.Span, 0)))
}

// sortedApart sorts the value itself where it was to follow another's order.
func (w *maker) sortedApart(slot *notation.Expr, e *notation.Select, by notation.Expr) {
	c, ok := notation.Strip(by).(*notation.Call)
	if !ok || c.Name.Name != "sort_order" {
		if c = w.anyOrder(by); c == nil {
			return
		}
	}
	with := withArgs(withName(c, "sort"), e.Of)
	with.Span = e.Span
	if w.rank(e.Of) > 1 {
		o := w.outline(e.Of)
		for axis := range o.Rank() {
			w.replace("apart", codes.SortApart, codes.SortApart, slot, w.withAxes(with, true, []*notation.Axis{w.axisOf(e.Span, labelOf(&o, axis), axis)}))
		}
		return
	}
	w.replace("apart", codes.SortApart, codes.SortApart, slot, with)
}

// anyOrder finds the sort_order that a name on the selection stands for.
func (w *maker) anyOrder(by notation.Expr) *notation.Call {
	name, ok := notation.Strip(by).(*notation.Name)
	if !ok {
		return nil
	}
	return callIn(w.definition(name.Name), "sort_order")
}

// definition is what the text binds to a name, the last time.
func (w *maker) definition(name string) notation.Expr {
	var value notation.Expr
	for _, s := range w.program.Statements {
		if a, ok := s.(*notation.Assign); ok && a.Target.Name == name && a.Selection == nil {
			value = a.Value
		}
	}
	return value
}

// callIn is the first call of a function inside an expression.
func callIn(e notation.Expr, name string) *notation.Call {
	var found *notation.Call
	if e == nil {
		return nil
	}
	notation.Walk(e, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && c.Name.Name == name && found == nil {
			found = c
		}
		return found == nil
	})
	return found
}

// heedsNaN reports whether an expression asks for missing values, itself or through a
// name.
func (w *maker) heedsNaN(e notation.Expr) bool {
	if mentions(e, "is_nan") || mentions(e, "is_finite") {
		return true
	}
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		if name, ok := n.(*notation.Name); ok {
			if value := w.definition(name.Name); value != nil && (mentions(value, "is_nan") || mentions(value, "is_finite")) {
				found = true
			}
		}
		return !found
	})
	return found
}

// mentions reports whether a function is called inside a node.
func mentions(n notation.Node, name string) bool {
	found := false
	notation.Walk(n, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && c.Name.Name == name {
			found = true
		}
		return !found
	})
	return found
}
