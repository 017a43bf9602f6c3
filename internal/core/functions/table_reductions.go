package functions

import "nimbusreach/internal/core/array"

const reducedShape = "the axes not reduced; without `over` a scalar; with `keep: true` reduced axes stay with length 1"

// reductionOptions are those of every reduction, and more.
func reductionOptions(more ...Option) []Option {
	return append([]Option{{Name: "keep"}, {Name: "only"}}, more...)
}

var reductionFunctions = []*Function{
	{
		Name: "all", Topic: Reductions, Signature: "all(x over AXES, keep: false, only: mask)",
		Doc:   "True when every element is true; numbers count as non-zero; of no elements true.",
		Shape: reducedShape, Rule: reduced(always(array.Bool)),
		Example: "all([false, true])", Relatives: []string{"any", "count"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     allTrue,
	},
	{
		Name: "any", Topic: Reductions, Signature: "any(x over AXES, keep: false, only: mask)",
		Doc:   "True when one element is true; numbers count as non-zero; of no elements false.",
		Shape: reducedShape, Rule: reduced(always(array.Bool)),
		Example: "any([false, true])", Relatives: []string{"all", "count"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     anyTrue,
	},
	{
		Name: "count", Topic: Reductions, Signature: "count(x over AXES, keep: false, only: mask)",
		Doc:   "How many elements are true; of numbers, how many are not zero.",
		Shape: reducedShape, Rule: reduced(always(array.Int)),
		Example: "count([5, 0, 7])", Relatives: []string{"sum", "any"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     countTrue,
	},
	{
		Name: "counts_between", Topic: Reductions, Signature: "counts_between(x, edges over AXES)",
		Doc: "How many elements are between neighbouring edges; each bin holds its lower edge, the last its upper " +
			"one too. Edges ascend; elements outside are not counted.",
		Shape: "a new first axis, then the axes not reduced", Rule: behindFirst(always(array.Int), bins),
		Example: "counts_between([1, 2, 2, 5], [0, 2, 4])", Relatives: []string{"count", "unique_counts"},
		Min: 2, Max: 2, Clause: Over,
		Options: []Option{{Name: "only"}},
		Run:     countsBetween,
	},
	{
		Name: "extent", Topic: Reductions, Signature: "extent(x over AXES, keep: false, only: mask)",
		Doc:   "The largest value minus the smallest, in the argument's kind (int for bool).",
		Shape: reducedShape, Rule: reduced(countable),
		Example: "extent([3, 1, 7])", Relatives: []string{"min", "max"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     extent,
	},
	{
		Name: "five_numbers", Topic: Reductions, Signature: "five_numbers(x over AXES)",
		Doc:   "Smallest, lower quartile, median, upper quartile and largest, quartiles as `percentile` has them.",
		Shape: "a new first axis, then the axes not reduced", Rule: behindFirst(always(array.Real), fiveLong),
		Example: "five_numbers([1, 2, 3, 4, 5])", Relatives: []string{"percentile", "median", "min", "max"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     fiveNumbers,
	},
	{
		Name: "log_sum_exp", Topic: Reductions, Signature: "log_sum_exp(x over AXES)",
		Doc:   "log(sum(exp(x))), shifted by the largest element so that it does not overflow.",
		Shape: reducedShape, Rule: reduced(always(array.Real)),
		Example: "log_sum_exp([1000, 1000])", Relatives: []string{"sum", "exp", "log"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     logOfSums,
	},
	{
		Name: "max", Topic: Reductions, Signature: "max(x over AXES, keep: false, only: mask)",
		Doc:   "The largest value, in the argument's kind; of no elements run.empty; NaN when one is, with a notice.",
		Shape: reducedShape, Rule: reduced(keeps),
		Example: "max([3, 1, 2])", Relatives: []string{"min", "greater", "max_at"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     extreme(true),
	},
	{
		Name: "max_at", Topic: Reductions, Signature: "max_at(x over AXIS)",
		Doc: "The position of the first largest element: over one axis an int for each position of the others; over " +
			"all of several axes one position with an int an axis. NaN counts as largest, with a notice.",
		Shape: "the axes not reduced, or `[number of axes]`", Rule: extremeOutline,
		Example: "max_at([3, 1, 2])", Relatives: []string{"max", "min_at", "sort_order"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     extremeAt(true),
	},
	{
		Name: "mean", Topic: Reductions, Signature: "mean(x over AXES, keep: false, only: mask, weights: w)",
		Doc:   "The sum divided by the count; of no elements run.empty.",
		Shape: reducedShape, Rule: reduced(realOrComplex),
		Example: "mean([1, 2, 6])", Relatives: []string{"median", "sum"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(Option{Name: "weights"}),
		Run:     mean,
	},
	{
		Name: "median", Topic: Reductions, Signature: "median(x over AXES, keep: false, only: mask)",
		Doc:   "The middle value, or the mean of the two middle ones; a real; of no elements run.empty.",
		Shape: reducedShape, Rule: reduced(always(array.Real)),
		Example: "median([5, 1, 2])", Relatives: []string{"mean", "percentile"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     median,
	},
	{
		Name: "min", Topic: Reductions, Signature: "min(x over AXES, keep: false, only: mask)",
		Doc:   "The smallest value, in the argument's kind; of no elements run.empty; NaN when one is, with a notice.",
		Shape: reducedShape, Rule: reduced(keeps),
		Example: "min([3, 1, 2])", Relatives: []string{"max", "lesser", "min_at"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     extreme(false),
	},
	{
		Name: "min_at", Topic: Reductions, Signature: "min_at(x over AXIS)",
		Doc: "The position of the first smallest element: over one axis an int for each position of the others; " +
			"over all of several axes one position with an int an axis. NaN counts as smallest, with a notice.",
		Shape: "the axes not reduced, or `[number of axes]`", Rule: extremeOutline,
		Example: "min_at([3, 1, 2])", Relatives: []string{"min", "max_at", "sort_order"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     extremeAt(false),
	},
	{
		Name: "norm", Topic: Reductions, Signature: "norm(x over AXES)",
		Doc: "The root of the sum of squared moduli, scaled so that it neither overflows nor underflows. For a " +
			"matrix also `kind: one` (largest column sum of moduli), `kind: infinity` (largest row sum), `kind: " +
			"spectral` (largest singular value).",
		Shape: reducedShape, Rule: normOutline,
		Example: "norm([3, 4])", Relatives: []string{"hypot", "singular_values"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(Option{Name: "kind", Kind: OptionWord, Words: []string{"one", "infinity", "spectral"}}),
		Run:     norm,
	},
	{
		Name: "percentile", Topic: Reductions, Signature: "percentile(x, 25 over AXES)",
		Doc: "The value below which p percent of the elements lie, linear between order statistics: at position (n " +
			"- 1) p / 100 of the sorted elements. p from 0 to 100.",
		Shape:   "the axes not reduced; an array p gives an axis that comes first",
		Rule:    percentileOutline,
		Example: "percentile([1, 2, 3, 4], 25)", Relatives: []string{"median", "five_numbers"},
		Min: 2, Max: 2, Clause: Over,
		Options: reductionOptions(),
		Run:     percentile,
	},
	{
		Name: "positions", Topic: Reductions, Signature: "positions(mask)",
		Doc: "Where a mask is true: of one axis the positions; of several a table with a row for each true element " +
			"and a column for each axis.",
		Shape: "`[n]` or `[n, number of axes]`", Rule: positionsOutline,
		Example: "positions([true, false, true])", Relatives: []string{"count", "max_at"},
		Min: 1, Max: 1,
		Run: positions,
	},
	{
		Name: "product", Topic: Reductions, Signature: "product(x over AXES, keep: false, only: mask)",
		Doc:   "The product; of no elements 1. Of ints exact, or run.overflow.",
		Shape: reducedShape, Rule: reduced(countable),
		Example: "product([2, 3, 4])", Relatives: []string{"sum", "running_product"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     product,
	},
	{
		Name: "sample_std", Topic: Reductions, Signature: "sample_std(x over AXES, keep: false, only: mask)",
		Doc:   "The square root of `sample_var`.",
		Shape: reducedShape, Rule: reduced(always(array.Real)),
		Example: "sample_std([1, 2, 3, 4])", Relatives: []string{"std", "sample_var"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     variance(1, true),
	},
	{
		Name: "sample_var", Topic: Reductions, Signature: "sample_var(x over AXES, keep: false, only: mask)",
		Doc:   "The variance divided by n - 1; of fewer than two elements run.empty.",
		Shape: reducedShape, Rule: reduced(always(array.Real)),
		Example: "sample_var([1, 2, 3, 4])", Relatives: []string{"var", "sample_std"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     variance(1, false),
	},
	{
		Name: "std", Topic: Reductions, Signature: "std(x over AXES, keep: false, only: mask)",
		Doc:   "The standard deviation: the square root of `var`.",
		Shape: reducedShape, Rule: reduced(always(array.Real)),
		Example: "std([1, 2, 3, 4])", Relatives: []string{"sample_std", "var"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     variance(0, true),
	},
	{
		Name: "sum", Topic: Reductions, Signature: "sum(x over AXES, keep: false, only: mask)",
		Doc: "The sum; of no elements 0. Ints add up in 128 bits and overflow only when the sum does not fit; reals " +
			"add pairwise (Higham 2002, 4.2).",
		Shape: reducedShape, Rule: reduced(countable),
		Example: "sum([1, 2, 3])", Relatives: []string{"mean", "product", "running_sum"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     sum,
	},
	{
		Name: "var", Topic: Reductions, Signature: "var(x over AXES, keep: false, only: mask)",
		Doc: "The variance: the mean squared distance from the mean, divided by n, in two passes; of no elements " +
			"run.empty.",
		Shape: reducedShape, Rule: reduced(always(array.Real)),
		Example: "var([1, 2, 3, 4])", Relatives: []string{"sample_var", "std"},
		Min: 1, Max: 1, Clause: Over,
		Options: reductionOptions(),
		Run:     variance(0, false),
	},
}
