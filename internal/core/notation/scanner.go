package notation

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"nimbusreach/internal/core/codes"
)

// scanner turns text into tokens one at a time. Brackets are kept on a stack,
// since inside round and square ones a newline is only space.
type scanner struct {
	src *Source
	at  int
	// ring holds the tokens scanned last, where the parser looks at them: a token allocated
	// each time costs a quarter of `make bench`, parse and shapes.
	ring  [4]Token
	count uint
	last  *Token
	now   *Token
	fault *Diagnostic // what is wrong with the TokenBad scanned last
	stack []byte
	near  [16]byte // the stack of most texts
}

var signs = []string{"==", "!=", "<=", ">=", "+=", "-=", "*=", "/=", "(", ")", "[", "]", "{", "}", ",", "=", "<", ">",
	"+", "-", "*", "/", "^"}

// beginning lists signs by their first byte, in the order they are tried.
func beginning(list []string) (by [128][]string) {
	for _, sign := range list {
		by[sign[0]] = append(by[sign[0]], sign)
	}
	return by
}

var habitsBy, signsBy = beginning(habitSigns), beginning(signs)

// class says what a byte of ASCII may be.
type class uint8

const (
	classSpace  class = 1 << iota // white space, but the newline
	classStart                    // may begin a name
	classPart                     // may go on a name
	classAlone                    // a sign, whatever follows
	classSingle                   // a sign, unless what follows is of classJoined
	classJoined                   // may be part of a longer sign or habit, but its first
)

// classes are those of every byte of ASCII; all others have none.
var classes = func() (of [256]class) {
	for _, c := range " \t\r\v\f" {
		of[c] |= classSpace
	}
	for c := range rune(utf8.RuneSelf) {
		if isNameStart(c) {
			of[c] |= classStart
		}
		if isNamePart(c) {
			of[c] |= classPart
		}
	}
	for _, sign := range signs {
		switch first := sign[0]; {
		case len(sign) > 1:
		case len(habitsBy[first])+len(signsBy[first]) == 1:
			of[first] |= classAlone
		default:
			of[first] |= classSingle
		}
	}
	for _, sign := range slices.Concat(signs, habitSigns) {
		for i := 1; i < len(sign); i++ {
			of[sign[i]] |= classJoined
		}
	}
	return of
}()

// next moves to the next token and returns it, until it is called four times more. A
// newline that does not end a statement is passed over.
func (s *scanner) next() *Token {
	s.count++
	s.last, s.now = s.now, &s.ring[s.count%4]
	// Most tokens are words and single signs, with one space before them or none.
	text, at := s.src.Text, s.at
	if at < len(text) && text[at] == ' ' {
		at++
	}
	if at < len(text) && classes[text[at]]&(classStart|classAlone) != 0 {
		space := at > s.at
		if s.at = at; classes[text[at]]&classStart != 0 {
			s.word(endOfName(text, at+1), space)
		} else {
			s.sign(text[at:at+1], at, space)
		}
		return s.now
	}
	s.scan()
	return s.now
}

func (s *scanner) inBrackets() bool {
	return len(s.stack) > 0 && s.stack[len(s.stack)-1] != '{'
}

func (s *scanner) scan() {
	text := s.src.Text
	space := false
	for s.at < len(text) {
		switch c := text[s.at]; {
		case classes[c]&classSpace != 0:
			space = true
			s.at++
			continue
		case c == 0xc2 && strings.HasPrefix(text[s.at:], "\u00a0"):
			space = true
			s.at += 2
			continue
		case c == '#':
			for s.at < len(text) && text[s.at] != '\n' {
				s.at++
			}
			continue
		case c == '\n':
			start := s.at
			s.at++
			space = true
			if s.inBrackets() {
				if s.opensStatement() {
					s.unclosed(start)
					return
				}
				continue
			}
			if s.last.Kind == TokenNewline || s.last.Kind == TokenEnd || s.continues() || s.elseFollows() {
				continue
			}
			*s.now = Token{Kind: TokenNewline, Text: "\n", Span: Span{int32(start), int32(start + 1)}, Space: true}
			return
		}
		s.token(space)
		return
	}
	end := Span{int32(len(text)), int32(len(text))}
	if s.inBrackets() {
		s.unclosed(len(text))
		return
	}
	if s.last.Kind != TokenNewline && s.last.Kind != TokenEnd {
		*s.now = Token{Kind: TokenNewline, Text: "\n", Span: end, Space: true}
		return
	}
	*s.now = Token{Kind: TokenEnd, Span: end, Space: true}
}

