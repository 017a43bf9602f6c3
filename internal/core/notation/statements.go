package notation

import (
	"fmt"
	"strings"

	"nimbusreach/internal/core/codes"
)

func (p *parser) oneStatement() Statement {
	p.enter()
	defer p.leave()
	start := *p.tok
	switch {
	case start.Kind == TokenWord && p.peek().Is("="):
		p.fail(codes.TextSyntax, start.Span, fmt.Sprintf("`%s` is a reserved word and cannot be bound", start.Text),
			fmt.Sprintf("take another name, `%s_` say", start.Text))
	case start.Is("view"):
		return p.view()
	case start.Is("function"):
		return p.function()
	case start.Is("each"):
		return p.each()
	case start.Is("repeat"):
		return p.repeat()
	case start.Is("if"):
		return p.ifStatement()
	case start.Is("else"):
		p.fail(codes.TextSyntax, start.Span, "`else` has no `if` before it", "`else` follows the `}` of an `if`")
	case start.Is("return"):
		p.suspect = true
		p.advance()
		value := p.expr()
		return &Return{Span: start.Span.To(value.Pos()), Value: value}
	case start.Kind == TokenName:
		return p.assignment()
	case start.Kind == TokenSign && isContinuing(start.Text) || start.Is("and") || start.Is("or") || start.Is("div") ||
		start.Is("mod") || start.Is("dot") || start.Is("xor"):
		p.fail(codes.TextSyntax, start.Span, fmt.Sprintf("a line begins with `%s`", start.Text),
			"end the line before with the operator, and the statement goes on here")
	}
	if start.Kind == TokenNumber || start.Kind == TokenImaginary || start.Is("(") || start.Is("[") || start.Is("not") ||
		start.Is("all") || start.Is("true") || start.Is("false") {
		p.fail(codes.TextSyntax, start.Span, fmt.Sprintf("%s begins an expression, but a statement was expected",
			p.found()), "bind the value to a name: `result = ...`")
	}
	p.unexpected("a statement")
	return nil
}

func (p *parser) assignment() Statement {
	target := p.name("a name")
	if p.tok.Is("<") && p.peek().Is("-") && p.peek().Span.Start == p.tok.Span.End {
		p.fail(codes.TextHabit, p.tok.Span.To(p.peek().Span), "`<-` has no meaning here",
			"bind with `=`: `"+target.Name+" = ...`")
	}
	a := p.made.assigns.one(Assign{Target: target})
	if p.tok.Kind == TokenSel {
		a.Selection = p.selection()
		if p.tok.Kind == TokenSel {
			p.fail(codes.TextSyntax, p.tok.Span, "a target has at most one selection",
				"bind the inner part to a name with `view` first: `view part = "+p.src.Slice(target.Span.To(a.Selection.Span))+"`")
		}
	}
	switch {
	case p.tok.Kind == TokenSign && (p.tok.Text == "=" || len(p.tok.Text) == 2 && p.tok.Text[1] == '=' &&
		strings.IndexByte("+-*/", p.tok.Text[0]) >= 0):
		a.Op = p.tok.Text
		p.advance()
	case p.tok.Kind == TokenCall:
		call := target.Name
		p.skipBrackets()
		if p.tok.Is("=") {
			p.fail(codes.TextSyntax, p.tok.Span, "a call cannot be assigned to",
				fmt.Sprintf("to define a function write `function %s(x) = ...`; to set elements write `%s[...] = ...`", call, call))
		}
		p.fail(codes.TextSyntax, target.Span, "an expression stands alone, and its value would be lost",
			fmt.Sprintf("bind it to a name: `result = %s(...)`", call))
	case p.tok.Is(","):
		p.fail(codes.TextSyntax, p.tok.Span, "one statement binds one name", "write a statement for each name")
	case p.tok.Is("=="):
		p.fail(codes.TextSyntax, p.tok.Span, "`==` asks for equality, and its answer would be lost",
			"to bind a name write `=`")
	case (p.tok.Is("+") || p.tok.Is("-")) && p.peek().Is(p.tok.Text) && p.peek().Span.Start == p.tok.Span.End:
		twice := p.tok.Text + p.tok.Text
		p.fail(codes.TextHabit, p.tok.Span.To(p.peek().Span), "`"+twice+"` has no meaning here", habits[twice])
	case p.tok.Kind == TokenNewline || p.tok.Kind == TokenEnd || (p.tok.Kind == TokenSign || p.tok.Kind == TokenWord) &&
		isContinuing(p.tok.Text):
		p.foreignWord(target)
		p.fail(codes.TextSyntax, target.Span, "an expression stands alone, and its value would be lost",
			"bind it to a name: `result = "+target.Name+" ...`")
	default:
		p.foreignWord(target)
		p.unexpected("`=`")
	}
	a.Value = p.expr()
	a.Span = target.Span.To(a.Value.Pos())
	return a
}

