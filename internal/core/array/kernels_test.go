package array_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
)

// plain is an array as text by position: whatever the kind, the strides and the views.
type plain struct {
	kind   array.Kind
	shape  []int
	labels []string
	at     map[string]string
}

func plainOf(a *array.Array) plain {
	o := plain{a.Kind(), slices.Clone(a.Shape()), slices.Clone(a.Labels()), map[string]string{}}
	flat := 0
	each(o.shape, func(index []int) {
		o.at[key(index)] = element(a, flat)
		flat++
	})
	return o
}

func element(a *array.Array, flat int) string {
	switch a.Kind() {
	case array.Bool:
		return fmt.Sprint(a.BoolAt(flat))
	case array.Int:
		return fmt.Sprint(a.IntAt(flat))
	case array.Real:
		return fmt.Sprint(a.RealAt(flat))
	}
	return fmt.Sprint(a.ComplexAt(flat))
}

// anyKind makes an array of a kind seen through a random view, with or without labels.
func anyKind(r *rand.Rand, kind array.Kind, rank int) *array.Array {
	reals := random(r, rank)
	n := reals.Size()
	var a *array.Array
	switch kind {
	case array.Bool:
		cells := make([]bool, n)
		for i := range cells {
			cells[i] = r.IntN(2) == 0
		}
		a = array.FromBools(cells, reals.Shape()...)
	case array.Int:
		cells := make([]int64, n)
		for i := range cells {
			cells[i] = r.Int64N(100) - 50
		}
		a = array.FromInts(cells, reals.Shape()...)
	case array.Real:
		a = reals
	default:
		cells := make([]complex128, n)
		for i := range cells {
			cells[i] = complex(float64(r.IntN(9)), float64(r.IntN(9)))
		}
		a = array.FromComplexes(cells, reals.Shape()...)
	}
	if rank > 0 && r.IntN(2) == 0 {
		a = a.Transpose(r.Perm(rank))
	}
	if rank > 0 && r.IntN(2) == 0 {
		labels := make([]string, rank)
		for i := range labels {
			labels[i] = []string{"", "week", "rope", "depth"}[r.IntN(4)]
			if labels[i] != "" && slices.Contains(labels[:i], labels[i]) {
				labels[i] = ""
			}
		}
		a = a.WithLabels(labels)
	}
	return a
}

var kinds = []array.Kind{array.Bool, array.Int, array.Real, array.Complex}

// together calls f for many random arrays of every kind.
func together(t *testing.T, seed uint64, rounds, ranks int, f func(r *rand.Rand, a *array.Array)) {
	t.Helper()
	r := rand.New(rand.NewPCG(seed, seed))
	for range rounds {
		for _, kind := range kinds {
			f(r, anyKind(r, kind, r.IntN(ranks)))
		}
	}
}

func TestCopiesHaveTheElementsAndCellsOfTheirOwn(t *testing.T) {
	together(t, 11, 300, 4, func(_ *rand.Rand, a *array.Array) {
		b := a.Copy()
		require.Equal(t, plainOf(a), plainOf(b))
		require.True(t, b.IsContiguous())
		require.NotSame(t, a.Cells(), b.Cells())
		require.True(t, array.Equal(a, b))
	})
}

func TestTransposeMovesEveryAxis(t *testing.T) {
	together(t, 12, 300, 5, func(r *rand.Rand, a *array.Array) {
		order := r.Perm(a.Rank())
		got, from := plainOf(a.Transpose(order)), plainOf(a)
		each(got.shape, func(index []int) {
			source := make([]int, len(index))
			for i, axis := range order {
				source[axis] = index[i]
			}
			require.Equal(t, from.at[key(source)], got.at[key(index)])
		})
		for i, axis := range order {
			require.Equal(t, a.Len(axis), got.shape[i])
			require.Equal(t, a.Label(axis), a.Transpose(order).Label(i))
		}
		back := make([]int, len(order))
		for i, axis := range order {
			back[axis] = i
		}
		require.Equal(t, from, plainOf(a.Transpose(order).Transpose(back)))
	})
}

