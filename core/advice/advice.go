// Package advice looks at an exercise the way a distrustful colleague would: weak
// data, loose tolerances, silent prompts. Each piece of advice says where, why it
// matters and one change to try.
//
// It works from the cases, from how data are drawn, from the reference's tree and from
// its run; an exercise that a weakness cannot harm gets no advice for it.
package advice

import (
	"context"
	"fmt"
	"math"
	"math/cmplx"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"nimbusreach/core/array"
	"nimbusreach/core/check"
	"nimbusreach/core/compare"
	"nimbusreach/core/evaluate"
	"nimbusreach/core/exercise"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
	"nimbusreach/core/probe"
)

// Advice is one piece of it.
type Advice struct {
	Exercise string `json:"exercise"`
	Code     string `json:"code"`
	Place    string `json:"place"`
	Message  string `json:"message"`
	Try      string `json:"try"`
	YAML     string `json:"yaml,omitempty"` // a held case that mends it, where one does
}

// Codes lists the codes of advice with what each means.
var Codes = []struct{ Code, Doc string }{
	{"equal-lengths", "Two axes have one length in every case, so a wrong axis keeps the right shape."},
	{"one-case", "No case is held whose data differ from the shown ones: an answer written in passes."},
	{"one-shape", "Every case has one shape: a length written in passes."},
	{"symmetric", "A matrix equals its transpose in every case, so a transpose left out goes unseen."},
	{"no-boundary", "A comparison never meets the value it compares with, so strict and not strict agree."},
	{"mask-trivial", "A mask is all true or all false in a case."},
	{"sorted", "The data are in order in every case, where the reference puts them in order."},
	{"no-negative", "The data are never negative, where their sign matters."},
	{"no-repeat", "No value stands twice, where repeats matter."},
	{"no-zero", "No value is zero, where that matters."},
	{"integers-only", "All values are whole, where decimals matter."},
	{"missing-values", "Data hold NaN that the reference does not heed, or it heeds NaN that never stands in the data."},
	{"tie", "An extreme asked for by position is not unique in some case."},
	{"loose", "The tolerance accepts a slip, or is wider than the spread of the values."},
	{"tight", "Two equally right orders of computing differ by more than the tolerance."},
	{"ill-conditioned", "A matrix is so near to singular that rounding alone passes the tolerance."},
	{"unused-input", "An input is never used by the reference."},
	{"constant-output", "An output is the same in every case."},
	{"non-finite", "An output holds NaN or an infinite value."},
	{"prompt-silent", "The prompt never names an output, its axes or its unit."},
	{"free-shape", "The reference uses a length that is written in."},
}

// Inspect gives the advice on an exercise, and its probe, which some of it rests on.
func Inspect(ctx context.Context, p *check.Prepared) ([]Advice, *probe.Report) {
	w := &inspector{ctx: ctx, p: p, e: p.Exercise, out: []Advice{}}
	for i := range p.Cases {
		if p.Cases[i].Error == nil {
			w.cases = append(w.cases, &p.Cases[i])
		}
	}
	report := probe.Run(ctx, p, probe.Options{})
	w.probe = report
	if len(w.cases) == 0 {
		return w.out, report
	}
	w.watch()
	w.heldCases()
	w.equalLengths()
	w.oneShape()
	w.masks()
	w.facts()
	w.missingValues()
	w.ties()
	w.tolerances()
	w.conditions()
	w.inputs()
	w.outputs()
	w.prompt()
	w.writtenLengths()
	return w.out, report
}

type inspector struct {
	ctx   context.Context
	p     *check.Prepared
	probe *probe.Report
	e     *exercise.Exercise
	cases []*check.PreparedCase
	seen  []map[notation.Node]*array.Array // values of the reference's expressions, by case
	notes [][]*notation.Diagnostic
	out   []Advice
}

func (w *inspector) advise(code, place, message, try string) {
	for _, a := range w.out {
		if a.Code == code && a.Place == place {
			return
		}
	}
	w.out = append(w.out, Advice{Exercise: w.e.Name, Code: code, Place: place, Message: message, Try: try})
}

// line names a place in the reference.
func (w *inspector) line(n notation.Node) string {
	return fmt.Sprintf("reference.nra, line %d", w.p.Program.Source.Place(n.Pos()).Line)
}

