package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

var literalOperators = []*Operator{
	{
		Name: "constant", Codes: []codes.Code{codes.ConstantOther, codes.LengthFixed, codes.SpreadDivisor, codes.UnitFirst,
			codes.SignFlipped, codes.LoopLast},
		Where: "a literal, and a length", Change: "writes another number or truth value, or the input that holds it",
		Right: "r = x > 3", Wrong: "r = x > 4",
		join: byChange,
		expression: []onExpression{on((*walker).otherNumber), on((*walker).otherTruth), on((*walker).otherPredefined),
			onCallOf((*walker).lengthOffByOne,
				"length", "size"), onCallOf((*walker).otherQuantile, "percentile")},
	},
	{
		Name: "list", Codes: []codes.Code{codes.UnitFirst, codes.ConstantOther},
		Where: "a list of consecutive numbers that stands as a value", Change: "counts it from one more, or one less",
		Right: "r = x[0] ^ [0, 1, 2]", Wrong: "r = x[0] ^ [1, 2, 3]",
		expression: []onExpression{on((*walker).countedOn)},
	},
	{
		Name: "length", Codes: []codes.Code{codes.LengthFixed},
		Where:  "a length, the last position, or a literal that is as large",
		Change: "writes the length as a number, or asks for it",
		Right:  "r = sum(x) / length(x)", Wrong: "r = sum(x) / 6",
		expression: []onExpression{onCallOf((*walker).lengthWritten, "length", "size"), on((*walker).lengthAsked)},
		selection:  (*walker).lastWritten,
	},
	{
		Name: "name", Codes: []codes.Code{codes.InputOther, codes.MaskInverted},
		Where: "a name, and a length", Change: "uses another input, or an earlier value, of a fitting shape",
		Right: "r = mean(x)", Wrong: "r = mean(y)",
		join: byChange, expression: []onExpression{on((*walker).otherName), onCallOf((*walker).inputForLength, "length",
			"size")},
	},
}

// valueOf is a literal's value as a real.
func valueOf(n *notation.Number) float64 {
	if n.Kind == array.Int {
		return float64(n.Int)
	}
	return n.Real
}

// mostWhole bounds ints that are counted with: reals of that size are exact.
const mostWhole = 1 << 40

// otherNumber writes another number: near it, the reference's, or an input. Positions are
// moved by their selector.
func (w *walker) otherNumber(slot *notation.Expr, n *notation.Number) {
	if w.selecting == 0 || w.scales() || w.comparing > 0 {
		w.nearNumbers(slot, n)
	} else if n.Kind == array.Int {
		w.inPositions(slot, n)
	}
	if n.Kind == array.Int && w.equality != nil && slices.Contains(w.equality.Operands, notation.Expr(n)) {
		w.together = true
		for _, k := range []int64{1, -1} {
			if n.Int+k >= 0 {
				w.key = "compared " + shiftKey(k)
				w.both(codes.UnitFirst, slot, number(n.Span, n.Int+k))
			}
		}
		w.together, w.key = false, ""
	}
	if !w.repairing() || n.Kind == array.Complex {
		return
	}
	for _, name := range w.bound {
		if o := w.names[name]; n.Kind == array.Int && w.selecting == 0 && o.KnowsRank() && o.IsScalar() && o.Is(array.Int) {
			w.both(codes.ConstantOther, slot, &notation.Name{Span: n.Span, Name: name})
		}
	}
	if s, ok := w.statement.(*notation.Assign); ok && w.loops > 0 && w.selecting == 0 && s.IsWhole() &&
		slices.Contains(w.bound, s.Target.Name) && !names(s.Value, s.Target.Name) {
		w.both(codes.LoopLast, slot, &notation.Name{Span: n.Span, Name: s.Target.Name}) // what it was in the pass before
	}
	if w.selecting == 0 && w.negatives[n.Text] && !isLong(w.statement.Pos()) && !w.hasMinus(n) {
		w.both(codes.SignFlipped, slot, &notation.Unary{Span: n.Span, Op: "-", Operand: n})
	}
	if len(w.items) > 0 && w.selecting == 0 {
		w.both(codes.ConstantOther, slot, &notation.Name{Span: n.Span, Name: w.items[len(w.items)-1]})
	}
	for _, name := range w.m.Inputs {
		o := w.m.Known[name]
		if !o.IsScalar() || o.Is(array.Bool) {
			continue
		}
		v, known := w.m.Scalars[name]
		isLength := known && o.Is(array.Int) && v == valueOf(n) && !w.besideName(name)
		switch with := (&notation.Name{Span: n.Span, Name: name}); {
		case isLength:
			w.both(codes.LengthFixed, slot, with)
		case w.selecting == 0:
			w.both(codes.ConstantOther, slot, with)
		}
	}
}

