package compare_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/compare"
)

func at(axis int) *int { return &axis }

func TestAxesOfLengthOneComeAndGo(t *testing.T) {
	r := array.FromReals([]float64{1, 2, 3}, 3)
	a := array.FromReals([]float64{1, 2, 3}, 1, 3, 1)
	assert.False(t, compare.Agree(r, a, compare.Default, compare.Freedom{}))
	assert.True(t, compare.Agree(r, a, compare.Default, compare.Freedom{Ones: true}))
	assert.False(t, compare.Agree(r, array.FromReals(make([]float64, 6), 3, 2), compare.Default,
		compare.Freedom{Ones: true}))
	outcome, _ := compare.Compare(array.Scalar(2.0), array.FromReals([]float64{2}, 1, 1), compare.Default,
		compare.Freedom{Ones: true})
	assert.Equal(t, compare.Agrees, outcome)
}

func TestSignsAndScalesOfColumnsAreFree(t *testing.T) {
	r := array.FromReals([]float64{0.6, 0.8, -0.8, 0.6}, 2, 2)
	turned := array.FromReals([]float64{-0.6, 0.8, 0.8, 0.6}, 2, 2)
	assert.True(t, compare.Agree(r, turned, compare.Default, compare.Freedom{FreeSign: at(1)}))
	assert.False(t, compare.Agree(r, turned, compare.Default, compare.Freedom{FreeSign: at(0)}))
	scaled := array.FromReals([]float64{6, -0.08, -8, -0.06}, 2, 2)
	assert.True(t, compare.Agree(r, scaled, compare.Default, compare.Freedom{FreeScale: at(1)}))
	assert.False(t, compare.Agree(r, scaled, compare.Default, compare.Freedom{FreeSign: at(1)}))
	assert.False(t, compare.Agree(r, array.FromReals(make([]float64, 4), 2, 2), compare.Default,
		compare.Freedom{FreeScale: at(1)}), "0 is no scale")
	z := array.FromComplexes([]complex128{1, 1i}, 2)
	assert.True(t, compare.Agree(z, array.FromComplexes([]complex128{2i, -3}, 2), compare.Default,
		compare.Freedom{FreeScale: at(0)}), "scales of complex columns are complex")
	ints := array.FromInts([]int64{1, -2}, 2)
	assert.True(t, compare.Agree(ints, array.FromInts([]int64{-1, 2}, 2), compare.Default,
		compare.Freedom{FreeSign: at(0)}))
}

// TestAnyOrder shuffles items, shakes them within tolerance, and holds the matching
// against what was shuffled.
func TestAnyOrder(t *testing.T) {
	g := rand.New(rand.NewPCG(1, 5))
	for range 200 {
		rows, columns := 1+g.IntN(6), 1+g.IntN(4)
		data := make([]float64, rows*columns)
		for i := range data {
			data[i] = float64(g.IntN(4))
		}
		r := array.FromReals(data, rows, columns)
		order := g.Perm(rows)
		a := r.Select([]array.Pick{{Kind: array.PickList, List: order}, array.WholeAxis(columns)})
		shaken := array.Map1(a, array.EachCell(func(v float64) float64 { return v * (1 + 1e-12) }))
		require.True(t, compare.Agree(r, shaken, compare.Default, compare.Freedom{AnyOrder: at(0)}), "%v %v", data, order)
		if columns > 1 && rows > 1 && !slices.Equal(data[:columns], data[columns:2*columns]) {
			other := slices.Clone(data)
			other[0] += 10
			require.False(t, compare.Agree(r, array.FromReals(other, rows, columns), compare.Default,
				compare.Freedom{AnyOrder: at(0)}))
		}
	}
	long := make([]float64, 5000)
	for i := range long {
		long[i] = g.Float64()
	}
	mixed := slices.Clone(long)
	g.Shuffle(len(mixed), func(i, k int) { mixed[i], mixed[k] = mixed[k], mixed[i] })
	assert.True(t, compare.Agree(array.FromReals(long, 5000), array.FromReals(mixed, 5000), compare.Default,
		compare.Freedom{AnyOrder: at(0)}))
	// The first fit is not always the right one: 1.0 fits both, 1.4 only one.
	loose := compare.Tolerance{Absolute: 0.5, Written: true}
	assert.True(t, compare.Agree(array.FromReals([]float64{1, 1.6}, 2), array.FromReals([]float64{1.4, 0.6}, 2), loose,
		compare.Freedom{AnyOrder: at(0)}))
	outcome, d := compare.Compare(array.FromReals([]float64{1, 2, 3}, 3), array.FromReals([]float64{3, 9, 1}, 3),
		compare.Default, compare.Freedom{AnyOrder: at(0)})
	assert.Equal(t, compare.ValuesDiffer, outcome)
	assert.Equal(t, 1, d.Count, "two of three found their place")
}

