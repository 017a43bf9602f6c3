package slips

import (
	"slices"

	"nimbusreach/core/array"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

// neighbours are functions that are taken for each other, and what that stands for.
// Every one of a group is a neighbour of all others.
var neighbours = []struct {
	cause string
	names []string
}{
	{"function.other", []string{"min", "max", "mean", "median", "sum"}},
	{"function.other", []string{"extent", "std"}},
	{"function.other", []string{"sum", "product"}},
	{"spread.divisor", []string{"std", "sample_std"}},
	{"spread.divisor", []string{"var", "sample_var"}},
	{"power.missing", []string{"std", "var"}},
	{"power.missing", []string{"sample_std", "sample_var"}},
	{"position.value", []string{"max", "max_at"}},
	{"position.value", []string{"min", "min_at"}},
	{"position.value", []string{"sort", "sort_order"}},
	{"position.value", []string{"count", "positions"}},
	{"position.value", []string{"unique", "unique_counts"}},
	{"function.other", []string{"max_at", "min_at"}},
	{"function.other", []string{"any", "all", "count"}},
	{"function.other", []string{"floor", "ceil", "round", "truncated"}},
	{"function.other", []string{"running_sum", "running_product", "running_min", "running_max", "steps_between"}},
	{"function.other", []string{"lesser", "greater"}},
	{"function.other", []string{"sin", "cos", "tan"}},
	{"function.other", []string{"sinh", "cosh", "tanh"}},
	{"function.other", []string{"asin", "acos", "atan"}},
	{"log.base", []string{"log", "log2", "log10"}},
	{"function.other", []string{"exp", "expm1"}},
	{"function.other", []string{"log", "log1p"}},
	{"angle.unit", []string{"degrees", "radians"}},
	{"complex.part", []string{"real_part", "imaginary_part", "abs", "angle", "conjugate"}},
	{"complex.part", []string{"transpose", "conjugate_transpose"}},
	{"power.missing", []string{"sqrt", "cbrt"}},
	{"function.other", []string{"combinations", "permutations"}},
	{"function.other", []string{"gcd", "lcm"}},
	{"function.other", []string{"upper_part", "lower_part"}},
	{"function.other", []string{"zeros", "ones"}},
	{"function.other", []string{"det", "trace", "rank"}},
	{"function.other", []string{"covariance", "correlation"}},
	{"function.other", []string{"eigenvalues", "singular_values"}},
	{"function.other", []string{"repeated", "paved"}},
	{"function.other", []string{"erf", "erfc"}},
	{"function.other", []string{"outer", "cross", "kronecker"}},
	{"function.other", []string{"gradient", "steps_between"}},
	{"function.other", []string{"row_of", "column_of"}},
	{"join.axis", []string{"join", "stack"}},
}

// unwrapped tells what leaving a function out stands for, and what it means that an
// attempt has it too many; all others are a step missing and a step too many.
var unwrapped = map[string]string{
	"sqrt": "power.missing", "round": "rounding", "floor": "rounding", "ceil": "rounding", "truncated": "rounding", "int": "rounding",
	"transpose": "transpose.missing", "conjugate_transpose": "transpose.missing", "conjugate": "complex.part", "real_part": "complex.part",
	"degrees": "angle.unit", "radians": "angle.unit", "reversed": "select.reversed", "flattened": "axis.flat", "inverse": "step.missing",
}

func (w *maker) callSlips(slot *notation.Expr, c *notation.Call) {
	f := functions.Lookup(c.Name.Name)
	if f == nil || w.own[c.Name.Name] != nil {
		w.ownCall(slot, c)
		return
	}
	w.axes(slot, c, f)
	w.otherFunctions(slot, c, f)
	w.leftOut(slot, c, f)
	w.exchanged(slot, c, f)
	w.options(slot, c, f)
	w.special(slot, c)
	w.calls = append(w.calls, c)
	for i := range c.Args {
		if f.ShapeArgs && i > 0 {
			w.shapeArgument(&c.Args[i])
			continue
		}
		w.expression(&c.Args[i])
	}
	for _, o := range c.Options {
		if f.OptionKindOf(o.Name.Name) == functions.OptionValue && o.Name.Name != "keep" {
			w.expression(&o.Value)
		}
	}
	w.calls = w.calls[:len(w.calls)-1]
}

func (w *maker) ownCall(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) == 2 {
		w.both("exchanged", "operand.order", slot, withArgs(c, c.Args[1], c.Args[0]))
	}
	if len(c.Args) >= 1 {
		w.replace("left out", "step.missing", "step.extra", slot, c.Args[0])
	}
	for i := range c.Args {
		w.expression(&c.Args[i])
	}
}

