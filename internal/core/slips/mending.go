package slips

import (
	"maps"
	"math"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// mendingOperators put into an attempt what it lacks. Made to a reference they would be
// changes that nobody makes.
var mendingOperators = []*Operator{
	{
		Name: "term", Codes: []codes.Code{codes.StepMissing, codes.UnitFirst, codes.MaskUnapplied},
		Where:  "in an attempt, a value",
		Change: "does with it what the reference does with a number, an input or what is made of inputs alone",
		Right:  "r = (x - 3) * 2", Wrong: "r = x * 2",
		Mends: true, Adds: true, join: byChange, expression: []onExpression{(*walker).termAdded},
	},
	{
		Name: "call",
		Codes: []codes.Code{codes.StepMissing, codes.ComplexPart, codes.AngleUnit, codes.Rounding, codes.PowerMissing,
			codes.TransposeMissing, codes.SelectReversed, codes.AxisFlat, codes.AxisOther},
		Where:  "in an attempt, a value inside an expression",
		Change: "puts a call around it that the reference makes",
		Right:  "r = max(abs(x - y))", Wrong: "r = max(x - y)",
		Mends: true, Adds: true, expression: []onExpression{(*walker).callAdded},
	},
	{
		Name: "factor", Codes: []codes.Code{codes.StepMissing, codes.PositionValue, codes.MaskUnapplied},
		Where: "in an attempt, what is added up or counted", Change: "multiplies it by an input, or by a value of its own",
		Right: "r = sum(x * y)", Wrong: "r = sum(x)",
		Mends: true, Adds: true, expression: []onExpression{onCallOf((*walker).factorAdded, "sum", "mean", "count")},
	},
	{
		Name: "value", Codes: []codes.Code{codes.StepMissing},
		Where:  "in an attempt, what a statement binds",
		Change: "does one thing more with it and a value it has, or the sum or centre of one; or takes its reciprocal",
		Right:  "r = x / sum(y)", Wrong: "r = x",
		Mends: true, Adds: true, whole: (*walker).valueAdded,
	},
	{
		Name: "how many", Codes: []codes.Code{codes.StepMissing},
		Where:  "in an attempt, a sum of values, and a norm",
		Change: "divides it by how many they are, or by the root of that",
		Right:  "r = (x + y) / 2", Wrong: "r = x + y",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).dividedByTerms), onCallOf((*walker).dividedNorm,
			"norm")},
	},
	{
		Name: "argument sign", Codes: []codes.Code{codes.SignFlipped},
		Where:  "in an attempt, an argument of `exp` and its like",
		Change: "takes it with the other sign",
		Right:  "r = exp(-x)", Wrong: "r = exp(x)",
		Mends: true, Adds: true, expression: []onExpression{onCallOf((*walker).negatedArgument, "exp", "expm1", "erf",
			"normal_cdf", "sinh", "tanh", "sin", "tan")},
	},
	{
		Name: "their sign", Codes: []codes.Code{codes.SignFlipped},
		Where:  "in an attempt, a name that the reference takes with a minus",
		Change: "takes it with the other sign",
		Right:  "r = e ^ ((-x))", Wrong: "r = e ^ (x)",
		Mends: true, expression: []onExpression{on((*walker).negatedValue)},
	},
	{
		Name: "off by one", Codes: []codes.Code{codes.UnitFirst, codes.StepMissing},
		Where: "in an attempt, an int array", Change: "adds one, or takes one away",
		Right: "r = x[(n - 1)]", Wrong: "r = x[n]",
		Mends: true, Adds: true, expression: []onExpression{(*walker).offByOne},
	},
	{
		Name: "operand power", Codes: []codes.Code{codes.PowerMissing},
		Where: "in an attempt, an operand, or both", Change: "squares it, or takes its root",
		Right: "r = sqrt(x ^ 2 + y ^ 2)", Wrong: "r = sqrt(x + y)",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).operandPowers),
			onCallOf((*walker).argumentSquared, "sum", "mean", "sqrt")},
	},
	{
		Name: "side", Codes: []codes.Code{codes.Grouping},
		Where:  "in an attempt, an operation with a number or a length beside a call, or inside it",
		Change: "does it on the other side",
		Right:  "r = sum(x ^ 2)", Wrong: "r = sum(x) ^ 2",
		Mends: true, expression: []onExpression{on((*walker).operationInside), onCall((*walker).operationOutside)},
	},
	{
		Name: "quadrant", Codes: []codes.Code{codes.FunctionOther},
		Where: "in an attempt, `atan` of a quotient", Change: "calls `atan2` with its two sides",
		Right: "r = atan2(y, x)", Wrong: "r = atan(y / x)",
		Mends: true, expression: []onExpression{onCallOf((*walker).angleOfQuotient, "atan")},
	},
	{
		Name: "predefined", Codes: []codes.Code{codes.ConstantOther},
		Where:  "in an attempt, a literal within a twentieth of pi or e, or a base where the reference calls `exp`",
		Change: "takes the name",
		Right:  "r = x * pi", Wrong: "r = x * 3.14",
		Mends: true, expression: []onExpression{on((*walker).nearPredefined)},
	},
}

