package functions

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

// view makes a random array of small reals behind a random view, with labels.
func view(r *rand.Rand, rank int) *array.Array {
	shape := make([]int, rank)
	for i := range shape {
		shape[i] = 1 + r.IntN(4)
	}
	n, _ := array.Size(shape)
	data := make([]float64, n)
	for i := range data {
		data[i] = math.Round(r.NormFloat64()*100) / 4
	}
	labels := []string{"week", "rope", "depth", ""}[:rank]
	a := array.FromReals(data, shape...).WithLabels(labels).Transpose(r.Perm(rank))
	picks := wholePicks(a.Shape())
	for i := range picks {
		if n := picks[i].Count; r.IntN(3) == 0 {
			picks[i] = array.Pick{Kind: array.PickRange, Start: n - 1, Step: -1, Count: n}
		}
	}
	return a.Select(picks)
}

// place is the row-major place of a position.
func place(shape, index []int) int {
	flat := 0
	for i, n := range shape {
		flat = flat*n + index[i]
	}
	return flat
}

// positionsIn lists every position of a shape, rows first.
func positionsIn(shape []int) [][]int {
	n, _ := array.Size(shape)
	out := make([][]int, n)
	for flat := range out {
		index, rest := make([]int, len(shape)), flat
		for i := len(shape) - 1; i >= 0; i-- {
			index[i] = rest % shape[i]
			rest /= shape[i]
		}
		out[flat] = index
	}
	return out
}

// plainly reduces the slow way: it walks every element and sorts it into its group.
func plainly(a *array.Array, axes []int, mask *array.Array, f func([]float64) float64) map[string]float64 {
	groups := map[string][]float64{}
	for flat, index := range positionsIn(a.Shape()) {
		key := slices.Clone(index)
		for _, axis := range axes {
			key[axis] = 0
		}
		k := fmt.Sprint(key)
		if groups[k] == nil {
			groups[k] = []float64{}
		}
		if mask == nil || mask.BoolAt(flat) {
			groups[k] = append(groups[k], a.RealAt(flat))
		}
	}
	out := map[string]float64{}
	for k, items := range groups {
		out[k] = f(items)
	}
	return out
}

// plainCollapses are the oracles, each written from the definition alone.
var plainCollapses = map[string]func([]float64) float64{
	"sum": func(x []float64) float64 {
		s := 0.0
		for _, v := range x {
			s += v
		}
		return s
	},
	"product": func(x []float64) float64 {
		p := 1.0
		for _, v := range x {
			p *= v
		}
		return p
	},
	"mean":   func(x []float64) float64 { return total(x) / float64(len(x)) },
	"min":    slices.Min[[]float64],
	"max":    slices.Max[[]float64],
	"extent": func(x []float64) float64 { return slices.Max(x) - slices.Min(x) },
	"median": func(x []float64) float64 {
		s := slices.Sorted(slices.Values(x))
		if n := len(s); n%2 == 0 {
			return (s[n/2-1] + s[n/2]) / 2
		}
		return s[len(s)/2]
	},
	"var": func(x []float64) float64 { return squares(x) / float64(len(x)) },
	"std": func(x []float64) float64 { return math.Sqrt(squares(x) / float64(len(x))) },
	"count": func(x []float64) float64 {
		n := 0.0
		for _, v := range x {
			if v != 0 {
				n++
			}
		}
		return n
	},
	"norm": func(x []float64) float64 {
		s := 0.0
		for _, v := range x {
			s += v * v
		}
		return math.Sqrt(s)
	},
	"log_sum_exp": func(x []float64) float64 {
		s := 0.0
		for _, v := range x {
			s += math.Exp(v)
		}
		return math.Log(s)
	},
}

func total(x []float64) float64 {
	s := 0.0
	for _, v := range x {
		s += v
	}
	return s
}

func squares(x []float64) float64 {
	m, s := total(x)/float64(len(x)), 0.0
	for _, v := range x {
		s += (v - m) * (v - m)
	}
	return s
}

// TestReductionsAgainstTheirDefinitions reduces random views over random axes, with
// keep: and only:, and compares values, shapes and labels.
func TestReductionsAgainstTheirDefinitions(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for name, oracle := range plainCollapses {
		f := Lookup(name)
		for range 200 {
			a := view(r, 1+r.IntN(3))
			var axes []int
			for axis := range a.Rank() {
				if r.IntN(2) == 0 {
					axes = append(axes, axis)
				}
			}
			c := &Call{Function: f, Args: []*array.Array{a}, Axes: axes, Meter: meter(), Options: map[string]Value{}}
			if axes == nil {
				axes = c.overAxes()
			}
			keep := r.IntN(2) == 0
			if keep {
				c.Options["keep"] = Value{Array: array.Scalar(true)}
			}
			var mask *array.Array
			if r.IntN(3) == 0 {
				flags := make([]bool, a.Size())
				for i := range flags {
					flags[i] = r.IntN(4) > 0
				}
				mask = array.FromBools(flags, a.Shape()...)
				c.Options["only"] = Value{Array: mask}
			}
			out, d := f.Run(c)
			if d != nil {
				require.NotNil(t, mask, "%s: %v", name, d)
				assert.Equal(t, codes.RunEmpty, d.Code)
				continue
			}
			want := plainly(a, axes, mask, oracle)
			shape, labels := collapsedPlainly(a, axes, keep)
			require.Equal(t, append([]int{}, shape...), append([]int{}, out.Shape()...))
			for i, l := range labels {
				assert.Equal(t, l, out.Label(i))
			}
			kept, _ := collapsedPlainly(a, axes, true)
			for flat, index := range positionsIn(kept) {
				w := want[fmt.Sprint(index)]
				require.InDelta(t, w, out.RealAt(flat), 1e-9*(1+math.Abs(w)), "%s over %v of %v", name, axes, a.Shape())
			}
		}
	}
}

