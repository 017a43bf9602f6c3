package functions

import (
	"fmt"
	"math"
	"math/cmplx"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

const (
	sameShape      = "the argument's shape and labels"
	broadcastShape = "the shape the arguments broadcast to"
)

func init() {
	for _, f := range []struct {
		name, doc, example string
		real               func(float64) float64
		complex            func(complex128) complex128
		relatives          []string
	}{
		{"sqrt", "The square root of each element. A negative real gives NaN with a notice.", "sqrt([1, 4, 9])", math.Sqrt, cmplx.Sqrt, []string{"cbrt", "hypot"}},
		{"cbrt", "The cube root of each real element, negative for a negative one.", "cbrt([8, -27])", math.Cbrt, nil, []string{"sqrt"}},
		{"exp", "e to the power of each element.", "exp([0, 1])", math.Exp, cmplx.Exp, []string{"expm1", "log"}},
		{"expm1", "exp(x) - 1, accurate where x is near 0.", "expm1(1e-10)", math.Expm1, nil, []string{"exp", "log1p"}},
		{"log1p", "log(1 + x), accurate where x is near 0. A real x under -1 gives NaN with a notice.", "log1p(1e-10)", math.Log1p, complexLog1p, []string{"log", "expm1"}},
		{"log2", "The logarithm to base 2, exact for powers of two. Of a negative real NaN with a notice.", "log2([1, 8])", log2, func(z complex128) complex128 { return cmplx.Log(z) / math.Ln2 }, []string{"log", "log10"}},
		{"log10", "The logarithm to base 10. Of a negative real NaN with a notice.", "log10([1, 1000])", log10, cmplx.Log10, []string{"log", "log2"}},
		{"sin", "The sine of an angle in radians.", "sin([0, pi / 2])", math.Sin, cmplx.Sin, []string{"cos", "asin", "radians"}},
		{"cos", "The cosine of an angle in radians.", "cos([0, pi])", math.Cos, cmplx.Cos, []string{"sin", "acos", "radians"}},
		{"tan", "The tangent of an angle in radians.", "tan(pi / 4)", tangent, cmplx.Tan, []string{"atan", "radians"}},
		{"asin", "The angle in radians, from -pi/2 to pi/2, whose sine is x. Outside [-1, 1] NaN with a notice.", "asin([0, 1])", arcSine, cmplx.Asin, []string{"sin", "acos"}},
		{"acos", "The angle in radians, from 0 to pi, whose cosine is x. Outside [-1, 1] NaN with a notice.", "acos([0, 1])", arcCosine, cmplx.Acos, []string{"cos", "asin"}},
		{"atan", "The angle in radians, from -pi/2 to pi/2, whose tangent is x.", "atan([0, 1])", math.Atan, cmplx.Atan, []string{"atan2", "tan"}},
		{"sinh", "The hyperbolic sine.", "sinh([0, 1])", hyperbolicSine, cmplx.Sinh, []string{"cosh", "asinh"}},
		{"cosh", "The hyperbolic cosine.", "cosh([0, 1])", math.Cosh, cmplx.Cosh, []string{"sinh", "acosh"}},
		{"tanh", "The hyperbolic tangent.", "tanh([0, 1])", math.Tanh, cmplx.Tanh, []string{"atanh"}},
		{"asinh", "The number whose hyperbolic sine is x.", "asinh([0, 1])", math.Asinh, cmplx.Asinh, []string{"sinh"}},
		{"acosh", "The number, 0 or more, whose hyperbolic cosine is x. Under 1 NaN with a notice.", "acosh([1, 2])", math.Acosh, cmplx.Acosh, []string{"cosh"}},
		{"atanh", "The number whose hyperbolic tangent is x. At -1 and 1 infinite, outside NaN, each with a notice.", "atanh([0, 0.5])", math.Atanh, cmplx.Atanh, []string{"tanh"}},
		{"degrees", "Radians turned to degrees.", "degrees(pi)", func(x float64) float64 { return x * (180 / math.Pi) }, nil, []string{"radians"}},
		{"radians", "Degrees turned to radians.", "radians(180)", func(x float64) float64 { return x * (math.Pi / 180) }, nil, []string{"degrees"}},
		{"erf", "The error function, 2/sqrt(pi) times the integral of exp(-t^2) from 0 to x (DLMF 7.2.1).", "erf([0, 1])", math.Erf, nil, []string{"erfc"}},
		{"erfc", "1 - erf(x), accurate where erf(x) is near 1 (DLMF 7.2.2).", "erfc([0, 3])", math.Erfc, nil, []string{"erf"}},
	} {
		register(&Function{Name: f.name, Topic: Elementwise, Signature: f.name + "(x)", Doc: f.doc, Shape: sameShape, Example: f.example,
			Relatives: f.relatives, Min: 1, Max: 1, Run: eachReal(f.real, f.complex)})
	}
	register(
		&Function{Name: "log", Topic: Elementwise, Signature: "log(x, base: e)", Doc: "The natural logarithm, or with `base` the logarithm to that base. log(0) is -inf with a notice; of a negative real NaN with a notice.",
			Shape: sameShape, Example: "log([1, e])", Relatives: []string{"log2", "log10", "log1p", "exp"}, Min: 1, Max: 1, Options: []Option{{Name: "base"}}, Run: logarithm},
		&Function{Name: "abs", Topic: Elementwise, Signature: "abs(x)", Doc: "The absolute value; of a complex number its modulus, a real. Keeps int; abs(-2^63) is run.overflow.",
			Shape: sameShape, Example: "abs([-2, 3])", Relatives: []string{"sign", "angle"}, Min: 1, Max: 1, Run: absolute},
		&Function{Name: "sign", Topic: Elementwise, Signature: "sign(x)", Doc: "-1, 0 or 1 with the sign of each element, in the element's kind; of NaN NaN.",
			Shape: sameShape, Example: "sign([-2, 0, 3])", Relatives: []string{"abs"}, Min: 1, Max: 1, Run: signum},
		&Function{Name: "round", Topic: Elementwise, Signature: "round(x, digits: 0)", Doc: "The nearest whole number, halves away from zero. Keeps int, gives real from real. `digits` keeps decimals; a negative one rounds to tens, hundreds.",
			Shape: sameShape, Example: "round([0.5, 1.4, -2.5])", Relatives: []string{"floor", "ceil", "truncated"}, Min: 1, Max: 1, Options: []Option{{Name: "digits"}}, Run: rounded},
		&Function{Name: "floor", Topic: Elementwise, Signature: "floor(x)", Doc: "The greatest whole number not above each element. Keeps int, gives real from real.",
			Shape: sameShape, Example: "floor([1.7, -1.2])", Relatives: []string{"ceil", "round", "truncated"}, Min: 1, Max: 1, Run: wholeNumber(math.Floor)},
		&Function{Name: "ceil", Topic: Elementwise, Signature: "ceil(x)", Doc: "The least whole number not below each element. Keeps int, gives real from real.",
			Shape: sameShape, Example: "ceil([1.2, -1.7])", Relatives: []string{"floor", "round", "truncated"}, Min: 1, Max: 1, Run: wholeNumber(math.Ceil)},
		&Function{Name: "truncated", Topic: Elementwise, Signature: "truncated(x)", Doc: "Each element without its decimals, towards zero. Keeps int, gives real from real.",
			Shape: sameShape, Example: "truncated([1.7, -1.7])", Relatives: []string{"floor", "ceil", "round"}, Min: 1, Max: 1, Run: wholeNumber(math.Trunc)},
		&Function{Name: "atan2", Topic: Elementwise, Signature: "atan2(y, x)", Doc: "The angle in radians, in (-pi, pi], of the point (x, y).",
			Shape: broadcastShape, Example: "atan2(1, -1)", Relatives: []string{"atan", "angle"}, Min: 2, Max: 2, Run: pairReal(math.Atan2)},
		&Function{Name: "hypot", Topic: Elementwise, Signature: "hypot(x, y)", Doc: "sqrt(x^2 + y^2) without overflow on the way.",
			Shape: broadcastShape, Example: "hypot(3, 4)", Relatives: []string{"norm", "abs"}, Min: 2, Max: 2, Run: pairReal(hypotenuse)},
		&Function{Name: "lesser", Topic: Elementwise, Signature: "lesser(a, b)", Doc: "The smaller of each pair, in the wider kind; NaN when one is.",
			Shape: broadcastShape, Example: "lesser([1, 5], 3)", Relatives: []string{"greater", "min", "clipped"}, Min: 2, Max: 2, Run: pairOrder(false)},
		&Function{Name: "greater", Topic: Elementwise, Signature: "greater(a, b)", Doc: "The larger of each pair, in the wider kind; NaN when one is.",
			Shape: broadcastShape, Example: "greater([1, 5], 3)", Relatives: []string{"lesser", "max", "clipped"}, Min: 2, Max: 2, Run: pairOrder(true)},
		&Function{Name: "pick", Topic: Elementwise, Signature: "pick(mask, a, b)", Doc: "Element by element a where the mask is true and b where it is false, in the wider kind.",
			Shape: broadcastShape, Example: "pick([true, false], 1, [5, 6])", Relatives: []string{"clipped"}, Min: 3, Max: 3, Run: pick},
		&Function{Name: "is_nan", Topic: Elementwise, Signature: "is_nan(x)", Doc: "True where the element is NaN.",
			Shape: sameShape, Example: "is_nan([1, nan])", Relatives: []string{"is_finite"}, Min: 1, Max: 1, Run: ask(cmplx.IsNaN)},
		&Function{Name: "is_finite", Topic: Elementwise, Signature: "is_finite(x)", Doc: "True where the element is neither NaN nor infinite.",
			Shape: sameShape, Example: "is_finite([1, inf])", Relatives: []string{"is_nan"}, Min: 1, Max: 1, Run: ask(func(z complex128) bool { return !cmplx.IsNaN(z) && !cmplx.IsInf(z) })},
		&Function{Name: "near", Topic: Elementwise, Signature: "near(a, b, relative: 1e-9, absolute: 1e-12)", Doc: "True where |a - b| <= absolute + relative * |b|, as answers are compared; when one of the two is written, the other is 0. Equal infinities are near; NaN is near nothing.",
			Shape: broadcastShape, Example: "near(0.1 + 0.2, 0.3)", Relatives: []string{"abs"}, Min: 2, Max: 2, Options: []Option{{Name: "relative"}, {Name: "absolute"}}, Run: near},
	)
}

// log2 takes the exponent off so that what is left lies around 1, where math.Log2 loses
// its digits to a difference.
func log2(x float64) float64 {
	if x <= 0 || math.IsInf(x, 0) || x != x {
		return math.Log2(x)
	}
	m, k := math.Frexp(x)
	if m < math.Sqrt2/2 {
		m, k = m*2, k-1
	}
	return float64(k) + float64(math.Log(m)*(1/math.Ln2))
}

// log10 is exact at powers of ten, which math.Log10 misses for some.
func log10(x float64) float64 {
	y := math.Log10(x)
	if n := math.Round(y); n != y && math.Abs(n) < 300 && math.Pow(10, n) == x {
		return n
	}
	return y
}

// run1 asks for a result of the argument's shape and applies a kernel to it.
func run1[A, O array.Cell](c *Call, a *array.Array, kernel func(A) O) (*array.Array, *notation.Diagnostic) {
	a, d := Widen(c.Meter, a, array.KindOf[A]())
	if d != nil {
		return nil, d
	}
	if d := c.take(array.KindOf[O](), a.Shape()); d != nil {
		return nil, d
	}
	return array.Map1(a, paced1(c.Meter, c.Function.work(), array.EachCell(kernel))), nil
}

// eachReal applies a real function, or its complex version to complex data.
func eachReal(f func(float64) float64, z func(complex128) complex128) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a := c.Args[0]
		var out *array.Array
		var d *notation.Diagnostic
		hint := ""
		if a.Kind() == array.Complex {
			if z == nil {
				return nil, c.atMost(a, array.Real, "take `real_part(...)` or `abs(...)` first")
			}
			out, d = run1(c, a, z)
		} else {
			out, d = run1(c, a, f)
			if z != nil {
				hint = fmt.Sprintf("for a complex result widen first: `%s(complex(x))`", c.Function.Name)
			}
		}
		if d != nil {
			return nil, d
		}
		NoteNonFinite(c.Meter, "`"+c.Function.Name+"`", hint, out, a)
		return out, nil
	}
}

