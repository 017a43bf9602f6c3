package functions

import (
	"fmt"
	"math"
	"math/bits"
	"math/cmplx"
	"slices"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// several collapses the call's axes to n values each, on a new first axis.
func several[T array.Cell](c *Call, a *array.Array, needs, n int, f func(items []float64, out []T)) (*array.Array, *notation.Diagnostic) {
	keep, d := c.truth("keep")
	if d != nil {
		return nil, d
	}
	// Every value is worked out place by place, and then laid along the new axis.
	places, _ := array.Size(a.AppendCollapsed(nil, c.overAxes(), keep))
	if d := c.Meter.Borrow(array.KindOf[T](), n*places); d != nil {
		return nil, d
	}
	values := make([]T, 0, n*places)
	first, d := grouped(c, a, needs, func(items []float64) float64 {
		last := len(values)
		values = values[:last+n]
		f(items, values[last:])
		return 0
	})
	if d != nil {
		return nil, d
	}
	shape := append([]int{n}, first.Shape()...)
	if d := c.take(array.KindOf[T](), shape); d != nil {
		return nil, d
	}
	cells := make([]T, len(values))
	for i := range places {
		for k, v := range values[i*n : (i+1)*n] {
			cells[k*places+i] = v
		}
	}
	labels := make([]string, len(shape))
	copy(labels[1:], first.Labels())
	return array.From(cells, shape).WithLabels(labels), nil
}

// quantile is the value at place (n - 1) p / 100 of sorted elements.
func quantile(sorted []float64, p float64) float64 {
	h := float64(len(sorted)-1) * p / 100
	low := int(math.Floor(h))
	if low >= len(sorted)-1 {
		return sorted[len(sorted)-1]
	}
	a, b := sorted[low], sorted[low+1]
	t := h - float64(low)
	if t == 0 || a == b {
		return a
	}
	return a + t*(b-a)
}

// roomToOrder asks for what sorting each group takes beside the argument.
func (c *Call) roomToOrder(a *array.Array) *notation.Diagnostic {
	if a.Size() == 0 {
		return nil
	}
	return c.Meter.Borrow(array.Real, 2*groupSize(a, c.overAxes()))
}

// sortedCopy sorts; nil when an element is NaN.
func sortedCopy(m *Meter, items []float64) []float64 {
	out := slices.Clone(items)
	sortReals(m, out)
	if len(out) > 0 && out[0] != out[0] {
		return nil
	}
	return out
}

func (c *Call) orderedReals() (*array.Array, *notation.Diagnostic) {
	if d := c.atMost(c.Args[0], array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	return Widen(c.Meter, c.Args[0], array.Real)
}

func percentile(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.orderedReals()
	if d != nil {
		return nil, d
	}
	p := c.Args[1]
	if p.Rank() > 1 || p.Kind() == array.Complex || p.Kind() == array.Bool {
		return nil, fault(codes.RunKind, fmt.Sprintf("the percentages of `percentile` are %s; they are one real, or reals on one axis", Describe(p)), "write `percentile(x, 25)` or `percentile(x, [25, 75])`")
	}
	ps := p.Widen(array.Real).Reals()
	for _, v := range ps {
		if !(v >= 0 && v <= 100) {
			return nil, fault(codes.RunValue, fmt.Sprintf("%v percent lies outside 0 to 100", v), "a share of 0.25 is 25 percent")
		}
	}
	if d := c.roomToOrder(a); d != nil {
		return nil, d
	}
	if p.Rank() == 0 {
		out, d := grouped(c, a, 1, func(items []float64) float64 {
			if s := sortedCopy(c.Meter, items); s != nil {
				return quantile(s, ps[0])
			}
			return math.NaN()
		})
		return c.noticed(out, d, a)
	}
	out, d := several(c, a, 1, len(ps), quantiles(c.Meter, ps))
	return c.noticed(out, d, a)
}

func quantiles(m *Meter, ps []float64) func(items, out []float64) {
	return func(items, out []float64) {
		s := sortedCopy(m, items)
		for k, p := range ps {
			out[k] = math.NaN()
			if s != nil {
				out[k] = quantile(s, p)
			}
		}
	}
}

func fiveNumbers(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.orderedReals()
	if d != nil {
		return nil, d
	}
	if d := c.roomToOrder(a); d != nil {
		return nil, d
	}
	out, d := several(c, a, 1, 5, quantiles(c.Meter, []float64{0, 25, 50, 75, 100}))
	return c.noticed(out, d, a)
}

func norm(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if kind := c.Options["kind"].Word; kind != "" {
		return c.matrixNorm(kind)
	}
	a, d := c.moduli(a)
	if d != nil {
		return nil, d
	}
	out, d := grouped(c, a, 0, algebra.Norm)
	return c.noticed(out, d, a)
}

// moduli are the absolute values as reals.
func (c *Call) moduli(a *array.Array) (*array.Array, *notation.Diagnostic) {
	if a.Kind() == array.Complex {
		return run1(c, a, cmplx.Abs)
	}
	w, d := Widen(c.Meter, a, array.Real)
	if d != nil {
		return nil, d
	}
	return run1(c, w, math.Abs)
}

func (c *Call) matrixNorm(kind string) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.wantRank(a, 2); d != nil {
		return nil, d
	}
	if kind == "spectral" {
		values, d := c.singular(a)
		if d != nil {
			return nil, d
		}
		if len(values) == 0 {
			return array.Scalar(0.0), nil
		}
		return array.Scalar(values[0]), nil
	}
	m, d := c.moduli(a)
	if d != nil {
		return nil, d
	}
	over := 0
	if kind == "infinity" {
		over = 1
	}
	sums := array.Reduce(nil, m, []int{over}, false, array.PairwiseSum)
	best := 0.0
	for _, v := range sums.Reals() {
		best = math.Max(best, v)
	}
	return array.Scalar(best), nil
}

func logOfSums(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.orderedReals()
	if d != nil {
		return nil, d
	}
	out, d := grouped(c, a, 1, func(items []float64) float64 {
		top := largestReal(items)
		if math.IsInf(top, 0) || top != top {
			return top
		}
		parts := make([]float64, len(items))
		for i, v := range items {
			parts[i] = math.Exp(v - top)
		}
		c.Meter.Worked(2 * plain * len(items))
		return top + math.Log(array.PairwiseSum(parts))
	})
	return c.noticed(out, d, a)
}

func extremeAt(largest bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a, d := c.orderedExactly()
		if d != nil {
			return nil, d
		}
		axes := c.overAxes()
		if len(axes) != 1 && len(axes) != a.Rank() {
			return nil, fault(codes.TextCall, fmt.Sprintf("`%s` over %d of %d axes has no plain position", c.Function.Name, len(axes), a.Rank()), "name one axis, or all of them by leaving `over` out", ShapeOf(a))
		}
		if c.Args[0].Kind() == array.Real {
			c.notePassedNaN(c.Args[0], "and gives the position of the first")
		}
		// Positions are looked for among the elements `only:` leaves, and counted
		// among all.
		call := *c
		if d := c.Meter.Borrow(array.Int, a.Size()); d != nil {
			return nil, d
		}
		counted := placesOf(a)
		keep, d := c.truth("keep")
		if d != nil {
			return nil, d
		}
		call.Options = map[string]Value{"keep": {Array: array.Scalar(keep)}}
		if only, ok := c.Options["only"]; ok {
			call.Options["only"] = only
		}
		best := func(places []int64) int64 { return mostExtreme(a.Reals(), places, largest) }
		if a.Kind() == array.Int {
			best = func(places []int64) int64 { return mostExtreme(a.Ints(), places, largest) }
		}
		flat, d := grouped(&call, counted, 1, best)
		if d != nil {
			return nil, d
		}
		return c.positionsOf(a, flat, axes)
	}
}

