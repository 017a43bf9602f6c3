package exercise_test

import (
	"os"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
)

// full uses every key of the format.
const full = `title: Everything
topics: [axis-reduction, copying]
inputs:
  growth: {axes: [week, rope], kind: real, unit: cm, about: growth, missing: nan}
  shade: {axes: [_, _]}
  n: {kind: int, axes: []}
outputs:
  per_rope: {axes: [rope], unit: cm, tolerance: {ulps: 4}, points: 2, present: {as: box, title: Growth}, nan: never}
  modes: {axes: [_, mode], any_order: mode, free_sign: 1, free_scale: mode, ones: ignore, kind: exact}
steps:
  smoothed: {points: 0.5, tolerance: {absolute: 1e-6}}
functions:
  own_mean: {calls: ["own_mean(growth)", "own_mean([1.0, 2.0])"], points: 3}
properties:
  - {holds: "all(per_rope >= 0)", says: nothing shrinks, points: 1}
predictions:
  - {ask: "What shape?", of: "mean(growth over week)", what: shape}
cases:
  - {name: long, shown: true, inputs: {growth: data/long.csv, shade: data/shade.mtx, n: 2}}
  - {name: column, inputs: {growth: [[1, 2]], shade: [[1]], n: {file: data/counts.csv, column: n}}}
  - name: drawn
    draw:
      seed: 11
      repeat: 3
      inputs:
        growth: {shape: [3..6, 2..5], from: normal, mean: 12, std: 3, nudge: some_missing}
        shade: {shape: [2, 2], from: one_of, values: [1, 2.5, 4]}
        n: {shape: [], from: whole, low: 1, high: 9}
  - {name: none, expects: run.empty, inputs: {growth: {shape: [0, 2]}, shade: [[1]], n: 1}}
rules:
  loops: refuse
  require: [mean, "*"]
  refuse: [median]
  inputs_unchanged: true
  cost: {cells: 4, statements: 10}
slips:
  - {program: slips/over-rope.nra, cause: axis.other, note: "Which axis must go?"}
equivalent:
  - {change: "a → b", line: 1, reason: they are the same, reference: 1a2b3c4d}
attempts: {limit: 20, wait: 30s}
feedback: {values: never, causes: after 3}
accepts: [program, results]
`

func fullFolder(change func(string) string) map[string]string {
	text := full
	if change != nil {
		text = change(full)
	}
	return map[string]string{
		"exercises/means/exercise.yaml":       text,
		"exercises/means/data/long.csv":       "rope,week,growth\na,1,1\na,2,\nb,1,3\nb,2,4\n",
		"exercises/means/data/shade.mtx":      "%%MatrixMarket matrix array real symmetric\n2 2\n1\n2\n3\n",
		"exercises/means/data/counts.csv":     "place,n\n1,3\n",
		"exercises/means/slips/over-rope.nra": "per_rope = mean(growth over rope)\n",
	}
}

