package check_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
)

// attacks are programs that write what they read of a held case into something that a
// verdict says. Each is run with every secret; a program of `one` must give its student
// the same bytes whatever the secret is.
var attacks = []struct{ channel, program string }{
	{"value", "y = x + k\nz = k\n"},
	{"shape of an output", "y = zeros(int(k))\nz = 0\n"},
	{"number of axes", "y = zeros(1, 2, 3)\nif k > 4 { y = zeros(int(k), 1, 1, 1) }\nz = 0\n"},
	{"line of an error", "y = x\nz = 0\nif k == 1 { z = x[9] }\nif k == 2 {\n z = x[9]\n}\nif k == 3 { z = x[10] }\n" +
		"if k > 3 {\n\n z = x[9] }\n"},
	{"words of an error", "y = x\nz = x[int(1000 * k)]\n"},
	{"shapes of an error", "y = x\nz = zeros(int(k) + 7) + x\n"},
	{"place in a line", "y = x\nz = x[int(pick(k > 4, 99, 0))] + x[int(pick(k > 4, 0, 99))]\n"},
	{"notices", "y = x\nz = 1\neach i in zeros(int(k)) { z = sqrt(-1.0 - i) }\nz = 4\n"},
	{"statements", "y = x\nz = 0\neach i in zeros(int(10 * k)) { z = 3 }\n"},
	{"cells", "y = x\nz = 4 + 0 * sum(zeros(int(1000 * k)))\n"},
	{"where differences lie", "y = x * 2\ny[int(k) mod 3] = 99\nz = 0\n"},
	{"how many differ", "y = x * 2\neach i in 0 before int(k) mod 3 { y[i] = 7 }\nz = 0\n"},
	{"a step", "y = x\nz = 0\nif k > 4 { w = 1 }\n"},
	{"a step's shape", "w = zeros(int(k))\ny = x\nz = 0\n"},
	{"a function's result", "function twice(v) = v[0] + sum(v) * 3 + 1\ny = x\nz = k\n"},
	{"an input written into", "y = x\nz = 0\nif k > 4 { x[int(k) mod 2] = 7 }\n"},
	{"which input is written into", "y = x\nz = 0\nif k > 4 { x[0] = 7 } else { v[0] = 7 }\n"},
	{"cost", "y = x * 2\nz = sum(zeros(int(10000 * k))) - sum(x)\n"},
	{"a property", "y = x * 2\nz = sum(y) + k\n"},
	{"kind", "y = x\nz = x > k\n"},
	{"codes", "y = x * 2\nif k > 6 { z = 1 div int(k - k) } else { if k > 4 { z = x[9] } else { if k > 3 { z = " +
		"zeros(2) } else { z = 3 } } }\n"},
	{"verdict", "y = x * 2\nz = sum(y)\nif k > 4 { z = 0 }\n"},
}

// exerciseWith holds data of which a student must learn nothing.
func exerciseWith(t *testing.T, k int, policy string) *check.Prepared {
	t.Helper()
	return made(t, fmt.Sprintf(`inputs: {x: {axes: [rope]}, v: {}, k: {}}
outputs: {y: {axes: [rope], points: 2}, z: {}}
steps: {w: {}}
functions: {twice: {calls: ["twice(x)"]}}
properties: [{holds: "z >= -1e9", says: z is no abyss}]
rules: {loops: warn, inputs_unchanged: true, cost: {cells: 500}}
feedback: {%s}
cases:
  - {name: open, shown: true, inputs: {x: [1, 4, 2], v: [1], k: 1}}
  - {name: secret, inputs: {x: [%d, 5, 3], v: [%d], k: %d}}
`, policy, 40+k, k, k), "function twice(v) = 2 * v\nw = x * 2\ny = w\nz = sum(y)\n")
}

// TestWhatAHeldCaseTells plays the attacker: whatever a program does with what it reads of
// a held case, two data sets give its student the same bytes unless the codes of the held
// case, the verdict, the points, the rules or the causes differ. These are the bits that
// remain; docs/checking.md states them.
func TestWhatAHeldCaseTells(t *testing.T) {
	type key struct{ codes, verdict, points, rules, causes, example string }
	for _, attack := range attacks {
		t.Run(attack.channel, func(t *testing.T) {
			views := map[key]string{}
			for k := 1; k <= 8; k++ {
				p := exerciseWith(t, k, "causes: always")
				v := attempt(t, p, attack.program)
				seen := v.ForStudent(p.Exercise, 1)
				text, err := json.Marshal(seen)
				require.NoError(t, err)
				at := key{verdict: string(v.Verdict), points: fmt.Sprint(v.Points.Earned)}
				for _, c := range v.Cases[1:] {
					at.codes = string(c.Verdict)
					if c.Code != nil {
						at.codes += string(*c.Code)
					}
				}
				for _, r := range v.Rules {
					at.rules += string(r.Code)
				}
				for _, c := range seen.Causes {
					at.causes += string(c.Code) + c.Confidence + c.Evidence
				}
				if x := seen.Example; x != nil {
					at.example = string(x.Code)
					if x.Output != nil {
						at.example += *x.Output
					}
				}
				if before, ok := views[at]; ok {
					assert.Equal(t, before, string(text), "k = %d", k)
				}
				views[at] = string(text)
			}
			t.Logf("%d of 8 data sets told apart: %v", len(views), slices.Collect(maps.Keys(views)))
		})
	}
}

