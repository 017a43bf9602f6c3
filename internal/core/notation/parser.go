package notation

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"sync"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

// maxDiagnostics is how many errors of one text are reported.
const maxDiagnostics = 5

// parser is a recursive-descent parser over tokens with two of look-ahead. An
// error unwinds to the statement it is in; the next statement is read all the same.
type parser struct {
	scan   scanner
	src    *Source
	ahead  *Token // nil when the token after the current one is not scanned yet
	tok    *Token // current
	prev   *Token
	depth  int
	braces int
	inSel  []bool // innermost bracket is "[": for the a -b rule
	errs   []*Diagnostic

	// suspect is set where a statement has a part that needs a second look, when all of
	// the text is read; suspects are those statements.
	suspect  bool
	suspects []Statement

	made  nodes
	items []Expr      // read of the calls and lists that are open
	picks []*Selector // read of the selections that are open
}

type bailout struct{}

// Parse reads a whole text. The program holds the statements that could be read;
// with errors, at most five, it is not to be run.
func Parse(text string) (*Program, []*Diagnostic) {
	p, fail := newParser(text)
	if fail != nil {
		return &Program{Source: p.src}, []*Diagnostic{fail}
	}
	prog := &Program{Source: p.src, Statements: p.lines(false)}
	if len(p.errs) == 0 {
		p.check()
	}
	return prog, p.done()
}

// ParseExpression reads a text that is one expression, as the program
// "result = text"; spans count from the expression's own start.
func ParseExpression(text string) (*Program, []*Diagnostic) {
	p, fail := newParser(text)
	prog := &Program{Source: p.src}
	if fail != nil {
		return prog, []*Diagnostic{fail}
	}
	p.statement(func() {
		for p.tok.Kind == TokenNewline {
			p.advance()
		}
		value := p.expr()
		if p.tok.Kind == TokenSign && strings.HasSuffix(p.tok.Text, "=") {
			p.fail(codes.TextSyntax, p.tok.Span, "`"+p.tok.Text+"` binds a name, which an expression does not",
				"give the right side alone, or put the statement in a file; equality is `==`")
		}
		p.endStatement()
		if p.tok.Kind != TokenEnd {
			p.unexpected("one expression, and no more")
		}
		span := value.Pos()
		prog.Statements = []Statement{&Assign{Span: span, Target: &Name{Span: span, Name: "result"}, Op: "=", Value: value}}
		p.suspects = append(p.suspects[:0], prog.Statements...)
	})
	if len(p.errs) == 0 {
		p.check()
	}
	errs := p.done()
	return prog, errs[:min(1, len(errs))]
}

func newParser(text string) (*parser, *Diagnostic) {
	if len(text) > MaxBytes {
		src := NewSource("")
		return &parser{src: src}, &Diagnostic{Code: codes.TextSyntax, Place: src.Place(Span{}),
			Message: fmt.Sprintf("the text has %d bytes; a program has at most %d", len(text), MaxBytes),
			Hint:    "data belongs in input files, not in the text"}
	}
	src := NewSource(text)
	p := parsers.Get().(*parser)
	p.src = src
	p.scan.src, p.scan.at, p.scan.stack = src, 0, p.scan.near[:0]
	p.scan.now = &p.scan.ring[0]
	p.tok = p.scan.now
	if len(text) >= longEnough {
		p.made.start()
	}
	p.statement(p.advance)
	return p, nil
}

// parsers are parsers that are done, whose lists are used again: new ones cost up to a tenth
// of `make bench`, parse and shapes.
var parsers = sync.Pool{New: func() any { return &parser{} }}

// done gives up what was found wrong, and lets go of the text and its tree.
func (p *parser) done() []*Diagnostic {
	errs := p.errs
	for _, d := range errs {
		d.Place = p.src.Place(d.Span)
	}
	clear(p.items[:cap(p.items)])
	clear(p.picks[:cap(p.picks)])
	clear(p.suspects[:cap(p.suspects)])
	*p = parser{inSel: p.inSel[:0], items: p.items[:0], picks: p.picks[:0], suspects: p.suspects[:0]}
	if cap(p.inSel)+cap(p.items)+cap(p.picks)+cap(p.suspects) < mostKept {
		parsers.Put(p)
	}
	return errs
}

// mostKept bounds the lists that a parser keeps for the next text.
const mostKept = 1 << 12

