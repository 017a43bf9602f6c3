package notation

import (
	"fmt"

	"nimbusreach/internal/core/codes"
)

func (p *parser) selection() *Selection {
	p.suspect = true
	p.enter()
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
		p.fail(codes.TextSyntax, start.To(p.tok.Span), "a selection names at least one selector",
			"the whole of `x` is `x` itself, or `x[rest]`")
	}
	for !p.tok.Is("]") {
		p.picks = append(p.picks, p.selector())
		if p.tok.Is(",") {
			p.advance()
			if p.tok.Is("]") {
				p.fail(codes.TextSyntax, p.tok.Span, "`]` found where a selector was expected",
					"take the comma out, or write `all` for the whole axis")
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
	p.leave()
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
		p.fail(codes.TextHabit, span, "`:` makes no range here", fmt.Sprintf("write `from %s`", from))
	}
	end := p.src.Slice(p.sum().Pos())
	p.fail(codes.TextHabit, span, "`:` makes no range here",
		fmt.Sprintf("write `%s before %s` (end left out) or `%s to %s` (end taken in)", from, end, from, end))
}

func (p *parser) selector() *Selector {
	start := *p.tok
	s := p.made.selectors.one(Selector{})
	if start.Kind == TokenName {
		if next := p.peek(); next.Kind == TokenHabit && next.Text == ":" {
			s.Label = p.named(start)
			p.advance()
			p.advance()
			if p.tok.Is("]") || p.tok.Is(",") {
				p.fail(codes.TextHabit, next.Span, "`:` makes no range here",
					fmt.Sprintf("write `from %s` for a range, or a selector behind the label: `%s: all`", start.Text, start.Text))
			}
		}
	}
	t := *p.tok
	switch {
	case t.Kind == TokenHabit && t.Text == ":":
		p.advance()
		if p.tok.Is("]") || p.tok.Is(",") {
			p.fail(codes.TextHabit, t.Span, "`:` makes no range here", "the whole axis is `all`")
		}
		end := p.src.Slice(p.sum().Pos())
		p.fail(codes.TextHabit, t.Span, "`:` makes no range here",
			fmt.Sprintf("write `before %s` (end left out) or `to %s` (end taken in)", end, end))
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
		if (p.tok.Is("all") || p.tok.Is("reversed")) && p.peek().Kind != TokenCall || p.tok.Is("new") || p.tok.Is("rest") ||
			p.tok.Is("except") {
			p.fail(codes.TextSyntax, p.tok.Span, fmt.Sprintf("`except %s` names no positions", p.tok.Text),
				"`except` takes a position, a range, a list of positions or a mask")
		}
		p.picked(s)
	default:
		p.picked(s)
	}
	s.Span = start.Span.To(p.prev.Span)
	if s.Label != nil && (s.Kind == SelectNew || s.Kind == SelectRest) {
		p.fail(codes.TextSyntax, s.Span, fmt.Sprintf("`%s` belongs to no axis, so it has no label", p.prev.Text),
			"axes not named are whole; insert an axis in a selection of its own")
	}
	return s
}

// picked reads a range with open ends, or an expression.
func (p *parser) picked(s *Selector) {
	if p.tok.Is("from") || p.tok.Is("to") || p.tok.Is("before") || p.tok.Is("by") {
		s.Kind, s.Range = SelectRange, p.openRange()
		return
	}
	x := p.expr()
	if whole, ok := x.(*RangeExpr); ok {
		s.Kind, s.Range = SelectRange, whole
		return
	}
	s.Kind, s.Value = SelectValue, x
}

func (p *parser) openRange() *RangeExpr {
	start := p.tok.Span
	r := &RangeExpr{}
	if p.tok.Is("from") {
		p.advance()
		r.From = p.sum()
	}
	if p.tok.Is("to") || p.tok.Is("before") {
		r.Before = p.tok.Text == "before"
		p.advance()
		r.End = p.sum()
	}
	if p.tok.Is("by") {
		p.advance()
		r.By = p.sum()
	}
	r.Span = start.To(p.prev.Span)
	return r
}
