package slips

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

var arithmeticOperators = []*Operator{
	{
		Name: "operator", Codes: []codes.Code{codes.OperatorOther},
		Where: "an arithmetic operator, and a test for equality", Change: "uses another operator",
		Right: "r = x + y", Wrong: "r = x - y",
		join: byChange,
		expression: []onExpression{on((*walker).otherOperator), on((*walker).powerForProduct),
			on((*walker).orderForEquality)},
	},
	{
		Name: "swapped", Codes: []codes.Code{codes.OperandOrder},
		Where: "`-`, `/`, `div`, `mod`, `^` and `dot`", Change: "exchanges the operands",
		Right: "r = x - y", Wrong: "r = y - x",
		OtherAxes: true, expression: []onExpression{on((*walker).swapped)},
	},
	{
		Name: "left only", Codes: []codes.Code{codes.StepMissing, codes.StepExtra, codes.PowerMissing, codes.MaskUnapplied,
			codes.UnitFirst, codes.SpreadDivisor},
		Where: "an operator, or a comparison of three values", Change: "keeps what stands on the left",
		Right: "r = x ^ 2 + 1", Wrong: "r = x + 1",
		expression: []onExpression{on((*walker).leftOperand), on((*walker).leftComparison)},
	},
	{
		Name: "right only", Codes: []codes.Code{codes.StepMissing, codes.StepExtra, codes.MaskUnapplied, codes.UnitFirst},
		Where: "an operator, or a comparison of three values", Change: "keeps what stands on the right",
		Right: "r = x > 1 and y < 2", Wrong: "r = y < 2",
		expression: []onExpression{on((*walker).rightOperand), on((*walker).rightComparison)},
	},
	{
		Name: "divisor", Codes: []codes.Code{codes.SpreadDivisor},
		Where: "a division by a number of elements", Change: "divides by n - 1 for n, or by n for n - 1",
		Right: "r = sum(x) / size(x)", Wrong: "r = sum(x) / (size(x) - 1)",
		expression: []onExpression{on((*walker).divisors)},
	},
	{
		Name: "numerator", Codes: []codes.Code{codes.StepMissing, codes.StepExtra},
		Where: "a division", Change: "divides 1 instead",
		Right: "r = x / y", Wrong: "r = 1 / y",
		expression: []onExpression{on((*walker).oneForNumerator)},
	},
	{
		Name: "grouping", Codes: []codes.Code{codes.Grouping},
		Where: "operators beside each other", Change: "takes parentheses away, or puts them elsewhere",
		Right: "r = (x + y) / 2", Wrong: "r = x + y / 2",
		expression: []onExpression{on((*walker).groupings), on((*walker).groupedMinus)},
	},
	{
		Name: "spread", Codes: []codes.Code{codes.FunctionOther},
		Where: "a difference of two percentiles", Change: "takes another measure of spread",
		Right: "r = percentile(x, 75) - percentile(x, 25)", Wrong: "r = std(x)",
		expression: []onExpression{on((*walker).otherSpread)},
	},
	{
		Name: "unweighted", Codes: []codes.Code{codes.StepMissing},
		Where: "a product with weights", Change: "counts each element once",
		Right: "r = a dot [1, 2, 1]", Wrong: "r = sum(a over last)",
		expression: []onExpression{on((*walker).unweightedProduct), on((*walker).unweightedMean)},
	},
	{
		Name: "sums", Codes: []codes.Code{codes.ProductElementwise, codes.Grouping},
		Where: "a product with a vector, and a sum of products", Change: "multiplies the sums",
		Right: "r = x dot y", Wrong: "r = sum(x) * sum(y)",
		expression: []onExpression{on((*walker).sumsOfVectors), onCallOf((*walker).sumsOfFactors, "sum")},
	},
}

var otherOperators = map[string][]string{
	"+": {"-", "*", "/"}, "-": {"+", "/", "*"}, "*": {"/", "+", "-"}, "/": {"*", "div", "-", "+"}, "div": {"/", "mod"},
	"mod": {"div", "/"},
	"^":   {"*"},
}

