package demo_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/demo"
	"nimbusreach/internal/core/causes"
)

// TestTheStoryIsBelievable: over six weeks, in the order of time, with mistakes that cluster, some who try nine times
// and some who never do.
func TestTheStoryIsBelievable(t *testing.T) {
	story, err := demo.Story()
	require.NoError(t, err)
	again, err := demo.Story()
	require.NoError(t, err)
	assert.Equal(t, story, again, "it is the same at every call")
	assert.True(t, slices.IsSortedFunc(story, func(a, b demo.Attempt) int { return int(a.At - b.At) }))
	assert.Less(t, story[0].At, -35*24*time.Hour)
	last := story[len(story)-1]
	assert.Less(t, last.At, time.Duration(0), "nothing lies ahead of the demo's start")
	assert.Greater(t, last.At, -10*time.Minute, "and it begins in the middle of an evening")

	wrong, common := map[string]int{}, map[string]map[string]int{}
	tries, ways := map[string]int{}, map[string]map[string]bool{}
	students, right := map[string]bool{}, rightOnes(t)
	for _, a := range story {
		students[a.Student] = true
		tries[a.Student+" "+a.Exercise]++
		if strings.HasPrefix(a.Name, "right") || right[a.Exercise+" "+a.Name] {
			continue
		}
		wrong[a.Exercise]++
		if common[a.Exercise] == nil {
			common[a.Exercise], ways[a.Exercise] = map[string]int{}, map[string]bool{}
		}
		common[a.Exercise][a.Name]++
		ways[a.Exercise][a.Program] = true
	}
	assert.Len(t, students, 37, "three of forty never begin")
	nine := 0
	for _, n := range tries {
		if n >= 9 {
			nine++
		}
	}
	assert.GreaterOrEqual(t, nine, 2)
	clustered := 0
	for exercise, names := range common {
		most := 0
		for _, n := range names {
			most = max(most, n)
		}
		if 3*most >= wrong[exercise] {
			clustered++
		}
		assert.Greater(t, len(ways[exercise]), 3, "%s is written in few ways", exercise)
	}
	assert.GreaterOrEqual(t, clustered, 14, "of 17 exercises: a third of the wrong attempts are one mistake")
}

// rightOnes are the names of the right answers of the corpus, by exercise and name.
func rightOnes(t *testing.T) map[string]bool {
	t.Helper()
	samples, err := causes.Corpus()
	require.NoError(t, err)
	out := map[string]bool{}
	for _, s := range samples {
		out[fmt.Sprint(s.Exercise, " sample-", s.Line)] = s.Right()
	}
	return out
}
