package redraw_test

import (
	"math"
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

// TestADiagonalStaysOfItsSort: a matrix of distances stays one, and a stiffness stays positive definite.
func TestADiagonalStaysOfItsSort(t *testing.T) {
	r := source()
	apart := array.FromReals([]float64{0, 3, 7, 3, 0, 5, 7, 5, 0}, 3, 3)
	links := array.FromInts([]int64{0, 1, 1, 0, 0, 1, 1, 0, 0}, 3, 3)
	stiff := array.FromReals([]float64{4, -1, 0.5, -1, 3, 1, 0.5, 1, 5}, 3, 3)
	below := false
	for range 50 {
		a := redraw.Alike(r, apart, []int{4, 4})
		l := redraw.Alike(r, links, []int{3, 3})
		s := redraw.Alike(r, stiff, []int{3, 3})
		assert.True(t, redraw.Symmetric(a))
		assert.True(t, redraw.Symmetric(s))
		for i := range 3 {
			assert.InDelta(t, 0, a.RealAt(5*i), 0)
			assert.Equal(t, int64(0), l.IntAt(4*i))
			assert.GreaterOrEqual(t, s.RealAt(4*i), 3.0, "the diagonal from the diagonal")
			below = below || l.IntAt(3*i) != links.IntAt(3*i)
		}
		det := s.RealAt(0)*(s.RealAt(4)*s.RealAt(8)-s.RealAt(5)*s.RealAt(7)) -
			s.RealAt(1)*(s.RealAt(3)*s.RealAt(8)-s.RealAt(5)*s.RealAt(6)) +
			s.RealAt(2)*(s.RealAt(3)*s.RealAt(7)-s.RealAt(4)*s.RealAt(6))
		assert.Positive(t, det, "as are its smaller ones, with such a diagonal")
		assert.Positive(t, s.RealAt(0)*s.RealAt(4)-s.RealAt(1)*s.RealAt(3))
	}
	assert.True(t, below, "what is beside it changes")
}

// TestADefiniteMatrixStaysOne: what is beside the diagonal is made smaller, if it must be.
func TestADefiniteMatrixStaysOne(t *testing.T) {
	r := source()
	edge := array.FromReals([]float64{1, 0.9, 0, 0.9, 1, 0, 0, 0, 1}, 3, 3)
	for range 100 {
		m := redraw.Alike(r, edge, []int{4, 4})
		for range 50 {
			form, v := 0.0, []float64{r.NormFloat64(), r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}
			for i := range 4 {
				for k := range 4 {
					form += v[i] * m.RealAt(4*i+k) * v[k]
				}
			}
			assert.Positive(t, form)
		}
	}
}

// TestALargeMatrixIsDrawn: what is asked of a matrix is asked once, and not of each element.
func TestALargeMatrixIsDrawn(t *testing.T) {
	const n = 700
	cells := make([]float64, n*n)
	for i := range cells {
		cells[i] = float64(i/n*(i%n)) / 7
	}
	large := redraw.Alike(source(), array.FromReals(cells, n, n), []int{n, n})
	assert.True(t, redraw.Symmetric(large))
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

// TestSharesStayShares draws probabilities and parts of a whole: they add up to one along the axis along which they
// did, and are short to read.
func TestSharesStayShares(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, c := range []struct {
		a     *array.Array
		shape []int
		line  func(i int) int
	}{
		{array.FromReals([]float64{0.5, 0.2, 0.3}, 3), []int{4}, func(int) int { return 0 }},
		{array.FromReals([]float64{0.7, 0.3, 0.1, 0.9, 0.25, 0.75}, 3, 2), []int{3, 2}, func(i int) int { return i / 2 }},
		{array.FromReals([]float64{0.7, 0.1, 0.2, 0.3, 0.9, 0.8}, 2, 3), []int{2, 3}, func(i int) int { return i % 3 }},
	} {
		sums := map[int]float64{}
		for i, x := range redraw.Values(redraw.Alike(r, c.a, c.shape)) {
			sums[c.line(i)] += x
			assert.GreaterOrEqual(t, x, 0.0)
			assert.InDelta(t, math.Round(x*20), x*20, 1e-12)
		}
		for _, sum := range sums {
			assert.InDelta(t, 1, sum, 1e-12)
		}
	}
	other := redraw.Values(redraw.Alike(r, array.FromReals([]float64{0.5, 0.2, 0.4}, 3), []int{3}))
	assert.NotEqual(t, 1.0, other[0]+other[1]+other[2], "what adds up to something else is none")
}