func TestEveryKeyIsRead(t *testing.T) {
	c, problems := exercise.LoadCourse(folder(fullFolder(func(s string) string {
		return strings.Replace(s, "n: {file: data/counts.csv, column: n}", "n: 3", 1)
	})))
	require.Empty(t, problems)
	e := c.Find("means")
	assert.Equal(t, []string{"long", "column", "drawn 1", "drawn 2", "drawn 3", "none"}, names(e))
	assert.Equal(t, 4.0, e.Outputs[0].Tolerance.ULPs)
	assert.True(t, e.Outputs[0].Tolerance.NaNNever)
	assert.Equal(t, exercise.Presentation{As: "box", Title: "Growth"}, e.Outputs[0].Present)
	assert.Equal(t, exercise.Freedom{Ones: true, AnyOrder: "mode", FreeSign: "1", FreeScale: "mode"}, e.Outputs[1].Freedom)
	assert.True(t, e.Outputs[1].Tolerance.ExactKind)
	assert.Equal(t, "smoothed", e.Steps[0].Name)
	assert.Equal(t, 0.5, e.Steps[0].Points)
	assert.Equal(t, []string{"own_mean(growth)", "own_mean([1.0, 2.0])"}, e.Functions[0].Calls)
	assert.Equal(t, "nothing shrinks", e.Properties[0].Says)
	assert.Equal(t, "shape", e.Predictions[0].What)
	assert.Equal(t, []string{"mean", "*"}, e.Require)
	assert.Equal(t, []string{"median"}, e.Refuse)
	assert.True(t, e.InputsUnchanged)
	assert.Equal(t, 4.0, e.CostCells)
	assert.Equal(t, codes.RunEmpty, e.Cases[5].Expects)
	assert.Equal(t, "per_rope = mean(growth over rope)\n", e.Slips[0].Program)
	assert.Equal(t, "they are the same", e.Equivalent[0].Reason)
	assert.Equal(t, 20, e.Limit)
	assert.Equal(t, 30*time.Second, e.Wait)
	assert.Equal(t, "after", e.Causes)
	assert.Equal(t, 3, e.After)
	assert.True(t, e.Takes("results"))
	assert.Equal(t, 8.5, e.Possible())

	long := e.Cases[0].Inputs["growth"]
	assert.Equal(t, []int{2, 2}, long.Shape(), "axes as they are declared, not as the columns stand")
	assert.Equal(t, 3.0, long.RealAt(1))
	assert.True(t, long.RealAt(2) != long.RealAt(2), "an empty value is NaN")
	assert.Equal(t, []float64{1, 2, 2, 3}, e.Cases[0].Inputs["shade"].Reals())
}

func names(e *exercise.Exercise) []string {
	var out []string
	for _, c := range e.Cases {
		out = append(out, c.Name)
	}
	return out
}

func TestDrawsAreTheSameEveryTime(t *testing.T) {
	read := func() *exercise.Exercise {
		c, problems := exercise.LoadCourse(folder(fullFolder(func(s string) string {
			return strings.Replace(s, "n: {file: data/counts.csv, column: n}", "n: 3", 1)
		})))
		require.Empty(t, problems)
		return c.Find("means")
	}
	a, b := read(), read()
	unlike := 0
	for i := range a.Cases {
		for name, x := range a.Cases[i].Inputs {
			assert.True(t, array.Equal(x, b.Cases[i].Inputs[name]), "%s %s", a.Cases[i].Name, name)
		}
		if g := a.Cases[i].Inputs["growth"]; a.Cases[i].Group == "drawn" {
			assert.GreaterOrEqual(t, g.Len(0), 3)
			assert.LessOrEqual(t, g.Len(0), 6)
			assert.GreaterOrEqual(t, g.Len(1), 2)
			assert.LessOrEqual(t, g.Len(1), 5)
			n := a.Cases[i].Inputs["n"].IntAt(0)
			assert.True(t, 1 <= n && n <= 9)
			missing := 0
			for k := range g.Size() {
				if g.RealAt(k) != g.RealAt(k) {
					missing++
				}
			}
			assert.Positive(t, missing)
			assert.Less(t, missing, g.Size())
			if !array.Equal(g, a.Cases[2].Inputs["growth"]) {
				unlike++
			}
		}
	}
	assert.Equal(t, 2, unlike, "each repeat draws anew")
}