func (s *scanner) continues() bool {
	return (s.last.Kind == TokenSign || s.last.Kind == TokenWord) && isContinuing(s.last.Text)
}

// elseFollows reports whether the last token was "}" and the next is "else".
func (s *scanner) elseFollows() bool {
	if !s.last.Is("}") {
		return false
	}
	rest := s.src.Text[s.at:]
	for {
		rest = strings.TrimLeft(rest, " \t\r\n\v\f\u00a0")
		if !strings.HasPrefix(rest, "#") {
			break
		}
		if i := strings.IndexByte(rest, '\n'); i >= 0 {
			rest = rest[i:]
		} else {
			rest = ""
		}
	}
	if !strings.HasPrefix(rest, "else") {
		return false
	}
	r, _ := utf8.DecodeRuneInString(rest[4:])
	return !isNamePart(r)
}

// opensStatement reports whether the line that starts here binds a name, begins
// with a statement's word or closes a block, which no text inside brackets does: the
// bracket was never closed.
func (s *scanner) opensStatement() bool {
	line := s.src.Text[s.at:]
	if i := strings.IndexByte(line, '\n'); i >= 0 {
		line = line[:i]
	}
	line = strings.TrimLeft(line, " \t")
	n := endOfName(line, 0)
	if strings.HasPrefix(line, "}") {
		return true
	}
	switch line[:n] {
	case "if", "each", "repeat", "function", "return", "view":
		return true
	}
	if n == 0 || IsReserved(line[:n]) {
		return false
	}
	rest := strings.TrimLeft(line[n:], " \t")
	for _, op := range []string{"+=", "-=", "*=", "/="} {
		if strings.HasPrefix(rest, op) {
			return true
		}
	}
	return strings.HasPrefix(rest, "=") && !strings.HasPrefix(rest, "==")
}

// unclosed ends the text at a bracket that was never closed.
func (s *scanner) unclosed(at int) {
	open := s.stack[len(s.stack)-1]
	closer := map[byte]string{'(': ")", '[': "]"}[open]
	span := Span{s.last.Span.End, s.last.Span.End}
	s.at = at
	*s.now = Token{Kind: TokenBad, Span: span}
	s.fault = &Diagnostic{Code: codes.TextSyntax, Span: span,
		Message: fmt.Sprintf("a `%c` is never closed", open),
		Hint:    fmt.Sprintf("put the missing `%s` here, or where it belongs before", closer)}
}

