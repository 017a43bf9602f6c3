package slips

import (
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

var axisOperators = []*Operator{
	{
		Name: "axis", Codes: []codes.Code{codes.AxisOther, codes.AxisAll, codes.JoinAxis},
		Where: "the clause of a call, and the axis of a loop", Change: "names every other axis, set of axes, or all",
		Right: "r = mean(growth over week)", Wrong: "r = mean(growth over rope)",
		OtherAxes: true, join: byChange,
		expression: []onExpression{onCall((*walker).otherAxes), onCallOf((*walker).sizeForLength, "length", "size")},
		statement:  onStatement((*walker).eachAxis),
	},
	{
		Name: "keep", Codes: []codes.Code{codes.AxisKept, codes.AxisDropped},
		Where:  "a reduction, and in an attempt a list of one",
		Change: "puts `keep: true` in, or takes it out; takes the list away",
		Right:  "r = max(x)", Wrong: "r = max(x, keep: true)",
		join: byCause, expression: []onExpression{onCall((*walker).keeping), on((*walker).listOfOne)},
	},
	{
		Name: "last pass", Codes: []codes.Code{codes.LoopLast},
		Where: "a reduction", Change: "keeps the last item of the axis, as a loop does that overwrites its result",
		Right: "r = sum(growth over week)", Wrong: "r = growth[last, all, all]",
		expression: []onExpression{onCall((*walker).lastPass)},
	},
	{
		Name: "one item", Codes: []codes.Code{codes.StepMissing, codes.FunctionOther},
		Where:  "a reduction over an axis, and one position of an axis",
		Change: "takes the first or last item for the reduction, or a reduction for the item",
		Right:  "r = mean(growth over week)", Wrong: "r = growth[last, all, all]",
		expression: []onExpression{onCallOf((*walker).itemForReduction, reductionsOfItems...),
			on((*walker).reductionForItem)},
	},
	{
		Name: "nested", Codes: []codes.Code{codes.MeanNested},
		Where:  "a mean, median, percentile or standard deviation, and a quotient of sums",
		Change: "takes means of group means, or the mean of quotients",
		Right:  "r = sum(x) / sum(y)", Wrong: "r = mean(x / y)",
		OtherAxes: true,
		expression: []onExpression{
			onCallOf((*walker).nestedMeans, "mean", "median", "percentile", "std", "sample_std"), on((*walker).meanOfQuotients),
		},
	},
	{
		Name: "extremes", Codes: []codes.Code{codes.Grouping},
		Where:  "the greatest, least or middle of quotients, and in an attempt a quotient of two",
		Change: "divides before, or after",
		Right:  "r = max(x / y)", Wrong: "r = max(x) / max(y)",
		expression: []onExpression{onCallOf((*walker).extremesApart, extremes...), on((*walker).extremeOfQuotients)},
	},
	{
		Name: "order", Codes: []codes.Code{codes.AxisOrder},
		Where: "a transposition with `to:`", Change: "puts the axes in another order",
		Right: "r = transpose(growth, to: [depth, week, rope])", Wrong: "r = transpose(growth, to: [week, depth, rope])",
		OtherAxes: true, expression: []onExpression{onCallOf((*walker).axisOrders, "transpose")},
	},
}

// sizeForLength takes the number of elements for the length of an axis, and a length for that.
func (w *walker) sizeForLength(slot *notation.Expr, c *notation.Call) {
	o := w.outline(c.Args[0])
	if !o.KnowsRank() || o.Rank() < 2 || o.Rank() > mostAxes {
		return
	}
	if c.Name.Name == "length" {
		size := withName(c, "size")
		size.Clause = nil
		w.both(codes.AxisOther, slot, size)
		return
	}
	for axis := range o.Rank() {
		w.both(codes.AxisOther, slot, w.withAxes(withName(c, "length"), true,
			[]*notation.Axis{w.axisOf(c.Span, labelOf(&o, axis), axis)}))
	}
}

// mostAxes bounds how many axes a value may have for all sets of them to be tried.
const mostAxes = 4

// otherAxes changes the clause of a call: every other axis, or set of axes, none and all.
func (w *walker) otherAxes(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	o, now, ok := w.axesOf(c, f)
	if !ok {
		return
	}
	if f.Clause == functions.Along {
		w.alongAxes(slot, c, &o, f, now)
		return
	}
	rank := o.Rank()
	for set := 1; set < 1<<rank; set++ {
		var axes []*notation.Axis
		var places []int
		for i := range rank {
			if set>>i&1 == 1 {
				axes, places = append(axes, w.axisOf(c.Span, labelOf(&o, i), i)), append(places, i)
			}
		}
		whole := len(places) == rank
		if slices.Equal(places, now) || (whole && c.Clause == nil) {
			continue
		}
		with := w.withAxes(c, false, axes)
		if whole {
			with = w.withAxes(c, false, nil)
		}
		cause, undoes := codes.AxisOther, codes.AxisOther
		if whole {
			cause = codes.AxisAll
		}
		if len(now) == rank {
			undoes = codes.AxisAll
		}
		w.clauseSlip(cause, undoes, slot, c, with)
		// What stands beside an array of more axes comes with the axis that it loses.
		if w.repairing() && w.depth > 1 && !whole && takes(f, "keep") && optionOf(c, "keep") == nil {
			w.clauseSlip(cause, undoes, slot, c, withOption(with, "keep", truth(c.Span, true)))
		}
	}
}

// axesOf is what is known of a call's array, and the axes that the call names; ok is false
// where either is not known.
func (w *walker) axesOf(c *notation.Call, f *functions.Function) (o shapes.Outline, now []int, ok bool) {
	if len(c.Args) == 0 || f.Clause == functions.NoClause {
		return o, nil, false
	}
	o = w.outline(c.Args[0])
	if !o.KnowsRank() || o.Rank() == 0 || o.Rank() > mostAxes {
		return o, nil, false
	}
	now, ok = w.clauseNow(c, &o, f)
	return o, now, ok
}

// clauseSlip collects another clause, shown by the clauses alone.
func (w *walker) clauseSlip(cause, undoes codes.Code, slot *notation.Expr, c, with *notation.Call) {
	old := *slot
	words := func(c *notation.Call) func() string {
		return func() string {
			if c.Clause == nil {
				return "over all axes"
			}
			if optionOf(c, "keep") != nil {
				return notation.PrintClause(c.Clause) + ", keep: true"
			}
			return notation.PrintClause(c.Clause)
		}
	}
	span := c.Span
	if c.Clause != nil {
		span = c.Clause.Span
	}
	w.add(cause, undoes, span, words(c), words(with), func() func() {
		*slot = with
		return func() { *slot = old }
	})
}

// clauseNow finds the axes that a call names; all for a reduction that names none.
func (w *walker) clauseNow(c *notation.Call, o *shapes.Outline, f *functions.Function) (axes []int, ok bool) {
	if c.Clause == nil {
		if f.Clause == functions.Over {
			for i := range o.Rank() {
				axes = append(axes, i)
			}
			return axes, true
		}
		return nil, true
	}
	for _, x := range c.Clause.Axes {
		at := -1
		switch {
		case x.Label != "":
			for i := range o.Rank() {
				if o.Label(i) == x.Label {
					at = i
				}
			}
		case x.Number != nil:
			at = int(x.Number.Int) - w.m.Counting
		case x.Edge != nil:
			at = 0
			if x.Edge.Last {
				at = o.Rank() - 1
				if f.AlongResult {
					at++
				}
			}
		}
		if at < 0 {
			return nil, false
		}
		axes = append(axes, at)
	}
	slices.Sort(axes)
	return axes, true
}

func (w *walker) alongAxes(slot *notation.Expr, c *notation.Call, o *shapes.Outline, f *functions.Function, now []int) {
	rank := o.Rank()
	if f.AlongResult {
		rank++
		if now == nil {
			now = []int{0}
		}
	} else if rank == 1 {
		return
	}
	cause := codes.AxisOther
	if f.Name == "join" || f.Name == "stack" {
		cause = codes.JoinAxis
	}
	for i := range rank {
		if len(now) == 1 && now[0] == i {
			continue
		}
		label := ""
		if !f.AlongResult {
			label = labelOf(o, i)
		}
		w.clauseSlip(cause, cause, slot, c, w.withAxes(c, true, []*notation.Axis{w.axisOf(c.Span, label, i)}))
	}
}

// keeping puts `keep: true` in or takes it out.
func (w *walker) keeping(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if _, _, ok := w.axesOf(c, f); !ok || !takes(f, "keep") {
		return
	}
	if optionOf(c, "keep") != nil {
		w.replace(codes.AxisDropped, codes.AxisKept, slot, withOption(c, "keep", nil))
		return
	}
	w.replace(codes.AxisKept, codes.AxisDropped, slot, withOption(c, "keep", truth(c.Span, true)))
}

// eachAxis changes the axis that a loop goes along.
func (w *walker) eachAxis(_ *[]notation.Statement, s *notation.Each) {
	if len(s.Values) != 1 {
		return
	}
	o := w.outline(s.Values[0])
	if !o.KnowsRank() || o.Rank() < 2 || o.Rank() > mostAxes {
		return
	}
	old := s.Along
	now := 0
	if old != nil {
		now = -1
		for i := range o.Rank() {
			if old.Label != "" && o.Label(i) == old.Label || old.Number != nil && int(old.Number.Int)-w.m.Counting == i {
				now = i
			}
		}
	}
	for i := range o.Rank() {
		if i == now {
			continue
		}
		with := w.axisOf(s.Header, labelOf(&o, i), i)
		w.add(codes.AxisOther, codes.AxisOther, s.Header,
			func() string { return "along another axis" }, func() string { return "along " + notation.PrintAxis(with) },
			func() func() {
				s.Along = with
				return func() { s.Along = old }
			})
	}
}

// labelOf is an axis's label where it names that axis alone.
func labelOf(o *shapes.Outline, axis int) string {
	label := o.Label(axis)
	for i := range o.Rank() {
		if i != axis && o.Label(i) == label {
			return ""
		}
	}
	return label
}

// remaining names the axes of a call's clause other than one, as they are called once
// that one is reduced.
func (w *walker) remaining(at notation.Span, o *shapes.Outline, axes []int, gone int) []*notation.Axis {
	rest := []*notation.Axis{}
	for _, other := range axes {
		if other == gone {
			continue
		}
		number := other
		if other > gone && labelOf(o, other) == "" {
			number--
		}
		rest = append(rest, w.axisOf(at, labelOf(o, other), number))
	}
	return rest
}

// lastPass keeps the last item of an axis in place of a reduction over it, as a loop does
// that overwrites its result in each pass.
func (w *walker) lastPass(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if w.repairing() || f.Clause != functions.Over || len(c.Args) != 1 {
		return
	}
	o := w.outline(c.Args[0])
	axes, ok := w.clauseNow(c, &o, f)
	if !ok || !o.KnowsRank() || len(axes) == 0 || len(axes) > 2 {
		return
	}
	for _, axis := range axes {
		last := itemOf(c, &o, axis, true)
		if rest := w.remaining(c.Span, &o, axes, axis); len(rest) > 0 {
			last = w.withAxes(withArgs(c, last), false, rest)
		}
		w.both(codes.LoopLast, slot, last)
	}
}

// itemOf is the first or last item of a call's array along an axis.
func itemOf(c *notation.Call, o *shapes.Outline, axis int, last bool) notation.Expr {
	selectors := make([]*notation.Selector, o.Rank())
	for i := range selectors {
		selectors[i] = selector(c.Span, notation.SelectAll)
	}
	selectors[axis] = valueSelector(c.Span, &notation.Edge{Span: c.Span, Last: last})
	return selected(c.Span, grouped(c.Args[0]), selectors...)
}

// reductionsOfItems are the reductions that one of the items is taken for.
var reductionsOfItems = []string{"mean", "sum", "max", "min", "median"}

// itemForReduction takes the first or last item of the axis that is reduced.
func (w *walker) itemForReduction(slot *notation.Expr, c *notation.Call) {
	f := w.builtIn(c)
	if f == nil || len(c.Args) != 1 || len(c.Options) > 0 || w.selecting > 0 {
		return
	}
	o := w.outline(c.Args[0])
	axes, ok := w.clauseNow(c, &o, f)
	if !ok || !o.KnowsRank() || len(axes) != 1 || axes[0] >= o.Rank() || w.isMask(c.Args[0]) {
		return
	}
	for _, last := range []bool{false, true} {
		w.replace(codes.StepMissing, codes.FunctionOther, slot, itemOf(c, &o, axes[0], last))
	}
}

// reductionForItem reduces the axis that one position is selected on.
func (w *walker) reductionForItem(slot *notation.Expr, e *notation.Select) {
	o := w.outline(e.Of)
	if !o.KnowsRank() || len(e.Selection.Selectors) != o.Rank() || e.Selection.Paired || w.selecting > 0 || w.isMask(e) {
		return
	}
	if !w.repairing() && w.inOrder(e.Of) {
		return // an end of what is in order is the extreme
	}
	axis := -1
	for i, sel := range e.Selection.Selectors {
		if sel.Kind == notation.SelectAll {
			continue
		}
		if !isOnePosition(sel) || axis >= 0 {
			return
		}
		axis = i
	}
	if axis < 0 {
		return
	}
	w.adding = w.repairing()
	for _, name := range reductionsOfItems {
		if w.repairing() && w.functions[name] == nil {
			continue
		}
		c := call(e.Span, name, e.Of)
		if o.Rank() > 1 {
			c = w.withAxes(c, false, []*notation.Axis{w.axisOf(e.Span, labelOf(&o, axis), axis)})
		}
		w.replace(codes.FunctionOther, codes.StepMissing, slot, c)
	}
	w.adding = false
}

// ordering are functions whose results are in order.
var ordering = []string{"sort", "unique", "eigenvalues", "singular_values", "running_max", "running_min", "running_sum",
	"five_numbers", "spaced", "indices"}

// inOrder reports whether a value is made by a function that puts it in order.
func (w *walker) inOrder(e notation.Expr) bool {
	if n, ok := notation.Strip(e).(*notation.Name); ok {
		if e = w.definition(n.Name); e == nil {
			return false
		}
	}
	return callIn(e, ordering...) != nil
}

// isOnePosition reports whether a selector is one position that is written out.
func isOnePosition(sel *notation.Selector) bool {
	if sel.Kind != notation.SelectValue || sel.Except {
		return false
	}
	switch notation.Strip(sel.Value).(type) {
	case *notation.Number, *notation.Edge:
		return true
	}
	return false
}

// nestedMeans takes a mean of means for the mean, and the mean for a mean of means.
func (w *walker) nestedMeans(slot *notation.Expr, c *notation.Call) {
	w.flattenedMeans(slot, c)
	w.meansOfGroups(slot, c)
	if x, ok := notation.Strip(c.Args[0]).(*notation.Binary); ok && x.Op == "/" && c.Name.Name == "mean" &&
		len(c.Options) == 0 {
		sum := withName(c, "sum")
		w.both(codes.MeanNested, slot, binary(c.Span, "/", withArgs(sum, x.Left), withArgs(sum, x.Right)))
	}
}

// flattenedMeans makes one reduction of a mean of means.
func (w *walker) flattenedMeans(slot *notation.Expr, c *notation.Call) {
	inner, ok := notation.Strip(c.Args[0]).(*notation.Call)
	if !ok || inner.Name.Name != c.Name.Name && c.Name.Name != "mean" || len(inner.Args) != len(c.Args) {
		return
	}
	if f := functions.Lookup(inner.Name.Name); f == nil || f.Clause != functions.Over {
		return
	}
	var axes []*notation.Axis
	if inner.Clause != nil && c.Clause != nil {
		axes = append(slices.Clone(inner.Clause.Axes), c.Clause.Axes...)
	}
	w.both(codes.MeanNested, slot, w.withAxes(inner, false, axes))
}

// meansOfGroups makes two reductions of one over several axes.
func (w *walker) meansOfGroups(slot *notation.Expr, c *notation.Call) {
	o := w.outline(c.Args[0])
	axes, ok := w.clauseNow(c, &o, functions.Lookup(c.Name.Name))
	if !ok || !o.KnowsRank() || len(axes) < 2 {
		return
	}
	for _, axis := range axes {
		rest := w.remaining(c.Span, &o, axes, axis)
		first := w.withAxes(c, false, []*notation.Axis{w.axisOf(c.Span, labelOf(&o, axis), axis)})
		first = withOption(first, "keep", nil)
		outer := withArgs(c, append([]notation.Expr{first}, c.Args[1:]...)...)
		w.both(codes.MeanNested, slot, w.withAxes(withOption(outer, "only", nil), false, rest))
		if c.Name.Name != "mean" {
			mean := withName(withArgs(c, first), "mean")
			mean.Options = nil
			w.both(codes.MeanNested, slot, w.withAxes(mean, false, rest))
		}
	}
}

// meanOfQuotients takes the mean of quotients for a quotient of sums.
func (w *walker) meanOfQuotients(slot *notation.Expr, e *notation.Binary) {
	if a, b, ok := sums(e); ok {
		ratio := binary(e.Span, "/", grouped(a.Args[0]), grouped(b.Args[0]))
		w.both(codes.MeanNested, slot, withArgs(withName(a, "mean"), ratio))
	}
}

// sums are the two calls of a quotient of sums.
func sums(e *notation.Binary) (a, b *notation.Call, ok bool) {
	if e.Op != "/" {
		return nil, nil, false
	}
	a, okA := notation.Strip(e.Left).(*notation.Call)
	b, okB := notation.Strip(e.Right).(*notation.Call)
	ok = okA && okB && a.Name.Name == "sum" && b.Name.Name == "sum" && len(a.Args) == 1 && len(b.Args) == 1
	return a, b, ok
}

// extremesApart takes the quotient of two extremes for the extreme of the quotients.
func (w *walker) extremesApart(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) != 1 {
		return
	}
	x := notation.Strip(c.Args[0])
	around, isCall := x.(*notation.Call)
	isCall = isCall && around.Name.Name == "abs" && len(around.Args) == 1
	if isCall {
		x = notation.Strip(around.Args[0])
	}
	q, ok := x.(*notation.Binary)
	if !ok || q.Op != "/" || isPlain(q.Left) || isPlain(q.Right) {
		return
	}
	of := func(e notation.Expr) notation.Expr {
		if isCall {
			e = withArgs(around, e)
		}
		return withArgs(c, e)
	}
	w.both(codes.Grouping, slot, binary(c.Span, "/", of(q.Left), of(q.Right)))
}

