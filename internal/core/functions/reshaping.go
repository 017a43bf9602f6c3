package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var fillOption = Option{Name: "fill", Kind: OptionWord, Words: []string{"rows", "columns"}}

// auto is the length that reshape computes itself.
const auto = -1 << 62

// AutoLength is the int that stands for `auto` in a shape.
func AutoLength() *array.Array { return array.Scalar(int64(auto)) }

func reshape(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	shape, d := c.reshapeTarget(a, c.Args[1:])
	if d != nil {
		return nil, d
	}
	if d := c.take(a.Kind(), a.Shape()); d != nil {
		return nil, d
	}
	if c.Options["fill"].Word != "columns" {
		return a.Reshape(shape), nil
	}
	// Reading and filling columns first is rows first with the axes reversed.
	slices.Reverse(shape)
	return reverseAxes(reverseAxes(a).Reshape(shape)), nil
}

func reverseAxes(a *array.Array) *array.Array {
	order := make([]int, a.Rank())
	for i := range order {
		order[i] = len(order) - 1 - i
	}
	return a.Transpose(order)
}

// reshapeTarget computes the shape asked for, with auto filled in.
func (c *Call) reshapeTarget(a *array.Array, args []*array.Array) ([]int, *notation.Diagnostic) {
	var shape []int
	hole := -1
	for _, arg := range args {
		if arg.Size() == 0 && len(args) == 1 {
			break
		}
		if arg.Kind() != array.Int || arg.Rank() > 1 {
			return nil, fault(codes.RunKind, fmt.Sprintf("a length in `reshape` is %s; a shape is whole numbers",
				Describe(arg)), "write `reshape(x, [3, auto])`")
		}
		for _, n := range arg.Ints() {
			switch {
			case n == auto && hole >= 0:
				return nil, fault(codes.ShapeReshape, "`auto` occurs twice in one shape", "one length at most can be computed")
			case n == auto:
				hole = len(shape)
				shape = append(shape, 1)
				continue
			case n < 0:
				return nil, fault(codes.RunValue, fmt.Sprintf("the length %d is negative", n),
					"lengths are 0 or more; `auto` is computed")
			}
			shape = append(shape, int(n))
		}
	}
	if d := CheckRank(len(shape)); d != nil {
		return nil, d
	}
	rest, ok := array.Size(shape)
	size := a.Size()
	if hole >= 0 && ok && rest > 0 && size%rest == 0 {
		shape[hole] = size / rest
		return shape, nil
	}
	if hole >= 0 || !ok || rest != size {
		target := notation.Shape{Lengths: shape, Mark: -1}
		if hole >= 0 {
			message := fmt.Sprintf("%s has %d elements, which the other lengths, %d in all, do not divide", Describe(a), size,
				rest)
			return nil, fault(codes.ShapeReshape, message, reshapeHint, ShapeOf(a), target)
		}
		return nil, sizeFault(a, size, target, rest)
	}
	return shape, nil
}

const reshapeHint = "let one length be computed: `reshape(x, [3, auto])`; the product of the lengths must be the size"

// sizeFault reports a shape that holds another number of elements.
func sizeFault(a Form, size int, target notation.Shape, needed int) *notation.Diagnostic {
	return fault(codes.ShapeReshape, fmt.Sprintf("%s has %d elements, and the shape %s needs %d", Describe(a), size,
		target, needed), reshapeHint, ShapeOf(a), target)
}

func flattened(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	if d := c.take(a.Kind(), a.Shape()); d != nil {
		return nil, d
	}
	if c.Options["fill"].Word == "columns" {
		a = reverseAxes(a)
	}
	return a.Reshape([]int{a.Size()}), nil
}

func matrixOf(row bool) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		if d := c.wantRank(c.Args[0], 1); d != nil {
			return nil, d
		}
		picks := []array.Pick{array.WholeAxis(c.Args[0].Len(0)), {Kind: array.PickNew}}
		if row {
			slices.Reverse(picks)
		}
		return c.Args[0].Select(picks), nil
	}
}

func withoutOnes(c *Call) (*array.Array, *notation.Diagnostic) {
	picks := wholePicks(c.Args[0].Shape())
	for i, n := range c.Args[0].Shape() {
		if n == 1 {
			picks[i] = array.Pick{Kind: array.PickPosition}
		}
	}
	return c.Args[0].Select(picks), nil
}
