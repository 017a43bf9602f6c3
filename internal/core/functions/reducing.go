package functions

import (
	"fmt"
	"math/cmplx"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// grouped reduces the call's axes: f gets the elements behind each result
// element, those that only: leaves. needs is the least count f can do with.
func grouped[T, O array.Cell](c *Call, a *array.Array, needs int, f func(items []T) O) (*array.Array,
	*notation.Diagnostic) {
	axes := c.overAxes()
	keep, d := c.truth("keep")
	if d != nil {
		return nil, d
	}
	var near [8]int
	shape := a.AppendCollapsed(near[:0], axes, keep)
	if d := c.take(array.KindOf[O](), shape); d != nil {
		return nil, d
	}
	if a.Size() > mostPlain {
		if d := c.Meter.Pause(); d != nil {
			return nil, d
		}
	}
	if only, ok := c.Options["only"]; ok {
		return groupedOnly(c, a, only.Array, axes, keep, needs, f)
	}
	n := groupSize(a, axes)
	if results, _ := array.Size(shape); n < needs && results > 0 {
		return nil, c.empty(a, axes, n)
	}
	if a.Size() > mostPlain {
		group := f
		f = func(items []T) O {
			c.Meter.Worked(plain / 2 * len(items))
			return group(items)
		}
	}
	return array.Reduce(&c.Meter.Arena, a, axes, keep, f), nil
}

func groupSize(a *array.Array, axes []int) int {
	n := 1
	for _, axis := range axes {
		n *= a.Len(axis)
	}
	return n
}

// groupedOnly is grouped for the elements where a mask is true.
func groupedOnly[T, O array.Cell](c *Call, a, mask *array.Array, axes []int, keep bool, needs int,
	f func(items []T) O) (*array.Array, *notation.Diagnostic) {
	flags, d := c.beside(a, mask, "only", array.Bool)
	if d != nil {
		return nil, d
	}
	n := groupSize(a, axes)
	all := make([]bool, 0, a.Size())
	array.EachGroup(flags, axes, func(_ int, items []bool) { all = append(all, items...) })
	var left []T
	group := 0
	var fail *notation.Diagnostic
	out := array.Reduce(&c.Meter.Arena, a, axes, keep, func(items []T) O {
		left = left[:0]
		for i, v := range items {
			if all[group*n+i] {
				left = append(left, v)
			}
		}
		group++
		if len(left) < needs {
			fail = c.empty(a, axes, len(left))
			var zero O
			return zero
		}
		return f(left)
	})
	return out, fail
}

// beside broadcasts an option's array to the argument's shape.
func (c *Call) beside(a, b *array.Array, option string, kind array.Kind) (*array.Array, *notation.Diagnostic) {
	if kind == array.Bool && b.Kind() != array.Bool {
		return nil, fault(codes.RunKind, fmt.Sprintf("the option `%s` is %s; it takes a mask", option, Describe(b)),
			fmt.Sprintf("compare to make a mask: `%s: x > 0`", option))
	}
	shape, err := array.BroadcastShape(a.Shape(), b.Shape())
	if err != nil || !slices.Equal(shape, a.Shape()) {
		sa, sb := ShapeOf(a), ShapeOf(b)
		return nil, fault(codes.ShapeBroadcast, fmt.Sprintf("the option `%s` has the shape %s, which does not broadcast "+
			"to the argument's %s", option, sb, sa), "give it the argument's shape, or one that broadcasts to it; `new` adds "+
			"an axis of length 1", sa, sb)
	}
	return b.Stretch(a.Shape()), nil
}

func (c *Call) empty(a *array.Array, axes []int, n int) *notation.Diagnostic {
	s := ShapeOf(a)
	if len(axes) > 0 {
		s.Mark = axes[0]
		for _, axis := range axes {
			if a.Len(axis) == 0 {
				s.Mark = axis
			}
		}
	}
	what := "no element"
	if n == 1 {
		what = "one element"
	}
	hint := "ask `size(x)` first, or keep an empty selection out"
	if n == 1 {
		hint = "by n - 1 it takes two elements; by n write `" + map[bool]string{true: "std",
			false: "var"}[c.Function.Name == "sample_std"] + "`"
	}
	return fault(codes.RunEmpty, fmt.Sprintf("`%s` of %s has no value; its argument is %s", c.Function.Name, what,
		Describe(a)), hint, s)
}

// tables reduces reals: rows of contiguous tables by over, which reads memory as
// it lies, and all else group by group.
func (c *Call) tables(a *array.Array, needs int, group func([]float64) float64, over func(out, data []float64, rows,
	columns int)) (*array.Array, *notation.Diagnostic) {
	axes := c.overAxes()
	outer, rows, columns, ok := array.RowsAndColumns(a, axes)
	// Long pieces of one column are worked through with a look at the clock.
	if !ok || rows < max(needs, 1) || columns == 1 && a.Size() > mostPlain || c.has("only") {
		return grouped(c, a, needs, group)
	}
	keep, d := c.truth("keep")
	if d != nil {
		return nil, d
	}
	var near [8]int
	shape := a.AppendCollapsed(near[:0], axes, keep)
	if d := c.take(array.Real, shape); d != nil {
		return nil, d
	}
	if a.Size() > mostPlain {
		c.Meter.Worked(a.Size())
	}
	out := a.Collapsed(&c.Meter.Arena, array.Real, shape, axes, keep)
	cells, data := out.Reals(), a.Reals()
	switch {
	case columns == 1:
		for k := range cells {
			cells[k] = group(data[k*rows : (k+1)*rows])
		}
	case outer == 1:
		over(cells, data, rows, columns)
	default:
		array.OnCores(outer, len(data), func(from, to int) {
			for k := from; k < to; k++ {
				over(cells[k*columns:(k+1)*columns], data[k*rows*columns:(k+1)*rows*columns], rows, columns)
			}
		})
	}
	return out, nil
}

// noticed reports NaN passed on and of infinities made by a reduction.
func (c *Call) noticed(out *array.Array, d *notation.Diagnostic, a *array.Array) (*array.Array, *notation.Diagnostic) {
	if d != nil {
		return nil, d
	}
	finite := true
	switch out.Kind() {
	case array.Real:
		finite = array.Finite(out.Reals())
	case array.Complex:
		finite = allFiniteComplex(out.Complexes())
	}
	if finite {
		return out, nil
	}
	c.notePassedNaN(a, "and its result there is NaN")
	madeNaN, madeInf := false, false
	for i := range out.Size() {
		v := out.ComplexAt(i)
		madeNaN = madeNaN || cmplx.IsNaN(v)
		madeInf = madeInf || (cmplx.IsInf(v) && !cmplx.IsNaN(v))
	}
	hasNaN, hasInf := false, false
	for i := range a.Size() {
		v := a.ComplexAt(i)
		hasNaN = hasNaN || cmplx.IsNaN(v)
		hasInf = hasInf || cmplx.IsInf(v)
	}
	if madeNaN && !hasNaN {
		c.Meter.Notice(codes.NoticeNaN, fmt.Sprintf("`%s` made NaN where no element was NaN", c.Function.Name),
			"infinities of both signs are in the data")
	}
	if madeInf && !hasInf {
		c.Meter.Notice(codes.NoticeInfinite, fmt.Sprintf("`%s` made an infinite value where no element was infinite",
			c.Function.Name), "the values are too large; scale them first")
	}
	return out, nil
}