func logarithm(c *Call) (*array.Array, *notation.Diagnostic) {
	base, ok := c.Options["base"]
	if !ok {
		return eachReal(math.Log, cmplx.Log)(c)
	}
	b := base.Array
	if b.Rank() != 0 || b.Kind() == array.Complex || b.Kind() == array.Bool {
		return nil, fault(codes.RunKind, fmt.Sprintf("the option `base` is %s; it takes one real", Describe(b)), "write `log(x, base: 3)`")
	}
	v := b.RealAt(0)
	switch v {
	case 2:
		return eachReal(log2, func(z complex128) complex128 { return cmplx.Log(z) / math.Ln2 })(c)
	case 10:
		return eachReal(log10, cmplx.Log10)(c)
	}
	return eachReal(func(x float64) float64 { return math.Log(x) / math.Log(v) },
		func(z complex128) complex128 { return cmplx.Log(z) / complex(math.Log(v), 0) })(c)
}

func absolute(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	switch a.Kind() {
	case array.Real:
		return run1(c, a, math.Abs)
	case array.Complex:
		return run1(c, a, cmplx.Abs)
	}
	overflow := false
	out, d := run1(c, a, func(v int64) int64 {
		overflow = overflow || v == math.MinInt64
		if v < 0 {
			return -v
		}
		return v
	})
	if overflow {
		return nil, fault(codes.RunOverflow, "the absolute value of -2^63 does not fit an int", "convert with `real(...)` first")
	}
	return out, d
}