// watch runs the reference once more on every case and keeps what its expressions give.
func (w *inspector) watch() {
	for _, c := range w.cases {
		values := map[notation.Node]*array.Array{}
		o := w.p.Options(c)
		o.Watch = func(e notation.Expr, v *array.Array) { values[e] = v }
		result := evaluate.Run(w.ctx, w.p.Program, c.Inputs, o)
		w.seen = append(w.seen, values)
		w.notes = append(w.notes, result.Notices)
	}
}

// every reports whether f holds in every case; it is false without cases.
func (w *inspector) every(f func(c *check.PreparedCase) bool) bool {
	for _, c := range w.cases {
		if !f(c) {
			return false
		}
	}
	return len(w.cases) > 0
}

func (w *inspector) heldCases() {
	if len(w.e.Inputs) == 0 {
		return
	}
	same := func(a, b *check.PreparedCase) bool {
		for name, x := range a.Inputs {
			if y := b.Inputs[name]; y == nil || !array.Equal(x, y) {
				return false
			}
		}
		return true
	}
	for _, held := range w.cases {
		if held.Shown {
			continue
		}
		if !slices.ContainsFunc(w.cases, func(c *check.PreparedCase) bool { return c.Shown && same(c, held) }) {
			return
		}
	}
	message := "every case is shown, so an answer that is written in passes"
	if slices.ContainsFunc(w.cases, func(c *check.PreparedCase) bool { return !c.Shown }) {
		message = "the held cases have the data of shown ones, so an answer that is written in passes"
	}
	w.advise("one-case", "cases", message, "add a case with other data and leave `shown` out of it")
	w.hold("", func(c *check.PreparedCase) bool {
		return !slices.ContainsFunc(w.cases, func(o *check.PreparedCase) bool { return same(c, o) })
	})
}

// hold adds a held case that mends it to the last piece of advice, when probing has one.
func (w *inspector) hold(weakness string, fits func(c *check.PreparedCase) bool) {
	w.out[len(w.out)-1].YAML = w.probe.Held(weakness, fits)
}

// axisPair is two axes of the inputs.
type axisPair struct {
	a, b         string // inputs
	axisA, axisB int
	words        string
}

// equalLengths looks for two axes that have one length in every case, where a wrong
// axis would be seen by the shape otherwise.
func (w *inspector) equalLengths() {
	for _, in := range w.e.Inputs {
		first := w.cases[0].Inputs[in.Name]
		if first == nil || first.Rank() < 2 {
			continue
		}
		for i := range first.Rank() {
			for k := i + 1; k < first.Rank(); k++ {
				equal := w.every(func(c *check.PreparedCase) bool {
					a := c.Inputs[in.Name]
					return a != nil && a.Rank() == first.Rank() && a.Len(i) == a.Len(k)
				})
				if !equal || (first.Label(i) != "" && first.Label(i) == first.Label(k)) {
					continue
				}
				pair := axisPair{in.Name, in.Name, i, k, fmt.Sprintf("the axes %s and %s of `%s`", functions.AxisWord(first, i, w.e.Counting), functions.AxisWord(first, k, w.e.Counting), in.Name)}
				w.equalPair(pair)
			}
		}
	}
}

func (w *inspector) equalPair(pair axisPair) {
	c := w.cases[0]
	inputs := unequal(c.Inputs, pair)
	if inputs == nil {
		return
	}
	other, ok := w.p.With(w.ctx, c, inputs)
	if !ok || !w.probe.ShapeTells(w.ctx, w.cases, other) {
		return // the reference needs them equal, or nothing works on one axis alone
	}
	w.advise("equal-lengths", "inputs."+pair.a, pair.words+" have one length in every case, so work over the wrong one keeps the right shape",
		fmt.Sprintf("give them other lengths: draw `%s` with unequal lengths, or add a case where they differ", pair.a))
	w.hold("equal-lengths", func(c *check.PreparedCase) bool {
		return c.Inputs[pair.a].Len(pair.axisA) != c.Inputs[pair.b].Len(pair.axisB) && w.probe.ShapeTells(w.ctx, w.cases, c)
	})
}