func TestNudgesAndKinds(t *testing.T) {
	draw := func(spec, declared string) *array.Array {
		e, problems := exercise.LoadExercise(folderOf(map[string]string{
			"exercise.yaml": "title: D\ninputs: {x: " + declared + "}\noutputs: {y: {}}\ncases:\n  - name: d\n" +
				"    draw: {seed: 4, inputs: {x: " + spec + "}}\n",
			"prompt.md": "p", "reference.nra": "y = x\n",
		}), "d")
		require.Empty(t, problems, spec)
		return e.Cases[0].Inputs["x"]
	}
	sorted := draw("{shape: [2, 8], from: uniform, low: -1, high: 1, nudge: sorted}", "{axes: [_, _]}")
	for i := 1; i < 8; i++ {
		assert.LessOrEqual(t, sorted.RealAt(i-1), sorted.RealAt(i))
	}
	distinct := draw("{shape: [9], from: whole, low: 1, high: 9, nudge: distinct}", "{kind: int, axes: [_]}")
	seen := map[int64]bool{}
	for _, v := range distinct.Ints() {
		assert.False(t, seen[v])
		seen[v] = true
	}
	equal := draw("{shape: [12], from: normal, nudge: some_equal}", "{axes: [_]}")
	values := map[float64]bool{}
	for _, v := range equal.Reals() {
		values[v] = true
	}
	assert.Less(t, len(values), 12)
	order := draw("{from: shuffled, of: [1, 2, 3, 4, 5]}", "{kind: int, axes: [_]}")
	total := int64(0)
	for _, v := range order.Ints() {
		total += v
	}
	assert.EqualValues(t, 15, total)
	assert.Equal(t, array.Real, draw("{shape: [3], from: whole, low: 1, high: 3}", "{axes: [_]}").Kind(),
		"narrower draws widen")
	masks := draw("{shape: [40], from: one_of, values: [true, false]}", "{kind: bool, axes: [_]}")
	assert.Positive(t, masks.CountTrue())
	assert.Less(t, masks.CountTrue(), 40)
}

func TestProblemsOfTheWholeFormat(t *testing.T) {
	for _, c := range []struct{ from, to, message, hint string }{
		{"present: {as: box", "present: {as: pie", "`pie` is not one of", "table"},
		{"any_order: mode", "any_order: mood", "has no axis `mood`", "`mode`"},
		{"free_sign: 1", "free_sign: 0", "has no axis 0", "count from 1"},
		{"smoothed: {points", "per_rope: {points", "is an output and a step", "take the step out"},
		{"own_mean: {calls", "mean: {calls", "is a built-in function", "otherwise"},
		{`"own_mean(growth)"`, `"own_mean(growth"`, "cannot be read as an expression", ""},
		{`calls: ["own_mean(growth)", "own_mean([1.0, 2.0])"]`, "calls: []", "is never called", "own_mean(...)"},
		{"what: shape", "what: size", "is not one of shape, kind", ""},
		{`holds: "all(per_rope >= 0)", `, "", "the key `holds` is missing", ""},
		{"from: normal", "from: gauss", "is not one of uniform", ""},
		{"3..6", "6..3", "runs downwards", "3..6"},
		{"3..6", "3..x", "is not a length", "3..6"},
		{"repeat: 3", "repeat: 0", "drawn `0` times", ""},
		{"low: 1, high: 9", "low: 9, high: 1", "is above `high`", ""},
		{"low: 1, high: 9", "low: 1", "needs `high`", ""},
		{"std: 3", "std: -3", "is negative", ""},
		{"mean: 12", "low: 12", "takes no `low`", "mean and std"},
		{"values: [1, 2.5, 4]", "values: []", "holds nothing to draw from", ""},
		{"from: whole, low: 1, high: 9", "from: uniform, low: 1, high: 9", "is declared int, and the draw gives real",
			"whole"},
		{"nudge: some_missing", "nudge: jumbled", "is not one of distinct", ""},
		{"shape: [3..6, 2..5]", "shape: [3..6]", "declared with 2 axes, and the draw gives 1", ""},
		{"expects: run.empty", "expects: run.emty", "is not an error that a run can end in", "`run.empty`"},
		{"expects: run.empty", "expects: notice.nan", "is not an error that a run can end in", ""},
		{"require: [mean", "require: [meen", "is not a built-in function or operator", "`mean`"},
		{"refuse: [median]", "refuse: [mean]", "is required and refused", ""},
		{"cells: 4", "cells: 0.5", "is not a bound the reference itself keeps", ""},
		{"cause: axis.other", "cause: axis.othr", "is not a cause", "`axis.other`"},
		{"slips/over-rope.nra", "../over-rope.nra", "leaves the exercise's folder", ""},
		{"slips/over-rope.nra", "slips/under-rope.nra", "cannot be opened", ""},
		{"limit: 20", "limit: 0", "lets nobody answer", ""},
		{"wait: 30s", "wait: soon", "is not a length of time", "30s"},
		{"causes: after 3", "causes: later", "is not a policy on causes", "after 3"},
		{"accepts: [program, results]", "accepts: []", "accepts no kind of attempt", ""},
		{"accepts: [program, results]", "accepts: [essays]", "is not one of program", ""},
		{"data/shade.mtx", "data/shade.txt", "cannot be opened", ""},
		{"column: n", "column: m", "has no column `m`", "place, n"},
		{"reason: they are the same, ", "", "the key `reason` is missing", ""},
		{"ulps: 4", "ulps: 4, relative: 1", "are both given", ""},
	} {
		t.Run(c.from, func(t *testing.T) {
			_, problems := exercise.LoadCourse(folder(fullFolder(func(s string) string {
				require.Contains(t, s, c.from)
				return strings.Replace(s, c.from, c.to, 1)
			})))
			found := false
			for _, p := range problems {
				if strings.Contains(p.Message, c.message) {
					found = true
					assert.Contains(t, p.Hint, c.hint, c.to)
					assert.Positive(t, p.Line)
					assert.Positive(t, p.Column)
				}
			}
			assert.True(t, found, "%s: %v", c.to, problems)
		})
	}
}