func (w *walker) otherOperator(slot *notation.Expr, e *notation.Binary) {
	for _, op := range otherOperators[e.Op] {
		right, isRight := notation.Strip(e.Right).(*notation.Number)
		left, isLeft := notation.Strip(e.Left).(*notation.Number)
		if isRight && neutralFor(op, right, true) || isLeft && neutralFor(op, left, false) {
			continue // an operand left out
		}
		if otherOperators[e.Op][0] == op { // which undoes it: one mistake of a statement, whatever stands beside it
			w.key = fmt.Sprint(e.Op, " → ", op, " at ", w.statement.Pos().Start)
		}
		w.both(codes.OperatorOther, slot, binary(e.Span, op, e.Left, e.Right))
		w.key = ""
	}
}

// orderForEquality takes an order comparison for a test of equality.
func (w *walker) orderForEquality(_ *notation.Expr, e *notation.Compare) {
	for i, op := range e.Ops {
		if op == "==" || op == "!=" {
			for _, order := range []string{"<=", ">=", "<", ">"} {
				w.comparison(codes.OperatorOther, e, i, order)
			}
		} else if w.repairing() {
			w.comparison(codes.OperatorOther, e, i, "==")
			w.comparison(codes.OperatorOther, e, i, "!=")
		}
	}
}

// powerForProduct raises to a number what an attempt multiplies by it.
func (w *walker) powerForProduct(slot *notation.Expr, e *notation.Binary) {
	if !w.repairing() || e.Op != "*" || w.isMask(e.Left) || w.isMask(e.Right) {
		return
	}
	for _, side := range [][2]notation.Expr{{e.Left, e.Right}, {e.Right, e.Left}} {
		n, plain := notation.Strip(side[1]).(*notation.Number)
		if plain && valueOf(n) != 1 {
			w.key = fmt.Sprint("* → ^ at ", w.statement.Pos().Start)
		}
		if w.raises || w.key != "" {
			w.both(codes.OperatorOther, slot, binary(e.Span, "^", side[0], side[1]))
		}
		w.key = ""
	}
}

func (w *walker) swapped(slot *notation.Expr, e *notation.Binary) {
	switch e.Op {
	case "-", "/", "div", "mod", "^", "dot":
		w.both(codes.OperandOrder, slot, binary(e.Span, e.Op, e.Right, e.Left))
	}
}

func joins(e *notation.Binary) bool { return e.Op == "and" || e.Op == "or" || e.Op == "xor" }

// operandCauses say what it stands for to keep one operand alone.
func (w *walker) operandCauses(e *notation.Binary) (missing, extra codes.Code) {
	if joins(e) {
		return codes.MaskUnapplied, codes.StepExtra
	}
	missing, extra = codes.StepMissing, codes.StepExtra
	if _, plain := notation.Strip(e.Right).(*notation.Number); e.Op == "^" && plain {
		return codes.PowerMissing, codes.PowerMissing
	}
	// A position that is converted to the other base.
	toOther := e.Op == "+" && w.m.Counting == 0 || e.Op == "-" && w.m.Counting == 1
	left := notation.Strip(e.Left)
	if x, ok := left.(*notation.Select); ok {
		left = notation.Strip(x.Of)
	}
	if c, ok := left.(*notation.Call); ok && givesPositions[c.Name.Name] && isOne(e.Right) && toOther {
		extra = codes.UnitFirst
	}
	return missing, extra
}

