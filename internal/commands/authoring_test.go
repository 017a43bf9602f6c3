package commands

import (
	"archive/zip"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const weakExercise = `title: Ripe fronds # kept
inputs:
  fronds: {axes: [rope, depth], unit: cm}
  ripe_at: {axes: [], unit: cm}
outputs:
  ripe: {axes: [rope]}
cases:
  - {name: bay, shown: true, inputs: {fronds: [[81, 79.5, 95.5], [61, 83, 102.25], [55, 90, 40]], ripe_at: 80}}
  - {name: cove, inputs: {fronds: [[55, 48, 71], [62, 70, 40], [93, 69, 88]], ripe_at: 80}}
`

// weakFolder is an exercise whose data cannot tell several mistakes.
func weakFolder(t *testing.T) string {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "ripe")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	for name, text := range map[string]string{
		"exercise.yaml": weakExercise, "prompt.md": "Count the `ripe` fronds of each rope.\n",
		"reference.nra": "ripe = count(fronds >= ripe_at over depth)\n",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	return dir
}

func TestInspectMendsWhatItSafelyCan(t *testing.T) {
	dir := weakFolder(t)
	code, out, _ := nimbus(t, "", "inspect", dir)
	assert.Equal(t, 1, code)
	for _, want := range []string{"equal-lengths", "one-shape", "no-boundary", "reference.nra, line 1",
		"3 pieces of advice"} {
		t.Run(want, func(t *testing.T) {
			assert.Contains(t, out, want)
		})
	}
	code, out, _ = nimbus(t, "", "inspect", dir, "-o", "json")
	assert.Equal(t, 1, code)
	var told struct {
		Advice []struct{ Exercise, Code, Place, Message, Try string } `json:"advice"`
		Errors []any                                                  `json:"errors"`
	}
	require.NoError(t, json.Unmarshal([]byte(out), &told))
	require.Len(t, told.Advice, 3)
	assert.Equal(t, "ripe", told.Advice[0].Exercise)
	assert.NotNil(t, told.Errors)
	_, _, _ = nimbus(t, "", "inspect", dir, "--fix")
	text, err := os.ReadFile(filepath.Join(dir, "exercise.yaml"))
	require.NoError(t, err)
	assert.Contains(t, string(text), "# kept")
	assert.Equal(t, 4, strings.Count(string(text), "- {name: "), "equal-lengths and one-shape are fixed by one case: %s",
		text)
	code, out, _ = nimbus(t, "", "inspect", dir)
	assert.Equal(t, 0, code, out)
	code, out, _ = nimbus(t, "", "probe", dir)
	assert.Equal(t, 0, code, out)
	assert.Contains(t, out, "no survivors")
}

func TestInspectTellsErrorsAsErrors(t *testing.T) {
	dir := weakFolder(t)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "exercise.yaml"), []byte(strings.Replace(weakExercise, "outputs:",
		"outpts:", 1)), 0o644))
	code, out, _ := nimbus(t, "", "inspect", dir, "-o", "json")
	assert.Equal(t, 2, code)
	assert.Contains(t, out, `"line": 5`)
	assert.Contains(t, out, "outputs", "the nearest key is offered")
}

