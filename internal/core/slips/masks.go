package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

var maskOperators = []*Operator{
	{
		Name: "strict", Codes: []codes.Code{codes.MaskBoundary},
		Where: "an order comparison", Change: "makes it strict, or not strict",
		Right: "r = x[x > 3]", Wrong: "r = x[x >= 3]",
		join: byChange, expression: []onExpression{on((*walker).strictness)},
	},
	{
		Name: "opposite", Codes: []codes.Code{codes.MaskInverted},
		Where: "a comparison", Change: "compares the other way round",
		Right: "r = x[x > 3]", Wrong: "r = x[x < 3]",
		join: byChange, expression: []onExpression{on((*walker).opposite)},
	},
	{
		Name: "joined", Codes: []codes.Code{codes.MaskJoined},
		Where: "`and`, `or`, `xor`", Change: "uses another of them",
		Right: "r = x > 3 and y > 2", Wrong: "r = x > 3 or y > 2",
		expression: []onExpression{on((*walker).joinedOtherwise)},
	},
	{
		Name: "not", Codes: []codes.Code{codes.MaskInverted},
		Where: "a mask", Change: "negates it, or takes a negation away",
		Right: "r = x > 3", Wrong: "r = not (x > 3)",
		expression: []onExpression{
			on((*walker).negatedName), onCallOf((*walker).negatedCall, "any", "all"), on((*walker).negationLeftOut),
			on((*walker).negatedSelector),
			onCallOf((*walker).branchesOfPick, "pick"), onCall((*walker).negatedOnly),
		},
		whole: (*walker).negatedWhole,
	},
	{
		Name: "zeroed", Codes: []codes.Code{codes.MaskUnapplied, codes.MissingValues, codes.StepMissing},
		Where: "a selection by a mask, and a branch of `pick`", Change: "puts zero where elements should be left out, or " +
			"for a branch",
		Right: "r = x[x > 3]", Wrong: "r = pick(x > 3, x, 0)",
		Adds: true, expression: []onExpression{on((*walker).zeroForSelection), onCallOf((*walker).zeroForBranch, "pick")},
	},
	{
		Name: "picked", Codes: []codes.Code{codes.MaskUnapplied, codes.StepMissing, codes.StepExtra},
		Where: "`pick` and `clipped`", Change: "keeps one branch, or one bound",
		Right: "r = pick(x > 3, x, y)", Wrong: "r = x",
		expression: []onExpression{onCallOf((*walker).oneBranch, "pick"), onCallOf((*walker).oneBound, "clipped")},
	},
	{
		Name: "unmasked", Codes: []codes.Code{codes.MaskUnapplied, codes.MissingValues, codes.StepExtra},
		Where: "a count of a mask", Change: "counts the values themselves, or all of them",
		Right: "r = count(x > 3)", Wrong: "r = count(x)",
		expression: []onExpression{onCallOf((*walker).valuesCounted, "count")},
	},
	{
		Name: "branches", Codes: []codes.Code{codes.MaskInverted},
		Where: "`if` with `else`", Change: "exchanges the branches",
		Right: "if n > 3 {\n  r = 1\n} else {\n  r = 2\n}", Wrong: "if n > 3 {\n  r = 2\n} else {\n  r = 1\n}",
		statement: onStatement((*walker).branchesExchanged),
	},
}

// comparison collects another operator in one place of a comparison.
func (w *walker) comparison(cause codes.Code, e *notation.Compare, i int, op string) {
	old := e.Ops[i]
	w.add(cause, cause, e.Span, func() string { return old }, func() string { return op }, func() func() {
		e.Ops[i] = op
		return func() { e.Ops[i] = old }
	})
}

var strict = map[string]string{"<": "<=", "<=": "<", ">": ">=", ">=": ">"}

func (w *walker) strictness(_ *notation.Expr, e *notation.Compare) {
	for i, op := range e.Ops {
		if other := strict[op]; other != "" {
			w.comparison(codes.MaskBoundary, e, i, other)
		}
	}
}

var opposites = map[string][]string{"<": {">", ">="}, "<=": {">=", ">"}, ">": {"<", "<="}, ">=": {"<=", "<"},
	"==": {"!="}, "!=": {"=="}}

func (w *walker) opposite(_ *notation.Expr, e *notation.Compare) {
	for i, op := range e.Ops {
		for _, other := range opposites[op] {
			w.comparison(codes.MaskInverted, e, i, other)
		}
	}
}

// leftComparison keeps a < b of a < b < c.
func (w *walker) leftComparison(slot *notation.Expr, e *notation.Compare) {
	if len(e.Ops) == 2 {
		w.replace(codes.MaskUnapplied, codes.StepExtra, slot,
			&notation.Compare{Span: e.Span, Operands: e.Operands[:2], Ops: slices.Clone(e.Ops[:1]), OpSpans: e.OpSpans[:1]})
	}
}

// rightComparison keeps b < c of a < b < c.
func (w *walker) rightComparison(slot *notation.Expr, e *notation.Compare) {
	if len(e.Ops) == 2 {
		w.replace(codes.MaskUnapplied, codes.StepExtra, slot,
			&notation.Compare{Span: e.Span, Operands: e.Operands[1:], Ops: slices.Clone(e.Ops[1:]), OpSpans: e.OpSpans[1:]})
	}
}