func (w *walker) leftOperand(slot *notation.Expr, e *notation.Binary) {
	missing, extra := w.operandCauses(e)
	if e.Op == "-" && isOne(e.Right) && w.selecting == 0 && w.counts(e.Left) &&
		slices.ContainsFunc(w.binaries, func(b *notation.Binary) bool { return b.Op == "/" }) {
		extra = codes.SpreadDivisor
	}
	if w.selecting > 0 && w.listing > 0 && isOne(e.Right) && (e.Op == "+" || e.Op == "-") {
		extra = codes.UnitFirst // one of the positions that are selected
	}
	w.replace(missing, extra, slot, e.Left)
	// Of a + b - c + d, what it begins with.
	for first := e.Left; !w.repairing(); {
		b, ok := first.(*notation.Binary)
		if !ok || levels[b.Op] != levels[e.Op] || b.Op == "^" {
			break
		}
		first = b.Left
		w.replace(codes.StepMissing, codes.StepExtra, slot, first)
	}
}

func (w *walker) rightOperand(slot *notation.Expr, e *notation.Binary) {
	if e.Op == "^" {
		return
	}
	missing, extra := w.operandCauses(e)
	w.replace(missing, extra, slot, e.Right)
}

// divisors divides by n for n - 1, and by n - 1 for n.
func (w *walker) divisors(slot *notation.Expr, e *notation.Binary) {
	if e.Op != "/" {
		return
	}
	if b, ok := notation.Strip(e.Right).(*notation.Binary); ok && b.Op == "-" && isOne(b.Right) && w.counts(b.Left) {
		w.both(codes.SpreadDivisor, slot, binary(e.Span, "/", e.Left, b.Left))
	}
	if w.counts(e.Right) {
		fewer := &notation.Paren{Span: e.Span, Inner: plusOffset(e.Span, e.Right, -1)}
		w.both(codes.SpreadDivisor, slot, binary(e.Span, "/", e.Left, fewer))
	}
}

func (w *walker) oneForNumerator(slot *notation.Expr, e *notation.Binary) {
	if _, plain := notation.Strip(e.Left).(*notation.Number); e.Op == "/" && !plain && !w.repairing() {
		w.replace(codes.StepMissing, codes.StepExtra, slot, binary(e.Span, "/", number(e.Span, 1), e.Right))
	}
}

// levels are how tightly operators bind.
var levels = map[string]int{"or": 1, "xor": 1, "and": 2, "+": 3, "-": 3, "*": 4, "/": 4, "div": 4, "mod": 4, "dot": 4,
	"^": 6}

