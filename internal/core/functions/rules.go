package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// Rule says what a call gives before any run: what is known of the result, or an
// error that the call must end in whenever it is reached.
type Rule func(s *Sketch) (Outline, *notation.Diagnostic)

// kindRule tells a result's kind from the arguments.
type kindRule func(args []Outline) KindOutline

func keeps(args []Outline) KindOutline { return args[0].KindOf() }

func countable(args []Outline) KindOutline { return args[0].KindOf().AtLeast(array.Int) }

func widest(args []Outline) KindOutline { return WidestOf(array.Bool, args...) }

func widestCount(args []Outline) KindOutline { return WidestOf(array.Int, args...) }

func always(k array.Kind) kindRule {
	return func([]Outline) KindOutline { return KindKnown(k) }
}

// realOrComplex is complex for complex arguments and real for all others.
func realOrComplex(args []Outline) KindOutline { return WidestOf(array.Real, args...) }

// modulusKind is int for bool and int, real for wider kinds.
func modulusKind(args []Outline) KindOutline {
	k := args[0].KindOf().AtLeast(array.Int)
	if k.Known && k.Kind == array.Complex {
		k.Kind = array.Real
	}
	return k
}

// like gives a result of the first argument's shape and labels.
func like(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) { return s.Args[0].WithKind(kind(s.Args)), nil }
}

// scalar gives a result without axes.
func scalar(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		return OfDims(array.Bool, nil, nil).WithKind(kind(s.Args)), nil
	}
}

// broadcast gives a result of the shape the arguments broadcast to.
func broadcast(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		out, d := MergeOutlines(s.Function.Name, s.NewLength, s.Args...)
		return out.WithKind(kind(s.Args)), d
	}
}

// oneAxis gives a result of one axis without label.
func oneAxis(kind kindRule, length func(s *Sketch) Dim) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		return OfDims(array.Bool, []Dim{length(s)}, nil).WithKind(kind(s.Args)), nil
	}
}

func unknownLength(s *Sketch) Dim { return s.NewLength() }

// word reads an option of a bare word.
func (s *Sketch) word(name string) string {
	o, _ := s.option(name)
	return o.Word
}

// flag reads an option that is true or false; known is false when it is computed.
func (s *Sketch) flag(name string) (given bool) {
	_, given = s.option(name)
	return given
}

// reduced gives what a reduction leaves; a `keep:` that is computed leaves the shape open.
func reduced(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := s.reducedOutline()
		return out.WithKind(kind(s.Args)), nil
	}
}

// How `keep:` can be spelled; the walker of the tree gives the word of a literal.
const (
	keepTrue  = "true"
	keepFalse = "false"
)

func (s *Sketch) reducedOutline() Outline {
	a := &s.Args[0]
	keep := keepFalse
	if s.flag("keep") {
		keep = s.word("keep")
	}
	if s.Clause && s.Axes == nil || !a.knowsRank && (s.Clause || keep == keepTrue) {
		return Outline{}
	}
	if keep == "" {
		return Outline{}
	}
	gone := func(axis int) bool { return !s.Clause || slices.Contains(s.Axes, axis) }
	left := NewAxes(a)
	for i, n := range a.lengths {
		if gone(i) && keep == keepFalse {
			continue
		}
		if gone(i) {
			n = 1
		}
		left.Add(n, a.Label(i))
	}
	lengths, labels := left.Lengths, left.Labels
	out := Outline{}.WithShape(lengths)
	if a.knowsLabels || len(lengths) == 0 {
		out = out.WithLabels(labels)
	}
	return out
}

// behindFirst puts a new first axis before what a reduction leaves.
func behindFirst(kind kindRule, length func(s *Sketch) Dim) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := s.reducedOutline()
		if !out.knowsRank {
			return Outline{}.WithKind(kind(s.Args)), nil
		}
		labels, known := out.labels, out.knowsLabels
		n := length(s)
		out = out.WithShape(append([]Dim{n}, out.lengths...))
		if known {
			out = out.WithLabels(withNewLabel(labels, len(out.lengths)-1, 0))
		}
		return out.WithKind(kind(s.Args)), nil
	}
}

// withNewLabel puts an axis without label among labels.
func withNewLabel(labels []string, rank, at int) []string {
	full := make([]string, rank)
	copy(full, labels)
	return slices.Insert(full, at, "")
}

