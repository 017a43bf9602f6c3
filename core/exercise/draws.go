package exercise

import (
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"nimbusreach/core/array"
	"nimbusreach/core/dataio"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

// Draw says how a case's inputs are drawn.
type Draw struct {
	Seed   uint64
	Repeat int
	Inputs map[string]*Drawn
	At     Mark

	failed bool // part of it could not be read, which is told already
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
			l.at(e.file, r, fmt.Sprintf("the case is drawn %s times", shown(r)), fmt.Sprintf("draw it from 1 to %d times", maxRepeat))
			d.Repeat = 1
		}
	}
	if m["inputs"] == nil {
		l.at(e.file, n, "the draw says no `inputs`", "write `inputs: {growth: {shape: [3..6, 2..5], from: normal, mean: 12, std: 3}}`")
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
	l.at(e.file, key, fmt.Sprintf("the case gives `%s`, which is no declared input", key.Value), hint)
}

// drawn reads how one input is drawn.
func (l *loader) drawn(e *Exercise, in *Input, n *yaml.Node) *Drawn {
	m := l.mapping(e.file, n, Keys["drawn"]...)
	d := &Drawn{From: "uniform", High: 1, Std: 1, At: markOf(n)}
	before := len(l.problems)
	if f := m["from"]; f != nil {
		d.From = l.word(e.file, f, DrawFrom...)
	} else {
		l.at(e.file, n, "the draw does not say what it draws `from`", "write `from: uniform`, whole, one_of, shuffled or normal")
	}
	if s := m["shape"]; s != nil {
		d.HasShape = true
		for _, item := range l.list(e.file, n, s, "shape") {
			d.Shape = append(d.Shape, l.lengths(e.file, item))
		}
	}
	takes := map[string][]string{"uniform": {"low", "high"}, "whole": {"low", "high"}, "one_of": {"values"}, "shuffled": {"of"}, "normal": {"mean", "std"}}[d.From]
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
		l.at(e.file, pickNode(m["low"], n), fmt.Sprintf("`low` is %v and lies above `high`, %v", d.Low, d.High), "give the smaller one as `low`")
	}
	if d.From == "whole" && (d.Low != math.Trunc(d.Low) || d.High != math.Trunc(d.High) || math.Abs(d.Low) > 1<<53 || math.Abs(d.High) > 1<<53) {
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
		l.at(e.file, pickNode(m["shape"], n), fmt.Sprintf("`%s` is declared with %d axes, and the draw gives %d", in.Name, len(in.Axes), len(d.Shape)), "give one length, or `a..b`, for each axis")
	}
	if in.HasAxes && !d.HasShape && d.From != "shuffled" && len(in.Axes) > 0 {
		l.at(e.file, n, "the draw says no `shape`", "give one length, or `a..b`, for each axis")
	}
	if kind := d.kind(); kind > in.Kind {
		l.at(e.file, n, fmt.Sprintf("`%s` is declared %s, and the draw gives %s", in.Name, in.Kind, kind), fmt.Sprintf("declare `kind: %s`, or draw from `whole`", kind))
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
		l.at(e.file, n, fmt.Sprintf("a draw from `%s` needs `%s`", d.From, key), fmt.Sprintf("write `{from: %s, %s: [1, 2, 3]}`", d.From, key))
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
			l.at(e.file, v, fmt.Sprintf("`of` holds %d values, and the shape another number", a.Size()), "leave `shape` out, or let its lengths multiply to the number of values")
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
		l.at(file, n, fmt.Sprintf("%s is no length", shown(n)), "write a whole number, or `3..6` for any from 3 to 6")
		return Span{1, 1}
	case a > b:
		l.at(file, n, fmt.Sprintf("%s runs downwards", shown(n)), fmt.Sprintf("write `%d..%d`", b, a))
		return Span{b, a}
	case b > 100_000:
		l.at(file, n, fmt.Sprintf("the length %d is too large for an exercise", b), "exercises work on small data; draw at most 100000")
		return Span{1, 1}
	}
	return Span{a, b}
}

