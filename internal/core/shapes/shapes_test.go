package shapes_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// pool is what random programs work on: every kind, several numbers of axes, lengths
// that meet and lengths that do not, labels and none.
func pool() map[string]*array.Array {
	reals := func(labels []string, shape ...int) *array.Array {
		n, _ := array.Size(shape)
		data := make([]float64, n)
		for i := range data {
			data[i] = float64((i*7)%11)/4 - 0.5
		}
		return array.FromReals(data, shape...).WithLabels(labels)
	}
	ints := func(shape ...int) *array.Array {
		n, _ := array.Size(shape)
		data := make([]int64, n)
		for i := range data {
			data[i] = int64(i % 3)
		}
		return array.FromInts(data, shape...)
	}
	return map[string]*array.Array{
		"g": reals([]string{"week", "rope", "depth"}, 4, 3, 2),
		"m": reals([]string{"rope", "depth"}, 3, 2),
		"s": reals(nil, 3, 3),
		"v": reals([]string{"rope"}, 3),
		"u": reals(nil, 2),
		"r": reals(nil),
		"i": ints(3), "j": ints(2, 2), "k": array.Scalar(int64(2)), "n": array.Scalar(int64(1)),
		"b": array.FromBools([]bool{true, false, true}, 3), "t": array.FromBools([]bool{true, false, false, true, true,
			true}, 3, 2),
		"z": array.FromComplexes([]complex128{1, 2i, 3 + 1i}, 3), "o": array.FromReals(nil, 0), "q": ints(0),
	}
}

// writer makes random programs.
type writer struct {
	*rand.Rand
	names []string
}

func (w *writer) pick(words ...string) string { return words[w.IntN(len(words))] }

func (w *writer) expr(depth int) string {
	if depth <= 0 {
		return w.atom()
	}
	switch w.IntN(9) {
	case 0, 1:
		return w.atom()
	case 2:
		return "(" + w.expr(depth-1) + " " + w.pick("+", "-", "*", "/", "^", "div", "mod", "dot", "==", "<", ">=", "and",
			"or", "xor") + " " + w.expr(depth-1) + ")"
	case 3:
		return w.pick("-", "not ", "+") + w.atom()
	case 4:
		return "[" + w.expr(depth-1) + ", " + w.expr(depth-1) + "]"
	case 5:
		return w.atom() + w.selection(depth)
	case 6:
		return "(" + w.atom() + w.pick(" to ", " before ") + w.atom() + ")"
	}
	return w.call(depth)
}

func (w *writer) atom() string {
	if w.IntN(3) == 0 {
		return w.pick("0", "1", "2", "3", "2.5", "true", "1i", "[1, 2, 3]", "[]", "[0, 2]", "pi")
	}
	return w.names[w.IntN(len(w.names))]
}

func (w *writer) axis() string {
	return w.pick("week", "rope", "depth", "0", "1", "last", "(k)", "first")
}

func (w *writer) call(depth int) string {
	all := functions.Names()
	f := functions.Lookup(all[w.IntN(len(all))])
	most := f.Max
	if most < 0 {
		most = f.Min + 2
	}
	var parts []string
	for range f.Min + w.IntN(most-f.Min+1) {
		parts = append(parts, w.expr(depth-1))
	}
	text := strings.Join(parts, ", ")
	if w.IntN(2) == 0 && len(parts) > 0 {
		switch f.Clause {
		case functions.Over:
			text += w.pick(" over "+w.axis(), " over ["+w.axis()+", "+w.axis()+"]")
		case functions.Along:
			text += " along " + w.axis()
		}
	}
	for _, o := range f.Options {
		if w.IntN(3) > 0 {
			continue
		}
		value := w.pick("true", "false", w.expr(0), "1")
		switch o.Kind {
		case functions.OptionWord:
			value = o.Words[w.IntN(len(o.Words))]
		case functions.OptionAxes:
			value = w.pick("[rope, depth]", "[depth, rope]", "[1, 0]", "[week, _]", "[depth, week, rope]", "[_]")
		}
		text += ", " + o.Name + ": " + value
	}
	return f.Name + "(" + strings.TrimPrefix(text, ", ") + ")"
}

