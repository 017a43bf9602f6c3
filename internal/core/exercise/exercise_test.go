package exercise_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/exercise"
)

const good = `title: Mean growth
topics: [axis-reduction]
opens: 2031-09-01T08:00:00Z
closes: 2031-09-14T22:00:00Z
inputs:
  growth: {axes: [week, rope], kind: real, unit: cm, about: growth}
  limit: {kind: int}
outputs:
  per_rope: {axes: [rope], unit: cm, tolerance: {relative: 1e-6}, points: 2}
  n: {}
cases:
  - {name: spring, shown: true, inputs: {growth: data/spring.csv, limit: 3}}
  - {name: tiny, inputs: {growth: [[1, 2, 3], [4, 5, 6]], limit: 4}}
  - {name: empty, inputs: {growth: {shape: [0, 3]}, limit: 4}}
rules: {loops: refuse}
`

// folder is a sound course; changes replace or add files, "" removes one.
func folder(changes map[string]string) fstest.MapFS {
	files := map[string]string{
		"course.yaml":                     "title: Kelp\ncounting: {from: 1}\nexercises: [means]\n",
		"exercises/means/exercise.yaml":   good,
		"exercises/means/prompt.md":       "Find the mean.",
		"exercises/means/reference.nra":   "per_rope = mean(growth over week)\nn = limit\n",
		"exercises/means/data/spring.csv": "1,2,3\n4,5,6\n",
	}
	maps.Copy(files, changes)
	out := fstest.MapFS{}
	for name, text := range files {
		if text != "" {
			out[name] = &fstest.MapFile{Data: []byte(text)}
		}
	}
	return out
}

func TestASoundCourse(t *testing.T) {
	c, problems := exercise.LoadCourse(folder(nil))
	require.Empty(t, problems)
	assert.Equal(t, 1, c.Counting)
	e := c.Find("means")
	require.NotNil(t, e)
	assert.Equal(t, []string{"growth", "limit"}, e.InputNames())
	assert.Equal(t, exercise.LoopsRefuse, e.Loops)
	assert.Equal(t, 1e-6, e.Outputs[0].Tolerance.Relative)
	assert.Zero(t, e.Outputs[0].Tolerance.Absolute, "the half that is not written is 0")
	assert.Equal(t, 1e-12, e.Outputs[1].Tolerance.Absolute)
	assert.Equal(t, 1.0, e.Outputs[1].Points)
	growth := e.Cases[0].Inputs["growth"]
	assert.Equal(t, array.Real, growth.Kind(), "narrower data widens")
	assert.Equal(t, []string{"week", "rope"}, growth.Labels())
	assert.Equal(t, []int{0, 3}, e.Cases[2].Inputs["growth"].Shape())
	assert.True(t, e.Cases[0].Shown)
	assert.False(t, e.Cases[1].Shown)
}

