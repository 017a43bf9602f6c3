package compare_test

import (
	"fmt"
	"math"
	"math/cmplx"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/compare"
)

func reals(v ...float64) *array.Array { return array.FromReals(v, len(v)) }
func ints(v ...int64) *array.Array    { return array.FromInts(v, len(v)) }

func TestOutcomes(t *testing.T) {
	nan, inf := math.NaN(), math.Inf(1)
	for i, c := range []struct {
		r, a *array.Array
		t    compare.Tolerance
		want compare.Outcome
	}{
		{reals(1, 2), reals(1, 2+1e-10), compare.Default, compare.Agrees},
		{reals(1, 2), reals(1, 2+1e-8), compare.Default, compare.ValuesDiffer},
		{reals(0), reals(1e-13), compare.Default, compare.Agrees},
		{ints(1, 2), ints(1, 3), compare.Default, compare.ValuesDiffer},
		{ints(1_000_000_000_000_000_000), ints(1_000_000_000_000_000_001), compare.Default, compare.ValuesDiffer},
		{ints(100), ints(101), compare.Tolerance{Absolute: 1, Written: true}, compare.Agrees},
		{ints(2), reals(2), compare.Default, compare.Agrees},
		{ints(2), reals(2), compare.Tolerance{ExactKind: true}, compare.KindDiffers},
		{ints(1), array.FromBools([]bool{true}, 1), compare.Default, compare.KindDiffers},
		{array.FromBools([]bool{true}, 1), array.FromBools([]bool{false}, 1), compare.Default, compare.ValuesDiffer},
		{reals(1, 2), array.FromReals([]float64{1, 2}, 1, 2), compare.Default, compare.ShapeDiffers},
		{reals(nan), reals(nan), compare.Default, compare.Agrees},
		{reals(nan), reals(nan), compare.Tolerance{NaNNever: true}, compare.ValuesDiffer},
		{reals(nan), reals(1), compare.Default, compare.ValuesDiffer},
		{reals(inf), reals(inf), compare.Default, compare.Agrees},
		{reals(inf), reals(-inf), compare.Default, compare.ValuesDiffer},
		{reals(inf), reals(1e308), compare.Tolerance{Absolute: inf, Written: true}, compare.ValuesDiffer},
		{reals(1), reals(math.Nextafter(1, 2)), compare.Tolerance{ULPs: 1, Written: true}, compare.Agrees},
		{reals(1), reals(math.Nextafter(math.Nextafter(1, 2), 2)), compare.Tolerance{ULPs: 1, Written: true},
			compare.ValuesDiffer},
		{array.FromComplexes([]complex128{1i}, 1), array.FromComplexes([]complex128{cmplx.Exp(1i * math.Pi / 2)}, 1),
			compare.Default, compare.Agrees},
		{array.New(array.Real, []int{0}), array.New(array.Real, []int{0}), compare.Default, compare.Agrees},
	} {
		got, _ := compare.Compare(c.r, c.a, c.t, compare.Freedom{})
		assert.Equal(t, c.want, got, "case %d", i)
	}
}

func TestFigures(t *testing.T) {
	_, d := compare.Compare(reals(10, 100, 1, 4), reals(11, 105, 1, 4), compare.Default, compare.Freedom{})
	require.NotNil(t, d)
	assert.Equal(t, [2]int{2, 4}, [2]int{d.Count, d.Of})
	assert.Equal(t, 1, d.GreatestAbsolute.Flat)
	assert.Equal(t, 5.0, d.GreatestAbsolute.Absolute)
	assert.Equal(t, 0, d.GreatestRelative.Flat)
	assert.InDelta(t, 0.1, d.GreatestRelative.Relative, 1e-15)
	big := make([]float64, 1000)
	_, d = compare.Compare(array.FromReals(make([]float64, 1000), 1000), array.FromReals(func() []float64 {
		for i := range big {
			big[i] = float64(i)
		}
		return big
	}(), 1000), compare.Default, compare.Freedom{})
	assert.Len(t, d.Worst, 10)
	assert.Equal(t, 999, d.Worst[0].Flat)
	assert.Equal(t, 999, d.Count)
}

// region compares zeros with ones where wrong says so.
func region(shape []int, wrong func(index []int) bool) compare.Region {
	n, _ := array.Size(shape)
	a := make([]float64, n)
	for flat := range a {
		index, rest := make([]int, len(shape)), flat
		for i := len(shape) - 1; i >= 0; i-- {
			index[i] = rest % shape[i]
			rest /= shape[i]
		}
		if wrong(index) {
			a[flat] = 1
		}
	}
	_, d := compare.Compare(array.New(array.Real, shape), array.FromReals(a, shape...), compare.Default, compare.Freedom{})
	return d.Where
}

func TestRegions(t *testing.T) {
	s := []int{4, 5, 6}
	assert.Equal(t, compare.Region{Kind: compare.Everything}, region(s, func([]int) bool { return true }))
	assert.Equal(t, compare.Region{Kind: compare.Position, Axis: 2, First: 5, Last: 5},
		region(s, func(i []int) bool { return i[2] == 5 }))
	assert.Equal(t, compare.Region{Kind: compare.Position, Axis: 0}, region(s, func(i []int) bool { return i[0] == 0 }))
	assert.Equal(t, compare.Region{Kind: compare.Range, Axis: 1, First: 2, Last: 4},
		region(s, func(i []int) bool { return i[1] >= 2 }))
	assert.Equal(t, compare.Region{Kind: compare.EveryKth, Axis: 2, First: 1, Last: 5, Step: 2},
		region(s, func(i []int) bool { return i[2]%2 == 1 }))
	assert.Equal(t, compare.OnePlace, region(s, func(i []int) bool { return i[0] == 1 && i[1] == 1 && i[2] == 1 }).Kind)
	m := []int{6, 6}
	assert.Equal(t, compare.Diagonal, region(m, func(i []int) bool { return i[0] == i[1] }).Kind)
	assert.Equal(t, compare.Above, region(m, func(i []int) bool { return i[1] > i[0] }).Kind)
	assert.Equal(t, compare.Below, region(m, func(i []int) bool { return i[1] < i[0] }).Kind)
	assert.Equal(t, compare.Scattered, region(m, func(i []int) bool { return (i[0]*7+i[1]*3)%5 == 0 }).Kind)
}

func ExampleCompare() {
	outcome, d := compare.Compare(reals(1, 2, 3), reals(1, 2, 4), compare.Default, compare.Freedom{})
	fmt.Println(outcome == compare.ValuesDiffer, d.Count, "of", d.Of)
	// Output: true 1 of 3
}
