package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func transpose(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	to, ok := c.Options["to"]
	if !ok {
		if a.Rank() == 1 {
			c.Meter.Notice(codes.NoticeTranspose, fmt.Sprintf("an array of one axis, %s, is the same transposed", ShapeOf(a)),
				"for a matrix of one column write `column_of(v)`, of one row `row_of(v)`", ShapeOf(a))
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
	return fault(codes.AxisRepeated, fmt.Sprintf("the axis %s occurs twice in `to:`", AxisWord(a, axis, counting)),
		"name every axis once", ShapeOf(a))
}

func notAllInTo(a Form, named int) *notation.Diagnostic {
	return fault(codes.AxisMissing, fmt.Sprintf("`to:` names %d of the %d axes of %s", named, a.Rank(), ShapeOf(a)),
		"name every axis once", ShapeOf(a))
}

func labelled(c *Call) (*array.Array, *notation.Diagnostic) {
	a := c.Args[0]
	axes, ok := c.Options["axes"]
	if !ok {
		return nil, fault(codes.TextCall, "`labelled` needs the option `axes`", "write `labelled(x, axes: [week, _])`")
	}
	if len(axes.Axes) != a.Rank() {
		return nil, fault(codes.AxisMissing, fmt.Sprintf("`axes:` has %d labels for the %d axes of %s", len(axes.Axes),
			a.Rank(), ShapeOf(a)), "give one label for each axis; `_` leaves one without", ShapeOf(a))
	}
	labels := make([]string, len(axes.Axes))
	for i, ref := range axes.Axes {
		if ref.Label == "" {
			return nil, fault(codes.TextCall, "`axes:` of `labelled` takes labels, and got a number",
				"write bare words: `axes: [week, _]`")
		}
		if ref.Label != "_" {
			labels[i] = ref.Label
		}
	}
	return a.WithLabels(labels), nil
}
