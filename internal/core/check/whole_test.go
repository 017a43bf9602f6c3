package check_test

import (
	"context"
	"encoding/json"
	"io/fs"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
)

// made prepares an exercise from its texts.
func made(t *testing.T, yaml, reference string) *check.Prepared {
	t.Helper()
	p, problems := tryMade(t, yaml, reference)
	require.Empty(t, problems)
	return p
}

func tryMade(t *testing.T, yaml, reference string) (*check.Prepared, []exercise.Problem) {
	t.Helper()
	e, problems := exercise.LoadExercise(fstest.MapFS{"exercise.yaml": {Data: []byte("title: Kelp\n" + yaml)},
		"reference.nra": {Data: []byte(reference)}, "prompt.md": {Data: []byte("p")}}, "kelp")
	require.Empty(t, problems, yaml)
	return check.Prepare(context.Background(), e)
}

func codesOf(v *check.Verdict) []string {
	out := []string{}
	for _, f := range v.Findings {
		out = append(out, string(f.Code))
	}
	return out
}

const twoCases = "cases:\n  - {name: a, shown: true, inputs: {x: [1, 4, 2, 8]}}\n  - {name: b, inputs: {x: [3, 1, " +
	"7]}}\n"

func TestStepsCostPointsAndTellWhereItBegan(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {total: {}}\nsteps: {scaled: {points: 2}, shifted: {points: "+
		"1}, apart: {}}\n"+twoCases,
		"scaled = x * 2\nshifted = scaled + 1\napart = sqrt(x)\ntotal = sum(shifted)\n")
	v := attempt(t, p, "scaled = x * 3\nshifted = scaled + 1\napart = x\ntotal = sum(shifted)\n")
	assert.Equal(t, check.Differs, v.Verdict)
	assert.Equal(t, check.Points{Earned: 0, Possible: 5}, v.Points)
	assert.Equal(t, []string{"value.differs", "value.differs", "step.differs", "step.differs", "step.differs",
		"step.differs"}, codesOf(v))
	assert.Contains(t, v.Findings[0].Hint, "follows from the step `scaled`")
	told := map[string]bool{}
	for _, f := range v.Findings[2:] {
		told[*f.Output] = true
	}
	assert.Equal(t, map[string]bool{"scaled": true, "apart": true}, told, "what follows from a wrong step is not blamed")
	v = attempt(t, p, "total = sum(x * 2 + 1)\n")
	assert.Equal(t, check.Agrees, v.Verdict, "steps leave the verdict alone")
	assert.Equal(t, 1.0, v.Points.Earned)
	assert.Contains(t, v.Findings[0].Message, "is not bound")
}

func TestFunctionsAreAsked(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\nfunctions: {scaled: {calls: [\"scaled(x, 2)\", \"scaled([1.0], 3)\"], "+
		"points: 4}}\n"+twoCases, "function scaled(v, k) = v * k\n")
	assert.Equal(t, check.Agrees, attempt(t, p, "function scaled(a, b) {\n  return b * a\n}\n").Verdict)
	v := attempt(t, p, "function scled(v, k) = v * k\n")
	assert.Equal(t, []string{"function.missing"}, codesOf(v))
	assert.Contains(t, v.Findings[0].Hint, "`scled` is defined")
	assert.Equal(t, check.Differs, v.Verdict)
	v = attempt(t, p, "function scaled(v) = v\n")
	assert.Contains(t, v.Findings[0].Message, "takes 1 argument and got 2")
	v = attempt(t, p, "function scaled(v, k) = v + k\n")
	require.NotEmpty(t, v.Causes)
	assert.Equal(t, codes.OperatorOther, v.Causes[0].Code)
	assert.Equal(t, "scaled", *v.Causes[0].Output)
	v = attempt(t, p, "function scaled(v, k) = v[9] * k\n")
	assert.Equal(t, check.Failed, v.Verdict)
	assert.Equal(t, "select.range", codesOf(v)[0])
	assert.Equal(t, 1, v.Findings[0].Span.Line, "the error is at home in the function's line")
}

func TestPropertiesTakeAnyRightAnswer(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\nproperties:\n  - {holds: \"all(sort(order) == indices(x))\", says: "+
		"every position occurs once, points: 1}\n  - {holds: \"all(differences(x[order]) >= 0)\", says: it rises, points: "+
		"2}\ncases:\n  - {name: a, shown: true, inputs: {x: [2, 1, 2]}}\n  - {name: b, inputs: {x: [5, 5, 1, 0]}}\n",
		"order = sort_order(x)\n")
	assert.Equal(t, check.Agrees, attempt(t, p, "order = reversed(sort_order(-x))\n").Verdict, "ties may stand either way")
	v := attempt(t, p, "order = indices(x)\n")
	assert.Equal(t, check.Differs, v.Verdict)
	assert.Equal(t, check.Points{Earned: 1, Possible: 3}, v.Points)
	assert.Contains(t, v.Findings[0].Message, "it does not hold that it rises")
	v = attempt(t, p, "ordr = sort_order(x)\n")
	assert.Contains(t, v.Findings[0].Message, "`order` is not bound")
	v = attempt(t, p, "order = 5\n")
	assert.Equal(t, "property.fails", codesOf(v)[0])
	_, problems := tryMade(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\nproperties: [{holds: \"y > 100\", says: "+
		"large}]\n"+twoCases, "y = sum(x)\n")
	require.NotEmpty(t, problems)
	assert.Contains(t, problems[0].Message, "the reference itself does not fulfil")
	_, problems = tryMade(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\nproperties: [{holds: \"x > 0\", says: "+
		"large}]\n"+twoCases, "y = sum(x)\n")
	require.NotEmpty(t, problems)
	assert.Contains(t, problems[0].Message, "not one truth value")
}

func TestAnErrorMayBeTheRightOutcome(t *testing.T) {
	yaml := "inputs: {x: {axes: [rope]}}\noutputs: {m: {points: 2}}\n" + twoCases +
		"  - {name: none, expects: run.empty, inputs: {x: []}}\n"
	p := made(t, yaml, "m = mean(x)\n")
	assert.Equal(t, check.Agrees, attempt(t, p, "m = sum(x) / length(x)\nn = max(x)\n").Verdict,
		"the same error by another way")
	v := attempt(t, p, "m = sum(x) / greater(length(x), 1)\n")
	assert.Equal(t, []string{"expects.missed"}, codesOf(v))
	assert.Equal(t, check.Differs, v.Verdict)
	assert.InDelta(t, 4.0/3, v.Points.Earned, 1e-12)
	v = attempt(t, p, "m = mean(x)\ny = x[0]\n")
	assert.Equal(t, check.Agrees, v.Verdict)
	v = attempt(t, p, "y = x[0]\nm = mean(x)\n")
	assert.Contains(t, v.Findings[0].Message, "ended in select.range")
	_, problems := tryMade(t, yaml, "m = sum(x)\n")
	require.NotEmpty(t, problems)
	assert.Contains(t, problems[0].Message, "expects run.empty, and the reference runs to its end")
}

func TestRulesFromTheTreeAndTheRun(t *testing.T) {
	yaml := func(rules string) string {
		return "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\n" + twoCases + "rules: {" + rules + "}\n"
	}
	for _, c := range []struct{ rules, program, code string }{
		{"require: [mean]", "unused = mean(x)\ny = sum(x) / length(x)\n", "rule.require"},
		{"require: [mean]", "m = mean(x)\ny = m\n", ""},
		{"require: [mean]", "function f(v) = mean(v)\ny = f(x)\n", ""},
		{"refuse: [median]", "unused = median(x)\ny = mean(x)\n", ""},
		{"refuse: [sum]", "t = sum(x)\ny = t / length(x)\n", "rule.refuse"},
		{"refuse: [each]", "y = 0.0\neach v in x { y += v }\ny = y / length(x)\n", "rule.refuse"},
		{"require: [mean]", "a = 0.0\nb = 0.0\nrepeat up to 2 until false {\n  a = b\n  b = mean(x)\n}\ny = a\n", ""},
		{"refuse: [repeat]", "a = 0.0\nb = 0.0\nrepeat up to 2 until false {\n  a = b\n  b = mean(x)\n}\ny = a\n",
			"rule.refuse"},
		{"refuse: [repeat]", "y = mean(x)\nrepeat up to 2 until false {\n  a = y\n}\n", ""},
		{"refuse: [length]", "y = 0.0\nif length(x) > 0 {\n  y = mean(x)\n}\n", "rule.refuse"},
		{"refuse: [length]", "y = mean(x)\nif length(x) > 0 {\n  idle = y\n}\n", ""},
		{"require: [mean]", "t = [0.0]\nview v = t[rest]\nv[0] = mean(x)\ny = t[0]\n", ""},
		{"refuse: [max]", "function f(v) {\n  repeat up to 1 until false {\n    idle = max(v)\n  }\n  return mean(v)\n}\n" +
			"y = f(x)\n", "rule.refuse"},
		{"inputs_unchanged: true", "y = mean(x)\nx[0] = 99\n", "rule.inputs"},
		{"inputs_unchanged: true", "y = mean(x)\nx = 3\n", ""},
		{"inputs_unchanged: true", "y = mean(x)\nx[0] = x[0]\n", ""},
		{"inputs_unchanged: true", "y = mean(x)\nview v = x[rest]\nx = 1\nv[0] = 99\n", "rule.inputs"},
		{"inputs_unchanged: true", "y = mean(x)\nc = x\nc[0] = 99\n", ""},
		{"cost: {cells: 3}", "y = mean(x)\n", ""},
		{"cost: {cells: 3}", "z = x * 2 + x * 3 + x * 4 + x * 5 + x\ny = mean(z) / 15\n", "rule.cost"},
		{"loops: refuse", "y = 0.0\neach v in x { y += v }\ny = y / length(x)\n", "rule.loop"},
	} {
		t.Run(c.rules, func(t *testing.T) {
			v := attempt(t, made(t, yaml(c.rules), "y = mean(x)\n"), c.program)
			if c.code == "" {
				assert.Equal(t, check.Agrees, v.Verdict, "%s: %s", c.rules, c.program)
				assert.Empty(t, v.Rules)
				return
			}
			assert.Equal(t, check.Refused, v.Verdict, "%s: %s %v", c.rules, c.program, v.Findings)
			assert.Zero(t, v.Points.Earned)
			require.NotEmpty(t, v.Rules)
			assert.Equal(t, codes.Code(c.code), v.Rules[0].Code)
		})
	}
	v := attempt(t, made(t, yaml("loops: warn"), "y = mean(x)\n"), "function f(n) = g(n)\nfunction g(n) = h(n)\n"+
		"function h(n) = f(n) + k(n)\nfunction k(n) = n\nfunction own(n) = own(n)\nfunction l(n) = f(n)\ny = mean(x)\n")
	told := []string{}
	for _, r := range v.Rules {
		told = append(told, r.Message)
	}
	loop := func(name string) string {
		return "the function `" + name + "` calls itself; this exercise asks for whole-array notation"
	}
	assert.Equal(t, []string{loop("f"), loop("g"), loop("h"), loop("own")}, told)
	v = attempt(t, made(t, yaml("loops: warn"), "y = mean(x)\n"), "y = 0.0\neach v in x { y += v }\ny = y / length(x)\n")
	assert.Equal(t, check.Agrees, v.Verdict)
	assert.Equal(t, codes.RuleLoop, v.Rules[0].Code)
	_, problems := tryMade(t, yaml("refuse: [mean]"), "y = mean(x)\n")
	require.NotEmpty(t, problems)
	assert.Contains(t, problems[0].Message, "breaks the exercise's own rule")
}

func TestArraysAreJudgedOnTheShownCases(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {axes: [rope]}, s: {}}\naccepts: [program, "+
		"results]\n"+twoCases, "y = x * 2\ns = sum(x)\n")
	files := fstest.MapFS{"y.csv": {Data: []byte("2\n8\n4\n16\n")}, "s.json": {Data: []byte("15")},
		"notes.txt": {Data: []byte("hello")}}
	results, wrong := readResults(t, files, p)
	require.Empty(t, wrong)
	v, err := check.Arrays(context.Background(), p, results)
	require.NoError(t, err)
	assert.Equal(t, check.Agrees, v.Verdict)
	assert.Equal(t, check.Points{Earned: 2, Possible: 2}, v.Points)
	assert.False(t, v.RulesChecked)
	files["y.csv"] = &fstest.MapFile{Data: []byte("2\n8\n4\n17\n")}
	delete(files, "s.json")
	results, _ = readResults(t, files, p)
	v, err = check.Arrays(context.Background(), p, results)
	require.NoError(t, err)
	assert.Equal(t, []string{"value.differs", "output.missing"}, codesOf(v))
	files["a/y.mtx"] = &fstest.MapFile{Data: []byte("%%MatrixMarket matrix array real general\n4 1\n2\n8\n4\n16\n")}
	delete(files, "y.csv")
	results, wrong = readResults(t, files, p)
	require.Empty(t, wrong)
	assert.Equal(t, []int{4}, results["a"]["y"].Shape())
	files["b/y.json"] = &fstest.MapFile{Data: []byte("[1]")}
	results, wrong = readResults(t, files, p)
	require.Empty(t, wrong)
	form, _ := check.FormOf(p, results)
	assert.Contains(t, form.Words(), "b/y: there is no case `b` here (the cases are a)")
}

// readResults reads a folder of arrays for an exercise.
func readResults(t *testing.T, fsys fs.FS, p *check.Prepared) (check.Results, []string) {
	t.Helper()
	files, err := check.ReadFolder(fsys)
	require.NoError(t, err)
	return check.ReadArrays(files, p.Wants())
}

func TestPredictions(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\npredictions:\n  - {ask: shape, of: \"x * 2\", what: "+
		"shape}\n  - {ask: kind, of: \"x > 2\", what: kind}\n  - {ask: value, of: \"sum(x)\", what: value}\n"+
		"  - {ask: error, of: \"x[9]\", what: error}\n"+twoCases, "y = sum(x)\n")
	ctx := context.Background()
	for i, answers := range [][2]string{{"[4]", "[3]"}, {"bool", "int"}, {"15", "14"}, {"select.range", "none"}} {
		got, err := check.Predict(ctx, p, i, answers[0])
		require.NoError(t, err)
		assert.True(t, got.Right, answers[0])
		got, err = check.Predict(ctx, p, i, answers[1])
		require.NoError(t, err)
		assert.False(t, got.Right, answers[1])
		assert.NotEmpty(t, got.Expected)
	}
	for text, right := range map[string]bool{"(rope=4)": true, "4": true, " [ rope = 4 ] ": true, "[week=4]": false,
		"4, 1": false, "scalar": false, "4 x 1": false, "[rope 4]": true, "2 × 2": false} {
		t.Run(text, func(t *testing.T) {
			got, err := check.Predict(ctx, p, 0, text)
			require.NoError(t, err, text)
			assert.Equal(t, right, got.Right, text)
		})
	}
	for i, answers := range [][]string{{"hello", "", "four", "[4", "-4", "4.5", "[x]", "99999999999999999999"},
		{"hello", "", "number"}, {"hello", "", "x", "1 +", "1 div 0"}, {"hello", "", "error", "text.syntax"}} {
		for _, text := range answers {
			_, err := check.Predict(ctx, p, i, text)
			var u *check.Unreadable
			if assert.ErrorAs(t, err, &u, "%d: %q", i, text) {
				assert.NotEmpty(t, u.Hint)
			}
		}
	}
}

func TestPredictionsEarnTheirPoints(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {points: 2}}\npredictions:\n  - {ask: shape, of: \"x * "+
		"2\", points: 3}\n  - {ask: kind, of: \"x > 2\", what: kind, points: 0.5}\n"+twoCases, "y = sum(x)\n")
	v := attempt(t, p, "y = sum(x)\n")
	assert.Equal(t, check.Points{Earned: 2, Possible: 5.5}, v.Points)
	assert.Equal(t, p.Exercise.Possible(), v.Points.Possible)
	v.Predict(p.Exercise, []bool{true, false})
	assert.Equal(t, check.Points{Earned: 5, Possible: 5.5}, v.Points)
}

// TestPredictionsThatCannotBeAsked are errors of the course.
func TestPredictionsThatCannotBeAsked(t *testing.T) {
	for _, c := range []struct{ predictions, cases, says string }{
		{`[{ask: a, of: "x[9]"}]`, twoCases, "stops on the shown case with select.range"},
		{`[{ask: a, of: "x dot [1, 2]", what: value}]`, twoCases, "stops on the shown case with shape.inner"},
		{`[{ask: a, of: "unknown + 1"}]`, twoCases, "cannot run"},
		{`[{ask: a, of: "zeros(2000)", what: value}]`, twoCases, "gives 2000 elements"},
		{`[{ask: a, of: "x + 1"}]`, "cases: [{name: a, inputs: {x: [1, 2]}}]\n", "no case is shown"},
	} {
		t.Run(c.predictions, func(t *testing.T) {
			_, problems := tryMade(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\npredictions: "+c.predictions+"\n"+c.cases,
				"y = sum(x)\n")
			require.Len(t, problems, 1, c.predictions)
			assert.Contains(t, problems[0].Message, c.says)
		})
	}
	_, problems := tryMade(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\npredictions: [{ask: a, of: \"x[9]\", "+
		"what: error}]\n"+twoCases, "y = sum(x)\n")
	assert.Empty(t, problems)
}

// TestAxesThatTheReferenceContradicts: labels that are declared and those the reference
// makes must be the same.
func TestAxesThatTheReferenceContradicts(t *testing.T) {
	_, problems := tryMade(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {axes: [week]}}\n"+twoCases, "y = x * 2\n")
	require.NotEmpty(t, problems)
	assert.Contains(t, problems[0].Message, "its `axes` say `week` where the reference has `rope`")
	_, problems = tryMade(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {axes: [_]}}\n"+twoCases, "y = x * 2\n")
	assert.Empty(t, problems)
}

func TestForeseenSlipsBringTheirNote(t *testing.T) {
	e, problems := exercise.LoadExercise(fstest.MapFS{
		"exercise.yaml": {Data: []byte("title: Kelp\ninputs: {x: {axes: [rope]}}\noutputs: {y: {}}\nslips: [{program: " +
			"slips/odd.nra, cause: step.missing, note: Where did the root go}]\n" + twoCases)},
		"reference.nra": {Data: []byte("y = sqrt(sum(x ^ 2)) + 3\n")}, "prompt.md": {Data: []byte("p")},
		"slips/odd.nra": {Data: []byte("y = sum(x ^ 2) * 7 - 2\n")}}, "kelp")
	require.Empty(t, problems)
	p, problems := check.Prepare(context.Background(), e)
	require.Empty(t, problems)
	v := attempt(t, p, "y = 7 * sum(x * x) - 2\n")
	require.Len(t, v.Causes, 2)
	assert.Equal(t, codes.StepMissing, v.Causes[0].Code)
	assert.Equal(t, codes.Foreseen, v.Causes[1].Code)
	seen := v.ForStudent(e, 1)
	assert.Equal(t, "Where did the root go", seen.Causes[1].Message)
}

// TestNothingOfAHeldCaseReachesAStudent looks for the held values, and for what of the
// reference could give them away, in all that a student can get.
func TestNothingOfAHeldCaseReachesAStudent(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}, k: {}}\noutputs: {y: {axes: [rope]}, z: {}}\nsteps: {w: {}}\n"+
		"properties: [{holds: \"z >= 0\", says: z is not negative}]\ncases:\n  - {name: open, shown: true, inputs: {x: "+
		"[1, 4, 2, 8], k: 2}}\n  - {name: secret, inputs: {x: [731.25, 119.5, 733.75], k: 54321.5}}\n",
		"w = x * k\ny = w + 4441\nz = sum(abs(y))\n")
	for _, program := range []string{
		"w = x * k\ny = w + 4442\nz = sum(y)\n", "w = x / k\ny = w + 3\nz = sum(y)\n", "y = x[int(k) - 54300]\nz = -1\n",
		"w = x\ny = x\nz = 0 - sum(x)\n",
		"y = x + 4441\nz = int(1e30 * k)\n", "y = 3\nz = k div (54321.5 - k)\n", "y = [1.0, 2.0]\nz = x dot [1, 2, 3, 4]\n",
	} {
		t.Run(program, func(t *testing.T) {
			v := attempt(t, p, program)
			text, err := json.Marshal(v.ForStudent(p.Exercise, 9))
			require.NoError(t, err)
			for _, held := range []string{"731.25", "119.5", "733.75", "54321", "714431", "116751", "716873", "1e+33", "9.77e"} {
				if !strings.Contains(program, held) {
					assert.NotContains(t, string(text), held, "%s: %s", program, text)
				}
			}
		})
	}
}

func TestVerdictsStayWithinBudget(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [_, _]}}\noutputs: {y: {axes: [_]}}\ncases:\n  - {name: a, shown: true, draw: "+
		"{inputs: {x: {shape: [200, 200], from: normal}}}}\n  - {name: b, draw: {inputs: {x: {shape: [150, 180], from: "+
		"normal}}}}\n",
		"y = mean(x ^ 2 over 0) - max(x over 0) / 3\n")
	v := attempt(t, p, "y = sqrt(abs(x[0, all] * x[1, all] - 3)) + cos(mean(x over 0))\n")
	assert.Equal(t, check.Differs, v.Verdict)
	assert.Empty(t, v.Causes)
}
