package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// besideOperators put right what an attempt has done with one of two things that belong together: the axis and the way
// the result lies, the weights and their sum, one item and the next.
var besideOperators = []*Operator{
	{
		Name: "way it lies", Codes: []codes.Code{codes.AxisOther},
		Where:  "in an attempt, a reduction of a matrix that is laid down as a row or as a column",
		Change: "reduces over the other axis, and lays it down the other way",
		Right:  "r = a - row_of(mean(a over 0))", Wrong: "r = a - column_of(mean(a over 1))",
		Mends: true, OtherAxes: true,
		expression: []onExpression{onCallOf((*walker).otherWayCalled, "row_of", "column_of"), on((*walker).otherWaySelected)},
	},
	{
		Name: "weights", Codes: []codes.Code{codes.FunctionOther},
		Where:  "in an attempt, the mean of a product",
		Change: "divides its sum by that of one of the two",
		Right:  "r = (sum(x * y) / sum(y))", Wrong: "r = mean(x * y)",
		Mends: true, expression: []onExpression{onCallOf((*walker).meanOfProduct, "mean")},
	},
	{
		Name: "next item", Codes: []codes.Code{codes.StepMissing},
		Where:  "in an attempt, one position of an axis, or a product with it",
		Change: "adds the item beside it, or takes it away",
		Right:  "r = (y * x[1] + x[0])", Wrong: "r = y * x[1]",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).nextOfItem), on((*walker).nextOfProduct)},
	},
	{
		Name: "lengths", Codes: []codes.Code{codes.StepMissing},
		Where:  "in an attempt, a product of two vectors by `dot`",
		Change: "divides it by the norms of both, or of one",
		Right:  "r = (x dot y / (norm(x) * norm(y)))", Wrong: "r = x dot y",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).byNorms)},
	},
	{
		Name: "own item", Codes: []codes.Code{codes.StepMissing},
		Where:  "in an attempt, in a loop, an input",
		Change: "takes the item away that the loop is at, or adds it",
		Right:  "each k in 0 to 2 {\n  r = sum((x - x[k]))\n}", Wrong: "each k in 0 to 2 {\n  r = sum(x)\n}",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).itemOfSame)},
	},
	{
		Name: "own value", Codes: []codes.Code{codes.StepMissing},
		Where:  "in an attempt, what a function gives",
		Change: "does with it what can be done with a value of the function's",
		Right:  "function f(v) = (v - (v * 2))\nr = f(x)", Wrong: "function f(v) = v * 2\nr = f(x)",
		Mends: true, Adds: true, whole: (*walker).ownOperand,
	},
	{
		Name: "sibling", Codes: []codes.Code{codes.StepMissing, codes.AxisDropped},
		Where:  "in an attempt, a value beside the same value without its first or last positions",
		Change: "leaves as many out at the other end",
		Right:  "r = x[from 1] - x[before last]", Wrong: "r = x[from 1] - x",
		Mends: true, Adds: true, expression: []onExpression{(*walker).siblings},
	},
	{
		Name: "item for position", Codes: []codes.Code{codes.PositionValue},
		Where:  "in an attempt, in a loop, its item as a value",
		Change: "takes what stands at that position",
		Right:  "r = 0\neach k in 0 to 2 {\n  r += x[k]\n}", Wrong: "r = 0\neach k in 0 to 2 {\n  r += k\n}",
		Mends: true, expression: []onExpression{on((*walker).itemForPosition)},
	},
	{
		Name: "values of a mask", Codes: []codes.Code{codes.PositionValue},
		Where:  "in an attempt, a reduction of a mask",
		Change: "reduces what the mask lets through",
		Right:  "r = mean(x[x > 3])", Wrong: "r = mean(x > 3)",
		Mends: true, expression: []onExpression{onCall((*walker).valuesOfMask)},
	},
	{
		Name: "mask of values", Codes: []codes.Code{codes.PositionValue},
		Where:  "in an attempt, a sum or mean of a value",
		Change: "counts what a mask of the attempt lets through",
		Right:  "m = x > 3\nr = count(m)", Wrong: "m = x > 3\nr = sum(x)",
		Mends: true, Adds: true, expression: []onExpression{onCallOf((*walker).maskOfValues, "sum", "mean")},
	},
	{
		Name: "same places", Codes: []codes.Code{codes.SelectEnd},
		Where:  "in an attempt, a position of a value of which its statement selects a range elsewhere",
		Change: "selects that range",
		Right:  "r = x[from 1] - x[from 1] / 2", Wrong: "r = x[from 1] - x[0] / 2",
		Mends: true, selector: (*walker).samePlaces,
	},
	{
		Name: "item of it", Codes: []codes.Code{codes.StepMissing, codes.AxisAll},
		Where:  "in an attempt, in a loop, a value with axes",
		Change: "takes what stands at the position that the loop is at",
		Right:  "r = 0\neach k in 0 to 2 {\n  r += sum(x[k])\n}", Wrong: "r = 0\neach k in 0 to 2 {\n  r += sum(x)\n}",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).itemOfIt)},
	},
	{
		Name: "their range", Codes: []codes.Code{codes.StepMissing, codes.SelectEnd},
		Where:  "in an attempt, a whole axis, or a position of it",
		Change: "selects a range of it as the reference selects of something",
		Right:  "r = x[1 before last] - x[1 before last] / 2", Wrong: "r = x[all] - x[1 before last] / 2",
		Mends: true, Adds: true, selector: (*walker).theirRange,
	},
	{
		Name: "through an order", Codes: []codes.Code{codes.PositionValue},
		Where:  "in an attempt that binds positions, positions that are written out",
		Change: "takes what stands there among those positions, in all of a statement",
		Right:  "p = sort_order(x)\nr = x[p[0]] - x[p[1]]", Wrong: "p = sort_order(x)\nr = x[0] - x[1]",
		Mends: true, Adds: true, join: byChange, selector: (*walker).throughOrder,
	},
	{
		Name: "one for item", Codes: []codes.Code{codes.PositionValue},
		Where:  "in an attempt, in a loop, its item where it is added up",
		Change: "counts the passes",
		Right:  "r = 0\neach k in 0 to 2 {\n  r += 1\n}", Wrong: "r = 0\neach k in 0 to 2 {\n  r += k\n}",
		Mends: true, whole: (*walker).oneForItem,
	},
	{
		Name: "product of sums", Codes: []codes.Code{codes.Grouping, codes.ProductElementwise},
		Where:  "in an attempt, a product of two sums",
		Change: "adds up the products",
		Right:  "r = sum(x * y)", Wrong: "r = sum(x) * sum(y)",
		Mends: true, expression: []onExpression{on((*walker).sumOfProducts)},
	},
}