// term is what the reference does with a value: an operator and its other operand, which is
// made of literals and inputs alone.
type term struct {
	op    string
	other notation.Expr
	left  bool // the other operand is on the left
}

// mostTerms bounds the terms that are tried everywhere in an attempt.
const mostTerms = 20

// centresAndSpreads are what values are taken less, or divided by, in more than one form.
var centresAndSpreads = []string{"mean", "median", "min", "max", "sum", "std", "sample_std", "extent"}

// gatherTerm keeps an operator of the reference with an operand that an attempt can have.
func (w *walker) gatherTerm(b *notation.Binary) {
	if levels[b.Op] < levels["+"] || b.Op == "dot" {
		return
	}
	type operand struct {
		e    notation.Expr
		left bool
	}
	sides := []operand{{b.Right, false}, {b.Left, true}}
	if u, ok := notation.Strip(b.Left).(*notation.Unary); ok && u.Op == "-" && b.Op == "*" { // -a * b is -(a * b), too
		sides = append(sides, operand{u.Operand, true})
	}
	for _, side := range sides {
		one := term{b.Op, side.e, side.left}
		if n, ok := notation.Strip(side.e).(*notation.Number); ok && n.Kind == array.Complex && n.Real != 1 {
			one.other = realOrInt(n)
		}
		most := mostTerms
		if _, isNumber := one.other.(*notation.Number); isNumber {
			most *= 2 // what nobody has to look up is left out the sooner
		}
		if len(w.terms) >= most || !w.ofInputs(side.e) {
			continue
		}
		if c, ok := notation.Strip(side.e).(*notation.Call); ok && slices.Contains(centresAndSpreads, c.Name.Name) {
			for _, op := range []string{"-", "/"} { // with the same value, in a program of another form
				w.terms = append(w.terms, term{op, notation.Unplaced(c), false})
			}
		}
		if !slices.ContainsFunc(w.terms, func(t term) bool {
			return t.op == one.op && t.left == one.left && notation.PrintExpr(t.other) == notation.PrintExpr(one.other)
		}) {
			one.other = notation.Unplaced(one.other)
			w.terms = append(w.terms, one)
		}
	}
}

// gatherUnread keeps what can be done with a value that an attempt binds under a name that the reference does not have,
// and never reads: it was meant for something.
func (w *walker) gatherUnread() {
	theirs := notation.Bound(w.m.Reference.Statements)
	last := map[string]int{} // the statement that names it last
	for i, s := range w.program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			if x, ok := n.(*notation.Name); ok {
				last[x.Name] = i
			}
			return true
		})
	}
	found := 0
	for i, s := range w.program.Statements {
		a, ok := s.(*notation.Assign)
		if !ok || found >= mostUnread || last[a.Target.Name] > i || slices.Contains(theirs, a.Target.Name) {
			continue
		}
		found++
		for _, op := range []string{"-", "/", "*", "+"} {
			w.terms = append(w.terms, term{op, &notation.Name{Name: a.Target.Name}, false})
		}
	}
}

// mostClauses bounds the clauses that are tried with each reduction.
const mostClauses = 3

// gatherClause keeps the axes that a call of the reference reduces.
func (w *walker) gatherClause(c *notation.Call) {
	if c.Clause == nil || !reduces(c.Name.Name) || len(w.clauses) >= mostClauses {
		return
	}
	text := notation.PrintClause(c.Clause)
	for _, known := range w.clauses {
		if notation.PrintClause(known) == text {
			return
		}
	}
	w.clauses = append(w.clauses, c.Clause)
}

