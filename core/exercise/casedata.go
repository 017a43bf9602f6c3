package exercise

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/core/array"
	"nimbusreach/core/dataio"
	"nimbusreach/core/notation"
)

// caseInputs reads a case's arrays and holds them against the declarations.
func (l *loader) caseInputs(e *Exercise, dir string, c *Case, item, n *yaml.Node, lengths map[string]labelLength) {
	given := map[string]*yaml.Node{}
	if n != nil {
		l.entries(e.file, n, func(key, value *yaml.Node) {
			given[key.Value] = value
			if e.input(key.Value) == nil {
				l.unknownInput(e, key)
			}
		})
	}
	for i := range e.Inputs {
		in := &e.Inputs[i]
		value := given[in.Name]
		if c.Draw != nil && c.Draw.Inputs[in.Name] != nil {
			if value != nil {
				l.at(e.file, value, fmt.Sprintf("`%s` is given and drawn", in.Name), "take one out")
			}
			continue
		}
		if value == nil {
			if c.Draw != nil && c.Draw.failed {
				continue
			}
			at := item
			if n != nil {
				at = n
			}
			l.at(e.file, at, fmt.Sprintf("the case `%s` gives no `%s`", c.Name, in.Name), "give every declared input in every case")
			continue
		}
		a := l.data(e, dir, in, value)
		if a == nil {
			continue
		}
		if a = l.fit(e, in, value, a); a != nil {
			l.checkLabels(e, in.Name, value, a, lengths)
			c.Inputs[in.Name] = a
		}
	}
}

// labelLength is the length an axis label has in a case, and where it was met.
type labelLength struct {
	length int
	input  string
}

// checkLabels holds that a label has one length within a case.
func (l *loader) checkLabels(e *Exercise, name string, at *yaml.Node, a *array.Array, lengths map[string]labelLength) {
	for axis := range a.Rank() {
		label := a.Label(axis)
		if label == "" {
			continue
		}
		if known, ok := lengths[label]; ok && known.length != a.Len(axis) {
			l.at(e.file, at, fmt.Sprintf("the axis `%s` has the length %d in `%s` and %d in `%s`", label, known.length, known.input, a.Len(axis), name), "a label has one length within a case; mend the data, or call one axis otherwise")
			continue
		}
		lengths[label] = labelLength{a.Len(axis), name}
	}
}

// data reads one input's value: a number, a nested list, a file, or {shape: [...]}.
func (l *loader) data(e *Exercise, dir string, in *Input, n *yaml.Node) *array.Array {
	if n.Kind == yaml.ScalarNode && n.Tag == "!!str" && !isNonFinite(n.Value) {
		return l.dataFile(e, dir, in, n, "")
	}
	if n.Kind == yaml.MappingNode && hasKey(n, "file") {
		m := l.mapping(e.file, n, Keys["table"]...)
		column := ""
		if c := m["column"]; c != nil {
			column = l.string(e.file, c)
		}
		return l.dataFile(e, dir, in, m["file"], column)
	}
	if n.Kind == yaml.MappingNode {
		return l.shaped(e, in, n)
	}
	a, err := dataio.FromJSON(plain(n))
	if err != nil {
		l.dataProblem(e.file, n.Line, n.Column, err)
		return nil
	}
	return a
}

func isNonFinite(word string) bool { return word == "nan" || word == "inf" || word == "-inf" }

// shaped reads {shape: [0, 2, 3]}: zeros of that shape, meant for empty arrays.
func (l *loader) shaped(e *Exercise, in *Input, n *yaml.Node) *array.Array {
	m := l.mapping(e.file, n, Keys["array"]...)
	if m["shape"] == nil {
		l.at(e.file, n, "the input's value has no `shape`", "write `{shape: [0, 2, 3]}`, a list, or the name of a file")
		return nil
	}
	if m["data"] != nil {
		a, err := dataio.FromJSON(plain(n))
		if err != nil {
			l.dataProblem(e.file, n.Line, n.Column, err)
			return nil
		}
		return a
	}
	items := l.list(e.file, n, m["shape"], "shape")
	shape := make([]int, len(items))
	for i, item := range items {
		shape[i] = int(l.number(e.file, item, "a length"))
	}
	if size, ok := array.Extent(shape); !ok || size > dataio.MaxCells || len(shape) > 32 || !l.room(size) {
		l.at(e.file, m["shape"], "the shape is too large", fmt.Sprintf("an array of a case has at most %d elements, a course %d in all", dataio.MaxCells, maxCells))
		return nil
	}
	return array.New(in.Kind, shape)
}

func hasKey(n *yaml.Node, key string) bool {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return true
		}
	}
	return false
}