func (l *loader) signed(file string, n *yaml.Node) float64 {
	v, err := strconv.ParseFloat(n.Value, 64)
	if n.Kind != yaml.ScalarNode || err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		l.at(file, n, fmt.Sprintf("%s is no number", shown(n)), "write a finite number")
		return 0
	}
	return v
}

// whole reads a whole number that is 0 or more.
func (l *loader) whole(file string, n *yaml.Node, what string) int {
	v, err := strconv.ParseInt(n.Value, 10, 53)
	if n.Kind != yaml.ScalarNode || err != nil || v < 0 {
		l.at(file, n, fmt.Sprintf("%s is no whole number", shown(n)), what+" is a whole number, 0 or more")
		return 0
	}
	return int(v)
}

// kind is the kind a draw gives by itself.
func (d *Drawn) kind() array.Kind {
	switch {
	case d.From == "whole":
		return array.Int
	case d.Values != nil:
		return d.Values.Kind()
	case d.From == "one_of" || d.From == "shuffled":
		return array.Bool
	}
	return array.Real
}

// salt turns a word into a number that a stream is keyed by.
func salt(words ...string) uint64 {
	h := fnv.New64a()
	for _, w := range words {
		h.Write([]byte(w))
		h.Write([]byte{0})
	}
	return h.Sum64()
}

// CaseKey is what a program's own draws in a case depend on.
func (c *Case) CaseKey() functions.DrawKey {
	return functions.DrawKey{Seed: c.Seed, Case: salt(c.Group), Repeat: uint64(c.Repeat)}
}

// Sample draws one repeat of a case: data for the inputs that are drawn. fixed holds
// the lengths that labels have already, and takes those that are drawn; room says
// whether so many cells may still be made.
func (d *Draw) Sample(e *Exercise, group string, repeat int, fixed map[string]int, room func(cells int) bool) (map[string]*array.Array, error) {
	out := map[string]*array.Array{}
	spans := map[string]Span{}
	for _, in := range e.Inputs {
		one := d.Inputs[in.Name]
		if one == nil || !in.HasAxes {
			continue
		}
		for i, s := range one.Shape {
			label := in.Axes[i]
			if label == "" {
				continue
			}
			if known, ok := spans[label]; ok {
				s = Span{max(s.Low, known.Low), min(s.High, known.High)}
				if s.Low > s.High {
					return nil, fmt.Errorf("the axis `%s` is drawn with lengths that have none in common", label)
				}
			}
			spans[label] = s
		}
	}
	key := functions.DrawKey{Seed: d.Seed, Case: salt(group), Repeat: uint64(repeat)}
	for _, in := range e.Inputs {
		one := d.Inputs[in.Name]
		if one == nil {
			continue
		}
		shape := make([]int, len(one.Shape))
		for i, s := range one.Shape {
			label := ""
			if in.HasAxes {
				label = in.Axes[i]
			}
			if label == "" {
				shape[i] = lengthFrom(functions.Stream(key, salt("length", in.Name, strconv.Itoa(i))), s)
				continue
			}
			if n, ok := fixed[label]; ok {
				if w := spans[label]; n < w.Low || n > w.High {
					return nil, fmt.Errorf("the axis `%s` has the length %d in this case, and the draw of `%s` gives %d to %d", label, n, in.Name, w.Low, w.High)
				}
				shape[i] = n
				continue
			}
			shape[i] = lengthFrom(functions.Stream(key, salt("length", label)), spans[label])
			fixed[label] = shape[i]
		}
		if size, ok := array.Size(shape); !ok || !room(size) {
			return nil, fmt.Errorf("`%s` makes the course's data larger than %d elements", in.Name, maxCells)
		}
		a, err := one.array(functions.Stream(key, salt("values", in.Name)), shape)
		if err != nil {
			return nil, fmt.Errorf("`%s`: %w", in.Name, err)
		}
		out[in.Name] = a
	}
	return out, nil
}

func lengthFrom(g *rand.PCG, s Span) int {
	return s.Low + int(functions.Below(g, uint64(s.High-s.Low+1)))
}

