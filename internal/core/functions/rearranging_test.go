package functions

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
)

// viewOf is view in another kind: every element the whole part of the real one.
func viewOf(r *rand.Rand, kind array.Kind, rank int) *array.Array {
	a := view(r, rank)
	if kind == array.Real {
		return a
	}
	out := array.New(kind, a.Shape())
	for flat := range a.Size() {
		v := math.Trunc(a.RealAt(flat))
		one := array.Scalar(v != 0)
		switch kind {
		case array.Int:
			one = array.Scalar(int64(v))
		case array.Complex:
			one = array.Scalar(complex(v, -v/2))
		}
		picks := make([]array.Pick, rank)
		for i, at := range positionsIn(a.Shape())[flat] {
			picks[i] = array.Pick{Kind: array.PickPosition, Start: at}
		}
		out.Assign(picks, one)
	}
	return out.WithLabels(a.Labels())
}

var everyKind = []array.Kind{array.Bool, array.Int, array.Real, array.Complex}

// elementAt reads one element of any kind.
func elementAt(a *array.Array, index []int) complex128 { return a.ComplexAt(place(a.Shape(), index)) }

// demand runs a function and wants no error.
func demand(t *testing.T, c *Call, name string) *array.Array {
	t.Helper()
	c.Function, c.Meter = Lookup(name), meter()
	out, d := c.Function.Run(c)
	require.Nil(t, d, "%s of %s: %v", name, Describe(c.Args[0]), d)
	return out
}

// wantMoved compares a result with the position each of its elements comes from.
func wantMoved(t *testing.T, name string, a, got *array.Array, shape []int, from func(index []int) []int) {
	t.Helper()
	require.Equal(t, a.Kind(), got.Kind(), name)
	require.Equal(t, append([]int{}, shape...), append([]int{}, got.Shape()...), "%s of %s", name, Describe(a))
	for _, index := range positionsIn(shape) {
		require.Equal(t, elementAt(a, from(index)), elementAt(got, index), "%s of %s at %v", name, Describe(a), index)
	}
}

// changed is a copy of a position or shape with one entry changed.
func changed(index []int, axis, to int) []int {
	out := slices.Clone(index)
	out[axis] = to
	return out
}

// TestShiftingAlongAnAxis moves items of arrays of every kind, through views, and asks of
// each element where it came from.
func TestShiftingAlongAnAxis(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 7))
	for range 400 {
		rank := 1 + r.IntN(3)
		a := viewOf(r, everyKind[r.IntN(4)], rank)
		axis := r.IntN(rank)
		n := a.Len(axis)
		along := func(args ...*array.Array) *Call {
			return &Call{Args: append([]*array.Array{a}, args...), Axes: []int{axis}}
		}
		wantMoved(t, "reversed", a, demand(t, along(), "reversed"), a.Shape(),
			func(index []int) []int { return changed(index, axis, n-1-index[axis]) })
		by := r.IntN(9) - 4
		wantMoved(t, "rotated", a, demand(t, along(array.Scalar(int64(by))), "rotated"), a.Shape(), func(index []int) []int {
			return changed(index, axis, ((index[axis]-by)%n+n)%n)
		})
		times := r.IntN(4)
		wantMoved(t, "repeated", a, demand(t, along(array.Scalar(int64(times))), "repeated"), changed(a.Shape(), axis,
			n*times), func(index []int) []int {
			return changed(index, axis, index[axis]/times)
		})
		assert.Equal(t, a.Labels(), demand(t, along(), "reversed").Labels())
		assert.Equal(t, a.Labels(), demand(t, along(array.Scalar(int64(1))), "rotated").Labels())
	}
}

