package exercise

import "slices"

// causeCodes lists the codes of causes, in the order of their table: the more
// specific first.
var causeCodes = []string{
	"starter.unchanged", "output.swapped", "axis.other", "axis.all", "axis.kept", "axis.dropped", "select.axis", "select.block",
	"unit.first", "select.shifted", "select.end", "select.step", "select.reversed", "select.complement",
	"mask.boundary", "mask.joined", "mask.inverted", "mask.unapplied", "position.value", "broadcast.axis",
	"product.elementwise", "product.matrix", "matrix.elementwise", "transpose.missing", "complex.part",
	"fill.order", "reshape.transpose", "join.axis", "spread.divisor", "angle.unit", "log.base", "rounding", "power.missing",
	"grouping", "operand.order", "function.other", "operator.other", "constant.other", "input.other", "length.fixed",
	"missing.values", "loop.last", "mean.nested", "sort.apart", "step.missing", "step.extra", "view.copy", "input.changed",
	"axis.order", "axis.flat", "sign.flipped", "scale.factor", "offset.constant", "foreseen", "constant.answer", "shown.only",
}

// IsCause reports whether a code names a cause.
func IsCause(code string) bool { return slices.Contains(causeCodes, code) }

// CauseCodes lists the codes of causes, the more specific first.
func CauseCodes() []string { return slices.Clone(causeCodes) }

// CauseRank is a code's place in the table of causes.
func CauseRank(code string) int {
	if i := slices.Index(causeCodes, code); i >= 0 {
		return i
	}
	return len(causeCodes)
}
