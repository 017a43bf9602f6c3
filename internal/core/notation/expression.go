package notation

import (
	"fmt"
	"strings"

	"nimbusreach/internal/core/codes"
)

// levelOf is the grammar's level of an operator between two operands, -1 of other tokens.
func levelOf(t *Token) int {
	switch t.Kind {
	case TokenSign:
		switch t.Text {
		case "+", "-":
			return levelSum
		case "*", "/":
			return levelTerm
		case "==", "!=", "<", "<=", ">", ">=":
			return levelCompare
		}
	case TokenWord:
		switch t.Text {
		case "or", "xor":
			return levelOr
		case "and":
			return levelAnd
		case "to", "before":
			return levelRange
		case "div", "mod", "dot":
			return levelTerm
		}
	}
	return -1
}

func (p *parser) expr() Expr {
	if p.standsAlone() {
		return p.primary()
	}
	p.enter()
	e := p.climb(levelOr)
	p.habitOperator()
	p.leave()
	return e
}

// sum reads an expression without comparisons, ranges and what is looser.
func (p *parser) sum() Expr { return p.climb(levelSum) }

// climb reads operators that bind at least as tightly as floor, with their operands.
func (p *parser) climb(floor int) Expr {
	var left Expr
	if floor <= levelNot && p.tok.Is("not") {
		left = p.negation()
	} else {
		left = p.unary()
	}
	for {
		l := levelOf(p.tok)
		if l < floor {
			return left
		}
		switch l {
		case levelCompare:
			left = p.comparison(left)
		case levelRange:
			left = p.rangeFrom(left)
		case levelSum:
			p.refuseTwoReadings(left)
			left = p.binary(left, l+1)
		default:
			left = p.binary(left, l+1)
		}
	}
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

// habitOperator answers an operator from elsewhere that is where one may.
func (p *parser) habitOperator() {
	if p.tok.Kind == TokenHabit && p.tok.Text != ":" && p.tok.Text != ";" {
		p.habit()
	}
}

// binary reads an operator and its right side, which binds at least as tightly as floor.
func (p *parser) binary(left Expr, floor int) Expr {
	op := *p.tok
	p.advance()
	var right Expr
	if floor > levelTerm {
		right = p.unary()
	} else {
		right = p.climb(floor)
	}
	return p.joined(left, op, right)
}

func (p *parser) joined(left Expr, op Token, right Expr) Expr {
	return p.made.binaries.one(Binary{Span: left.Pos().To(right.Pos()), Op: op.Text, OpSpan: op.Span, Left: left,
		Right: right})
}

func (p *parser) negation() Expr {
	p.enter()
	start := p.tok.Span
	p.advance()
	x := p.climb(levelNot)
	p.leave()
	return &Unary{Span: start.To(x.Pos()), Op: "not", Operand: x}
}

// comparison reads a chain of comparisons, whose first operand is there.
func (p *parser) comparison(first Expr) Expr {
	c := &Compare{Operands: append(make([]Expr, 0, 2), first)}
	for levelOf(p.tok) == levelCompare {
		c.Ops = append(c.Ops, p.tok.Text)
		c.OpSpans = append(c.OpSpans, p.tok.Span)
		p.advance()
		c.Operands = append(c.Operands, p.climb(levelRange))
	}
	c.Span = first.Pos().To(c.Operands[len(c.Operands)-1].Pos())
	return c
}

func (p *parser) rangeFrom(from Expr) Expr {
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
		p.fail(codes.TextSyntax, p.tok.Span, "a range has one start and one end",
			"put one range in parentheses, or take one end out")
	}
	return r
}

// refuseTwoReadings answers a list such as [a -b], which may be one value or two.
func (p *parser) refuseTwoReadings(left Expr) {
	if op := p.tok; len(p.inSel) > 0 && p.inSel[len(p.inSel)-1] && op.Space && !p.peek().Space {
		l, r := p.src.Slice(left.Pos()), p.peek().Text
		p.fail(codes.TextSyntax, op.Span, fmt.Sprintf("inside brackets ` %s%s` can be read two ways", op.Text, r),
			fmt.Sprintf("for one value write `%s %s %s`; for two write `%s, %s%s`", l, op.Text, r, l, op.Text, r))
	}
}

// unary reads a sign and its operand, or a power.
func (p *parser) unary() Expr {
	if !p.tok.Is("-") && !p.tok.Is("+") {
		return p.power()
	}
	return p.signed(p.unary)
}

// signed reads a sign and what again gives behind it.
func (p *parser) signed(again func() Expr) Expr {
	p.enter()
	op := *p.tok
	p.advance()
	if p.tok.Kind == TokenNumber && op.Text == "-" {
		if n, _, _ := p.parseNumber(*p.tok, true); n.Int < 0 && !p.peek().Is("^") {
			n.Span = op.Span.To(p.tok.Span)
			p.advance()
			p.leave()
			return n
		}
	}
	x := again()
	p.leave()
	return &Unary{Span: op.Span.To(x.Pos()), Op: op.Text, Operand: x}
}

