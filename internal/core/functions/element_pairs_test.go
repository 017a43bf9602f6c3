package functions

import (
	"fmt"
	"math"
	"math/big"
	"math/cmplx"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
)

// pairsOf draws two operands of two kinds whose shapes broadcast, and the shape they give.
func pairsOf(r *rand.Rand) (a, b *array.Array, shape []int) {
	for {
		a, b = viewOf(r, everyKind[r.IntN(4)], r.IntN(4)), viewOf(r, everyKind[r.IntN(4)], r.IntN(3))
		if r.IntN(2) == 0 {
			a, b = b, a
		}
		if shape, err := array.BroadcastShape(a.Shape(), b.Shape()); err == nil {
			return a, b, shape
		}
	}
}

// below is the element of an operand below a position of the result.
func below(a *array.Array, index []int) complex128 {
	at := slices.Clone(index[len(index)-a.Rank():])
	for i := range at {
		if a.Len(i) == 1 {
			at[i] = 0
		}
	}
	return elementAt(a, at)
}

// TestComparisonsAgainstTheirMeaning compares operands of every pair of kinds, through
// views and broadcasting.
func TestComparisonsAgainstTheirMeaning(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 31))
	means := map[string]func(x, y complex128) bool{
		"==": func(x, y complex128) bool { return x == y },
		"!=": func(x, y complex128) bool { return x != y },
		"<":  func(x, y complex128) bool { return real(x) < real(y) },
		"<=": func(x, y complex128) bool { return real(x) <= real(y) },
		">":  func(x, y complex128) bool { return real(x) > real(y) },
		">=": func(x, y complex128) bool { return real(x) >= real(y) },
	}
	for range 1500 {
		a, b, shape := pairsOf(r)
		for op, mean := range means {
			got, d := Binary(meter(), op, a, b)
			if ordered := op != "==" && op != "!="; ordered && max(a.Kind(), b.Kind()) == array.Complex {
				require.NotNil(t, d)
				require.EqualValues(t, "run.kind", d.Code)
				continue
			}
			require.Nil(t, d)
			require.Equal(t, array.Bool, got.Kind())
			for i, index := range positionsIn(shape) {
				require.Equal(t, mean(below(a, index), below(b, index)), got.BoolAt(i), "%s at %v", op, index)
			}
		}
	}
}

// Ints and reals are compared as the numbers they are, not as the doubles near them.
func TestComparisonsOfLargeIntsAreExact(t *testing.T) {
	r := rand.New(rand.NewPCG(32, 32))
	ints := []int64{math.MaxInt64, math.MinInt64, 1 << 53, 1<<53 + 1, -(1<<53 + 1), 0}
	reals := []float64{0x1p63, -0x1p63, 0x1p53, 0x1p53 + 2, 0.5, -0.5, math.Inf(1), math.Inf(-1), math.MaxFloat64}
	for range 200 {
		ints = append(ints, edgy(r))
		reals = append(reals, float64(edgy(r)))
	}
	for _, n := range ints {
		for _, v := range reals {
			order := 0
			switch {
			case math.IsInf(v, 1):
				order = -1
			case math.IsInf(v, -1):
				order = 1
			default:
				order = new(big.Float).SetInt64(n).Cmp(big.NewFloat(v))
			}
			for op, want := range map[string]bool{"==": order == 0, "!=": order != 0, "<": order < 0, "<=": order <= 0,
				">": order > 0, ">=": order >= 0} {
				got, d := Binary(meter(), op, array.Scalar(n), array.Scalar(v))
				require.Nil(t, d)
				require.Equal(t, want, got.BoolAt(0), "%d %s %v", n, op, v)
			}
		}
	}
}

func TestNaNIsEqualToNothing(t *testing.T) {
	nan, one := array.Scalar(math.NaN()), array.Scalar(1.0)
	for op, want := range map[string]bool{"==": false, "!=": true, "<": false, "<=": false, ">": false, ">=": false} {
		t.Run(op, func(t *testing.T) {
			for _, pair := range [][2]*array.Array{{nan, one}, {one, nan}, {nan, nan}, {nan, array.Scalar(int64(3))}} {
				got, d := Binary(meter(), op, pair[0], pair[1])
				require.Nil(t, d)
				require.Equal(t, want, got.BoolAt(0), op)
			}
		})
	}
}

