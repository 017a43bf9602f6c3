package evaluate

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// call evaluates a call: a function of the program's own, or a built-in.
func (r *runner) call(e *notation.Call) *array.Array {
	if r.functions != nil {
		if f, ok := r.functions[e.Name.Name]; ok {
			return r.callOwn(e, f)
		}
	}
	f := functions.Lookup(e.Name.Name)
	k := r.newCall()
	c := &k.Call
	c.Function, c.Counting, c.Meter = f, r.options.Counting, &r.meter
	c.Args = k.args[:0]
	for i, arg := range e.Args {
		c.Args = append(c.Args, r.argument(f, arg, i))
	}
	if e.Clause != nil {
		c.Axes = r.clauseAxes(e.Clause, f, c.Args, k.axes[:0])
	}
	if len(e.Options) > 0 {
		c.Options = make(map[string]functions.Value, len(e.Options))
		for _, o := range e.Options {
			c.Options[o.Name.Name] = r.option(f, o, c.Args)
		}
	}
	r.meter.At(e.Span)
	out, d := f.Run(c)
	if d == nil && r.options.Record != nil {
		r.options.Record.Call(e, c, out)
	}
	k.Args, k.Axes, k.Options, k.args = nil, nil, nil, [3]*array.Array{}
	r.idle, k.next = k, r.idle
	return r.must(e.Span, out, d)
}

// call is a call of a built-in with its usual arguments and axes in one allocation. A call
// that has ended is used again, and lets go of what it was given: without that the eight
// statements of `make bench` make four times the allocations and take a tenth longer.
type call struct {
	functions.Call
	args [3]*array.Array
	axes [4]int
	next *call
}

func (r *runner) newCall() *call {
	k := r.idle
	if k == nil {
		return &call{}
	}
	r.idle, k.next = k.next, nil
	return k
}

// argument evaluates one argument; in a shape the word auto stands for a length.
func (r *runner) argument(f *functions.Function, arg notation.Expr, i int) *array.Array {
	if !f.ShapeArgs || i == 0 {
		return r.expr(arg)
	}
	isAuto := func(e notation.Expr) bool {
		n, ok := e.(*notation.Name)
		return ok && n.Name == "auto"
	}
	if isAuto(arg) {
		return functions.AutoLength()
	}
	l, ok := arg.(*notation.List)
	if !ok {
		return r.expr(arg)
	}
	items := make([]*array.Array, len(l.Items))
	for k, item := range l.Items {
		if isAuto(item) {
			items[k] = functions.AutoLength()
			continue
		}
		items[k] = r.expr(item)
		if items[k].Rank() != 0 {
			return r.expr(arg)
		}
	}
	r.meter.At(l.Span)
	out, d := functions.Stack(&r.meter, items)
	return r.must(l.Span, out, d)
}

func (r *runner) callOwn(e *notation.Call, f *notation.Function) *array.Array {
	args := make([]*array.Array, len(e.Args))
	for i, arg := range e.Args {
		args[i] = r.expr(arg)
	}
	if r.depth >= r.options.Limits.Depth {
		r.failWith(e.Span, codes.RunLimit, fmt.Sprintf("the run exceeded its limit on call depth: %d",
			r.options.Limits.Depth), "a function that calls itself needs a case that ends; better, work on whole arrays")
	}
	r.count(e.Span)
	outer, axes := r.frame, r.axes
	r.frame = &frame{caller: outer}
	r.axes = nil
	r.depth++
	for i, p := range f.Params {
		r.bind(p.Name, args[i])
	}
	if r.options.Record != nil {
		r.options.Record.Enter(e, f)
	}
	value := r.body(e, f)
	if r.options.Record != nil {
		r.options.Record.Leave(e, f)
	}
	r.frame, r.axes = outer, axes
	r.depth--
	return value
}

// body runs a function's body up to its return.
func (r *runner) body(e *notation.Call, f *notation.Function) (value *array.Array) {
	if f.Value != nil {
		return r.expr(f.Value)
	}
	frame, depth := r.frame, r.depth
	defer func() {
		p := recover()
		if p == nil {
			return
		}
		back, ok := p.(returned)
		if !ok {
			panic(p)
		}
		r.frame, r.depth = frame, depth
		value = back.value
	}()
	r.block(f.Body)
	r.failWith(e.Span, codes.TextSyntax, fmt.Sprintf("the function `%s` ended without `return`", f.Name.Name),
		"end every path through it with `return`")
	return nil
}

