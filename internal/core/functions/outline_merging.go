package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// KindOutline is a kind that may be unknown.
type KindOutline struct {
	Kind  array.Kind
	Known bool
}

// KindKnown is a kind for certain.
func KindKnown(k array.Kind) KindOutline { return KindOutline{k, true} }

// KindOf is the kind an outline knows.
func (o *Outline) KindOf() KindOutline { return KindOutline{o.kind, o.knowsKind} }

// AtLeast is the kind widened to another at least.
func (k KindOutline) AtLeast(least array.Kind) KindOutline {
	if k.Known {
		return KindKnown(array.Wider(k.Kind, least))
	}
	if least == array.Complex {
		return KindKnown(least)
	}
	return k
}

// WidestOf is the kind that values widen to.
func WidestOf(least array.Kind, values ...Outline) KindOutline {
	k := KindKnown(least)
	for i := range values {
		if !values[i].knowsKind {
			k.Known = false
			continue
		}
		k.Kind = array.Wider(k.Kind, values[i].kind)
	}
	if k.Kind == array.Complex {
		k.Known = true
	}
	return k
}

// MergeOutlines computes the shape that the operands of an operator or function
// broadcast to; an error when two known lengths cannot meet. The kind is left open.
func MergeOutlines(word string, fresh func() Dim, operands ...Outline) (Outline, *notation.Diagnostic) {
	rank := 0
	for i := range operands {
		if !operands[i].knowsRank {
			return Outline{}, nil
		}
		rank = max(rank, operands[i].Rank())
	}
	if len(operands) == 2 {
		big, small := &operands[0], &operands[1]
		if small.Rank() > big.Rank() {
			big, small = small, big
		}
		if big.takesIn(small) {
			return Outline{}.WithShape(big.lengths).WithLabels(big.labels), nil
		}
	}
	var near [8]int
	lengths, owner := make([]Dim, rank), near[:0]
	for at := range lengths {
		owner = append(owner, 0)
		lengths[at] = 1
	}
	for k := range operands {
		o := &operands[k]
		shift := rank - o.Rank()
		for i, n := range o.lengths {
			at := shift + i
			have := lengths[at]
			switch {
			case have == 1:
				lengths[at], owner[at] = n, k
			case n == 1 || n == have || (have == 0 && n < 0):
			case n >= 0 && have >= 0:
				return Outline{}, unfit("`"+word+"`", &array.BroadcastError{A: owner[at], B: k, Axis: rank - at},
					operands[owner[at]].Told(), o.Told())
			case n >= 0:
				lengths[at], owner[at] = n, k
			case have < 0:
				lengths[at] = fresh()
			}
		}
	}
	out := Outline{}.WithShape(lengths)
	labels, ok := mergedLabels(rank, operands)
	if !ok {
		return out, nil
	}
	return out.WithLabels(labels), nil
}

// takesIn reports whether an outline broadcast with one of no more axes has its own
// lengths and labels, as most have.
func (o *Outline) takesIn(small *Outline) bool {
	if !o.KnowsLabels() || !small.KnowsLabels() {
		return false
	}
	shift := o.Rank() - small.Rank()
	for i, n := range small.lengths {
		if n != 1 && n != o.lengths[shift+i] || small.Label(i) != "" && small.Label(i) != o.Label(shift+i) {
			return false
		}
	}
	return o.labels == nil || slices.ContainsFunc(o.labels, func(l string) bool { return l != "" })
}

// mergedLabels keeps of each axis the label that all operands agree on; nil when no axis
// was labelled, and ok false when the labels of an operand are not known.
func mergedLabels(rank int, operands []Outline) (labels []string, ok bool) {
	var seen []bool
	for k := range operands {
		o := &operands[k]
		if !o.KnowsLabels() {
			return nil, false
		}
		shift := rank - o.Rank()
		for i, l := range o.labels {
			at := shift + i
			switch {
			case l == "" || labels != nil && l == labels[at]:
			case labels == nil || !seen[at]:
				if labels == nil {
					labels, seen = make([]string, rank), make([]bool, rank)
				}
				labels[at], seen[at] = l, true
			default:
				labels[at] = ""
			}
		}
	}
	return labels, true
}
