package codes

// Causes: why an output differs.
const (
	StarterUnchanged   Code = "starter.unchanged"
	OutputSwapped      Code = "output.swapped"
	AxisOther          Code = "axis.other"
	AxisAll            Code = "axis.all"
	AxisKept           Code = "axis.kept"
	AxisDropped        Code = "axis.dropped"
	SelectAxis         Code = "select.axis"
	SelectBlock        Code = "select.block"
	UnitFirst          Code = "unit.first"
	SelectShifted      Code = "select.shifted"
	SelectEnd          Code = "select.end"
	SelectStep         Code = "select.step"
	SelectReversed     Code = "select.reversed"
	SelectComplement   Code = "select.complement"
	MaskBoundary       Code = "mask.boundary"
	MaskJoined         Code = "mask.joined"
	MaskInverted       Code = "mask.inverted"
	MaskUnapplied      Code = "mask.unapplied"
	PositionValue      Code = "position.value"
	BroadcastAxis      Code = "broadcast.axis"
	ProductElementwise Code = "product.elementwise"
	ProductMatrix      Code = "product.matrix"
	MatrixElementwise  Code = "matrix.elementwise"
	TransposeMissing   Code = "transpose.missing"
	ComplexPart        Code = "complex.part"
	FillOrder          Code = "fill.order"
	ReshapeTranspose   Code = "reshape.transpose"
	JoinAxis           Code = "join.axis"
	SpreadDivisor      Code = "spread.divisor"
	AngleUnit          Code = "angle.unit"
	LogBase            Code = "log.base"
	Rounding           Code = "rounding"
	PowerMissing       Code = "power.missing"
	Grouping           Code = "grouping"
	OperandOrder       Code = "operand.order"
	FunctionOther      Code = "function.other"
	OperatorOther      Code = "operator.other"
	ConstantOther      Code = "constant.other"
	InputOther         Code = "input.other"
	LengthFixed        Code = "length.fixed"
	MissingValues      Code = "missing.values"
	LoopLast           Code = "loop.last"
	MeanNested         Code = "mean.nested"
	SortApart          Code = "sort.apart"
	StepMissing        Code = "step.missing"
	StepExtra          Code = "step.extra"
	ViewCopy           Code = "view.copy"
	InputChanged       Code = "input.changed"
	AxisOrder          Code = "axis.order"
	AxisFlat           Code = "axis.flat"
	SignFlipped        Code = "sign.flipped"
	ScaleFactor        Code = "scale.factor"
	OffsetConstant     Code = "offset.constant"
	Foreseen           Code = "foreseen"
	ConstantAnswer     Code = "constant.answer"
	ShownOnly          Code = "shown.only"
)

