package dataio

import (
	"bytes"
	"fmt"
	"math/cmplx"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"nimbusreach/internal/core/array"
)

// matrixMarket reads one file in the Matrix Market exchange format (Boisvert, Pozo,
// Remington 1996): `array` lists every element columns first, `coordinate` lists
// those that are not zero.
type matrixMarket struct {
	coordinate bool
	kind       array.Kind
	pattern    bool
	symmetry   string
	rows, cols int
	entries    int
	rest       string // what follows the line that was read last
	number     int    // of that line
}

type marketLine struct {
	number int
	fields []string
}

// ReadMatrixMarket reads a matrix: real, integer, complex or pattern values; general,
// symmetric, skew-symmetric or Hermitian.
func ReadMatrixMarket(text []byte) (*array.Array, error) {
	text = bytes.TrimPrefix(text, []byte("\ufeff"))
	if !utf8.Valid(text) {
		return nil, &Problem{Message: "the file is not text in UTF-8", Hint: "save it as UTF-8"}
	}
	first, rest, _ := strings.Cut(string(text), "\n")
	m := &matrixMarket{rest: rest, number: 1}
	if err := m.header(first); err != nil {
		return nil, err
	}
	if err := m.size(); err != nil {
		return nil, err
	}
	return m.read()
}

// next is the next line that says something.
func (m *matrixMarket) next() (line marketLine, ok bool) {
	for m.rest != "" {
		var text string
		text, m.rest, _ = strings.Cut(m.rest, "\n")
		m.number++
		if text = strings.TrimSpace(text); text != "" && text[0] != '%' {
			return marketLine{m.number, strings.Fields(text)}, true
		}
	}
	return line, false
}

// left counts the lines that follow, and gives the number of the last of them.
func (m *matrixMarket) left() (count, last int) {
	ahead := *m
	for {
		line, ok := ahead.next()
		if !ok {
			return count, last
		}
		count, last = count+1, line.number
	}
}

func (m *matrixMarket) header(line string) error {
	words := strings.Fields(strings.ToLower(line))
	fault := func(message, hint string) error {
		return &Problem{Line: 1, Column: 1, Message: message, Hint: hint}
	}
	const example = "the first line is like `%%MatrixMarket matrix coordinate real general`"
	if len(words) != 5 || words[0] != "%%matrixmarket" || words[1] != "matrix" {
		return fault("this is not a Matrix Market file of a matrix", example)
	}
	switch words[2] {
	case "coordinate":
		m.coordinate = true
	case "array":
	default:
		return fault(fmt.Sprintf("`%s` is neither array nor coordinate", words[2]), example)
	}
	kinds := map[string]array.Kind{"real": array.Real, "double": array.Real, "integer": array.Int,
		"complex": array.Complex, "pattern": array.Bool}
	kind, ok := kinds[words[3]]
	if !ok || (words[3] == "pattern" && !m.coordinate) {
		return fault(fmt.Sprintf("values cannot be `%s` here", words[3]),
			"they are real, integer or complex, and in coordinate files also pattern")
	}
	m.kind, m.pattern = kind, words[3] == "pattern"
	m.symmetry = words[4]
	if !slices.Contains([]string{"general", "symmetric", "skew-symmetric", "hermitian"}, m.symmetry) {
		return fault(fmt.Sprintf("`%s` is not a symmetry", m.symmetry),
			"it is general, symmetric, skew-symmetric or hermitian")
	}
	if m.symmetry == "hermitian" && m.kind != array.Complex {
		return fault("only complex values can be hermitian", "write symmetric")
	}
	if m.symmetry == "skew-symmetric" && m.pattern {
		return fault("a pattern cannot be skew-symmetric", "write symmetric")
	}
	return nil
}

func (m *matrixMarket) size() error {
	want := 2
	if m.coordinate {
		want = 3
	}
	line, ok := m.next()
	if !ok || len(line.fields) != want {
		return &Problem{Line: 2, Column: 1, Message: "the line of sizes is missing",
			Hint: map[bool]string{false: "it holds rows and columns",
				true: "it holds rows, columns and the number of entries"}[m.coordinate]}
	}
	numbers := make([]int, want)
	for i, f := range line.fields {
		n, err := strconv.Atoi(f)
		if err != nil || n < 0 {
			return &Problem{Line: line.number, Column: i + 1, Message: fmt.Sprintf("`%s` is not a size", f),
				Hint: "sizes are whole numbers, 0 or more"}
		}
		numbers[i] = n
	}
	m.rows, m.cols = numbers[0], numbers[1]
	if extent, ok := array.Extent(numbers[:2]); !ok || extent > MaxCells {
		return &Problem{Line: line.number, Column: 1, Message: fmt.Sprintf("a matrix of %d × %d is too large", m.rows,
			m.cols), Hint: fmt.Sprintf("data have at most %d elements", MaxCells)}
	}
	if m.symmetry != "general" && m.rows != m.cols {
		return &Problem{Line: line.number, Column: 1,
			Message: fmt.Sprintf("a %s matrix is square, and this is %d × %d", m.symmetry, m.rows, m.cols),
			Hint:    "fix the sizes, or write general"}
	}
	m.entries = m.rows * m.cols
	switch {
	case m.coordinate:
		m.entries = numbers[2]
	case m.symmetry == "skew-symmetric":
		m.entries = m.rows * (m.rows - 1) / 2
	case m.symmetry != "general":
		m.entries = m.rows * (m.rows + 1) / 2
	}
	if count, last := m.left(); count != m.entries {
		return &Problem{Line: max(last, 2), Column: 1, Message: fmt.Sprintf("the file has %d entries where %d were announced",
			count, m.entries), Hint: "one entry is on each line"}
	}
	return nil
}

