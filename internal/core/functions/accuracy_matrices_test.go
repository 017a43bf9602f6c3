package functions

import (
	"math"
	"math/big"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
)

// fractions is a matrix of exact numbers.
type fractions [][]*big.Rat

func inFractions(a *array.Array) fractions {
	columns := a.Size() / a.Len(0)
	out := make(fractions, a.Len(0))
	for i := range out {
		for j := range columns {
			out[i] = append(out[i], new(big.Rat).SetFloat64(a.RealAt(i*columns+j)))
		}
	}
	return out
}

func (a fractions) turned() fractions {
	out := make(fractions, len(a[0]))
	for i := range out {
		for j := range a {
			out[i] = append(out[i], a[j][i])
		}
	}
	return out
}

func (a fractions) dot(b fractions) fractions {
	out := make(fractions, len(a))
	for i := range a {
		for j := range b[0] {
			sum := new(big.Rat)
			for k := range b {
				sum.Add(sum, new(big.Rat).Mul(a[i][k], b[k][j]))
			}
			out[i] = append(out[i], sum)
		}
	}
	return out
}

// solved eliminates exactly: x with a x = b, and the determinant.
func (a fractions) solved(b fractions) (x fractions, det *big.Rat) {
	n := len(a)
	rows := make(fractions, n)
	for i := range a {
		for _, v := range append(append([]*big.Rat{}, a[i]...), b[i]...) {
			rows[i] = append(rows[i], new(big.Rat).Set(v))
		}
	}
	det = big.NewRat(1, 1)
	for k := range n {
		p := k
		for rows[p][k].Sign() == 0 {
			p++
		}
		if p != k {
			rows[p], rows[k] = rows[k], rows[p]
			det.Neg(det)
		}
		pivot := new(big.Rat).Set(rows[k][k])
		det.Mul(det, pivot)
		for j := range rows[k] {
			rows[k][j].Quo(rows[k][j], pivot)
		}
		for i := range n {
			if f := new(big.Rat).Set(rows[i][k]); i != k && f.Sign() != 0 {
				for j := range rows[i] {
					rows[i][j].Sub(rows[i][j], new(big.Rat).Mul(f, rows[k][j]))
				}
			}
		}
	}
	for i := range rows {
		x = append(x, rows[i][n:])
	}
	return x, det
}

func unit(n int) fractions {
	out := make(fractions, n)
	for i := range out {
		for j := range n {
			out[i] = append(out[i], big.NewRat(int64(map[bool]int{true: 1}[i == j]), 1))
		}
	}
	return out
}

// largest is the largest size of an element, and norm the root of the sum of squares.
func (a fractions) largest() (largest, norm float64) {
	for i := range a {
		for _, v := range a[i] {
			f, _ := v.Float64()
			largest, norm = max(largest, math.Abs(f)), math.Hypot(norm, f)
		}
	}
	return largest, norm
}

// ulpsOf is how far a result lies from exact values, in units in the last place of a
// measure.
func ulpsOf(t *testing.T, measure float64, got *array.Array, want fractions) float64 {
	t.Helper()
	unit := math.Nextafter(measure, math.Inf(1)) - measure
	require.Equal(t, len(want)*len(want[0]), got.Size())
	worst := 0.0
	for i := range want {
		for j, v := range want[i] {
			off, _ := new(big.Rat).Sub(new(big.Rat).SetFloat64(got.RealAt(i*len(want[0])+j)), v).Float64()
			worst = max(worst, math.Abs(off)/unit)
		}
	}
	return worst
}

func called(t *testing.T, name string, args ...*array.Array) *array.Array {
	t.Helper()
	out, d := Lookup(name).Run(&Call{Function: Lookup(name), Args: args, Meter: meter()})
	require.Nil(t, d, "%s: %v", name, d)
	return out
}

// matricesToTry are random ones of several sizes and conditions, and the first Hilbert
// matrices, of which it is bad.
func matricesToTry(g *rand.Rand) []*array.Array {
	var out []*array.Array
	for n := 2; n <= 8; n++ {
		hilbert := make([]float64, n*n)
		for i := range n {
			for j := range n {
				hilbert[i*n+j] = 1 / float64(i+j+1)
			}
		}
		out = append(out, array.FromReals(hilbert, n, n))
		for range 12 {
			reals := make([]float64, n*n)
			for i := range reals {
				reals[i] = g.NormFloat64() * math.Exp(2*g.NormFloat64())
			}
			out = append(out, array.FromReals(reals, n, n))
		}
	}
	return out
}

