package causes_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/codes"
)

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
				assert.True(t, code.Is(codes.Cause), "%s:%d %s", s.Exercise, s.Line, code)
			}
		}
	}
	assert.GreaterOrEqual(t, wrong, 300)
	assert.GreaterOrEqual(t, mess, 40)
	assert.GreaterOrEqual(t, right, 80)
	assert.GreaterOrEqual(t, len(exercises), 15)
}
