package functions

import (
	"math"
	"math/bits"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

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
			return nil, fault(codes.RunOverflow, "the sum does not fit an int, whose range is from -2^63 to 2^63 - 1",
				"sum reals: `sum(real(x))`")
		}
		return out, d
	case array.Real:
		out, d := c.sumReals(a, 0)
		return c.noticed(out, d, a)
	}
	out, d := grouped(c, a, 0, sumComplexes)
	return c.noticed(out, d, a)
}

// sumReals sums, along memory where the reduced axes are rows of tables.
func (c *Call) sumReals(a *array.Array, needs int) (*array.Array, *notation.Diagnostic) {
	return c.tables(a, needs, array.PairwiseSum, array.SumOver)
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
	if c.has("weights") {
		return weightedMean(c, a, c.Options["weights"].Array)
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
	_, rows, columns, along := array.RowsAndColumns(a, c.overAxes())
	if !along || columns == 1 || rows == 0 || c.has("only") {
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
		return nil, fault(codes.RunKind, "`mean` with weights takes reals",
			"average `real_part(...)` and `imaginary_part(...)` separately")
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
			fail = fault(codes.RunDivide, "the weights add up to 0", "weights need a sum other than 0")
		}
		return array.PairwiseSum(products) / total
	})
	if d == nil {
		d = fail
	}
	return c.noticed(out, d, a)
}

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
			p := int64(1)
			for _, v := range items {
				q, ok := MultiplyInts(p, v)
				if !ok {
					overflow = true
					return 0
				}
				p = q
			}
			return p
		})
		if d == nil && overflow {
			return nil, fault(codes.RunOverflow, "the product does not fit an int, whose range is from -2^63 to 2^63 - 1",
				"multiply reals: `product(real(x))`")
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
