package evaluate_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// What can be seen before a run: names, calls, clauses and options. growth and n are
// given.
func TestWhatIsWrongBeforeARunIsSaid(t *testing.T) {
	for _, c := range []struct{ text, code, part, message, hint string }{
		{"x = grwth + 1", "text.name", "grwth", "`grwth` is not bound", "did you mean `growth`?"},
		{"x += 1", "text.name", "x", "`x` is not bound", "the inputs are `growth` and `n`; or bind it first: `x = ...`"},
		{"x[0] = 1", "text.name", "x", "`x` is not bound", "the inputs are `growth` and `n`; or bind it first: `x = " +
			"...`"},
		{"view v = y[0]", "text.name", "y", "`y` is not bound",
			"the inputs are `growth` and `n`; or bind it first: `y = ...`"},
		{"x = summ(growth)", "text.call", "summ", "there is no function `summ`", "did you mean `sum`?"},
		{"x = Mean(growth)", "text.call", "Mean", "there is no function `Mean`", "did you mean `mean`, `atan` or `max`?"},
		{"x = average(growth)", "text.call", "average", "there is no function `average`",
			"`nimbus explain` lists the functions there are"},
		{"x = flatten(growth)", "text.call", "flatten", "there is no function `flatten`", "did you mean `flattened`?"},
		{"x = sum()", "text.call", "sum()", "`sum` takes 1 argument and got 0",
			"write it as `sum(x over AXES, keep: false, only: mask)`"},
		{"x = sum(growth, n)", "text.call", "sum(growth, n)", "`sum` takes 1 argument and got 2",
			"write it as `sum(x over AXES, keep: false, only: mask)`"},
		{"x = percentile(growth)", "text.call", "percentile(growth)", "`percentile` takes 2 arguments and got 1",
			"write it as `percentile(x, 25 over AXES)`"},
		{"x = pick(growth, 1)", "text.call", "pick(growth, 1)", "`pick` takes 3 arguments and got 2",
			"write it as `pick(mask, a, b)`"},
		{"x = sum(growth along 0)", "text.call", "along 0", "`sum` takes `over`, not `along`",
			"write `sum(x over AXES, keep: false, only: mask)`"},
		{"x = sort(growth over 0)", "text.call", "over 0", "`sort` takes `along`, not `over`",
			"write `sort(x along rope, descending: true)`"},
		{"x = sqrt(growth over 0)", "text.call", "over 0", "`sqrt` takes no `over`", "write `sqrt(x)`"},
		{"x = sort(growth along [0])", "text.call", "along [0]", "`sort` works along one axis",
			"name one axis, without brackets"},
		{"x = sum(growth, keeps: true)", "text.call", "keeps", "`sum` has no option `keeps`", "did you mean `keep`?"},
		{"x = sum(growth, axis: 0)", "text.call", "axis", "`sum` has no option `axis`", "it takes `keep` and `only`"},
		{"x = sum(growth, keep: true, keep: false)", "text.call", "keep", "the option `keep` occurs twice", "take one out"},
		{"x = sort(growth, decending: true)", "text.call", "decending", "`sort` has no option `decending`",
			"did you mean `descending`?"},
		{"x = norm(growth, kind: two)", "text.call", "two", "the option `kind` of `norm` takes a word, one of `one`, " +
			"`infinity`, `spectral`", "write `one`, `infinity` or `spectral`"},
		{"x = zeros(auto)", "text.name", "auto", "`auto` is not bound",
			"the inputs are `growth` and `n`; or bind it first: `auto = ...`"},
		{"x = auto + 1", "text.name", "auto", "`auto` is not bound",
			"the inputs are `growth` and `n`; or bind it first: `auto = ...`"},
		{"x = length(growth, n)", "text.call", "length(growth, n)", "`length` takes 1 argument and got 2",
			"write it as `length(x along AXIS)`"},
		{"x = transpose(growth, week)", "text.call", "transpose(growth, week)", "`transpose` takes 1 argument and got 2",
			"write it as `transpose(x, to: [depth, week, rope])`"},
		{"function f(x) = x + n\ny = f(1)", "text.name", "n", "`n` is not bound", "bind it first: `n = ...`"},
		{"function f(x) = x\ny = f(1, 2)", "text.call", "f(1, 2)", "`f` takes 1 argument and got 2",
			"it is defined as `function f(x)`"},
		{"function f(x) = x\ny = f(1 over 0)", "text.call", "over 0",
			"`f` is a function of this program and takes no clause", "give it what it needs as arguments"},
		{"function f(x) = x\ny = f(1, keep: true)", "text.call", "keep: true",
			"`f` is a function of this program and takes no options", "give it what it needs as arguments"},
		{"function sum(x) = x", "text.name", "sum", "`sum` is a built-in function, whose name cannot be taken",
			"call it otherwise, `own_sum` say"},
		{"function f(x) = x\nx = f", "text.name", "f", "`f` is a function, and is used here without arguments",
			"call it: `f(x)`"},
		{"x = mean", "text.name", "mean", "`mean` is a function, and is used here without arguments", "call it: `mean(x)`"},
		{"each v in growth {\n  v = w\n}", "text.name", "w", "`w` is not bound",
			"the inputs are `growth` and `n`; or bind it first: `w = ...`"},
		{"function f(x) {\n  return y\n}\nz = f(1)", "text.name", "y", "`y` is not bound", "bind it first: `y = ...`"},
		{"function f(x) {\n  y = x\n  return y\n}\nz = f(1) + y", "text.name", "y", "`y` is not bound",
			"the inputs are `growth` and `n`; or bind it first: `y = ...`"},
		{"x = growth(1)", "text.habit", "growth(1)", "`growth` is an array, and only functions are called",
			"select with brackets: `growth[1]`"},
		{"x = n(2)", "text.habit", "n(2)", "`n` is an array, and only functions are called", "select with brackets: `n[2]`"},
		{"x = interpolate(growth)", "text.call", "interpolate", "there is no function `interpolate`",
			"did you mean `interpolated`?"},
		{"x = transpos(growth)", "text.call", "transpos", "there is no function `transpos`", "did you mean `transpose`?"},
		{"x = size(growth, 0)", "text.call", "size(growth, 0)", "`size` takes 1 argument and got 2", "write it as `size(x)`"},
		{"x = identity(2, 3)", "text.call", "identity(2, 3)", "`identity` takes 1 argument and got 2",
			"write it as `identity(3)`"},
	} {
		t.Run(c.text, func(t *testing.T) {
			program, errs := notation.Parse(c.text)
			require.Empty(t, errs, c.text)
			found := evaluate.Check(program, []string{"growth", "n"})
			require.NotEmpty(t, found, c.text)
			d := found[0]
			assert.Equal(t, codes.Code(c.code), d.Code, c.text)
			assert.Equal(t, c.part, program.Source.Slice(d.Span), c.text)
			assert.Equal(t, c.message, d.Message, c.text)
			assert.Equal(t, c.hint, d.Hint, c.text)
		})
	}
}

