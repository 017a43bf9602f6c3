package functions

import (
	"fmt"
	"slices"

	"nimbusreach/core/array"
	"nimbusreach/core/notation"
)

// Rule tells what a call gives before any run: what is known of the result, or an
// error that the call must end in whenever it is reached.
type Rule func(s *Sketch) (Outline, *notation.Diagnostic)

// outlines has the rule of every function.
var outlines = map[string]Rule{}

// ruleFor gives functions one rule.
func ruleFor(rule Rule, names ...string) {
	for _, n := range names {
		outlines[n] = rule
	}
}

// kindRule tells a result's kind from the arguments.
type kindRule func(args []Outline) KindOutline

func keeps(args []Outline) KindOutline       { return args[0].KindOf() }
func countable(args []Outline) KindOutline   { return args[0].KindOf().AtLeast(array.Int) }
func widest(args []Outline) KindOutline      { return WidestOf(array.Bool, args...) }
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
		return Outlined(array.Bool, nil, nil).WithKind(kind(s.Args)), nil
	}
}

// stretched gives a result of the shape the arguments broadcast to.
func stretched(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		out, d := MergeOutlines(s.Function.Name, s.NewLength, s.Args...)
		return out.WithKind(kind(s.Args)), d
	}
}

// oneAxis gives a result of one axis without label.
func oneAxis(kind kindRule, length func(s *Sketch) int) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		return Outlined(array.Bool, []int{length(s)}, nil).WithKind(kind(s.Args)), nil
	}
}

func unknownLength(s *Sketch) int { return s.NewLength() }

// word reads an option of a bare word.
func (s *Sketch) word(name string) string {
	o, _ := s.option(name)
	return o.Word
}

// flag reads an option that is true or false; known is false when it is worked out.
func (s *Sketch) flag(name string) (given bool) {
	_, given = s.option(name)
	return given
}

// collapse gives what a reduction leaves; keep: that is not spelled leaves the
// shape open.
func collapse(kind kindRule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := s.collapsed()
		return out.WithKind(kind(s.Args)), nil
	}
}

// How `keep:` can be spelled; the walker of the tree gives the word of a literal.
const (
	keepTrue  = "true"
	keepFalse = "false"
)

func (s *Sketch) collapsed() Outline {
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
	left := Room(a)
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
func behindFirst(kind kindRule, length func(s *Sketch) int) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := s.collapsed()
		if !out.knowsRank {
			return Outline{}.WithKind(kind(s.Args)), nil
		}
		labels, known := out.labels, out.knowsLabels
		n := length(s)
		if n == noAxis {
			return out.WithKind(kind(s.Args)), nil
		}
		if n == anyAxis {
			return Outline{}.WithKind(kind(s.Args)), nil
		}
		out = out.WithShape(append([]int{n}, out.lengths...))
		if known {
			out = out.WithLabels(withNewLabel(labels, len(out.lengths)-1, 0))
		}
		return out.WithKind(kind(s.Args)), nil
	}
}

// What the length of a new axis can be beside a length.
const (
	noAxis  = 1 << 41 // there is none
	anyAxis = noAxis + 1
)

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
func through(kind kindRule, length func(s *Sketch, n int) int) Rule {
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

func sameLength(_ *Sketch, n int) int { return n }

// spelled reads the lengths that arguments spell; nil when they are not known.
func spelled(args []Outline) []int {
	lengths := []int{}
	for i := range args {
		a := &args[i]
		if a.numbers == nil || !a.knowsRank {
			if n, ok := a.Size(); ok && n == 0 && len(args) == 1 && a.Rank() == 1 {
				return lengths
			}
			return nil
		}
		for _, n := range a.numbers {
			if n < 0 && IsKnown(n) {
				return nil
			}
			lengths = append(lengths, n)
		}
	}
	return lengths
}

// shapeFrom gives a result of the shape that arguments spell.
func shapeFrom(kind kindRule, pick func(args []Outline) []Outline) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		args := pick(s.Args)
		out := Outline{}
		if lengths := spelled(args); lengths != nil {
			out = out.WithShape(lengths).WithLabels(nil)
		} else if len(args) > 0 && allScalars(args) {
			lengths := make([]int, len(args))
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
func allArgs(args []Outline) []Outline   { return args }

// matrixFrom gives a matrix without labels.
func matrixFrom(kind kindRule, lengths func(s *Sketch) (rows, columns int)) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		rows, columns := lengths(s)
		return Outlined(array.Bool, []int{rows, columns}, nil).WithKind(kind(s.Args)), nil
	}
}

