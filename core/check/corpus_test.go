package check_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/core/check"
	"nimbusreach/core/exercise"
)

// sample is one attempt of the corpus with what a fair teacher would say of it:
// causes, "right" or "mess".
type sample struct {
	exercise, text string
	accepted       []string
	line           int
}

func corpus(t testing.TB) []sample {
	files, err := filepath.Glob(filepath.Join("..", "causes", "testdata", "*.txt"))
	require.NoError(t, err)
	var out []sample
	for _, file := range files {
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		name := strings.TrimSuffix(filepath.Base(file), ".txt")
		for i, line := range strings.Split(string(raw), "\n") {
			if words, ok := strings.CutPrefix(line, "= "); ok {
				out = append(out, sample{exercise: name, accepted: strings.Fields(words), line: i + 1})
			} else if len(out) > 0 {
				out[len(out)-1].text += line + "\n"
			}
		}
	}
	return out
}

func demoExercises(t testing.TB) map[string]*check.Prepared {
	out := map[string]*check.Prepared{}
	for _, folder := range []string{"course", "course-from-one"} {
		c, problems := exercise.LoadCourse(os.DirFS(filepath.Join("..", "..", "demo", folder)))
		require.Empty(t, problems)
		for _, e := range c.Exercises {
			p, problems := check.Prepare(context.Background(), e)
			require.Empty(t, problems, e.Name)
			out[e.Name] = p
		}
	}
	return out
}

// TestCorpus holds the floor that was reached: every right answer marked right, every
// wrong one wrong, nearly every first-named cause one that a fair teacher accepts, and
// silence on messes.
func TestCorpus(t *testing.T) {
	exercises := demoExercises(t)
	wrong, named, accepted, false_ := 0, 0, 0, 0
	var misses []string
	for _, s := range corpus(t) {
		p := exercises[s.exercise]
		require.NotNil(t, p, s.exercise)
		v, err := check.Attempt(context.Background(), p, s.text, nil)
		require.NoError(t, err)
		where := fmt.Sprintf("%s.txt:%d", s.exercise, s.line)
		switch s.accepted[0] {
		case "right":
			assert.Equal(t, check.Agrees, v.Verdict, "%s: %v", where, v.Findings)
			assert.Empty(t, v.Causes, where)
			continue
		case "mess":
			assert.NotEqual(t, check.Agrees, v.Verdict, where)
			if len(v.Causes) > 0 {
				false_++
				misses = append(misses, fmt.Sprintf("%s mess: %s %s | %s", where, v.Causes[0].Code, v.Causes[0].Evidence, v.Causes[0].Change))
			}
			continue
		}
		wrong++
		assert.NotEqual(t, check.Agrees, v.Verdict, where)
		if len(v.Causes) == 0 {
			misses = append(misses, fmt.Sprintf("%s silent: %v", where, s.accepted))
			continue
		}
		named++
		if slices.Contains(s.accepted, v.Causes[0].Code) {
			accepted++
			continue
		}
		false_++
		misses = append(misses, fmt.Sprintf("%s wanted %v: %s %s %s | %s", where, s.accepted, v.Causes[0].Code, v.Causes[0].Confidence, v.Causes[0].Evidence, v.Causes[0].Change))
	}
	assert.GreaterOrEqual(t, float64(accepted), 0.98*float64(wrong), "first-named causes that are accepted: %v", misses)
	assert.LessOrEqual(t, float64(false_), 0.01*float64(wrong), "causes that are false: %v", misses)
	t.Logf("%d wrong, %d named, %d accepted, %d false", wrong, named, accepted, false_)
	for _, m := range misses {
		t.Log(m)
	}
}