func TestReshapeKeepsTheRowMajorOrder(t *testing.T) {
	together(t, 13, 300, 4, func(r *rand.Rand, a *array.Array) {
		n := a.Size()
		shape := []int{n}
		for _, d := range []int{2, 3, 5} {
			if last := shape[len(shape)-1]; last%d == 0 && r.IntN(2) == 0 {
				shape = append(shape[:len(shape)-1], d, last/d)
			}
		}
		b := a.Reshape(shape)
		require.Equal(t, shape, b.Shape())
		require.Nil(t, b.Labels())
		for flat := range n {
			require.Equal(t, element(a, flat), element(b, flat))
		}
	})
}

func TestStretchRepeatsAlongAxesOfOne(t *testing.T) {
	together(t, 14, 300, 3, func(r *rand.Rand, a *array.Array) {
		picks := make([]array.Pick, a.Rank())
		for i, d := range a.Shape() {
			picks[i] = array.WholeAxis(d)
			if r.IntN(2) == 0 {
				picks[i] = array.Pick{Kind: array.PickRange, Start: d - 1, Step: 1, Count: 1}
			}
		}
		a = a.Select(picks)
		shape := slices.Clone(a.Shape())
		for i, d := range shape {
			if d == 1 {
				shape[i] = 1 + r.IntN(4)
			}
		}
		shape = append([]int{1 + r.IntN(3)}, shape...)
		from, got := plainOf(a), plainOf(a.Stretch(shape))
		require.Equal(t, shape, got.shape)
		each(shape, func(index []int) {
			require.Equal(t, from.at[key(under(a, index))], got.at[key(index)])
		})
	})
}

func TestWidenKeepsTheNumbers(t *testing.T) {
	together(t, 15, 200, 4, func(_ *rand.Rand, a *array.Array) {
		for _, kind := range kinds {
			b := a.Widen(kind)
			require.Equal(t, array.Wider(a.Kind(), kind), b.Kind())
			require.Equal(t, a.Shape(), b.Shape())
			require.Equal(t, a.Labels(), b.Labels())
			for flat := range a.Size() {
				require.Equal(t, a.ComplexAt(flat), b.ComplexAt(flat))
			}
		}
	})
}

func TestWhereTakesWhatIsTrueRowsFirst(t *testing.T) {
	together(t, 16, 300, 4, func(r *rand.Rand, a *array.Array) {
		flags := make([]bool, a.Size())
		var want []string
		for i := range flags {
			if flags[i] = r.IntN(2) == 0; flags[i] {
				want = append(want, element(a, i))
			}
		}
		mask := array.FromBools(flags, a.Shape()...)
		require.Equal(t, len(want), mask.CountTrue())
		got := a.Where(mask)
		require.Equal(t, []int{len(want)}, got.Shape())
		require.Nil(t, got.Labels())
		for i, w := range want {
			require.Equal(t, w, element(got, i))
		}
	})
}

func TestAssignWhereWritesOnlyWhatIsTrue(t *testing.T) {
	together(t, 17, 300, 4, func(r *rand.Rand, a *array.Array) {
		a = a.Copy().Transpose(r.Perm(a.Rank()))
		flags := make([]bool, a.Size())
		n := 0
		for i := range flags {
			if flags[i] = r.IntN(2) == 0; flags[i] {
				n++
			}
		}
		mask := array.FromBools(flags, a.Shape()...)
		before := make([]string, a.Size())
		for i := range before {
			before[i] = element(a, i)
		}
		value := anyKind(r, a.Kind(), 0)
		if r.IntN(2) == 0 {
			value = value.Stretch([]int{n})
		}
		a.AssignWhere(mask, value)
		for i, f := range flags {
			want := before[i]
			if f {
				want = element(value.Stretch([]int{n}), 0)
			}
			require.Equal(t, want, element(a, i))
		}
	})
}

