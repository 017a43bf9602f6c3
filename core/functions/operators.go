package functions

import (
	"fmt"
	"math"
	"math/big"
	"math/bits"
	"math/cmplx"

	"nimbusreach/core/array"
	"nimbusreach/core/notation"
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
		return nil, fault("run.kind", fmt.Sprintf("`%s` is not defined for complex numbers; the operands are %s and %s", op, Describe(ka), Describe(kb)), "take `real_part(...)` or `abs(...)` first, or divide with `/`")
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
		if out, d = intArithmetic(op, shape, a, b); d != nil {
			return nil, d
		}
	case array.Real:
		out = array.Map2(shape, a, b, realKernels[op])
	default:
		out = array.Map2(shape, a, b, complexKernels[op])
	}
	NoteNonFinite(m, what, nanHints[op], out, a, b)
	return out.SetLabels(labels), nil
}

// smallReals works small arithmetic on reals out; ok is false where it takes more.
func smallReals(m *Meter, op string, a, b *array.Array) (out *array.Array, d *notation.Diagnostic, ok bool) {
	if !isPlain(op) {
		return nil, nil, false
	}
	n := max(a.Size(), b.Size())
	if n > mostPlain {
		return nil, nil, false
	}
	out, finite, ok := array.Arithmetic(&m.Room, op[0], a, b)
	if !ok {
		return nil, nil, false
	}
	if d := m.Take(array.Real, n); d != nil {
		return nil, d, true
	}
	if !finite {
		NoteNonFinite(m, "`"+op+"`", "", out, a, b)
	}
	return out, nil, true
}

// SmallRealsWith works small arithmetic of reals with a number out, which stands on
// the left when first; ok is false where it takes more.
func SmallRealsWith(m *Meter, op string, a *array.Array, v float64, first bool) (out *array.Array, d *notation.Diagnostic, ok bool) {
	if !isPlain(op) || a.Size() > mostPlain {
		return nil, nil, false
	}
	out, finite, ok := array.ArithmeticWith(&m.Room, op[0], a, v, first)
	if !ok {
		return nil, nil, false
	}
	if d := m.Take(array.Real, out.Size()); d != nil {
		return nil, d, true
	}
	if !finite {
		number := array.Scalar(v)
		if first {
			NoteNonFinite(m, "`"+op+"`", "", out, number, a)
		} else {
			NoteNonFinite(m, "`"+op+"`", "", out, a, number)
		}
	}
	return out, nil, true
}

// isPlain reports whether an operator is plain arithmetic.
func isPlain(op string) bool {
	return len(op) == 1 && (op[0] == '+' || op[0] == '-' || op[0] == '*' || op[0] == '/')
}

// mostPlain is how many elements are worked out before the meter is asked for them.
const mostPlain = 1 << 12

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
	"+": func(out, a, b []float64) {
		a, b = a[:len(out)], b[:len(out)]
		for i := range out {
			out[i] = a[i] + b[i]
		}
	},
	"-": func(out, a, b []float64) {
		a, b = a[:len(out)], b[:len(out)]
		for i := range out {
			out[i] = a[i] - b[i]
		}
	},
	"*": func(out, a, b []float64) {
		a, b = a[:len(out)], b[:len(out)]
		for i := range out {
			out[i] = a[i] * b[i]
		}
	},
	"/": func(out, a, b []float64) {
		a, b = a[:len(out)], b[:len(out)]
		for i := range out {
			out[i] = a[i] / b[i]
		}
	},
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

// intArithmetic works exactly or says that the result does not fit.
func intArithmetic(op string, shape []int, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	var bad *notation.Diagnostic
	apply := intOps[op]
	out := array.Map2(shape, a, b, func(out, a, b []int64) {
		for i := range out {
			v, ok := apply(a[i], b[i])
			if !ok && bad == nil {
				bad = intFault(op, a[i], b[i])
			}
			out[i] = v
		}
	})
	return out, bad
}