func TestLabelsOfADrawAgreeWithTheGivenData(t *testing.T) {
	text := "title: D\ninputs: {x: {axes: [rope]}, y: {axes: [rope, week]}}\noutputs: {z: {}}\ncases:\n" +
		"  - {name: d, inputs: {x: [1, 2, 3]}, draw: {inputs: {y: {shape: [2..5, 4], from: uniform}}}}\n"
	files := map[string]string{"exercise.yaml": text, "prompt.md": "p", "reference.nra": "z = x\n"}
	e, problems := exercise.LoadExercise(folderOf(files), "d")
	require.Empty(t, problems)
	assert.Equal(t, []int{3, 4}, e.Cases[0].Inputs["y"].Shape())
	files["exercise.yaml"] = strings.Replace(text, "2..5", "4..5", 1)
	_, problems = exercise.LoadExercise(folderOf(files), "d")
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "has the length 3 in this case")
}

func TestCasesAreAddedWithoutTouchingTheRest(t *testing.T) {
	text := "title: T # kept\ncases:\n  # the shown one\n  - {name: a, shown: true}\n  - name: b\n    inputs: {x: 1}\n" +
		"\n# about the rules\nrules: {loops: warn}\n"
	out, err := exercise.AddCases(text, []string{"- {name: c, inputs: {x: 2}}"})
	require.NoError(t, err)
	assert.Equal(t, "title: T # kept\ncases:\n  # the shown one\n  - {name: a, shown: true}\n  - name: b\n"+
		"    inputs: {x: 1}\n  - {name: c, inputs: {x: 2}}\n\n# about the rules\nrules: {loops: warn}\n", out)
	last, err := exercise.AddCases("cases:\n- {name: a}\n", []string{"- {name: c}"})
	require.NoError(t, err)
	assert.Equal(t, "cases:\n- {name: a}\n- {name: c}\n", last)
	for _, bad := range []string{"cases: [{name: a}]\n", "title: x\n", "cases: [\n"} {
		t.Run(bad, func(t *testing.T) {
			_, err = exercise.AddCases(bad, []string{"- {name: c}"})
			assert.Error(t, err, bad)
		})
	}
	assert.Equal(t, []string{"- {name: extra-2, inputs: {x: 1}}", "- {name: extra-3, inputs: {x: 2}}"},
		exercise.Renumbered("- {name: extra-1, shown: true}", []string{"- {name: extra-1, inputs: {x: 1}}",
			"- {name: extra-2, inputs: {x: 2}}", "- {name: extra-4, inputs: {x: 1}}"}))
	marked, err := exercise.AddEquivalent("title: T\n", "a → b", "the same", "12ab")
	require.NoError(t, err)
	assert.Contains(t, marked, "equivalent:\n  - change: a → b\n    reason: the same\n    reference: 12ab\n")
	twice, err := exercise.AddEquivalent(marked, "c → d", "too", "12ab")
	require.NoError(t, err)
	assert.Equal(t, 1, strings.Count(twice, "equivalent:"))
	assert.Equal(t, 2, strings.Count(twice, "- change:"))
}

