package functions

import (
	"cmp"
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// order compares two elements so that NaN comes last both ways.
func order[T cmp.Ordered](descending bool) func(a, b T) int {
	return func(a, b T) int {
		switch {
		case a != a && b != b:
			return 0
		case a != a:
			return 1
		case b != b:
			return -1
		case descending:
			return cmp.Compare(b, a)
		}
		return cmp.Compare(a, b)
	}
}

// sortable reads a sorting call's axis, direction and data, bool as int.
func (c *Call) sortable() (a *array.Array, axis int, descending bool, d *notation.Diagnostic) {
	if axis, d = c.alongAxis(); d != nil {
		return nil, 0, false, d
	}
	if d = c.atMost(c.Args[0], array.Real, "complex numbers have no order; sort by `abs(...)` with "+
		"`sort_order`"); d != nil {
		return nil, 0, false, d
	}
	if descending, d = c.truth("descending"); d != nil {
		return nil, 0, false, d
	}
	a = c.Args[0]
	if a.Kind() == array.Real && slices.ContainsFunc(a.Reals(), func(v float64) bool { return v != v }) {
		c.Meter.Notice(codes.NoticeNaN, fmt.Sprintf("`%s` met NaN, which comes last", c.Function.Name),
			"leave missing values out first: `x[not is_nan(x)]`")
	}
	return a, axis, descending, nil
}

func sorted(c *Call) (*array.Array, *notation.Diagnostic) {
	a, axis, descending, d := c.sortable()
	if d != nil {
		return nil, d
	}
	if d := c.take(a.Kind(), a.Shape()); d != nil {
		return nil, d
	}
	switch a.Kind() {
	case array.Bool:
		ints, d := sortAlong[int64](c.Meter, a.Widen(array.Int), axis, descending)
		if d != nil {
			return nil, d
		}
		return array.Map1(ints, array.EachCell(func(v int64) bool { return v != 0 })), nil
	case array.Int:
		return sortAlong[int64](c.Meter, a, axis, descending)
	}
	return sortAlong[float64](c.Meter, a, axis, descending)
}

func sortAlong[T int64 | float64](m *Meter, a *array.Array, axis int, descending bool) (*array.Array,
	*notation.Diagnostic) {
	scratch, d := scratchToSort[T](m, a.Kind(), a.Len(axis))
	if d != nil {
		return nil, d
	}
	return array.Along(a, axis, a.Len(axis), func(out, items []T) {
		copy(out, items)
		sortStably(m, out, scratch, order[T](descending))
	}), nil
}

func sortOrder(c *Call) (*array.Array, *notation.Diagnostic) {
	a, axis, descending, d := c.sortable()
	if d != nil {
		return nil, d
	}
	if d := c.take(array.Int, a.Shape()); d != nil {
		return nil, d
	}
	if a.Kind() <= array.Int {
		return orderAlong[int64](c, a.Widen(array.Int), axis, descending)
	}
	return orderAlong[float64](c, a, axis, descending)
}

func orderAlong[T int64 | float64](c *Call, a *array.Array, axis int, descending bool) (*array.Array,
	*notation.Diagnostic) {
	compare := order[T](descending)
	scratch, d := scratchToSort[int64](c.Meter, array.Int, a.Len(axis))
	if d != nil {
		return nil, d
	}
	return array.Along(a, axis, a.Len(axis), func(out []int64, items []T) {
		for i := range out {
			out[i] = int64(i)
		}
		sortStably(c.Meter, out, scratch, func(x, y int64) int { return compare(items[x], items[y]) })
		for i := range out {
			out[i] += int64(c.Counting)
		}
	}), nil
}

func unique(counts bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		flat := c.Args[0].Reshape([]int{c.Args[0].Size()})
		call := *c
		call.Args, call.Axes = []*array.Array{flat}, []int{0}
		a, _, _, d := call.sortable()
		if d != nil {
			return nil, d
		}
		if d := c.take(a.Kind(), a.Shape()); d != nil {
			return nil, d
		}
		if a.Kind() == array.Real {
			values, n, d := runs(c.Meter, slices.Clone(a.Reals()))
			return pickOf(counts, n, values), d
		}
		values, n, d := runs(c.Meter, slices.Clone(a.Widen(array.Int).Ints()))
		if d == nil && a.Kind() == array.Bool && !counts {
			values = array.Map1(values, array.EachCell(func(v int64) bool { return v != 0 }))
		}
		return pickOf(counts, n, values), d
	}
}

func pickOf(first bool, a, b *array.Array) *array.Array {
	if first {
		return a
	}
	return b
}

// runs sorts values and counts equal ones; NaN counts as equal to NaN.
func runs[T int64 | float64](m *Meter, values []T) (distinct, counts *array.Array, d *notation.Diagnostic) {
	scratch, d := scratchToSort[T](m, array.KindOf[T](), len(values))
	if d != nil {
		return nil, nil, d
	}
	sortStably(m, values, scratch, order[T](false))
	var out []T
	var n []int64
	for _, v := range values {
		if last := len(out) - 1; last >= 0 && (out[last] == v || (v != v && out[last] != out[last])) {
			n[last]++
			continue
		}
		out, n = append(out, v), append(n, 1)
	}
	return array.From(out, []int{len(out)}), array.FromInts(n, len(n)), nil
}
