package lineage

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

const (
	// MostCells bounds an array that is traced.
	MostCells = 10_000
	// MostSteps bounds the statements whose values can be asked.
	MostSteps = 400
	// mostKept bounds what one run keeps, in numbers of four bytes, and mostNodes the arrays that it makes.
	mostKept  = 1 << 23
	mostNodes = 100_000
)

// made is a value that was computed: where its lineage is, and the array, of which only the shape is still sure.
type made struct {
	id    id
	array *array.Array
}

// storage is cells that one name or several share.
type storage struct {
	id   id
	size int
}

// variable is a name. at says which cells of the storage are its own, nil for all in their order, and chosen what that
// was computed from.
type variable struct {
	*storage
	at     []int32
	chosen []id
}

// frame is the names and computed expressions of the program or of one call.
type frame struct {
	outer    *frame
	names    map[string]*variable
	computed map[notation.Expr]made
	asked    []id // conditions on which the call might have returned before
	returned made
	rounds   map[*notation.Repeat][]id
}

func newFrame(outer *frame) *frame {
	return &frame{outer: outer, names: map[string]*variable{}, computed: map[notation.Expr]made{},
		rounds: map[*notation.Repeat][]id{}}
}

// recorder keeps the lineage of a run.
type recorder struct {
	graph
	*frame
	steps    []step
	around   map[*notation.Return][]notation.Expr
	tooLarge []int // the shape of an array that is too large
	tooMany  bool
}

// step is what a statement bound or wrote, at the end of it.
type step struct {
	span  notation.Span
	name  string
	id    id
	value *array.Array // as it was then
}

// stopped reports whether there is too much to trace.
func (r *recorder) stopped() bool { return r.tooLarge != nil || r.tooMany }

// traced reports whether an array can be traced, and ends the tracing if not.
func (r *recorder) traced(a *array.Array) bool {
	if r.stopped() {
		return false
	}
	if a.Size() > MostCells {
		r.tooLarge = slices.Clone(a.Shape())
	}
	r.tooMany = r.kept > mostKept || len(r.nodes) > mostNodes
	return !r.stopped()
}

// linked makes links of those of a rule; operand gives the node of an argument.
func linked(rules []functions.Link, operand func(l functions.Link) id) []link {
	var out []link
	for _, l := range rules {
		if from := operand(l); from != none {
			out = append(out, link{from: from, choice: l.Choice, Cells: l.Cells})
		}
	}
	return out
}

func (r *recorder) set(e notation.Expr, n id, v *array.Array) {
	r.computed[e] = made{n, v}
}

// idOf is the node of an expression that was computed.
func (r *recorder) idOf(e notation.Expr) id {
	if m, is := r.computed[e]; is {
		return m.id
	}
	return none
}

// of is the node of a whole variable.
func (r *recorder) of(v *variable) id {
	n := v.id
	if v.at != nil && n != none {
		n = r.add(len(v.at), []link{{from: n, Cells: functions.Cells{From: v.at}}})
	}
	if len(v.chosen) > 0 {
		n = r.under(n, len(v.at), v.chosen)
	}
	return n
}

func (r *recorder) Value(e notation.Expr, v *array.Array) {
	if !r.traced(v) {
		return
	}
	switch e := e.(type) {
	case *notation.Paren:
		r.set(e, r.idOf(e.Inner), v)
	case *notation.Name:
		n := none
		if x := r.names[e.Name]; x != nil {
			n = r.of(x)
		}
		r.set(e, n, v)
	case *notation.List:
		r.list(e, v)
	case *notation.Unary:
		r.set(e, r.idOf(e.Operand), v)
	case *notation.Binary:
		left, right := r.computed[e.Left], r.computed[e.Right]
		r.set(e, r.operator(e.Op, left, right, v), v)
	case *notation.Compare:
		var links []link
		for _, o := range e.Operands {
			if m := r.computed[o]; m.array != nil && m.id != none {
				links = append(links, link{from: m.id, Cells: functions.Cells{From: functions.Stretched(m.array.Shape(),
					v.Shape())}})
			}
		}
		r.set(e, r.add(v.Size(), links), v)
	case *notation.RangeExpr:
		r.set(e, r.add(v.Size(), linked(functions.RangeLineage(v), func(l functions.Link) id {
			return r.idOf([]notation.Expr{e.From, e.End, e.By}[l.Operand])
		})), v)
	case *notation.Call, *notation.Select:
		if m := r.computed[e]; m.array == nil {
			r.set(e, none, v)
		}
	default:
		r.set(e, none, v)
	}
}