func (w *writer) selection(depth int) string {
	one := func() string {
		return w.pick("all", "0", "1", "last", "reversed", "from 1", "0 to 1", "1 before 3", "by 2", "[0, 1]", "except 0",
			"except 0 to 1", "new", "rest", "b", "k", "to last by -1", "i", w.expr(depth-2), "from 1 to last - 1",
			"last to 0 by -1")
	}
	switch w.IntN(6) {
	case 0:
		return "[" + w.pick("week", "rope", "depth") + ": " + w.pick("0", "from 1", "all", "last", "b") + "]"
	case 1:
		return "[paired " + w.pick("[0, 1], [1, 0]", "0, [1, 1]", "i, 0", "[0], all", "0, 1, rest") + "]"
	case 2:
		return "[" + w.expr(depth-1) + "]"
	}
	parts := []string{one()}
	for range w.IntN(3) {
		parts = append(parts, one())
	}
	return "[" + strings.Join(parts, ", ") + "]"
}

func (w *writer) program() string {
	var b strings.Builder
	for range 1 + w.IntN(4) {
		name := w.pick("a", "c", "d", "m", "v", "k")
		switch w.IntN(10) {
		case 0:
			fmt.Fprintf(&b, "%s%s %s %s\n", w.names[w.IntN(len(w.names))], w.selection(1), w.pick("=", "+=", "*="), w.expr(1))
		case 1:
			fmt.Fprintf(&b, "each x in %s { %s = %s }\n", w.expr(1), name, strings.ReplaceAll(w.expr(2), "r", "x"))
		case 2:
			fmt.Fprintf(&b, "if %s { %s = %s } else { %s = %s }\n", w.pick("true", "k > 1", "any(b)"), name, w.expr(1), name,
				w.expr(1))
		case 3:
			fmt.Fprintf(&b, "function own_f(p, w) = %s\n%s = own_f(%s, %s)\n",
				strings.ReplaceAll(w.pick("p + w", "sum(p over rope)", "[p, w]", "p dot w", "p[all, w]", "join(p, w)"), "r", "r"),
				name, w.expr(1), w.expr(1))
		case 4:
			fmt.Fprintf(&b, "repeat up to 3 until %s { %s = %s }\n", w.pick("false", "true"), name, w.pick(name, w.expr(1)))
		case 5:
			fmt.Fprintf(&b, "view %s = %s%s\n", name, w.names[w.IntN(len(w.names))], w.selection(0))
		default:
			fmt.Fprintf(&b, "%s = %s\n", name, w.expr(3))
		}
	}
	return b.String()
}

// agree runs a text both ways and says where the shapes contradict the run.
func agree(text string, inputs map[string]*array.Array, counting int) error {
	program, errs := notation.Parse(text)
	if len(errs) > 0 {
		return nil
	}
	known := map[string]shapes.Outline{}
	var names []string
	for name, a := range inputs {
		known[name] = functions.OutlineOf(a)
		names = append(names, name)
	}
	if len(evaluate.Check(program, names)) > 0 {
		return nil
	}
	report := shapes.Of(program, known, counting)
	seen := map[notation.Span]shapes.Outline{}
	for _, s := range report.Statements {
		seen[s.Span] = s.Outline
	}
	var wrong error
	top := map[notation.Span]bool{}
	for _, s := range program.Statements {
		top[s.Pos()] = true
	}
	result := evaluate.Run(context.Background(), program, inputs, evaluate.Options{Counting: counting,
		Limits: evaluate.Limits{Statements: 2000, Cells: 1e6, Bytes: 1 << 24, Depth: 20},
		Trace: func(step evaluate.Step) {
			if o, ok := seen[step.Span]; ok && wrong == nil && !o.Holds(step.Value) {
				wrong = fmt.Errorf("`%s` is said to be %s and was %s", program.Source.Slice(step.Span), words(&o),
					functions.Describe(step.Value))
			}
		}})
	if wrong != nil {
		return wrong
	}
	if result.Error == nil {
		for _, d := range report.Errors {
			for _, s := range program.Statements {
				_, plain := s.(*notation.Assign)
				if at := s.Pos(); plain && at.Start <= d.Span.Start && d.Span.End <= at.End {
					return fmt.Errorf("an error is told that did not come: %w", d)
				}
			}
		}
		lengths := map[functions.Dim]int{}
		for name, o := range report.Names {
			a := result.Value(name)
			if a == nil {
				continue
			}
			if !o.Holds(a) {
				return fmt.Errorf("at the end `%s` is said to be %s and is %s", name, words(&o), functions.Describe(a))
			}
			for i, n := range o.Dims() {
				if n < 0 {
					if before, ok := lengths[n]; ok && before != a.Len(i) {
						return fmt.Errorf("two lengths are said to be equal: %d and %d", before, a.Len(i))
					}
					lengths[n] = a.Len(i)
				}
			}
		}
	}
	return nil
}

