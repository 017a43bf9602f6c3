package causes

import (
	"regexp"
	"strings"
)

// way is the direction of a cause: what the attempt has too much of, or lacks.
type way struct {
	code       string
	has, needs string // words of the notation; "" for any
	says       string
}

// ways lists the directions of the causes that have two, the first that fits.
var ways = []way{
	{"mask.boundary", ">", ">=", "a strict comparison where equality counts too"},
	{"mask.boundary", "<", "<=", "a strict comparison where equality counts too"},
	{"mask.boundary", ">=", ">", "equality counts where the comparison should be strict"},
	{"mask.boundary", "<=", "<", "equality counts where the comparison should be strict"},
	{"mask.joined", "and", "or", "`and` where `or` was meant"},
	{"mask.joined", "or", "and", "`or` where `and` was meant"},
	{"select.block", "", "paired", "the positions are crossed where they should go in pairs"},
	{"select.block", "paired", "", "the positions go in pairs where they should be crossed"},
	{"spread.divisor", "", "sample_std", "divided by n where n - 1 was meant"},
	{"spread.divisor", "", "sample_var", "divided by n where n - 1 was meant"},
	{"spread.divisor", "sample_std", "", "divided by n - 1 where n was meant"},
	{"spread.divisor", "sample_var", "", "divided by n - 1 where n was meant"},
	{"angle.unit", "", "radians", "an angle in degrees where radians were needed"},
	{"angle.unit", "radians", "", "an angle in radians is converted to radians"},
	{"angle.unit", "", "degrees", "an angle in radians where degrees were wanted"},
	{"angle.unit", "degrees", "", "an angle in degrees is converted to degrees"},
	{"fill.order", "", "columns", "filled by rows where by columns was meant"},
	{"fill.order", "columns", "", "filled by columns where by rows was meant"},
	{"reshape.transpose", "reshape", "transpose", "reshaped where a transpose was meant"},
	{"reshape.transpose", "transpose", "reshape", "transposed where a reshape was meant"},
	{"transpose.missing", "", "transpose", "a transpose is missing"},
	{"transpose.missing", "transpose", "", "a transpose too many"},
	{"power.missing", "", "sqrt", "a root is missing"},
	{"power.missing", "sqrt", "", "a root too many"},
	{"power.missing", "", "^", "a square is missing"},
	{"power.missing", "^", "", "a square too many"},
	{"position.value", "max_at", "max", "a position where the value was meant"},
	{"position.value", "min_at", "min", "a position where the value was meant"},
	{"position.value", "max", "max_at", "a value where its position was meant"},
	{"position.value", "min", "min_at", "a value where its position was meant"},
	{"position.value", "sort_order", "sort", "an order of positions where the sorted values were meant"},
	{"position.value", "sort", "sort_order", "sorted values where the order of positions was meant"},
	{"position.value", "positions", "count", "positions where their number was meant"},
	{"position.value", "count", "positions", "a number where the positions were meant"},
	{"position.value", "sum", "count", "a sum where a count was meant"},
	{"position.value", "count", "sum", "a count where a sum was meant"},
	{"view.copy", "view", "", "a view where a copy was meant"},
	{"view.copy", "", "view", "a copy where a view was meant"},
}

var words = regexp.MustCompile(`[\p{L}_][\p{L}\p{Nd}_]*|[<>=!]=|\S`)

// Direction is a cause in words that say which way it went, where its change shows that;
// else the words of its code.
func (c *Cause) Direction() string {
	generic, _ := WordsOf(c.Code)
	has, needs, ok := strings.Cut(c.Change, " → ")
	if !ok {
		return generic.Says
	}
	if c.Evidence != Repair {
		has, needs = needs, has // a change of the reference leads to what the attempt has
	}
	excess := map[string]int{}
	for _, w := range words.FindAllString(has, -1) {
		excess[w]++
	}
	for _, w := range words.FindAllString(needs, -1) {
		excess[w]--
	}
	for _, w := range ways {
		if w.code == c.Code && (w.has == "" || excess[w.has] > 0) && (w.needs == "" || excess[w.needs] < 0) {
			return w.says
		}
	}
	return generic.Says
}
