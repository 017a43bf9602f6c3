package functions

import (
	"fmt"
	"strconv"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

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
		return 0, fault(codes.AxisUnknown, fmt.Sprintf("`%s` works along an axis, and a scalar has none", c.Function.Name),
			"give an array, `[x]` say")
	}
	return 0, fault(codes.AxisMissing, fmt.Sprintf("`%s` works along one axis, and %s has %d", c.Function.Name,
		ShapeOf(a), a.Rank()),
		fmt.Sprintf("say which: `%s(x along %s)`", c.Function.Name, AxisWord(a, 0, c.Counting)), ShapeOf(a))
}

// AxisWord names an axis by its label, or by its number in the course's counting.
func AxisWord(a Form, axis, counting int) string {
	if l := a.Label(axis); l != "" {
		return l
	}
	return fmt.Sprint(axis + counting)
}

// FindLabel finds the one axis that carries a label.
func FindLabel(a Form, label string, counting int) (int, *notation.Diagnostic) {
	found := -1
	for axis := range a.Rank() {
		if a.Label(axis) != label {
			continue
		}
		if found >= 0 {
			return 0, fault(codes.AxisRepeated, fmt.Sprintf("the label `%s` is on several axes of %s", label, ShapeOf(a)),
				fmt.Sprintf("name the axis by its number, %d say", found+counting), ShapeOf(a))
		}
		found = axis
	}
	if found < 0 {
		return 0, UnknownAxis(a, "`"+label+"`", label, counting)
	}
	return found, nil
}

// UnknownAxis says which axes there are instead.
func UnknownAxis(a Form, what, label string, counting int) *notation.Diagnostic {
	if a.Rank() == 0 {
		return fault(codes.AxisUnknown, fmt.Sprintf("there is no axis %s: a scalar has no axes", what),
			"leave the clause out")
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