func (s *scanner) token(space bool) {
	text := s.src.Text
	start := s.at
	c := text[start]
	switch {
	case classes[c]&classStart != 0:
		s.word(endOfName(text, start+1), space)
		return
	case classes[c]&classAlone != 0:
		s.sign(text[start:start+1], start, space)
		return
	case classes[c]&classSingle != 0 && start+1 < len(text) && classes[text[start+1]]&classJoined == 0:
		s.made(TokenSign, start+1, space)
		return
	}
	r, w := rune(c), 1
	if r >= utf8.RuneSelf {
		r, w = utf8.DecodeRuneInString(text[start:])
	}
	switch {
	case isNameStart(r):
		s.word(endOfName(text, start+w), space)
		return
	case r >= '0' && r <= '9':
		s.number(space)
		return
	case r == '.' && start+1 < len(text):
		next, _ := utf8.DecodeRuneInString(text[start+1:])
		if next >= '0' && next <= '9' {
			s.bad(start, start+1, "a number starts with a digit, not with a point", "write `0"+text[start:start+2]+"`",
				codes.TextSyntax)
			return
		}
		if isNameStart(next) {
			end := endOfName(text, start+1)
			word := text[start+1 : end]
			s.bad(start, end, fmt.Sprintf("`.%s` asks a value for a part, which the notation has no sign for", word),
				fmt.Sprintf("functions are written before their arguments: `%s(x)`", word), codes.TextHabit)
			return
		}
	case r == '%':
		if i := strings.IndexByte(text[start+1:], '%'); i >= 0 && i <= 8 && !strings.ContainsAny(text[start+1:start+1+i],
			" \n") {
			sign := text[start : start+i+2]
			hint := "the matrix product is written `A dot B`"
			if sign != "%*%" {
				hint = "write `mod`, `div`, `outer(a, b)` or `is_in(x, values)`, whichever is meant"
			}
			s.bad(start, start+i+2, fmt.Sprintf("`%s` is not a sign of the notation", sign), hint, codes.TextHabit)
			return
		}
	case r == '"' || r == '`':
		s.bad(start, start+1, "the notation has no text values", "names of axes and options are written bare: `sum(x over "+
			"week)`", codes.TextSyntax)
		return
	}
	first := text[start] & 127 // a byte past 127 begins no sign, and has no prefix among them
	for _, sign := range habitsBy[first] {
		if strings.HasPrefix(text[start:], sign) && !(sign == "!" && strings.HasPrefix(text[start:], "!=")) {
			s.made(TokenHabit, start+len(sign), space)
			return
		}
	}
	for _, sign := range signsBy[first] {
		if strings.HasPrefix(text[start:], sign) {
			s.sign(sign, start, space)
			return
		}
	}
	if r == utf8.RuneError && w <= 1 {
		s.bad(start, start+max(w, 1), "this is not text in UTF-8", "save the file as UTF-8", codes.TextSyntax)
		return
	}
	s.bad(start, start+w, fmt.Sprintf("`%c` (U+%04X) is not a sign of the notation", r, r), signHint(r), codes.TextSyntax)
}

// word is a name or a reserved word that ends at a place.
func (s *scanner) word(end int, space bool) {
	kind := TokenName
	if IsReserved(s.src.Text[s.at:end]) {
		kind = TokenWord
	}
	s.made(kind, end, space)
}

// made is the token from where the scanner stands to end, and moves there.
func (s *scanner) made(kind TokenKind, end int, space bool) {
	start := s.at
	s.at = end
	*s.now = Token{Kind: kind, Text: s.src.Text[start:end], Span: Span{int32(start), int32(end)}, Space: space}
}

func (s *scanner) sign(sign string, start int, space bool) {
	end := start + len(sign)
	switch sign[0] {
	case '(', '[':
		touches := !space && int(s.last.Span.End) == start && (s.last.Kind == TokenName || s.last.Is("all") ||
			s.last.Is("reversed") || s.last.Is(")") || s.last.Is("]"))
		s.stack = append(s.stack, sign[0])
		switch {
		case touches && sign == "(":
			s.made(TokenCall, end, space)
			return
		case touches:
			s.made(TokenSel, end, space)
			return
		}
	case '{':
		s.stack = append(s.stack, '{')
	case ')', ']', '}':
		open := byte('(')
		switch sign {
		case "]":
			open = '['
		case "}":
			open = '{'
		}
		if n := len(s.stack); n > 0 && s.stack[n-1] == open {
			s.stack = s.stack[:n-1]
		} else if n > 0 {
			s.bad(start, end, fmt.Sprintf("`%s` found here, but the bracket that is open is `%c`", sign, s.stack[n-1]),
				"close the inner bracket first", codes.TextSyntax)
			return
		} else {
			s.bad(start, end, fmt.Sprintf("`%s` closes a bracket that was never opened", sign),
				"take it out, or open the bracket before", codes.TextSyntax)
			return
		}
	}
	s.made(TokenSign, end, space)
}