func (r *recorder) operator(op string, left, right made, v *array.Array) id {
	if left.array == nil || right.array == nil || left.id == none && right.id == none {
		return none
	}
	return r.add(v.Size(), linked(functions.OperatorLineage(op, left.array, right.array, v), func(l functions.Link) id {
		return []id{left.id, right.id}[l.Operand]
	}))
}

func (r *recorder) list(e *notation.List, v *array.Array) {
	var links []link
	each := v.Size() / max(len(e.Items), 1)
	for i, item := range e.Items {
		n := r.idOf(item)
		if n == none {
			continue
		}
		from := make([]int32, v.Size())
		for k := range from {
			if from[k] = -1; k/max(each, 1) == i {
				from[k] = int32(k % max(each, 1))
			}
		}
		links = append(links, link{from: n, Cells: functions.Cells{From: from}})
	}
	r.set(e, r.add(v.Size(), links), v)
}

func (r *recorder) Call(e *notation.Call, c *functions.Call, v *array.Array) {
	delete(r.computed, e)
	if !r.traced(v) {
		return
	}
	args := make([]id, len(e.Args))
	options := map[string]id{}
	some := false
	for i, arg := range e.Args {
		args[i] = r.idOf(arg)
		some = some || args[i] != none
	}
	for _, o := range e.Options {
		options[o.Name.Name] = r.idOf(o.Value)
		some = some || options[o.Name.Name] != none
	}
	if !some {
		r.set(e, none, v)
		return
	}
	named := map[string]bool{"keep": true}
	links := linked(c.Function.Lineage(c, v), func(l functions.Link) id {
		if l.Option != "" {
			named[l.Option] = true
			return options[l.Option]
		}
		return args[l.Operand]
	})
	for name, n := range options { // what else is said chooses what is done
		if o := c.Options[name].Array; n != none && !named[name] && o != nil {
			links = append(links, link{from: n, choice: true, Cells: functions.AllOf(v, o)})
		}
	}
	if e.Clause != nil { // and so does an axis that was computed
		for _, x := range e.Clause.Axes {
			if n := r.idOf(x.Value); n != none {
				links = append(links, link{from: n, choice: true, Cells: functions.AllOf(v, r.computed[x.Value].array)})
			}
		}
	}
	r.set(e, r.add(v.Size(), links), v)
}

func (r *recorder) Select(e *notation.Select, of *array.Array, s evaluate.Selected, v *array.Array) {
	delete(r.computed, e)
	if !r.traced(v) {
		return
	}
	r.set(e, r.selected(r.idOf(e.Of), e.Selection, of, s, v), v)
}

// selected is a node of what a selection takes.
func (r *recorder) selected(from id, source *notation.Selection, of *array.Array, s evaluate.Selected,
	v *array.Array) id {
	links := r.chosen(source, of, s, v)
	if from != none {
		links = append(links, link{from: from, Cells: functions.Cells{
			From: functions.CellsAt(s.Of(functions.NumbersOf(of.Shape())))}})
	}
	return r.add(v.Size(), links)
}

