package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// BinaryOutline says what a two-sided operator gives, or the error it must end in.
func BinaryOutline(op string, a, b Outline, fresh func() Dim) (Outline, *notation.Diagnostic) {
	switch op {
	case "dot":
		return dotOutline(a, b, fresh)
	case "and", "or", "xor":
		for _, x := range []Outline{a, b} {
			if x.knowsKind && x.kind != array.Bool && !(x.kind == array.Real && x.maybeEmptyReal()) {
				return Outline{}, notBool(op, x.Told())
			}
		}
	case "<", "<=", ">", ">=":
		if a.knowsKind && b.knowsKind && (a.kind == array.Complex || b.kind == array.Complex) {
			return Outline{}, noOrder(op, a.Told(), b.Told())
		}
	}
	out, d := MergeOutlines(op, fresh, a, b)
	if d != nil {
		return Outline{}, d
	}
	return foldNumbers(op, out.WithKind(binaryKind(op, a, b)), a, b), nil
}

// Told is a copy for a message. Only so does the outline itself need no memory of its own.
func (o Outline) Told() *Outline { return &o }

func binaryKind(op string, a, b Outline) KindOutline {
	switch op {
	case "and", "or", "xor", "==", "!=", "<", "<=", ">", ">=":
		return KindKnown(array.Bool)
	case "/":
		return WidestOf(array.Real, a, b)
	}
	k := WidestOf(array.Int, a, b)
	if op == "^" && k.Known && k.Kind == array.Int {
		// A negative exponent makes it real.
		if b.numbers == nil && !b.Is(array.Bool) || slices.ContainsFunc(b.numbers, func(n Dim) bool { return n < 0 }) {
			k.Known = false
		}
	}
	if (a.maybeEmptyReal() || b.maybeEmptyReal()) && k.Kind != array.Complex && !(a.Is(array.Real) && b.Is(array.Real)) {
		// The list [] gives way to narrower kinds.
		k.Known = k.Known && !givesWay(&a) && !givesWay(&b)
	}
	return k
}

// givesWay reports whether a value may be the list [] beside something narrower.
func givesWay(o *Outline) bool {
	return o.maybeEmptyReal() && (!o.knowsRank || o.Rank() == 1)
}

// foldNumbers works small ints out, and keeps a length that nothing was added to.
func foldNumbers(op string, out, a, b Outline) Outline {
	if !out.Is(array.Int) || !a.Is(array.Int) || !b.Is(array.Int) || a.numbers == nil || b.numbers == nil ||
		len(a.numbers) == 0 || len(b.numbers) == 0 {
		return out
	}
	apply, ok := intOps[op]
	if !ok {
		return out
	}
	n := max(len(a.numbers), len(b.numbers))
	numbers := make([]Dim, n)
	for i := range numbers {
		x, y := a.numbers[i%len(a.numbers)], b.numbers[i%len(b.numbers)]
		switch {
		case x.Known() && y.Known():
			v, ok := apply(int64(x), int64(y))
			if !ok {
				return out
			}
			numbers[i] = Dim(v)
		case y == 0 && (op == "+" || op == "-"), y == 1 && op == "*":
			numbers[i] = x
		case x == 0 && op == "+", x == 1 && op == "*":
			numbers[i] = y
		default:
			return out
		}
	}
	return out.WithNumbers(numbers)
}

// UnaryOutline says what `-`, `+` and `not` give.
func UnaryOutline(op string, a Outline) (Outline, *notation.Diagnostic) {
	if op == "not" {
		if a.knowsKind && a.kind != array.Bool {
			return Outline{}, notBool("not", &a)
		}
		return a.WithKind(KindKnown(array.Bool)), nil
	}
	out := a.WithKind(a.KindOf().AtLeast(array.Int))
	if n, ok := a.Number(); ok && a.Is(array.Int) {
		if op == "-" {
			n = -n
		}
		out = out.WithNumbers([]Dim{Dim(n)})
	}
	return out, nil
}

