package exercise

import (
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/core/array"
	"nimbusreach/core/compare"
	"nimbusreach/core/dataio"
	"nimbusreach/core/notation"
)

// exercise reads one exercise folder. It returns nil when there is nothing to go
// on with.
func (l *loader) exercise(dir, name string, counting int) *Exercise {
	file := path.Join(dir, "exercise.yaml")
	root := l.yaml(file)
	if root == nil {
		return nil
	}
	e := &Exercise{Name: name, Dir: dir, Counting: counting, Rules: Rules{Loops: LoopsAllow}, Values: "shown", Causes: "always", Accepts: []string{"program"}, file: file}
	m := l.mapping(file, root, Keys["exercise"]...)
	e.Title = l.required(file, root, m, "title")
	if n := m["topics"]; n != nil {
		for _, t := range l.list(file, root, n, "topics") {
			e.Topics = append(e.Topics, l.word(file, t, Topics...))
		}
	}
	l.times(e, m)
	if n := m["inputs"]; n != nil {
		l.entries(file, n, func(key, value *yaml.Node) { l.input(e, key, value) })
	}
	if n := m["outputs"]; n != nil {
		l.entries(file, n, func(key, value *yaml.Node) { l.output(e, key, value) })
	}
	l.checks(e, m)
	if len(e.Outputs)+len(e.Functions)+len(e.Properties) == 0 {
		l.at(file, root, "the exercise checks nothing", "declare at least one output: `outputs: {per_rope: {axes: [rope]}}`")
	}
	l.rules(e, m)
	l.cases(e, dir, root, m["cases"])
	e.Prompt, _ = l.text(path.Join(dir, "prompt.md"))
	e.Starter = l.optional(path.Join(dir, "starter.nra"))
	e.Reference, _ = l.text(path.Join(dir, "reference.nra"))
	l.foreseen(e, dir, root, m)
	return e
}

func (l *loader) times(e *Exercise, m map[string]*yaml.Node) {
	if n := m["opens"]; n != nil {
		e.Opens = l.time(e.file, n)
	}
	if n := m["closes"]; n != nil {
		e.Closes = l.time(e.file, n)
		if e.Opens != nil && e.Closes != nil && e.Closes.Before(*e.Opens) {
			l.at(e.file, n, "the exercise closes before it opens", "mend one of `opens` and `closes`")
		}
	}
}

func (l *loader) input(e *Exercise, key, value *yaml.Node) {
	in := Input{Name: l.declared(e, key, "input"), Kind: array.Real, At: markOf(key)}
	m := l.mapping(e.file, value, Keys["input"]...)
	if n := m["axes"]; n != nil {
		in.HasAxes, in.Axes = true, l.axes(e.file, value, n)
	}
	if n := m["kind"]; n != nil {
		in.Kind, _ = array.ParseKind(l.word(e.file, n, "real", "int", "bool", "complex"))
	}
	if n := m["unit"]; n != nil {
		in.Unit = l.string(e.file, n)
	}
	if n := m["about"]; n != nil {
		in.About = l.string(e.file, n)
	}
	if n := m["missing"]; n != nil {
		if strings.EqualFold(strings.TrimPrefix(n.Value, "."), "nan") {
			in.Missing = true
		} else {
			l.at(e.file, n, fmt.Sprintf("%s is no way to read an empty cell", shown(n)), "write `missing: nan`, or leave the key out")
		}
	}
	e.Inputs = append(e.Inputs, in)
}

// declared checks the name of an input or output.
func (l *loader) declared(e *Exercise, key *yaml.Node, what string) string {
	if !isName(key.Value) {
		l.at(e.file, key, fmt.Sprintf("%s cannot be the name of an %s", shown(key), what), "names are letters, digits and `_`, and no reserved words")
	}
	return key.Value
}

func (l *loader) output(e *Exercise, key, value *yaml.Node) {
	out := Output{Name: l.declared(e, key, "output"), Points: 1, Tolerance: compare.Default, At: markOf(key)}
	m := l.mapping(e.file, value, Keys["output"]...)
	if n := m["axes"]; n != nil {
		out.HasAxes, out.Axes = true, l.axes(e.file, value, n)
	}
	if n := m["unit"]; n != nil {
		out.Unit = l.string(e.file, n)
	}
	if n := m["points"]; n != nil {
		out.Points = l.number(e.file, n, "points")
	}
	if n := m["tolerance"]; n != nil {
		out.Tolerance = l.tolerance(e.file, n)
	}
	if n := m["nan"]; n != nil {
		out.Tolerance.NaNNever = l.word(e.file, n, "agrees", "never") == "never"
	}
	if n := m["kind"]; n != nil {
		out.Tolerance.ExactKind = l.word(e.file, n, "exact") == "exact"
	}
	if n := m["ones"]; n != nil {
		out.Freedom.Ones = l.word(e.file, n, "ignore", "count") == "ignore"
	}
	for key, to := range map[string]*string{"any_order": &out.Freedom.AnyOrder, "free_sign": &out.Freedom.FreeSign, "free_scale": &out.Freedom.FreeScale} {
		if n := m[key]; n != nil {
			*to = l.axisWord(e, n, &out)
		}
	}
	if n := m["present"]; n != nil {
		out.Present = l.presentation(e, n)
	}
	e.Outputs = append(e.Outputs, out)
}

