package dataio

import (
	"fmt"
	"strconv"
	"strings"

	"nimbusreach/internal/core/array"
)

// Literal writes an array in the notation, so that it can be pasted into a program: nested
// lists, labelled where an axis has a label. An array without elements is made by its shape.
func Literal(a *array.Array) string {
	text := ""
	if a.Size() == 0 {
		var lengths []string
		for i := range a.Rank() {
			lengths = append(lengths, strconv.Itoa(a.Len(i)))
		}
		text = "zeros(" + strings.Join(lengths, ", ") + ")"
	} else {
		text, _ = literalFrom(a, 0, 0)
	}
	labels, any := make([]string, a.Rank()), false
	for i := range labels {
		labels[i] = "_"
		if l := a.Label(i); l != "" {
			labels[i], any = l, true
		}
	}
	if !any {
		return text
	}
	return fmt.Sprintf("labelled(%s, axes: [%s])", text, strings.Join(labels, ", "))
}

// literalFrom writes the part of an array from an element on, and says where it ends.
func literalFrom(a *array.Array, axis, from int) (string, int) {
	if axis == a.Rank() {
		return cell(a, from), from + 1
	}
	items := make([]string, a.Len(axis))
	for i := range items {
		items[i], from = literalFrom(a, axis+1, from)
	}
	return "[" + strings.Join(items, ", ") + "]", from
}

// cell is one element as a literal of its kind.
func cell(a *array.Array, i int) string {
	if a.Kind() != array.Complex {
		return FormatElement(a, i)
	}
	z := a.ComplexAt(i)
	return fmt.Sprintf("complex(%s, %s)", FormatReal(real(z)), FormatReal(imag(z)))
}