// gatherWraps keeps the reference's calls, and what does the same in another form: a mean is a sum that is divided, and
// what an attempt has written as a function of its own.
func (w *walker) gatherWraps() {
	w.wraps = maps.Clone(w.functions)
	for name, other := range map[string]string{"mean": "sum", "sum": "mean"} {
		if c := w.functions[name]; c != nil && w.functions[other] == nil {
			w.wraps[other] = withOption(withName(c, other), "only", nil)
		}
	}
	for name, f := range w.own {
		if len(f.Params) == 1 && len(w.own) <= mostOwnFunctions {
			w.wraps[name] = call(notation.Span{}, name, &notation.Name{})
		}
	}
}

// mostOwnFunctions bounds the functions of an attempt that are tried around its values.
const mostOwnFunctions = 3

// mostUnread bounds the names of an attempt that are never read and tried.
const mostUnread = 2

// gatherOwnTerms keeps what an attempt does elsewhere with a name of its own.
func (w *walker) gatherOwnTerms() {
	for _, s := range w.program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			b, ok := n.(*notation.Binary)
			if !ok || levels[b.Op] < levels["+"] || b.Op == "dot" || len(w.terms) >= 5 {
				return true
			}
			name, ok := bare(b.Right).(*notation.Name)
			if ok && !slices.Contains(w.m.Inputs, name.Name) && !slices.Contains(notation.Predefined, name.Name) {
				w.terms = append(w.terms, term{b.Op, name, false})
				if bare(b.Right) != notation.Strip(b.Right) { // laid down as a column, say
					w.terms = append(w.terms, term{b.Op, notation.Unplaced(b.Right), false})
				}
			}
			return true
		})
	}
}

// bare is a value without what lays it down as a row or as a column.
func bare(e notation.Expr) notation.Expr {
	switch x := notation.Strip(e).(type) {
	case *notation.Call:
		if (x.Name.Name == "row_of" || x.Name.Name == "column_of") && len(x.Args) == 1 {
			return notation.Strip(x.Args[0])
		}
	case *notation.Select:
		lies := false
		for _, sel := range x.Selection.Selectors {
			if sel.Kind != notation.SelectAll && sel.Kind != notation.SelectNew {
				return x
			}
			lies = lies || sel.Kind == notation.SelectNew
		}
		if lies {
			return notation.Strip(x.Of)
		}
	}
	return notation.Strip(e)
}

// ofInputs reports whether an expression is short, and made of literals and inputs alone.
func (w *walker) ofInputs(e notation.Expr) bool {
	ok, nodes := true, 0
	notation.Walk(e, func(n notation.Node) bool {
		nodes++
		switch n := n.(type) {
		case *notation.Name:
			ok = ok && (slices.Contains(w.m.Inputs, n.Name) || slices.Contains(notation.Predefined, n.Name) ||
				slices.Contains(w.binds, n.Name))
		case *notation.Call:
			ok = ok && w.own[n.Name.Name] == nil
			for _, a := range n.Args {
				ok = ok && w.ofInputs(a)
			}
			return false
		case *notation.Select:
			ok = ok && (w.itemOfInput(n) || w.placeOfInput(n))
			return false
		case *notation.Number, *notation.Binary, *notation.Unary, *notation.Paren:
		default: // positions such as `last` mean something in their own selection alone
			ok = false
		}
		return ok
	})
	return ok && nodes <= 6
}

// has reports whether every name of an expression is bound here.
func (w *walker) has(e notation.Expr) bool {
	ok := true
	notation.Walk(e, func(n notation.Node) bool {
		switch n := n.(type) {
		case *notation.Select:
			return false // of an input
		case *notation.Call:
			for _, a := range n.Args {
				ok = ok && w.has(a)
			}
			return false
		case *notation.Name:
			ok = ok && (slices.Contains(w.m.Inputs, n.Name) || slices.Contains(notation.Predefined, n.Name) ||
				!w.inside && slices.Contains(w.bound, n.Name))
		}
		return ok
	})
	return ok
}

// itemOfInput reports whether a selection of the reference is the item of an input that a loop of
// its own is at.
func (w *walker) itemOfInput(x *notation.Select) bool {
	of, ok := x.Of.(*notation.Name)
	return ok && slices.Contains(w.m.Inputs, of.Name) && len(x.Selection.Selectors) == 1 &&
		isItem(x.Selection.Selectors[0], w.theirItems)
}

