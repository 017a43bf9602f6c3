package functions

import (
	"fmt"
	"math"
	"math/bits"
	"math/cmplx"
	"slices"

	"nimbusreach/core/array"
	"nimbusreach/core/notation"
)

const collapsedShape = "the axes not collapsed; without `over` a scalar; with `keep: true` collapsed axes stay with length 1"

var collapseOptions = []Option{{Name: "keep"}, {Name: "only"}}

func init() {
	for _, f := range []struct {
		name, doc, example string
		relatives          []string
		options            []Option
		run                func(*Call) (*array.Array, *notation.Diagnostic)
	}{
		{"sum", "The sum; of nothing 0. Ints add up in 128 bits and overflow only when the sum does not fit; reals add pairwise (Higham 2002, 4.2).", "sum([1, 2, 3])", []string{"mean", "product", "running_sum"}, nil, sum},
		{"mean", "The sum divided by the count; of nothing run.empty.", "mean([1, 2, 6])", []string{"median", "sum"}, []Option{{Name: "weights"}}, mean},
		{"min", "The smallest value, in the argument's kind; of nothing run.empty; NaN when one is, with a notice.", "min([3, 1, 2])", []string{"max", "lesser", "min_at"}, nil, extreme(false)},
		{"max", "The largest value, in the argument's kind; of nothing run.empty; NaN when one is, with a notice.", "max([3, 1, 2])", []string{"min", "greater", "max_at"}, nil, extreme(true)},
		{"count", "How many elements are true; of numbers, how many are not zero.", "count([5, 0, 7])", []string{"sum", "any"}, nil, countTrue},
		{"any", "True when one element is true; numbers count as non-zero; of nothing false.", "any([false, true])", []string{"all", "count"}, nil, anyTrue},
		{"all", "True when every element is true; numbers count as non-zero; of nothing true.", "all([false, true])", []string{"any", "count"}, nil, allTrue},
		{"product", "The product; of nothing 1. Of ints exact, or run.overflow.", "product([2, 3, 4])", []string{"sum", "running_product"}, nil, product},
		{"var", "The variance: the mean squared distance from the mean, divided by n, in two passes; of nothing run.empty.", "var([1, 2, 3, 4])", []string{"sample_var", "std"}, nil, variance(0, false)},
		{"std", "The standard deviation: the square root of `var`.", "std([1, 2, 3, 4])", []string{"sample_std", "var"}, nil, variance(0, true)},
		{"sample_var", "The variance divided by n - 1; of fewer than two elements run.empty.", "sample_var([1, 2, 3, 4])", []string{"var", "sample_std"}, nil, variance(1, false)},
		{"sample_std", "The square root of `sample_var`.", "sample_std([1, 2, 3, 4])", []string{"std", "sample_var"}, nil, variance(1, true)},
		{"median", "The middle value, or the mean of the two middle ones; a real; of nothing run.empty.", "median([5, 1, 2])", []string{"mean", "percentile"}, nil, median},
		{"extent", "The largest value less the smallest, in the argument's kind (int for bool).", "extent([3, 1, 7])", []string{"min", "max"}, nil, extent},
	} {
		register(&Function{Name: f.name, Topic: Collapsing, Signature: f.name + "(x over AXES, keep: false, only: mask)", Doc: f.doc, Shape: collapsedShape,
			Example: f.example, Relatives: f.relatives, Min: 1, Max: 1, Clause: Over, Options: append(slices.Clone(collapseOptions), f.options...), Run: f.run})
	}
	table["mean"].Signature = "mean(x over AXES, keep: false, only: mask, weights: w)"
}

// grouped collapses the call's axes: f gets the elements behind each result
// element, those that only: leaves. needs is the least count f can do with.
func grouped[T, O array.Cell](c *Call, a *array.Array, needs int, f func(items []T) O) (*array.Array, *notation.Diagnostic) {
	axes := c.overAxes()
	keep, d := c.truth("keep")
	if d != nil {
		return nil, d
	}
	var room [8]int
	shape := a.AppendCollapsed(room[:0], axes, keep)
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
	return array.Reduce(&c.Meter.Room, a, axes, keep, f), nil
}

func groupSize(a *array.Array, axes []int) int {
	n := 1
	for _, axis := range axes {
		n *= a.Len(axis)
	}
	return n
}