// unequal gives the second axis of a pair another length, with all axes that share its
// label.
func unequal(inputs map[string]*array.Array, pair axisPair) map[string]*array.Array {
	a := inputs[pair.b]
	n := a.Len(pair.axisB)
	if n == 0 {
		return nil
	}
	label := a.Label(pair.axisB)
	out := map[string]*array.Array{}
	for name, x := range inputs {
		list := make([]int, n+1)
		for i := range n {
			list[i+1] = i
		}
		for axis := range x.Rank() {
			if (name == pair.b && axis == pair.axisB) || (label != "" && x.Label(axis) == label) {
				picks := make([]array.Pick, x.Rank())
				for k := range picks {
					picks[k] = array.WholeAxis(x.Len(k))
				}
				picks[axis] = array.Pick{Kind: array.PickList, List: list}
				x = x.Select(picks)
			}
		}
		out[name] = x
	}
	return out
}

func (w *inspector) oneShape() {
	if len(w.cases) == 0 || !w.usesLengths() {
		return
	}
	first := w.cases[0]
	same := w.every(func(c *check.PreparedCase) bool {
		for name, a := range first.Inputs {
			if b := c.Inputs[name]; b == nil || !array.SameShape(a, b) {
				return false
			}
		}
		return true
	})
	hasAxes := false
	for _, a := range first.Inputs {
		hasAxes = hasAxes || a.Rank() > 0 && a.Size() > 0
	}
	if !same || !hasAxes || slices.ContainsFunc(w.p.Cases, func(c check.PreparedCase) bool { return c.Error != nil && !sameShapes(c.Inputs, first.Inputs) }) {
		return
	}
	for _, in := range w.e.Inputs {
		a := first.Inputs[in.Name]
		if a == nil || a.Size() == 0 {
			continue
		}
		for axis := range a.Rank() {
			inputs := unequal(first.Inputs, axisPair{b: in.Name, axisB: axis})
			if inputs == nil {
				continue
			}
			if _, ok := w.p.With(w.ctx, first, inputs); ok {
				w.advise("one-shape", "cases", "every case has data of one shape, so a length that is written in passes", fmt.Sprintf("add a held case with another length of `%s`'s axis %s", in.Name, functions.AxisWord(a, axis, w.e.Counting)))
				w.hold("equal-lengths", func(c *check.PreparedCase) bool { return c.Inputs[in.Name].Len(axis) != a.Len(axis) })
				return
			}
		}
	}
}

func sameShapes(a, b map[string]*array.Array) bool {
	for name, x := range a {
		if y := b[name]; y == nil || !array.SameShape(x, y) {
			return false
		}
	}
	return true
}

// usesLengths reports whether the reference does more than work element by element.
func (w *inspector) usesLengths() bool {
	found := false
	for _, s := range w.p.Program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Call:
				f := functions.Lookup(n.Name.Name)
				found = found || f != nil && f.Topic != functions.Elementwise
			case *notation.Select, *notation.Each, *notation.RangeExpr:
				found = true
			}
			return !found
		})
	}
	return found
}

// masks looks for masks that are all true or all false.
func (w *inspector) masks() {
	w.reference(func(n notation.Node, parents []notation.Node) {
		e, ok := n.(notation.Expr)
		if !ok || !isMask(e) || len(parents) == 0 {
			return
		}
		switch p := parents[len(parents)-1].(type) {
		case *notation.Binary, *notation.Unary, *notation.Compare, *notation.Paren:
			if _, isParen := p.(*notation.Paren); !isParen || underLogic(parents) {
				return // part of a mask; the whole of it is asked
			}
		}
		for i, c := range w.cases {
			v := w.seen[i][e]
			if v == nil || v.Kind() != array.Bool || v.Rank() == 0 || v.Size() < 2 {
				continue
			}
			trues := v.CountTrue()
			word := ""
			switch trues {
			case 0:
				word = "false"
			case v.Size():
				word = "true"
			default:
				continue
			}
			text := w.p.Program.Source.Slice(e.Pos())
			w.advise("mask-trivial", w.line(e), fmt.Sprintf("`%s` is all %s in the case `%s`, so a mask that is inverted, left out or never applied may pass there", text, word, c.Name),
				fmt.Sprintf("give `%s` data on both sides of the comparison", c.Name))
			return
		}
	})
}