// otherFunctions calls a neighbour instead.
func (w *maker) otherFunctions(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	done := map[string]bool{c.Name.Name: true}
	try := func(name, cause string) {
		other := functions.Lookup(name)
		if done[name] || other == nil {
			return
		}
		done[name] = true
		with, ok := fitted(c, other)
		if ok {
			w.both("function", cause, slot, with)
		}
	}
	for _, g := range neighbours {
		if slices.Contains(g.names, c.Name.Name) && (g.cause != "complex.part" || w.mayBeComplex(c.Args)) {
			for _, name := range g.names {
				try(name, g.cause)
			}
		}
	}
	if w.repairing() {
		for _, name := range sortedKeys(w.functions) {
			other := functions.Lookup(name)
			if other == nil || other.Topic != f.Topic || other.Clause != f.Clause {
				continue
			}
			if c.Name.Name == "sum" && name == "count" || c.Name.Name == "count" && name == "sum" {
				try(name, "position.value")
			} else if c.Name.Name != "max" || name != "extent" {
				try(name, "function.other")
			}
		}
	}
	w.running(slot, c)
	w.lastRound(slot, c, f)
}

// mayBeComplex reports whether a call's first argument has parts to choose among.
func (w *maker) mayBeComplex(args []notation.Expr) bool {
	if len(args) == 0 {
		return false
	}
	o := w.outline(args[0])
	return !o.KnowsKind() || o.Kind() == array.Complex
}

// lastRound keeps the last item of an axis in place of a collapse over it, as a loop
// does that binds anew each round.
func (w *maker) lastRound(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if w.repairing() || f.Clause != functions.Over || len(c.Args) != 1 {
		return
	}
	o := w.outline(c.Args[0])
	axes, ok := w.clauseNow(c, &o, f)
	if !ok || !o.KnowsRank() || len(axes) == 0 || len(axes) > 2 {
		return
	}
	for _, axis := range axes {
		selectors := make([]*notation.Selector, o.Rank())
		for i := range selectors {
			selectors[i] = selector(c.Span, notation.SelectAll)
		}
		selectors[axis] = valueSelector(c.Span, &notation.Edge{Span: c.Span, Last: true})
		last := notation.Expr(selected(c.Span, c.Args[0], selectors...))
		for _, other := range axes {
			if other != axis {
				at := other
				if other > axis && labelOf(&o, other) == "" {
					at--
				}
				last = w.withAxes(withArgs(c, last), false, []*notation.Axis{w.axisOf(c.Span, labelOf(&o, other), at)})
			}
		}
		w.replace("last round", "loop.last", "loop.last", slot, last)
	}
}

