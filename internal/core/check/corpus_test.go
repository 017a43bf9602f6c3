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

	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
)

// preparedCourses runs the references of courses.
func preparedCourses(t testing.TB, folders ...string) map[string]*check.Prepared {
	out := map[string]*check.Prepared{}
	for _, folder := range folders {
		c, problems := exercise.LoadCourse(os.DirFS(folder))
		require.Empty(t, problems)
		for _, e := range c.Exercises {
			p, problems := check.Prepare(context.Background(), e)
			require.Empty(t, problems, e.Name)
			out[e.Name] = p
		}
	}
	return out
}

func demoExercises(t testing.TB) map[string]*check.Prepared {
	return preparedCourses(t, "../../../demo/course", "../../../demo/course-from-one")
}

// judged counts what became of a corpus.
type judged struct {
	wrong, named, accepted, falsely int
	misses                          []string
}

// judge checks samples: every right answer must be marked right, every wrong one wrong.
func judge(t *testing.T, exercises map[string]*check.Prepared, samples []causes.Sample) judged {
	var j judged
	for _, s := range samples {
		p := exercises[s.Exercise]
		require.NotNil(t, p, s.Exercise)
		v, err := check.Attempt(context.Background(), p, s.Program, nil)
		require.NoError(t, err)
		where := fmt.Sprintf("%s:%d", s.Exercise, s.Line)
		if s.Right() {
			assert.Equal(t, check.Agrees, v.Verdict, "%s: %v", where, v.Findings)
			assert.Empty(t, v.Causes, where)
			continue
		}
		assert.NotEqual(t, check.Agrees, v.Verdict, where)
		told := "silence"
		if len(v.Causes) > 0 {
			told = fmt.Sprintf("%s %s | %s", v.Causes[0].Code, v.Causes[0].Evidence, v.Causes[0].Change)
		}
		if !s.Mess() {
			j.wrong++
		}
		switch {
		case len(v.Causes) == 0 && s.Mess():
			continue
		case len(v.Causes) == 0:
		case slices.Contains(s.Accepted, v.Causes[0].Code):
			j.named++
			j.accepted++
			continue
		default:
			j.named++
			j.falsely++
		}
		j.misses = append(j.misses, fmt.Sprintf("%s wanted %v: %s", where, s.Accepted, told))
	}
	t.Logf("%d wrong, %d named, %d accepted, %d false", j.wrong, j.named, j.accepted, j.falsely)
	for _, m := range j.misses {
		t.Log(m)
	}
	return j
}

// TestCorpus holds the floor that was reached: every right answer marked right, every
// wrong one wrong, nearly every first-named cause one that a fair teacher accepts, and
// silence on messes.
func TestCorpus(t *testing.T) {
	samples, err := causes.Corpus()
	require.NoError(t, err)
	j := judge(t, demoExercises(t), samples)
	assert.GreaterOrEqual(t, float64(j.accepted), 0.98*float64(j.wrong), "first-named causes that are accepted: %v",
		j.misses)
	assert.LessOrEqual(t, float64(j.falsely), 0.01*float64(j.wrong), "causes that are false: %v", j.misses)
}

// TestExercisesOfOtherKinds is the same for exercises that were written after the
// rules, over what the demo's do not use.
func TestExercisesOfOtherKinds(t *testing.T) {
	exercises := preparedCourses(t, "testdata/own", "testdata/own-from-one")
	var samples []causes.Sample
	files, err := filepath.Glob("testdata/*/exercises/*/attempts.txt")
	require.NoError(t, err)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		samples = append(samples, causes.Samples(filepath.Base(filepath.Dir(file)), string(text))...)
	}
	assert.Greater(t, len(samples), 280)
	j := judge(t, exercises, samples)
	assert.GreaterOrEqual(t, float64(j.accepted), 0.95*float64(j.wrong), "first-named causes that are accepted: %v",
		j.misses)
	assert.LessOrEqual(t, float64(j.falsely), 0.01*float64(j.wrong), "causes that are false: %v", j.misses)
}