// besideName reports whether a name is an operand of the operator around the expression.
func (w *walker) besideName(name string) bool {
	if len(w.binaries) == 0 {
		return false
	}
	b := w.binaries[len(w.binaries)-1]
	return slices.ContainsFunc([]notation.Expr{b.Left, b.Right}, func(e notation.Expr) bool {
		n, ok := notation.Strip(e).(*notation.Name)
		return ok && n.Name == name
	})
}

// hasMinus reports whether a number stands after a minus sign.
func (w *walker) hasMinus(n *notation.Number) bool {
	minus := false
	notation.Walk(w.statement, func(x notation.Node) bool {
		u, ok := x.(*notation.Unary)
		minus = minus || ok && u.Op == "-" && notation.Strip(u.Operand) == notation.Expr(n)
		return !minus
	})
	return minus
}

// inPositions writes another number in every position: one alone is moved by its selector.
func (w *walker) inPositions(slot *notation.Expr, n *notation.Number) {
	w.together = true
	for _, k := range []int64{1, -1} {
		if n.Int+k > 0 {
			w.both(codes.ConstantOther, slot, number(n.Span, n.Int+k))
		}
	}
	w.together = false
}

// scales reports whether the operator around the expression multiplies or divides.
func (w *walker) scales() bool {
	if len(w.binaries) == 0 {
		return false
	}
	switch w.binaries[len(w.binaries)-1].Op {
	case "*", "/", "div", "mod":
		return w.repairing()
	}
	return false
}

func (w *walker) nearNumbers(slot *notation.Expr, n *notation.Number) {
	put := func(with notation.Expr) {
		if !w.neutral(n, with) {
			w.both(codes.ConstantOther, slot, with)
		}
	}
	if n.Kind == array.Complex {
		put(&notation.Number{Span: n.Span, Kind: array.Complex, Real: n.Real + 1, Text: notation.ImaginaryText(n.Real + 1)})
		return
	}
	value := valueOf(n)
	seen := map[float64]bool{value: true}
	try := func(v float64, whole bool) {
		if seen[v] || v < 0 || v == 0 && w.shaping > 0 { // nothing of it is a step left out
			return
		}
		seen[v] = true
		if whole {
			put(number(n.Span, int64(v)))
		} else {
			put(realNumber(n.Span, v))
		}
	}
	for _, other := range w.numbers {
		if other.Kind != array.Complex {
			try(valueOf(other), other.Kind == array.Int)
		}
	}
	whole := n.Kind == array.Int && n.Int < mostWhole
	if w.repairing() {
		try(0, whole)
		try(1, whole)
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
}

// otherQuantile takes another of the quartiles.
func (w *walker) otherQuantile(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) != 2 {
		return
	}
	n, ok := notation.Strip(c.Args[1]).(*notation.Number)
	for _, p := range []int64{25, 50, 75} {
		if ok && valueOf(n) != float64(p) {
			w.both(codes.ConstantOther, slot, withArgs(c, c.Args[0], number(n.Span, p)))
		}
	}
}

