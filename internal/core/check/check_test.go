package check_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
)

const demo = "../../../demo"

// prepared reads the demo's exercises.
func prepared(t testing.TB) map[string]*check.Prepared {
	t.Helper()
	c, problems := exercise.LoadCourse(os.DirFS(filepath.Join(demo, "course")))
	require.Empty(t, problems)
	out := map[string]*check.Prepared{}
	for _, e := range c.Exercises {
		p, problems := check.Prepare(context.Background(), e)
		require.Empty(t, problems)
		out[e.Name] = p
	}
	return out
}

func attempt(t testing.TB, p *check.Prepared, text string) *check.Verdict {
	t.Helper()
	v, err := check.Attempt(context.Background(), p, text, nil)
	require.NoError(t, err)
	return v
}

func demoAttempt(t testing.TB, exercise, name string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(demo, "attempts", exercise, name+".nra"))
	require.NoError(t, err)
	return string(text)
}

func TestDemoVerdicts(t *testing.T) {
	all := prepared(t)
	for _, c := range []struct {
		exercise, name string
		verdict        check.Word
		earned         float64
		lead           string
	}{
		{"gain-on-start", "right-plain", check.Agrees, 3, ""},
		{"gain-on-start", "keeps-first", check.Differs, 2, "shape.differs"},
		{"gain-on-start", "step-by-step", check.Differs, 2.25, "value.differs"},
		{"gain-on-start", "no-fullness", check.Differs, 1, "output.missing"},
		{"gain-on-start", "loop", check.Refused, 0, ""},
		{"gain-on-start", "habit", check.Failed, 0, "text.habit"},
		{"gain-on-start", "column-capacity", check.Failed, 0.75, "shape.broadcast"},
		{"ripe-fronds", "right-pick", check.Agrees, 3, ""},
		{"ripe-fronds", "mask-not-count", check.Differs, 1, "kind.differs"},
		{"ripe-fronds", "strict", check.Differs, 1, "value.differs"},
		{"ripe-fronds", "loop", check.Agrees, 3, ""},
		{"rope-means", "right-by-hand", check.Agrees, 4, ""},
		{"rope-means", "kept-axes", check.Differs, 2, "shape.differs"},
		{"rope-means", "wrong-name", check.Failed, 0, "text.name"},
	} {
		t.Run(c.name, func(t *testing.T) {
			v := attempt(t, all[c.exercise], demoAttempt(t, c.exercise, c.name))
			assert.Equal(t, c.verdict, v.Verdict, c.name)
			assert.InDelta(t, c.earned, v.Points.Earned, 1e-9, c.name)
			lead := ""
			if len(v.Findings) > 0 {
				lead = string(v.Findings[0].Code)
			}
			assert.Equal(t, c.lead, lead, c.name)
		})
	}
	v := attempt(t, all["ripe-fronds"], demoAttempt(t, "ripe-fronds", "loop"))
	require.Len(t, v.Rules, 2, "each loop is told, and only warned of")
	assert.Greater(t, v.Rules[0].Cost.Attempt.Statements, v.Rules[0].Cost.Reference.Statements)
}

func TestAFindingSaysWhatDiffersAndWhere(t *testing.T) {
	p := prepared(t)["rope-means"]
	v := attempt(t, p, "per_rope = mean(growth over [week, rope])\nbest_week = max(growth over week)\n"+
		"best_week[1, all] += 1\nspread = 1\n")
	require.Equal(t, check.Differs, v.Verdict)
	f := v.Findings[0]
	assert.Equal(t, "spring", *f.Case)
	assert.Equal(t, "per_rope", *f.Output)
	assert.Equal(t, "`per_rope` has the shape [depth=4] where [rope=3] was expected", f.Message)
	assert.Equal(t, []int{3}, f.Expected.Shape)
	assert.Equal(t, []string{"depth"}, f.Actual.Labels)
	assert.Equal(t, [2]int{1, 12}, [2]int{f.Span.Line, f.Span.Column})
	var best *check.Finding
	for i := range v.Findings {
		if *v.Findings[i].Output == "best_week" && *v.Findings[i].Case == "spring" {
			best = &v.Findings[i]
		}
	}
	require.NotNil(t, best)
	assert.Equal(t, "`best_week` has the right shape, and 4 of its 12 elements differ: all 4 are in rope=1", best.Message)
	assert.Equal(t, 3, best.Span.Line, "the last statement that writes it")
	d := best.Differences
	assert.Equal(t, [2]int{4, 12}, [2]int{d.Count, d.Of})
	assert.InDelta(t, 1, *d.GreatestAbsolute.Value, 1e-9)
	assert.Len(t, d.Worst, 4)
	assert.Equal(t, 1, d.Worst[0].Position[0])
	assert.Equal(t, "`spread` is a scalar where [week=5] was expected", v.Findings[len(v.Findings)-3].Message)
}