// TestWhatAHeldCaseMayTellCanBeNarrowed reads the same attempt under each policy.
func TestWhatAHeldCaseMayTellCanBeNarrowed(t *testing.T) {
	program := "y = zeros(int(k))\nz = 0\n"
	view := func(policy string) *check.Verdict {
		p := exerciseWith(t, 5, policy)
		return attempt(t, p, program).ForStudent(p.Exercise, 1)
	}
	held := func(v *check.Verdict) (cases []check.CaseLine, findings []check.Finding) {
		for _, c := range v.Cases {
			if c.Name == "secret" {
				cases = append(cases, c)
			}
		}
		for _, f := range v.Findings {
			if f.Case != nil && *f.Case == "secret" {
				findings = append(findings, f)
			}
		}
		return cases, findings
	}
	cases, findings := held(view("held: code"))
	require.Len(t, cases, 1)
	require.Len(t, findings, 1, "the first alone, though two outputs differ")
	assert.Equal(t, "shape.differs", string(findings[0].Code))
	assert.Equal(t, "shape.differs", string(*cases[0].Code))
	assert.Nil(t, findings[0].Output)
	assert.Nil(t, findings[0].Span)
	assert.Nil(t, findings[0].Expected)
	assert.Nil(t, findings[0].Actual)
	assert.Equal(t, "another shape than expected on hidden data", findings[0].Message)
	cases, findings = held(view("held: verdict"))
	require.Len(t, cases, 1)
	assert.Equal(t, check.Differs, cases[0].Verdict)
	assert.Nil(t, cases[0].Code)
	assert.Empty(t, findings)
	cases, findings = held(view("held: nothing"))
	assert.Empty(t, cases)
	assert.Empty(t, findings)
}

// TestACauseTellsAPlaceOnlyWithAShownCase: what only held cases show has no output and no
// line for its student.
func TestACauseTellsAPlaceOnlyWithAShownCase(t *testing.T) {
	open := "feedback: {values: never}\ncases:\n  - {name: open, shown: true, inputs: {x: [1, 2, 4], k: %s}}\n" +
		"  - {name: secret, inputs: {x: [5, " +
		"-1, 2], k: 7}}\n"
	for shown, told := range map[string]bool{"0": false, "3": true} {
		t.Run(shown, func(t *testing.T) {
			p := made(t, "inputs: {x: {axes: [rope]}, k: {}}\noutputs: {y: {axes: [rope]}}\n"+fmt.Sprintf(open, shown),
				"y = x - k\n")
			v := attempt(t, p, "y = x + k\n")
			require.Equal(t, check.Differs, v.Verdict)
			require.NotEmpty(t, v.Causes)
			require.NotNil(t, v.Causes[0].Span)
			seen := v.ForStudent(p.Exercise, 1)
			require.NotEmpty(t, seen.Causes)
			assert.Equal(t, told, seen.Causes[0].Span != nil, shown)
			assert.Equal(t, told, seen.Causes[0].Output != nil, shown)
			assert.Empty(t, seen.Causes[0].Change)
		})
	}
}

// TestACauseTellsAPlaceWithAnExample: what only hidden cases show is told on data of its own.
func TestACauseTellsAPlaceWithAnExample(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}, k: {}}\noutputs: {y: {axes: [rope]}}\ncases:\n  - {name: open, "+
		"shown: true, "+
		"inputs: {x: [1, 2, 4], k: 0}}\n  - {name: secret, inputs: {x: [5, -1, 2], k: 7}}\n", "y = x - k\n")
	seen := attempt(t, p, "y = x + k\n").ForStudent(p.Exercise, 1)
	require.NotNil(t, seen.Example)
	require.NotEmpty(t, seen.Causes)
	assert.NotNil(t, seen.Causes[0].Span)
	assert.Equal(t, "y", *seen.Causes[0].Output)
}

// TestAShownCaseKeepsItsError: an error that a held and a shown case meet at one place is
// told of the shown one.
func TestAShownCaseKeepsItsError(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {y: {}}\ncases:\n  - {name: secret, inputs: {x: [5, -1, 2]}}\n"+
		"  - {name: open, shown: true, inputs: {x: [1, 2]}}\n", "y = sum(x)\n")
	seen := attempt(t, p, "y = x[7]\n").ForStudent(p.Exercise, 1)
	require.Len(t, seen.Findings, 2)
	assert.Equal(t, "open", *seen.Findings[0].Case)
	assert.Contains(t, seen.Findings[0].Message, "7")
	assert.Equal(t, "secret", *seen.Findings[1].Case)
	assert.Nil(t, seen.Findings[1].Span)
}

func TestTheLeadThatEveryPolicyLetsShow(t *testing.T) {
	p := exerciseWith(t, 5, "causes: never, held: nothing")
	lead := func(program string) string {
		code, output := attempt(t, p, program).OpenLead(p.Exercise)
		return string(code) + " " + output
	}
	assert.Equal(t, "value.differs y", lead("y = x\nz = 2 * sum(x)\n"))
	assert.Equal(t, " ", lead("function twice(v) = 2 * v\nw = 2 * x\ny = w\nz = pick(k > 1, 0.0, sum(y))\n"),
		"what held cases alone show is not told")
	assert.Equal(t, "text.syntax ", lead("y = = 2\n"))
	assert.True(t, check.TellsCauses(&exercise.Exercise{Causes: "after", After: 3}, 3))
	assert.False(t, check.TellsCauses(&exercise.Exercise{Causes: "after", After: 3}, 2))
}
