package notation_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Every way a text can be wrong: the code, the part of the text that is marked, what was
// there and what was needed, and what to try.
func TestWhatIsWrongIsSaid(t *testing.T) {
	for _, c := range []struct{ text, code, part, message, hint string }{
		{"x = 1 = 2", "text.syntax", "=", "`=` binds a name and stands once in a statement", "to ask for equality write `==`"},
		{"x = f (2)", "text.syntax", "(", "a space stands between `f` and `(`", "a call is written `f(...)`; in a list or call a comma is missing"},
		{"x = y [2]", "text.syntax", "[", "a space stands before `[`", "a selection touches what it follows, `x[0]`; between two values a comma is missing"},
		{"x = 1 to 2 to 3", "text.syntax", "to", "a range has one start and one end", "put one range in parentheses, or take one end out"},
		{"x = (1 to 2) by 3 by 4", "text.syntax", "by", "`by` follows a range's end", "write `a to b by s`, or `a before b by s`"},
		{"x = 5 by 2", "text.syntax", "by", "`by` follows a range's end", "write `a to b by s`, or `a before b by s`"},
		{"x = 3 if y", "text.syntax", "if", "`if` begins a statement and stands behind a value here", "choose element by element with `pick(mask, a, b)`, or put `if` on a line of its own"},
		{"x = y over week", "text.syntax", "over", "`over` belongs inside a call's parentheses", "write `f(x over axis)`"},
		{"x = y along week", "text.syntax", "along", "`along` belongs inside a call's parentheses", "write `f(x along axis)`"},
		{"x = 3 4", "text.syntax", "4", "`4` stands where the end of the statement was expected", "an operator or a comma is missing before it"},
		{"x = y z", "text.syntax", "z", "`z` stands where the end of the statement was expected", "an operator or a comma is missing before it"},
		{"x = 2 \"a\"", "text.syntax", "\"", "the notation has no text values", "names of axes and options are written bare: `sum(x over week)`"},
		{"x = ,", "text.syntax", ",", "`,` stands where a value was expected", "look for a sign too many or one missing just before"},
		{"x = 1 +", "text.syntax", "", "the end of the line stands where a value was expected", "a statement goes on in the next line only inside brackets, after a comma or after an operator"},
		{"x = )", "text.syntax", ")", "`)` closes a bracket that was never opened", "take it out, or open the bracket before"},
		{"x = (1, 2)", "text.syntax", ",", "parentheses hold one value", "a list of values is written `[a, b]`"},
		{"x = [1, 2", "text.syntax", "", "a `[` is never closed", "put the missing `]` here, or where it belongs before"},
		{"x = [1 2]", "text.syntax", "2", "`2` stands where a comma or `]` was expected", "a comma or an operator is missing before it"},
		{"x = [1; 2]", "text.habit", "[1;", "rows are not parted by `;` here", "a matrix is a list of rows: `[[1, 2], [3, 4]]`"},
		{"x = [[1, 2]; [3, 4]]", "text.habit", "[[1, 2];", "rows are not parted by `;` here", "a matrix is a list of rows: `[[1, 2], [3, 4]]`"},
		{"x = f(1 2)", "text.syntax", "2", "`2` stands where a comma or `)` was expected", "a comma or an operator is missing before it"},
		{"x = f(1,)", "text.syntax", ")", "`)` stands where an argument was expected", "take the comma out"},
		{"x = f(over week)", "text.call", "over", "`over` stands before any argument", "write `f(x over axis)`"},
		{"x = f(a, keep: true, b)", "text.call", "b", "an argument stands behind an option", "arguments come first, then `over` or `along`, then options"},
		{"x = f(a over week, b)", "text.call", "b", "an argument stands behind `over`", "arguments come first: `f(a, b over axis)`; several axes are a list: `over [week, rope]`"},
		{"x = f(a over week along rope)", "text.call", "along", "a call has one clause, `over` or `along`", "take one out; several axes are a list: `over [week, rope]`"},
		{"x = f(a over [])", "text.syntax", "[]", "`over []` names no axis", "to collapse every axis leave the clause out; to collapse none leave the call out"},
		{"x = f(a over -1)", "text.habit", "-", "axes are not counted from the end with `-`", "the last axis is `last`, the one before it `(axis_count(x) - 2)` when counting from 0"},
		{"x = f(a over 1.5)", "text.syntax", "1.5", "1.5 is no axis number", "axis numbers are whole"},
		{"x = f(a over g(2))", "text.syntax", "(", "a bare word is an axis label here", "put an expression for an axis number in parentheses: `over (k)`"},
		{"x = f(a over week[0])", "text.syntax", "[", "a bare word is an axis label here", "put an expression for an axis number in parentheses: `over (k)`"},
		{"x = f(a over +)", "text.syntax", "+", "`+` stands where an axis: a label, a number, `first`, `last` or an expression in parentheses was expected", "look for a sign too many or one missing just before"},
		{"x = f(a axis=0)", "text.syntax", "axis", "`axis` stands where a comma or `)` was expected", "a comma or an operator is missing before it"},
		{"x = f(a, axis=0)", "text.habit", "axis=", "`axis=` has no meaning in a call", "axes to collapse are written `f(x over week)` or `over 0`; an axis to work through `along week`"},
		{"x = f(a, n=3)", "text.habit", "n=", "`n=` has no meaning in a call", "an option is written `n: value`"},
		{"x = f(a over [week rope])", "text.syntax", "rope", "`rope` stands where a comma or `]` was expected", "a comma or an operator is missing before it"},
		{"x = a[]", "text.syntax", "[]", "a selection names at least one selector", "the whole of `x` is `x` itself, or `x[rest]`"},
		{"x = a[1,]", "text.syntax", "]", "`]` stands where a selector was expected", "take the comma out, or write `all` for the whole axis"},
		{"x = a[1 2]", "text.syntax", "2", "`2` stands where a comma or `]` was expected", "a comma or an operator is missing before it"},
		{"x = a[1:2]", "text.habit", ":", "`:` makes no range here", "write `1 before 2` (end left out) or `1 to 2` (end taken in)"},
		{"x = a[:]", "text.habit", ":", "`:` makes no range here", "the whole axis is `all`"},
		{"x = a[:2]", "text.habit", ":", "`:` makes no range here", "write `before 2` (end left out) or `to 2` (end taken in)"},
		{"x = a[1:]", "text.habit", ":", "`:` makes no range here", "write `from 1`"},
		{"x = a[week:]", "text.habit", ":", "`:` makes no range here", "write `from week` for a range, or a selector behind the label: `week: all`"},
		{"x = a[week: new]", "text.syntax", "week: new", "`new` belongs to no axis, so it has no label", "axes not named are whole; insert an axis in a selection of its own"},
		{"x = a[week: rest]", "text.syntax", "week: rest", "`rest` belongs to no axis, so it has no label", "axes not named are whole; insert an axis in a selection of its own"},
		{"x = a[except all]", "text.syntax", "all", "`except all` names no positions", "`except` takes a position, a range, a list of positions or a mask"},
		{"x = a[except new]", "text.syntax", "new", "`except new` names no positions", "`except` takes a position, a range, a list of positions or a mask"},
		{"x = a[rest, rest]", "text.syntax", "rest", "`rest` stands twice in one selection", "write `all` for each axis but those one `rest` stands for"},
		{"x = a[week: 1, 2]", "text.syntax", "2", "labelled and plain selectors stand in one selection", "label every selector, or none; axes that are not named are whole"},
		{"x = a[week: 1, week: 2]", "axis.repeated", "week", "the axis `week` is selected twice", "select once, then select from the result"},
		{"x = a[paired week: 1]", "text.syntax", "[paired week: 1]", "`paired` takes plain selectors", "give one list of positions for each axis, in the order of the axes"},
		{"x = a[-2]", "text.habit", "-2", "the position `-2` is negative, and positions are not counted from the end", "positions from the end are written `last - 1`"},
		{"x = a[[1, -1]]", "text.habit", "-1", "the position `-1` is negative, and positions are not counted from the end", "the last position is `last`"},
		{"x = a[0 to -3]", "text.habit", "-3", "the position `-3` is negative, and positions are not counted from the end", "positions from the end are written `last - 2`"},
		{"x = a[5 before -1 by -1]", "text.habit", "-1", "the position `-1` is negative, and positions are not counted from the end", "to go down to the first position and take it in write `to first by -1`"},
		{"x = a[-9223372036854775808]", "text.habit", "-9223372036854775808", "the position `-9223372036854775808` is negative, and positions are not counted from the end", "the last position is `last`"},
		{"x = all", "text.syntax", "all", "`all` alone is a selector and stands for a whole axis", "the function is written `all(x)`; the selector stands alone between commas, `x[all, 0]`"},
		{"x = reversed", "text.syntax", "reversed", "`reversed` alone is a selector and stands for a whole axis", "the function is written `reversed(x)`; the selector stands alone between commas, `x[reversed, 0]`"},
		{"x = last", "text.syntax", "last", "`last` stands outside a selection", "it is a position of the axis being selected, as in `x[last]`"},
		{"x = first + 1", "text.syntax", "first", "`first` stands outside a selection", "it is a position of the axis being selected, as in `x[first]`"},
		{"x = -", "text.syntax", "", "the end of the line stands where a value was expected", "a statement goes on in the next line only inside brackets, after a comma or after an operator"},
		{"x = not", "text.syntax", "", "the end of the line stands where a value was expected", "a statement goes on in the next line only inside brackets, after a comma or after an operator"},
		{"x = 9223372036854775808", "text.syntax", "9223372036854775808", "9223372036854775808 is too large for an int, which goes to 9223372036854775807", "write it as a real, with a point: `9223372036854775808.0`"},
		{"x = -9223372036854775809", "text.syntax", "9223372036854775809", "9223372036854775809 is too large for an int, which goes to 9223372036854775807", "write it as a real, with a point: `9223372036854775809.0`"},
		{"x = 1e400", "text.syntax", "1e400", "1e400 is too large for a real, which goes to about 1.8e308", "write `inf` if infinity is meant"},
		{"x = 1__0", "text.syntax", "1__0", "`1__0`: an underscore stands between two digits", "write `1_000`"},
		{"x = 1_", "text.syntax", "1_", "`1_`: an underscore stands between two digits", "write `1_000`"},
		{"x = 3x", "text.syntax", "3x", "a letter touches the number `3`", "a product is written `3 * x`; a name starts with a letter"},
		{"x = 3.", "text.syntax", "3.", "`3.` needs a digit after its point", "write `3.0`"},
		{"x = .5", "text.syntax", ".", "a number starts with a digit, not with a point", "write `0.5`"},
		{"x = a.b", "text.habit", ".b", "`.b` asks a value for a part, which the notation has no sign for", "functions stand before their arguments: `b(x)`"},
		{"x = a.mean(0)", "text.habit", ".mean", "`.mean` asks a value for a part, which the notation has no sign for", "functions stand before their arguments: `mean(x)`"},
		{"x = 5 %in% y", "text.habit", "%in%", "`%in%` is no sign of the notation", "write `mod`, `div`, `outer(a, b)` or `is_in(x, values)`, whichever is meant"},
		{"x = a %*% b", "text.habit", "%*%", "`%*%` is no sign of the notation", "the matrix product is written `A dot B`"},
		{"x = a % b", "text.habit", "%", "`%` has no meaning here", "the remainder is written `a mod b`"},
		{"x = \"text\"", "text.syntax", "\"", "the notation has no text values", "names of axes and options are written bare: `sum(x over week)`"},
		{"x = `text`", "text.syntax", "`", "the notation has no text values", "names of axes and options are written bare: `sum(x over week)`"},
		{"x = a'", "text.habit", "'", "`'` has no meaning here", "write `transpose(a)`; with conjugation `conjugate_transpose(a)`"},
		{"x = f(a)'", "text.habit", "'", "`'` has no meaning here", "write `transpose(f(a))`; with conjugation `conjugate_transpose(f(a))`"},
		{"x = 3(2)", "text.syntax", "(", "`(` stands where the end of the statement was expected", "look for a sign too many or one missing just before"},
		{"x = (a)(2)", "text.syntax", "(", "only a function's name can be called", "an element is selected with `[...]`; a product is written with `*`"},
		{"x = a[0](2)", "text.syntax", "(", "only a function's name can be called", "an element is selected with `[...]`; a product is written with `*`"},
		{"x = f(1)(2)", "text.syntax", "(", "only a function's name can be called", "an element is selected with `[...]`; a product is written with `*`"},
		{"x = a ** b", "text.habit", "**", "`**` has no meaning here", "a power is written `x ^ 2`"},
		{"x = a && b", "text.habit", "&&", "`&&` has no meaning here", "write `and`"},
		{"x = a || b", "text.habit", "||", "`||` has no meaning here", "write `or`"},
		{"x = a & b", "text.habit", "&", "`&` has no meaning here", "write `and`"},
		{"x = a | b", "text.habit", "|", "`|` has no meaning here", "write `or`"},
		{"x = !a", "text.habit", "!", "`!` has no meaning here", "write `not x`"},
		{"x = ~a", "text.habit", "~", "`~` has no meaning here", "write `not x`"},
		{"x = a ~= b", "text.habit", "~=", "`~=` has no meaning here", "not equal is written `!=`"},
		{"x = a <> b", "text.habit", "<>", "`<>` has no meaning here", "not equal is written `!=`"},
		{"x = a => b", "text.habit", "=>", "`=>` has no meaning here", "at least is written `>=`"},
		{"x = a =< b", "text.habit", "=<", "`=<` has no meaning here", "at most is written `<=`"},
		{"x = a // b", "text.habit", "//", "`//` has no meaning here", "floor division is written `a div b`"},
		{"x = a @ b", "text.habit", "@", "`@` has no meaning here", "the matrix product is written `A dot B`"},
		{"x = a -> b", "text.habit", "->", "`->` has no meaning here", "bind with `name = value`"},
		{"x <- 3", "text.habit", "<-", "`<-` has no meaning here", "bind with `=`: `x = ...`"},
		{"x := 3", "text.habit", ":=", "`:=` has no meaning here", "bind with `=`"},
		{"x ^= 3", "text.habit", "^=", "`^=` has no meaning here", "write `x = x ^ y`"},
		{"x %= 3", "text.habit", "%=", "`%=` has no meaning here", "write `x = x mod y`"},
		{"x ++", "text.habit", "++", "`++` has no meaning here", "write `x += 1`"},
		{"x += ", "text.syntax", "", "the end of the line stands where a value was expected", "a statement goes on in the next line only inside brackets, after a comma or after an operator"},
		{"x, y = 1", "text.syntax", ",", "one statement binds one name", "write a statement for each name"},
		{"x == 3", "text.syntax", "==", "`==` asks for equality, and its answer would be lost", "to bind a name write `=`"},
		{"f(x) = 3", "text.syntax", "=", "a call cannot be assigned to", "to define a function write `function f(x) = ...`; to set elements write `f[...] = ...`"},
		{"f(x)", "text.syntax", "f", "an expression stands alone, and its value would be lost", "bind it to a name: `result = f(...)`"},
		{"x", "text.syntax", "x", "an expression stands alone, and its value would be lost", "bind it to a name: `result = x ...`"},
		{"x +", "text.syntax", "x", "an expression stands alone, and its value would be lost", "bind it to a name: `result = x ...`"},
		{"3", "text.syntax", "3", "`3` begins an expression, but a statement was expected", "bind the value to a name: `result = ...`"},
		{"3 = x", "text.syntax", "3", "`3` begins an expression, but a statement was expected", "bind the value to a name: `result = ...`"},
		{"(x) = 3", "text.syntax", "(", "`(` begins an expression, but a statement was expected", "bind the value to a name: `result = ...`"},
		{"[1, 2]", "text.syntax", "[", "`[` begins an expression, but a statement was expected", "bind the value to a name: `result = ...`"},
		{"not x", "text.syntax", "not", "the reserved word `not` begins an expression, but a statement was expected", "bind the value to a name: `result = ...`"},
		{"true", "text.syntax", "true", "the reserved word `true` begins an expression, but a statement was expected", "bind the value to a name: `result = ...`"},
		{"else {\n}", "text.syntax", "else", "`else` has no `if` before it", "`else` follows the `}` of an `if`"},
		{"+ 3", "text.syntax", "+", "a line begins with `+`", "end the line before with the operator, and the statement goes on here"},
		{"and b", "text.syntax", "and", "a line begins with `and`", "end the line before with the operator, and the statement goes on here"},
		{"to = 3", "text.syntax", "to", "`to` is a reserved word and cannot be bound", "take another name, `to_` say"},
		{"over = 3", "text.syntax", "over", "`over` is a reserved word and cannot be bound", "take another name, `over_` say"},
		{"view = x", "text.syntax", "view", "`view` is a reserved word and cannot be bound", "take another name, `view_` say"},
		{"view v = 3", "text.syntax", "3", "`3` stands where the name of an array was expected", "an operator or a comma is missing before it"},
		{"view v = x", "text.syntax", "", "a view needs a selection of a name", "write `view part = x[0 to 1, all]`, or `x[rest]` for all of it"},
		{"view v = x[[0, 1]]", "select.kind", "[0, 1]", "a view takes no lists of positions, masks, `except` or `paired`", "views take single positions, ranges, `all`, `reversed`, `new` and `rest`; bind a copy with `v = x[[0, 1]]`"},
		{"view v = x[except 1]", "select.kind", "except 1", "a view takes no lists of positions, masks, `except` or `paired`", "views take single positions, ranges, `all`, `reversed`, `new` and `rest`; bind a copy with `v = x[except 1]`"},
		{"view v = x[(0 to 1)]", "select.kind", "(0 to 1)", "a view takes no lists of positions, masks, `except` or `paired`", "views take single positions, ranges, `all`, `reversed`, `new` and `rest`; bind a copy with `v = x[(0 to 1)]`"},
		{"view v = x[paired 0, 1]", "select.kind", "0", "a view takes no lists of positions, masks, `except` or `paired`", "views take single positions, ranges, `all`, `reversed`, `new` and `rest`; bind a copy with `v = x[paired 0, 1]`"},
		{"function f x = 3", "text.syntax", "x", "`x` stands where `(` touching the function's name was expected", "an operator or a comma is missing before it"},
		{"function f(x", "text.syntax", "", "a `(` is never closed", "put the missing `)` here, or where it belongs before"},
		{"function f(x = 2) = x", "text.syntax", "=", "parameters have no defaults", "take it out; every call gives every argument"},
		{"function f(x: 2) = x", "text.syntax", ":", "parameters have no defaults", "take it out; every call gives every argument"},
		{"function f(2) = x", "text.syntax", "2", "`2` stands where a parameter's name was expected", "an operator or a comma is missing before it"},
		{"function f(x) 3", "text.syntax", "3", "`3` stands where `=` or `{` was expected", "a block is written `{` statements `}`"},
		{"function f(x) {\n  y = 1\n}", "text.syntax", "function f(x)", "the function `f` has no `return`", "end its block with `return` and the value it gives"},
		{"function f(x, x) = x", "text.name", "x", "the parameter `x` stands twice", "give one of them another name"},
		{"function f(x) = x\nfunction f(y) = y", "text.name", "f", "the function `f` is defined twice", "give one of them another name"},
		{"if a {\n  function f(x) = x\n}", "text.syntax", "function f(x)", "the function `f` is defined inside a block", "functions stand at top level; move it out"},
		{"each x y {\n}", "text.syntax", "y", "`y` stands where `in` was expected", "an operator or a comma is missing before it"},
		{"each x in {\n}", "text.syntax", "{", "`{` stands where a value was expected", "look for a sign too many or one missing just before"},
		{"each x, y in a {\n}", "text.syntax", "each x, y in a", "`each` has 2 names and 1 value", "give one value for each name: `each a, b in left, right`"},
		{"each x in a, b {\n}", "text.syntax", "each x in a, b", "`each` has 1 name and 2 values", "give one value for each name: `each a, b in left, right`"},
		{"each x in a along {\n}", "text.syntax", "{", "`{` stands where an axis: a label, a number, `first`, `last` or an expression in parentheses was expected", "look for a sign too many or one missing just before"},
		{"each x in a\n", "text.syntax", "\n", "the line ends where `{` was expected", "the `{` of a block stands on the line of its statement"},
		{"each x in a {\n  y = 1", "text.syntax", "{", "this `{` is never closed", "put the missing `}` where the block ends"},
		{"each x in a y {\n}", "text.syntax", "y", "`y` stands where `{` was expected", "a block is written `{` statements `}`"},
		{"repeat 5 until a {\n}", "text.syntax", "5", "`5` stands where `up to` was expected", "a repetition is bounded: `repeat up to 50 until near(a, b) { ... }`"},
		{"repeat up 5 until a {\n}", "text.syntax", "5", "`5` stands where `to` after `up` was expected", "an operator or a comma is missing before it"},
		{"repeat up to 5 {\n}", "text.syntax", "{", "`{` stands where `until` and a condition was expected", "look for a sign too many or one missing just before"},
		{"repeat up to 5 until a = b {\n}", "text.syntax", "=", "`=` binds a name, and a condition is no place for it", "to ask for equality write `==`"},
		{"if a\n", "text.syntax", "\n", "the line ends where `{` was expected", "the `{` of a block stands on the line of its statement"},
		{"if a = b {\n}", "text.syntax", "=", "`=` binds a name, and a condition is no place for it", "to ask for equality write `==`"},
		{"if a b {\n}", "text.syntax", "b", "`b` stands where `{` was expected", "a block is written `{` statements `}`"},
		{"if a {\n} else b {\n}", "text.syntax", "b", "`b` stands where `{` or `if` was expected", "a block is written `{` statements `}`"},
		{"if a {\n  x = 1", "text.syntax", "{", "this `{` is never closed", "put the missing `}` where the block ends"},
		{"return 3", "text.syntax", "return 3", "`return` stands outside a function", "bind the value to a name: `result = ...`"},
		{"}", "text.syntax", "}", "`}` closes a bracket that was never opened", "take it out, or open the bracket before"},
		{"x = ]", "text.syntax", "]", "`]` closes a bracket that was never opened", "take it out, or open the bracket before"},
		{"x = (1]", "text.syntax", "]", "`]` stands here, but the bracket that is open is `(`", "close the inner bracket first"},
		{"x = [1)", "text.syntax", ")", "`)` stands here, but the bracket that is open is `[`", "close the inner bracket first"},
		{"x = {1}", "text.syntax", "{", "`{` stands where a value was expected", "look for a sign too many or one missing just before"},
		{"x = 3 $ 4", "text.syntax", "$", "`$` (U+0024) is no sign of the notation", "take it out"},
		{"x = 3 ? 4", "text.syntax", "?", "`?` (U+003F) is no sign of the notation", "take it out"},
		{"x = a − b", "text.syntax", "−", "`−` (U+2212) is no sign of the notation", "the minus sign here is `-`"},
		{"x = a × b", "text.syntax", "×", "`×` (U+00D7) is no sign of the notation", "products are written `*` (element by element) or `dot` (matrices)"},
		{"x = a ÷ b", "text.syntax", "÷", "`÷` (U+00F7) is no sign of the notation", "division is written `/`"},
		{"x = a ≤ b", "text.syntax", "≤", "`≤` (U+2264) is no sign of the notation", "at most is written `<=`"},
		{"x = a ≥ b", "text.syntax", "≥", "`≥` (U+2265) is no sign of the notation", "at least is written `>=`"},
		{"x = a ≠ b", "text.syntax", "≠", "`≠` (U+2260) is no sign of the notation", "not equal is written `!=`"},
		{"x = a . b", "text.syntax", ".", "`.` (U+002E) is no sign of the notation", "a point stands only inside a number, with a digit on both sides"},
		{"x = …", "text.syntax", "…", "`…` (U+2026) is no sign of the notation", "take it out, or write it in a comment after `#`"},
		{"while a {\n}", "text.habit", "while", "`while` begins no statement here", "a repetition is bounded: `repeat up to 50 until done { ... }`"},
		{"def f(x) {\n}", "text.habit", "def", "`def` begins no statement here", "a function is written `function f(x) = ...`"},
		{"for i in x {\n}", "text.habit", "for", "`for` begins no statement here", "to take items one at a time write `each x in values { ... }`; work on whole arrays where you can"},
		{"foreach i in x {\n}", "text.habit", "foreach", "`foreach` begins no statement here", "to take items one at a time write `each x in values { ... }`"},
		{"elif a {\n}", "text.habit", "elif", "`elif` begins no statement here", "write `else if`"},
		{"let x = 3", "text.habit", "let", "`let` begins no statement here", "bind with `name = value` alone"},
		{"var x = 3", "text.habit", "var", "`var` begins no statement here", "bind with `name = value` alone"},
		{"import x", "text.habit", "import", "`import` begins no statement here", "every function is there already; `nimbus explain` lists them"},
		{"end", "text.habit", "end", "`end` begins no statement here", "a block ends with `}`"},
		{"x[0][1] = 2", "text.syntax", "[", "a target has at most one selection", "bind the inner part to a name with `view` first: `view part = x[0]`"},
		{"x[0] == 3", "text.syntax", "==", "`==` asks for equality, and its answer would be lost", "to bind a name write `=`"},
		{"x = [a -b]", "text.syntax", "-", "inside brackets ` -b` can be read two ways", "for one value write `a - b`; for two write `a, -b`"},
		{"x = [a +b, c]", "text.syntax", "+", "inside brackets ` +b` can be read two ways", "for one value write `a + b`; for two write `a, +b`"},
		{"x = f(a, [b -c])", "text.syntax", "-", "inside brackets ` -c` can be read two ways", "for one value write `b - c`; for two write `b, -c`"},
		{"x = a[0 -1]", "text.syntax", "-", "inside brackets ` -1` can be read two ways", "for one value write `0 - 1`; for two write `0, -1`"},
		{"x = (a\ny = 2", "text.syntax", "", "a `(` is never closed", "put the missing `)` here, or where it belongs before"},
		{"x = f(a\ny[0] = 2", "text.syntax", "y", "`y` stands where a comma or `)` was expected", "a comma or an operator is missing before it"},
		{"x = [1,\ny += 2", "text.syntax", "", "a `[` is never closed", "put the missing `]` here, or where it belongs before"},
		{"x = (a\nif b {\n}", "text.syntax", "", "a `(` is never closed", "put the missing `)` here, or where it belongs before"},
		{"x = (a\n}", "text.syntax", "", "a `(` is never closed", "put the missing `)` here, or where it belongs before"},
		{"if a {\n  x = (1\n}", "text.syntax", "", "a `(` is never closed", "put the missing `)` here, or where it belongs before"},
		{"x = -a b", "text.syntax", "b", "`b` stands where the end of the statement was expected", "an operator or a comma is missing before it"},
		{"x = a if b else c", "text.syntax", "if", "`if` begins a statement and stands behind a value here", "choose element by element with `pick(mask, a, b)`, or put `if` on a line of its own"},
		{"x = sum(x) over week", "text.syntax", "over", "`over` belongs inside a call's parentheses", "write `f(x over axis)`"},
		{"x = 1i2", "text.syntax", "1i2", "a letter touches the number `1`", "a product is written `1 * i2`; a name starts with a letter"},
		{"x = 0x10", "text.syntax", "0x10", "a letter touches the number `0`", "a product is written `0 * x10`; a name starts with a letter"},
		{"x = a[1 to]", "text.syntax", "]", "`]` stands where a value was expected", "look for a sign too many or one missing just before"},
		{"x = a[from]", "text.syntax", "]", "`]` stands where a value was expected", "look for a sign too many or one missing just before"},
		{"x = a[by]", "text.syntax", "]", "`]` stands where a value was expected", "look for a sign too many or one missing just before"},
		{"x = 5 <", "text.syntax", "", "the end of the line stands where a value was expected", "a statement goes on in the next line only inside brackets, after a comma or after an operator"},
		{"x = <5", "text.syntax", "<", "`<` stands where a value was expected", "look for a sign too many or one missing just before"},
		{"x = a to", "text.syntax", "", "the end of the line stands where a value was expected", "a statement goes on in the next line only inside brackets, after a comma or after an operator"},
		{"x = a before", "text.syntax", "", "the end of the line stands where a value was expected", "a statement goes on in the next line only inside brackets, after a comma or after an operator"},
		{"x++", "text.habit", "++", "`++` has no meaning here", "write `x += 1`"},
		{"x--", "text.habit", "--", "`--` has no meaning here", "write `x -= 1`"},
		{"x[0]++", "text.habit", "++", "`++` has no meaning here", "write `x += 1`"},
		{"for", "text.habit", "for", "`for` begins no statement here", "to take items one at a time write `each x in values { ... }`; work on whole arrays where you can"},
		{"x -- 1", "text.habit", "--", "`--` has no meaning here", "write `x -= 1`"},
		{"x + + 1", "text.syntax", "x", "an expression stands alone, and its value would be lost", "bind it to a name: `result = x ...`"},
	} {
		program, errs := notation.Parse(c.text)
		require.NotEmpty(t, errs, c.text)
		d := errs[0]
		assert.Equal(t, codes.Code(c.code), d.Code, c.text)
		assert.Equal(t, c.part, program.Source.Slice(d.Span), c.text)
		assert.Equal(t, c.message, d.Message, c.text)
		assert.Equal(t, c.hint, d.Hint, c.text)
		assert.Equal(t, program.Source.Place(d.Span), d.Place, c.text)
	}
}

