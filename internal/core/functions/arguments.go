package functions

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// wantRank refuses an array of another number of axes.
func (c *Call) wantRank(a Form, rank int) *notation.Diagnostic {
	switch {
	case a.Rank() == rank:
		return nil
	case a.Rank() < rank:
		return fault(codes.AxisMissing, fmt.Sprintf("`%s` takes an array of %s, and got %s", c.Function.Name, axesOf(rank),
			Describe(a)), "add an axis of length 1 with `new`: `x[all, new]`, `x[new, all]`", ShapeOf(a))
	}
	return fault(codes.SelectCount, fmt.Sprintf("`%s` takes an array of %s, and got %s", c.Function.Name, axesOf(rank),
		Describe(a)), "select one position of the axes too many, or flatten it", ShapeOf(a))
}

func axesOf(n int) string {
	if n == 1 {
		return "one axis"
	}
	return fmt.Sprintf("%d axes", n)
}

// wantSquare refuses anything but a square matrix.
func (c *Call) wantSquare(a *array.Array) *notation.Diagnostic {
	if a.Rank() == 2 && a.Len(0) == a.Len(1) {
		return nil
	}
	return c.squareFault(a)
}

func (c *Call) squareFault(a Form) *notation.Diagnostic {
	return fault(codes.ShapeSquare, fmt.Sprintf("`%s` takes a square matrix, and got %s", c.Function.Name, Describe(a)),
		"both axes need one length; for others there are `pseudo_inverse` and `least_squares`", ShapeOf(a))
}

// intOption reads an option that is one int.
func (c *Call) intOption(name string, or int) (int, *notation.Diagnostic) {
	o, ok := c.Options[name]
	if !ok {
		return or, nil
	}
	return c.integer(o.Array, "the option `"+name+"`")
}

// realOption reads an option that is one real.
func (c *Call) realOption(name string, or float64) (float64, *notation.Diagnostic) {
	o, ok := c.Options[name]
	if !ok {
		return or, nil
	}
	return c.number(o.Array, "the option `"+name+"`")
}

// number reads an argument that is one real.
func (c *Call) number(a *array.Array, what string) (float64, *notation.Diagnostic) {
	if a.Rank() != 0 || a.Kind() == array.Complex || a.Kind() == array.Bool {
		return 0, fault(codes.RunKind, fmt.Sprintf("%s of `%s` is %s; it takes one real", what, c.Function.Name,
			Describe(a)), "give a single number")
	}
	return a.RealAt(0), nil
}

// intsOf reads an argument that is an int array of one axis; an empty list of any
// kind serves.
func (c *Call) intsOf(a *array.Array, what string) ([]int64, *notation.Diagnostic) {
	if a.Rank() == 1 && a.Size() == 0 {
		return nil, nil
	}
	if a.Kind() != array.Int || a.Rank() != 1 {
		return nil, fault(codes.RunKind, fmt.Sprintf("%s of `%s` is %s; it takes ints on one axis", what, c.Function.Name,
			Describe(a)), "write a list, `[2, 3]`, or convert with `int(...)`")
	}
	return a.Ints(), nil
}

// realsOfRank reads an argument as a real array of some axes.
func (c *Call) realsOfRank(a *array.Array, rank int) (*array.Array, *notation.Diagnostic) {
	if d := c.wantRank(a, rank); d != nil {
		return nil, d
	}
	if d := c.atMost(a, array.Real, "take `real_part(...)` or `abs(...)` first"); d != nil {
		return nil, d
	}
	return Widen(c.Meter, a, array.Real)
}

// outsideAxis reports a position that is none.
func outsideAxis(what string, at int64, length, counting int) *notation.Diagnostic {
	return fault(codes.SelectRange, fmt.Sprintf("the %s %d is outside, where the length is %d", what, at, length),
		fmt.Sprintf("valid positions are %d to %d", counting, length-1+counting))
}