func TestPairedWalksItsListsInStep(t *testing.T) {
	together(t, 18, 300, 4, func(r *rand.Rand, a *array.Array) {
		if a.Rank() == 0 {
			return
		}
		n := r.IntN(5)
		var axes, rest []int
		var lists [][]int
		for axis, d := range a.Shape() {
			if len(axes) > 0 && r.IntN(2) == 0 {
				rest = append(rest, axis)
				continue
			}
			list := make([]int, n)
			for i := range list {
				list[i] = r.IntN(d)
			}
			axes, lists = append(axes, axis), append(lists, list)
		}
		from, got := plainOf(a), plainOf(a.Paired(axes, lists))
		want := []int{n}
		for _, axis := range rest {
			want = append(want, a.Len(axis))
		}
		require.Equal(t, want, got.shape)
		each(got.shape, func(index []int) {
			source := make([]int, a.Rank())
			for k, axis := range axes {
				source[axis] = lists[k][index[0]]
			}
			for k, axis := range rest {
				source[axis] = index[1+k]
			}
			require.Equal(t, from.at[key(source)], got.at[key(index)])
		})
		// What is read there is written there again, and nothing changes.
		b := a.Copy()
		b.AssignPaired(axes, lists, a.Paired(axes, lists))
		require.True(t, array.Equal(a, b))
	})
}

func TestPick3ChoosesElementByElement(t *testing.T) {
	r := rand.New(rand.NewPCG(19, 19))
	met := 0
	for range 3000 {
		kind := kinds[r.IntN(len(kinds))]
		mask, a, b := anyKind(r, array.Bool, r.IntN(3)), anyKind(r, kind, r.IntN(3)), anyKind(r, kind, r.IntN(3))
		shape, err := array.BroadcastShape(mask.Shape(), a.Shape(), b.Shape())
		if err != nil {
			continue
		}
		met++
		got, m, x, y := plainOf(array.Pick3(shape, mask, a, b)), plainOf(mask), plainOf(a), plainOf(b)
		each(shape, func(index []int) {
			want := y.at[key(under(b, index))]
			if m.at[key(under(mask, index))] == "true" {
				want = x.at[key(under(a, index))]
			}
			require.Equal(t, want, got.at[key(index)])
		})
	}
	assert.Greater(t, met, 300)
}

func TestAlongWorksThroughOneAxis(t *testing.T) {
	r := rand.New(rand.NewPCG(20, 20))
	for range 1000 {
		a := random(r, 1+r.IntN(3))
		axis := r.IntN(a.Rank())
		n := r.IntN(4)
		got := array.Along(a, axis, n, func(out []int64, items []float64) {
			for i := range out {
				out[i] = int64(i)
				for k, v := range items {
					out[i] += int64(v) * int64(k+1)
				}
			}
		})
		want := slices.Clone(a.Shape())
		want[axis] = n
		require.Equal(t, want, got.Shape())
		from := oracle(a)
		flat := 0
		each(want, func(index []int) {
			sum := int64(index[axis])
			for k := range a.Len(axis) {
				source := slices.Clone(index)
				source[axis] = k
				sum += int64(from.at[key(source)]) * int64(k+1)
			}
			require.Equal(t, sum, got.IntAt(flat))
			flat++
		})
	}
}

func TestMap1ReadsThroughEveryView(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 21))
	for range 1000 {
		a := random(r, r.IntN(4))
		got := array.Map1(a, array.EachCell(func(v float64) bool { return v > 50 }))
		require.Equal(t, a.Shape(), got.Shape())
		for flat := range a.Size() {
			require.Equal(t, a.RealAt(flat) > 50, got.BoolAt(flat))
		}
	}
}

// applied is one operator, the slow way.
func applied(op byte, x, y float64) float64 {
	switch op {
	case '+':
		return x + y
	case '-':
		return x - y
	case '*':
		return x * y
	}
	return x / y
}

func TestSmallArithmeticAgreesWithTheOracle(t *testing.T) {
	r := rand.New(rand.NewPCG(22, 22))
	var arena array.Arena
	taken := 0
	for range 6000 {
		op := "+-*/"[r.IntN(4)]
		a, b := anyKind(r, array.Real, r.IntN(4)), anyKind(r, array.Real, r.IntN(4))
		if r.IntN(4) == 0 {
			b = anyKind(r, array.Int, 0)
		}
		if r.IntN(2) == 0 {
			a, b = b, a
		}
		if r.IntN(3) == 0 && a.Rank() > 0 {
			b = a.Select(append([]array.Pick{{Kind: array.PickPosition}}, whole(a.Shape()[1:])...))
		}
		out, finite, ok := array.Arithmetic(&arena, op, a, b)
		if !ok {
			continue
		}
		taken++
		shape, err := array.BroadcastShape(a.Shape(), b.Shape())
		require.NoError(t, err)
		require.Equal(t, append([]int{}, shape...), append([]int{}, out.Shape()...))
		labels, clashes := array.BroadcastLabels(len(shape), a, b)
		require.Empty(t, clashes)
		require.Equal(t, labels, out.Labels())
		x, y := oracle(a), oracle(b)
		flat, allFinite := 0, true
		each(shape, func(index []int) {
			want := applied(op, x.at[key(under(a, index))], y.at[key(under(b, index))])
			same(t, want, out.RealAt(flat))
			allFinite = allFinite && !math.IsNaN(want) && !math.IsInf(want, 0)
			flat++
		})
		require.Equal(t, allFinite, finite)
	}
	assert.Greater(t, taken, 1000)
}

