package functions

import "nimbusreach/internal/core/array"

const spelledShape = "the shape its arguments give"

var makingFunctions = []*Function{
	{
		Name: "bool", Topic: Making, Signature: "bool(x)",
		Doc:   "True where the element is not zero.",
		Shape: sameShape, Rule: like(always(array.Bool)),
		Example: "bool([0, 2])", Relatives: []string{"any", "count"},
		Min: 1, Max: 1,
		Run: truths,
	},
	{
		Name: "complex", Topic: Making, Signature: "complex(x) or complex(re, im)",
		Doc:   "Widens to complex, or joins a real and an imaginary part.",
		Shape: broadcastShape, Rule: broadcast(always(array.Complex)),
		Example: "complex(1, 2)", Relatives: []string{"real_part", "imaginary_part"},
		Min: 1, Max: 2,
		Run: toComplex,
	},
	{
		Name: "diagonal", Topic: Making, Signature: "diagonal([1, 2, 3], offset: 1)",
		Doc:   "A square matrix with the values on its diagonal, or beside it by `offset`, and zeros elsewhere.",
		Shape: "`[n + |offset|, n + |offset|]`", Rule: ranked(1, matrixFrom(keeps, diagonalSides)),
		Example: "diagonal([1, 2])", Relatives: []string{"identity", "diagonal_of"},
		Min: 1, Max: 1,
		Options: []Option{{Name: "offset"}},
		Run:     diagonal,
	},
	{
		Name: "draw_integers", Topic: Making, Signature: "draw_integers([2, 3], -10, 10)",
		Doc:   "Ints drawn uniformly, both ends included.",
		Shape: spelledShape, Rule: shapeFrom(always(array.Int), firstOnly),
		Example: "draw_integers([2, 3], -10, 10)", Relatives: []string{"draw_uniform", "sampled"},
		Min: 3, Max: 3,
		Run: drawIntegers,
	},
	{
		Name: "draw_normal", Topic: Making, Signature: "draw_normal([2, 3], mean: 0, std: 1)",
		Doc:   "Reals drawn from the normal distribution, by Marsaglia's polar method.",
		Shape: spelledShape, Rule: shapeFrom(always(array.Real), firstOnly),
		Example: "draw_normal([2, 3], mean: 10, std: 2)", Relatives: []string{"draw_uniform", "normal_cdf"},
		Min: 1, Max: 1,
		Options: []Option{{Name: "mean"}, {Name: "std"}},
		Run:     drawNormal,
	},
	{
		Name: "draw_uniform", Topic: Making, Signature: "draw_uniform([2, 3], 0, 1)",
		Doc: "Reals drawn uniformly from low up to high. Draws depend on the exercise's seed, the case and the " +
			"repeat, and on which draw of the program it is. PCG-DXSM, 53 bits.",
		Shape: spelledShape, Rule: shapeFrom(always(array.Real), firstOnly),
		Example: "draw_uniform([2, 3], 0, 1)", Relatives: []string{"draw_normal", "draw_integers"},
		Min: 3, Max: 3,
		Run: drawUniform,
	},
	{
		Name: "filled", Topic: Making, Signature: "filled([2, 3], 7)",
		Doc:   "An array of one value, in the value's kind.",
		Shape: spelledShape, Rule: shapeFrom(valueKind, firstOnly),
		Example: "filled([2, 3], 7)", Relatives: []string{"zeros", "ones"},
		Min: 2, Max: 2,
		Run: filled,
	},
	{
		Name: "identity", Topic: Making, Signature: "identity(3)",
		Doc:   "The real identity matrix: ones on the diagonal, zeros elsewhere.",
		Shape: "`[n, n]`", Rule: matrixFrom(always(array.Real), squareOfNumber),
		Example: "identity(3)", Relatives: []string{"diagonal", "zeros"},
		Min: 1, Max: 1,
		Run: identity,
	},
	{
		Name: "int", Topic: Making, Signature: "int(x)",
		Doc: "Converts to int, towards zero. NaN, infinite or too large: run.value. A complex number does not " +
			"convert.",
		Shape: sameShape, Rule: like(always(array.Int)),
		Example: "int([1.7, -1.7])", Relatives: []string{"real", "truncated", "round"},
		Min: 1, Max: 1,
		Run: toInt,
	},
	{
		Name: "ones", Topic: Making, Signature: "ones(2, 3)",
		Doc:   "A real array of ones. The shape is separate ints or one list.",
		Shape: spelledShape, Rule: shapeFrom(always(array.Real), allArgs),
		Example: "ones([2, 3])", Relatives: []string{"zeros", "filled"},
		Min: 0, Max: -1,
		Run: constant(1),
	},
	{
		Name: "real", Topic: Making, Signature: "real(x)",
		Doc: "Converts to real. An int beyond 2^53 may leave notice.precision; a complex number with an imaginary " +
			"part does not convert.",
		Shape: sameShape, Rule: like(always(array.Real)),
		Example: "real([1, 2])", Relatives: []string{"int", "complex", "real_part"},
		Min: 1, Max: 1,
		Run: toReal,
	},
	{
		Name: "sampled", Topic: Making, Signature: "sampled(x, n, again: false)",
		Doc: "n items drawn along the first axis, none twice unless `again: true`. More than there are without " +
			"`again` is run.value.",
		Shape: "the argument's, with n along the first axis", Rule: sampledOutline,
		Example: "sampled([1, 2, 3, 4], 2)", Relatives: []string{"shuffled"},
		Min: 2, Max: 2,
		Options: []Option{{Name: "again"}},
		Run:     sampled,
	},
	{
		Name: "shuffled", Topic: Making, Signature: "shuffled(x)",
		Doc:   "The items along the first axis in a drawn order.",
		Shape: sameShape, Rule: like(keeps),
		Example: "shuffled([1, 2, 3, 4])", Relatives: []string{"sampled", "sort"},
		Min: 1, Max: 1,
		Run: shuffled,
	},
	{
		Name: "spaced", Topic: Making, Signature: "spaced(0, 1, 5)",
		Doc: "n reals at equal distances, both ends included. Point k is a + k * (b - a) / (n - 1), the last " +
			"exactly b.",
		Shape: "`[n]`", Rule: oneAxis(always(array.Real), thirdNumber),
		Example: "spaced(0, 1, 5)", Relatives: []string{"zeros"},
		Min: 3, Max: 3,
		Run: spaced,
	},
	{
		Name: "zeros", Topic: Making, Signature: "zeros(2, 3)",
		Doc:   "A real array of zeros. The shape is separate ints or one list.",
		Shape: spelledShape, Rule: shapeFrom(always(array.Real), allArgs),
		Example: "zeros(2, 3)", Relatives: []string{"ones", "filled"},
		Min: 0, Max: -1,
		Run: constant(0),
	},
}
