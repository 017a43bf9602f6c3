package slips

import (
	"maps"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

var functionOperators = []*Operator{
	{
		Name: "function",
		Codes: []codes.Code{
			codes.FunctionOther, codes.SpreadDivisor, codes.PowerMissing, codes.PositionValue, codes.LogBase, codes.AngleUnit,
			codes.ComplexPart, codes.JoinAxis, codes.BroadcastAxis,
		},
		Where: "a call", Change: "calls a related function with the same arguments",
		Right: "r = mean(x)", Wrong: "r = median(x)",
		join: byFunction,
		expression: []onExpression{onCall((*walker).relatedFunctions), onCallOf((*walker).meanForCount, "count"),
			onCallOf((*walker).otherNorms, "norm"), onCallOf((*walker).meanModulus, "std", "sqrt"),
			onCallOf((*walker).rootOfMean, "mean")},
	},
	{
		Name: "left out",
		Codes: []codes.Code{codes.StepMissing, codes.StepExtra, codes.PowerMissing, codes.Rounding, codes.ComplexPart,
			codes.AngleUnit, codes.SelectReversed, codes.AxisFlat, codes.AxisOther, codes.PositionValue},
		Where: "a call", Change: "gives an argument in place of the call",
		Right: "r = unique(x)", Wrong: "r = x",
		expression: []onExpression{
			on((*walker).ownLeftOut), onCall((*walker).leftOut), onCallOf((*walker).productForSolve, "solve"),
			onCallOf((*walker).productForFit, "least_squares"), onCall((*walker).bothLeftOut),
			onCallOf((*walker).sizesForTotals, "totals_by"),
			onCallOf((*walker).maxForExtent, "extent"), onCallOf((*walker).rectangles, "trapezoid"),
		},
	},
	{
		Name: "exchanged", Codes: []codes.Code{codes.OperandOrder},
		Where: "a call or a list of two", Change: "exchanges two arguments, or the two items",
		Right: "r = solve(a, b)", Wrong: "r = solve(b, a)",
		expression: []onExpression{on((*walker).ownExchanged), onCall((*walker).exchanged), on((*walker).itemsExchanged)},
	},
	{
		Name: "position", Codes: []codes.Code{codes.PositionValue, codes.AxisKept, codes.AxisDropped, codes.SelectEnd,
			codes.AxisOther, codes.StepMissing},
		Where:  "a selection by a mask or positions, a count, a sum, a length",
		Change: "takes a position, mask or count for what it stands for, or the other way round",
		Right:  "r = count(x > 3)", Wrong: "r = sum(pick(x > 3, x, 0))",
		expression: []onExpression{
			on((*walker).positionsForValues), onCallOf((*walker).sumForCount, "count"), onCallOf((*walker).countForSum, "sum"),
			onCallOf((*walker).sumForLength, "length", "size"), onCallOf((*walker).maskForPositions, "positions"),
			onCallOf((*walker).positionsForMask, "int"),
		},
		selector: (*walker).edgeForAxis,
	},
	{
		Name: "angle", Codes: []codes.Code{codes.AngleUnit},
		Where: "a trigonometric function", Change: "converts its angle from or to degrees",
		Right: "r = sin(x)", Wrong: "r = sin(radians(x))",
		join: byChange,
		expression: []onExpression{
			onCallOf((*walker).angleArgument, "sin", "cos", "tan"), onCallOf((*walker).angleResult, "asin", "acos", "atan",
				"atan2", "angle"),
			onCallOf((*walker).polarAngle, "polar"),
		},
	},
	{
		Name: "root", Codes: []codes.Code{codes.PowerMissing},
		Where: "a square root", Change: "squares instead",
		Right: "r = sqrt(x)", Wrong: "r = x ^ 2",
		expression: []onExpression{onCallOf((*walker).squareForRoot, "sqrt"), on((*walker).rootForSquare)},
	},
}

// neighbours are functions that are taken for each other, and what that stands for.
// Every one of a group is a neighbour of all others.
var neighbours = []struct {
	cause codes.Code
	names []string
}{
	{codes.FunctionOther, []string{"min", "max", "mean", "median", "sum"}},
	{codes.FunctionOther, []string{"extent", "std"}},
	{codes.FunctionOther, []string{"sum", "product"}},
	{codes.FunctionOther, []string{"sum", "norm"}},
	{codes.SpreadDivisor, []string{"std", "sample_std"}},
	{codes.SpreadDivisor, []string{"var", "sample_var"}},
	{codes.PowerMissing, []string{"std", "var"}},
	{codes.PowerMissing, []string{"sample_std", "sample_var"}},
	{codes.PositionValue, []string{"max", "max_at"}},
	{codes.PositionValue, []string{"min", "min_at"}},
	{codes.PositionValue, []string{"sort", "sort_order"}},
	{codes.PositionValue, []string{"count", "positions"}},
	{codes.PositionValue, []string{"unique", "unique_counts"}},
	{codes.FunctionOther, []string{"max_at", "min_at"}},
	{codes.FunctionOther, []string{"any", "all", "count"}},
	{codes.FunctionOther, []string{"floor", "ceil", "round", "truncated"}},
	{codes.FunctionOther, []string{"running_sum", "running_product", "running_min", "running_max", "differences"}},
	{codes.FunctionOther, []string{"lesser", "greater"}},
	{codes.FunctionOther, []string{"sin", "cos", "tan"}},
	{codes.FunctionOther, []string{"sinh", "cosh", "tanh"}},
	{codes.FunctionOther, []string{"asin", "acos", "atan"}},
	{codes.LogBase, []string{"log", "log2", "log10"}},
	{codes.FunctionOther, []string{"exp", "expm1"}},
	{codes.FunctionOther, []string{"log", "log1p"}},
	{codes.AngleUnit, []string{"degrees", "radians"}},
	{codes.ComplexPart, []string{"real_part", "imaginary_part", "abs", "angle", "conjugate"}},
	{codes.ComplexPart, []string{"transpose", "conjugate_transpose"}},
	{codes.PowerMissing, []string{"sqrt", "cbrt"}},
	{codes.FunctionOther, []string{"combinations", "permutations"}},
	{codes.FunctionOther, []string{"gcd", "lcm"}},
	{codes.FunctionOther, []string{"upper_part", "lower_part"}},
	{codes.FunctionOther, []string{"zeros", "ones"}},
	{codes.FunctionOther, []string{"det", "trace", "rank"}},
	{codes.FunctionOther, []string{"trace", "sum"}},
	{codes.FunctionOther, []string{"trapezoid", "sum", "mean"}},
	{codes.FunctionOther, []string{"covariance", "correlation"}},
	{codes.FunctionOther, []string{"eigenvalues", "singular_values"}},
	{codes.FunctionOther, []string{"repeated", "tiled"}},
	{codes.FunctionOther, []string{"erf", "erfc"}},
	{codes.FunctionOther, []string{"outer", "cross", "kronecker"}},
	{codes.FunctionOther, []string{"gradient", "differences"}},
	{codes.BroadcastAxis, []string{"row_of", "column_of"}},
	{codes.JoinAxis, []string{"join", "stack"}},
}

// totals are reductions and the scans that end in the same value.
var totals = [][2]string{{"sum", "running_sum"}, {"product", "running_product"}, {"max", "running_max"},
	{"min", "running_min"}}

// unwrapped says what leaving a function out stands for, and what it means that an attempt
// has it too many; all others are a step missing and a step too many.
var unwrapped = map[string]codes.Code{
	"sqrt": codes.PowerMissing, "round": codes.Rounding, "floor": codes.Rounding, "ceil": codes.Rounding,
	"truncated": codes.Rounding, "int": codes.Rounding,
	"conjugate": codes.ComplexPart, "real_part": codes.ComplexPart,
	"degrees": codes.AngleUnit, "radians": codes.AngleUnit, "reversed": codes.SelectReversed, "flattened": codes.AxisFlat,
}

// transposes are the functions that leaving out is a transpose missing.
var transposes = []string{"transpose", "conjugate_transpose"}

// relatedFunctions calls another function with the same arguments: a neighbour, one of the
// same topic that the reference calls, a scan for its total.
func (w *walker) relatedFunctions(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	done := map[string]bool{c.Name.Name: true}
	try := func(name string, cause codes.Code) {
		other := functions.Lookup(name)
		if done[name] || other == nil {
			return
		}
		if with, ok := fitted(c, other); ok {
			done[name] = true
			w.both(cause, slot, with)
		}
	}
	for _, g := range neighbours {
		if !slices.Contains(g.names, c.Name.Name) || g.cause == codes.ComplexPart && (len(c.Args) == 0 ||
			!w.mayBeComplex(c.Args[0])) {
			continue
		}
		for _, name := range g.names {
			try(name, g.cause)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(w.functions)) {
		other := functions.Lookup(name)
		if len(c.Args) > 0 && (w.isMask(c.Args[0]) && !slices.Contains(ofMasks, name) ||
			w.isNumeric(c.Args[0]) && slices.Contains(ofTruths, name)) {
			continue
		}
		if other == nil || other.Topic != f.Topic || other.Clause != f.Clause || c.Name.Name == "max" && name == "extent" {
			continue
		}
		cause := codes.FunctionOther
		if c.Name.Name == "sum" && name == "count" || c.Name.Name == "count" && name == "sum" {
			cause = codes.PositionValue
		}
		try(name, cause)
	}
	w.withArguments(slot, c, f, done)
	for _, pair := range totals {
		for i, name := range pair {
			if c.Name.Name == name {
				try(pair[1-i], codes.FunctionOther)
			}
		}
	}
}

// ofMasks are the reductions that truth values have, and ofTruths those that nothing else has.
var (
	ofMasks  = []string{"any", "all", "count", "sum", "mean"}
	ofTruths = []string{"any", "all"}
)

// isNumeric reports whether an expression's value is known to be of numbers.
func (w *walker) isNumeric(e notation.Expr) bool {
	o := w.outline(e)
	return o.KnowsKind() && !o.Is(array.Bool)
}

// withArguments calls what the reference does with its further arguments: a percentile for a
// median.
func (w *walker) withArguments(slot *notation.Expr, c *notation.Call, f *functions.Function, done map[string]bool) {
	for _, name := range slices.Sorted(maps.Keys(w.functions)) {
		theirs, other := w.functions[name], functions.Lookup(name)
		if done[name] || other == nil || f.Topic != functions.Reductions || other.Topic != f.Topic ||
			len(c.Args) == len(theirs.Args) || len(c.Args) == 0 || len(theirs.Args) == 0 {
			continue
		}
		if with, ok := fitted(withArgs(c, append([]notation.Expr{c.Args[0]}, theirs.Args[1:]...)...), other); ok {
			done[name] = true
			w.both(codes.FunctionOther, slot, with)
		}
	}
}

// fitted is a call of another function with the same arguments, as far as that takes
// them.
func fitted(c *notation.Call, other *functions.Function) (*notation.Call, bool) {
	with := withName(c, other.Name)
	var kept []*notation.Option
	for _, o := range c.Options {
		if takes(other, o.Name.Name) {
			kept = append(kept, o)
		}
	}
	with.Options = kept
	switch {
	case other.Clause == functions.NoClause:
		with.Clause = nil
	case c.Clause != nil && (other.Clause == functions.Along) != c.Clause.Along:
		if len(c.Clause.Axes) != 1 {
			return nil, false
		}
		clause := *c.Clause
		clause.Along, clause.List = other.Clause == functions.Along, false
		with.Clause = &clause
	}
	return with, other.CheckCall(with) == nil
}

// takes reports whether a function has an option.
func takes(f *functions.Function, option string) bool {
	return slices.ContainsFunc(f.Options, func(o functions.Option) bool { return o.Name == option })
}

// meanForCount takes a share for a number.
func (w *walker) meanForCount(slot *notation.Expr, c *notation.Call) {
	if _, _, ok := counted(c); ok {
		w.both(codes.FunctionOther, slot, withName(c, "mean"))
	}
}

// otherNorms adds moduli up, or takes the greatest.
func (w *walker) otherNorms(slot *notation.Expr, c *notation.Call) {
	if w.repairing() || len(c.Args) != 1 {
		return
	}
	for _, name := range []string{"sum", "max"} {
		w.both(codes.FunctionOther, slot, withName(withArgs(c, call(c.Span, "abs", c.Args[0])), name))
	}
}

// meanModulus takes the mean of moduli for the root of the mean square.
func (w *walker) meanModulus(slot *notation.Expr, c *notation.Call) {
	if w.repairing() || len(c.Args) != 1 || len(c.Options) > 0 {
		return
	}
	if c.Name.Name == "std" {
		centre := withOption(withName(c, "mean"), "keep", truth(c.Span, true))
		off := call(c.Span, "abs", binary(c.Span, "-", grouped(c.Args[0]), centre))
		w.both(codes.FunctionOther, slot, withName(withArgs(c, off), "mean"))
		return
	}
	mean, ok := notation.Strip(c.Args[0]).(*notation.Call)
	if !ok || mean.Name.Name != "mean" || len(mean.Args) != 1 {
		return
	}
	if b, ok := notation.Strip(mean.Args[0]).(*notation.Binary); ok && isSquare(b) {
		w.both(codes.FunctionOther, slot, withArgs(mean, call(c.Span, "abs", b.Left)))
	}
}

// rootOfMean takes the root of the mean square for the mean of moduli.
func (w *walker) rootOfMean(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || len(c.Args) != 1 {
		return
	}
	if inner, ok := notation.Strip(c.Args[0]).(*notation.Call); ok && inner.Name.Name == "abs" && len(inner.Args) == 1 {
		w.both(codes.FunctionOther, slot, call(c.Span, "sqrt", withArgs(c, w.squared(inner.Args[0]))))
	}
}

// isSquare reports whether an operation squares.
func isSquare(b *notation.Binary) bool {
	n, ok := notation.Strip(b.Right).(*notation.Number)
	return ok && b.Op == "^" && valueOf(n) == 2
}

// sizesForTotals counts the members of groups.
func (w *walker) sizesForTotals(slot *notation.Expr, c *notation.Call) {
	if w.repairing() || len(c.Args) != 3 || w.rank(c.Args[0]) != 1 {
		return
	}
	ones := call(c.Span, "ones", call(c.Span, "length", c.Args[0]))
	w.both(codes.PositionValue, slot, withArgs(c, ones, c.Args[1], c.Args[2]))
}

func (w *walker) ownLeftOut(slot *notation.Expr, c *notation.Call) {
	if w.builtIn(c) == nil && len(c.Args) >= 1 {
		w.replace(codes.StepMissing, codes.StepExtra, slot, c.Args[0])
	}
}

// keptWhole are functions whose first argument is nothing like their result.
var keptWhole = []string{"shape", "length", "size", "pick", "positions"}

// leftOut gives an argument in place of the call.
func (w *walker) leftOut(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	making := f.Topic == functions.Making && f.Name != "int" && f.Name != "shuffled"
	if len(c.Args) == 0 || making || slices.Contains(keptWhole, f.Name) || slices.Contains(transposes, f.Name) {
		return
	}
	missing, extra := codes.StepMissing, codes.StepExtra
	if code, ok := unwrapped[f.Name]; ok {
		missing, extra = code, code
	}
	first := c.Args[0]
	if f.Name == "reversed" && w.isShape(first) {
		missing, extra = codes.AxisOther, codes.AxisOther
	}
	if o := w.outline(first); f.Name == "abs" && o.Is(array.Complex) {
		missing, extra = codes.ComplexPart, codes.ComplexPart
	}
	w.replace(missing, extra, slot, first)
	switch f.Name {
	case "join", "stack":
		for _, arg := range c.Args[1:] {
			w.replace(missing, extra, slot, arg)
		}
	case "lesser", "greater":
		if len(c.Args) == 2 {
			w.replace(missing, extra, slot, c.Args[1])
		}
	}
}

// productForSolve multiplies where a system is solved.
func (w *walker) productForSolve(slot *notation.Expr, c *notation.Call) {
	w.replace(codes.StepMissing, codes.StepExtra, slot, binary(c.Span, "dot", grouped(c.Args[0]), grouped(c.Args[1])))
}

// rectangles adds up values, or values times their spacing, where the area under a line is meant.
func (w *walker) rectangles(slot *notation.Expr, c *notation.Call) {
	w.replace(codes.StepMissing, codes.StepExtra, slot, call(c.Span, "sum", c.Args[0]))
	if len(c.Args) != 2 || w.rank(c.Args[0]) != 1 {
		return
	}
	last := &notation.Edge{Span: c.Span, Last: true}
	ends := []notation.RangeExpr{{Span: c.Span, From: number(c.Span, int64(w.m.Counting+1))},
		{Span: c.Span, End: last, Before: true}}
	for _, r := range ends {
		heights := selected(c.Span, grouped(c.Args[0]), withRange(&notation.Selector{Span: c.Span}, r))
		widths := call(c.Span, "differences", c.Args[1])
		w.replace(codes.StepMissing, codes.StepExtra, slot, call(c.Span, "sum", binary(c.Span, "*", heights, widths)))
	}
}

// productForFit stops at the right side of the normal equations.
func (w *walker) productForFit(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) == 2 {
		turned := call(c.Span, "transpose", c.Args[0])
		w.replace(codes.StepMissing, codes.StepExtra, slot, binary(c.Span, "dot", turned, grouped(c.Args[1])))
	}
}

// bothLeftOut gives the argument of a call in a call: an angle of degrees(acos(x)).
func (w *walker) bothLeftOut(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if w.repairing() || len(c.Args) != 1 || f.Topic != functions.Elementwise {
		return
	}
	inner, ok := notation.Strip(c.Args[0]).(*notation.Call)
	if !ok || len(inner.Args) != 1 {
		return
	}
	if g := w.builtIn(inner); g != nil && g.Topic == functions.Elementwise {
		w.both(codes.StepMissing, slot, inner.Args[0])
	}
}

func (w *walker) maxForExtent(slot *notation.Expr, c *notation.Call) {
	w.replace(codes.StepMissing, codes.StepExtra, slot, withName(c, "max"))
}

func (w *walker) ownExchanged(slot *notation.Expr, c *notation.Call) {
	if w.builtIn(c) == nil && len(c.Args) == 2 {
		w.both(codes.OperandOrder, slot, withArgs(c, c.Args[1], c.Args[0]))
	}
}

// ordered are functions of two arguments that cannot be taken for each other, or whose
// order does not matter.
var ordered = []string{"percentile", "rotated", "windows", "filled", "lesser", "greater"}

// exchanged exchanges two arguments.
func (w *walker) exchanged(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	switch {
	case len(c.Args) == 2 && !f.ShapeArgs && !slices.Contains(ordered, f.Name):
		w.both(codes.OperandOrder, slot, withArgs(c, c.Args[1], c.Args[0]))
	case len(c.Args) == 3 && f.Name == "totals_by":
		w.both(codes.OperandOrder, slot, withArgs(c, c.Args[1], c.Args[0], c.Args[2]))
	case len(c.Args) == 3 && (f.Name == "interpolated" || f.Name == "spaced"):
		w.both(codes.OperandOrder, slot, withArgs(c, c.Args[0], c.Args[2], c.Args[1]))
	case len(c.Args) == 3 && !f.ShapeArgs && f.Name != "pick" && w.rank(c.Args[0]) > 0 &&
		w.rank(c.Args[0]) == w.rank(c.Args[1]):
		w.both(codes.OperandOrder, slot, withArgs(c, c.Args[1], c.Args[0], c.Args[2]))
	}
}

func (w *walker) itemsExchanged(slot *notation.Expr, e *notation.List) {
	if len(e.Items) == 2 && w.selecting == 0 {
		w.both(codes.OperandOrder, slot, &notation.List{Span: e.Span, Items: []notation.Expr{e.Items[1], e.Items[0]}})
	}
}

// positionsForValues takes the positions, or the mask, for the values they select.
func (w *walker) positionsForValues(slot *notation.Expr, e *notation.Select) {
	if len(e.Selection.Selectors) != 1 || e.Selection.Selectors[0].Kind != notation.SelectValue {
		return
	}
	sel := e.Selection.Selectors[0]
	if sel.Except || hasEdge(sel.Value) {
		return
	}
	if _, named := notation.Strip(sel.Value).(*notation.Name); !named && w.loops > 0 && !w.repairing() {
		return // nobody takes the place before this one for what is there
	}
	if o := w.outline(sel.Value); o.Is(array.Bool) {
		w.both(codes.PositionValue, slot, call(e.Span, "positions", sel.Value))
	}
	if _, plain := notation.Strip(sel.Value).(*notation.Number); !plain {
		w.both(codes.PositionValue, slot, sel.Value)
	}
}

// counted is the comparison that a plain count counts, and the values it compares.
func counted(c *notation.Call) (*notation.Compare, notation.Expr, bool) {
	cmp, ok := notation.Strip(c.Args[0]).(*notation.Compare)
	if !ok || len(c.Options) > 0 {
		return nil, nil, false
	}
	values := cmp.Operands[0]
	if _, isNumber := notation.Strip(values).(*notation.Number); isNumber && len(cmp.Operands) > 1 {
		values = cmp.Operands[1]
	}
	return cmp, values, true
}

// sumForCount adds up the elements that were to be counted.
func (w *walker) sumForCount(slot *notation.Expr, c *notation.Call) {
	if cmp, values, ok := counted(c); ok {
		w.both(codes.PositionValue, slot, withArgs(withName(c, "sum"), values))
		w.both(codes.PositionValue, slot, withArgs(withName(c, "sum"), call(c.Span, "pick", cmp, values, number(c.Span, 0))))
	}
}

// countForSum counts the elements that were to be added up.
func (w *walker) countForSum(slot *notation.Expr, c *notation.Call) {
	count := func(c *notation.Call, mask notation.Expr) {
		w.both(codes.PositionValue, slot, withArgs(withName(c, "count"), mask))
	}
	isMask := func(e notation.Expr) bool {
		o := w.outline(e)
		return o.Is(array.Bool)
	}
	if mask := optionOf(c, "only"); mask != nil {
		count(withOption(c, "only", nil), mask)
	} else if len(c.Args) == 1 {
		switch x := notation.Strip(c.Args[0]).(type) {
		case *notation.Select:
			if sel := x.Selection.Selectors; len(sel) == 1 && sel[0].Kind == notation.SelectValue && isMask(sel[0].Value) {
				count(c, sel[0].Value)
			}
		case *notation.Call:
			if x.Name.Name == "pick" && len(x.Args) == 3 {
				count(c, x.Args[0])
			}
		case *notation.Binary:
			for _, side := range []notation.Expr{x.Left, x.Right} {
				if x.Op == "*" && isMask(side) {
					count(c, side)
				}
			}
		}
	}
	if c.Clause == nil && len(c.Args) == 1 && len(c.Options) == 0 {
		w.both(codes.PositionValue, slot, withName(c, "size"))
	}
}

// sumForLength adds the elements up where an attempt counts them all.
func (w *walker) sumForLength(slot *notation.Expr, c *notation.Call) {
	if w.repairing() && len(c.Args) == 1 {
		sum := withName(c, "sum")
		sum.Clause = nil
		w.both(codes.PositionValue, slot, sum)
	}
}

// maskForPositions gives the truth values, or 0 and 1, for the positions where they are true.
func (w *walker) maskForPositions(slot *notation.Expr, c *notation.Call) {
	w.both(codes.PositionValue, slot, c.Args[0])
	w.both(codes.PositionValue, slot, withName(c, "int"))
}

func (w *walker) positionsForMask(slot *notation.Expr, c *notation.Call) {
	if w.isMask(c.Args[0]) {
		w.both(codes.PositionValue, slot, withName(c, "positions"))
	}
}

func (w *walker) angleArgument(slot *notation.Expr, c *notation.Call) {
	defer func() { w.key = "" }() // one angle is one mistake, in whatever functions it stands
	if inner, ok := notation.Strip(c.Args[0]).(*notation.Call); ok && inner.Name.Name == "radians" {
		if w.repairing() && len(inner.Args) == 1 {
			w.key = "not " + notation.PrintExpr(inner)
			w.both(codes.AngleUnit, slot, withArgs(c, inner.Args[0]))
		}
		return
	}
	for _, name := range []string{"radians", "degrees"} {
		converted := call(c.Span, name, c.Args[0])
		w.key = notation.PrintExpr(converted)
		w.both(codes.AngleUnit, slot, withArgs(c, converted))
	}
}

func (w *walker) angleResult(slot *notation.Expr, c *notation.Call) {
	w.both(codes.AngleUnit, slot, call(c.Span, "degrees", c))
}

func (w *walker) polarAngle(slot *notation.Expr, c *notation.Call) {
	w.both(codes.AngleUnit, slot, withArgs(c, c.Args[0], call(c.Span, "radians", c.Args[1])))
}

func (w *walker) squareForRoot(slot *notation.Expr, c *notation.Call) {
	w.both(codes.PowerMissing, slot, binary(c.Span, "^", grouped(c.Args[0]), number(c.Span, 2)))
}

// rootForSquare takes the root where an attempt squares.
func (w *walker) rootForSquare(slot *notation.Expr, b *notation.Binary) {
	if n, ok := notation.Strip(b.Right).(*notation.Number); ok && b.Op == "^" && valueOf(n) == 2 && w.repairing() {
		w.both(codes.PowerMissing, slot, call(b.Span, "sqrt", b.Left))
	}
}