// groupings takes parentheses away, or puts them where an attempt left them out.
func (w *walker) groupings(slot *notation.Expr, e *notation.Binary) {
	at, mine := e.Span, levels[e.Op]
	put := func(with notation.Expr) { w.both(codes.Grouping, slot, with) }
	inParens := func(e notation.Expr) (*notation.Binary, bool) {
		p, ok := e.(*notation.Paren)
		if !ok {
			return nil, false
		}
		b, ok := p.Inner.(*notation.Binary)
		return b, ok && levels[b.Op] > 0
	}
	parens := func(e notation.Expr) notation.Expr { return &notation.Paren{Span: at, Inner: e} }
	plain := func(e notation.Expr) (*notation.Binary, bool) {
		b, ok := e.(*notation.Binary)
		return b, ok && levels[b.Op] > 0
	}

	// (a + b) * c reads a + b * c without its parentheses.
	if b, ok := inParens(e.Left); ok && levels[b.Op] < mine {
		put(binary(at, b.Op, b.Left, binary(at, e.Op, b.Right, e.Right)))
	}
	// (a + b) * c for a * c + b, and a * c + b for (a + b) * c.
	if b, ok := inParens(e.Left); ok && levels[b.Op] < mine && (e.Op == "*" || e.Op == "/") && b.Op == "+" {
		put(binary(at, b.Op, binary(at, e.Op, b.Left, e.Right), b.Right))
	}
	if b, ok := plain(e.Left); ok && mine == levels["+"] && (b.Op == "*" || b.Op == "/") {
		put(binary(at, b.Op, parens(binary(at, e.Op, b.Left, e.Right)), b.Right))
	}
	// (a + b) * (c + d) reads a + b * c + d without its parentheses, and the other way round.
	if l, ok := inParens(e.Left); ok && levels[l.Op] < mine {
		if r, ok := inParens(e.Right); ok && levels[r.Op] < mine && e.Op != "^" {
			put(binary(at, r.Op, binary(at, l.Op, l.Left, binary(at, e.Op, l.Right, r.Left)), r.Right))
		}
	}
	if l, ok := plain(e.Left); ok && mine == levels["+"] && levels[l.Op] == mine {
		if m, ok := plain(l.Right); ok && levels[m.Op] == levels["*"] {
			put(binary(at, m.Op, parens(binary(at, l.Op, l.Left, m.Left)), parens(binary(at, e.Op, m.Right, e.Right))))
		}
	}
	// a * (b + c) / d could be a * (b + c / d), and the other way round.
	if l, ok := plain(e.Left); ok && mine == levels["*"] && l.Op == "*" {
		if r, ok := inParens(l.Right); ok && levels[r.Op] == levels["+"] {
			put(binary(at, l.Op, l.Left, parens(binary(at, r.Op, r.Left, binary(at, e.Op, r.Right, e.Right)))))
		}
	}
	if r, ok := inParens(e.Right); ok && e.Op == "*" && levels[r.Op] == levels["+"] {
		if last, ok := plain(r.Right); ok && (last.Op == "*" || last.Op == "/") {
			put(binary(at, last.Op, binary(at, e.Op, e.Left, parens(binary(at, r.Op, r.Left, last.Left))), last.Right))
		}
	}
	// a / (b + c) reads a / b + c, and a - (b - c) reads a - b - c.
	if b, ok := inParens(e.Right); ok && levels[b.Op] <= mine && e.Op != "^" {
		put(binary(at, b.Op, binary(at, e.Op, e.Left, b.Left), b.Right))
	}
	// a + b * c could be (a + b) * c.
	if b, ok := plain(e.Right); ok && levels[b.Op] > mine && mine > 0 && b.Op != "^" {
		put(binary(at, b.Op, parens(binary(at, e.Op, e.Left, b.Left)), b.Right))
	}
	// a + b * c / d could be (a + b) * c / d.
	if outer, ok := plain(e.Right); ok && mine == levels["+"] && levels[outer.Op] == levels["*"] {
		if b, ok := plain(outer.Left); ok && levels[b.Op] == levels["*"] {
			put(binary(at, outer.Op, binary(at, b.Op, parens(binary(at, e.Op, e.Left, b.Left)), b.Right), outer.Right))
		}
	}
	// a / b + c could be a / (b + c), a - b - c could be a - (b - c), a / b * c a / (b * c).
	if b, ok := plain(e.Left); ok && (levels[b.Op] > mine && b.Op != "^" || levels[b.Op] == mine &&
		(b.Op == "-" || b.Op == "/")) {
		put(binary(at, b.Op, b.Left, parens(binary(at, e.Op, b.Right, e.Right))))
	}
	// a ^ (b / c) reads a ^ b / c without its parentheses.
	if b, ok := inParens(e.Right); ok && e.Op == "^" && b.Op != "^" {
		put(binary(at, b.Op, binary(at, "^", e.Left, b.Left), b.Right))
	}
	// (a / b) ^ c for a ^ c / b, and a ^ c / b for (a / b) ^ c.
	if b, ok := inParens(e.Left); ok && e.Op == "^" && b.Op != "^" && levels[b.Op] > 2 {
		put(binary(at, b.Op, binary(at, "^", b.Left, e.Right), b.Right))
	}
	if b, ok := plain(e.Left); ok && b.Op == "^" && mine > 2 && e.Op != "^" && e.Op != "dot" {
		put(binary(at, "^", parens(binary(at, e.Op, b.Left, e.Right)), b.Right))
	}
	// a ^ b / c could be a ^ (b / c).
	if b, ok := plain(e.Left); ok && b.Op == "^" && mine > 0 && e.Op != "^" {
		put(binary(at, "^", b.Left, parens(binary(at, e.Op, b.Right, e.Right))))
	}
	// a * b ^ c could be (a * b) ^ c.
	if b, ok := plain(e.Right); ok && b.Op == "^" && mine > 0 {
		put(binary(at, "^", parens(binary(at, e.Op, e.Left, b.Left)), b.Right))
	}
}

