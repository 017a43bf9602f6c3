package notation

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// Draw writes a diagnostic for a terminal: the message, the line with a caret
// under the place, shapes aligned at their last axes with the pair
// that does not fit marked, and the hint. name is the text's file name or "".
func Draw(d *Diagnostic, src *Source, name string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s: %s\n", d.Code, d.Message)
	if src != nil && d.Place.Line > 0 {
		drawPlace(&b, d.Place, src, name)
	}
	for _, line := range ShapeRows(d.Shapes) {
		fmt.Fprintf(&b, "    %s\n", line)
	}
	if d.Hint != "" {
		fmt.Fprintf(&b, "  try: %s\n", d.Hint)
	}
	return b.String()
}

// DrawPlace writes the line of a place with a caret under it.
func DrawPlace(at Place, src *Source, name string) string {
	var b strings.Builder
	drawPlace(&b, at, src, name)
	return b.String()
}

func drawPlace(b *strings.Builder, at Place, src *Source, name string) {
	line := strings.ReplaceAll(src.Line(at.Line), "\t", " ")
	width := at.EndColumn - at.Column
	if at.EndLine > at.Line {
		width = utf8.RuneCountInString(line) + 1 - at.Column
	}
	const most = 100
	column := at.Column
	if runes := []rune(line); len(runes) > most {
		from := max(0, min(at.Column-most/2, len(runes)-most))
		line = string(runes[from:from+most]) + "…"
		column -= from
	}
	number := fmt.Sprint(at.Line)
	if name != "" {
		fmt.Fprintf(b, "  %s, line %d, column %d\n", name, at.Line, at.Column)
	}
	fmt.Fprintf(b, "  %s | %s\n", number, line)
	carets := strings.Repeat("^", min(max(width, 1), max(1, most-column+2)))
	fmt.Fprintf(b, "  %s | %s%s\n", strings.Repeat(" ", len(number)), strings.Repeat(" ", max(column-1, 0)), carets)
}

// ShapeRows draws shapes as strips of cells, one a line, aligned at the last
// axis. A marked axis is between "›" and "‹" on every line.
func ShapeRows(shapes []Shape) []string {
	rank := 0
	for _, s := range shapes {
		rank = max(rank, len(s.Lengths))
	}
	cells := make([][]string, len(shapes))
	widths := make([]int, rank)
	for k, s := range shapes {
		cells[k] = make([]string, rank)
		shift := rank - len(s.Lengths)
		for i, d := range s.Lengths {
			text := fmt.Sprint(d)
			if d < 0 {
				text = "?"
			}
			if l := s.Label(i); l != "" {
				text = l + " " + text
			}
			if i == s.Mark {
				text = "›" + text + "‹"
			}
			cells[k][shift+i] = text
			widths[shift+i] = max(widths[shift+i], utf8.RuneCountInString(text))
		}
	}
	rows := make([]string, len(shapes))
	for k, s := range shapes {
		if len(s.Lengths) == 0 {
			rows[k] = "scalar, no axes"
			continue
		}
		var b strings.Builder
		shift := rank - len(s.Lengths)
		for i := range rank {
			text := cells[k][i]
			pad := strings.Repeat(" ", widths[i]-utf8.RuneCountInString(text))
			switch {
			case i < shift:
				b.WriteString("  " + pad + " ")
			default:
				b.WriteString("│ " + pad + text + " ")
			}
		}
		rows[k] = b.String() + "│"
	}
	return rows
}