// The same texts between statements that are right: those are read all the same.
func TestStatementsAroundAnErrorAreRead(t *testing.T) {
	for _, text := range []string{"x = 1 = 2", "x = f (2)", "x = a[1:2]", "x = [1 2]", "x = a ** b", "3", "view v = x", "x = a.b", "x = 9223372036854775808"} {
		program, errs := notation.Parse("early = 1\n" + text + "\nlate = 2\n")
		require.Len(t, errs, 1, text)
		assert.Equal(t, 2, errs[0].Place.Line, text)
		var bound []string
		for _, s := range program.Statements {
			bound = append(bound, s.(*notation.Assign).Target.Name)
		}
		assert.Equal(t, []string{"early", "late"}, bound, text)
	}
}

// A text read after another does not remember it: parsers are used again.
func TestTextsDoNotReachEachOther(t *testing.T) {
	for range 50 {
		_, errs := notation.Parse("x = [1, (2\nview v = y[[0]]\nif a {\n")
		require.NotEmpty(t, errs)
		program, errs := notation.Parse("x = a[last, [1, 2]] - f(b over week, keep: true)\n")
		require.Empty(t, errs)
		assert.Equal(t, "x = a[last, [1, 2]] - f(b over week, keep: true)\n", notation.Print(program))
		_, errs = notation.Parse("x = last\n")
		require.Len(t, errs, 1)
		program, errs = notation.ParseExpression("1 + 2")
		require.Empty(t, errs)
		assert.Equal(t, "result = 1 + 2\n", notation.Print(program))
	}
}

func TestExpressionsAreOneAndNoMore(t *testing.T) {
	for text, message := range map[string]string{
		"x = 3":               "`=` binds a name, which an expression does not",
		"x += 3":              "`+=` binds a name, which an expression does not",
		"1\n2":                "`2` stands where one expression, and no more was expected",
		"":                    "the end of the text stands where a value was expected",
		"1 +":                 "the end of the line stands where a value was expected",
		"last":                "`last` stands outside a selection",
		"x[week: 1, week: 2]": "the axis `week` is selected twice",
	} {
		_, errs := notation.ParseExpression(text)
		require.Len(t, errs, 1, text)
		assert.Equal(t, message, errs[0].Message, text)
	}
	for _, text := range []string{"1 + 2", "\n\nx", "sum(x over week) # so much", "[1,\n2]"} {
		program, errs := notation.ParseExpression(text)
		require.Empty(t, errs, text)
		assert.Len(t, program.Statements, 1, text)
	}
}
