package check_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
)

// what the examples of causes read: x by week and rope, w and v by week, a and b square,
// e along their side, m with a missing value.
const exampleInputs = `title: Examples
inputs:
  {x: {axes: [week, rope]}, w: {axes: [week]}, v: {axes: [week]}, a: {axes: [row, column]}, b: {axes: [row, column]},
   e: {axes: [side]}, m: {axes: [day], missing: nan}}
outputs: {%s}
cases:
  - name: bay
    shown: true
    inputs:
      {x: [[1, 9, 3], [4, 2, 6.5], [7, 8, 5], [2, 5.5, 11]], w: [3, 1, 4.5, 2], v: [2, 7, 1, 8],
       a: [[2, 1], [0.5, 3]], b: [[1, 4], [2, 0.5]], e: [5, 0.25], m: [1, nan, 4]}
  - name: cove
    inputs:
      {x: [[5, 1, 8], [3, 4, 2.5], [9, 6, 7], [4, 3, 1], [2, 2, 6]], w: [6, 3, 2, 8.5, 7], v: [4, 5, 3, 1, 2],
       a: [[3, 2], [1, 0.75]], b: [[2, 1], [5, 7]], e: [3, 2], m: [nan, 2, 7]}
`

// wordsOnly are causes whose example is in words: they need a starter, an instructor's
// slip, held data or a result that no single change makes.
var wordsOnly = []codes.Code{codes.StarterUnchanged, codes.OutputSwapped, codes.AxisOrder, codes.Foreseen,
	codes.ConstantAnswer, codes.ShownOnly}

func TestEveryExampleOfACauseIsFoundOut(t *testing.T) {
	for _, e := range codes.Of(codes.Cause) {
		if slices.Contains(wordsOnly, e.Code) {
			continue
		}
		t.Run(string(e.Code), func(t *testing.T) {
			right, wrong, ok := strings.Cut(e.Example, " → ")
			require.True(t, ok)
			if !strings.Contains(right, "out = ") {
				right, wrong = "out = "+right, "out = "+wrong
			}
			folder := fstest.MapFS{
				"exercise.yaml": {Data: fmt.Appendf(nil, exampleInputs, "out: {}")},
				"prompt.md":     {Data: []byte("Bind out.")}, "reference.nra": {Data: []byte(right + "\n")},
			}
			x, problems := exercise.LoadExercise(folder, "examples")
			require.Empty(t, problems)
			p, problems := check.Prepare(context.Background(), x)
			require.Empty(t, problems)
			v := attempt(t, p, wrong+"\n")
			require.NotEmpty(t, v.Causes, "%s: %v", wrong, v.Findings)
			var found []string
			for _, c := range v.Causes {
				found = append(found, string(c.Code))
			}
			assert.Contains(t, found, string(e.Code))
		})
	}
}
