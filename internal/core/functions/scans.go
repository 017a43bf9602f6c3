package functions

import (
	"fmt"
	"math"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// fold sets each element to what f makes of the one before and the item there.
func fold[T any](out, items []T, f func(a, b T) T) {
	for i, v := range items {
		if i == 0 {
			out[0] = v
			continue
		}
		out[i] = f(out[i-1], v)
	}
}

// runningReals adds with a correction for what each addition lost.
func runningReals(out, items []float64) {
	sum, lost := 0.0, 0.0
	for i, v := range items {
		t := sum + v
		if !math.IsInf(t, 0) {
			if math.Abs(sum) >= math.Abs(v) {
				lost += (sum - t) + v
			} else {
				lost += (v - t) + sum
			}
		}
		sum = t
		out[i] = sum + lost
	}
}

func runningComplexes(out, items []complex128) {
	re, im := make([]float64, len(items)), make([]float64, len(items))
	for i, v := range items {
		re[i], im[i] = real(v), imag(v)
	}
	runningReals(re, re)
	runningReals(im, im)
	for i := range out {
		out[i] = complex(re[i], im[i])
	}
}

// running works through ints exactly and through reals and complex numbers.
func running(ints func(a, b int64) (int64, bool), reals func(out, items []float64), complexes func(out,
	items []complex128)) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		axis, d := c.alongAxis()
		if d != nil {
			return nil, d
		}
		a, d := Widen(c.Meter, c.Args[0], array.Int)
		if d != nil {
			return nil, d
		}
		if d := c.take(a.Kind(), a.Shape()); d != nil {
			return nil, d
		}
		n := a.Len(axis)
		var out *array.Array
		switch a.Kind() {
		case array.Int:
			overflow := false
			out = array.Along(a, axis, n, func(out, items []int64) {
				fold(out, items, func(a, b int64) int64 {
					v, ok := ints(a, b)
					overflow = overflow || !ok
					return v
				})
			})
			if overflow {
				return nil, fault(codes.RunOverflow, fmt.Sprintf("a value of `%s` does not fit an int", c.Function.Name),
					"convert with `real(...)` first")
			}
			return out, nil
		case array.Real:
			out = array.Along(a, axis, n, reals)
		default:
			out = array.Along(a, axis, n, complexes)
		}
		c.noteMade(out, a)
		return out, nil
	}
}

// noteMade leaves notices for NaN and infinities where the argument held none at all.
func (c *Call) noteMade(out *array.Array, args ...*array.Array) {
	for _, a := range args {
		if (a.Kind() == array.Real && !array.Finite(a.Reals())) || (a.Kind() == array.Complex &&
			!allFiniteComplex(a.Complexes())) {
			return
		}
	}
	NoteNonFinite(c.Meter, "`"+c.Function.Name+"`", "", out)
}

func runningExtreme(largest bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		axis, d := c.alongAxis()
		if d != nil {
			return nil, d
		}
		a := c.Args[0]
		if d := c.atMost(a, array.Real, "complex numbers have no order; take `abs(...)`"); d != nil {
			return nil, d
		}
		if d := c.take(a.Kind(), a.Shape()); d != nil {
			return nil, d
		}
		n := a.Len(axis)
		switch a.Kind() {
		case array.Bool:
			return array.Along(a, axis, n, func(out, items []bool) {
				fold(out, items, func(a, b bool) bool { return (largest && (a || b)) || (!largest && a && b) })
			}), nil
		case array.Int:
			return array.Along(a, axis, n, func(out, items []int64) {
				fold(out, items, func(a, b int64) int64 {
					if largest {
						return max(a, b)
					}
					return min(a, b)
				})
			}), nil
		}
		return array.Along(a, axis, n, func(out, items []float64) {
			fold(out, items, func(a, b float64) float64 {
				if largest {
					return math.Max(a, b)
				}
				return math.Min(a, b)
			})
		}), nil
	}
}

func runningRealProduct(out, items []float64) {
	fold(out, items, func(a, b float64) float64 { return a * b })
}

func runningComplexProduct(out, items []complex128) {
	fold(out, items, func(a, b complex128) complex128 { return a * b })
}
