// Package docs holds nothing but the test that every example in the docs does what
// it says.
package docs

import (
	"context"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service/api"
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

// TestTheReferenceIsTheTables compares the page with the tables it is written from.
func TestTheReferenceIsTheTables(t *testing.T) {
	text, err := os.ReadFile("reference.md")
	require.NoError(t, err)
	assert.Equal(t, functions.Reference(), string(text), "write it anew: go run ./scripts/reference > docs/reference.md")
}

// TestTheDocumentOfTheAPIIsServed compares the committed document, from which the console's
// types are made, with the one that the service answers.
func TestTheDocumentOfTheAPIIsServed(t *testing.T) {
	text, err := os.ReadFile("openapi.json")
	require.NoError(t, err)
	served, err := api.Document()
	require.NoError(t, err)
	assert.Equal(t, string(served)+"\n", string(text), "write it again: make documents")
}

var yamlBlock = regexp.MustCompile("(?s)```yaml\n(.*?)```")

// TestYAMLInTheDocsLoads reads every block of YAML, and loads those that are whole files:
// the exercise with the reference beside it, in a course of its own.
func TestYAMLInTheDocsLoads(t *testing.T) {
	pages, err := filepath.Glob("*.md")
	require.NoError(t, err)
	files := fstest.MapFS{
		"exercises/rope-means/prompt.md": {Data: []byte("Bind per_rope in cm for each rope.")},
		"exercises/rope-means/data/spring.json": {Data: []byte("[[[1, 2, 3, 4.5], [2, 3, 4, 5]], [[6, 1, 3, 2], [2, " +
			"8, 1, 4]], [[3, 3, 2, 1], [4, 5, 6, 1]]]")},
		"exercises/rope-means/slips/over-depth.nra": {Data: []byte("per_rope = mean(growth over [week, rope])\n")},
	}
	read := 0
	for _, page := range append(pages, "../README.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, m := range yamlBlock.FindAllStringSubmatch(string(text), -1) {
			var node yaml.Node
			require.NoError(t, yaml.Unmarshal([]byte(m[1]), &node), "%s:\n%s", page, m[1])
			read++
			switch {
			case strings.HasPrefix(m[1], "# course.yaml"):
				files["course.yaml"] = &fstest.MapFile{Data: []byte(m[1])}
			case strings.HasPrefix(m[1], "# exercise.yaml"):
				files["exercises/rope-means/exercise.yaml"] = &fstest.MapFile{Data: []byte(m[1])}
			}
		}
		if _, reference, ok := strings.Cut(string(text), "# reference.nra\n"); ok {
			reference, _, _ = strings.Cut(reference, "```")
			files["exercises/rope-means/reference.nra"] = &fstest.MapFile{Data: []byte(reference)}
		}
	}
	assert.GreaterOrEqual(t, read, 2)
	c, problems := exercise.LoadCourse(files)
	require.Empty(t, problems)
	require.Len(t, c.Exercises, 1)
	_, problems = check.Prepare(context.Background(), c.Exercises[0])
	assert.Empty(t, problems, "the reference runs on every case")
}

// TestTheReadmesPicturesAreThere holds README and docs against the pictures.
func TestTheReadmesPicturesAreThere(t *testing.T) {
	text, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	pictures, err := os.ReadDir("screenshots")
	require.NoError(t, err)
	assert.Less(t, len(pictures), 20)
	for _, p := range pictures {
		assert.True(t, strings.Contains(string(text), "docs/screenshots/"+p.Name()), "%s is not linked from the README",
			p.Name())
	}
	for _, m := range regexp.MustCompile(`\]\(((?:docs|demo)/[^)#]+)`).FindAllStringSubmatch(string(text), -1) {
		_, err := os.Stat("../" + m[1])
		assert.NoError(t, err, m[1])
	}
}