func underLogic(parents []notation.Node) bool {
	for i := len(parents) - 1; i >= 0; i-- {
		switch parents[i].(type) {
		case *notation.Paren:
			continue
		case *notation.Binary, *notation.Unary:
			return true
		}
		return false
	}
	return false
}

// isMask reports whether an expression compares or joins truth values, missing ones
// apart.
func isMask(e notation.Expr) bool {
	heeds := false
	notation.Walk(e, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && (c.Name.Name == "is_nan" || c.Name.Name == "is_finite") {
			heeds = true
		}
		return true
	})
	if heeds {
		return false
	}
	switch e := e.(type) {
	case *notation.Compare:
		return true
	case *notation.Binary:
		return e.Op == "and" || e.Op == "or" || e.Op == "xor"
	case *notation.Unary:
		return e.Op == "not"
	}
	return false
}

// reference walks the reference's tree with the nodes around each.
func (w *inspector) reference(f func(n notation.Node, parents []notation.Node)) {
	var walk func(n notation.Node, parents []notation.Node)
	walk = func(n notation.Node, parents []notation.Node) {
		f(n, parents)
		notation.EachChild(n, func(c notation.Node) { walk(c, append(slices.Clone(parents), n)) })
	}
	for _, s := range w.p.Program.Statements {
		walk(s, nil)
	}
}

// facts holds what is true of an input's data in every case, and matters when a slip
// passes on all cases and is caught by data of which it is not true.
func (w *inspector) facts() {
	type fact struct {
		code, message, try string
		holds              func(a *array.Array) bool
		uses               []string // functions and operators of the reference for which it matters
	}
	facts := []fact{
		{"symmetric", "`%s` equals its transpose in every case", "give a case a matrix `%s` that is not symmetric", symmetric, nil},
		{"sorted", "`%s` is in order in every case", "give a case values of `%s` out of order, or draw without `nudge: sorted`", func(a *array.Array) bool { return sorted(a, 1) },
			[]string{"sort", "sort_order", "unique", "unique_counts", "median", "percentile", "five_numbers", "max_at", "min_at", "running_max", "running_min", "max", "min", "first", "last"}},
		{"sorted", "`%s` is in order in every case", "give a case values of `%s` out of order, or draw without `nudge: sorted`", func(a *array.Array) bool { return sorted(a, -1) },
			[]string{"sort", "sort_order", "unique", "unique_counts", "median", "percentile", "five_numbers", "max_at", "min_at", "running_max", "running_min", "max", "min", "first", "last"}},
		{"no-negative", "`%s` is never negative", "give a case negative values of `%s`", func(a *array.Array) bool { return all(a, func(v float64) bool { return v >= 0 }) },
			[]string{"abs", "sign", "sqrt", "cbrt", "^", "floor", "ceil", "round", "truncated", "int", "div", "mod", "norm", "hypot", "angle", "atan2", "clipped", "<", "<=", ">", ">="}},
		{"no-repeat", "no value of `%s` stands twice", "give a case repeated values of `%s`, or `nudge: some_equal`", distinct,
			[]string{"unique", "unique_counts", "sort_order", "place_in", "is_in", "==", "!=", "counts_between"}},
		{"no-zero", "`%s` is never zero", "give a case a zero in `%s`", func(a *array.Array) bool { return all(a, func(v float64) bool { return v != 0 }) },
			[]string{"sign", "count", "any", "all", "/", "div", "mod", "product", "==", "!=", "<", "<=", ">", ">=", "bool"}},
		{"integers-only", "`%s` is real, and all its values are whole", "give a case decimals in `%s`", func(a *array.Array) bool {
			return a.Kind() == array.Real && all(a, func(v float64) bool { return v == math.Trunc(v) })
		}, []string{"floor", "ceil", "round", "truncated", "int", "div", "mod"}},
	}
	for _, in := range w.e.Inputs {
		for _, f := range facts {
			holds := w.every(func(c *check.PreparedCase) bool {
				a := c.Inputs[in.Name]
				return a != nil && f.holds(a)
			})
			if !holds || f.uses != nil && !w.uses(f.uses) {
				continue
			}
			slip, yaml := w.probe.Passes(w.ctx, in.Name, f.code, f.holds)
			if slip == "" {
				continue
			}
			w.advise(f.code, "inputs."+in.Name, fmt.Sprintf(f.message, in.Name)+", so a slip passes: "+slip, fmt.Sprintf(f.try, in.Name))
			w.out[len(w.out)-1].YAML = yaml
		}
	}
	w.boundaries()
}

