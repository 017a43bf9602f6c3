package functions

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

// TestSeveralValuesOfAGroup holds quantiles and counts on a new first axis against each
// group sorted the slow way, with and without `keep` and `only`.
func TestSeveralValuesOfAGroup(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 21))
	at := func(p float64) func([]float64) float64 {
		return func(x []float64) float64 {
			s := slices.Sorted(slices.Values(x))
			h := float64(len(s)-1) * p / 100
			low := int(h)
			if low == len(s)-1 {
				return s[low]
			}
			return s[low] + (h-float64(low))*(s[low+1]-s[low])
		}
	}
	between := func(low, high float64, closed bool) func([]float64) float64 {
		return func(x []float64) float64 {
			n := 0.0
			for _, v := range x {
				if v >= low && (v < high || closed && v == high) {
					n++
				}
			}
			return n
		}
	}
	for range 150 {
		rank := 1 + r.IntN(3)
		a := view(r, rank)
		axes := r.Perm(rank)[:1+r.IntN(rank)]
		slices.Sort(axes)
		keep := r.IntN(2) == 0
		options := map[string]Value{"keep": {Array: array.Scalar(keep)}}
		var mask *array.Array
		if r.IntN(2) == 0 {
			flags := make([]bool, a.Size())
			for i := range flags {
				flags[i] = r.IntN(8) > 0
			}
			mask = array.FromBools(flags, a.Shape()...)
			options["only"] = Value{Array: mask}
		}
		for _, w := range []struct {
			name  string
			args  []*array.Array
			wants []func([]float64) float64
		}{
			{"percentile", []*array.Array{reals([]float64{10, 50, 99.5})}, []func([]float64) float64{at(10), at(50), at(99.5)}},
			{"five_numbers", nil, []func([]float64) float64{at(0), at(25), at(50), at(75), at(100)}},
			{"counts_between", []*array.Array{reals([]float64{-20, 0, 5})}, []func([]float64) float64{between(-20, 0, false),
				between(0, 5, true)}},
		} {
			given := options
			if w.name == "counts_between" {
				given = map[string]Value{}
				if mask != nil {
					given["only"] = options["only"]
				}
			}
			c := &Call{Function: Lookup(w.name), Args: append([]*array.Array{a}, w.args...), Axes: axes, Options: given,
				Meter: meter()}
			out, d := c.Function.Run(c)
			if d != nil {
				require.NotNil(t, mask, "%s: %v", w.name, d)
				assert.Equal(t, codes.Code("run.empty"), d.Code)
				continue
			}
			_, kept := given["keep"]
			shape, labels := collapsedPlainly(a, axes, keep && kept)
			require.Equal(t, append([]int{len(w.wants)}, shape...), append([]int{}, out.Shape()...), w.name)
			for i, l := range labels {
				assert.Equal(t, l, out.Label(i+1), w.name)
			}
			ones, _ := collapsedPlainly(a, axes, true)
			n := out.Size() / len(w.wants)
			for k, f := range w.wants {
				want := plainly(a, axes, mask, f)
				for flat, index := range positionsIn(ones) {
					require.InDelta(t, want[fmt.Sprint(index)], out.RealAt(k*n+flat), 1e-12, "%s %d over %v of %v", w.name, k, axes,
						a.Shape())
				}
			}
		}
	}
}

// TestReductionsToSeveralValuesRefuse reduces many small groups, whose values take more than
// the groups.
func TestReductionsToSeveralValuesRefuse(t *testing.T) {
	tall := array.FromReals(make([]float64, 200_000), 100_000, 2)
	m := NewMeter(t.Context(), Limits{Statements: 1, Cells: 1e9, Bytes: 3 << 20, Depth: 1})
	_, d := Lookup("five_numbers").Run(&Call{Function: Lookup("five_numbers"), Args: []*array.Array{tall},
		Axes: []int{1}, Meter: m})
	require.NotNil(t, d)
	assert.Equal(t, codes.Code("run.limit"), d.Code)
}
