package notation

// habits maps spellings from elsewhere to the spelling here.
var habits = map[string]string{
	"**": "a power is written `x ^ 2`",
	"&&": "write `and`",
	"||": "write `or`",
	"&":  "write `and`",
	"|":  "write `or`",
	"!":  "write `not x`",
	"'":  "write `transpose(x)` or `conjugate_transpose(x)`",
	"@":  "the matrix product is written `A dot B`",
	".*": "`*` works element by element already: `a * b`",
	"./": "`/` works element by element already: `a / b`",
	".^": "`^` works element by element already: `a ^ b`",
	".+": "`+` works element by element already: `a + b`",
	".-": "`-` works element by element already: `a - b`",
	"//": "floor division is written `a div b`",
	"%":  "the remainder is written `a mod b`",
	";":  "write one statement a line; rows of a matrix are lists: `[[1, 2], [3, 4]]`",
	":":  "a range is written `a to b` (end in) or `a before b` (end out)",
	"<-": "write `=`",
	"=>": "at least is written `>=`",
	"=<": "at most is written `<=`",
	"<>": "not equal is written `!=`",
	"~":  "write `not x`",
	"~=": "not equal is written `!=`",
	"++": "write `x += 1`",
	"--": "write `x -= 1`",
	"->": "bind with `name = value`",
	"^=": "write `x = x ^ y`",
	"%=": "write `x = x mod y`",
	":=": "bind with `=`",
}

var habitSigns = []string{"**", "&&", "||", ".*", "./", ".^", ".+", ".-", "//", "=>", "=<", "<>", "~=", "->", "^=",
	":=",
	"%=", "&", "|", "!", "'", "@", ";", ":", "~", "%"}

func signHint(r rune) string {
	switch r {
	case '−', '–', '—':
		return "the minus sign here is `-`"
	case '×', '·', '⋅':
		return "products are written `*` (element by element) or `dot` (matrices)"
	case '÷':
		return "division is written `/`"
	case '≤':
		return "at most is written `<=`"
	case '≥':
		return "at least is written `>=`"
	case '≠':
		return "not equal is written `!=`"
	case '.':
		return "a point belongs only inside a number, with a digit on both sides"
	case '$', '?', '\\':
		return "take it out"
	}
	return "take it out, or write it in a comment after `#`"
}
