package causes

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
	"nimbusreach/internal/core/slips"
)

// TestWhatSharesCellsOrDrawsRunsAsAWhole: a statement of it alone would do something else.
func TestWhatSharesCellsOrDrawsRunsAsAWhole(t *testing.T) {
	for text, alone := range map[string]bool{
		"y = x + 1\n":                                                     true,
		"y = 0.0\neach v in x {\n  y += v\n}\n":                           true,
		"y = x + 0\nview v = y[from 1]\nv[0] = 3\n":                       false,
		"function f(k) = k * draw_uniform(2, 0, 1)\ny = f(2)\n":           false,
		"y = x + 0\neach k in 0 to 1 {\n  view v = y[from 1]\n}\nz = y\n": false,
	} {
		f := &finder{program: parsed(t, text)}
		assert.Equal(t, alone, f.replays(), text)
	}
}

// TestATableIsMadeOfParts: what a slip gives by running only what comes from it is what all of the reference gives.
func TestATableIsMadeOfParts(t *testing.T) {
	q := asked(t, "a = [3.0, 1.0, 4.0]\nb = sum(a) / 2\ny = b + 1\nz = max(a) * 3\nu = 0.0\n"+
		"each k in a {\n  u += k * z\n}\n")
	q.Targets = []Target{{Name: "y"}, {Name: "z"}, {Name: "u"}}
	q.Cases[0].Expected = evaluate.Run(context.Background(), q.Reference, nil, q.Cases[0].Options).Values()
	table := q.slipTable()
	require.Greater(t, len(table), 20)
	program := notation.CopyProgram(q.Reference)
	list := slips.Of(program, q.Material)
	unlike := map[string]int{}
	for _, one := range table {
		undo := list[one.slip].Apply()
		whole := q.trimmed(q.run(context.Background(), program, nil, q.Cases[0].Options))
		undo()
		if whole.Error != nil {
			assert.NotNil(t, one.got[0].Error, one.change)
			continue
		}
		for k, target := range q.Targets {
			assert.True(t, array.Equal(whole.Values[target.Name], one.got[0].Values[target.Name]), "%s in %s", target.Name,
				one.change)
			if !one.differs[k] {
				unlike[target.Name]++
			}
		}
	}
	assert.Len(t, unlike, 3, "some slips leave each output as it was")
}

