package causes

// Words are what is said of a cause: to the team, and as a question to the student.
type Words struct {
	Code     string
	Says     string
	Question string
	Example  string // a change that it stands for, right → wrong
}

// Table has the words of every code, the more specific first.
var Table = []Words{
	{"starter.unchanged", "handed in as it came", "This is the starter as it came: was another file meant?", "the starter → the starter"},
	{"output.swapped", "two outputs are exchanged", "Each of these has the values of the other: are the names the right way round?", "low = min(x), high = max(x) → low = max(x), high = min(x)"},
	{"axis.other", "worked over or along another axis", "Which axis must go, and which must stay?", "mean(x over week) → mean(x over rope)"},
	{"axis.all", "collapsed every axis", "All axes were collapsed: which of them should stay?", "mean(x over week) → mean(x)"},
	{"axis.kept", "an axis of length 1 is left over", "There is an axis of length 1 too many: where does it come from?", "max(x over week) → max(x over week, keep: true)"},
	{"axis.dropped", "an axis was lost", "An axis was lost on the way: should it have stayed with length 1?", "x - mean(x over rope, keep: true) → x - mean(x over rope)"},
	{"select.axis", "selected on another axis", "On which axis does this selection choose?", "x[0, all] → x[all, 0]"},
	{"select.block", "positions are crossed or paired wrongly", "Should these positions cross, or go in pairs?", "x[paired r, c] → x[r, c]"},
	{"unit.first", "counted positions from the other base", "What is the first position called in this course?", "x[0] → x[1]"},
	{"select.shifted", "positions are off", "Which positions are these, counted out by hand?", "x[2 to 4] → x[3 to 5]"},
	{"select.end", "an end of a range is left out or taken in", "Does the range hold its last position? And its first?", "x[0 to 4] → x[0 before 4]"},
	{"select.step", "a wrong step", "By how much should the range step?", "x[by 2] → x[by 3]"},
	{"select.reversed", "backwards", "In which direction do the values run?", "sort(x) → sort(x, descending: true)"},
	{"select.complement", "kept what was to go", "Does this keep what was to go?", "x[except 0] → x[0]"},
	{"mask.boundary", "a comparison treats equality wrongly: strict or not", "What happens to a value that lies exactly on the boundary?", "x > 3 → x >= 3"},
	{"mask.joined", "conditions are joined by the wrong one of `and` and `or`", "Must both conditions hold, or is one enough?", "a and b → a or b"},
	{"mask.inverted", "the mask is the opposite", "For which elements is the mask true?", "x > 3 → x < 3"},
	{"mask.unapplied", "a mask was not applied", "Was every condition used to choose elements?", "sum(x[x > 3]) → sum(x)"},
	{"position.value", "a position, a value, a mask and a count are mixed up", "Is this where something is, how many there are, or what it is?", "max(x) → max_at(x)"},
	{"broadcast.axis", "stretched along another axis", "Along which axis is the smaller array stretched?", "x * v[all, new] → x * v"},
	{"product.elementwise", "element by element where the matrix product was meant", "Which product is wanted here: element by element, or of matrices?", "A dot B → A * B"},
	{"product.matrix", "the matrix product where element by element was meant", "Which product is wanted here: element by element, or of matrices?", "a * b → a dot b"},
	{"matrix.elementwise", "a power or reciprocal of the elements where the matrix's was meant", "Is this the inverse or power of the matrix, or of each element?", "inverse(A) → 1 / A"},
	{"transpose.missing", "a matrix stands the wrong way round", "Which way round must the matrix stand?", "transpose(A) dot B → A dot B"},
	{"complex.part", "a conjugate, part or modulus left out", "Which part of the complex numbers is wanted?", "abs(z) → real_part(z)"},
	{"fill.order", "filled in the other order of rows and columns", "In which order are the elements read and filled?", "reshape(x, [2, 3]) → reshape(x, [2, 3], fill: columns)"},
	{"reshape.transpose", "reshape and transpose are mixed up", "Should the elements keep their order, or the axes change places?", "transpose(A) → reshape(A, [3, 2])"},
	{"join.axis", "joined along another axis", "Along which axis are the parts laid?", "join(a, b along week) → join(a, b along rope)"},
	{"spread.divisor", "divided by the wrong one of n and n - 1", "Is the spread that of all values, or of a sample?", "sample_std(x) → std(x)"},
	{"angle.unit", "degrees and radians are mixed up", "In which unit are the angles?", "sin(radians(x)) → sin(x)"},
	{"log.base", "another base of the logarithm", "Which base has this logarithm?", "log10(x) → log(x)"},
	{"rounding", "rounded, truncated or made int", "Where are decimals lost, and should they be?", "x → round(x)"},
	{"power.missing", "a square or a root is wrong", "Is something squared, or a root taken, once too often or not at all?", "sqrt(x) → x"},
	{"grouping", "parentheses are missing", "In which order are the operators worked out?", "(a + b) / c → a + b / c"},
	{"operand.order", "operands are exchanged", "Which comes first?", "a - b → b - a"},
	{"function.other", "a neighbouring function", "Is this the function that is wanted?", "mean(x) → median(x)"},
	{"operator.other", "another operator", "Is this the operator that is wanted?", "a + b → a - b"},
	{"constant.other", "another number is written in", "Is this number the one that the exercise names?", "x > 3 → x > 4"},
	{"input.other", "another input, or an earlier value, is used", "Which array is meant here?", "mean(smoothed) → mean(raw)"},
	{"length.fixed", "right only for one length", "What if there are more, or fewer, items than in the shown case?", "length(x) → 5"},
	{"missing.values", "missing values kept, dropped or made zero", "What becomes of missing values here?", "mean(x, only: not is_nan(x)) → mean(x)"},
	{"loop.last", "only the last round of a loop is kept", "What is left of the earlier rounds?", "total += w → total = w"},
	{"mean.nested", "the mean of group means", "Does every element count as much as every other?", "mean(x over [a, b]) → mean(mean(x over a) over b)"},
	{"sort.apart", "sorted apart what belongs together", "Do the rows still belong together after this?", "x[sort_order(k), all] → sort(x along 0)"},
	{"step.missing", "a step is left out", "Which step of the way is not here?", "mean(abs(x)) → mean(x)"},
	{"step.extra", "a step too many", "Is there a step here that nobody asked for?", "mean(x) → mean(sort(x)) / n"},
	{"view.copy", "a view and a copy are mixed up", "Is this a copy, or does it share its cells?", "view t = x[0, all] → t = x[0, all]"},
	{"input.changed", "an input was changed", "Does the program change an input that it still needs?", "y = x → view y = x[rest]"},
	{"axis.order", "the right values, axes in another order", "In which order should the axes stand?", "[week, rope] → [rope, week]"},
	{"axis.flat", "the right values in another shape", "The values are right: which shape should they have?", "[3, 4] → [12]"},
	{"sign.flipped", "the result × -1", "What is subtracted from what?", "x → -x"},
	{"scale.factor", "the result × a number", "In which unit is the result wanted?", "x → 100 * x"},
	{"offset.constant", "the result + a number", "Where does the result start to count?", "x → x + 1"},
	{"foreseen", "a slip that the instructor foresaw", "", "as the instructor wrote it"},
	{"constant.answer", "does not depend on the inputs", "Where are the inputs used?", "mean(x) → 4.5"},
	{"shown.only", "right in the shown cases, wrong in held ones", "What would other data change?", "mean(x) → what fits the shown cases"},
}

// WordsOf finds a code's words; false when there are none.
func WordsOf(code string) (Words, bool) {
	for _, w := range Table {
		if w.Code == code {
			return w, true
		}
	}
	return Words{}, false
}
