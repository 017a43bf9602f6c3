package functions

import (
	"fmt"
	"math"
	"slices"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// rising reads an argument of one axis whose values rise; strictly when asked.
func (c *Call) rising(a *array.Array, strictly bool) ([]float64, *notation.Diagnostic) {
	a, d := c.realsOfRank(a, 1)
	if d != nil {
		return nil, d
	}
	x := a.Reals()
	for i := range x {
		if x[i] != x[i] || (i > 0 && (x[i] < x[i-1] || (strictly && x[i] == x[i-1]))) {
			return nil, fault(codes.RunValue, fmt.Sprintf("`%s` takes rising values, and %v stands at position %d", c.Function.Name, x[i], i+c.Counting), "sort them with `sort`, and the values that go with them by `sort_order`")
		}
	}
	return x, nil
}

// oneLength refuses arrays of one axis whose lengths differ.
func (c *Call) oneLength(a, b *array.Array) *notation.Diagnostic {
	if a.Len(0) == b.Len(0) {
		return nil
	}
	return fault(codes.ShapeJoin, fmt.Sprintf("`%s` goes in step, and the lengths are %d and %d", c.Function.Name, a.Len(0), b.Len(0)), "give arrays of one length", ShapeOf(a), ShapeOf(b))
}

func interpolated(c *Call) (*array.Array, *notation.Diagnostic) {
	xs, d := c.rising(c.Args[1], true)
	if d != nil {
		return nil, d
	}
	y, d := c.realsOfRank(c.Args[2], 1)
	if d != nil {
		return nil, d
	}
	if d := c.oneLength(c.Args[1], y); d != nil {
		return nil, d
	}
	if d := c.atMost(c.Args[0], array.Real, "x is real"); d != nil {
		return nil, d
	}
	if len(xs) == 0 {
		return nil, fault(codes.RunEmpty, "`interpolated` has no points to go through", "give at least one point")
	}
	ys := y.Reals()
	out, d := run1(c, c.Args[0], func(x float64) float64 {
		i, exact := slices.BinarySearch(xs, x)
		switch {
		case exact:
			return ys[i]
		case x != x || i == 0 || i == len(xs):
			return math.NaN()
		}
		t := (x - xs[i-1]) / (xs[i] - xs[i-1])
		return ys[i-1] + t*(ys[i]-ys[i-1])
	})
	if d != nil {
		return nil, d
	}
	x, d := Widen(c.Meter, c.Args[0], array.Real)
	if d != nil {
		return nil, d
	}
	NoteNonFinite(c.Meter, "`interpolated`", "a place lies outside the points; `clipped` keeps it in", out, x)
	return out, nil
}

func fittedPolynomial(c *Call) (*array.Array, *notation.Diagnostic) {
	x, d := c.realsOfRank(c.Args[0], 1)
	if d != nil {
		return nil, d
	}
	y, d := c.realsOfRank(c.Args[1], 1)
	if d != nil {
		return nil, d
	}
	if d := c.oneLength(x, y); d != nil {
		return nil, d
	}
	degree, d := c.times(c.Args[2], "the degree")
	if d != nil {
		return nil, d
	}
	n := x.Len(0)
	if degree >= n || degree > 100 {
		return nil, fault(codes.RunValue, fmt.Sprintf("a polynomial of degree %d is not fixed by %d points", degree, n), "give more points than the degree, or a lower degree (100 at most)")
	}
	if !array.Finite(x.Reals()) || !array.Finite(y.Reals()) {
		return nil, fault(codes.RunValue, "`fitted_polynomial` takes finite points", "leave missing values out first")
	}
	if d := c.take(array.Real, []int{n, 3 * (degree + 1)}); d != nil {
		return nil, d
	}
	// Points are scaled into [-1, 1], where powers stay apart.
	scale := 0.0
	for _, v := range x.Reals() {
		scale = math.Max(scale, math.Abs(v))
	}
	if scale == 0 {
		scale = 1
	}
	powers := make([]float64, n*(degree+1))
	for i, v := range x.Reals() {
		p := 1.0
		for k := range degree + 1 {
			powers[i*(degree+1)+k] = p
			p *= v / scale
		}
	}
	out, ok := algebra.LeastSquares(c.Meter, powers, y.Reals(), n, degree+1)
	if !ok {
		return nil, fault(codes.RunSingular, "the points do not fix the polynomial: too many share one x", "give points at more places, or a lower degree")
	}
	for k := range out {
		out[k] /= math.Pow(scale, float64(k))
	}
	return array.FromReals(out, degree+1), nil
}

func polynomial(c *Call) (*array.Array, *notation.Diagnostic) {
	coefficients, x := c.Args[0], c.Args[1]
	if d := c.wantRank(coefficients, 1); d != nil {
		return nil, d
	}
	kind := array.Wider(array.Int, array.Wider(coefficients.Kind(), x.Kind()))
	if d := c.take(kind, x.Shape()); d != nil {
		return nil, d
	}
	out := array.New(kind, nil).Stretch(x.Shape()).Copy().WithLabels(x.Labels())
	for k := coefficients.Len(0) - 1; k >= 0; k-- {
		term := coefficients.Element(k)
		if k < coefficients.Len(0)-1 {
			product, d := Binary(c.Meter, "*", out, x)
			if d != nil {
				return nil, d
			}
			out = product
		}
		sum, d := Binary(c.Meter, "+", out, term)
		if d != nil {
			return nil, d
		}
		out = sum
	}
	return out, nil
}

func trapezoid(c *Call) (*array.Array, *notation.Diagnostic) {
	y, d := c.realsOfRank(c.Args[0], 1)
	if d != nil {
		return nil, d
	}
	x, d := c.realsOfRank(c.Args[1], 1)
	if d != nil {
		return nil, d
	}
	if d := c.oneLength(y, x); d != nil {
		return nil, d
	}
	ys, xs := y.Reals(), x.Reals()
	parts := make([]float64, max(len(xs)-1, 0))
	c.Meter.Worked(plain * len(xs))
	for i := range parts {
		parts[i] = (xs[i+1] - xs[i]) * ((ys[i] + ys[i+1]) / 2)
	}
	out := array.Scalar(array.PairwiseSum(parts))
	c.noteMade(out, y, x)
	return out, nil
}

func gradient(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	spacing, d := c.realOption("spacing", 1)
	if d != nil {
		return nil, d
	}
	if !(spacing > 0) {
		return nil, fault(codes.RunValue, fmt.Sprintf("the spacing is %v", spacing), "give a number above 0")
	}
	if d := c.atMost(c.Args[0], array.Real, "take the parts apart with `real_part` and `imaginary_part`"); d != nil {
		return nil, d
	}
	a, d := Widen(c.Meter, c.Args[0], array.Real)
	if d != nil {
		return nil, d
	}
	n := a.Len(axis)
	if n < 2 {
		return nil, fault(codes.RunEmpty, fmt.Sprintf("a slope needs two places, and axis %s has %d", AxisWord(a, axis, c.Counting), n), "give a longer axis", ShapeOf(a))
	}
	if d := c.take(array.Real, a.Shape()); d != nil {
		return nil, d
	}
	out := array.Along(a, axis, n, func(out, y []float64) {
		out[0], out[n-1] = (y[1]-y[0])/spacing, (y[n-1]-y[n-2])/spacing
		for i := 1; i < n-1; i++ {
			out[i] = (y[i+1] - y[i-1]) / (2 * spacing)
		}
	})
	c.noteMade(out, a)
	return out, nil
}

func convolved(c *Call) (*array.Array, *notation.Diagnostic) {
	for _, a := range c.Args {
		if d := c.wantRank(a, 1); d != nil {
			return nil, d
		}
	}
	kind, wide, d := Unify(c.Meter, array.Int, c.Args...)
	if d != nil {
		return nil, d
	}
	n, m := wide[0].Len(0), wide[1].Len(0)
	if n == 0 || m == 0 {
		return nil, fault(codes.RunEmpty, "`convolved` of nothing has no value", "give arrays with elements", ShapeOf(c.Args[0]), ShapeOf(c.Args[1]))
	}
	// The work is the product of the lengths, so that is what is asked for.
	if d := c.Meter.Take(array.Bool, n*m); d != nil {
		return nil, d
	}
	switch kind {
	case array.Int:
		out := make([]int64, n+m-1)
		a, b := wide[0].Ints(), wide[1].Ints()
		for k := range out {
			var terms []int64
			for i := max(0, k-m+1); i <= min(k, n-1); i++ {
				p, ok := MultiplyInts(a[i], b[k-i])
				if !ok {
					return nil, c.overflow()
				}
				terms = append(terms, p)
			}
			s, ok := SumInts(terms)
			if !ok {
				return nil, c.overflow()
			}
			out[k] = s
		}
		return array.FromInts(out, len(out)), nil
	case array.Real:
		out := convolve(wide[0].Reals(), wide[1].Reals())
		c.noteMade(out, wide...)
		return out, nil
	}
	out := convolve(wide[0].Complexes(), wide[1].Complexes())
	c.noteMade(out, wide...)
	return out, nil
}

func convolve[T float64 | complex128](a, b []T) *array.Array {
	out := make([]T, len(a)+len(b)-1)
	for i, x := range a {
		for j, y := range b {
			out[i+j] += T(x * y)
		}
	}
	switch o := any(out).(type) {
	case []float64:
		return array.FromReals(o, len(o))
	default:
		return array.FromComplexes(o.([]complex128), len(out))
	}
}

func insertionPlace(c *Call) (*array.Array, *notation.Diagnostic) {
	values, d := c.rising(c.Args[0], false)
	if d != nil {
		return nil, d
	}
	if d := c.atMost(c.Args[1], array.Real, "complex numbers have no order"); d != nil {
		return nil, d
	}
	return run1(c, c.Args[1], func(x float64) int64 {
		if x != x {
			return int64(len(values) + c.Counting)
		}
		at, _ := slices.BinarySearch(values, x)
		return int64(at + c.Counting)
	})
}
