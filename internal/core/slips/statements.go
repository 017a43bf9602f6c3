package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func (w *maker) oneStatement(list *[]notation.Statement, s notation.Statement) {
	switch s := s.(type) {
	case *notation.Assign:
		w.assign(list, s)
	case *notation.View:
		w.selection(s.Selection, s.Of)
		w.selectorValues(s.Selection)
		w.swapStatement("copy", codes.ViewCopy, codes.ViewCopy, list, s, &notation.Assign{Span: s.Span, Target: s.Name, Op: "=", Value: &notation.Select{Span: s.Span, Of: s.Of, Selection: s.Selection}})
		w.bound = append(w.bound, s.Name.Name)
	case *notation.Function:
		w.function(s)
	case *notation.Each:
		for k := range s.Values {
			w.expression(&s.Values[k])
		}
		w.eachAxis(s)
		w.inner(&s.Body, s)
	case *notation.Repeat:
		w.expression(&s.Count)
		w.inner(&s.Body, s)
		w.expression(&s.Until)
	case *notation.If:
		w.expression(&s.Condition)
		if len(s.Else) > 0 {
			w.add("branches", codes.MaskInverted, codes.MaskInverted, s.Header, func() string { return "if, else" }, func() string { return "the branches exchanged" }, func() func() {
				then, other := s.Then, s.Else
				s.Then, s.Else = other, then
				return func() { s.Then, s.Else = then, other }
			})
		}
		w.block(&s.Then)
		w.statement = s
		w.block(&s.Else)
		w.statement = s
	case *notation.Return:
		w.expression(&s.Value)
	}
}

// inner walks a loop's body.
func (w *maker) inner(body *[]notation.Statement, s notation.Statement) {
	w.loops++
	w.block(body)
	w.loops--
	w.statement = s
}

func (w *maker) function(s *notation.Function) {
	bound := w.bound
	w.bound, w.inside = nil, true
	for _, p := range s.Params {
		w.bound = append(w.bound, p.Name)
	}
	if s.Value != nil {
		w.expression(&s.Value)
		w.wholeValue(&s.Value)
	}
	w.block(&s.Body)
	w.statement = s
	w.bound, w.inside = bound, false
}

func (w *maker) assign(list *[]notation.Statement, s *notation.Assign) {
	if s.Selection != nil {
		w.selection(s.Selection, s.Target)
		w.selectorValues(s.Selection)
	}
	w.expression(&s.Value)
	if s.Selection == nil {
		w.wholeValue(&s.Value)
	}
	w.operation(s)
	if s.Selection != nil {
		w.bindsWhole(s)
	}
	hadValue := slices.Contains(w.bound, s.Target.Name) || slices.Contains(w.m.Inputs, s.Target.Name)
	if s.Selection != nil || s.Op != "=" || hadValue {
		w.dropped(list, s)
	}
	w.viewInstead(list, s)
	if s.Selection == nil && !slices.Contains(w.bound, s.Target.Name) {
		w.bound = append(w.bound, s.Target.Name)
	}
}

// operation changes `+=` and its kin.
func (w *maker) operation(s *notation.Assign) {
	set := func(operator string, cause codes.Code, op string) {
		old := s.Op
		w.add(operator, cause, cause, s.Span, func() string { return s.Target.Name + " " + old }, func() string { return s.Target.Name + " " + op }, func() func() {
			s.Op = op
			return func() { s.Op = old }
		})
	}
	switch s.Op {
	case "=":
		if w.repairing() && w.loops > 0 {
			set("accumulate", codes.LoopLast, "+=")
		}
		return
	case "+=":
		set("operation", codes.OperatorOther, "-=")
		if w.loops == 0 {
			set("operation", codes.OperatorOther, "*=")
		}
	case "-=":
		set("operation", codes.OperatorOther, "+=")
	case "*=":
		set("operation", codes.OperatorOther, "/=")
	case "/=":
		set("operation", codes.OperatorOther, "*=")
	}
	if w.loops > 0 {
		set("accumulate", codes.LoopLast, "=")
	} else {
		set("accumulate", codes.StepMissing, "=")
	}
}