// chosen links what selectors were computed from to what they select.
func (r *recorder) chosen(source *notation.Selection, of *array.Array, s evaluate.Selected, v *array.Array) []link {
	var out []link
	add := func(e notation.Expr, cells func(by *array.Array) functions.Cells) {
		if m, is := r.computed[e]; is && m.id != none {
			out = append(out, link{from: m.id, choice: true, Cells: cells(m.array)})
		}
	}
	if mask := s.Mask(); mask != nil {
		add(source.Selectors[0].Value, func(*array.Array) functions.Cells {
			return upTo(mask, v.Size(), func(k int) int { return k })
		})
		return out
	}
	for _, sel := range s.Selectors(of) {
		switch {
		case sel.Kind == notation.SelectRange:
			for _, e := range []notation.Expr{sel.Range.From, sel.Range.By} {
				add(e, func(by *array.Array) functions.Cells { return functions.AllOf(v, by) })
			}
		case sel.Kind != notation.SelectValue:
		case sel.Except || sel.Out < 0:
			add(sel.Value, func(by *array.Array) functions.Cells { return functions.AllOf(v, by) })
		default:
			places := functions.PlacesOn(v.Shape(), sel.Out)
			add(sel.Value, func(by *array.Array) functions.Cells {
				switch {
				case by.Rank() == 0 || by.Size() == 0:
					return functions.AllOf(v, by)
				case by.Kind() == array.Bool:
					return upTo(by, v.Size(), func(k int) int { return int(places[k]) })
				}
				return functions.Cells{From: places}
			})
		}
	}
	return out
}

// upTo says that what is at the n-th true place of a mask was chosen by the cells up to it. nth gives n for a cell.
func upTo(mask *array.Array, size int, nth func(k int) int) functions.Cells {
	var trues []int32
	cells := functions.Cells{Out: make([]int32, size), In: make([]int32, mask.Size()), Upto: make([]int32, size),
		Place: make([]int32, mask.Size())}
	for i := range mask.Size() {
		cells.Place[i] = int32(i)
		if mask.BoolAt(i) {
			trues = append(trues, int32(i))
		}
	}
	for k := range size {
		cells.Upto[k] = trues[nth(k)]
	}
	return cells
}

func (r *recorder) Enter(e *notation.Call, f *notation.Function) {
	inner := newFrame(r.frame)
	for i, p := range f.Params {
		if m := r.computed[e.Args[i]]; m.array != nil {
			inner.names[p.Name] = variableOf(m.id, m.array)
		}
	}
	r.frame = inner
}

func variableOf(n id, v *array.Array) *variable {
	return &variable{storage: &storage{n, v.Size()}}
}

func (r *recorder) Leave(e *notation.Call, f *notation.Function) {
	value := r.returned
	if f.Value != nil {
		value = r.computed[f.Value]
	}
	r.frame = r.outer
	r.set(e, value.id, value.array)
	if value.array == nil {
		delete(r.computed, e)
	}
}

func (r *recorder) Return(s *notation.Return) {
	value := r.computed[s.Value]
	if value.array == nil {
		return
	}
	asked := slices.Clone(r.asked)
	for _, condition := range r.around[s] {
		asked = append(asked, r.idOf(condition))
	}
	r.returned = made{r.under(value.id, value.array.Size(), asked), value.array}
}

// conditionsAround lists, for each return, the conditions of the blocks that it stands in.
func conditionsAround(p *notation.Program) map[*notation.Return][]notation.Expr {
	out := map[*notation.Return][]notation.Expr{}
	for _, s := range p.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if b, is := n.(*notation.If); is {
				notation.Walk(b, func(n notation.Node) bool {
					if back, is := n.(*notation.Return); is {
						out[back] = append(out[back], b.Condition)
					}
					return true
				})
			}
			return true
		})
	}
	return out
}