func TestInfinitiesAndNaN(t *testing.T) {
	inf, nan := math.Inf(1), math.NaN()
	agree := func(r, a float64, tolerance compare.Tolerance) bool {
		return compare.Agree(array.FromReals([]float64{r}, 1), array.FromReals([]float64{a}, 1), tolerance, compare.Freedom{})
	}
	assert.True(t, agree(inf, inf, compare.Default))
	assert.False(t, agree(inf, -inf, compare.Default))
	assert.False(t, agree(inf, 1e300, compare.Default), "an infinity agrees only with its like")
	assert.False(t, agree(1, inf, compare.Tolerance{Absolute: inf, Written: true}))
	assert.True(t, agree(nan, nan, compare.Default))
	assert.False(t, agree(nan, nan, compare.Tolerance{Relative: 1, NaNNever: true, Written: true}))
	assert.False(t, agree(nan, 1, compare.Default))
	assert.True(t, agree(1, math.Nextafter(1, 2), compare.Tolerance{ULPs: 1, Written: true}))
	assert.False(t, agree(1, 1+3*0x1p-52, compare.Tolerance{ULPs: 2, Written: true}))
}

// TestJudgeIsCompareWithoutTheFigures compares the quick way with the long one.
func TestJudgeIsCompareWithoutTheFigures(t *testing.T) {
	g := rand.New(rand.NewPCG(3, 3))
	special := []float64{0, math.Copysign(0, -1), 1, 1 + 1e-10, 1 + 1e-7, -1, math.Inf(1), math.Inf(-1), math.NaN(),
		1e-13, 5}
	for range 20000 {
		pick := func() *array.Array {
			v := special[g.IntN(len(special))]
			switch g.IntN(4) {
			case 0:
				if v == v && math.Abs(v) < 10 {
					return array.FromInts([]int64{int64(v)}, 1)
				}
			case 1:
				return array.FromComplexes([]complex128{complex(v, 0)}, 1)
			case 2:
				return array.FromBools([]bool{v > 0}, 1)
			}
			if v == 5 {
				return array.FromReals([]float64{v, v}, 2)
			}
			return array.FromReals([]float64{v}, 1)
		}
		r, a := pick(), pick()
		tolerance := []compare.Tolerance{compare.Default, {Relative: 0, Absolute: 0, Written: true},
			{ULPs: 3, Written: true}, {Relative: 1e-8, NaNNever: true, Written: true},
			{Relative: 1e-9, ExactKind: true}}[g.IntN(5)]
		outcome, _ := compare.Compare(r, a, tolerance, compare.Freedom{})
		require.Equal(t, outcome, compare.Judge(r, a, tolerance, compare.Freedom{}), "%v %v %v", r, a, tolerance)
	}
}

func TestRegionsByMaskAndOfMoreAxes(t *testing.T) {
	mask := array.FromBools([]bool{true, false, false, false, true, true}, 2, 3)
	r := array.New(array.Real, []int{2, 3})
	a := array.Map1(mask, array.EachCell(func(v bool) float64 {
		if v {
			return 1
		}
		return 0
	}))
	_, d := compare.Compare(r, a, compare.Default, compare.Freedom{}, compare.Mask{Words: "x > 3", Values: mask})
	assert.Equal(t, compare.MaskTrue, d.Where.Kind)
	assert.Equal(t, "x > 3", d.Where.Words)
	flipped := array.Map1(mask, array.EachCell(func(v bool) float64 {
		if v {
			return 0
		}
		return 1
	}))
	_, d = compare.Compare(r, flipped, compare.Default, compare.Freedom{}, compare.Mask{Words: "x > 3", Values: mask})
	assert.Equal(t, compare.MaskFalse, d.Where.Kind)

	deep := make([]float64, 2*3*4*5)
	for i := range deep {
		if i/5%4 == 2 {
			deep[i] = 1
		}
	}
	_, d = compare.Compare(array.New(array.Real, []int{2, 3, 4, 5}), array.FromReals(deep, 2, 3, 4, 5), compare.Default,
		compare.Freedom{})
	assert.Equal(t, compare.Position, d.Where.Kind)
	assert.Equal(t, 2, d.Where.Axis)
	assert.Equal(t, 2, d.Where.First)
	for i := range deep {
		deep[i] = 0
		if i/20%3 == i%20/5 {
			deep[i] = 1
		}
	}
	diagonal := make([]float64, 2*3*3)
	for i := range diagonal {
		if i/3%3 == i%3 {
			diagonal[i] = 1
		}
	}
	_, d = compare.Compare(array.New(array.Real, []int{2, 3, 3}), array.FromReals(diagonal, 2, 3, 3), compare.Default,
		compare.Freedom{})
	assert.Equal(t, compare.Diagonal, d.Where.Kind, "the diagonal of the last two axes")
}