func TestTransposing(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 7))
	for range 200 {
		rank := r.IntN(5) % 4
		a := viewOf(r, everyKind[r.IntN(4)], rank)
		back := func(list []int) []int {
			out := slices.Clone(list)
			slices.Reverse(out)
			return out
		}
		wantMoved(t, "transpose", a, demand(t, &Call{Args: []*array.Array{a}}, "transpose"), back(a.Shape()), back)
		order := r.Perm(rank)
		refs := make([]AxisRef, rank)
		shape := make([]int, rank)
		for i, from := range order {
			refs[i], shape[i] = AxisRef{Number: from}, a.Len(from)
		}
		if rank == 0 {
			continue
		}
		got := demand(t, &Call{Args: []*array.Array{a}, Options: map[string]Value{"to": {Axes: refs}}}, "transpose")
		wantMoved(t, "transpose to", a, got, shape, func(index []int) []int {
			out := make([]int, rank)
			for i, from := range order {
				out[from] = index[i]
			}
			return out
		})
		for i, from := range order {
			assert.Equal(t, a.Label(from), got.Label(i))
		}
	}
}

// flatPlace is the place of a position when elements are counted with the rows first, or
// the columns.
func flatPlace(shape, index []int, columns bool) int {
	if !columns {
		return place(shape, index)
	}
	at, step := 0, 1
	for i, n := range shape {
		at += index[i] * step
		step *= n
	}
	return at
}

// TestReshapingReadsAndFillsInOneOrder holds reshape, flattened and both positions against
// counting.
func TestReshapingReadsAndFillsInOneOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 7))
	splits := map[int][][]int{}
	for n := range 65 {
		for i := 1; i <= n; i++ {
			if n%i == 0 {
				splits[n] = append(splits[n], []int{i, n / i})
			}
		}
	}
	for range 300 {
		a := viewOf(r, everyKind[r.IntN(4)], 1+r.IntN(3))
		columns, counting := r.IntN(2) == 0, r.IntN(2)
		fill := map[string]Value{"fill": {Word: map[bool]string{true: "columns", false: "rows"}[columns]}}
		n := a.Size()
		at := make([][]int, n) // positions of a in the order of reading
		for _, index := range positionsIn(a.Shape()) {
			at[flatPlace(a.Shape(), index, columns)] = index
		}
		wantMoved(t, "flattened", a, demand(t, &Call{Args: []*array.Array{a}, Options: fill}, "flattened"), []int{n},
			func(index []int) []int { return at[index[0]] })
		shape := splits[n][r.IntN(len(splits[n]))]
		lengths := []int64{int64(shape[0]), int64(shape[1])}
		got := demand(t, &Call{Args: []*array.Array{a, array.FromInts(lengths, 2)}, Options: fill}, "reshape")
		wantMoved(t, "reshape", a, got, shape, func(index []int) []int { return at[flatPlace(shape, index, columns)] })
		assert.Nil(t, got.Labels(), "labels go")

		lengths = nil
		for _, d := range a.Shape() {
			lengths = append(lengths, int64(d))
		}
		of := array.FromInts(lengths, len(lengths))
		k := r.IntN(n)
		position := demand(t, &Call{Args: []*array.Array{of, array.Scalar(int64(k + counting))}, Options: fill,
			Counting: counting}, "unflat_position")
		for i, want := range at[k] {
			require.Equal(t, int64(want+counting), position.IntAt(i))
		}
		flat := demand(t, &Call{Args: []*array.Array{of, position}, Options: fill, Counting: counting}, "flat_position")
		require.Equal(t, int64(k+counting), flat.IntAt(0), "the two undo each other")
	}
}

func TestTiling(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 7))
	for range 200 {
		rank := 1 + r.IntN(3)
		a := viewOf(r, everyKind[r.IntN(4)], rank)
		counts := make([]int64, 1+r.IntN(3))
		for i := range counts {
			counts[i] = int64(1 + r.IntN(3))
		}
		// Counts and lengths are both aligned with the last axes.
		full := max(rank, len(counts))
		shape, lengths := make([]int, full), make([]int, full)
		for i := range shape {
			lengths[i], shape[i] = 1, 1
			if k := i - (full - rank); k >= 0 {
				lengths[i], shape[i] = a.Len(k), a.Len(k)
			}
			if k := i - (full - len(counts)); k >= 0 {
				shape[i] *= int(counts[k])
			}
		}
		wantMoved(t, "tiled", a, demand(t, &Call{Args: []*array.Array{a, array.FromInts(counts, len(counts))}}, "tiled"),
			shape, func(index []int) []int {
				out := make([]int, rank)
				for i := range out {
					out[i] = index[full-rank+i] % lengths[full-rank+i]
				}
				return out
			})
	}
}