func whole(shape []int) []array.Pick {
	var picks []array.Pick
	for _, d := range shape {
		picks = append(picks, array.WholeAxis(d))
	}
	return picks
}

func same(t *testing.T, want, got float64) {
	t.Helper()
	if math.IsNaN(want) {
		require.True(t, math.IsNaN(got))
		return
	}
	require.Equal(t, math.Float64bits(want), math.Float64bits(got), "%v, %v", want, got)
}

func TestArithmeticWithANumberOnEitherSide(t *testing.T) {
	r := rand.New(rand.NewPCG(23, 23))
	for range 2000 {
		op := "+-*/"[r.IntN(4)]
		a := anyKind(r, array.Real, 1+r.IntN(3)).Copy()
		v, first := float64(r.IntN(5)-2), r.IntN(2) == 0
		out, finite, ok := array.ArithmeticWith(nil, op, a, v, first)
		require.True(t, ok)
		require.Equal(t, a.Labels(), out.Labels())
		allFinite := true
		for flat := range a.Size() {
			x, y := a.RealAt(flat), v
			if first {
				x, y = y, x
			}
			want := applied(op, x, y)
			same(t, want, out.RealAt(flat))
			allFinite = allFinite && want-want == 0
		}
		require.Equal(t, allFinite, finite)
	}
}

func TestFiniteSeesOneElement(t *testing.T) {
	for _, n := range []int{0, 1, 3, 7, 8, 16, 33, 100} {
		x := make([]float64, n)
		for i := range x {
			x[i] = math.MaxFloat64 // the sum overflows, the elements are finite
		}
		assert.True(t, array.Finite(x))
		for i := range x {
			for _, v := range []float64{math.NaN(), math.Inf(1), math.Inf(-1)} {
				kept := x[i]
				x[i] = v
				assert.False(t, array.Finite(x), "%v at %d of %d", v, i, n)
				x[i] = kept
			}
		}
	}
	assert.False(t, array.Finite([]float64{math.Inf(1), math.Inf(-1)}), "the sum is NaN")
}

// A chain of steps computed in one pass gives what each step by itself gives.
func TestFuseAgreesWithStepsDoneOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(24, 24))
	kernel := func(op byte) func(out, a, b []float64) {
		return func(out, a, b []float64) { array.Pairwise(op, out, a, b) }
	}
	met := 0
	for range 1500 {
		leaves := []*array.Array{random(r, 3)}
		shape := leaves[0].Shape()
		for range 1 + r.IntN(3) {
			for range 30 {
				a := random(r, r.IntN(4))
				if s, err := array.BroadcastShape(shape, a.Shape()); err == nil && slices.Equal(s, shape) {
					leaves = append(leaves, a)
					break
				}
			}
		}
		if len(leaves) < 2 {
			continue
		}
		met++
		var steps []array.Step
		var values [][]float64
		var stretched [][]float64
		for _, a := range leaves {
			stretched = append(stretched, a.Stretch(shape).Reals())
		}
		operand := func(k int) []float64 {
			if k >= 0 {
				return stretched[k]
			}
			return values[-1-k]
		}
		finite := true
		for range 1 + r.IntN(5) {
			pick := func() int { return r.IntN(len(leaves)+len(steps)) - len(steps) }
			op := "+-*/"[r.IntN(4)]
			s := array.Step{Kernel: kernel(op), A: pick(), B: pick()}
			s.Watch = op == '/' && s.B < 0
			out := make([]float64, len(stretched[0]))
			for i := range out {
				out[i] = applied(op, operand(s.A)[i], operand(s.B)[i])
				if s.Watch {
					finite = finite && operand(s.B)[i]-operand(s.B)[i] == 0
				}
			}
			steps, values = append(steps, s), append(values, out)
		}
		last := values[len(values)-1]
		got, told := array.Fuse(shape, leaves, steps)
		for i, v := range last {
			finite = finite && v-v == 0
			same(t, v, got.RealAt(i))
		}
		require.Equal(t, finite, told)
	}
	assert.Greater(t, met, 500)
}

