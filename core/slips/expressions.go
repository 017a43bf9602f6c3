package slips

import (
	"slices"

	"nimbusreach/core/array"
	"nimbusreach/core/notation"
	"nimbusreach/core/shapes"
)

// expression notes the changes of one expression, and of those inside it.
func (w *maker) expression(slot *notation.Expr) {
	switch e := (*slot).(type) {
	case *notation.Number:
		w.numberSlips(slot, e)
	case *notation.Name:
		w.nameSlips(slot, e)
	case *notation.Truth:
		w.both("constant", "constant.other", slot, truth(e.Span, !e.Value))
	case *notation.Paren:
		w.expression(&e.Inner)
	case *notation.List:
		for i := range e.Items {
			w.expression(&e.Items[i])
		}
		if len(e.Items) == 2 && w.selecting == 0 {
			w.both("exchanged", "operand.order", slot, &notation.List{Span: e.Span, Items: []notation.Expr{e.Items[1], e.Items[0]}})
		}
	case *notation.Unary:
		w.unarySlips(slot, e)
	case *notation.Binary:
		w.binarySlips(slot, e)
	case *notation.Compare:
		w.compareSlips(slot, e)
	case *notation.RangeExpr:
		w.rangeSlips(slot, e)
	case *notation.Select:
		w.selectSlips(slot, e)
	case *notation.Call:
		w.callSlips(slot, e)
	}
}

// numberSlips nudges a literal; in a repair the reference's literals serve too.
func (w *maker) numberSlips(slot *notation.Expr, n *notation.Number) {
	if w.selecting > 0 {
		w.writtenIn(slot, n) // positions are moved by their selector
		return
	}
	put := func(with notation.Expr) {
		if !w.neutral(n, with) {
			w.both("constant", "constant.other", slot, with)
		}
	}
	if n.Kind == array.Complex {
		put(&notation.Number{Span: n.Span, Kind: array.Complex, Real: n.Real + 1, Text: notation.ImaginaryText(n.Real + 1)})
		return
	}
	seen := map[float64]bool{n.Real: true}
	value := n.Real
	if n.Kind == array.Int {
		value = float64(n.Int)
	}
	seen[value] = true
	try := func(v float64, whole bool) {
		if seen[v] || v < 0 {
			return
		}
		seen[v] = true
		if whole {
			put(number(n.Span, int64(v)))
		} else {
			put(realNumber(n.Span, v))
		}
	}
	whole := n.Kind == array.Int && n.Int < 1<<40
	for _, other := range w.numbers {
		if other.Kind != array.Complex {
			v := other.Real
			if other.Kind == array.Int {
				v = float64(other.Int)
			}
			try(v, other.Kind == array.Int)
		}
	}
	for _, v := range []float64{value + 1, value - 1, value * 10, value * 2} {
		try(v, whole)
	}
	if !whole {
		for _, v := range []float64{value / 10, value / 2, value / 100, value * 100} {
			try(v, false)
		}
	} else if n.Int%2 == 0 {
		try(value/2, true)
	}
	w.writtenIn(slot, n)
}

// writtenIn puts an input in, or a length of one, where an attempt has a number.
func (w *maker) writtenIn(slot *notation.Expr, n *notation.Number) {
	if !w.repairing() || n.Kind == array.Complex {
		return
	}
	value := n.Real
	if n.Kind == array.Int {
		value = float64(n.Int)
	}
	for _, name := range w.m.Inputs {
		if o := w.m.Known[name]; o.IsScalar() && !o.Is(array.Bool) {
			code := "constant.other"
			if v, ok := w.m.Scalars[name]; ok && o.Is(array.Int) && v == value {
				code = "length.fixed"
			}
			if code == "length.fixed" || w.selecting == 0 {
				w.both("constant", code, slot, &notation.Name{Span: n.Span, Name: name})
			}
		}
	}
	if n.Kind == array.Int && n.Int > 0 && n.Int < 1<<40 {
		w.lengthsFor(slot, n)
	}
}

// neutral reports whether a number in a literal's place would make its operator do
// nothing, which is a step left out and no other number.
func (w *maker) neutral(n *notation.Number, with notation.Expr) bool {
	other, ok := with.(*notation.Number)
	if !ok || len(w.binaries) == 0 {
		return false
	}
	b := w.binaries[len(w.binaries)-1]
	right := notation.Strip(b.Right) == notation.Expr(n)
	left := notation.Strip(b.Left) == notation.Expr(n)
	return (left || right) && neutralFor(b.Op, other, right)
}

