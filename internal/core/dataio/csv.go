package dataio

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"nimbusreach/internal/core/array"
)

// Table is a plain CSV file: numbers in rows and columns, with an optional header.
type Table struct {
	Header []string // nil when the file has none
	Rows   [][]string
	lines  []int
}

// ReadTable reads a CSV text. Its rows have one length.
func ReadTable(text []byte) (*Table, error) {
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	if !utf8.Valid(text) {
		return nil, &Problem{Message: "the file is not text in UTF-8", Hint: "save it as UTF-8"}
	}
	if len(bytes.TrimSpace(text)) == 0 {
		return nil, &Problem{Line: 1, Column: 1, Message: "the file is empty, and a table of numbers was expected",
			Hint: "give it rows; an array without elements is written `{shape: [0, 3]}` in exercise.yaml"}
	}
	if p := otherwiseSeparated(string(text)); p != nil {
		return nil, p
	}
	r := csv.NewReader(bytes.NewReader(text))
	r.TrimLeadingSpace = true
	r.ReuseRecord = false
	t := &Table{}
	cells := 0
	for {
		row, err := r.Read()
		if err == io.EOF {
			break
		}
		var parse *csv.ParseError
		if errors.As(err, &parse) {
			hint := "every row needs as many cells as the first"
			if !errors.Is(err, csv.ErrFieldCount) {
				hint = "quotes stand around a whole cell or not at all"
			}
			return nil, &Problem{Line: parse.Line, Column: max(parse.Column, 1), Message: "the table cannot be read: " +
				parse.Err.Error(), Hint: hint}
		}
		if err != nil {
			return nil, &Problem{Message: err.Error(), Hint: "look at the file"}
		}
		if cells += len(row); cells > MaxCells {
			return nil, &Problem{Message: fmt.Sprintf("the table has more than %d cells", MaxCells),
				Hint: "give fewer rows"}
		}
		line, _ := r.FieldPos(0)
		t.Rows, t.lines = append(t.Rows, row), append(t.lines, line)
	}
	if len(t.Rows) > 0 && isHeader(t.Rows[0]) {
		t.Header, t.Rows, t.lines = t.Rows[0], t.Rows[1:], t.lines[1:]
	}
	return t, nil
}

// otherwiseSeparated recognises tables that are separated by semicolons or tabs, with
// decimal commas or without.
func otherwiseSeparated(text string) *Problem {
	for separator, name := range map[string]string{";": "semicolons", "\t": "tabs"} {
		var rows [][]string
		whole := true
		for line := range strings.Lines(text) {
			line = strings.TrimSpace(line)
			if line == "" {
				continue
			}
			if !strings.Contains(line, separator) || len(rows) > 0 && strings.Count(line, separator)+1 != len(rows[0]) {
				whole = false
				break
			}
			rows = append(rows, strings.Split(line, separator))
			if len(rows) == 20 {
				break
			}
		}
		if !whole || len(rows) == 0 {
			continue
		}
		for i, row := range rows {
			for j, cell := range row {
				if decimalComma.MatchString(strings.TrimSpace(cell)) {
					return &Problem{Line: i + 1, Column: j + 1,
						Message: fmt.Sprintf("`%s` has a decimal comma, and the table is separated by %s", strings.TrimSpace(cell),
							name), Hint: "save it with decimal points, and commas between the cells"}
				}
			}
		}
		return &Problem{Line: 1, Column: 1, Message: fmt.Sprintf("the table is separated by %s", name),
			Hint: "save it with commas between the cells"}
	}
	return nil
}

var decimalComma = regexp.MustCompile(`^[+-]?\d+,\d+([eE][+-]?\d+)?$`)

// isHeader reports whether no cell of a row is a number, or numbers that something else
// than commas parts, which would be lost as names.
func isHeader(row []string) bool {
	for _, cell := range row {
		for _, part := range strings.FieldsFunc(cell, func(r rune) bool { return r == ';' || r == '\t' }) {
			if _, ok := readCell(part); ok {
				return false
			}
		}
		if strings.TrimSpace(cell) == "" {
			return false
		}
	}
	return true
}

// readCell reads 3, 2.5, 1e-3, true, nan, inf, 1+2i.
func readCell(text string) (element, bool) {
	text = strings.TrimSpace(text)
	switch text {
	case "true":
		return element{kind: array.Bool, b: true, i: 1, z: 1}, true
	case "false":
		return element{kind: array.Bool}, true
	}
	if i, err := strconv.ParseInt(text, 10, 64); err == nil {
		return element{kind: array.Int, i: i, z: complex(float64(i), 0)}, true
	}
	if strings.ContainsAny(text, "xXpP_") {
		return element{}, false
	}
	if f, err := strconv.ParseFloat(text, 64); err == nil {
		return element{kind: array.Real, z: complex(f, 0)}, true
	}
	if strings.HasSuffix(text, "i") {
		if z, err := strconv.ParseComplex(text, 128); err == nil {
			return element{kind: array.Complex, z: z}, true
		}
	}
	return element{}, false
}

