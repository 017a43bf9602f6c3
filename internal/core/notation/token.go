package notation

// TokenKind says what a token is.
type TokenKind uint8

// The kinds of token.
const (
	TokenEnd TokenKind = iota
	TokenNewline
	TokenName
	TokenWord   // a reserved word
	TokenNumber // 42, 3.5
	TokenImaginary
	TokenSign  // an operator, a bracket, a comma, an assignment
	TokenCall  // "(" touching what it follows
	TokenSel   // "[" touching what it follows
	TokenHabit // a spelling from elsewhere, kept so that it can be answered
	TokenBad   // text that is no token; the scanner has written the diagnostic
)

// Token is one piece of text. Text is the text itself.
type Token struct {
	Span  Span
	Kind  TokenKind
	Space bool // white space is before it
	Text  string
}

// Is reports whether the token is this sign or reserved word.
func (t Token) Is(text string) bool {
	return (t.Kind == TokenSign || t.Kind == TokenWord) && t.Text == text
}

// Reserved holds the reserved words, in the order the notation lists them.
var Reserved = []string{"each", "in", "repeat", "until", "if", "else", "function", "return", "view", "to", "before",
	"by",
	"from", "first", "last", "all", "except", "reversed", "paired", "new", "rest", "over", "along", "and", "or", "xor",
	"not", "div", "mod", "dot", "true", "false"}

// Predefined holds the names every program starts with.
var Predefined = []string{"pi", "e", "inf", "nan", "epsilon"}

// IsName reports whether a text can be written as a name.
func IsName(text string) bool {
	for i, c := range text {
		if i == 0 && !isNameStart(c) || !isNamePart(c) {
			return false
		}
	}
	return text != "" && !IsReserved(text)
}

// IsReserved reports whether a word cannot be a name.
func IsReserved(word string) bool {
	switch word {
	case "each", "in", "repeat", "until",
		"if", "else", "function", "return", "view", "to", "before", "by", "from",
		"first", "last", "all", "except", "reversed", "paired", "new", "rest", "over", "along", "and",
		"or", "xor", "not", "div", "mod", "dot", "true", "false":
		return true
	}
	return false
}

// isContinuing reports whether a newline after a sign or word does not end the statement.
func isContinuing(text string) bool {
	switch text {
	case "or", "xor", "and", "not", "to", "before", "by", "div", "mod", "dot",
		"==", "!=", "<", "<=", ">", ">=", "+", "-", "*", "/", "^", ",", "=", "+=", "-=", "*=", "/=":
		return true
	}
	return false
}