// placeOfInput reports whether a selection takes one position of an input, at places that are written out.
func (w *walker) placeOfInput(x *notation.Select) bool {
	of, ok := x.Of.(*notation.Name)
	if !ok || x.Selection.Paired || !slices.Contains(w.m.Inputs, of.Name) {
		return false
	}
	for _, sel := range x.Selection.Selectors {
		if sel.Kind != notation.SelectAll && !isOnePosition(sel) {
			return false
		}
	}
	return true
}

func isItem(sel *notation.Selector, items []string) bool {
	if sel.Kind != notation.SelectValue || sel.Except {
		return false
	}
	name, ok := sel.Value.(*notation.Name)
	return ok && slices.Contains(items, name.Name)
}

// itemHere is an item of an input as an attempt can have it: of its own loop, or all of them at
// once where it has none.
func (w *walker) itemHere(x *notation.Select) notation.Expr {
	if len(w.items) == 0 {
		return x.Of
	}
	return selected(x.Span, x.Of, valueSelector(x.Span, &notation.Name{Span: x.Span, Name: w.items[len(w.items)-1]}))
}

// realOrInt is an imaginary literal without its unit.
func realOrInt(n *notation.Number) notation.Expr {
	if n.Real == float64(int64(n.Real)) {
		return number(n.Span, int64(n.Real))
	}
	return realNumber(n.Span, n.Real)
}

// termAdded does with a value what the reference does with one.
func (w *walker) termAdded(slot *notation.Expr, e notation.Expr) {
	if !w.repairing() || w.selecting > 0 || w.asking > 0 || w.isMask(e) {
		return
	}
	switch e.(type) {
	case *notation.Name, *notation.Call, *notation.Select, *notation.Binary:
	default:
		return
	}
	inner := e
	if _, ok := e.(*notation.Binary); ok {
		inner = &notation.Paren{Span: e.Pos(), Inner: e}
	}
	w.ownTerms(slot, e)
	for _, t := range w.terms {
		if !isLong(e.Pos()) && notation.PrintExpr(t.other) == notation.PrintExpr(e) {
			continue
		}
		other := t.other
		if name, ok := other.(*notation.Name); ok && w.rank(e) == 2 && w.rankOf(name.Name) == 1 && w.has(other) {
			w.both(codes.StepMissing, slot, &notation.Paren{Span: e.Pos(), Inner: binary(e.Pos(), t.op, grouped(inner),
				call(e.Pos(), "column_of", other))})
		}
		if !w.has(other) || !w.broadcasts(e, other) {
			continue
		}
		if x, ok := other.(*notation.Select); ok && w.itemOfInput(x) {
			other = w.itemHere(x)
		}
		left, right := inner, other
		if t.left {
			left, right = right, left
		}
		with := &notation.Paren{Span: e.Pos(), Inner: binary(e.Pos(), t.op, grouped(left), grouped(right))}
		cause := codes.StepMissing
		if isOne(other) && (t.op == "+" || t.op == "-") && w.isPosition(e) {
			cause = codes.UnitFirst
		}
		if name, ok := other.(*notation.Name); ok && t.op == "*" {
			if o := w.valueOf(name.Name); o.Is(array.Bool) {
				cause = codes.MaskUnapplied
			}
		}
		w.both(cause, slot, with)
	}
}

// ownTerms does with a parameter of a function what the reference does with a value and one made of it.
func (w *walker) ownTerms(slot *notation.Expr, e notation.Expr) {
	n, ok := e.(*notation.Name)
	if !ok || !w.inside {
		return
	}
	for _, step := range ownSteps {
		if w.functions[step.name] != nil {
			own := &notation.Paren{Span: n.Span, Inner: binary(n.Span, step.op, n, call(n.Span, step.name, n))}
			w.both(codes.StepMissing, slot, own)
		}
	}
}

// isPosition reports whether an expression is what a statement binds to a name that the attempt selects by.
func (w *walker) isPosition(e notation.Expr) bool {
	s, ok := w.statement.(*notation.Assign)
	o := w.outline(e)
	return ok && s.Selection == nil && notation.Strip(s.Value) == e && w.ownPositions[s.Target.Name] && o.Is(array.Int)
}

