package check_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
)

// TestLongTextsAreSearchedNoLonger hands one mistake in alone, behind thousands of lines
// that do nothing and beside a list of thousands of numbers. All are reported the same; without
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
		t.Run(before, func(t *testing.T) {
			v := attempt(t, p, before+wrong)
			assert.Equal(t, check.Differs, v.Verdict)
			if assert.NotEmpty(t, v.Causes) {
				assert.Equal(t, alone.Causes[0].Code, v.Causes[0].Code)
			}
		})
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
		t.Run(text, func(t *testing.T) {
			v := attempt(t, p, text)
			assert.Equal(t, check.Failed, v.Verdict)
			require.NotEmpty(t, v.Findings)
			assert.Contains(t, v.Findings[0].Message, "statements run")
		})
	}
}

// TestTextsAsLongAsTheyMayBe hands in a megabyte of one thing each. What walks a text goes
// through it a few times at most, and not down a stack as deep as it is long; else this
// takes minutes, or hundreds of megabytes.
func TestTextsAsLongAsTheyMayBe(t *testing.T) {
	p := prepared(t)["rope-means"]
	each := func(form string, times int) string {
		var b strings.Builder
		for k := range times {
			b.WriteString(strings.ReplaceAll(form, "%d", fmt.Sprint(k)))
		}
		return b.String()
	}
	var chain strings.Builder
	for k := range 25_000 {
		fmt.Fprintf(&chain, "function f%d(x) = f%d(x)\n", k, k+1)
	}
	chain.WriteString("function f25000(x) = x\nper_rope = f0(1)\n")
	for _, c := range []struct{ name, text, code string }{
		{"a sum", "x = 1" + each(" + 1", 240_000), "output.missing"},
		{"comparisons", "x = 1" + each(" < 1", 240_000), "output.missing"},
		{"a list", "x = [1" + each(", 2", 330_000) + "]", "output.missing"},
		{"names", each("name_%d = %d\n", 50_000), "output.missing"},
		{"calls", each("x%d = mean(growth over week)\n", 28_000), "output.missing"},
		{"functions", "function f0(x) = x\n" + each("function g%d(x) = f0(x)\n", 30_000) + "per_rope = g3(1)\n",
			"shape.differs"},
		{"functions that call the next", chain.String(), "run.limit"},
		{"selections", "x = growth" + each("[0]", 300_000), "text.syntax"},
		{"signs", "x = " + each("-", 900_000) + "1", "text.syntax"},
		{"brackets", "x = " + each("[", 400_000), "text.syntax"},
		{"labels", "x = sum(growth over [w" + each(", a%d", 100_000) + "])", "axis.unknown"},
	} {
		t.Run(c.name, func(t *testing.T) {
			v := attempt(t, p, c.text)
			require.NotEmpty(t, v.Findings, c.name)
			assert.Equal(t, c.code, string(v.Findings[0].Code), c.name)
		})
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	assert.Less(t, m.StackSys, uint64(100<<20))
}

// TestLongWaysToOneOutput hands in outputs that come from thousands of lines, one from the other, or from one line of
// thousands of terms. Why they differ is asked of each part once; else this takes minutes.
func TestLongWaysToOneOutput(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [rope]}}\noutputs: {total: {}}\n"+twoCases, "total = sum(x) + 1\n")
	var chain, views, terms, writes strings.Builder
	chain.WriteString("a0 = x\n")
	views.WriteString("view a0 = b[all]\n")
	for k := range 6000 {
		fmt.Fprintf(&chain, "a%d = a%d + %d\n", k+1, k, k)
		fmt.Fprintf(&views, "view a%d = a%d[all]\n", k+1, k)
		fmt.Fprintf(&terms, " + x[%d]", k%3)
		fmt.Fprintf(&writes, "a[%d] += 1\n", k%2)
	}
	for name, text := range map[string]string{
		"a chain":        chain.String() + "total = sum(a6000)\n",
		"views of views": "b = x + 0\n" + views.String() + "total = sum(a9)\n",
		"a sum":          "total = 0" + terms.String() + "\n",
		"parts":          "a = x + 0\n" + writes.String() + "total = sum(a)\n",
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, check.Differs, attempt(t, p, text).Verdict)
		})
	}
}