// extremeOfQuotients undoes extremesApart in an attempt.
func (w *walker) extremeOfQuotients(slot *notation.Expr, e *notation.Binary) {
	a, okA := notation.Strip(e.Left).(*notation.Call)
	b, okB := notation.Strip(e.Right).(*notation.Call)
	if !w.repairing() || e.Op != "/" || !okA || !okB || a.Name.Name != b.Name.Name || len(a.Args) != 1 ||
		len(b.Args) != 1 || !slices.Contains(extremes, a.Name.Name) {
		return
	}
	w.both(codes.Grouping, slot, withArgs(a, binary(e.Span, "/", grouped(a.Args[0]), grouped(b.Args[0]))))
}

var extremes = []string{"max", "min", "median"}

// axisOrders puts the axes of a transposition in other orders.
func (w *walker) axisOrders(slot *notation.Expr, c *notation.Call) {
	l, ok := optionOf(c, "to").(*notation.List)
	if !ok {
		return
	}
	for i := range l.Items {
		for k := i + 1; k < len(l.Items); k++ {
			items := slices.Clone(l.Items)
			items[i], items[k] = items[k], items[i]
			w.both(codes.AxisOrder, slot, withOption(c, "to", &notation.List{Span: l.Span, Items: items}))
		}
	}
	w.both(codes.AxisOrder, slot, withOption(c, "to", nil))
}

// listOfOne takes away a list around one value.
func (w *walker) listOfOne(slot *notation.Expr, e *notation.List) {
	if len(e.Items) == 1 && w.repairing() && w.selecting == 0 {
		w.both(codes.AxisKept, slot, e.Items[0])
	}
}