// groupedOnly is grouped for the elements where a mask is true.
func groupedOnly[T, O array.Cell](c *Call, a, mask *array.Array, axes []int, keep bool, needs int, f func(items []T) O) (*array.Array, *notation.Diagnostic) {
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
	out := array.Reduce(&c.Meter.Room, a, axes, keep, func(items []T) O {
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
		return nil, fault("run.kind", fmt.Sprintf("the option `%s` is %s; it takes a mask", option, Describe(b)), fmt.Sprintf("compare to make a mask: `%s: x > 0`", option))
	}
	shape, err := array.BroadcastShape(a.Shape(), b.Shape())
	if err != nil || !slices.Equal(shape, a.Shape()) {
		sa, sb := ShapeOf(a), ShapeOf(b)
		return nil, fault("shape.broadcast", fmt.Sprintf("the option `%s` has the shape %s, which does not broadcast to the argument's %s", option, sb, sa), "give it the argument's shape, or one that stretches to it; `new` adds an axis of length 1", sa, sb)
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
		hint = "by n - 1 it takes two elements; by n write `" + map[bool]string{true: "std", false: "var"}[c.Function.Name == "sample_std"] + "`"
	}
	return fault("run.empty", fmt.Sprintf("`%s` of %s has no value; its argument is %s", c.Function.Name, what, Describe(a)), hint, s)
}

func sum(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := Widen(c.Meter, c.Args[0], array.Int)
	if d != nil {
		return nil, d
	}
	switch a.Kind() {
	case array.Int:
		overflow := false
		out, d := grouped(c, a, 0, func(items []int64) int64 {
			s, ok := SumInts(items)
			overflow = overflow || !ok
			return s
		})
		if d == nil && overflow {
			return nil, fault("run.overflow", "the sum does not fit an int, which goes from -2^63 to 2^63 - 1", "sum reals: `sum(real(x))`")
		}
		return out, d
	case array.Real:
		out, d := c.sumReals(a, 0)
		return c.noticed(out, d, a)
	}
	out, d := grouped(c, a, 0, sumComplexes)
	return c.noticed(out, d, a)
}

// sumReals sums, along memory where the collapsed axes are rows of tables.
func (c *Call) sumReals(a *array.Array, needs int) (*array.Array, *notation.Diagnostic) {
	return c.tables(a, needs, array.PairwiseSum, array.SumOver)
}

// tables collapses reals: rows of contiguous tables by over, which reads memory as
// it lies, and all else group by group.
func (c *Call) tables(a *array.Array, needs int, group func([]float64) float64, over func(out, data []float64, rows, columns int)) (*array.Array, *notation.Diagnostic) {
	axes := c.overAxes()
	outer, rows, columns, ok := array.RowsAndColumns(a, axes)
	if _, only := c.Options["only"]; !ok || only || rows < max(needs, 1) {
		return grouped(c, a, needs, group)
	}
	keep, d := c.truth("keep")
	if d != nil {
		return nil, d
	}
	var room [8]int
	if d := c.take(array.Real, a.AppendCollapsed(room[:0], axes, keep)); d != nil {
		return nil, d
	}
	out := a.Collapsed(&c.Meter.Room, array.Real, axes, keep)
	cells, data := out.Reals(), a.Reals()
	if outer == 1 {
		over(cells, data, rows, columns)
		return out, nil
	}
	array.OnCores(outer, len(data), func(from, to int) {
		for k := from; k < to; k++ {
			over(cells[k*columns:(k+1)*columns], data[k*rows*columns:(k+1)*rows*columns], rows, columns)
		}
	})
	return out, nil
}

// noticed tells of NaN passed on and of infinities made by a collapse.
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
	c.notePassedNaN(a)
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
		c.Meter.Notice("notice.nan", fmt.Sprintf("`%s` made NaN where no element was NaN", c.Function.Name), "infinities of both signs stand in the data")
	}
	if madeInf && !hasInf {
		c.Meter.Notice("notice.infinite", fmt.Sprintf("`%s` made an infinite value where no element was infinite", c.Function.Name), "the values are too large; scale them first")
	}
	return out, nil
}

// SumInts adds in 128 bits and reports whether the sum fits 64.
func SumInts(items []int64) (int64, bool) {
	var hi, lo uint64
	for _, v := range items {
		var carry uint64
		lo, carry = bits.Add64(lo, uint64(v), 0)
		hi, _ = bits.Add64(hi, uint64(v>>63), carry)
	}
	return int64(lo), int64(hi) == int64(lo)>>63
}

func sumComplexes(items []complex128) complex128 {
	re, im := make([]float64, len(items)), make([]float64, len(items))
	for i, v := range items {
		re[i], im[i] = real(v), imag(v)
	}
	return complex(array.PairwiseSum(re), array.PairwiseSum(im))
}

