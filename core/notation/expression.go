package notation

import (
	"fmt"
	"strings"

	"nimbusreach/core/array"
)

// The grammar's levels, loosest first, one method each.

func (p *parser) expr() Expr {
	if p.standsAlone() {
		return p.primary()
	}
	p.enter()
	defer p.leave()
	left := p.andExpr()
	for p.tok.Is("or") || p.tok.Is("xor") {
		left = p.binary(left, p.andExpr)
	}
	p.habitOperator()
	return left
}

// standsAlone reports whether the expression is one name or number, as most are.
func (p *parser) standsAlone() bool {
	if p.tok.Kind != TokenName && p.tok.Kind != TokenNumber {
		return false
	}
	p.peek()
	switch p.ahead.Kind {
	case TokenNewline:
		return true
	case TokenSign:
		c := p.ahead.Text[0]
		return c == ',' || c == ')' || c == ']'
	}
	return false
}

// habitOperator answers an operator from elsewhere that stands where one may.
func (p *parser) habitOperator() {
	if p.tok.Kind == TokenHabit && p.tok.Text != ":" && p.tok.Text != ";" {
		p.habit()
	}
}

// binary reads an operator and its right side.
func (p *parser) binary(left Expr, right func() Expr) Expr {
	op := p.tok
	p.advance()
	r := right()
	return p.made.binaries.one(Binary{Span: left.Pos().To(r.Pos()), Op: op.Text, OpSpan: op.Span, Left: left, Right: r})
}

func (p *parser) andExpr() Expr {
	left := p.notExpr()
	for p.tok.Is("and") {
		left = p.binary(left, p.notExpr)
	}
	return left
}

func (p *parser) notExpr() Expr {
	if !p.tok.Is("not") {
		return p.comparison()
	}
	p.enter()
	defer p.leave()
	start := p.tok.Span
	p.advance()
	x := p.notExpr()
	return &Unary{Span: start.To(x.Pos()), Op: "not", Operand: x}
}

func isComparison(t Token) bool {
	if t.Kind != TokenSign {
		return false
	}
	switch t.Text {
	case "==", "!=", "<", "<=", ">", ">=":
		return true
	}
	return false
}

func (p *parser) comparison() Expr {
	first := p.rangeExpr()
	if !isComparison(p.tok) {
		return first
	}
	c := &Compare{Operands: append(make([]Expr, 0, 2), first)}
	for isComparison(p.tok) {
		c.Ops = append(c.Ops, p.tok.Text)
		c.OpSpans = append(c.OpSpans, p.tok.Span)
		p.advance()
		c.Operands = append(c.Operands, p.rangeExpr())
	}
	c.Span = first.Pos().To(c.Operands[len(c.Operands)-1].Pos())
	return c
}

func (p *parser) rangeExpr() Expr {
	from := p.sum()
	if !p.tok.Is("to") && !p.tok.Is("before") {
		return from
	}
	r := &RangeExpr{From: from, Before: p.tok.Text == "before"}
	p.advance()
	r.End = p.sum()
	r.Span = from.Pos().To(r.End.Pos())
	if p.tok.Is("by") {
		p.advance()
		r.By = p.sum()
		r.Span = from.Pos().To(r.By.Pos())
	}
	if p.tok.Is("to") || p.tok.Is("before") {
		p.fail("text.syntax", p.tok.Span, "a range has one start and one end", "put one range in parentheses, or take one end out")
	}
	return r
}

func (p *parser) sum() Expr {
	left := p.term()
	for p.tok.Is("+") || p.tok.Is("-") {
		op := p.tok
		if len(p.inSel) > 0 && p.inSel[len(p.inSel)-1] && op.Space && !p.peek().Space {
			l, r := p.src.Slice(left.Pos()), p.peek().Text
			p.fail("text.syntax", op.Span, fmt.Sprintf("inside brackets ` %s%s` can be read two ways", op.Text, r),
				fmt.Sprintf("for one value write `%s %s %s`; for two write `%s, %s%s`", l, op.Text, r, l, op.Text, r))
		}
		left = p.binary(left, p.term)
	}
	return left
}

