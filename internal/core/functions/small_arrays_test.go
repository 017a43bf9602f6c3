package functions

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// theLongWay is arithmetic on reals without any shortcut.
func theLongWay(m *Meter, op string, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	shape, labels, d := Merge(m, "`"+op+"`", a, b)
	if d != nil {
		return nil, d
	}
	_, wide, d := Unify(m, array.Real, a, b)
	if d != nil {
		return nil, d
	}
	if d := m.TakeShape(array.Real, shape); d != nil {
		return nil, d
	}
	out := array.Map2(shape, wide[0], wide[1], realKernels[op])
	NoteNonFinite(m, "`"+op+"`", "", out, wide[0], wide[1])
	return out.SetLabels(labels), nil
}

func sameBits(t *testing.T, want, got *array.Array, about ...any) {
	t.Helper()
	require.Equal(t, want.Kind(), got.Kind(), about...)
	require.Equal(t, ShapeOf(want).String(), ShapeOf(got).String(), about...)
	for i := range want.Size() {
		if math.IsNaN(want.RealAt(i)) {
			require.True(t, math.IsNaN(got.RealAt(i)), about...)
			continue
		}
		require.Equal(t, math.Float64bits(want.RealAt(i)), math.Float64bits(got.RealAt(i)), about...)
	}
}

func messages(m *Meter) []string {
	var out []string
	for _, n := range m.Notices {
		out = append(out, string(n.Code)+" "+n.Message+" "+n.Hint)
	}
	return out
}

// TestSmallArithmeticIsTheLongWay runs small operands of every form, labelled and not,
// with and without zeros, infinities and NaN, both ways.
func TestSmallArithmeticIsTheLongWay(t *testing.T) {
	g := rand.New(rand.NewPCG(4, 9))
	special := []float64{0, math.Copysign(0, -1), math.Inf(1), math.NaN(), math.MaxFloat64, 5e-324}
	number := func() float64 {
		if g.IntN(12) == 0 {
			return special[g.IntN(len(special))]
		}
		return g.NormFloat64()
	}
	shapes := [][]int{{}, {1}, {3}, {2, 3}, {3, 2}, {1, 3}, {2, 1}, {4, 2, 3}, {4, 1, 3}, {0, 3}, {0}, {2, 4, 2, 3},
		{5, 7}, {70, 3}}
	operand := func() *array.Array {
		shape := shapes[g.IntN(len(shapes))]
		n, _ := array.Size(shape)
		if g.IntN(6) == 0 {
			ints := make([]int64, n)
			for i := range ints {
				ints[i] = g.Int64N(7) - 3
			}
			return array.FromInts(ints, shape...)
		}
		reals := make([]float64, n)
		for i := range reals {
			reals[i] = number()
		}
		a := array.FromReals(reals, shape...)
		if len(shape) == 2 && g.IntN(3) == 0 {
			a = a.Transpose([]int{1, 0})
		}
		if g.IntN(3) == 0 {
			labels := make([]string, a.Rank())
			for i := range labels {
				labels[i] = []string{"", "week", "rope"}[g.IntN(3)]
			}
			a = a.WithLabels(labels)
		}
		return a
	}
	for range 6000 {
		op := []string{"+", "-", "*", "/"}[g.IntN(4)]
		a, b := operand(), operand()
		if a.Kind() == array.Int && b.Kind() == array.Int && op != "/" {
			continue // ints stay ints
		}
		long, short := meter(), meter()
		want, d := theLongWay(long, op, a, b)
		got, e := Binary(short, op, a, b)
		about := []any{"%s %s %s", Describe(a), op, Describe(b)}
		if d != nil || e != nil {
			require.Equal(t, d, e, about...)
			continue
		}
		sameBits(t, want, got, about...)
		require.Equal(t, messages(long), messages(short), about...)
		require.Equal(t, long.Cells, short.Cells, about...)

		long, short = meter(), meter()
		v, first := number(), g.IntN(2) == 0
		if got, e, ok := SmallRealsWith(short, op, a, v, first); ok {
			require.Nil(t, e, about...)
			if first {
				want, _ = theLongWay(long, op, array.Scalar(v), a)
			} else {
				want, _ = theLongWay(long, op, a, array.Scalar(v))
			}
			sameBits(t, want, got, about...)
			require.Equal(t, messages(long), messages(short), about...)
		}
	}
}

// TestResultsOfAnArenaAreApart makes sure that results cut from one piece
// of memory do not lie on each other.
func TestResultsOfAnArenaAreApart(t *testing.T) {
	m := meter()
	var made []*array.Array
	for i := range 300 {
		a := array.FromReals([]float64{float64(i), 1, 2, 3}, 2, 2)
		sum, d := Binary(m, "+", a, array.Scalar(0.5))
		require.Nil(t, d)
		top, d := Lookup("max").Run(&Call{Function: Lookup("max"), Args: []*array.Array{a}, Axes: []int{1}, Meter: m})
		require.Nil(t, d)
		made = append(made, sum, top)
	}
	for i := range 300 {
		assert.Equal(t, []float64{float64(i) + 0.5, 1.5, 2.5, 3.5}, made[2*i].Reals())
		assert.Equal(t, []float64{max(float64(i), 1), 3}, made[2*i+1].Reals())
	}
	large := array.FromReals(make([]float64, 65), 65)
	assert.Same(t, large.Cells(), m.Arena.Select(large, []array.Pick{array.WholeAxis(65)}).Cells(),
		"a view copies nothing")
}
