package slips

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// numberSlips nudges a literal; in a repair the reference's literals serve too.
func (w *maker) numberSlips(slot *notation.Expr, n *notation.Number) {
	if w.selecting > 0 {
		w.writtenIn(slot, n) // positions are moved by their selector
		return
	}
	put := func(with notation.Expr) {
		if !w.neutral(n, with) {
			w.both("constant", codes.ConstantOther, slot, with)
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
			code := codes.ConstantOther
			if v, ok := w.m.Scalars[name]; ok && o.Is(array.Int) && v == value {
				code = codes.LengthFixed
			}
			if code == codes.LengthFixed || w.selecting == 0 {
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
				w.both("length", codes.LengthFixed, slot, c)
			}
		}
		if o.Rank() == 3 {
			w.productOf(slot, n, name, &o)
		}
		if size, ok := o.Size(); ok && o.Rank() > 1 && size == int(n.Int) {
			w.both("length", codes.LengthFixed, slot, call(n.Span, "size", &notation.Name{Span: n.Span, Name: name}))
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
				w.both("length", codes.LengthFixed, slot, &notation.Paren{Span: n.Span, Inner: binary(n.Span, "*", length(i), length(k))})
			}
		}
	}
}
