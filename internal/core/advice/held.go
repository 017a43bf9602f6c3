package advice

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

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
	w.advise(codes.AdviceOneCase, "cases", message, "add a case with other data and leave `shown` out of it")
	w.hold("", func(c *check.PreparedCase) bool {
		return !slices.ContainsFunc(w.cases, func(o *check.PreparedCase) bool { return same(c, o) })
	})
}

// hold adds a held case that fixes it to the last piece of advice, when probing has one.
func (w *inspector) hold(weakness codes.Code, fits func(c *check.PreparedCase) bool) {
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
				pair := axisPair{in.Name, in.Name, i, k, fmt.Sprintf("the axes %s and %s of `%s`", functions.AxisWord(first, i,
					w.e.Counting), functions.AxisWord(first, k, w.e.Counting), in.Name)}
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
	w.advise(codes.AdviceEqualLengths, "inputs."+pair.a, pair.words+" have one length in every case: "+
		"taking the wrong one leaves the shape right",
		fmt.Sprintf("give them other lengths: draw `%s` with unequal lengths, or add a case where they differ", pair.a))
	w.hold(codes.AdviceEqualLengths, func(c *check.PreparedCase) bool {
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
	if !same || !hasAxes || slices.ContainsFunc(w.p.Cases, func(c check.PreparedCase) bool {
		return c.Error != nil &&
			!sameShapes(c.Inputs, first.Inputs)
	}) {
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
				w.advise(codes.AdviceOneShape, "cases", "every case has data of one shape, so a length that is written in passes",
					fmt.Sprintf("add a held case with another length of `%s`'s axis %s", in.Name, functions.AxisWord(a, axis,
						w.e.Counting)))
				w.hold(codes.AdviceEqualLengths, func(c *check.PreparedCase) bool {
					return c.Inputs[in.Name].Len(axis) != a.Len(
						axis)
				})
				return
			}
		}
	}
}

// oneLength looks for single axes that have one length in every case while others vary: a
// sum that is written out by position passes.
func (w *inspector) oneLength() {
	if len(w.cases) < 2 || !w.usesLengths() {
		return
	}
	first := w.cases[0]
	for _, in := range w.e.Inputs {
		a := first.Inputs[in.Name]
		if a == nil || a.Size() == 0 {
			continue
		}
		for axis := range a.Rank() {
			if !w.collapsed(in.Name, a, axis) || !w.every(func(c *check.PreparedCase) bool {
				b := c.Inputs[in.Name]
				return b != nil && axis < b.Rank() && b.Len(axis) == a.Len(axis)
			}) {
				continue
			}
			inputs := unequal(first.Inputs, axisPair{b: in.Name, axisB: axis})
			if inputs == nil {
				continue
			}
			if _, ok := w.p.With(w.ctx, first, inputs); !ok {
				continue
			}
			word := functions.AxisWord(a, axis, w.e.Counting)
			w.advise(codes.AdviceOneShape, "inputs."+in.Name,
				fmt.Sprintf("the axis %s of `%s` has the length %d in every case, so a sum that is written out by position "+
					"passes", word, in.Name, a.Len(axis)), fmt.Sprintf("add a held case with another length of `%s`'s axis %s",
					in.Name, word))
			w.hold(codes.AdviceEqualLengths, func(c *check.PreparedCase) bool {
				return c.Inputs[in.Name].Len(axis) != a.Len(
					axis)
			})
		}
	}
}

// reduced reports whether the reference reduces an axis of an input, or a matrix
// product does, in the first case. An axis with a label is followed through what comes from
// the input, one without where the input itself stands.
func (w *inspector) collapsed(input string, a *array.Array, axis int) bool {
	label := a.Label(axis)
	f := flowOf(w.p.Program)
	found := false
	from := func(e notation.Expr) bool {
		comes := false
		notation.Walk(e, func(n notation.Node) bool {
			if name, ok := n.(*notation.Name); ok && f.reached(name.Name)[input] {
				comes = true
			}
			return !comes
		})
		return comes
	}
	w.reference(func(n notation.Node, _ []notation.Node) {
		switch n := n.(type) {
		case *notation.Call:
			r := functions.Lookup(n.Name.Name)
			if r == nil || r.Clause != functions.Over || len(n.Args) == 0 || !from(n.Args[0]) {
				return
			}
			before, after := w.seen[0][n.Args[0]], w.seen[0][n]
			if before == nil || after == nil {
				return
			}
			if label != "" {
				found = found || slices.Contains(before.Labels(), label) && !slices.Contains(after.Labels(), label)
			} else if isName(n.Args[0], input) {
				found = found || n.Clause == nil || slices.ContainsFunc(n.Clause.Axes, func(x *notation.Axis) bool {
					return x.Number != nil && int(x.Number.Int)-w.e.Counting == axis || x.Edge != nil &&
						(!x.Edge.Last && axis == 0 || x.Edge.Last && axis == a.Rank()-1)
				})
			}
		case *notation.Binary:
			if n.Op != "dot" || !from(n) {
				return
			}
			x := w.seen[0][n.Left]
			if label != "" {
				found = found || x != nil && x.Rank() > 0 && x.Label(x.Rank()-1) == label
			} else {
				found = found || isName(n.Left, input) && axis == a.Rank()-1 || isName(n.Right, input) && axis == max(a.Rank()-2, 0)
			}
		}
	})
	return found
}

func isName(e notation.Expr, name string) bool {
	n, ok := notation.Strip(e).(*notation.Name)
	return ok && n.Name == name
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
			case *notation.Binary:
				found = found || n.Op == "dot"
			}
			return !found
		})
	}
	return found
}