// under is a node whose every cell conditions chose, besides what it comes from.
func (r *recorder) under(n id, size int, conditions []id) id {
	var links []link
	for _, c := range conditions {
		if c != none {
			links = append(links, link{from: c, choice: true, Cells: functions.Cells{Out: make([]int32, size),
				In: make([]int32, r.nodes[c].size)}})
		}
	}
	if len(links) == 0 {
		return n
	}
	if n != none {
		from := make([]int32, size)
		for i := range from {
			from[i] = int32(i)
		}
		links = append(links, link{from: n, Cells: functions.Cells{From: from}})
	}
	return r.add(size, links)
}

func (r *recorder) Bind(s *notation.Assign, old, v *array.Array) {
	if !r.traced(v) {
		return
	}
	n := r.idOf(s.Value)
	if s.Op != "=" {
		was := none
		if x := r.names[s.Target.Name]; x != nil {
			was = r.of(x)
		}
		n = r.operator(s.Op[:1], made{was, old}, r.computed[s.Value], v)
	}
	r.names[s.Target.Name] = variableOf(n, v)
}

// note keeps where a name's cells come from, after a statement.
func (r *recorder) note(s evaluate.Step) {
	if v := r.names[s.Name]; v != nil && !r.stopped() && len(r.steps) < MostSteps {
		r.steps = append(r.steps, step{s.Span, s.Name, r.of(v), s.Value.Copy()})
		r.kept += 2 * s.Value.Size()
	}
}

func (r *recorder) Assign(s *notation.Assign, target *array.Array, sel evaluate.Selected, value *array.Array) {
	if !r.traced(target) || !r.traced(value) {
		return
	}
	v := r.names[s.Target.Name]
	if v == nil {
		v = variableOf(none, target)
		r.names[s.Target.Name] = v
	}
	dest := sel.Of(functions.NumbersOf(target.Shape()))
	n := r.idOf(s.Value)
	if s.Op != "=" {
		was := made{r.selected(r.of(v), s.Selection, target, sel, dest), dest}
		n = r.operator(s.Op[:1], was, r.computed[s.Value], value)
	}
	places := functions.CellsAt(dest)
	from := functions.Stretched(value.Shape(), dest.Shape())
	keep, put := make([]int32, v.size), make([]int32, v.size)
	for i := range keep {
		keep[i], put[i] = int32(i), -1
	}
	for k, at := range places {
		if v.at != nil {
			at = v.at[at]
		}
		keep[at], put[at] = -1, from[k]
	}
	links := r.writing(s, target, v, sel, value)
	for _, c := range v.chosen {
		links = append(links, link{from: c, choice: true, Cells: functions.Cells{Out: make([]int32, v.size),
			In: make([]int32, r.nodes[c].size)}})
	}
	if v.id != none {
		links = append(links, link{from: v.id, Cells: functions.Cells{From: keep}})
	}
	if n != none {
		links = append(links, link{from: n, Cells: functions.Cells{From: put}})
	}
	v.id = r.add(v.size, links)
}

// writing links what selectors were computed from to all cells that they might have written into.
func (r *recorder) writing(s *notation.Assign, target *array.Array, v *variable, sel evaluate.Selected,
	value *array.Array) []link {
	var out []link
	add := func(e notation.Expr, own []int32) {
		m, is := r.computed[e]
		if !is || m.id == none {
			return
		}
		cells := functions.Cells{Out: make([]int32, v.size), In: make([]int32, m.array.Size())}
		if own != nil && value.Size() == 1 { // a cell's own place in the mask alone says whether one value is written
			cells = functions.Cells{From: own}
			if v.at != nil {
				cells.From = make([]int32, v.size)
				for i := range cells.From {
					cells.From[i] = -1
				}
				for k, at := range v.at {
					cells.From[at] = own[k]
				}
			}
		}
		out = append(out, link{from: m.id, choice: true, Cells: cells})
	}
	if sel.Mask() != nil {
		own := make([]int32, target.Size())
		for i := range own {
			own[i] = int32(i)
		}
		add(s.Selection.Selectors[0].Value, own)
		return out
	}
	for _, one := range sel.Selectors(target) {
		switch {
		case one.Kind == notation.SelectRange:
			for _, e := range []notation.Expr{one.Range.From, one.Range.End, one.Range.By} {
				add(e, nil)
			}
		case one.Kind == notation.SelectValue && r.computed[one.Value].array != nil &&
			r.computed[one.Value].array.Kind() == array.Bool:
			add(one.Value, functions.PlacesOn(target.Shape(), one.Axis))
		case one.Kind == notation.SelectValue:
			add(one.Value, nil)
		}
	}
	return out
}