// array draws one array.
func (d *Drawn) array(g *rand.PCG, shape []int) (*array.Array, error) {
	if d.From == "shuffled" && !d.HasShape {
		shape = d.Values.Shape()
	}
	n, ok := array.Size(shape)
	if !ok || n > dataio.MaxCells {
		return nil, fmt.Errorf("the draw of %d axes is too large", len(shape))
	}
	var next func() float64
	switch d.From {
	case "uniform":
		next = func() float64 { return d.Low + functions.Unit(g)*(d.High-d.Low) }
	case "normal":
		normal := functions.Normals(g)
		next = func() float64 { return d.Mean + d.Std*normal() }
	case "whole":
		next = func() float64 { return d.Low + float64(functions.Below(g, uint64(d.High-d.Low)+1)) }
	default:
		return d.chosen(g, shape, n)
	}
	values := make([]float64, n)
	for i := range values {
		values[i] = next()
	}
	if err := d.nudge(g, values, shape, next); err != nil {
		return nil, err
	}
	out := array.FromReals(values, shape...)
	if d.From == "whole" && d.Nudge != "some_missing" {
		ints := make([]int64, n)
		for i, v := range values {
			ints[i] = int64(v)
		}
		out = array.FromInts(ints, shape...)
	}
	return out, nil
}

// chosen draws from a list: any of its values, or all of them in another order.
func (d *Drawn) chosen(g *rand.PCG, shape []int, n int) (*array.Array, error) {
	size := d.Values.Size()
	places := make([]int, n)
	if d.From == "shuffled" || d.Nudge == "distinct" {
		if n > size {
			return nil, fmt.Errorf("%d distinct values are wanted, and the list has %d", n, size)
		}
		order := make([]int, size)
		for i := range order {
			order[i] = i
		}
		for i := size - 1; i > 0; i-- {
			k := int(functions.Below(g, uint64(i+1)))
			order[i], order[k] = order[k], order[i]
		}
		copy(places, order)
	} else {
		for i := range places {
			places[i] = int(functions.Below(g, uint64(size)))
		}
	}
	flat := d.Values.Reshape([]int{size})
	out := flat.Select([]array.Pick{{Kind: array.PickList, List: places}}).Reshape(shape)
	if d.Nudge == "" || d.Nudge == "distinct" || d.Values.Kind() > array.Real {
		return out, nil
	}
	values := slices.Clone(out.Widen(array.Real).Reals())
	if err := d.nudge(g, values, shape, func() float64 { return flat.RealAt(int(functions.Below(g, uint64(size)))) }); err != nil {
		return nil, err
	}
	nudged := array.FromReals(values, shape...)
	if d.Values.Kind() <= array.Int && d.Nudge != "some_missing" {
		ints := make([]int64, len(values))
		for i, v := range values {
			ints[i] = int64(v)
		}
		nudged = array.FromInts(ints, shape...)
	}
	return nudged, nil
}

// nudge shapes drawn values.
func (d *Drawn) nudge(g *rand.PCG, values []float64, shape []int, next func() float64) error {
	n := len(values)
	switch d.Nudge {
	case "distinct":
		seen := map[float64]bool{}
		tries := 0
		for i := range values {
			for seen[values[i]] {
				if tries++; tries > 100*n+1000 {
					return fmt.Errorf("%d distinct values are wanted, and the draw has too few", n)
				}
				values[i] = next()
			}
			seen[values[i]] = true
		}
	case "sorted":
		row := n
		if len(shape) > 1 {
			row = shape[len(shape)-1]
		}
		for at := 0; row > 0 && at < n; at += row {
			slices.Sort(values[at : at+row])
		}
	case "some_equal":
		for range max(1, n/4) {
			if n < 2 {
				break
			}
			from := int(functions.Below(g, uint64(n)))
			to := int(functions.Below(g, uint64(n-1)))
			if to >= from {
				to++
			}
			values[to] = values[from]
		}
	case "some_missing":
		for range max(1, n/6) {
			if n < 2 {
				break
			}
			values[int(functions.Below(g, uint64(n)))] = math.NaN()
		}
	}
	return nil
}
