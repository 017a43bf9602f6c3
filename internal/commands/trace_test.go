package commands

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/dataio"
)

// TestATraceOfEveryPart reports each operator, call and selection with what it gave, inner ones first, and the
// statements between them.
func TestATraceOfEveryPart(t *testing.T) {
	file := filepath.Join(t.TempDir(), "a.nra")
	require.NoError(t, os.WriteFile(file, []byte("g = [[1, 2, 3], [4, 5, 6]]\nlate = g[1 to last, all]\n"+
		"per = mean(g * [1, 10, 100] over 0)\nbad = g[7, 0]\n"), 0o600))
	code, out, told := nimbus(t, "", "evaluate", file, "--trace=parts")
	assert.Equal(t, 1, code)
	assert.Contains(t, told, "select.range")
	at := 0
	for _, want := range []string{"1:5  [[1, 2, 3], [4, 5, 6]]", "2:8  g[1 to last, all]", "2  late",
		"3:12  g * [1, 10, 100]", "3:7  mean(g * [1, 10, 100] over 0)", "3  per"} {
		next := strings.Index(out[at:], want)
		require.GreaterOrEqual(t, next, 0, "%s after what came before in\n%s", want, out)
		at += next
	}
	assert.NotContains(t, out, "2:13", "`last` alone is no part worth a line")

	code, out, told = nimbus(t, "", "evaluate", "-e", "sum(reshape(0 to 1999, [2, 1000]) + 1 over 0)", "--trace=parts",
		"--output", "json")
	require.Zero(t, code, told)
	var got struct {
		Trace []struct {
			Line, Column int
			EndColumn    int `json:"end_column"`
			Name, Text   string
			Value        json.RawMessage
		}
	}
	require.NoError(t, json.Unmarshal([]byte(out), &got))
	var texts []string
	for _, part := range got.Trace {
		texts = append(texts, part.Text)
		assert.Equal(t, part.Column+len(part.Text), part.EndColumn)
	}
	require.Contains(t, texts, "reshape(0 to 1999, [2, 1000])")
	assert.Equal(t, "result", got.Trace[len(got.Trace)-1].Name)
	for _, part := range got.Trace {
		if part.Text == "reshape(0 to 1999, [2, 1000])" {
			assert.Contains(t, string(part.Value), `"elided"`, "a large value is written without its data")
		}
	}
	last, err := dataio.ReadJSON(got.Trace[len(got.Trace)-1].Value)
	require.NoError(t, err)
	assert.Equal(t, []int{1000}, last.Shape())

	_, out, _ = nimbus(t, "", "evaluate", "-e", "1 + 1", "--output", "json")
	assert.NotContains(t, out, `"trace"`, "only where one is asked for")
	code, _, told = nimbus(t, "", "evaluate", "-e", "1 + 1", "--trace=all")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "it takes lines or parts")
}
