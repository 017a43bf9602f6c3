package skeletons_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/core/skeletons"
)

// TestEverySkeletonPassesInspect: an instructor begins from an exercise that has no fault of its own.
func TestEverySkeletonPassesInspect(t *testing.T) {
	list, err := skeletons.All()
	require.NoError(t, err)
	require.Len(t, list, len(exercise.Topics), "one for each topic")
	for i, s := range list {
		t.Run(s.Topic, func(t *testing.T) {
			assert.Equal(t, exercise.Topics[i], s.Topic)
			folder, err := exercise.Files(s.Files)
			require.NoError(t, err)
			e, problems := exercise.LoadExercise(folder, s.Topic)
			require.Empty(t, problems)
			assert.Equal(t, e.Title, s.Title)
			assert.Equal(t, []string{s.Topic}, e.Topics)
			p, problems := check.Prepare(context.Background(), e)
			require.Empty(t, problems)
			found, probed := advice.Inspect(context.Background(), p, probe.Options{})
			assert.Empty(t, found)
			assert.Empty(t, probed.Survivors)
			assert.Greater(t, probed.Caught, 10)
		})
	}
}
