package evaluate

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// worthFusing is how many elements make it worth putting an operation off.
const worthFusing = 4096

// mostSteps bounds a chain, and with it what is held for it.
const mostSteps = 64

// lazy is a value that may still have to be computed.
type lazy struct {
	value *array.Array // when there is nothing left to do
	*chain
}

// chain is plain arithmetic on large arrays of reals. Shape, labels, cost and errors of
// shape are settled when an operation is met; only the numbers wait, until it ends.
type chain struct {
	shape  []int
	labels []string
	leaves []*array.Array
	steps  []lazyStep
}

// lazyStep is one operation of the chain, with what is needed to do it plainly.
type lazyStep struct {
	array.Step
	op   string
	span notation.Span
}

// spineOf appends an operator and those on its left, which are walked in a loop, so that
// a long sum needs no deep stack.
func spineOf(b *notation.Binary, spine []*notation.Binary) []*notation.Binary {
	for {
		spine = append(spine, b)
		left, ok := b.Left.(*notation.Binary)
		if !ok {
			return spine
		}
		b = left
	}
}

// watched works operators out one by one and reports every value. The whole is reported by
// whoever asks for it.
func (r *runner) watched(e *notation.Binary) *array.Array {
	spine := spineOf(e, nil)
	value := r.expr(spine[len(spine)-1].Left)
	for i := len(spine) - 1; i >= 0; i-- {
		b := spine[i]
		right := r.expr(b.Right)
		r.meter.At(b.Span)
		out, d := functions.Binary(&r.meter, b.Op, value, right)
		value = r.must(b.Span, out, d)
		if i > 0 {
			r.options.Watch(b, value)
		}
	}
	return value
}

// lazily evaluates an operator's operands and joins them, putting arithmetic on
// large reals off. Nobody watches.
func (r *runner) lazily(e notation.Expr) lazy {
	if n, ok := e.(*notation.Name); ok {
		return lazy{value: r.lookup(n)}
	}
	b, ok := notation.Strip(e).(*notation.Binary)
	if !ok {
		return lazy{value: r.expr(e)}
	}
	var scratch [8]*notation.Binary
	spine := spineOf(b, scratch[:0])
	last := len(spine) - 1
	value := r.innermost(spine[last])
	for i := last - 1; i >= 0; i-- {
		value = r.beside(spine[i], value)
	}
	return value
}

// innermost evaluates an operator whose left operand is none.
func (r *runner) innermost(b *notation.Binary) lazy {
	if _, ok := numberOf(b.Left); ok {
		// A number has nothing to compute, so the right operand may go first.
		right := r.lazily(b.Right)
		if out := r.withNumber(b, right, b.Left, true); out != nil {
			return lazy{value: out}
		}
		return r.apply(b, lazy{value: r.expr(b.Left)}, right)
	}
	return r.beside(b, r.lazily(b.Left))
}

// beside joins a left operand with the right one that is still to be computed.
func (r *runner) beside(b *notation.Binary, left lazy) lazy {
	if out := r.withNumber(b, left, b.Right, false); out != nil {
		return lazy{value: out}
	}
	return r.apply(b, left, r.lazily(b.Right))
}

// numberOf reads a number that is in the text as it is.
func numberOf(e notation.Expr) (float64, bool) {
	n, ok := e.(*notation.Number)
	switch {
	case !ok:
		return 0, false
	case n.Kind == array.Int:
		return float64(n.Int), n.Int <= 1<<53
	}
	return n.Real, n.Kind == array.Real
}

// withNumber does small arithmetic with a number of the text, for which no array need
// be made; nil where it takes more.
func (r *runner) withNumber(b *notation.Binary, other lazy, number notation.Expr, first bool) *array.Array {
	v, ok := numberOf(number)
	if !ok || other.value == nil {
		return nil
	}
	r.meter.At(b.Span)
	out, d, ok := functions.SmallRealsWith(&r.meter, b.Op, other.value, v, first)
	if !ok {
		return nil
	}
	return r.must(b.Span, out, d)
}