func (m *matrixMarket) read() (*array.Array, error) {
	out := array.New(m.kind, []int{m.rows, m.cols})
	seen := make([]bool, out.Size())
	row, col := m.firstRow(), 0
	for line, ok := m.next(); ok; line, ok = m.next() {
		fields := line.fields
		if m.coordinate {
			var err error
			if row, col, err = m.place(line); err != nil {
				return nil, err
			}
			fields = fields[2:]
		}
		e, err := m.value(line.number, fields)
		if err != nil {
			return nil, err
		}
		if seen[row*m.cols+col] {
			return nil, &Problem{Line: line.number, Column: 1, Message: fmt.Sprintf("the entry %d %d occurs twice", row+1,
				col+1), Hint: "each place occurs once"}
		}
		seen[row*m.cols+col] = true
		e.into(out, row*m.cols+col)
		if row != col && m.symmetry != "general" {
			m.mirrored(e).into(out, col*m.cols+row)
		} else if row == col && m.symmetry == "hermitian" && imag(e.z) != 0 {
			return nil, &Problem{Line: line.number, Column: 1,
				Message: fmt.Sprintf("the diagonal entry %d of a hermitian matrix has an imaginary part", row+1),
				Hint:    "diagonals of hermitian matrices are real"}
		}
		if !m.coordinate {
			row, col = m.nextPlace(row, col)
		}
	}
	return out, nil
}

// firstRow and nextPlace walk the stored part of an array file, columns first.
func (m *matrixMarket) firstRow() int {
	if m.symmetry == "skew-symmetric" {
		return 1
	}
	return 0
}

func (m *matrixMarket) nextPlace(row, col int) (int, int) {
	if row++; row < m.rows {
		return row, col
	}
	col++
	switch m.symmetry {
	case "general":
		return 0, col
	case "skew-symmetric":
		return col + 1, col
	}
	return col, col
}

func (m *matrixMarket) place(line marketLine) (row, col int, err error) {
	if len(line.fields) < 2 {
		return 0, 0, &Problem{Line: line.number, Column: 1, Message: "an entry begins with its row and column",
			Hint: "write `2 1 3.5`"}
	}
	at := [2]int{}
	for i, bound := range []int{m.rows, m.cols} {
		n, err := strconv.Atoi(line.fields[i])
		if err != nil || n < 1 || n > bound {
			return 0, 0, &Problem{Line: line.number, Column: i + 1, Message: fmt.Sprintf("`%s` is not a position from 1 to %d",
				line.fields[i], bound), Hint: "positions in this format count from 1"}
		}
		at[i] = n - 1
	}
	if m.symmetry != "general" && at[1] > at[0] {
		return 0, 0, &Problem{Line: line.number, Column: 1, Message: fmt.Sprintf("the entry %d %d is above the diagonal",
			at[0]+1, at[1]+1), Hint: "a " + m.symmetry + " file holds the lower half only"}
	}
	if m.symmetry == "skew-symmetric" && at[0] == at[1] {
		return 0, 0, &Problem{Line: line.number, Column: 1, Message: "a skew-symmetric matrix has no diagonal entries",
			Hint: "its diagonal is zero; take the line out"}
	}
	return at[0], at[1], nil
}

func (m *matrixMarket) value(line int, fields []string) (element, error) {
	want := 1
	switch {
	case m.pattern:
		want = 0
	case m.kind == array.Complex:
		want = 2
	}
	column := 1
	if m.coordinate {
		column = 3
	}
	if len(fields) != want {
		return element{}, &Problem{Line: line, Column: column,
			Message: fmt.Sprintf("the entry has %d values where %d was expected", len(fields), want),
			Hint:    "complex entries have two values, a pattern has none, all others one"}
	}
	if m.pattern {
		return element{kind: array.Bool, b: true, i: 1, z: 1}, nil
	}
	parts := make([]float64, want)
	for i, f := range fields {
		if m.kind == array.Int {
			n, err := strconv.ParseInt(f, 10, 64)
			if err != nil {
				return element{}, &Problem{Line: line, Column: column + i, Message: fmt.Sprintf("`%s` is not an integer", f),
					Hint: "write the file as real, or fix the entry"}
			}
			return element{kind: array.Int, i: n, z: complex(float64(n), 0)}, nil
		}
		v, err := strconv.ParseFloat(f, 64)
		if err != nil || strings.ContainsAny(f, "xXpP_") {
			return element{}, &Problem{Line: line, Column: column + i, Message: fmt.Sprintf("`%s` is not a number", f),
				Hint: "decimals have a point"}
		}
		parts[i] = v
	}
	if m.kind == array.Complex {
		return element{kind: array.Complex, z: complex(parts[0], parts[1])}, nil
	}
	return element{kind: array.Real, z: complex(parts[0], 0)}, nil
}

// mirrored is the entry on the other side of the diagonal.
func (m *matrixMarket) mirrored(e element) element {
	switch m.symmetry {
	case "skew-symmetric":
		e.i, e.z = -e.i, -e.z
	case "hermitian":
		e.z = cmplx.Conj(e.z)
	}
	return e
}

// Vector gives a matrix of one row or one column one axis.
func Vector(a *array.Array) (*array.Array, error) {
	if a.Rank() == 2 && (a.Len(0) == 1 || a.Len(1) == 1) {
		return a.Reshape([]int{a.Size()}), nil
	}
	return nil, &Problem{Message: fmt.Sprintf("the matrix is %d × %d, and one axis was declared", a.Len(0), a.Len(1)),
		Hint: "give one row or one column, or declare two axes"}
}
