package notation_test

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func TestPrintThenParseGivesTheSameText(t *testing.T) {
	for _, text := range []string{
		"total = sum(growth over week)",
		"grid[2, all] = 0",
		"so_far += 1",
		"view top = grid[0 to 1, all]",
		"function standardize(x) = (x - mean(x)) / std(x)",
		"function spread(x) {\n  low = min(x)\n  return max(x) - low\n}",
		"each a, b in left, right along (k) {\n  c = a\n}",
		"repeat up to 50 until near(x, y) {\n  x = 1\n}",
		"if any(m) {\n  x = 1\n} else if b {\n  x = 2\n} else {\n  x = 3\n}",
		"z = 5 < x <= 8 and not y xor w",
		"a = -2 ^ -x[last - 1 to first by -1, except 1 to 3, reversed, from 2 by 2, all(y), rest]",
		"q = transpose(x, to: [depth, (1), last])[paired [1, 2], 3]",
		"g = growth[week: 0 to 2, rope: last]",
		"n = -9223372036854775808",
		"m = sum(x over [week, 1, last, (k)], keep: true, only: x > 0)",
		"r = 0 to 10 by 2",
		"e = [[1, 2.5e-3], [2i, 1_000]]",
		"b = x[by -1]",
		"v = x[(0 to 3)]",
	} {
		t.Run(text, func(t *testing.T) {
			prog, errs := notation.Parse(text + "\n")
			require.Empty(t, errs, text)
			assert.Equal(t, text+"\n", notation.Print(prog))
		})
	}
}

func TestNewlines(t *testing.T) {
	for text, statements := range map[string]int{
		"x = 1\ny = 2":               2,
		"x = 1 +\n  2":               1,
		"x = [1,\n  2,\n]":           1,
		"x = f(1,\n\n# note\n 2)":    1,
		"x =\n 3":                    1,
		"x = 1 # note\n\n\n# y = 2":  1,
		"if a {\n x = 1\n}\nelse {}": 1,
		"\ufeffx = 1\r\ny = 2\r\n":   2,
		"x = not\n true":             1,
		"":                           0,
	} {
		t.Run(text, func(t *testing.T) {
			prog, errs := notation.Parse(text)
			require.Empty(t, errs, text)
			assert.Len(t, prog.Statements, statements, text)
		})
	}
}

// one parses and returns its first diagnostic.
func one(t *testing.T, text string) *notation.Diagnostic {
	t.Helper()
	_, errs := notation.Parse(text)
	require.NotEmpty(t, errs, text)
	return errs[0]
}

func TestHabits(t *testing.T) {
	for text, hint := range map[string]string{
		"x = a ** 2":               "^",
		"x = a && b":               "and",
		"x = a || b":               "or",
		"x = !a":                   "not",
		"x = a[1:3]":               "1 before 3",
		"x = a[:]":                 "all",
		"x = a[:3]":                "before 3",
		"x = a[2:]":                "from 2",
		"x = a[n:]":                "from n",
		"x = a.mean":               "mean(x)",
		"x = a .* b":               "*",
		"x = A'":                   "transpose(A)",
		"x = A %*% B":              "dot",
		"x = A @ B":                "dot",
		"x <- 3":                   "=",
		"x = [1 2; 3 4]":           "[[1, 2], [3, 4]]",
		"x = a[-1]":                "`last`",
		"x = a[-3]":                "last - 2",
		"x = a[[0, -1]]":           "`last`",
		"x = a[0 to -2]":           "last - 1",
		"x = a[3 before -1 by -1]": "to first by -1",
		"x = sum(a, axis=0)":       "over",
		"x = a // b":               "div",
		"x = 1; y = 2":             "line",
	} {
		t.Run(text, func(t *testing.T) {
			d := one(t, text)
			assert.Equal(t, codes.Code("text.habit"), d.Code, text)
			assert.Contains(t, d.Hint, hint, text)
		})
	}
	for text, hint := range map[string]string{"for i in x {\n}": "each", "while true {\n}": "repeat up to",
		"def f(x) {\n}": "function", "let x = 3": "alone"} {
		t.Run(text, func(t *testing.T) {
			d := one(t, text)
			assert.Equal(t, codes.Code("text.habit"), d.Code, text)
			assert.Contains(t, d.Hint, hint, text)
		})
	}
	// These look alike and are right.
	for _, text := range []string{"for = 1\nend = for", "x = a <-3", "x = a[1 to 3]", "x = a[week: 1]",
		"x = f(a, keep: true)", "x = a != b", "x = a--b"} {
		t.Run(text, func(t *testing.T) {
			_, errs := notation.Parse(text)
			assert.Empty(t, errs, text)
		})
	}
}

