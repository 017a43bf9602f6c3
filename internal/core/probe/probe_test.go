package probe_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/probe"
)

func prepared(t *testing.T, yaml, reference string) *check.Prepared {
	t.Helper()
	e, problems := exercise.LoadExercise(fstest.MapFS{"exercise.yaml": {Data: []byte(yaml)},
		"reference.nra": {Data: []byte(reference)}, "prompt.md": {Data: []byte("p")}}, "kelp")
	require.Empty(t, problems)
	p, problems := check.Prepare(context.Background(), e)
	require.Empty(t, problems)
	return p
}

// TestTheDemoIsCaught holds every exercise of the demo above the course's own bar.
func TestTheDemoIsCaught(t *testing.T) {
	for _, folder := range []string{"course", "course-from-one"} {
		t.Run(folder, func(t *testing.T) {
			course, problems := exercise.LoadCourse(os.DirFS(filepath.Join("..", "..", "..", "demo", folder)))
			require.Empty(t, problems)
			for _, e := range course.Exercises {
				p, problems := check.Prepare(context.Background(), e)
				require.Empty(t, problems)
				r := probe.Run(context.Background(), p, probe.Options{})
				assert.GreaterOrEqual(t, r.Share(), 0.95, "%s: %v", e.Name, r.Survivors)
				assert.Greater(t, r.Slips, 15, e.Name)
				assert.False(t, r.Stopped)
			}
		})
	}
}

const weak = "title: Weak\ninputs: {x: {axes: [rope]}}\noutputs: {n: {}}\ncases:\n  - {name: a, shown: true, " +
	"inputs: {x: [1, 5, 2.5]}}\n  - {name: b, inputs: {x: [7, 1, 2, 9.5]}}\n"

func TestSurvivorsComeWithDataThatCatchThem(t *testing.T) {
	p := prepared(t, weak, "n = count(x > 3)\n")
	seen := 0
	r := probe.Run(context.Background(), p, probe.Options{Progress: func(done, of int) {
		seen = max(seen,
			done)
		assert.LessOrEqual(t, done, of)
	}})
	require.NotEmpty(t, r.Survivors)
	assert.Equal(t, r.Slips, r.Caught+len(r.Survivors)+r.Equivalent)
	var cases []string
	found := false
	for _, s := range r.Survivors {
		assert.Equal(t, 1, s.Line)
		assert.NotEmpty(t, s.Try)
		if s.Change == "> → >=" {
			found = true
			assert.Equal(t, codes.MaskBoundary, s.Cause)
			assert.Equal(t, "n = count(x >= 3)", s.Changed)
		}
		if s.YAML != "" {
			cases = append(cases, s.YAML)
		}
	}
	require.True(t, found)
	assert.Positive(t, seen)
	text, err := exercise.AddCases(weak, exercise.Renumbered(weak, cases))
	require.NoError(t, err)
	again := probe.Run(context.Background(), prepared(t, text, "n = count(x > 3)\n"), probe.Options{})
	assert.Empty(t, again.Survivors, "the data it gives do catch them: %s", text)
}

func TestMarksStandWhileTheReferenceStands(t *testing.T) {
	p := prepared(t, weak, "n = count(x > 3)\n")
	before := probe.Run(context.Background(), p, probe.Options{})
	marked, err := exercise.AddEquivalent(weak, "> → >=", "whole cm are never measured", probe.Reference(p))
	require.NoError(t, err)
	after := probe.Run(context.Background(), prepared(t, marked, "n = count(x > 3)\n"), probe.Options{})
	assert.Equal(t, len(before.Survivors)-1, len(after.Survivors))
	assert.Equal(t, 1, after.Marked)
	assert.Equal(t, before.Equivalent+1, after.Equivalent)
	changed := probe.Run(context.Background(), prepared(t, marked, "n = count(x > 3) + 0 * sum(x)\n"), probe.Options{})
	assert.Zero(t, changed.Marked, "another reference, another look")
}

func TestSlipsThatChangeNothingAreNotCounted(t *testing.T) {
	p := prepared(t, "title: E\ninputs: {x: {axes: [rope]}}\noutputs: {y: {axes: [rope]}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {x: [1.5, -5, 2.5]}}\n  - {name: b, inputs: {x: [0, 7.25]}}\n",
		"y = pick(x > 0, x, 0)\n")
	r := probe.Run(context.Background(), p, probe.Options{})
	for _, s := range r.Survivors {
		assert.NotEqual(t, "> → >=", s.Change, "at 0 both give 0")
	}
	assert.Positive(t, r.Equivalent)
}

func TestProbingStopsAtItsBound(t *testing.T) {
	p := prepared(t, "title: L\ninputs: {x: {axes: [_, _]}}\noutputs: {y: {}}\ncases:\n  - {name: a, shown: true, "+
		"draw: {inputs: {x: {shape: [300, 300], from: normal}}}}\n  - {name: b, draw: {inputs: {x: {shape: [200, 310], "+
		"from: normal}}}}\n",
		"y = sum(median(x over 0)) + sum(sort(x along 1)[0, all] * x[1, all])\n")
	r := probe.Run(context.Background(), p, probe.Options{Time: time.Nanosecond})
	assert.True(t, r.Stopped)
	assert.Empty(t, r.Survivors, "what was not tried survives nothing")
	assert.Len(t, probe.Reference(p), 8)
	long := prepared(t, "title: L\ninputs: {x: {axes: [_]}}\noutputs: {y: {}}\ncases:\n  - {name: a, shown: true, "+
		"inputs: {x: [1, 4, 2]}}\n", "idle = 1"+strings.Repeat(" + 1", 15_000)+"\ny = mean(x)\n")
	r = probe.Run(context.Background(), long, probe.Options{})
	assert.True(t, r.Stopped)
	assert.Zero(t, r.Slips, "a reference too long has none tried")
}

// TestAFaultWhileProbingIsOneFault damages what the workers run on: the panic of one of
// them reaches whoever asked, with its own stack.
func TestAFaultWhileProbingIsOneFault(t *testing.T) {
	p := prepared(t, "title: E\ninputs: {x: {axes: [rope]}}\noutputs: {y: {axes: [rope]}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {x: [1.5, -5, 2.5]}}\n", "y = pick(x > 0, x, 0)\n")
	for i := range p.Cases {
		p.Cases[i].Case = nil
	}
	err := guard.Call("probing", func() error { probe.Run(context.Background(), p, probe.Options{}); return nil })
	f := guard.As(err)
	require.NotNil(t, f, "%v", err)
	assert.Contains(t, string(f.Stack), "core/check.(*Prepared)")
}

// TestProbingRepeats probes an exercise of two inputs many times: the data it offers do not
// depend on the order in which a map is walked.
func TestProbingRepeats(t *testing.T) {
	yaml := "title: Two inputs\ninputs: {x: {axes: [rope]}, y: {axes: [rope]}, k: {}}\noutputs: {out: {}}\n" +
		"cases:\n  - {name: a, shown: true, inputs: {x: [1, 5, 2.5], y: [2, 2, 7], k: 3}}\n"
	p := prepared(t, yaml, "out = count(x > k and y < 6)\n")
	first := probe.Run(context.Background(), p, probe.Options{})
	require.NotEmpty(t, first.Survivors)
	for range 20 {
		again := probe.Run(context.Background(), p, probe.Options{})
		require.Equal(t, len(first.Survivors), len(again.Survivors))
		for i := range first.Survivors {
			require.Equal(t, first.Survivors[i].YAML, again.Survivors[i].YAML)
		}
	}
}
