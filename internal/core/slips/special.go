package slips

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// givesPositions are functions whose result counts from the course's first position.
var givesPositions = map[string]bool{"max_at": true, "min_at": true, "sort_order": true, "positions": true, "insertion_place": true, "indices": true, "unflat_position": true}

// special holds changes that only some functions have.
func (w *maker) special(slot *notation.Expr, c *notation.Call) {
	at := c.Span
	if givesPositions[c.Name.Name] && !w.repairing() {
		// Told as the other base counts.
		k := int64(1 - 2*w.m.Counting)
		w.replace("shift", codes.UnitFirst, codes.SelectShifted, slot, plusOffset(at, c, k))
	}
	switch c.Name.Name {
	case "inverse":
		w.replace("matrix", codes.MatrixElementwise, codes.ProductMatrix, slot, binary(at, "/", realNumber(at, 1), c.Args[0]))
	case "mat_power":
		w.replace("matrix", codes.MatrixElementwise, codes.ProductMatrix, slot, binary(at, "^", c.Args[0], c.Args[1]))
	case "solve":
		w.replace("matrix", codes.MatrixElementwise, codes.ProductMatrix, slot, binary(at, "/", c.Args[1], c.Args[0]))
		w.both("transpose", codes.TransposeMissing, slot, withArgs(c, call(at, "transpose", c.Args[0]), c.Args[1]))
		w.replace("left out", codes.StepMissing, codes.StepExtra, slot, binary(at, "dot", grouped(c.Args[0]), grouped(c.Args[1])))
	case "sin", "cos", "tan":
		if inner, ok := notation.Strip(c.Args[0]).(*notation.Call); !ok || inner.Name.Name != "radians" {
			w.both("angle", codes.AngleUnit, slot, withArgs(c, call(at, "radians", c.Args[0])))
			w.both("angle", codes.AngleUnit, slot, withArgs(c, call(at, "degrees", c.Args[0])))
		}
	case "asin", "acos", "atan", "atan2", "angle":
		w.both("angle", codes.AngleUnit, slot, call(at, "degrees", c))
	case "polar":
		w.both("angle", codes.AngleUnit, slot, withArgs(c, c.Args[0], call(at, "radians", c.Args[1])))
	case "transpose":
		w.reshapeFor(slot, c)
	case "reshape":
		w.transposeFor(slot, c)
	case "length", "size":
		w.writtenLength(slot, c)
	case "count":
		w.countForSum(slot, c)
	case "extent":
		w.replace("left out", codes.StepMissing, codes.StepExtra, slot, withName(c, "max"))
	case "sum":
		w.sumForCount(slot, c)
		if c.Clause == nil && len(c.Args) == 1 && len(c.Options) == 0 {
			w.both("position", codes.PositionValue, slot, withName(c, "size"))
		}
	case "mean", "median", "percentile", "std", "sample_std":
		w.nested(slot, c)
	case "sqrt":
		w.both("root", codes.PowerMissing, slot, binary(at, "^", grouped(c.Args[0]), number(at, 2)))
	case "outer":
		if len(c.Args) == 2 {
			w.replace("product", codes.ProductElementwise, codes.ProductMatrix, slot, binary(at, "*", grouped(c.Args[0]), grouped(c.Args[1])))
		}
	case "norm":
		w.both("power", codes.PowerMissing, slot, binary(at, "^", c, number(at, 2)))
	}
}

// reshapeFor reads the elements in order under the transposed shape.
func (w *maker) reshapeFor(slot *notation.Expr, c *notation.Call) {
	if w.rank(c.Args[0]) != 2 || len(c.Options) > 0 {
		return
	}
	lengths := call(c.Span, "reversed", call(c.Span, "shape", c.Args[0]))
	w.replace("reshape", codes.ReshapeTranspose, codes.ReshapeTranspose, slot, call(c.Span, "reshape", c.Args[0], lengths))
}

func (w *maker) transposeFor(slot *notation.Expr, c *notation.Call) {
	if w.rank(c.Args[0]) == 2 {
		w.both("reshape", codes.ReshapeTranspose, slot, call(c.Span, "transpose", c.Args[0]))
	}
	if l, ok := lastList(c); ok && len(l.Items) == 2 {
		items := []notation.Expr{l.Items[1], l.Items[0]}
		turned := withArgs(c, c.Args[0], &notation.List{Span: l.Span, Items: items})
		w.both("turned", codes.FillOrder, slot, call(c.Span, "transpose", turned))
		w.both("shape", codes.AxisOrder, slot, turned)
	}
}

func lastList(c *notation.Call) (*notation.List, bool) {
	if len(c.Args) != 2 {
		return nil, false
	}
	l, ok := notation.Strip(c.Args[1]).(*notation.List)
	return l, ok
}

// writtenLength writes a length in that data decide.
func (w *maker) writtenLength(slot *notation.Expr, c *notation.Call) {
	o := w.outline(c)
	if n, ok := o.Number(); ok && n >= 0 {
		w.both("length", codes.LengthFixed, slot, number(c.Span, int64(n)))
	}
	if w.repairing() {
		if len(c.Args) == 1 {
			sum := withName(c, "sum")
			sum.Clause = nil
			w.both("position", codes.PositionValue, slot, sum)
		}
		for _, name := range w.m.Inputs {
			if o := w.m.Known[name]; o.IsScalar() && o.Is(array.Int) {
				w.both("name", codes.InputOther, slot, &notation.Name{Span: c.Span, Name: name})
			}
		}
	}
	for _, k := range []int64{1, -1} {
		w.both("constant", codes.ConstantOther, slot, &notation.Paren{Span: c.Span, Inner: plusOffset(c.Span, c, k)})
	}
}

