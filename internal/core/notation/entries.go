package notation

import (
	"slices"
	"strings"
)

// Entry explains one word of the notation that is no function: an operator, a
// selector, a clause, an error, a notice, a finding.
type Entry struct {
	Word    string
	Kind    string
	Doc     string
	Example string // a program that runs, or that provokes the code
}

// Entries is the one list that explain and the docs read.
var Entries = []Entry{
	{"+", "operator", "Adds element by element. Ints that do not fit are run.overflow.", "x = [1, 2] + 3"},
	{"-", "operator", "Subtracts, or turns the sign.", "x = 5 - [1, 2]"},
	{"*", "operator", "Multiplies element by element; the matrix product is `dot`.", "x = [1, 2] * [3, 4]"},
	{"/", "operator", "Divides element by element; gives real, or complex. By zero it is infinite or NaN, with a notice.", "x = [1, 2] / 2"},
	{"div", "operator", "Divides and takes the floor. By int zero it is run.divide, by real zero NaN.", "x = -7 div 2"},
	{"mod", "operator", "The remainder, with the divisor's sign.", "x = -7 mod 2"},
	{"dot", "operator", "The matrix product (n, k)·(k, m); an operand of one axis is a row on the left, a column on the right. Ints multiply exactly or end in run.overflow; of reals the error is at most k ulp of abs(A) dot abs(B).", "x = [[1, 2], [3, 4]] dot [5, 6]"},
	{"^", "operator", "Raises to a power, right to left. Ints stay int while no exponent is negative.", "x = [2, 3] ^ 2"},
	{"==", "operator", "True where equal. Comparisons may chain: `5 < x <= 8`.", "x = [1, 2] == 2"},
	{"!=", "operator", "True where not equal.", "x = [1, 2] != 2"},
	{"<", "operator", "True where less. Complex numbers have no order.", "x = [1, 2] < 2"},
	{"<=", "operator", "True where less or equal.", "x = [1, 2] <= 1"},
	{">", "operator", "True where greater.", "x = [1, 2] > 1"},
	{">=", "operator", "True where greater or equal.", "x = [1, 2] >= 2"},
	{"and", "operator", "True where both sides are. Both sides are always worked out, and are bool.", "x = [true, false] and true"},
	{"or", "operator", "True where one side is.", "x = [true, false] or true"},
	{"xor", "operator", "True where exactly one side is.", "x = [true, false] xor true"},
	{"not", "operator", "Turns truth values round.", "x = not [true, false]"},
	{"to", "operator", "A range whose end is in: `2 to 5`, `0 to 1 by 0.25`.", "x = 2 to 5"},
	{"before", "operator", "A range whose end is out: `0 before n`.", "x = 0 before 4"},
	{"by", "operator", "The step of a range.", "x = 0 to 10 by 5"},

	{"first", "selector", "The first position of the axis being selected.", "x = [5, 6, 7]\ny = x[first]"},
	{"last", "selector", "The last position of the axis being selected; `last - 1` is the one before.", "x = [5, 6, 7]\ny = x[last - 1]"},
	{"from", "selector", "A range with an open end: `x[from 2]`, `x[from 1 by 2]`.", "x = [5, 6, 7]\ny = x[from 1]"},
	{"all", "selector", "The whole axis. As `all(x)` it is the function that asks whether every element is true.", "x = [[1, 2], [3, 4]]\ny = x[all, 0]"},
	{"reversed", "selector", "The whole axis backwards.", "x = [5, 6, 7]\ny = x[reversed]"},
	{"except", "selector", "All but a position, a range, positions or a mask.", "x = [5, 6, 7]\ny = x[except 1]"},
	{"new", "selector", "Adds an axis of length 1.", "x = [5, 6, 7]\ny = x[all, new]"},
	{"rest", "selector", "As many `all` as are missing.", "x = [[1, 2], [3, 4]]\ny = x[0, rest]"},
	{"paired", "selector", "Walks lists of positions in step instead of crossing them.", "x = [[1, 2], [3, 4]]\ny = x[paired [0, 1], [1, 0]]"},

	{"over", "clause", "Names the axes a call collapses: `mean(x over week)`, `sum(x over [0, 1])`.", "x = sum([[1, 2], [3, 4]] over 0)"},
	{"along", "clause", "Names the axis a call works through and keeps.", "x = length([[1, 2, 3], [4, 5, 6]] along 1)"},

	{"view", "statement", "Binds a name to cells another name holds: a change through one shows in both.", "grid = zeros(2, 2)\nview top = grid[0, all]\ntop[rest] = 7"},
	{"function", "statement", "Defines a function at top level; it sees its parameters and nothing of the program's names.", "function double(x) = 2 * x\ny = double([1, 2])"},
	{"each", "statement", "Runs a block for each item along an axis.", "s = 0\neach v in [1, 2, 3] {\n  s += v\n}"},
	{"repeat", "statement", "Runs a block a bounded number of times, until a condition holds.", "x = 1\nrepeat up to 10 until x > 20 {\n  x = 2 * x\n}"},
	{"if", "statement", "Chooses a block by one truth value.", "x = 3\nif x > 2 {\n  x = 0\n}"},

	{"text.syntax", "error", "The text does not follow the grammar.", "x = (1 + 2"},
	{"text.name", "error", "A name is bound nowhere, or not yet.", "growth = [1, 2]\nx = grwth + 1"},
	{"text.call", "error", "An unknown function, or a call with wrong arguments, clause or options.", "x = summ([1, 2])"},
	{"text.habit", "error", "A spelling from elsewhere; the hint gives the one here.", "x = 2 ** 3"},
	{"shape.broadcast", "error", "Shapes laid under each other at their last axes do not fit.", "x = zeros(2, 3) + zeros(2)"},
	{"shape.inner", "error", "The inner lengths of a matrix product differ, or an operand is a scalar.", "x = zeros(2, 3) dot zeros(2)"},
	{"shape.mask", "error", "A mask has another shape than what it selects from.", "x = zeros(2, 3)\ny = x[[true, false]]"},
	{"shape.reshape", "error", "The elements do not fill the shape asked for.", "x = reshape(zeros(2, 3), [4, auto])"},
	{"shape.ragged", "error", "The items of a list have unlike shapes.", "x = [[1, 2], [3]]"},
	{"shape.assign", "error", "A value does not stretch to the selection it is assigned into.", "x = zeros(3)\nx[0 to 1] = [1, 2, 3]"},
	{"shape.join", "error", "Arrays that go in step have unequal lengths.", "each a, b in [1, 2], [1, 2, 3] {\n  x = a + b\n}"},
	{"select.count", "error", "Too few or too many selectors for the axes there are.", "x = zeros(2, 3)\ny = x[0]"},
	{"select.range", "error", "A position lies outside its axis.", "x = zeros(3)\ny = x[3]"},
	{"select.kind", "error", "A selector of a kind that selects nothing.", "x = zeros(3)\ny = x[1.0]"},
	{"select.repeated", "error", "A target names one position twice.", "x = zeros(3)\nx[[0, 0]] = [1, 2]"},
	{"axis.unknown", "error", "There is no such axis.", "x = sum(zeros(2, 3) over week)"},
	{"axis.missing", "error", "The axis to work along must be said.", "x = length(zeros(2, 3))"},
	{"axis.repeated", "error", "An axis is named twice, or a label stands on two.", "x = sum(zeros(2, 3) over [0, 0])"},
	{"run.kind", "error", "A kind that the operation cannot take.", "x = 1i < 2"},
	{"run.condition", "error", "`if` and `until` take one truth value.", "if [true, false] {\n  x = 1\n}"},
	{"shape.square", "error", "A matrix that must be square is not.", "x = inverse([[1, 2, 3], [4, 5, 6]])"},
	{"run.domain", "error", "An int result that cannot exist.", "x = factorial(-1)"},
	{"run.singular", "error", "A matrix whose rows depend on each other has no inverse.", "x = inverse([[1, 2], [2, 4]])"},
	{"run.overflow", "error", "An int result does not fit 64 bits.", "x = 2 ^ 64"},
	{"run.empty", "error", "A collapse of nothing that has no value.", "x = mean(zeros(0))"},
	{"run.divide", "error", "An int divided by zero, or weights that add up to 0.", "x = 5 div 0"},
	{"run.limit", "error", "A bound on statements, cells, bytes, depth or seconds was passed.", "x = zeros(1000000, 1000000)"},
	{"run.value", "error", "A value that has no meaning here: a step of 0, NaN for an int.", "x = int(nan)"},
	{"notice.nan", "notice", "NaN was made where no operand was NaN.", "x = sqrt(-1)"},
	{"notice.infinite", "notice", "An infinite value was made where no operand was infinite.", "x = 1 / 0"},
	{"notice.empty", "notice", "A range cannot advance and is empty.", "x = 5 to 1"},
	{"notice.labels", "notice", "Two different labels met on one axis.", "a = labelled([1, 2], axes: [week])\nb = labelled([1, 2], axes: [rope])\nc = a + b"},
	{"notice.transpose", "notice", "An array of one axis was transposed, which changes nothing.", "x = transpose([1, 2])"},
	{"notice.condition", "notice", "A matrix is nearly singular, and few digits of the result are right.", "x = inverse([[1, 1], [1, 1.00000000000001]])"},
	{"notice.precision", "notice", "An int beyond 2^53 became a real that is not the same number.", "x = 9007199254740993 + 0.5"},

	{"output.missing", "finding", "The attempt never binds an output.", "other_name = 1"},
	{"kind.differs", "finding", "An output holds truth values where numbers were expected, or the reverse.", "x = [1, 2] > 1"},
	{"shape.differs", "finding", "An output has another number of axes, or other lengths.", "x = sum([[1, 2, 3], [4, 5, 6]] over 1)"},
	{"value.differs", "finding", "An output has the right shape and other values, past the tolerance.", "x = [1, 2] + 1"},
	{"labels.differ", "finding", "An output agrees, and its axes carry other labels; told as a notice.", "x = labelled([1, 2], axes: [rope])"},
	{"step.differs", "finding", "A named value on the way is not bound, or not as expected. It costs its points and leaves the verdict alone.", "halfway = [1, 2] + 1"},
	{"function.missing", "finding", "The attempt does not define a function that is asked, or one with other parameters.", "function doubel(x) = 2 * x\ny = doubel(3)"},
	{"property.fails", "finding", "What must hold of the answer does not.", "v = [3, 4]\nis_unit_length = near(norm(v), 1)"},
	{"expects.missed", "finding", "The right outcome of a case is an error, and the attempt ended otherwise.", "x = sum(zeros(0))"},
	{"rule.require", "rule", "A function or operator that the exercise is about does not reach an output.", "x = 1 + 2 + 3"},
	{"rule.refuse", "rule", "A function or operator is used that the exercise does without.", "x = median([1, 2, 3])"},
	{"rule.inputs", "rule", "The attempt writes another value into an input's cells, through a view too.", "x = [1, 2]\nx[0] = 9"},
	{"rule.cost", "rule", "The attempt takes more cells or statements than so many times the reference's.", "x = sum(zeros(1000, 100))"},
	{"rule.loop", "rule", "The attempt loops where the exercise wants whole arrays: `each`, `repeat`, or a function that calls itself.", "s = 0\neach v in [1, 2] {\n  s += v\n}"},
}

// EntryKinds lists the kinds of entry in their order.
func EntryKinds() []string {
	var kinds []string
	for _, e := range Entries {
		if !slices.Contains(kinds, e.Kind) {
			kinds = append(kinds, e.Kind)
		}
	}
	return kinds
}

// RunCodes lists the codes of errors that a run, and not the text alone, can end in.
func RunCodes() []string {
	var out []string
	for _, e := range Entries {
		if e.Kind == "error" && !strings.HasPrefix(e.Word, "text.") {
			out = append(out, e.Word)
		}
	}
	return out
}
