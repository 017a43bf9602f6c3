package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// What operators ask of the text around a place.

// isMask reports whether an expression is known to hold truth values.
func (w *walker) isMask(e notation.Expr) bool {
	o := w.outline(e)
	return o.Is(array.Bool)
}

// isOne reports whether an expression is the number 1.
func isOne(e notation.Expr) bool {
	n, ok := notation.Strip(e).(*notation.Number)
	return ok && (n.Int == 1 || n.Real == 1)
}

// counts reports whether an expression is how many elements there are, itself or by a
// name.
func (w *walker) counts(e notation.Expr) bool {
	e = notation.Strip(e)
	if name, ok := e.(*notation.Name); ok {
		e = w.definition(name.Name)
	}
	c, ok := e.(*notation.Call)
	return ok && (c.Name.Name == "size" || c.Name.Name == "length" || c.Name.Name == "count")
}

// definition is what the text binds to a name, the last time; nil where it does not.
func (w *walker) definition(name string) notation.Expr {
	var value notation.Expr
	for _, s := range w.program.Statements {
		if a, ok := s.(*notation.Assign); ok && a.Target.Name == name && a.Selection == nil {
			value = a.Value
		}
	}
	return value
}

// orderNamed finds the sort_order that a name on the selection stands for.
func (w *walker) orderNamed(by notation.Expr) *notation.Call {
	name, ok := notation.Strip(by).(*notation.Name)
	if !ok {
		return nil
	}
	return callIn(w.definition(name.Name), "sort_order")
}

// isShape reports whether an expression is a shape, itself or by a name.
func (w *walker) isShape(e notation.Expr) bool {
	e = notation.Strip(e)
	if name, ok := e.(*notation.Name); ok {
		e = w.definition(name.Name)
	}
	c, ok := e.(*notation.Call)
	return ok && c.Name.Name == "shape"
}

// ofShape is what a change of the positions in a shape stands for: another axis's length.
func ofShape(cause codes.Code) codes.Code {
	switch cause {
	case codes.UnitFirst, codes.SelectShifted, codes.SelectEnd, codes.SelectReversed:
		return codes.AxisOther
	}
	return cause
}

// divides reports whether the text divides by a name.
func (w *walker) divides(name string) bool {
	found := false
	for _, s := range w.program.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			b, ok := n.(*notation.Binary)
			if ok && b.Op == "/" {
				x, isName := notation.Strip(b.Right).(*notation.Name)
				found = found || isName && x.Name == name
			}
			return !found
		})
	}
	return found
}

// broadcasts reports whether two values may stand in one operation, as far as their shapes are known.
func (w *walker) broadcasts(a, b notation.Expr) bool {
	oa, ob := w.outline(a), w.outline(b)
	if name, ok := b.(*notation.Name); ok {
		ob = w.valueOf(name.Name)
	}
	if !oa.KnowsRank() || !ob.KnowsRank() {
		return true
	}
	for k := 1; k <= min(oa.Rank(), ob.Rank()); k++ {
		x, y := oa.Len(oa.Rank()-k), ob.Len(ob.Rank()-k)
		if x >= 0 && y >= 0 && x != y && x != 1 && y != 1 {
			return false
		}
	}
	return true
}

// valueOf is what is known of a name's value.
func (w *walker) valueOf(name string) shapes.Outline {
	if slices.Contains(w.bound, name) {
		return w.names[name]
	}
	return w.m.Known[name]
}

// callIn is the first call of one of some functions inside an expression.
func callIn(e notation.Expr, names ...string) *notation.Call {
	var found *notation.Call
	if e == nil {
		return nil
	}
	notation.Walk(e, func(n notation.Node) bool {
		if c, ok := n.(*notation.Call); ok && slices.Contains(names, c.Name.Name) && found == nil {
			found = c
		}
		return found == nil
	})
	return found
}

// asksForNaN reports whether an expression asks for missing values, itself or through a
// name.
func (w *walker) asksForNaN(e notation.Expr) bool {
	asks := func(e notation.Expr) bool { return callIn(e, "is_nan", "is_finite") != nil }
	if asks(e) {
		return true
	}
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		if name, ok := n.(*notation.Name); ok {
			found = found || asks(w.definition(name.Name))
		}
		return !found
	})
	return found
}

// hasEdge reports whether an expression speaks of first or last, which mean something
// inside their selection alone.
func hasEdge(e notation.Expr) bool {
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		switch n.(type) {
		case *notation.Edge:
			found = true
		case *notation.Selection:
			return false
		}
		return !found
	})
	return found
}