func TestEveryProblemHasItsPlace(t *testing.T) {
	replace := func(old, new string) map[string]string {
		text := strings.Replace(good, old, new, 1)
		if text == good {
			panic("nothing replaced: " + old)
		}
		return map[string]string{"exercises/means/exercise.yaml": text}
	}
	const file = "exercises/means/exercise.yaml"
	for _, c := range []struct {
		change  map[string]string
		file    string
		line    int
		message string
		hint    string
	}{
		{replace("topics:", "topcis:"), file, 2, "no key `topcis`", "`topics`"},
		{replace("unit: cm, about", "units: cm, about"), file, 6, "no key `units`", "`unit`"},
		{replace("[axis-reduction]", "[axis-reductoin]"), file, 2, "is not one of", "`axis-reduction`"},
		{replace("kind: int", "kind: whole"), file, 7, "is not one of", "real"},
		{replace("2031-09-14T22:00:00Z", "2031-08-14T22:00:00Z"), file, 4, "closes before it opens", ""},
		{replace("2031-09-14T22:00:00Z", "tomorrow"), file, 4, "is not a time", "zone"},
		{replace("points: 2", "points: -2"), file, 9, "negative", ""},
		{replace("relative: 1e-6", "relative: small"), file, 9, "is not a number", ""},
		{replace("name: tiny", "name: spring"), file, 13, "two cases are called", ""},
		{replace("limit: 3", "limt: 3"), file, 12, "not a declared input", "`limit`"},
		{replace(", limit: 3", ""), file, 12, "gives no `limit`", ""},
		{replace("[[1, 2, 3], [4, 5, 6]]", "[[1, 2, 3], [4, 5]]"), file, 13, "not equally long", ""},
		{replace("limit: 4", "limit: 4.5"), file, 13, "declared int", "kind: real"},
		{replace("[[1, 2, 3], [4, 5, 6]]", "[1, 2]"), file, 13, "declared with 2 axes", ""},
		{replace("data/spring.csv", "../spring.csv"), file, 12, "leaves the exercise's folder", ""},
		{replace("data/spring.csv", "/etc/passwd"), file, 12, "leaves the exercise's folder", ""},
		{replace("data/spring.csv", "data/sprang.csv"), file, 12, "cannot be opened", ""},
		{replace("shape: [0, 3]", "shape: [99999999, 99999999]"), file, 14, "too large", ""},
		{replace("loops: refuse", "loops: forbid"), file, 15, "is not one of", ""},
		{replace("growth: {axes", "last: {axes"), file, 6, "cannot be the name", ""},
		{replace("title: Mean growth", "title: ''"), file, 1, "text was expected", ""},
		{replace("inputs:\n  growth", "inputs:\n  growth: {}\n  growth"), file, 7, "occurs twice", ""},
		{map[string]string{file: "title: [\n"}, file, 1, "not YAML", ""},
		{map[string]string{file: "title: a\x00b\n"}, file, 1, "UTF-8", ""},
		{map[string]string{"exercises/means/data/spring.csv": "1,2,3\n4,x,6\n"}, "exercises/means/data/spring.csv", 2,
			"`x` is not a number", ""},
		{map[string]string{"exercises/means/prompt.md": ""}, "exercises/means/prompt.md", 1, "cannot be opened", ""},
		{map[string]string{"course.yaml": "title: K\nexercises: [means, nets]\n"}, "course.yaml", 2, "has no folder", ""},
		{map[string]string{"course.yaml": "title: K\nexercises: [../means]\n"}, "course.yaml", 2,
			"not the name of an exercise folder", ""},
		{map[string]string{"course.yaml": "title: K\ncounting: {from: 2}\nexercises: [means]\n"}, "course.yaml", 2,
			"start at 0 or 1", ""},
		{map[string]string{"course.yaml": ""}, "course.yaml", 1, "cannot be opened", ""},
	} {
		t.Run(c.file, func(t *testing.T) {
			_, problems := exercise.LoadCourse(folder(c.change))
			require.NotEmpty(t, problems, c.message)
			var found *exercise.Problem
			for i := range problems {
				if strings.Contains(problems[i].Message, c.message) {
					found = &problems[i]
				}
			}
			require.NotNil(t, found, "%s: %v", c.message, problems)
			assert.Equal(t, c.file, found.File, c.message)
			assert.Equal(t, c.line, found.Line, c.message)
			assert.Positive(t, found.Column)
			assert.Contains(t, found.Hint, c.hint)
			assert.NotEmpty(t, found.Hint)
		})
	}
}

func TestAllProblemsAreToldAtOnce(t *testing.T) {
	text := strings.NewReplacer("topics:", "topcis:", "points: 2", "points: x", "loops: refuse", "loops: no").Replace(good)
	_, problems := exercise.LoadCourse(folder(map[string]string{"exercises/means/exercise.yaml": text,
		"exercises/means/prompt.md": ""}))
	assert.Len(t, problems, 4)
}