// uses reports whether the reference has one of some functions or operators.
func (w *inspector) uses(words []string) bool {
	found := false
	w.reference(func(n notation.Node, _ []notation.Node) {
		switch n := n.(type) {
		case *notation.Call:
			found = found || slices.Contains(words, n.Name.Name)
		case *notation.Binary:
			found = found || slices.Contains(words, n.Op)
		case *notation.Compare:
			for _, op := range n.Ops {
				found = found || slices.Contains(words, op)
			}
		case *notation.Edge:
			found = found || slices.Contains(words, "first")
		}
	})
	return found
}

// boundaries looks for order comparisons that never meet equality, where that matters.
func (w *inspector) boundaries() {
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Compare)
		if !ok {
			return
		}
		for i, op := range c.Ops {
			if op != "<" && op != "<=" && op != ">" && op != ">=" {
				continue
			}
			met := false
			for k := range w.cases {
				a, b := w.seen[k][c.Operands[i]], w.seen[k][c.Operands[i+1]]
				met = met || a == nil || b == nil || meets(a, b)
			}
			if met {
				continue
			}
			if yaml, ok := w.probe.Boundary(w.ctx, c, i); ok {
				text := w.p.Program.Source.Slice(c.Span)
				w.advise("no-boundary", w.line(c), fmt.Sprintf("in no case are the two sides of `%s` equal, so strict and not strict give the same", text), "put the value that is compared with into the data of a held case")
				w.out[len(w.out)-1].YAML = yaml
			}
		}
	})
}

// meets reports whether two broadcast operands are equal anywhere.
func meets(a, b *array.Array) bool {
	shape, err := array.BroadcastShape(a.Shape(), b.Shape())
	if err != nil {
		return true
	}
	a, b = a.Stretch(shape), b.Stretch(shape)
	n, _ := array.Size(shape)
	for i := range n {
		if a.ComplexAt(i) == b.ComplexAt(i) {
			return true
		}
	}
	return false
}

func all(a *array.Array, f func(v float64) bool) bool {
	if a.Kind() != array.Int && a.Kind() != array.Real || a.Size() == 0 {
		return false
	}
	for i := range a.Size() {
		if v := a.RealAt(i); !f(v) && v == v {
			return false
		}
	}
	return true
}

func symmetric(a *array.Array) bool {
	return a.Rank() == 2 && a.Len(0) == a.Len(1) && a.Len(0) > 1 && array.Equal(a, a.Transpose([]int{1, 0}))
}

// sorted reports whether values rise along the last axis, or fall where direction is
// -1.
func sorted(a *array.Array, direction float64) bool {
	if a.Rank() == 0 || a.Len(a.Rank()-1) < 3 || a.Kind() == array.Complex || a.Kind() == array.Bool {
		return false
	}
	n := a.Len(a.Rank() - 1)
	for i := range a.Size() {
		if i%n > 0 && (a.RealAt(i)-a.RealAt(i-1))*direction < 0 {
			return false
		}
	}
	return true
}

func distinct(a *array.Array) bool {
	if a.Size() < 2 || a.Kind() == array.Complex || a.Kind() == array.Bool {
		return false
	}
	seen := map[float64]bool{}
	for i := range a.Size() {
		v := a.RealAt(i)
		if seen[v] {
			return false
		}
		seen[v] = true
	}
	return true
}

func (w *inspector) missingValues() {
	heeds := false
	w.reference(func(n notation.Node, _ []notation.Node) {
		if c, ok := n.(*notation.Call); ok && (c.Name.Name == "is_nan" || c.Name.Name == "is_finite") {
			heeds = true
		}
	})
	has, where := false, ""
	for _, c := range w.cases {
		for _, in := range w.e.Inputs {
			if a := c.Inputs[in.Name]; a != nil && a.Kind() >= array.Real && anyNaN(a) {
				has, where = true, in.Name
			}
		}
	}
	switch {
	case has && !heeds:
		w.advise("missing-values", "inputs."+where, fmt.Sprintf("`%s` holds NaN, and the reference does not heed it", where), "leave missing values out with `is_nan`, or mend the data")
	case heeds && !has:
		w.advise("missing-values", "cases", "the reference heeds NaN, and none stands in the data of any case", "give a case a missing value, or `nudge: some_missing`")
	}
}

