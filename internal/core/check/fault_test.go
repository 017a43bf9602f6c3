package check

import (
	"context"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
)

func preparedDemo(t *testing.T, name string) *Prepared {
	t.Helper()
	c, problems := exercise.LoadCourse(os.DirFS("../../../demo/course"))
	require.Empty(t, problems)
	p, problems := Prepare(context.Background(), c.Find(name))
	require.Empty(t, problems)
	return p
}

// TestAFaultEndsOneAttempt damages what an exercise was prepared to, so that the check
// itself fails: the attempt has no verdict, and the next exercise is checked as ever.
func TestAFaultEndsOneAttempt(t *testing.T) {
	p := preparedDemo(t, "rope-means")
	text := p.Exercise.Reference
	for i := range p.Cases {
		p.Cases[i].Expected = nil
	}
	v, err := Attempt(context.Background(), p, text, nil)
	assert.Nil(t, v)
	f := guard.As(err)
	require.NotNil(t, f, "%v", err)
	assert.Contains(t, string(f.Stack), "core/check")
	_, err = Arrays(context.Background(), p, Results{})
	assert.NotNil(t, guard.As(err))
	v, err = Attempt(context.Background(), preparedDemo(t, "rope-means"), text, nil)
	require.NoError(t, err)
	assert.Equal(t, Agrees, v.Verdict)
}

// TestAFaultInTheSearchForCausesLeavesTheVerdict damages the question that causes are
// asked of.
func TestAFaultInTheSearchForCausesLeavesTheVerdict(t *testing.T) {
	p := preparedDemo(t, "rope-means")
	text := "per_rope = mean(growth over [week, rope])\nbest_week = 1\nspread = 2\n"
	whole, err := Attempt(context.Background(), preparedDemo(t, "rope-means"), text, nil)
	require.NoError(t, err)
	require.NotEmpty(t, whole.Causes)
	assert.Nil(t, whole.Fault)
	p.once.Do(func() { p.question = &causes.Question{Exercise: p.Exercise, Cases: make([]causes.Case, len(p.Cases))} })
	v, err := Attempt(context.Background(), p, text, nil)
	require.NoError(t, err)
	require.NotNil(t, v.Fault)
	assert.Contains(t, string(v.Fault.Stack), "core/causes")
	assert.Empty(t, v.Causes)
	assert.NotNil(t, v.Causes)
	assert.Equal(t, whole.Verdict, v.Verdict)
	assert.Equal(t, whole.Points, v.Points)
	assert.Equal(t, whole.Findings, v.Findings)
}

// TestWhatIsNotBoundHasNoCause leaves outputs out; nothing can be said of why.
func TestWhatIsNotBoundHasNoCause(t *testing.T) {
	p := preparedDemo(t, "rope-means")
	v, err := Attempt(context.Background(), p, "something = 1\nper_rope = 3.0\n", nil)
	require.NoError(t, err)
	for _, c := range v.Causes {
		assert.Equal(t, "per_rope", *c.Output, "%s is told of an output that is not there", c.Code)
	}
	assert.NotEmpty(t, v.Causes)
}

// TestWhatStopsAtABoundIsPaidFor: a program that stops on made-up data has cost what it ran, so that the search for an
// example ends.
func TestWhatStopsAtABoundIsPaidFor(t *testing.T) {
	p := preparedDemo(t, "rope-means")
	program, errs := notation.Parse("k = 0\n" + strings.Repeat("k += 1\n", int(exampleLimits.Statements)+1))
	require.Empty(t, errs)
	a := newAttempt(p, program, newVerdict(p, "program"))
	one := a.on(context.Background(), p.Cases[0].Inputs, true)
	assert.Nil(t, one.verdict)
	assert.GreaterOrEqual(t, one.cells, statementCells*exampleLimits.Statements)
}
