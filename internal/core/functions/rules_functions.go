package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// Rules, kinds and lengths that one function or two have.

func normOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	if s.flag("kind") {
		return ranked(2, scalar(always(array.Real)))(s)
	}
	return reduced(always(array.Real))(s)
}

func positionsOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	a := &s.Args[0]
	switch {
	case !a.knowsRank:
		return Outline{}.WithKind(KindKnown(array.Int)), nil
	case a.Rank() == 1:
		return OfDims(array.Int, []Dim{s.NewLength()}, nil), nil
	}
	return OfDims(array.Int, []Dim{s.NewLength(), Dim(a.Rank())}, nil), nil
}

func lengthOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	out := OfDims(array.Int, nil, nil)
	axis, ok, d := s.along()
	if ok && s.Args[0].knowsRank {
		out = out.WithNumbers([]Dim{s.Args[0].Dim(axis)})
	}
	return out, d
}

func indicesOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	axis, ok, d := s.along()
	if ok && s.Args[0].knowsRank {
		return OfDims(array.Int, []Dim{s.Args[0].Dim(axis)}, nil), nil
	}
	return OfDims(array.Int, []Dim{s.NewLength()}, nil), d
}

func axisCountOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	out := OfDims(array.Int, nil, nil)
	if s.Args[0].knowsRank {
		out = out.WithNumbers([]Dim{Dim(s.Args[0].Rank())})
	}
	return out, nil
}

func sizeOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	out := OfDims(array.Int, nil, nil)
	if n, ok := s.Args[0].Size(); ok {
		return out.WithNumbers([]Dim{Dim(n)}), nil
	}
	if a := &s.Args[0]; a.knowsRank && a.Rank() == 1 {
		return out.WithNumbers([]Dim{a.Dim(0)}), nil
	}
	return out, nil
}

func shapeOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	if a := &s.Args[0]; a.knowsRank {
		return OfDims(array.Int, []Dim{Dim(a.Rank())}, nil).WithNumbers(slices.Clone(a.lengths)), nil
	}
	return OfDims(array.Int, []Dim{s.NewLength()}, nil), nil
}

func sampledOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	out := s.Args[0].WithoutNumbers()
	if out.knowsRank && out.Rank() > 0 {
		out.lengths = slices.Clone(out.lengths)
		out.lengths[0] = s.numberOr(1)
	}
	return out, nil
}

func conjugateTransposeOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	return reversedAxes(s.Args[0]), nil
}

func solveOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	return openedLabels(s.Args[1]).WithKind(realOrComplex(s.Args)), nil
}

func leastSquaresOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	b := &s.Args[1]
	if !b.knowsRank || b.Rank() == 0 {
		return Outline{}.WithKind(realOrComplex(s.Args)), nil
	}
	lengths := slices.Clone(b.lengths)
	lengths[0] = s.lengthOf(0, 1)
	return Outline{}.WithShape(lengths).WithKind(realOrComplex(s.Args)), nil
}

func covarianceOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	if len(s.Args) == 2 {
		return OfDims(array.Real, nil, nil), nil
	}
	return Outline{}.WithKind(KindKnown(array.Real)), nil
}

// branchKind is the kind of `pick`: the wider of its branches.
func branchKind(args []Outline) KindOutline { return WidestOf(array.Bool, args[1:]...) }

// valueKind is the kind of the second argument.
func valueKind(args []Outline) KindOutline { return args[1].KindOf() }

// unknownKind is that of eigenvalues, which the values decide.
func unknownKind([]Outline) KindOutline { return KindOutline{} }

// matPowerKind is int for ints only where the power is known not to be negative.
func matPowerKind(args []Outline) KindOutline {
	k := args[0].KindOf().AtLeast(array.Int)
	if n, ok := args[1].Number(); k.Known && k.Kind == array.Int && (!ok || n < 0) {
		k.Known = false
	}
	return k
}

// kindAlone leaves the shape open.
func kindAlone(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		return Outline{}.WithKind(kind(s.Args)), nil
	}
}