func TestNeverContradictsTheEvaluator(t *testing.T) {
	inputs := pool()
	// The order of a map is no order: sorted, so that every run makes the same texts.
	w := &writer{Rand: rand.New(rand.NewPCG(7, 11)), names: slices.Sorted(maps.Keys(inputs))}
	rounds := 20000
	if testing.Short() {
		rounds = 4000
	}
	for range rounds {
		text := w.program()
		require.NoError(t, agree(text, inputs, w.IntN(2)), "%s", text)
	}
}

func TestEveryFunctionHasARule(t *testing.T) {
	for _, name := range functions.Names() {
		f := functions.Lookup(name)
		program, errs := notation.Parse("result = " + f.Example)
		require.Empty(t, errs, name)
		o := shapes.Of(program, nil, 0).Names["result"]
		assert.True(t, o.KnowsKind() || name == "eigenvalues" || name == "eigenvectors", "the kind of `%s`", f.Example)
		assert.True(t, o.KnowsRank() || name == "cross" || name == "kronecker", "the number of axes of `%s`", f.Example)
		require.NoError(t, agree("result = "+f.Example, nil, 0), name)
	}
}

func open(t *testing.T, text string) *shapes.Report {
	t.Helper()
	program, errs := notation.Parse(text)
	require.Empty(t, errs)
	return shapes.Of(program, openInputs(), 0)
}

// openInputs are inputs whose axes are known and whose lengths are not.
func openInputs() map[string]shapes.Outline {
	var symbols functions.Symbols
	return map[string]shapes.Outline{
		"growth": openLengths(&symbols, array.Real, []string{"week", "rope", "depth"}...),
		"prices": openLengths(&symbols, array.Real, []string{"rope"}...),
		"mask":   openLengths(&symbols, array.Bool, []string{"rope"}...),
	}
}

func TestShapesStayOpenUnderTheirLabels(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"x = mean(growth over week)", "a real array [rope, depth]"},
		{"x = mean(growth over [week, depth], keep: true)", "a real array [week=1, rope, depth=1]"},
		{"x = growth[last, all, 0] * prices", "a real array [rope]"},
		{"x = growth[week: from 1, depth: last]", "a real array [week, rope]"},
		{"x = zeros(length(growth along rope), 2)", "a real array [?, 2]"},
		{"x = prices[mask]", "a real array [rope]"},
		{"x = transpose(growth[0, all, all]) dot prices", "a real array [depth]"},
		{"x = windows(growth, 3 along week)", "a real array [week, rope, depth, 3]"},
		{"x = sum(growth)", "a real scalar"},
		{"x = growth > 3", "a bool array [week, rope, depth]"},
		{"x = reshape(growth, [auto, 2])", "a real array [?, 2]"},
		{"x = shape(growth)", "an int array [3]"},
		{"x = stack(prices, prices along last)", "a real array [rope, 2]"},
	} {
		t.Run(c.text, func(t *testing.T) {
			r := open(t, c.text+"\n")
			require.Empty(t, r.Errors, c.text)
			o := r.Names["x"]
			assert.Equal(t, c.want, words(&o), c.text)
		})
	}
	r := open(t, "x = prices[mask] + prices\n")
	o := r.Names["x"]
	assert.Equal(t, "a real array [rope]", words(&o))
}