// foreignWord answers a word that begins a statement elsewhere.
func (p *parser) foreignWord(target *Name) {
	if hint, ok := foreignWords[target.Name]; ok {
		p.fail(codes.TextHabit, target.Span, fmt.Sprintf("`%s` begins no statement here", target.Name), hint)
	}
}

// foreignWords begin statements elsewhere; here they are plain names.
var foreignWords = map[string]string{
	"for":     "to take items one at a time write `each x in values { ... }`; work on whole arrays where you can",
	"foreach": "to take items one at a time write `each x in values { ... }`",
	"while":   "a repetition is bounded: `repeat up to 50 until done { ... }`",
	"elif":    "write `else if`",
	"elseif":  "write `else if`",
	"def":     "a function is written `function f(x) = ...`",
	"let":     "bind with `name = value` alone",
	"var":     "bind with `name = value` alone",
	"const":   "bind with `name = value` alone",
	"import":  "every function is there already; `nimbus explain` lists them",
	"end":     "a block ends with `}`",
}

// skipBrackets passes over a bracketed part, for a better message behind it.
func (p *parser) skipBrackets() {
	for open := 0; p.tok.Kind != TokenEnd && p.tok.Kind != TokenNewline; p.advance() {
		switch {
		case p.tok.Kind == TokenCall || p.tok.Kind == TokenSel || p.tok.Is("(") || p.tok.Is("["):
			open++
		case p.tok.Is(")") || p.tok.Is("]"):
			open--
			if open == 0 {
				p.advance()
				return
			}
		}
	}
}

func (p *parser) view() Statement {
	start := p.tok.Span
	p.advance()
	v := &View{Name: p.name("a name for the view")}
	p.expect("=", "`=`")
	v.Of = p.name("the name of an array")
	if p.tok.Kind != TokenSel {
		p.fail(codes.TextSyntax, p.tok.Span, "a view needs a selection of a name",
			"write `view part = x[0 to 1, all]`, or `x[rest]` for all of it")
	}
	v.Selection = p.selection()
	v.Span = start.To(v.Selection.Span)
	return v
}

func (p *parser) function() Statement {
	p.suspect = true
	start := p.tok.Span
	p.advance()
	f := &Function{Name: p.name("the function's name")}
	if p.tok.Kind != TokenCall {
		p.unexpected("`(` touching the function's name")
	}
	p.advance()
	for !p.tok.Is(")") {
		f.Params = append(f.Params, p.name("a parameter's name"))
		if p.tok.Is("=") || p.tok.Kind == TokenHabit && p.tok.Text == ":" {
			p.fail(codes.TextSyntax, p.tok.Span, "parameters have no defaults", "take it out; every call gives every argument")
		}
		if !p.tok.Is(",") {
			break
		}
		p.advance()
	}
	f.Header = start.To(p.tok.Span)
	p.expect(")", "`)` or a comma")
	if p.tok.Is("=") {
		p.advance()
		f.Value = p.expr()
		f.Span = start.To(f.Value.Pos())
		return f
	}
	var end Span
	f.Body, end = p.block("`=` or `{`")
	f.Span = start.To(end)
	return f
}