func (p *parser) term() Expr {
	left := p.unary()
	for p.tok.Is("*") || p.tok.Is("/") || p.tok.Is("div") || p.tok.Is("mod") || p.tok.Is("dot") {
		left = p.binary(left, p.unary)
	}
	return left
}

func (p *parser) unary() Expr { return p.signed(p.unary, p.power) }

// signed reads a sign and what again gives behind it, or what plain gives.
func (p *parser) signed(again, plain func() Expr) Expr {
	if !p.tok.Is("-") && !p.tok.Is("+") {
		return plain()
	}
	p.enter()
	defer p.leave()
	op := p.tok
	p.advance()
	if p.tok.Kind == TokenNumber && op.Text == "-" {
		if n, _, _ := p.parseNumber(p.tok, true); n.Int < 0 && !p.peek().Is("^") {
			n.Span = op.Span.To(p.tok.Span)
			p.advance()
			return n
		}
	}
	x := again()
	return &Unary{Span: op.Span.To(x.Pos()), Op: op.Text, Operand: x}
}

func (p *parser) power() Expr {
	base := p.postfix()
	if !p.tok.Is("^") {
		return base
	}
	p.enter()
	defer p.leave()
	return p.binary(base, p.exponent)
}

func (p *parser) exponent() Expr { return p.signed(p.exponent, p.power) }

func (p *parser) postfix() Expr {
	x := p.primary()
	for p.tok.Kind == TokenSel {
		sel := p.selection()
		x = p.made.selects.one(Select{Span: x.Pos().To(sel.Span), Of: x, Selection: sel})
	}
	if p.tok.Kind == TokenHabit && p.tok.Text == "'" {
		p.fail("text.habit", p.tok.Span, "`'` has no meaning here", fmt.Sprintf("write `transpose(%s)`; with conjugation `conjugate_transpose(%s)`", p.src.Slice(x.Pos()), p.src.Slice(x.Pos())))
	}
	if p.tok.Kind == TokenCall {
		p.fail("text.syntax", p.tok.Span, "only a function's name can be called", "an element is selected with `[...]`; a product is written with `*`")
	}
	return x
}

func (p *parser) primary() Expr {
	t := p.tok
	switch {
	case t.Kind == TokenNumber || t.Kind == TokenImaginary:
		n, message, hint := p.parseNumber(t, false)
		if message != "" {
			p.fail("text.syntax", t.Span, message, hint)
		}
		p.advance()
		return n
	case t.Is("true") || t.Is("false"):
		p.advance()
		return &Truth{Span: t.Span, Value: t.Text == "true"}
	case t.Is("first") || t.Is("last"):
		p.advance()
		return &Edge{Span: t.Span, Last: t.Text == "last"}
	case t.Is("all") || t.Is("reversed"):
		p.advance()
		if p.tok.Kind != TokenCall {
			p.fail("text.syntax", t.Span, fmt.Sprintf("`%s` alone is a selector and stands for a whole axis", t.Text), fmt.Sprintf("the function is written `%s(x)`; the selector stands alone between commas, `x[%s, 0]`", t.Text, t.Text))
		}
		return p.call(p.named(t))
	case t.Kind == TokenName:
		p.advance()
		name := p.named(t)
		if p.tok.Kind == TokenCall {
			return p.call(name)
		}
		return name
	case t.Is("("):
		p.enter()
		defer p.leave()
		p.advance()
		p.inSel = append(p.inSel, false)
		inner := p.expr()
		p.inSel = p.inSel[:len(p.inSel)-1]
		if p.tok.Is(",") {
			p.fail("text.syntax", p.tok.Span, "parentheses hold one value", "a list of values is written `[a, b]`")
		}
		if !p.tok.Is(")") {
			p.missing(")")
		}
		end := p.tok.Span
		p.advance()
		return &Paren{Span: t.Span.To(end), Inner: inner}
	case t.Is("[") || t.Kind == TokenSel:
		return p.list()
	case t.Kind == TokenHabit:
		p.habit()
	case t.Is("if") || t.Is("each") || t.Is("function"):
		p.fail("text.syntax", t.Span, fmt.Sprintf("`%s` begins a statement and has no value", t.Text), "choose element by element with `pick(mask, a, b)`")
	}
	p.unexpected("a value")
	return nil
}