// Large chains go over both cores in parts; the parts meet without a seam.
func TestFuseOverBothCoresHasNoSeam(t *testing.T) {
	const rows, columns = 601, 503
	x, y := make([]float64, rows*columns), make([]float64, columns)
	for i := range x {
		x[i] = float64(i % 977)
	}
	for i := range y {
		y[i] = float64(i + 1)
	}
	a, b := array.FromReals(x, rows, columns), array.FromReals(y, columns)
	out, finite := array.Fuse(a.Shape(), []*array.Array{a, b}, []array.Step{
		{Kernel: func(out, a, b []float64) { array.Pairwise('*', out, a, b) }, A: 0, B: 1},
		{Kernel: func(out, a, b []float64) { array.Pairwise('-', out, a, b) }, A: -1, B: 0},
	})
	require.True(t, finite)
	for i, v := range out.Reals() {
		require.Equal(t, x[i]*y[i%columns]-x[i], v)
	}
}

// Arrays that share a layout do not share what is said of it afterwards.
func TestLabelsOfOneResultDoNotReachAnother(t *testing.T) {
	var arena array.Arena
	a := array.FromReals([]float64{1, 2, 3}, 3)
	first, _, _ := array.ArithmeticWith(&arena, '+', a, 1, false)
	second, _, _ := array.ArithmeticWith(&arena, '+', first, 1, false)
	second.SetLabels([]string{"week"})
	assert.Equal(t, []string{"week"}, second.Labels())
	assert.Nil(t, first.Labels())
	assert.Nil(t, a.Labels())
	x := arena.New(array.Real, []int{2, 2})
	y := arena.New(array.Real, []int{2, 2})
	y.SetLabels([]string{"rope", ""})
	assert.Nil(t, x.Labels())
	assert.Equal(t, []string{"rope", ""}, y.Labels())
	assert.Nil(t, arena.New(array.Real, []int{2, 2}).Labels())
	assert.Nil(t, y.WithLabels([]string{"", ""}).Labels(), "labels that are all empty are none")
}

// The arena's pieces are cut into arrays that do not overlap, across many pieces.
func TestArraysOfOneRoomHaveCellsOfTheirOwn(t *testing.T) {
	var arena array.Arena
	var made []*array.Array
	for i := range 2000 {
		a := arena.New(array.Real, []int{1 + i%7, 1 + i%5})
		for flat := range a.Size() {
			require.Zero(t, a.RealAt(flat))
		}
		cells := a.Reals()
		for k := range cells {
			cells[k] = float64(i)
		}
		made = append(made, a)
	}
	for i, a := range made {
		require.Equal(t, []int{1 + i%7, 1 + i%5}, a.Shape())
		for _, v := range a.Reals() {
			require.Equal(t, float64(i), v)
		}
	}
}

func TestOverlapFindsCommonCells(t *testing.T) {
	a := array.FromInts(make([]int64, 24), 4, 6)
	part := func(picks ...array.Pick) *array.Array { return a.Select(picks) }
	row := func(i int) array.Pick { return array.Pick{Kind: array.PickPosition, Start: i} }
	span := func(start, step, count int) array.Pick {
		return array.Pick{Kind: array.PickRange, Start: start, Step: step, Count: count}
	}
	assert.True(t, array.Overlap(part(row(1), span(0, 1, 6)), part(span(0, 1, 4), row(3))))
	assert.False(t, array.Overlap(part(row(1), span(0, 1, 6)), part(row(2), span(0, 1, 6))))
	assert.False(t, array.Overlap(part(row(1), span(0, 2, 3)), part(row(1), span(1, 2, 3))), "even and odd places")
	assert.True(t, array.Overlap(part(row(1), span(5, -1, 6)), part(row(1), span(0, 1, 1))))
	assert.False(t, array.Overlap(a, a.Copy()))
	assert.False(t, array.Overlap(a, part(row(0), span(0, 1, 0))))
}