func TestSyntax(t *testing.T) {
	for text, want := range map[string]struct {
		message      string
		line, column int
	}{
		"x = (1 + 2":                     {"never closed", 1, 11},
		"y = 1\nx = [1, 2\nz = 3":        {"never closed", 2, 10},
		"+ 3":                            {"begins with `+`", 1, 1},
		"mean(x)":                        {"stands alone", 1, 1},
		"x = f (1)":                      {"space between", 1, 7},
		"x = a [0]":                      {"space before", 1, 7},
		"x = [a -b]":                     {"two ways", 1, 8},
		"x = 2x":                         {"letter touches", 1, 5},
		"x = 3.":                         {"needs a digit", 1, 5},
		"x = .5":                         {"starts with a digit", 1, 5},
		"x = 9223372036854775808":        {"too large for an int", 1, 5},
		"x = 1e999":                      {"too large for a real", 1, 5},
		"if x = 3 {\n}":                  {"binds a name", 1, 6},
		"x = 1 to 2 to 3":                {"one start and one end", 1, 12},
		"x = last":                       {"outside a selection", 1, 5},
		"return 3":                       {"outside a function", 1, 1},
		"function f(x) {\n  y = 1\n}":    {"no `return`", 1, 1},
		"x[0][1] = 2":                    {"at most one selection", 1, 5},
		"x = sum(y over [])":             {"names no axis", 1, 16},
		"x = y[a: 1, 2]":                 {"labelled and plain", 1, 13},
		"x = y[rest, 1, rest]":           {"occurs twice", 1, 16},
		"each = 3":                       {"reserved", 1, 1},
		"x = \"a\"":                      {"no text values", 1, 5},
		"}":                              {"never opened", 1, 1},
		"if a {\n  function f(x) = x\n}": {"inside a block", 2, 3},
	} {
		t.Run(text, func(t *testing.T) {
			d := one(t, text)
			assert.Contains(t, d.Message, want.message, text)
			assert.Equal(t, [2]int{want.line, want.column}, [2]int{d.Place.Line, d.Place.Column}, text)
			assert.NotEmpty(t, d.Hint, text)
		})
	}
}

func TestViewTakesNoLists(t *testing.T) {
	for _, selection := range []string{"[[0, 1]]", "[except 1]", "[paired [0], [1]]"} {
		t.Run(selection, func(t *testing.T) {
			assert.Equal(t, codes.Code("select.kind"), one(t, "view v = x"+selection).Code)
		})
	}
}

func TestAllStatementsWithErrorsAreTold(t *testing.T) {
	_, errs := notation.Parse("a = 1 **\nb = (2\nif c = 1 {\n  d = 2\n}\ne = 3\nf = x.y\ng = 4 &&\nh = [1 2]\ni = $\n")
	require.Len(t, errs, 5)
	var lines []int
	for _, d := range errs {
		lines = append(lines, d.Place.Line)
	}
	assert.Equal(t, []int{1, 2, 3, 7, 8}, lines)
}

func TestColumnsCountCharacters(t *testing.T) {
	d := one(t, "größe = 1\nø = größe ** 2")
	assert.Equal(t, notation.Place{Line: 2, Column: 11, EndLine: 2, EndColumn: 13}, d.Place)
}