// missing tells that a list, call or selection ended in the wrong place.
func (p *parser) missing(closer string) {
	if p.tok.Kind == TokenHabit || p.tok.Is("=") || p.tok.Is("over") || p.tok.Is("along") || p.tok.Is("by") || p.tok.Is("to") || p.tok.Is("before") {
		p.afterExpression()
	}
	if p.tok.Is("(") || p.tok.Is("[") {
		p.afterExpression()
	}
	p.fail("text.syntax", p.tok.Span, fmt.Sprintf("%s stands where a comma or `%s` was expected", p.found(), closer), "a comma or an operator is missing before it")
}

func (p *parser) list() Expr {
	p.enter()
	defer p.leave()
	start := p.tok.Span
	p.advance()
	p.inSel = append(p.inSel, true)
	l := &List{}
	first := len(p.items)
	for !p.tok.Is("]") {
		p.items = append(p.items, p.expr())
		if p.tok.Is(",") {
			p.advance()
			continue
		}
		if !p.tok.Is("]") {
			p.rowsHabit(start)
			p.missing("]")
		}
	}
	p.inSel = p.inSel[:len(p.inSel)-1]
	l.Items, p.items = p.made.exprs.kept(p.items[first:]), p.items[:first]
	l.Span = start.To(p.tok.Span)
	p.advance()
	return l
}

// rowsHabit answers rows that are parted by semicolons, [1 2; 3 4].
func (p *parser) rowsHabit(start Span) {
	rest := p.src.Text[p.tok.Span.Start:]
	if i := strings.IndexAny(rest, ";]\n[("); i >= 0 && rest[i] == ';' {
		p.fail("text.habit", Span{start.Start, p.tok.Span.Start + int32(i) + 1}, "rows are not parted by `;` here", "a matrix is a list of rows: `[[1, 2], [3, 4]]`")
	}
}

func (p *parser) call(name *Name) Expr {
	p.enter()
	defer p.leave()
	p.advance()
	p.inSel = append(p.inSel, false)
	c := p.made.calls.one(Call{Name: name})
	first := len(p.items)
	for !p.tok.Is(")") {
		p.item(c)
		if p.tok.Is(",") {
			p.advance()
			if p.tok.Is(")") {
				p.fail("text.syntax", p.tok.Span, "`)` stands where an argument was expected", "take the comma out")
			}
			continue
		}
		if !p.tok.Is(")") {
			p.missing(")")
		}
	}
	p.inSel = p.inSel[:len(p.inSel)-1]
	c.Args, p.items = p.made.exprs.kept(p.items[first:]), p.items[:first]
	c.Span = name.Span.To(p.tok.Span)
	p.advance()
	return c
}

// item reads one argument or option; the order of the two is checked here.
func (p *parser) item(c *Call) {
	if word := p.tok; word.Kind == TokenName || word.Kind == TokenWord {
		next := p.peek()
		if next.Kind == TokenHabit && next.Text == ":" {
			p.advance()
			p.advance()
			value := p.expr()
			c.Options = append(c.Options, &Option{Span: word.Span.To(value.Pos()), Name: p.named(word), Value: value})
			return
		}
		if next.Is("=") {
			hint := fmt.Sprintf("an option is written `%s: value`", word.Text)
			if word.Text == "axis" || word.Text == "axes" || word.Text == "dim" || word.Text == "dims" {
				hint = fmt.Sprintf("axes to collapse are written `%s(x over week)` or `over 0`; an axis to work through `along week`", c.Name.Name)
			}
			p.fail("text.habit", word.Span.To(next.Span), fmt.Sprintf("`%s=` has no meaning in a call", word.Text), hint)
		}
	}
	start := p.tok.Span
	if p.tok.Is("over") || p.tok.Is("along") {
		p.fail("text.call", start, fmt.Sprintf("`%s` stands before any argument", p.tok.Text), fmt.Sprintf("write `%s(x %s axis)`", c.Name.Name, p.tok.Text))
	}
	value := p.expr()
	switch {
	case len(c.Options) > 0:
		p.fail("text.call", value.Pos(), "an argument stands behind an option", "arguments come first, then `over` or `along`, then options")
	case c.Clause != nil:
		p.fail("text.call", value.Pos(), fmt.Sprintf("an argument stands behind `%s`", clauseWord(c.Clause)), fmt.Sprintf("arguments come first: `%s(a, b %s axis)`; several axes are a list: `%s [week, rope]`", c.Name.Name, clauseWord(c.Clause), clauseWord(c.Clause)))
	}
	p.items = append(p.items, value)
	if p.tok.Is("over") || p.tok.Is("along") {
		c.Clause = p.clause()
		if p.tok.Is("over") || p.tok.Is("along") {
			p.fail("text.call", p.tok.Span, "a call has one clause, `over` or `along`", "take one out; several axes are a list: `over [week, rope]`")
		}
	}
}