// valuesOfMask reduces what a mask lets through, where an attempt reduces the mask.
func (w *walker) valuesOfMask(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if !w.repairing() || f.Topic != functions.Reductions || len(c.Args) != 1 || slices.Contains(ofTruths, f.Name) {
		return
	}
	mask := notation.Strip(c.Args[0])
	made, ok := mask.(*notation.Call)
	if ok && len(made.Args) == 1 && (made.Name.Name == "int" || made.Name.Name == "real") {
		mask = notation.Strip(made.Args[0])
	}
	if !w.isMask(mask) {
		return
	}
	for _, name := range w.values() {
		if w.rankOf(name) == w.rank(mask) && w.rank(mask) > 0 {
			w.both(codes.PositionValue, slot, withArgs(c, selected(c.Span, &notation.Name{Span: c.Span, Name: name},
				valueSelector(c.Span, mask))))
		}
	}
}

// maskOfValues counts what a mask of the attempt's own lets through, where an attempt adds up the values.
func (w *walker) maskOfValues(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 || len(c.Options) > 0 || w.rank(c.Args[0]) < 1 || w.isMask(c.Args[0]) {
		return
	}
	counted := c
	if c.Name.Name == "sum" {
		counted = withName(c, "count")
	}
	for _, name := range w.bound {
		if o := w.names[name]; o.Is(array.Bool) && o.KnowsRank() && o.Rank() == w.rank(c.Args[0]) {
			w.both(codes.PositionValue, slot, withArgs(counted, &notation.Name{Span: c.Span, Name: name}))
		}
	}
}