// dotOutline follows Dot.
func dotOutline(a, b Outline, fresh func() Dim) (Outline, *notation.Diagnostic) {
	kind := WidestOf(array.Int, a, b)
	if a.IsScalar() || b.IsScalar() {
		return Outline{}, scalarDot(&a, &b)
	}
	if !a.knowsRank || !b.knowsRank {
		return Outline{}.WithKind(kind), nil
	}
	left, right := a, b
	if a.Rank() == 1 {
		left = a.WithShape([]Dim{1, a.Dim(0)})
	}
	if b.Rank() == 1 {
		right = b.WithShape([]Dim{b.Dim(0), 1})
	}
	k, inner := left.Dim(left.Rank()-1), right.Dim(right.Rank()-2)
	if k >= 0 && inner >= 0 && k != inner {
		return Outline{}, innerFault(&a, &b, int(k), int(inner))
	}
	leadA := Outline{}.WithShape(left.lengths[:left.Rank()-2]).WithLabels(firstLabels(&a, left.Rank()-2))
	leadB := Outline{}.WithShape(right.lengths[:right.Rank()-2]).WithLabels(firstLabels(&b, right.Rank()-2))
	lead, d := MergeOutlines("dot", fresh, leadA, leadB)
	if d != nil {
		e := firstUnfit(leadA.lengths, leadB.lengths)
		return Outline{}, leadFault(&a, &b, e)
	}
	lengths := slices.Clone(lead.lengths)
	labels := make([]string, len(lengths))
	copy(labels, lead.labels)
	if a.Rank() > 1 {
		lengths, labels = append(lengths, a.Dim(a.Rank()-2)), append(labels, a.Label(a.Rank()-2))
	}
	if b.Rank() > 1 {
		lengths, labels = append(lengths, b.Dim(b.Rank()-1)), append(labels, b.Label(b.Rank()-1))
	}
	out := Outline{}.WithShape(lengths)
	if a.KnowsLabels() && b.KnowsLabels() {
		out = out.WithLabels(labels)
	}
	return out.WithKind(kind), nil
}

func firstLabels(o *Outline, n int) []string {
	labels := make([]string, n)
	for i := range labels {
		labels[i] = o.Label(i)
	}
	return labels
}

// firstUnfit is the place, counted from the last axis, of the first pair of known
// lengths that cannot meet.
func firstUnfit(a, b []Dim) int {
	rank := min(len(a), len(b))
	for at := rank; at > 0; at-- {
		x, y := a[len(a)-at], b[len(b)-at]
		if x >= 0 && y >= 0 && x != y && x != 1 && y != 1 {
			return at
		}
	}
	return 1
}

// RangeOutline says what `a to b by s` gives as a value.
func RangeOutline(from, end Outline, by *Outline, before bool, fresh func() Dim) Outline {
	parts := []Outline{from, end}
	if by != nil {
		parts = append(parts, *by)
	}
	n := fresh()
	a, okA := from.Number()
	b, okB := end.Number()
	step, okS := 1, true
	if by != nil {
		step, okS = by.Number()
	}
	if okA && okB && okS && step != 0 {
		if count := RangeCount(int64(a), int64(b), int64(step), before); count < 1<<30 {
			n = Dim(count)
		}
	} else if okA && a == 0 && before && okS && step == 1 && len(end.numbers) == 1 && end.IsScalar() {
		n = end.numbers[0]
	}
	out := OfDims(array.Int, []Dim{n}, nil).WithKind(WidestOf(array.Int, parts...))
	if n >= 0 && n <= mostNumbers && okA && okS && out.Is(array.Int) {
		numbers := make([]Dim, n)
		for i := range numbers {
			numbers[i] = Dim(a + i*step)
		}
		out = out.WithNumbers(numbers)
	}
	return out
}