// TestJoiningAndStacking stacks arrays of several kinds together, end to end and side by
// side.
func TestJoiningAndStacking(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 7))
	for range 300 {
		rank := 1 + r.IntN(3)
		first := viewOf(r, everyKind[r.IntN(4)], rank).WithLabels(nil)
		axis := r.IntN(rank)
		parts, kind, total := []*array.Array{first}, first.Kind(), first.Len(axis)
		for range r.IntN(3) {
			shape := changed(first.Shape(), axis, r.IntN(4))
			part := array.New(everyKind[r.IntN(4)], shape)
			if part.Kind() == array.Int {
				part = array.FromInts(make([]int64, part.Size()), shape...)
			}
			if part.Size() == 0 && len(shape) == 1 && part.Kind() == array.Real {
				continue // the list [] gives way, which another test asks
			}
			parts, total, kind = append(parts, part), total+shape[axis], array.Wider(kind, part.Kind())
		}
		got := demand(t, &Call{Args: parts, Axes: []int{axis}}, "join")
		require.Equal(t, kind, got.Kind())
		require.Equal(t, changed(first.Shape(), axis, total), append([]int{}, got.Shape()...))
		for _, index := range positionsIn(got.Shape()) {
			at, from := index[axis], 0
			for at >= parts[from].Len(axis) {
				at -= parts[from].Len(axis)
				from++
			}
			require.Equal(t, elementAt(parts[from], changed(index, axis, at)), elementAt(got, index), "join")
		}
		second := array.New(everyKind[r.IntN(4)], first.Shape())
		axis = r.IntN(rank + 1)
		got = demand(t, &Call{Args: []*array.Array{first, second, first}, Axes: []int{axis}}, "stack")
		require.Equal(t, slices.Insert(slices.Clone(first.Shape()), axis, 3), append([]int{}, got.Shape()...))
		for _, index := range positionsIn(got.Shape()) {
			from := []*array.Array{first, second, first}[index[axis]]
			require.Equal(t, elementAt(from, slices.Delete(slices.Clone(index), axis, axis+1)), elementAt(got, index), "stack")
		}
	}
}

// sortsBefore is the order of sorting: NaN last, whichever way.
func sortsBefore(a, b float64, falling bool) bool {
	if a != a || b != b {
		return a == a
	}
	if falling {
		return a > b
	}
	return a < b
}

// TestSortingIsStableWithNaNLast sorts by insertion, the slow way.
func TestSortingIsStableWithNaNLast(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 7))
	for range 300 {
		rank := 1 + r.IntN(3)
		a := view(r, rank)
		cells := slices.Clone(a.Reals())
		for i := range cells {
			cells[i] = float64(r.IntN(5))
			if r.IntN(6) == 0 {
				cells[i] = math.NaN()
			}
		}
		a = array.FromReals(cells, a.Shape()...).WithLabels(a.Labels())
		axis, falling, counting := r.IntN(rank), r.IntN(2) == 0, r.IntN(2)
		c := func() *Call {
			return &Call{Args: []*array.Array{a}, Axes: []int{axis}, Counting: counting,
				Options: map[string]Value{"descending": {Array: array.Scalar(falling)}}}
		}
		sorted, order := demand(t, c(), "sort"), demand(t, c(), "sort_order")
		for _, index := range positionsIn(changed(a.Shape(), axis, 1)) {
			var places []int
			for k := range a.Len(axis) {
				v := real(elementAt(a, changed(index, axis, k)))
				at := len(places)
				for at > 0 && sortsBefore(v, real(elementAt(a, changed(index, axis, places[at-1]))), falling) {
					at--
				}
				places = slices.Insert(places, at, k)
			}
			for k, from := range places {
				want, got := real(elementAt(a, changed(index, axis, from))), real(elementAt(sorted, changed(index, axis, k)))
				require.True(t, want == got || want != want && got != got)
				require.Equal(t, float64(from+counting), real(elementAt(order, changed(index, axis, k))))
			}
		}
	}
}

