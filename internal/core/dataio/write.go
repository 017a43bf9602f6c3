package dataio

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/internal/core/array"
)

// WriteCSV writes an array as CSV: a plain table of at most two axes, or a long table of any number, whose header names
// the axes and the value column and whose coordinates count from counting. A single number is one cell, one axis is one
// column.
func WriteCSV(a *array.Array, value string, counting int) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	columns := 1
	if a.Rank() == 2 {
		columns = a.Len(1)
	}
	if a.Rank() > 2 {
		writeLong(w, a, value, counting)
	} else if columns > 0 {
		row := make([]string, columns)
		for i := 0; i < a.Size(); i += columns {
			for k := range row {
				row[k] = csvCell(a, i+k)
			}
			if err := w.Write(row); err != nil {
				return nil, err
			}
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}

// writeLong writes a line for each element. Errors stay in the writer.
func writeLong(w *csv.Writer, a *array.Array, value string, counting int) {
	row := make([]string, a.Rank()+1)
	for i := range a.Rank() {
		name := a.Label(i)
		if name == "" {
			name = "axis_" + strconv.Itoa(i)
		}
		for n, base := 1, name; slices.Contains(row[:i], name); n++ {
			name = base + "_" + strconv.Itoa(n)
		}
		row[i] = name
	}
	row[a.Rank()] = value
	_ = w.Write(row)
	for i := range a.Size() {
		for k, at := range positionOf(a.Shape(), i) {
			row[k] = strconv.Itoa(at + counting)
		}
		row[a.Rank()] = csvCell(a, i)
		_ = w.Write(row)
	}
}

// csvCell writes an element so that it reads back the same.
func csvCell(a *array.Array, i int) string {
	return strings.ReplaceAll(FormatElement(a, i), " ", "")
}

// WriteMatrixMarket writes an array of at most two axes as a Matrix Market file of the array format, columns first. One
// axis becomes one column, truth values 0 and 1.
func WriteMatrixMarket(a *array.Array) ([]byte, error) {
	if a.Rank() > 2 {
		return nil, fmt.Errorf("a Matrix Market file holds two axes, and this array has %d", a.Rank())
	}
	rows, columns := 1, 1
	if a.Rank() > 0 {
		rows = a.Len(0)
	}
	if a.Rank() > 1 {
		columns = a.Len(1)
	}
	field := map[array.Kind]string{array.Bool: "integer", array.Int: "integer", array.Real: "real",
		array.Complex: "complex"}[a.Kind()]
	var b bytes.Buffer
	fmt.Fprintf(&b, "%%%%MatrixMarket matrix array %s general\n%d %d\n", field, rows, columns)
	for j := range columns {
		for i := range rows {
			marketCell(&b, a, i*columns+j)
		}
	}
	return b.Bytes(), nil
}

func marketCell(b *bytes.Buffer, a *array.Array, i int) {
	number := func(v float64) string {
		if math.IsNaN(v) {
			return "nan"
		}
		return strconv.FormatFloat(v, 'g', -1, 64)
	}
	z := a.ComplexAt(i)
	switch a.Kind() {
	case array.Bool:
		fmt.Fprintln(b, real(z))
	case array.Int:
		fmt.Fprintln(b, a.IntAt(i))
	case array.Real:
		fmt.Fprintln(b, number(real(z)))
	default:
		fmt.Fprintln(b, number(real(z)), number(imag(z)))
	}
}
