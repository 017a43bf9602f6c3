package causes_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
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
	for _, e := range codes.Of(codes.Advice) {
		assert.True(t, strings.Contains(courses, "`"+string(e.Code)+"`"), e.Code)
	}
	for _, e := range codes.Of(codes.Cause) {
		line := fmt.Sprintf("| `%s` | %s | `%s` |\n", e.Code, e.Words, strings.ReplaceAll(e.Example, "\n", "; "))
		assert.True(t, strings.Contains(checking, line), "docs/checking.md needs the line %s", line)
	}
}
