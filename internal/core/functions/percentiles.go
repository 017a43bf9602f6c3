package functions

import (
	"fmt"
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func median(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.atMost(a, array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
		return nil, d
	}
	a, d := Widen(c.Meter, a, array.Real)
	if d != nil {
		return nil, d
	}
	if d := c.scratchToOrder(a); d != nil {
		return nil, d
	}
	var sorted []float64
	out, d := grouped(c, a, 1, func(items []float64) float64 {
		sorted = append(sorted[:0], items...)
		sortReals(c.Meter, sorted)
		if sorted[0] != sorted[0] { // which comes first
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

// several reduces the call's axes to n values each, on a new first axis.
func several[T array.Cell](c *Call, a *array.Array, needs, n int, f func(items []float64, out []T)) (*array.Array,
	*notation.Diagnostic) {
	keep, d := c.truth("keep")
	if d != nil {
		return nil, d
	}
	// Every value is computed place by place, and then laid along the new axis.
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

// scratchToOrder asks for what sorting each group takes beside the argument.
func (c *Call) scratchToOrder(a *array.Array) *notation.Diagnostic {
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
		return nil, fault(codes.RunKind, fmt.Sprintf("the percentages of `percentile` are %s; they are one real, or reals "+
			"on one axis", Describe(p)), "write `percentile(x, 25)` or `percentile(x, [25, 75])`")
	}
	ps := p.Widen(array.Real).Reals()
	for _, v := range ps {
		if !(v >= 0 && v <= 100) {
			return nil, fault(codes.RunValue, fmt.Sprintf("%v percent is outside 0 to 100", v),
				"a share of 0.25 is 25 percent")
		}
	}
	if d := c.scratchToOrder(a); d != nil {
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
	if d := c.scratchToOrder(a); d != nil {
		return nil, d
	}
	out, d := several(c, a, 1, 5, quantiles(c.Meter, []float64{0, 25, 50, 75, 100}))
	return c.noticed(out, d, a)
}
