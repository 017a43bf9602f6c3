package functions

import (
	"math/cmplx"

	"nimbusreach/internal/core/array"
)

var furtherFunctions = []*Function{
	{
		Name: "convolved", Topic: Further, Signature: "convolved(a, b)",
		Doc:   "The full convolution of two arrays of one axis.",
		Shape: "`[n + m - 1]`", Rule: oneAxis(widestCount, convolvedLength),
		Example: "convolved([1, 2], [1, 1, 1])", Relatives: []string{"windows", "polynomial"},
		Min: 2, Max: 2,
		Lineage: slidingLineage,
		Run:     convolved,
	},
	{
		Name: "correlation", Topic: Further, Signature: "correlation(x, y) or correlation(M along week)",
		Doc:   "The covariance divided by both standard deviations, from -1 to 1.",
		Shape: "a scalar, or `[n, n]`", Rule: covarianceOutline,
		Example: "correlation([1, 2, 3], [2, 4, 7])", Relatives: []string{"covariance", "std"},
		Min: 1, Max: 2, Clause: Along,
		Options: []Option{{Name: "sample"}},
		Lineage: pairsOfColumnsLineage,
		Run:     covariance(true),
	},
	{
		Name: "covariance", Topic: Further, Signature: "covariance(x, y, sample: true) or covariance(M along week)",
		Doc: "The mean product of deviations from the mean, by n, with `sample: true` by n - 1. Of two arrays of " +
			"one axis a scalar; of one matrix the matrix of all pairs, with observations along the axis.",
		Shape: "a scalar, or `[n, n]`", Rule: covarianceOutline,
		Example: "covariance([1, 2, 3], [2, 4, 6])", Relatives: []string{"correlation", "var"},
		Min: 1, Max: 2, Clause: Along,
		Options: []Option{{Name: "sample"}},
		Lineage: pairsOfColumnsLineage,
		Run:     covariance(false),
	},
	{
		Name: "fitted_polynomial", Topic: Further, Signature: "fitted_polynomial(x, y, degree)",
		Doc: "The coefficients, lowest first, of the polynomial of a degree that is nearest to the points by " +
			"least squares.",
		Shape: "`[degree + 1]`", Rule: oneAxis(always(array.Real), coefficients),
		Example: "fitted_polynomial([0, 1, 2], [1, 3, 5], 1)", Relatives: []string{"polynomial", "least_squares"},
		Min: 3, Max: 3,
		Lineage: everythingLineage,
		Run:     fittedPolynomial,
	},
	{
		Name: "gradient", Topic: Further, Signature: "gradient(y along week, spacing: 1)",
		Doc: "The slope at each position: half the difference of the neighbours on both sides, at the ends the " +
			"difference to the one neighbour, divided by the spacing.",
		Shape: sameShape, Rule: through(always(array.Real), sameLength),
		Example: "gradient([1, 4, 9, 16])", Relatives: []string{"differences", "trapezoid"},
		Min: 1, Max: 1, Clause: Along,
		Options: []Option{{Name: "spacing"}},
		Lineage: aroundLineage,
		Run:     gradient,
	},
	{
		Name: "insertion_place", Topic: Further, Signature: "insertion_place(sorted, x)",
		Doc: "The first position at which x can be inserted into sorted values without breaking their order, in the " +
			"course's counting.",
		Shape: "that of x", Rule: likeSecond(always(array.Int)),
		Example: "insertion_place([10, 20, 30], [5, 20, 99])", Relatives: []string{"sort", "interpolated", "counts_between"},
		Min: 2, Max: 2,
		Lineage: placedLineage,
		Run:     insertionPlace,
	},
	{
		Name: "interpolated", Topic: Further, Signature: "interpolated(x, xs, ys)",
		Doc: "The values at x of the line through the points (xs, ys); xs ascends, else run.value. Outside NaN, " +
			"with a notice.",
		Shape: "that of x", Rule: like(always(array.Real)),
		Example: "interpolated([1.5, 2], [1, 2, 4], [10, 20, 40])", Relatives: []string{"insertion_place",
			"fitted_polynomial"},
		Min: 3, Max: 3,
		Lineage: betweenLineage,
		Run:     interpolated,
	},
	{
		Name: "inverse_erf", Topic: Further, Signature: "inverse_erf(x)",
		Doc:   "The number whose error function is x. At -1 and 1 infinite, outside NaN, each with a notice.",
		Shape: sameShape, Rule: like(always(array.Real)),
		Example: "inverse_erf([0, 0.5])", Relatives: []string{"erf", "normal_cdf"},
		Min: 1, Max: 1,
		Lineage: elementwiseLineage,
		Run:     eachReal(inverseErf, nil),
	},
	{
		Name: "normal_cdf", Topic: Further, Signature: "normal_cdf(x)",
		Doc:   "The share of the standard normal distribution below x: erfc(-x / sqrt(2)) / 2.",
		Shape: sameShape, Rule: like(always(array.Real)),
		Example: "normal_cdf([0, 1.96])", Relatives: []string{"erf", "draw_normal"},
		Min: 1, Max: 1,
		Lineage: elementwiseLineage,
		Run:     eachReal(normalCDF, nil),
	},
	{
		Name: "polar", Topic: Further, Signature: "polar(r, angle)",
		Doc:   "The complex number of a modulus and an angle in radians.",
		Shape: broadcastShape, Rule: broadcast(always(array.Complex)),
		Example: "polar(2, pi)", Relatives: []string{"abs", "angle", "complex"},
		Min: 2, Max: 2,
		Lineage: elementwiseLineage,
		Run:     pairReal(cmplx.Rect),
	},
	{
		Name: "polynomial", Topic: Further, Signature: "polynomial(coefficients, x)",
		Doc:   "The polynomial's values at x; coefficients lowest first. By Horner's rule.",
		Shape: "that of x", Rule: likeSecond(widestCount),
		Example: "polynomial([1, 0, 2], [0, 1, 2])", Relatives: []string{"fitted_polynomial"},
		Min: 2, Max: 2,
		Lineage: ofItsOwnLineage(1, 0),
		Run:     polynomial,
	},
	{
		Name: "spacing", Topic: Further, Signature: "spacing(x)",
		Doc:   "The distance from |x| to the next larger double.",
		Shape: sameShape, Rule: like(always(array.Real)),
		Example: "spacing([1.0, 1000.0])", Relatives: []string{"near"},
		Min: 1, Max: 1,
		Lineage: elementwiseLineage,
		Run:     eachReal(spacing, nil),
	},
	{
		Name: "trapezoid", Topic: Further, Signature: "trapezoid(y, x)",
		Doc:   "The integral of y over x by the trapezoid rule; both have one axis.",
		Shape: "a scalar", Rule: scalar(always(array.Real)),
		Example: "trapezoid([0, 1, 4], [0, 1, 2])", Relatives: []string{"gradient", "running_sum"},
		Min: 2, Max: 2,
		Lineage: everythingLineage,
		Run:     trapezoid,
	},
}