func (l *loader) dataFile(e *Exercise, dir string, in *Input, n *yaml.Node, column string) *array.Array {
	if !l.inside(e, n) {
		return nil
	}
	file := path.Join(dir, n.Value)
	if _, err := fs.Stat(l.fsys, file); err != nil {
		hint := "data lies below the exercise's folder, `data/spring.csv`"
		if !errors.Is(err, fs.ErrNotExist) {
			hint = "links must stay inside the course folder"
		}
		l.at(e.file, n, fmt.Sprintf("the file %s cannot be opened", shown(n)), hint)
		return nil
	}
	raw, ok := l.read(file)
	if !ok {
		return nil
	}
	var a *array.Array
	var err error
	switch ext := path.Ext(n.Value); {
	case column != "" && ext != ".csv":
		l.at(e.file, n, fmt.Sprintf("the file %s has no columns to choose from", shown(n)), "columns are those of a CSV file with a header")
		return nil
	case ext == ".csv":
		a, err = l.table(e, in, n, raw, column)
	case ext == ".json":
		a, err = dataio.ReadJSON(raw)
	case ext == ".mtx":
		if a, err = dataio.ReadMatrixMarket(raw); err == nil && in.HasAxes && len(in.Axes) == 1 {
			a, err = dataio.Vector(a)
		}
	default:
		l.at(e.file, n, fmt.Sprintf("the file %s is none of .csv, .json and .mtx", shown(n)), "save the data as CSV, JSON or Matrix Market")
		return nil
	}
	if err != nil {
		l.dataProblem(file, 1, 1, err)
		return nil
	}
	return a
}

// inside refuses paths that leave the exercise's folder.
func (l *loader) inside(e *Exercise, n *yaml.Node) bool {
	if n.Kind == yaml.ScalarNode && !path.IsAbs(n.Value) && !strings.Contains(n.Value, "\\") && fs.ValidPath(n.Value) {
		return true
	}
	l.at(e.file, n, fmt.Sprintf("the path %s leaves the exercise's folder or is not written plainly", shown(n)), "name a file below the exercise's folder, `data/spring.csv`")
	return false
}

// table reads a CSV file as a long table, one column or a plain table.
func (l *loader) table(e *Exercise, in *Input, n *yaml.Node, raw []byte, column string) (*array.Array, error) {
	t, err := dataio.ReadTable(raw)
	if err != nil {
		return nil, err
	}
	if in.HasAxes && t.IsLong(in.Axes, column) {
		return t.Long(in.Axes, column, in.Missing)
	}
	if column != "" {
		return t.Column(column, in.Missing)
	}
	rank := 2
	switch {
	case in.HasAxes:
		rank = len(in.Axes)
	case len(t.Rows) == 1 || (len(t.Rows) > 0 && len(t.Rows[0]) == 1):
		rank = 1
	}
	if rank == 0 && len(t.Rows) == 1 && len(t.Rows[0]) == 1 {
		a, err := t.Array(1, in.Missing)
		if err != nil {
			return nil, err
		}
		return a.Reshape(nil), nil
	}
	if rank != 1 && rank != 2 {
		return nil, &dataio.Problem{Line: 1, Column: 1, Message: fmt.Sprintf("a plain table has one or two axes, and `%s` has %d", in.Name, rank), Hint: "write a long table, whose header names every axis and one value column, or JSON"}
	}
	return t.Array(rank, in.Missing)
}

func (l *loader) dataProblem(file string, line, column int, err error) {
	var p *dataio.Problem
	if errors.As(err, &p) {
		if p.Line > 0 && (strings.HasSuffix(file, ".csv") || strings.HasSuffix(file, ".mtx")) {
			line, column = p.Line, p.Column
		}
		l.problem(file, line, column, p.Message, p.Hint)
		return
	}
	l.problem(file, line, column, err.Error(), "look at the data")
}

// room takes so many cells from what a course may hold; false when they are too many.
func (l *loader) room(cells int) bool {
	l.cells += cells
	return l.cells <= maxCells
}

// fit holds data against the declared kind and axes, widens and labels it.
func (l *loader) fit(e *Exercise, in *Input, n *yaml.Node, a *array.Array) *array.Array {
	if a.Kind() > in.Kind && a.Size() > 0 {
		l.at(e.file, n, fmt.Sprintf("`%s` is declared %s, and its data are %s", in.Name, in.Kind, a.Kind()), fmt.Sprintf("declare `kind: %s`, or mend the data", a.Kind()))
		return nil
	}
	if a.Kind() > in.Kind {
		a = array.New(in.Kind, a.Shape())
	}
	if in.HasAxes && a.Rank() != len(in.Axes) {
		l.at(e.file, n, fmt.Sprintf("`%s` is declared with %d axes, and its data have the shape %s", in.Name, len(in.Axes), notation.Shape{Lengths: a.Shape(), Mark: -1}), "mend the data, or the declared axes")
		return nil
	}
	a = a.Widen(in.Kind)
	if in.HasAxes {
		a = a.WithLabels(in.Axes)
	}
	return a
}