// neutralFor reports whether an operator with a number on one side gives the other.
func neutralFor(op string, n *notation.Number, right bool) bool {
	zero, one := n.Int == 0 && n.Real == 0, n.Int == 1 || n.Real == 1
	switch op {
	case "+":
		return zero
	case "-":
		return zero && right
	case "*":
		return one
	case "/", "^", "div":
		return one && right
	}
	return false
}

// lengthsFor puts the length of an input's axis where an attempt has written it in.
func (w *maker) lengthsFor(slot *notation.Expr, n *notation.Number) {
	for _, name := range w.m.Inputs {
		o := w.m.Known[name]
		for axis := range o.Rank() {
			if o.Len(axis) == int(n.Int) {
				c := call(n.Span, "length", &notation.Name{Span: n.Span, Name: name})
				if o.Rank() > 1 {
					c = w.withAxes(c, true, []*notation.Axis{w.axisOf(n.Span, labelOf(&o, axis), axis)})
				}
				w.both("length", "length.fixed", slot, c)
			}
		}
		if o.Rank() == 3 {
			w.productOf(slot, n, name, &o)
		}
		if size, ok := o.Size(); ok && o.Rank() > 1 && size == int(n.Int) {
			w.both("length", "length.fixed", slot, call(n.Span, "size", &notation.Name{Span: n.Span, Name: name}))
		}
	}
}

// productOf puts the product of two lengths of an input in.
func (w *maker) productOf(slot *notation.Expr, n *notation.Number, name string, o *shapes.Outline) {
	length := func(axis int) notation.Expr {
		return w.withAxes(call(n.Span, "length", &notation.Name{Span: n.Span, Name: name}), true, []*notation.Axis{w.axisOf(n.Span, labelOf(o, axis), axis)})
	}
	for i := range o.Rank() {
		for k := i + 1; k < o.Rank(); k++ {
			if o.Len(i)*o.Len(k) == int(n.Int) {
				w.both("length", "length.fixed", slot, &notation.Paren{Span: n.Span, Inner: binary(n.Span, "*", length(i), length(k))})
			}
		}
	}
}

// nameSlips uses another input, or an earlier value, of a fitting shape.
func (w *maker) nameSlips(slot *notation.Expr, n *notation.Name) {
	o := w.outline(n)
	inputs := w.m.Inputs
	if w.inside {
		inputs = nil // a function sees its parameters alone
	}
	for _, other := range slices.Concat(inputs, w.bound) {
		if other == n.Name || slices.Contains(notation.Predefined, other) {
			continue
		}
		known, ok := w.m.Known[other]
		if slices.Contains(w.bound, other) {
			known, ok = w.names[other]
		}
		if !ok && !w.inside || (known.KnowsRank() && o.KnowsRank() && known.Rank() != o.Rank()) {
			continue
		}
		if known.KnowsKind() && o.KnowsKind() && (known.Kind() == array.Bool) != (o.Kind() == array.Bool) {
			continue
		}
		w.both("name", "input.other", slot, &notation.Name{Span: n.Span, Name: other})
	}
	if o.Is(array.Bool) && w.selecting == 0 {
		w.both("not", "mask.inverted", slot, not(n.Span, n))
	}
	if o.KnowsRank() && o.Rank() == 2 && w.repairing() {
		w.both("turned", "transpose.missing", slot, call(n.Span, "transpose", n))
	}
	if o.IsScalar() && o.Is(array.Int) && slices.Contains(w.m.Inputs, n.Name) {
		for _, other := range w.m.Inputs {
			if known := w.m.Known[other]; known.KnowsRank() && known.Rank() == 1 {
				w.both("name", "input.other", slot, call(n.Span, "size", &notation.Name{Span: n.Span, Name: other}))
			}
		}
	}
}

func (w *maker) unarySlips(slot *notation.Expr, e *notation.Unary) {
	switch e.Op {
	case "-":
		w.both("sign", "sign.flipped", slot, e.Operand)
	case "not":
		w.both("not", "mask.inverted", slot, e.Operand)
	}
	if p, ok := notation.Strip(e.Operand).(*notation.Binary); ok && e.Op == "-" && p.Op == "^" {
		w.both("grouping", "grouping", slot, binary(e.Span, "^", &notation.Paren{Span: e.Span, Inner: &notation.Unary{Span: e.Span, Op: "-", Operand: p.Left}}, p.Right))
	}
	w.expression(&e.Operand)
}