func TestProbeListsSurvivorsAndKeepsMarks(t *testing.T) {
	dir := weakFolder(t)
	code, out, _ := nimbus(t, "", "probe", dir)
	assert.Equal(t, 1, code)
	for _, want := range []string{"mask.boundary", "line 1: >= → >",
		"would read: ripe = count(fronds > ripe_at over depth)", "- {name: extra-1, inputs: {fronds: "} {
		t.Run(want, func(t *testing.T) {
			assert.Contains(t, out, want)
		})
	}
	code, out, _ = nimbus(t, "", "probe", dir, "-o", "json")
	assert.Equal(t, 1, code)
	var r struct {
		Slips, Caught, Equivalent int
		Survivors                 []struct {
			Operator, Cause, Change, Try string
			Line                         int
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	assert.Equal(t, r.Slips, r.Caught+r.Equivalent+len(r.Survivors))
	code, _, stderr := nimbus(t, "", "probe", dir, "--mark", ">= → >")
	assert.Equal(t, 2, code, "a mark needs its reason")
	assert.Contains(t, stderr, "reason")
	code, out, _ = nimbus(t, "", "probe", dir, "--mark", ">= → >", "--reason", "no frond is measured so finely")
	assert.Equal(t, 0, code, out)
	text, err := os.ReadFile(filepath.Join(dir, "exercise.yaml"))
	require.NoError(t, err)
	assert.Contains(t, string(text), "no frond is measured so finely")
	_, out, _ = nimbus(t, "", "probe", dir, "-o", "json")
	before := len(r.Survivors)
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	assert.Less(t, len(r.Survivors), before)
	code, _, _ = nimbus(t, "", "probe", dir, "--fix")
	assert.LessOrEqual(t, code, 1)
	_, out, _ = nimbus(t, "", "probe", dir)
	assert.Contains(t, out, "no survivors")
}

func TestCheckTellsWhy(t *testing.T) {
	code, out, _ := nimbus(t, "", "check", "../../demo/course/exercises/rope-means",
		"../../demo/attempts/rope-means/per-depth.nra")
	assert.Equal(t, 1, code)
	for _, want := range []string{"expected  │  rope 3 │", "got       │ depth 4 │", "why",
		"worked over or along another axis (axis.other, certain)", "over [week, rope] → over [week, depth]"} {
		t.Run(want, func(t *testing.T) {
			assert.Contains(t, out, want)
		})
	}
	_, student, _ := nimbus(t, "", "check", "../../demo/course/exercises/rope-means",
		"../../demo/attempts/rope-means/per-depth.nra", "--as-student")
	assert.Contains(t, student, "?", "a student is asked")
	assert.NotContains(t, student, "over [week, depth]", "and not told the change")
}

func TestCheckTakesArraysOfAFolderOrAZip(t *testing.T) {
	exercise := "../../demo/course/exercises/pigment-mix"
	dir := t.TempDir()
	code, out, stderr := nimbus(t, "", "check", exercise, dir)
	assert.Equal(t, 2, code, out)
	assert.Contains(t, stderr, "nothing is there")
	arrays := map[string]string{ // computed by hand from the workshop's recipe, price and jars
		"jar_price.csv": "8.05,8.1,4.225\n",
		"needed.json":   "[10.5, 23.5, 20, 11]",
		"bill.mtx":      "%%MatrixMarket matrix array real general\n2 1\n20.325\n48.55\n",
	}
	for name, text := range arrays {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	code, out, stderr = nimbus(t, "", "check", exercise, dir)
	assert.Equal(t, 0, code, out+stderr)
	assert.Contains(t, out, "rules: not checked")
	zipped := func(name, text string) string {
		file := filepath.Join(t.TempDir(), "arrays.zip")
		f, err := os.Create(file)
		require.NoError(t, err)
		z := zip.NewWriter(f)
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
		require.NoError(t, z.Close())
		require.NoError(t, f.Close())
		return file
	}
	code, out, stderr = nimbus(t, "", "check", exercise, zipped("workshop/needed.csv", "10.5,23.5,20,8\n"))
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "form: workshop/bill: it is missing")
	assert.Contains(t, out, "value.differs: in the case workshop, `needed`")
	assert.Contains(t, out, "hand in a file `bill.json`")
	code, _, stderr = nimbus(t, "", "check", exercise, zipped("no-such-output.csv", "1,2\n"))
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "workshop/no-such-output: nothing of this name is wanted")
	code, _, stderr = nimbus(t, "", "check", exercise, zipped("fair/needed.csv", "1,2\n"))
	assert.Equal(t, 1, code)
	assert.Contains(t, stderr, "fair/needed: there is no case `fair` here (the cases are workshop)")
}

func TestExplainFindsWordsByWhatTheyDo(t *testing.T) {
	code, out, _ := nimbus(t, "", "explain", "--search", "transposed")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "transpose")
	code, _, stderr := nimbus(t, "", "explain", "--search", "zzzzqq")
	assert.NotEqual(t, 0, code)
	assert.NotEmpty(t, stderr)
	code, out, _ = nimbus(t, "", "explain", "mask.boundary")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "strict")
	code, out, _ = nimbus(t, "", "explain", "equal-lengths")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "axes")
}