// apply joins two operands by an operator, now or later.
func (r *runner) apply(b *notation.Binary, left, right lazy) lazy {
	if x, y := left.value, right.value; x != nil && y != nil && max(x.Size(), y.Size()) < worthFusing {
		r.meter.At(b.Span)
		out, d := functions.Binary(&r.meter, b.Op, x, y)
		return lazy{value: r.must(b.Span, out, d)}
	}
	kernel := functions.RealKernel(b.Op)
	if kernel != nil {
		switch {
		case left.plain():
			right = r.asReal(right)
		case right.plain():
			left = r.asReal(left)
		}
	}
	if kernel == nil || !left.plain() || !right.plain() || left.length()+right.length() >= mostSteps {
		x, y := r.settle(left), r.settle(right)
		r.meter.At(b.Span)
		out, d := functions.Binary(&r.meter, b.Op, x, y)
		return lazy{value: r.must(b.Span, out, d)}
	}
	r.meter.At(b.Span)
	shape, labels, d := functions.Merge(&r.meter, "`"+b.Op+"`", left.header(), right.header())
	r.ok(b.Span, d)
	r.ok(b.Span, r.meter.TakeShape(array.Real, shape))
	// A chain that is stretched by this operation would be computed again for each
	// place it is stretched to.
	first, second := r.fixed(left, shape), r.fixed(right, shape)
	r.meter.At(b.Span)
	out := &chain{shape: shape, labels: labels, leaves: slices.Concat(first.leaves, second.leaves)}
	out.steps = append(out.steps, first.steps...)
	for _, s := range second.steps {
		s.A, s.B = moved(s.A, first), moved(s.B, first)
		out.steps = append(out.steps, s)
	}
	step := lazyStep{op: b.Op, span: b.Span}
	step.Kernel, step.A, step.B = kernel, first.result(), moved(second.result(), first)
	step.Watch = b.Op == "/" && step.B < 0
	out.steps = append(out.steps, step)
	return lazy{chain: out}
}

// asReal widens a single int, so that a number written without a point joins a chain.
func (r *runner) asReal(l lazy) lazy {
	if l.value == nil || l.value.Kind() != array.Int || l.value.Rank() != 0 {
		return l
	}
	wide, d := functions.Widen(&r.meter, l.value, array.Real)
	if d != nil {
		return l
	}
	return lazy{value: wide}
}

// length is how many operations wait.
func (l lazy) length() int {
	if l.value != nil {
		return 0
	}
	return len(l.steps)
}

// plain reports whether the value is real, so that plain arithmetic can be fused.
func (l lazy) plain() bool { return l.value == nil || l.value.Kind() == array.Real }

// header is an array of the value's shape and labels, for working shapes out.
func (l lazy) header() *array.Array {
	if l.value != nil {
		return l.value
	}
	return array.Scalar(0.0).Stretch(l.shape).WithLabels(l.labels)
}

// fixed turns a value into one leaf, or leaves a chain of the final shape.
func (r *runner) fixed(l lazy, shape []int) *chain {
	if l.value == nil && slices.Equal(l.shape, shape) {
		return l.chain
	}
	return &chain{leaves: []*array.Array{r.settle(l)}}
}

// result is the operand that stands for the whole chain: its last step, or its leaf.
func (c *chain) result() int { return -len(c.steps) }

// moved renames an operand of a chain that is appended to another.
func moved(operand int, left *chain) int {
	if operand >= 0 {
		return operand + len(left.leaves)
	}
	return operand - len(left.steps)
}

// settle evaluates a value. Where a result is not finite the chain is done again
// step by step, so that every notice names the operation that made it.
func (r *runner) settle(l lazy) *array.Array {
	if l.value != nil {
		return l.value
	}
	steps := make([]array.Step, len(l.steps))
	for i, s := range l.steps {
		steps[i] = s.Step
	}
	if out, finite := array.Fuse(l.shape, l.leaves, steps); finite {
		return out.WithLabels(l.labels)
	}
	results := make([]*array.Array, len(l.steps))
	operand := func(k int) *array.Array {
		if k >= 0 {
			return l.leaves[k]
		}
		return results[-1-k]
	}
	cells := r.meter.Cells
	for i, s := range l.steps {
		r.meter.At(s.span)
		out, d := functions.Binary(&r.meter, s.op, operand(s.A).WithLabels(nil), operand(s.B).WithLabels(nil))
		results[i] = r.must(s.span, out, d)
	}
	r.meter.Cells = cells // they were counted when the operations were met
	return results[len(results)-1].WithLabels(l.labels)
}