func TestTheTeamsBar(t *testing.T) {
	c, problems := exercise.LoadCourse(folder(map[string]string{"course.yaml": "title: K\nteam: {caught: 0.9}\n" +
		"exercises: [means]\n"}))
	require.Empty(t, problems)
	assert.Equal(t, 0.9, c.Caught)
	_, problems = exercise.LoadCourse(folder(map[string]string{"course.yaml": "title: K\nteam: {caught: 95}\n" +
		"exercises: [means]\n"}))
	require.NotEmpty(t, problems)
	assert.Contains(t, problems[0].Message, "is above 1")
}

// A real folder's links that leave it are refused by its root.
func TestLinksThatLeaveTheFolder(t *testing.T) {
	dir := t.TempDir()
	outside := t.TempDir()
	require.NoError(t, os.WriteFile(outside+"/secret.csv", []byte("1,2\n"), 0o600))
	require.NoError(t, os.CopyFS(dir, folder(nil)))
	require.NoError(t, os.Remove(dir+"/exercises/means/data/spring.csv"))
	require.NoError(t, os.Symlink(outside+"/secret.csv", dir+"/exercises/means/data/spring.csv"))
	root, err := os.OpenRoot(dir)
	require.NoError(t, err)
	defer root.Close()
	_, problems := exercise.LoadCourse(root.FS())
	require.NotEmpty(t, problems)
	assert.Contains(t, problems[0].Hint, "inside the course folder")
}

