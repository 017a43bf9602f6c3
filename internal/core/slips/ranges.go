package slips

import (
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// openRanges offers ranges that leave the first or the last out, in place of a whole
// axis.
func (w *maker) openRanges(s *notation.Selection, i int, at notation.Span) {
	first := &notation.Selector{Span: at, Kind: notation.SelectRange, Range: &notation.RangeExpr{Span: at, From: plusOffset(at, &notation.Edge{Span: at}, 1)}}
	last := &notation.Selector{Span: at, Kind: notation.SelectRange, Range: &notation.RangeExpr{Span: at, End: &notation.Edge{Span: at, Last: true}, Before: true}}
	w.put("open", codes.SelectEnd, codes.SelectEnd, s, i, first)
	w.put("open", codes.SelectEnd, codes.SelectEnd, s, i, last)
}

func withRange(sel *notation.Selector, r notation.RangeExpr) *notation.Selector {
	out := *sel
	out.Kind, out.Value, out.Range = notation.SelectRange, nil, &r
	return &out
}

func orNothing(e notation.Expr) notation.Expr {
	if e == nil {
		return &notation.Truth{}
	}
	return e
}

// fromLast reports whether a position is counted from the last.
func fromLast(e notation.Expr) bool {
	found := false
	notation.Walk(e, func(n notation.Node) bool {
		if x, ok := n.(*notation.Edge); ok && x.Last {
			found = true
		}
		return !found
	})
	return found
}

// rangeSelector changes each end and the step of a range, and both ends together.
func (w *maker) rangeSelector(s *notation.Selection, i int, sel *notation.Selector) {
	r := *sel.Range
	put := func(operator string, cause, undoes codes.Code, change func(r *notation.RangeExpr)) {
		c := r
		change(&c)
		if c.From == nil && c.End == nil && c.By == nil {
			return // the whole axis, which is put below
		}
		w.put(operator, cause, undoes, s, i, withRange(sel, c))
	}
	end := func(operator string, change func(r *notation.RangeExpr)) {
		put(operator, codes.SelectEnd, codes.SelectEnd, change)
	}
	for _, k := range []int64{1, -1} {
		from, okFrom := r.From, false
		if r.From != nil {
			from, okFrom = w.offset(r.From, k)
		}
		to, okTo := r.End, false
		if r.End != nil {
			to, okTo = w.offset(r.End, k)
		}
		made, undone := w.shiftCauses(k)
		if okFrom {
			if _, edge := notation.Strip(orNothing(r.End)).(*notation.Edge); r.End == nil && r.By == nil {
				// Not the other base's start: one more, or one fewer, is taken in.
				startMade, startUndone := made, undone
				if startMade != codes.UnitFirst || fromLast(r.From) {
					startMade = codes.SelectEnd
				}
				if startUndone != codes.UnitFirst || fromLast(r.From) {
					startUndone = codes.SelectEnd
				}
				put("shift", startMade, startUndone, func(r *notation.RangeExpr) { r.From = from })
			} else if r.End == nil || edge {
				put("shift", made, undone, func(r *notation.RangeExpr) { r.From = from })
			} else {
				end("range", func(r *notation.RangeExpr) { r.From = from })
			}
		}
		if okTo {
			end("range", func(r *notation.RangeExpr) { r.End = to })
		}
		if okFrom && okTo {
			put("shift", made, undone, func(r *notation.RangeExpr) { r.From, r.End = from, to })
		}
		// A range over all but its ends keeps its length when it is moved.
		if okFrom && r.End == nil {
			last := plusOffset(sel.Span, &notation.Edge{Span: sel.Span, Last: true}, -1)
			if k < 0 {
				end("range", func(r *notation.RangeExpr) { r.From, r.End = from, last })
			}
		}
	}
	if r.End != nil {
		end("range", func(r *notation.RangeExpr) { r.Before = !r.Before })
		end("open", func(r *notation.RangeExpr) { r.End, r.Before = nil, false })
	}
	if r.From != nil {
		end("open", func(r *notation.RangeExpr) { r.From = nil })
		if r.End == nil && r.By == nil {
			// from k against before last - k: the same number, from the other side.
			end("open", func(r *notation.RangeExpr) {
				r.From, r.End, r.Before = nil, &notation.Edge{Span: sel.Span, Last: true}, true
			})
		}
	} else if r.End != nil && r.By == nil {
		end("open", func(r *notation.RangeExpr) {
			r.From, r.End, r.Before = plusOffset(sel.Span, &notation.Edge{Span: sel.Span}, 1), nil, false
		})
	}
	w.steps(s, i, sel, put)
	w.otherEnd(s, i, sel)
	made, undone := codes.StepMissing, codes.StepExtra
	if (r.From == nil) != (r.End == nil) && r.By == nil {
		made, undone = codes.SelectEnd, codes.SelectEnd
	}
	w.put("whole", made, undone, s, i, selector(sel.Span, notation.SelectAll))
	for _, last := range []bool{true, false} {
		w.put("position", codes.AxisDropped, codes.SelectEnd, s, i, withValue(sel, &notation.Edge{Span: sel.Span, Last: last}))
	}
}

// otherEnd takes as many positions from the other end of the axis.
func (w *maker) otherEnd(s *notation.Selection, i int, sel *notation.Selector) {
	r := sel.Range
	if r.By != nil || r.Before {
		return
	}
	first := int64(w.m.Counting)
	from, okFrom := first, r.From == nil
	if n, ok := notation.Strip(orNothing(r.From)).(*notation.Number); ok {
		from, okFrom = n.Int, true
	}
	end, okEnd := notation.Strip(orNothing(r.End)).(*notation.Number)
	if okFrom && okEnd && from == first && end.Int > from {
		last := &notation.Edge{Span: sel.Span, Last: true}
		w.put("other end", codes.SelectShifted, codes.SelectShifted, s, i, withRange(sel, notation.RangeExpr{Span: sel.Span, From: plusOffset(sel.Span, last, from-end.Int), End: last}))
	}
}

func (w *maker) steps(_ *notation.Selection, _ int, sel *notation.Selector, put func(operator string, cause, undoes codes.Code, change func(r *notation.RangeExpr))) {
	r := sel.Range
	step := func(by notation.Expr) {
		put("step", codes.SelectStep, codes.SelectStep, func(r *notation.RangeExpr) { r.By = by })
	}
	if r.By == nil {
		step(number(sel.Span, 2))
		put("reversed", codes.SelectReversed, codes.SelectReversed, func(r *notation.RangeExpr) {
			r.From, r.End = r.End, r.From
			r.By, r.Before = &notation.Unary{Span: sel.Span, Op: "-", Operand: number(sel.Span, 1)}, false
		})
		return
	}
	step(nil)
	switch by := notation.Strip(r.By).(type) {
	case *notation.Number:
		if by.Kind == array.Int {
			step(number(by.Span, by.Int+1))
			if by.Int > 2 {
				step(number(by.Span, by.Int-1))
			}
			put("reversed", codes.SelectReversed, codes.SelectReversed, func(r *notation.RangeExpr) {
				r.From, r.End = r.End, r.From
				r.By, r.Before = &notation.Unary{Span: by.Span, Op: "-", Operand: by}, false
			})
		}
	case *notation.Unary:
		put("reversed", codes.SelectReversed, codes.SelectReversed, func(r *notation.RangeExpr) {
			r.From, r.End, r.By, r.Before = r.End, r.From, by.Operand, false
		})
	}
}
