package functions

import (
	"cmp"
	"context"
	"math/cmplx"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// glances is a context that counts how often the clock is looked at, and whose time is
// over after so many.
type glances struct {
	context.Context
	left int
	over chan struct{}
}

func lookingAt(times int) *glances {
	return &glances{context.Background(), times, make(chan struct{})}
}

func (g *glances) Done() <-chan struct{} {
	if g.left--; g.left == 0 {
		close(g.over)
	}
	return g.over
}

var plenty = Limits{Statements: 1e6, Cells: 1e9, Bytes: 1 << 32, Depth: 64}

// slowCalls is work that takes long on many elements: each call looks at the clock inside.
func slowCalls() map[string]*Call {
	r := rand.New(rand.NewPCG(1, 3))
	const n = 200_000
	x, k := make([]float64, n), make([]int64, n)
	for i := range x {
		x[i], k[i] = r.Float64(), r.Int64N(50)
	}
	xs, ks, shape := array.FromReals(x, n), array.FromInts(k, n), array.FromInts([]int64{n}, 1)
	one := func(v float64) *array.Array { return array.Scalar(v) }
	whole := func(v int64) *array.Array { return array.Scalar(v) }
	call := func(args ...*array.Array) *Call { return &Call{Args: args} }
	along := func(args ...*array.Array) *Call { return &Call{Args: args, Axes: []int{0}} }
	return map[string]*Call{
		"gamma": call(xs), "exp": call(xs), "lambert_w": call(xs), "inverse_erf": call(xs), "round": call(xs),
		"beta": call(xs, one(2.5)), "hypot": call(xs, one(1)), "atan2": call(xs, one(1)),
		"combinations": call(ks, whole(7)), "lcm": call(ks, whole(97)), "factorial": call(array.FromInts(make([]int64, n),
			n)),
		"sort": along(xs), "sort_order": along(ks), "unique": call(xs), "unique_counts": call(ks),
		"median": call(xs), "percentile": call(xs, one(30)), "five_numbers": call(xs),
		"counts_between": call(xs, array.FromReals([]float64{0, 0.5, 1}, 3)), "is_in": call(xs, xs),
		"interpolated":    call(xs, array.FromReals([]float64{0, 1}, 2), array.FromReals([]float64{3, 4}, 2)),
		"insertion_place": call(array.FromReals([]float64{0, 1}, 2), xs),
		"polynomial":      call(array.FromReals([]float64{0, 1, 2}, 3), xs),
		"draw_uniform":    call(shape, one(0), one(1)), "draw_normal": call(shape), "draw_integers": call(shape, whole(0),
			whole(9)),
		"shuffled": call(xs), "sampled": call(xs, whole(n/2)),
	}
}

// matrixCalls is work on matrices that ask for too few cells to look at the clock before
// they begin.
func matrixCalls() map[string]*Call {
	r := rand.New(rand.NewPCG(1, 4))
	const n = 120
	x, z, h := make([]float64, n*n), make([]complex128, n*n), make([]complex128, n*n)
	for i := range x {
		x[i], z[i] = r.Float64(), complex(r.Float64(), r.Float64())
	}
	for i := range n {
		for j := range n {
			h[i*n+j] = z[i*n+j] + cmplx.Conj(z[j*n+i])
		}
	}
	calls := map[string]*Call{}
	for kind, a := range map[string]*array.Array{"real": array.FromReals(x, n, n), "complex": array.FromComplexes(z, n,
		n), "Hermitian": array.FromComplexes(h, n, n)} {
		for _, name := range []string{"det", "inverse", "pseudo_inverse", "rank", "condition", "singular_values",
			"eigenvalues", "eigenvectors"} {
			calls[name+" "+kind] = &Call{Args: []*array.Array{a}}
		}
		calls["solve "+kind] = &Call{Args: []*array.Array{a, a}}
		calls["least_squares "+kind] = &Call{Args: []*array.Array{a, a}}
		calls["mat_power "+kind] = &Call{Args: []*array.Array{a, array.Scalar(int64(-3))}}
	}
	points := array.FromReals(x[:3000], 3000)
	calls["fitted_polynomial"] = &Call{Args: []*array.Array{points, points, array.Scalar(int64(3))}}
	return calls
}

// ranUnder runs a call under a clock.
func ranUnder(t *testing.T, g *glances, name string, c *Call) (d *notation.Diagnostic) {
	t.Helper()
	defer func() {
		if p := recover(); p != nil {
			s, ok := p.(Stopped)
			require.True(t, ok, "%s: %v", name, p)
			d = s.Diagnostic
		}
	}()
	again := *c
	again.Function, again.Meter = Lookup(strings.Fields(name)[0]), NewMeter(g, plenty)
	_, d = again.Function.Run(&again)
	return d
}

// TestSlowWorkLooksAtTheClock counts the glances, and ends calls in the middle.
func TestSlowWorkLooksAtTheClock(t *testing.T) {
	for least, calls := range map[int]map[string]*Call{20: slowCalls(), 1: matrixCalls()} {
		for name, c := range calls {
			all := lookingAt(1 << 40)
			require.Nil(t, ranUnder(t, all, name, c), name)
			seen := 1<<40 - all.left
			assert.GreaterOrEqual(t, seen, least, "%s looks at the clock %d times", name, seen)
			d := ranUnder(t, lookingAt((seen+1)/2), name, c)
			if assert.NotNil(t, d, name) {
				assert.True(t, TimedOut(d), "%s: %s", name, d.Message)
			}
		}
	}
	for _, op := range []string{"^", "mod", "div", "*"} {
		t.Run(op, func(t *testing.T) {
			a := slowCalls()["gamma"].Args[0]
			whole := slowCalls()["lcm"].Args[0]
			for _, pair := range [][2]*array.Array{{a, array.Scalar(1.5)}, {whole, array.Scalar(int64(2))}} {
				g := lookingAt(1 << 40)
				_, d := Binary(NewMeter(g, plenty), op, pair[0], pair[1])
				require.Nil(t, d)
				assert.Greater(t, 1<<40-g.left, 20, "%s of %s", op, pair[0].Kind())
			}
		})
	}
}

// TestWorkOnMatricesEndsWithTheTime waits for work that does not end by itself, once for
// each place there is; more such work is not begun before one of them has ended.
func TestWorkOnMatricesEndsWithTheTime(t *testing.T) {
	never := make(chan struct{})
	awaited := func(work func(end func())) {
		over, end := context.WithCancel(context.Background())
		defer func() {
			stopped, ok := recover().(Stopped)
			assert.True(t, ok && TimedOut(stopped.Diagnostic))
		}()
		if work == nil {
			end()
		}
		NewMeter(over, plenty).Await(1, func() { work(end) })
	}
	for range cap(beside) {
		awaited(func(end func()) { end(); <-never })
	}
	awaited(nil)
	close(never)
	assert.PanicsWithError(t, "a fault of ours while working on several cores: broken",
		func() { meter().Await(1, func() { panic("broken") }) })
	done := false
	meter().Await(1, func() { done = true })
	assert.True(t, done)
}

// TestSlowWorkIsBounded counts the same work on every machine, and ends what does more
// than it may.
func TestSlowWorkIsBounded(t *testing.T) {
	for name, c := range slowCalls() {
		counted := *c
		counted.Function, counted.Meter = Lookup(name), NewMeter(context.Background(), plenty)
		_, d := counted.Function.Run(&counted)
		require.Nil(t, d, name)
		work := counted.Meter.Work
		assert.Greater(t, work, int64(200_000), name)
		again := counted
		again.Meter = NewMeter(context.Background(), plenty)
		again.Meter.Limits.Work = work / 2
		func() {
			defer func() {
				stopped, ok := recover().(Stopped)
				if assert.True(t, ok, name) {
					assert.Contains(t, stopped.Diagnostic.Message, "limit on work")
					assert.False(t, TimedOut(stopped.Diagnostic))
				}
			}()
			_, d = again.Function.Run(&again)
		}()
		assert.Less(t, again.Meter.Work, work, name)
	}
}

// TestUnreachableMemoryIsCollectedBeforeLargeArrays counts collections, without making anything.
func TestUnreachableMemoryIsCollectedBeforeLargeArrays(t *testing.T) {
	collections := func(work func()) uint32 {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		work()
		runtime.ReadMemStats(&after)
		return after.NumForcedGC - before.NumForcedGC
	}
	const cells = 5 << 20
	start := func() *Meter {
		m := &Meter{}
		m.Start(context.Background(), Limits{Statements: 1, Cells: 1e9, Bytes: 64 << 20, Depth: 1}, nil)
		return m
	}
	uncollected.Store(0)
	first := start()
	assert.Zero(t, collections(func() { require.Nil(t, first.Take(array.Real, cells)) }), "40 of 64 MB")
	first.Stop()
	second := start()
	assert.Zero(t, collections(func() { require.Nil(t, second.Take(array.Real, cells/2)) }),
		"20 MB beside 40 that may be dead")
	assert.EqualValues(t, 1, collections(func() { require.Nil(t, second.Take(array.Real, cells/2)) }), "40 MB beside 40")
	assert.Zero(t, collections(func() { require.Nil(t, second.Take(array.Real, cells/2)) }), "nothing else is dead")
	second.End(0)
	assert.EqualValues(t, 1, collections(func() { require.Nil(t, second.Take(array.Real, cells)) }),
		"what names no longer hold")
}

// TestSortingByMerging compares with the library's stable sort: the same order, equal
// elements included.
func TestSortingByMerging(t *testing.T) {
	type item struct{ key, at int }
	r := rand.New(rand.NewPCG(2, 3))
	for _, n := range []int{0, 1, 5, sortBlock, sortBlock + 1, 2*sortBlock - 1, 3*sortBlock + 7, 50_000} {
		x := make([]item, n)
		for i := range x {
			x[i] = item{r.IntN(1 + n/3), i}
		}
		want := slices.Clone(x)
		byKey := func(a, b item) int { return cmp.Compare(a.key, b.key) }
		slices.SortStableFunc(want, byKey)
		sortStably(meter(), x, make([]item, n), byKey)
		require.True(t, slices.Equal(want, x), "%d", n)
		reals := make([]float64, n)
		for i := range reals {
			reals[i] = float64(r.IntN(1 + n/3))
		}
		sorted := slices.Clone(reals)
		slices.Sort(sorted)
		sortReals(meter(), reals)
		require.True(t, slices.Equal(sorted, reals), "%d", n)
	}
}

// TestBorrowedMemoryCountsWhileItIsUsed asks for more than there is beside what is alive.
func TestBorrowedMemoryCountsWhileItIsUsed(t *testing.T) {
	m := NewMeter(context.Background(), Limits{Statements: 1, Cells: 1e6, Bytes: 8000, Depth: 1})
	mark := m.Begin()
	require.Nil(t, m.Take(array.Real, 600))
	require.Nil(t, m.Borrow(array.Real, 400))
	d := m.Borrow(array.Real, 1)
	require.NotNil(t, d)
	assert.Equal(t, codes.Code("run.limit"), d.Code)
	assert.EqualValues(t, 600, m.Cells, "what is lent is not made")
	m.End(mark)
	assert.Nil(t, m.Borrow(array.Real, 400), "nobody holds anything")
}