func (p *parser) advance() {
	p.prev = p.tok
	if p.ahead != nil {
		p.tok, p.ahead = p.ahead, nil
	} else {
		p.tok = p.scan.next()
	}
	if p.tok.Kind == TokenBad {
		p.failWith(p.scan.fault)
	}
}

// peek returns the token after the current one.
func (p *parser) peek() *Token {
	if p.ahead == nil {
		p.ahead = p.scan.next()
	}
	return p.ahead
}

func (p *parser) fail(code codes.Code, span Span, message, hint string) {
	p.failWith(&Diagnostic{Code: code, Span: span, Message: message, Hint: hint})
}

func (p *parser) failWith(d *Diagnostic) {
	if len(p.errs) < maxDiagnostics {
		p.errs = append(p.errs, d)
	}
	panic(bailout{})
}

// statement runs f and stops an error there.
func (p *parser) statement(f func()) {
	depth, braces, sel, items, picks := p.depth, p.braces, len(p.inSel), len(p.items), len(p.picks)
	defer func() {
		if r := recover(); r != nil {
			if _, mine := r.(bailout); !mine {
				panic(r)
			}
			p.depth, p.inSel, p.items, p.picks = depth, p.inSel[:sel], p.items[:items], p.picks[:picks]
			p.skipStatement(braces)
		}
	}()
	f()
}

// skipStatement moves to the line after the one with the error, past blocks the
// error's statement has opened.
func (p *parser) skipStatement(braces int) {
	text := p.src.Text
	at := int(p.tok.Span.Start)
	if p.tok.Kind == TokenBad {
		at = int(p.tok.Span.End)
	}
	open := p.braces - braces
	at = endOfStatement(text, at, open)
	p.braces = braces
	p.ahead = nil
	p.scan.at = at
	p.scan.stack = p.scan.stack[:0]
	for range braces {
		p.scan.stack = append(p.scan.stack, '{')
	}
	*p.scan.now = Token{Kind: TokenName, Span: Span{-1, -1}}
	for {
		p.tok = p.scan.next()
		if p.tok.Kind != TokenBad {
			return
		}
		if len(p.errs) < maxDiagnostics {
			p.errs = append(p.errs, p.scan.fault)
		}
	}
}

// endOfStatement finds the end of the line that closes every open block, or the
// "}" that closes the block around it.
func endOfStatement(text string, at, open int) int {
	for ; at < len(text); at++ {
		switch text[at] {
		case '#':
			for at+1 < len(text) && text[at+1] != '\n' {
				at++
			}
		case '{':
			open++
		case '}':
			if open == 0 {
				return at
			}
			open--
		case '\n':
			if open <= 0 {
				return at
			}
		}
	}
	return at
}

// enter counts nesting; leave undoes it. After an error the statement does.
func (p *parser) enter() {
	p.depth++
	if p.depth > MaxDepth {
		p.fail(codes.TextSyntax, p.tok.Span, fmt.Sprintf("the text nests deeper than %d", MaxDepth),
			"bind the inner part to a name first")
	}
}

func (p *parser) leave() { p.depth-- }

// lines reads statements up to "}" (inside a block) or the end.
func (p *parser) lines(block bool) []Statement {
	out := make([]Statement, 0, min(len(p.src.lines), 16))
	for {
		for p.tok.Kind == TokenNewline {
			p.statement(p.advance)
		}
		if p.tok.Kind == TokenEnd || (block && p.tok.Is("}")) || len(p.errs) >= maxDiagnostics {
			return out
		}
		at := p.tok.Span.Start
		p.statement(func() {
			if !block {
				p.suspect = false
			}
			s := p.oneStatement()
			p.endStatement()
			out = append(out, s)
			if !block && p.suspect {
				p.suspects = append(p.suspects, s)
			}
		})
		if p.tok.Kind != TokenEnd && p.tok.Span.Start == at && !(block && p.tok.Is("}")) {
			p.statement(p.advance)
		}
	}
}

func (p *parser) endStatement() {
	switch {
	case p.tok.Kind == TokenNewline:
		p.advance()
	case p.tok.Kind == TokenEnd || p.tok.Is("}"):
	default:
		p.afterExpression()
	}
}

