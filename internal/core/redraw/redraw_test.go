package redraw_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/redraw"
)

func source() *rand.Rand { return rand.New(rand.NewPCG(7, 7)) }

func TestFilledKeepsRangeGridAndKind(t *testing.T) {
	r := source()
	for range 50 {
		a := array.FromInts([]int64{2, 9, 4, 4}, 4).WithLabels([]string{"rope"})
		b := redraw.Filled(r, a, []int{7})
		assert.Equal(t, []int{7}, b.Shape())
		assert.Equal(t, array.Int, b.Kind())
		assert.Equal(t, a.Labels(), b.Labels())
		assert.GreaterOrEqual(t, slices.Min(b.Ints()), int64(2))
		assert.LessOrEqual(t, slices.Max(b.Ints()), int64(9))
	}
}

func TestFilledKeepsSymmetry(t *testing.T) {
	a := array.FromReals([]float64{4, 1, 0.5, 1, 3, -1, 0.5, -1, 5}, 3, 3)
	for range 20 {
		assert.True(t, redraw.Symmetric(redraw.Filled(source(), a, []int{3, 3})))
	}
	b := array.FromReals([]float64{4, 1, 0, 3}, 2, 2)
	assert.False(t, redraw.Symmetric(b))
}

func TestAlikeKeepsWhatProgramsRelyOn(t *testing.T) {
	r := source()
	edges := array.FromReals([]float64{0, 10, 15, 30, 50}, 5)
	order := array.FromInts([]int64{3, 0, 2, 1}, 4)
	changed := false
	for range 30 {
		e := redraw.Alike(r, edges, []int{5})
		assert.True(t, slices.IsSorted(e.Reals()), "what ascends goes on to")
		assert.InDelta(t, 0, e.RealAt(0), 0)
		o := redraw.Alike(r, order, []int{4})
		assert.Equal(t, []int64{0, 1, 2, 3}, slices.Sorted(slices.Values(o.Ints())), "an order stays one")
		changed = changed || !slices.Equal(o.Ints(), order.Ints())
	}
	assert.True(t, changed)
	assert.True(t, redraw.Ascends(edges))
	assert.False(t, redraw.Ascends(order))
}

func TestOfNothingAndOfTruth(t *testing.T) {
	none := array.New(array.Real, []int{0, 3})
	assert.Equal(t, []int{2, 3}, redraw.Filled(source(), none, []int{2, 3}).Shape())
	mask := array.New(array.Bool, []int{3})
	mask.Bools()[1] = true
	b := redraw.Filled(source(), mask, []int{40})
	assert.Equal(t, array.Bool, b.Kind())
	assert.Contains(t, b.Bools(), true)
	assert.Contains(t, b.Bools(), false)
}