func TestTruthTables(t *testing.T) {
	r := rand.New(rand.NewPCG(33, 33))
	means := map[string]func(x, y bool) bool{
		"and": func(x, y bool) bool { return x && y }, "or": func(x, y bool) bool { return x || y },
		"xor": func(x, y bool) bool { return x != y },
	}
	for range 500 {
		a, b, shape := pairsOf(r)
		for op, mean := range means {
			got, d := Binary(meter(), op, a, b)
			if a.Kind() != array.Bool || b.Kind() != array.Bool {
				require.NotNil(t, d)
				require.EqualValues(t, "text.habit", d.Code)
				continue
			}
			require.Nil(t, d)
			for i, index := range positionsIn(shape) {
				require.Equal(t, mean(below(a, index) != 0, below(b, index) != 0), got.BoolAt(i))
			}
		}
		if a.Kind() == array.Bool {
			got, d := Not(meter(), a)
			require.Nil(t, d)
			for i, index := range positionsIn(a.Shape()) {
				require.Equal(t, elementAt(a, index) == 0, got.BoolAt(i))
			}
			require.Equal(t, a.Labels(), got.Labels())
		}
	}
}

// TestArithmeticOfEveryPairOfKinds asks of each result its kind and its elements.
func TestArithmeticOfEveryPairOfKinds(t *testing.T) {
	r := rand.New(rand.NewPCG(34, 34))
	means := map[string]func(x, y complex128) complex128{
		"+": func(x, y complex128) complex128 { return x + y },
		"-": func(x, y complex128) complex128 { return x - y },
		"*": func(x, y complex128) complex128 { return x * y },
	}
	for range 1500 {
		a, b, shape := pairsOf(r)
		for op, mean := range means {
			got, d := Binary(meter(), op, a, b)
			require.Nil(t, d)
			require.Equal(t, max(a.Kind(), b.Kind(), array.Int), got.Kind(), "%s %s %s", a.Kind(), op, b.Kind())
			for i, index := range positionsIn(shape) {
				require.Equal(t, mean(below(a, index), below(b, index)), got.ComplexAt(i))
			}
		}
		got, d := Binary(meter(), "/", a, b)
		require.Nil(t, d)
		require.Equal(t, max(a.Kind(), b.Kind(), array.Real), got.Kind())
		for i, index := range positionsIn(shape) {
			if y := below(b, index); y != 0 {
				require.InDelta(t, 0, cmplx.Abs(got.ComplexAt(i)-below(a, index)/y), 1e-12*(1+cmplx.Abs(got.ComplexAt(i))))
			}
		}
	}
}

func TestSignsOfEveryKind(t *testing.T) {
	r := rand.New(rand.NewPCG(35, 35))
	for range 300 {
		a := viewOf(r, everyKind[r.IntN(4)], r.IntN(4))
		down, d := Negate(meter(), a)
		require.Nil(t, d)
		up, d := Positive(meter(), a)
		require.Nil(t, d)
		require.Equal(t, max(a.Kind(), array.Int), down.Kind())
		require.Equal(t, max(a.Kind(), array.Int), up.Kind())
		require.Equal(t, a.Labels(), down.Labels())
		for i, index := range positionsIn(a.Shape()) {
			require.Equal(t, -elementAt(a, index), down.ComplexAt(i))
			require.Equal(t, elementAt(a, index), up.ComplexAt(i))
		}
	}
}

func TestConversions(t *testing.T) {
	r := rand.New(rand.NewPCG(36, 36))
	for range 300 {
		a := viewOf(r, everyKind[r.IntN(4)], r.IntN(4))
		for i, index := range positionsIn(a.Shape()) {
			v := elementAt(a, index)
			require.Equal(t, v != 0, called(t, "bool", a).BoolAt(i))
			require.Equal(t, v, called(t, "complex", a).ComplexAt(i))
			require.Equal(t, real(v), called(t, "real_part", a).RealAt(i))
			require.Equal(t, imag(v), called(t, "imaginary_part", a).RealAt(i))
			require.InDelta(t, cmplx.Abs(v), called(t, "abs", a).RealAt(i), 1e-12)
			require.Equal(t, cmplx.Conj(v), called(t, "conjugate", a).ComplexAt(i))
			if a.Kind() < array.Complex {
				require.Equal(t, int64(real(v)), called(t, "int", a).IntAt(i), "towards zero")
				require.Equal(t, real(v), called(t, "real", a).RealAt(i))
			}
		}
		for _, name := range []string{"bool", "complex", "real_part", "abs", "conjugate"} {
			require.Equal(t, a.Labels(), called(t, name, a).Labels(), name)
		}
	}
}