func mean(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if w, ok := c.Options["weights"]; ok {
		return weightedMean(c, a, w.Array)
	}
	if a.Kind() == array.Complex {
		out, d := grouped(c, a, 1, func(items []complex128) complex128 {
			return complexQuotient(sumComplexes(items), complex(float64(len(items)), 0))
		})
		return c.noticed(out, d, a)
	}
	if a.Kind() < array.Real {
		// The exact sum of ints, rounded once.
		a = a.Widen(array.Int)
		return grouped(c, a, 1, func(items []int64) float64 {
			if s, ok := SumInts(items); ok {
				return float64(s) / float64(len(items))
			}
			return meanReals(realsOf(items))
		})
	}
	if out, ok, d := c.meanOver(a); ok || d != nil {
		return c.noticed(out, d, a)
	}
	out, d := grouped(c, a, 1, meanReals)
	return c.noticed(out, d, a)
}

// meanOver divides sums along memory; ok is false where a sum passed the largest
// double though its mean may not, and then the plain way is taken.
func (c *Call) meanOver(a *array.Array) (out *array.Array, ok bool, d *notation.Diagnostic) {
	_, rows, _, along := array.RowsAndColumns(a, c.overAxes())
	if _, only := c.Options["only"]; !along || only || rows == 0 {
		return nil, false, nil
	}
	if out, d = c.sumReals(a, 1); d != nil {
		return nil, false, d
	}
	cells := out.Reals()
	if !array.Finite(cells) {
		return nil, false, nil
	}
	for i := range cells {
		cells[i] /= float64(rows)
	}
	return out, true, nil
}

func realsOf(items []int64) []float64 {
	out := make([]float64, len(items))
	for i, v := range items {
		out[i] = float64(v)
	}
	return out
}

func meanReals(items []float64) float64 {
	n := float64(len(items))
	s := array.PairwiseSum(items) / n
	if math.IsInf(s, 0) && array.Finite(items) {
		// The sum overflowed where the mean does not.
		scaled := make([]float64, len(items))
		for i, v := range items {
			scaled[i] = v / n
		}
		return array.PairwiseSum(scaled)
	}
	return s
}

func weightedMean(c *Call, a, w *array.Array) (*array.Array, *notation.Diagnostic) {
	if w.Kind() == array.Complex || a.Kind() == array.Complex {
		return nil, fault("run.kind", "`mean` with weights takes reals", "average `real_part(...)` and `imaginary_part(...)` apart")
	}
	weights, d := c.beside(a, w, "weights", array.Real)
	if d != nil {
		return nil, d
	}
	if a, d = Widen(c.Meter, a, array.Real); d != nil {
		return nil, d
	}
	if weights, d = Widen(c.Meter, weights, array.Real); d != nil {
		return nil, d
	}
	axes := c.overAxes()
	flags := []bool(nil)
	if only, ok := c.Options["only"]; ok {
		mask, d := c.beside(a, only.Array, "only", array.Bool)
		if d != nil {
			return nil, d
		}
		array.EachGroup(mask, axes, func(_ int, items []bool) { flags = append(flags, items...) })
	}
	var all []float64
	array.EachGroup(weights, axes, func(_ int, items []float64) { all = append(all, items...) })
	n := groupSize(a, axes)
	group := 0
	var fail *notation.Diagnostic
	plain := *c
	plain.Options = map[string]Value{}
	if k, ok := c.Options["keep"]; ok {
		plain.Options["keep"] = k
	}
	var products, used []float64
	out, d := grouped(&plain, a, 1, func(items []float64) float64 {
		products, used = products[:0], used[:0]
		for i, v := range items {
			if flags == nil || flags[group*n+i] {
				products, used = append(products, v*all[group*n+i]), append(used, all[group*n+i])
			}
		}
		group++
		if len(used) == 0 {
			fail = c.empty(a, axes, 0)
			return 0
		}
		total := array.PairwiseSum(used)
		if total == 0 {
			fail = fault("run.divide", "the weights add up to 0", "weights need a sum other than 0")
		}
		return array.PairwiseSum(products) / total
	})
	if d == nil {
		d = fail
	}
	return c.noticed(out, d, a)
}

func extreme(largest bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a := c.Args[0]
		if d := c.atMost(a, array.Real, "complex numbers have no order; compare `abs(...)`"); d != nil {
			return nil, d
		}
		switch a.Kind() {
		case array.Bool:
			return grouped(c, a, 1, func(items []bool) bool { return slices.Contains(items, largest) == largest })
		case array.Int:
			return grouped(c, a, 1, func(items []int64) int64 {
				if largest {
					return slices.Max(items)
				}
				return slices.Min(items)
			})
		}
		one, over := smallestReal, array.SmallestOver
		if largest {
			one, over = largestReal, array.LargestOver
		}
		out, d := c.tables(a, 1, one, over)
		return c.noticed(out, d, a)
	}
}

// largestReal is NaN when an element is.
func largestReal(items []float64) float64 {
	best := items[0]
	for _, v := range items {
		if v > best {
			best = v
		} else if v != v {
			return v
		}
	}
	return best
}