// bindsWhole binds the name where a part of it was to be assigned.
func (w *maker) bindsWhole(s *notation.Assign) {
	cause, selection := codes.StepMissing, s.Selection
	if len(selection.Selectors) == 1 && selection.Selectors[0].Kind == notation.SelectValue {
		if o := w.outline(selection.Selectors[0].Value); o.Is(array.Bool) {
			cause = codes.MaskUnapplied
		}
	}
	drop := func(value notation.Expr) {
		old := s.Value
		w.add("unselected", cause, codes.StepExtra, s.Span, func() string { return s.Target.Name + notation.PrintSelection(selection) }, func() string { return s.Target.Name }, func() func() {
			s.Selection, s.Value = nil, value
			return func() { s.Selection, s.Value = selection, old }
		})
	}
	drop(s.Value)
	// The same part on the right is the whole then, too.
	b, ok := notation.Strip(s.Value).(*notation.Binary)
	if !ok {
		return
	}
	same := func(e notation.Expr) (*notation.Name, bool) {
		x, ok := notation.Strip(e).(*notation.Select)
		if !ok || notation.PrintSelection(x.Selection) != notation.PrintSelection(selection) {
			return nil, false
		}
		of, ok := x.Of.(*notation.Name)
		return of, ok && of.Name == s.Target.Name
	}
	if of, ok := same(b.Left); ok {
		drop(binary(b.Span, b.Op, of, b.Right))
	} else if of, ok := same(b.Right); ok {
		drop(binary(b.Span, b.Op, b.Left, of))
	}
}

// dropped leaves one statement out.
func (w *maker) dropped(list *[]notation.Statement, s notation.Statement) {
	w.add("dropped", codes.StepMissing, codes.StepExtra, s.Pos(), func() string { return notation.PrintStatement(s) }, func() string { return "" }, func() func() {
		old := *list
		*list = slices.DeleteFunc(slices.Clone(old), func(x notation.Statement) bool { return x == s })
		return func() { *list = old }
	})
}

// swapStatement puts one statement in another's place, wherever in its block that
// stands by now; where another change has taken it out, there is nothing to put in.
func (w *maker) swapStatement(operator string, cause, undoes codes.Code, list *[]notation.Statement, old, with notation.Statement) {
	w.add(operator, cause, undoes, old.Pos(), func() string { return notation.PrintStatement(old) }, func() string { return notation.PrintStatement(with) }, func() func() {
		before := *list
		*list = slices.Clone(before)
		if i := slices.Index(*list, old); i >= 0 {
			(*list)[i] = with
		}
		return func() { *list = before }
	})
}

// viewInstead makes a view where a copy was made, of a name or a selection of one.
func (w *maker) viewInstead(list *[]notation.Statement, s *notation.Assign) {
	if s.Selection != nil || s.Op != "=" {
		return
	}
	cause := codes.ViewCopy
	var of *notation.Name
	var selection *notation.Selection
	switch e := notation.Strip(s.Value).(type) {
	case *notation.Name:
		of = e
		selection = &notation.Selection{Span: e.Span, Selectors: []*notation.Selector{selector(e.Span, notation.SelectRest)}}
	case *notation.Select:
		name, ok := notation.Strip(e.Of).(*notation.Name)
		if !ok || e.Selection.Paired || !viewable(e.Selection) {
			return
		}
		of, selection = name, e.Selection
	default:
		return
	}
	if of.Name == s.Target.Name || slices.Contains(notation.Predefined, of.Name) {
		return
	}
	if slices.Contains(w.m.Inputs, of.Name) {
		cause = codes.InputChanged
	}
	w.swapStatement("view", cause, codes.ViewCopy, list, s, &notation.View{Span: s.Span, Name: s.Target, Of: of, Selection: selection})
}