// callAdded puts a call of the reference around a value inside an expression.
func (w *walker) callAdded(slot *notation.Expr, e notation.Expr) {
	if !w.repairing() || w.selecting > 0 || w.asking > 0 || w.depth < 2 {
		return // what a statement binds as a whole has an operator of its own
	}
	switch e.(type) {
	case *notation.Name, *notation.Select, *notation.Binary, *notation.Call, *notation.Compare:
		w.missingSteps(slot, nil)
	}
}

// factorAdded multiplies what is added up by an input.
func (w *walker) factorAdded(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 || w.inside {
		return
	}
	cause, sum := codes.StepMissing, c
	if c.Name.Name == "count" {
		cause, sum = codes.PositionValue, withName(c, "sum")
	}
	for _, name := range w.bound {
		mask := &notation.Name{Span: c.Span, Name: name}
		if known := w.names[name]; known.Is(array.Bool) && w.broadcasts(c.Args[0], mask) && c.Name.Name == "sum" {
			w.both(codes.MaskUnapplied, slot, withArgs(c, binary(c.Args[0].Pos(), "*", grouped(c.Args[0]), mask)))
		}
	}
	for _, name := range w.values() {
		with := &notation.Name{Span: c.Span, Name: name}
		if notation.PrintExpr(c.Args[0]) == name || !w.broadcasts(c.Args[0], with) {
			continue
		}
		w.both(cause, slot, withArgs(sum, binary(c.Args[0].Pos(), "*", grouped(c.Args[0]), with)))
	}
}

// values are the inputs and what the attempt has bound, but for truth values.
func (w *walker) values() []string {
	var out []string
	for _, name := range slices.Concat(w.m.Inputs, w.bound) {
		if known := w.valueOf(name); !slices.Contains(out, name) && !known.Is(array.Bool) {
			out = append(out, name)
		}
	}
	return out
}

// dividedByTerms makes the mean of values that are added up.
func (w *walker) dividedByTerms(slot *notation.Expr, e *notation.Binary) {
	if !w.repairing() || e.Op != "+" || w.selecting > 0 || w.shaping > 0 {
		return
	}
	if n := len(w.binaries); n > 0 {
		around := w.binaries[n-1]
		if levels[around.Op] == levels["+"] || around.Op == "/" && notation.Strip(around.Left) == notation.Expr(e) {
			return // a part of a longer sum, or divided already
		}
	}
	n := int64(1)
	for left := notation.Expr(e); ; n++ {
		b, ok := left.(*notation.Binary)
		if !ok {
			break
		}
		if b.Op != "+" || isPlain(b.Left) || isPlain(b.Right) {
			return
		}
		left = b.Left
	}
	w.both(codes.StepMissing, slot, binary(e.Span, "/", &notation.Paren{Span: e.Span, Inner: e}, number(e.Span, n)))
}

// negatedValue takes a name with a minus, where the reference does.
func (w *walker) negatedValue(slot *notation.Expr, n *notation.Name) {
	if !w.repairing() || w.selecting > 0 || w.inside || !w.negatives[n.Name] {
		return
	}
	w.both(codes.SignFlipped, slot, &notation.Paren{Span: n.Span, Inner: &notation.Unary{Span: n.Span, Op: "-",
		Operand: n}})
}

func (w *walker) negatedArgument(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 {
		return
	}
	if _, negative := notation.Strip(c.Args[0]).(*notation.Unary); negative {
		return
	}
	minus := &notation.Unary{Span: c.Span, Op: "-", Operand: grouped(c.Args[0])}
	w.both(codes.SignFlipped, slot, withArgs(c, minus))
}

// dividedNorm makes the root of a mean square of a norm.
func (w *walker) dividedNorm(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 || len(c.Options) > 0 {
		return
	}
	x := c.Args[0]
	o := w.outline(x)
	counts := []notation.Expr{call(c.Span, "size", x)}
	for axis := range max(o.Rank(), 0) {
		if o.Rank() > 1 {
			counts = append(counts, w.withAxes(call(c.Span, "length", x), true, []*notation.Axis{w.axisOf(c.Span,
				labelOf(&o, axis), axis)}))
		}
	}
	for _, n := range counts {
		w.both(codes.StepMissing, slot, binary(c.Span, "/", c, call(c.Span, "sqrt", n)))
	}
}

// isPlain reports whether an expression is a number.
func isPlain(e notation.Expr) bool {
	_, ok := notation.Strip(e).(*notation.Number)
	return ok
}

