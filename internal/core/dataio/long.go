package dataio

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// IsLong reports whether the table is a long one for these axis labels: its header
// names every label and one column more, or the column asked for.
func (t *Table) IsLong(labels []string, column string) bool {
	if t.Header == nil || len(labels) == 0 || slices.Contains(labels, "") {
		return false
	}
	for _, l := range labels {
		if t.column(l) < 0 {
			return false
		}
	}
	return column != "" || len(t.Header) == len(labels)+1
}

// Misspelt reports a header that was meant to make a long table for these axis labels and
// names one of them otherwise.
func (t *Table) Misspelt(labels []string) error {
	if t.Header == nil || len(labels) == 0 || slices.Contains(labels, "") || len(t.Header) != len(labels)+1 {
		return nil
	}
	var missing []string
	named := 0
	for _, l := range labels {
		if t.column(l) >= 0 {
			named++
		} else {
			missing = append(missing, l)
		}
	}
	for i, h := range t.Header {
		h = strings.TrimSpace(h)
		if slices.Contains(labels, h) {
			continue
		}
		for _, l := range missing {
			near := strings.EqualFold(h, l) || len(notation.Nearest(h, []string{l})) > 0
			if near || named > 0 && i < len(labels) && labels[i] == l {
				return &Problem{Line: 1, Column: i + 1,
					Message: fmt.Sprintf("the header has `%s`, where the axis `%s` was expected", h, l),
					Hint:    "a long table's header names every axis as exercise.yaml spells it, and one value column"}
			}
		}
	}
	return nil
}

// Coordinate is the name of a place on an axis, and where it occurs first.
type Coordinate struct {
	Name         string
	Line, Column int
}

// Coordinates lists the places of an axis in the order of their first appearance.
func (t *Table) Coordinates(label string) []Coordinate {
	at := t.column(label)
	if at < 0 {
		return nil
	}
	var out []Coordinate
	seen := map[string]bool{}
	for i, row := range t.Rows {
		if name := strings.TrimSpace(row[at]); !seen[name] {
			seen[name] = true
			out = append(out, Coordinate{name, t.lines[i], at + 1})
		}
	}
	return out
}

func (t *Table) column(name string) int {
	return slices.IndexFunc(t.Header, func(h string) bool { return strings.TrimSpace(h) == name })
}

// Long turns a long table into an array with one axis for each label. Coordinates
// are in the order in which they first appear; each combination stands exactly
// once. column names the values; "" takes the one column that is no label.
func (t *Table) Long(labels []string, column string, missing bool) (*array.Array, error) {
	value := -1
	if column != "" {
		if value = t.column(column); value < 0 {
			return nil, t.noColumn(column)
		}
	}
	at := make([]int, len(labels))
	for i, l := range labels {
		at[i] = t.column(l)
	}
	if value < 0 {
		for i := range t.Header {
			if !slices.Contains(at, i) {
				value = i
			}
		}
	}
	places := make([]map[string]int, len(labels))
	for i := range places {
		places[i] = map[string]int{}
	}
	for _, row := range t.Rows {
		for i, c := range at {
			name := strings.TrimSpace(row[c])
			if _, ok := places[i][name]; !ok {
				places[i][name] = len(places[i])
			}
		}
	}
	shape := make([]int, len(labels))
	for i := range shape {
		shape[i] = len(places[i])
	}
	size, ok := array.Size(shape)
	if !ok || size > MaxCells {
		return nil, &Problem{Message: fmt.Sprintf("the long table spans more than %d places", MaxCells),
			Hint: "each combination of coordinates is on one line"}
	}
	elements := make([]element, size)
	line := make([]int, size)
	kind := array.Bool
	for r, row := range t.Rows {
		flat := 0
		for i, c := range at {
			flat = flat*shape[i] + places[i][strings.TrimSpace(row[c])]
		}
		if line[flat] > 0 {
			return nil, &Problem{Line: t.lines[r], Column: 1, Message: fmt.Sprintf("the place %s is on line %d already",
				coordinates(labels, at, row), line[flat]), Hint: "each combination of coordinates occurs exactly once"}
		}
		line[flat] = t.lines[r]
		e, ok := t.cell(row[value], missing)
		if !ok {
			return nil, t.badCell(r, value, row[value])
		}
		elements[flat], kind = e, array.Wider(kind, e.kind)
	}
	if hole := slices.Index(line, 0); hole >= 0 {
		return nil, &Problem{Line: 1, Column: 1, Message: fmt.Sprintf("no line gives the place %s", placeOf(labels, places,
			shape, hole)), Hint: "each combination of coordinates occurs exactly once; with `missing: nan` an empty value is " +
			"NaN"}
	}
	if len(elements) == 0 {
		kind = array.Real
	}
	return cellsOf(elements, kind).Reshape(shape).WithLabels(labels), nil
}

// cell reads a cell; an empty one is NaN when missing is set.
func (t *Table) cell(text string, missing bool) (element, bool) {
	if strings.TrimSpace(text) == "" && missing {
		return element{kind: array.Real, z: complex(math.NaN(), 0)}, true
	}
	return readCell(text)
}

func coordinates(labels []string, at []int, row []string) string {
	parts := make([]string, len(labels))
	for i, l := range labels {
		parts[i] = l + "=" + strings.TrimSpace(row[at[i]])
	}
	return strings.Join(parts, ", ")
}

func placeOf(labels []string, places []map[string]int, shape []int, flat int) string {
	parts := make([]string, len(labels))
	for i := len(labels) - 1; i >= 0; i-- {
		for name, at := range places[i] {
			if at == flat%shape[i] {
				parts[i] = labels[i] + "=" + name
			}
		}
		flat /= shape[i]
	}
	return strings.Join(parts, ", ")
}

// Column takes one named column of a table with a header, as one axis.
func (t *Table) Column(name string, missing bool) (*array.Array, error) {
	at := t.column(name)
	if at < 0 {
		return nil, t.noColumn(name)
	}
	elements := make([]element, len(t.Rows))
	kind := array.Bool
	for i, row := range t.Rows {
		e, ok := t.cell(row[at], missing)
		if !ok {
			return nil, t.badCell(i, at, row[at])
		}
		elements[i], kind = e, array.Wider(kind, e.kind)
	}
	if len(elements) == 0 {
		kind = array.Real
	}
	return cellsOf(elements, kind), nil
}

func (t *Table) noColumn(name string) error {
	hint := "the first line of the file names its columns"
	if t.Header != nil {
		hint = "its columns are " + strings.Join(t.Header, ", ")
	}
	return &Problem{Line: 1, Column: 1, Message: fmt.Sprintf("the table has no column `%s`", name), Hint: hint}
}
