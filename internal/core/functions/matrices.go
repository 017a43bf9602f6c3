package functions

import (
	"fmt"
	"math/cmplx"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Bounds on matrices whose work grows with the cube of their size, so that no call
// runs for long.
const (
	mostSolved     = 1200
	mostDecomposed = 400
)

func trace(c *Call) (*array.Array, *notation.Diagnostic) {
	if d := c.wantSquare(c.Args[0]); d != nil {
		return nil, d
	}
	call := *c
	call.Args = []*array.Array{c.Args[0]}
	diag, d := diagonalOf(&call)
	if d != nil {
		return nil, d
	}
	call.Args = []*array.Array{diag}
	return sum(&call)
}

func matPower(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.wantSquare(a); d != nil {
		return nil, d
	}
	n, d := c.integer(c.Args[1], "the power")
	if d != nil {
		return nil, d
	}
	if a, d = Widen(c.Meter, a, array.Int); d != nil {
		return nil, d
	}
	if n < 0 {
		call := *c
		call.Args = []*array.Array{a}
		if a, d = inverse(&call); d != nil {
			return nil, d
		}
	}
	size := a.Len(0)
	if d := c.take(a.Kind(), a.Shape()); d != nil {
		return nil, d
	}
	unit := make([]int64, size*size)
	for i := range size {
		unit[i*size+i] = 1
	}
	out := array.FromInts(unit, size, size).Widen(a.Kind())
	for k := magnitude(int64(n)); k > 0; k >>= 1 {
		if k&1 == 1 {
			if out, d = Dot(c.Meter, out, a); d != nil {
				return nil, d
			}
		}
		if k > 1 {
			if a, d = Dot(c.Meter, a, a); d != nil {
				return nil, d
			}
		}
	}
	return out.WithLabels(c.Args[0].Labels()), nil
}

func outer(c *Call) (*array.Array, *notation.Diagnostic) {
	for _, a := range c.Args {
		if d := c.wantRank(a, 1); d != nil {
			return nil, d
		}
	}
	column := c.Args[0].Select([]array.Pick{array.WholeAxis(c.Args[0].Len(0)), {Kind: array.PickNew}})
	return Binary(c.Meter, "*", column, c.Args[1])
}

func cross(c *Call) (*array.Array, *notation.Diagnostic) {
	for _, a := range c.Args {
		if a.Rank() == 0 || a.Len(a.Rank()-1) != 3 {
			return nil, fault(codes.ShapeInner, fmt.Sprintf("`cross` takes vectors of three along the last axis, and got %s",
				Describe(a)), "put vectors along the last axis", ShapeOf(a))
		}
	}
	part := func(a *array.Array, i int) *array.Array {
		picks := wholePicks(a.Shape())
		picks[len(picks)-1] = array.Pick{Kind: array.PickPosition, Start: i}
		return a.Select(picks)
	}
	items := make([]*array.Array, 3)
	for k := range items {
		i, j := (k+1)%3, (k+2)%3
		left, d := Binary(c.Meter, "*", part(c.Args[0], i), part(c.Args[1], j))
		if d != nil {
			return nil, d
		}
		right, d := Binary(c.Meter, "*", part(c.Args[0], j), part(c.Args[1], i))
		if d != nil {
			return nil, d
		}
		if items[k], d = Binary(c.Meter, "-", left, right); d != nil {
			return nil, d
		}
	}
	out, d := Stack(c.Meter, items)
	if d != nil {
		return nil, d
	}
	order := make([]int, out.Rank())
	for i := range order {
		order[i] = (i + 1) % out.Rank()
	}
	labels, _ := array.BroadcastLabels(out.Rank(), c.Args...)
	return out.Transpose(order).WithLabels(labels), nil
}

func kronecker(c *Call) (*array.Array, *notation.Diagnostic) {
	a, b := c.Args[0], c.Args[1]
	for _, x := range c.Args {
		if x.Rank() != 2 && !(a.Rank() == 1 && b.Rank() == 1) {
			return nil, c.wantRank(x, 2)
		}
	}
	var left, right []array.Pick
	var shape []int
	for i := range a.Rank() {
		left = append(left, array.WholeAxis(a.Len(i)), array.Pick{Kind: array.PickNew})
		right = append(right, array.Pick{Kind: array.PickNew}, array.WholeAxis(b.Len(i)))
		shape = append(shape, a.Len(i)*b.Len(i))
	}
	out, d := Binary(c.Meter, "*", a.WithLabels(nil).Select(left), b.WithLabels(nil).Select(right))
	if d != nil {
		return nil, d
	}
	return out.Reshape(shape), nil
}

func conjugateTranspose(c *Call) (*array.Array, *notation.Diagnostic) {
	out, d := transpose(c)
	if d != nil || out.Kind() != array.Complex {
		return out, d
	}
	return run1(c, out, cmplx.Conj)
}
