package commands

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// nimbus runs a command line in this process.
func nimbus(t *testing.T, stdin string, arguments ...string) (code int, stdout, stderr string) {
	t.Helper()
	var out, err bytes.Buffer
	code = Main(arguments, strings.NewReader(stdin), &out, &err)
	return code, out.String(), err.String()
}

func TestGridsAlignAtThePoint(t *testing.T) {
	a := array.FromReals([]float64{1, 22.5, 3.25, 400, 5, 6.125}, 2, 3).WithLabels([]string{"week", "rope"})
	assert.Equal(t, strings.Join([]string{
		"  week │     0    1     2  rope",
		"     0 │   1.0 22.5 3.25 ",
		"     1 │ 400.0  5.0 6.125",
		"",
	}, "\n"), grid(a, 0, short))
	assert.Equal(t, "  2.5\n", grid(array.Scalar(2.5), 0, short))
	assert.Equal(t, "  (no elements)\n", grid(array.New(array.Int, []int{0, 3}), 0, short))
	assert.Equal(t, "   │ 1 2\n   │ 7 8\n", grid(array.FromInts([]int64{7, 8}, 2), 1, short),
		"positions in the course's counting")
}

func TestLargeArraysAreCut(t *testing.T) {
	text := grid(array.New(array.Real, []int{9, 50, 40}), 0, short)
	assert.Less(t, strings.Count(text, "\n"), 80)
	for _, words := range []string{"… 30 more", "… 38 more rows", "… 5 more layers", "axis 0=3"} {
		t.Run(words, func(t *testing.T) {
			assert.Contains(t, text, words)
		})
	}
}

func TestElements(t *testing.T) {
	a := array.FromComplexes([]complex128{complex(1.5, -2)}, 1)
	assert.Equal(t, "1.5 - 2.0i", element(a, 0))
	assert.Equal(t, "true", element(array.FromBools([]bool{true}, 1), 0))
	assert.Equal(t, "3.14159", element(array.Scalar(3.14159265), 0))
}

// TestExplainExplainsEverything runs every word's example through the command.
func TestExplainExplainsEverything(t *testing.T) {
	words := functions.Names()
	for _, e := range notation.Entries {
		words = append(words, e.Word)
	}
	for _, kind := range []codes.Kind{codes.Error, codes.Notice, codes.Finding, codes.Rule} {
		for _, e := range codes.Of(kind) {
			words = append(words, string(e.Code))
		}
	}
	for _, c := range notation.Concepts {
		if c.Example != "" {
			words = append(words, c.Word)
		}
	}
	for _, w := range words {
		code, out, stderr := nimbus(t, "", "explain", "--output", "json", "--", w)
		require.Equal(t, 0, code, "%s: %s", w, stderr)
		var x explanation
		require.NoError(t, json.Unmarshal([]byte(out), &x))
		assert.Equal(t, w, x.Word)
		assert.NotEmpty(t, x.Doc, w)
		assert.NotEmpty(t, x.Result, w)
		if strings.HasPrefix(x.Kind, "error") || strings.HasPrefix(x.Kind, "notice") {
			assert.Contains(t, x.Result, w, "its example provokes it")
		}
	}
}

// TestExplainFindsWhatAPersonWouldType looks words up by what people call them.
func TestExplainFindsWhatAPersonWouldType(t *testing.T) {
	for typed, word := range map[string]string{
		"slice": "slice", "axis": "axis", "broadcasting": "broadcasting", "tolerance": "tolerance",
		"hidden case": "hidden case", "Hidden Cases": "hidden case", "evenly spaced": "spaced",
		"cumulative sum": "running_sum", "position of the maximum": "max_at", "average": "mean",
		"matrix multiplication": "matrix product", "shape differs": "shape.differs", "standard deviation": "std",
		"step.differs": "step.differs", "function.missing": "function.missing", "property.fails": "property.fails",
		"expects.missed": "expects.missed", "rule.cost": "rule.cost", "nothing-shown": "nothing-shown",
	} {
		t.Run(typed, func(t *testing.T) {
			code, out, stderr := nimbus(t, "", append([]string{"explain", "-o", "json"}, strings.Fields(typed)...)...)
			require.Equal(t, 0, code, "%s: %s", typed, stderr)
			var x explanation
			require.NoError(t, json.Unmarshal([]byte(out), &x))
			assert.Equal(t, word, x.Word, typed)
		})
	}
	for typed, near := range map[string]string{"meen": "did you mean `mean`", "sum of rows by group": "`totals_by`",
		"regression": "fitted_polynomial", "flurble": "lists them all"} {
		t.Run(typed, func(t *testing.T) {
			code, _, stderr := nimbus(t, "", "explain", typed)
			assert.Equal(t, 2, code)
			assert.Contains(t, stderr, near, typed)
		})
	}
	for _, c := range notation.Concepts {
		for _, see := range c.See {
			_, ok := describeWord(see)
			assert.True(t, ok, "%s sends to %s", c.Word, see)
		}
	}
}