// Lengths along an axis.

func oneShorter(s *Sketch, n Dim) Dim {
	if n > 0 {
		return n - 1
	}
	return s.NewLength()
}

func groups(s *Sketch, _ Dim) Dim { return s.numberOr(2) }

func timesAsLong(s *Sketch, n Dim) Dim {
	if k, ok := s.numberOf(1); ok && k.Known() && n >= 0 && k >= 0 {
		return n * k
	}
	return s.NewLength()
}

// Lengths of a result's one axis.

func firstLength(s *Sketch) Dim { return s.lengthOf(0, 0) }

func thirdNumber(s *Sketch) Dim { return s.numberOr(2) }

func fiveLong(*Sketch) Dim { return 5 }

func bins(s *Sketch) Dim {
	if n := s.lengthOf(1, 0); n > 0 {
		return n - 1
	}
	return s.NewLength()
}

func diagonalLength(s *Sketch) Dim {
	if a := &s.Args[0]; !s.flag("offset") && a.knowsRank {
		return smaller(s, a.Dim(0), a.Dim(1))
	}
	return s.NewLength()
}

func wholeSize(s *Sketch) Dim {
	a := &s.Args[0]
	if n, ok := a.Size(); ok {
		return Dim(n)
	}
	if a.knowsRank && a.Rank() == 1 {
		return a.Dim(0)
	}
	return s.NewLength()
}

func smallerSide(s *Sketch) Dim { return smaller(s, s.lengthOf(0, 0), s.lengthOf(0, 1)) }

func convolvedLength(s *Sketch) Dim {
	if n, m := s.lengthOf(0, 0), s.lengthOf(1, 0); n > 0 && m > 0 {
		return n + m - 1
	}
	return s.NewLength()
}

func coefficients(s *Sketch) Dim {
	if n, ok := s.Args[2].Number(); ok && n >= 0 {
		return Dim(n + 1)
	}
	return s.NewLength()
}

// Sides of a matrix.

func squareOfNumber(s *Sketch) (rows, columns Dim) {
	n := s.numberOr(0)
	return n, n
}

func diagonalSides(s *Sketch) (rows, columns Dim) {
	n := s.lengthOf(0, 0)
	if s.flag("offset") {
		n = s.NewLength()
	}
	return n, n
}

func sidesExchanged(s *Sketch) (rows, columns Dim) { return s.lengthOf(0, 1), s.lengthOf(0, 0) }

func sameSides(s *Sketch) (rows, columns Dim) { return s.lengthOf(0, 0), s.lengthOf(0, 0) }

func bothSizes(s *Sketch) (rows, columns Dim) {
	size := func(k int) Dim {
		if n, ok := s.Args[k].Size(); ok {
			return Dim(n)
		}
		return s.lengthOf(k, 0)
	}
	return size(0), size(1)
}

// openedLabels leaves the labels open.
func openedLabels(o Outline) Outline {
	o.labels, o.knowsLabels = nil, false
	return o
}

func withOpenLabels(rule Rule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		out, d := rule(s)
		return openedLabels(out), d
	}
}

// likeSecond gives a result of the second argument's shape and labels.
func likeSecond(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) { return s.Args[1].WithKind(kind(s.Args)), nil }
}

func (s *Sketch) numberOr(arg int) Dim {
	if n, ok := s.numberOf(arg); ok && (n >= 0 || !n.Known()) {
		return n
	}
	return s.NewLength()
}

func smaller(s *Sketch, a, b Dim) Dim {
	if a == b || a >= 0 && b >= 0 {
		return min(a, b)
	}
	return s.NewLength()
}

// percentileOutline has a new first axis for an array of percentages, and none for one.
func percentileOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	p := &s.Args[1]
	switch {
	case !p.knowsRank:
		return Outline{}.WithKind(KindKnown(array.Real)), nil
	case p.Rank() == 0:
		return reduced(always(array.Real))(s)
	}
	return behindFirst(always(array.Real), func(*Sketch) Dim { return p.Dim(0) })(s)
}
