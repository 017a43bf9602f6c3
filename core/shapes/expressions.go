package shapes

import (
	"nimbusreach/core/array"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

// expr works an expression out and keeps what it is.
func (w *walker) expr(e notation.Expr) Outline {
	o := w.outline(e)
	w.saw(e, o)
	return o
}

// saw tells what an expression of the text is, the last time it is come by.
func (w *walker) saw(e notation.Expr, o Outline) {
	if w.see != nil && w.quiet == 0 && w.depth == 0 {
		w.see(e.Pos(), o)
	}
}

func (w *walker) outline(e notation.Expr) Outline {
	switch e := e.(type) {
	case *notation.Number:
		switch e.Kind {
		case array.Int:
			return functions.OutlineOfInt(e.Int)
		case array.Real:
			return functions.Outlined(array.Real, nil, nil)
		}
		return functions.Outlined(array.Complex, nil, nil)
	case *notation.Truth:
		return functions.Outlined(array.Bool, nil, nil)
	case *notation.Name:
		return w.variable(e)
	case *notation.Edge:
		return w.edge(e)
	case *notation.Paren:
		return w.expr(e.Inner)
	case *notation.List:
		return w.list(e)
	case *notation.Unary:
		out, d := functions.UnaryOutline(e.Op, w.expr(e.Operand))
		w.fail(e.Span, d)
		return out
	case *notation.Binary:
		return w.binary(e)
	case *notation.Compare:
		return w.compare(e)
	case *notation.RangeExpr:
		return w.rangeValue(e)
	case *notation.Select:
		return w.selected(w.expr(e.Of), e.Selection)
	case *notation.Call:
		return w.call(e)
	}
	return Outline{}
}

func (w *walker) edge(e *notation.Edge) Outline {
	out := functions.Outlined(array.Int, nil, nil)
	if len(w.edges) == 0 {
		return out
	}
	n := w.edges[len(w.edges)-1]
	switch {
	case n == noAxis:
		return out
	case !e.Last:
		return out.WithNumbers([]int{w.counting})
	case n >= 0:
		return out.WithNumbers([]int{n - 1 + w.counting})
	}
	return out
}

// binary follows the left spine in a loop, so that a long sum needs no deep stack.
func (w *walker) binary(e *notation.Binary) Outline {
	var room [8]*notation.Binary
	spine := room[:0]
	var left notation.Expr = e
	for {
		b, ok := left.(*notation.Binary)
		if !ok {
			break
		}
		spine = append(spine, b)
		left = b.Left
	}
	out := w.expr(left)
	for i := len(spine) - 1; i >= 0; i-- {
		b := spine[i]
		right := w.expr(b.Right)
		var d *notation.Diagnostic
		out, d = functions.BinaryOutline(b.Op, out, right, w.fresh)
		w.fail(b.Span, d)
		if i > 0 {
			w.saw(b, out)
		}
	}
	return out
}

func (w *walker) compare(e *notation.Compare) Outline {
	left := w.expr(e.Operands[0])
	var all *Outline
	for i, op := range e.Ops {
		right := w.expr(e.Operands[i+1])
		one, d := functions.BinaryOutline(op, left, right, w.fresh)
		w.fail(e.Operands[i].Pos().To(e.Operands[i+1].Pos()), d)
		if all != nil {
			one, d = functions.BinaryOutline("and", *all, one, w.fresh)
			w.fail(e.Span, d)
		}
		all, left = &one, right
	}
	return *all
}

func (w *walker) rangeValue(e *notation.RangeExpr) Outline {
	from, end := w.expr(e.From), w.expr(e.End)
	if e.By == nil {
		return functions.RangeOutline(from, end, nil, e.Before, w.fresh)
	}
	by := w.expr(e.By)
	return functions.RangeOutline(from, end, &by, e.Before, w.fresh)
}

func (w *walker) list(e *notation.List) Outline {
	items := make([]Outline, len(e.Items))
	for i, item := range e.Items {
		items[i] = w.expr(item)
	}
	out, differs := functions.StackOutlines(items, w.fresh)
	if differs >= 0 {
		w.fail(e.Items[differs].Pos(), functions.RaggedFault(differs+w.counting, &items[0], &items[differs]))
	}
	return out
}

func (w *walker) call(e *notation.Call) Outline {
	if f, ok := w.own[e.Name.Name]; ok {
		return w.callOwn(e, f)
	}
	f := functions.Lookup(e.Name.Name)
	if f == nil || f.CheckCall(e) != nil {
		for _, a := range e.Args {
			w.expr(a)
		}
		return Outline{}
	}
	k := w.newSketch()
	s := &k.Sketch
	s.Function, s.Counting, s.NewLength, s.Clause = f, w.counting, w.newLength, e.Clause != nil
	s.Args, s.Options = k.args[:0], k.options[:0]
	for i, a := range e.Args {
		s.Args = append(s.Args, w.argument(f, a, i))
	}
	if e.Clause != nil {
		s.Axes = w.clauseAxes(e.Clause, f, &s.Args[0])
	}
	for _, o := range e.Options {
		option := w.option(f, o, &s.Args)
		option.Name = o.Name.Name
		s.Options = append(s.Options, option)
	}
	out, d := f.Outline(s)
	w.fail(e.Span, d)
	*k = sketch{next: w.idle}
	w.idle = k
	return out
}

// sketch is a call with room for what most calls are given. One that is done with is
// used again.
type sketch struct {
	functions.Sketch
	args    [2]Outline
	options [1]functions.OptionSketch
	next    *sketch
}

func (w *walker) newSketch() *sketch {
	k := w.idle
	if k == nil {
		return &sketch{}
	}
	w.idle, k.next = k.next, nil
	return k
}

// argument works one argument out; in a shape the word auto stands for a length.
func (w *walker) argument(f *functions.Function, arg notation.Expr, i int) Outline {
	if !f.ShapeArgs || i == 0 {
		return w.expr(arg)
	}
	isAuto := func(e notation.Expr) bool {
		n, ok := e.(*notation.Name)
		return ok && n.Name == "auto"
	}
	if isAuto(arg) {
		return functions.AutoOutline()
	}
	l, ok := arg.(*notation.List)
	if !ok {
		return w.expr(arg)
	}
	items := make([]Outline, len(l.Items))
	for k, item := range l.Items {
		if isAuto(item) {
			items[k] = functions.AutoOutline()
		} else {
			items[k] = w.expr(item)
		}
	}
	out, _ := functions.StackOutlines(items, w.fresh)
	return out
}

// option reads an option as a word, axes or a value, as the function says; true and
// false give their words.
func (w *walker) option(f *functions.Function, o *notation.Option, args *[]Outline) functions.OptionSketch {
	switch f.OptionKindOf(o.Name.Name) {
	case functions.OptionWord:
		if n, ok := o.Value.(*notation.Name); ok {
			return functions.OptionSketch{Word: n.Name}
		}
		return functions.OptionSketch{}
	case functions.OptionAxes:
		return functions.OptionSketch{Axes: w.axisRefs(o, args)}
	}
	out := functions.OptionSketch{Value: w.expr(o.Value)}
	if t, ok := notation.Strip(o.Value).(*notation.Truth); ok {
		out.Word = map[bool]string{true: "true", false: "false"}[t.Value]
	}
	return out
}

// axisRefs reads a list of labels, "_" and numbers; nil when one is worked out.
func (w *walker) axisRefs(o *notation.Option, args *[]Outline) []functions.AxisRef {
	l, ok := o.Value.(*notation.List)
	if !ok || len(*args) == 0 {
		return nil
	}
	a := &(*args)[0]
	refs := make([]functions.AxisRef, len(l.Items))
	for i, item := range l.Items {
		if n, ok := item.(*notation.Name); ok {
			refs[i] = functions.AxisRef{Label: n.Name}
			continue
		}
		x := &notation.Axis{Span: item.Pos()}
		switch item := item.(type) {
		case *notation.Number:
			x.Number = item
		case *notation.Edge:
			x.Edge = item
		default:
			x.Value = item
		}
		axis, ok := w.axis(x, a, a.Rank())
		if !ok {
			return nil
		}
		refs[i] = functions.AxisRef{Number: axis}
	}
	return refs
}

// axis works an axis out, counted from 0; ok is false when it is not known.
func (w *walker) axis(x *notation.Axis, a *Outline, rank int) (axis int, ok bool) {
	if x.Value != nil {
		v := w.expr(x.Value)
		n, known := v.Number()
		if !known || !a.KnowsRank() {
			return 0, false
		}
		return w.axisNumber(x, n, a, rank)
	}
	if !a.KnowsRank() {
		return 0, false
	}
	switch {
	case x.Label != "":
		if !a.KnowsLabels() {
			return 0, false
		}
		axis, d := functions.FindLabel(a, x.Label, w.counting)
		if _, bound := w.vars[x.Label]; bound {
			functions.LabelNotVariable(d, x.Label)
		}
		w.fail(x.Span, d)
		return axis, d == nil
	case x.Number != nil:
		if x.Number.Kind != array.Int {
			return 0, false
		}
		return w.axisNumber(x, int(x.Number.Int), a, rank)
	}
	if rank == 0 {
		w.fail(x.Span, functions.UnknownAxis(a, map[bool]string{true: "`last`", false: "`first`"}[x.Edge.Last], "", w.counting))
		return 0, false
	}
	if x.Edge.Last {
		return rank - 1, true
	}
	return 0, true
}

func (w *walker) axisNumber(x *notation.Axis, n int, a *Outline, rank int) (int, bool) {
	at := n - w.counting
	if at < 0 || at >= rank {
		w.fail(x.Span, functions.UnknownAxis(a, numberWord(n), "", w.counting))
		return 0, false
	}
	return at, true
}

// clauseAxes works the axes of over and along out; nil when one is not known.
func (w *walker) clauseAxes(c *notation.Clause, f *functions.Function, a *Outline) []int {
	rank := a.Rank()
	if f.AlongResult {
		rank++
	}
	axes := []int{}
	known := true
	add := func(axis int, span notation.Span) {
		for _, seen := range axes {
			if seen == axis {
				w.fail(span, functions.AxisTwice(a, axis, w.counting))
				known = false
			}
		}
		axes = append(axes, axis)
	}
	for _, x := range c.Axes {
		if x.Value != nil && !c.Along {
			v := w.expr(x.Value)
			if !v.KnowsRank() || v.Numbers() == nil || !a.KnowsRank() {
				known = false
				continue
			}
			for _, n := range v.Numbers() {
				if !functions.IsKnown(n) {
					known = false
					continue
				}
				axis, ok := w.axisNumber(x, n, a, rank)
				if known = known && ok; ok {
					add(axis, x.Span)
				}
			}
			continue
		}
		axis, ok := w.axis(x, a, rank)
		if known = known && ok; ok {
			add(axis, x.Span)
		}
	}
	if !known || len(axes) == 0 {
		return nil
	}
	return axes
}

// callOwn follows a call of the text's own function.
func (w *walker) callOwn(e *notation.Call, f *notation.Function) Outline {
	args := make([]Outline, len(e.Args))
	for i, a := range e.Args {
		args[i] = w.expr(a)
	}
	if len(args) != len(f.Params) {
		return Outline{}
	}
	return w.follow(f, args)
}

func (w *walker) follow(f *notation.Function, args []Outline) Outline {
	if w.called == nil {
		w.called = map[*notation.Function]bool{}
	}
	w.called[f] = true
	if w.calls >= mostCalls || w.depth >= mostDepth {
		return Outline{}
	}
	w.calls++
	w.depth++
	vars, edges, result := w.vars, w.edges, w.result
	w.vars, w.edges, w.result = map[string]Outline{}, nil, nil
	for i, p := range f.Params {
		w.vars[p.Name] = args[i]
	}
	out := Outline{}
	if f.Value != nil {
		out = w.expr(f.Value)
	} else {
		w.block(f.Body)
		if w.result != nil {
			out = *w.result
		}
	}
	w.vars, w.edges, w.result = vars, edges, result
	w.depth--
	return out
}
