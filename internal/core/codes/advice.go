package codes

// Advice on an exercise.
const (
	AdviceEqualLengths   Code = "equal-lengths"
	AdviceOneCase        Code = "one-case"
	AdviceOneShape       Code = "one-shape"
	AdviceSymmetric      Code = "symmetric"
	AdviceNoBoundary     Code = "no-boundary"
	AdviceMaskTrivial    Code = "mask-trivial"
	AdviceSorted         Code = "sorted"
	AdviceNoNegative     Code = "no-negative"
	AdviceNoRepeat       Code = "no-repeat"
	AdviceNoZero         Code = "no-zero"
	AdviceIntegersOnly   Code = "integers-only"
	AdviceMissingValues  Code = "missing-values"
	AdviceTie            Code = "tie"
	AdviceLoose          Code = "loose"
	AdviceTight          Code = "tight"
	AdviceIllConditioned Code = "ill-conditioned"
	AdviceUnusedInput    Code = "unused-input"
	AdviceConstantOutput Code = "constant-output"
	AdviceNonFinite      Code = "non-finite"
	AdviceNothingShown   Code = "nothing-shown"
	AdviceNotListed      Code = "not-listed"
	AdviceNotSent        Code = "not-sent"
	AdvicePromptSilent   Code = "prompt-silent"
	AdviceFreeShape      Code = "free-shape"
)

var advice = []Entry{
	{AdviceEqualLengths, Advice, "axes of one length",
		"Two axes have the same length in every case, so a wrong axis keeps the right shape.", "",
		"out = mean(growth over week)"},
	{AdviceOneCase, Advice, "no held case with other data",
		"No held case has data that differ from the shown ones: an answer written in passes.", "",
		"out = mean(growth over week)"},
	{AdviceOneShape, Advice, "one shape in every case",
		"Every case has the same shape: a length written in passes.", "", "out = sum(x) / 3"},
	{AdviceSymmetric, Advice, "symmetric matrices",
		"A matrix equals its transpose in every case, so a missing transpose goes unnoticed.", "", "out = transpose(a)"},
	{AdviceNoBoundary, Advice, "a boundary that no data meet",
		"A comparison never meets the value it compares with, so strict and not strict agree.", "", "out = count(x > 3)"},
	{AdviceMaskTrivial, Advice, "a mask that chooses all or none",
		"A mask is all true or all false in a case.", "", "out = sum(x[x > 3])"},
	{AdviceSorted, Advice, "data in order",
		"The data are in order in every case, where the reference puts them in order.", "", "out = sort(x)[last]"},
	{AdviceNoNegative, Advice, "no negative data",
		"The data are never negative, where their sign matters.", "", "out = sum(abs(x))"},
	{AdviceNoRepeat, Advice, "no repeated values",
		"No value occurs twice, where repeated values matter.", "", "out = size(unique(x))"},
	{AdviceNoZero, Advice, "no zeros",
		"No value is zero, where zeros matter.", "", "out = sign(x - y)"},
	{AdviceIntegersOnly, Advice, "whole numbers only",
		"All values are whole numbers, where decimals matter.", "", "out = floor(x)"},
	{AdviceMissingValues, Advice, "missing values that are not handled, or never occur",
		"Data hold NaN that the reference does not handle, or it handles NaN that never occurs in the data.", "",
		"out = mean(x, only: not is_nan(x))"},
	{AdviceTie, Advice, "an extreme that occurs twice",
		"An extreme asked for by its position is not unique in some case.", "", "out = max_at(x)"},
	{AdviceLoose, Advice, "a tolerance that is too wide",
		"The tolerance accepts a slip, or is wider than the spread of the values.", "", "out = std(x)"},
	{AdviceTight, Advice, "a tolerance that is too narrow",
		"Two equally right orders of operations differ by more than the tolerance.", "", "out = x / 3.7 / 1.1"},
	{AdviceIllConditioned, Advice, "a nearly singular matrix",
		"A matrix is so nearly singular that rounding alone exceeds the tolerance.", "", "out = inverse(a)"},
	{AdviceUnusedInput, Advice, "an input that is not used",
		"An input is never used by the reference.", "", "out = sum(x)"},
	{AdviceConstantOutput, Advice, "an output that never changes",
		"An output is the same in every case.", "", "out = sum(x)\nn = axis_count(x)"},
	{AdviceNonFinite, Advice, "NaN or infinity in an output",
		"An output holds NaN or an infinite value.", "", "out = mean(x)"},
	{AdviceNothingShown, Advice, "no shown case",
		"No case is shown: students see neither data nor what differs.", "", "out = sum(x)"},
	{AdviceNotListed, Advice, "a folder that the course does not list",
		"A folder with an exercise is not in the course's list, and is not published.", "", "out = sum(x)"},
	{AdviceNotSent, Advice, "a digest that this build does not send",
		"The course asks for a digest, which this build does not send yet.", "", "out = sum(x)"},
	{AdvicePromptSilent, Advice, "a prompt that leaves something unsaid",
		"The prompt never names an output, its axes or its unit.", "", "out = sum(x)"},
	{AdviceFreeShape, Advice, "a length written in",
		"The reference uses a length that is written in as a number.", "", "out = sum(x) / 3"},
}