func TestTheMachineReadableForm(t *testing.T) {
	v := attempt(t, prepared(t)["rope-means"], "per_rope = mean(growth over [week, rope])\n")
	text, err := json.Marshal(v)
	require.NoError(t, err)
	var form map[string]any
	require.NoError(t, json.Unmarshal(text, &form))
	for _, key := range []string{"verdict", "points", "findings", "causes", "cases", "rules"} {
		t.Run(key, func(t *testing.T) {
			assert.Contains(t, form, key)
		})
	}
	finding := form["findings"].([]any)[0].(map[string]any)
	for _, key := range []string{"code", "case", "output", "message", "hint", "expected", "actual", "span",
		"differences"} {
		t.Run(key, func(t *testing.T) {
			assert.Contains(t, finding, key)
		})
	}
	assert.Equal(t, map[string]any{"kind": "real", "shape": []any{3.0}, "axes": []any{"rope"}}, finding["expected"])
	var back check.Verdict
	require.NoError(t, json.Unmarshal(text, &back))
	again, err := json.Marshal(&back)
	require.NoError(t, err)
	assert.JSONEq(t, string(text), string(again))
}

// TestNothingOfAHeldCaseLeaks looks for a held case's values in all that a student
// can get of any demo attempt.
func TestNothingOfAHeldCaseLeaks(t *testing.T) {
	for name, p := range prepared(t) {
		held := map[string]bool{}
		for _, c := range p.Cases {
			held[c.Name] = !c.Shown
		}
		files, err := filepath.Glob(filepath.Join(demo, "attempts", name, "*.nra"))
		require.NoError(t, err)
		for _, file := range files {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			full := attempt(t, p, string(text))
			seen := full.ForStudent(p.Exercise, 1)
			for _, f := range full.Findings {
				if f.Case == nil || !held[*f.Case] {
					assert.Contains(t, seen.Findings, f, "what shown cases find is reported in full")
				}
			}
			told := map[string]int{}
			for _, f := range seen.Findings {
				if f.Case != nil && held[*f.Case] {
					told[*f.Case]++
					assert.Equal(t, check.Finding{Code: f.Code, Case: f.Case, Message: f.Message, Hint: f.Hint}, f,
						"%s: the code alone", file)
				}
			}
			for name, n := range told {
				assert.Equal(t, 1, n, "%s: the first finding of %s alone", file, name)
			}
			for _, c := range seen.Cases {
				if held[c.Name] {
					assert.Zero(t, c.Cells+c.Statements)
					assert.Empty(t, c.Notices)
				}
			}
			for _, r := range seen.Rules {
				assert.Nil(t, r.Cost)
			}
		}
	}
}

func TestHeldErrorsKeepTheirDataToThemselves(t *testing.T) {
	p := prepared(t)["ripe-fronds"]
	v := attempt(t, p, "ripe = count(fronds >= ripe_at over depth)\ntrimmed = fronds\nbad = fronds[3, 2]\n").
		ForStudent(p.Exercise, 1)
	require.Equal(t, check.Failed, v.Verdict)
	last := v.Findings[len(v.Findings)-1]
	assert.Equal(t, "the program stops with select.range (a position outside its axis) on hidden data", last.Message)
	assert.Nil(t, last.Span, "nor the line")
}

func TestValuesCanBeKeptBack(t *testing.T) {
	p := prepared(t)["rope-means"]
	e := *p.Exercise
	e.Values = "never"
	v := attempt(t, p, "per_rope = 2 * mean(growth over [week, depth])\nbest_week = 1\nspread = 1").ForStudent(&e, 1)
	assert.Nil(t, v.Findings[0].Differences)
}

