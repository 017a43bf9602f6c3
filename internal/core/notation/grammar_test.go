package notation_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// bracketed writes an expression with every operator's operands in square brackets,
// so that a test sees what binds to what.
func bracketed(e notation.Expr) string {
	switch e := e.(type) {
	case *notation.Paren:
		return bracketed(e.Inner)
	case *notation.Unary:
		return "{" + e.Op + " " + bracketed(e.Operand) + "}"
	case *notation.Binary:
		return "{" + bracketed(e.Left) + " " + e.Op + " " + bracketed(e.Right) + "}"
	case *notation.Compare:
		parts := []string{bracketed(e.Operands[0])}
		for i, op := range e.Ops {
			parts = append(parts, op, bracketed(e.Operands[i+1]))
		}
		return "{" + strings.Join(parts, " ") + "}"
	case *notation.RangeExpr:
		word := map[bool]string{true: "before", false: "to"}[e.Before]
		text := "{" + bracketed(e.From) + " " + word + " " + bracketed(e.End)
		if e.By != nil {
			text += " by " + bracketed(e.By)
		}
		return text + "}"
	}
	return notation.PrintExpr(e)
}

func TestWhatBindsToWhat(t *testing.T) {
	for text, want := range map[string]string{
		"a or b and not c == d":       "{a or {b and {not {c == d}}}}",
		"a or b xor c or d":           "{{{a or b} xor c} or d}",
		"not not a":                   "{not {not a}}",
		"not a == b":                  "{not {a == b}}",
		"a < b <= c != d":             "{a < b <= c != d}",
		"a + 1 to b * 2 by c - 1":     "{{a + 1} to {b * 2} by {c - 1}}",
		"0 before n == m":             "{{0 before n} == m}",
		"a - b - c":                   "{{a - b} - c}",
		"a - (b - c)":                 "{a - {b - c}}",
		"a * b / c div d mod e dot f": "{{{{{a * b} / c} div d} mod e} dot f}",
		"a + b * c ^ d":               "{a + {b * {c ^ d}}}",
		"-a ^ b":                      "{- {a ^ b}}",
		"a ^ -b ^ c":                  "{a ^ {- {b ^ c}}}",
		"a ^ b ^ c":                   "{a ^ {b ^ c}}",
		"-a * b":                      "{{- a} * b}",
		"a * -b":                      "{a * {- b}}",
		"- - a":                       "{- {- a}}",
		"+a - +b":                     "{{+ a} - {+ b}}",
		"a[0] ^ 2":                    "{a[0] ^ 2}",
		"-a[0][1]":                    "{- a[0][1]}",
		"f(a)[0]":                     "f(a)[0]",
		"(a + b)[0]":                  "(a + b)[0]",
		"[a, b][0]":                   "[a, b][0]",
		"a <-3":                       "{a < {- 3}}",
		"a--b":                        "{a - {- b}}",
	} {
		t.Run(text, func(t *testing.T) {
			prog, errs := notation.ParseExpression(text)
			require.Empty(t, errs, text)
			assert.Equal(t, want, bracketed(prog.Statements[0].(*notation.Assign).Value), text)
		})
	}
}

func TestWhatTheGrammarTakes(t *testing.T) {
	for _, text := range []string{
		"x = all(a)", "x = a[all]", "x = a[all(b)]", "x = reversed(a)", "x = a[reversed, reversed(b)]",
		"x = a[week: all, rope: except 1]", "x = a[from n + 1 to last - 1 by 2]", "x = a[paired b, c]", "x = a[(0 to 3)]",
		"x = a[[1, 2], new, rest]",
		"x = f()", "x = f(a over week)", "x = f(a, b along [week])",
		"x = f(a over [0, last, (k + 1)], keep: true, only: a > 1)", "x = f(to: [a, 0, last])", "x = f(by: 2)",
		"x = [\n  1,\n\n  2,\n]", "x = f(\n  a,\n  # why\n  b\n)", "x = (1 +\n  2)", "x = a and\n  b",
		"if a { x = 1 } else { x = 2 }", "if a {\n}\n\n\nelse if b {\n}", "each a in b { }",
		"repeat up to n + 1 until a and b { x = 1 }",
		"function f() = 1", "function f(a, b) {\n  return a\n}", "view v = x[last]", "x[1] -= 2", "größe = 1", "π2 = 3",
		"_ = 1", "up = 1", "mean = mean(mean)",
		"x = 1_000.5e-1_0", "x = 0i", "x = 9223372036854775807", "x = -9223372036854775808", "x = true == false",
		"x = 1 # a comment with ( and [ and {", "# only a comment", "\n\n\n",
	} {
		t.Run(text, func(t *testing.T) {
			_, errs := notation.Parse(text)
			assert.Empty(t, errs, text)
		})
	}
}

