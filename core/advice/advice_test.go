package advice_test

import (
	"context"
	"slices"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/core/advice"
	"nimbusreach/core/check"
	"nimbusreach/core/exercise"
	"nimbusreach/core/probe"
)

// codes inspects an exercise made of three texts.
func codes(t *testing.T, yaml, reference, prompt string) []string {
	t.Helper()
	e, problems := exercise.LoadExercise(fstest.MapFS{
		"exercise.yaml": {Data: []byte("title: Kelp\n" + yaml)}, "reference.nra": {Data: []byte(reference)}, "prompt.md": {Data: []byte(prompt)},
	}, "kelp")
	require.Empty(t, problems, yaml)
	p, problems := check.Prepare(context.Background(), e)
	require.Empty(t, problems, yaml)
	list, _ := advice.Inspect(context.Background(), p, probe.Options{})
	out := []string{}
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

func TestAdvice(t *testing.T) {
	for _, c := range []struct {
		name, yaml, reference, prompt string
		want                          []string
	}{
		{"good", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n  - {name: b, inputs: {growth: [[1, 2], [3, 5], [9, 1.5]]}}\n",
			"out = mean(growth over week)", "Bind out, one for each rope.", nil},
		{"square data", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2], [4, 6.5]]}}\n  - {name: b, inputs: {growth: [[1, 2, 1], [3, 5, 7], [9, 1.5, 3]]}}\n",
			"out = mean(growth over week)", "Bind out, one for each rope.", []string{"equal-lengths"}},
		{"square data, element by element", "inputs: {growth: {axes: [week, rope]}}\noutputs: {out: {axes: [week, rope]}}\ncases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2], [4, 6.5]]}}\n  - {name: b, inputs: {growth: [[1, 2, 1], [3, 5, 7], [9, 1.5, 3]]}}\n",
			"out = growth * 2 + 1", "Bind out, for each week and rope.", nil},
		{"a square that must be", "inputs: {a: {axes: [_, _]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {a: [[2, 1], [0.5, 3]]}}\n  - {name: b, inputs: {a: [[2, 1, 0.5], [1, 4, 2], [0, 0.5, 3]]}}\n",
			"out = inverse(a)", "Bind out.", nil},
		{"all shown", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n  - {name: b, shown: true, inputs: {growth: [[1, 2], [3, 5], [9, 1.5]]}}\n",
			"out = mean(growth over week)", "Bind out, one for each rope.", []string{"one-case"}},
		{"one shape", grow + "cases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n  - {name: b, inputs: {growth: [[1, 2, 8], [3, 5, 4]]}}\n",
			"out = mean(growth over week)", "Bind out, one for each rope.", []string{"one-shape"}},
		{"no boundary", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [7, 1, 2, 9.5]}}\n",
			"out = count(x > 3)", "Bind out.", []string{"no-boundary"}},
		{"boundary met", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [7, 1, 3, 9.5]}}\n",
			"out = count(x > 3)", "Bind out.", nil},
		{"boundary that makes no difference", "inputs: {x: {axes: [rope]}}\noutputs: {out: {axes: [rope]}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [7, 1, 2, 9.5]}}\n",
			"out = pick(x > 3, 3.0, x)", "Bind out for each rope.", nil},
		{"trivial mask", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [4, 5, 3.5]}}\n  - {name: b, inputs: {x: [7, 1, 3, 9.5]}}\n",
			"out = sum(x[x > 3])", "Bind out.", []string{"mask-trivial"}},
		{"in order", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 2.5, 5]}}\n  - {name: b, inputs: {x: [0, 1, 3, 9.5]}}\n",
			"out = sort(x)[last]", "Bind out.", []string{"sorted"}},
		{"never negative", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9.5]}}\n",
			"out = sum(abs(x))", "Bind out.", []string{"no-negative"}},
		{"never negative, and no matter", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9.5]}}\n",
			"out = sum(x)", "Bind out.", nil},
		{"no repeats", "inputs: {x: {axes: [rope], kind: int}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9]}}\n",
			"out = size(unique(x))", "Bind out.", []string{"no-repeat"}},
		{"no zero", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, -5, 2.5]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
			"out = mean(x, only: x != 0)", "Bind out.", []string{"mask-trivial", "no-zero"}},
		{"whole numbers", "inputs: {x: {axes: [rope]}}\noutputs: {out: {axes: [rope]}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, -5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
			"out = floor(x)", "Bind out for each rope.", []string{"integers-only"}},
		{"missing values unheeded", "inputs: {x: {axes: [rope], missing: nan}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, nan, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
			"out = mean(x)", "Bind out.", []string{"missing-values", "non-finite"}},
		{"missing values never there", "inputs: {x: {axes: [rope], missing: nan}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 4, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
			"out = mean(x, only: not is_nan(x))", "Bind out.", []string{"missing-values"}},
		{"a tie", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9]}}\n",
			"out = max_at(x)", "Bind out.", []string{"tie"}},
		{"loose", "inputs: {x: {axes: [rope]}}\noutputs: {out: {tolerance: {relative: 0.5}}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 5]}}\n  - {name: b, inputs: {x: [2, 1, 3, 9]}}\n",
			"out = std(x)", "Bind out.", []string{"loose"}},
		{"tight", "inputs: {x: {axes: [rope]}}\noutputs: {out: {axes: [rope], tolerance: {relative: 0}}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1.1, 5.3, 5.7]}}\n  - {name: b, inputs: {x: [2.3, 1.7, 3.1, 9.2]}}\n",
			"out = x / 3.7 / 1.1", "Bind out for each rope.", []string{"tight"}},
		{"nearly singular", "inputs: {a: {axes: [_, _]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {a: [[1, 1], [1, 1.00000001]]}}\n  - {name: b, inputs: {a: [[2, 1, 0.5], [1, 4, 2], [0, 0.5, 3]]}}\n",
			"out = inverse(a)", "Bind out.", []string{"ill-conditioned"}},
		{"an input nobody uses", "inputs: {x: {axes: [rope]}, y: {}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2], y: 1}}\n  - {name: b, inputs: {x: [2, 1, -3, 9], y: 2}}\n",
			"out = sum(x)", "Bind out.", []string{"unused-input"}},
		{"always the same", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}, n: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
			"out = sum(x)\nn = axis_count(x)", "Bind out and n.", []string{"constant-output"}},
		{"a silent prompt", "inputs: {x: {axes: [rope]}}\noutputs: {out: {unit: cm}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3, 9]}}\n",
			"out = sum(x)", "Bind out.", []string{"prompt-silent"}},
		{"a written length", "inputs: {x: {axes: [rope]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2]}}\n  - {name: b, inputs: {x: [2, 1, -3]}}\n",
			"out = sum(x) / 3", "Bind out.", []string{"free-shape", "one-shape"}},
		{"a symmetric matrix", "inputs: {a: {axes: [_, _]}}\noutputs: {out: {}}\ncases:\n  - {name: a, shown: true, inputs: {a: [[2, 1], [1, 3]]}}\n  - {name: b, inputs: {a: [[2, 1, 0.5], [1, 4, 2], [0.5, 2, 3]]}}\n",
			"out = transpose(a)", "Bind out.", []string{"equal-lengths", "symmetric"}},
		{"drawn", "inputs: {growth: {axes: [week, rope]}}\noutputs: {out: {axes: [rope]}}\ncases:\n  - {name: a, shown: true, inputs: {growth: [[1, 2, 3], [4, 6.5, 9]]}}\n  - {name: b, draw: {seed: 3, repeat: 3, inputs: {growth: {shape: [3..6, 2..5], from: normal, mean: 12, std: 3}}}}\n",
			"out = sample_std(growth over week)", "Bind out, one for each rope.", nil},
	} {
		want := c.want
		if want == nil {
			want = []string{}
		}
		assert.Equal(t, want, codes(t, c.yaml, c.reference+"\n", c.prompt), c.name)
	}
}