// smallestReal is NaN when an element is.
func smallestReal(items []float64) float64 {
	best := items[0]
	for _, v := range items {
		if v < best {
			best = v
		} else if v != v {
			return v
		}
	}
	return best
}

// truths reads any kind as truth values.
func truths(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	switch a.Kind() {
	case array.Bool:
		return a, nil
	case array.Int:
		return run1(c, a, func(v int64) bool { return v != 0 })
	case array.Real:
		return run1(c, a, func(v float64) bool { return v != 0 })
	}
	return run1(c, a, func(v complex128) bool { return v != 0 })
}

func overTruths[O array.Cell](f func(items []bool) O) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a, d := truths(c)
		if d != nil {
			return nil, d
		}
		return grouped(c, a, 0, f)
	}
}

var (
	countTrue = overTruths(func(items []bool) int64 {
		n := int64(0)
		for _, v := range items {
			if v {
				n++
			}
		}
		return n
	})
	anyTrue = overTruths(func(items []bool) bool { return slices.Contains(items, true) })
	allTrue = overTruths(func(items []bool) bool { return !slices.Contains(items, false) })
)

func product(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := Widen(c.Meter, c.Args[0], array.Int)
	if d != nil {
		return nil, d
	}
	switch a.Kind() {
	case array.Int:
		overflow := false
		out, d := grouped(c, a, 0, func(items []int64) int64 {
			if slices.Contains(items, 0) {
				return 0
			}
			p, ok := int64(1), true
			for _, v := range items {
				if p, ok = MultiplyInts(p, v); !ok {
					overflow = true
					return 0
				}
			}
			return p
		})
		if d == nil && overflow {
			return nil, fault("run.overflow", "the product does not fit an int, which goes from -2^63 to 2^63 - 1", "multiply reals: `product(real(x))`")
		}
		return out, d
	case array.Real:
		out, d := grouped(c, a, 0, func(items []float64) float64 {
			p := 1.0
			for _, v := range items {
				p *= v
			}
			return p
		})
		return c.noticed(out, d, a)
	}
	out, d := grouped(c, a, 0, func(items []complex128) complex128 {
		p := complex(1, 0)
		for _, v := range items {
			p *= v
		}
		return p
	})
	return c.noticed(out, d, a)
}

// variance divides by n less lost, and takes the root when asked.
func variance(lost int, root bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a := c.Args[0]
		finish := func(squares float64, n int) float64 {
			v := squares / float64(n-lost)
			if root {
				v = math.Sqrt(v)
			}
			return v
		}
		if a.Kind() == array.Complex {
			out, d := grouped(c, a, 1+lost, func(items []complex128) float64 {
				m := sumComplexes(items) / complex(float64(len(items)), 0)
				squares := make([]float64, len(items))
				for i, v := range items {
					re, im := real(v-m), imag(v-m)
					squares[i] = float64(re*re) + float64(im*im)
				}
				return finish(array.PairwiseSum(squares), len(items))
			})
			return c.noticed(out, d, a)
		}
		a, d := Widen(c.Meter, a, array.Real)
		if d != nil {
			return nil, d
		}
		out, d := grouped(c, a, 1+lost, func(items []float64) float64 {
			return finish(array.PairwiseSquares(items, meanReals(items)), len(items))
		})
		return c.noticed(out, d, a)
	}
}

func median(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.atMost(a, array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	a, d := Widen(c.Meter, a, array.Real)
	if d != nil {
		return nil, d
	}
	var sorted []float64
	out, d := grouped(c, a, 1, func(items []float64) float64 {
		sorted = append(sorted[:0], items...)
		slices.Sort(sorted)
		if sorted[0] != sorted[0] { // slices.Sort puts NaN first
			return math.NaN()
		}
		half := len(sorted) / 2
		if len(sorted)%2 == 1 {
			return sorted[half]
		}
		low, high := sorted[half-1], sorted[half]
		if m := (low + high) / 2; !math.IsInf(m, 0) || math.IsInf(low, 0) || math.IsInf(high, 0) {
			return m
		}
		return low/2 + high/2
	})
	return c.noticed(out, d, a)
}

func extent(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.atMost(a, array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	if a.Kind() < array.Real {
		overflow := false
		out, d := grouped(c, a.Widen(array.Int), 1, func(items []int64) int64 {
			v, ok := subtractInts(slices.Max(items), slices.Min(items))
			overflow = overflow || !ok
			return v
		})
		if d == nil && overflow {
			return nil, fault("run.overflow", "the extent does not fit an int", "convert with `real(...)` first")
		}
		return out, d
	}
	out, d := grouped(c, a, 1, func(items []float64) float64 {
		return largestReal(items) - smallestReal(items)
	})
	return c.noticed(out, d, a)
}
