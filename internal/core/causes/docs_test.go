package causes_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/exercise"
)

// The guides leave no key of the format, no advice and no cause untold.
func TestTheGuidesTellEverything(t *testing.T) {
	read := func(name string) string {
		text, err := os.ReadFile("../../../docs/" + name)
		require.NoError(t, err)
		return string(text)
	}
	courses, checking := read("courses.md"), read("checking.md")
	for mapping, keys := range exercise.Keys {
		for _, k := range keys {
			assert.Regexp(t, `\b`+k+`\b`, courses+checking, "%s.%s", mapping, k)
		}
	}
	for _, c := range advice.Codes {
		assert.Contains(t, courses, "`"+c.Code+"`")
	}
	for _, c := range causes.Table {
		assert.Contains(t, checking, "| `"+c.Code+"` | "+c.Says)
	}
	for _, c := range exercise.CauseCodes() {
		assert.Contains(t, checking, "`"+c+"`")
	}
}
