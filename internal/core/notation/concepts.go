package notation

// Concept explains an idea that many words of the notation belong to, or a word that
// people bring with them.
type Concept struct {
	Word     string
	Keywords []string // what else people call it
	Doc      string
	Example  string // a program that runs
	See      []string
}

// Concepts is the one list of ideas that explain reads.
var Concepts = []Concept{
	{"array", []string{"scalar", "vector", "matrix", "tensor"},
		"Everything is an array: it has a kind, a shape and, for each axis, perhaps a label. A scalar is an array without " +
			"axes.", "x = [[1, 2, 3], [4, 5, 6]]", []string{"shape", "kind", "label"}},
	{"shape", []string{"dimensions", "lengths"}, "The lengths of the axes, in order. Say it before you run: most " +
		"mistakes show in it first.", "x = shape([[1, 2, 3], [4, 5, 6]])", []string{"axis", "reshape", "length"}},
	{"axis", []string{"axes", "dimension", "direction"}, "One direction of an array. It is named by its label, or by " +
		"its number in the course's counting. `over` reduces axes, `along` works through one and keeps it.",
		"x = [[1, 2, 3], [4, 5, 6]]\ny = sum(x over 0)", []string{"over", "along", "label", "axis.unknown"}},
	{"label", []string{"axis label", "axis name", "named axis"},
		"The name of an axis. Labels follow their axes through every operation, and two different ones on one axis leave " +
			"a notice.", "growth = labelled([[1, 2], [3, 4]], axes: [week, rope])\nper_rope = mean(growth over week)",
		[]string{"labelled", "notice.labels"}},
	{"kind", []string{"type", "data type", "element type", "bool", "int", "real", "complex"},
		"What the elements are: bool, int, real or complex, from narrow to wide. Arithmetic widens to the wider operand; " +
			"narrowing is asked for by name.", "x = [1, 2] + 0.5", []string{"int", "real", "complex", "run.kind"}},
	{"position", []string{"index", "subscript"}, "Where an element lies on an axis. A course counts positions from 0 " +
		"or from 1; lengths and shifts are the same in both.", "x = [5, 6, 7]\ny = x[1]", []string{"counting", "first",
		"last", "select.range"}},
	{"counting", []string{"base", "zero based", "one based", "start from 0", "start from 1"},
		"What the first position is called: 0 or 1, as the course says. It decides every position and axis number, given " +
			"or returned.", "x = [5, 6, 7]\ny = x[first]", []string{"first", "last", "unit.first"}},
	{"slice", []string{"slicing", "subarray", "select", "selection", "range of positions"},
		"A part of an array, by ranges of positions: `x[1 to 3]` with its end in, `x[1 before 3]` with its end out, `x[by " +
			"2]` every other.", "x = [5, 6, 7, 8, 9]\ny = x[1 to 3]", []string{"to", "before", "from", "by", "except", "all"}},
	{"broadcasting", []string{"broadcast", "stretching", "stretch", "align shapes"},
		"Arrays of other shapes work together: shapes are aligned at their last axes, and a length of 1, or a missing " +
			"axis, is stretched. Anything else is shape.broadcast.", "x = [[1, 2, 3], [4, 5, 6]]\ny = x * [10, 100, 1000]",
		[]string{"new", "shape.broadcast", "broadcast.axis"}},
	{"mask", []string{"masking", "boolean selection", "filter", "condition", "where"},
		"An array of truth values that chooses elements: `x[x > 2]`. A mask has the whole shape, or the length of one " +
			"axis.", "x = [5, 1, 7]\ny = x[x > 2]", []string{"pick", "positions", "count", "shape.mask"}},
	{"reduction", []string{"reduce", "collapse", "aggregate"}, "A function that reduces axes: `mean(x over week)`. " +
		"Without `over` it reduces all; `keep: true` leaves them with length 1, `only:` counts some elements.",
		"x = [[1, 2], [3, 4]]\ny = mean(x over 0)", []string{"over", "sum", "mean", "max"}},
	{"scan", []string{"cumulative", "running", "accumulate"}, "A function that works along an axis and keeps it: each " +
		"element comes from those up to it.", "x = running_sum([1, 2, 3])", []string{"along", "running_sum", "differences",
		"windows"}},
	{"element-wise", []string{"elementwise", "element by element", "pointwise"},
		"An operation on each element by itself, after broadcasting. `*` is element-wise; the matrix product is `dot`.",
		"x = [1, 2, 3] * [4, 5, 6]", []string{"broadcasting", "dot"}},
	{"matrix product", []string{"matrix multiplication", "matmul", "inner product", "scalar product"},
		"Rows by columns: `A dot B`. Inner lengths must be equal.", "x = [[1, 2], [3, 4]] dot [[5, 6], [7, 8]]",
		[]string{"dot", "shape.inner", "product.elementwise"}},
	{"copy", []string{"copying", "assignment", "alias", "reference semantics"},
		"`y = x` behaves as a copy: writing into y leaves x alone. A `view` shares its cells.",
		"x = [1, 2, 3]\ny = x\ny[0] = 9", []string{"view", "view.copy", "input.changed"}},
	{"loop", []string{"for", "while", "iteration", "loops"}, "`each` and `repeat` exist to be recognised: most answers " +
		"are whole-array, and an exercise may refuse loops.", "s = 0\neach v in [1, 2, 3] {\n  s += v\n}",
		[]string{"each", "repeat", "rule.loop"}},
	{"missing value", []string{"missing values", "missing data", "nan", "not a number", "null"},
		"NaN stands for what is missing. It passes through arithmetic; leave it out with `only: not is_nan(x)`.",
		"x = mean([1, nan, 3], only: not is_nan([1, nan, 3]))", []string{"is_nan", "notice.nan", "missing.values"}},
	{"random", []string{"random numbers", "seed", "draw"}, "Draws are the same on every run: they are keyed by the " +
		"exercise, the case and the order of the calls.", "x = draw_integers([3], 1, 6)", []string{"draw_uniform",
		"draw_normal", "draw_integers", "shuffled", "sampled"}},

	{"case", []string{"test case", "cases", "data set"}, "One set of inputs that an answer is run on. Shown cases you " +
		"see in full; hidden ones ask the same with other data.", "", []string{"hidden case", "shown case"}},
	{"hidden case", []string{"held case", "held", "hidden test", "secret data"},
		"A case whose data stay hidden. You learn its name, whether it agrees and the code of its first finding, and " +
			"nothing else: think of other lengths, values and order.", "", []string{"shown case", "shown.only"}},
	{"shown case", []string{"shown", "visible test", "example data"},
		"A case whose data you see. An answer is tried on it, and every finding of it is reported in full.", "",
		[]string{"hidden case"}},
	{"tolerance", []string{"precision", "rounding error", "accuracy", "close enough", "relative error",
		"absolute error"}, "How far an element may lie from the expected one: |a - r| <= absolute + relative * |r|, by " +
		"default 1e-9 relative and 1e-12 absolute. `near` asks the same.", "x = near(0.1 + 0.2, 0.3)",
		[]string{"near", "value.differs", "loose", "tight"}},
	{"verdict", []string{"result", "mark", "passed", "failed"}, "What checking says of an attempt: failed (it did not " +
		"run to its end), differs, refused (right values, a rule is broken) or agrees.", "", []string{"finding", "cause",
		"points"}},
	{"finding", []string{"what differs"}, "What differs in one case: an error, a missing output, a kind, a shape or " +
		"values, the first that fails.", "", []string{"shape.differs", "value.differs", "cause"}},
	{"cause", []string{"why", "explanation"}, "Why an output differs, reported only with evidence: one change that " +
		"makes " +
		"it right, or one mistake that gives the same result.", "", []string{"finding", "foreseen"}},
	{"points", []string{"score", "grade", "marks"}, "Outputs, steps, functions, properties and predictions earn " +
		"points, each by the share of cases in which it agrees.", "", []string{"verdict"}},
	{"prediction", []string{"predictions", "expected shape", "say the shape"},
		"A question asked before the first attempt: the shape, kind, value or error you expect.", "", []string{"shape",
			"points"}},
	{"reference", []string{"model answer", "solution", "expected answer"},
		"The instructor's own program, which every attempt is compared with.", "", []string{"case", "tolerance"}},
	{"slip", []string{"mutation", "plausible mistake", "survivor"},
		"A plausible mistake, made to the reference to see whether the cases catch it. One that would be marked right is " +
			"a survivor.", "", []string{"equal-lengths", "no-boundary"}},
	{"knot", []string{"stuck", "where a class is stuck"}, "All open attempts of one exercise that have one cause, or " +
		"one leading finding: people who need one and the same word.", "", []string{"cause", "finding"}},
}
