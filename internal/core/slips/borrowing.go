package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// borrowingOperators put into an attempt a part that the reference has, or that stands elsewhere in the attempt:
// a mask, a value made of inputs.
var borrowingOperators = []*Operator{
	{
		Name: "mask", Codes: []codes.Code{codes.MaskUnapplied, codes.MissingValues},
		Where:  "in an attempt, a reduction of all elements",
		Change: "reduces those alone that a mask of the exercise lets through",
		Right:  "r = sum(x, only: x > 3)", Wrong: "r = sum(x)",
		Mends: true, Adds: true, expression: []onExpression{onCall((*walker).maskBorrowed)},
	},
	{
		Name: "masked", Codes: []codes.Code{codes.MaskUnapplied, codes.MissingValues},
		Where:  "in an attempt, what a statement binds, or how many there are of something",
		Change: "keeps, or counts, those alone that a mask lets through",
		Right:  "r = (x - 3)[x > 3]", Wrong: "r = x - 3",
		Mends: true, Adds: true, whole: (*walker).wholeMasked,
		expression: []onExpression{onCallOf((*walker).countedForLength, "length", "size")},
	},
	{
		Name: "masked operand", Codes: []codes.Code{codes.MaskUnapplied, codes.MissingValues},
		Where:  "in an attempt, either side of a sum",
		Change: "takes it where a mask is true, or is not, alone",
		Right:  "r = x + y * real(x > 3)", Wrong: "r = x + y",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).maskedOperand)},
	},
	{
		Name: "part", Codes: []codes.Code{codes.InputOther, codes.ConstantOther},
		Where:  "in an attempt, an input, or a literal",
		Change: "takes a value that the reference makes of inputs, of the same shape",
		Right:  "r = x - sqrt(x)", Wrong: "r = x - y",
		Mends: true, Adds: true, expression: []onExpression{on((*walker).partBorrowed), on((*walker).partWritten)},
	},
	{
		Name: "mean of a sum", Codes: []codes.Code{codes.ConstantOther, codes.AxisOther},
		Where:  "in an attempt, a sum that is divided by a number or a length",
		Change: "divides it by how many there are",
		Right:  "r = mean(x)", Wrong: "r = sum(x) / 7",
		Mends: true, expression: []onExpression{on((*walker).meanOfSum)},
	},
}

// Bounds on what is borrowed: so many masks and parts, of so many nodes each.
const (
	mostMasks     = 6
	mostParts     = 8
	mostPartNodes = 12
)

// part is a value that the reference makes of inputs.
type part struct {
	e notation.Expr
	o shapes.Outline
}

// borrow gathers masks of reference and attempt, and the reference's values. They are copies without places, so that
// nothing that is known of the attempt's own expressions is taken for what is known of them.
func (w *walker) borrow() {
	known := map[notation.Expr]shapes.Outline{}
	shapes.Follow(w.m.Reference, w.m.Known, w.m.Counting, func(e notation.Expr, o shapes.Outline) { known[e] = o })
	for _, s := range w.m.Reference.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			w.borrowMask(n)
			if e, ok := n.(notation.Expr); ok && len(w.parts) < mostParts && isMade(e) {
				if o := known[e]; o.KnowsRank() && !o.Is(array.Bool) && w.ofGiven(e) {
					w.parts = append(w.parts, part{notation.Unplaced(e), o})
				}
			}
			return true
		})
	}
	for _, s := range w.program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			w.borrowMask(n)
			return true
		})
	}
}

// isMade reports whether an expression computes a value that another may stand for.
func isMade(e notation.Expr) bool {
	switch e.(type) {
	case *notation.Call, *notation.Binary:
		return callIn(e, "length", "size") == nil
	}
	return false
}