var otherOperators = map[string][]string{
	"+": {"-", "*"}, "-": {"+", "/"}, "*": {"/", "+"}, "/": {"*", "div", "-"}, "div": {"/", "mod"}, "mod": {"div", "/"}, "^": {"*"},
}

func (w *maker) binarySlips(slot *notation.Expr, e *notation.Binary) {
	at := e.Span
	switch e.Op {
	case "and", "or", "xor":
		w.joined(slot, e)
	case "dot":
		w.replace("product", "product.elementwise", "product.matrix", slot, binary(at, "*", e.Left, e.Right))
		w.both("swapped", "operand.order", slot, binary(at, "dot", e.Right, e.Left))
		if w.rank(e.Right) == 1 && !w.repairing() {
			// The weights left out: each counts once.
			sum := call(at, "sum", e.Left)
			sum.Clause = &notation.Clause{Span: at, Axes: []*notation.Axis{{Span: at, Edge: &notation.Edge{Span: at, Last: true}}}}
			w.both("unweighted", "step.missing", slot, sum)
			w.both("unweighted", "step.missing", slot, withName(sum, "mean"))
		}
		w.turned(slot, e)
	default:
		for _, op := range otherOperators[e.Op] {
			if n, ok := notation.Strip(e.Right).(*notation.Number); ok && neutralFor(op, n, true) {
				continue
			}
			w.both("operator", "operator.other", slot, binary(at, op, e.Left, e.Right))
		}
		if e.Op == "*" && (w.rank(e.Left) > 0 && w.rank(e.Right) > 0 || w.repairing()) {
			w.replace("product", "product.matrix", "product.elementwise", slot, binary(at, "dot", e.Left, e.Right))
		}
		if e.Op == "-" || e.Op == "/" || e.Op == "div" || e.Op == "mod" || e.Op == "^" {
			w.both("swapped", "operand.order", slot, binary(at, e.Op, e.Right, e.Left))
		}
		w.matrixForms(slot, e)
		w.stretchedOtherwise(slot, e)
	}
	if e.Op != "and" && e.Op != "or" && e.Op != "xor" {
		missing, extra := "step.missing", "step.extra"
		if _, plain := notation.Strip(e.Right).(*notation.Number); e.Op == "^" && plain {
			missing, extra = "power.missing", "power.missing"
		}
		if c, ok := notation.Strip(e.Left).(*notation.Call); ok && givesPositions[c.Name.Name] && w.isOne(e.Right) && (e.Op == "+") == (w.m.Counting == 0) && (e.Op == "+" || e.Op == "-") {
			extra = "unit.first"
		}
		w.replace("left only", missing, extra, slot, e.Left)
		if e.Op != "^" {
			w.replace("right only", missing, extra, slot, e.Right)
		}
	}
	if e.Op == "/" {
		w.divisors(slot, e)
		if _, plain := notation.Strip(e.Left).(*notation.Number); !plain && !w.repairing() {
			w.replace("numerator", "step.missing", "step.extra", slot, binary(at, "/", number(at, 1), e.Right))
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
		w.both("divisor", "spread.divisor", slot, binary(e.Span, "/", e.Left, b.Left))
	}
	if w.counts(e.Right) {
		fewer := &notation.Paren{Span: e.Span, Inner: plusOffset(e.Span, e.Right, -1)}
		w.both("divisor", "spread.divisor", slot, binary(e.Span, "/", e.Left, fewer))
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
			w.both("joined", "mask.joined", slot, binary(e.Span, op, e.Left, e.Right))
		}
	}
	w.replace("left only", "mask.unapplied", "step.extra", slot, e.Left)
	w.replace("right only", "mask.unapplied", "step.extra", slot, e.Right)
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
		w.both("transpose", "transpose.missing", slot, with)
	}
}