// clauseAxes evaluates the axes of over and along and appends them.
func (r *runner) clauseAxes(c *notation.Clause, f *functions.Function, args []*array.Array, axes []int) []int {
	a := args[0]
	rank := a.Rank()
	if f.AlongResult {
		rank++
	}
	add := func(axis int, span notation.Span) {
		for _, seen := range axes {
			if seen == axis {
				r.fail(span, functions.AxisTwice(a, axis, r.options.Counting))
			}
		}
		axes = append(axes, axis)
	}
	for _, x := range c.Axes {
		if x.Value != nil && !c.Along {
			if list := r.axisList(x, a, rank); list != nil {
				for _, axis := range list {
					add(axis, x.Span)
				}
				continue
			}
		}
		add(r.axis(c.Before(), x, a, rank), x.Span)
	}
	return axes
}

// axisList computes an expression in parentheses that gives several axis
// numbers; nil when it gives one.
func (r *runner) axisList(x *notation.Axis, a *array.Array, rank int) []int {
	v := r.expr(x.Value)
	if v.Rank() != 1 {
		return nil
	}
	if v.Kind() != array.Int || v.Size() == 0 {
		r.failWith(x.Span, codes.AxisUnknown, fmt.Sprintf("axis numbers are ints, at least one, and this is %s",
			functions.Describe(v)), "write `over [0, 1]`, or an int array in parentheses")
	}
	out := make([]int, v.Size())
	for i, n := range v.Ints() {
		at := n - int64(r.options.Counting)
		if at < 0 || at >= int64(rank) {
			r.fail(x.Span, functions.UnknownAxis(a, fmt.Sprint(n), "", r.options.Counting))
		}
		out[i] = int(at)
	}
	return out
}

// option reads an option as a word, axes or a value, as the function says.
func (r *runner) option(f *functions.Function, o *notation.Option, args []*array.Array) functions.Value {
	switch f.OptionKindOf(o.Name.Name) {
	case functions.OptionWord:
		return functions.Value{Word: o.Value.(*notation.Name).Name}
	case functions.OptionAxes:
		return functions.Value{Axes: r.axisRefs(o, args[0])}
	}
	return functions.Value{Array: r.expr(o.Value)}
}

// axisRefs reads a list of labels, "_", numbers, edges and expressions.
func (r *runner) axisRefs(o *notation.Option, a *array.Array) []functions.AxisRef {
	l, ok := o.Value.(*notation.List)
	if !ok {
		if p, isParen := o.Value.(*notation.Paren); isParen {
			return r.axisRefsOf(r.axisList(&notation.Axis{Span: p.Span, Value: p}, a, a.Rank()), o)
		}
		r.failWith(o.Value.Pos(), codes.TextCall, fmt.Sprintf("the option `%s` takes a list of axes", o.Name.Name),
			fmt.Sprintf("write `%s: [week, rope]`", o.Name.Name))
	}
	refs := make([]functions.AxisRef, len(l.Items))
	for i, item := range l.Items {
		x := &notation.Axis{Span: item.Pos()}
		switch item := item.(type) {
		case *notation.Name:
			refs[i] = functions.AxisRef{Label: item.Name}
			continue
		case *notation.Number:
			if item.Kind != array.Int {
				r.failWith(item.Span, codes.AxisUnknown, fmt.Sprintf("%s is not an axis number", item.Text),
					"axis numbers are whole")
			}
			x.Number = item
		case *notation.Edge:
			x.Edge = item
		default:
			x.Value = item
		}
		refs[i] = functions.AxisRef{Number: r.axis("", x, a, a.Rank())}
	}
	return refs
}

func (r *runner) axisRefsOf(axes []int, o *notation.Option) []functions.AxisRef {
	if axes == nil {
		r.failWith(o.Value.Pos(), codes.TextCall, fmt.Sprintf("the option `%s` takes a list of axes", o.Name.Name),
			fmt.Sprintf("write `%s: [week, rope]`", o.Name.Name))
	}
	refs := make([]functions.AxisRef, len(axes))
	for i, axis := range axes {
		refs[i] = functions.AxisRef{Number: axis}
	}
	return refs
}
