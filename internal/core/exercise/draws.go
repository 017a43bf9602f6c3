package exercise

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/notation"
)

// Draw says how a case's inputs are drawn.
type Draw struct {
	Seed   uint64
	Repeat int
	Inputs map[string]*Drawn
	At     Mark

	failed bool // part of it could not be read, which is reported already
}

// Span is a length drawn from low to high, both in.
type Span struct{ Low, High int }

// Drawn is how one input is drawn.
type Drawn struct {
	Shape     []Span
	HasShape  bool
	From      string
	Low, High float64
	Mean, Std float64
	Values    *array.Array
	Nudge     string
	At        Mark
}

// maxRepeat bounds how often one case is drawn.
const maxRepeat = 200

func markOf(n *yaml.Node) Mark { return Mark{max(n.Line, 1), max(n.Column, 1)} }

// draw reads a case's draw; nil when it cannot be used.
func (l *loader) draw(e *Exercise, n *yaml.Node) *Draw {
	d := &Draw{Repeat: 1, Inputs: map[string]*Drawn{}, At: markOf(n)}
	m := l.mapping(e.file, n, Keys["draw"]...)
	if s := m["seed"]; s != nil {
		d.Seed = uint64(l.whole(e.file, s, "a seed"))
	}
	if r := m["repeat"]; r != nil {
		d.Repeat = l.whole(e.file, r, "the number of repeats")
		if d.Repeat < 1 || d.Repeat > maxRepeat {
			l.at(e.file, r, fmt.Sprintf("the case is drawn %s times", shown(r)), fmt.Sprintf("draw it from 1 to %d times",
				maxRepeat))
			d.Repeat = 1
		}
	}
	if m["inputs"] == nil {
		l.at(e.file, n, "the draw says no `inputs`", "write `inputs: {growth: {shape: [3..6, 2..5], from: normal, mean: "+
			"12, std: 3}}`")
		d.failed = true
		return d
	}
	l.entries(e.file, m["inputs"], func(key, value *yaml.Node) {
		in := e.input(key.Value)
		if in == nil {
			l.unknownInput(e, key)
			return
		}
		if one := l.drawn(e, in, value); one != nil {
			d.Inputs[key.Value] = one
		} else {
			d.failed = true
		}
	})
	return d
}

func (e *Exercise) input(name string) *Input {
	for i := range e.Inputs {
		if e.Inputs[i].Name == name {
			return &e.Inputs[i]
		}
	}
	return nil
}

func (l *loader) unknownInput(e *Exercise, key *yaml.Node) {
	hint := notation.Offer(notation.Nearest(key.Value, e.InputNames()))
	if hint == "" {
		hint = "declare it under `inputs`, or take it out"
	}
	l.at(e.file, key, fmt.Sprintf("the case gives `%s`, which is not a declared input", key.Value), hint)
}

// drawn reads how one input is drawn.
func (l *loader) drawn(e *Exercise, in *Input, n *yaml.Node) *Drawn {
	m := l.mapping(e.file, n, Keys["drawn"]...)
	d := &Drawn{From: "uniform", High: 1, Std: 1, At: markOf(n)}
	before := len(l.problems)
	if f := m["from"]; f != nil {
		d.From = l.word(e.file, f, DrawFrom...)
	} else {
		l.at(e.file, n, "the draw does not say what it draws `from`",
			"write `from: uniform`, whole, one_of, shuffled or normal")
	}
	if s := m["shape"]; s != nil {
		d.HasShape = true
		for _, item := range l.list(e.file, n, s, "shape") {
			d.Shape = append(d.Shape, l.lengths(e.file, item))
		}
	}
	takes := map[string][]string{"uniform": {"low", "high"}, "whole": {"low", "high"}, "one_of": {"values"},
		"shuffled": {"of"}, "normal": {"mean", "std"}}[d.From]
	for _, key := range []string{"low", "high", "values", "of", "mean", "std"} {
		if v := m[key]; v != nil && !slices.Contains(takes, key) {
			l.at(e.file, v, fmt.Sprintf("a draw from `%s` takes no `%s`", d.From, key), "it takes "+strings.Join(takes, " and "))
		}
	}
	for key, to := range map[string]*float64{"low": &d.Low, "high": &d.High, "mean": &d.Mean, "std": &d.Std} {
		if v := m[key]; v != nil {
			*to = l.signed(e.file, v)
		} else if d.From == "whole" && (key == "low" || key == "high") {
			l.at(e.file, n, fmt.Sprintf("a draw of whole numbers needs `%s`", key), "write `{from: whole, low: 1, high: 9}`")
		}
	}
	if (d.From == "uniform" || d.From == "whole") && d.Low > d.High {
		l.at(e.file, pickNode(m["low"], n), fmt.Sprintf("`low` is %v and is above `high`, %v", d.Low, d.High),
			"give the smaller one as `low`")
	}
	if d.From == "whole" && (d.Low != math.Trunc(d.Low) || d.High != math.Trunc(d.High) || math.Abs(d.Low) > 1<<53 ||
		math.Abs(d.High) > 1<<53) {
		l.at(e.file, n, "the ends of a draw of whole numbers are not whole", "write `low: 1, high: 9`, or draw from uniform")
	}
	if d.From == "normal" && d.Std < 0 {
		l.at(e.file, m["std"], "the standard deviation is negative", "give 0 or more")
	}
	l.drawValues(e, d, n, m)
	if v := m["nudge"]; v != nil {
		d.Nudge = l.word(e.file, v, Nudges...)
		if d.Nudge == "some_missing" && in.Kind < array.Real {
			l.at(e.file, v, fmt.Sprintf("`%s` is %s, which has no NaN", in.Name, in.Kind), "declare it real, or nudge otherwise")
		}
	}
	if in.HasAxes && d.HasShape && len(d.Shape) != len(in.Axes) {
		l.at(e.file, pickNode(m["shape"], n), fmt.Sprintf("`%s` is declared with %d axes, and the draw gives %d", in.Name,
			len(in.Axes), len(d.Shape)), "give one length, or `a..b`, for each axis")
	}
	if in.HasAxes && !d.HasShape && d.From != "shuffled" && len(in.Axes) > 0 {
		l.at(e.file, n, "the draw says no `shape`", "give one length, or `a..b`, for each axis")
	}
	if kind := d.kind(); kind > in.Kind {
		l.at(e.file, n, fmt.Sprintf("`%s` is declared %s, and the draw gives %s", in.Name, in.Kind, kind),
			fmt.Sprintf("declare `kind: %s`, or draw from `whole`", kind))
	}
	if len(l.problems) > before {
		return nil
	}
	return d
}