// samePlaces selects the range that the statement selects of the same value elsewhere.
func (w *walker) samePlaces(s *notation.Selection, i int, sel *notation.Selector) {
	if !w.repairing() || !isOnePosition(sel) || s.Paired || isLong(w.statement.Pos()) {
		return
	}
	of, seen := notation.PrintExpr(w.selected), map[string]bool{}
	notation.Walk(w.statement, func(n notation.Node) bool {
		x, ok := n.(*notation.Select)
		if !ok || x.Selection == s || len(x.Selection.Selectors) != len(s.Selectors) || len(seen) > mostItems {
			return true
		}
		other := x.Selection.Selectors[i]
		if text := oneSelector(other); other.Kind == notation.SelectRange && !seen[text] && notation.PrintExpr(x.Of) == of {
			seen[text] = true
			w.put(codes.SelectEnd, codes.SelectEnd, s, i, withRange(sel, *other.Range))
		}
		return true
	})
}

// mostItemsOf bounds the axes of a value of which a loop's item is taken.
const mostItemsOf = 3

// itemOfIt takes what a value has at the position that a loop is at.
func (w *walker) itemOfIt(slot *notation.Expr, n *notation.Name) {
	rank := w.rankOf(n.Name)
	if !w.repairing() || w.selecting > 0 || w.asking > 0 || w.shaping > 0 || rank < 1 || rank > mostItemsOf ||
		slices.Contains(w.items, n.Name) {
		return
	}
	cause := codes.StepMissing
	if w.collapsing {
		cause = codes.AxisAll
	}
	for _, item := range w.items[max(len(w.items)-2, 0):] {
		for axis := range rank {
			selectors := make([]*notation.Selector, rank)
			for k := range selectors {
				selectors[k] = selector(n.Span, notation.SelectAll)
			}
			selectors[axis] = valueSelector(n.Span, &notation.Name{Span: n.Span, Name: item})
			w.both(cause, slot, selected(n.Span, n, selectors...))
		}
	}
}

// theirRange selects a range that the reference selects of something, where an attempt takes a whole axis, or one
// position of it.
func (w *walker) theirRange(s *notation.Selection, i int, sel *notation.Selector) {
	cause := codes.StepMissing
	if isOnePosition(sel) {
		cause = codes.SelectEnd
	} else if sel.Kind != notation.SelectAll {
		return
	}
	if !w.repairing() || s.Paired {
		return
	}
	for _, r := range w.ranges {
		w.put(cause, cause, s, i, withRange(sel, *r))
	}
}

// mostRanges bounds the ranges of the reference that are tried.
const mostRanges = 4

// gatherRange keeps a range by which the reference selects, if it is written with numbers and inputs alone.
func (w *walker) gatherRange(sel *notation.Selector) {
	if sel.Range == nil || sel.Except || len(w.ranges) >= mostRanges {
		return
	}
	text, plain := oneSelector(sel), true
	notation.Walk(sel.Range, func(n notation.Node) bool {
		switch n := n.(type) {
		case *notation.Name:
			plain = plain && slices.Contains(w.m.Inputs, n.Name)
		case *notation.Select, *notation.Call:
			plain = false
		}
		return plain
	})
	for _, known := range w.ranges {
		plain = plain && oneSelector(&notation.Selector{Kind: notation.SelectRange, Range: known}) != text
	}
	if plain {
		if r, ok := notation.Unplaced(sel.Range).(*notation.RangeExpr); ok {
			w.ranges = append(w.ranges, r)
		}
	}
}

// mostOrders bounds the positions of an attempt's own that are tried.
const mostOrders = 3

// gatherOrder keeps the name of positions that an attempt binds.
func (w *walker) gatherOrder(s notation.Statement) {
	a, ok := s.(*notation.Assign)
	if ok && a.Selection == nil && len(w.orders) < mostOrders && !slices.Contains(w.orders, a.Target.Name) &&
		callIn(a.Value, "sort_order") != nil {
		w.orders = append(w.orders, a.Target.Name)
	}
}

// throughOrder takes a position of positions that the attempt has bound.
func (w *walker) throughOrder(s *notation.Selection, i int, sel *notation.Selector) {
	if !w.repairing() || !isOnePosition(sel) || s.Paired {
		return
	}
	for _, name := range w.orders {
		by := &notation.Name{Span: sel.Span, Name: name}
		if of, ok := notation.Strip(w.selected).(*notation.Name); ok && of.Name == name || !slices.Contains(w.bound, name) {
			continue
		}
		w.key, w.together = "through "+name, true
		w.put(codes.PositionValue, codes.PositionValue, s, i, withValue(sel, selected(sel.Span, by, valueSelector(sel.Span,
			sel.Value))))
		w.key, w.together = "", false
	}
}

