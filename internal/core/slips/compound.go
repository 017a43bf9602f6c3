package slips

import (
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// compoundOperators change several parts of a text that one idea holds together.
var compoundOperators = []*Operator{
	{
		Name: "calls", Codes: []codes.Code{codes.Grouping},
		Where: "a reduction or scan of an element-wise function, or the other way round", Change: "exchanges the two calls",
		Right: "r = abs(sum(x))", Wrong: "r = sum(abs(x))",
		expression: []onExpression{onCall((*walker).callsExchanged)},
	},
	{
		Name: "reductions", Codes: []codes.Code{codes.Grouping, codes.AxisOther},
		Where: "a reduction of a reduction, each over axes of its own", Change: "exchanges the two functions, or their axes",
		Right: "r = mean(max(growth over week) over depth)", Wrong: "r = max(mean(growth over week) over depth)",
		expression: []onExpression{onCall((*walker).reductionsExchanged)},
	},
	{
		Name: "rows", Codes: []codes.Code{codes.MissingValues},
		Where:  "a reduction of a matrix over one axis, with `only:` for missing values",
		Change: "drops every row with a missing value",
		Right:  "r = mean(a over 0, only: not is_nan(a))", Wrong: "r = mean(a[all(not is_nan(a) over 1), all] over 0)",
		Adds: true, expression: []onExpression{onCall((*walker).rowsDropped)},
	},
	{
		Name: "axes", Codes: []codes.Code{codes.SelectAxis, codes.AxisOther},
		Where:  "a statement that selects from a matrix and reduces one, or reduces two",
		Change: "takes each axis for the other",
		Right:  "r = a[max(a over 1) > 2, all]", Wrong: "r = a[all, max(a over 0) > 2]",
		OtherAxes: true, statement: onStatement((*walker).axesExchanged),
	},
	{
		Name: "sequence", Codes: []codes.Code{codes.InputOther},
		Where: "two assignments beside each other, of which one needs the other", Change: "exchanges them",
		Right: "r = x\nx = y", Wrong: "x = y\nr = x",
		statement: onStatement((*walker).statementsExchanged),
	},
	{
		Name: "names", Codes: []codes.Code{codes.InputOther},
		Where:  "a statement that names two values of one kind and rank, and what a function gives",
		Change: "takes each for the other, in an attempt in one part of a list or call as well",
		Right:  "r = x - 2 * y", Wrong: "r = y - 2 * x",
		statement: onStatement((*walker).namesExchanged), whole: (*walker).namesExchangedInValue,
		expression: []onExpression{(*walker).namesExchangedInPart},
	},
	{
		Name: "functions", Codes: []codes.Code{codes.FunctionOther},
		Where: "a statement that calls two functions that are each other's counterpart", Change: "takes each for the other",
		Right: "r = x * cos(y) - x * sin(y)", Wrong: "r = x * sin(y) - x * cos(y)",
		statement: onStatement((*walker).functionsExchanged),
	},
	{
		Name: "initial value", Codes: []codes.Code{codes.LoopLast},
		Where: "an assignment before a loop, or the first in it", Change: "moves it into the loop, or before it",
		Right: "t = 0.0\neach k in x {\n  t += k\n}", Wrong: "each k in x {\n  t = 0.0\n  t += k\n}",
		statement: (*walker).initialValue,
	},
	{
		Name: "item", Codes: []codes.Code{codes.LoopLast},
		Where: "in a loop, an assignment to one position", Change: "writes to one position in every pass",
		Right: "c = x\neach k in 0 to 5 {\n  c[k] = 1\n}", Wrong: "c = x\neach k in 0 to 5 {\n  c[last] = 1\n}",
		statement: onStatement((*walker).itemOfLoop),
	},
	{
		Name: "end lost", Codes: []codes.Code{codes.SelectEnd, codes.LoopLast},
		Where: "what a statement binds", Change: "lacks its first or last item, or is its last item alone",
		Right: "r = x * 2", Wrong: "r = (x * 2)[from 1]",
		Adds: true, OnTop: true, whole: (*walker).endLost,
	},
}

// callsExchanged does element by element what should be done to a total, or the other way round.
func (w *walker) callsExchanged(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if len(c.Args) != 1 {
		return
	}
	inner, ok := notation.Strip(c.Args[0]).(*notation.Call)
	if !ok || len(inner.Args) != 1 {
		return
	}
	g := w.builtIn(inner)
	if g == nil {
		return
	}
	if w.repairing() && (!w.calledThere(c.Name.Name) || !w.calledThere(inner.Name.Name)) {
		return // a call too many is another's
	}
	reduces := func(f *functions.Function) bool { return f.Topic == functions.Reductions || f.Topic == functions.Scans }
	if reduces(f) && g.Topic == functions.Elementwise || f.Topic == functions.Elementwise && reduces(g) {
		w.both(codes.Grouping, slot, withArgs(inner, withArgs(c, inner.Args[0])))
	}
}

// calledThere reports whether the reference calls a function, or one that does the same on its way.
func (w *walker) calledThere(name string) bool {
	for _, f := range append([]string{name}, onTheWay[name]...) {
		if w.functions[f] != nil {
			return true
		}
	}
	return false
}

// onTheWay are the functions that do what another does on the way to their result.
var onTheWay = map[string][]string{"sqrt": {"norm", "std", "sample_std", "hypot"}}

// reductionsExchanged takes the functions of nested reductions, or their axes, for each other.
func (w *walker) reductionsExchanged(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if len(c.Args) != 1 || c.Clause == nil || f.Topic != functions.Reductions {
		return
	}
	inner, ok := notation.Strip(c.Args[0]).(*notation.Call)
	if !ok || inner.Clause == nil || len(inner.Args) != 1 {
		return
	}
	if g := w.builtIn(inner); g == nil || g.Topic != functions.Reductions {
		return
	}
	if inner.Name.Name != c.Name.Name {
		w.both(codes.Grouping, slot, withName(withArgs(c, withName(inner, c.Name.Name)), inner.Name.Name))
	}
	if notation.PrintAxis(inner.Clause.Axes[0]) != notation.PrintAxis(c.Clause.Axes[0]) {
		outer := withArgs(c, w.withAxes(inner, false, c.Clause.Axes))
		w.both(codes.AxisOther, slot, w.withAxes(outer, false, inner.Clause.Axes))
	}
}

// rowsDropped leaves out every row of a matrix that lacks one value.
func (w *walker) rowsDropped(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	mask := optionOf(c, "only")
	if mask == nil || len(c.Args) != 1 || !w.asksForNaN(mask) {
		return
	}
	o := w.outline(c.Args[0])
	axes, ok := w.clauseNow(c, &o, f)
	if !ok || o.Rank() != 2 || len(axes) != 1 {
		return
	}
	other := 1 - axes[0]
	full := w.withAxes(call(c.Span, "all", mask), false, []*notation.Axis{w.axisOf(c.Span, labelOf(&o, other), other)})
	selectors := []*notation.Selector{selector(c.Span, notation.SelectAll), selector(c.Span, notation.SelectAll)}
	selectors[axes[0]] = valueSelector(c.Span, full)
	rows := selected(c.Span, grouped(c.Args[0]), selectors...)
	w.both(codes.MissingValues, slot, withOption(withArgs(c, rows), "only", nil))
}

// axesExchanged takes the two axes of matrices for each other throughout a statement, where it names them more than
// once: any one alone would not fit.
func (w *walker) axesExchanged(_ *[]notation.Statement, s *notation.Assign) {
	labels := w.labelPair(s.Value)
	value := notation.CopyExpr(s.Value)
	clauses, selections, ok, cause := 0, 0, true, codes.AxisOther
	exchanged := func(x *notation.Axis) {
		switch {
		case x.Edge != nil:
			x.Edge = &notation.Edge{Span: x.Span, Last: !x.Edge.Last}
		case x.Number != nil && x.Number.Int >= int64(w.m.Counting) && x.Number.Int < int64(w.m.Counting+2):
			x.Number = number(x.Span, int64(2*w.m.Counting+1)-x.Number.Int)
		case x.Label != "" && slices.Contains(labels, x.Label):
			x.Label = labels[1-slices.Index(labels, x.Label)]
		default:
			ok = false
		}
	}
	notation.Walk(value, func(n notation.Node) bool {
		switch n := n.(type) {
		case *notation.Call:
			if n.Clause != nil {
				clauses++
				for _, x := range n.Clause.Axes {
					exchanged(x)
				}
			}
		case *notation.Selection:
			if len(n.Selectors) == 2 && !n.Paired && n.Selectors[0].Label == nil {
				selections++
				if !onlyNew(n) {
					cause = codes.SelectAxis
				}
				n.Selectors[0], n.Selectors[1] = n.Selectors[1], n.Selectors[0]
			}
		}
		return ok
	})
	if !ok || clauses == 0 || clauses+selections < 2 || notation.PrintExpr(value) == notation.PrintExpr(s.Value) {
		return
	}
	old := s.Value
	w.add(cause, cause, old.Pos(), func() string { return notation.PrintExpr(old) },
		func() string { return notation.PrintExpr(value) }, func() func() {
			s.Value = value
			return func() { s.Value = old }
		})
}

// labelPair are the labels of the first matrix with two that an expression names; none where
// there is no such matrix.
func (w *walker) labelPair(e notation.Expr) []string {
	var labels []string
	notation.Walk(e, func(n notation.Node) bool {
		if name, ok := n.(*notation.Name); ok && labels == nil {
			o := w.outline(name)
			if o.KnowsRank() && o.Rank() == 2 && labelOf(&o, 0) != "" && labelOf(&o, 1) != "" {
				labels = []string{o.Label(0), o.Label(1)}
			}
		}
		return labels == nil
	})
	return labels
}

// names reports whether a node speaks of a name.
func names(n notation.Node, name string) bool {
	found := false
	notation.Walk(n, func(n notation.Node) bool {
		x, ok := n.(*notation.Name)
		found = found || ok && x.Name == name
		return !found
	})
	return found
}

// reordered collects that a block's statements stand in another order, or elsewhere. change
// gives the new list, or nil where another change has taken a statement out.
func (w *walker) reordered(cause codes.Code, list *[]notation.Statement, first notation.Statement, before, after string,
	change func(list []notation.Statement) []notation.Statement) {
	w.add(cause, cause, first.Pos(), func() string { return before }, func() string { return after }, func() func() {
		old := *list
		if with := change(slices.Clone(old)); with != nil {
			*list = with
		}
		return func() { *list = old }
	})
}

// statementsExchanged makes two assignments in the other order, so that one works with an earlier
// value.
func (w *walker) statementsExchanged(list *[]notation.Statement, s *notation.Assign) {
	i := slices.Index(*list, notation.Statement(s))
	if i < 0 || i+1 >= len(*list) {
		return
	}
	next, ok := (*list)[i+1].(*notation.Assign)
	if !ok || !names(next.Value, s.Target.Name) && !names(s.Value, next.Target.Name) && s.Target.Name != next.Target.Name {
		return
	}
	if w.loops == 0 && names(next.Value, s.Target.Name) && !slices.Contains(w.bound, s.Target.Name) &&
		!slices.Contains(w.m.Inputs, s.Target.Name) {
		return // there is no earlier value
	}
	one, other := notation.PrintStatement(s), notation.PrintStatement(next)
	w.reordered(codes.InputOther, list, s, one+"; "+other, other+"; "+one,
		func(list []notation.Statement) []notation.Statement {
			i, k := slices.Index(list, notation.Statement(s)), slices.Index(list, notation.Statement(next))
			if i < 0 || k < 0 {
				return nil
			}
			list[i], list[k] = list[k], list[i]
			return list
		})
}

// namesExchanged takes two values for each other throughout a statement.
func (w *walker) namesExchanged(_ *[]notation.Statement, s *notation.Assign) {
	w.exchangedIn(s.Value, func(value notation.Expr) { w.valueSlip(codes.InputOther, s, value) })
}

// namesExchangedInValue is namesExchanged for what a function gives.
func (w *walker) namesExchangedInValue(slot *notation.Expr) {
	if w.inside {
		w.exchangedIn(*slot, func(value notation.Expr) { w.both(codes.InputOther, slot, value) })
	}
}

// namesExchangedInPart is namesExchanged for one argument of several, or one item of a list.
func (w *walker) namesExchangedInPart(_ *notation.Expr, e notation.Expr) {
	var parts []notation.Expr
	switch e := e.(type) {
	case *notation.Call:
		parts = e.Args
	case *notation.List:
		parts = e.Items
	}
	if len(parts) < 2 || !w.repairing() {
		return
	}
	for i := range parts {
		if _, sum := notation.Strip(parts[i]).(*notation.Binary); sum {
			w.exchangedIn(parts[i], func(value notation.Expr) { w.both(codes.InputOther, &parts[i], value) })
		}
	}
}

// exchangedIn gives an expression with two of its names taken for each other.
func (w *walker) exchangedIn(e notation.Expr, give func(value notation.Expr)) {
	var found []*notation.Name
	notation.Walk(e, func(n notation.Node) bool {
		x, ok := n.(*notation.Name)
		if ok && (slices.Contains(w.m.Inputs, x.Name) || slices.Contains(w.bound, x.Name)) && (w.inside || w.rank(x) >= 0) &&
			!slices.ContainsFunc(found, func(f *notation.Name) bool { return f.Name == x.Name }) {
			found = append(found, x)
		}
		return true
	})
	for i, a := range found {
		for _, b := range found[i+1:] {
			oa, ob := w.outline(a), w.outline(b)
			if !w.inside && (oa.Rank() != ob.Rank() || !ob.KnowsKind() || !oa.Is(ob.Kind())) {
				continue
			}
			other := map[string]string{a.Name: b.Name, b.Name: a.Name}
			value := notation.CopyExpr(e)
			notation.Walk(value, func(n notation.Node) bool {
				if x, ok := n.(*notation.Name); ok && other[x.Name] != "" {
					x.Name = other[x.Name]
				}
				return true
			})
			give(value)
		}
	}
}

// valueSlip collects another value of an assignment.
func (w *walker) valueSlip(cause codes.Code, s *notation.Assign, value notation.Expr) {
	old := s.Value
	w.add(cause, cause, old.Pos(), func() string { return notation.PrintExpr(old) },
		func() string { return notation.PrintExpr(value) }, func() func() {
			s.Value = value
			return func() { s.Value = old }
		})
}

// counterparts are functions that are called beside each other, and taken for each other.
var counterparts = [][2]string{{"sin", "cos"}, {"lesser", "greater"}, {"floor", "ceil"}, {"any", "all"}}

// functionsExchanged takes two functions for each other throughout a statement that calls both.
func (w *walker) functionsExchanged(_ *[]notation.Statement, s *notation.Assign) {
	for _, pair := range counterparts {
		if w.own[pair[0]] != nil || w.own[pair[1]] != nil || callIn(s.Value, pair[0]) == nil ||
			callIn(s.Value, pair[1]) == nil {
			continue
		}
		other := map[string]string{pair[0]: pair[1], pair[1]: pair[0]}
		value := notation.CopyExpr(s.Value)
		notation.Walk(value, func(n notation.Node) bool {
			if c, ok := n.(*notation.Call); ok && other[c.Name.Name] != "" {
				c.Name.Name = other[c.Name.Name]
			}
			return true
		})
		w.valueSlip(codes.FunctionOther, s, value)
	}
}

// initialValue sets a value anew in each pass of a loop, or once before it.
func (w *walker) initialValue(list *[]notation.Statement, loop notation.Statement) {
	var body *[]notation.Statement
	var items []*notation.Name
	switch s := loop.(type) {
	case *notation.Each:
		body, items = &s.Body, s.Names
	case *notation.Repeat:
		body = &s.Body
	default:
		return
	}
	w.adding = true
	defer func() { w.adding = false }()
	move := func(s *notation.Assign, from, to *[]notation.Statement, before, after string, at func() int) {
		w.add(codes.LoopLast, codes.LoopLast, s.Pos(), func() string { return before + notation.PrintStatement(s) },
			func() string { return after + notation.PrintStatement(s) }, func() func() {
				oldFrom, oldTo := *from, *to
				i, k := slices.Index(*from, notation.Statement(s)), at()
				if i < 0 || k < 0 {
					return func() {}
				}
				*to = slices.Insert(slices.Clone(oldTo), k, notation.Statement(s))
				*from = slices.Delete(slices.Clone(oldFrom), i, i+1)
				return func() { *from, *to = oldFrom, oldTo }
			})
	}
	if i := slices.Index(*list, loop); i > 0 {
		if s, ok := (*list)[i-1].(*notation.Assign); ok && s.IsWhole() {
			move(s, list, body, "before the loop: ", "in the loop: ", func() int { return 0 })
		}
	}
	if len(*body) > 1 {
		s, ok := (*body)[0].(*notation.Assign)
		if ok && s.IsWhole() && !slices.ContainsFunc(items, func(n *notation.Name) bool { return names(s.Value, n.Name) }) {
			move(s, body, list, "in the loop: ", "before the loop: ", func() int { return slices.Index(*list, loop) })
		}
	}
}

// itemOfLoop writes to one position where a loop should write to one after the other.
func (w *walker) itemOfLoop(_ *[]notation.Statement, s *notation.Assign) {
	if s.Selection == nil || len(w.items) == 0 {
		return
	}
	item := w.items[len(w.items)-1]
	for i, sel := range s.Selection.Selectors {
		if sel.Kind != notation.SelectValue || sel.Except || s.Selection.Paired {
			continue
		}
		name, isName := notation.Strip(sel.Value).(*notation.Name)
		switch {
		case isName && name.Name == item:
			w.put(codes.LoopLast, codes.LoopLast, s.Selection, i, withValue(sel, &notation.Edge{Span: sel.Span, Last: true}))
		case w.repairing() && w.scalar(sel) && !names(sel.Value, item):
			w.put(codes.LoopLast, codes.LoopLast, s.Selection, i, withValue(sel, &notation.Name{Span: sel.Span, Name: item}))
		}
	}
}

// endLost loses an item of what a statement binds, at either end of an axis, or all but the last.
func (w *walker) endLost(slot *notation.Expr) {
	e := *slot
	rank := w.rank(e)
	if callIn(e, "join", "stack") == e {
		return // what was joined is left out
	}
	if rank < 1 || rank > 3 || w.repairing() {
		return
	}
	first := plusOffset(e.Pos(), &notation.Edge{Span: e.Pos()}, 1)
	if rank == 1 {
		first = number(e.Pos(), int64(w.m.Counting+1))
	}
	last := &notation.Edge{Span: e.Pos(), Last: true}
	for axis := range rank {
		put := func(cause codes.Code, sel *notation.Selector) {
			selectors := make([]*notation.Selector, rank)
			for i := range selectors {
				selectors[i] = selector(e.Pos(), notation.SelectAll)
			}
			selectors[axis] = sel
			w.both(cause, slot, selected(e.Pos(), grouped(e), selectors...))
		}
		put(codes.SelectEnd, withRange(&notation.Selector{Span: e.Pos()}, notation.RangeExpr{Span: e.Pos(), From: first}))
		put(codes.SelectEnd, withRange(&notation.Selector{Span: e.Pos()}, notation.RangeExpr{Span: e.Pos(), End: last,
			Before: true}))
		put(codes.LoopLast, valueSelector(e.Pos(), last))
		put(codes.LoopLast, valueSelector(e.Pos(), &notation.List{Span: e.Pos(), Items: []notation.Expr{last}}))
	}
}
