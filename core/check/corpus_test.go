package check_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/core/causes"
	"nimbusreach/core/check"
	"nimbusreach/core/exercise"
)

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
	samples, err := causes.Corpus()
	require.NoError(t, err)
	for _, s := range samples {
		p := exercises[s.Exercise]
		require.NotNil(t, p, s.Exercise)
		v, err := check.Attempt(context.Background(), p, s.Program, nil)
		require.NoError(t, err)
		where := fmt.Sprintf("%s.txt:%d", s.Exercise, s.Line)
		switch {
		case s.Right():
			assert.Equal(t, check.Agrees, v.Verdict, "%s: %v", where, v.Findings)
			assert.Empty(t, v.Causes, where)
			continue
		case s.Mess():
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
			misses = append(misses, fmt.Sprintf("%s silent: %v", where, s.Accepted))
			continue
		}
		named++
		if slices.Contains(s.Accepted, v.Causes[0].Code) {
			accepted++
			continue
		}
		false_++
		misses = append(misses, fmt.Sprintf("%s wanted %v: %s %s %s | %s", where, s.Accepted, v.Causes[0].Code, v.Causes[0].Confidence, v.Causes[0].Evidence, v.Causes[0].Change))
	}
	assert.GreaterOrEqual(t, float64(accepted), 0.98*float64(wrong), "first-named causes that are accepted: %v", misses)
	assert.LessOrEqual(t, float64(false_), 0.01*float64(wrong), "causes that are false: %v", misses)
	t.Logf("%d wrong, %d named, %d accepted, %d false", wrong, named, accepted, false_)
	for _, m := range misses {
		t.Log(m)
	}
}