func TestALabelHasOneLengthInACase(t *testing.T) {
	text := strings.Replace(good, "limit: {kind: int}", "limit: {kind: int, axes: [rope]}", 1)
	text = strings.NewReplacer("limit: 3", "limit: [1, 2]", "limit: 4", "limit: [1, 2, 3]").Replace(text)
	_, problems := exercise.LoadCourse(folder(map[string]string{"exercises/means/exercise.yaml": text}))
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "`rope` has the length 3 in `growth` and 2 in `limit`")
}

func TestHostileFolders(t *testing.T) {
	bomb := "a: &a [x, x, x, x, x, x, x, x, x]\n"
	for i := range 12 {
		bomb += fmt.Sprintf("%c: &%c [%s]\n", 'b'+i, 'b'+i, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*%c, ", 'a'+i),
			9), ", "))
	}
	for _, text := range []string{bomb, "title: " + strings.Repeat("[", 3000), "title: " + strings.Repeat("{a: ", 200) +
		"1" + strings.Repeat("}", 200)} {
		t.Run(text, func(t *testing.T) {
			_, problems := exercise.LoadCourse(folder(map[string]string{"exercises/means/exercise.yaml": text}))
			assert.NotEmpty(t, problems)
		})
	}
}

func TestLinksThatLeaveTheFolderAreRefused(t *testing.T) {
	dir := t.TempDir()
	for name, file := range folder(map[string]string{"exercises/means/data/spring.csv": ""}) {
		path := filepath.Join(dir, "course", name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, file.Data, 0o644))
	}
	outside := filepath.Join(dir, "outside.csv")
	require.NoError(t, os.WriteFile(outside, []byte("1,2,3\n4,5,6\n"), 0o644))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "course/exercises/means/data"), 0o755))
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "course/exercises/means/data/spring.csv")))
	root, err := os.OpenRoot(filepath.Join(dir, "course"))
	require.NoError(t, err)
	defer root.Close()
	_, problems := exercise.LoadCourse(root.FS())
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Message, "cannot be opened")
}

func TestPackDependsOnContentAlone(t *testing.T) {
	a, err := exercise.Pack(folder(map[string]string{"roster.csv": "x", ".git/config": "x", "notes.txt": "x"}))
	require.NoError(t, err)
	b, err := exercise.Pack(folder(nil))
	require.NoError(t, err)
	assert.Equal(t, a, b)
	back, err := exercise.Unpack(a)
	require.NoError(t, err)
	_, problems := exercise.LoadCourse(back)
	assert.Empty(t, problems)
	again, err := exercise.Pack(back)
	require.NoError(t, err)
	assert.Equal(t, a, again)
}

func TestArchivesThatAreNotCoursesAreRefused(t *testing.T) {
	archive := func(name string, size int) []byte {
		var b bytes.Buffer
		w := zip.NewWriter(&b)
		f, _ := w.Create(name)
		_, _ = f.Write(make([]byte, size))
		_ = w.Close()
		return b.Bytes()
	}
	for text, want := range map[string]string{
		"no archive":                          "not a zip archive",
		string(archive("../course.yaml", 1)):  "leaves the course folder",
		string(archive("course.yaml", 9<<20)): "too large inside",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := exercise.Unpack([]byte(text))
			assert.ErrorContains(t, err, want)
		})
	}
}

func FuzzExercise(f *testing.F) {
	f.Add(good)
	f.Add("title: &a [*a]")
	f.Add("cases: [{name: a, inputs: {growth: {shape: [1e9]}}}]")
	f.Fuzz(func(t *testing.T, text string) {
		_, problems := exercise.LoadCourse(folder(map[string]string{"exercises/means/exercise.yaml": text}))
		for _, p := range problems {
			if p.Line < 1 || p.Message == "" || p.Hint == "" {
				t.Fatalf("a poor problem: %+v", p)
			}
		}
	})
}

func ExampleLoadCourse() {
	c, problems := exercise.LoadCourse(fs.FS(folder(nil)))
	fmt.Println(c.Title, len(c.Exercises), len(problems))
	// Output: Kelp 1 0
}