// matrixForms: powers and quotients of elements where matrix ones are meant.
func (w *maker) matrixForms(slot *notation.Expr, e *notation.Binary) {
	at := e.Span
	left, right := w.rank(e.Left), w.rank(e.Right)
	switch {
	case e.Op == "^" && left == 2 && right <= 0:
		w.replace("matrix", "product.matrix", "matrix.elementwise", slot, call(at, "mat_power", e.Left, e.Right))
		if u, ok := notation.Strip(e.Right).(*notation.Unary); ok && u.Op == "-" {
			w.replace("matrix", "product.matrix", "matrix.elementwise", slot, call(at, "inverse", e.Left))
		}
	case e.Op == "/" && right == 2 && left <= 0:
		w.replace("matrix", "product.matrix", "matrix.elementwise", slot, call(at, "inverse", e.Right))
	case e.Op == "/" && right == 2:
		w.replace("matrix", "product.matrix", "matrix.elementwise", slot, call(at, "solve", e.Right, e.Left))
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
			w.both("new", "broadcast.axis", slot, with)
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
				w.both("unweighted", "step.missing", slot, withArgs(withName(a, "mean"), side))
			}
		}
		ratio := binary(e.Span, "/", grouped(a.Args[0]), grouped(b.Args[0]))
		with := withArgs(withName(a, "mean"), ratio)
		w.both("nested", "mean.nested", slot, with)
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

var strictness = map[string]string{"<": "<=", "<=": "<", ">": ">=", ">=": ">"}
var opposites = map[string][]string{"<": {">", ">="}, "<=": {">=", ">"}, ">": {"<", "<="}, ">=": {"<=", "<"}, "==": {"!="}, "!=": {"=="}}

func (w *maker) compareSlips(slot *notation.Expr, e *notation.Compare) {
	set := func(i int, operator, cause, op string) {
		old := e.Ops[i]
		w.add(operator, cause, cause, e.Span, func() string { return old }, func() string { return op }, func() func() {
			e.Ops[i] = op
			return func() { e.Ops[i] = old }
		})
	}
	for i, op := range e.Ops {
		if other := strictness[op]; other != "" {
			set(i, "strict", "mask.boundary", other)
		}
		for _, other := range opposites[op] {
			set(i, "opposite", "mask.inverted", other)
		}
		if op == "==" || op == "!=" {
			for _, other := range []string{"<=", ">="} {
				set(i, "operator", "operator.other", other)
			}
		}
	}
	if len(e.Ops) == 2 {
		w.replace("left only", "mask.unapplied", "step.extra", slot, &notation.Compare{Span: e.Span, Operands: e.Operands[:2], Ops: slices.Clone(e.Ops[:1]), OpSpans: e.OpSpans[:1]})
		w.replace("right only", "mask.unapplied", "step.extra", slot, &notation.Compare{Span: e.Span, Operands: e.Operands[1:], Ops: slices.Clone(e.Ops[1:]), OpSpans: e.OpSpans[1:]})
	}
	for i := range e.Operands {
		w.expression(&e.Operands[i])
	}
}

// rangeSlips changes a range that stands as a value.
func (w *maker) rangeSlips(slot *notation.Expr, e *notation.RangeExpr) {
	put := func(operator, cause string, change func(r *notation.RangeExpr)) {
		with := *e
		change(&with)
		w.both(operator, cause, slot, &with)
	}
	put("range", "select.end", func(r *notation.RangeExpr) { r.Before = !r.Before })
	for _, k := range []int64{1, -1} {
		if from, ok := w.offset(e.From, k); ok {
			put("range", "select.end", func(r *notation.RangeExpr) { r.From = from })
			if end, ok := w.offset(e.End, k); ok {
				made, undone := w.shiftCauses(k)
				with := *e
				with.From, with.End = from, end
				w.replace("shift", made, undone, slot, &with)
			}
		}
		if end, ok := w.offset(e.End, k); ok {
			put("range", "select.end", func(r *notation.RangeExpr) { r.End = end })
		}
	}
	if e.By != nil {
		put("step", "select.step", func(r *notation.RangeExpr) { r.By = nil })
	}
	w.selecting++
	for _, part := range []*notation.Expr{&e.From, &e.End, &e.By} {
		if *part != nil {
			w.expression(part)
		}
	}
	w.selecting--
}