func TestSmallerLargerAndPowers(t *testing.T) {
	r := rand.New(rand.NewPCG(37, 37))
	for range 800 {
		a, b, shape := pairsOf(r)
		if max(a.Kind(), b.Kind()) == array.Complex {
			continue
		}
		high, low := called(t, "greater", a, b), called(t, "lesser", a, b)
		require.Equal(t, max(a.Kind(), b.Kind()), high.Kind())
		for i, index := range positionsIn(shape) {
			x, y := real(below(a, index)), real(below(b, index))
			require.Equal(t, max(x, y), high.RealAt(i))
			require.Equal(t, min(x, y), low.RealAt(i))
		}
		square, d := Binary(meter(), "^", a, array.Scalar(int64(2)))
		require.Nil(t, d)
		for i, index := range positionsIn(a.Shape()) {
			x := real(elementAt(a, index))
			require.Equal(t, x*x, square.RealAt(i))
		}
	}
}

// Complex functions undo each other where they should.
func TestComplexFunctionsUndoEachOther(t *testing.T) {
	r := rand.New(rand.NewPCG(38, 38))
	cells := make([]complex128, 60)
	for i := range cells {
		cells[i] = complex(r.NormFloat64(), r.NormFloat64())
	}
	z := array.FromComplexes(cells, 60)
	for _, pair := range [][2]string{{"log", "exp"}, {"asin", "sin"}, {"acos", "cos"}, {"atan", "tan"},
		{"asinh", "sinh"}, {"acosh", "cosh"}, {"atanh", "tanh"}} {
		back := called(t, pair[1], called(t, pair[0], z))
		for i, v := range cells {
			require.InDelta(t, 0, cmplx.Abs(back.ComplexAt(i)-v), 1e-9, "%s(%s(%v))", pair[1], pair[0], v)
		}
	}
	root := called(t, "sqrt", z)
	square, _ := Binary(meter(), "*", root, root)
	for i, v := range cells {
		require.InDelta(t, 0, cmplx.Abs(square.ComplexAt(i)-v), 1e-12)
		require.GreaterOrEqual(t, real(root.ComplexAt(i)), 0.0, "the principal root")
		require.InDelta(t, cmplx.Phase(v), called(t, "angle", z).RealAt(i), 1e-12)
	}
	again := called(t, "polar", called(t, "abs", z), called(t, "angle", z))
	for i, v := range cells {
		require.InDelta(t, 0, cmplx.Abs(again.ComplexAt(i)-v), 1e-12)
	}
}

func TestRangesAgainstCounting(t *testing.T) {
	r := rand.New(rand.NewPCG(39, 39))
	for range 1000 {
		from, end, by := r.Int64N(21)-10, r.Int64N(21)-10, r.Int64N(9)-4
		if by == 0 {
			continue
		}
		for _, before := range []bool{false, true} {
			var want []int64
			for at := from; by > 0 && at <= end || by < 0 && at >= end; at += by {
				if before && at == end {
					break
				}
				want = append(want, at)
			}
			got, d := Range(meter(), array.Scalar(from), array.Scalar(end), array.Scalar(by), before)
			require.Nil(t, d)
			require.Equal(t, want, got.Ints(), "%d to %d by %d, before: %v", from, end, by, before)
		}
	}
}