func clauseWord(c *Clause) string {
	if c.Along {
		return "along"
	}
	return "over"
}

func (p *parser) clause() *Clause {
	start := p.tok.Span
	c := p.made.clauses.one(Clause{Along: p.tok.Is("along")})
	p.advance()
	if p.tok.Is("[") || p.tok.Kind == TokenSel {
		c.List = true
		open := p.tok.Span
		p.advance()
		for !p.tok.Is("]") {
			c.Axes = append(c.Axes, p.axis())
			if p.tok.Is(",") {
				p.advance()
			} else if !p.tok.Is("]") {
				p.missing("]")
			}
		}
		if len(c.Axes) == 0 {
			p.fail("text.syntax", open.To(p.tok.Span), fmt.Sprintf("`%s []` names no axis", clauseWord(c)), "to collapse every axis leave the clause out; to collapse none leave the call out")
		}
		c.Span = start.To(p.tok.Span)
		p.advance()
		return c
	}
	c.Axes = p.made.axisLists.some(1)
	c.Axes[0] = p.axis()
	c.Span = start.To(c.Axes[0].Span)
	return c
}

func (p *parser) axis() *Axis {
	t := p.tok
	switch {
	case t.Kind == TokenName:
		p.advance()
		if p.tok.Kind == TokenSel || p.tok.Kind == TokenCall {
			p.fail("text.syntax", p.tok.Span, "a bare word is an axis label here", "put an expression for an axis number in parentheses: `over (k)`")
		}
		return p.made.axes.one(Axis{Span: t.Span, Label: t.Text})
	case t.Kind == TokenNumber:
		n, message, hint := p.parseNumber(t, false)
		if message == "" && n.Kind != array.Int {
			message, hint = fmt.Sprintf("%s is no axis number", t.Text), "axis numbers are whole"
		}
		if message != "" {
			p.fail("text.syntax", t.Span, message, hint)
		}
		p.advance()
		return p.made.axes.one(Axis{Span: t.Span, Number: n})
	case t.Is("first") || t.Is("last"):
		p.advance()
		return &Axis{Span: t.Span, Edge: &Edge{Span: t.Span, Last: t.Text == "last"}}
	case t.Is("("):
		e := p.primary()
		return &Axis{Span: e.Pos(), Value: e}
	case t.Is("-"):
		p.fail("text.habit", t.Span, "axes are not counted from the end with `-`", "the last axis is `last`, the one before it `(axis_count(x) - 2)` when counting from 0")
	}
	p.unexpected("an axis: a label, a number, `first`, `last` or an expression in parentheses")
	return nil
}

func (p *parser) selection() *Selection {
	p.enter()
	defer p.leave()
	s := p.made.selections.one(Selection{})
	first := len(p.picks)
	start := p.tok.Span
	p.advance()
	p.inSel = append(p.inSel, true)
	if p.tok.Is("paired") {
		s.Paired = true
		p.advance()
	}
	if p.tok.Is("]") {
		p.fail("text.syntax", start.To(p.tok.Span), "a selection names at least one selector", "the whole of `x` is `x` itself, or `x[rest]`")
	}
	for !p.tok.Is("]") {
		p.picks = append(p.picks, p.selector())
		if p.tok.Is(",") {
			p.advance()
			if p.tok.Is("]") {
				p.fail("text.syntax", p.tok.Span, "`]` stands where a selector was expected", "take the comma out, or write `all` for the whole axis")
			}
			continue
		}
		if !p.tok.Is("]") {
			p.sliceHabit(p.picks[len(p.picks)-1])
			p.missing("]")
		}
	}
	p.inSel = p.inSel[:len(p.inSel)-1]
	s.Selectors, p.picks = p.made.picks.kept(p.picks[first:]), p.picks[:first]
	s.Span = start.To(p.tok.Span)
	p.advance()
	return s
}

