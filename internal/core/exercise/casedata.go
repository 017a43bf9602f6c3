package exercise

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/notation"
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
			l.at(e.file, at, fmt.Sprintf("the case `%s` gives no `%s`", c.Name, in.Name),
				"give every declared input in every case")
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
			l.at(e.file, at, fmt.Sprintf("the axis `%s` has the length %d in `%s` and %d in `%s`", label, known.length,
				known.input, a.Len(axis), name), "a label has one length within a case; fix the data, or call one axis otherwise")
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
	if a.Kind() > in.Kind && a.Size() > 0 {
		at := nodeAt(n, in.Kind)
		l.at(e.file, at, fmt.Sprintf("%s%s is %s, and `%s` is declared %s", l.about(n), shown(at), a.Kind(), in.Name,
			in.Kind), fmt.Sprintf("declare `kind: %s`, or fix the data", a.Kind()))
		return nil
	}
	return a
}

// nodeAt finds the first value below a node that is wider than a kind.
func nodeAt(n *yaml.Node, kind array.Kind) *yaml.Node {
	n = resolve(n)
	for _, c := range n.Content {
		if at := nodeAt(c, kind); at != nil {
			return at
		}
	}
	if len(n.Content) > 0 {
		return nil
	}
	if a, err := dataio.FromJSON(plain(n)); err == nil && a.Kind() > kind {
		return n
	}
	return nil
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
	if size, ok := array.Extent(shape); !ok || size > dataio.MaxCells || len(shape) > 32 || !l.take(size) {
		l.at(e.file, m["shape"], "the shape is too large",
			fmt.Sprintf("an array of a case has at most %d elements, a course %d in all", dataio.MaxCells, maxCells))
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
		hint := "data is below the exercise's folder, `data/spring.csv`"
		if !errors.Is(err, fs.ErrNotExist) {
			hint = "links must stay inside the course folder"
		}
		l.at(e.file, n, fmt.Sprintf("the file %s cannot be opened", shown(n)), hint)
		return nil
	}
	key := file + "\x00" + in.Name + "\x00" + column
	if l.faulty[key] || l.faulty[file] {
		return nil // reported already
	}
	raw, ok := l.read(file)
	if !ok {
		l.fault(file)
		return nil
	}
	var a *array.Array
	var err error
	switch ext := path.Ext(n.Value); {
	case column != "" && ext != ".csv" && ext != ".nc":
		l.at(e.file, n, fmt.Sprintf("the file %s has no columns to choose from", shown(n)),
			"columns are those of a CSV file with a header, or a variable of a netCDF file")
		return nil
	case ext == ".nc":
		a, err = l.netCDF(in, raw, column)
	case ext == ".csv":
		a, err = l.table(e, in, n, raw, column)
	case ext == ".json":
		a, err = dataio.ReadJSON(raw)
	case ext == ".mtx":
		if a, err = dataio.ReadMatrixMarket(raw); err == nil && in.HasAxes && len(in.Axes) == 1 {
			a, err = dataio.Vector(a)
		}
	default:
		l.at(e.file, n, fmt.Sprintf("the file %s is not one of .csv, .json, .mtx and .nc", shown(n)),
			"save the data as CSV, JSON, Matrix Market or netCDF")
		return nil
	}
	if err != nil {
		l.fault(file)
		l.dataProblem(file, 1, 1, err)
		return nil
	}
	if a.Kind() > in.Kind && a.Size() > 0 {
		l.fault(key)
		l.wider(file, in, raw, a)
		return nil
	}
	return a
}

// netCDF reads a variable of a netCDF file: the one that is asked for, that is called as the input, or that is alone.
func (l *loader) netCDF(in *Input, raw []byte, variable string) (*array.Array, error) {
	f, err := dataio.ReadNetCDF(raw)
	if err != nil {
		return nil, err
	}
	if variable == "" {
		if variable = f.Only(); variable == "" || slices.Contains(f.Names(), in.Name) {
			variable = in.Name
		}
	}
	a, err := f.Array(variable, in.Missing)
	if err != nil || !in.HasAxes || len(in.Axes) != a.Rank() {
		return a, err
	}
	for i, label := range in.Axes {
		if got := a.Label(i); got != "" && label != "" && got != label {
			return nil, &dataio.Problem{Message: fmt.Sprintf("the axes of `%s` are %s, and %s are declared", variable,
				strings.Join(a.Labels(), ", "), strings.Join(in.Axes, ", ")),
				Hint: "write the variable with its dimensions in the declared order, or declare them as they are"}
		}
	}
	return a, nil
}

// fault remembers what was reported of a data file.
func (l *loader) fault(key string) {
	if l.faulty == nil {
		l.faulty = map[string]bool{}
	}
	l.faulty[key] = true
}

// wider says which cell of a file does not fit the declared kind.
func (l *loader) wider(file string, in *Input, raw []byte, a *array.Array) {
	p := exerciseCell{line: 1, column: 1, text: a.Kind().String()}
	if path.Ext(file) == ".csv" {
		if t, err := dataio.ReadTable(raw); err == nil {
			if line, column, text, ok := t.FirstWider(in.Kind); ok {
				p = exerciseCell{line, column, text}
			}
		}
	} else if i := dataio.FirstWider(a, in.Kind); i >= 0 {
		p.text = dataio.FormatElement(a, i) + "` at `" + positionText(a.Shape(), i)
	}
	l.problem(file, p.line, p.column, fmt.Sprintf("`%s` is %s, and `%s` is declared %s", p.text, a.Kind(), in.Name,
		in.Kind), fmt.Sprintf("declare `kind: %s`, or fix the data", a.Kind()))
}