func TestErrorsBeforeAnyRun(t *testing.T) {
	for _, c := range []struct{ text, code, at string }{
		{"x = growth[0]", "select.count", "[0]"},
		{"x = mean(growth over month)", "axis.unknown", "month"},
		{"x = zeros(2, 3) + zeros(2, 4)", "shape.broadcast", "zeros(2, 3) + zeros(2, 4)"},
		{"x = zeros(2, 3) dot zeros(2, 3)", "shape.inner", "zeros(2, 3) dot zeros(2, 3)"},
		{"x = inverse(zeros(2, 3))", "shape.square", "inverse(zeros(2, 3))"},
		{"x = [[1, 2], [3]]", "shape.ragged", "[3]"},
		{"x = [1, 2, 3][5]", "select.range", "5"},
		{"x = sort(growth)", "axis.missing", "sort(growth)"},
		{"if growth > 3 { x = 1 }", "run.condition", "growth > 3"},
		{"x = zeros(3) and mask", "text.habit", "zeros(3) and mask"},
		{"x = zeros(4)\nx[0 to 1] = [1, 2, 3]", "shape.assign", "[1, 2, 3]"},
		{"x = 0 before 4\nx[0] = 2.5", "run.kind", "2.5"},
		{"x = reshape(zeros(6), [4, 2])", "shape.reshape", "reshape(zeros(6), [4, 2])"},
		{"each a in 4 { x = a }", "axis.unknown", "4"},
		{"function f(a) = a + zeros(2)\nx = f(zeros(3))", "shape.broadcast", "a + zeros(2)"},
		{"each a, b in [1, 2], [1, 2, 3] { x = a }", "shape.join", "each a, b in [1, 2], [1, 2, 3]"},
		{"x = join([1], [[2]])", "shape.join", "join([1], [[2]])"},
		{"x = sum(growth over [rope, rope])", "axis.repeated", "rope"},
		{"x = 2i < 3", "run.kind", "2i < 3"},
		{"x = [1, 2, 3][[true, false]]", "shape.mask", "[true, false]"},
	} {
		t.Run(c.text, func(t *testing.T) {
			r := open(t, c.text+"\n")
			if assert.NotEmpty(t, r.Errors, c.text) {
				d := r.Errors[0]
				assert.Equal(t, codes.Code(c.code), d.Code, c.text)
				assert.Equal(t, c.at, (c.text + "\n")[d.Span.Start:d.Span.End], c.text)
				assert.NotEmpty(t, d.Hint, c.text)
				assert.Equal(t, int(d.Span.Start), strings.LastIndexByte((c.text + "\n")[:d.Span.Start], '\n')+d.Place.Column,
					c.text)
			}
		})
	}
}

func TestLoopsKeepWhatStays(t *testing.T) {
	r := open(t, "total = zeros(3)\nseen = [0]\neach w in growth along week {\n  total = total + 1\n"+
		"  seen = join(seen, [1])\n  part = w[all, 0]\n}\n")
	require.Empty(t, r.Errors)
	for name, want := range map[string]string{"total": "a real array [3]", "seen": "an int array [?]",
		"part": "a real array [rope]", "w": "a real array [rope, depth]"} {
		t.Run(name, func(t *testing.T) {
			o := r.Names[name]
			assert.Equal(t, want, words(&o), name)
		})
	}
}

func TestEveryExpressionIsTold(t *testing.T) {
	text := "x = mean(growth over week) + 1 - 2\n"
	program, errs := notation.Parse(text)
	require.Empty(t, errs)
	told := map[string]string{}
	shapes.Follow(program, openInputs(), 0, func(e notation.Expr, o shapes.Outline) {
		at := e.Pos()
		told[text[at.Start:at.End]] = words(&o)
	})
	assert.Equal(t, map[string]string{
		"growth": "a real array [week, rope, depth]", "mean(growth over week)": "a real array [rope, depth]",
		"1": "an int scalar", "2": "an int scalar",
		"mean(growth over week) + 1":     "a real array [rope, depth]",
		"mean(growth over week) + 1 - 2": "a real array [rope, depth]",
	}, told)
}

func FuzzShapes(f *testing.F) {
	w := &writer{Rand: rand.New(rand.NewPCG(1, 2)), names: []string{"g", "m", "s", "v", "u", "r", "i", "j", "k", "b",
		"t", "z"}}
	for range 200 {
		f.Add(w.program())
	}
	inputs := pool()
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 2000 {
			return
		}
		require.NoError(t, agree(text, inputs, 0))
	})
}

// TestDeepLoopsAreGivenUp follows loops inside loops while that is soon done, and says
// nothing of texts where each one more takes several times as long.
func TestDeepLoopsAreGivenUp(t *testing.T) {
	nested := func(depth int) string {
		var b strings.Builder
		b.WriteString("x = 1\n")
		for i := range depth {
			fmt.Fprintf(&b, "each w%d in growth {\n", i)
		}
		b.WriteString("y = x + 1\n" + strings.Repeat("}\n", depth))
		return b.String() + "z = [1, 2] + [1, 2, 3]\n"
	}
	shallow := open(t, nested(3))
	y := shallow.Names["y"]
	assert.Equal(t, "an int scalar", words(&y))
	require.Len(t, shallow.Errors, 1)
	assert.Equal(t, codes.Code("shape.broadcast"), shallow.Errors[0].Code)
	deep := open(t, nested(40))
	assert.Empty(t, deep.Errors, "of what was not followed nothing is told")
	assert.Empty(t, deep.Names)
}