// afterExpression says what is wrong with a token that follows a finished
// statement or argument.
func (p *parser) afterExpression() {
	p.habit()
	t := *p.tok
	switch {
	case t.Is("="):
		p.fail(codes.TextSyntax, t.Span, "`=` binds a name and occurs once in a statement", "to ask for equality write `==`")
	case t.Is("(") && p.prev.Kind == TokenName:
		p.fail(codes.TextSyntax, t.Span, fmt.Sprintf("there is a space between `%s` and `(`", p.prev.Text),
			fmt.Sprintf("a call is written `%s(...)`; in a list or call a comma is missing", p.prev.Text))
	case t.Is("[") && t.Space:
		p.fail(codes.TextSyntax, t.Span, "there is a space before `[`",
			"a selection touches what it follows, `x[0]`; between two values a comma is missing")
	case (t.Is("to") || t.Is("before")) && p.tok.Kind == TokenWord:
		p.fail(codes.TextSyntax, t.Span, "a range has one start and one end",
			"put a range of a range in parentheses, or take one end out")
	case t.Is("by"):
		p.fail(codes.TextSyntax, t.Span, "`by` follows a range's end", "write `a to b by s`, or `a before b by s`")
	case t.Is("if"):
		p.fail(codes.TextSyntax, t.Span, "`if` begins a statement and follows a value here",
			"choose element by element with `pick(mask, a, b)`, or put `if` on a line of its own")
	case t.Is("over") || t.Is("along"):
		p.fail(codes.TextSyntax, t.Span, fmt.Sprintf("`%s` belongs inside a call's parentheses", t.Text),
			fmt.Sprintf("write `f(x %s axis)`", t.Text))
	}
	p.unexpected("the end of the statement")
}

// habit answers a spelling from elsewhere.
func (p *parser) habit() {
	if p.tok.Kind == TokenHabit {
		p.fail(codes.TextHabit, p.tok.Span, fmt.Sprintf("`%s` has no meaning here", p.tok.Text), habits[p.tok.Text])
	}
}

func (p *parser) unexpected(wanted string) {
	p.habit()
	p.fail(codes.TextSyntax, p.tok.Span, p.found()+" found where "+wanted+" was expected", p.hintAt())
}

func (p *parser) found() string {
	switch p.tok.Kind {
	case TokenEnd:
		return "the end of the text"
	case TokenNewline:
		return "the end of the line"
	case TokenWord:
		return fmt.Sprintf("the reserved word `%s`", p.tok.Text)
	}
	return fmt.Sprintf("`%s`", p.tok.Text)
}

func (p *parser) hintAt() string {
	switch {
	case p.tok.Kind == TokenName || p.tok.Kind == TokenNumber || p.tok.Kind == TokenImaginary:
		return "an operator or a comma is missing before it"
	case p.tok.Kind == TokenNewline:
		return "a statement goes on in the next line only inside brackets, after a comma or after an operator"
	case p.tok.Kind == TokenWord:
		return "reserved words cannot be names"
	}
	return "look for a sign too many or one missing just before"
}

func (p *parser) expect(sign, wanted string) {
	if !p.tok.Is(sign) {
		p.unexpected(wanted)
	}
	p.advance()
}

func (p *parser) name(wanted string) *Name {
	if p.tok.Kind != TokenName {
		p.unexpected(wanted)
	}
	n := p.named(*p.tok)
	p.advance()
	return n
}

// named is the name that a token spells.
func (p *parser) named(t Token) *Name { return p.made.names.one(Name{Span: t.Span, Name: t.Text}) }

// parseNumber turns a literal's text into a Number; message is not empty when it
// cannot be one.
func (p *parser) parseNumber(t Token, negative bool) (n *Number, message, hint string) {
	text := strings.ReplaceAll(t.Text, "_", "")
	n = p.made.numbers.one(Number{Span: t.Span, Text: t.Text})
	if t.Kind == TokenImaginary {
		n.Kind = array.Complex
		text = text[:len(text)-1]
	} else if !strings.ContainsAny(text, ".eE") {
		n.Kind = array.Int
		u, err := strconv.ParseUint(text, 10, 64)
		switch {
		case err == nil && u <= math.MaxInt64:
			n.Int = int64(u)
		case err == nil && u == 1<<63 && negative:
			n.Int, n.Text = math.MinInt64, "-"+t.Text
		default:
			return n, fmt.Sprintf("%s is too large for an int, whose largest value is 9223372036854775807", t.Text),
				"write it as a real, with a point: `" + t.Text + ".0`"
		}
		return n, "", ""
	} else {
		n.Kind = array.Real
	}
	v, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return n, t.Text + " is too large for a real, whose largest value is about 1.8e308",
			"write `inf` if infinity is meant"
	}
	n.Real = v
	return n, "", ""
}