func folderOf(files map[string]string) fstest.MapFS {
	out := fstest.MapFS{}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

func TestDataOfACourseAreBounded(t *testing.T) {
	for _, cases := range []string{
		"  - {name: d, draw: {repeat: 200, inputs: {x: {shape: [90000], from: uniform}}}}\n",
		"  - {name: a, inputs: {x: {shape: [9000000]}}}\n  - {name: b, inputs: {x: {shape: [9000000]}}}\n",
	} {
		t.Run(cases, func(t *testing.T) {
			_, problems := exercise.LoadExercise(folderOf(map[string]string{"exercise.yaml": "title: D\ninputs: {x: {axes: " +
				"[_]}}\noutputs: {y: {}}\ncases:\n" + cases, "prompt.md": "p", "reference.nra": "y = x\n"}), "d")
			require.NotEmpty(t, problems)
			assert.Contains(t, problems[0].Message+problems[0].Hint, "12000000")
		})
	}
}

// oneExercise is a folder with one exercise of these cases, inputs and files.
func oneExercise(yaml string, files map[string]string) fstest.MapFS {
	out := fstest.MapFS{"exercise.yaml": {Data: []byte("title: Kelp\n" + yaml)}, "prompt.md": {Data: []byte("p")},
		"reference.nra": {Data: []byte("y = 1\n")}}
	for name, text := range files {
		out[name] = &fstest.MapFile{Data: []byte(text)}
	}
	return out
}

func TestMessagesNameTheirKey(t *testing.T) {
	base := "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\n"
	for _, c := range []struct{ yaml, says string }{
		{base + "cases: {}\n", "`cases`: a mapping found where a list was expected"},
		{base + "cases: []\n", "`cases`: the exercise has no cases"},
		{base + "cases: [{name: a, shown: perhaps, inputs: {x: [1]}}]\n",
			"`cases.shown`: `perhaps` is neither true nor false"},
		{"inputs: {x: {kind: float}}\noutputs: {y: {}}\ncases: [{name: a, inputs: {x: 1}}]\n",
			"`inputs.x.kind`: `float` is not one of"},
		{base + "cases: [{name: a, inputs: {x: [1]}}]\nfeedback: {values: always}\n",
			"`feedback.values`: `always` is not one of shown, never"},
		{base + "cases: [{name: a, inputs: {x: [1]}}]\nfeedback: {held: all}\n",
			"`feedback.held`: `all` is not one of code, verdict, nothing"},
		{base + "cases: [{name: a, inputs: {x: [1]}}]\nfeedback: {causes: later}\n",
			"`feedback.causes`: `later` is not a policy"},
		{base + "cases: [{name: a, inputs: {x: [1]}}]\nattempts: {wait: soon}\n",
			"`attempts.wait`: `soon` is not a length of time"},
		{base + "cases: [{name: a, inputs: {x: [1]}}]\nopens: tomorrow\n", "`opens`: `tomorrow` is not a time"},
		{"inputs: {x: {axes: [rope]}}\noutputs: {y: {points: many}}\ncases: [{name: a, inputs: {x: [1]}}]\n",
			"`outputs.y.points`: `many` is not a number"},
		{base + "cases: [{name: a, inputs: {x: [1]}}]\nfeedback: {vaules: shown}\n",
			"there is no key `vaules` in `feedback`"},
	} {
		t.Run(c.yaml, func(t *testing.T) {
			_, problems := exercise.LoadExercise(oneExercise(c.yaml, nil), "kelp")
			require.NotEmpty(t, problems, c.yaml)
			assert.Contains(t, problems[0].Message, c.says)
		})
	}
}

// TestAFaultyDataFileIsOneError: each case reads it, and it is reported once, with its cell.
func TestAFaultyDataFileIsOneError(t *testing.T) {
	cases := ""
	for _, name := range []string{"a", "b", "c", "d"} {
		cases += "  - {name: " + name + ", inputs: {x: data/x.csv}}\n"
	}
	for _, c := range []struct {
		kind, text   string
		line, column int
		says         string
	}{
		{"real", "1,2\n3,kelp\n", 2, 2, "`kelp` is not a number"},
		{"real", "", 1, 1, "the file is empty"},
		{"real", "1;2\n3;4\n", 1, 1, "separated by semicolons"},
		{"int", "1,2\n3,4.5\n", 2, 2, "`4.5` is real, and `x` is declared int"},
		{"bool", "true,false\ntrue,3\n", 2, 2, "`3` is int, and `x` is declared bool"},
	} {
		t.Run(c.kind, func(t *testing.T) {
			_, problems := exercise.LoadExercise(oneExercise("inputs: {x: {axes: [week, rope], kind: "+c.kind+"}}\n"+
				"outputs: {y: {}}\ncases:\n"+cases, map[string]string{"data/x.csv": c.text}), "kelp")
			require.Len(t, problems, 1, c.text)
			assert.Equal(t, "data/x.csv", problems[0].File)
			assert.Equal(t, c.line, problems[0].Line, c.text)
			assert.Equal(t, c.column, problems[0].Column, c.text)
			assert.Contains(t, problems[0].Message, c.says)
		})
	}
	_, problems := exercise.LoadExercise(oneExercise("inputs: {x: {axes: [week, rope], kind: int}}\noutputs: {y: {}}\n"+
		"cases:\n"+strings.ReplaceAll(cases, "x.csv", "x.json"), map[string]string{"data/x.json": "[[1, 2], [3, 4.25]]"}),
		"kelp")
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "`4.25` at `[1, 1]` is real")
	_, problems = exercise.LoadExercise(oneExercise("inputs: {x: {axes: [week], kind: int}}\noutputs: {y: {}}\ncases:\n"+
		"  - {name: a, inputs: {x: [1, 2.5]}}\n", nil), "kelp")
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "`cases.inputs.x`: `2.5` is real")
	assert.Equal(t, 31, problems[0].Column, "the value itself")
}

