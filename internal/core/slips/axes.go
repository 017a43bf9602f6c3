package slips

import (
	"slices"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// mostAxes bounds how many axes a value may have for all sets of them to be tried.
const mostAxes = 4

// axes changes the clause of a call: every other axis, or set of axes, none and all.
func (w *maker) axes(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if len(c.Args) == 0 || f.Clause == functions.NoClause {
		return
	}
	o := w.outline(c.Args[0])
	if !o.KnowsRank() || o.Rank() == 0 || o.Rank() > mostAxes {
		return
	}
	now, ok := w.clauseNow(c, &o, f)
	if !ok {
		return
	}
	if f.Clause == functions.Along {
		w.alongAxes(slot, c, &o, f, now)
		return
	}
	rank := o.Rank()
	for set := 1; set < 1<<rank; set++ {
		var axes []*notation.Axis
		var places []int
		for i := range rank {
			if set>>i&1 == 1 {
				axes, places = append(axes, w.axisOf(c.Span, labelOf(&o, i), i)), append(places, i)
			}
		}
		whole := len(places) == rank
		if slices.Equal(places, now) || (whole && c.Clause == nil) {
			continue
		}
		with := w.withAxes(c, false, axes)
		if whole {
			with = w.withAxes(c, false, nil)
		}
		cause, undoes := codes.AxisOther, codes.AxisOther
		if whole {
			cause = codes.AxisAll
		}
		if len(now) == rank {
			undoes = codes.AxisAll
		}
		w.clauseSlip("axis", cause, undoes, slot, c, with)
	}
	w.keeping(slot, c, f)
}

// clauseSlip notes another clause, told by the clauses alone.
func (w *maker) clauseSlip(operator string, cause, undoes codes.Code, slot *notation.Expr, c, with *notation.Call) {
	old := *slot
	words := func(c *notation.Call) func() string {
		return func() string {
			if c.Clause == nil {
				return "over all axes"
			}
			return notation.PrintClause(c.Clause)
		}
	}
	span := c.Span
	if c.Clause != nil {
		span = c.Clause.Span
	}
	w.add(operator, cause, undoes, span, words(c), words(with), func() func() {
		*slot = with
		return func() { *slot = old }
	})
}

// clauseNow finds the axes a call names; all for a reduction that names none.
func (w *maker) clauseNow(c *notation.Call, o *shapes.Outline, f *functions.Function) (axes []int, ok bool) {
	if c.Clause == nil {
		if f.Clause == functions.Over {
			for i := range o.Rank() {
				axes = append(axes, i)
			}
			return axes, true
		}
		return nil, true
	}
	for _, x := range c.Clause.Axes {
		at := -1
		switch {
		case x.Label != "":
			for i := range o.Rank() {
				if o.Label(i) == x.Label {
					at = i
				}
			}
		case x.Number != nil:
			at = int(x.Number.Int) - w.m.Counting
		case x.Edge != nil:
			at = 0
			if x.Edge.Last {
				at = o.Rank() - 1
				if f.AlongResult {
					at++
				}
			}
		}
		if at < 0 {
			return nil, false
		}
		axes = append(axes, at)
	}
	slices.Sort(axes)
	return axes, true
}

func (w *maker) alongAxes(slot *notation.Expr, c *notation.Call, o *shapes.Outline, f *functions.Function, now []int) {
	rank := o.Rank()
	if f.AlongResult {
		rank++
		if now == nil {
			now = []int{0}
		}
	} else if rank == 1 {
		return
	}
	cause := codes.AxisOther
	if f.Name == "join" || f.Name == "stack" {
		cause = codes.JoinAxis
	}
	for i := range rank {
		if len(now) == 1 && now[0] == i {
			continue
		}
		label := ""
		if !f.AlongResult {
			label = labelOf(o, i)
		}
		w.clauseSlip("axis", cause, cause, slot, c, w.withAxes(c, true, []*notation.Axis{w.axisOf(c.Span, label, i)}))
	}
}

// keeping puts `keep: true` in or takes it out.
func (w *maker) keeping(slot *notation.Expr, c *notation.Call, f *functions.Function) {
	if !slices.ContainsFunc(f.Options, func(o functions.Option) bool { return o.Name == "keep" }) {
		return
	}
	if v := optionOf(c, "keep"); v != nil {
		w.replace("keep", codes.AxisDropped, codes.AxisKept, slot, withOption(c, "keep", nil))
		return
	}
	w.replace("keep", codes.AxisKept, codes.AxisDropped, slot, withOption(c, "keep", truth(c.Span, true)))
}

// eachAxis changes the axis a loop goes along.
func (w *maker) eachAxis(s *notation.Each) {
	if len(s.Values) != 1 {
		return
	}
	o := w.outline(s.Values[0])
	if !o.KnowsRank() || o.Rank() < 2 || o.Rank() > mostAxes {
		return
	}
	old := s.Along
	now := 0
	if old != nil {
		now = -1
		for i := range o.Rank() {
			if old.Label != "" && o.Label(i) == old.Label || old.Number != nil && int(old.Number.Int)-w.m.Counting == i {
				now = i
			}
		}
	}
	for i := range o.Rank() {
		if i == now {
			continue
		}
		with := w.axisOf(s.Header, labelOf(&o, i), i)
		w.add("axis", codes.AxisOther, codes.AxisOther, s.Header, func() string { return "along another axis" }, func() string { return "along " + notation.PrintAxis(with) },
			func() func() {
				s.Along = with
				return func() { s.Along = old }
			})
	}
}

// labelOf is an axis's label where it names that axis alone.
func labelOf(o *shapes.Outline, axis int) string {
	label := o.Label(axis)
	for i := range o.Rank() {
		if i != axis && o.Label(i) == label {
			return ""
		}
	}
	return label
}
