package shapes

import (
	"slices"
	"strconv"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

func numberWord(n int) string { return strconv.Itoa(n) }

// selected computes what a selection of a value gives.
func (w *walker) selected(of Outline, s *notation.Selection) Outline {
	kind := of.KindOf()
	unknown := Outline{}.WithKind(kind)
	if s.Paired {
		return w.paired(of, s)
	}
	if s.Selectors[0].Label != nil {
		return w.labelled(of, s)
	}
	var lone *Outline
	if len(s.Selectors) == 1 && s.Selectors[0].Kind == notation.SelectValue && !s.Selectors[0].Except {
		v := w.within(&of, 0, s.Selectors[0].Value)
		lone = &v
		if !of.KnowsRank() || !v.KnowsRank() || !v.KnowsKind() && (of.Rank() > 1 || v.Rank() > 1) {
			return unknown
		}
		if v.Is(array.Bool) && (of.Rank() > 1 || v.Rank() > 1) && of.Rank() > 0 {
			if masksDiffer(&of, &v) {
				w.fail(s.Span, functions.MaskFault(of.Told(), v.Told()))
			}
			return functions.OfDims(of.Kind(), []functions.Dim{w.fresh()}, nil).WithKind(kind)
		}
	}
	named, rest := 0, false
	for _, sel := range s.Selectors {
		switch sel.Kind {
		case notation.SelectRest:
			rest = true
		case notation.SelectNew:
		default:
			named++
		}
	}
	if !of.KnowsRank() {
		w.operands(s)
		return unknown
	}
	if named != of.Rank() && !(rest && named <= of.Rank()) {
		w.fail(s.Span, functions.CountFault(of.Told(), named, w.program.Source.Slice(s.Span)))
		return unknown
	}
	left := functions.NewAxes(&of, len(s.Selectors))
	axis := 0
	known := true
	for _, sel := range s.Selectors {
		switch sel.Kind {
		case notation.SelectNew:
			left.Add(1, "")
		case notation.SelectRest:
			for range of.Rank() - named {
				left.Add(of.Dim(axis), of.Label(axis))
				axis++
			}
		default:
			n, keeps, ok := w.pick(&of, axis, sel, lone)
			if !ok {
				known = false
			}
			if keeps {
				left.Add(n, of.Label(axis))
			}
			axis++
		}
	}
	if !known {
		return unknown
	}
	return w.shaped(of, left)
}

func (w *walker) shaped(of Outline, left functions.Axes) Outline {
	out := Outline{}.WithShape(left.Lengths)
	if of.KnowsLabels() {
		out = out.WithLabels(left.Labels)
	}
	return out.WithKind(of.KindOf())
}

func masksDiffer(a, mask *Outline) bool {
	if a.Rank() != mask.Rank() {
		return true
	}
	for i, n := range a.Dims() {
		if m := mask.Dim(i); n >= 0 && m >= 0 && n != m {
			return true
		}
	}
	return false
}

// operands follows the expressions of a selection whose value is unknown.
func (w *walker) operands(s *notation.Selection) {
	for _, sel := range s.Selectors {
		if sel.Value != nil {
			w.at(edge{}, sel.Value)
		}
		if sel.Range != nil {
			for _, e := range []notation.Expr{sel.Range.From, sel.Range.End, sel.Range.By} {
				if e != nil {
					w.at(edge{}, e)
				}
			}
		}
	}
}

func (w *walker) within(a *Outline, axis int, e notation.Expr) Outline {
	if a.KnowsRank() && axis < a.Rank() {
		return w.at(edge{length: a.Dim(axis), known: true}, e)
	}
	return w.at(edge{}, e)
}

func (w *walker) at(of edge, e notation.Expr) Outline {
	w.edges = append(w.edges, of)
	o := w.expr(e)
	w.edges = w.edges[:len(w.edges)-1]
	return o
}

func (w *walker) labelled(of Outline, s *notation.Selection) Outline {
	if !of.KnowsLabels() {
		w.operands(s)
		return Outline{}.WithKind(of.KindOf())
	}
	lengths := slices.Clone(of.Dims())
	gone := make([]bool, len(lengths))
	known := true
	for _, sel := range s.Selectors {
		axis, d := functions.FindLabel(of.Told(), sel.Label.Name, w.counting)
		w.fail(sel.Label.Span, d)
		if d != nil {
			known = false
			continue
		}
		n, keeps, ok := w.pick(&of, axis, sel, nil)
		known = known && ok
		lengths[axis], gone[axis] = n, !keeps
	}
	if !known {
		return Outline{}.WithKind(of.KindOf())
	}
	left := functions.NewAxes(&of)
	for i, n := range lengths {
		if !gone[i] {
			left.Add(n, of.Label(i))
		}
	}
	return w.shaped(of, left)
}

// pick tells the length one selector leaves on its axis, and whether the axis stays;
// ok is false when that is not known.
func (w *walker) pick(of *Outline, axis int, sel *notation.Selector, lone *Outline) (n functions.Dim, keeps, ok bool) {
	length := of.Dim(axis)
	switch sel.Kind {
	case notation.SelectAll, notation.SelectReversed:
		return length, true, true
	case notation.SelectRange:
		n = w.rangeLength(of, axis, sel.Range)
		if sel.Except {
			return w.left(length, n), true, true
		}
		return n, true, true
	}
	v := Outline{}
	if lone != nil {
		v = *lone
	} else {
		v = w.within(of, axis, sel.Value)
	}
	if !v.KnowsRank() || !v.KnowsKind() && v.Rank() == 1 {
		if sel.Except || v.KnowsRank() && v.Rank() == 1 {
			return w.fresh(), true, true
		}
		return 0, true, false
	}
	switch {
	case v.Rank() == 0 && v.Is(array.Int):
		if at, known := v.Number(); known && length >= 0 && (at < w.counting || at >= int(length)+w.counting) {
			w.fail(sel.Value.Pos(), functions.OutsideAxis("position", int64(at), of.Told(), axis, w.counting))
		}
		if sel.Except {
			return w.left(length, 1), true, true
		}
		return 0, false, true
	case v.Rank() == 1 && v.Is(array.Int):
		if length >= 0 {
			for _, at := range v.Numbers() {
				if at.Known() && (int(at) < w.counting || int(at) >= int(length)+w.counting) {
					w.fail(sel.Value.Pos(), functions.OutsideAxis("position", int64(at), of.Told(), axis, w.counting))
					break
				}
			}
		}
		if sel.Except {
			return w.fresh(), true, true
		}
		return v.Dim(0), true, true
	case v.Rank() == 1 && v.Is(array.Bool):
		if m := v.Dim(0); m >= 0 && length >= 0 && m != length {
			w.fail(sel.Span, functions.AxisMaskFault(of.Told(), v.Told(), axis, w.counting))
		}
		return w.fresh(), true, true
	case v.Rank() == 1 && v.Is(array.Real):
		if size, sized := v.Size(); !sized || size == 0 {
			return w.fresh(), true, true
		}
	case !v.KnowsKind():
		return 0, false, !sel.Except // only an int scalar can stand here
	}
	w.fail(sel.Span, functions.SelectorFault(of.Told(), v.Told(), axis, w.counting, sel.Except))
	return 0, true, false
}

// left is how many positions stay when n of an axis are taken out.
func (w *walker) left(length, n functions.Dim) functions.Dim {
	if length >= 0 && n >= 0 && n <= length {
		return length - n
	}
	return w.fresh()
}

// rangeLength is how many positions a range with open ends takes.
func (w *walker) rangeLength(of *Outline, axis int, x *notation.RangeExpr) functions.Dim {
	length := of.Len(axis)
	part := func(e notation.Expr) (int, bool) {
		v := w.within(of, axis, e)
		return v.Number()
	}
	by, known := 1, true
	if x.By != nil {
		by, known = part(x.By)
	}
	start, end := w.counting, length-1+w.counting
	if by < 0 {
		start, end = end, start
	}
	startKnown, endKnown := known && (by > 0 || length >= 0), known && (by < 0 || length >= 0)
	if x.From != nil {
		start, startKnown = part(x.From)
	}
	if x.End != nil {
		end, endKnown = part(x.End)
	}
	if length < 0 && x.From == nil && x.End == nil && known && by == 1 {
		return of.Dim(axis)
	}
	if !known || !startKnown || !endKnown || by == 0 {
		return w.fresh()
	}
	before := x.Before && x.End != nil
	n := int(functions.RangeCount(int64(start), int64(end), int64(by), before))
	if length >= 0 {
		if at, what, outside := w.outsideRange(x, start, end, n, length, before); outside {
			e := x.From
			if what == "end" {
				e = x.End
			}
			w.fail(e.Pos(), functions.OutsideAxis(what, int64(at), of.Told(), axis, w.counting))
		}
	}
	return functions.Dim(n)
}

// outsideRange finds an end that the axis does not have: an empty range may lie one past
// both ends, one that holds positions may not, but for a `before` end.
func (w *walker) outsideRange(x *notation.RangeExpr, start, end, n, length int, before bool) (at int, what string,
	outside bool) {
	inside := func(at, slack int) bool { return at >= w.counting-slack && at < length+w.counting+slack }
	slackStart, slackEnd := 0, 0
	if n == 0 {
		slackStart, slackEnd = 1, 1
	}
	if before {
		slackEnd = 1
	}
	switch {
	case x.From != nil && !inside(start, slackStart):
		return start, "start", true
	case x.End != nil && !inside(end, slackEnd):
		return end, "end", true
	}
	return 0, "", false
}

func (w *walker) paired(of Outline, s *notation.Selection) Outline {
	if !of.KnowsRank() {
		w.operands(s)
		return Outline{}.WithKind(of.KindOf())
	}
	named, rest := 0, false
	for _, sel := range s.Selectors {
		if sel.Kind == notation.SelectRest {
			rest = true
		} else if sel.Kind != notation.SelectNew {
			named++
		}
	}
	if named != of.Rank() && !(rest && named <= of.Rank()) {
		w.fail(s.Span, functions.CountFault(of.Told(), named, w.program.Source.Slice(s.Span)))
		return Outline{}.WithKind(of.KindOf())
	}
	length := functions.Dim(-1)
	first := 0
	left := functions.NewAxes(&of, 1)
	left.Add(0, "") // the walk's, whose length comes later
	axis := 0
	for _, sel := range s.Selectors {
		switch sel.Kind {
		case notation.SelectRest:
			for range of.Rank() - named {
				left.Add(of.Dim(axis), of.Label(axis))
				axis++
			}
			continue
		case notation.SelectAll:
			left.Add(of.Dim(axis), of.Label(axis))
		case notation.SelectValue:
			v := w.within(&of, axis, sel.Value)
			if v.KnowsRank() && v.Rank() == 1 {
				first++
				if length < 0 {
					length = v.Dim(0)
				}
			} else if !v.KnowsRank() {
				first++
			}
		}
		axis++
	}
	if length < 0 {
		length = w.fresh()
		if first == 0 {
			length = 1
		}
	}
	left.Lengths[0] = length
	return w.shaped(of, left)
}