func (s *scanner) bad(start, end int, message, hint string, code codes.Code) {
	s.at = end
	span := Span{int32(start), int32(end)}
	*s.now = Token{Kind: TokenBad, Text: s.src.Text[start:end], Span: span}
	s.fault = &Diagnostic{Code: code, Message: message, Hint: hint, Span: span}
}

// number scans 42, 1_000, 3.5, 1e-3, 2i.
func (s *scanner) number(space bool) {
	text := s.src.Text
	start := s.at
	end := digits(text, start)
	if end < len(text)-1 && text[end] == '.' && text[end+1] >= '0' && text[end+1] <= '9' {
		end = digits(text, end+1)
	} else if end < len(text) && text[end] == '.' && !s.habitAfterPoint(end) {
		s.bad(start, end+1, fmt.Sprintf("`%s` needs a digit after its point", text[start:end+1]), fmt.Sprintf("write `%s0`",
			text[start:end+1]), codes.TextSyntax)
		return
	}
	if end < len(text) && (text[end] == 'e' || text[end] == 'E') {
		at := end + 1
		if at < len(text) && (text[at] == '+' || text[at] == '-') {
			at++
		}
		if at < len(text) && text[at] >= '0' && text[at] <= '9' {
			end = digits(text, at)
		}
	}
	kind := TokenNumber
	if end < len(text) && text[end] == 'i' {
		if r, _ := utf8.DecodeRuneInString(text[end+1:]); !isNamePart(r) {
			kind, end = TokenImaginary, end+1
		}
	}
	r, _ := utf8.DecodeRuneInString(text[end:])
	switch {
	case text[end-1] == '_' || strings.Contains(text[start:end], "__") || strings.Contains(text[start:end], "_.") ||
		(r == '_' && kind == TokenNumber):
		s.bad(start, end, fmt.Sprintf("`%s`: an underscore belongs between two digits", text[start:end]), "write `1_000`",
			codes.TextSyntax)
		return
	case isNamePart(r):
		stop := endOfName(text, end)
		s.bad(start, stop, fmt.Sprintf("a letter touches the number `%s`", text[start:end]),
			fmt.Sprintf("a product is written `%s * %s`; a name starts with a letter", text[start:end], text[end:stop]),
			codes.TextSyntax)
		return
	}
	s.made(kind, end, space)
}

// habitAfterPoint reports whether the point at at begins a sign such as ".*".
func (s *scanner) habitAfterPoint(at int) bool {
	return at+1 < len(s.src.Text) && strings.IndexByte("*/^+-", s.src.Text[at+1]) >= 0
}

func digits(text string, at int) int {
	for at < len(text) && (text[at] >= '0' && text[at] <= '9' || text[at] == '_') {
		at++
	}
	return at
}

// endOfName is where the letters and digits end that are at a place.
func endOfName(text string, at int) int {
	for {
		for at < len(text) && classes[text[at]]&classPart != 0 {
			at++
		}
		if at >= len(text) || text[at] < utf8.RuneSelf {
			return at
		}
		r, w := utf8.DecodeRuneInString(text[at:])
		if !isNamePart(r) {
			return at
		}
		at += w
	}
}

func isNameStart(r rune) bool {
	if r < utf8.RuneSelf {
		return r == '_' || 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z'
	}
	return r != utf8.RuneError && unicode.IsLetter(r)
}

func isNamePart(r rune) bool {
	if r < utf8.RuneSelf {
		return isNameStart(r) || '0' <= r && r <= '9'
	}
	return isNameStart(r) || unicode.IsDigit(r)
}