func TestElementIsAScalarOfTheSameCells(t *testing.T) {
	together(t, 25, 100, 4, func(_ *rand.Rand, a *array.Array) {
		for flat := range a.Size() {
			e := a.Element(flat)
			require.Zero(t, e.Rank())
			require.Equal(t, 1, e.Size())
			require.Equal(t, element(a, flat), element(e, 0))
			require.Same(t, a.Cells(), e.Cells())
		}
	})
}

// Sums over the leading axis are added in the order that PairwiseSum has, whatever way
// memory is read.
func TestSumsOverRowsHaveTheOrderOfPairwiseSums(t *testing.T) {
	r := rand.New(rand.NewPCG(26, 26))
	for _, rows := range []int{1, 2, 5, 7, 8, 9, 31, 128, 129, 300, 1025} {
		for _, columns := range []int{1, 2, 12, 255, 257} {
			data := make([]float64, rows*columns)
			for i := range data {
				data[i] = r.NormFloat64() * math.Exp(10*r.Float64())
			}
			out := make([]float64, columns)
			array.SumOver(out, data, rows, columns)
			column := make([]float64, rows)
			for j := range columns {
				for i := range column {
					column[i] = data[i*columns+j]
				}
				require.Equal(t, array.PairwiseSum(column), out[j], "%d rows, column %d of %d", rows, j, columns)
			}
		}
	}
}

func TestExtremesOverRowsKeepNaN(t *testing.T) {
	r := rand.New(rand.NewPCG(27, 27))
	for range 200 {
		rows, columns := 1+r.IntN(6), 1+r.IntN(6)
		data := make([]float64, rows*columns)
		for i := range data {
			if data[i] = r.NormFloat64(); r.IntN(9) == 0 {
				data[i] = math.NaN()
			}
		}
		high, low := make([]float64, columns), make([]float64, columns)
		array.LargestOver(high, data, rows, columns)
		array.SmallestOver(low, data, rows, columns)
		for j := range columns {
			most, least := math.Inf(-1), math.Inf(1)
			for i := range rows {
				most, least = math.Max(most, data[i*columns+j]), math.Min(least, data[i*columns+j])
			}
			same(t, most, high[j])
			same(t, least, low[j])
		}
	}
}

func TestTablesOfCollapsedAxes(t *testing.T) {
	a := array.New(array.Real, []int{2, 3, 4, 5})
	for _, c := range []struct {
		axes                 []int
		outer, rows, columns int
		ok                   bool
	}{
		{[]int{0}, 1, 2, 60, true},
		{[]int{1}, 2, 3, 20, true},
		{[]int{2, 1}, 2, 12, 5, true},
		{[]int{3}, 24, 5, 1, true},
		{[]int{2, 3}, 6, 20, 1, true},
		{[]int{0, 1, 2, 3}, 1, 120, 1, true},
		{[]int{0, 2}, 0, 0, 0, false},
		{nil, 0, 0, 0, false},
	} {
		outer, rows, columns, ok := array.RowsAndColumns(a, c.axes)
		assert.Equal(t, c.ok, ok, "%v", c.axes)
		if ok {
			assert.Equal(t, []int{c.outer, c.rows, c.columns}, []int{outer, rows, columns}, "%v", c.axes)
		}
	}
	_, _, _, ok := array.RowsAndColumns(a.Transpose([]int{1, 0, 2, 3}), []int{0})
	assert.False(t, ok, "a transposed array does not lie in rows")
}

func TestSizeAndContiguityOfViews(t *testing.T) {
	together(t, 28, 200, 4, func(r *rand.Rand, a *array.Array) {
		for range 3 {
			n := 1
			for _, d := range a.Shape() {
				n *= d
			}
			require.Equal(t, n, a.Size())
			if a.IsContiguous() && n > 0 {
				// Elements of a contiguous array lie next to each other.
				flat := a.Reshape([]int{n})
				require.Same(t, a.Cells(), flat.Cells())
				for i := range n {
					require.Equal(t, element(a, i), element(flat, i))
				}
			}
			picks := make([]array.Pick, a.Rank())
			for i, d := range a.Shape() {
				picks[i] = randomRange(r, d)
			}
			a = a.Select(picks)
		}
	})
}