// oneForItem adds one in each pass of a loop, where an attempt adds the loop's item.
func (w *walker) oneForItem(slot *notation.Expr) {
	s, ok := w.statement.(*notation.Assign)
	n, isName := notation.Strip(*slot).(*notation.Name)
	if w.repairing() && ok && s.Op == "+=" && isName && slices.Contains(w.items, n.Name) {
		w.both(codes.PositionValue, slot, number(n.Span, 1))
	}
}

// sumOfProducts adds up products where an attempt multiplies sums.
func (w *walker) sumOfProducts(slot *notation.Expr, b *notation.Binary) {
	left, ok := notation.Strip(b.Left).(*notation.Call)
	right, isCall := notation.Strip(b.Right).(*notation.Call)
	if !w.repairing() || b.Op != "*" || !ok || !isCall || left.Name.Name != "sum" || right.Name.Name != "sum" ||
		len(left.Args) != 1 || len(right.Args) != 1 {
		return
	}
	cause := codes.Grouping
	if w.products {
		cause = codes.ProductElementwise
	}
	w.both(cause, slot, withArgs(left, binary(b.Span, "*", grouped(left.Args[0]), grouped(right.Args[0]))))
}

// itemForPosition takes what stands at a position of a vector for the position itself.
func (w *walker) itemForPosition(slot *notation.Expr, n *notation.Name) {
	if !w.repairing() || w.selecting > 0 || w.asking > 0 || w.shaping > 0 || w.comparing > 0 ||
		!slices.Contains(w.items, n.Name) {
		return
	}
	for _, name := range w.values() {
		if w.rankOf(name) == 1 {
			w.both(codes.PositionValue, slot, selected(n.Span, &notation.Name{Span: n.Span, Name: name},
				valueSelector(n.Span, n)))
		}
	}
}

// siblings leaves out as many positions at the other end of what stands beside a value without its first or last.
func (w *walker) siblings(_ *notation.Expr, e notation.Expr) {
	if !w.repairing() || w.selecting > 0 || isLong(e.Pos()) {
		return
	}
	switch e := e.(type) {
	case *notation.Binary:
		w.siblingOf(e.Left, &e.Right)
		w.siblingOf(e.Right, &e.Left)
	case *notation.Compare:
		if len(e.Operands) == 2 {
			w.siblingOf(e.Operands[0], &e.Operands[1])
			w.siblingOf(e.Operands[1], &e.Operands[0])
		}
	}
}

// siblingOf makes of one of two operands what goes with the other, which leaves positions out at one end.
func (w *walker) siblingOf(shorter notation.Expr, slot *notation.Expr) {
	x, ok := notation.Strip(shorter).(*notation.Select)
	if !ok || x.Selection.Paired {
		return
	}
	other := notation.Strip(*slot)
	for i, sel := range x.Selection.Selectors {
		r := w.otherSide(sel)
		if r == nil {
			continue
		}
		cause := codes.StepMissing
		if y, ok := other.(*notation.Select); ok && len(y.Selection.Selectors) == len(x.Selection.Selectors) {
			selectors := slices.Clone(y.Selection.Selectors)
			if isOnePosition(selectors[i]) {
				cause = codes.AxisDropped
			} else if selectors[i].Kind != notation.SelectAll {
				continue
			}
			selectors[i] = sel
			if notation.PrintExpr(selected(x.Span, y.Of, selectors...)) != notation.PrintExpr(x) {
				continue
			}
		} else if notation.PrintExpr(other) != notation.PrintExpr(x.Of) {
			continue
		}
		selectors := slices.Clone(x.Selection.Selectors)
		selectors[i] = withRange(sel, *r)
		w.both(cause, slot, selected((*slot).Pos(), x.Of, selectors...))
	}
}

// otherSide is the range that leaves out as many last positions as a selector leaves out first ones, or the other way
// round; nil where it does neither.
func (w *walker) otherSide(sel *notation.Selector) *notation.RangeExpr {
	r := sel.Range
	if r == nil || r.By != nil || (r.From == nil) == (r.End == nil) {
		return nil
	}
	at, first := sel.Span, int64(w.m.Counting)
	last := &notation.Edge{Span: at, Last: true}
	if r.From != nil {
		out := distance(r.From, false, first)
		if out < 1 {
			return nil
		}
		return &notation.RangeExpr{Span: at, End: plusOffset(at, last, 1-out), Before: true}
	}
	out := distance(r.End, true, 0)
	if r.Before {
		out++
	}
	if out < 1 {
		return nil
	}
	return &notation.RangeExpr{Span: at, From: number(at, first+out)}
}