// viewable reports whether a selection is spelled so that a view may take it.
func viewable(s *notation.Selection) bool {
	for _, sel := range s.Selectors {
		if sel.Except {
			return false
		}
		if sel.Kind == notation.SelectValue {
			switch notation.Strip(sel.Value).(type) {
			case *notation.Number, *notation.Edge, *notation.Name, *notation.Binary:
			default:
				return false
			}
		}
	}
	return true
}

// selectorValues walks the expressions inside a selection.
func (w *maker) selectorValues(s *notation.Selection) {
	w.selecting++
	for _, sel := range s.Selectors {
		if sel.Value != nil {
			w.expression(&sel.Value)
		}
		if sel.Range != nil {
			for _, e := range []*notation.Expr{&sel.Range.From, &sel.Range.End, &sel.Range.By} {
				if *e != nil {
					w.expression(e)
				}
			}
		}
	}
	w.selecting--
}

// wholeValue wraps what a statement binds: a step too many in a reference, or the
// step that an attempt left out.
func (w *maker) wholeValue(slot *notation.Expr) {
	e := *slot
	at := e.Pos()
	o := w.outline(e)
	if o.KnowsKind() && o.Kind() == array.Bool {
		w.both("not", codes.MaskInverted, slot, not(at, e))
		return
	}
	wrap := func(cause, undoes codes.Code, name string) {
		w.replace("wrapped", cause, undoes, slot, call(at, name, e))
	}
	real := !o.KnowsKind() || o.Kind() == array.Real
	if real {
		wrap(codes.Rounding, codes.Rounding, "round")
		wrap(codes.Rounding, codes.Rounding, "floor")
		wrap(codes.Rounding, codes.Rounding, "int")
		w.both("power", codes.PowerMissing, slot, call(at, "sqrt", e))
	}
	w.both("power", codes.PowerMissing, slot, binary(at, "^", e, number(at, 2)))
	w.both("sign", codes.SignFlipped, slot, &notation.Unary{Span: at, Op: "-", Operand: e})
	rank := w.rank(e)
	if rank == 2 {
		w.both("turned", codes.TransposeMissing, slot, call(at, "transpose", e))
	}
	if rank > 1 {
		wrap(codes.AxisFlat, codes.AxisFlat, "flattened")
	}
	if rank == 1 {
		wrap(codes.StepExtra, codes.StepMissing, "sort")
		wrap(codes.SelectReversed, codes.SelectReversed, "reversed")
	}
	if rank >= 1 && len(w.m.Inputs) > 0 && !w.repairing() {
		// Divided once more by the number of items.
		w.replace("divided", codes.StepExtra, codes.StepMissing, slot, binary(at, "/", e, call(at, "size", &notation.Name{Span: at, Name: w.m.Inputs[0]})))
	}
	w.missingSteps(slot)
}

// missingSteps wraps what an attempt binds in the calls the reference makes.
func (w *maker) missingSteps(slot *notation.Expr) {
	if !w.repairing() {
		return
	}
	e := *slot
	at := e.Pos()
	for _, name := range sortedKeys(w.functions) {
		c := w.functions[name]
		if len(c.Args) == 0 || name == "round" || name == "floor" || name == "int" || name == "sqrt" || name == "transpose" || name == "sort" || name == "reversed" || name == "flattened" {
			continue
		}
		with := *c
		with.Span = at
		with.Args = append([]notation.Expr{e}, c.Args[1:]...)
		cause := codes.StepMissing
		switch name {
		case "abs", "conjugate", "real_part", "imaginary_part":
			if o := w.outline(e); !o.KnowsKind() || o.Kind() == array.Complex {
				cause = codes.ComplexPart
			}
		case "degrees", "radians":
			cause = codes.AngleUnit
		case "ceil", "truncated":
			cause = codes.Rounding
		}
		w.replace("wrapped", cause, cause, slot, &with)
	}
}

func sortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