func anyNaN(a *array.Array) bool {
	for i := range a.Size() {
		if array.HasNaN(a.ComplexAt(i)) {
			return true
		}
	}
	return false
}

// ties looks for extremes by position that are not unique.
func (w *inspector) ties() {
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Call)
		if !ok || len(c.Args) == 0 || c.Name.Name != "max_at" && c.Name.Name != "min_at" && c.Name.Name != "sort_order" {
			return
		}
		for i, one := range w.cases {
			a := w.seen[i][c.Args[0]]
			if a == nil || a.Kind() == array.Complex || !w.tied(one, c, a) {
				continue
			}
			w.advise("tie", w.line(c), fmt.Sprintf("in the case `%s` what `%s` asks for is not unique, so an answer that takes the other one is marked wrong", one.Name, w.p.Program.Source.Slice(c.Span)),
				"make the values differ there, or `nudge: distinct`; or say in the prompt which one counts")
			return
		}
	})
}

// tied reports whether an extreme, or an order, of a group is not unique.
func (w *inspector) tied(c *check.PreparedCase, call *notation.Call, a *array.Array) bool {
	axes := []int{}
	for i := range a.Rank() {
		axes = append(axes, i)
	}
	if call.Clause != nil {
		axes = axes[:0]
		for _, x := range call.Clause.Axes {
			for i := range a.Rank() {
				if x.Label != "" && a.Label(i) == x.Label || x.Number != nil && int(x.Number.Int)-w.e.Counting == i || x.Edge != nil && (x.Edge.Last && i == a.Rank()-1 || !x.Edge.Last && i == 0) {
					axes = append(axes, i)
				}
			}
		}
	}
	if a.Kind() == array.Bool || len(axes) == 0 {
		return false
	}
	found := false
	array.EachGroup(a.Widen(array.Real), axes, func(_ int, items []float64) {
		s := slices.Clone(items)
		slices.Sort(s)
		n := len(s)
		if n < 2 {
			return
		}
		switch call.Name.Name {
		case "max_at":
			found = found || s[n-1] == s[n-2]
		case "min_at":
			found = found || s[0] == s[1]
		default:
			for i := 1; i < n; i++ {
				found = found || s[i] == s[i-1]
			}
		}
	})
	return found
}

func (w *inspector) tolerances() {
	for i := range w.e.Outputs {
		out := &w.e.Outputs[i]
		place := "outputs." + out.Name
		if out.Tolerance.Written {
			if slip := w.probe.Loose(w.ctx, i); slip != "" {
				w.advise("loose", place, fmt.Sprintf("the tolerance of `%s` accepts a slip: %s", out.Name, slip), "tighten it, to the error that rounding makes")
			}
			wide := w.every(func(c *check.PreparedCase) bool {
				spread, size := spreadOf(c.Expected[out.Name])
				return spread > 0 && out.Tolerance.Absolute+out.Tolerance.Relative*size >= spread
			})
			if wide {
				w.advise("loose", place, fmt.Sprintf("the tolerance of `%s` is wider than the spread of its values", out.Name), "tighten it, to the error that rounding makes")
			}
		}
		if words := w.otherOrders(out); words != "" {
			w.advise("tight", place, fmt.Sprintf("`%s` differs by more than its tolerance when the reference is worked out in another order that is as right: %s", out.Name, words), "allow the rounding: `tolerance: {relative: 1e-9, absolute: 1e-12}`")
		}
	}
}

// spreadOf is the largest less the smallest finite value, and the largest size.
func spreadOf(a *array.Array) (spread, size float64) {
	if a == nil || a.Kind() == array.Complex || a.Kind() == array.Bool || a.Size() < 2 {
		return 0, 0
	}
	low, high := math.Inf(1), math.Inf(-1)
	for i := range a.Size() {
		v := a.RealAt(i)
		if math.IsNaN(v) || math.IsInf(v, 0) {
			continue
		}
		low, high, size = min(low, v), max(high, v), max(size, math.Abs(v))
	}
	if high < low {
		return 0, 0
	}
	return high - low, size
}