// TestUniqueCountsEachValue counts with a map.
func TestUniqueCountsEachValue(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 200 {
		n := r.IntN(12)
		cells, seen, missing := make([]float64, n), map[float64]int64{}, int64(0)
		for i := range cells {
			if cells[i] = float64(r.IntN(4)); r.IntN(6) == 0 {
				cells[i] = math.NaN()
				missing++
				continue
			}
			seen[cells[i]]++
		}
		a := array.FromReals(cells, n)
		values, counts := demand(t, &Call{Args: []*array.Array{a}}, "unique"), demand(t, &Call{Args: []*array.Array{a}},
			"unique_counts")
		distinct := len(seen)
		if missing > 0 {
			distinct++
		}
		require.Equal(t, []int{distinct}, append([]int{}, values.Shape()...))
		for k := range distinct {
			v := values.RealAt(k)
			if v != v {
				require.Equal(t, distinct-1, k, "NaN stands last")
				require.Equal(t, missing, counts.IntAt(k))
				continue
			}
			require.Equal(t, seen[v], counts.IntAt(k))
			require.True(t, k == 0 || values.RealAt(k-1) < v, "rising")
		}
	}
}

// TestTriangles asks of each element on which side of the diagonal it stands.
func TestTriangles(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 7))
	for range 200 {
		a := viewOf(r, everyKind[1+r.IntN(3)], 2)
		offset := r.IntN(7) - 3
		c := func() *Call {
			return &Call{Args: []*array.Array{a}, Options: map[string]Value{"offset": {Array: array.Scalar(int64(offset))}}}
		}
		upper, lower, diagonal := demand(t, c(), "upper_part"), demand(t, c(), "lower_part"), demand(t, c(), "diagonal_of")
		var on []complex128
		for _, index := range positionsIn(a.Shape()) {
			v, side := elementAt(a, index), index[1]-index[0]-offset
			wantUpper, wantLower := v, v
			if side < 0 {
				wantUpper = 0
			}
			if side > 0 {
				wantLower = 0
			}
			require.Equal(t, wantUpper, elementAt(upper, index))
			require.Equal(t, wantLower, elementAt(lower, index))
			if side == 0 {
				on = append(on, v)
			}
		}
		require.Equal(t, len(on), diagonal.Size())
		for i, v := range on {
			require.Equal(t, v, diagonal.ComplexAt(i))
		}
	}
}

// TestWindowsAndDifferences holds stretches, steps and totals of groups against loops.
func TestWindowsAndDifferences(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 7))
	for range 200 {
		rank := 1 + r.IntN(3)
		a := viewOf(r, everyKind[1+r.IntN(2)], rank)
		axis := r.IntN(rank)
		n := a.Len(axis)
		wide := 1 + r.IntN(n)
		got := demand(t, &Call{Args: []*array.Array{a, array.Scalar(int64(wide))}, Axes: []int{axis}}, "windows")
		wantMoved(t, "windows", a, got, append(changed(a.Shape(), axis, n-wide+1), wide), func(index []int) []int {
			return changed(index[:rank], axis, index[axis]+index[rank])
		})
		steps := demand(t, &Call{Args: []*array.Array{a}, Axes: []int{axis}}, "differences")
		require.Equal(t, changed(a.Shape(), axis, n-1), append([]int{}, steps.Shape()...))
		for _, index := range positionsIn(steps.Shape()) {
			require.Equal(t, elementAt(a, changed(index, axis, index[axis]+1))-elementAt(a, index), elementAt(steps, index))
		}
		groups, counting, many := make([]int64, n), r.IntN(2), 1+r.IntN(3)
		for i := range groups {
			groups[i] = int64(r.IntN(many) + counting)
		}
		totals := demand(t, &Call{Args: []*array.Array{a, array.FromInts(groups, n), array.Scalar(int64(many))},
			Axes: []int{axis}, Counting: counting}, "totals_by")
		for _, index := range positionsIn(changed(a.Shape(), axis, many)) {
			want := complex128(0)
			for k := range n {
				if int(groups[k])-counting == index[axis] {
					want += elementAt(a, changed(index, axis, k))
				}
			}
			require.Equal(t, want, elementAt(totals, index), "totals of small whole numbers and quarters are exact")
		}
	}
}