// along resolves the axis a call works through; ok is false when it is not known.
func (s *Sketch) along() (axis int, ok bool, d *notation.Diagnostic) {
	a := &s.Args[0]
	switch {
	case s.Clause:
		if len(s.Axes) != 1 {
			return 0, false, nil
		}
		return s.Axes[0], true, nil
	case !a.knowsRank:
		return 0, false, nil
	}
	c := Call{Function: s.Function, Counting: s.Counting}
	axis, d = c.alongOf(a)
	return axis, d == nil, d
}

// through gives the first argument with another length along the axis.
func through(kind kindRule, length func(s *Sketch, n Dim) Dim) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		axis, ok, d := s.along()
		if d != nil {
			return Outline{}, d
		}
		out := s.Args[0].WithKind(kind(s.Args))
		if !out.knowsRank {
			return out, nil
		}
		lengths := slices.Clone(out.lengths)
		for i, n := range lengths {
			switch {
			case ok && i == axis:
				lengths[i] = length(s, n)
			case !ok && length(s, n) != n:
				lengths[i] = s.NewLength()
			}
		}
		out.lengths = lengths
		return out, nil
	}
}

func sameLength(_ *Sketch, n Dim) Dim { return n }

// spelled reads the lengths that arguments give; nil when they are not known.
func spelled(args []Outline) []Dim {
	lengths := []Dim{}
	for i := range args {
		a := &args[i]
		if a.numbers == nil || !a.knowsRank {
			if n, ok := a.Size(); ok && n == 0 && len(args) == 1 && a.Rank() == 1 {
				return lengths
			}
			return nil
		}
		for _, n := range a.numbers {
			if n < 0 && n.Known() {
				return nil
			}
			lengths = append(lengths, n)
		}
	}
	return lengths
}

// shapeFrom gives a result of the shape that arguments give.
func shapeFrom(kind kindRule, pick func(args []Outline) []Outline) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		args := pick(s.Args)
		out := Outline{}
		if lengths := spelled(args); lengths != nil {
			out = out.WithShape(lengths).WithLabels(nil)
		} else if len(args) > 0 && allScalars(args) {
			lengths := make([]Dim, len(args))
			for i := range lengths {
				lengths[i] = s.NewLength()
			}
			out = out.WithShape(lengths).WithLabels(nil)
		}
		return out.WithKind(kind(s.Args)), nil
	}
}

func allScalars(args []Outline) bool {
	for i := range args {
		if !args[i].IsScalar() {
			return false
		}
	}
	return true
}

func firstOnly(args []Outline) []Outline { return args[:1] }

func allArgs(args []Outline) []Outline { return args }

// matrixFrom gives a matrix without labels.
func matrixFrom(kind kindRule, lengths func(s *Sketch) (rows, columns Dim)) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		rows, columns := lengths(s)
		return OfDims(array.Bool, []Dim{rows, columns}, nil).WithKind(kind(s.Args)), nil
	}
}

// lengthOf is an argument's length on an axis, or a new one.
func (s *Sketch) lengthOf(arg, axis int) Dim {
	if a := &s.Args[arg]; a.knowsRank && axis < a.Rank() {
		return a.Dim(axis)
	}
	return s.NewLength()
}

// numberOf is an argument's value when it is an int that is known or named.
func (s *Sketch) numberOf(arg int) (Dim, bool) {
	if a := &s.Args[arg]; a.IsScalar() && len(a.numbers) == 1 {
		return a.numbers[0], true
	}
	return 0, false
}

// square wraps a rule for functions of a square matrix.
func square(rule Rule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		a := &s.Args[0]
		if a.knowsRank && (a.Rank() != 2 || a.Dim(0) >= 0 && a.Dim(1) >= 0 && a.Dim(0) != a.Dim(1)) {
			c := Call{Function: s.Function}
			return Outline{}, c.squareFault(a)
		}
		return rule(s)
	}
}

// ranked wraps a rule for functions whose first argument has so many axes.
func ranked(rank int, rule Rule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		if a := &s.Args[0]; a.knowsRank {
			c := Call{Function: s.Function}
			if d := c.wantRank(a, rank); d != nil {
				return Outline{}, d
			}
		}
		return rule(s)
	}
}