func TestTheSameBytesWhateverTheOrder(t *testing.T) {
	all := prepared(t)
	files, err := filepath.Glob(filepath.Join(demo, "attempts", "*", "*.nra"))
	require.NoError(t, err)
	results := make([][2]string, len(files))
	var wg sync.WaitGroup
	for round := range 2 {
		for i := range files {
			wg.Go(func() {
				k := i
				if round == 1 {
					k = len(files) - 1 - i
				}
				text, _ := os.ReadFile(files[k])
				v, _ := check.Attempt(context.Background(), all[filepath.Base(filepath.Dir(files[k]))], string(text), nil)
				bytes, _ := json.Marshal(v)
				results[k][round] = string(bytes)
			})
		}
	}
	wg.Wait()
	for i, r := range results {
		assert.Equal(t, r[0], r[1], files[i])
	}
}

func TestRunningOutOfSecondsGivesNoVerdict(t *testing.T) {
	p := prepared(t)["rope-means"]
	_, err := check.Attempt(context.Background(), p, "x = 1\nrepeat up to 90000 until false {\n  x = x + 1\n}\n",
		func(ctx context.Context) (context.Context, context.CancelFunc) {
			return context.WithDeadline(ctx, time.Unix(0, 0))
		})
	assert.ErrorIs(t, err, check.ErrOutOfTime)
}

func TestLimitsFailAnAttempt(t *testing.T) {
	v := attempt(t, prepared(t)["rope-means"], "x = zeros(100000, 100000)")
	assert.Equal(t, check.Failed, v.Verdict)
	assert.Equal(t, "run.limit", string(v.Findings[0].Code))
}

func TestAReferenceThatDoesNotHold(t *testing.T) {
	for text, want := range map[string]string{
		"per_rope = mean(growth over [week, depth]":                                     "cannot run",
		"per_rope = mean(grwth)":                                                        "cannot run",
		"per_rope = growth[9, all, all]":                                                "stops",
		"per_rope = mean(growth over [week, depth])\nbest_week = max(growth over week)": "never binds the output `spread`",
		"per_rope = mean(growth)\nbest_week = max(growth over week)\nspread = [1]":      "1 axes are declared",
		"each w in growth {\n  per_rope = 1\n}":                                         "breaks the exercise's own rule",
	} {
		t.Run(text, func(t *testing.T) {
			e := *prepared(t)["rope-means"].Exercise
			e.Reference = text
			_, problems := check.Prepare(context.Background(), &e)
			require.NotEmpty(t, problems, text)
			assert.Contains(t, problems[0].Message, want)
			assert.True(t, strings.HasSuffix(problems[0].File, "reference.nra"))
		})
	}
}

func TestRecursionIsALoop(t *testing.T) {
	v := attempt(t, prepared(t)["rope-means"], "function f(n) {\n  if n > 0 {\n    return g(n - 1)\n  }\n  return 0\n"+
		"}\nfunction g(n) = f(n)\nper_rope = mean(growth over [week, depth])\nbest_week = max(growth over week) + f(3)\n"+
		"spread = max(growth over [rope, depth]) - min(growth over [rope, depth])")
	assert.Equal(t, check.Refused, v.Verdict)
	assert.Len(t, v.Rules, 2)
}

func TestSides(t *testing.T) {
	p := prepared(t)["rope-means"]
	text := "per_rope = mean(growth over [week, depth]) + [0, 1, 0]\nbest_week = 1\nspread = 1"
	s, err := check.Compare(context.Background(), p, text, "spring", "per_rope", nil)
	require.NoError(t, err)
	assert.Equal(t, []bool{true, false, true}, s.Within.Bools())
	assert.InDelta(t, 1, s.Difference.Reals()[1], 1e-12)
	s, err = check.Compare(context.Background(), p, text, "spring", "best_week", nil)
	require.NoError(t, err)
	assert.Nil(t, s.Difference)
	assert.NotNil(t, s.Actual)
	s, err = check.Compare(context.Background(), p, text, "winter", "per_rope", nil)
	require.NoError(t, err)
	assert.Nil(t, s)
}

func BenchmarkAttempt(b *testing.B) {
	p := prepared(b)["rope-means"]
	text := demoAttempt(b, "rope-means", "per-depth")
	for b.Loop() {
		if _, err := check.Attempt(context.Background(), p, text, nil); err != nil {
			b.Fatal(err)
		}
	}
}

func ExampleAttempt() {
	c, _ := exercise.LoadCourse(os.DirFS(filepath.Join(demo, "course")))
	p, _ := check.Prepare(context.Background(), c.Find("rope-means"))
	v, _ := check.Attempt(context.Background(), p, "per_rope = mean(growth over [week, rope])\nbest_week = max(growth "+
		"over week)\nspread = 0", nil)
	fmt.Println(v.Verdict, v.Findings[0].Code)
	// Output: differs shape.differs
}
