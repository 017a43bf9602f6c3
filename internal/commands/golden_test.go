package commands

import (
	"bytes"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

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

// TestWhatTheTerminalShows holds what commands print, with their exit code, against
// testdata/golden; -update writes it again.
func TestWhatTheTerminalShows(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "weak")
	require.NoError(t, os.Mkdir(dir, 0o755))
	for name, text := range map[string]string{"exercise.yaml": weak,
		"prompt.md":     "Count the ripe fronds of each rope, in `ripe`.\n",
		"reference.nra": "ripe = count(fronds >= ripe_at over depth)\n"} {
		t.Run(name, func(t *testing.T) {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		})
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
			var out, errOut bytes.Buffer
			code := Main(it.arguments, strings.NewReader(it.stdin), &out, &errOut)
			got := "exit " + string(rune('0'+code)) + "\n" + out.String()
			if errOut.Len() > 0 {
				got += "beside:\n" + errOut.String()
			}
			got = strings.ReplaceAll(got, dir, "DIR")
			file := filepath.Join("testdata", "golden", it.name+".txt")
			if *update {
				require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
				require.NoError(t, os.WriteFile(file, []byte(got), 0o644))
			}
			want, err := os.ReadFile(file)
			require.NoError(t, err)
			assert.Equal(t, string(want), got)
		})
	}
}
