package check_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/dataio"
)

// lines writes an example as it can be pasted.
func lines(x *check.Example) string {
	if x == nil {
		return "none"
	}
	out := ""
	for _, part := range []struct {
		word   string
		arrays map[string]dataio.JSON
	}{{"with", x.Inputs}, {"expected", x.Expected}, {"got", x.Actual}} {
		for _, name := range []string{"x", "w", "n", "y"} {
			if a := part.arrays[name].Array; a != nil {
				out += fmt.Sprintf("%s %s = %s\n", part.word, name, dataio.Literal(a))
			}
		}
	}
	return out
}

func TestTheSmallestExample(t *testing.T) {
	const one = "inputs: {x: {axes: [week, rope]}}\noutputs: {y: {}}\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [[3.5, 7, 1], [2, 9, 4.25]]}}\n" +
		"  - {name: b, inputs: {x: [[1, 2, 8, 9], [5, 6, 4, 4], [7, 7, 1, 2]]}}\n"
	for _, c := range []struct{ name, yaml, reference, attempt, want string }{
		{"another function", one, "y = sum(x)", "y = max(x)",
			"with x = labelled([[1.0, 1.0]], axes: [week, rope])\nexpected y = 2.0\ngot y = 1.0\n"},
		{"another axis", one, "y = mean(x over week)", "y = mean(x over rope)",
			"with x = labelled([[0.0], [0.0]], axes: [week, rope])\nexpected y = labelled([0.0], axes: [rope])\n" +
				"got y = labelled([0.0, 0.0], axes: [week])\n"},
		{"a strict comparison", one, "y = count(x > 4)", "y = count(x >= 4)",
			"with x = labelled([[4.0]], axes: [week, rope])\nexpected y = 0\ngot y = 1\n"},
		{"a boundary", "inputs: {x: {axes: [rope]}, n: {}}\noutputs: {y: {}}\ncases:\n" +
			"  - {name: a, shown: true, inputs: {x: [80, 65.5, 90], n: 80}}\n", "y = count(x >= n)", "y = count(x > n)",
			"with x = labelled([0.0], axes: [rope])\nwith n = 0.0\nexpected y = 1\ngot y = 0\n"},
		{"a sign", one, "y = sum(x)", "y = -sum(x)",
			"with x = labelled([[1.0]], axes: [week, rope])\nexpected y = 1.0\ngot y = -1.0\n"},
		{"a scalar", "inputs: {n: {kind: int}}\noutputs: {y: {}}\ncases:\n  - {name: a, shown: true, inputs: {n: 5}}\n",
			"y = n + 2", "y = n * 2", "with n = 0\nexpected y = 2\ngot y = 0\n"},
		{"missing values", "inputs: {x: {axes: [_], missing: nan}}\noutputs: {y: {}}\ncases:\n" +
			"  - {name: a, shown: true, inputs: {x: [1, .nan, 4]}}\n", "y = sum(x, only: not is_nan(x))", "y = sum(x)",
			"with x = [nan]\nexpected y = 0.0\ngot y = nan\n"},
		{"an output that is not bound", one, "y = sum(x)", "z = sum(x)",
			"with x = labelled([[0.0]], axes: [week, rope])\nexpected y = 0.0\n"},
		{"a program that stops", one, "y = x[0, 0]", "y = x[0, 3]",
			"with x = labelled([[0.0]], axes: [week, rope])\nexpected y = 0.0\n"},
	} {
		t.Run(c.name, func(t *testing.T) {
			v := attempt(t, made(t, c.yaml, c.reference+"\n"), c.attempt+"\n")
			require.NotNil(t, v.Example)
			assert.Equal(t, c.want, lines(v.Example))
			assert.Equal(t, v.Findings[0].Code, v.Example.Code)
			assert.Equal(t, c.name == "a program that stops", v.Example.Error != nil)
		})
	}
}

// TestAnExampleRepeats: one attempt has one example, and what is right has none.
func TestAnExampleRepeats(t *testing.T) {
	exercises := prepared(t)
	for _, name := range []string{"rope-means", "ripe-fronds", "pigment-mix"} {
		p := exercises[name]
		assert.Nil(t, attempt(t, p, p.Exercise.Reference).Example)
		wrong := strings.Replace(p.Exercise.Reference, "=", "= 1 +", 1)
		first, second := attempt(t, p, wrong), attempt(t, p, wrong)
		require.NotNil(t, first.Example, name)
		assert.Equal(t, lines(first.Example), lines(second.Example))
		a, err := json.Marshal(first.Example)
		require.NoError(t, err)
		var again check.Example
		require.NoError(t, json.Unmarshal(a, &again))
		b, err := json.Marshal(again)
		require.NoError(t, err)
		assert.JSONEq(t, string(a), string(b), "it survives being stored")
	}
}