// tolerance reads a tolerance; the half that is not written is 0.
func (l *loader) tolerance(file string, n *yaml.Node) compare.Tolerance {
	t := compare.Tolerance{Written: true}
	m := l.mapping(file, n, Keys["tolerance"]...)
	if v := m["relative"]; v != nil {
		t.Relative = l.number(file, v, "a tolerance")
	}
	if v := m["absolute"]; v != nil {
		t.Absolute = l.number(file, v, "a tolerance")
	}
	if v := m["ulps"]; v != nil {
		t.ULPs = l.number(file, v, "a number of ulps")
		if m["relative"] != nil {
			l.at(file, v, "`ulps` and `relative` stand together", "`ulps` takes the place of `relative`; take one out")
		}
	}
	return t
}

func (l *loader) cases(e *Exercise, dir string, root, n *yaml.Node) {
	items := l.list(e.file, root, n, "cases")
	if n != nil && n.Kind == yaml.SequenceNode && len(items) == 0 {
		l.at(e.file, n, "the exercise has no cases", "give one shown case and one held case at least")
	}
	seen := map[string]bool{}
	for _, item := range items {
		m := l.mapping(e.file, item, Keys["case"]...)
		c := Case{Name: l.required(e.file, item, m, "name"), Inputs: map[string]*array.Array{}, At: markOf(item)}
		c.Group = c.Name
		if c.Name != "" && seen[c.Name] {
			l.at(e.file, m["name"], fmt.Sprintf("two cases are called `%s`", c.Name), "give each case a name of its own")
		}
		seen[c.Name] = true
		if s := m["shown"]; s != nil {
			c.Shown = l.bool(e.file, s)
		}
		if x := m["expects"]; x != nil {
			c.Expects = l.errorCode(e, x)
		}
		l.oneCase(e, dir, c, item, m)
	}
}

// errorCode reads the code of an error a run can end in.
func (l *loader) errorCode(e *Exercise, n *yaml.Node) string {
	codes := notation.RunCodes()
	if slices.Contains(codes, n.Value) {
		return n.Value
	}
	hint := notation.Offer(notation.Nearest(n.Value, codes))
	if hint == "" {
		hint = "write the code of an error, `run.empty` or `shape.broadcast` say; `nimbus explain` lists them"
	}
	l.at(e.file, n, fmt.Sprintf("%s is no error a run can end in", shown(n)), hint)
	return ""
}

// oneCase reads the inputs of a case and draws those that are drawn; a case drawn
// several times gives several.
func (l *loader) oneCase(e *Exercise, dir string, c Case, item *yaml.Node, m map[string]*yaml.Node) {
	if d := m["draw"]; d != nil {
		c.Draw = l.draw(e, d)
		c.Seed = c.Draw.Seed
	}
	lengths := map[string]labelLength{}
	l.caseInputs(e, dir, &c, item, m["inputs"], lengths)
	if c.Draw == nil {
		e.Cases = append(e.Cases, c)
		return
	}
	for repeat := range c.Draw.Repeat {
		one := c
		one.Repeat = repeat
		if c.Draw.Repeat > 1 {
			one.Name = fmt.Sprintf("%s %d", c.Group, repeat+1)
		}
		fixed := map[string]int{}
		for label, at := range lengths {
			fixed[label] = at.length
		}
		drawn, err := c.Draw.Sample(e, c.Group, repeat, fixed, l.room)
		if err != nil {
			l.at(e.file, m["draw"], "the draw cannot be made: "+err.Error(), "widen what is drawn from, or ask for less")
			return
		}
		one.Inputs = maps.Clone(c.Inputs)
		for i := range e.Inputs {
			in := &e.Inputs[i]
			if a := drawn[in.Name]; a != nil {
				if a = l.fit(e, in, m["draw"], a); a != nil {
					one.Inputs[in.Name] = a
				}
			}
		}
		e.Cases = append(e.Cases, one)
	}
}

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
	if size, ok := array.Size(shape); !ok || size > dataio.MaxCells || len(shape) > 32 || !l.room(size) {
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