// TestAPartRunsAsTheWholeDoes tries every change of some attempts twice: with what comes from it alone, and with the
// whole program. Both mend the same targets.
func TestAPartRunsAsTheWholeDoes(t *testing.T) {
	reference := parsed(t, "m = mean(x)\ny = x - m\nz = sum(y ^ 2)\nw = max(x) - min(x)\n")
	q := &Question{Reference: reference, Targets: []Target{{Name: "y"}, {Name: "z"}, {Name: "w"}},
		Material: &slips.Material{Inputs: []string{"x"}, Reference: reference,
			Known: map[string]shapes.Outline{"x": functions.Outlined(array.Real, []int{4}, nil)}}}
	for _, values := range [][]float64{{3, 1, 4, 1.5}, {2, 7, 1, 8}, {-1, 0.5, 6, 2}} {
		c := Case{Inputs: map[string]*array.Array{"x": array.FromReals(values, len(values))},
			Options: evaluate.Options{Limits: evaluate.CheckLimits}}
		c.Expected = evaluate.Run(context.Background(), reference, c.Inputs, c.Options).Values()
		q.Cases = append(q.Cases, c)
	}
	for _, attempt := range []struct{ name, text string }{
		{"a chain", "m = median(x)\ny = x - m\nz = sum(y ^ 2)\nw = extent(x)\n"},
		{"what does not come from it between",
			"m = mean(x)\nw = max(x) + min(x)\ny = x + m\nk = 2\nz = sum(y ^ k)\n"},
		{"a name that is bound again",
			"a = max(x)\nb = min(x)\nw = a + b\na = mean(x)\ny = x - a\nz = sum(y ^ 2)\n"},
		{"a name that is read before it is bound again",
			"a = sum(x)\nz = sum((x - a) ^ 2)\na = mean(x)\ny = x - a\nw = extent(x)\n"},
		{"an input that is bound again", "w = max(x)\nx = x - mean(x)\ny = x\nz = sum(x)\n"},
		{"a part that is written", "y = x + 0\ny[0] = y[1]\nz = sum(y ^ 2)\nw = std(x)\n"},
		{"a name that grows", "m = 0.0\nm += max(x)\ny = x - m\nz = sum(y ^ 2)\nw = extent(x)\n"},
		{"a loop",
			"total = 0.0\neach v in x {\n  total += v\n}\nm = total / length(x)\ny = x + m\nw = extent(x)\n" +
				"z = sum(y ^ 2)\n"},
		{"a loop that writes parts",
			"y = x + 0\neach k in positions(x > 0) {\n  y[k] = x[k] + mean(x)\n}\nz = sum(y ^ 2)\n" +
				"w = max(x)\n"},
		{"a branch", "w = extent(x)\nif w > 0 {\n  y = x + mean(x)\n} else {\n  y = x\n}\nz = sum(y ^ 2)\n"},
		{"a name that a loop may leave as it was",
			"z = 0.0\nw = 0.0\neach v in x {\n  z += v - mean(x)\n  if v > 100 {\n    w = v\n  }\n" +
				"}\ny = x - mean(x)\nz = w + sum(y)\nw = extent(x)\n"},
		{"what a branch may leave as it was",
			"w = extent(x)\ny = x + mean(x)\nz = 0.0\nif w < 0 {\n  y = x\n}\neach v in y {\n  z += v ^ 2\n" +
				"}\n"},
		{"functions",
			"function centred(v) = v - median(v)\nfunction squares(v) {\n  c = centred(v)\n" +
				"  return sum(c * c)\n}\n" +
				"w = extent(x)\ny = centred(x)\nz = squares(x)\n"},
		{"a function that is called late",
			"y = x - mean(x)\nfunction wide(v) = max(v) + min(v)\nz = sum(y ^ 2)\nw = wide(x)\n"},
		{"a failure", "w = extent(x)\ny = x - mean(x)\nz = sum(y[from 9] ^ 2)\n"},
		{"a failure that comes from before", "y = x - mean(x)\nw = extent(x)\nk = [5]\nz = sum(y[k] ^ 2)\n"},
		{"a failure in a loop",
			"m = mean(x)\ny = x - m\nz = 0.0\neach k in 1 to length(x) {\n  z += y[k] ^ 2\n}\n" +
				"w = max(x) - min(x)\n"},
		{"a name bound later", "y = x - mean(x)\nz = sum(y)\nspread = y ^ 2\nw = max(x)\n"},
	} {
		t.Run(attempt.name, func(t *testing.T) {
			program := parsed(t, attempt.text)
			f := &finder{ctx: context.Background(), q: q, program: program, runs: 1e9, cells: 1e12, nodes: 1e12,
				size: program.Nodes()}
			for i := range q.Cases {
				f.got = append(f.got, q.run(f.ctx, program, q.Cases[i].Inputs, q.Cases[i].Options))
			}
			f.differing()
			require.NotEmpty(t, f.wrong)
			copied := notation.CopyProgram(program)
			list := slips.Of(copied, q.Material)
			tried := &trials{finder: f, program: copied, list: list, first: f.firstWrong()}
			parts, mended := 0, 0
			for k := range list {
				s := &list[k]
				undo := s.Apply()
				if len(evaluate.Check(copied, q.Material.Inputs)) == 0 {
					begin := tried.after(s)
					whole := f.fixes(copied, tried.first, nil)
					assert.Equal(t, whole, f.fixes(copied, tried.first, begin), "%s in %s", s.Change(), s.Line())
					if begin != nil {
						parts++
					}
					mended += len(whole)
				}
				undo()
			}
			assert.Greater(t, parts, 20)
			assert.Positive(t, mended)
		})
	}
}
