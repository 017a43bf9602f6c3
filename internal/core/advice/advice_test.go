package advice_test

import (
	"context"
	"slices"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
)

// codes inspects an exercise made of three texts.
func given(t *testing.T, yaml, reference, prompt string) []codes.Code {
	t.Helper()
	e, problems := exercise.LoadExercise(fstest.MapFS{
		"exercise.yaml": {Data: []byte("title: Kelp\n" + yaml)}, "reference.nra": {Data: []byte(reference)},
		"prompt.md": {Data: []byte(prompt)},
	}, "kelp")
	require.Empty(t, problems, yaml)
	p, problems := check.Prepare(context.Background(), e)
	require.Empty(t, problems, yaml)
	list, _ := advice.Inspect(context.Background(), p, probe.Options{})
	out := []codes.Code{}
	for _, a := range list {
		assert.NotEmpty(t, a.Message)
		assert.NotEmpty(t, a.Try)
		assert.NotEmpty(t, a.Place)
		if !slices.Contains(out, a.Code) {
			out = append(out, a.Code)
		}
	}
	slices.Sort(out)
	return out
}

const grow = "inputs: {growth: {axes: [week, rope]}}\noutputs: {out: {axes: [rope]}}\n"

// advised are exercises with the advice that each is given.
var advised = []struct {
	name, yaml, reference, prompt string
	want                          []codes.Code
}{
	{"good", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n" +
		"  - {name: b, inputs: {growth: [[1, 2], [3, 5], [9, 1.5]]}}\n",
		"out = mean(growth over week)", "Bind out, one for each rope.", nil},
	{"square data", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2], [4, 6.5]]}}\n" +
		"  - {name: b, inputs: {growth: [[1, 2, 1], [3, 5, 7], [9, 1.5, 3]]}}\n",
		"out = mean(growth over week)", "Bind out, one for each rope.", []codes.Code{"equal-lengths"}},
	{"square data, element by element", "inputs: {growth: {axes: [week, rope]}}\noutputs: {out: {axes: [week, rope]}}\n" +
		"cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2], [4, 6.5]]}}\n  - {name: b, inputs: {growth: [[1, 2, " +
		"1], [3, 5, 7], [9, 1.5, 3]]}}\n",
		"out = growth * 2 + 1", "Bind out, for each week and rope.", nil},
	{"a square that must be", "inputs: {a: {axes: [_, _]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, " +
		"inputs: {a: [[2, 1], [0.5, 3]]}}\n  - {name: b, inputs: {a: [[2, 1, 0.5], [1, 4, 2], [0, 0.5, 3]]}}\n",
		"out = inverse(a)", "Bind out.", nil},
	{"all shown", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n" +
		"  - {name: b, shown: true, inputs: {growth: [[1, 2], [3, 5], [9, 1.5]]}}\n",
		"out = mean(growth over week)", "Bind out, one for each rope.", []codes.Code{"one-case"}},
	{"one shape", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n" +
		"  - {name: b, inputs: {growth: [[1, 2, 8], [3, 5, 4]]}}\n",
		"out = mean(growth over week)", "Bind out, one for each rope.", []codes.Code{"one-shape"}},
	{"no boundary", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: " +
		"[1, 5, 2.5]}}\n  - {name: b, inputs: {x: [7, 1, 2, 9.5]}}\n",
		"out = count(x > 3)", "Bind out.", []codes.Code{"no-boundary"}},
	{"boundary met", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: " +
		"[1, 5, 2.5]}}\n  - {name: b, inputs: {x: [7, 1, 3, 9.5]}}\n",
		"out = count(x > 3)", "Bind out.", nil},
	{"boundary that makes no difference", "inputs: {x: {axes: [rope]}}\noutputs: {out: {axes: [rope]}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [7, 1, 2, 9.5]}}\n",
		"out = pick(x > 3, 3.0, x)", "Bind out for each rope.", nil},
	{"trivial mask", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: " +
		"[4, 5, 3.5]}}\n  - {name: b, inputs: {x: [7, 1, 3, 9.5]}}\n",
		"out = sum(x[x > 3])", "Bind out.", []codes.Code{"mask-trivial"}},
	{"in order", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, " +
		"2.5, 5]}}\n  - {name: b, inputs: {x: [0, 1, 3, 9.5]}}\n",
		"out = sort(x)[last]", "Bind out.", []codes.Code{"sorted"}},
	{"never negative", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: " +
		"{x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9.5]}}\n",
		"out = sum(abs(x))", "Bind out.", []codes.Code{"no-negative"}},
	{"never negative, and no matter", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: " +
		"true, inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9.5]}}\n",
		"out = sum(x)", "Bind out.", nil},
	{"no repeats", "inputs: {x: {axes: [rope], kind: int}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, " +
		"inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9]}}\n",
		"out = size(unique(x))", "Bind out.", []codes.Code{"no-repeat"}},
	{"no zero", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, " +
		"-5, 2.5]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
		"out = mean(x, only: x != 0)", "Bind out.", []codes.Code{"mask-trivial", "no-zero"}},
	{"whole numbers", "inputs: {x: {axes: [rope]}}\noutputs: {out: {axes: [rope]}}\ncases:\n  - {name: a, shown: true, " +
		"inputs: {x: [1, -5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
		"out = floor(x)", "Bind out for each rope.", []codes.Code{"integers-only"}},
	{"missing values unheeded", "inputs: {x: {axes: [rope], missing: nan}}\noutputs: {out: {}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [1, nan, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
		"out = mean(x)", "Bind out.", []codes.Code{"missing-values", "non-finite"}},
	{"missing values never there", "inputs: {x: {axes: [rope], missing: nan}}\noutputs: {out: {}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [1, 4, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
		"out = mean(x, only: not is_nan(x))", "Bind out.", []codes.Code{"missing-values"}},
	{"a tie", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, " +
		"5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9]}}\n",
		"out = max_at(x)", "Bind out.", []codes.Code{"tie"}},
	{"loose", "inputs: {x: {axes: [rope]}}\noutputs: {out: {tolerance: {relative: 0.5}}}\ncases:\n  - {name: a, shown: " +
		"true, inputs: {x: [1, 5, 5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9]}}\n",
		"out = std(x)", "Bind out.", []codes.Code{"loose"}},
	{"tight", "inputs: {x: {axes: [rope]}}\noutputs: {out: {axes: [rope], tolerance: {relative: 0}}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [1.1, 5.3, 5.7]}}\n  - {name: b, inputs: {x: [2.3, 1.7, 3.1, 9.2]}}\n",
		"out = x / 3.7 / 1.1", "Bind out for each rope.", []codes.Code{"tight"}},
	{"nearly singular", "inputs: {a: {axes: [_, _]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: " +
		"{a: [[1, 1], [1, 1.00000001]]}}\n  - {name: b, inputs: {a: [[2, 1, 0.5], [1, 4, 2], [0, 0.5, 3]]}}\n",
		"out = inverse(a)", "Bind out.", []codes.Code{"ill-conditioned"}},
	{"an input nobody uses", "inputs: {x: {axes: [rope]}, y: {}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: " +
		"true, inputs: {x: [1, 5, 2], y: 1}}\n  - {name: b, inputs: {x: [2, 1, -3, 9], y: 2}}\n",
		"out = sum(x)", "Bind out.", []codes.Code{"unused-input"}},
	{"always the same", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}, n: {}}\ncases:\n  - {name: a, shown: true, " +
		"inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
		"out = sum(x)\nn = axis_count(x)", "Bind out and n.", []codes.Code{"constant-output"}},
	{"a silent prompt", "inputs: {x: {axes: [rope]}}\noutputs: {out: {unit: cm}}\ncases:\n  - {name: a, shown: true, " +
		"inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
		"out = sum(x)", "Bind out.", []codes.Code{"prompt-silent"}},
	{"a written length", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: " +
		"{x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3]}}\n",
		"out = sum(x) / 3", "Bind out.", []codes.Code{"free-shape", "one-shape"}},
	{"a symmetric matrix", "inputs: {a: {axes: [_, _]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, " +
		"inputs: {a: [[2, 1], [1, 3]]}}\n  - {name: b, inputs: {a: [[2, 1, 0.5], [1, 4, 2], [0.5, 2, 3]]}}\n",
		"out = transpose(a)", "Bind out.", []codes.Code{"equal-lengths", "symmetric"}},
	{"a length bound to a name", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, " +
		"inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3]}}\n",
		"n = 3\nout = sum(x) / n", "Bind out.", []codes.Code{"free-shape", "one-shape"}},
	{"a last position", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: " +
		"{x: [1, 5, 2, 4]}}\n  - {name: b, inputs: {x: [2, 1, -3, 8]}}\n",
		"out = sum(x[1 to 3])", "Bind out.", []codes.Code{"free-shape", "one-shape"}},
	{"a position that is not the last", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: " +
		"true, inputs: {x: [1, 5, 2, 4]}}\n  - {name: b, inputs: {x: [2, 1, -3, 8, 7]}}\n",
		"out = sum(x[1 to 3])", "Bind out.", nil},
	{"nothing shown", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, inputs: {x: [1, 5, 2]}}\n" +
		"  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
		"out = sum(x)", "Bind out.", []codes.Code{"nothing-shown"}},
	{"turns of the plane", "inputs: {a: {axes: [_, _]}, b: {axes: [_, _]}}\noutputs: {out: {axes: [_, _]}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {a: [[0, -1], [1, 0]], b: [[0.6, -0.8], [0.8, 0.6]]}}\n  - {name: b, inputs: " +
		"{a: [[0.8, -0.6], [0.6, 0.8]], b: [[0, 1], [-1, 0]]}}\n",
		"out = a dot b", "Bind out.", []codes.Code{"equal-lengths", "one-shape", "symmetric"}},
	{"matrices that do not commute", "inputs: {a: {axes: [_, _]}, b: {axes: [_, _]}}\noutputs: {out: {axes: [_, _]}}\n" +
		"cases:\n  - {name: a, shown: true, inputs: {a: [[0, -1], [1, 0.5]], b: [[0.6, 2], [0.8, 0.6]]}}\n" +
		"  - {name: b, inputs: {a: [[1, 2, 0], [0, 1, 3]], b: [[1, 2], [0, 3], [5, 1]]}}\n",
		"out = a dot b", "Bind out.", nil},
	{"a sign never asked of 0", "inputs: {x: {axes: [rope]}, y: {axes: [rope]}}\noutputs: {out: {axes: [rope]}}\n" +
		"cases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2], y: [2, 4, 0]}}\n  - {name: b, inputs: {x: [2, 1, -3, " +
		"0], y: [1, 3, 0, 5]}}\n",
		"out = sign(x - y)", "Bind out for each rope.", []codes.Code{"no-zero"}},
	{"a sign asked of 0", "inputs: {x: {axes: [rope]}, y: {axes: [rope]}}\noutputs: {out: {axes: [rope]}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [1, 5, 2], y: [2, 4, 0]}}\n  - {name: b, inputs: {x: [2, 1, -3, 0], y: " +
		"[1, 3, -3, 5]}}\n",
		"out = sign(x - y)", "Bind out for each rope.", nil},
	{"NaN handled in one input and not in another", "inputs: {x: {axes: [rope], missing: nan}, y: {axes: [rope], " +
		"missing: nan}}\noutputs: {a: {}, b: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, nan, 2], y: [4, 1.5, " +
		"3]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9], y: [nan, 2, 8, 1]}}\n",
		"kept = x[not is_nan(x)]\na = mean(kept)\nb = mean(y)", "Bind a and b.", []codes.Code{"missing-values",
			"non-finite"}},
	{"NaN handled in both", "inputs: {x: {axes: [rope], missing: nan}, y: {axes: [rope], missing: nan}}\n" +
		"outputs: {a: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, nan, 2], y: [4, 1.5, 3]}}\n" +
		"  - {name: b, inputs: {x: [2, 1, -3, 9], y: [nan, 2, 8, 1]}}\n",
		"d = x - y\na = mean(d, only: not is_nan(d))", "Bind a.", nil},
	{"an input that reaches no output", "inputs: {x: {axes: [rope]}, y: {}}\noutputs: {out: {}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [1, 5, 2], y: 1}}\n  - {name: b, inputs: {x: [2, 1, -3, 9], y: 2}}\n",
		"scaled = x * y\nout = sum(x)", "Bind out.", []codes.Code{"unused-input"}},
	{"an inner length that never changes", "inputs: {a: {axes: [row, inner]}, b: {axes: [inner, column]}}\n" +
		"outputs: {out: {axes: [row, column]}}\ncases:\n  - {name: a, shown: true, inputs: {a: [[1, 2, 3], [4, 6.5, 9]], " +
		"b: [[1, 2, 4, 5], [0, 3, 1, 7], [2, 2, 5, 0.5]]}}\n  - {name: b, inputs: {a: [[1, 0, 2], [3, 1, 1], [5, 2, 2], " +
		"[8, 1, 3]], b: [[1, 2], [4, 1], [7, 0.5]]}}\n",
		"out = a dot b", "Bind out, for each row and column.", []codes.Code{"one-shape"}},
	{"drawn", "inputs: {growth: {axes: [week, rope]}}\noutputs: {out: {axes: [rope]}}\ncases:\n  - {name: a, shown: " +
		"true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n  - {name: b, draw: {seed: 3, repeat: 3, inputs: {growth: " +
		"{shape: [3..6, 2..5], from: normal, mean: 12, std: 3}}}}\n",
		"out = sample_std(growth over week)", "Bind out, one for each rope.", nil},
}

func TestAdvice(t *testing.T) {
	for _, c := range advised {
		t.Run(c.name, func(t *testing.T) {
			want := c.want
			if want == nil {
				want = []codes.Code{}
			}
			assert.Equal(t, want, given(t, c.yaml, c.reference+"\n", c.prompt))
		})
	}
}

// TestEveryExampleOfAdviceIsGivenIt holds the examples of the table of codes to exercises
// that are given the advice.
func TestEveryExampleOfAdviceIsGivenIt(t *testing.T) {
	ofCourses := []codes.Code{codes.AdviceNotListed, codes.AdviceNotSent}
	for _, e := range codes.Of(codes.Advice) {
		if slices.Contains(ofCourses, e.Code) {
			continue
		}
		t.Run(string(e.Code), func(t *testing.T) {
			found := false
			for _, c := range advised {
				found = found || c.reference == e.Example && slices.Contains(c.want, e.Code)
			}
			assert.True(t, found, "no exercise with the reference %q is given it", e.Example)
		})
	}
}
