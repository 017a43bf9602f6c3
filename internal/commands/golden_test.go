package commands

import (
	"bytes"
	"encoding/json"
	"flag"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/codes"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write what the commands print to the golden files")

const (
	growth = "growth = labelled([[5.5, 6.25, 4.0], [7.0, 3.5, 8.0]], axes: [week, rope])\nper_rope = mean(growth over " +
		"week)\n"
	weak = "title: Ripe fronds\ninputs:\n  fronds: {axes: [rope, depth], kind: real}\n  ripe_at: {axes: [], kind: " +
		"real}\noutputs: {ripe: {axes: [rope]}}\ncases:\n" +
		"  - {name: spring, shown: true, inputs: {fronds: [[81, 79.5, 95.5], [61, 83, 102.25], [70, 88, 40]], ripe_at: " +
		"80}}\n" +
		"  - {name: autumn, inputs: {fronds: [[90, 30.5, 15.5], [66, 93, 12.25], [71, 68, 49]], ripe_at: 65}}\n"
)

const tracedProgram = "big = growth > 6\npicked = growth[big]\nper_rope = mean(growth over [week, depth])\n"

// TestWhatTheTerminalShows holds what commands print, with their exit code, against
// testdata/golden; -update writes it again.
func TestWhatTheTerminalShows(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "weak")
	require.NoError(t, os.Mkdir(dir, 0o755))
	for name, text := range map[string]string{"exercise.yaml": weak,
		"prompt.md":     "Count the ripe fronds of each rope, in `ripe`.\n",
		"reference.nra": "ripe = count(fronds >= ripe_at over depth)\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	means := "../../demo/course/exercises/rope-means"
	for _, it := range []struct {
		name, stdin string
		arguments   []string
	}{
		{"evaluate", growth, []string{"evaluate", "-"}},
		{"evaluate-trace", growth + "missed = sqrt(per_rope - 5)\nclash = growth + mean(growth over rope)\n",
			[]string{"evaluate", "-", "--trace"}},
		{"evaluate-json", growth, []string{"evaluate", "-", "--output", "json"}},
		{"trace", tracedProgram, []string{"trace", "-", "--cell", "picked[1]", "--exercise", means}},
		{"trace-forward", tracedProgram, []string{"trace", "-", "--cell", "growth[week: 1, rope: 0, depth: 1]", "--exercise",
			means, "--case", "two-visits"}},
		{"trace-json", tracedProgram, []string{"trace", "-", "--cell", "per_rope[1]", "--exercise", means, "--case",
			"two-visits",
			"--output", "json"}},
		{"trace-no-cell", tracedProgram, []string{"trace", "-", "--cell", "per_rope[3]", "--exercise", means}},
		{"trace-no-name", tracedProgram, []string{"trace", "-", "--cell", "ropes[3]", "--exercise", means}},
		{"trace-no-case", tracedProgram, []string{"trace", "-", "--cell", "per_rope[0]", "--exercise", means, "--case",
			"winter"}},
		{"trace-too-large", "x = zeros(300, 300)\n", []string{"trace", "-", "--cell", "x[0, 0]"}},
		{"trace-failed", "x = zeros(3)[7]\n", []string{"trace", "-", "--cell", "x"}},
		{"check-why", "per_rope = sum(growth over [week, depth])\nbest_week = max(growth over week)\n" +
			"spread = min(growth over [rope, depth]) - max(growth over [rope, depth])\n",
			[]string{"check", means, "-", "--why"}},
		{"check-agrees", "per_rope = mean(growth over [week, depth])\nbest_week = max(growth over week)\n" +
			"spread = max(growth over [rope, depth]) - min(growth over [rope, depth])\n", []string{"check", means, "-"}},
		{"check-differs", "per_rope = mean(growth over [week, rope])\nbest_week = max(growth over week)\nspread = 1\n",
			[]string{"check", means, "-"}},
		{"check-as-student", "per_rope = mean(growth over [week, rope])\nbest_week = max(growth over week)\nspread = 1\n",
			[]string{"check", means, "-", "--as-student"}},
		{"check-failed", "per_rope = meen(growth over week)\n", []string{"check", means, "-"}},
		{"inspect", "", []string{"inspect", dir}},
		{"probe", "", []string{"probe", dir}},
		{"explain", "", []string{"explain", "std"}},
		{"explain-code", "", []string{"explain", "shape.broadcast"}},
		{"explain-idea", "", []string{"explain", "hidden case"}},
		{"explain-miss", "", []string{"explain", "tolerence"}},
	} {
		t.Run(it.name, func(t *testing.T) {
			isGolden(t, it.name, it.stdin, it.arguments, dir, "DIR")
		})
	}
}