func (p *parser) power() Expr {
	base := p.postfix()
	if !p.tok.Is("^") {
		return base
	}
	p.enter()
	op := *p.tok
	p.advance()
	e := p.joined(base, op, p.exponent())
	p.leave()
	return e
}

func (p *parser) exponent() Expr {
	if !p.tok.Is("-") && !p.tok.Is("+") {
		return p.power()
	}
	return p.signed(p.exponent)
}

func (p *parser) postfix() Expr {
	x := p.primary()
	depth := p.depth
	for p.tok.Kind == TokenSel {
		sel := p.selection()
		p.enter() // what is selected from a selection is nested in it
		x = p.made.selects.one(Select{Span: x.Pos().To(sel.Span), Of: x, Selection: sel})
	}
	if p.tok.Kind == TokenHabit && p.tok.Text == "'" {
		p.fail(codes.TextHabit, p.tok.Span, "`'` has no meaning here",
			fmt.Sprintf("write `transpose(%s)`; with conjugation `conjugate_transpose(%s)`", p.src.Slice(x.Pos()),
				p.src.Slice(x.Pos())))
	}
	if p.tok.Kind == TokenCall {
		p.fail(codes.TextSyntax, p.tok.Span, "only a function's name can be called",
			"an element is selected with `[...]`; a product is written with `*`")
	}
	p.depth = depth
	return x
}

func (p *parser) primary() Expr {
	t := *p.tok
	switch {
	case t.Kind == TokenNumber || t.Kind == TokenImaginary:
		n, message, hint := p.parseNumber(t, false)
		if message != "" {
			p.fail(codes.TextSyntax, t.Span, message, hint)
		}
		p.advance()
		return n
	case t.Is("true") || t.Is("false"):
		p.advance()
		return &Truth{Span: t.Span, Value: t.Text == "true"}
	case t.Is("first") || t.Is("last"):
		p.suspect = true
		p.advance()
		return &Edge{Span: t.Span, Last: t.Text == "last"}
	case t.Is("all") || t.Is("reversed"):
		p.advance()
		if p.tok.Kind != TokenCall {
			p.fail(codes.TextSyntax, t.Span, fmt.Sprintf("`%s` alone is a selector and stands for a whole axis", t.Text),
				fmt.Sprintf("the function is written `%s(x)`; the selector stands alone between commas, `x[%s, 0]`", t.Text,
					t.Text))
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
		p.advance()
		p.inSel = append(p.inSel, false)
		inner := p.expr()
		p.inSel = p.inSel[:len(p.inSel)-1]
		if p.tok.Is(",") {
			p.fail(codes.TextSyntax, p.tok.Span, "parentheses hold one value", "a list of values is written `[a, b]`")
		}
		if !p.tok.Is(")") {
			p.missing(")")
		}
		end := p.tok.Span
		p.advance()
		p.leave()
		return &Paren{Span: t.Span.To(end), Inner: inner}
	case t.Is("[") || t.Kind == TokenSel:
		return p.list()
	case t.Kind == TokenHabit:
		p.habit()
	case t.Is("if") || t.Is("each") || t.Is("function"):
		p.fail(codes.TextSyntax, t.Span, fmt.Sprintf("`%s` begins a statement and has no value", t.Text),
			"choose element by element with `pick(mask, a, b)`")
	}
	p.unexpected("a value")
	return nil
}

// missing says that a list, call or selection ended in the wrong place.
func (p *parser) missing(closer string) {
	if p.tok.Kind == TokenHabit || p.tok.Is("=") || p.tok.Is("over") || p.tok.Is("along") || p.tok.Is("by") ||
		p.tok.Is("to") || p.tok.Is("before") {
		p.afterExpression()
	}
	if p.tok.Is("(") || p.tok.Is("[") {
		p.afterExpression()
	}
	p.fail(codes.TextSyntax, p.tok.Span, fmt.Sprintf("%s found where a comma or `%s` was expected", p.found(), closer),
		"a comma or an operator is missing before it")
}

func (p *parser) list() Expr {
	p.enter()
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
	p.leave()
	return l
}

// rowsHabit answers rows that are separated by semicolons, [1 2; 3 4].
func (p *parser) rowsHabit(start Span) {
	rest := p.src.Text[p.tok.Span.Start:]
	if i := strings.IndexAny(rest, ";]\n[("); i >= 0 && rest[i] == ';' {
		p.fail(codes.TextHabit, Span{start.Start, p.tok.Span.Start + int32(i) + 1}, "rows are not separated by `;` here",
			"a matrix is a list of rows: `[[1, 2], [3, 4]]`")
	}
}
