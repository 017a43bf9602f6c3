package check_test

import (
	"context"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/core/slips"
)

// TestMutatedAnswersAreChecked changes every reference of both demo courses in two or
// three places at random and checks what comes, with causes: no fault, and a verdict
// that adds up. NIMBUS_MUTATED says how many are tried, by default a few hundred.
func TestMutatedAnswersAreChecked(t *testing.T) {
	many := 340
	if text := os.Getenv("NIMBUS_MUTATED"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err)
		many = n
	}
	ctx := context.Background()
	var all []*check.Prepared
	for _, folder := range []string{"../../../demo/course", "../../../demo/course-from-one"} {
		t.Run(folder, func(t *testing.T) {
			c, problems := exercise.LoadCourse(os.DirFS(folder))
			require.Empty(t, problems)
			for _, e := range c.Exercises {
				p, problems := check.Prepare(ctx, e)
				require.Empty(t, problems)
				all = append(all, p)
			}
		})
	}
	g := rand.New(rand.NewPCG(12, 2026))
	words := map[check.Word]int{}
	var longest time.Duration
	for i := range many {
		p := all[i%len(all)]
		text := mutated(g, p, 2+i%2)
		started := time.Now()
		v, err := check.Attempt(ctx, p, text, nil)
		longest = max(longest, time.Since(started))
		require.NoError(t, err, "%s\n%s", p.Exercise.Name, text)
		require.Nil(t, v.Fault, "%v\n%s\n%s", v.Fault, p.Exercise.Name, text)
		words[v.Verdict]++
		require.LessOrEqual(t, v.Points.Earned, v.Points.Possible+1e-9)
		if v.Verdict == check.Agrees {
			require.Empty(t, v.Causes, text)
		}
		require.NotNil(t, v.ForStudent(p.Exercise, 1))
	}
	assert.Positive(t, words[check.Differs])
	assert.Positive(t, words[check.Failed])
	t.Logf("%d attempts: %v; the longest took %s", many, words, longest)
}

// mutated is a reference with some random slips in it, one in the other's place where
// they meet.
func mutated(g *rand.Rand, p *check.Prepared, changes int) string {
	program := notation.CopyProgram(p.Program)
	list := slips.Of(program, probe.Material(p))
	for range changes {
		list[g.IntN(len(list))].Apply()
	}
	return notation.Print(program)
}