// valueAdded does one thing more with what a statement binds.
func (w *walker) valueAdded(slot *notation.Expr) {
	e := *slot
	if !w.repairing() || w.inside || w.isMask(e) {
		return
	}
	at := e.Pos()
	for _, name := range w.values() {
		value := &notation.Name{Span: at, Name: name}
		if notation.PrintExpr(e) == name {
			continue
		}
		w.both(codes.StepMissing, slot, binary(at, "/", grouped(e), call(at, "sum", value)))
		if !w.broadcasts(e, value) {
			continue
		}
		for _, op := range []string{"*", "/", "+", "-"} {
			w.both(codes.StepMissing, slot, binary(at, op, grouped(e), value))
		}
		w.both(codes.StepMissing, slot, binary(at, "-", value, grouped(e)))
	}
	if w.loops > 0 {
		w.itemAdded(slot, e)
	}
	if o := w.outline(e); o.Is(array.Int) && o.KnowsRank() && o.Rank() > 0 {
		for _, k := range []int64{1, -1} {
			w.both(codes.StepMissing, slot, plusOffset(at, grouped(e), k))
		}
	}
	if !w.maybeReal(e) {
		return
	}
	w.relative(slot, e)
	w.relativeChange(slot, e)
	for _, op := range []string{"/", "-"} {
		w.both(codes.StepMissing, slot, binary(at, op, number(at, 1), grouped(e)))
	}
}

// mostItems bounds the selections of a statement that are joined with its values.
const mostItems = 4

// itemAdded joins a value of a loop with the items that its statement selects elsewhere.
func (w *walker) itemAdded(slot *notation.Expr, e notation.Expr) {
	s, ok := w.statement.(*notation.Assign)
	if !ok || w.selecting > 0 || isLong(s.Value.Pos()) {
		return
	}
	at, seen := e.Pos(), map[string]bool{notation.PrintExpr(e): true}
	notation.Walk(s.Value, func(n notation.Node) bool {
		item, ok := n.(*notation.Select)
		if !ok || len(seen) > mostItems {
			return true
		}
		if text := notation.PrintExpr(item); !seen[text] && w.broadcasts(e, item) {
			seen[text] = true
			for _, op := range []string{"*", "/", "+", "-"} {
				w.both(codes.StepMissing, slot, binary(at, op, grouped(e), notation.CopyExpr(item)))
			}
		}
		return true
	})
	if len(w.items) == 0 {
		return
	}
	for _, name := range w.m.Inputs {
		if o := w.m.Known[name]; o.KnowsRank() && o.Rank() == 1 && !o.Is(array.Bool) {
			for _, place := range w.items[max(len(w.items)-2, 0):] {
				item := selected(at, &notation.Name{Span: at, Name: name}, valueSelector(at, &notation.Name{Span: at, Name: place}))
				if seen[notation.PrintExpr(item)] {
					continue
				}
				for _, op := range []string{"*", "/", "+", "-"} {
					w.both(codes.StepMissing, slot, binary(at, op, grouped(e), item))
				}
				w.both(codes.StepMissing, slot, binary(at, "-", item, grouped(e)))
			}
		}
	}
}

// ownSteps are what is done with values and a value made of them.
var ownSteps = []struct{ op, name string }{{"-", "mean"}, {"-", "min"}, {"/", "sum"}, {"/", "max"}, {"/", "std"}}

// relative takes a value less its own centre, or divided by its own spread or sum.
func (w *walker) relative(slot *notation.Expr, e notation.Expr) {
	at, rank := e.Pos(), w.rank(e)
	if rank < 1 || !w.given(e) {
		return
	}
	o := w.outline(e)
	for _, step := range ownSteps {
		own := call(at, step.name, e)
		w.both(codes.StepMissing, slot, binary(at, step.op, grouped(e), own))
		for axis := 0; rank > 1 && axis < rank; axis++ {
			over := w.withAxes(own, false, []*notation.Axis{w.axisOf(at, labelOf(&o, axis), axis)})
			w.both(codes.StepMissing, slot, binary(at, step.op, grouped(e), withOption(over, "keep", truth(at, true))))
		}
	}
}

