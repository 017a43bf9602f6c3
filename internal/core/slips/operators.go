package slips

import (
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var otherOperators = map[string][]string{
	"+": {"-", "*"}, "-": {"+", "/"}, "*": {"/", "+"}, "/": {"*", "div", "-"}, "div": {"/", "mod"}, "mod": {"div", "/"}, "^": {"*"},
}

func (w *maker) binarySlips(slot *notation.Expr, e *notation.Binary) {
	at := e.Span
	switch e.Op {
	case "and", "or", "xor":
		w.joined(slot, e)
	case "dot":
		w.replace("product", codes.ProductElementwise, codes.ProductMatrix, slot, binary(at, "*", e.Left, e.Right))
		w.both("swapped", codes.OperandOrder, slot, binary(at, "dot", e.Right, e.Left))
		if w.rank(e.Right) == 1 && !w.repairing() {
			// The weights left out: each counts once.
			sum := call(at, "sum", e.Left)
			sum.Clause = &notation.Clause{Span: at, Axes: []*notation.Axis{{Span: at, Edge: &notation.Edge{Span: at, Last: true}}}}
			w.both("unweighted", codes.StepMissing, slot, sum)
			w.both("unweighted", codes.StepMissing, slot, withName(sum, "mean"))
		}
		w.turned(slot, e)
	default:
		for _, op := range otherOperators[e.Op] {
			if n, ok := notation.Strip(e.Right).(*notation.Number); ok && neutralFor(op, n, true) {
				continue
			}
			w.both("operator", codes.OperatorOther, slot, binary(at, op, e.Left, e.Right))
		}
		if e.Op == "*" && (w.rank(e.Left) > 0 && w.rank(e.Right) > 0 || w.repairing()) {
			w.replace("product", codes.ProductMatrix, codes.ProductElementwise, slot, binary(at, "dot", e.Left, e.Right))
		}
		if e.Op == "-" || e.Op == "/" || e.Op == "div" || e.Op == "mod" || e.Op == "^" {
			w.both("swapped", codes.OperandOrder, slot, binary(at, e.Op, e.Right, e.Left))
		}
		w.matrixForms(slot, e)
		w.stretchedOtherwise(slot, e)
	}
	if e.Op != "and" && e.Op != "or" && e.Op != "xor" {
		missing, extra := codes.StepMissing, codes.StepExtra
		if _, plain := notation.Strip(e.Right).(*notation.Number); e.Op == "^" && plain {
			missing, extra = codes.PowerMissing, codes.PowerMissing
		}
		if c, ok := notation.Strip(e.Left).(*notation.Call); ok && givesPositions[c.Name.Name] && w.isOne(e.Right) && (e.Op == "+") == (w.m.Counting == 0) && (e.Op == "+" || e.Op == "-") {
			extra = codes.UnitFirst
		}
		w.replace("left only", missing, extra, slot, e.Left)
		if e.Op != "^" {
			w.replace("right only", missing, extra, slot, e.Right)
		}
	}
	if e.Op == "/" {
		w.divisors(slot, e)
		if _, plain := notation.Strip(e.Left).(*notation.Number); !plain && !w.repairing() {
			w.replace("numerator", codes.StepMissing, codes.StepExtra, slot, binary(at, "/", number(at, 1), e.Right))
		}
	}
	w.groupings(slot, e)
	w.nestedMeans(slot, e)
	w.binaries = append(w.binaries, e)
	w.expression(&e.Left)
	w.expression(&e.Right)
	w.binaries = w.binaries[:len(w.binaries)-1]
}

// isOne reports whether an expression is the number 1.
func (w *maker) isOne(e notation.Expr) bool {
	n, ok := notation.Strip(e).(*notation.Number)
	return ok && (n.Int == 1 || n.Real == 1)
}

// divisors divides by n for n - 1, and the reverse.
func (w *maker) divisors(slot *notation.Expr, e *notation.Binary) {
	if b, ok := notation.Strip(e.Right).(*notation.Binary); ok && b.Op == "-" && w.isOne(b.Right) && w.counts(b.Left) {
		w.both("divisor", codes.SpreadDivisor, slot, binary(e.Span, "/", e.Left, b.Left))
	}
	if w.counts(e.Right) {
		fewer := &notation.Paren{Span: e.Span, Inner: plusOffset(e.Span, e.Right, -1)}
		w.both("divisor", codes.SpreadDivisor, slot, binary(e.Span, "/", e.Left, fewer))
	}
}

// counts reports whether an expression is how many elements there are, itself or by a
// name.
func (w *maker) counts(e notation.Expr) bool {
	switch x := notation.Strip(e).(type) {
	case *notation.Call:
		return x.Name.Name == "size" || x.Name.Name == "length" || x.Name.Name == "count"
	case *notation.Name:
		if c, ok := w.definition(x.Name).(*notation.Call); ok {
			return c.Name.Name == "size" || c.Name.Name == "length" || c.Name.Name == "count"
		}
	}
	return false
}

func (w *maker) joined(slot *notation.Expr, e *notation.Binary) {
	for _, op := range []string{"and", "or", "xor"} {
		if op != e.Op {
			w.both("joined", codes.MaskJoined, slot, binary(e.Span, op, e.Left, e.Right))
		}
	}
	w.replace("left only", codes.MaskUnapplied, codes.StepExtra, slot, e.Left)
	w.replace("right only", codes.MaskUnapplied, codes.StepExtra, slot, e.Right)
}

// turned transposes an operand of a matrix product.
func (w *maker) turned(slot *notation.Expr, e *notation.Binary) {
	for i, side := range []notation.Expr{e.Left, e.Right} {
		if r := w.rank(side); r >= 0 && r < 2 {
			continue
		}
		with := binary(e.Span, "dot", e.Left, e.Right)
		turned := notation.Expr(call(side.Pos(), "transpose", side))
		if c, ok := notation.Strip(side).(*notation.Call); ok && (c.Name.Name == "transpose" || c.Name.Name == "conjugate_transpose") && len(c.Options) == 0 && len(c.Args) == 1 {
			turned = c.Args[0]
		}
		if i == 0 {
			with.Left = turned
		} else {
			with.Right = turned
		}
		w.both("transpose", codes.TransposeMissing, slot, with)
	}
}

// matrixForms: powers and quotients of elements where matrix ones are meant.
func (w *maker) matrixForms(slot *notation.Expr, e *notation.Binary) {
	at := e.Span
	left, right := w.rank(e.Left), w.rank(e.Right)
	switch {
	case e.Op == "^" && left == 2 && right <= 0:
		w.replace("matrix", codes.ProductMatrix, codes.MatrixElementwise, slot, call(at, "mat_power", e.Left, e.Right))
		if u, ok := notation.Strip(e.Right).(*notation.Unary); ok && u.Op == "-" {
			w.replace("matrix", codes.ProductMatrix, codes.MatrixElementwise, slot, call(at, "inverse", e.Left))
		}
	case e.Op == "/" && right == 2 && left <= 0:
		w.replace("matrix", codes.ProductMatrix, codes.MatrixElementwise, slot, call(at, "inverse", e.Right))
	case e.Op == "/" && right == 2:
		w.replace("matrix", codes.ProductMatrix, codes.MatrixElementwise, slot, call(at, "solve", e.Right, e.Left))
	}
}

// stretchedOtherwise gives an operand its new axis of length 1 on another side.
func (w *maker) stretchedOtherwise(slot *notation.Expr, e *notation.Binary) {
	left, right := w.rank(e.Left), w.rank(e.Right)
	for i, side := range []notation.Expr{e.Left, e.Right} {
		mine, others := left, right
		if i == 1 {
			mine, others = right, left
		}
		if mine < 1 || mine > 3 || others < mine || !w.repairing() && (others == mine || mine > 1) {
			continue
		}
		if _, isSelect := notation.Strip(side).(*notation.Select); isSelect && mine == 1 {
			continue
		}
		var forms [][]*notation.Selector
		for at := 0; at <= mine; at++ {
			if at == 0 && others > mine {
				continue // as broadcasting has it already
			}
			var form []*notation.Selector
			for k := 0; k <= mine; k++ {
				if k == at {
					form = append(form, selector(side.Pos(), notation.SelectNew))
				}
				if k < mine {
					form = append(form, selector(side.Pos(), notation.SelectAll))
				}
			}
			forms = append(forms, form)
		}
		for _, selectors := range forms {
			with := binary(e.Span, e.Op, e.Left, e.Right)
			turned := selected(side.Pos(), side, selectors...)
			if i == 0 {
				with.Left = turned
			} else {
				with.Right = turned
			}
			w.both("new", codes.BroadcastAxis, slot, with)
		}
	}
}

var levels = map[string]int{"+": 1, "-": 1, "*": 2, "/": 2, "div": 2, "mod": 2, "dot": 2, "^": 4}

// groupings takes parentheses away, or puts them where an attempt left them out.
func (w *maker) groupings(slot *notation.Expr, e *notation.Binary) {
	at := e.Span
	// (a + b) * c reads a + b * c without its parentheses.
	if p, ok := e.Left.(*notation.Paren); ok {
		if b, ok := p.Inner.(*notation.Binary); ok && levels[b.Op] > 0 && levels[b.Op] < levels[e.Op] {
			w.both("grouping", "grouping", slot, binary(at, b.Op, b.Left, binary(at, e.Op, b.Right, e.Right)))
		}
	}
	// a / (b + c) reads a / b + c, and a - (b - c) reads a - b - c.
	if p, ok := e.Right.(*notation.Paren); ok {
		if b, ok := p.Inner.(*notation.Binary); ok && levels[b.Op] > 0 && levels[b.Op] <= levels[e.Op] && e.Op != "^" {
			w.both("grouping", "grouping", slot, binary(at, b.Op, binary(at, e.Op, e.Left, b.Left), b.Right))
		}
	}
	// a + b * c could be (a + b) * c.
	if b, ok := e.Right.(*notation.Binary); ok && levels[b.Op] > levels[e.Op] && levels[e.Op] > 0 && b.Op != "^" {
		w.both("grouping", "grouping", slot, binary(at, b.Op, &notation.Paren{Span: at, Inner: binary(at, e.Op, e.Left, b.Left)}, b.Right))
	}
	if b, ok := e.Left.(*notation.Binary); ok && levels[b.Op] > 0 {
		switch {
		case levels[b.Op] > levels[e.Op] && b.Op != "^":
			// a / b + c could be a / (b + c).
			w.both("grouping", "grouping", slot, binary(at, b.Op, b.Left, &notation.Paren{Span: at, Inner: binary(at, e.Op, b.Right, e.Right)}))
		case levels[b.Op] == levels[e.Op] && (b.Op == "-" || b.Op == "/"):
			// a - b - c could be a - (b - c), and a / b * c a / (b * c).
			w.both("grouping", "grouping", slot, binary(at, b.Op, b.Left, &notation.Paren{Span: at, Inner: binary(at, e.Op, b.Right, e.Right)}))
		}
	}
	// a ^ (b / c) reads a ^ b / c without its parentheses.
	if p, ok := e.Right.(*notation.Paren); ok && e.Op == "^" {
		if b, ok := p.Inner.(*notation.Binary); ok && levels[b.Op] > 0 && b.Op != "^" {
			w.both("grouping", "grouping", slot, binary(at, b.Op, binary(at, "^", e.Left, b.Left), b.Right))
		}
	}
	// a ^ b / c could be a ^ (b / c).
	if b, ok := e.Left.(*notation.Binary); ok && b.Op == "^" && levels[e.Op] > 0 && e.Op != "^" {
		w.both("grouping", "grouping", slot, binary(at, "^", b.Left, &notation.Paren{Span: at, Inner: binary(at, e.Op, b.Right, e.Right)}))
	}
	// a * b ^ c could be (a * b) ^ c.
	if b, ok := e.Right.(*notation.Binary); ok && b.Op == "^" && levels[e.Op] > 0 {
		w.both("grouping", "grouping", slot, binary(at, "^", &notation.Paren{Span: at, Inner: binary(at, e.Op, e.Left, b.Left)}, b.Right))
	}
}

// nestedMeans: a quotient of sums against the mean of quotients.
func (w *maker) nestedMeans(slot *notation.Expr, e *notation.Binary) {
	if e.Op != "/" {
		return
	}
	a, okA := notation.Strip(e.Left).(*notation.Call)
	b, okB := notation.Strip(e.Right).(*notation.Call)
	if okA && okB && a.Name.Name == "sum" && b.Name.Name == "sum" && len(a.Args) == 1 && len(b.Args) == 1 {
		if p, ok := notation.Strip(a.Args[0]).(*notation.Binary); ok && p.Op == "*" {
			// Weighted: the weights left out count each once.
			for _, side := range []notation.Expr{p.Left, p.Right} {
				w.both("unweighted", codes.StepMissing, slot, withArgs(withName(a, "mean"), side))
			}
		}
		ratio := binary(e.Span, "/", grouped(a.Args[0]), grouped(b.Args[0]))
		with := withArgs(withName(a, "mean"), ratio)
		w.both("nested", codes.MeanNested, slot, with)
	}
}

// grouped puts parentheses around all but single names, numbers and calls.
func grouped(e notation.Expr) notation.Expr {
	switch e.(type) {
	case *notation.Name, *notation.Number, *notation.Call, *notation.Paren, *notation.Select:
		return e
	}
	return &notation.Paren{Span: e.Pos(), Inner: e}
}