// The order is the order of rank: of causes with the same evidence the first is reported.
var causes = []Entry{
	{StarterUnchanged, Cause, "handed in as it came",
		"The attempt is the starter, unchanged.",
		"This is the starter as it came: was another file meant?", "the starter → the starter"},
	{OutputSwapped, Cause, "two outputs are exchanged",
		"Each of two outputs has the values that the other should have.",
		"Each of these has the values of the other: are the names the right way round?",
		"low = min(x), high = max(x) → low = max(x), high = min(x)"},
	{AxisOther, Cause, "worked over or along another axis",
		"A reduction goes over another axis, or a scan along another one.",
		"Which axis must go, and which must stay?", "mean(x over week) → mean(x over rope)"},
	{AxisAll, Cause, "reduced over every axis",
		"A reduction without `over` reduces all axes where one was meant.",
		"All axes were reduced: which of them should stay?", "mean(x over week) → mean(x)"},
	{AxisKept, Cause, "an axis of length 1 is left over",
		"An axis of length 1 stays in the result: a `keep`, or a list where one position was meant.",
		"There is an axis of length 1 too many: where does it come from?", "max(x over week) → max(x over week, keep: true)"},
	{AxisDropped, Cause, "an axis was lost",
		"An axis that should stay with length 1 is gone.",
		"An axis was lost: should it have stayed with length 1?",
		"max(x over week, keep: true) → max(x over week)"},
	{SelectAxis, Cause, "selected on another axis",
		"A selector is applied to another axis than the one meant.",
		"On which axis does this selection choose?", "x[0, all] → x[all, 0]"},
	{SelectBlock, Cause, "positions are crossed or paired wrongly",
		"Lists of positions select a block where pairs were meant, or pairs where a block was.",
		"Should these positions cross, or go in pairs?", "x[paired [0, 1], [1, 2]] → x[[0, 1], [1, 2]]"},
	{UnitFirst, Cause, "counted positions from the other base",
		"A position is one off, as it would be in a course that counts from the other base.",
		"What is the first position called in this course?", "x[0, all] → x[1, all]"},
	{SelectShifted, Cause, "positions are off",
		"Positions are shifted by the same number.",
		"Which positions are these, counted out by hand?", "w[0] → w[2]"},
	{SelectEnd, Cause, "an end of a range is left out or taken in",
		"A range holds one position too many or too few at an end.",
		"Does the range hold its last position? And its first?", "w[0 to 2] → w[0 before 2]"},
	{SelectStep, Cause, "a wrong step",
		"A range advances by another step.",
		"By how much should the range step?", "w[by 2] → w[by 3]"},
	{SelectReversed, Cause, "in the opposite direction",
		"Values run in the opposite direction.",
		"In which direction do the values run?", "sort(w) → sort(w, descending: true)"},
	{SelectComplement, Cause, "kept what should be left out",
		"A selection keeps exactly what should be left out.",
		"Does this keep what should be left out?", "w[except 0 to 1] → w[0 to 1]"},
	{MaskBoundary, Cause, "a comparison treats equality wrongly: strict or not",
		"A comparison is strict where equality counts, or counts equality where it should be strict.",
		"What happens to a value that is exactly on the boundary?", "count(w > 3) → count(w >= 3)"},
	{MaskJoined, Cause, "conditions are joined by the wrong one of `and` and `or`",
		"Two conditions are joined by `and` where `or` was meant, or by `or` where `and` was.",
		"Must both conditions hold, or is one enough?", "count(w > 3 and v > 3) → count(w > 3 or v > 3)"},
	{MaskInverted, Cause, "the mask is the opposite",
		"A mask is true exactly where it should be false.",
		"For which elements is the mask true?", "w[w > 3] → w[not (w > 3)]"},
	{MaskUnapplied, Cause, "a mask was not applied",
		"Elements that a condition should leave out are used.",
		"Was every condition used to choose elements?", "sum(w[w > 3]) → sum(w)"},
	{PositionValue, Cause, "a position, a value, a mask and a count are mixed up",
		"A position is given where a value was meant, a count where a sum was, or a mask where elements were.",
		"Is this where something is, how many there are, or what it is?", "max(w) → max_at(w)"},
	{BroadcastAxis, Cause, "broadcast along another axis",
		"An array is broadcast along another axis, because its new axis of length 1 is elsewhere.",
		"Along which axis is the smaller array stretched?", "a * e[all, new] → a * e"},
	{ProductElementwise, Cause, "element by element where the matrix product was meant",
		"`*` is used where `dot` was meant.",
		"Which product is wanted here: element by element, or of matrices?", "a dot b → a * b"},
	{ProductMatrix, Cause, "the matrix product where element by element was meant",
		"`dot` is used where `*` was meant.",
		"Which product is wanted here: element by element, or of matrices?", "a * b → a dot b"},
	{MatrixElementwise, Cause, "a power or reciprocal of the elements where the matrix's was meant",
		"Elements are raised to a power or inverted where the power or inverse of the matrix was meant.",
		"Is this the inverse or power of the matrix, or of each element?", "inverse(a) → 1 / a"},
	{TransposeMissing, Cause, "a transpose is missing or too many",
		"A matrix is transposed where it should not be, or not where it should be.",
		"Which way round must the matrix be?", "transpose(a) dot b → a dot b"},
	{ComplexPart, Cause, "a conjugate, part or modulus left out",
		"Another part of complex numbers is taken, or a conjugate or modulus is left out.",
		"Which part of the complex numbers is wanted?", "abs(w + v * 1i) → real_part(w + v * 1i)"},
	{FillOrder, Cause, "filled in the other order of rows and columns",
		"Elements are read or filled by columns where rows were meant, or by rows where columns were.",
		"In which order are the elements read and filled?", "reshape(w[0 to 3], [2, 2]) → reshape(w[0 to 3], [2, 2], " +
			"fill: columns)"},
	{ReshapeTranspose, Cause, "reshape and transpose are mixed up",
		"A reshape is used where a transpose was meant, or a transpose where a reshape was.",
		"Should the elements keep their order, or the axes change places?", "transpose(x) → reshape(x, reversed(shape(x)))"},
	{JoinAxis, Cause, "joined along another axis",
		"Arrays are joined or stacked along another axis.",
		"Along which axis are the parts joined?", "join(a, b along 0) → join(a, b along 1)"},
	{SpreadDivisor, Cause, "divided by the wrong one of n and n - 1",
		"A variance or standard deviation divides by n where n - 1 was meant, or by n - 1 where n was.",
		"Is the spread that of all values, or of a sample?", "sample_std(w) → std(w)"},
	{AngleUnit, Cause, "degrees and radians are mixed up",
		"An angle is in degrees where radians are needed, or in radians where degrees are.",
		"In which unit are the angles?", "sin(radians(w)) → sin(w)"},
	{LogBase, Cause, "another base of the logarithm",
		"A logarithm has another base.",
		"Which base has this logarithm?", "log10(w) → log(w)"},
	{Rounding, Cause, "rounded, truncated or made int",
		"Decimals are lost by rounding, truncating or a conversion to int.",
		"Where are decimals lost, and should they be?", "w / 3 → round(w / 3)"},
	{PowerMissing, Cause, "a square or a root is wrong",
		"A square or a root is missing or too many.",
		"Is something squared, or a root taken, once too often or not at all?", "sqrt(w) → w"},
	{Grouping, Cause, "parentheses are missing",
		"Operators are evaluated in another order than meant.",
		"In which order are the operators evaluated?", "(w + v) / 3 → w + v / 3"},
	{OperandOrder, Cause, "operands are exchanged",
		"The operands of an operator, or two arguments, are exchanged.",
		"Which comes first?", "w - v → v - w"},
	{FunctionOther, Cause, "a neighbouring function",
		"A related function is called: the median for the mean, floor for round.",
		"Is this the function that is wanted?", "mean(w) → median(w)"},
	{OperatorOther, Cause, "another operator",
		"Another operator is used: `+` for `-`, `div` for `/`.",
		"Is this the operator that is wanted?", "w + v → w - v"},
	{ConstantOther, Cause, "another number is written in",
		"A threshold, factor, percentile or other literal has another value.",
		"Is this number the one that the exercise names?", "count(v > 3) → count(v > 5)"},
	{InputOther, Cause, "another input, or an earlier value, is used",
		"Another input is used, or a value before the step that should have been applied to it.",
		"Which array is meant here?", "mean(w) → mean(v)"},
	{LengthFixed, Cause, "right only for one length",
		"A length is written in as a number.",
		"What if there are more, or fewer, items than in the shown case?", "sum(w) / length(w) → sum(w) / 4"},
	{MissingValues, Cause, "missing values kept, dropped or made zero",
		"NaN is kept where it should be left out, left out where it should be kept, or replaced by zero.",
		"What becomes of missing values here?", "mean(m, only: not is_nan(m)) → mean(m)"},
	{LoopLast, Cause, "only the last pass of a loop is kept",
		"A loop overwrites what it should accumulate.",
		"What is left of the earlier passes?", "s = 0.0\neach k in w {\n  s += k\n}\nout = s → s = 0.0\neach k in w {\n" +
			"  s = k\n}\nout = s"},
	{MeanNested, Cause, "the mean of group means",
		"A mean or median of group means is used for the one of all elements, or a mean of quotients for a quotient of sums.",
		"Does every element count as much as every other?", "median(x) → median(median(x over week))"},
	{SortApart, Cause, "sorted apart what belongs together",
		"Axes are sorted independently, so rows no longer belong together.",
		"Do the rows still belong together after this?", "x[sort_order(w), all] → sort(x along 0)"},
	{StepMissing, Cause, "a step is left out",
		"A step of the reference is not in the attempt.",
		"Which step is missing?", "mean(abs(v - 3)) → mean(v - 3)"},
	{StepExtra, Cause, "a step too many",
		"The attempt has a step that the reference does not have.",
		"Is there a step here that nobody asked for?", "w + v → (w + v) / size(w)"},
	{ViewCopy, Cause, "a view and a copy are mixed up",
		"A copy was made where a change should show through a view, or a view where it should not.",
		"Is this a copy, or does it share its cells?", "g = x + 0\nview t = g[0, all]\nt[rest] = 7\nout = g → g = x + 0\n" +
			"t = g[0, all]\nt[rest] = 7\nout = g"},
	{InputChanged, Cause, "an input was changed",
		"The program writes into an input that it still needs.",
		"Does the program change an input that it still needs?", "out = sum(w) → w[0] = 0\nout = sum(w)"},
	{AxisOrder, Cause, "the right values, axes in another order",
		"The result has the right values, with its axes in another order.",
		"In which order should the axes be?", "[week, rope] → [rope, week]"},
	{AxisFlat, Cause, "the right values in another shape",
		"The result has the right values in another shape.",
		"The values are right: which shape should they have?", "x + 1 → flattened(x + 1)"},
	{SignFlipped, Cause, "the result × -1",
		"Every element has the opposite sign.",
		"What is subtracted from what?", "x → -x"},
	{ScaleFactor, Cause, "the result × a number",
		"Every element is the expected one times the same number.",
		"In which unit is the result wanted?", "w → 3 * w + 4 * w"},
	{OffsetConstant, Cause, "the result + a number",
		"Every element is the expected one plus the same number.",
		"Where does the result start to count?", "w → (w + 1) * 2 - w + 5"},
	{Foreseen, Cause, "a slip that the instructor foresaw",
		"The results are those of a slip that the instructor listed with the exercise.",
		"", "as the instructor wrote it"},
	{ConstantAnswer, Cause, "does not depend on the inputs",
		"An output has one value in every case, and depends on no input.",
		"Where are the inputs used?", "mean(x) → 4.5"},
	{ShownOnly, Cause, "right in the shown cases, wrong in held ones",
		"The attempt agrees in every shown case and differs in a held one.",
		"What would other data change?", "mean(x) → what fits the shown cases"},
}