func (p *parser) block(wanted string) ([]Statement, Span) {
	p.enter()
	defer p.leave()
	if p.tok.Is("=") {
		p.fail(codes.TextSyntax, p.tok.Span, "`=` binds a name, and a condition is not the place for it",
			"to ask for equality write `==`")
	}
	if !p.tok.Is("{") {
		if p.tok.Kind == TokenNewline {
			p.fail(codes.TextSyntax, p.tok.Span, "the line ends where "+wanted+" was expected",
				"the `{` of a block is on the line of its statement")
		}
		p.afterHeader(wanted)
	}
	open := p.tok.Span
	p.braces++
	p.advance()
	body := p.lines(true)
	if !p.tok.Is("}") {
		if len(p.errs) < maxDiagnostics {
			p.fail(codes.TextSyntax, open, "this `{` is never closed", "put the missing `}` where the block ends")
		}
		panic(bailout{})
	}
	end := p.tok.Span
	p.braces--
	p.advance()
	return body, end
}

func (p *parser) afterHeader(wanted string) {
	p.habit()
	p.fail(codes.TextSyntax, p.tok.Span, p.found()+" found where "+wanted+" was expected",
		"a block is written `{` statements `}`")
}

func (p *parser) each() Statement {
	start := p.tok.Span
	p.advance()
	e := &Each{Names: []*Name{p.name("a name for the item")}}
	for p.tok.Is(",") {
		p.advance()
		e.Names = append(e.Names, p.name("a name for the item"))
	}
	p.expect("in", "`in`")
	e.Values = []Expr{p.expr()}
	for p.tok.Is(",") {
		p.advance()
		e.Values = append(e.Values, p.expr())
	}
	if len(e.Names) != len(e.Values) {
		p.fail(codes.TextSyntax, start.To(p.prev.Span), fmt.Sprintf("`each` has %s and %s", count(len(e.Names), "name"),
			count(len(e.Values), "value")), "give one value for each name: `each a, b in left, right`")
	}
	if p.tok.Is("along") {
		p.advance()
		e.Along = p.axis()
	}
	e.Header = start.To(p.prev.Span)
	var end Span
	e.Body, end = p.block("`{`")
	e.Span = start.To(end)
	return e
}

func count(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, word)
}

func (p *parser) repeat() Statement {
	start := p.tok.Span
	p.advance()
	if p.tok.Kind == TokenName && p.tok.Text == "up" {
		p.advance()
	} else {
		p.fail(codes.TextSyntax, p.tok.Span, p.found()+" found where `up to` was expected",
			"a repetition is bounded: `repeat up to 50 until near(a, b) { ... }`")
	}
	p.expect("to", "`to` after `up`")
	r := &Repeat{Count: p.sum()}
	p.expect("until", "`until` and a condition")
	r.Until = p.expr()
	r.Header = start.To(r.Until.Pos())
	var end Span
	r.Body, end = p.block("`{`")
	r.Span = start.To(end)
	return r
}

func (p *parser) ifStatement() Statement {
	p.enter()
	defer p.leave()
	start := p.tok.Span
	p.advance()
	s := &If{Condition: p.expr()}
	s.Header = start.To(s.Condition.Pos())
	var end Span
	s.Then, end = p.block("`{`")
	if p.tok.Is("else") {
		p.advance()
		if p.tok.Is("if") {
			inner := p.ifStatement()
			s.Else, end = []Statement{inner}, inner.Pos()
		} else {
			s.Else, end = p.block("`{` or `if`")
			if s.Else == nil {
				s.Else = []Statement{}
			}
		}
	}
	s.Span = start.To(end)
	return s
}