func (r *recorder) View(s *notation.View, of *array.Array, sel evaluate.Selected) {
	if !r.traced(of) {
		return
	}
	v := r.names[s.Of.Name]
	if v == nil {
		v = variableOf(none, of)
		r.names[s.Of.Name] = v
	}
	seen := sel.Of(functions.NumbersOf(of.Shape()))
	at := functions.CellsAt(seen)
	if v.at != nil {
		for k := range at {
			at[k] = v.at[at[k]]
		}
	}
	chosen := slices.Clone(v.chosen)
	for _, l := range r.chosen(s.Selection, of, sel, seen) {
		chosen = append(chosen, l.from)
	}
	r.names[s.Name.Name] = &variable{storage: v.storage, at: at, chosen: chosen}
}

func (r *recorder) Item(s *notation.Each, values []*array.Array, axes []int, at int) {
	for i, v := range values {
		if !r.traced(v) {
			return
		}
		picks := make([]array.Pick, v.Rank())
		for k := range picks {
			picks[k] = array.WholeAxis(v.Len(k))
		}
		picks[axes[i]] = array.Pick{Kind: array.PickPosition, Start: at}
		item := functions.NumbersOf(v.Shape()).WithLabels(v.Labels()).Select(picks)
		n := r.idOf(s.Values[i])
		if n != none {
			n = r.add(item.Size(), []link{{from: n, Cells: functions.Cells{From: functions.CellsAt(item)}}})
		}
		r.names[s.Names[i].Name] = variableOf(n, item)
	}
}

func (r *recorder) Branch(s *notation.If) {
	if r.stopped() {
		return
	}
	condition := []id{r.idOf(s.Condition)}
	r.wrap(append(slices.Clone(s.Then), s.Else...), condition)
	if returns(s) {
		r.asked = append(r.asked, condition...)
	}
}

func (r *recorder) Round(s *notation.Repeat) {
	if r.stopped() {
		return
	}
	r.rounds[s] = append(r.rounds[s], r.idOf(s.Until))
	if returns(s) {
		r.asked = append(r.asked, r.idOf(s.Until))
	}
}

func (r *recorder) Rounds(s *notation.Repeat) {
	if r.stopped() {
		return
	}
	r.wrap(s.Body, append(r.rounds[s], r.idOf(s.Count)))
	delete(r.rounds, s)
}

// wrap puts what statements assign to under conditions, whether they ran or not.
func (r *recorder) wrap(statements []notation.Statement, conditions []id) {
	if !slices.ContainsFunc(conditions, func(c id) bool { return c != none }) {
		return
	}
	seen := map[*storage]bool{}
	for _, name := range assigned(statements) {
		if v := r.names[name]; v != nil && !seen[v.storage] {
			seen[v.storage] = true
			v.id = r.under(v.id, v.size, conditions)
		}
	}
}

// assigned are the names that statements bind or write into.
func assigned(statements []notation.Statement) []string {
	var out []string
	for _, s := range statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Assign:
				out = append(out, n.Target.Name)
			case *notation.View:
				out = append(out, n.Name.Name)
			case *notation.Each:
				for _, name := range n.Names {
					out = append(out, name.Name)
				}
			}
			return true
		})
	}
	return out
}

// returns reports whether a call may end inside a statement.
func returns(s notation.Statement) bool {
	found := false
	notation.Walk(s, func(n notation.Node) bool {
		_, is := n.(*notation.Return)
		found = found || is
		return !found
	})
	return found
}