func pickNode(n, or *yaml.Node) *yaml.Node {
	if n != nil {
		return n
	}
	return or
}

// drawValues reads `values` and `of`.
func (l *loader) drawValues(e *Exercise, d *Drawn, n *yaml.Node, m map[string]*yaml.Node) {
	key := map[string]string{"one_of": "values", "shuffled": "of"}[d.From]
	if key == "" {
		return
	}
	v := m[key]
	if v == nil {
		l.at(e.file, n, fmt.Sprintf("a draw from `%s` needs `%s`", d.From, key),
			fmt.Sprintf("write `{from: %s, %s: [1, 2, 3]}`", d.From, key))
		return
	}
	a, err := dataio.FromJSON(plain(v))
	if err != nil {
		l.dataProblem(e.file, v.Line, v.Column, err)
		return
	}
	if a.Size() == 0 || a.Rank() == 0 {
		l.at(e.file, v, fmt.Sprintf("`%s` holds nothing to draw from", key), "list at least one value")
		return
	}
	d.Values = a
	if d.From == "shuffled" && d.HasShape {
		size := 1
		for _, s := range d.Shape {
			if s.Low != s.High {
				size = -1
				break
			}
			size *= s.Low
		}
		if size != a.Size() {
			l.at(e.file, v, fmt.Sprintf("`of` holds %d values, and the shape another number", a.Size()),
				"leave `shape` out, or let its lengths multiply to the number of values")
		}
	}
}

// lengths reads a length or a..b.
func (l *loader) lengths(file string, n *yaml.Node) Span {
	low, high, isRange := strings.Cut(n.Value, "..")
	if !isRange {
		high = low
	}
	a, errA := strconv.Atoi(strings.TrimSpace(low))
	b, errB := strconv.Atoi(strings.TrimSpace(high))
	switch {
	case n.Kind != yaml.ScalarNode || errA != nil || errB != nil || a < 0 || b < 0:
		l.at(file, n, fmt.Sprintf("%s is not a length", shown(n)), "write a whole number, or `3..6` for any from 3 to 6")
		return Span{1, 1}
	case a > b:
		l.at(file, n, fmt.Sprintf("%s runs downwards", shown(n)), fmt.Sprintf("write `%d..%d`", b, a))
		return Span{b, a}
	case b > 100_000:
		l.at(file, n, fmt.Sprintf("the length %d is too large for an exercise", b),
			"exercises work on small data; draw at most 100000")
		return Span{1, 1}
	}
	return Span{a, b}
}

func (l *loader) signed(file string, n *yaml.Node) float64 {
	v, err := strconv.ParseFloat(n.Value, 64)
	if n.Kind != yaml.ScalarNode || err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		l.at(file, n, fmt.Sprintf("%s is not a number", shown(n)), "write a finite number")
		return 0
	}
	return v
}

// whole reads a whole number that is 0 or more.
func (l *loader) whole(file string, n *yaml.Node, what string) int {
	v, err := strconv.ParseInt(n.Value, 10, 53)
	if n.Kind != yaml.ScalarNode || err != nil || v < 0 {
		l.at(file, n, fmt.Sprintf("%s is not a whole number", shown(n)), what+" is a whole number, 0 or more")
		return 0
	}
	return int(v)
}