func intFault(op string, a, b int64) *notation.Diagnostic {
	if (op == "div" || op == "mod") && b == 0 {
		return fault("run.divide", fmt.Sprintf("`%d %s 0` has no int value", a, op), "keep zeros out of the divisor, with `pick(b == 0, 1, b)` say, or divide reals with `/`")
	}
	return fault("run.overflow", fmt.Sprintf("`%d %s %d` does not fit an int, which goes from -2^63 to 2^63 - 1", a, op, b), "convert one side with `real(...)` first")
}

var intOps = map[string]func(a, b int64) (int64, bool){
	"+":   AddInts,
	"-":   subtractInts,
	"*":   MultiplyInts,
	"^":   powerInts,
	"div": divideInts,
	"mod": moduloInts,
}

// AddInts adds, and reports whether the sum fits.
func AddInts(a, b int64) (int64, bool) {
	s := a + b
	return s, (a^s)&(b^s) >= 0
}

func subtractInts(a, b int64) (int64, bool) {
	s := a - b
	return s, (a^b)&(a^s) >= 0
}

// MultiplyInts multiplies, and reports whether the product fits.
func MultiplyInts(a, b int64) (int64, bool) {
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	// The high word of the signed product.
	h := int64(hi) - (a>>63)&b - (b>>63)&a
	return int64(lo), h == int64(lo)>>63
}

func powerInts(a, n int64) (int64, bool) {
	switch {
	case a == 1 || n == 0:
		return 1, true
	case a == 0:
		return 0, true
	case a == -1:
		return 1 - 2*(n&1), true
	case n > 63:
		return 0, false
	}
	p, ok := int64(1), true
	for range n {
		if p, ok = MultiplyInts(p, a); !ok {
			return 0, false
		}
	}
	return p, true
}

func divideInts(a, b int64) (int64, bool) {
	if b == 0 || (a == math.MinInt64 && b == -1) {
		return 0, false
	}
	q := a / b
	if a%b != 0 && (a < 0) != (b < 0) {
		q--
	}
	return q, true
}

func moduloInts(a, b int64) (int64, bool) {
	switch b {
	case 0:
		return 0, false
	case -1:
		return 0, true
	}
	r := a % b
	if r != 0 && (r < 0) != (b < 0) {
		r += b
	}
	return r, true
}

func logical(m *Meter, op string, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
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
	var kernel func(a, b bool) bool
	switch op {
	case "and":
		kernel = func(a, b bool) bool { return a && b }
	case "or":
		kernel = func(a, b bool) bool { return a || b }
	default:
		kernel = func(a, b bool) bool { return a != b }
	}
	return array.Map2(shape, a, b, array.EachPair(kernel)).WithLabels(labels), nil
}

func notBool(op string, x Form) *notation.Diagnostic {
	hint := fmt.Sprintf("compare first, as in `x > 0 %s y > 0`; non-zero is written `x != 0`", op)
	if op == "not" {
		hint = "compare first, as in `not (x > 0)`; zero is written `x == 0`"
	}
	return fault("text.habit", fmt.Sprintf("`%s` joins truth values, and got %s", op, Describe(x)), hint)
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
				return nil, fault("run.overflow", "the negative of -2^63 does not fit an int", "convert with `real(...)` first")
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

func compare(m *Meter, op string, a, b *array.Array) (*array.Array, *notation.Diagnostic) {
	kind := array.Wider(a.Kind(), b.Kind())
	if kind == array.Complex && op != "==" && op != "!=" {
		return nil, noOrder(op, a, b)
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
		out = compareExactly(op, shape, a, b)
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

func noOrder(op string, a, b Form) *notation.Diagnostic {
	return fault("run.kind", fmt.Sprintf("complex numbers have no order; `%s` got %s and %s", op, Describe(a), Describe(b)), "compare `abs(...)` or `real_part(...)`")
}

func compareKernel[T array.Cell](op string, shape []int, a, b *array.Array, table map[string]func(out []bool, a, b []T)) *array.Array {
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

// compareExactly compares ints beyond 2^53 with reals by their exact values.
func compareExactly(op string, shape []int, a, b *array.Array) *array.Array {
	sa, sb := a.Stretch(shape), b.Stretch(shape)
	n, _ := array.Size(shape)
	out := make([]bool, n)
	for i := range out {
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
