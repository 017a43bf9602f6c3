package functions

import (
	"fmt"
	"math"

	"nimbusreach/internal/core/algebra"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

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
		return nil, fault(codes.RunValue, fmt.Sprintf("a polynomial of degree %d is not fixed by %d points", degree, n),
			"give more points than the degree, or a lower degree (100 at most)")
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
		return nil, fault(codes.RunSingular, "the points do not fix the polynomial: too many share one x",
			"give points at more places, or a lower degree")
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
		return nil, fault(codes.RunEmpty, "`convolved` of nothing has no value", "give arrays with elements",
			ShapeOf(c.Args[0]), ShapeOf(c.Args[1]))
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