// selectSlips changes a selection, leaves it out, or takes the positions for the
// values.
func (w *maker) selectSlips(slot *notation.Expr, e *notation.Select) {
	w.selection(e.Selection, e.Of)
	cause, undoes := "step.missing", "step.extra"
	if len(e.Selection.Selectors) == 1 && e.Selection.Selectors[0].Kind == notation.SelectValue {
		sel := e.Selection.Selectors[0]
		o := w.outline(sel.Value)
		if o.Is(array.Bool) {
			cause = "mask.unapplied"
			w.both("not", "mask.inverted", slot, selected(e.Span, e.Of, valueSelector(sel.Span, not(sel.Span, sel.Value))))
			w.zeroed(slot, e, sel.Value)
			if w.heedsNaN(sel.Value) {
				cause = "missing.values"
			}
			if !sel.Except {
				w.replace("position", "position.value", "position.value", slot, call(e.Span, "positions", sel.Value))
			}
		}
		if _, plain := notation.Strip(sel.Value).(*notation.Number); !plain && !sel.Except {
			w.replace("position", "position.value", "position.value", slot, sel.Value)
		}
		w.sortedApart(slot, e, sel.Value)
	} else {
		for _, sel := range e.Selection.Selectors {
			if sel.Kind == notation.SelectValue {
				w.sortedApart(slot, e, sel.Value)
			}
		}
	}
	if !onlyNew(e.Selection) {
		w.replace("unselected", cause, undoes, slot, e.Of)
	}
	w.expression(&e.Of)
	w.selectorValues(e.Selection)
}

// onlyNew reports whether a selection chooses nothing and only adds axes.
func onlyNew(s *notation.Selection) bool {
	for _, sel := range s.Selectors {
		if sel.Kind != notation.SelectNew && sel.Kind != notation.SelectAll && sel.Kind != notation.SelectRest {
			return false
		}
	}
	return true
}

// zeroed keeps every element and sets those left out to zero, where a selection was
// meant.
func (w *maker) zeroed(slot *notation.Expr, e *notation.Select, mask notation.Expr) {
	cause := "mask.unapplied"
	if w.heedsNaN(mask) {
		cause = "missing.values"
	}
	w.replace("zeroed", cause, cause, slot, call(e.Span, "pick", mask, e.Of, number(e.Span, 0)))
}

// sortedApart sorts the value itself where it was to follow another's order.
func (w *maker) sortedApart(slot *notation.Expr, e *notation.Select, by notation.Expr) {
	c, ok := notation.Strip(by).(*notation.Call)
	if !ok || c.Name.Name != "sort_order" {
		if c = w.anyOrder(by); c == nil {
			return
		}
	}
	with := withArgs(withName(c, "sort"), e.Of)
	with.Span = e.Span
	if w.rank(e.Of) > 1 {
		o := w.outline(e.Of)
		for axis := range o.Rank() {
			w.replace("apart", "sort.apart", "sort.apart", slot, w.withAxes(with, true, []*notation.Axis{w.axisOf(e.Span, labelOf(&o, axis), axis)}))
		}
		return
	}
	w.replace("apart", "sort.apart", "sort.apart", slot, with)
}

// anyOrder finds the sort_order that a name on the selection stands for.
func (w *maker) anyOrder(by notation.Expr) *notation.Call {
	name, ok := notation.Strip(by).(*notation.Name)
	if !ok {
		return nil
	}
	return callIn(w.definition(name.Name), "sort_order")
}

// definition is what the text binds to a name, the last time.
func (w *maker) definition(name string) notation.Expr {
	var value notation.Expr
	for _, s := range w.program.Statements {
		if a, ok := s.(*notation.Assign); ok && a.Target.Name == name && a.Selection == nil {
			value = a.Value
		}
	}
	return value
}

// callIn is the first call of a function inside an expression.
func callIn(e notation.Expr, name string) *notation.Call {
	var found *notation.Call
	if e == nil {
		return nil
	}
	notation.Walk(e, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && c.Name.Name == name && found == nil {
			found = c
		}
		return found == nil
	})
	return found
}

// heedsNaN reports whether an expression asks for missing values, itself or through a
// name.
func (w *maker) heedsNaN(e notation.Expr) bool {
	if mentions(e, "is_nan") || mentions(e, "is_finite") {
		return true
	}
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		if name, ok := n.(*notation.Name); ok {
			if value := w.definition(name.Name); value != nil && (mentions(value, "is_nan") || mentions(value, "is_finite")) {
				found = true
			}
		}
		return !found
	})
	return found
}

// mentions reports whether a function is called inside a node.
func mentions(n notation.Node, name string) bool {
	found := false
	notation.Walk(n, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && c.Name.Name == name {
			found = true
		}
		return !found
	})
	return found
}