// TestHeldDataNeverEnterAnExample gives an exercise held data of one absurd value, and looks
// for it everywhere that a student or the search could put it.
func TestHeldDataNeverEnterAnExample(t *testing.T) {
	const absurd = "86753"
	p := made(t, "inputs: {x: {axes: [rope]}, k: {}}\noutputs: {y: {axes: [rope]}, z: {}}\ncases:\n"+
		"  - {name: open, shown: true, inputs: {x: [1, 2, 4], k: 3}}\n"+
		"  - {name: secret, inputs: {x: ["+absurd+", "+absurd+"], k: "+absurd+"}}\n", "y = x - k\nz = max(x) * k\n")
	found := 0
	for _, program := range []string{"y = x + k\nz = max(x) * k\n", "y = x - k\nz = min(x) * k\n", "y = k - x\nz = k\n",
		"y = x - k\nz = max(x) * pick(k > 9, 0, k)\n", "y = x[0 to 2] - k\nz = max(x) * k\n", "y = x[k]\nz = 1\n"} {
		v := attempt(t, p, program)
		require.NotEqual(t, check.Agrees, v.Verdict)
		if v.Example != nil {
			found++
		}
		text, err := json.Marshal(struct {
			Example *check.Example
			Student *check.Verdict
		}{v.Example, v.ForStudent(p.Exercise, 1)})
		require.NoError(t, err)
		assert.NotContains(t, string(text), absurd, program)
		assert.NotContains(t, string(text), "86750", program)
		assert.NotContains(t, string(text), "86756", program)
	}
	assert.Greater(t, found, 3)
}

// TestAnExampleFollowsThePolicy: it shows expected values, and says which code held cases have.
func TestAnExampleFollowsThePolicy(t *testing.T) {
	const yaml = "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\nfeedback: {%s}\ncases:\n" +
		"  - {name: open, shown: true, inputs: {x: [%s]}}\n  - {name: secret, inputs: {x: [5, -1, 2]}}\n"
	for _, c := range []struct {
		policy, shown string
		seen          bool
	}{
		{"values: shown", "1, -2", true}, {"values: never", "1, -2", false},
		{"held: code", "1, 2", true}, {"held: verdict", "1, 2", false}, {"held: nothing", "1, 2", false},
		{"held: nothing", "1, -2", true},
	} {
		t.Run(c.policy+" with "+c.shown, func(t *testing.T) {
			p := made(t, fmt.Sprintf(yaml, c.policy, c.shown), "y = sum(abs(x))\n")
			v := attempt(t, p, "y = sum(x)\n")
			require.NotNil(t, v.Example)
			assert.Equal(t, c.seen, v.ForStudent(p.Exercise, 1).Example != nil)
		})
	}
}

func TestNothingIsFoundWhereNothingCanBe(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\ncases:\n  - {name: open, shown: true, inputs: "+
		"{x: [1]}}\n",
		"y = sum(x)\n")
	assert.Nil(t, attempt(t, p, "y = = 2\n").Example, "a text that cannot run")
	assert.Nil(t, attempt(t, p, "y = sum(x)\n").Example, "a right answer")
	none := made(t, "outputs: {y: {}}\ncases:\n  - {name: open, shown: true}\n", "y = 2\n")
	v := attempt(t, none, "y = 3\n")
	assert.Equal(t, codes.ValueDiffers, v.Findings[0].Code)
	assert.Nil(t, v.Example, "no inputs, no data")
}

// TestAnExampleOfAFunctionHasBothResults: of the call that differs.
func TestAnExampleOfAFunctionHasBothResults(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\n"+
		"functions: {middle: {calls: [\"middle(x)\", \"middle(2 * x)\"]}}\n"+
		"cases:\n  - {name: a, shown: true, inputs: {x: [3.5, 7, 1, 2]}}\n",
		"function middle(v) = mean(v)\ny = sum(x)\n")
	v := attempt(t, p, "function middle(v) = max(v)\ny = sum(x)\n")
	require.NotNil(t, v.Example)
	require.Equal(t, "middle", *v.Example.Output)
	require.Contains(t, v.Example.Expected, "middle(x)")
	require.Contains(t, v.Example.Actual, "middle(x)")
	assert.NotEqual(t, dataio.Literal(v.Example.Expected["middle(x)"].Array),
		dataio.Literal(v.Example.Actual["middle(x)"].Array))
}