// TestPlacesAreSpelledTheSameInACase holds the names that long tables give an axis.
func TestPlacesAreSpelledTheSameInACase(t *testing.T) {
	load := func(growth, shade string) []exercise.Problem {
		_, problems := exercise.LoadExercise(oneExercise("inputs: {growth: {axes: [week, rope]}, shade: {axes: [rope]}}\n"+
			"outputs: {y: {}}\ncases:\n  - {name: a, inputs: {growth: data/growth.csv, shade: data/shade.csv}}\n",
			map[string]string{"data/growth.csv": growth, "data/shade.csv": shade}), "kelp")
		return problems
	}
	growth := "week,rope,cm\n1,north,3\n1,south,4\n2,north,5\n2,south,6\n"
	assert.Empty(t, load(growth, "rope,lux\nnorth,1\nsouth,2\n"))
	for shade, says := range map[string]string{
		"rope,lux\nnorth,1\nsuoth,2\n": "`suoth` stands for a place of the axis `rope`, which growth.csv spells `south`",
		"rope,lux\nNorth,1\nsouth,2\n": "`North` stands for a place of the axis `rope`, which growth.csv spells `north`",
	} {
		t.Run(shade, func(t *testing.T) {
			problems := load(growth, shade)
			require.Len(t, problems, 1, shade)
			assert.Equal(t, "data/shade.csv", problems[0].File)
			assert.Contains(t, problems[0].Message, says)
		})
	}
	assert.Empty(t, load("week,rope,cm\n1,r1,3\n1,r2,4\n", "rope,lux\nr3,1\nr4,2\n"), "other numbers are other places")
	problems := load("week,ropes,cm\n1,north,3\n1,south,4\n", "rope,lux\nnorth,1\nsouth,2\n")
	require.NotEmpty(t, problems)
	assert.Equal(t, 1, problems[0].Line)
	assert.Equal(t, 2, problems[0].Column)
	assert.Contains(t, problems[0].Message, "the header has `ropes`, where the axis `rope` was expected")
}

func TestFoldersThatAreNotListed(t *testing.T) {
	files := fstest.MapFS{"course.yaml": {Data: []byte("title: K\nexercises: [one]\n")},
		"exercises/notes/readme.md": {Data: []byte("n")}}
	for _, name := range []string{"one", "two"} {
		for file, text := range map[string]string{"exercise.yaml": "title: One\noutputs: {x: {}}\ncases: [{name: a}]\n",
			"prompt.md": "p", "reference.nra": "x = 1\n"} {
			files["exercises/"+name+"/"+file] = &fstest.MapFile{Data: []byte(text)}
		}
	}
	c, problems := exercise.LoadCourse(files)
	require.Empty(t, problems)
	assert.Equal(t, []string{"two"}, c.Unlisted)
}

func TestOutputsMayDeclareTheirKind(t *testing.T) {
	for word, kind := range map[string]array.Kind{"bool": array.Bool, "int": array.Int, "real": array.Real,
		"complex": array.Complex} {
		t.Run(word, func(t *testing.T) {
			e, problems := exercise.LoadExercise(oneExercise("outputs: {y: {kind: "+word+"}}\ncases: [{name: a}]\n", nil),
				"kelp")
			require.Empty(t, problems)
			require.NotNil(t, e.Outputs[0].Kind)
			assert.Equal(t, kind, *e.Outputs[0].Kind)
			assert.True(t, e.Outputs[0].Tolerance.ExactKind)
		})
	}
	_, problems := exercise.LoadExercise(oneExercise("outputs: {y: {kind: float}}\ncases: [{name: a}]\n", nil), "kelp")
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "`outputs.y.kind`: `float` is not one of exact, bool, int, real, complex")
}
