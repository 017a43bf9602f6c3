package codes

// Errors of the text, of shapes and selections, and of a run.
const (
	TextSyntax     Code = "text.syntax"
	TextName       Code = "text.name"
	TextCall       Code = "text.call"
	TextHabit      Code = "text.habit"
	ShapeBroadcast Code = "shape.broadcast"
	ShapeInner     Code = "shape.inner"
	ShapeMask      Code = "shape.mask"
	ShapeReshape   Code = "shape.reshape"
	ShapeRagged    Code = "shape.ragged"
	ShapeAssign    Code = "shape.assign"
	ShapeJoin      Code = "shape.join"
	ShapeSquare    Code = "shape.square"
	SelectCount    Code = "select.count"
	SelectRange    Code = "select.range"
	SelectKind     Code = "select.kind"
	SelectRepeated Code = "select.repeated"
	AxisUnknown    Code = "axis.unknown"
	AxisMissing    Code = "axis.missing"
	AxisRepeated   Code = "axis.repeated"
	RunKind        Code = "run.kind"
	RunCondition   Code = "run.condition"
	RunDomain      Code = "run.domain"
	RunSingular    Code = "run.singular"
	RunOverflow    Code = "run.overflow"
	RunEmpty       Code = "run.empty"
	RunDivide      Code = "run.divide"
	RunLimit       Code = "run.limit"
	RunValue       Code = "run.value"
)

var errors = []Entry{
	{TextSyntax, Error, "text that does not follow the grammar",
		"The text does not follow the grammar.", "", "x = (1 + 2"},
	{TextName, Error, "a name that is not bound",
		"A name is never bound, or is used before it is bound.", "", "growth = [1, 2]\nx = grwth + 1"},
	{TextCall, Error, "a call of an unknown function, or with wrong arguments",
		"A function is unknown, or a call has wrong arguments, a wrong clause or wrong options.", "", "x = summ([1, 2])"},
	{TextHabit, Error, "a spelling from another language",
		"A spelling from elsewhere; the hint gives the one of this notation.", "", "x = 2 ** 3"},
	{ShapeBroadcast, Error, "shapes that do not broadcast",
		"Two shapes, aligned at their last axes, have unequal lengths of which neither is 1.", "",
		"x = zeros(2, 3) + zeros(2)"},
	{ShapeInner, Error, "unequal inner lengths of a matrix product",
		"The inner lengths of a matrix product differ, or an operand is a scalar.", "", "x = zeros(2, 3) dot zeros(2)"},
	{ShapeMask, Error, "a mask of another shape",
		"A mask has another shape than the array it selects from.", "", "x = zeros(2, 3)\ny = x[[true, false]]"},
	{ShapeReshape, Error, "elements that do not fill the new shape",
		"The number of elements does not match the shape asked for.", "", "x = reshape(zeros(2, 3), [4, auto])"},
	{ShapeRagged, Error, "items of unequal shapes in a list",
		"The items of a list have different shapes.", "", "x = [[1, 2], [3]]"},
	{ShapeAssign, Error, "a value that does not fit the selection",
		"A value does not broadcast to the selection it is assigned to.", "", "x = zeros(3)\nx[0 to 1] = [1, 2, 3]"},
	{ShapeJoin, Error, "arrays of unequal lengths",
		"Arrays that are joined, or walked together, have unequal lengths.", "",
		"each a, b in [1, 2], [1, 2, 3] {\n  x = a + b\n}"},
	{ShapeSquare, Error, "a matrix that is not square",
		"A function that needs a square matrix was given another.", "", "x = inverse([[1, 2, 3], [4, 5, 6]])"},
	{SelectCount, Error, "too few or too many selectors",
		"The number of selectors is not the number of axes.", "", "x = zeros(2, 3)\ny = x[0]"},
	{SelectRange, Error, "a position outside its axis",
		"A position is outside its axis.", "", "x = zeros(3)\ny = x[3]"},
	{SelectKind, Error, "a selector of a kind that cannot select",
		"A selector is neither a position, a range nor a mask.", "", "x = zeros(3)\ny = x[1.0]"},
	{SelectRepeated, Error, "one position assigned to twice",
		"The target of an assignment names one position twice.", "", "x = zeros(3)\nx[[0, 0]] = [1, 2]"},
	{AxisUnknown, Error, "an axis that the array does not have",
		"The array has no axis of that label or number.", "", "x = sum(zeros(2, 3) over week)"},
	{AxisMissing, Error, "an axis that must be named",
		"The axis to work along must be named.", "", "x = length(zeros(2, 3))"},
	{AxisRepeated, Error, "one axis named twice",
		"An axis is named twice, or two axes carry one label.", "", "x = sum(zeros(2, 3) over [0, 0])"},
	{RunKind, Error, "a kind that the operation does not take",
		"An operation does not take a value of this kind.", "", "x = 1i < 2"},
	{RunCondition, Error, "a condition that is not one truth value",
		"`if` and `until` take one truth value.", "", "if [true, false] {\n  x = 1\n}"},
	{RunDomain, Error, "an int outside the function's domain",
		"An int result does not exist for this argument.", "", "x = factorial(-1)"},
	{RunSingular, Error, "a singular matrix",
		"A matrix whose rows are linearly dependent has no inverse.", "", "x = inverse([[1, 2], [2, 4]])"},
	{RunOverflow, Error, "an int that does not fit 64 bits",
		"An int result does not fit 64 bits.", "", "x = 2 ^ 64"},
	{RunEmpty, Error, "a reduction of no elements",
		"A reduction of no elements has no value.", "", "x = mean(zeros(0))"},
	{RunDivide, Error, "a division by zero",
		"An int is divided by zero, or weights add up to 0.", "", "x = 5 div 0"},
	{RunLimit, Error, "a limit on the run",
		"A limit on statements, cells, bytes, depth or seconds was exceeded.", "", "x = zeros(1000000, 1000000)"},
	{RunValue, Error, "a value without a meaning here",
		"A value has no meaning here: a step of 0, NaN for an int.", "", "x = int(nan)"},
}