// borrowMask keeps what lets elements through where it stands: in `only:`, in a selection, in `pick`, in a product.
func (w *walker) borrowMask(n notation.Node) {
	switch n := n.(type) {
	case *notation.Option:
		if n.Name.Name == "only" {
			w.addMask(n.Value)
		}
	case *notation.Selector:
		if n.Value != nil && !n.Except {
			w.addMask(n.Value)
		}
	case *notation.Call:
		if n.Name.Name == "pick" && len(n.Args) > 0 {
			w.addMask(n.Args[0])
		}
	case *notation.Binary:
		if n.Op == "*" {
			w.addMask(n.Left)
			w.addMask(n.Right)
		}
	}
}

// addMask keeps a comparison, itself or opposite, if it is made of what is given.
func (w *walker) addMask(e notation.Expr) {
	e = notation.Strip(e)
	if c, ok := e.(*notation.Call); ok && (c.Name.Name == "int" || c.Name.Name == "real") && len(c.Args) == 1 {
		e = notation.Strip(c.Args[0])
	}
	switch inner := e.(type) {
	case *notation.Compare, *notation.Name:
	case *notation.Unary:
		if inner.Op != "not" {
			return
		}
	default:
		return
	}
	if name, ok := e.(*notation.Name); ok {
		if o := w.m.Known[name.Name]; !o.Is(array.Bool) {
			return
		}
	}
	if !w.ofGiven(e) {
		return
	}
	text := notation.PrintExpr(e)
	if len(w.masks) < mostMasks && !slices.ContainsFunc(w.masks, func(m notation.Expr) bool {
		return notation.PrintExpr(m) == text
	}) {
		w.masks = append(w.masks, notation.Unplaced(e))
	}
}

// ofGiven reports whether an expression is made of literals and inputs by functions of the notation, and short.
func (w *walker) ofGiven(e notation.Expr) bool {
	ok, nodes, inputs := true, 0, 0
	notation.Walk(e, func(n notation.Node) bool {
		nodes++
		switch n := n.(type) {
		case *notation.Call:
			ok = ok && w.own[n.Name.Name] == nil && functions.Lookup(n.Name.Name) != nil && len(n.Options) == 0
			for _, a := range n.Args {
				ok = ok && w.ofGiven(a)
				nodes++
			}
			inputs += len(n.Args)
			return false
		case *notation.Name:
			ok = ok && slices.Contains(w.m.Inputs, n.Name)
			inputs++
		case *notation.Number, *notation.Binary, *notation.Unary, *notation.Paren, *notation.Compare:
		default: // positions such as `last` mean something in their own selection alone
			ok = false
		}
		return ok && nodes <= mostPartNodes
	})
	return ok && inputs > 0 && nodes <= mostPartNodes
}

// hasAll reports whether a borrowed expression can stand here: functions see no inputs.
func (w *walker) hasAll(e notation.Expr) bool {
	ok := true
	notation.Walk(e, func(n notation.Node) bool {
		name, isName := n.(*notation.Name)
		if isName && functions.Lookup(name.Name) == nil {
			ok = ok && !w.inside && slices.Contains(w.m.Inputs, name.Name)
		}
		return ok
	})
	return ok
}

// maskBorrowed reduces what a mask lets through.
func (w *walker) maskBorrowed(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if !w.repairing() || f.Topic != functions.Reductions || !takes(f, "only") || optionOf(c, "only") != nil ||
		len(c.Args) == 0 || w.isMask(c.Args[0]) || callIn(c.Args[0], "int", "real") != nil {
		return // a mask that is counted has another beside it, or it is another
	}
	rank := w.rank(c.Args[0])
	for _, mask := range w.ownMasks(c.Span) {
		if name, ok := mask.(*notation.Name); ok && slices.Contains(w.bound, name.Name) && w.rankOf(name.Name) != rank {
			continue // masks of one's own are tried where they lie on what is reduced
		}
		w.both(w.maskCause(mask), slot, withOption(c, "only", mask))
	}
}

// maskedOperand lets a term count where a mask is true alone.
func (w *walker) maskedOperand(_ *notation.Expr, b *notation.Binary) {
	if !w.repairing() || w.inside || w.selecting > 0 || b.Op != "+" && b.Op != "-" {
		return
	}
	for _, side := range []*notation.Expr{&b.Left, &b.Right} {
		if w.isMask(*side) {
			continue
		}
		for _, mask := range w.ownMasks((*side).Pos()) {
			for _, e := range []notation.Expr{mask, not((*side).Pos(), grouped(mask))} {
				w.both(w.maskCause(mask), side, binary((*side).Pos(), "*", grouped(*side), call((*side).Pos(), "real", e)))
			}
		}
	}
}