func (w *walker) joinedOtherwise(slot *notation.Expr, e *notation.Binary) {
	if !joins(e) {
		return
	}
	for _, op := range []string{"and", "or", "xor"} {
		if op == "xor" && !w.exclusive {
			continue // nobody means it here
		}
		if op != e.Op {
			w.both(codes.MaskJoined, slot, binary(e.Span, op, e.Left, e.Right))
		}
	}
}

func (w *walker) negatedName(slot *notation.Expr, n *notation.Name) {
	if w.isMask(n) && w.selecting == 0 {
		w.negated(slot, n)
	}
}

// negatedCall negates what a reduction or a test says.
func (w *walker) negatedCall(slot *notation.Expr, c *notation.Call) {
	if o := w.outline(c); o.Is(array.Bool) && w.selecting == 0 {
		w.negated(slot, c)
	}
}

// negated puts a `not` in.
func (w *walker) negated(slot *notation.Expr, e notation.Expr) {
	w.adding = true
	w.both(codes.MaskInverted, slot, not(e.Pos(), e))
	w.adding = false
}

func (w *walker) negationLeftOut(slot *notation.Expr, e *notation.Unary) {
	if e.Op == "not" {
		w.both(codes.MaskInverted, slot, e.Operand)
	}
}

// maskSelector is the mask of a selection by one mask.
func (w *walker) maskSelector(e *notation.Select) (*notation.Selector, bool) {
	if len(e.Selection.Selectors) != 1 || e.Selection.Selectors[0].Kind != notation.SelectValue {
		return nil, false
	}
	sel := e.Selection.Selectors[0]
	return sel, w.isMask(sel.Value)
}

func (w *walker) negatedSelector(slot *notation.Expr, e *notation.Select) {
	if sel, ok := w.maskSelector(e); ok {
		w.both(codes.MaskInverted, slot, selected(e.Span, e.Of, valueSelector(sel.Span, not(sel.Span, sel.Value))))
	}
}

func (w *walker) branchesOfPick(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) == 3 {
		w.both(codes.MaskInverted, slot, withArgs(c, c.Args[0], c.Args[2], c.Args[1]))
	}
}

func (w *walker) negatedOnly(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if mask := optionOf(c, "only"); mask != nil && takes(f, "only") {
		w.both(codes.MaskInverted, slot, withOption(c, "only", not(c.Span, mask)))
	}
}

func (w *walker) negatedWhole(slot *notation.Expr) {
	if e := *slot; w.isMask(e) {
		w.negated(slot, e)
	}
}

// zeroForSelection keeps every element and sets those to zero that should be left out.
func (w *walker) zeroForSelection(slot *notation.Expr, e *notation.Select) {
	if sel, ok := w.maskSelector(e); ok {
		w.both(w.maskCause(sel.Value), slot, call(e.Span, "pick", sel.Value, e.Of, number(e.Span, 0)))
	}
}

func (w *walker) zeroForBranch(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) != 3 {
		return
	}
	cause := codes.StepMissing
	if w.asksForNaN(c.Args[0]) {
		cause = codes.MissingValues
	}
	for i, branch := range c.Args[1:] {
		name, _ := notation.Strip(branch).(*notation.Name)
		if _, plain := notation.Strip(branch).(*notation.Number); plain {
			continue
		}
		args := slices.Clone(c.Args)
		args[i+1] = number(c.Span, 0)
		if name != nil && name.Name == "nan" {
			w.both(codes.MissingValues, slot, withArgs(c, args...))
			continue
		}
		w.both(cause, slot, withArgs(c, args...))
	}
}

func (w *walker) oneBranch(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) == 3 {
		w.replace(codes.MaskUnapplied, codes.StepExtra, slot, c.Args[1])
		w.replace(codes.MaskUnapplied, codes.StepExtra, slot, c.Args[2])
	}
}

func (w *walker) oneBound(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) == 3 {
		w.replace(codes.StepMissing, codes.StepExtra, slot, withArgs(withName(c, "greater"), c.Args[0], c.Args[1]))
		w.replace(codes.StepMissing, codes.StepExtra, slot, withArgs(withName(c, "lesser"), c.Args[0], c.Args[2]))
	}
}

func (w *walker) valuesCounted(slot *notation.Expr, c *notation.Call) {
	if _, values, ok := counted(c); ok {
		w.replace(codes.MaskUnapplied, codes.StepExtra, slot, withArgs(c, values))
	}
	if c.Clause == nil && len(c.Options) == 0 && len(c.Args) == 1 {
		w.both(w.maskCause(c.Args[0]), slot, withName(c, "size"))
	}
}

func (w *walker) branchesExchanged(_ *[]notation.Statement, s *notation.If) {
	if len(s.Else) == 0 {
		return
	}
	w.add(codes.MaskInverted, codes.MaskInverted, s.Header,
		func() string { return "if, else" }, func() string { return "the branches exchanged" },
		func() func() {
			then, other := s.Then, s.Else
			s.Then, s.Else = other, then
			return func() { s.Then, s.Else = then, other }
		})
}