func signum(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.atMost(a, array.Real, "a complex number's direction is `z / abs(z)`"); d != nil {
		return nil, d
	}
	if a.Kind() == array.Real {
		return run1(c, a, func(v float64) float64 {
			switch {
			case v > 0:
				return 1
			case v < 0:
				return -1
			}
			return v
		})
	}
	return run1(c, a, func(v int64) int64 {
		switch {
		case v > 0:
			return 1
		case v < 0:
			return -1
		}
		return 0
	})
}

// pairReal applies a function of two reals that gives a real or a complex number.
func pairReal[O float64 | complex128](f func(a, b float64) O) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		for _, a := range c.Args {
			if d := c.atMost(a, array.Real, "take `real_part(...)` or `abs(...)` first"); d != nil {
				return nil, d
			}
		}
		shape, labels, wide, d := c.merged(array.Real, c.Args...)
		if d != nil {
			return nil, d
		}
		if d := c.take(array.KindOf[O](), shape); d != nil {
			return nil, d
		}
		out := array.Map2(shape, wide[0], wide[1], paced2(c.Meter, c.Function.work(), array.EachPair(f)))
		NoteNonFinite(c.Meter, "`"+c.Function.Name+"`", "", out, wide...)
		return out.WithLabels(labels), nil
	}
}