// Array turns the table into an array of two axes, or of one when rank is 1 and
// the table has one row or one column. Empty cells become NaN when missing is set.
func (t *Table) Array(rank int, missing bool) (*array.Array, error) {
	rows, columns := len(t.Rows), 0
	if rows > 0 {
		columns = len(t.Rows[0])
	} else if t.Header != nil {
		columns = len(t.Header)
	}
	shape := []int{rows, columns}
	if rank == 1 {
		if rows != 1 && columns != 1 && rows != 0 {
			return nil, &Problem{Message: fmt.Sprintf("the table has %d rows and %d columns, and one axis was declared", rows,
				columns), Hint: "give one row or one column, or declare two axes"}
		}
		shape = []int{max(rows, columns)}
		if rows == 0 {
			shape[0] = 0
		} else if columns == 1 {
			shape[0] = rows
		}
	}
	cells := &cells{}
	for i, row := range t.Rows {
		for j, cell := range row {
			e, ok := t.cell(cell, missing)
			if !ok {
				return nil, t.badCell(i, j, cell)
			}
			cells.add(e, math.MaxInt)
		}
	}
	kind := cells.kind
	if cells.count == 0 {
		kind = array.Real
	}
	return cells.array(kind).Reshape(shape), nil
}

func (t *Table) badCell(i, j int, cell string) error {
	p := &Problem{Line: t.lines[i], Column: j + 1, Message: fmt.Sprintf("`%s` is not a number", cell),
		Hint: "cells are numbers, true, false, nan, inf or -inf; decimals have a point"}
	switch {
	case strings.TrimSpace(cell) == "":
		p.Message, p.Hint = "the cell is empty", "fill it, or let the input say `missing: nan`"
	case decimalComma.MatchString(strings.TrimSpace(cell)):
		p.Message, p.Hint = fmt.Sprintf("`%s` has a decimal comma", strings.TrimSpace(cell)), "write decimals with a point"
	case strings.ContainsAny(cell, ";\t"):
		p.Hint = "cells are separated by commas"
	}
	return p
}

// FirstWider finds the first cell that is wider than a kind.
func (t *Table) FirstWider(kind array.Kind) (line, column int, text string, ok bool) {
	for i, row := range t.Rows {
		for j, cell := range row {
			if e, read := readCell(cell); read && e.kind > kind {
				return t.lines[i], j + 1, strings.TrimSpace(cell), true
			}
		}
	}
	return 0, 0, "", false
}

// FirstWider is the first element, rows first, that needs a wider kind; -1 for none.
func FirstWider(a *array.Array, kind array.Kind) int {
	for i := range a.Size() {
		z := a.ComplexAt(i)
		v := real(z)
		if kind < array.Complex && imag(z) != 0 || kind < array.Real && (v != math.Trunc(v) || math.IsInf(v, 0) ||
			math.IsNaN(v)) || kind < array.Int && v != 0 && v != 1 {
			return i
		}
	}
	return -1
}

// FormatElement writes one element as the notation spells it.
func FormatElement(a *array.Array, i int) string {
	switch a.Kind() {
	case array.Bool:
		return strconv.FormatBool(a.BoolAt(i))
	case array.Int:
		return strconv.FormatInt(a.IntAt(i), 10)
	case array.Real:
		return FormatReal(a.RealAt(i))
	}
	z := a.ComplexAt(i)
	sign := "+"
	if imag(z) < 0 || math.Signbit(imag(z)) {
		sign = "-"
	}
	return FormatReal(real(z)) + " " + sign + " " + FormatReal(math.Abs(imag(z))) + "i"
}

// FormatReal writes a real so that it reads back the same.
func FormatReal(v float64) string {
	switch {
	case math.IsNaN(v):
		return "nan"
	case math.IsInf(v, 1):
		return "inf"
	case math.IsInf(v, -1):
		return "-inf"
	}
	text := strconv.FormatFloat(v, 'g', -1, 64)
	if abs := math.Abs(v); abs >= 1e-4 && abs < 1e15 {
		text = strconv.FormatFloat(v, 'f', -1, 64)
	}
	if !strings.ContainsAny(text, ".e") {
		text += ".0"
	}
	return text
}
