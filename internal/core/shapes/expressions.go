package shapes

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// expr evaluates an expression and keeps what it is.
func (w *walker) expr(e notation.Expr) Outline {
	o := w.outline(e)
	if w.see != nil {
		w.saw(e, o)
	}
	return o
}

// saw says what an expression of the text is, the last time it is visited.
func (w *walker) saw(e notation.Expr, o Outline) {
	if w.see != nil && w.quiet == 0 {
		w.see(e, o)
	}
}

func (w *walker) outline(e notation.Expr) Outline {
	switch e := e.(type) {
	case *notation.Number:
		switch e.Kind {
		case array.Int:
			return functions.OutlineOfInt(e.Int)
		case array.Real:
			return functions.Outlined(array.Real, nil, nil)
		}
		return functions.Outlined(array.Complex, nil, nil)
	case *notation.Truth:
		return functions.Outlined(array.Bool, nil, nil)
	case *notation.Name:
		return w.variable(e)
	case *notation.Edge:
		return w.edge(e)
	case *notation.Paren:
		return w.expr(e.Inner)
	case *notation.List:
		return w.list(e)
	case *notation.Unary:
		out, d := functions.UnaryOutline(e.Op, w.expr(e.Operand))
		w.fail(e.Span, d)
		return out
	case *notation.Binary:
		return w.binary(e)
	case *notation.Compare:
		return w.compare(e)
	case *notation.RangeExpr:
		return w.rangeValue(e)
	case *notation.Select:
		return w.selected(w.expr(e.Of), e.Selection)
	case *notation.Call:
		return w.call(e)
	}
	return Outline{}
}

func (w *walker) edge(e *notation.Edge) Outline {
	out := functions.Outlined(array.Int, nil, nil)
	if len(w.edges) == 0 {
		return out
	}
	first := functions.Dim(w.counting)
	switch of := w.edges[len(w.edges)-1]; {
	case !of.known:
	case !e.Last:
		return out.WithNumbers([]functions.Dim{first})
	case of.length >= 0:
		return out.WithNumbers([]functions.Dim{of.length - 1 + first})
	}
	return out
}

// binary follows the left spine in a loop, so that a long sum needs no deep stack.
func (w *walker) binary(e *notation.Binary) Outline {
	var near [8]*notation.Binary
	spine := near[:0]
	var left notation.Expr = e
	for {
		b, ok := left.(*notation.Binary)
		if !ok {
			break
		}
		spine = append(spine, b)
		left = b.Left
	}
	out := w.expr(left)
	for i := len(spine) - 1; i >= 0; i-- {
		b := spine[i]
		right := w.expr(b.Right)
		var d *notation.Diagnostic
		out, d = functions.BinaryOutline(b.Op, out, right, w.fresh)
		w.fail(b.Span, d)
		if i > 0 {
			w.saw(b, out)
		}
	}
	return out
}

func (w *walker) compare(e *notation.Compare) Outline {
	left := w.expr(e.Operands[0])
	var all *Outline
	for i, op := range e.Ops {
		right := w.expr(e.Operands[i+1])
		one, d := functions.BinaryOutline(op, left, right, w.fresh)
		w.fail(e.Operands[i].Pos().To(e.Operands[i+1].Pos()), d)
		if all != nil {
			one, d = functions.BinaryOutline("and", *all, one, w.fresh)
			w.fail(e.Span, d)
		}
		all, left = &one, right
	}
	return *all
}

func (w *walker) rangeValue(e *notation.RangeExpr) Outline {
	from, end := w.expr(e.From), w.expr(e.End)
	if e.By == nil {
		return functions.RangeOutline(from, end, nil, e.Before, w.fresh)
	}
	by := w.expr(e.By)
	return functions.RangeOutline(from, end, &by, e.Before, w.fresh)
}

func (w *walker) list(e *notation.List) Outline {
	items := make([]Outline, len(e.Items))
	for i, item := range e.Items {
		items[i] = w.expr(item)
	}
	out, differs := functions.StackOutlines(items, w.fresh)
	if differs >= 0 {
		w.fail(e.Items[differs].Pos(), functions.RaggedFault(differs+w.counting, &items[0], &items[differs]))
	}
	return out
}

// axis evaluates an axis, counted from 0; ok is false when it is not known.
func (w *walker) axis(clause string, x *notation.Axis, a *Outline, rank int) (axis int, ok bool) {
	if x.Value != nil {
		v := w.expr(x.Value)
		n, known := v.Number()
		if !known || !a.KnowsRank() {
			return 0, false
		}
		return w.axisNumber(x, n, a, rank)
	}
	if !a.KnowsRank() {
		return 0, false
	}
	switch {
	case x.Label != "":
		if !a.KnowsLabels() {
			return 0, false
		}
		axis, d := functions.FindLabel(a, x.Label, w.counting)
		if _, bound := w.vars[x.Label]; bound {
			functions.LabelNotVariable(d, clause, x.Label)
		}
		w.fail(x.Span, d)
		return axis, d == nil
	case x.Number != nil:
		if x.Number.Kind != array.Int {
			return 0, false
		}
		return w.axisNumber(x, int(x.Number.Int), a, rank)
	}
	if rank == 0 {
		w.fail(x.Span, functions.UnknownAxis(a, map[bool]string{true: "`last`", false: "`first`"}[x.Edge.Last], "",
			w.counting))
		return 0, false
	}
	if x.Edge.Last {
		return rank - 1, true
	}
	return 0, true
}

func (w *walker) axisNumber(x *notation.Axis, n int, a *Outline, rank int) (int, bool) {
	at := n - w.counting
	if at < 0 || at >= rank {
		w.fail(x.Span, functions.UnknownAxis(a, numberWord(n), "", w.counting))
		return 0, false
	}
	return at, true
}
