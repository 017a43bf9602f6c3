package functions

import (
	"context"
	"fmt"
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

func meter() *Meter {
	return NewMeter(context.Background(), Limits{Statements: 1e6, Cells: 1e8, Bytes: 1 << 30, Depth: 64})
}

// edgy draws ints of every size, the ends of the range among them.
func edgy(r *rand.Rand) int64 {
	switch r.IntN(6) {
	case 0:
		return math.MinInt64 + r.Int64N(3)
	case 1:
		return math.MaxInt64 - r.Int64N(3)
	case 2:
		return r.Int64N(7) - 3
	case 3:
		return int64(r.Uint64())
	case 4:
		return 1<<31 + r.Int64N(5) - 2
	}
	return r.Int64N(1<<20) - 1<<19
}

// TestIntsAgainstBigNumbers compares every int operator with arbitrary precision: the
// same value, or overflow where it does not fit.
func TestIntsAgainstBigNumbers(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	exact := map[string]func(a, b *big.Int) *big.Int{
		"+": func(a, b *big.Int) *big.Int { return new(big.Int).Add(a, b) },
		"-": func(a, b *big.Int) *big.Int { return new(big.Int).Sub(a, b) },
		"*": func(a, b *big.Int) *big.Int { return new(big.Int).Mul(a, b) },
		"div": func(a, b *big.Int) *big.Int {
			q, m := new(big.Int).QuoRem(a, b, new(big.Int))
			if m.Sign() != 0 && m.Sign() != b.Sign() {
				q.Sub(q, big.NewInt(1))
			}
			return q
		},
		"mod": func(a, b *big.Int) *big.Int {
			m := new(big.Int).Rem(a, b)
			if m.Sign() != 0 && m.Sign() != b.Sign() {
				m.Add(m, b)
			}
			return m
		},
	}
	for range 20_000 {
		a, b := edgy(r), edgy(r)
		for op, f := range exact {
			if b == 0 && (op == "div" || op == "mod") {
				continue
			}
			want := f(big.NewInt(a), big.NewInt(b))
			out, d := Binary(meter(), op, array.Scalar(a), array.Scalar(b))
			if !want.IsInt64() {
				require.NotNil(t, d, "%d %s %d", a, op, b)
				assert.Equal(t, codes.RunOverflow, d.Code)
				continue
			}
			require.Nil(t, d, "%d %s %d", a, op, b)
			require.Equal(t, want.Int64(), out.IntAt(0), "%d %s %d", a, op, b)
		}
	}
}

func TestPowersOfIntsAgainstBigNumbers(t *testing.T) {
	for a := int64(-12); a <= 12; a++ {
		for n := int64(0); n <= 70; n++ {
			want := new(big.Int).Exp(big.NewInt(a), big.NewInt(n), nil)
			v, ok := powerInts(a, n)
			assert.Equal(t, want.IsInt64(), ok, "%d ^ %d", a, n)
			if ok {
				assert.Equal(t, want.Int64(), v)
			}
		}
	}
	for _, n := range []int64{math.MaxInt64, 1 << 40} {
		v, ok := powerInts(-1, n)
		assert.True(t, ok)
		assert.Equal(t, 1-2*(n&1), v)
	}
}

func TestSumsOfIntsAreExact(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	for range 2000 {
		items := make([]int64, r.IntN(8))
		want := new(big.Int)
		for i := range items {
			items[i] = edgy(r)
			want.Add(want, big.NewInt(items[i]))
		}
		got, ok := SumInts(items)
		assert.Equal(t, want.IsInt64(), ok)
		if ok {
			assert.Equal(t, want.Int64(), got)
		}
	}
}

// TestMatrixProductsOfIntsAreExact holds dot's 128-bit sums against big numbers.
func TestMatrixProductsOfIntsAreExact(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for range 3000 {
		a, b := make([]int64, 3), make([]int64, 3)
		want := new(big.Int)
		for i := range a {
			a[i], b[i] = edgy(r), edgy(r)>>r.IntN(60)
			want.Add(want, new(big.Int).Mul(big.NewInt(a[i]), big.NewInt(b[i])))
		}
		out, d := Dot(meter(), array.FromInts(a, 3), array.FromInts(b, 3))
		if !want.IsInt64() {
			require.NotNil(t, d, "%v %v", a, b)
			continue
		}
		require.Nil(t, d)
		assert.Equal(t, want.Int64(), out.IntAt(0), "%v %v", a, b)
	}
}

// TestFloorDivisionOfReals compares with the exact quotient.
func TestFloorDivisionOfReals(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 20_000 {
		a, b := math.Round(r.NormFloat64()*1000)/8, math.Round(r.NormFloat64()*50)/8
		if b == 0 {
			continue
		}
		q := new(big.Rat).Quo(new(big.Rat).SetFloat64(a), new(big.Rat).SetFloat64(b))
		floor := new(big.Int).Div(q.Num(), q.Denom()) // Euclidean, and the denominator is positive
		want, _ := new(big.Float).SetInt(floor).Float64()
		require.Equal(t, want, floorDiv(a, b)+0, "%v div %v", a, b)
		rest := new(big.Rat).Sub(new(big.Rat).SetFloat64(a), new(big.Rat).Mul(new(big.Rat).SetInt(floor), new(big.Rat).
			SetFloat64(b)))
		exact, _ := rest.Float64()
		require.Equal(t, exact, floorMod(a, b)+0, "%v mod %v", a, b)
	}
	assert.True(t, math.IsNaN(floorDiv(1, 0)) && math.IsNaN(floorMod(1, 0)))
	assert.Equal(t, 5.0, floorMod(5, math.Inf(1)))
}

func TestRangeCounts(t *testing.T) {
	for _, c := range []struct {
		a, b, s int64
		before  bool
		want    int64
	}{
		{0, 5, 1, false, 6}, {0, 5, 1, true, 5}, {5, 0, 1, false, 0}, {5, 0, -2, false, 3}, {3, 3, 1, false, 1},
		{3, 3, 1, true, 0}, {0, 6, 3, true, 2}, {0, 7, 3, true, 3},
		{math.MinInt64, math.MaxInt64, 1, false, 1 << 62}, {math.MinInt64, math.MaxInt64, math.MaxInt64, false, 3},
	} {
		assert.Equal(t, c.want, RangeCount(c.a, c.b, c.s, c.before), "%+v", c)
	}
}

func TestComplexPowersOfWholeExponentsAreExact(t *testing.T) {
	assert.Equal(t, complex(-4, 0), complexPower(2i, 2))
	assert.Equal(t, complex(0, -8), complexPower(2i, 3))
	assert.Equal(t, complex(1, 0), complexPower(0, 0))
	assert.Equal(t, complex(0, -0.5), complexPower(2i, -1))
}

func TestRounding(t *testing.T) {
	for _, c := range []struct {
		v      float64
		digits int
		want   float64
	}{{2.5, 0, 3}, {-2.5, 0, -3}, {0.125, 2, 0.13}, {1e300, 5, 1e300}, {1234.5, -2, 1200}, {1e-300, 400, 1e-300},
		{5, -400, 0}} {
		assert.Equal(t, c.want, roundDigits(c.v, c.digits), "%+v", c)
	}
	for _, c := range []struct {
		v    int64
		tens int
		want int64
		ok   bool
	}{{1250, 2, 1300, true}, {-1250, 2, -1300, true}, {1249, 2, 1200, true}, {math.MaxInt64, 1, 0, false},
		{math.MinInt64, 19, 0, false}, {7, 30, 0, true}} {
		got, ok := roundInt(c.v, c.tens)
		assert.Equal(t, c.ok, ok, "%+v", c)
		if ok {
			assert.Equal(t, c.want, got)
		}
	}
}

// TestInsertionsAreOffered looks at the hint of broadcasts that do not fit.
func TestInsertionsAreOffered(t *testing.T) {
	for _, c := range []struct {
		a, b []int
		hint string
	}{
		{[]int{2, 3}, []int{2}, "x[all, new]"},
		{[]int{5, 3, 4}, []int{5, 3}, "x[all, all, new]"},
		{[]int{5, 3, 4}, []int{5, 4}, "x[all, new, all]"},
		{[]int{3}, []int{4}, "x[all, new]"},
	} {
		t.Run(c.hint, func(t *testing.T) {
			_, d := Binary(meter(), "+", array.New(array.Real, c.a), array.New(array.Real, c.b))
			require.NotNil(t, d)
			assert.Equal(t, codes.ShapeBroadcast, d.Code)
			assert.Contains(t, d.Hint, c.hint, fmt.Sprint(c.a, c.b))
			assert.Len(t, d.Shapes, 2)
		})
	}
}