func TestWhatTheGrammarRefuses(t *testing.T) {
	for _, text := range []string{
		"x", "x =", "= 1", "x = 1 2", "x = a b", "x = a, b", "x y = 1", "1 = x", "x = )", "x = ]", "x = (", "x = [1",
		"x = {1}", "x = f(a", "x = f(a,)", "x = f(,a)", "x = [,]", "x = ()",
		"x = a[]", "x = a[1,]", "x = a[,1]", "x = a[paired]", "x = a[except]", "x = a[except all]", "x = a[except new]",
		"x = a[week: new]", "x = a[week: rest]", "x = a[week: 1, 2]", "x = a[paired week: 1]",
		"x = f(over week)", "x = f(a over)", "x = f(a over [])", "x = f(a over week, b)", "x = f(keep: true, a)",
		"x = f(a over week along rope)", "x = f(a over -1)", "x = f(a over 1.5)", "x = f(a over week[0])",
		"x = a over week", "x = 1 to", "x = to 3", "x = 1 to 2 to 3", "x = 1 by 2", "x = last", "x = first + 1", "x = all",
		"x = reversed", "x = new",
		"x = 1.", "x = .5", "x = 1__0", "x = 1_", "x = 2x", "x = 1e", "x = 0x10", "x = 1e400", "x = 99999999999999999999",
		"x = -9223372036854775808 ^ 2", "x = \"a\"", "x = 'a'", "x = a ? b", "x = a \\ b", "x = $",
		"if a\n{ }", "if { }", "else { }", "if a { } else", "each in b { }", "each a b { }", "each a, b in c { }",
		"repeat 5 { }", "repeat up 5 until a { }", "repeat up to 5 { }",
		"function f { }", "function f(a { }", "function f(a) { }", "function f(a, a) = a", "function f(1) = 1",
		"function f(a = 1) = a", "function f (a) = a", "function f(a) = 1\nfunction f(b) = 2",
		"view v", "view v = x", "view v = f(x)[0]", "view v = x[0][1]", "view 1 = x[0]", "return 1", "return",
		"x[0][1] = 2", "f(x) = 2", "x[0]", "x += ", "x ++", "x ==  1",
		"if a { function f(x) = x }", "each a in b { return a }",
	} {
		t.Run(text, func(t *testing.T) {
			_, errs := notation.Parse(text)
			if assert.NotEmpty(t, errs, text) {
				assert.NotEmpty(t, errs[0].Hint, text)
				assert.GreaterOrEqual(t, errs[0].Place.Line, 1, text)
				assert.GreaterOrEqual(t, errs[0].Place.Column, 1, text)
				assert.True(t, strings.HasPrefix(string(errs[0].Code), "text.") || errs[0].Code == "select.kind" ||
					errs[0].Code == "axis.repeated", "%s: %s", text, errs[0].Code)
			}
		})
	}
}

// TestAnErrorLeavesTheOthersAlone breaks one statement of a sound program at a time:
// exactly one error is reported, on its line.
func TestAnErrorLeavesTheOthersAlone(t *testing.T) {
	sound := []string{"a = 1", "b = [1, 2]", "if a > 0 {", "  c = a", "}", "each i in b {", "  d = i", "}",
		"function f(x) {", "  return x", "}", "e = f(a)"}
	for _, line := range []int{0, 1, 3, 6, 9, 11} {
		for _, broken := range []string{"q = 1 ** 2", "q = (1", "q = [1, 2", "q = ]", "q", "q = 1 2", "q = $", "q = a[1:2]"} {
			lines := append([]string{}, sound...)
			lines[line] = broken
			if line == 9 {
				lines[line] = broken + "\n  return x"
			}
			_, errs := notation.Parse(strings.Join(lines, "\n") + "\n")
			if assert.Len(t, errs, 1, "%q in line %d: %v", broken, line+1, errs) {
				assert.Equal(t, line+1, errs[0].Place.Line, broken)
			}
		}
	}
}

func TestTreesBuiltByHandPrintWithTheParenthesesTheyNeed(t *testing.T) {
	name := func(s string) *notation.Name { return &notation.Name{Name: s} }
	sum := &notation.Binary{Op: "+", Left: name("a"), Right: name("b")}
	for want, e := range map[string]notation.Expr{
		"(a + b) * c": &notation.Binary{Op: "*", Left: sum, Right: name("c")},
		"c - (a + b)": &notation.Binary{Op: "-", Left: name("c"), Right: sum},
		"a + b - c":   &notation.Binary{Op: "-", Left: sum, Right: name("c")},
		"(a + b) ^ c": &notation.Binary{Op: "^", Left: sum, Right: name("c")},
		"c ^ (a + b)": &notation.Binary{Op: "^", Left: name("c"), Right: sum},
		"-(a + b)":    &notation.Unary{Op: "-", Operand: sum},
		"(-a) ^ b":    &notation.Binary{Op: "^", Left: &notation.Unary{Op: "-", Operand: name("a")}, Right: name("b")},
		"(a + b)[0]": &notation.Select{Of: sum, Selection: &notation.Selection{Selectors: []*notation.Selector{
			{Value: &notation.Number{Text: "0"}}}}},
		"not (a and b)": &notation.Unary{Op: "not", Operand: &notation.Binary{Op: "and", Left: name("a"), Right: name("b")}},
		"(-2) ^ a": &notation.Binary{Op: "^", Left: &notation.Number{Kind: array.Int, Int: -2, Text: "-2"},
			Right: name("a")},
		"(a to b) + c": &notation.Binary{Op: "+", Left: &notation.RangeExpr{From: name("a"), End: name("b")},
			Right: name("c")},
	} {
		t.Run(want, func(t *testing.T) {
			text := notation.PrintExpr(e)
			assert.Equal(t, want, text)
			again, errs := notation.ParseExpression(text)
			require.Empty(t, errs, text)
			assert.Equal(t, text, notation.PrintExpr(again.Statements[0].(*notation.Assign).Value))
		})
	}
}
