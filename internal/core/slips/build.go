package slips

import (
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// New nodes are at the place of what they are put for, so that a finding about them
// points there.

func number(at notation.Span, n int64) *notation.Number {
	return &notation.Number{Span: at, Kind: array.Int, Int: n, Real: float64(n), Text: strconv.FormatInt(n, 10)}
}

func realNumber(at notation.Span, v float64) *notation.Number {
	text := strconv.FormatFloat(v, 'f', -1, 64)
	if v == float64(int64(v)) {
		text += ".0"
	}
	return &notation.Number{Span: at, Kind: array.Real, Real: v, Text: text}
}

// integer gives an int literal; a negative one is a number with its sign.
func integer(at notation.Span, n int64) notation.Expr {
	if n < 0 {
		return &notation.Unary{Span: at, Op: "-", Operand: number(at, -n)}
	}
	return number(at, n)
}

func call(at notation.Span, name string, args ...notation.Expr) *notation.Call {
	return &notation.Call{Span: at, Name: &notation.Name{Span: at, Name: name}, Args: args}
}

func (w *walker) withAxes(c *notation.Call, along bool, axes []*notation.Axis) *notation.Call {
	out := *c
	if len(axes) == 0 {
		out.Clause = nil
		return &out
	}
	out.Clause = &notation.Clause{Span: c.Span, Along: along, Axes: axes, List: len(axes) > 1}
	return &out
}

func withOption(c *notation.Call, name string, value notation.Expr) *notation.Call {
	out := *c
	out.Options = nil
	for _, o := range c.Options {
		if o.Name.Name != name {
			out.Options = append(out.Options, o)
		}
	}
	if value != nil {
		out.Options = append(out.Options, &notation.Option{Span: c.Span, Name: &notation.Name{Span: c.Span, Name: name},
			Value: value})
	}
	return &out
}

func optionOf(c *notation.Call, name string) notation.Expr {
	for _, o := range c.Options {
		if o.Name.Name == name {
			return o.Value
		}
	}
	return nil
}

func withName(c *notation.Call, name string) *notation.Call {
	out := *c
	out.Name = &notation.Name{Span: c.Name.Span, Name: name}
	return &out
}

func withArgs(c *notation.Call, args ...notation.Expr) *notation.Call {
	out := *c
	out.Args = args
	return &out
}

func binary(at notation.Span, op string, left, right notation.Expr) *notation.Binary {
	return &notation.Binary{Span: at, Op: op, OpSpan: at, Left: left, Right: right}
}

func not(at notation.Span, e notation.Expr) notation.Expr {
	if u, ok := notation.Strip(e).(*notation.Unary); ok && u.Op == "not" {
		return u.Operand
	}
	return &notation.Unary{Span: at, Op: "not", Operand: &notation.Paren{Span: at, Inner: e}}
}

func wordExpr(at notation.Span, word string) notation.Expr {
	return &notation.Name{Span: at, Name: word}
}

func truth(at notation.Span, v bool) notation.Expr { return &notation.Truth{Span: at, Value: v} }

func selector(at notation.Span, kind notation.SelectorKind) *notation.Selector {
	return &notation.Selector{Span: at, Kind: kind}
}

func valueSelector(at notation.Span, e notation.Expr) *notation.Selector {
	return &notation.Selector{Span: at, Kind: notation.SelectValue, Value: e}
}

func selected(at notation.Span, of notation.Expr, selectors ...*notation.Selector) *notation.Select {
	return &notation.Select{Span: at, Of: of, Selection: &notation.Selection{Span: at, Selectors: selectors}}
}

// axisOf spells an axis of a value by its label, or its number.
func (w *walker) axisOf(at notation.Span, label string, axis int) *notation.Axis {
	if label != "" {
		return &notation.Axis{Span: at, Label: label}
	}
	return &notation.Axis{Span: at, Number: number(at, int64(axis+w.m.Counting))}
}

// grouped puts parentheses around all but single names, numbers and calls.
func grouped(e notation.Expr) notation.Expr {
	switch e.(type) {
	case *notation.Name, *notation.Number, *notation.Call, *notation.Paren, *notation.Select:
		return e
	}
	return &notation.Paren{Span: e.Pos(), Inner: e}
}
