package codes

// Notices of a run.
const (
	NoticeNaN       Code = "notice.nan"
	NoticeInfinite  Code = "notice.infinite"
	NoticeEmpty     Code = "notice.empty"
	NoticeLabels    Code = "notice.labels"
	NoticeTranspose Code = "notice.transpose"
	NoticeCondition Code = "notice.condition"
	NoticePrecision Code = "notice.precision"
)

var notices = []Entry{
	{NoticeNaN, Notice, "NaN from operands without NaN",
		"NaN was made where no operand was NaN.", "", "x = sqrt(-1)"},
	{NoticeInfinite, Notice, "infinity from finite operands",
		"An infinite value was made where no operand was infinite.", "", "x = 1 / 0"},
	{NoticeEmpty, Notice, "an empty range",
		"A range cannot advance and is empty.", "", "x = 5 to 1"},
	{NoticeLabels, Notice, "two labels on one axis",
		"Two different labels met on one axis.", "", "a = labelled([1, 2], axes: [week])\nb = labelled([1, 2], axes: " +
			"[rope])\nc = a + b"},
	{NoticeTranspose, Notice, "a transpose of one axis",
		"An array of one axis was transposed, which changes nothing.", "", "x = transpose([1, 2])"},
	{NoticeCondition, Notice, "a nearly singular matrix",
		"A matrix is nearly singular, and few digits of the result are right.", "",
		"x = inverse([[1, 1], [1, 1.00000000000001]])"},
	{NoticePrecision, Notice, "an int that no real equals",
		"An int beyond 2^53 became a real that is not the same number.", "", "x = 9007199254740993 + 0.5"},
}
