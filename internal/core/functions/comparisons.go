package functions

import (
	"fmt"
	"math/big"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func compare(m *Meter, op string, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	kind := array.Wider(a.Kind(), b.Kind())
	if kind == array.Complex && op != "==" && op != "!=" {
		return nil, noOrder(op, a, b)
	}
	if a.Rank() == 0 && b.Rank() == 0 && kind <= array.Real && a.Kind() == b.Kind() {
		return compareScalars(m, op, a, b)
	}
	shape, labels, d := Merge(m, "`"+op+"`", a, b)
	if d != nil {
		return nil, d
	}
	if d := m.TakeShape(array.Bool, shape); d != nil {
		return nil, d
	}
	var out *array.Array
	switch {
	case kind == array.Real && (a.Kind() == array.Int || b.Kind() == array.Int) && anyLarge(a, b):
		// A comparison can be exact where widening could not.
		out = compareExactly(m, op, shape, a, b)
	case kind == array.Bool:
		out = compareKernel(op, shape, a.Widen(array.Int), b.Widen(array.Int), compareInts)
	case kind == array.Int:
		out = compareKernel(op, shape, a.Widen(kind), b.Widen(kind), compareInts)
	case kind == array.Real:
		out = compareKernel(op, shape, a.Widen(kind), b.Widen(kind), compareReals)
	default:
		out = compareKernel(op, shape, a.Widen(kind), b.Widen(kind), compareComplexes)
	}
	return out.WithLabels(labels), nil
}

// compareScalars compares two scalars of one kind.
func compareScalars(m *Meter, op string, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	if d := m.Take(array.Bool, 1); d != nil {
		return nil, d
	}
	if a.Kind() == array.Real {
		return array.Scalar(holds(op, a.RealAt(0), b.RealAt(0))), nil
	}
	return array.Scalar(holds(op, a.IntAt(0), b.IntAt(0))), nil
}

func holds[T int64 | float64](op string, a, b T) bool {
	switch op {
	case "==":
		return a == b
	case "!=":
		return a != b
	case "<":
		return a < b
	case "<=":
		return a <= b
	case ">":
		return a > b
	}
	return a >= b
}

func noOrder(op string, a, b Form) *notation.Diagnostic {
	return fault(codes.RunKind, fmt.Sprintf("complex numbers have no order; `%s` got %s and %s", op, Describe(a),
		Describe(b)), "compare `abs(...)` or `real_part(...)`")
}

func compareKernel[T array.Cell](op string, shape []int, a, b *array.Array, table map[string]func(out []bool, a,
	b []T)) *array.Array {
	return array.Map2(shape, a, b, table[op])
}

var (
	compareInts  = ordered[int64]()
	compareReals = ordered[float64]()

	compareComplexes = map[string]func(out []bool, a, b []complex128){
		"==": array.EachPair(func(a, b complex128) bool { return a == b }),
		"!=": array.EachPair(func(a, b complex128) bool { return a != b }),
	}
)

func ordered[T int64 | float64]() map[string]func(out []bool, a, b []T) {
	return map[string]func(out []bool, a, b []T){
		"==": func(out []bool, a, b []T) {
			for i := range out {
				out[i] = a[i] == b[i]
			}
		},
		"!=": func(out []bool, a, b []T) {
			for i := range out {
				out[i] = a[i] != b[i]
			}
		},
		"<": func(out []bool, a, b []T) {
			for i := range out {
				out[i] = a[i] < b[i]
			}
		},
		"<=": func(out []bool, a, b []T) {
			for i := range out {
				out[i] = a[i] <= b[i]
			}
		},
		">": func(out []bool, a, b []T) {
			for i := range out {
				out[i] = a[i] > b[i]
			}
		},
		">=": func(out []bool, a, b []T) {
			for i := range out {
				out[i] = a[i] >= b[i]
			}
		},
	}
}

func anyLarge(arrays ...*array.Array) bool {
	for _, a := range arrays {
		if a.Kind() != array.Int {
			continue
		}
		for _, v := range a.Ints() {
			if v > 1<<53 || v < -(1<<53) {
				return true
			}
		}
	}
	return false
}

// exactWork is the work of comparing two exact numbers.
const exactWork = 400

// compareExactly compares ints beyond 2^53 with reals by their exact values.
func compareExactly(m *Meter, op string, shape []int, a, b *array.Array) *array.Array {
	sa, sb := a.Stretch(shape), b.Stretch(shape)
	n, _ := array.Size(shape)
	out := make([]bool, n)
	for i := range out {
		m.Worked(exactWork)
		x, okX := exactly(sa, i)
		y, okY := exactly(sb, i)
		if !okX || !okY {
			out[i] = op == "!="
			continue
		}
		c := x.Cmp(y)
		switch op {
		case "==":
			out[i] = c == 0
		case "!=":
			out[i] = c != 0
		case "<":
			out[i] = c < 0
		case "<=":
			out[i] = c <= 0
		case ">":
			out[i] = c > 0
		default:
			out[i] = c >= 0
		}
	}
	return array.FromBools(out, shape...)
}

// exactly reads an element as an exact number; NaN is none.
func exactly(a *array.Array, i int) (*big.Float, bool) {
	if a.Kind() != array.Real {
		return new(big.Float).SetInt64(a.IntAt(i)), true
	}
	v := a.RealAt(i)
	if v != v {
		return nil, false
	}
	return new(big.Float).SetFloat64(v), true
}