// merged broadcasts and widens arguments together.
func (c *Call) merged(least array.Kind, args ...*array.Array) ([]int, []string, []*array.Array, *notation.Diagnostic) {
	shape, labels, d := Merge(c.Meter, "`"+c.Function.Name+"`", args...)
	if d != nil {
		return nil, nil, nil, d
	}
	_, wide, d := Unify(c.Meter, least, args...)
	return shape, labels, wide, d
}

func pairOrder(larger bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		for _, a := range c.Args {
			if d := c.atMost(a, array.Real, "complex numbers have no order; compare `abs(...)`"); d != nil {
				return nil, d
			}
		}
		shape, labels, wide, d := c.merged(array.Bool, c.Args...)
		if d != nil {
			return nil, d
		}
		kind := wide[0].Kind()
		if d := c.take(kind, shape); d != nil {
			return nil, d
		}
		var out *array.Array
		switch kind {
		case array.Bool:
			out = array.Map2(shape, wide[0], wide[1], array.EachPair(func(a, b bool) bool {
				if larger {
					return a || b
				}
				return a && b
			}))
		case array.Int:
			out = array.Map2(shape, wide[0], wide[1], array.EachPair(func(a, b int64) int64 {
				if larger {
					return max(a, b)
				}
				return min(a, b)
			}))
		default:
			out = array.Map2(shape, wide[0], wide[1], array.EachPair(func(a, b float64) float64 {
				if larger {
					return math.Max(a, b)
				}
				return math.Min(a, b)
			}))
		}
		return out.WithLabels(labels), nil
	}
}

