package array_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
)

// nd is the oracle: an array as a plain map from position to value.
type nd struct {
	shape []int
	at    map[string]float64
}

func key(index []int) string { return fmt.Sprint(index) }

// each visits every position of a shape, the slow way.
func each(shape []int, f func(index []int)) {
	n, _ := array.Size(shape)
	for flat := range n {
		index, rest := make([]int, len(shape)), flat
		for i := len(shape) - 1; i >= 0; i-- {
			index[i] = rest % shape[i]
			rest /= shape[i]
		}
		f(index)
	}
}

func oracle(a *array.Array) nd {
	o := nd{slices.Clone(a.Shape()), map[string]float64{}}
	flat := 0
	each(o.shape, func(index []int) {
		o.at[key(index)] = a.RealAt(flat)
		flat++
	})
	return o
}

// random makes an array of small whole reals, seen through a random view.
func random(r *rand.Rand, rank int) *array.Array {
	shape := make([]int, rank)
	for i := range shape {
		shape[i] = 1 + r.IntN(5)
	}
	n, _ := array.Size(shape)
	data := make([]float64, n)
	for i := range data {
		data[i] = float64(r.IntN(100))
	}
	a := array.FromReals(data, shape...)
	if rank > 0 && r.IntN(2) == 0 {
		a = a.Transpose(r.Perm(rank))
	}
	if rank > 0 && r.IntN(2) == 0 {
		picks := make([]array.Pick, rank)
		for i, d := range a.Shape() {
			picks[i] = randomRange(r, d)
		}
		a = a.Select(picks)
	}
	return a
}

func randomRange(r *rand.Rand, d int) array.Pick {
	if d == 0 {
		return array.WholeAxis(0)
	}
	start, end := r.IntN(d), r.IntN(d)
	step := 1 + r.IntN(2)
	if end < start {
		step = -step
	}
	return array.Pick{Kind: array.PickRange, Start: start, Step: step, Count: (end-start)/step + 1}
}

func TestSelectAgainstOracle(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 2000 {
		a := random(r, r.IntN(4))
		o := oracle(a)
		var picks []array.Pick
		for _, d := range a.Shape() {
			switch r.IntN(4) {
			case 0:
				picks = append(picks, array.Pick{Kind: array.PickPosition, Start: r.IntN(d)})
			case 1:
				picks = append(picks, randomRange(r, d))
			case 2:
				list := make([]int, r.IntN(4))
				for i := range list {
					list[i] = r.IntN(d)
				}
				picks = append(picks, array.Pick{Kind: array.PickList, List: list})
			default:
				picks = append(picks, array.WholeAxis(d))
			}
			if r.IntN(4) == 0 {
				picks = append(picks, array.Pick{Kind: array.PickNew})
			}
		}
		got := a.Select(picks)
		require.Equal(t, array.SelectedShape(picks), append([]int{}, got.Shape()...))
		flat := 0
		each(got.Shape(), func(index []int) {
			require.Equal(t, o.at[key(source(picks, index))], got.RealAt(flat), "%v of %v at %v", picks, a.Shape(), index)
			flat++
		})
	}
}

// source is the position in the source behind a position of the selection.
func source(picks []array.Pick, index []int) []int {
	out, at := []int{}, 0
	for _, p := range picks {
		switch p.Kind {
		case array.PickPosition:
			out = append(out, p.Start)
			continue
		case array.PickRange:
			out = append(out, p.Start+index[at]*p.Step)
		case array.PickList:
			out = append(out, p.List[index[at]])
		}
		at++
	}
	return out
}

func TestAssignWritesWhatSelectReads(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 1000 {
		a := random(r, 1+r.IntN(3)).Copy()
		before := oracle(a)
		picks := make([]array.Pick, a.Rank())
		for i, d := range a.Shape() {
			picks[i] = randomRange(r, d)
			if r.IntN(3) == 0 {
				picks[i] = array.Pick{Kind: array.PickList, List: r.Perm(d)[:r.IntN(d+1)]}
			}
		}
		shape := array.SelectedShape(picks)
		n, _ := array.Size(shape)
		data := make([]float64, n)
		for i := range data {
			data[i] = 1000 + float64(i)
		}
		a.Assign(picks, array.FromReals(data, shape...))
		flat := 0
		each(shape, func(index []int) {
			before.at[key(source(picks, index))] = data[flat]
			flat++
		})
		assert.Equal(t, before.at, oracle(a).at)
	}
}

