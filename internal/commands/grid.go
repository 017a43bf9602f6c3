package commands

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"unicode/utf8"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/functions"
)

// extent bounds what a terminal shows of one array.
type extent struct{ rows, columns, layers int }

var (
	short = extent{12, 10, 4}
	whole = extent{math.MaxInt, math.MaxInt, math.MaxInt}
)

// grid draws an array for a terminal: a scalar on one line, one axis as a row,
// two as a grid with positions, more as layers of grids.
func grid(a *array.Array, counting int, most extent) string {
	return gridOf(a, counting, most, element)
}

// gridOf is grid with elements that show writes.
func gridOf(a *array.Array, counting int, most extent, show func(a *array.Array, i int) string) string {
	if a.Rank() == 0 {
		return "  " + show(a, 0) + "\n"
	}
	if a.Size() == 0 {
		return "  (no elements)\n"
	}
	var b strings.Builder
	if a.Rank() <= 2 {
		layer(&b, a, counting, most, show)
		return b.String()
	}
	lead := a.Shape()[:a.Rank()-2]
	layers, _ := array.Size(lead)
	for i := range min(layers, most.layers) {
		picks := make([]array.Pick, a.Rank())
		var names []string
		rest := i
		for axis := len(lead) - 1; axis >= 0; axis-- {
			at := rest % lead[axis]
			rest /= lead[axis]
			picks[axis] = array.Pick{Kind: array.PickPosition, Start: at}
			names = append([]string{axisName(a, axis, counting) + "=" + strconv.Itoa(at+counting)}, names...)
		}
		for axis := len(lead); axis < a.Rank(); axis++ {
			picks[axis] = array.WholeAxis(a.Len(axis))
		}
		fmt.Fprintf(&b, "  %s\n", strings.Join(names, ", "))
		layer(&b, a.Select(picks), counting, most, show)
	}
	if layers > most.layers {
		fmt.Fprintf(&b, "  … %d more layers\n", layers-most.layers)
	}
	return b.String()
}

func axisName(a *array.Array, axis, counting int) string {
	if a.Label(axis) == "" {
		return "axis " + functions.AxisWord(a, axis, counting)
	}
	return a.Label(axis)
}

// layer draws one or two axes.
func layer(b *strings.Builder, a *array.Array, counting int, most extent, show func(a *array.Array, i int) string) {
	rows, columns := 1, a.Len(a.Rank()-1)
	if a.Rank() == 2 {
		rows = a.Len(0)
	}
	shownRows, shownColumns := min(rows, most.rows), min(columns, most.columns)
	cells := make([][]string, shownRows)
	for i := range cells {
		cells[i] = make([]string, shownColumns)
		for j := range cells[i] {
			cells[i][j] = show(a, i*columns+j)
		}
	}
	for j := range shownColumns {
		alignColumn(cells, j)
	}
	stub := 0
	if a.Rank() == 2 {
		stub = max(utf8.RuneCountInString(a.Label(0)), len(strconv.Itoa(rows-1+counting)))
	}
	corner := fmt.Sprintf("%*s", stub, "")
	if a.Rank() == 2 {
		corner = fmt.Sprintf("%-*s", stub, a.Label(0))
	}
	fmt.Fprintf(b, "  %s │", corner)
	for j := range shownColumns {
		width := max(utf8.RuneCountInString(cells[0][j]), len(strconv.Itoa(columns-1+counting)))
		fmt.Fprintf(b, " %*d", width, j+counting)
		for i := range cells {
			cells[i][j] = fmt.Sprintf("%*s", width, cells[i][j])
		}
	}
	if columns > shownColumns {
		fmt.Fprintf(b, " … %d more", columns-shownColumns)
	}
	if l := a.Label(a.Rank() - 1); l != "" {
		fmt.Fprintf(b, "  %s", l)
	}
	b.WriteString("\n")
	for i, row := range cells {
		name := fmt.Sprintf("%*s", stub, "")
		if a.Rank() == 2 {
			name = fmt.Sprintf("%*d", stub, i+counting)
		}
		fmt.Fprintf(b, "  %s │ %s\n", name, strings.Join(row, " "))
	}
	if rows > shownRows {
		fmt.Fprintf(b, "  … %d more rows\n", rows-shownRows)
	}
}

// alignColumn pads a column's cells so that numbers align at the point.
func alignColumn(cells [][]string, j int) {
	after := 0
	width := 0
	for i := range cells {
		after = max(after, afterPoint(cells[i][j]))
	}
	for i := range cells {
		cells[i][j] += strings.Repeat(" ", after-afterPoint(cells[i][j]))
		width = max(width, utf8.RuneCountInString(cells[i][j]))
	}
	for i := range cells {
		cells[i][j] = strings.Repeat(" ", width-utf8.RuneCountInString(cells[i][j])) + cells[i][j]
	}
}

func afterPoint(s string) int {
	if i := strings.IndexByte(s, '.'); i >= 0 && !strings.HasSuffix(s, "i") {
		return len(s) - i
	}
	return 0
}

// element writes one element with up to six significant digits.
func element(a *array.Array, i int) string {
	switch a.Kind() {
	case array.Real:
		return shortReal(a.RealAt(i))
	case array.Complex:
		z := a.ComplexAt(i)
		sign := "+"
		if imag(z) < 0 {
			sign = "-"
		}
		return shortReal(real(z)) + " " + sign + " " + shortReal(math.Abs(imag(z))) + "i"
	}
	return dataio.FormatElement(a, i)
}

func shortReal(v float64) string {
	if v-v != 0 {
		return dataio.FormatReal(v)
	}
	text := strconv.FormatFloat(v, 'g', 6, 64)
	if !strings.ContainsAny(text, ".e") {
		text += ".0"
	}
	return text
}
