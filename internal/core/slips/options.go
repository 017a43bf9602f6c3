package slips

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

var optionOperators = []*Operator{
	{
		Name: "fill", Codes: []codes.Code{codes.FillOrder},
		Where: "a call that fills by rows or columns", Change: "fills the other way",
		Right: "r = reshape(x, [2, 3])", Wrong: "r = reshape(x, [2, 3], fill: columns)",
		expression: []onExpression{onCall((*walker).fillOrder)},
	},
	{
		Name: "option",
		Codes: []codes.Code{codes.ConstantOther, codes.StepMissing, codes.StepExtra, codes.SelectReversed,
			codes.SpreadDivisor, codes.LogBase, codes.AxisOrder, codes.MaskUnapplied, codes.MissingValues, codes.FunctionOther},
		Where: "a call that takes options", Change: "drops an option, changes it, or adds the one that the reference has",
		Right: "r = covariance(x, y)", Wrong: "r = covariance(x, y, sample: true)",
		join: byChange, expression: []onExpression{onCall((*walker).otherOptions)},
	},
	{
		Name: "missing", Codes: []codes.Code{codes.MissingValues, codes.MaskUnapplied},
		Where: "a reduction that takes `only:`", Change: "leaves missing values out, or counts what should be left out as " +
			"zero",
		Right: "r = mean(x, only: not is_nan(x))", Wrong: "r = mean(pick(not is_nan(x), x, 0))",
		join: byChange, expression: []onExpression{onCall((*walker).missingValues)},
	},
}

// fillOrder fills by columns for rows, or by rows for columns.
func (w *walker) fillOrder(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if !takes(f, "fill") {
		return
	}
	word := "columns"
	if n, ok := optionOf(c, "fill").(*notation.Name); ok && n.Name == "columns" {
		word = "rows"
	}
	w.both(codes.FillOrder, slot, withOption(c, "fill", wordExpr(c.Span, word)))
}

// flags are options that are on or off, and what turning one stands for.
var flags = map[string]codes.Code{"descending": codes.SelectReversed, "sample": codes.SpreadDivisor}

// addedOptions says what an option stands for that the reference has and an attempt lacks;
// all others are another constant.
var addedOptions = map[string]codes.Code{"base": codes.LogBase, "only": codes.MaskUnapplied,
	"weights": codes.StepMissing, "to": codes.AxisOrder}

// otherOptions changes, adds and drops a call's options.
func (w *walker) otherOptions(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	for _, o := range f.Options {
		value := optionOf(c, o.Name)
		if cause, ok := flags[o.Name]; ok {
			var turned notation.Expr
			if value == nil {
				turned = truth(c.Span, true)
			}
			w.both(cause, slot, withOption(c, o.Name, turned))
			continue
		}
		switch o.Name {
		case "keep", "fill", "to": // operators of their own
		case "only":
			if value != nil {
				w.both(w.maskCause(value), slot, withOption(c, "only", nil))
			}
		case "weights":
			w.weights(slot, c, value)
		case "base":
			if value != nil {
				w.both(codes.LogBase, slot, withOption(c, "base", nil))
			}
		case "offset":
			w.offsets(slot, c, value)
		default:
			w.plainOption(slot, c, o, value)
		}
	}
	like := w.functions[c.Name.Name]
	if like == nil {
		return
	}
	for _, o := range like.Options {
		if _, turned := flags[o.Name.Name]; turned || optionOf(c, o.Name.Name) != nil || o.Name.Name == "keep" {
			continue
		}
		cause, ok := addedOptions[o.Name.Name]
		if !ok {
			cause = codes.ConstantOther
		}
		if cause == codes.MaskUnapplied {
			cause = w.maskCause(o.Value)
		}
		w.both(cause, slot, withOption(c, o.Name.Name, o.Value))
	}
}

// weights drops the weights of a mean, or weights it by an input.
func (w *walker) weights(slot *notation.Expr, c *notation.Call, value notation.Expr) {
	if value != nil {
		plain := withOption(c, "weights", nil)
		w.replace(codes.StepMissing, codes.StepExtra, slot, plain)
		if len(c.Args) == 1 {
			weighed := binary(c.Span, "*", grouped(c.Args[0]), grouped(value))
			w.replace(codes.StepMissing, codes.StepExtra, slot, withName(withArgs(plain, weighed), "sum"))
		}
		return
	}
	if !w.repairing() {
		return
	}
	for _, name := range w.m.Inputs {
		missing := codes.StepMissing
		if o := w.m.Known[name]; o.Is(array.Bool) {
			missing = codes.MaskUnapplied
		}
		w.replace(codes.StepExtra, missing, slot, withOption(c, "weights", &notation.Name{Span: c.Span, Name: name}))
	}
}

// offsets moves a diagonal.
func (w *walker) offsets(slot *notation.Expr, c *notation.Call, value notation.Expr) {
	if value == nil {
		for _, k := range []int64{1, -1} {
			w.both(codes.ConstantOther, slot, withOption(c, "offset", integer(c.Span, k)))
		}
		return
	}
	w.both(codes.ConstantOther, slot, withOption(c, "offset", nil))
	w.both(codes.ConstantOther, slot, withOption(c, "offset", &notation.Unary{Span: c.Span, Op: "-", Operand: value}))
}

// plainOption drops an option that has a value, or says another of its words.
func (w *walker) plainOption(slot *notation.Expr, c *notation.Call, o functions.Option, value notation.Expr) {
	if value == nil {
		return
	}
	if o.Kind == functions.OptionValue {
		w.both(codes.ConstantOther, slot, withOption(c, o.Name, nil))
	}
	if o.Kind == functions.OptionWord {
		for _, word := range o.Words {
			if n, ok := value.(*notation.Name); !ok || n.Name != word {
				w.both(codes.FunctionOther, slot, withOption(c, o.Name, wordExpr(c.Span, word)))
			}
		}
		w.both(codes.FunctionOther, slot, withOption(c, o.Name, nil))
	}
}

// missingValues leaves missing values out of a reduction, or counts as zero what `only:`
// leaves out.
func (w *walker) missingValues(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if !takes(f, "only") || len(c.Args) != 1 {
		return
	}
	mask := optionOf(c, "only")
	if mask == nil {
		if w.repairing() {
			w.both(codes.MissingValues, slot, withOption(c, "only", not(c.Span, call(c.Span, "is_nan", c.Args[0]))))
		}
		return
	}
	zeroed := call(c.Span, "pick", mask, c.Args[0], number(c.Span, 0))
	w.both(w.maskCause(mask), slot, withOption(withArgs(c, zeroed), "only", nil))
}

// maskCause is what it stands for to drop a mask: one that asks for missing values is
// about those.
func (w *walker) maskCause(mask notation.Expr) codes.Code {
	if w.asksForNaN(mask) {
		return codes.MissingValues
	}
	return codes.MaskUnapplied
}