// otherOrders works the reference out in other orders that are as right, and says the
// first whose result the tolerance does not take.
func (w *inspector) otherOrders(out *exercise.Output) string {
	for _, r := range reorderings(w.p.Program) {
		for _, c := range w.cases {
			got := w.p.Run(w.ctx, c, r.program, 0)
			value := got.Values[out.Name]
			if got.Error != nil || value == nil || value.Kind() != c.Expected[out.Name].Kind() || !array.SameShape(value, c.Expected[out.Name]) {
				continue
			}
			if !nearly(c.Expected[out.Name], value) {
				break // no rounding explains it, so the order is not as right after all
			}
			if !w.p.AgreesOn(c, out, value) {
				return r.words
			}
		}
	}
	return ""
}

// nearly reports whether two results differ by no more than rounding could explain.
func nearly(a, b *array.Array) bool {
	return compare.Agree(a, b, compare.Tolerance{Relative: 1e-6, Absolute: 1e-9, Written: true}, compare.Freedom{})
}

func (w *inspector) conditions() {
	for i, list := range w.notes {
		for _, n := range list {
			if n.Code == "notice.condition" {
				w.advise("ill-conditioned", fmt.Sprintf("reference.nra, line %d", n.Place.Line), fmt.Sprintf("in the case `%s` a matrix is nearly singular: its results depend on rounding", w.cases[i].Name), "choose a better conditioned matrix; a larger diagonal helps")
			}
		}
	}
	w.reference(func(n notation.Node, _ []notation.Node) {
		c, ok := n.(*notation.Call)
		if !ok || len(c.Args) == 0 || !slices.Contains([]string{"inverse", "solve", "least_squares", "det", "mat_power"}, c.Name.Name) {
			return
		}
		least := math.Inf(1)
		for _, o := range w.e.Outputs {
			if t := o.Tolerance.Relative; t > 0 {
				least = min(least, t)
			}
		}
		for i, one := range w.cases {
			a := w.seen[i][c.Args[0]]
			if a == nil || a.Rank() != 2 || a.Size() == 0 {
				continue
			}
			if k, ok := functions.ConditionOf(a); ok && k*0x1p-52 > least/2 {
				w.advise("ill-conditioned", w.line(c), fmt.Sprintf("in the case `%s` the matrix of `%s` has the condition %.1e, so rounding alone can pass the tolerance", one.Name, w.p.Program.Source.Slice(c.Span), k), "choose a better conditioned matrix; a larger diagonal helps")
				return
			}
		}
	})
}

func (w *inspector) inputs() {
	used := map[string]bool{}
	w.reference(func(n notation.Node, _ []notation.Node) {
		if name, ok := n.(*notation.Name); ok {
			used[name.Name] = true
		}
	})
	for _, q := range w.e.Properties {
		for _, word := range strings.FieldsFunc(q.Holds, notLetter) {
			used[word] = true
		}
	}
	for _, f := range w.e.Functions {
		for _, call := range f.Calls {
			for _, word := range strings.FieldsFunc(call, notLetter) {
				used[word] = true
			}
		}
	}
	for _, in := range w.e.Inputs {
		if !used[in.Name] {
			w.advise("unused-input", "inputs."+in.Name, fmt.Sprintf("the reference never uses the input `%s`", in.Name), "take it out, or use it")
		}
	}
}