// distance is how far a position is from the first one, or from the last, where it is written so; -1 where not.
func distance(e notation.Expr, last bool, first int64) int64 {
	switch e := notation.Strip(e).(type) {
	case *notation.Number:
		if e.Kind == array.Int && !last {
			return e.Int - first
		}
	case *notation.Edge:
		if e.Last == last {
			return 0
		}
	case *notation.Binary:
		edge, isEdge := e.Left.(*notation.Edge)
		n, isNumber := e.Right.(*notation.Number)
		if isEdge && isNumber && edge.Last == last && (e.Op == "-") == last && (e.Op == "+") != last && n.Kind == array.Int {
			return n.Int
		}
	}
	return -1
}

// itemOfSame takes an item of an input away from it, or adds it.
func (w *walker) itemOfSame(slot *notation.Expr, n *notation.Name) {
	if !w.repairing() || len(w.items) == 0 || w.selecting > 0 || w.asking > 0 || !slices.Contains(w.m.Inputs, n.Name) ||
		w.rank(n) < 1 {
		return
	}
	at := []*notation.Selector{valueSelector(n.Span, &notation.Name{Span: n.Span, Name: w.items[len(w.items)-1]})}
	for range w.rank(n) - 1 {
		at = append(at, selector(n.Span, notation.SelectAll))
	}
	for _, op := range []string{"-", "+"} {
		less := binary(n.Span, op, n, selected(n.Span, n, at...))
		w.both(codes.StepMissing, slot, &notation.Paren{Span: n.Span, Inner: less})
	}
}

// byNorms divides a product of two vectors by how long they are, as a correlation or a cosine does.
func (w *walker) byNorms(slot *notation.Expr, b *notation.Binary) {
	if !w.repairing() || b.Op != "dot" || w.rank(b.Left) != 1 || w.rank(b.Right) != 1 || w.selecting > 0 {
		return
	}
	left, right := call(b.Span, "norm", b.Left), call(b.Span, "norm", b.Right)
	both := &notation.Paren{Span: b.Span, Inner: binary(b.Span, "*", left, right)}
	for _, by := range []notation.Expr{both, left, right} {
		w.both(codes.StepMissing, slot, &notation.Paren{Span: b.Span, Inner: binary(b.Span, "/", b, by)})
	}
}

// mostOwn bounds the values of a function that are tried.
const mostOwn = 6

// ownOperand is an operation of what a function gives with one of its values.
func (w *walker) ownOperand(slot *notation.Expr) {
	e := *slot
	if !w.repairing() || !w.inside {
		return
	}
	for _, name := range w.bound[:min(len(w.bound), mostOwn)] {
		own := func() notation.Expr { return &notation.Name{Span: e.Pos(), Name: name} }
		for _, op := range []string{"+", "-", "*", "/"} {
			w.both(codes.StepMissing, slot, &notation.Paren{Span: e.Pos(), Inner: binary(e.Pos(), op, grouped(e), own())})
			if op == "-" || op == "/" {
				w.both(codes.StepMissing, slot, &notation.Paren{Span: e.Pos(), Inner: binary(e.Pos(), op, own(), grouped(e))})
			}
		}
	}
}

// overOther is a reduction of a matrix over the axis that it does not go over; nil for all else.
func (w *walker) overOther(e notation.Expr) *notation.Call {
	c, ok := notation.Strip(e).(*notation.Call)
	if !ok {
		return nil
	}
	f := w.builtIn(c)
	if f == nil || f.Topic != functions.Reductions || c.Clause == nil {
		return nil
	}
	o, now, ok := w.axesOf(c, f)
	if !ok || o.Rank() != 2 || len(now) != 1 {
		return nil
	}
	other := 1 - now[0]
	return w.withAxes(c, false, []*notation.Axis{w.axisOf(c.Span, labelOf(&o, other), other)})
}

