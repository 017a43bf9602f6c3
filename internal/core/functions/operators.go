package functions

import (
	"fmt"
	"math"
	"math/cmplx"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Binary applies a two-sided operator element by element; `dot` is the matrix
// product.
func Binary(m *Meter, op string, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	if out, d, ok := smallReals(m, op, a, b); ok {
		return out, d
	}
	switch op {
	case "and", "or", "xor":
		return logical(m, op, a, b)
	case "==", "!=", "<", "<=", ">", ">=":
		return compare(m, op, a, b)
	case "dot":
		return Dot(m, a, b)
	}
	what := "`" + op + "`"
	shape, labels, d := Merge(m, what, a, b)
	if d != nil {
		return nil, d
	}
	least := array.Int
	if op == "/" {
		least = array.Real
	}
	ka, kb := a, b
	kind, wide, d := Unify(m, least, a, b)
	if d != nil {
		return nil, d
	}
	a, b = wide[0], wide[1]
	if (op == "div" || op == "mod") && kind == array.Complex {
		return nil, fault(codes.RunKind, fmt.Sprintf("`%s` is not defined for complex numbers; the operands are %s and %s",
			op, Describe(ka), Describe(kb)), "take `real_part(...)` or `abs(...)` first, or divide with `/`")
	}
	if op == "^" && kind == array.Int && anyNegative(b) {
		kind = array.Real
		if a, d = Widen(m, a, kind); d != nil {
			return nil, d
		}
		if b, d = Widen(m, b, kind); d != nil {
			return nil, d
		}
	}
	if d := m.TakeShape(kind, shape); d != nil {
		return nil, d
	}
	var out *array.Array
	switch kind {
	case array.Int:
		if out, d = intArithmetic(m, op, shape, a, b); d != nil {
			return nil, d
		}
	case array.Real:
		out = array.Map2(shape, a, b, paced2(m, workOf(op), realKernels[op]))
	default:
		out = array.Map2(shape, a, b, paced2(m, 3*workOf(op), complexKernels[op]))
	}
	NoteNonFinite(m, what, nanHints[op], out, a, b)
	return out.SetLabels(labels), nil
}

var nanHints = map[string]string{
	"^": "a negative base with a fractional exponent has no real power: widen with `complex(...)`",
}

func anyNegative(a *array.Array) bool {
	for _, v := range a.Ints() {
		if v < 0 {
			return true
		}
	}
	return false
}

var realKernels = map[string]func(out, a, b []float64){
	"+":   func(out, a, b []float64) { array.Pairwise('+', out, a, b) },
	"-":   func(out, a, b []float64) { array.Pairwise('-', out, a, b) },
	"*":   func(out, a, b []float64) { array.Pairwise('*', out, a, b) },
	"/":   func(out, a, b []float64) { array.Pairwise('/', out, a, b) },
	"div": array.EachPair(floorDiv),
	"mod": array.EachPair(floorMod),
	"^":   array.EachPair(realPower),
}

var complexKernels = map[string]func(out, a, b []complex128){
	"+": array.EachPair(func(a, b complex128) complex128 { return a + b }),
	"-": array.EachPair(func(a, b complex128) complex128 { return a - b }),
	"*": array.EachPair(func(a, b complex128) complex128 { return a * b }),
	"/": array.EachPair(complexQuotient),
	"^": array.EachPair(complexPower),
}

// RealKernel is an arithmetic operator on blocks of reals; nil for operators that
// are not one pass of plain arithmetic.
func RealKernel(op string) func(out, a, b []float64) {
	switch op {
	case "+", "-", "*", "/":
		return realKernels[op]
	}
	return nil
}

// floorMod is the remainder with the divisor's sign, exact as math.Mod is; by
// zero it is NaN.
func floorMod(a, b float64) float64 {
	r := math.Mod(a, b)
	switch {
	case r == 0:
		return math.Copysign(0, b)
	case (r < 0) != (b < 0):
		return r + b
	}
	return r
}

// floorDiv is floor(a / b) for the exact quotient; by zero it is NaN.
func floorDiv(a, b float64) float64 {
	if b == 0 {
		return math.NaN()
	}
	q := a / b
	if math.IsInf(b, 0) || math.IsInf(q, 0) || math.IsNaN(q) {
		return math.Floor(q)
	}
	// The rounded quotient can sit on a whole number that the exact one misses.
	f := math.Round((a - floorMod(a, b)) / b)
	if f == 0 {
		return math.Copysign(0, q)
	}
	return f
}

func realPower(x, y float64) float64 {
	if y == 2 {
		return x * x
	}
	return math.Pow(x, y)
}

// complexQuotient divides by a real without mixing its parts, so that exact
// quotients stay exact.
func complexQuotient(a, b complex128) complex128 {
	if imag(b) == 0 && real(b) != 0 {
		return complex(real(a)/real(b), imag(a)/real(b))
	}
	return a / b
}

// complexPower multiplies for whole exponents, which keeps them exact where
// doubles allow; others go through the principal logarithm.
func complexPower(x, y complex128) complex128 {
	n := real(y)
	if imag(y) != 0 || n != math.Trunc(n) || math.Abs(n) > 1024 {
		return cmplx.Pow(x, y)
	}
	p, base := complex(1, 0), x
	for k := uint(math.Abs(n)); k > 0; k >>= 1 {
		if k&1 == 1 {
			p *= base
		}
		base *= base
	}
	if n < 0 {
		return 1 / p
	}
	return p
}

func logical(m *Meter, op string, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	kernel := joining[op]
	if a.Rank() == 0 && b.Rank() == 0 && a.Kind() == array.Bool && b.Kind() == array.Bool {
		return array.Scalar(kernel(a.BoolAt(0), b.BoolAt(0))), m.Take(array.Bool, 1)
	}
	for _, x := range []*array.Array{a, b} {
		if x.Kind() != array.Bool && !(x.Kind() == array.Real && x.Size() == 0) {
			return nil, notBool(op, x)
		}
	}
	shape, labels, d := Merge(m, "`"+op+"`", a, b)
	if d != nil {
		return nil, d
	}
	if d := m.TakeShape(array.Bool, shape); d != nil {
		return nil, d
	}
	if n, _ := array.Size(shape); n == 0 {
		return array.New(array.Bool, shape).WithLabels(labels), nil
	}
	return array.Map2(shape, a, b, array.EachPair(kernel)).WithLabels(labels), nil
}

// joining are the operators on truth values.
var joining = map[string]func(a, b bool) bool{
	"and": func(a, b bool) bool { return a && b },
	"or":  func(a, b bool) bool { return a || b },
	"xor": func(a, b bool) bool { return a != b },
}

func notBool(op string, x Form) *notation.Diagnostic {
	hint := fmt.Sprintf("compare first, as in `x > 0 %s y > 0`; non-zero is written `x != 0`", op)
	if op == "not" {
		hint = "compare first, as in `not (x > 0)`; zero is written `x == 0`"
	}
	return fault(codes.TextHabit, fmt.Sprintf("`%s` joins truth values, and got %s", op, Describe(x)), hint)
}

// Not turns every truth value round.
func Not(m *Meter, a *array.Array) (*array.Array, *notation.Diagnostic) {
	if a.Kind() != array.Bool {
		return nil, notBool("not", a)
	}
	if d := m.TakeShape(array.Bool, a.Shape()); d != nil {
		return nil, d
	}
	return array.Map1(a, array.EachCell(func(v bool) bool { return !v })), nil
}

// Negate changes every sign; bool counts as int.
func Negate(m *Meter, a *array.Array) (*array.Array, *notation.Diagnostic) {
	kind := array.Wider(array.Int, a.Kind())
	if d := m.TakeShape(kind, a.Shape()); d != nil {
		return nil, d
	}
	a = a.Widen(kind)
	switch kind {
	case array.Int:
		for _, v := range a.Ints() {
			if v == math.MinInt64 {
				return nil, fault(codes.RunOverflow, "the negative of -2^63 does not fit an int", "convert with `real(...)` first")
			}
		}
		return array.Map1(a, array.EachCell(func(v int64) int64 { return -v })), nil
	case array.Real:
		return array.Map1(a, func(out, a []float64) {
			for i, v := range a {
				out[i] = -v
			}
		}), nil
	}
	return array.Map1(a, array.EachCell(func(v complex128) complex128 { return -v })), nil
}

// Positive is the sign that changes nothing but turns bool to int.
func Positive(m *Meter, a *array.Array) (*array.Array, *notation.Diagnostic) {
	return Widen(m, a, array.Int)
}