// relativeChange divides a difference by what it is taken from.
func (w *walker) relativeChange(slot *notation.Expr, e notation.Expr) {
	at := e.Pos()
	if w.rank(e) == 0 {
		return
	}
	switch d := notation.Strip(e).(type) {
	case *notation.Binary:
		if d.Op == "-" && !isPlain(d.Left) && !isPlain(d.Right) {
			w.both(codes.StepMissing, slot, binary(at, "/", grouped(e), grouped(d.Right)))
			w.both(codes.StepMissing, slot, binary(at, "/", grouped(e), grouped(d.Left)))
		}
	case *notation.Call:
		f := w.builtIn(d)
		if f == nil || d.Name.Name != "differences" || len(d.Args) != 1 {
			return
		}
		o, now, ok := w.axesOf(d, f)
		rank := o.Rank()
		if d.Clause == nil && (!o.KnowsRank() || rank == 1) {
			rank, now, ok = 1, []int{0}, true // it is a vector, else an axis had to be named
		}
		if !ok || len(now) != 1 || now[0] >= rank {
			return
		}
		selectors := make([]*notation.Selector, rank)
		for i := range selectors {
			selectors[i] = selector(at, notation.SelectAll)
		}
		last := &notation.Edge{Span: at, Last: true}
		selectors[now[0]] = withRange(selectors[now[0]], notation.RangeExpr{Span: at, End: last, Before: true})
		w.both(codes.StepMissing, slot, binary(at, "/", grouped(e), selected(at, grouped(d.Args[0]), selectors...)))
	}
}

// given reports whether a value is one that nothing has been taken from, or divided by: doing that
// again would hide what was.
func (w *walker) given(e notation.Expr) bool {
	switch e := e.(type) {
	case *notation.Name:
		return true
	case *notation.Paren:
		return w.given(e.Inner)
	case *notation.Binary:
		return e.Op == "^" && w.given(e.Left)
	case *notation.Select:
		return w.given(e.Of)
	case *notation.Call:
		f := w.builtIn(e)
		return f != nil && f.Topic != functions.Making && len(e.Args) > 0 && w.given(e.Args[0])
	}
	return false
}

// offByOne moves positions that are computed.
func (w *walker) offByOne(slot *notation.Expr, e notation.Expr) {
	if !w.repairing() || w.comparing > 0 {
		return // what it is compared with is the plainer place
	}
	switch x := e.(type) {
	case *notation.Name:
		if slices.Contains(w.m.Inputs, x.Name) && !w.positions[x.Name] {
			return // data, and no positions
		}
	case *notation.Call:
		if !givesPositions[x.Name.Name] {
			return
		}
	default:
		return
	}
	if o := w.outline(e); !o.Is(array.Int) || w.selecting == 0 && (o.IsScalar() || len(w.binaries) == 0) {
		return
	}
	cause := codes.UnitFirst
	if n := len(w.binaries); w.selecting == 0 && n > 0 && alternates(w.binaries[n-1]) {
		cause = codes.StepMissing // of which sign is first
	}
	for _, k := range []int64{1, -1} {
		w.both(cause, slot, &notation.Paren{Span: e.Pos(), Inner: plusOffset(e.Pos(), e, k)})
	}
}

// alternates reports whether an expression is a power of minus one.
func alternates(b *notation.Binary) bool {
	minus, ok := notation.Strip(b.Left).(*notation.Unary)
	return ok && b.Op == "^" && minus.Op == "-" && isOne(minus.Operand)
}

func (w *walker) squared(e notation.Expr) notation.Expr {
	return binary(e.Pos(), "^", grouped(e), number(e.Pos(), 2))
}

// operandPowers squares the operands of an operator, or takes the root of one.
func (w *walker) operandPowers(slot *notation.Expr, b *notation.Binary) {
	if !w.repairing() || w.selecting > 0 {
		return
	}
	isNumber := func(e notation.Expr) bool {
		_, ok := notation.Strip(e).(*notation.Number)
		return ok
	}
	isPower := func(e notation.Expr) bool {
		p, ok := notation.Strip(e).(*notation.Binary)
		return ok && p.Op == "^"
	}
	put := func(left, right notation.Expr) {
		w.both(codes.PowerMissing, slot, binary(b.Span, b.Op, left, right))
	}
	switch b.Op {
	case "+", "-", "*", "/":
		l, r := !isNumber(b.Left) && !isPower(b.Left), !isNumber(b.Right) && !isPower(b.Right)
		if l && r && (b.Op == "+" || b.Op == "-") {
			put(w.squared(b.Left), w.squared(b.Right))
		}
		if l {
			put(w.squared(b.Left), b.Right)
		}
		if r {
			put(b.Left, w.squared(b.Right))
			put(b.Left, call(b.Span, "sqrt", b.Right))
		}
	}
}

