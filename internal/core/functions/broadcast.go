package functions

import (
	"errors"
	"fmt"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// Merge computes the shape and labels that operands broadcast to. what names
// the operation for the message. A label clash leaves a notice.
func Merge(m *Meter, what string, operands ...*array.Array) (shape []int, labels []string, d *notation.Diagnostic) {
	shapes := make([][]int, len(operands))
	for i, a := range operands {
		shapes[i] = a.Shape()
	}
	shape, err := array.BroadcastShape(shapes...)
	if e := (*array.BroadcastError)(nil); errors.As(err, &e) {
		return nil, nil, unfit(what, e, operands[e.A], operands[e.B])
	}
	labels, clashes := array.BroadcastLabels(len(shape), operands...)
	noteClashes(m, what, len(shape), clashes, operands)
	return shape, labels, nil
}

func noteClashes(m *Meter, what string, rank int, clashes []array.LabelClash, operands []*array.Array) {
	if len(clashes) == 0 {
		return
	}
	c := clashes[0]
	shapes := make([]notation.Shape, len(operands))
	for i, a := range operands {
		shapes[i] = ShapeOf(a)
		shapes[i].Mark = c.Axis - (rank - a.Rank())
	}
	m.Notice(codes.NoticeLabels, fmt.Sprintf("%s aligns the axis `%s` with the axis `%s`; the result's axis has no label",
		what, c.A, c.B),
		"check that the right axes meet; `new` and `transpose` move them", shapes...)
}

// unfit says which pair of lengths does not fit, and the insertion of new that
// would make it fit when there is one.
func unfit(what string, e *array.BroadcastError, a, b Form) *notation.Diagnostic {
	sa, sb := ShapeOf(a), ShapeOf(b)
	sa.Mark, sb.Mark = a.Rank()-e.Axis, b.Rank()-e.Axis
	message := fmt.Sprintf("%s: the shapes %s and %s do not fit: %s against %s on %s", what, sa, sb,
		cell(sa), cell(sb), axisFromEnd(e.Axis))
	hint := insertion(a, b)
	if hint == "" {
		hint = "lengths fit when they are equal or one is 1, counted from the last axis; select, reduce or transpose one side"
	}
	return fault(codes.ShapeBroadcast, message, hint, sa, sb)
}

func cell(s notation.Shape) string {
	if l := s.Label(s.Mark); l != "" {
		return fmt.Sprintf("%s=%d", l, s.Lengths[s.Mark])
	}
	return fmt.Sprint(s.Lengths[s.Mark])
}

func axisFromEnd(n int) string {
	switch n {
	case 1:
		return "the last axis"
	case 2:
		return "the axis before the last"
	}
	return fmt.Sprintf("the axis %d before the last", n-1)
}

// insertion offers new at one or two places of the operand with fewer axes when
// that makes the shapes fit; labels that agree decide between several.
func insertion(a, b Form) string {
	side := "right"
	small, large := b, a
	if a.Rank() < b.Rank() {
		side, small, large = "left", a, b
	}
	best, bestScore := "", -1
	tried := small.Rank()
	for at := 0; at <= tried; at++ {
		for more := 1; more <= 2; more++ {
			shape := make([]int, 0, tried+more)
			labels := make([]string, 0, tried+more)
			for i := 0; i <= tried; i++ {
				if i == at {
					for range more {
						shape, labels = append(shape, 1), append(labels, "")
					}
				}
				if i < tried {
					shape, labels = append(shape, small.Len(i)), append(labels, small.Label(i))
				}
			}
			if len(shape) > max(large.Rank(), tried+1) {
				continue
			}
			if _, err := array.BroadcastShape(shape, lengthsOf(large)); err != nil {
				continue
			}
			if score := agreement(shape, labels, large); score > bestScore {
				best, bestScore = spell(tried, at, more), score
			}
		}
	}
	if best == "" {
		return ""
	}
	return fmt.Sprintf("give the %s side an axis of length 1: `x[%s]`", side, best)
}

// agreement counts axes on which labels or, less, lengths agree.
func agreement(shape []int, labels []string, large Form) int {
	score := 0
	for i := range shape {
		j := large.Rank() - len(shape) + i
		if j < 0 {
			continue
		}
		if labels[i] != "" && labels[i] == large.Label(j) {
			score += 10
		}
		if shape[i] == large.Len(j) {
			score++
		}
	}
	return score
}

func spell(rank, at, more int) string {
	var parts []string
	for i := 0; i <= rank; i++ {
		if i == at {
			for range more {
				parts = append(parts, "new")
			}
		}
		if i < rank {
			parts = append(parts, "all")
		}
	}
	return strings.Join(parts, ", ")
}