// neutral reports whether a number in a literal's place would make its operator do
// nothing, which is a step left out and no other number.
func (w *walker) neutral(n *notation.Number, with notation.Expr) bool {
	other, ok := with.(*notation.Number)
	if !ok || len(w.binaries) == 0 {
		return false
	}
	b := w.binaries[len(w.binaries)-1]
	right := notation.Strip(b.Right) == notation.Expr(n)
	left := notation.Strip(b.Left) == notation.Expr(n)
	if b.Op == "*" && valueOf(other) == 0 {
		return true // a product that is gone
	}
	return (left || right) && neutralFor(b.Op, other, right)
}

// neutralFor reports whether an operator with a number on one side gives the other.
func neutralFor(op string, n *notation.Number, right bool) bool {
	zero, one := n.Int == 0 && n.Real == 0, n.Kind != array.Complex && (n.Int == 1 || n.Real == 1)
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

// otherPredefined takes infinity for NaN, and NaN for infinity, pi for e and e for pi.
func (w *walker) otherPredefined(slot *notation.Expr, n *notation.Name) {
	other := map[string]string{"nan": "inf", "inf": "nan", "pi": "e", "e": "pi"}[n.Name]
	if other != "" && !slices.Contains(w.bound, n.Name) && !slices.Contains(w.m.Inputs, n.Name) {
		w.both(codes.ConstantOther, slot, &notation.Name{Span: n.Span, Name: other})
	}
}

// countedOn counts a list of consecutive numbers from the other base.
func (w *walker) countedOn(slot *notation.Expr, l *notation.List) {
	if w.selecting > 0 || len(l.Items) < 2 {
		return
	}
	first, ok := notation.Strip(l.Items[0]).(*notation.Number)
	for i, item := range l.Items {
		n, isNumber := notation.Strip(item).(*notation.Number)
		if !ok || !isNumber || n.Kind != array.Int || n.Int != first.Int+int64(i) {
			return
		}
	}
	for _, k := range []int64{1, -1} {
		if moved, ok := w.offset(l, k); ok {
			cause := codes.ConstantOther
			if start := first.Int + k; start == 0 || start == 1 {
				cause = codes.UnitFirst
			}
			w.both(cause, slot, moved)
		}
	}
}

func (w *walker) otherTruth(slot *notation.Expr, e *notation.Truth) {
	w.both(codes.ConstantOther, slot, truth(e.Span, !e.Value))
}

func (w *walker) lengthOffByOne(slot *notation.Expr, c *notation.Call) {
	cause := codes.ConstantOther
	if a, ok := w.statement.(*notation.Assign); ok && a.Value == c && w.divides(a.Target.Name) {
		cause = codes.SpreadDivisor
	}
	by := []int64{1, -1}
	if w.repairing() {
		by = append(by, 2, -2)
	}
	for _, k := range by {
		if k < -1 || k > 1 {
			cause = codes.ConstantOther
		}
		w.both(cause, slot, &notation.Paren{Span: c.Span, Inner: plusOffset(c.Span, c, k)})
	}
}

// lengthWritten writes a length as a number.
func (w *walker) lengthWritten(slot *notation.Expr, c *notation.Call) {
	o := w.outline(c)
	if n, ok := o.Number(); ok && n >= 0 {
		w.both(codes.LengthFixed, slot, number(c.Span, int64(n)))
	}
}

// lengthAsked puts the length of an input's axis, its size, or the product of two lengths
// where an attempt has that as a number.
func (w *walker) lengthAsked(slot *notation.Expr, n *notation.Number) {
	if !w.repairing() || n.Kind != array.Int || n.Int <= 0 || n.Int >= mostWhole {
		return
	}
	for _, name := range w.m.Inputs {
		o := w.m.Known[name]
		for axis := range o.Rank() {
			if o.Len(axis) == int(n.Int) {
				w.both(codes.LengthFixed, slot, w.lengthOf(n.Span, name, &o, axis))
			}
			if n.Int > 1 && w.selecting+w.shaping > 0 && len(w.binaries) == 0 && o.Len(axis)/2 == int(n.Int) {
				half := binary(n.Span, "div", w.lengthOf(n.Span, name, &o, axis), number(n.Span, 2))
				w.both(codes.LengthFixed, slot, &notation.Paren{Span: n.Span, Inner: half})
			}
		}
		if o.Rank() == 3 {
			for i := range o.Rank() {
				for k := i + 1; k < o.Rank(); k++ {
					if o.Len(i)*o.Len(k) == int(n.Int) {
						product := binary(n.Span, "*", w.lengthOf(n.Span, name, &o, i), w.lengthOf(n.Span, name, &o, k))
						w.both(codes.LengthFixed, slot, &notation.Paren{Span: n.Span, Inner: product})
					}
				}
			}
		}
		size, ok := o.Size()
		if ok && o.Rank() > 1 && size == int(n.Int) {
			w.both(codes.LengthFixed, slot, call(n.Span, "size", &notation.Name{Span: n.Span, Name: name}))
		}
		for _, by := range w.m.Inputs { // as many as there are parts of a length that is given
			if v, given := w.m.Scalars[by]; ok && given && v > 1 && float64(size) == v*float64(n.Int) {
				parts := binary(n.Span, "div", call(n.Span, "size", &notation.Name{Span: n.Span, Name: name}),
					&notation.Name{Span: n.Span, Name: by})
				w.both(codes.LengthFixed, slot, &notation.Paren{Span: n.Span, Inner: parts})
			}
		}
	}
}

// lengthOf asks for the length of an input's axis.
func (w *walker) lengthOf(at notation.Span, name string, o *shapes.Outline, axis int) notation.Expr {
	c := call(at, "length", &notation.Name{Span: at, Name: name})
	if o.Rank() > 1 {
		c = w.withAxes(c, true, []*notation.Axis{w.axisOf(at, labelOf(o, axis), axis)})
	}
	return c
}

// lastWritten writes the last position as a number, or takes such a number for the last,
// where the axis is as long as that in the data that are known.
func (w *walker) lastWritten(s *notation.Selection, of notation.Expr) {
	o := w.outline(of)
	if !o.KnowsRank() || len(s.Selectors) > o.Rank() {
		return
	}
	for i, sel := range s.Selectors {
		axis := i
		if sel.Label != nil {
			for axis = 0; axis < o.Rank() && labelOf(&o, axis) != sel.Label.Name; {
				axis++
			}
		}
		if sel.Kind == notation.SelectNew || sel.Kind == notation.SelectRest || axis >= o.Rank() {
			return
		}
		length := o.Len(axis)
		if length < 2 {
			continue
		}
		last := int64(length - 1 + w.m.Counting)
		if sel.Kind == notation.SelectValue {
			if e := w.otherLast(sel.Value, last); e != nil {
				w.put(codes.LengthFixed, codes.LengthFixed, s, i, withValue(sel, e))
			}
			if e := w.lastInList(sel.Value, last); e != nil {
				w.put(codes.LengthFixed, codes.LengthFixed, s, i, withValue(sel, e))
			}
		}
		if sel.Kind == notation.SelectRange {
			w.lastInRange(s, i, sel, last)
		}
	}
}

// lastInRange writes the end of a range that is the last position as `last`, or the other way round, and in an attempt
// where it begins from there as well.
func (w *walker) lastInRange(s *notation.Selection, i int, sel *notation.Selector, last int64) {
	r := *sel.Range
	put := func() { w.put(codes.LengthFixed, codes.LengthFixed, s, i, withRange(sel, r)) }
	ends := r.End == nil
	if !ends {
		if e := w.otherLast(r.End, last); e != nil {
			r.End, ends = e, true
			put()
		}
	}
	if _, isNumber := notation.Strip(orNothing(r.From)).(*notation.Number); isNumber && ends && w.repairing() {
		if e := w.otherLast(r.From, last); e != nil {
			r.From = e
			put()
		}
	}
}

// lastInList writes those of the positions in a list that are the last as `last`, or the other way round; nil where
// none is.
func (w *walker) lastInList(e notation.Expr, last int64) notation.Expr {
	l, ok := notation.Strip(e).(*notation.List)
	if !ok {
		return nil
	}
	with, changed := &notation.List{Span: l.Span, Items: slices.Clone(l.Items)}, false
	for i, item := range l.Items {
		if x, isNumber := notation.Strip(item).(*notation.Number); isNumber && x.Int != last {
			continue // as likely any other position
		}
		if other := w.otherLast(item, last); other != nil {
			with.Items[i], changed = other, true
		}
	}
	if !changed {
		return nil
	}
	return with
}

// otherLast is `last` for its number, or the number for `last`; nil for anything else.
func (w *walker) otherLast(e notation.Expr, last int64) notation.Expr {
	switch x := notation.Strip(e).(type) {
	case *notation.Number:
		if before := last - x.Int; x.Kind == array.Int && before >= 0 && before <= 2 && x.Int > 1 && w.repairing() {
			return plusOffset(x.Span, &notation.Edge{Span: x.Span, Last: true}, -before)
		}
	case *notation.Edge:
		if x.Last {
			return number(x.Span, last)
		}
	}
	return nil
}

// otherName uses another input, or an earlier value, of a fitting shape.
func (w *walker) otherName(slot *notation.Expr, n *notation.Name) {
	if slices.Contains(w.items, n.Name) { // of one loop for that of another around it
		for _, other := range w.items {
			if other != n.Name {
				w.both(codes.InputOther, slot, &notation.Name{Span: n.Span, Name: other})
			}
		}
		return
	}
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
		mayDiffer := w.repairing() && slices.Contains(w.m.Inputs, other) && (slices.Contains(w.m.Inputs, n.Name) ||
			w.collapsing)
		if !ok && !w.inside || known.KnowsRank() && o.KnowsRank() && known.Rank() != o.Rank() && !mayDiffer {
			continue
		}
		if known.KnowsKind() && o.KnowsKind() && (known.Kind() == array.Bool) != (o.Kind() == array.Bool) {
			continue
		}
		cause := codes.InputOther
		if known.Is(array.Bool) && (w.negates(n.Name, other) || w.negates(other, n.Name)) {
			cause = codes.MaskInverted
		}
		w.both(cause, slot, &notation.Name{Span: n.Span, Name: other})
	}
	if o.IsScalar() && o.Is(array.Int) && slices.Contains(w.m.Inputs, n.Name) {
		for _, other := range w.m.Inputs {
			if known := w.m.Known[other]; known.KnowsRank() && known.Rank() == 1 {
				w.both(codes.InputOther, slot, call(n.Span, "size", &notation.Name{Span: n.Span, Name: other}))
			}
		}
	}
}

// negates reports whether the text binds a name to the opposite of another.
func (w *walker) negates(name, other string) bool {
	for _, s := range w.program.Statements {
		a, ok := s.(*notation.Assign)
		if !ok || a.Target.Name != name || !a.IsWhole() {
			continue
		}
		not, ok := notation.Strip(a.Value).(*notation.Unary)
		if !ok || not.Op != "not" {
			return false
		}
		of, ok := notation.Strip(not.Operand).(*notation.Name)
		return ok && of.Name == other
	}
	return false
}

// inputForLength uses an input that is a whole number where an attempt asks for a length.
func (w *walker) inputForLength(slot *notation.Expr, c *notation.Call) {
	if !w.repairing() {
		return
	}
	for _, name := range w.m.Inputs {
		if o := w.m.Known[name]; o.IsScalar() && o.Is(array.Int) {
			w.both(codes.InputOther, slot, &notation.Name{Span: c.Span, Name: name})
		}
	}
}