// exerciseCell is a place in a data file, and what is there.
type exerciseCell struct {
	line, column int
	text         string
}

// positionText writes where an element lies, from 0, as the file lists it.
func positionText(shape []int, flat int) string {
	parts := make([]string, len(shape))
	for i := len(shape) - 1; i >= 0; i-- {
		parts[i] = strconv.Itoa(flat % shape[i])
		flat /= shape[i]
	}
	return "[" + strings.Join(parts, ", ") + "]"
}

// inside refuses paths that leave the exercise's folder.
func (l *loader) inside(e *Exercise, n *yaml.Node) bool {
	if n.Kind == yaml.ScalarNode && !path.IsAbs(n.Value) && !strings.Contains(n.Value, "\\") && fs.ValidPath(n.Value) {
		return true
	}
	l.at(e.file, n, fmt.Sprintf("the path %s leaves the exercise's folder or is not written plainly", shown(n)),
		"name a file below the exercise's folder, `data/spring.csv`")
	return false
}

// table reads a CSV file as a long table, one column or a plain table.
func (l *loader) table(e *Exercise, in *Input, n *yaml.Node, raw []byte, column string) (*array.Array, error) {
	t, err := dataio.ReadTable(raw)
	if err != nil {
		return nil, err
	}
	if in.HasAxes && t.IsLong(in.Axes, column) {
		l.coordinates(in, path.Join(e.Dir, n.Value), t)
		return t.Long(in.Axes, column, in.Missing)
	}
	if in.HasAxes && column == "" {
		if err := t.Misspelt(in.Axes); err != nil {
			return nil, err
		}
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
		return nil, &dataio.Problem{Line: 1, Column: 1,
			Message: fmt.Sprintf("a plain table has one or two axes, and `%s` has %d", in.Name, rank),
			Hint:    "write a long table, whose header names every axis and one value column, or JSON"}
	}
	return t.Array(rank, in.Missing)
}

// coordinates compares the names of a long table's places with those that other files of
// the case give the same axis: one that a single file spells otherwise is an error.
func (l *loader) coordinates(in *Input, file string, t *dataio.Table) {
	for _, label := range in.Axes {
		names := t.Coordinates(label)
		if known, ok := l.places[label]; ok && known.file != file {
			for _, name := range names {
				if slices.ContainsFunc(known.names, func(k dataio.Coordinate) bool { return k.Name == name.Name }) {
					continue
				}
				var others []string
				for _, k := range known.names {
					if !slices.ContainsFunc(names, func(n dataio.Coordinate) bool { return n.Name == k.Name }) {
						others = append(others, k.Name)
					}
				}
				if near := nearest(name.Name, others); near != "" && !l.faulty[file+"\x00"+label] {
					l.fault(file + "\x00" + label)
					l.problem(file, name.Line, name.Column,
						fmt.Sprintf("`%s` stands for a place of the axis `%s`, which %s spells `%s`", name.Name, label,
							path.Base(known.file), near), "spell a place the same in every file of a case")
				}
			}
			continue
		}
		if l.places == nil {
			l.places = map[string]placeNames{}
		}
		l.places[label] = placeNames{file, names}
	}
}

// placeNames are the places of an axis as one file of a case names them.
type placeNames struct {
	file  string
	names []dataio.Coordinate
}

// nearest is a name that differs by its case, or by a slip of the finger.
func nearest(name string, others []string) string {
	for _, o := range others {
		if strings.EqualFold(o, name) {
			return o
		}
	}
	if strings.ContainsAny(name, "0123456789") {
		return "" // another number is another place
	}
	if near := notation.Nearest(name, others); len(near) > 0 {
		return near[0]
	}
	return ""
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

// take counts so many cells from what a course may hold; false when they are too many.
func (l *loader) take(cells int) bool {
	l.cells += cells
	return l.cells <= maxCells
}

// fit holds data against the declared kind and axes, widens and labels it.
func (l *loader) fit(e *Exercise, in *Input, n *yaml.Node, a *array.Array) *array.Array {
	if a.Kind() > in.Kind && a.Size() > 0 {
		l.at(e.file, n, fmt.Sprintf("`%s` is declared %s, and its data are %s", in.Name, in.Kind, a.Kind()),
			fmt.Sprintf("declare `kind: %s`, or fix the data", a.Kind()))
		return nil
	}
	if a.Kind() > in.Kind {
		a = array.New(in.Kind, a.Shape())
	}
	if in.HasAxes && a.Rank() != len(in.Axes) {
		l.at(e.file, n, fmt.Sprintf("`%s` is declared with %d axes, and its data have the shape %s", in.Name, len(in.Axes),
			notation.Shape{Lengths: a.Shape(), Mark: -1}), "fix the data, or the declared axes")
		return nil
	}
	a = a.Widen(in.Kind)
	if in.HasAxes {
		a = a.WithLabels(in.Axes)
	}
	return a
}