func TestReduceAgainstOracle(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for range 1000 {
		a := random(r, 1+r.IntN(3))
		var axes []int
		for axis := range a.Rank() {
			if r.IntN(2) == 0 {
				axes = append(axes, axis)
			}
		}
		keep := r.IntN(2) == 0
		got := array.Reduce(nil, a, axes, keep, func(items []float64) float64 {
			s := 0.0
			for i, v := range items {
				s += v * float64(i+1) // depends on the order
			}
			return s
		})
		shape := a.AppendCollapsed(nil, axes, true)
		sums, counts := map[string]float64{}, map[string]int{}
		flat := 0
		each(a.Shape(), func(index []int) {
			k := slices.Clone(index)
			for _, axis := range axes {
				k[axis] = 0
			}
			counts[key(k)]++
			sums[key(k)] += a.RealAt(flat) * float64(counts[key(k)])
			flat++
		})
		flat = 0
		each(shape, func(index []int) {
			require.Equal(t, sums[key(index)], got.RealAt(flat))
			flat++
		})
	}
}

// TestPartsOfNothing: an array without elements has no cells, wherever a part of it would begin.
func TestPartsOfNothing(t *testing.T) {
	none := array.FromReals(make([]float64, 12), 3, 4).Select([]array.Pick{{Kind: array.PickList}, array.WholeAxis(4)})
	part := none.Select([]array.Pick{array.WholeAxis(0), {Kind: array.PickRange, Start: 1, Step: 1, Count: 3}})
	require.Equal(t, []int{0, 3}, part.Shape())
	count := func(items []float64) float64 { return float64(len(items)) }
	for _, c := range []struct{ axes, want []int }{{nil, []int{0, 3}}, {[]int{0}, []int{3}}, {[]int{1}, []int{0}},
		{[]int{0, 1}, nil}} {
		got := array.Reduce(nil, part, c.axes, false, count)
		assert.Len(t, got.Shape(), len(c.want))
		for i := range got.Size() {
			assert.Zero(t, got.RealAt(i))
		}
	}
	assert.Empty(t, part.Reals())
	assert.Zero(t, part.Copy().Size())
	assert.Zero(t, part.Reshape([]int{3, 0}).Size())
	assert.Zero(t, part.Transpose([]int{1, 0}).Size())
	both := array.EachPair(func(x, y float64) float64 { return x + y })
	assert.Zero(t, array.Map2(part.Shape(), part, part, both).Size())
}

func TestMap2BroadcastsLikeTheOracle(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	met := 0
	for range 4000 {
		a, b := random(r, r.IntN(4)), random(r, r.IntN(4))
		shape, err := array.BroadcastShape(a.Shape(), b.Shape())
		if err != nil {
			continue
		}
		met++
		got := array.Map2(shape, a, b, array.EachPair(func(x, y float64) float64 { return x*1000 + y }))
		oa, ob := oracle(a), oracle(b)
		flat := 0
		each(shape, func(index []int) {
			require.Equal(t, oa.at[key(under(a, index))]*1000+ob.at[key(under(b, index))], got.RealAt(flat))
			flat++
		})
	}
	assert.Greater(t, met, 500)
}

// under is the position of a smaller operand below a position of the result.
func under(a *array.Array, index []int) []int {
	out := slices.Clone(index[len(index)-a.Rank():])
	for i := range out {
		if a.Len(i) == 1 {
			out[i] = 0
		}
	}
	return out
}

func TestBroadcastShapeTellsTheFirstPair(t *testing.T) {
	_, err := array.BroadcastShape([]int{5, 3, 4}, []int{2, 1})
	require.Error(t, err)
	var unfit *array.BroadcastError
	require.ErrorAs(t, err, &unfit)
	assert.Equal(t, 2, unfit.Axis)
	shape, err := array.BroadcastShape([]int{5, 1, 4}, []int{3, 1}, nil)
	require.NoError(t, err)
	assert.Equal(t, []int{5, 3, 4}, shape)
}

func TestLabelsMerge(t *testing.T) {
	a := array.New(array.Real, []int{2, 2}).WithLabels([]string{"week", "rope"})
	b := array.New(array.Real, []int{2}).WithLabels([]string{"depth"})
	labels, clashes := array.BroadcastLabels(2, a, b)
	assert.Equal(t, []string{"week", ""}, labels)
	assert.Equal(t, []array.LabelClash{{Axis: 1, A: "rope", B: "depth"}}, clashes)
}

func TestPairwiseSumKeepsSmallParts(t *testing.T) {
	x := make([]float64, 1<<20)
	for i := range x {
		x[i] = 0.1
	}
	assert.InDelta(t, float64(len(x))*0.1, array.PairwiseSum(x), 1e-7)
	assert.Zero(t, array.PairwiseSum(nil))
}

func TestSizeNeverOverflows(t *testing.T) {
	_, ok := array.Size([]int{1 << 40, 1 << 40})
	assert.False(t, ok)
	n, ok := array.Size([]int{1 << 40, 0, 1 << 40})
	assert.True(t, ok)
	assert.Zero(t, n)
}

func ExampleArray_Select() {
	growth := array.FromInts([]int64{1, 2, 3, 4, 5, 6}, 2, 3)
	last := growth.Select([]array.Pick{array.WholeAxis(2), {Kind: array.PickPosition, Start: 2}})
	fmt.Println(last.Shape(), last.Ints())
	// Output: [2] [3 6]
}
