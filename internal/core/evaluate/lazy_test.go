package evaluate_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// chain writes a random chain of arithmetic, and the same with every operation
// bound to a name of its own, which nothing puts off.
func chain(r *rand.Rand, depth int, names []string, plain *string, next *int) (fused, step string) {
	if depth == 0 || r.IntN(5) == 0 {
		n := names[r.IntN(len(names))]
		return n, n
	}
	left, a := chain(r, depth-1, names, plain, next)
	right, b := chain(r, depth-1, names, plain, next)
	op := []string{"+", "-", "*", "/"}[r.IntN(4)]
	*next++
	name := fmt.Sprintf("t%d", *next)
	*plain += fmt.Sprintf("%s = %s %s %s\n", name, a, op, b)
	return fmt.Sprintf("(%s %s %s)", left, op, right), name
}

// TestChainsGiveWhatSingleStepsGive compares bits, notices and cost of chains on
// large arrays with the same operations one at a time.
func TestChainsGiveWhatSingleStepsGive(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	random := func(n int) []float64 {
		out := make([]float64, n)
		for i := range out {
			out[i] = float64(r.IntN(7)) // zeros make infinities and NaN
		}
		return out
	}
	given := map[string]*array.Array{
		"a": array.FromReals(random(6000), 60, 100).WithLabels([]string{"week", "rope"}),
		"b": array.FromReals(random(6000), 100, 60).Transpose([]int{1, 0}),
		"c": array.FromReals(random(100), 100).WithLabels([]string{"rope"}),
		"d": array.FromReals(random(60), 60, 1),
		"e": array.Scalar(2.5),
		"g": array.FromReals(random(6000), 60, 100),
	}
	names := []string{"a", "b", "c", "d", "e", "g"}
	run := func(text string) *evaluate.Result {
		program, errs := notation.Parse(text)
		require.Empty(t, errs, text)
		return evaluate.Run(context.Background(), program, given, evaluate.Options{Limits: evaluate.CheckLimits})
	}
	for range 150 {
		plain, next := "", 0
		fused, last := chain(r, 4, names, &plain, &next)
		one, steps := run("x = "+fused+"\n"), run(plain+"x = "+last+"\n")
		require.Nil(t, one.Error)
		require.Nil(t, steps.Error)
		assert.Equal(t, short(steps.Value("x")), short(one.Value("x")), fused)
		assert.Equal(t, steps.Cells, one.Cells, fused)
		codes := func(list []*notation.Diagnostic) map[codes.Code]bool {
			out := map[codes.Code]bool{}
			for _, n := range list {
				out[n.Code] = true
			}
			return out
		}
		assert.Equal(t, codes(steps.Notices), codes(one.Notices), fused)
	}
}

func TestChainsOverSeveralCores(t *testing.T) {
	const n = 1 << 18
	data := make([]float64, n)
	for i := range data {
		data[i] = float64(i)
	}
	program, errs := notation.Parse("y = x * 2 + 1 - x / 2\nz = transpose(x) - x * 2\n")
	require.Empty(t, errs)
	r := evaluate.Run(context.Background(), program, map[string]*array.Array{"x": array.FromReals(data, 512, 512)},
		evaluate.Options{Limits: evaluate.CheckLimits})
	require.Nil(t, r.Error)
	y, z := r.Value("y").Reals(), r.Value("z").Reals()
	for i := range data {
		require.Equal(t, data[i]*2+1-data[i]/2, y[i])
		require.Equal(t, data[i%512*512+i/512]-data[i]*2, z[i])
	}
}

func TestAWholeNumberLeavesIntsInts(t *testing.T) {
	ints := make([]int64, 5000)
	for i := range ints {
		ints[i] = int64(i)
	}
	program, errs := notation.Parse("y = x + 1\nz = 2 * x - 3\nw = x / 2\n")
	require.Empty(t, errs)
	got := evaluate.Run(context.Background(), program, map[string]*array.Array{"x": array.FromInts(ints, 5000)},
		evaluate.Options{Limits: evaluate.CheckLimits})
	require.Nil(t, got.Error)
	assert.Equal(t, array.Int, got.Value("y").Kind())
	assert.Equal(t, array.Int, got.Value("z").Kind())
	assert.Equal(t, int64(9995), got.Value("z").IntAt(4999))
	assert.Equal(t, array.Real, got.Value("w").Kind())
}
