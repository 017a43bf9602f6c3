package advice_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
)

// TestWhatACourseIsTold looks at what no exercise shows: a folder that is not listed and
// a key that nothing reads yet.
func TestWhatACourseIsTold(t *testing.T) {
	assert.Empty(t, advice.OfCourse(&exercise.Course{}))
	assert.Empty(t, advice.OfCourse(&exercise.Course{Digest: "never"}), "nothing is wanted, and nothing is sent")
	found := advice.OfCourse(&exercise.Course{Digest: "daily", Unlisted: []string{"spare"}})
	assert.Len(t, found, 2)
	assert.Equal(t, codes.AdviceNotListed, found[0].Code)
	assert.Equal(t, "spare", found[0].Exercise)
	assert.Equal(t, codes.AdviceNotSent, found[1].Code)
	assert.Contains(t, found[1].Message, "digest: daily")
}
