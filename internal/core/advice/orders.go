package advice

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// reordering is the reference computed in another order that is as right.
type reordering struct {
	words   string
	program *notation.Program
}

// reorderings makes the programs that differ from a reference by rounding alone.
func reorderings(p *notation.Program) []reordering {
	var out []reordering
	for _, r := range []struct {
		words string
		turn  func(e notation.Expr) notation.Expr
	}{
		{"multiplying by the reciprocal where it divides", byReciprocal},
		{"adding from the other end", fromTheOtherEnd},
		{"grouping sums and products the other way", regrouped},
		{"dividing the sum by the count where it takes the mean", meanAsQuotient},
	} {
		c := notation.CopyProgram(p)
		changed := false
		for _, s := range c.Statements {
			changed = turnStatement(s, r.turn) || changed
		}
		if changed {
			out = append(out, reordering{r.words, c})
		}
	}
	return out
}

func turnStatement(s notation.Statement, turn func(notation.Expr) notation.Expr) bool {
	changed := false
	notation.EachExpr(s, func(slot *notation.Expr) {
		if with := turn(*slot); with != nil {
			*slot, changed = with, true
		}
	})
	return changed
}

func byReciprocal(e notation.Expr) notation.Expr {
	b, ok := e.(*notation.Binary)
	if !ok || b.Op != "/" {
		return nil
	}
	one := &notation.Number{Span: b.Span, Kind: array.Real, Real: 1, Text: "1.0"}
	return &notation.Binary{Span: b.Span, Op: "*", OpSpan: b.OpSpan, Left: b.Left, Right: &notation.Binary{Span: b.Span,
		Op: "/", OpSpan: b.OpSpan, Left: one, Right: b.Right}}
}

func call(at notation.Span, name string, arg notation.Expr, clause *notation.Clause) *notation.Call {
	return &notation.Call{Span: at, Name: &notation.Name{Span: at, Name: name}, Args: []notation.Expr{arg}, Clause: clause}
}

// fromTheOtherEnd adds the items of one axis backwards.
func fromTheOtherEnd(e notation.Expr) notation.Expr {
	c, ok := e.(*notation.Call)
	if !ok || len(c.Args) != 1 || len(c.Options) > 0 || c.Clause == nil || len(c.Clause.Axes) != 1 || c.Clause.Along {
		return nil
	}
	if n := c.Name.Name; n != "sum" && n != "mean" && n != "product" {
		return nil
	}
	if inner, ok := c.Args[0].(*notation.Call); ok && inner.Name.Name == "reversed" {
		return nil
	}
	along := *c.Clause
	along.Along = true
	out := *c
	out.Args = []notation.Expr{call(c.Span, "reversed", c.Args[0], &along)}
	return &out
}

func regrouped(e notation.Expr) notation.Expr {
	b, ok := e.(*notation.Binary)
	if !ok || b.Op != "+" && b.Op != "*" {
		return nil
	}
	left, ok := notation.Strip(b.Left).(*notation.Binary)
	if !ok || left.Op != b.Op {
		return nil
	}
	right := &notation.Binary{Span: b.Span, Op: b.Op, OpSpan: b.OpSpan, Left: left.Right, Right: b.Right}
	return &notation.Binary{Span: b.Span, Op: b.Op, OpSpan: b.OpSpan, Left: left.Left,
		Right: &notation.Paren{Span: b.Span, Inner: right}}
}

func meanAsQuotient(e notation.Expr) notation.Expr {
	c, ok := e.(*notation.Call)
	if !ok || c.Name.Name != "mean" || functions.Lookup("mean") == nil || len(c.Args) != 1 || len(c.Options) > 0 {
		return nil
	}
	total := call(c.Span, "sum", c.Args[0], c.Clause)
	one := &notation.Compare{Span: c.Span, Operands: []notation.Expr{c.Args[0], c.Args[0]}, Ops: []string{"=="},
		OpSpans: []notation.Span{c.Span}}
	count := call(c.Span, "count", one, c.Clause)
	return &notation.Paren{Span: c.Span, Inner: &notation.Binary{Span: c.Span, Op: "/", OpSpan: c.Span, Left: total,
		Right: count}}
}