// TestPickTakesFromOneSideOrTheOther broadcasts three operands the slow way.
func TestPickTakesFromOneSideOrTheOther(t *testing.T) {
	r := rand.New(rand.NewPCG(10, 7))
	for range 300 {
		rank := 1 + r.IntN(3)
		full := view(r, rank).Shape()
		part := func(kind array.Kind) *array.Array {
			shape := slices.Clone(full[r.IntN(rank):])
			for i := range shape {
				if r.IntN(3) == 0 {
					shape[i] = 1
				}
			}
			a := array.New(kind, shape)
			for flat, index := range positionsIn(shape) {
				picks := make([]array.Pick, len(index))
				for i, at := range index {
					picks[i] = array.Pick{Kind: array.PickPosition, Start: at}
				}
				switch kind {
				case array.Bool:
					a.Assign(picks, array.Scalar(r.IntN(2) == 0))
				case array.Int:
					a.Assign(picks, array.Scalar(int64(flat)))
				default:
					a.Assign(picks, array.Scalar(float64(flat)+0.5))
				}
			}
			return a
		}
		mask, a, b := part(array.Bool), part(everyKind[1+r.IntN(2)]), part(everyKind[1+r.IntN(2)])
		got := demand(t, &Call{Args: []*array.Array{mask, a, b}}, "pick")
		under := func(x *array.Array, index []int) complex128 {
			at := slices.Clone(index[len(index)-x.Rank():])
			for i := range at {
				if x.Len(i) == 1 {
					at[i] = 0
				}
			}
			return elementAt(x, at)
		}
		require.Equal(t, array.Wider(a.Kind(), b.Kind()), got.Kind())
		for _, index := range positionsIn(got.Shape()) {
			want := under(b, index)
			if under(mask, index) != 0 {
				want = under(a, index)
			}
			require.Equal(t, want, elementAt(got, index))
		}
	}
}

// TestRearrangingRefuses asks for what no array has.
func TestRearrangingRefuses(t *testing.T) {
	table := array.FromReals([]float64{1, 2, 3, 4, 5, 6}, 2, 3)
	for _, c := range []struct {
		name  string
		call  Call
		code  string
		words string
	}{
		{"reshape", Call{Args: []*array.Array{table, array.FromInts([]int64{4, 2}, 2)}}, "shape.reshape", "6"},
		{"join", Call{Args: []*array.Array{table, array.FromReals([]float64{1, 2}, 1, 2)}, Axes: []int{0}}, "shape.join",
			"2"},
		{"stack", Call{Args: []*array.Array{table, array.FromReals([]float64{1, 2}, 2)}}, "shape.join", ""},
		{"repeated", Call{Args: []*array.Array{table, array.Scalar(int64(-1))}, Axes: []int{0}}, "run.value", "-1"},
		{"windows", Call{Args: []*array.Array{table, array.Scalar(int64(0))}, Axes: []int{0}}, "run.value", "0"},
		{"flat_position", Call{Args: []*array.Array{array.FromInts([]int64{2, 3}, 2), array.FromInts([]int64{2, 0}, 2)}},
			"select.range", "2"},
		{"flat_position", Call{Args: []*array.Array{array.FromInts([]int64{1 << 40, 1 << 40}, 2),
			array.FromInts([]int64{1 << 39, 1}, 2)}}, "run.overflow", "1099511627776"},
		{"unflat_position", Call{Args: []*array.Array{array.FromInts([]int64{1 << 40, 1 << 40}, 2),
			array.Scalar(int64(5))}}, "run.overflow", "1099511627776"},
		{"totals_by", Call{Args: []*array.Array{table, array.FromInts([]int64{0, 5}, 2), array.Scalar(int64(2))},
			Axes: []int{0}}, "select.range", "5"},
		{"sort", Call{Args: []*array.Array{array.FromComplexes([]complex128{1i, 2}, 2)}, Axes: []int{0}}, "run.kind",
			"complex"},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.call.Function, c.call.Meter = Lookup(c.name), meter()
			_, d := c.call.Function.Run(&c.call)
			if assert.NotNil(t, d, c.name) {
				assert.Equal(t, codes.Code(c.code), d.Code, "%s: %s", c.name, d.Message)
				assert.Contains(t, d.Message, c.words, c.name)
				assert.NotEmpty(t, d.Hint, c.name)
			}
		})
	}
}
