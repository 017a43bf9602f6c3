package evaluate

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// expr evaluates an expression.
func (r *runner) expr(e notation.Expr) *array.Array {
	v := r.work(e)
	if r.options.Watch != nil {
		r.options.Watch(e, v)
	}
	return v
}

func (r *runner) work(e notation.Expr) *array.Array {
	r.parts++
	switch e := e.(type) {
	case *notation.Number:
		switch e.Kind {
		case array.Int:
			return array.Scalar(e.Int)
		case array.Real:
			return array.Scalar(e.Real)
		}
		return array.Scalar(complex(0, e.Real))
	case *notation.Truth:
		return array.Scalar(e.Value)
	case *notation.Name:
		return r.lookup(e)
	case *notation.Edge:
		return r.edge(e)
	case *notation.Paren:
		return r.expr(e.Inner)
	case *notation.List:
		return r.list(e)
	case *notation.Unary:
		return r.unary(e)
	case *notation.Binary:
		return r.binary(e)
	case *notation.Compare:
		return r.compare(e)
	case *notation.RangeExpr:
		return r.rangeValue(e)
	case *notation.Select:
		return r.selectFrom(e)
	case *notation.Call:
		return r.call(e)
	}
	panic(fmt.Sprintf("no rule for %T", e))
}

func (r *runner) edge(e *notation.Edge) *array.Array {
	if len(r.axes) == 0 || !r.axes[len(r.axes)-1].known {
		word := map[bool]string{true: "last", false: "first"}[e.Last]
		r.failWith(e.Span, codes.TextSyntax, fmt.Sprintf("`%s` has no axis to be a position of here", word),
			"use it as a selector, `x[last]`, or inside one")
	}
	at := int64(r.options.Counting)
	if e.Last {
		at += int64(r.axes[len(r.axes)-1].length - 1)
	}
	return array.Scalar(at)
}

func (r *runner) unary(e *notation.Unary) *array.Array {
	x := r.expr(e.Operand)
	r.meter.At(e.Span)
	apply := map[string]func(*functions.Meter, *array.Array) (*array.Array, *notation.Diagnostic){
		"-": functions.Negate, "+": functions.Positive, "not": functions.Not}[e.Op]
	out, d := apply(&r.meter, x)
	return r.must(e.Span, out, d)
}

func (r *runner) binary(e *notation.Binary) *array.Array {
	if r.options.Watch != nil {
		return r.watched(e)
	}
	return r.settle(r.lazily(e))
}

func (r *runner) compare(e *notation.Compare) *array.Array {
	left := r.expr(e.Operands[0])
	var all *array.Array
	for i, op := range e.Ops {
		right := r.expr(e.Operands[i+1])
		span := e.Operands[i].Pos().To(e.Operands[i+1].Pos())
		r.meter.At(span)
		out, d := functions.Binary(&r.meter, op, left, right)
		one := r.must(span, out, d)
		if all == nil {
			all = one
		} else {
			r.meter.At(e.Span)
			out, d := functions.Binary(&r.meter, "and", all, one)
			all = r.must(e.Span, out, d)
		}
		left = right
	}
	return all
}

func (r *runner) rangeValue(e *notation.RangeExpr) *array.Array {
	from, end := r.expr(e.From), r.expr(e.End)
	var by *array.Array
	if e.By != nil {
		by = r.expr(e.By)
	}
	r.meter.At(e.Span)
	out, d := functions.Range(&r.meter, from, end, by, e.Before)
	return r.must(e.Span, out, d)
}

// list stacks its items along a new first axis.
func (r *runner) list(e *notation.List) *array.Array {
	items := make([]*array.Array, len(e.Items))
	for i, item := range e.Items {
		items[i] = r.expr(item)
	}
	r.meter.At(e.Span)
	for i, a := range items {
		if !array.SameShape(items[0], a) {
			r.fail(e.Items[i].Pos(), functions.RaggedFault(i+r.options.Counting, items[0], a))
		}
	}
	out, d := functions.Stack(&r.meter, items)
	return r.must(e.Span, out, d)
}

func (r *runner) selectFrom(e *notation.Select) *array.Array {
	of := r.expr(e.Of)
	scratch := r.takePicks()
	sel := r.selection(e.Selection, of, scratch)
	r.meter.At(e.Span)
	out := r.read(e.Span, sel, of)
	if r.options.Record != nil {
		r.options.Record.Select(e, of, Selected{sel, e.Selection}, out)
	}
	r.givePicks(scratch)
	return out
}

// axis evaluates an axis, counted from 0. clause is what is before a single axis;
// rank is the number of axes to choose from.
func (r *runner) axis(clause string, x *notation.Axis, a *array.Array, rank int) int {
	counting := r.options.Counting
	number := func(n int64) int {
		at := n - int64(counting)
		if at < 0 || at >= int64(rank) {
			r.fail(x.Span, functions.UnknownAxis(a, fmt.Sprint(n), "", counting))
		}
		return int(at)
	}
	switch {
	case x.Label != "":
		axis, d := functions.FindLabel(a, x.Label, counting)
		if r.frame.find(x.Label) != nil {
			functions.LabelNotVariable(d, clause, x.Label)
		}
		r.ok(x.Span, d)
		return axis
	case x.Number != nil:
		return number(x.Number.Int)
	case x.Edge != nil:
		if rank == 0 {
			r.fail(x.Span, functions.UnknownAxis(a, map[bool]string{true: "`last`", false: "`first`"}[x.Edge.Last], "",
				counting))
		}
		if x.Edge.Last {
			return rank - 1
		}
		return 0
	}
	v := r.expr(x.Value)
	if v.Rank() != 0 || v.Kind() != array.Int {
		r.failWith(x.Span, codes.AxisUnknown, fmt.Sprintf("an axis number is one int, and this is %s",
			functions.Describe(v)), "axis numbers are whole")
	}
	return number(v.IntAt(0))
}