// otherWayCalled turns a row of column results into a column of row results, and the other way round.
func (w *walker) otherWayCalled(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 {
		return
	}
	if inner := w.overOther(c.Args[0]); inner != nil {
		name := "row_of"
		if c.Name.Name == name {
			name = "column_of"
		}
		w.both(codes.AxisOther, slot, withName(withArgs(c, inner), name))
	}
}

// otherWaySelected is otherWayCalled for a selection with `new`.
func (w *walker) otherWaySelected(slot *notation.Expr, x *notation.Select) {
	if !w.repairing() || len(x.Selection.Selectors) != 2 {
		return
	}
	kinds := []notation.SelectorKind{x.Selection.Selectors[0].Kind, x.Selection.Selectors[1].Kind}
	if !slices.Contains(kinds, notation.SelectNew) || !slices.Contains(kinds, notation.SelectAll) {
		return
	}
	if inner := w.overOther(x.Of); inner != nil {
		w.both(codes.AxisOther, slot, selected(x.Span, inner, x.Selection.Selectors[1], x.Selection.Selectors[0]))
	}
}

// meanOfProduct weighs: it divides by the sum of the weights, where an attempt divides by how many there are.
func (w *walker) meanOfProduct(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 || len(c.Options) > 0 {
		return
	}
	b, ok := notation.Strip(c.Args[0]).(*notation.Binary)
	if !ok || b.Op != "*" {
		return
	}
	sum := withName(c, "sum")
	for _, weight := range []notation.Expr{b.Left, b.Right} {
		of := withArgs(sum, weight)
		if w.rank(weight) != w.rank(c.Args[0]) {
			of = call(c.Span, "sum", weight)
		}
		w.both(codes.FunctionOther, slot, &notation.Paren{Span: c.Span, Inner: binary(c.Span, "/", sum, of)})
	}
}

// nextOfItem takes the item beside one into account.
func (w *walker) nextOfItem(slot *notation.Expr, x *notation.Select) { w.addNext(slot, x, x) }

// nextOfProduct is nextOfItem for a product with one.
func (w *walker) nextOfProduct(slot *notation.Expr, b *notation.Binary) {
	if b.Op != "*" && b.Op != "/" {
		return
	}
	for _, side := range []notation.Expr{b.Left, b.Right} {
		if x, ok := notation.Strip(side).(*notation.Select); ok {
			w.addNext(slot, b, x)
		}
	}
}

// addNext adds to a value what stands beside an item, or takes it away.
func (w *walker) addNext(slot *notation.Expr, e notation.Expr, x *notation.Select) {
	if !w.repairing() || w.selecting > 0 || w.asking > 0 || x.Selection.Paired {
		return
	}
	at := -1
	for i, sel := range x.Selection.Selectors {
		if sel.Kind == notation.SelectAll {
			continue
		}
		if at >= 0 || sel.Value == nil || sel.Except || len(w.placesBeside(sel.Value)) == 0 {
			return
		}
		at = i
	}
	if at < 0 {
		return
	}
	for _, place := range w.placesBeside(x.Selection.Selectors[at].Value) {
		selectors := slices.Clone(x.Selection.Selectors)
		selectors[at] = valueSelector(x.Span, place)
		next := selected(x.Span, x.Of, selectors...)
		for _, op := range []string{"+", "-"} {
			w.both(codes.StepMissing, slot, &notation.Paren{Span: e.Pos(), Inner: binary(e.Pos(), op, e, next)})
		}
	}
}

// placesBeside are the positions before and after one that is written out.
func (w *walker) placesBeside(e notation.Expr) []notation.Expr {
	at := e.Pos()
	switch e := notation.Strip(e).(type) {
	case *notation.Number:
		if e.Kind != array.Int {
			return nil
		}
		out := []notation.Expr{number(at, e.Int+1)}
		if e.Int > int64(w.m.Counting) {
			out = append(out, number(at, e.Int-1))
		}
		return out
	case *notation.Edge:
		if e.Last {
			return []notation.Expr{plusOffset(at, e, -1)}
		}
		return []notation.Expr{plusOffset(at, e, 1)}
	case *notation.Binary:
		edge, isEdge := e.Left.(*notation.Edge)
		if n := distance(e, true, 0); isEdge && n > 0 {
			return []notation.Expr{plusOffset(at, edge, -n-1), plusOffset(at, edge, 1-n)}
		}
	}
	return nil
}
