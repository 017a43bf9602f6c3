package slips

import (
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

var matrixOperators = []*Operator{
	{
		Name: "product", Codes: []codes.Code{codes.ProductElementwise, codes.ProductMatrix},
		Where: "`*`, `dot` and an outer product", Change: "multiplies element by element for the matrix product, or the " +
			"matrices for the elements",
		Right: "r = a dot b", Wrong: "r = a * b",
		OtherAxes: true, expression: []onExpression{on((*walker).otherProduct), onCallOf((*walker).productForOuter, "outer")},
	},
	{
		Name: "matrix", Codes: []codes.Code{codes.MatrixElementwise, codes.ProductMatrix},
		Where: "a power, reciprocal or quotient", Change: "takes that of the elements for that of the matrix, or that of " +
			"the matrix for that of the elements",
		Right: "r = inverse(a)", Wrong: "r = 1.0 / a",
		expression: []onExpression{
			on((*walker).matrixForms), onCallOf((*walker).reciprocalForInverse, "inverse"),
			onCallOf((*walker).powerForMatPower, "mat_power"),
			onCallOf((*walker).quotientForSolve, "solve"),
		},
	},
	{
		Name: "transpose", Codes: []codes.Code{codes.TransposeMissing},
		Where: "a transpose, an operand of `dot`, a system", Change: "leaves a transpose out, or puts one in",
		Right: "r = a dot b", Wrong: "r = a dot transpose(b)",
		OtherAxes: true, join: byChange,
		expression: []onExpression{onCall((*walker).transposeLeftOut), on((*walker).transposedOperand),
			onCallOf((*walker).transposedSystem, "solve")},
	},
	{
		Name: "turned", Codes: []codes.Code{codes.TransposeMissing, codes.FillOrder},
		Where: "a matrix", Change: "puts a transpose around it",
		Right: "r = a + 1", Wrong: "r = transpose(a + 1)",
		Adds: true, OnTop: true, expression: []onExpression{on((*walker).turnedName), onCallOf((*walker).turnedReshape,
			"reshape")}, whole: (*walker).turnedWhole,
	},
	{
		Name: "reshape", Codes: []codes.Code{codes.ReshapeTranspose},
		Where: "a transpose or a reshape of a matrix", Change: "reshapes for a transpose, or transposes for a reshape",
		Right: "r = transpose(a)", Wrong: "r = reshape(a, reversed(shape(a)))",
		OtherAxes: true, expression: []onExpression{onCallOf((*walker).reshapeForTranspose, "transpose"),
			onCallOf((*walker).transposeForReshape, "reshape")},
	},
	{
		Name: "shape", Codes: []codes.Code{codes.AxisOrder},
		Where: "a reshape to two axes", Change: "exchanges the two lengths",
		Right: "r = reshape(x, [2, 3])", Wrong: "r = reshape(x, [3, 2])",
		expression: []onExpression{onCallOf((*walker).lengthsExchanged, "reshape")},
	},
	{
		Name: "new", Codes: []codes.Code{codes.BroadcastAxis},
		Where: "an operand that is broadcast", Change: "puts its new axis of length 1 elsewhere",
		Right: "r = max(a over 0) * a", Wrong: "r = max(a over 0)[all, new] * a",
		Adds: true, OtherAxes: true, expression: []onExpression{on((*walker).broadcastOtherwise)},
	},
}

// otherProduct takes one product for the other.
func (w *walker) otherProduct(slot *notation.Expr, e *notation.Binary) {
	switch {
	case e.Op == "dot":
		w.replace(codes.ProductElementwise, codes.ProductMatrix, slot, binary(e.Span, "*", e.Left, e.Right))
	case e.Op == "*" && (w.rank(e.Left) > 0 && w.rank(e.Right) > 0 || w.repairing()):
		w.replace(codes.ProductMatrix, codes.ProductElementwise, slot, binary(e.Span, "dot", e.Left, e.Right))
	}
}

func (w *walker) productForOuter(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) == 2 {
		w.replace(codes.ProductElementwise, codes.ProductMatrix, slot, binary(c.Span, "*", grouped(c.Args[0]),
			grouped(c.Args[1])))
	}
}

// matrixForms takes the power, inverse or quotient of matrices for that of the elements.
func (w *walker) matrixForms(slot *notation.Expr, e *notation.Binary) {
	put := func(with notation.Expr) { w.replace(codes.ProductMatrix, codes.MatrixElementwise, slot, with) }
	left, right := w.rank(e.Left), w.rank(e.Right)
	switch {
	case e.Op == "^" && left == 2 && right <= 0:
		put(call(e.Span, "mat_power", e.Left, e.Right))
		if u, ok := notation.Strip(e.Right).(*notation.Unary); ok && u.Op == "-" {
			put(call(e.Span, "inverse", e.Left))
		}
	case e.Op == "/" && right == 2 && left <= 0:
		put(call(e.Span, "inverse", e.Right))
	case e.Op == "/" && right == 2:
		put(call(e.Span, "solve", e.Right, e.Left))
	}
}

func (w *walker) reciprocalForInverse(slot *notation.Expr, c *notation.Call) {
	w.replace(codes.MatrixElementwise, codes.ProductMatrix, slot, binary(c.Span, "/", realNumber(c.Span, 1), c.Args[0]))
}

func (w *walker) powerForMatPower(slot *notation.Expr, c *notation.Call) {
	w.replace(codes.MatrixElementwise, codes.ProductMatrix, slot, binary(c.Span, "^", c.Args[0], c.Args[1]))
}

