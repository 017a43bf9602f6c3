package slips

import (
	"maps"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

var wholeOperators = []*Operator{
	{
		Name: "wrapped",
		Codes: []codes.Code{codes.StepExtra, codes.StepMissing, codes.Rounding, codes.AxisFlat, codes.SelectReversed,
			codes.ComplexPart, codes.AngleUnit, codes.AxisOther, codes.AxisKept},
		Where: "what a statement binds", Change: "puts a call around it",
		Right: "r = x * 2", Wrong: "r = sort(x * 2)",
		Adds: true, OnTop: true, whole: (*walker).wrapped,
	},
	{
		Name: "power", Codes: []codes.Code{codes.PowerMissing},
		Where: "what a statement binds, and a norm", Change: "squares it, or takes its root",
		Right: "r = x * 2", Wrong: "r = sqrt(x * 2)",
		Adds: true, OnTop: true, whole: (*walker).power, expression: []onExpression{onCallOf((*walker).squaredNorm, "norm")},
	},
	{
		Name: "sign", Codes: []codes.Code{codes.SignFlipped},
		Where: "what a statement binds, and a minus sign", Change: "changes the sign",
		Right: "r = x * 2", Wrong: "r = -(x * 2)",
		OnTop: true, whole: (*walker).negative, expression: []onExpression{on((*walker).minusLeftOut)},
	},
	{
		Name: "divided", Codes: []codes.Code{codes.StepExtra, codes.StepMissing},
		Where: "what a statement binds", Change: "divides once more by the number of items",
		Right: "r = x * 2", Wrong: "r = x * 2 / size(growth)",
		Adds: true, OnTop: true, whole: (*walker).dividedOnce,
	},
}

// maybeReal reports whether a value is real, or may be.
func (w *walker) maybeReal(e notation.Expr) bool {
	o := w.outline(e)
	return !o.KnowsKind() || o.Kind() == array.Real
}

// wrapped puts a call around what a statement binds: a step too many in a reference, or
// the step that an attempt left out.
func (w *walker) wrapped(slot *notation.Expr) {
	e := *slot
	if w.isMask(e) {
		return
	}
	wrap := func(cause, undoes codes.Code, name string) {
		w.replace(cause, undoes, slot, call(e.Pos(), name, e))
	}
	if w.maybeReal(e) {
		wrap(codes.Rounding, codes.Rounding, "round")
		wrap(codes.Rounding, codes.Rounding, "floor")
		wrap(codes.Rounding, codes.Rounding, "int")
	}
	rank := w.rank(e)
	if rank == 2 && w.repairing() {
		cause := codes.AxisKept
		if o := w.outline(e); o.Len(0) > 1 {
			cause = codes.StepMissing
		}
		w.both(cause, slot, selected(e.Pos(), grouped(e), valueSelector(e.Pos(), &notation.Edge{Span: e.Pos()}),
			selector(e.Pos(), notation.SelectAll)))
	}
	if rank > 1 {
		wrap(codes.AxisFlat, codes.AxisFlat, "flattened")
	}
	if rank == 1 {
		wrap(codes.StepExtra, codes.StepMissing, "sort")
		if w.isShape(e) {
			wrap(codes.AxisOther, codes.AxisOther, "reversed")
		} else {
			wrap(codes.SelectReversed, codes.SelectReversed, "reversed")
		}
	}
	w.missingSteps(slot, othersWrap)
	if o := w.outline(e); w.wraps["positions"] != nil && o.KnowsRank() && o.Rank() > 0 {
		at := e.Pos()
		for _, op := range []string{">", "=="} {
			asked := &notation.Compare{Span: at, Operands: []notation.Expr{grouped(e), number(at, 0)}, Ops: []string{op},
				OpSpans: []notation.Span{at}}
			w.both(codes.PositionValue, slot, call(at, "positions", asked))
		}
	}
}

// othersWrap are functions that are put around an attempt by a rule of their own.
var othersWrap = []string{"round", "floor", "int", "sqrt", "transpose", "sort", "reversed", "flattened"}

// missingSteps wraps a value of an attempt in the calls that the reference makes, but for some.
func (w *walker) missingSteps(slot *notation.Expr, but []string) {
	e := *slot
	scalar := w.rank(e) == 0
	for _, name := range slices.Sorted(maps.Keys(w.wraps)) {
		c := w.wraps[name]
		if len(c.Args) == 0 || slices.Contains(but, name) || scalar && !byElement(name) || w.inside && w.own[name] != nil ||
			slices.Contains(ofTruths, name) && w.isNumeric(e) ||
			w.isMask(e) && reduces(name) && !slices.Contains(ofMasks, name) {
			continue
		}
		with := *c
		with.Span = e.Pos()
		with.Args = append([]notation.Expr{e}, c.Args[1:]...)
		cause := codes.StepMissing
		switch name {
		case "abs", "conjugate", "real_part", "imaginary_part":
			if w.mayBeComplex(e) {
				cause = codes.ComplexPart
			}
		case "degrees", "radians":
			cause = codes.AngleUnit
		case "sqrt":
			cause = codes.PowerMissing
		case "transpose":
			cause = codes.TransposeMissing
		case "reversed":
			cause = codes.SelectReversed
			if w.isShape(e) {
				cause = codes.AxisOther
			}
		case "flattened":
			cause = codes.AxisFlat
		case "ceil", "truncated", "round", "floor", "int":
			cause = codes.Rounding
		}
		w.both(cause, slot, &with)
		for _, clause := range w.clauses {
			if reduces(name) && (with.Clause == nil || notation.PrintClause(with.Clause) != notation.PrintClause(clause)) {
				over := with
				over.Clause = clause
				w.both(cause, slot, &over)
			}
		}
		if inner, ok := notation.Strip(e).(*notation.Call); ok && reduces(name) && inner.Clause != nil && with.Clause != nil {
			over := *inner.Clause // along which it was made
			over.Along = false
			with := with
			with.Clause = &over
			w.both(cause, slot, &with)
		}
		if name == "sort" || name == "sort_order" { // in which order it is needed depends on what is taken of it
			var down notation.Expr
			if optionOf(&with, "descending") == nil {
				down = truth(e.Pos(), true)
			}
			w.both(cause, slot, withOption(&with, "descending", down))
		}
	}
}

// reduces reports whether a function reduces axes.
func reduces(name string) bool {
	f := functions.Lookup(name)
	return f != nil && f.Topic == functions.Reductions
}

// byElement reports whether a function makes something of a scalar.
func byElement(name string) bool {
	f := functions.Lookup(name)
	return f == nil || f.Topic == functions.Elementwise || f.Topic == functions.Making || f.Topic == functions.Further
}

func (w *walker) power(slot *notation.Expr) {
	e := *slot
	if w.isMask(e) {
		return
	}
	if w.maybeReal(e) {
		w.both(codes.PowerMissing, slot, call(e.Pos(), "sqrt", e))
	}
	w.both(codes.PowerMissing, slot, binary(e.Pos(), "^", e, number(e.Pos(), 2)))
}

func (w *walker) squaredNorm(slot *notation.Expr, c *notation.Call) {
	w.both(codes.PowerMissing, slot, binary(c.Span, "^", c, number(c.Span, 2)))
}

func (w *walker) negative(slot *notation.Expr) {
	if e := *slot; !w.isMask(e) {
		w.adding = true
		w.both(codes.SignFlipped, slot, &notation.Unary{Span: e.Pos(), Op: "-", Operand: e})
		w.adding = false
	}
}

func (w *walker) minusLeftOut(slot *notation.Expr, e *notation.Unary) {
	if e.Op == "-" {
		w.both(codes.SignFlipped, slot, e.Operand)
	}
}

func (w *walker) dividedOnce(slot *notation.Expr) {
	e := *slot
	if w.isMask(e) || w.rank(e) < 1 || len(w.m.Inputs) == 0 || w.repairing() {
		return
	}
	items := call(e.Pos(), "size", &notation.Name{Span: e.Pos(), Name: w.m.Inputs[0]})
	w.replace(codes.StepExtra, codes.StepMissing, slot, binary(e.Pos(), "/", e, items))
}
