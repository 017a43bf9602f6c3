package functions

import (
	"fmt"
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func joinOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	axis, ok, d := s.along()
	kind := WidestOf(array.Bool, s.Args...)
	narrower := slices.ContainsFunc(s.Args, func(o Outline) bool { return !o.Is(array.Real) })
	for i := range s.Args {
		// The list [] is real and gives way to narrower kinds.
		if narrower && kind.Kind != array.Complex && s.Args[i].maybeEmptyReal() && len(s.Args) > 1 {
			kind.Known = false
		}
	}
	if d != nil || !ok || !s.Args[0].knowsRank {
		return Outline{}.WithKind(kind), d
	}
	first := &s.Args[0]
	lengths := slices.Clone(first.lengths)
	labels := make([]string, len(lengths))
	known := true
	clash := make([]bool, len(lengths))
	for k := range s.Args {
		a := &s.Args[k]
		if !a.knowsRank {
			lengths[axis] = s.NewLength()
			known = false
			continue
		}
		fits := a.Rank() == first.Rank()
		for i := range lengths {
			if !fits {
				break
			}
			n := a.Dim(i)
			switch {
			case i == axis && k == 0:
			case i == axis && lengths[i] >= 0 && n >= 0:
				lengths[i] += n
			case i == axis:
				lengths[i] = s.NewLength()
			case lengths[i] < 0:
				lengths[i] = n
			default:
				fits = n < 0 || n == lengths[i]
			}
		}
		if !fits {
			return Outline{}.WithKind(kind), joinFault(s.Function.Name, k+s.Counting, a, first,
				"all lengths but the one along the axis must be equal")
		}
		known = known && a.knowsLabels
		for i := range labels {
			l := a.Label(i)
			switch {
			case l == "" || l == labels[i] || clash[i]:
			case labels[i] == "":
				labels[i] = l
			default:
				labels[i], clash[i] = "", true
			}
		}
	}
	out := Outline{}.WithShape(lengths)
	if known {
		out = out.WithLabels(labels)
	}
	return out.WithKind(kind), nil
}

// StackOutlines is what stacking values of one shape on a new first axis gives;
// differs is the first that has another shape for certain, or -1.
func StackOutlines(items []Outline, fresh func() Dim) (out Outline, differs int) {
	if len(items) == 0 {
		return OfDims(array.Real, []Dim{0}, nil), -1
	}
	kind := WidestOf(array.Bool, items...)
	out = items[0]
	numbers := make([]Dim, 0, len(items))
	for i := range items {
		a := &items[i]
		if a.maybeEmptyReal() && kind.Kind != array.Complex {
			kind.Known = kind.Known && a.Is(array.Real) && allEmptyReal(items)
		}
		switch {
		case a.IsScalar() && len(a.numbers) == 1:
			numbers = append(numbers, a.numbers[0])
		case a.IsScalar() && a.Is(array.Int):
			numbers = append(numbers, fresh())
		}
		if i == 0 {
			continue
		}
		if !a.knowsRank || !out.knowsRank {
			if a.knowsRank {
				out = *a
			}
			out = openedLabels(out)
			continue
		}
		if a.Rank() != out.Rank() {
			return Outline{}, i
		}
		lengths := slices.Clone(out.lengths)
		for k := range lengths {
			switch n := a.Dim(k); {
			case lengths[k] < 0:
				lengths[k] = n
			case n >= 0 && n != lengths[k]:
				return Outline{}, i
			}
		}
		merged, _ := MergeOutlines("", fresh, out, *a)
		known := merged.KnowsLabels()
		labels := merged.labels
		out = out.WithShape(lengths)
		if known {
			out = out.WithLabels(labels)
		}
	}
	if !out.knowsRank {
		return Outline{}.WithKind(kind), -1
	}
	labels, known := out.labels, out.knowsLabels
	out = out.WithShape(append([]Dim{Dim(len(items))}, out.lengths...))
	if known {
		if labels != nil {
			labels = withNewLabel(labels, len(out.lengths)-1, 0)
		}
		out = out.WithLabels(labels)
	}
	out = out.WithKind(kind)
	if len(numbers) == len(items) && out.Is(array.Int) && len(items) <= mostNumbers {
		out = out.WithNumbers(numbers)
	}
	return out, -1
}

func allEmptyReal(items []Outline) bool {
	for i := range items {
		if !items[i].Is(array.Real) {
			return false
		}
	}
	return true
}

func stackOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	out, differs := StackOutlines(s.Args, s.NewLength)
	if differs >= 0 {
		return out, joinFault(s.Function.Name, differs+s.Counting, &s.Args[differs], &s.Args[0],
			"arrays that are stacked have one shape; `join` joins unequal ones end to end")
	}
	out = out.WithoutNumbers()
	if !s.Clause || !out.knowsRank {
		return out, nil
	}
	if len(s.Axes) != 1 {
		return Outline{}.WithKind(out.KindOf()), nil
	}
	at := s.Axes[0]
	lengths := slices.Clone(out.lengths)
	n := lengths[0]
	lengths = slices.Insert(slices.Delete(lengths, 0, 1), at, n)
	labels, known := out.labels, out.knowsLabels
	out = out.WithShape(lengths)
	if known {
		if labels != nil {
			labels = withNewLabel(labels[1:], len(lengths)-1, at)
		}
		out = out.WithLabels(labels)
	}
	return out, nil
}

func tiledOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	a := &s.Args[0]
	counts := spelled(s.Args[1:])
	if !a.knowsRank || counts == nil {
		return Outline{}.WithKind(a.KindOf()), nil
	}
	rank := max(a.Rank(), len(counts))
	lengths := make([]Dim, rank)
	for i := range lengths {
		n, times := Dim(1), Dim(1)
		if at := i - (rank - a.Rank()); at >= 0 {
			n = a.Dim(at)
		}
		if at := i - (rank - len(counts)); at >= 0 {
			times = counts[at]
		}
		lengths[i] = s.NewLength()
		if n >= 0 && times >= 0 && n < 1<<20 && times < 1<<20 {
			lengths[i] = n * times
		} else if times == 1 {
			lengths[i] = n
		} else if n == 1 {
			lengths[i] = times
		}
	}
	out := Outline{}.WithShape(lengths)
	if a.knowsLabels {
		labels := make([]string, rank)
		for i := range a.Rank() {
			labels[rank-a.Rank()+i] = a.Label(i)
		}
		out = out.WithLabels(labels)
	}
	return out.WithKind(a.KindOf()), nil
}

// joinFault reports an argument whose shape does not fit the first's.
func joinFault(name string, number int, a, first Form, hint string) *notation.Diagnostic {
	return fault(codes.ShapeJoin, fmt.Sprintf("argument %d of `%s` has the shape %s, the first %s", number, name,
		ShapeOf(a), ShapeOf(first)), hint, ShapeOf(first), ShapeOf(a))
}
