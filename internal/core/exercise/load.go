package exercise

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/notation"
)

// exercise reads one exercise folder. It returns nil when there is nothing to go
// on with.
func (l *loader) exercise(dir, name string, counting int) *Exercise {
	file := path.Join(dir, "exercise.yaml")
	root := l.yaml(file)
	if root == nil {
		return nil
	}
	e := &Exercise{Name: name, Dir: dir, Counting: counting, Rules: Rules{Loops: LoopsAllow}, Values: "shown",
		Held: HeldCode, Causes: "always", Accepts: []string{"program"}, Keeps: 1, Model: "never", file: file}
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
	l.own(e, m["own"])
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
			l.at(e.file, n, "the exercise closes before it opens", "fix one of `opens` and `closes`")
		}
	}
	if n := m["late"]; n != nil {
		l.late(e, n)
	}
	if n := m["model"]; n != nil {
		e.Model = l.word(e.file, n, Models...)
		if e.Model == "after-close" && m["closes"] == nil {
			l.at(e.file, n, "the reference is shown after closing, and the exercise has no `closes`",
				"give `closes`, or leave `model` out")
		}
	}
}

// late reads how long after closing attempts are taken, and what they keep.
func (l *loader) late(e *Exercise, n *yaml.Node) {
	m := l.mapping(e.file, n, Keys["late"]...)
	if e.Closes == nil {
		l.at(e.file, n, "late attempts are taken, and the exercise has no `closes`", "give `closes`, or leave `late` out")
	}
	until := m["until"]
	if until == nil {
		l.at(e.file, n, "`late` does not say how long late attempts are taken", "write `late: {until: 72h, keeps: 0.8}`")
		return
	}
	d, err := ParsePeriod(until.Value)
	if err != nil || d <= 0 {
		l.at(e.file, until, fmt.Sprintf("%s%s is not a length of time after closing", l.about(until), shown(until)),
			"write it as `72h`, `3d` or `1w`")
	}
	e.Late = max(d, 0)
	if v := m["keeps"]; v != nil {
		if e.Keeps = l.number(e.file, v, "the share that a late attempt keeps"); e.Keeps > 1 {
			l.at(e.file, v, fmt.Sprintf("the share %s is above 1", shown(v)), "write 0.8 for 80 percent")
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
			l.at(e.file, n, fmt.Sprintf("%s%s is not a way to read an empty cell", l.about(n), shown(n)),
				"write `missing: nan`, or leave the key out")
		}
	}
	e.Inputs = append(e.Inputs, in)
}

// declared checks the name of an input or output.
func (l *loader) declared(e *Exercise, key *yaml.Node, what string) string {
	if !notation.IsName(key.Value) {
		l.at(e.file, key, fmt.Sprintf("%s cannot be the name of an %s", shown(key), what),
			"names are letters, digits and `_`, and no reserved words")
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
		l.outputKind(e, n, &out)
	}
	if n := m["ones"]; n != nil {
		out.Freedom.Ones = l.word(e.file, n, "ignore", "count") == "ignore"
	}
	for key, to := range map[string]*string{"any_order": &out.Freedom.AnyOrder, "free_sign": &out.Freedom.FreeSign,
		"free_scale": &out.Freedom.FreeScale} {
		if n := m[key]; n != nil {
			*to = l.axisWord(e, n, &out)
		}
	}
	if n := m["present"]; n != nil {
		out.Present = l.presentation(e, n)
	}
	e.Outputs = append(e.Outputs, out)
}

// outputKind reads the kind that an output has: one of the four, which the reference is
// compared with, or exact, the reference's whatever it is.
func (l *loader) outputKind(e *Exercise, n *yaml.Node, out *Output) {
	word := l.word(e.file, n, "exact", "bool", "int", "real", "complex")
	out.Tolerance.ExactKind = true
	if kind, ok := array.ParseKind(word); ok {
		out.Kind = &kind
	}
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
			l.at(file, v, "`ulps` and `relative` are both given", "`ulps` takes the place of `relative`; take one out")
		}
	}
	return t
}

func (l *loader) cases(e *Exercise, dir string, root, n *yaml.Node) {
	items := l.list(e.file, root, n, "cases")
	if n != nil && n.Kind == yaml.SequenceNode && len(items) == 0 {
		l.at(e.file, n, "`cases`: the exercise has no cases", "give one shown case and one held case at least")
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
func (l *loader) errorCode(e *Exercise, n *yaml.Node) codes.Code {
	code := codes.Code(n.Value)
	if slices.Contains(codes.OfRun(), code) {
		return code
	}
	hint := notation.Offer(notation.Nearest(n.Value, codes.Strings(codes.OfRun())))
	if hint == "" {
		hint = "write the code of an error, `run.empty` or `shape.broadcast` say; `nimbus explain` lists them"
	}
	l.at(e.file, n, fmt.Sprintf("%s is not an error that a run can end in", shown(n)), hint)
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
	l.places = nil
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
		drawn, err := c.Draw.Sample(e, c.Group, repeat, fixed, l.take)
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
