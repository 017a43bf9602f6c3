package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// extremeOutline: over one axis a position for each place of the others; over all
// of several axes one position.
func extremeOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	a := &s.Args[0]
	kind := KindKnown(array.Int)
	if !a.knowsRank || s.Clause && s.Axes == nil || s.flag("keep") {
		return Outline{}.WithKind(kind), nil
	}
	n := a.Rank()
	if s.Clause {
		n = len(s.Axes)
	}
	if n == 1 {
		return s.reducedOutline().WithKind(kind), nil
	}
	if n == a.Rank() {
		if n == 0 {
			return Outline{}.WithKind(kind), nil
		}
		return OfDims(array.Int, []Dim{Dim(n)}, nil), nil
	}
	return Outline{}.WithKind(kind), nil
}

func windowsOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	axis, ok, d := s.along()
	a := &s.Args[0]
	if d != nil || !ok || !a.knowsRank {
		return Outline{}.WithKind(a.KindOf()), d
	}
	k := s.numberOr(1)
	lengths := append(slices.Clone(a.lengths), k)
	switch n := a.lengths[axis]; {
	case n >= 0 && k > 0:
		lengths[axis] = max(n-k+1, 0)
	default:
		lengths[axis] = s.NewLength()
	}
	out := Outline{}.WithShape(lengths)
	if a.knowsLabels {
		out = out.WithLabels(withNewLabel(a.labels, a.Rank(), a.Rank()))
	}
	return out.WithKind(a.KindOf()), nil
}

func vectorAsMatrix(at int) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		a := &s.Args[0]
		lengths := []Dim{1, 1}
		lengths[1-at] = s.lengthOf(0, 0)
		out := Outline{}.WithShape(lengths)
		if a.KnowsLabels() && a.Rank() == 1 {
			out = out.WithLabels(withNewLabel(a.labels, 1, at))
		}
		return out.WithKind(a.KindOf()), nil
	}
}

func withoutOnesOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	a := &s.Args[0]
	out := Outline{}
	if a.knowsRank {
		lengths, labels := []Dim{}, []string{}
		for i, n := range a.lengths {
			if n < 0 {
				return out.WithKind(a.KindOf()), nil
			}
			if n != 1 {
				lengths, labels = append(lengths, n), append(labels, a.Label(i))
			}
		}
		out = out.WithShape(lengths)
		if a.knowsLabels {
			out = out.WithLabels(labels)
		}
	}
	return out.WithKind(a.KindOf()), nil
}

func reshapeOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	a := &s.Args[0]
	args := s.Args[1:]
	out := Outline{}
	var lengths []Dim
	known, hole := true, -1
	for i := range args {
		if args[i].numbers == nil {
			if n, ok := args[i].Size(); !ok || n > 0 || len(args) > 1 {
				known = false
			}
			continue
		}
		for _, n := range args[i].numbers {
			if n == auto {
				if hole >= 0 {
					known = false
				}
				hole = len(lengths)
			} else if n < 0 && n.Known() {
				known = false
			}
			lengths = append(lengths, n)
		}
	}
	if !known {
		return out.WithKind(a.KindOf()), nil
	}
	size, sized := a.Size()
	if hole >= 0 {
		lengths[hole] = s.NewLength()
		rest := Dim(1)
		for i, n := range lengths {
			if i != hole {
				if n < 0 || rest > 1<<31 {
					rest = -1
					break
				}
				rest *= n
			}
		}
		if sized && rest > 0 && Dim(size)%rest == 0 {
			lengths[hole] = Dim(size) / rest
		}
	}
	out = out.WithShape(lengths).WithLabels(nil).WithKind(a.KindOf())
	if n, ok := out.Size(); hole < 0 && sized && ok && n != size {
		return Outline{}, sizeFault(a, size, ShapeOf(&out), n)
	}
	return out, nil
}

func reversedAxes(a Outline) Outline {
	out := a.WithoutNumbers()
	out.lengths = slices.Clone(a.lengths)
	slices.Reverse(out.lengths)
	if a.labels != nil {
		out.labels = slices.Clone(a.labels)
		slices.Reverse(out.labels)
	}
	return out
}

func transposeOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	a := s.Args[0]
	to, ok := s.option("to")
	if !ok {
		return reversedAxes(a), nil
	}
	unknown := Outline{}.WithKind(a.KindOf())
	if !a.knowsRank || to.Axes == nil {
		return unknown, nil
	}
	order := []int{}
	for _, ref := range to.Axes {
		axis := ref.Number
		if ref.Label != "" {
			if !a.knowsLabels {
				return unknown, nil
			}
			var d *notation.Diagnostic
			if axis, d = FindLabel(&a, ref.Label, s.Counting); d != nil {
				return unknown, d
			}
		}
		if slices.Contains(order, axis) {
			return unknown, twiceInTo(&a, axis, s.Counting)
		}
		order = append(order, axis)
	}
	if len(order) != a.Rank() {
		return unknown, notAllInTo(&a, len(order))
	}
	lengths, labels := make([]Dim, len(order)), make([]string, len(order))
	for i, axis := range order {
		lengths[i], labels[i] = a.Dim(axis), a.Label(axis)
	}
	out := Outline{}.WithShape(lengths)
	if a.knowsLabels {
		out = out.WithLabels(labels)
	}
	return out.WithKind(a.KindOf()), nil
}

func labelledOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	out := s.Args[0]
	axes, _ := s.option("axes")
	if axes.Axes == nil || !out.knowsRank || len(axes.Axes) != out.Rank() {
		return openedLabels(out), nil
	}
	labels := make([]string, out.Rank())
	for i, ref := range axes.Axes {
		if ref.Label != "_" {
			labels[i] = ref.Label
		}
	}
	return out.WithLabels(labels), nil
}
