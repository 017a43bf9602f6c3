package codes

// Findings: what differs in an attempt.
const (
	OutputMissing   Code = "output.missing"
	KindDiffers     Code = "kind.differs"
	ShapeDiffers    Code = "shape.differs"
	ValueDiffers    Code = "value.differs"
	LabelsDiffer    Code = "labels.differ"
	StepDiffers     Code = "step.differs"
	FunctionMissing Code = "function.missing"
	PropertyFails   Code = "property.fails"
	ExpectsMissed   Code = "expects.missed"
)

// Rules that an exercise can state, each reported when an attempt breaks it.
const (
	RuleRequire Code = "rule.require"
	RuleRefuse  Code = "rule.refuse"
	RuleInputs  Code = "rule.inputs"
	RuleCost    Code = "rule.cost"
	RuleLoop    Code = "rule.loop"
)

var findings = []Entry{
	{OutputMissing, Finding, "an output that is not bound",
		"The attempt never binds an output.", "", "other_name = 1"},
	{KindDiffers, Finding, "another kind than expected",
		"An output holds truth values where numbers were expected, or numbers where truth values were.", "",
		"x = [1, 2] > 1"},
	{ShapeDiffers, Finding, "another shape than expected",
		"An output has another number of axes, or other lengths.", "", "x = sum([[1, 2, 3], [4, 5, 6]] over 1)"},
	{ValueDiffers, Finding, "other values than expected",
		"An output has the right shape and other values, beyond the tolerance.", "", "x = [1, 2] + 1"},
	{LabelsDiffer, Finding, "other axis labels than expected",
		"An output agrees, and its axes carry other labels; reported as a notice.", "", "x = labelled([1, 2], axes: [rope])"},
	{StepDiffers, Finding, "a step that is not as expected",
		"A named intermediate value is not bound, or not as expected. It costs its points and leaves the verdict alone.",
		"", "halfway = [1, 2] + 1"},
	{FunctionMissing, Finding, "a function that is not defined as asked",
		"The attempt does not define a function that is asked for, or defines it with other parameters.", "",
		"function doubel(x) = 2 * x\ny = doubel(3)"},
	{PropertyFails, Finding, "a property that does not hold",
		"A property that the answer must have does not hold.", "", "v = [3, 4]\nis_unit_length = near(norm(v), 1)"},
	{ExpectsMissed, Finding, "another outcome than the error expected",
		"The right outcome of a case is an error, and the attempt ended otherwise.", "", "x = sum(zeros(0))"},
}

var rules = []Entry{
	{RuleRequire, Rule, "a required function that no output uses",
		"A function or operator that the exercise is about does not contribute to an output.", "", "x = 1 + 2 + 3"},
	{RuleRefuse, Rule, "a function that this exercise does not allow",
		"A function or operator is used that the exercise does not allow.", "", "x = median([1, 2, 3])"},
	{RuleInputs, Rule, "an input that is overwritten",
		"The attempt writes into an input's cells, through a view too.", "", "x = [1, 2]\nx[0] = 9"},
	{RuleCost, Rule, "more work than this exercise allows",
		"The attempt makes more cells or runs more statements than the given multiple of the reference's.", "",
		"x = sum(zeros(1000, 100))"},
	{RuleLoop, Rule, "a loop where whole arrays are asked for",
		"The attempt loops where the exercise asks for whole-array notation: `each`, `repeat`, or a function that calls " +
			"itself.", "", "s = 0\neach v in [1, 2] {\n  s += v\n}"},
}
