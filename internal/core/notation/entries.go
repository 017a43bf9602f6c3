package notation

import "slices"

// Entry explains one word of the notation that is not a function: an operator, a
// selector, a clause, a statement.
type Entry struct {
	Word    string
	Kind    string
	Doc     string
	Example string // a program that runs
}

// Entries is the one list that explain and the docs read.
var Entries = []Entry{
	{"+", "operator", "Adds element by element. Ints that do not fit are run.overflow.", "x = [1, 2] + 3"},
	{"-", "operator", "Subtracts, or turns the sign.", "x = 5 - [1, 2]"},
	{"*", "operator", "Multiplies element by element; the matrix product is `dot`.", "x = [1, 2] * [3, 4]"},
	{"/", "operator", "Divides element by element; gives real, or complex. By zero it is infinite or NaN, with a " +
		"notice.", "x = [1, 2] / 2"},
	{"div", "operator", "Divides and takes the floor. By int zero it is run.divide, by real zero NaN.", "x = -7 div 2"},
	{"mod", "operator", "The remainder, with the divisor's sign.", "x = -7 mod 2"},
	{"dot", "operator", "The matrix product (n, k)·(k, m); an operand of one axis is a row on the left, a column on " +
		"the right. Ints multiply exactly or end in run.overflow; of reals the error is at most k ulp of abs(A) dot " +
		"abs(B).", "x = [[1, 2], [3, 4]] dot [5, 6]"},
	{"^", "operator", "Raises to a power, right to left. Ints stay int while no exponent is negative.", "x = [2, 3] ^ 2"},
	{"==", "operator", "True where equal. Comparisons may chain: `5 < x <= 8`.", "x = [1, 2] == 2"},
	{"!=", "operator", "True where not equal.", "x = [1, 2] != 2"},
	{"<", "operator", "True where less. Complex numbers have no order.", "x = [1, 2] < 2"},
	{"<=", "operator", "True where less or equal.", "x = [1, 2] <= 1"},
	{">", "operator", "True where greater.", "x = [1, 2] > 1"},
	{">=", "operator", "True where greater or equal.", "x = [1, 2] >= 2"},
	{"and", "operator", "True where both sides are. Both sides are always computed, and are bool.",
		"x = [true, false] and true"},
	{"or", "operator", "True where one side is.", "x = [true, false] or true"},
	{"xor", "operator", "True where exactly one side is.", "x = [true, false] xor true"},
	{"not", "operator", "Turns truth values round.", "x = not [true, false]"},
	{"to", "operator", "A range whose end is in: `2 to 5`, `0 to 1 by 0.25`.", "x = 2 to 5"},
	{"before", "operator", "A range whose end is out: `0 before n`.", "x = 0 before 4"},
	{"by", "operator", "The step of a range.", "x = 0 to 10 by 5"},

	{"first", "selector", "The first position of the axis being selected.", "x = [5, 6, 7]\ny = x[first]"},
	{"last", "selector", "The last position of the axis being selected; `last - 1` is the one before.",
		"x = [5, 6, 7]\ny = x[last - 1]"},
	{"from", "selector", "A range with an open end: `x[from 2]`, `x[from 1 by 2]`.", "x = [5, 6, 7]\ny = x[from 1]"},
	{"all", "selector", "The whole axis. As `all(x)` it is the function that asks whether every element is true.",
		"x = [[1, 2], [3, 4]]\ny = x[all, 0]"},
	{"reversed", "selector", "The whole axis backwards.", "x = [5, 6, 7]\ny = x[reversed]"},
	{"except", "selector", "All but a position, a range, positions or a mask.", "x = [5, 6, 7]\ny = x[except 1]"},
	{"new", "selector", "Adds an axis of length 1.", "x = [5, 6, 7]\ny = x[all, new]"},
	{"rest", "selector", "As many `all` as are missing.", "x = [[1, 2], [3, 4]]\ny = x[0, rest]"},
	{"paired", "selector", "Walks lists of positions in step instead of crossing them.",
		"x = [[1, 2], [3, 4]]\ny = x[paired [0, 1], [1, 0]]"},

	{"over", "clause", "Names the axes a call reduces: `mean(x over week)`, `sum(x over [0, 1])`.",
		"x = sum([[1, 2], [3, 4]] over 0)"},
	{"along", "clause", "Names the axis a call works through and keeps.", "x = length([[1, 2, 3], [4, 5, 6]] along 1)"},

	{"view", "statement", "Binds a name to cells another name holds: a change through one shows in both.",
		"grid = zeros(2, 2)\nview top = grid[0, all]\ntop[rest] = 7"},
	{"function", "statement", "Defines a function at top level; it sees its parameters and nothing of the program's " +
		"names.", "function double(x) = 2 * x\ny = double([1, 2])"},
	{"each", "statement", "Runs a block for each item along an axis.", "s = 0\neach v in [1, 2, 3] {\n  s += v\n}"},
	{"repeat", "statement", "Runs a block a bounded number of times, until a condition holds.",
		"x = 1\nrepeat up to 10 until x > 20 {\n  x = 2 * x\n}"},
	{"if", "statement", "Chooses a block by one truth value.", "x = 3\nif x > 2 {\n  x = 0\n}"},
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
