package functions

import (
	"fmt"
	"math"
	"math/cmplx"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

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
		return nil, fault(codes.RunOverflow, "the absolute value of -2^63 does not fit an int",
			"convert with `real(...)` first")
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
		return nil, fault(codes.RunKind, fmt.Sprintf("`pick` chooses by a mask, and its first argument is %s",
			Describe(mask)), "compare to make a mask: `pick(x > 0, a, b)`")
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
		if o.Array.Rank() != 0 || o.Array.Kind() == array.Complex || o.Array.Kind() == array.Bool ||
			!(o.Array.RealAt(0) >= 0) {
			return nil, fault(codes.RunKind, fmt.Sprintf("the option `%s` is %s; it takes one number, 0 or more", name,
				Describe(o.Array)), "write `near(a, b, "+name+": 1e-6)`")
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

func degrees(x float64) float64 { return x * (180 / math.Pi) }

func radians(x float64) float64 { return x * (math.Pi / 180) }

func finite(z complex128) bool { return !cmplx.IsNaN(z) && !cmplx.IsInf(z) }

// complexPart applies a function that gives a real of each complex number.
func complexPart(part func(complex128) float64) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) { return run1(c, c.Args[0], part) }
}

func realPart(z complex128) float64 { return real(z) }

func imaginaryPart(z complex128) float64 { return imag(z) }

func conjugate(c *Call) (*array.Array, *notation.Diagnostic) {
	if c.Args[0].Kind() != array.Complex {
		return c.Args[0], nil
	}
	return run1(c, c.Args[0], cmplx.Conj)
}

func clipped(c *Call) (*array.Array, *notation.Diagnostic) {
	for _, a := range c.Args {
		if d := c.atMost(a, array.Real, "complex numbers have no order; clip `abs(...)`"); d != nil {
			return nil, d
		}
	}
	below, d := Binary(c.Meter, ">", c.Args[1], c.Args[2])
	if d != nil {
		return nil, d
	}
	if below.CountTrue() > 0 {
		return nil, fault(codes.RunValue, "a low end is above its high end", "give the low end first", ShapeOf(c.Args[1]),
			ShapeOf(c.Args[2]))
	}
	shape, labels, d := Merge(c.Meter, "`clipped`", c.Args...)
	if d != nil {
		return nil, d
	}
	kind, wide, d := Unify(c.Meter, array.Int, c.Args...)
	if d != nil {
		return nil, d
	}
	if d := c.take(kind, shape); d != nil {
		return nil, d
	}
	if kind == array.Int {
		out := array.Map2(shape, wide[0], wide[1], array.EachPair(func(x, low int64) int64 { return max(x, low) }))
		return array.Map2(shape, out, wide[2], array.EachPair(func(x, high int64) int64 { return min(x, high) })).
			WithLabels(labels), nil
	}
	out := array.Map2(shape, wide[0], wide[1], array.EachPair(math.Max))
	return array.Map2(shape, out, wide[2], array.EachPair(math.Min)).WithLabels(labels), nil
}

// spacing is the distance to the next larger double.
func spacing(x float64) float64 {
	x = math.Abs(x)
	return math.Nextafter(x, math.Inf(1)) - x
}
