package evaluate

import (
	"fmt"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// pairing walks some axes pointwise; the others are whole.
type pairing struct {
	axes  []int
	lists [][]int
}

// pairedSelection computes lists that are walked in step.
func (r *runner) pairedSelection(s *notation.Selection, a *array.Array) *pairing {
	r.checkCount(s, a)
	p := &pairing{}
	length := -1
	var scalars []int
	axis := 0
	for _, sel := range s.Selectors {
		switch {
		case sel.Kind == notation.SelectRest:
			axis += a.Rank() - consumed(s)
			continue
		case sel.Kind == notation.SelectAll:
			axis++
			continue
		case sel.Kind != notation.SelectValue || sel.Except:
			r.failWith(sel.Span, codes.SelectKind, "`paired` takes int arrays of one axis and single positions",
				"write the range as a list in parentheses, `(0 to 2)`; whole axes are `all`")
		}
		v := r.within(a, axis, sel.Value)
		if empty := v.Kind() == array.Real && v.Size() == 0 && v.Rank() == 1; !empty && (v.Kind() != array.Int ||
			v.Rank() > 1) {
			r.failWith(sel.Span, codes.SelectKind, fmt.Sprintf("`paired` takes int arrays of one axis and single positions, "+
				"and got %s", functions.Describe(v)), "the positions of a mask are `positions(mask)`")
		}
		list := make([]int, v.Size())
		for i := range list {
			list[i] = r.position(sel.Value.Pos(), v.IntAt(i), a, axis)
		}
		if v.Rank() == 0 {
			scalars = append(scalars, len(p.lists))
		} else if length >= 0 && length != len(list) {
			r.failWith(sel.Span, codes.ShapeJoin, fmt.Sprintf("`paired` walks them together, and the lists have %d and %d "+
				"positions",
				length, len(list)), "give lists of one length")
		} else {
			length = len(list)
		}
		p.axes, p.lists = append(p.axes, axis), append(p.lists, list)
		axis++
	}
	if len(p.axes) == 0 {
		r.failWith(s.Span, codes.SelectKind, "`paired` has no positions to walk",
			"give a list of positions for at least one axis")
	}
	if length < 0 {
		length = 1
	}
	for _, k := range scalars {
		list := make([]int, length)
		for i := range list {
			list[i] = p.lists[k][0]
		}
		p.lists[k] = list
	}
	return p
}
