package slips

import (
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

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
			w.both("fill", codes.FillOrder, slot, withOption(c, "fill", wordExpr(c.Span, word)))
		case "descending":
			w.flag(slot, c, o.Name, value, codes.SelectReversed)
		case "sample":
			w.flag(slot, c, o.Name, value, codes.SpreadDivisor)
		case "only":
			w.onlyOption(slot, c, value)
		case "weights":
			if value != nil {
				w.replace("option", codes.StepMissing, codes.StepExtra, slot, withOption(c, "weights", nil))
			} else if w.repairing() {
				for _, name := range w.m.Inputs {
					w.replace("option", codes.StepExtra, codes.StepMissing, slot, withOption(c, "weights", &notation.Name{Span: c.Span, Name: name}))
				}
			}
		case "base":
			if value != nil {
				w.both("option", codes.LogBase, slot, withOption(c, "base", nil))
			}
		case "offset":
			w.offsetOption(slot, c, value)
		case "to":
			w.orders(slot, c, value)
		default:
			if value != nil && o.Kind == functions.OptionValue {
				w.both("option", codes.ConstantOther, slot, withOption(c, o.Name, nil))
			}
			if value != nil && o.Kind == functions.OptionWord {
				for _, word := range o.Words {
					if n, ok := value.(*notation.Name); !ok || n.Name != word {
						w.both("option", codes.FunctionOther, slot, withOption(c, o.Name, wordExpr(c.Span, word)))
					}
				}
				w.both("option", codes.FunctionOther, slot, withOption(c, o.Name, nil))
			}
		}
	}
	if w.repairing() {
		if like := w.functions[c.Name.Name]; like != nil {
			for _, o := range like.Options {
				if optionOf(c, o.Name.Name) == nil && o.Name.Name != "keep" {
					cause := map[string]codes.Code{"base": codes.LogBase, "only": codes.MaskUnapplied, "weights": codes.StepMissing}[o.Name.Name]
					if cause == "" {
						cause = codes.ConstantOther
					}
					w.both("option", cause, slot, withOption(c, o.Name.Name, o.Value))
				}
			}
		}
	}
}

func (w *maker) flag(slot *notation.Expr, c *notation.Call, name string, value notation.Expr, cause codes.Code) {
	if value != nil {
		w.both("option", cause, slot, withOption(c, name, nil))
		return
	}
	w.both("option", cause, slot, withOption(c, name, truth(c.Span, true)))
}

func (w *maker) onlyOption(slot *notation.Expr, c *notation.Call, value notation.Expr) {
	if value == nil {
		if w.repairing() && len(c.Args) == 1 {
			w.both("missing", codes.MissingValues, slot, withOption(c, "only", not(c.Span, call(c.Span, "is_nan", c.Args[0]))))
		}
		return
	}
	cause := codes.MaskUnapplied
	if w.heedsNaN(value) {
		cause = codes.MissingValues
	}
	if len(c.Args) == 1 {
		w.both("missing", cause, slot, withOption(withArgs(c, call(c.Span, "pick", value, c.Args[0], number(c.Span, 0))), "only", nil))
	}
	w.replace("option", cause, cause, slot, withOption(c, "only", nil))
	w.both("not", codes.MaskInverted, slot, withOption(c, "only", not(c.Span, value)))
}

func (w *maker) offsetOption(slot *notation.Expr, c *notation.Call, value notation.Expr) {
	if value == nil {
		for _, k := range []int64{1, -1} {
			w.both("option", codes.ConstantOther, slot, withOption(c, "offset", integer(c.Span, k)))
		}
		return
	}
	w.both("option", codes.ConstantOther, slot, withOption(c, "offset", nil))
	w.both("option", codes.ConstantOther, slot, withOption(c, "offset", &notation.Unary{Span: c.Span, Op: "-", Operand: value}))
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
			w.both("order", codes.AxisOrder, slot, withOption(c, "to", &notation.List{Span: l.Span, Items: items}))
		}
	}
	w.both("order", codes.AxisOrder, slot, withOption(c, "to", nil))
}
