package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// neighbours are functions that are taken for each other, and what that stands for.
// Every one of a group is a neighbour of all others.
var neighbours = []struct {
	cause codes.Code
	names []string
}{
	{codes.FunctionOther, []string{"min", "max", "mean", "median", "sum"}},
	{codes.FunctionOther, []string{"extent", "std"}},
	{codes.FunctionOther, []string{"sum", "product"}},
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
	{codes.FunctionOther, []string{"covariance", "correlation"}},
	{codes.FunctionOther, []string{"eigenvalues", "singular_values"}},
	{codes.FunctionOther, []string{"repeated", "tiled"}},
	{codes.FunctionOther, []string{"erf", "erfc"}},
	{codes.FunctionOther, []string{"outer", "cross", "kronecker"}},
	{codes.FunctionOther, []string{"gradient", "differences"}},
	{codes.FunctionOther, []string{"row_of", "column_of"}},
	{codes.JoinAxis, []string{"join", "stack"}},
}

// unwrapped tells what leaving a function out stands for, and what it means that an
// attempt has it too many; all others are a step missing and a step too many.
var unwrapped = map[string]codes.Code{
	"sqrt": codes.PowerMissing, "round": codes.Rounding, "floor": codes.Rounding, "ceil": codes.Rounding, "truncated": codes.Rounding, "int": codes.Rounding,
	"transpose": codes.TransposeMissing, "conjugate_transpose": codes.TransposeMissing, "conjugate": codes.ComplexPart, "real_part": codes.ComplexPart,
	"degrees": codes.AngleUnit, "radians": codes.AngleUnit, "reversed": codes.SelectReversed, "flattened": codes.AxisFlat, "inverse": codes.StepMissing,
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
		w.both("exchanged", codes.OperandOrder, slot, withArgs(c, c.Args[1], c.Args[0]))
	}
	if len(c.Args) >= 1 {
		w.replace("left out", codes.StepMissing, codes.StepExtra, slot, c.Args[0])
	}
	for i := range c.Args {
		w.expression(&c.Args[i])
	}
}

// otherFunctions calls a neighbour instead.
func (w *maker) otherFunctions(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	done := map[string]bool{c.Name.Name: true}
	try := func(name string, cause codes.Code) {
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
		if slices.Contains(g.names, c.Name.Name) && (g.cause != codes.ComplexPart || w.mayBeComplex(c.Args)) {
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
				try(name, codes.PositionValue)
			} else if c.Name.Name != "max" || name != "extent" {
				try(name, codes.FunctionOther)
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
		w.replace("last round", codes.LoopLast, codes.LoopLast, slot, last)
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
			w.both("function", codes.FunctionOther, slot, with)
		}
	}
}

// leftOut gives the first argument in place of the call.
func (w *maker) leftOut(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if len(c.Args) == 0 || f.Topic == functions.Making && f.Name != "int" && f.Name != "shuffled" || f.Name == "shape" || f.Name == "length" || f.Name == "size" || f.Name == "pick" {
		return
	}
	missing, extra := codes.StepMissing, codes.StepExtra
	if code, ok := unwrapped[f.Name]; ok {
		missing, extra = code, code
		if code == codes.StepMissing {
			extra = codes.StepExtra
		}
	}
	first := c.Args[0]
	if o := w.outline(first); f.Name == "abs" && o.Is(array.Complex) {
		missing, extra = codes.ComplexPart, codes.ComplexPart
	}
	operator := "left out"
	if missing == codes.TransposeMissing {
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
		w.both("not", codes.MaskInverted, slot, withArgs(c, c.Args[0], c.Args[2], c.Args[1]))
		w.replace("picked", codes.MaskUnapplied, codes.StepExtra, slot, c.Args[1])
		w.replace("picked", codes.MaskUnapplied, codes.StepExtra, slot, c.Args[2])
		zero := codes.StepMissing
		if w.heedsNaN(c.Args[0]) {
			zero = codes.MissingValues
		}
		for i, branch := range c.Args[1:] {
			if _, plain := notation.Strip(branch).(*notation.Number); !plain {
				args := slices.Clone(c.Args)
				args[i+1] = number(c.Span, 0)
				w.replace("zeroed", zero, zero, slot, withArgs(c, args...))
			}
		}
	case len(c.Args) == 2 && !f.ShapeArgs && f.Name != "percentile" && f.Name != "rotated" && f.Name != "windows" && f.Name != "filled" && f.Name != "lesser" && f.Name != "greater":
		w.both("exchanged", codes.OperandOrder, slot, withArgs(c, c.Args[1], c.Args[0]))
	case len(c.Args) == 3 && f.Name == "totals_by":
		w.both("exchanged", codes.OperandOrder, slot, withArgs(c, c.Args[1], c.Args[0], c.Args[2]))
	case len(c.Args) == 3 && (f.Name == "interpolated" || f.Name == "spaced"):
		w.both("exchanged", codes.OperandOrder, slot, withArgs(c, c.Args[0], c.Args[2], c.Args[1]))
	case f.Name == "clipped" && len(c.Args) == 3:
		w.replace("picked", codes.StepMissing, codes.StepExtra, slot, withArgs(withName(c, "greater"), c.Args[0], c.Args[1]))
		w.replace("picked", codes.StepMissing, codes.StepExtra, slot, withArgs(withName(c, "lesser"), c.Args[0], c.Args[2]))
	}
}
