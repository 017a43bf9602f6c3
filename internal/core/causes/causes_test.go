package causes_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/exercise"
)

func TestTheTableHasEveryCodeInOrder(t *testing.T) {
	var codes []string
	for _, w := range causes.Table {
		codes = append(codes, w.Code)
		assert.NotEmpty(t, w.Says, w.Code)
		assert.NotEmpty(t, w.Example, w.Code)
		if w.Code != "foreseen" {
			assert.Contains(t, w.Question, "?", "to the student it is a question: %s", w.Code)
		}
	}
	assert.Equal(t, exercise.CauseCodes(), codes)
	_, ok := causes.WordsOf("axis.nowhere")
	assert.False(t, ok)
	assert.Less(t, exercise.CauseRank("axis.other"), exercise.CauseRank("sign.flipped"))
	assert.Equal(t, len(codes), exercise.CauseRank("axis.nowhere"))
}

func TestTheCorpusIsLargeAndFair(t *testing.T) {
	samples, err := causes.Corpus()
	require.NoError(t, err)
	right, mess, wrong := 0, 0, 0
	exercises := map[string]bool{}
	for _, s := range samples {
		exercises[s.Exercise] = true
		assert.NotEmpty(t, s.Program)
		switch {
		case s.Right():
			right++
		case s.Mess():
			mess++
		default:
			wrong++
			for _, code := range s.Accepted {
				assert.True(t, exercise.IsCause(code), "%s:%d %s", s.Exercise, s.Line, code)
			}
		}
	}
	assert.GreaterOrEqual(t, wrong, 300)
	assert.GreaterOrEqual(t, mess, 40)
	assert.GreaterOrEqual(t, right, 80)
	assert.GreaterOrEqual(t, len(exercises), 15)
}
