package notation

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

func (p *parser) call(name *Name) Expr {
	p.enter()
	p.advance()
	p.inSel = append(p.inSel, false)
	c := p.made.calls.one(Call{Name: name})
	first := len(p.items)
	for !p.tok.Is(")") {
		p.item(c)
		if p.tok.Is(",") {
			p.advance()
			if p.tok.Is(")") {
				p.fail(codes.TextSyntax, p.tok.Span, "`)` found where an argument was expected", "take the comma out")
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
	p.leave()
	return c
}

// item reads one argument or option; the order of the two is checked here.
func (p *parser) item(c *Call) {
	if word := *p.tok; word.Kind == TokenName || word.Kind == TokenWord {
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
				hint = fmt.Sprintf("axes to reduce are written `%s(x over week)` or `over 0`; an axis to work through `along "+
					"week`", c.Name.Name)
			}
			p.fail(codes.TextHabit, word.Span.To(next.Span), fmt.Sprintf("`%s=` has no meaning in a call", word.Text), hint)
		}
	}
	start := p.tok.Span
	if p.tok.Is("over") || p.tok.Is("along") {
		p.fail(codes.TextCall, start, fmt.Sprintf("`%s` is before any argument", p.tok.Text),
			fmt.Sprintf("write `%s(x %s axis)`", c.Name.Name, p.tok.Text))
	}
	value := p.expr()
	switch {
	case len(c.Options) > 0:
		p.fail(codes.TextCall, value.Pos(), "an argument follows an option",
			"arguments come first, then `over` or `along`, then options")
	case c.Clause != nil:
		p.fail(codes.TextCall, value.Pos(), fmt.Sprintf("an argument follows `%s`", clauseWord(c.Clause)),
			fmt.Sprintf("arguments come first: `%s(a, b %s axis)`; several axes are a list: `%s [week, rope]`", c.Name.Name,
				clauseWord(c.Clause), clauseWord(c.Clause)))
	}
	p.items = append(p.items, value)
	if p.tok.Is("over") || p.tok.Is("along") {
		c.Clause = p.clause()
		if p.tok.Is("over") || p.tok.Is("along") {
			p.fail(codes.TextCall, p.tok.Span, "a call has one clause, `over` or `along`",
				"take one out; several axes are a list: `over [week, rope]`")
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
			p.fail(codes.TextSyntax, open.To(p.tok.Span), fmt.Sprintf("`%s []` names no axis", clauseWord(c)),
				"to reduce every axis leave the clause out; to reduce none leave the call out")
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
	t := *p.tok
	switch {
	case t.Kind == TokenName:
		p.advance()
		if p.tok.Kind == TokenSel || p.tok.Kind == TokenCall {
			p.fail(codes.TextSyntax, p.tok.Span, "a bare word is an axis label here",
				"put an expression for an axis number in parentheses: `over (k)`")
		}
		return p.made.axes.one(Axis{Span: t.Span, Label: t.Text})
	case t.Kind == TokenNumber:
		n, message, hint := p.parseNumber(t, false)
		if message == "" && n.Kind != array.Int {
			message, hint = fmt.Sprintf("%s is not an axis number", t.Text), "axis numbers are whole"
		}
		if message != "" {
			p.fail(codes.TextSyntax, t.Span, message, hint)
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
		p.fail(codes.TextHabit, t.Span, "axes are not counted from the end with `-`",
			"the last axis is `last`, the one before it `(axis_count(x) - 2)` when counting from 0")
	}
	p.unexpected("an axis: a label, a number, `first`, `last` or an expression in parentheses")
	return nil
}