// What may turn out right is left to the run.
func TestWhatMayBeRightIsNotRefused(t *testing.T) {
	for _, text := range []string{
		"x = y\ny = 1",
		"x = x + 1",
		"x = zeros()",
		"x = reshape(growth, 4, fill: rows)",
		"x = reshape(growth, [auto, 2])",
		"x = transpose(growth, to: 3)",
		"mean = 3\nx = mean(growth)",
		"pi = 3",
		"x = pi",
		"each v in growth {\n  s = v\n}\nx = s",
		"if n > 1 {\n  a = 1\n}\nx = a",
		"if n > 1 {\n  a = 1\n} else {\n  b = 2\n}\nx = a",
		"repeat up to 3 until done {\n  done = true\n}",
		"function f(x) = f(x)\nz = 1",
		"function f(x) = g(x)\nfunction g(x) = x\nz = f(1)",
		"function growth(x) = x",
		"x = sum(growth over week)",
		"x = growth[week: 0]",
		"x = labelled(growth, axes: [week, rope])",
		"x = nan + inf + e + epsilon",
		"n = 3\nx = n",
	} {
		t.Run(text, func(t *testing.T) {
			program, errs := notation.Parse(text)
			require.Empty(t, errs, text)
			assert.Empty(t, evaluate.Check(program, []string{"growth", "n"}), text)
		})
	}
}

// At most five errors are reported, in the order of the text, each once.
func TestErrorsBeforeARunComeInOrder(t *testing.T) {
	program, errs := notation.Parse("a = one\nb = two + two\nc = three(1)\nd = sum(growth along 0)\ne = four\n" +
		"f = five\ng = six\n")
	require.Empty(t, errs)
	var said []string
	for _, d := range evaluate.Check(program, []string{"growth"}) {
		said = append(said, strings.SplitN(d.Message, " ", 2)[0]+" "+program.Source.Slice(d.Span))
	}
	assert.Equal(t, []string{"`one` one", "`two` two", "`two` two", "there three", "`sum` along 0"}, said)
}