// rankOf is the rank of what a name holds, -1 where it is not known.
func (w *walker) rankOf(name string) int {
	o := w.valueOf(name)
	if !o.KnowsRank() {
		return -1
	}
	return o.Rank()
}

// ownMasks are the masks at hand: borrowed ones, and those that the attempt has bound.
func (w *walker) ownMasks(at notation.Span) []notation.Expr {
	var out []notation.Expr
	for _, mask := range w.masks {
		if w.hasAll(mask) {
			out = append(out, mask)
		}
	}
	for _, name := range w.bound {
		if known := w.names[name]; known.Is(array.Bool) && known.KnowsRank() && known.Rank() > 0 {
			out = append(out, &notation.Name{Span: at, Name: name})
		}
	}
	return out
}

// wholeMasked keeps of what a statement binds what a mask lets through.
func (w *walker) wholeMasked(slot *notation.Expr) {
	e := *slot
	if !w.repairing() || w.inside || w.rank(e) < 1 || w.isMask(e) {
		return
	}
	if _, selects := notation.Strip(e).(*notation.Select); selects {
		return // which selects otherwise
	}
	for _, mask := range w.ownMasks(e.Pos()) {
		w.both(w.maskCause(mask), slot, selected(e.Pos(), grouped(e), valueSelector(e.Pos(), mask)))
	}
}

// countedForLength counts what a mask lets through where an attempt takes all.
func (w *walker) countedForLength(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() || w.inside || w.selecting > 0 || w.shaping > 0 {
		return
	}
	for _, mask := range w.ownMasks(c.Span) {
		w.both(w.maskCause(mask), slot, call(c.Span, "count", mask))
	}
}

// partBorrowed takes a value of the reference for an input.
func (w *walker) partBorrowed(slot *notation.Expr, n *notation.Name) {
	if !w.repairing() || w.selecting > 0 || w.asking > 0 || w.shaping > 0 || !slices.Contains(w.m.Inputs, n.Name) {
		return // where a value of one's own is wrong, it is so where it is bound
	}
	o := w.outline(n)
	if !o.KnowsRank() || o.Is(array.Bool) {
		return
	}
	for _, p := range w.parts {
		if p.o.Rank() == o.Rank() && !names(p.e, n.Name) && w.hasAll(p.e) { // else a step is missing
			w.both(codes.InputOther, slot, grouped(p.e))
		}
	}
}

// partWritten takes a value of the reference for a number.
func (w *walker) partWritten(slot *notation.Expr, n *notation.Number) {
	if !w.repairing() || w.selecting > 0 || w.shaping > 0 || n.Kind == array.Complex || len(w.binaries)+w.comparing == 0 {
		return
	}
	for _, p := range w.parts {
		if _, sum := p.e.(*notation.Binary); sum && p.o.IsScalar() && w.hasAll(p.e) {
			w.both(codes.ConstantOther, slot, grouped(p.e))
		}
	}
}

// meanOfSum divides a sum by the number of what was added up.
func (w *walker) meanOfSum(slot *notation.Expr, b *notation.Binary) {
	c, ok := notation.Strip(b.Left).(*notation.Call)
	if !ok || b.Op != "/" || !w.repairing() || c.Name.Name != "sum" || len(c.Args) != 1 || w.builtIn(c) == nil {
		return
	}
	switch right := notation.Strip(b.Right).(type) {
	case *notation.Number:
		w.both(codes.ConstantOther, slot, withName(c, "mean"))
	case *notation.Call:
		if right.Name.Name == "length" && right.Clause != nil && c.Clause != nil && len(c.Clause.Axes) == 1 {
			w.both(codes.AxisOther, slot, withName(c, "mean"))
		}
	}
}