func (w *walker) argumentSquared(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 {
		return
	}
	if o := w.outline(c.Args[0]); o.Is(array.Bool) {
		return
	}
	w.both(codes.PowerMissing, slot, withArgs(c, w.squared(c.Args[0])))
}

// operationInside does with a call's argument what an attempt does with its result.
func (w *walker) operationInside(slot *notation.Expr, b *notation.Binary) {
	if !w.repairing() || levels[b.Op] < levels["+"] {
		return
	}
	sums := levels[b.Op] == levels["+"] // of which the rest may belong inside, too
	byElement := func(c *notation.Call) bool { return w.builtIn(c).Topic == functions.Elementwise }
	c, ok := notation.Strip(b.Left).(*notation.Call)
	if ok && w.readsValues(c) && len(c.Args) == 1 && (isPlain(b.Right) || w.counts(b.Right) || sums && byElement(c)) {
		w.both(codes.Grouping, slot, withArgs(c, binary(b.Span, b.Op, grouped(c.Args[0]), b.Right)))
	}
	c, ok = notation.Strip(b.Right).(*notation.Call)
	if ok && w.builtIn(c) != nil && len(c.Args) == 1 && sums && byElement(c) && !isPlain(b.Left) {
		w.both(codes.Grouping, slot, withArgs(c, binary(b.Span, b.Op, b.Left, grouped(c.Args[0]))))
	}
}

// readsValues reports whether a call of the notation's functions gives something else when all values of its argument
// are multiplied, or moved: lengths and positions stay what they are.
func (w *walker) readsValues(c *notation.Call) bool {
	f := w.builtIn(c)
	return f != nil && f.Topic != functions.Inspecting && !givesPositions[f.Name]
}

// operationOutside does with a call's result what an attempt does with its argument.
func (w *walker) operationOutside(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if len(c.Args) != 1 || !w.repairing() || f.Topic == functions.Making {
		return
	}
	b, ok := notation.Strip(c.Args[0]).(*notation.Binary)
	if !ok || levels[b.Op] < levels["+"] {
		return
	}
	if _, isNumber := notation.Strip(b.Right).(*notation.Number); isNumber {
		w.both(codes.Grouping, slot, &notation.Paren{Span: c.Span, Inner: binary(c.Span, b.Op, withArgs(c, b.Left),
			b.Right)})
		return
	}
	if f.Topic == functions.Elementwise && (b.Op == "*" || b.Op == "/") { // which of the two stays inside is not known
		w.both(codes.Grouping, slot, &notation.Paren{Span: c.Span, Inner: binary(c.Span, b.Op, withArgs(c, b.Left),
			grouped(b.Right))})
		if b.Op == "*" {
			w.both(codes.Grouping, slot, &notation.Paren{Span: c.Span, Inner: binary(c.Span, b.Op, grouped(b.Left),
				withArgs(c, b.Right))})
		}
	}
}

func (w *walker) angleOfQuotient(slot *notation.Expr, c *notation.Call) {
	if b, ok := notation.Strip(c.Args[0]).(*notation.Binary); ok && b.Op == "/" && w.repairing() {
		w.both(codes.FunctionOther, slot, withArgs(withName(c, "atan2"), b.Left, b.Right))
	}
}

// nearPredefined takes pi or e for a literal near it.
func (w *walker) nearPredefined(slot *notation.Expr, n *notation.Number) {
	if !w.repairing() || n.Kind == array.Complex {
		return
	}
	base := len(w.binaries) > 0 && w.binaries[len(w.binaries)-1].Op == "^" &&
		notation.Strip(w.binaries[len(w.binaries)-1].Left) == notation.Expr(n)
	if base && w.functions["exp"] != nil {
		w.both(codes.ConstantOther, slot, &notation.Name{Span: n.Span, Name: "e"})
		return
	}
	switch v := valueOf(n); {
	case math.Abs(v-math.Pi) < 0.05*math.Pi:
		w.both(codes.ConstantOther, slot, &notation.Name{Span: n.Span, Name: "pi"})
	case math.Abs(v-math.E) < 0.05*math.E:
		w.both(codes.ConstantOther, slot, &notation.Name{Span: n.Span, Name: "e"})
	}
}