// countForSum adds the elements up that were to be counted.
func (w *maker) countForSum(slot *notation.Expr, c *notation.Call) {
	cmp, ok := notation.Strip(c.Args[0]).(*notation.Compare)
	if !ok || len(c.Options) > 0 {
		return
	}
	values := cmp.Operands[0]
	if _, isNumber := notation.Strip(values).(*notation.Number); isNumber && len(cmp.Operands) > 1 {
		values = cmp.Operands[1]
	}
	w.replace("position", codes.PositionValue, codes.PositionValue, slot, withArgs(withName(c, "sum"), call(c.Span, "pick", cmp, values, number(c.Span, 0))))
	w.replace("function", codes.FunctionOther, codes.FunctionOther, slot, withName(c, "mean"))
	w.replace("unmasked", codes.MaskUnapplied, codes.MaskUnapplied, slot, withArgs(c, values))
}

// sumForCount counts the elements that were to be added up.
func (w *maker) sumForCount(slot *notation.Expr, c *notation.Call) {
	if len(c.Args) != 1 || optionOf(c, "only") != nil {
		if mask := optionOf(c, "only"); mask != nil {
			w.both("position", codes.PositionValue, slot, withArgs(withName(withOption(c, "only", nil), "count"), mask))
		}
		return
	}
	switch x := notation.Strip(c.Args[0]).(type) {
	case *notation.Select:
		if len(x.Selection.Selectors) == 1 && x.Selection.Selectors[0].Kind == notation.SelectValue {
			if o := w.outline(x.Selection.Selectors[0].Value); o.Is(array.Bool) {
				w.both("position", codes.PositionValue, slot, withArgs(withName(c, "count"), x.Selection.Selectors[0].Value))
			}
		}
	case *notation.Call:
		if x.Name.Name == "pick" && len(x.Args) == 3 {
			w.both("position", codes.PositionValue, slot, withArgs(withName(c, "count"), x.Args[0]))
		}
	case *notation.Binary:
		if x.Op == "*" {
			for _, side := range []notation.Expr{x.Left, x.Right} {
				if o := w.outline(side); o.Is(array.Bool) {
					w.both("position", codes.PositionValue, slot, withArgs(withName(c, "count"), side))
				}
			}
		}
	}
}

// nested takes a mean of means for the mean, and the mean for a mean of means.
func (w *maker) nested(slot *notation.Expr, c *notation.Call) {
	inner, ok := notation.Strip(c.Args[0]).(*notation.Call)
	if ok && (inner.Name.Name == c.Name.Name || c.Name.Name == "mean") && len(inner.Args) == len(c.Args) && functions.Lookup(inner.Name.Name) != nil && functions.Lookup(inner.Name.Name).Clause == functions.Over {
		var axes []*notation.Axis
		if inner.Clause != nil && c.Clause != nil {
			axes = append(slices.Clone(inner.Clause.Axes), c.Clause.Axes...)
		}
		w.replace("nested", codes.MeanNested, codes.MeanNested, slot, w.withAxes(inner, false, axes))
	}
	o := w.outline(c.Args[0])
	now, known := w.clauseNow(c, &o, functions.Lookup(c.Name.Name))
	if known && o.KnowsRank() && len(now) >= 2 {
		for _, axis := range now {
			rest := []*notation.Axis{}
			for _, other := range now {
				if other != axis {
					at := other
					if label := labelOf(&o, other); label == "" && other > axis {
						at--
					}
					rest = append(rest, w.axisOf(c.Span, labelOf(&o, other), at))
				}
			}
			first := w.withAxes(c, false, []*notation.Axis{w.axisOf(c.Span, labelOf(&o, axis), axis)})
			first = withOption(first, "keep", nil)
			outer := withArgs(c, append([]notation.Expr{first}, c.Args[1:]...)...)
			w.replace("nested", codes.MeanNested, codes.MeanNested, slot, w.withAxes(withOption(outer, "only", nil), false, rest))
			if c.Name.Name != "mean" {
				mean := withName(withArgs(c, first), "mean")
				mean.Options = nil
				w.replace("nested", codes.MeanNested, codes.MeanNested, slot, w.withAxes(mean, false, rest))
			}
		}
	}
	if x, ok := notation.Strip(c.Args[0]).(*notation.Binary); ok && x.Op == "/" {
		sum := withName(c, "sum")
		if c.Name.Name == "mean" && len(c.Options) == 0 {
			w.both("nested", codes.MeanNested, slot, binary(c.Span, "/", withArgs(sum, x.Left), withArgs(sum, x.Right)))
		}
	}
}

// shapeArgument walks the lengths of a shape, where `auto` is no name.
func (w *maker) shapeArgument(slot *notation.Expr) {
	l, ok := (*slot).(*notation.List)
	if !ok {
		if n, isName := (*slot).(*notation.Name); !isName || n.Name != "auto" {
			w.expression(slot)
		}
		return
	}
	for i := range l.Items {
		if n, isName := l.Items[i].(*notation.Name); !isName || n.Name != "auto" {
			w.expression(&l.Items[i])
		}
	}
}
