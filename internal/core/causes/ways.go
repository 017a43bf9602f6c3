package causes

import (
	"regexp"
	"strings"

	"nimbusreach/internal/core/codes"
)

// way is the direction of a cause: what the attempt has too much of, or lacks.
type way struct {
	code       codes.Code
	has, needs string // words of the notation; "" for any
	says       string
}

// ways lists the directions of the causes that have two, the first that fits.
var ways = []way{
	{codes.MaskBoundary, ">", ">=", "a strict comparison where equality counts too"},
	{codes.MaskBoundary, "<", "<=", "a strict comparison where equality counts too"},
	{codes.MaskBoundary, ">=", ">", "equality counts where the comparison should be strict"},
	{codes.MaskBoundary, "<=", "<", "equality counts where the comparison should be strict"},
	{codes.MaskJoined, "and", "or", "`and` where `or` was meant"},
	{codes.MaskJoined, "or", "and", "`or` where `and` was meant"},
	{codes.SelectBlock, "", "paired", "the positions are crossed where they should go in pairs"},
	{codes.SelectBlock, "paired", "", "the positions go in pairs where they should be crossed"},
	{codes.SpreadDivisor, "", "sample_std", "divided by n where n - 1 was meant"},
	{codes.SpreadDivisor, "", "sample_var", "divided by n where n - 1 was meant"},
	{codes.SpreadDivisor, "sample_std", "", "divided by n - 1 where n was meant"},
	{codes.SpreadDivisor, "sample_var", "", "divided by n - 1 where n was meant"},
	{codes.AngleUnit, "", "radians", "an angle in degrees where radians were needed"},
	{codes.AngleUnit, "radians", "", "an angle in radians is converted to radians"},
	{codes.AngleUnit, "", "degrees", "an angle in radians where degrees were wanted"},
	{codes.AngleUnit, "degrees", "", "an angle in degrees is converted to degrees"},
	{codes.FillOrder, "", "columns", "filled by rows where by columns was meant"},
	{codes.FillOrder, "columns", "", "filled by columns where by rows was meant"},
	{codes.ReshapeTranspose, "reshape", "transpose", "reshaped where a transpose was meant"},
	{codes.ReshapeTranspose, "transpose", "reshape", "transposed where a reshape was meant"},
	{codes.TransposeMissing, "", "transpose", "a transpose is missing"},
	{codes.TransposeMissing, "transpose", "", "a transpose too many"},
	{codes.PowerMissing, "", "sqrt", "a root is missing"},
	{codes.PowerMissing, "sqrt", "", "a root too many"},
	{codes.PowerMissing, "", "^", "a square is missing"},
	{codes.PowerMissing, "^", "", "a square too many"},
	{codes.PositionValue, "max_at", "max", "a position where the value was meant"},
	{codes.PositionValue, "min_at", "min", "a position where the value was meant"},
	{codes.PositionValue, "max", "max_at", "a value where its position was meant"},
	{codes.PositionValue, "min", "min_at", "a value where its position was meant"},
	{codes.PositionValue, "sort_order", "sort", "an order of positions where the sorted values were meant"},
	{codes.PositionValue, "sort", "sort_order", "sorted values where the order of positions was meant"},
	{codes.PositionValue, "positions", "count", "positions where their number was meant"},
	{codes.PositionValue, "count", "positions", "a number where the positions were meant"},
	{codes.PositionValue, "sum", "count", "a sum where a count was meant"},
	{codes.PositionValue, "count", "sum", "a count where a sum was meant"},
	{codes.SignFlipped, "", "-", "a minus is missing"},
	{codes.SignFlipped, "-", "", "a minus too many"},
	{codes.ViewCopy, "view", "", "a view where a copy was meant"},
	{codes.ViewCopy, "", "view", "a copy where a view was meant"},
}

var words = regexp.MustCompile(`[\p{L}_][\p{L}\p{Nd}_]*|[<>=!]=|\S`)

// Direction is a cause in words that say which way it went, where its change shows that;
// else the words of its code.
func (c *Cause) Direction() string {
	has, needs, ok := strings.Cut(c.Change, " → ")
	if !ok {
		return c.Code.Words()
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
	return c.Code.Words()
}
