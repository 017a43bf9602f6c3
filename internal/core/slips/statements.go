package slips

import (
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var statementOperators = []*Operator{
	{
		Name: "operation", Codes: []codes.Code{codes.OperatorOther},
		Where: "`+=`, `-=`, `*=` and `/=`", Change: "uses another of them",
		Right: "r = x\nr += 1", Wrong: "r = x\nr -= 1",
		statement: onStatement((*walker).otherOperation),
	},
	{
		Name: "accumulate", Codes: []codes.Code{codes.LoopLast, codes.StepMissing},
		Where:  "`+=` and the like, and in an attempt's loop `=`",
		Change: "overwrites where it should accumulate, or accumulates",
		Right:  "r = 0.0\neach k in x {\n  r += k\n}", Wrong: "r = 0.0\neach k in x {\n  r = k\n}",
		statement: onStatement((*walker).accumulation),
	},
	{
		Name: "dropped", Codes: []codes.Code{codes.StepMissing, codes.StepExtra},
		Where: "an assignment to a part, or to a name that is bound", Change: "leaves the statement out",
		Right: "r = x\nr[0] = 1", Wrong: "r = x",
		statement: onStatement((*walker).dropped),
	},
	{
		Name: "condition", Codes: []codes.Code{codes.StepMissing, codes.StepExtra},
		Where: "`if`", Change: "does what stands under it whatever the condition says",
		Right: "r = 0.0\neach k in x {\n  if k > r {\n    r = k\n  }\n}", Wrong: "r = 0.0\neach k in x {\n  r = k\n}",
		statement: onStatement((*walker).unconditional),
	},
	{
		Name: "view", Codes: []codes.Code{codes.ViewCopy, codes.InputChanged},
		Where: "a copy of a name, or of a part of one", Change: "makes a view of it",
		Right: "c = x\nc[0] = 1", Wrong: "view c = x[rest]\nc[0] = 1",
		statement: onStatement((*walker).viewForCopy),
	},
	{
		Name: "copy", Codes: []codes.Code{codes.ViewCopy},
		Where: "a view", Change: "makes a copy",
		Right: "view c = x[from 1]\nc[0] = 1", Wrong: "c = x[from 1]\nc[0] = 1",
		statement: onStatement((*walker).copyForView),
	},
}

// operation collects another of `=`, `+=` and the like.
func (w *walker) operation(cause codes.Code, s *notation.Assign, op string) {
	old := s.Op
	w.add(cause, cause, s.Span, func() string { return s.Target.Name + " " + old },
		func() string { return s.Target.Name + " " + op },
		func() func() {
			s.Op = op
			return func() { s.Op = old }
		})
}

var otherOperations = map[string]string{"+=": "-=", "-=": "+=", "*=": "/=", "/=": "*="}

func (w *walker) otherOperation(_ *[]notation.Statement, s *notation.Assign) {
	if other := otherOperations[s.Op]; other != "" {
		w.operation(codes.OperatorOther, s, other)
	}
	if s.Op == "+=" && w.loops == 0 {
		w.operation(codes.OperatorOther, s, "*=")
	}
}

func (w *walker) accumulation(_ *[]notation.Statement, s *notation.Assign) {
	switch {
	case s.Op == "=":
		switch {
		case !w.repairing() || w.loops == 0:
		case names(s.Value, s.Target.Name): // and so it does not keep the last alone
			w.operation(codes.StepMissing, s, "+=")
		default:
			w.operation(codes.LoopLast, s, "+=")
			w.operation(codes.LoopLast, s, "*=")
		}
	case w.loops > 0:
		w.operation(codes.LoopLast, s, "=")
	default:
		w.operation(codes.StepMissing, s, "=")
	}
}

// dropped leaves one statement out.
func (w *walker) dropped(list *[]notation.Statement, s *notation.Assign) {
	hasValue := slices.Contains(w.bound, s.Target.Name) || slices.Contains(w.m.Inputs, s.Target.Name)
	if s.IsWhole() && !hasValue {
		return
	}
	w.add(codes.StepMissing, codes.StepExtra, s.Pos(), func() string { return notation.PrintStatement(s) },
		func() string { return "" }, func() func() {
			old := *list
			*list = slices.DeleteFunc(slices.Clone(old), func(x notation.Statement) bool { return x == notation.Statement(s) })
			return func() { *list = old }
		})
}

// unconditional puts what stands under a condition in its place, one branch or the other.
func (w *walker) unconditional(list *[]notation.Statement, s *notation.If) {
	for _, branch := range [][]notation.Statement{s.Then, s.Else} {
		if len(branch) == 0 {
			continue
		}
		w.add(codes.StepMissing, codes.StepExtra, s.Header, func() string { return "if " + notation.PrintExpr(s.Condition) },
			func() string { return "" }, func() func() {
				old := *list
				if i := slices.Index(old, notation.Statement(s)); i >= 0 {
					*list = slices.Concat(old[:i], branch, old[i+1:])
				}
				return func() { *list = old }
			})
	}
}

// swapStatement puts one statement in another's place, wherever in its block that is by
// now; where another change has taken it out, there is nothing to put in.
func (w *walker) swapStatement(cause, undoes codes.Code, list *[]notation.Statement, old, with notation.Statement) {
	w.add(cause, undoes, old.Pos(), func() string { return notation.PrintStatement(old) },
		func() string { return notation.PrintStatement(with) }, func() func() {
			before := *list
			*list = slices.Clone(before)
			if i := slices.Index(*list, old); i >= 0 {
				(*list)[i] = with
			}
			return func() { *list = before }
		})
}

func (w *walker) copyForView(list *[]notation.Statement, s *notation.View) {
	value := &notation.Select{Span: s.Span, Of: s.Of, Selection: s.Selection}
	w.swapStatement(codes.ViewCopy, codes.ViewCopy, list, s, &notation.Assign{Span: s.Span, Target: s.Name, Op: "=",
		Value: value})
}

// viewForCopy makes a view where a copy was made, of a name or a selection of one.
func (w *walker) viewForCopy(list *[]notation.Statement, s *notation.Assign) {
	if s.Selection != nil || s.Op != "=" {
		return
	}
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
	cause := codes.ViewCopy
	if slices.Contains(w.m.Inputs, of.Name) {
		if w.repairing() {
			return // it would write into an input, which mends nothing
		}
		cause = codes.InputChanged
	}
	w.swapStatement(cause, codes.ViewCopy, list, s, &notation.View{Span: s.Span, Name: s.Target, Of: of,
		Selection: selection})
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