// fitted is a call of another function with the same arguments, as far as that takes
// them.
func fitted(c *notation.Call, other *functions.Function) (*notation.Call, bool) {
	with := withName(c, other.Name)
	var kept []*notation.Option
	for _, o := range c.Options {
		if slices.ContainsFunc(other.Options, func(x functions.Option) bool { return x.Name == o.Name.Name }) {
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

// running: a running value for its total, and the total for the running value.
func (w *maker) running(slot *notation.Expr, c *notation.Call) {
	pairs := map[string]string{"sum": "running_sum", "product": "running_product", "max": "running_max", "min": "running_min"}
	for total, running := range pairs {
		from, to := total, running
		if c.Name.Name == running {
			from, to = running, total
		}
		if c.Name.Name != from {
			continue
		}
		if with, ok := fitted(c, functions.Lookup(to)); ok {
			w.both("function", "function.other", slot, with)
		}
	}
}

// leftOut gives the first argument in place of the call.
func (w *maker) leftOut(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if len(c.Args) == 0 || f.Topic == functions.Making && f.Name != "int" && f.Name != "shuffled" || f.Name == "shape" || f.Name == "length" || f.Name == "size" || f.Name == "pick" {
		return
	}
	missing, extra := "step.missing", "step.extra"
	if code, ok := unwrapped[f.Name]; ok {
		missing, extra = code, code
		if code == "step.missing" {
			extra = "step.extra"
		}
	}
	first := c.Args[0]
	if o := w.outline(first); f.Name == "abs" && o.Is(array.Complex) {
		missing, extra = "complex.part", "complex.part"
	}
	operator := "left out"
	if missing == "transpose.missing" {
		operator = "transpose"
	}
	w.replace(operator, missing, extra, slot, first)
	if f.Name == "join" || f.Name == "stack" {
		for _, arg := range c.Args[1:] {
			w.replace("left out", missing, extra, slot, arg)
		}
	}
	if f.Name == "abs" || f.Name == "clipped" || f.Name == "radians" || f.Name == "degrees" {
		return
	}
	if len(c.Args) == 2 && (f.Name == "lesser" || f.Name == "greater") {
		w.replace("left out", missing, extra, slot, c.Args[1])
	}
}

// exchanged swaps two arguments.
func (w *maker) exchanged(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	switch {
	case f.Name == "pick" && len(c.Args) == 3:
		w.both("not", "mask.inverted", slot, withArgs(c, c.Args[0], c.Args[2], c.Args[1]))
		w.replace("picked", "mask.unapplied", "step.extra", slot, c.Args[1])
		w.replace("picked", "mask.unapplied", "step.extra", slot, c.Args[2])
		zero := "step.missing"
		if w.heedsNaN(c.Args[0]) {
			zero = "missing.values"
		}
		for i, branch := range c.Args[1:] {
			if _, plain := notation.Strip(branch).(*notation.Number); !plain {
				args := slices.Clone(c.Args)
				args[i+1] = number(c.Span, 0)
				w.replace("zeroed", zero, zero, slot, withArgs(c, args...))
			}
		}
	case len(c.Args) == 2 && !f.ShapeArgs && f.Name != "percentile" && f.Name != "rotated" && f.Name != "windows" && f.Name != "filled" && f.Name != "lesser" && f.Name != "greater":
		w.both("exchanged", "operand.order", slot, withArgs(c, c.Args[1], c.Args[0]))
	case len(c.Args) == 3 && f.Name == "totals_by":
		w.both("exchanged", "operand.order", slot, withArgs(c, c.Args[1], c.Args[0], c.Args[2]))
	case len(c.Args) == 3 && (f.Name == "interpolated" || f.Name == "spaced"):
		w.both("exchanged", "operand.order", slot, withArgs(c, c.Args[0], c.Args[2], c.Args[1]))
	case f.Name == "clipped" && len(c.Args) == 3:
		w.replace("picked", "step.missing", "step.extra", slot, withArgs(withName(c, "greater"), c.Args[0], c.Args[1]))
		w.replace("picked", "step.missing", "step.extra", slot, withArgs(withName(c, "lesser"), c.Args[0], c.Args[2]))
	}
}

// options changes, adds and drops a call's options.
func (w *maker) options(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	for _, o := range f.Options {
		value := optionOf(c, o.Name)
		switch o.Name {
		case "keep":
		case "fill":
			word := "columns"
			if n, ok := value.(*notation.Name); ok && n.Name == "columns" {
				word = "rows"
			}
			w.both("fill", "fill.order", slot, withOption(c, "fill", wordExpr(c.Span, word)))
		case "descending":
			w.flag(slot, c, o.Name, value, "select.reversed")
		case "sample":
			w.flag(slot, c, o.Name, value, "spread.divisor")
		case "only":
			w.onlyOption(slot, c, value)
		case "weights":
			if value != nil {
				w.replace("option", "step.missing", "step.extra", slot, withOption(c, "weights", nil))
			} else if w.repairing() {
				for _, name := range w.m.Inputs {
					w.replace("option", "step.extra", "step.missing", slot, withOption(c, "weights", &notation.Name{Span: c.Span, Name: name}))
				}
			}
		case "base":
			if value != nil {
				w.both("option", "log.base", slot, withOption(c, "base", nil))
			}
		case "offset":
			w.offsetOption(slot, c, value)
		case "to":
			w.orders(slot, c, value)
		default:
			if value != nil && o.Kind == functions.OptionValue {
				w.both("option", "constant.other", slot, withOption(c, o.Name, nil))
			}
			if value != nil && o.Kind == functions.OptionWord {
				for _, word := range o.Words {
					if n, ok := value.(*notation.Name); !ok || n.Name != word {
						w.both("option", "function.other", slot, withOption(c, o.Name, wordExpr(c.Span, word)))
					}
				}
				w.both("option", "function.other", slot, withOption(c, o.Name, nil))
			}
		}
	}
	if w.repairing() {
		if like := w.functions[c.Name.Name]; like != nil {
			for _, o := range like.Options {
				if optionOf(c, o.Name.Name) == nil && o.Name.Name != "keep" {
					cause := map[string]string{"base": "log.base", "only": "mask.unapplied", "weights": "step.missing"}[o.Name.Name]
					if cause == "" {
						cause = "constant.other"
					}
					w.both("option", cause, slot, withOption(c, o.Name.Name, o.Value))
				}
			}
		}
	}
}

func (w *maker) flag(slot *notation.Expr, c *notation.Call, name string, value notation.Expr, cause string) {
	if value != nil {
		w.both("option", cause, slot, withOption(c, name, nil))
		return
	}
	w.both("option", cause, slot, withOption(c, name, truth(c.Span, true)))
}

func (w *maker) onlyOption(slot *notation.Expr, c *notation.Call, value notation.Expr) {
	if value == nil {
		if w.repairing() && len(c.Args) == 1 {
			w.both("missing", "missing.values", slot, withOption(c, "only", not(c.Span, call(c.Span, "is_nan", c.Args[0]))))
		}
		return
	}
	cause := "mask.unapplied"
	if w.heedsNaN(value) {
		cause = "missing.values"
	}
	if len(c.Args) == 1 {
		w.both("missing", cause, slot, withOption(withArgs(c, call(c.Span, "pick", value, c.Args[0], number(c.Span, 0))), "only", nil))
	}
	w.replace("option", cause, cause, slot, withOption(c, "only", nil))
	w.both("not", "mask.inverted", slot, withOption(c, "only", not(c.Span, value)))
}

func (w *maker) offsetOption(slot *notation.Expr, c *notation.Call, value notation.Expr) {
	if value == nil {
		for _, k := range []int64{1, -1} {
			w.both("option", "constant.other", slot, withOption(c, "offset", integer(c.Span, k)))
		}
		return
	}
	w.both("option", "constant.other", slot, withOption(c, "offset", nil))
	w.both("option", "constant.other", slot, withOption(c, "offset", &notation.Unary{Span: c.Span, Op: "-", Operand: value}))
}

// orders puts the axes of a transposition in other orders.
func (w *maker) orders(slot *notation.Expr, c *notation.Call, value notation.Expr) {
	l, ok := value.(*notation.List)
	if !ok {
		return
	}
	for i := range l.Items {
		for k := i + 1; k < len(l.Items); k++ {
			items := slices.Clone(l.Items)
			items[i], items[k] = items[k], items[i]
			w.both("order", "axis.order", slot, withOption(c, "to", &notation.List{Span: l.Span, Items: items}))
		}
	}
	w.both("order", "axis.order", slot, withOption(c, "to", nil))
}

// givesPositions are functions whose result counts from the course's first position.
var givesPositions = map[string]bool{"max_at": true, "min_at": true, "sort_order": true, "positions": true, "place_in": true, "indices": true, "unflat_position": true}

// special holds changes that only some functions have.
func (w *maker) special(slot *notation.Expr, c *notation.Call) {
	at := c.Span
	if givesPositions[c.Name.Name] && !w.repairing() {
		// Told as the other base counts.
		k := int64(1 - 2*w.m.Counting)
		w.replace("shift", "unit.first", "select.shifted", slot, plusOffset(at, c, k))
	}
	switch c.Name.Name {
	case "inverse":
		w.replace("matrix", "matrix.elementwise", "product.matrix", slot, binary(at, "/", realNumber(at, 1), c.Args[0]))
	case "mat_power":
		w.replace("matrix", "matrix.elementwise", "product.matrix", slot, binary(at, "^", c.Args[0], c.Args[1]))
	case "solve":
		w.replace("matrix", "matrix.elementwise", "product.matrix", slot, binary(at, "/", c.Args[1], c.Args[0]))
		w.both("transpose", "transpose.missing", slot, withArgs(c, call(at, "transpose", c.Args[0]), c.Args[1]))
		w.replace("left out", "step.missing", "step.extra", slot, binary(at, "dot", grouped(c.Args[0]), grouped(c.Args[1])))
	case "sin", "cos", "tan":
		if inner, ok := notation.Strip(c.Args[0]).(*notation.Call); !ok || inner.Name.Name != "radians" {
			w.both("angle", "angle.unit", slot, withArgs(c, call(at, "radians", c.Args[0])))
			w.both("angle", "angle.unit", slot, withArgs(c, call(at, "degrees", c.Args[0])))
		}
	case "asin", "acos", "atan", "atan2", "angle":
		w.both("angle", "angle.unit", slot, call(at, "degrees", c))
	case "polar":
		w.both("angle", "angle.unit", slot, withArgs(c, c.Args[0], call(at, "radians", c.Args[1])))
	case "transpose":
		w.reshapeFor(slot, c)
	case "reshape":
		w.transposeFor(slot, c)
	case "length", "size":
		w.writtenLength(slot, c)
	case "count":
		w.countForSum(slot, c)
	case "extent":
		w.replace("left out", "step.missing", "step.extra", slot, withName(c, "max"))
	case "sum":
		w.sumForCount(slot, c)
		if c.Clause == nil && len(c.Args) == 1 && len(c.Options) == 0 {
			w.both("position", "position.value", slot, withName(c, "size"))
		}
	case "mean", "median", "percentile", "std", "sample_std":
		w.nested(slot, c)
	case "sqrt":
		w.both("root", "power.missing", slot, binary(at, "^", grouped(c.Args[0]), number(at, 2)))
	case "outer":
		if len(c.Args) == 2 {
			w.replace("product", "product.elementwise", "product.matrix", slot, binary(at, "*", grouped(c.Args[0]), grouped(c.Args[1])))
		}
	case "norm":
		w.both("power", "power.missing", slot, binary(at, "^", c, number(at, 2)))
	}
}

// reshapeFor reads the elements in order under the transposed shape.
func (w *maker) reshapeFor(slot *notation.Expr, c *notation.Call) {
	if w.rank(c.Args[0]) != 2 || len(c.Options) > 0 {
		return
	}
	lengths := call(c.Span, "reversed", call(c.Span, "shape", c.Args[0]))
	w.replace("reshape", "reshape.transpose", "reshape.transpose", slot, call(c.Span, "reshape", c.Args[0], lengths))
}

func (w *maker) transposeFor(slot *notation.Expr, c *notation.Call) {
	if w.rank(c.Args[0]) == 2 {
		w.both("reshape", "reshape.transpose", slot, call(c.Span, "transpose", c.Args[0]))
	}
	if l, ok := lastList(c); ok && len(l.Items) == 2 {
		items := []notation.Expr{l.Items[1], l.Items[0]}
		turned := withArgs(c, c.Args[0], &notation.List{Span: l.Span, Items: items})
		w.both("turned", "fill.order", slot, call(c.Span, "transpose", turned))
		w.both("shape", "axis.order", slot, turned)
	}
}

func lastList(c *notation.Call) (*notation.List, bool) {
	if len(c.Args) != 2 {
		return nil, false
	}
	l, ok := notation.Strip(c.Args[1]).(*notation.List)
	return l, ok
}

// writtenLength writes a length in that data decide.
func (w *maker) writtenLength(slot *notation.Expr, c *notation.Call) {
	o := w.outline(c)
	if n, ok := o.Number(); ok && n >= 0 {
		w.both("length", "length.fixed", slot, number(c.Span, int64(n)))
	}
	if w.repairing() {
		if len(c.Args) == 1 {
			sum := withName(c, "sum")
			sum.Clause = nil
			w.both("position", "position.value", slot, sum)
		}
		for _, name := range w.m.Inputs {
			if o := w.m.Known[name]; o.IsScalar() && o.Is(array.Int) {
				w.both("name", "input.other", slot, &notation.Name{Span: c.Span, Name: name})
			}
		}
	}
	for _, k := range []int64{1, -1} {
		w.both("constant", "constant.other", slot, &notation.Paren{Span: c.Span, Inner: plusOffset(c.Span, c, k)})
	}
}

// countForSum adds the elements up that were to be counted.
func (w *maker) countForSum(slot *notation.Expr, c *notation.Call) {
	cmp, ok := notation.Strip(c.Args[0]).(*notation.Compare)
	if !ok || len(c.Options) > 0 {
		return
	}
	values := cmp.Operands[0]
	if _, isNumber := notation.Strip(values).(*notation.Number); isNumber && len(cmp.Operands) > 1 {
		values = cmp.Operands[1]
	}
	w.replace("position", "position.value", "position.value", slot, withArgs(withName(c, "sum"), call(c.Span, "pick", cmp, values, number(c.Span, 0))))
	w.replace("function", "function.other", "function.other", slot, withName(c, "mean"))
	w.replace("unmasked", "mask.unapplied", "mask.unapplied", slot, withArgs(c, values))
}

// sumForCount counts the elements that were to be added up.
func (w *maker) sumForCount(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) != 1 || optionOf(c, "only") != nil {
		if mask := optionOf(c, "only"); mask != nil {
			w.both("position", "position.value", slot, withArgs(withName(withOption(c, "only", nil), "count"), mask))
		}
		return
	}
	switch x := notation.Strip(c.Args[0]).(type) {
	case *notation.Select:
		if len(x.Selection.Selectors) == 1 && x.Selection.Selectors[0].Kind == notation.SelectValue {
			if o := w.outline(x.Selection.Selectors[0].Value); o.Is(array.Bool) {
				w.both("position", "position.value", slot, withArgs(withName(c, "count"), x.Selection.Selectors[0].Value))
			}
		}
	case *notation.Call:
		if x.Name.Name == "pick" && len(x.Args) == 3 {
			w.both("position", "position.value", slot, withArgs(withName(c, "count"), x.Args[0]))
		}
	case *notation.Binary:
		if x.Op == "*" {
			for _, side := range []notation.Expr{x.Left, x.Right} {
				if o := w.outline(side); o.Is(array.Bool) {
					w.both("position", "position.value", slot, withArgs(withName(c, "count"), side))
				}
			}
		}
	}
}

// nested takes a mean of means for the mean, and the mean for a mean of means.
func (w *maker) nested(slot *notation.Expr, c *notation.Call) {
	inner, ok := notation.Strip(c.Args[0]).(*notation.Call)
	if ok && (inner.Name.Name == c.Name.Name || c.Name.Name == "mean") && len(inner.Args) == len(c.Args) && functions.Lookup(inner.Name.Name) != nil && functions.Lookup(inner.Name.Name).Clause == functions.Over {
		var axes []*notation.Axis
		if inner.Clause != nil && c.Clause != nil {
			axes = append(slices.Clone(inner.Clause.Axes), c.Clause.Axes...)
		}
		w.replace("nested", "mean.nested", "mean.nested", slot, w.withAxes(inner, false, axes))
	}
	o := w.outline(c.Args[0])
	now, known := w.clauseNow(c, &o, functions.Lookup(c.Name.Name))
	if known && o.KnowsRank() && len(now) >= 2 {
		for _, axis := range now {
			rest := []*notation.Axis{}
			for _, other := range now {
				if other != axis {
					at := other
					if label := labelOf(&o, other); label == "" && other > axis {
						at--
					}
					rest = append(rest, w.axisOf(c.Span, labelOf(&o, other), at))
				}
			}
			first := w.withAxes(c, false, []*notation.Axis{w.axisOf(c.Span, labelOf(&o, axis), axis)})
			first = withOption(first, "keep", nil)
			outer := withArgs(c, append([]notation.Expr{first}, c.Args[1:]...)...)
			w.replace("nested", "mean.nested", "mean.nested", slot, w.withAxes(withOption(outer, "only", nil), false, rest))
			if c.Name.Name != "mean" {
				mean := withName(withArgs(c, first), "mean")
				mean.Options = nil
				w.replace("nested", "mean.nested", "mean.nested", slot, w.withAxes(mean, false, rest))
			}
		}
	}
	if x, ok := notation.Strip(c.Args[0]).(*notation.Binary); ok && x.Op == "/" {
		sum := withName(c, "sum")
		if c.Name.Name == "mean" && len(c.Options) == 0 {
			w.both("nested", "mean.nested", slot, binary(c.Span, "/", withArgs(sum, x.Left), withArgs(sum, x.Right)))
		}
	}
}

// shapeArgument walks the lengths of a shape, where `auto` is no name.
func (w *maker) shapeArgument(slot *notation.Expr) {
	l, ok := (*slot).(*notation.List)
	if !ok {
		if n, isName := (*slot).(*notation.Name); !isName || n.Name != "auto" {
			w.expression(slot)
		}
		return
	}
	for i := range l.Items {
		if n, isName := l.Items[i].(*notation.Name); !isName || n.Name != "auto" {
			w.expression(&l.Items[i])
		}
	}
}
