package exercise_test

import (
	"io/fs"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/exercise"
)

func TestLengthsOfTime(t *testing.T) {
	for text, want := range map[string]time.Duration{"52w": 52 * 7 * 24 * time.Hour, "3d12h": 84 * time.Hour,
		"-36h": -36 * time.Hour, "+1.5h": 90 * time.Minute, "90s": 90 * time.Second, "250ms": 250 * time.Millisecond,
		"0h": 0, "1w1d1h1m1s1ms": 8*24*time.Hour + time.Hour + time.Minute + time.Second + time.Millisecond} {
		t.Run(text, func(t *testing.T) {
			got, err := exercise.ParsePeriod(text)
			require.NoError(t, err)
			assert.Equal(t, want, got)
		})
	}
	for _, text := range []string{"", "52", "w", "1y", "3 d", "--1h", "1h-", "9999999h", "999999w", "1e3h", "NaNh"} {
		t.Run("not "+text, func(t *testing.T) {
			_, err := exercise.ParsePeriod(text)
			assert.Error(t, err)
		})
	}
}

func TestShiftingACourse(t *testing.T) {
	folder := fstest.MapFS{}
	for name, text := range map[string]string{
		"course.yaml": "# ours\ntitle: \"Kelp: 2031\"   # this year\nexercises: [means]\n",
		"exercises/means/exercise.yaml": "title: Means # of what\ncloses: '2031-09-14T22:00:00+02:00' # a Sunday\n" +
			"opens:   2031-09-01T08:00:00Z\nlate: {until: 3d, keeps: 0.5}\ncases: [{name: opens, inputs: {}}]\n",
		"exercises/means/prompt.md": "It opens: 2031-09-01T08:00:00Z.\n",
		"exercises/data.csv":        "1,2\n",
	} {
		folder[name] = &fstest.MapFile{Data: []byte(text)}
	}
	out, times, err := exercise.Shift(folder, 52*7*24*time.Hour, "Kelp, 2032")
	require.NoError(t, err)
	assert.Equal(t, 2, times)
	read := func(name string) string {
		text, err := fs.ReadFile(out, name)
		require.NoError(t, err)
		return string(text)
	}
	assert.Equal(t, "# ours\ntitle: Kelp, 2032   # this year\nexercises: [means]\n", read("course.yaml"))
	assert.Equal(t, "title: Means # of what\ncloses: 2032-09-12T22:00:00+02:00 # a Sunday\n"+
		"opens:   2032-08-30T08:00:00Z\n"+
		"late: {until: 3d, keeps: 0.5}\ncases: [{name: opens, inputs: {}}]\n", read("exercises/means/exercise.yaml"))
	assert.Equal(t, "It opens: 2031-09-01T08:00:00Z.\n", read("exercises/means/prompt.md"), "the prompt is the author's")
	assert.Equal(t, "1,2\n", read("exercises/data.csv"))

	same, times, err := exercise.Shift(folder, 0, "")
	require.NoError(t, err)
	assert.Zero(t, times)
	text, err := fs.ReadFile(same, "course.yaml")
	require.NoError(t, err)
	assert.Equal(t, string(folder["course.yaml"].Data), string(text))

	folder["exercises/means/exercise.yaml"] = &fstest.MapFile{Data: []byte("opens: >\n  2031-09-01T08:00:00Z\n")}
	_, _, err = exercise.Shift(folder, time.Hour, "")
	assert.NoError(t, err, "a folded value ends in a line break, and is no time")
	folder["exercises/means/exercise.yaml"] = &fstest.MapFile{Data: []byte(
		`{opens: "2031-09-01T08:00:00Z", title: T, closes: '2031-09-02T08:00:00+02:00', cases: []}` + "\n")}
	out, times, err = exercise.Shift(folder, 24*time.Hour, "")
	require.NoError(t, err)
	assert.Equal(t, 2, times)
	assert.Equal(t, "{opens: 2031-09-02T08:00:00Z, title: T, closes: 2031-09-03T08:00:00+02:00, cases: []}\n",
		read("exercises/means/exercise.yaml"), "all on one line")
	folder["exercises/means/exercise.yaml"] = &fstest.MapFile{Data: []byte("title: T\nopens: >-\n" +
		"  2031-09-01T08:00:00Z\n")}
	_, _, err = exercise.Shift(folder, time.Hour, "")
	var bad *exercise.Unshiftable
	require.ErrorAs(t, err, &bad)
	assert.Equal(t, "exercises/means/exercise.yaml", bad.File)
	assert.Equal(t, 2, bad.Line)
	assert.Contains(t, bad.Message, "`opens`")
	folder["exercises/means/exercise.yaml"] = &fstest.MapFile{Data: []byte("opens: [\n")}
	_, _, err = exercise.Shift(folder, time.Hour, "")
	assert.Error(t, err)
}