func notLetter(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' }

func (w *inspector) outputs() {
	for i := range w.e.Outputs {
		out := &w.e.Outputs[i]
		first := w.cases[0].Expected[out.Name]
		if len(w.cases) > 1 && w.every(func(c *check.PreparedCase) bool {
			v := c.Expected[out.Name]
			return array.SameShape(first, v) && compare.Agree(first, v, out.Tolerance, compare.Freedom{})
		}) {
			w.advise("constant-output", "outputs."+out.Name, fmt.Sprintf("`%s` is the same in every case, so it can be written in", out.Name), "choose data that give other results, or take the output out")
		}
		for _, c := range w.cases {
			if v := c.Expected[out.Name]; v.Kind() >= array.Real && nonFinite(v) {
				w.advise("non-finite", "outputs."+out.Name, fmt.Sprintf("in the case `%s` `%s` holds NaN or an infinite value, with which much else agrees", c.Name, out.Name), "mend the data, or let the case expect an error")
				break
			}
		}
	}
}

func nonFinite(a *array.Array) bool {
	for i := range a.Size() {
		v := a.ComplexAt(i)
		if array.HasNaN(v) || cmplx.IsInf(v) {
			return true
		}
	}
	return false
}

func (w *inspector) prompt() {
	text := strings.ToLower(w.e.Prompt)
	words := map[string]bool{}
	for _, word := range strings.FieldsFunc(text, notLetter) {
		words[word] = true
		words[strings.TrimSuffix(word, "s")] = true
	}
	names := func(word string) bool {
		word = strings.ToLower(word)
		if words[word] || words[strings.TrimSuffix(word, "s")] {
			return true
		}
		return regexp.MustCompile(`(^|[^\pL\pN])` + regexp.QuoteMeta(word) + `($|[^\pL\pN])`).MatchString(text)
	}
	for _, out := range w.e.Outputs {
		place := "outputs." + out.Name
		if !names(out.Name) {
			w.advise("prompt-silent", place, fmt.Sprintf("the prompt never names the output `%s`", out.Name), fmt.Sprintf("say in %s that `%s` is to be bound", path.Join(w.e.Dir, "prompt.md"), out.Name))
			continue
		}
		var silent []string
		for _, axis := range out.Axes {
			if axis != "" && !names(axis) {
				silent = append(silent, "its axis `"+axis+"`")
			}
		}
		if out.Unit != "" && !names(out.Unit) {
			silent = append(silent, "its unit `"+out.Unit+"`")
		}
		if len(silent) > 0 {
			w.advise("prompt-silent", place, fmt.Sprintf("the prompt names `%s`, but not %s", out.Name, notation.JoinWords(silent, "or")), "say it in prompt.md")
		}
	}
}

// writtenLengths looks for ints in the reference that are an axis's length in every
// case, where a length is spelled.
func (w *inspector) writtenLengths() {
	w.reference(func(n notation.Node, parents []notation.Node) {
		num, ok := n.(*notation.Number)
		if !ok || num.Kind != array.Int || num.Int < 2 || !spellsLength(num, parents) {
			return
		}
		for _, in := range w.e.Inputs {
			first := w.cases[0].Inputs[in.Name]
			if first == nil {
				continue
			}
			for axis := range first.Rank() {
				if w.every(func(c *check.PreparedCase) bool {
					a := c.Inputs[in.Name]
					return a != nil && axis < a.Rank() && a.Len(axis) == int(num.Int)
				}) {
					word := functions.AxisWord(first, axis, w.e.Counting)
					w.advise("free-shape", w.line(num), fmt.Sprintf("the reference writes the length %d of the axis %s of `%s` in", num.Int, word, in.Name), fmt.Sprintf("write `length(%s along %s)`, and give the cases other lengths", in.Name, word))
					return
				}
			}
		}
	})
}

// spellsLength reports whether a number stands where a length does: in a shape, at the
// end of a range of values, or as a divisor.
func spellsLength(num *notation.Number, parents []notation.Node) bool {
	for i := len(parents) - 1; i >= 0; i-- {
		switch p := parents[i].(type) {
		case *notation.List, *notation.Paren:
			continue
		case *notation.Call:
			f := functions.Lookup(p.Name.Name)
			if f == nil {
				return false
			}
			switch p.Name.Name {
			case "filled", "draw_uniform", "draw_normal", "draw_integers":
				return len(p.Args) > 0 && contains(p.Args[0], num)
			case "reshape":
				return !contains(p.Args[0], num)
			case "zeros", "ones", "identity":
				return true
			}
			return false
		case *notation.RangeExpr:
			return p.End != nil && contains(p.End, num) && !inSelection(parents[:i])
		case *notation.Binary:
			return p.Op == "/" && notation.Strip(p.Right) == notation.Expr(num)
		default:
			return false
		}
	}
	return false
}

func inSelection(parents []notation.Node) bool {
	return slices.ContainsFunc(parents, func(n notation.Node) bool { _, ok := n.(*notation.Selection); return ok })
}

func contains(n notation.Node, what notation.Node) bool {
	found := false
	notation.Walk(n, func(m notation.Node) bool {
		found = found || m == what
		return !found
	})
	return found
}
