package evaluate

import (
	"fmt"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

func (r *runner) block(list []notation.Statement) {
	for _, s := range list {
		r.statement(s)
	}
}

func (r *runner) statement(s notation.Statement) {
	if _, ok := s.(*notation.Function); ok {
		return
	}
	if s, ok := s.(*notation.Assign); ok {
		r.count(s.Span)
		r.meter.At(s.Span)
		mark := r.meter.Begin()
		r.assign(s)
		r.meter.End(mark)
		r.trace(s.Span, s.Target.Name)
		return
	}
	r.count(header(s))
	r.meter.At(s.Pos())
	mark := r.meter.Begin()
	defer r.meter.End(mark)
	switch s := s.(type) {
	case *notation.View:
		r.view(s)
		r.trace(s.Span, s.Name.Name)
	case *notation.Each:
		r.each(s)
	case *notation.Repeat:
		r.repeat(s)
	case *notation.If:
		if r.truth(s.Condition, "`if`") {
			r.block(s.Then)
		} else {
			r.block(s.Else)
		}
		if r.options.Record != nil {
			r.options.Record.Branch(s)
		}
	case *notation.Return:
		value := r.expr(s.Value)
		if r.options.Record != nil {
			r.options.Record.Return(s)
		}
		panic(returned{value})
	}
}

// header is the part of a statement that its errors point at.
func header(s notation.Statement) notation.Span {
	switch s := s.(type) {
	case *notation.Each:
		return s.Header
	case *notation.Repeat:
		return s.Header
	case *notation.If:
		return s.Header
	}
	return s.Pos()
}

func (r *runner) count(span notation.Span) { r.ok(span, r.meter.Statement()) }

func (r *runner) trace(span notation.Span, name string) {
	if r.options.Trace == nil {
		return
	}
	if v := r.frame.find(name); v != nil {
		r.options.Trace(Step{Span: span, Name: name, Value: v.value})
	}
}

func (r *runner) assign(s *notation.Assign) {
	if s.Selection != nil {
		r.assignInto(s)
		return
	}
	value := r.expr(s.Value)
	var old *array.Array
	if s.Op != "=" {
		old = r.lookup(s.Target)
		if v := r.frame.find(s.Target.Name); v != nil && v.view {
			r.failWith(s.Span, codes.SelectKind, fmt.Sprintf("`%s` is a view, and `%s` would rebind the name instead of "+
				"changing the cells", s.Target.Name, s.Op),
				fmt.Sprintf("to change the cells write `%s[rest] %s ...`", s.Target.Name, s.Op))
		}
		r.meter.At(s.Span)
		out, d := functions.Binary(&r.meter, s.Op[:1], old, value)
		value = r.must(s.Span, out, d)
	}
	if r.options.Record != nil {
		r.options.Record.Bind(s, old, value)
	}
	r.bind(s.Target.Name, value)
}

// assignInto writes into a selection. The right side is computed first, and
// nothing is written unless all of it can be.
func (r *runner) assignInto(s *notation.Assign) {
	value := r.expr(s.Value)
	v := r.variableOf(s.Target)
	scratch := r.takePicks()
	sel := r.selection(s.Selection, v.value, scratch)
	if s.Op != "=" || value.Rank() > 0 {
		r.refuseRepeated(s.Selection.Span, sel, v.value)
	}
	if s.Op != "=" {
		r.meter.At(s.Span)
		old := r.read(s.Selection.Span, sel, v.value)
		out, d := functions.Binary(&r.meter, s.Op[:1], old, value)
		value = r.must(s.Span, out, d)
	}
	value = r.fitted(s, v.value, sel, value)
	r.writable(s.Span, v)
	if value.Cells() == v.value.Cells() {
		value = value.Copy()
	}
	if r.options.Record != nil {
		r.options.Record.Assign(s, v.value, Selected{sel, s.Selection}, value)
	}
	r.meter.At(s.Span)
	switch {
	case sel.mask != nil:
		v.value.AssignWhere(sel.mask, value)
	case sel.paired != nil:
		v.value.AssignPaired(sel.paired.axes, sel.paired.lists, value)
	default:
		v.value.Assign(sel.picks, value)
	}
	r.givePicks(scratch)
	r.frame.touch(v)
}

// fitted checks the value's kind and shape against the target and widens it.
func (r *runner) fitted(s *notation.Assign, target *array.Array, sel selected, value *array.Array) *array.Array {
	span := s.Value.Pos()
	emptyList := value.Kind() == array.Real && value.Size() == 0 && value.Rank() == 1
	if value.Kind() > target.Kind() && !emptyList {
		r.fail(span, functions.AssignKindFault(s.Target.Name, target, value))
	}
	shape, labels := sel.shape(target)
	fits := false
	if got, err := array.BroadcastShape(shape, value.Shape()); err == nil {
		fits = len(got) == len(shape) && array.SameLengths(got, shape)
	}
	if sel.mask != nil {
		fits = value.Rank() == 0 || (value.Rank() == 1 && value.Len(0) == shape[0])
	}
	if !fits {
		want := notation.Shape{Lengths: shape, Labels: labels, Mark: -1}
		if sel.mask != nil {
			r.failWith(span, codes.ShapeAssign, fmt.Sprintf("the mask is true in %d places, and the value has the shape %s",
				shape[0], functions.ShapeOf(value)),
				"give one scalar, or one element for each place, on one axis", want, functions.ShapeOf(value))
		}
		r.fail(span, functions.AssignFault(want, value))
	}
	if sel.mask == nil {
		r.meter.At(s.Span)
		r.noteTargetLabels(shape, labels, value)
	}
	if emptyList && value.Kind() > target.Kind() {
		return array.New(target.Kind(), value.Shape())
	}
	wide, d := functions.Widen(&r.meter, value, target.Kind())
	return r.must(span, wide, d)
}

// noteTargetLabels says when the value's axes carry other labels than the
// target's they are laid on.
func (r *runner) noteTargetLabels(shape []int, labels []string, value *array.Array) {
	for i := range value.Rank() {
		at := len(shape) - value.Rank() + i
		if at >= len(labels) || labels[at] == "" || value.Label(i) == "" || value.Label(i) == labels[at] {
			continue
		}
		target := notation.Shape{Lengths: shape, Labels: labels, Mark: at}
		given := functions.ShapeOf(value)
		given.Mark = i
		r.meter.Notice(codes.NoticeLabels, fmt.Sprintf("the assignment aligns the axis `%s` with the axis `%s`",
			value.Label(i),
			labels[at]),
			"check that the right axes meet; `new` and `transpose` move them", target, given)
		return
	}
}

func (r *runner) refuseRepeated(span notation.Span, sel selected, target *array.Array) {
	counting := r.options.Counting
	if sel.paired != nil {
		seen := map[string]bool{}
		for i := range sel.paired.lists[0] {
			place := make([]int, len(sel.paired.lists))
			for k, l := range sel.paired.lists {
				place[k] = l[i] + counting
			}
			if key := strings.ReplaceAll(fmt.Sprint(place), " ", ", "); seen[key] {
				r.failWith(span, codes.SelectRepeated, fmt.Sprintf("the position %s occurs twice in the target", key),
					"name every position once, or assign one scalar with `=`")
			} else {
				seen[key] = true
			}
		}
		return
	}
	for axis, p := range sel.picks {
		if p.Kind != array.PickList {
			continue
		}
		seen := make(map[int]bool, len(p.List))
		for _, at := range p.List {
			if seen[at] {
				r.failWith(span, codes.SelectRepeated, fmt.Sprintf("the position %d occurs twice on axis %s of the target",
					at+counting, functions.AxisWord(target, sel.axisOf(axis), counting)),
					"name every position once, or assign one scalar with `=`")
			}
			seen[at] = true
		}
	}
}

func (r *runner) view(s *notation.View) {
	v := r.variableOf(s.Of)
	sel := r.selection(s.Selection, v.value, nil)
	if sel.mask != nil || sel.paired != nil || !array.SharesCells(sel.picks) {
		r.failWith(s.Selection.Span, codes.SelectKind, "a view takes no lists of positions, masks, `except` or `paired`",
			"views take single positions, ranges, `all`, `reversed`, `new` and `rest`; a copy is bound with `=`")
	}
	r.writable(s.Span, v)
	if r.options.Record != nil {
		r.options.Record.View(s, v.value, Selected{sel, s.Selection})
	}
	v.value.Cells().MarkViewed()
	r.set(s.Name.Name, v.value.Select(sel.picks), true)
}

// leave notes an input whose name is about to hold something else.
func (r *runner) leave(v *variable) {
	if v.input && r.inputs[v.name] != v.value {
		r.left = append(r.left, leftInput{v.name, r.inputs[v.name], v.value})
	}
}

func (r *runner) each(s *notation.Each) {
	values := make([]*array.Array, len(s.Values))
	axes := make([]int, len(s.Values))
	for i, e := range s.Values {
		values[i] = r.expr(e)
		if values[i].Rank() == 0 {
			r.fail(e.Pos(), functions.NoAxisToGo())
		}
		if s.Along != nil {
			axes[i] = r.axis("along ", s.Along, values[i], values[i].Rank())
		}
		if values[i].Len(axes[i]) != values[0].Len(axes[0]) {
			r.fail(s.Header, functions.OutOfStep(values[0], axes[0], values[i], axes[i]))
		}
		// The loop holds its values, so that the body's writes do not reach them.
		values[i] = r.held(values[i])
	}
	for k := range values[0].Len(axes[0]) {
		r.count(s.Header)
		for i, v := range values {
			r.bind(s.Names[i].Name, item(v, axes[i], k))
		}
		if r.options.Record != nil {
			r.options.Record.Item(s, values, axes, k)
		}
		r.block(s.Body)
	}
}

// item is the part of an array at one position of an axis.
func item(a *array.Array, axis, at int) *array.Array {
	picks := make([]array.Pick, a.Rank())
	for i := range picks {
		picks[i] = array.WholeAxis(a.Len(i))
	}
	picks[axis] = array.Pick{Kind: array.PickPosition, Start: at}
	return a.Select(picks)
}

func (r *runner) repeat(s *notation.Repeat) {
	count := r.expr(s.Count)
	if count.Rank() != 0 || count.Kind() != array.Int {
		r.failWith(s.Count.Pos(), codes.RunKind, fmt.Sprintf("`repeat up to` takes one int, and got %s",
			functions.Describe(count)), "write `repeat up to 50 until ...`")
	}
	for range max(count.IntAt(0), 0) {
		r.count(s.Header)
		r.block(s.Body)
		done := r.truth(s.Until, "`until`")
		if r.options.Record != nil {
			r.options.Record.Round(s)
		}
		if done {
			break
		}
	}
	if r.options.Record != nil {
		r.options.Record.Rounds(s)
	}
}

// truth evaluates a condition: one truth value.
func (r *runner) truth(e notation.Expr, word string) bool {
	a := r.expr(e)
	if a.Rank() == 0 && a.Kind() == array.Bool {
		return a.BoolAt(0)
	}
	r.fail(e.Pos(), functions.ConditionFault(word, a))
	return false
}