// TestStatedErrorsOfSystems holds determinants, inverses and solutions against exact
// elimination.
func TestStatedErrorsOfSystems(t *testing.T) {
	g := rand.New(rand.NewPCG(6, 1))
	worst := map[string]float64{}
	for _, a := range matricesToTry(g) {
		n := a.Len(0)
		reals := make([]float64, n)
		for i := range reals {
			reals[i] = g.NormFloat64()
		}
		b := array.FromReals(reals, n)
		exact := inFractions(a)
		inverse, det := exact.solved(unit(n))
		solution := inverse.dot(inFractions(b))
		// The first columns alone, of which there are fewer than rows.
		k := (n + 1) / 2
		tall := a.Select([]array.Pick{array.WholeAxis(n), {Kind: array.PickRange, Step: 1, Count: k}}).Copy()
		thin := inFractions(tall)
		square := thin.turned().dot(thin)
		pseudo, _ := square.solved(thin.turned())
		condition, tallCondition := called(t, "condition", a).RealAt(0), called(t, "condition", tall).RealAt(0)
		_, pseudoNorm := pseudo.largest()
		_, rightNorm := inFractions(b).largest()
		for _, r := range []struct {
			name      string
			got       *array.Array
			want      fractions
			condition float64
		}{
			{"det", called(t, "det", a), fractions{{det}}, condition},
			{"inverse", called(t, "inverse", a), inverse, condition},
			{"solve", called(t, "solve", a, b), solution, condition},
			{"pseudo_inverse", called(t, "pseudo_inverse", tall), pseudo, tallCondition},
			{"least_squares", called(t, "least_squares", tall, b), pseudo.dot(inFractions(b)), tallCondition},
		} {
			measure, _ := r.want.largest()
			if r.name == "least_squares" {
				measure = pseudoNorm * rightNorm
			}
			worst[r.name] = max(worst[r.name], ulpsOf(t, measure, r.got, r.want)/r.condition/float64(n))
		}
	}
	for _, s := range StatedSystems {
		t.Logf("%-15s %.3f n condition(A) ulp", s.Function, worst[s.Function])
		assert.LessOrEqual(t, worst[s.Function], s.Times, s.Function)
		assert.Positive(t, worst[s.Function], s.Function)
	}
}

// TestStatedErrorsOfSpectra holds eigenvalues and singular values against the second
// difference matrix, whose k-th is 2 - 2 cos(k pi / (n + 1)).
func TestStatedErrorsOfSpectra(t *testing.T) {
	worst := map[string]float64{}
	for _, n := range []int{2, 3, 5, 8, 20, 60} {
		reals := make([]float64, n*n)
		for i := range n {
			reals[i*n+i] = 2
			if i > 0 {
				reals[i*n+i-1], reals[(i-1)*n+i] = -1, -1
			}
		}
		a := array.FromReals(reals, n, n)
		rising := make([]*big.Float, n)
		for k := range rising {
			_, c := preciseSinCos(over(times(num(float64(k+1)), precisePi()), num(float64(n+1))))
			rising[k] = minus(num(2), times(num(2), c))
		}
		largest, _ := rising[n-1].Float64()
		unit := math.Nextafter(largest, math.Inf(1)) - largest
		for _, s := range StatedSpectra {
			got := called(t, s.Function, a)
			for k := range n {
				want := rising[k]
				if s.Function == "singular_values" {
					want = rising[n-1-k]
				}
				off, _ := minus(num(got.RealAt(k)), want).Float64()
				worst[s.Function] = max(worst[s.Function], math.Abs(off)/unit/float64(n))
			}
		}
	}
	for _, s := range StatedSpectra {
		t.Logf("%-15s %.3f n ulp", s.Function, worst[s.Function])
		assert.LessOrEqual(t, worst[s.Function], s.Times, s.Function)
	}
}

// TestStatedErrorOfProducts holds matrix products against exact ones: k ulp of the
// product of the sizes, element by element, whatever cancels.
func TestStatedErrorOfProducts(t *testing.T) {
	g := rand.New(rand.NewPCG(8, 2))
	for _, k := range []int{1, 2, 3, 9, 40, 200} {
		draw := func(rows, columns int) *array.Array {
			reals := make([]float64, rows*columns)
			for i := range reals {
				reals[i] = g.NormFloat64() * math.Exp(4*g.NormFloat64())
			}
			return array.FromReals(reals, rows, columns)
		}
		a, b := draw(3, k), draw(k, 4)
		got, d := Dot(meter(), a, b)
		require.Nil(t, d)
		want := inFractions(a).dot(inFractions(b))
		sizes := inFractions(called(t, "abs", a)).dot(inFractions(called(t, "abs", b)))
		for i := range want {
			for j := range want[i] {
				measure, _ := sizes[i][j].Float64()
				one := array.Scalar(got.RealAt(i*4 + j))
				assert.LessOrEqual(t, ulpsOf(t, measure, one, fractions{{want[i][j]}}), float64(k))
			}
		}
	}
}