func (w *walker) quotientForSolve(slot *notation.Expr, c *notation.Call) {
	w.replace(codes.MatrixElementwise, codes.ProductMatrix, slot, binary(c.Span, "/", c.Args[1], c.Args[0]))
}

func (w *walker) transposeLeftOut(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if slices.Contains(transposes, f.Name) && len(c.Args) > 0 {
		w.both(codes.TransposeMissing, slot, c.Args[0])
	}
}

// transposedOperand transposes an operand of a matrix product, or takes its transpose
// away.
func (w *walker) transposedOperand(slot *notation.Expr, e *notation.Binary) {
	if e.Op != "dot" {
		return
	}
	for i, side := range []notation.Expr{e.Left, e.Right} {
		if r := w.rank(side); r >= 0 && r < 2 {
			continue
		}
		turned := notation.Expr(call(side.Pos(), "transpose", side))
		if c, ok := notation.Strip(side).(*notation.Call); ok && slices.Contains(transposes, c.Name.Name) &&
			len(c.Options) == 0 && len(c.Args) == 1 {
			turned = c.Args[0]
		}
		w.both(codes.TransposeMissing, slot, withOperand(e, i, turned))
	}
}

func (w *walker) transposedSystem(slot *notation.Expr, c *notation.Call) {
	w.both(codes.TransposeMissing, slot, withArgs(c, call(c.Span, "transpose", c.Args[0]), c.Args[1]))
}

func (w *walker) turnedName(slot *notation.Expr, n *notation.Name) {
	if w.rank(n) == 2 && w.repairing() {
		w.both(codes.TransposeMissing, slot, call(n.Span, "transpose", n))
	}
}

func (w *walker) turnedWhole(slot *notation.Expr) {
	if e := *slot; w.rank(e) == 2 && !w.isMask(e) {
		w.both(codes.TransposeMissing, slot, call(e.Pos(), "transpose", e))
	}
}

// turnedReshape fills the transposed shape, and turns it.
func (w *walker) turnedReshape(slot *notation.Expr, c *notation.Call) {
	if l, ok := twoLengths(c); ok {
		w.both(codes.FillOrder, slot, call(c.Span, "transpose", withArgs(c, c.Args[0], l)))
	}
}

// reshapeForTranspose reads the elements in order into the transposed shape.
func (w *walker) reshapeForTranspose(slot *notation.Expr, c *notation.Call) {
	if w.rank(c.Args[0]) != 2 || len(c.Options) > 0 {
		return
	}
	lengths := call(c.Span, "reversed", call(c.Span, "shape", c.Args[0]))
	w.both(codes.ReshapeTranspose, slot, call(c.Span, "reshape", c.Args[0], lengths))
}

func (w *walker) transposeForReshape(slot *notation.Expr, c *notation.Call) {
	if w.rank(c.Args[0]) == 2 {
		w.both(codes.ReshapeTranspose, slot, call(c.Span, "transpose", c.Args[0]))
	}
	if theirs := w.functions["transpose"]; theirs != nil && len(theirs.Options) > 0 {
		w.both(codes.ReshapeTranspose, slot, withArgs(withName(theirs, "transpose"), c.Args[0]))
	}
}

func (w *walker) lengthsExchanged(slot *notation.Expr, c *notation.Call) {
	if l, ok := twoLengths(c); ok {
		w.both(codes.AxisOrder, slot, withArgs(c, c.Args[0], l))
	}
}

// twoLengths are the lengths of a reshape to two axes, exchanged.
func twoLengths(c *notation.Call) (*notation.List, bool) {
	if len(c.Args) != 2 {
		return nil, false
	}
	l, ok := notation.Strip(c.Args[1]).(*notation.List)
	if !ok || len(l.Items) != 2 {
		return nil, false
	}
	return &notation.List{Span: l.Span, Items: []notation.Expr{l.Items[1], l.Items[0]}}, true
}

// broadcastOtherwise gives an operand its new axis of length 1 at another place.
func (w *walker) broadcastOtherwise(slot *notation.Expr, e *notation.Binary) {
	if joins(e) || e.Op == "dot" {
		return
	}
	ranks := [2]int{w.rank(e.Left), w.rank(e.Right)}
	for i, side := range []notation.Expr{e.Left, e.Right} {
		mine, others := ranks[i], ranks[1-i]
		if mine < 1 || mine > 3 || others < mine || !w.repairing() && (others == mine || mine > 1) {
			continue
		}
		if _, isSelect := notation.Strip(side).(*notation.Select); isSelect && mine == 1 && !w.repairing() {
			continue
		}
		for at := 0; at <= mine; at++ {
			if at == 0 && others > mine {
				continue // as broadcasting has it already
			}
			w.both(codes.BroadcastAxis, slot, withOperand(e, i, selected(side.Pos(), side, withNew(side.Pos(), mine, at)...)))
		}
	}
}

// withNew are the selectors that keep every axis and put a new one at a place.
func withNew(span notation.Span, rank, at int) []*notation.Selector {
	var out []*notation.Selector
	for k := 0; k <= rank; k++ {
		if k == at {
			out = append(out, selector(span, notation.SelectNew))
		}
		if k < rank {
			out = append(out, selector(span, notation.SelectAll))
		}
	}
	return out
}

// withOperand is an operation with another left (0) or right (1) operand.
func withOperand(e *notation.Binary, side int, operand notation.Expr) *notation.Binary {
	if side == 0 {
		return binary(e.Span, e.Op, operand, e.Right)
	}
	return binary(e.Span, e.Op, e.Left, operand)
}
