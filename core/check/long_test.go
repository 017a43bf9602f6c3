package check_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/core/check"
)

// TestLongTextsAreSearchedNoLonger hands one mistake in alone, behind thousands of lines
// that do nothing and beside a list of thousands of numbers. All are told the same; without
// a bound on the nodes that are walked the search would take minutes.
func TestLongTextsAreSearchedNoLonger(t *testing.T) {
	p := prepared(t)["rope-means"]
	wrong := demoAttempt(t, "rope-means", "right-by-hand")
	i := strings.Index(wrong, "per_rope")
	require.GreaterOrEqual(t, i, 0)
	wrong += "per_rope = mean(growth over [week, rope])\n"
	var lines strings.Builder
	for k := range 2000 {
		fmt.Fprintf(&lines, "idle_%d = growth * %d\n", k, k)
	}
	numbers := "idle = [1" + strings.Repeat(", 2", 15_000) + "]\n"
	alone := attempt(t, p, wrong)
	require.Equal(t, check.Differs, alone.Verdict)
	require.NotEmpty(t, alone.Causes)
	for _, before := range []string{lines.String(), numbers} {
		v := attempt(t, p, before+wrong)
		assert.Equal(t, check.Differs, v.Verdict)
		if assert.NotEmpty(t, v.Causes) {
			assert.Equal(t, alone.Causes[0].Code, v.Causes[0].Code)
		}
	}
}

// TestTextsThatGrowWhenTheyRun hands in texts whose work multiplies with every line:
// loops in loops, and functions that call each other twice.
func TestTextsThatGrowWhenTheyRun(t *testing.T) {
	p := prepared(t)["rope-means"]
	var loops, calls strings.Builder
	for k := range 30 {
		fmt.Fprintf(&loops, "each w%d in growth {\n", k)
	}
	loops.WriteString("x = 1\n" + strings.Repeat("}\n", 30) + "per_rope = 1\n")
	calls.WriteString("function f0(x) = x\n")
	for k := range 30 {
		fmt.Fprintf(&calls, "function f%d(x) = f%d(x) + f%d(x)\n", k+1, k, k)
	}
	calls.WriteString("per_rope = f30(1.0)\n")
	for _, text := range []string{loops.String(), calls.String()} {
		v := attempt(t, p, text)
		assert.Equal(t, check.Failed, v.Verdict)
		require.NotEmpty(t, v.Findings)
		assert.Contains(t, v.Findings[0].Message, "statements run")
	}
}