func TestMadeArrays(t *testing.T) {
	for n := range int64(5) {
		for m := range int64(4) {
			zeros, ones := called(t, "zeros", array.Scalar(n), array.Scalar(m)), called(t, "ones",
				array.FromInts([]int64{n, m}, 2))
			require.Equal(t, []int{int(n), int(m)}, zeros.Shape())
			require.Equal(t, []int{int(n), int(m)}, ones.Shape())
			require.Equal(t, array.Real, ones.Kind())
			for i := range int(n * m) {
				require.Zero(t, zeros.RealAt(i))
				require.Equal(t, 1.0, ones.RealAt(i))
			}
		}
		unit := called(t, "identity", array.Scalar(n))
		for i := range n {
			for j := range n {
				want := 0.0
				if i == j {
					want = 1
				}
				require.Equal(t, want, unit.RealAt(int(i*n+j)))
			}
		}
	}
	for _, value := range []*array.Array{array.Scalar(true), array.Scalar(int64(7)), array.Scalar(2.5), array.Scalar(1i)} {
		filled := called(t, "filled", array.FromInts([]int64{2, 2}, 2), value)
		require.Equal(t, value.Kind(), filled.Kind())
		for i := range 4 {
			require.Equal(t, value.ComplexAt(0), filled.ComplexAt(i))
		}
	}
}

// Draws depend on their key and their place in the program, and on nothing else.
func TestDrawsRepeat(t *testing.T) {
	draws := func(key DrawKey) string {
		m := meter()
		m.Draw = key
		out := ""
		for _, name := range []string{"draw_uniform", "draw_integers"} {
			for range 2 {
				c := &Call{Function: Lookup(name), Meter: m, Args: []*array.Array{array.FromInts([]int64{3}, 1),
					array.Scalar(int64(-1000)), array.Scalar(int64(1000))}}
				a, d := c.Function.Run(c)
				require.Nil(t, d)
				out += fmt.Sprintln(a.Kind(), a.ComplexAt(0), a.ComplexAt(1), a.ComplexAt(2))
			}
		}
		return out
	}
	first := draws(DrawKey{Seed: 1, Case: 5})
	assert.Equal(t, first, draws(DrawKey{Seed: 1, Case: 5}))
	assert.NotEqual(t, first, draws(DrawKey{Seed: 2, Case: 5}))
	assert.NotEqual(t, first, draws(DrawKey{Seed: 1, Case: 6}))
	assert.NotEqual(t, first, draws(DrawKey{Seed: 1, Case: 5, Repeat: 1}))
}

// Draws are spread as they should be: means and spreads within five standard errors.
func TestDrawsAreSpreadAsTheyShouldBe(t *testing.T) {
	const n = 40_000
	m := meter()
	run := func(name string, options map[string]Value, args ...*array.Array) []float64 {
		c := &Call{Function: Lookup(name), Meter: m, Args: append([]*array.Array{array.FromInts([]int64{n}, 1)}, args...),
			Options: options}
		a, d := c.Function.Run(c)
		require.Nil(t, d)
		return a.Widen(array.Real).Reals()
	}
	moments := func(x []float64) (mean, spread float64) {
		for _, v := range x {
			mean += v / n
		}
		for _, v := range x {
			spread += (v - mean) * (v - mean) / n
		}
		return mean, math.Sqrt(spread)
	}
	for _, c := range []struct {
		name         string
		x            []float64
		mean, spread float64
	}{
		{"uniform", run("draw_uniform", nil, array.Scalar(2.0), array.Scalar(6.0)), 4, 4 / math.Sqrt(12)},
		{"integers", run("draw_integers", nil, array.Scalar(int64(1)), array.Scalar(int64(6))), 3.5, math.Sqrt(35.0 / 12)},
		{"normal", run("draw_normal", map[string]Value{"mean": {Array: array.Scalar(10.0)},
			"std": {Array: array.Scalar(3.0)}}), 10, 3},
	} {
		t.Run(c.name, func(t *testing.T) {
			mean, spread := moments(c.x)
			assert.InDelta(t, c.mean, mean, 5*c.spread/math.Sqrt(n), c.name)
			assert.InDelta(t, c.spread, spread, 5*c.spread/math.Sqrt(n), c.name)
		})
	}
	counts := map[float64]int{}
	for _, v := range run("draw_integers", nil, array.Scalar(int64(1)), array.Scalar(int64(6))) {
		counts[v]++
	}
	assert.Len(t, counts, 6, "both ends are in")
}