func TestNestingAndLengthAreBounded(t *testing.T) {
	for _, open := range []string{"(", "[", "-", "not ", "f(", "x["} {
		t.Run(open, func(t *testing.T) {
			d := one(t, "x = "+strings.Repeat(open, 100_000))
			assert.Equal(t, codes.Code("text.syntax"), d.Code, open)
		})
	}
	assert.Contains(t, one(t, strings.Repeat("if a {\n", 5000)).Message, "deeper")
	assert.Contains(t, one(t, "x = "+strings.Repeat("1+", 600_000)+"1").Message, "bytes")
	deep := "x = " + strings.Repeat("(", 90) + "1" + strings.Repeat(")", 90)
	_, errs := notation.Parse(deep)
	assert.Empty(t, errs)
}

func TestDrawMarksThePairThatDoesNotFit(t *testing.T) {
	rows := notation.ShapeRows([]notation.Shape{{Lengths: []int{5, 3, 4}, Labels: []string{"week", "rope", "depth"},
		Mark: 1}, {Lengths: []int{2, 1}, Mark: 0}})
	assert.Equal(t, []string{"│ week 5 │ ›rope 3‹ │ depth 4 │", "         │      ›2‹ │       1 │"}, rows)
	d := one(t, "x = 2 ** 3")
	assert.Equal(t, "text.habit: `**` has no meaning here\n  a.nra, line 1, column 7\n  1 | x = 2 ** 3\n"+
		"    |       ^^\n  try: a power is written `x ^ 2`\n", notation.Draw(d, notation.NewSource("x = 2 ** 3"), "a.nra"))
}

func TestNearest(t *testing.T) {
	assert.Equal(t, []string{"growth"}, notation.Nearest("grwoth", []string{"growth", "depth", "ropes"}))
	assert.Empty(t, notation.Nearest("q", []string{"growth"}))
}

func FuzzParse(f *testing.F) {
	for _, text := range []string{"x = 1 +\n2", "x[1:2] = 3", "function f(x) {\n return x\n}",
		"x = a[paired b, 1] ^ -2 ^ i", "x = [1 2; 3]", "if a { } else if b { }", "each a in b along c {\n}\n}",
		"x = (\ny = 2"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		prog, errs := notation.Parse(text)
		if len(errs) > 0 {
			for _, d := range errs {
				if d.Code == "" || d.Message == "" || d.Hint == "" || d.Place.Line < 1 {
					t.Fatalf("a poor diagnostic: %+v", d)
				}
				_ = notation.Draw(d, prog.Source, "")
			}
			return
		}
		printed := notation.Print(prog)
		again, errs := notation.Parse(printed)
		if len(errs) > 0 {
			t.Fatalf("%q prints as %q, which does not parse: %v", text, printed, errs[0])
		}
		if second := notation.Print(again); second != printed {
			t.Fatalf("%q prints as %q and then as %q", text, printed, second)
		}
		if was, is := unplaced(prog.Statements), unplaced(again.Statements); was != is {
			t.Fatalf("%q prints as %q, which is another tree:\n%s\n%s", text, printed, was, is)
		}
	})
}

// unplaced writes a tree out whole, but for where its parts are in the text.
func unplaced(tree any) string {
	var b strings.Builder
	var write func(v reflect.Value)
	write = func(v reflect.Value) {
		switch v.Kind() {
		case reflect.Interface, reflect.Pointer:
			if v.IsNil() {
				b.WriteString("nil")
				return
			}
			write(v.Elem())
		case reflect.Slice:
			b.WriteByte('[')
			for i := range v.Len() {
				write(v.Index(i))
				b.WriteByte(' ')
			}
			b.WriteByte(']')
		case reflect.Struct:
			b.WriteString(v.Type().Name() + "{")
			for i := range v.NumField() {
				if at := v.Type().Field(i); at.Type != reflect.TypeFor[notation.Span]() &&
					at.Type != reflect.TypeFor[[]notation.Span]() {
					write(v.Field(i))
					b.WriteByte(' ')
				}
			}
			b.WriteByte('}')
		default:
			fmt.Fprint(&b, v)
		}
	}
	write(reflect.ValueOf(tree))
	return b.String()
}

func Example() {
	_, errs := notation.Parse("x = growth[1:3]")
	fmt.Println(errs[0].Code, errs[0].Hint)
	// Output: text.habit write `1 before 3` (end left out) or `1 to 3` (end taken in)
}
