package functions

import (
	"fmt"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// The errors of selections, conditions and lists. The evaluator gives them at a
// run, and the shapes of a text give the same ones before it.

// CountFault reports too few or too many selectors; text is the selection as it
// stands.
func CountFault(a Form, named int, text string) *notation.Diagnostic {
	message := fmt.Sprintf("%s has %s, and the selection names %d", Describe(a), axesWord(a.Rank()), named)
	hint := fmt.Sprintf("take %d out", named-a.Rank())
	switch {
	case named < a.Rank():
		hint = fmt.Sprintf("write the whole axes: `%s%s]`", strings.TrimSuffix(text, "]"), strings.Repeat(", all",
			a.Rank()-named))
	case a.Rank() == 0:
		hint = "a scalar has no positions; leave the selection out"
	}
	return fault(codes.SelectCount, message, hint, ShapeOf(a))
}

func axesWord(n int) string {
	switch n {
	case 0:
		return "no axes"
	case 1:
		return "1 axis"
	}
	return fmt.Sprintf("%d axes", n)
}

// OutsideAxis reports a position, or an end of a range, that the axis does not have.
func OutsideAxis(what string, at int64, a Form, axis, counting int) *notation.Diagnostic {
	n := a.Len(axis)
	s := ShapeOf(a)
	s.Mark = axis
	valid := fmt.Sprintf("valid positions are %d to %d", counting, n-1+counting)
	if n == 0 {
		valid = "the axis is empty and has no positions"
	}
	message := fmt.Sprintf("the %s %d is outside axis %s, whose length is %d", what, at, AxisWord(a, axis, counting), n)
	hint := valid + "; the last is `last`"
	switch {
	case n == 0:
		hint = valid
	case at == 0 && counting == 1:
		hint = "positions count from 1 here; " + valid
	case at == int64(n) && counting == 0:
		hint = valid + ", as they count from 0; the last is `last`"
	case at < int64(counting):
		hint = valid + "; from the end write `last`, `last - 1`"
	}
	return fault(codes.SelectRange, message, hint, s)
}

// MaskFault reports a mask that does not have the array's shape, and offers the axis it
// may have been meant for.
func MaskFault(a, mask Form) *notation.Diagnostic {
	if mask.Rank() == 0 {
		return fault(codes.SelectKind, "a single truth value selects nothing",
			"a mask is an array of truth values, `x > 0` say")
	}
	hint := "make the mask by comparing the array itself: `x[x > 0]`"
	if mask.Rank() == 1 {
		for axis := range a.Rank() {
			if a.Len(axis) == mask.Len(0) && (mask.Label(0) == "" || a.Label(axis) == "" || a.Label(axis) == mask.Label(0)) {
				hint = "to choose along one axis write the others: `x" + maskAt(a.Rank(), axis) + "`"
				break
			}
		}
	}
	return fault(codes.ShapeMask, fmt.Sprintf("the mask has the shape %s, and the array %s", ShapeOf(mask), ShapeOf(a)),
		hint, ShapeOf(a), ShapeOf(mask))
}

func maskAt(rank, axis int) string {
	parts := make([]string, rank)
	for i := range parts {
		parts[i] = "all"
	}
	parts[axis] = "mask"
	return "[" + strings.Join(parts, ", ") + "]"
}

// AxisMaskFault reports a mask that does not have its axis's length.
func AxisMaskFault(a, mask Form, axis, counting int) *notation.Diagnostic {
	s, given := ShapeOf(a), ShapeOf(mask)
	s.Mark, given.Mark = axis, 0
	return fault(codes.ShapeMask, fmt.Sprintf("the mask has %d truth values, and axis %s has the length %d", mask.Len(0),
		AxisWord(a, axis, counting), a.Len(axis)),
		"make the mask from the axis it chooses on", s, given)
}

// SelectorFault reports a selector that is neither a position, positions nor a mask.
func SelectorFault(a, v Form, axis, counting int, except bool) *notation.Diagnostic {
	hint := "a position is one int, positions are a list of ints, `[0, 2]`, a mask is one truth value for each position"
	switch {
	case v.Kind() == array.Real && v.Rank() <= 1:
		hint = "positions are ints; convert with `int(...)`"
	case v.Kind() == array.Bool && v.Rank() > 1 && except:
		hint = "choose elements of the whole array with `x[not mask]`"
	case v.Rank() > 1:
		hint = "a selector of one axis has one axis itself; flatten it, or use one mask of the whole shape"
	}
	return fault(codes.SelectKind, fmt.Sprintf("the selector of axis %s is %s", AxisWord(a, axis, counting),
		Describe(v)), hint, ShapeOf(a))
}

// ConditionFault reports a condition that is not one truth value; word is where it
// stands.
func ConditionFault(word string, v Form) *notation.Diagnostic {
	hint := "compare, as in `x != 0`"
	if v.Rank() > 0 {
		hint = "reduce it with `any(...)` or `all(...)`"
		if v.Kind() != array.Bool {
			hint = "compare and reduce it: `any(x > 0)` or `all(x > 0)`"
		}
	}
	return fault(codes.RunCondition, fmt.Sprintf("%s takes one truth value, and got %s", word, Describe(v)), hint,
		ShapeOf(v))
}

// RaggedFault reports an item of a list whose shape is not the first's; number is
// in the course's counting.
func RaggedFault(number int, first, here Form) *notation.Diagnostic {
	a, b := ShapeOf(first), ShapeOf(here)
	return fault(codes.ShapeRagged, fmt.Sprintf("the items of a list have one shape; item %d has the shape %s, the "+
		"first %s", number, b, a),
		"make the items equally long, or join arrays of unequal length with `join`", a, b)
}

// AssignFault reports a value that does not stretch to the selection it is
// assigned into.
func AssignFault(target notation.Shape, value Form) *notation.Diagnostic {
	return fault(codes.ShapeAssign, fmt.Sprintf("the value's shape %s does not broadcast to the selection's %s",
		ShapeOf(value), target),
		"give a scalar, or an array of the selection's shape", target, ShapeOf(value))
}

// AssignKindFault reports a value too wide for the name it is assigned into.
func AssignKindFault(name string, target, value Form) *notation.Diagnostic {
	return fault(codes.RunKind, fmt.Sprintf("%s cannot be assigned into `%s`, which is %s", Describe(value), name,
		target.Kind()),
		fmt.Sprintf("convert the value with `%s(...)`, or widen the target first: `%s = %s(%s)`", target.Kind(), name,
			value.Kind(), name))
}

// NoAxisToGo reports that a loop was given a scalar.
func NoAxisToGo() *notation.Diagnostic {
	return fault(codes.AxisUnknown, "`each` goes along an axis, and a scalar has none", "give an array, `0 before n` say")
}

// OutOfStep reports a loop over values of unequal lengths.
func OutOfStep(first Form, firstAxis int, other Form, otherAxis int) *notation.Diagnostic {
	a, b := ShapeOf(first), ShapeOf(other)
	a.Mark, b.Mark = firstAxis, otherAxis
	return fault(codes.ShapeJoin, fmt.Sprintf("`each` walks them together, and the lengths are %d and %d",
		first.Len(firstAxis),
		other.Len(otherAxis)), "give values of one length along the axis", a, b)
}

// AxisTwice reports an axis that a clause names twice.
func AxisTwice(a Form, axis, counting int) *notation.Diagnostic {
	return fault(codes.AxisRepeated, fmt.Sprintf("the axis %s is named twice", AxisWord(a, axis, counting)),
		"name every axis once", ShapeOf(a))
}

// LabelNotVariable sets the hint of an unknown axis whose word is a bound name. clause is
// what is before a single axis, "over " say.
func LabelNotVariable(d *notation.Diagnostic, clause, word string) {
	if d != nil && d.Code == codes.AxisUnknown {
		d.Hint = fmt.Sprintf("a bare word is a label; for the axis numbered by the variable write `%s(%s)`", clause, word)
	}
}
