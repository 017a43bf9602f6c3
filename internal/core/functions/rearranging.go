package functions

import (
	"fmt"
	"slices"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var fillOption = Option{Name: "fill", Kind: OptionWord, Words: []string{"rows", "columns"}}

func hasKind(k array.Kind) func(*Call) (*array.Array, *notation.Diagnostic) {
	return func(c *Call) (*array.Array, *notation.Diagnostic) {
		return array.Scalar(c.Args[0].Kind() == k), nil
	}
}

func shapeOf(c *Call) (*array.Array, *notation.Diagnostic) {
	shape := c.Args[0].Shape()
	out := make([]int64, len(shape))
	for i, d := range shape {
		out[i] = int64(d)
	}
	return array.FromInts(out, len(out)), nil
}

// alongAxis returns the axis a call works through; with several it must be said.
func (c *Call) alongAxis() (int, *notation.Diagnostic) {
	if c.Axes != nil {
		return c.Axes[0], nil
	}
	return c.alongOf(c.Args[0])
}

// alongOf is the axis of a call that names none.
func (c *Call) alongOf(a Form) (int, *notation.Diagnostic) {
	switch a.Rank() {
	case 1:
		return 0, nil
	case 0:
		return 0, fault(codes.AxisUnknown, fmt.Sprintf("`%s` works along an axis, and a scalar has none", c.Function.Name), "give an array, `[x]` say")
	}
	return 0, fault(codes.AxisMissing, fmt.Sprintf("`%s` works along one axis, and %s has %d", c.Function.Name, ShapeOf(a), a.Rank()),
		fmt.Sprintf("say which: `%s(x along %s)`", c.Function.Name, AxisWord(a, 0, c.Counting)), ShapeOf(a))
}

// AxisWord names an axis by its label, or by its number in the course's counting.
func AxisWord(a Form, axis, counting int) string {
	if l := a.Label(axis); l != "" {
		return l
	}
	return fmt.Sprint(axis + counting)
}

func length(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	return array.Scalar(int64(c.Args[0].Len(axis))), nil
}

func indices(c *Call) (*array.Array, *notation.Diagnostic) {
	axis, d := c.alongAxis()
	if d != nil {
		return nil, d
	}
	n := c.Args[0].Len(axis)
	if d := c.Meter.Take(array.Int, n); d != nil {
		return nil, d
	}
	out := make([]int64, n)
	for i := range out {
		out[i] = int64(i + c.Counting)
	}
	return array.FromInts(out, n), nil
}

// auto is the length that reshape works out itself.
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

// reshapeTarget works out the shape asked for, with auto filled in.
func (c *Call) reshapeTarget(a *array.Array, args []*array.Array) ([]int, *notation.Diagnostic) {
	var shape []int
	hole, rest := -1, 1
	for _, arg := range args {
		if arg.Size() == 0 && len(args) == 1 {
			break
		}
		if arg.Kind() != array.Int || arg.Rank() > 1 {
			return nil, fault(codes.RunKind, fmt.Sprintf("a length in `reshape` is %s; a shape is whole numbers", Describe(arg)), "write `reshape(x, [3, auto])`")
		}
		for _, n := range arg.Ints() {
			switch {
			case n == auto && hole >= 0:
				return nil, fault(codes.ShapeReshape, "`auto` stands twice in one shape", "one length at most can be worked out")
			case n == auto:
				hole = len(shape)
				shape = append(shape, 1)
				continue
			case n < 0:
				return nil, fault(codes.RunValue, fmt.Sprintf("the length %d is negative", n), "lengths are 0 or more; `auto` is worked out")
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
			message := fmt.Sprintf("%s has %d elements, which the other lengths, %d in all, do not divide", Describe(a), size, rest)
			return nil, fault(codes.ShapeReshape, message, reshapeHint, ShapeOf(a), target)
		}
		return nil, sizeFault(a, size, target, rest)
	}
	return shape, nil
}

const reshapeHint = "let one length be worked out: `reshape(x, [3, auto])`; the product of the lengths must be the size"

// sizeFault tells of a shape that holds another number of elements.
func sizeFault(a Form, size int, target notation.Shape, needed int) *notation.Diagnostic {
	return fault(codes.ShapeReshape, fmt.Sprintf("%s has %d elements, and the shape %s needs %d", Describe(a), size, target, needed), reshapeHint, ShapeOf(a), target)
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

func transpose(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	to, ok := c.Options["to"]
	if !ok {
		if a.Rank() == 1 {
			c.Meter.Notice(codes.NoticeTranspose, fmt.Sprintf("an array of one axis, %s, is the same transposed", ShapeOf(a)), "for a matrix of one column write `column_of(v)`, of one row `row_of(v)`", ShapeOf(a))
		}
		return reverseAxes(a), nil
	}
	order := make([]int, 0, a.Rank())
	for _, ref := range to.Axes {
		axis := ref.Number
		if ref.Label != "" {
			var d *notation.Diagnostic
			if axis, d = FindLabel(a, ref.Label, c.Counting); d != nil {
				return nil, d
			}
		}
		if slices.Contains(order, axis) {
			return nil, twiceInTo(a, axis, c.Counting)
		}
		order = append(order, axis)
	}
	if len(order) != a.Rank() {
		return nil, notAllInTo(a, len(order))
	}
	return a.Transpose(order), nil
}

func twiceInTo(a Form, axis, counting int) *notation.Diagnostic {
	return fault(codes.AxisRepeated, fmt.Sprintf("the axis %s stands twice in `to:`", AxisWord(a, axis, counting)), "name every axis once", ShapeOf(a))
}

func notAllInTo(a Form, named int) *notation.Diagnostic {
	return fault(codes.AxisMissing, fmt.Sprintf("`to:` names %d of the %d axes of %s", named, a.Rank(), ShapeOf(a)), "name every axis once", ShapeOf(a))
}

func labelled(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	axes, ok := c.Options["axes"]
	if !ok {
		return nil, fault(codes.TextCall, "`labelled` needs the option `axes`", "write `labelled(x, axes: [week, _])`")
	}
	if len(axes.Axes) != a.Rank() {
		return nil, fault(codes.AxisMissing, fmt.Sprintf("`axes:` has %d labels for the %d axes of %s", len(axes.Axes), a.Rank(), ShapeOf(a)), "give one label for each axis; `_` leaves one without", ShapeOf(a))
	}
	labels := make([]string, len(axes.Axes))
	for i, ref := range axes.Axes {
		if ref.Label == "" {
			return nil, fault(codes.TextCall, "`axes:` of `labelled` takes labels, and got a number", "write bare words: `axes: [week, _]`")
		}
		if ref.Label != "_" {
			labels[i] = ref.Label
		}
	}
	return a.WithLabels(labels), nil
}

// FindLabel finds the one axis that carries a label.
func FindLabel(a Form, label string, counting int) (int, *notation.Diagnostic) {
	found := -1
	for axis := range a.Rank() {
		if a.Label(axis) != label {
			continue
		}
		if found >= 0 {
			return 0, fault(codes.AxisRepeated, fmt.Sprintf("the label `%s` stands on several axes of %s", label, ShapeOf(a)), fmt.Sprintf("name the axis by its number, %d say", found+counting), ShapeOf(a))
		}
		found = axis
	}
	if found < 0 {
		return 0, UnknownAxis(a, "`"+label+"`", label, counting)
	}
	return found, nil
}

// UnknownAxis tells which axes there are instead.
func UnknownAxis(a Form, what, label string, counting int) *notation.Diagnostic {
	if a.Rank() == 0 {
		return fault(codes.AxisUnknown, fmt.Sprintf("there is no axis %s: a scalar has no axes", what), "leave the clause out")
	}
	var words []string
	for axis := range a.Rank() {
		words = append(words, AxisWord(a, axis, counting))
	}
	hint := "the axes are " + notation.JoinWords(words, "and")
	if near := notation.Offer(notation.Nearest(label, a.Labels())); near != "" {
		hint = near + " The axes are " + notation.JoinWords(words, "and")
	}
	return fault(codes.AxisUnknown, fmt.Sprintf("%s has no axis %s", ShapeOf(a), what), hint, ShapeOf(a))
}

// AxisNumber reads an axis number in the course's counting; -1 when the word is none.
func AxisNumber(word string, counting int) int {
	n, err := strconv.Atoi(word)
	if err != nil {
		return -1
	}
	return n - counting
}

func size(c *Call) (*array.Array, *notation.Diagnostic) {
	return array.Scalar(int64(c.Args[0].Size())), nil
}

func axisCount(c *Call) (*array.Array, *notation.Diagnostic) {
	return array.Scalar(int64(c.Args[0].Rank())), nil
}
