package functions

import (
	"slices"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

func init() {
	ruleFor(like(always(array.Bool)), "bool", "is_nan", "is_finite", "is_in")
	ruleFor(like(always(array.Int)), "int")
	ruleFor(like(always(array.Real)), "real", "cbrt", "degrees", "radians", "erf", "erfc", "expm1", "gamma", "log_gamma",
		"angle", "real_part", "imaginary_part", "inverse_erf", "normal_cdf", "spacing")
	ruleFor(like(realOrComplex), "sqrt", "log1p", "lambert_w", "exp", "log", "log2", "log10", "sin", "cos", "tan", "asin", "acos", "atan", "sinh", "cosh", "tanh", "asinh", "acosh", "atanh")
	ruleFor(like(modulusKind), "abs")
	ruleFor(like(countable), "floor", "ceil", "round", "truncated", "factorial", "sign")
	ruleFor(like(keeps), "conjugate", "shuffled")
	outlines["insertion_place"] = likeSecond(always(array.Int))
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
	}), "differences")
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
	outlines["tiled"] = pavedOutline

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