// TestEveryCodeIsExplained asks for each code; the causes and advice too, whose examples are
// not run.
func TestEveryCodeIsExplained(t *testing.T) {
	for _, e := range codes.Table {
		t.Run(string(e.Code), func(t *testing.T) {
			code, out, stderr := nimbus(t, "", "explain", string(e.Code))
			require.Equal(t, 0, code, stderr)
			assert.Contains(t, out, string(e.Code)+"  ("+string(e.Kind)+")")
			first, _, _ := strings.Cut(e.When, " ")
			assert.Contains(t, out, first)
		})
	}
}

// TestOutputEndsWithItsLine checks every kind of verdict, as text and as JSON.
func TestOutputEndsWithItsLine(t *testing.T) {
	for _, program := range []string{"per_rope = 1\n", "x = (\n", "per_rope = growth[9]\n", "each w in growth {\n}\n",
		""} {
		t.Run(program, func(t *testing.T) {
			for _, form := range []string{"text", "json"} {
				_, out, stderr := nimbus(t, program, "check", "../../demo/course/exercises/rope-means", "-", "-o", form)
				assert.Empty(t, stderr)
				assert.True(t, strings.HasSuffix(out, "\n"), "%q", program)
			}
		})
	}
}

// TestEvaluateWritesLargeArraysWithoutTheirData reads what is written of arrays past the
// bound, at it, and with --full, and that labels and copies cannot fill a disk.
func TestEvaluateWritesLargeArraysWithoutTheirData(t *testing.T) {
	type value struct {
		Shape  []int
		Data   []any
		Elided bool
	}
	read := func(text string, args ...string) map[string]value {
		code, out, stderr := nimbus(t, text, append([]string{"evaluate", "-", "-o", "json"}, args...)...)
		require.Equal(t, 0, code, stderr)
		var got struct{ Values map[string]value }
		require.NoError(t, json.Unmarshal([]byte(out), &got))
		return got.Values
	}
	text := "x = ones(1000, 101)\ny = ones(1000, 100)\n"
	got := read(text)
	assert.Equal(t, value{Shape: []int{1000, 101}, Elided: true}, got["x"])
	assert.Len(t, got["y"].Data, 100_000)
	assert.False(t, got["y"].Elided)
	assert.Len(t, read(text, "--full")["x"].Data, 101_000)

	code, out, _ := nimbus(t, "x = spaced(0, 1, 200_001)\n", "evaluate", "-")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "0.0  5e-06  1e-05  …  0.99999  0.999995  1.0  (200001 elements; --full writes them)")
	code, out, _ = nimbus(t, "x = spaced(0, 1, 30)\n", "evaluate", "-", "--full")
	assert.Equal(t, 0, code)
	assert.NotContains(t, out, "more")

	var long strings.Builder
	fmt.Fprintf(&long, "x = labelled([1, 2], axes: [%s])\n", strings.Repeat("a", 200_000))
	for i := range 800 {
		fmt.Fprintf(&long, "y%d = x\n", i)
	}
	for _, form := range []string{"text", "json"} {
		t.Run(form, func(t *testing.T) {
			code, out, _ := nimbus(t, long.String(), "evaluate", "-", "-o", form)
			assert.Equal(t, 0, code)
			assert.Less(t, len(out), mostWritten+(2<<20), form)
			assert.Contains(t, out, "y799", form)
		})
	}
}

