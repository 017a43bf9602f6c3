// Package docs holds nothing but the test that every example in the docs does what
// it says.
package docs

import (
	"context"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/core/evaluate"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

var block = regexp.MustCompile("(?s)```nra(?: (error|notice)=(\\S+))?\n(.*?)```")

func TestEveryExampleDoesWhatItSays(t *testing.T) {
	text, err := os.ReadFile("notation.md")
	require.NoError(t, err)
	blocks := block.FindAllStringSubmatch(string(text), -1)
	require.Greater(t, len(blocks), 10)
	for _, b := range blocks {
		program, errs := notation.Parse(b[3])
		if len(errs) == 0 {
			errs = evaluate.Check(program, nil)
		}
		var result *evaluate.Result
		if len(errs) == 0 {
			result = evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
			if result.Error != nil {
				errs = append(errs, result.Error)
			}
		}
		if b[1] == "error" {
			if assert.NotEmpty(t, errs, b[3]) {
				assert.Equal(t, b[2], string(errs[0].Code), b[3])
			}
			continue
		}
		if !assert.Empty(t, errs, b[3]) {
			continue
		}
		if b[1] == "notice" && assert.NotEmpty(t, result.Notices, b[3]) {
			assert.Equal(t, b[2], string(result.Notices[0].Code))
		}
	}
}

// TestTheReferenceIsTheTables holds the page against the tables it is written from.
func TestTheReferenceIsTheTables(t *testing.T) {
	text, err := os.ReadFile("reference.md")
	require.NoError(t, err)
	assert.Equal(t, functions.Reference(), string(text), "write it anew: go run ./scripts/reference > docs/reference.md")
}

// TestTheReadmesPicturesAreThere holds README and docs against the pictures.
func TestTheReadmesPicturesAreThere(t *testing.T) {
	text, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	pictures, err := os.ReadDir("screenshots")
	require.NoError(t, err)
	assert.Less(t, len(pictures), 20)
	for _, p := range pictures {
		assert.True(t, strings.Contains(string(text), "docs/screenshots/"+p.Name()), "%s is not linked from the README", p.Name())
	}
	for _, m := range regexp.MustCompile(`\]\(((?:docs|demo)/[^)#]+)`).FindAllStringSubmatch(string(text), -1) {
		_, err := os.Stat("../" + m[1])
		assert.NoError(t, err, m[1])
	}
}