// groupedMinus squares after the sign: -a ^ b could be (-a) ^ b.
func (w *walker) groupedMinus(slot *notation.Expr, e *notation.Unary) {
	if p, ok := notation.Strip(e.Operand).(*notation.Binary); ok && e.Op == "-" && p.Op == "^" {
		minus := &notation.Paren{Span: e.Span, Inner: &notation.Unary{Span: e.Span, Op: "-", Operand: p.Left}}
		w.both(codes.Grouping, slot, binary(e.Span, "^", minus, p.Right))
	}
}

// otherSpread takes the standard deviation or the extent for the distance of two percentiles.
func (w *walker) otherSpread(slot *notation.Expr, e *notation.Binary) {
	a, okA := notation.Strip(e.Left).(*notation.Call)
	b, okB := notation.Strip(e.Right).(*notation.Call)
	if e.Op != "-" || !okA || !okB || a.Name.Name != "percentile" || b.Name.Name != "percentile" || len(a.Args) != 2 {
		return
	}
	for _, name := range []string{"std", "sample_std", "extent"} {
		w.both(codes.FunctionOther, slot, withArgs(withName(a, name), a.Args[0]))
	}
}

// unweightedProduct sums or averages where a product with weights is meant.
func (w *walker) unweightedProduct(slot *notation.Expr, e *notation.Binary) {
	if e.Op != "dot" || w.rank(e.Right) != 1 || w.repairing() {
		return
	}
	sum := overLast(e.Span, e.Left)
	w.both(codes.StepMissing, slot, sum)
	w.both(codes.StepMissing, slot, withName(sum, "mean"))
}

// overLast sums a value over its last axis.
func overLast(at notation.Span, e notation.Expr) *notation.Call {
	sum := call(at, "sum", e)
	sum.Clause = &notation.Clause{Span: at, Axes: []*notation.Axis{{Span: at, Edge: &notation.Edge{Span: at, Last: true}}}}
	return sum
}

// sumsOfVectors multiplies sums where the products are to be summed.
func (w *walker) sumsOfVectors(slot *notation.Expr, e *notation.Binary) {
	if e.Op != "dot" || w.rank(e.Right) != 1 || w.repairing() {
		return
	}
	left := call(e.Span, "sum", e.Left)
	if w.rank(e.Left) > 1 {
		left = overLast(e.Span, e.Left)
	}
	w.both(codes.ProductElementwise, slot, binary(e.Span, "*", left, call(e.Span, "sum", e.Right)))
}

// sumsOfFactors multiplies the sums of two factors.
func (w *walker) sumsOfFactors(slot *notation.Expr, c *notation.Call) {
	if w.repairing() || len(c.Args) != 1 || len(c.Options) > 0 {
		return
	}
	if p, ok := notation.Strip(c.Args[0]).(*notation.Binary); ok && p.Op == "*" && w.rank(p.Left) == w.rank(p.Right) {
		w.both(codes.Grouping, slot, binary(c.Span, "*", withArgs(c, p.Left), withArgs(c, p.Right)))
	}
}

// unweightedMean leaves the weights out of a weighted mean.
func (w *walker) unweightedMean(slot *notation.Expr, e *notation.Binary) {
	a, _, ok := sums(e)
	if !ok {
		return
	}
	if p, ok := notation.Strip(a.Args[0]).(*notation.Binary); ok && p.Op == "*" {
		for _, side := range []notation.Expr{p.Left, p.Right} {
			w.both(codes.StepMissing, slot, withArgs(withName(a, "mean"), side))
		}
	}
}
