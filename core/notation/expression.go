package notation

import (
	"fmt"
	"strings"
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
