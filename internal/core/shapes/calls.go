package shapes

import (
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

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
	k := &sketch{}
	s := &k.Sketch
	s.Function, s.Counting, s.NewLength, s.Clause = f, w.counting, w.newLength, e.Clause != nil
	s.Args, s.Options = k.args[:0], k.options[:0]
	for i, a := range e.Args {
		s.Args = append(s.Args, w.argument(f, a, i))
	}
	if e.Clause != nil {
		s.Axes = w.clauseAxes(e.Clause, f, &s.Args[0], k.axes[:0])
	}
	for _, o := range e.Options {
		option := w.option(f, o, &s.Args)
		option.Name = o.Name.Name
		s.Options = append(s.Options, option)
	}
	out, d := f.Outline(s)
	w.fail(e.Span, d)
	return out
}

// sketch is a call with its usual arguments, options and axes in one allocation.
type sketch struct {
	functions.Sketch
	args    [2]Outline
	options [1]functions.OptionSketch
	axes    [2]int
}

// argument evaluates one argument; in a shape the word auto stands for a length.
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

// axisRefs reads a list of labels, "_" and numbers; nil when one is computed.
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
		axis, ok := w.axis("", x, a, a.Rank())
		if !ok {
			return nil
		}
		refs[i] = functions.AxisRef{Number: axis}
	}
	return refs
}

// clauseAxes evaluates the axes of over and along and appends them; nil when one is not
// known.
func (w *walker) clauseAxes(c *notation.Clause, f *functions.Function, a *Outline, axes []int) []int {
	rank := a.Rank()
	if f.AlongResult {
		rank++
	}
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
				if !n.Known() {
					known = false
					continue
				}
				axis, ok := w.axisNumber(x, int(n), a, rank)
				if known = known && ok; ok {
					add(axis, x.Span)
				}
			}
			continue
		}
		axis, ok := w.axis(c.Before(), x, a, rank)
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