// orderedExactly is the argument with bool as int, refusing complex.
func (c *Call) orderedExactly() (*array.Array, *notation.Diagnostic) {
	if d := c.atMost(c.Args[0], array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	return Widen(c.Meter, c.Args[0], array.Int)
}

// placesOf is an array of the same shape that holds each element's row-major place.
func placesOf(a *array.Array) *array.Array {
	places := make([]int64, a.Size())
	for i := range places {
		places[i] = int64(i)
	}
	return array.FromInts(places, a.Shape()...).WithLabels(a.Labels())
}

// mostExtreme is the first place at which none beats the cell; NaN beats any number, and
// none itself.
func mostExtreme[T int64 | float64](cells []T, places []int64, largest bool) int64 {
	best := places[0]
	for _, at := range places[1:] {
		x, y := cells[at], cells[best]
		if y == y && (x != x || largest && x > y || !largest && x < y) {
			best = at
		}
	}
	return best
}

// positionsOf turns row-major places into positions along the axis, or into one
// position of all axes.
func (c *Call) positionsOf(a, flat *array.Array, axes []int) (*array.Array, *notation.Diagnostic) {
	inner := make([]int, a.Rank())
	step := 1
	for i := a.Rank() - 1; i >= 0; i-- {
		inner[i] = step
		step *= a.Len(i)
	}
	if len(axes) == 1 {
		axis := axes[0]
		return array.Map1(flat, array.EachCell(func(at int64) int64 { return int64(int(at)/inner[axis]%a.Len(axis) + c.Counting) })), nil
	}
	out := make([]int64, a.Rank())
	for i := range out {
		out[i] = int64(int(flat.IntAt(0))/inner[i]%a.Len(i) + c.Counting)
	}
	return array.FromInts(out, len(out)), nil
}

func countsBetween(c *Call) (*array.Array, *notation.Diagnostic) {
	a, d := c.orderedReals()
	if d != nil {
		return nil, d
	}
	e, d := c.realsOfRank(c.Args[1], 1)
	if d != nil {
		return nil, d
	}
	edges := e.Reals()
	if len(edges) < 2 {
		return nil, fault(codes.RunValue, fmt.Sprintf("`counts_between` has %d edges", len(edges)), "a bin lies between two edges; give two or more")
	}
	for i := 1; i < len(edges); i++ {
		if !(edges[i] > edges[i-1]) {
			return nil, fault(codes.RunValue, fmt.Sprintf("the edges do not rise: %v follows %v", edges[i], edges[i-1]), "sort them with `sort`")
		}
	}
	if a.Size() > 0 {
		c.notePassedNaN(a, "which lies in no bin")
	}
	return several(c, a, 0, len(edges)-1, func(items []float64, counts []int64) {
		for _, v := range items {
			c.Meter.Worked(plain * bits.Len(uint(len(edges))))
			at, exact := slices.BinarySearch(edges, v)
			switch {
			case v != v || v < edges[0] || v > edges[len(edges)-1]:
			case exact && at == len(edges)-1:
				counts[at-1]++
			case exact:
				counts[at]++
			default:
				counts[at-1]++
			}
		}
	})
}

func positions(c *Call) (*array.Array, *notation.Diagnostic) {
	mask := c.Args[0]
	if mask.Kind() != array.Bool {
		return nil, fault(codes.RunKind, fmt.Sprintf("`positions` takes a mask, and got %s", Describe(mask)), "compare to make one: `positions(x > 0)`")
	}
	if mask.Rank() == 0 {
		return nil, c.wantRank(mask, 1)
	}
	rank := mask.Rank()
	hits := mask.CountTrue()
	if d := c.take(array.Int, []int{hits, rank}); d != nil {
		return nil, d
	}
	out := make([]int64, 0, hits*rank)
	for flat, f := range mask.Bools() {
		if !f {
			continue
		}
		from := len(out)
		for i := rank - 1; i >= 0; i-- {
			out = append(out, int64(flat%mask.Len(i)+c.Counting))
			flat /= mask.Len(i)
		}
		slices.Reverse(out[from:])
	}
	if rank == 1 {
		return array.FromInts(out, hits), nil
	}
	return array.FromInts(out, hits, rank), nil
}