// sliceHabit answers a:b inside a selection.
func (p *parser) sliceHabit(before *Selector) {
	if p.tok.Kind != TokenHabit || p.tok.Text != ":" {
		return
	}
	from := p.src.Slice(before.Span)
	span := p.tok.Span
	p.advance()
	if p.tok.Is("]") || p.tok.Is(",") {
		p.fail("text.habit", span, "`:` makes no range here", fmt.Sprintf("write `from %s`", from))
	}
	end := p.src.Slice(p.sum().Pos())
	p.fail("text.habit", span, "`:` makes no range here", fmt.Sprintf("write `%s before %s` (end left out) or `%s to %s` (end taken in)", from, end, from, end))
}

func (p *parser) selector() *Selector {
	start := p.tok
	s := p.made.selectors.one(Selector{})
	if start.Kind == TokenName {
		if next := p.peek(); next.Kind == TokenHabit && next.Text == ":" {
			s.Label = p.named(start)
			p.advance()
			p.advance()
			if p.tok.Is("]") || p.tok.Is(",") {
				p.fail("text.habit", next.Span, "`:` makes no range here", fmt.Sprintf("write `from %s` for a range, or a selector behind the label: `%s: all`", start.Text, start.Text))
			}
		}
	}
	t := p.tok
	switch {
	case t.Kind == TokenHabit && t.Text == ":":
		p.advance()
		if p.tok.Is("]") || p.tok.Is(",") {
			p.fail("text.habit", t.Span, "`:` makes no range here", "the whole axis is `all`")
		}
		end := p.src.Slice(p.sum().Pos())
		p.fail("text.habit", t.Span, "`:` makes no range here", fmt.Sprintf("write `before %s` (end left out) or `to %s` (end taken in)", end, end))
	case (t.Is("all") || t.Is("reversed")) && p.peek().Kind != TokenCall:
		s.Kind = SelectAll
		if t.Text == "reversed" {
			s.Kind = SelectReversed
		}
		p.advance()
	case t.Is("new"):
		s.Kind = SelectNew
		p.advance()
	case t.Is("rest"):
		s.Kind = SelectRest
		p.advance()
	case t.Is("except"):
		s.Except = true
		p.advance()
		if (p.tok.Is("all") || p.tok.Is("reversed")) && p.peek().Kind != TokenCall || p.tok.Is("new") || p.tok.Is("rest") || p.tok.Is("except") {
			p.fail("text.syntax", p.tok.Span, fmt.Sprintf("`except %s` names no positions", p.tok.Text), "`except` takes a position, a range, a list of positions or a mask")
		}
		p.picked(s)
	default:
		p.picked(s)
	}
	s.Span = start.Span.To(p.prev.Span)
	if s.Label != nil && (s.Kind == SelectNew || s.Kind == SelectRest) {
		p.fail("text.syntax", s.Span, fmt.Sprintf("`%s` belongs to no axis, so it has no label", p.prev.Text), "axes not named are whole; insert an axis in a selection of its own")
	}
	return s
}

// picked reads a range with open ends, or an expression.
func (p *parser) picked(s *Selector) {
	start := p.tok.Span
	r := &RangeExpr{}
	switch {
	case p.tok.Is("from"):
		p.advance()
		r.From = p.sum()
		fallthrough
	case p.tok.Is("to") || p.tok.Is("before"):
		if p.tok.Is("to") || p.tok.Is("before") {
			r.Before = p.tok.Text == "before"
			p.advance()
			r.End = p.sum()
		}
		fallthrough
	case p.tok.Is("by"):
		if p.tok.Is("by") {
			p.advance()
			r.By = p.sum()
		}
		r.Span = start.To(p.prev.Span)
		s.Kind, s.Range = SelectRange, r
		return
	}
	x := p.expr()
	if whole, ok := x.(*RangeExpr); ok {
		s.Kind, s.Range = SelectRange, whole
		return
	}
	s.Kind, s.Value = SelectValue, x
}