// lengthOf is an argument's length on an axis, or a new one.
func (s *Sketch) lengthOf(arg, axis int) int {
	if a := &s.Args[arg]; a.knowsRank && axis < a.Rank() {
		return a.Len(axis)
	}
	return s.NewLength()
}

// numberOf is an argument's value when it is an int that is known or named.
func (s *Sketch) numberOf(arg int) (int, bool) {
	if a := &s.Args[arg]; a.IsScalar() && len(a.numbers) == 1 {
		return a.numbers[0], true
	}
	return 0, false
}

// square wraps a rule for functions of a square matrix.
func square(rule Rule) Rule {
	return func(s *Sketch) (Outline, *notation.Diagnostic) {
		a := &s.Args[0]
		if a.knowsRank && (a.Rank() != 2 || a.Len(0) >= 0 && a.Len(1) >= 0 && a.Len(0) != a.Len(1)) {
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

func init() {
	ruleFor(like(always(array.Bool)), "bool", "is_nan", "is_finite", "is_in")
	ruleFor(like(always(array.Int)), "int")
	ruleFor(like(always(array.Real)), "real", "cbrt", "degrees", "radians", "erf", "erfc", "expm1", "log1p", "gamma", "log_gamma", "lambert_w",
		"angle", "real_part", "imaginary_part", "inverse_erf", "normal_cdf", "spacing")
	ruleFor(like(realOrComplex), "sqrt", "exp", "log", "log2", "log10", "sin", "cos", "tan", "asin", "acos", "atan", "sinh", "cosh", "tanh", "asinh", "acosh", "atanh")
	ruleFor(like(modulusKind), "abs")
	ruleFor(like(countable), "floor", "ceil", "round", "truncated", "factorial", "sign")
	ruleFor(like(keeps), "conjugate", "shuffled")
	outlines["place_in"] = likeSecond(always(array.Int))
	outlines["polynomial"] = likeSecond(widestCount)
	ruleFor(like(always(array.Real)), "interpolated")
	ruleFor(stretched(always(array.Complex)), "complex", "polar")

	ruleFor(stretched(always(array.Real)), "atan2", "beta", "hypot")
	ruleFor(stretched(always(array.Bool)), "near")
	ruleFor(stretched(always(array.Int)), "gcd", "lcm")
	ruleFor(stretched(widest), "lesser", "greater")
	ruleFor(stretched(widestCount), "clipped", "combinations", "permutations")
	ruleFor(stretched(func(args []Outline) KindOutline { return WidestOf(array.Bool, args[1:]...) }), "pick")

	ruleFor(collapse(always(array.Real)), "median", "var", "std", "sample_var", "sample_std", "log_sum_exp")
	ruleFor(collapse(realOrComplex), "mean")
	ruleFor(collapse(countable), "sum", "product", "extent")
	ruleFor(collapse(keeps), "min", "max")
	ruleFor(collapse(always(array.Int)), "count")
	ruleFor(collapse(always(array.Bool)), "any", "all")
	outlines["norm"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		if s.flag("kind") {
			return ranked(2, scalar(always(array.Real)))(s)
		}
		return collapse(always(array.Real))(s)
	}
	ruleFor(extremeOutline, "min_at", "max_at")
	ruleFor(behindFirst(always(array.Real), func(*Sketch) int { return 5 }), "five_numbers")
	ruleFor(behindFirst(always(array.Real), percentages), "percentile")
	ruleFor(behindFirst(always(array.Int), func(s *Sketch) int {
		if n := s.lengthOf(1, 0); n > 0 {
			return n - 1
		}
		return s.NewLength()
	}), "counts_between")
	outlines["positions"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		a := &s.Args[0]
		switch {
		case !a.knowsRank:
			return Outline{}.WithKind(KindKnown(array.Int)), nil
		case a.Rank() == 1:
			return Outlined(array.Int, []int{s.NewLength()}, nil), nil
		}
		return Outlined(array.Int, []int{s.NewLength(), a.Rank()}, nil), nil
	}

	ruleFor(through(keeps, sameLength), "sort", "reversed", "rotated", "running_min", "running_max")
	ruleFor(through(always(array.Int), sameLength), "sort_order")
	ruleFor(through(countable, sameLength), "running_sum", "running_product")
	ruleFor(through(always(array.Real), sameLength), "gradient")
	ruleFor(through(countable, func(s *Sketch, n int) int {
		if n > 0 {
			return n - 1
		}
		return s.NewLength()
	}), "steps_between")
	ruleFor(through(countable, func(s *Sketch, _ int) int { return s.numberOr(2) }), "totals_by")
	ruleFor(through(keeps, func(s *Sketch, n int) int {
		if k, ok := s.numberOf(1); ok && IsKnown(k) && n >= 0 && k >= 0 {
			return n * k
		}
		return s.NewLength()
	}), "repeated")
	outlines["windows"] = windowsOutline
	outlines["length"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := Outlined(array.Int, nil, nil)
		axis, ok, d := s.along()
		if ok && s.Args[0].knowsRank {
			out = out.WithNumbers([]int{s.Args[0].Len(axis)})
		}
		return out, d
	}
	outlines["indices"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		axis, ok, d := s.along()
		if ok && s.Args[0].knowsRank {
			return Outlined(array.Int, []int{s.Args[0].Len(axis)}, nil), nil
		}
		return Outlined(array.Int, []int{s.NewLength()}, nil), d
	}

	ruleFor(scalar(always(array.Bool)), "is_bool", "is_int", "is_real", "is_complex", "shares")
	outlines["axis_count"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := Outlined(array.Int, nil, nil)
		if s.Args[0].knowsRank {
			out = out.WithNumbers([]int{s.Args[0].Rank()})
		}
		return out, nil
	}
	outlines["size"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := Outlined(array.Int, nil, nil)
		if n, ok := s.Args[0].Size(); ok {
			return out.WithNumbers([]int{n}), nil
		}
		if a := &s.Args[0]; a.knowsRank && a.Rank() == 1 {
			return out.WithNumbers([]int{a.Len(0)}), nil
		}
		return out, nil
	}
	outlines["shape"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		if a := &s.Args[0]; a.knowsRank {
			return Outlined(array.Int, []int{a.Rank()}, nil).WithNumbers(slices.Clone(a.lengths)), nil
		}
		return Outlined(array.Int, []int{s.NewLength()}, nil), nil
	}
	ruleFor(scalar(always(array.Int)), "flat_position")
	outlines["unflat_position"] = oneAxis(always(array.Int), func(s *Sketch) int { return s.lengthOf(0, 0) })

	ruleFor(shapeFrom(always(array.Real), allArgs), "zeros", "ones")
	ruleFor(shapeFrom(always(array.Real), firstOnly), "draw_normal", "draw_uniform")
	ruleFor(shapeFrom(always(array.Int), firstOnly), "draw_integers")
	ruleFor(shapeFrom(func(args []Outline) KindOutline { return args[1].KindOf() }, firstOnly), "filled")
	ruleFor(oneAxis(always(array.Real), func(s *Sketch) int { return s.numberOr(2) }), "spaced")
	outlines["sampled"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := s.Args[0].WithoutNumbers()
		if out.knowsRank && out.Rank() > 0 {
			out.lengths = slices.Clone(out.lengths)
			out.lengths[0] = s.numberOr(1)
		}
		return out, nil
	}
	outlines["identity"] = matrixFrom(always(array.Real), func(s *Sketch) (int, int) { n := s.numberOr(0); return n, n })
	outlines["diagonal"] = ranked(1, matrixFrom(keeps, func(s *Sketch) (int, int) {
		n := s.lengthOf(0, 0)
		if s.flag("offset") {
			n = s.NewLength()
		}
		return n, n
	}))
	outlines["diagonal_of"] = ranked(2, oneAxis(keeps, func(s *Sketch) int {
		if a := &s.Args[0]; !s.flag("offset") && a.knowsRank {
			return smaller(s, a.Len(0), a.Len(1))
		}
		return s.NewLength()
	}))
	ruleFor(like(keeps), "upper_part", "lower_part")
	ruleFor(oneAxis(keeps, unknownLength), "unique")
	ruleFor(oneAxis(always(array.Int), unknownLength), "unique_counts")
	outlines["flattened"] = oneAxis(keeps, func(s *Sketch) int {
		if n, ok := s.Args[0].Size(); ok {
			return n
		}
		if a := &s.Args[0]; a.knowsRank && a.Rank() == 1 {
			return a.Len(0)
		}
		return s.NewLength()
	})
	outlines["row_of"] = ranked(1, vectorAsMatrix(0))
	outlines["column_of"] = ranked(1, vectorAsMatrix(1))
	outlines["without_ones"] = withoutOnesOutline
	outlines["reshape"] = reshapeOutline
	outlines["transpose"] = transposeOutline
	outlines["conjugate_transpose"] = func(s *Sketch) (Outline, *notation.Diagnostic) { return reversedAxes(s.Args[0]), nil }
	outlines["labelled"] = labelledOutline
	outlines["join"] = joinOutline
	outlines["stack"] = stackOutline
	outlines["paved"] = pavedOutline

	ruleFor(square(scalar(realOrComplex)), "det")
	ruleFor(ranked(2, scalar(always(array.Int))), "rank")
	ruleFor(ranked(2, scalar(always(array.Real))), "condition")
	ruleFor(ranked(2, scalar(countable)), "trace")
	outlines["inverse"] = withOpenLabels(square(like(realOrComplex)))
	outlines["mat_power"] = withOpenLabels(square(like(func(args []Outline) KindOutline {
		k := args[0].KindOf().AtLeast(array.Int)
		if n, ok := args[1].Number(); k.Known && k.Kind == array.Int && (!ok || n < 0) {
			k.Known = false
		}
		return k
	})))
	outlines["pseudo_inverse"] = withOpenLabels(ranked(2, matrixFrom(realOrComplex, func(s *Sketch) (int, int) { return s.lengthOf(0, 1), s.lengthOf(0, 0) })))
	anyEigen := func(args []Outline) KindOutline { return KindOutline{} }
	outlines["eigenvalues"] = square(oneAxis(anyEigen, func(s *Sketch) int { return s.lengthOf(0, 0) }))
	outlines["eigenvectors"] = withOpenLabels(square(matrixFrom(anyEigen, func(s *Sketch) (int, int) { return s.lengthOf(0, 0), s.lengthOf(0, 0) })))
	outlines["singular_values"] = ranked(2, oneAxis(always(array.Real), func(s *Sketch) int { return smaller(s, s.lengthOf(0, 0), s.lengthOf(0, 1)) }))
	outlines["solve"] = square(func(s *Sketch) (Outline, *notation.Diagnostic) {
		return openedLabels(s.Args[1]).WithKind(realOrComplex(s.Args)), nil
	})
	outlines["least_squares"] = ranked(2, func(s *Sketch) (Outline, *notation.Diagnostic) {
		b := &s.Args[1]
		if !b.knowsRank || b.Rank() == 0 {
			return Outline{}.WithKind(realOrComplex(s.Args)), nil
		}
		lengths := slices.Clone(b.lengths)
		lengths[0] = s.lengthOf(0, 1)
		return Outline{}.WithShape(lengths).WithKind(realOrComplex(s.Args)), nil
	})
	outlines["outer"] = withOpenLabels(matrixFrom(widestCount, func(s *Sketch) (int, int) {
		size := func(k int) int {
			if n, ok := s.Args[k].Size(); ok {
				return n
			}
			return s.lengthOf(k, 0)
		}
		return size(0), size(1)
	}))
	outlines["cross"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		return Outline{}.WithKind(widestCount(s.Args)), nil
	}
	outlines["kronecker"] = func(s *Sketch) (Outline, *notation.Diagnostic) {
		return Outline{}.WithKind(widestCount(s.Args)), nil
	}
	outlines["convolved"] = oneAxis(widestCount, func(s *Sketch) int {
		if n, m := s.lengthOf(0, 0), s.lengthOf(1, 0); n > 0 && m > 0 {
			return n + m - 1
		}
		return s.NewLength()
	})
	ruleFor(func(s *Sketch) (Outline, *notation.Diagnostic) {
		out := Outline{}.WithKind(KindKnown(array.Real))
		if len(s.Args) == 2 {
			return Outlined(array.Real, nil, nil), nil
		}
		return out, nil
	}, "covariance", "correlation")
	outlines["fitted_polynomial"] = oneAxis(always(array.Real), func(s *Sketch) int {
		if n, ok := s.Args[2].Number(); ok && n >= 0 {
			return n + 1
		}
		return s.NewLength()
	})
	ruleFor(scalar(always(array.Real)), "trapezoid")
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

func (s *Sketch) numberOr(arg int) int {
	if n, ok := s.numberOf(arg); ok && (n >= 0 || !IsKnown(n)) {
		return n
	}
	return s.NewLength()
}

func smaller(s *Sketch, a, b int) int {
	if a == b || a >= 0 && b >= 0 {
		return min(a, b)
	}
	return s.NewLength()
}

func percentages(s *Sketch) int {
	p := &s.Args[1]
	switch {
	case !p.knowsRank:
		return anyAxis
	case p.Rank() == 0:
		return noAxis
	}
	return p.Len(0)
}

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
		return s.collapsed().WithKind(kind), nil
	}
	if n == a.Rank() {
		if n == 0 {
			return Outline{}.WithKind(kind), nil
		}
		return Outlined(array.Int, []int{n}, nil), nil
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
		lengths := []int{1, 1}
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
		lengths, labels := []int{}, []string{}
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
	var lengths []int
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
			} else if n < 0 && IsKnown(n) {
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
		rest := 1
		for i, n := range lengths {
			if i != hole {
				if n < 0 || rest > 1<<31 {
					rest = -1
					break
				}
				rest *= n
			}
		}
		if sized && rest > 0 && size%rest == 0 {
			lengths[hole] = size / rest
		}
	} else if n, ok := array.Size(lengths); sized && ok && n >= 0 && n != size && !slices.ContainsFunc(lengths, func(n int) bool { return n < 0 }) {
		return out, sizeFault(a, size, notation.Shape{Lengths: lengths, Mark: -1}, n)
	}
	return out.WithShape(lengths).WithLabels(nil).WithKind(a.KindOf()), nil
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
	lengths, labels := make([]int, len(order)), make([]string, len(order))
	for i, axis := range order {
		lengths[i], labels[i] = a.Len(axis), a.Label(axis)
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

func joinOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	axis, ok, d := s.along()
	kind := WidestOf(array.Bool, s.Args...)
	for i := range s.Args {
		// The list [] is real and gives way to narrower kinds.
		if kind.Kind != array.Complex && s.Args[i].maybeEmptyReal() && len(s.Args) > 1 {
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
			n := a.Len(i)
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
			return Outline{}.WithKind(kind), joinFault(s.Function.Name, k+s.Counting, a, first, "all lengths but the one along the axis must be equal")
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
func StackOutlines(items []Outline, fresh func() int) (out Outline, differs int) {
	if len(items) == 0 {
		return Outlined(array.Real, []int{0}, nil), -1
	}
	kind := WidestOf(array.Bool, items...)
	out = items[0]
	numbers := make([]int, 0, len(items))
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
			switch n := a.Len(k); {
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
	out = out.WithShape(append([]int{len(items)}, out.lengths...))
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
		return out, joinFault(s.Function.Name, differs+s.Counting, &s.Args[differs], &s.Args[0], "arrays that are stacked have one shape; `join` lays unequal ones end to end")
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

func pavedOutline(s *Sketch) (Outline, *notation.Diagnostic) {
	a := &s.Args[0]
	counts := spelled(s.Args[1:])
	if !a.knowsRank || counts == nil {
		return Outline{}.WithKind(a.KindOf()), nil
	}
	rank := max(a.Rank(), len(counts))
	lengths := make([]int, rank)
	for i := range lengths {
		n, times := 1, 1
		if at := i - (rank - a.Rank()); at >= 0 {
			n = a.Len(at)
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

// joinFault tells of an argument whose shape does not fit the first's.
func joinFault(name string, number int, a, first Form, hint string) *notation.Diagnostic {
	return fault("shape.join", fmt.Sprintf("argument %d of `%s` has the shape %s, the first %s", number, name, ShapeOf(a), ShapeOf(first)), hint, ShapeOf(first), ShapeOf(a))
}
