package exercise_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/exercise"
)

func TestAddSlip(t *testing.T) {
	const entry = `{program: slips/a.nra, cause: axis.other, note: "Which \"axis\"?\nLook"}`
	for name, c := range map[string]struct{ before, after string }{
		"none":                {"title: T # kept\ncases: []\n", "title: T # kept\ncases: []\nslips:\n  - " + entry + "\n"},
		"none, no line break": {"title: T", "title: T\nslips:\n  - " + entry + "\n"},
		"block": {"slips: # foreseen\n  # first\n  - {program: b.nra, cause: axis.other}\ntitle: T\n",
			"slips: # foreseen\n  # first\n  - " + entry + "\n  - {program: b.nra, cause: axis.other}\ntitle: T\n"},
		"block, not indented": {"slips:\n- program: b.nra\n  cause: axis.other\n",
			"slips:\n- " + entry + "\n- program: b.nra\n  cause: axis.other\n"},
		"flow": {"slips: [{program: b.nra, cause: axis.other}]\n",
			"slips: [" + entry + ", {program: b.nra, cause: axis.other}]\n"},
		"empty": {"slips: []\ntitle: T\n", "slips: [" + entry + "]\ntitle: T\n"},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := exercise.AddSlip(c.before, "slips/a.nra", "axis.other", "Which \"axis\"?\nLook")
			require.NoError(t, err)
			assert.Equal(t, c.after, got)
			var read struct {
				Slips []struct{ Program, Cause, Note string }
			}
			require.NoError(t, yaml.Unmarshal([]byte(got), &read))
			assert.Equal(t, "slips/a.nra", read.Slips[0].Program)
			assert.Equal(t, "Which \"axis\"?\nLook", read.Slips[0].Note)
		})
	}
	for _, bad := range []string{"slips: 3\n", "slips:\n", "{title: T}\n", "- a\n", "a: [\n"} {
		_, err := exercise.AddSlip(bad, "slips/a.nra", "axis.other", "n")
		assert.Error(t, err, bad)
	}
}

func FuzzAddSlip(f *testing.F) {
	f.Add("slips:\n  - {program: b.nra}\n")
	f.Add("slips: [a,\n b]\n")
	f.Fuzz(func(t *testing.T, text string) {
		got, err := exercise.AddSlip(text, "slips/a.nra", "axis.other", "n")
		if err != nil {
			return
		}
		var read yaml.Node
		if yaml.Unmarshal([]byte(got), &read) != nil {
			t.Errorf("%q became %q, which cannot be read", text, got)
		}
	})
}