// isGolden runs a command and compares what it prints, with its exit code, with its file;
// pairs of texts are replaced in it first.
func isGolden(t *testing.T, name, stdin string, arguments []string, pairs ...string) {
	t.Helper()
	var out, errOut bytes.Buffer
	code := Main(arguments, strings.NewReader(stdin), &out, &errOut)
	got := "exit " + string(rune('0'+code)) + "\n" + out.String()
	if errOut.Len() > 0 {
		got += "beside:\n" + errOut.String()
	}
	got = strings.NewReplacer(pairs...).Replace(got)
	file := filepath.Join("testdata", "golden", name+".txt")
	if *update {
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(got), 0o644))
	}
	want, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(want), got)
}

// TestWhatTheDeskShows prints the desk of a service that answers with a fixed one: a class at
// work, one that nobody is stuck in, and a course of somebody else.
func TestWhatTheDeskShows(t *testing.T) {
	zone := time.Local
	time.Local = time.UTC
	t.Cleanup(func() { time.Local = zone })
	evening := time.Date(2031, 9, 14, 21, 5, 0, 0, time.UTC)
	busy := wire.Desk{
		Course: "kelp", Title: "Arrays on the kelp farm", At: evening, Students: 24, Attempts: 131, Waiting: 2, Stuck: 1,
		Exercises: []wire.DeskExercise{
			{Name: "rope-means", Title: "Mean growth", Agrees: 17, Differs: 4, Failed: 1, Waiting: 1, None: 1, Tries: 80},
			{Name: "warm-spots", Title: "Warm spots", Agrees: 3, Differs: 9, Refused: 2, Stuck: 1, None: 9, Tries: 51},
		},
		Knots: []wire.Knot{
			{Exercise: "warm-spots", Code: string(codes.MaskBoundary), Says: codes.MaskBoundary.Words(), Output: "spots",
				People: 6, Since: evening.Add(-26 * time.Hour), Newest: evening},
			{Exercise: "rope-means", Code: string(codes.RunEmpty), Says: codes.RunEmpty.Words(), People: 1, Since: evening,
				Newest: evening},
		},
	}
	quiet := wire.Desk{Course: "algae", Title: "Algae", At: evening, Exercises: []wire.DeskExercise{{Name: "counts",
		None: 3}}, Students: 3}
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		answer := map[string]any{"/api/v1/courses/kelp/desk": busy, "/api/v1/courses/algae/desk": quiet}[r.URL.Path]
		if answer == nil {
			w.Header().Set("Content-Type", "application/problem+json")
			w.WriteHeader(http.StatusForbidden)
			answer = wire.Problem{Title: "Not allowed", Status: http.StatusForbidden, Detail: "Your role does not allow this.",
				Hint: "ask an instructor of the course"}
		}
		assert.Equal(t, "Bearer of-ada", r.Header.Get("Authorization"))
		assert.NoError(t, json.NewEncoder(w).Encode(answer))
	}))
	t.Cleanup(service.Close)
	t.Setenv("NIMBUS_SERVICE", service.URL)
	t.Setenv("NIMBUS_TOKEN", "of-ada")
	for _, it := range []struct{ name, course string }{{"desk", "kelp"}, {"desk-quiet", "algae"}, {"desk-forbidden",
		"mussels"}} {
		t.Run(it.name, func(t *testing.T) { isGolden(t, it.name, "", []string{"desk", it.course}) })
	}
	t.Run("desk-json", func(t *testing.T) { isGolden(t, "desk-json", "", []string{"desk", "kelp", "--output", "json"}) })
}
