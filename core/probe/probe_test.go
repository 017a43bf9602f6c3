package probe_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"nimbusreach/core/check"
	"nimbusreach/core/exercise"
	"nimbusreach/core/probe"
)

func TestDemo(t *testing.T) {
	course, problems := exercise.LoadCourse(os.DirFS(filepath.Join("..", "..", "demo", "course")))
	require.Empty(t, problems)
	for _, e := range course.Exercises {
		p, problems := check.Prepare(context.Background(), e)
		require.Empty(t, problems)
		start := time.Now()
		r := probe.Run(context.Background(), p, probe.Options{})
		t.Logf("%s: %d slips, %d caught, %d equivalent, %.3f in %v", e.Name, r.Slips, r.Caught, r.Equivalent, r.Share(), time.Since(start))
		for _, s := range r.Survivors {
			t.Logf("   %s %s | %s | %s | %s", s.Cause, s.Change, s.Changed, s.Try, s.YAML)
		}
	}
}