// TestSumsDoNotDependOnTheWayMemoryLies compares bits: over rows of tables, along
// memory, and of a transposed copy.
func TestSumsDoNotDependOnTheWayMemoryLies(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for _, rows := range []int{1, 5, 8, 100, 129, 1000} {
		const columns = 70
		data := make([]float64, rows*columns)
		for i := range data {
			data[i] = r.NormFloat64() * math.Pow(10, float64(r.IntN(12)))
		}
		a := array.FromReals(data, rows, columns)
		b := a.Transpose([]int{1, 0}).Copy() // the rows lie along memory here
		for _, name := range []string{"sum", "mean", "max", "min"} {
			f := Lookup(name)
			x, d := f.Run(&Call{Function: f, Args: []*array.Array{a}, Axes: []int{0}, Meter: meter()})
			require.Nil(t, d)
			y, d := f.Run(&Call{Function: f, Args: []*array.Array{b}, Axes: []int{1}, Meter: meter()})
			require.Nil(t, d)
			assert.Equal(t, y.Reals(), x.Reals(), "%s of %d rows", name, rows)
		}
	}
}

// TestVarianceKeepsItsDigits gives values whose squares would lose them all.
func TestVarianceKeepsItsDigits(t *testing.T) {
	a := array.FromReals([]float64{1e9 + 4, 1e9 + 7, 1e9 + 13, 1e9 + 16}, 4)
	f := Lookup("sample_var")
	out, d := f.Run(&Call{Function: f, Args: []*array.Array{a}, Meter: meter()})
	require.Nil(t, d)
	assert.Equal(t, 30.0, out.RealAt(0))
}

func TestAMeanWhoseSumOverflows(t *testing.T) {
	f := Lookup("mean")
	out, d := f.Run(&Call{Function: f, Args: []*array.Array{array.FromReals([]float64{1.5e308, 1.5e308}, 2)},
		Meter: meter()})
	require.Nil(t, d)
	assert.Equal(t, 1.5e308, out.RealAt(0))
	out, d = f.Run(&Call{Function: f, Args: []*array.Array{array.FromReals([]float64{1.5e308, 1, 1.5e308, 3}, 2, 2)},
		Axes: []int{0}, Meter: meter()})
	require.Nil(t, d)
	assert.Equal(t, []float64{1.5e308, 2}, out.Reals())
}

// TestScansAgainstDefinitions compares functions along an axis with loops.
func TestScansAgainstDefinitions(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	oracles := map[string]func(x []float64) []float64{
		"running_sum": func(x []float64) []float64 {
			out := make([]float64, len(x))
			for i := range x {
				out[i] = total(x[:i+1])
			}
			return out
		},
		"running_max": func(x []float64) []float64 {
			out := make([]float64, len(x))
			for i := range x {
				out[i] = slices.Max(x[:i+1])
			}
			return out
		},
		"sort":     func(x []float64) []float64 { return slices.Sorted(slices.Values(x)) },
		"reversed": func(x []float64) []float64 { y := slices.Clone(x); slices.Reverse(y); return y },
		"differences": func(x []float64) []float64 {
			out := make([]float64, len(x)-1)
			for i := range out {
				out[i] = x[i+1] - x[i]
			}
			return out
		},
	}
	for name, oracle := range oracles {
		t.Run(name, func(t *testing.T) {
			f := Lookup(name)
			for range 200 {
				a := view(r, 1+r.IntN(3))
				axis := r.IntN(a.Rank())
				out, d := f.Run(&Call{Function: f, Args: []*array.Array{a}, Axes: []int{axis}, Meter: meter()})
				require.Nil(t, d)
				assert.Equal(t, a.Label(axis), out.Label(axis))
				for _, index := range positionsIn(a.Shape()) {
					if index[axis] != 0 {
						continue
					}
					line := make([]float64, a.Len(axis))
					for i := range line {
						index[axis] = i
						line[i] = a.RealAt(place(a.Shape(), index))
					}
					for i, want := range oracle(line) {
						index[axis] = i
						require.InDelta(t, want, out.RealAt(place(out.Shape(), index)), 1e-9, name)
					}
				}
			}
		})
	}
}

func TestTheMeterRefusesBeforeAnythingIsMade(t *testing.T) {
	m := meter()
	assert.Nil(t, m.TakeShape(array.Real, []int{10, 10}))
	assert.EqualValues(t, 100, m.Cells)
	for _, shape := range [][]int{{1 << 30, 1 << 30}, {1 << 62, 4}, {200_000_000}} {
		d := m.TakeShape(array.Real, shape)
		require.NotNil(t, d)
		assert.Equal(t, codes.RunLimit, d.Code)
	}
	small := NewMeter(t.Context(), Limits{Statements: 1, Cells: 1e9, Bytes: 800, Depth: 1})
	assert.Nil(t, small.Take(array.Real, 100))
	assert.NotNil(t, small.Take(array.Real, 1), "what the running statement made is still alive")
	assert.Nil(t, small.Statement())
	assert.NotNil(t, small.Statement())
}

// collapsedPlainly lists the lengths and labels left when axes are reduced.
func collapsedPlainly(a *array.Array, axes []int, keep bool) (shape []int, labels []string) {
	for axis, n := range a.Shape() {
		gone := slices.Contains(axes, axis)
		if gone && !keep {
			continue
		}
		if gone {
			n = 1
		}
		shape, labels = append(shape, n), append(labels, a.Label(axis))
	}
	return shape, labels
}