func pick(c *Call) (*array.Array, *notation.Diagnostic) {
	mask := c.Args[0]
	if mask.Kind() != array.Bool {
		return nil, fault(codes.RunKind, fmt.Sprintf("`pick` chooses by a mask, and its first argument is %s", Describe(mask)), "compare to make a mask: `pick(x > 0, a, b)`")
	}
	shape, labels, d := Merge(c.Meter, "`pick`", c.Args...)
	if d != nil {
		return nil, d
	}
	kind, wide, d := Unify(c.Meter, array.Bool, c.Args[1], c.Args[2])
	if d != nil {
		return nil, d
	}
	if d := c.take(kind, shape); d != nil {
		return nil, d
	}
	return array.Pick3(shape, mask, wide[0], wide[1]).WithLabels(labels), nil
}

// ask answers a question about each number.
func ask(is func(complex128) bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		a := c.Args[0]
		if a.Kind() == array.Complex {
			return run1(c, a, is)
		}
		return run1(c, a, func(v float64) bool { return is(complex(v, 0)) })
	}
}

func near(c *Call) (*array.Array, *notation.Diagnostic) {
	relative, absolute := 1e-9, 1e-12
	if len(c.Options) > 0 {
		relative, absolute = 0, 0
	}
	for name, at := range map[string]*float64{"relative": &relative, "absolute": &absolute} {
		o, ok := c.Options[name]
		if !ok {
			continue
		}
		if o.Array.Rank() != 0 || o.Array.Kind() == array.Complex || o.Array.Kind() == array.Bool || !(o.Array.RealAt(0) >= 0) {
			return nil, fault(codes.RunKind, fmt.Sprintf("the option `%s` is %s; it takes one number, 0 or more", name, Describe(o.Array)), "write `near(a, b, "+name+": 1e-6)`")
		}
		*at = o.Array.RealAt(0)
	}
	shape, labels, wide, d := c.merged(array.Complex, c.Args...)
	if d != nil {
		return nil, d
	}
	if d := c.take(array.Bool, shape); d != nil {
		return nil, d
	}
	return array.Map2(shape, wide[0], wide[1], array.EachPair(func(a, b complex128) bool {
		return a == b || (!cmplx.IsInf(b) && cmplx.Abs(a-b) <= absolute+relative*cmplx.Abs(b))
	})).WithLabels(labels), nil
}
