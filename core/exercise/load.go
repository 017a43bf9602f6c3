package exercise

import (
	"errors"
	"fmt"
	"io/fs"
	"path"
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
	e := &Exercise{Name: name, Counting: counting, Loops: LoopsAllow, Values: "shown", file: file}
	m := l.mapping(file, root, "title", "topics", "opens", "closes", "inputs", "outputs", "cases", "rules", "feedback")
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
	if len(e.Outputs) == 0 {
		l.at(file, root, "the exercise checks nothing", "declare at least one output: `outputs: {per_rope: {axes: [rope]}}`")
	}
	if n := m["rules"]; n != nil {
		if loops := l.mapping(file, n, "loops")["loops"]; loops != nil {
			e.Loops = LoopRule(l.word(file, loops, "refuse", "warn", "allow"))
		}
	}
	if n := m["feedback"]; n != nil {
		if values := l.mapping(file, n, "values")["values"]; values != nil {
			e.Values = l.word(file, values, "shown", "never")
		}
	}
	l.cases(e, dir, root, m["cases"])
	e.Prompt, _ = l.text(path.Join(dir, "prompt.md"))
	e.Starter = l.optional(path.Join(dir, "starter.nra"))
	e.Reference, _ = l.text(path.Join(dir, "reference.nra"))
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
	in := Input{Name: l.declared(e, key, "input"), Kind: array.Real}
	m := l.mapping(e.file, value, "axes", "kind", "unit", "about", "missing")
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
	out := Output{Name: l.declared(e, key, "output"), Points: 1, Tolerance: compare.Default}
	m := l.mapping(e.file, value, "axes", "unit", "tolerance", "points", "nan", "kind")
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
	e.Outputs = append(e.Outputs, out)
}

// tolerance reads a tolerance; the half that is not written is 0.
func (l *loader) tolerance(file string, n *yaml.Node) compare.Tolerance {
	t := compare.Tolerance{Written: true}
	m := l.mapping(file, n, "relative", "absolute", "ulps")
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
		m := l.mapping(e.file, item, "name", "shown", "inputs")
		c := Case{Name: l.required(e.file, item, m, "name"), Inputs: map[string]*array.Array{}}
		if c.Name != "" && seen[c.Name] {
			l.at(e.file, m["name"], fmt.Sprintf("two cases are called `%s`", c.Name), "give each case a name of its own")
		}
		seen[c.Name] = true
		if s := m["shown"]; s != nil {
			c.Shown = l.bool(e.file, s)
		}
		l.caseInputs(e, dir, &c, item, m["inputs"])
		e.Cases = append(e.Cases, c)
	}
}

// caseInputs reads a case's arrays and holds them against the declarations.
func (l *loader) caseInputs(e *Exercise, dir string, c *Case, item, n *yaml.Node) {
	given := map[string]*yaml.Node{}
	if n != nil {
		l.entries(e.file, n, func(key, value *yaml.Node) {
			given[key.Value] = value
			for _, in := range e.Inputs {
				if in.Name == key.Value {
					return
				}
			}
			hint := notation.Offer(notation.Nearest(key.Value, e.InputNames()))
			if hint == "" {
				hint = "declare it under `inputs`, or take it out"
			}
			l.at(e.file, key, fmt.Sprintf("the case gives `%s`, which is no declared input", key.Value), hint)
		})
	}
	lengths := map[string]labelLength{}
	for i := range e.Inputs {
		in := &e.Inputs[i]
		value := given[in.Name]
		if value == nil {
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
		return l.dataFile(e, dir, in, n)
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
	m := l.mapping(e.file, n, "shape", "kind", "axes", "data")
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
	if size, ok := array.Size(shape); !ok || size > dataio.MaxCells || len(shape) > 32 {
		l.at(e.file, m["shape"], "the shape is too large", fmt.Sprintf("an array of a case has at most %d elements", dataio.MaxCells))
		return nil
	}
	return array.New(in.Kind, shape)
}

func (l *loader) dataFile(e *Exercise, dir string, in *Input, n *yaml.Node) *array.Array {
	file := path.Join(dir, n.Value)
	if path.IsAbs(n.Value) || strings.Contains(n.Value, "\\") || !fs.ValidPath(n.Value) {
		l.at(e.file, n, fmt.Sprintf("the path %s leaves the exercise's folder or is not written plainly", shown(n)), "name a file below the exercise's folder, `data/spring.csv`")
		return nil
	}
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
	switch path.Ext(n.Value) {
	case ".csv":
		var t *dataio.Table
		if t, err = dataio.ReadTable(raw); err == nil {
			rank := 2
			if in.HasAxes {
				rank = len(in.Axes)
			}
			if rank != 1 && rank != 2 {
				l.at(e.file, n, fmt.Sprintf("a plain table has one or two axes, and `%s` has %d", in.Name, rank), "write the data as JSON, or as a list")
				return nil
			}
			a, err = t.Array(rank, in.Missing)
		}
	case ".json":
		a, err = dataio.ReadJSON(raw)
	default:
		l.at(e.file, n, fmt.Sprintf("the file %s is neither .csv nor .json", shown(n)), "save the data as CSV or JSON")
		return nil
	}
	if err != nil {
		l.dataProblem(file, 1, 1, err)
		return nil
	}
	return a
}

func (l *loader) dataProblem(file string, line, column int, err error) {
	var p *dataio.Problem
	if errors.As(err, &p) {
		if p.Line > 0 && strings.HasSuffix(file, ".csv") {
			line, column = p.Line, p.Column
		}
		l.problem(file, line, column, p.Message, p.Hint)
		return
	}
	l.problem(file, line, column, err.Error(), "look at the data")
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