func TestEvaluateReadsItsInputs(t *testing.T) {
	dir := t.TempDir()
	file := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		return path
	}
	inputs := file("in.json", `{"growth": [[1, 2.5], [3, 4]], "limit": 3}`)
	table := file("t.csv", "a,b\n1,2\n3,4\n")
	code, out, stderr := nimbus(t, "x = sum(growth over 0) + limit\ny = t[1, 1]\n", "evaluate", "-", "--inputs", inputs,
		"--set", "t="+table, "-o", "json")
	require.Equal(t, 0, code, stderr)
	var got struct {
		Values map[string]struct {
			Kind string
			Data []float64
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	assert.Equal(t, []float64{7, 9.5}, got.Values["x"].Data)
	assert.Equal(t, "int", got.Values["y"].Kind)
	assert.NotContains(t, got.Values, "growth", "untouched inputs are no values")
	for _, c := range [][]string{
		{"--inputs", file("bad.json", "[1]")},
		{"--inputs", file("worse.json", `{"x": "one"}`)},
		{"--set", "t"},
		{"--set", "t=" + file("bad.csv", "1,x\n")},
		{"--set", "t=" + filepath.Join(dir, "none.csv")},
	} {
		code, _, stderr := nimbus(t, "x = 1\n", append([]string{"evaluate", "-"}, c...)...)
		assert.Equal(t, 2, code, "%v", c)
		assert.NotEmpty(t, stderr)
	}
}

func TestEvaluateTellsEveryErrorOfAText(t *testing.T) {
	code, _, stderr := nimbus(t, "a = 1 ** 2\nb = x.y\n", "evaluate", "-")
	assert.Equal(t, 1, code)
	assert.Equal(t, 2, strings.Count(stderr, "text.habit"))
	code, out, _ := nimbus(t, "a = 1\nb = c\n", "evaluate", "-", "-o", "json")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, `"code": "text.name"`)
	assert.Contains(t, out, `"values": {}`, "nothing runs before the names are known")
}

func TestCheckForStudents(t *testing.T) {
	program := "ripe = count(fronds > ripe_at over depth)\ntrimmed = fronds\ntrimmed[fronds > ripe_at] = ripe_at\n"
	code, team, _ := nimbus(t, program, "check", "../../demo/course/exercises/ripe-fronds", "-", "-o", "json")
	assert.Equal(t, 1, code)
	code, student, _ := nimbus(t, program, "check", "../../demo/course/exercises/ripe-fronds", "-", "-o", "json",
		"--as-student")
	assert.Equal(t, 1, code)
	assert.Greater(t, strings.Count(team, `"worst"`), strings.Count(student, `"worst"`))
	_, text, _ := nimbus(t, program, "check", "../../demo/course/exercises/ripe-fronds", "-")
	assert.Contains(t, text, "the same in cove")
	assert.Contains(t, text, "    rope                ", "positions are headed by their labels")
	a, b := both("37.399999999999999", "8.1")
	assert.Equal(t, []string{"37.4", "8.1"}, []string{a, b})
	a, b = both("1.0000000001", "1.0000000002")
	assert.Equal(t, []string{"1.0000000001", "1.0000000002"}, []string{a, b}, "a difference is never rounded away")
}

func TestCheckTellsEverythingWrongWithAFolder(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "means")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "exercise.yaml"),
		[]byte("titel: Means\noutputs: {x: {points: -1}}\ncases: []\n"), 0o644))
	code, _, stderr := nimbus(t, "x = 1", "check", dir, "-")
	assert.Equal(t, 2, code)
	for _, line := range []string{"exercise.yaml:1:1: there is no key `titel`", "is negative", "no cases",
		"prompt.md:1:1", "reference.nra:1:1", "6 to fix"} {
		t.Run(line, func(t *testing.T) {
			assert.Contains(t, stderr, line)
		})
	}
	code, out, _ := nimbus(t, "x = 1", "check", dir, "-", "-o", "json")
	assert.Equal(t, 2, code)
	assert.Contains(t, out, `"errors"`)
}

func TestHelpHasAnExampleForEveryCommand(t *testing.T) {
	root := (&app{}).root()
	for _, c := range root.Commands() {
		if c.Name() == "help" || c.Name() == "completion" {
			continue
		}
		assert.NotEmpty(t, c.Example, c.Name())
		assert.NotEmpty(t, c.Short, c.Name())
	}
	code, out, _ := nimbus(t, "", "completion", "bash")
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "nimbus")
}
