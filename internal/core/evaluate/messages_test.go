package evaluate_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// What ends a run, or leaves a notice: the code, the part of the text that is marked,
// what was there and what was needed, what to try, and the shapes as they are drawn.
func TestWhatARunMeetsIsSaid(t *testing.T) {
	for _, c := range []struct{ text, code, part, message, hint, shapes string }{
		{"x = zeros(2, 3) + zeros(2)", "shape.broadcast", "zeros(2, 3) + zeros(2)", "`+`: the shapes [2, 3] and [2] do not fit: 3 against 2 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ 2 │ ›3‹ │ /     │ ›2‹ │"},
		{"x = zeros(5, 3, 4) * zeros(3)", "shape.broadcast", "zeros(5, 3, 4) * zeros(3)", "`*`: the shapes [5, 3, 4] and [3] do not fit: 4 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ 5 │ 3 │ ›4‹ │ /         │ ›3‹ │"},
		{"x = labelled(zeros(2, 3), axes: [rope, week]) - zeros(4)", "shape.broadcast", "labelled(zeros(2, 3), axes: [rope, week]) - zeros(4)", "`-`: the shapes [rope=2, week=3] and [4] do not fit: week=3 against 4 on the last axis", "lengths fit when they are equal or one is 1, counted from the last axis; select, reduce or transpose one side", "│ rope 2 │ ›week 3‹ │ /          │      ›4‹ │"},
		{"x = [1, 2] + [1, 2, 3]", "shape.broadcast", "[1, 2] + [1, 2, 3]", "`+`: the shapes [2] and [3] do not fit: 2 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ ›2‹ │ / │ ›3‹ │"},
		{"x = [true, false] and [true, true, false]", "shape.broadcast", "[true, false] and [true, true, false]", "`and`: the shapes [2] and [3] do not fit: 2 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ ›2‹ │ / │ ›3‹ │"},
		{"x = pick([true, false], [1, 2, 3], 0)", "shape.broadcast", "pick([true, false], [1, 2, 3], 0)", "`pick`: the shapes [2] and [3] do not fit: 2 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ ›2‹ │ / │ ›3‹ │"},
		{"x = zeros(2, 3) dot zeros(2, 3)", "shape.inner", "zeros(2, 3) dot zeros(2, 3)", "`dot`: the inner lengths differ: [2, 3] ends in 3, and [2, 3] brings 2", "`A dot transpose(B)` would fit", "│   2 │ ›3‹ │ / │ ›2‹ │   3 │"},
		{"x = 3 dot [1, 2]", "shape.inner", "3 dot [1, 2]", "`dot` multiplies matrices, and got an int scalar and an int array [2]", "to multiply by a scalar write `*`", "scalar, no axes / │ 2 │"},
		{"x = zeros(2, 3) dot zeros(2)", "shape.inner", "zeros(2, 3) dot zeros(2)", "`dot`: the inner lengths differ: [2, 3] ends in 3, and [2] brings 2", "`transpose(A) dot B` would fit", "│ 2 │ ›3‹ │ /     │ ›2‹ │"},
		{"x = [1, 2] == [1, 2, 3]", "shape.broadcast", "[1, 2] == [1, 2, 3]", "`==`: the shapes [2] and [3] do not fit: 2 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ ›2‹ │ / │ ›3‹ │"},
		{"x = zeros(2, 3)\ny = x[[true, false]]", "shape.mask", "[[true, false]]", "the mask has the shape [2], and the array [2, 3]", "to choose along one axis spell the others: `x[mask, all]`", "│ 2 │ 3 │ /     │ 2 │"},
		{"x = zeros(3)\ny = x[[true, false]]", "shape.mask", "[true, false]", "the mask has 2 truth values, and axis 0 has the length 3", "make the mask from the axis it chooses on", "│ ›3‹ │ / │ ›2‹ │"},
		{"x = zeros(2, 3)\ny = x[x > 0, all]", "select.kind", "x > 0", "the selector of axis 0 is a bool array [2, 3]", "a selector of one axis has one axis itself; flatten it, or use one mask of the whole shape", "│ 2 │ 3 │"},
		{"x = reshape(zeros(2, 3), 4)", "shape.reshape", "reshape(zeros(2, 3), 4)", "a real array [2, 3] has 6 elements, and the shape [4] needs 4", "let one length be worked out: `reshape(x, [3, auto])`; the product of the lengths must be the size", "│ 2 │ 3 │ /     │ 4 │"},
		{"x = reshape(zeros(2, 3), [4, auto])", "shape.reshape", "reshape(zeros(2, 3), [4, auto])", "a real array [2, 3] has 6 elements, which the other lengths, 4 in all, do not divide", "let one length be worked out: `reshape(x, [3, auto])`; the product of the lengths must be the size", "│ 2 │ 3 │ / │ 4 │ 1 │"},
		{"x = reshape(zeros(2, 3), [auto, auto])", "shape.reshape", "reshape(zeros(2, 3), [auto, auto])", "`auto` stands twice in one shape", "one length at most can be worked out", ""},
		{"x = reshape(zeros(2, 3), -6)", "run.value", "reshape(zeros(2, 3), -6)", "the length -6 is negative", "lengths are 0 or more; `auto` is worked out", ""},
		{"x = [[1, 2], [3]]", "shape.ragged", "[3]", "the items of a list have one shape; item 1 has the shape [1], the first [2]", "make the items equally long, or join arrays of unequal length with `join`", "│ 2 │ / │ 1 │"},
		{"x = [1, [2]]", "shape.ragged", "[2]", "the items of a list have one shape; item 1 has the shape [1], the first []", "make the items equally long, or join arrays of unequal length with `join`", "scalar, no axes / │ 1 │"},
		{"x = zeros(3)\nx[0 to 1] = [1, 2, 3]", "shape.assign", "[1, 2, 3]", "the value's shape [3] does not stretch to the selection's [2]", "give a scalar, or an array of the selection's shape", "│ 2 │ / │ 3 │"},
		{"x = zeros(2, 3)\nx[all, 0] = [1, 2, 3]", "shape.assign", "[1, 2, 3]", "the value's shape [3] does not stretch to the selection's [2]", "give a scalar, or an array of the selection's shape", "│ 2 │ / │ 3 │"},
		{"x = [1, 2, 3]\nx[0] = 1.5", "run.kind", "1.5", "a real scalar cannot be assigned into `x`, which is int", "convert the value with `int(...)`, or widen the target first: `x = real(x)`", ""},
		{"x = [true, false]\nx[0] = 1", "run.kind", "1", "an int scalar cannot be assigned into `x`, which is bool", "convert the value with `bool(...)`, or widen the target first: `x = int(x)`", ""},
		{"x = [1, 2, 3]\nx[x > 1] = [7, 8, 9]", "shape.assign", "[7, 8, 9]", "the value's shape [3] does not stretch to the selection's [2]", "give a scalar, or an array of the selection's shape", "│ 2 │ / │ 3 │"},
		{"x = [1, 2]\nx += [1, 2, 3]", "shape.broadcast", "x += [1, 2, 3]", "`+`: the shapes [2] and [3] do not fit: 2 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ ›2‹ │ / │ ›3‹ │"},
		{"each a, b in [1, 2], [1, 2, 3] {\n  x = a + b\n}", "shape.join", "each a, b in [1, 2], [1, 2, 3]", "`each` goes in step, and the lengths are 2 and 3", "give values of one length along the axis", "│ ›2‹ │ / │ ›3‹ │"},
		{"each a in 5 {\n  x = a\n}", "axis.unknown", "5", "`each` goes along an axis, and a scalar has none", "give an array, `0 before n` say", ""},
		{"x = join([1, 2], [[3, 4]] along 0)", "shape.join", "join([1, 2], [[3, 4]] along 0)", "argument 1 of `join` has the shape [1, 2], the first [2]", "all lengths but the one along the axis must be equal", "    │ 2 │ / │ 1 │ 2 │"},
		{"x = join(zeros(2, 3), zeros(3, 3) along 1)", "shape.join", "join(zeros(2, 3), zeros(3, 3) along 1)", "argument 1 of `join` has the shape [3, 3], the first [2, 3]", "all lengths but the one along the axis must be equal", "│ 2 │ 3 │ / │ 3 │ 3 │"},
		{"x = stack(zeros(2), zeros(3) along 0)", "shape.join", "stack(zeros(2), zeros(3) along 0)", "argument 1 of `stack` has the shape [3], the first [2]", "arrays that are stacked have one shape; `join` lays unequal ones end to end", "│ 2 │ / │ 3 │"},
		{"x = zeros(2, 3)\ny = x[0]", "select.count", "[0]", "a real array [2, 3] has 2 axes, and the selection names 1", "spell the whole axes: `[0, all]`", "│ 2 │ 3 │"},
		{"x = zeros(2, 3)\ny = x[0, 1, 2]", "select.count", "[0, 1, 2]", "a real array [2, 3] has 2 axes, and the selection names 3", "take 1 out", "│ 2 │ 3 │"},
		{"x = 5\ny = x[0]", "select.count", "[0]", "an int scalar has no axes, and the selection names 1", "a scalar has no positions; leave the selection out", "scalar, no axes"},
		{"x = zeros(3)\ny = x[3]", "select.range", "3", "the position 3 lies outside axis 0, whose length is 3", "valid positions are 0 to 2, as they count from 0; the last is `last`", "│ ›3‹ │"},
		{"x = zeros(3)\ny = x[1 to 5]", "select.range", "5", "the end 5 lies outside axis 0, whose length is 3", "valid positions are 0 to 2; the last is `last`", "│ ›3‹ │"},
		{"x = zeros(3)\ny = x[[0, 7]]", "select.range", "[0, 7]", "the position 7 lies outside axis 0, whose length is 3", "valid positions are 0 to 2; the last is `last`", "│ ›3‹ │"},
		{"x = zeros(3)\ny = x[last + 1]", "select.range", "last + 1", "the position 3 lies outside axis 0, whose length is 3", "valid positions are 0 to 2, as they count from 0; the last is `last`", "│ ›3‹ │"},
		{"x = zeros(3)\ny = x[except 9]", "select.range", "9", "the position 9 lies outside axis 0, whose length is 3", "valid positions are 0 to 2; the last is `last`", "│ ›3‹ │"},
		{"x = zeros(3)\nk = -1\ny = x[k]", "select.range", "k", "the position -1 lies outside axis 0, whose length is 3", "valid positions are 0 to 2; from the end write `last`, `last - 1`", "│ ›3‹ │"},
		{"x = labelled(zeros(2, 3), axes: [week, rope])\ny = x[rope: 3]", "select.range", "3", "the position 3 lies outside axis rope, whose length is 3", "valid positions are 0 to 2, as they count from 0; the last is `last`", "│ week 2 │ ›rope 3‹ │"},
		{"x = labelled(zeros(2, 3), axes: [week, rope])\ny = x[depth: 0]", "axis.unknown", "depth", "[week=2, rope=3] has no axis `depth`", "the axes are week and rope", "│ week 2 │ rope 3 │"},
		{"x = labelled(zeros(2, 3), axes: [week, rope])\ny = x[wek: 0]", "axis.unknown", "wek", "[week=2, rope=3] has no axis `wek`", "did you mean `week`? The axes are week and rope", "│ week 2 │ rope 3 │"},
		{"x = zeros(2, 3)\ny = x[week: 0]", "axis.unknown", "week", "[2, 3] has no axis `week`", "the axes are 0 and 1", "│ 2 │ 3 │"},
		{"x = zeros(3)\ny = x[1.0]", "select.kind", "1.0", "the selector of axis 0 is a real scalar", "positions are ints; convert with `int(...)`", "│ 3 │"},
		{"x = zeros(3)\ny = x[1i]", "select.kind", "1i", "the selector of axis 0 is a complex scalar", "a position is one int, positions are a list of ints, `[0, 2]`, a mask is one truth value for each position", "│ 3 │"},
		{"x = zeros(3)\ny = x[[[0, 1]]]", "select.kind", "[[0, 1]]", "the selector of axis 0 is an int array [1, 2]", "a selector of one axis has one axis itself; flatten it, or use one mask of the whole shape", "│ 3 │"},
		{"x = zeros(3)\ny = x[0 to 1.5]", "select.kind", "1.5", "an end or step of a range of positions is one int, and this is a real scalar", "convert with `int(...)`, or take one element", ""},
		{"x = zeros(3)\ny = x[0 to 2 by 0]", "run.value", "0", "the range's step is 0, so it never reaches its end", "give a step other than 0", ""},
		{"x = zeros(3, 3)\ny = x[paired [0, 1], [0, 1, 2]]", "shape.join", "[0, 1, 2]", "`paired` goes in step, and the lists have 2 and 3 positions", "give lists of one length", ""},
		{"x = zeros(3, 3)\ny = x[paired all, all]", "select.kind", "[paired all, all]", "`paired` has no positions to walk", "give a list of positions for at least one axis", ""},
		{"x = zeros(3)\nx[[0, 0]] = [1, 2]", "select.repeated", "[[0, 0]]", "the position 0 stands twice on axis 0 of the target", "name every position once, or assign one scalar with `=`", ""},
		{"x = zeros(3)\nx[[0, 0]] += 1", "select.repeated", "[[0, 0]]", "the position 0 stands twice on axis 0 of the target", "name every position once, or assign one scalar with `=`", ""},
		{"x = zeros(3, 3)\nx[paired [0, 0], [1, 1]] = [1, 2]", "select.repeated", "[paired [0, 0], [1, 1]]", "the position [0, 1] stands twice in the target", "name every position once, or assign one scalar with `=`", ""},
		{"grid = zeros(3)\nview v = grid[rest]\nv += 1", "select.kind", "v += 1", "`v` is a view, and `+=` would bind the name anew instead of changing the cells", "to change the cells write `v[rest] += ...`", ""},
		{"x = sum(zeros(2, 3) over week)", "axis.unknown", "week", "[2, 3] has no axis `week`", "the axes are 0 and 1", "│ 2 │ 3 │"},
		{"x = sum(zeros(2, 3) over 2)", "axis.unknown", "2", "[2, 3] has no axis 2", "the axes are 0 and 1", "│ 2 │ 3 │"},
		{"x = sum(zeros(2, 3) over [0, 0])", "axis.repeated", "0", "the axis 0 is named twice", "name every axis once", "│ 2 │ 3 │"},
		{"x = sum(5 over 0)", "axis.unknown", "0", "there is no axis 0: a scalar has no axes", "leave the clause out", ""},
		{"x = sum(5 over last)", "axis.unknown", "last", "there is no axis `last`: a scalar has no axes", "leave the clause out", ""},
		{"x = sum(zeros(2, 3) over (1.5))", "axis.unknown", "(1.5)", "an axis number is one int, and this is a real scalar", "axis numbers are whole", ""},
		{"x = sum(zeros(2, 3) over ([]))", "axis.unknown", "([])", "axis numbers are ints, at least one, and this is a real array [0]", "write `over [0, 1]`, or an int array in parentheses", ""},
		{"x = sum(labelled(zeros(2, 3), axes: [week, rope]) over wek)", "axis.unknown", "wek", "[week=2, rope=3] has no axis `wek`", "did you mean `week`? The axes are week and rope", "│ week 2 │ rope 3 │"},
		{"week = 0\nx = sum(zeros(2, 3) over week)", "axis.unknown", "week", "[2, 3] has no axis `week`", "a bare word is a label; for the axis numbered by the variable write `over (week)`", "│ 2 │ 3 │"},
		{"x = length(zeros(2, 3))", "axis.missing", "length(zeros(2, 3))", "`length` works along one axis, and [2, 3] has 2", "say which: `length(x along 0)`", "│ 2 │ 3 │"},
		{"x = running_sum(zeros(2, 3))", "axis.missing", "running_sum(zeros(2, 3))", "`running_sum` works along one axis, and [2, 3] has 2", "say which: `running_sum(x along 0)`", "│ 2 │ 3 │"},
		{"x = labelled(zeros(2, 3), axes: [week])", "axis.missing", "labelled(zeros(2, 3), axes: [week])", "`axes:` has 1 labels for the 2 axes of [2, 3]", "give one label for each axis; `_` leaves one without", "│ 2 │ 3 │"},
		{"x = transpose(zeros(2, 3), to: [0, 0])", "axis.repeated", "transpose(zeros(2, 3), to: [0, 0])", "the axis 0 stands twice in `to:`", "name every axis once", "│ 2 │ 3 │"},
		{"x = transpose(zeros(2, 3), to: [0])", "axis.missing", "transpose(zeros(2, 3), to: [0])", "`to:` names 1 of the 2 axes of [2, 3]", "name every axis once", "│ 2 │ 3 │"},
		{"x = transpose(zeros(2, 3), to: [week, rope])", "axis.unknown", "transpose(zeros(2, 3), to: [week, rope])", "[2, 3] has no axis `week`", "the axes are 0 and 1", "│ 2 │ 3 │"},
		{"x = 1i < 2", "run.kind", "1i < 2", "complex numbers have no order; `<` got a complex scalar and an int scalar", "compare `abs(...)` or `real_part(...)`", ""},
		{"x = max([1i, 2])", "run.kind", "max([1i, 2])", "`max` takes real values at the widest, and got a complex array [2]", "complex numbers have no order; compare `abs(...)`", ""},
		{"x = not 3", "text.habit", "not 3", "`not` joins truth values, and got an int scalar", "compare first, as in `not (x > 0)`; zero is written `x == 0`", ""},
		{"x = 3 and true", "text.habit", "3 and true", "`and` joins truth values, and got an int scalar", "compare first, as in `x > 0 and y > 0`; non-zero is written `x != 0`", ""},
		{"x = [1, 2] div 0", "run.divide", "[1, 2] div 0", "`1 div 0` has no int value", "keep zeros out of the divisor, with `pick(b == 0, 1, b)` say, or divide reals with `/`", ""},
		{"x = 5 mod 0", "run.divide", "5 mod 0", "`5 mod 0` has no int value", "keep zeros out of the divisor, with `pick(b == 0, 1, b)` say, or divide reals with `/`", ""},
		{"x = 5.0 div 0", "notice.nan", "5.0 div 0", "`div` made NaN where no operand was NaN", "look at the operands there with `is_finite`, or choose with `pick` before", ""},
		{"x = 2 ^ 64", "run.overflow", "2 ^ 64", "`2 ^ 64` does not fit an int, which goes from -2^63 to 2^63 - 1", "convert one side with `real(...)` first", ""},
		{"x = 9223372036854775807 + 1", "run.overflow", "9223372036854775807 + 1", "`9223372036854775807 + 1` does not fit an int, which goes from -2^63 to 2^63 - 1", "convert one side with `real(...)` first", ""},
		{"x = -9223372036854775807 - 2", "run.overflow", "-9223372036854775807 - 2", "`-9223372036854775807 - 2` does not fit an int, which goes from -2^63 to 2^63 - 1", "convert one side with `real(...)` first", ""},
		{"x = 3037000500 * 3037000500", "run.overflow", "3037000500 * 3037000500", "`3037000500 * 3037000500` does not fit an int, which goes from -2^63 to 2^63 - 1", "convert one side with `real(...)` first", ""},
		{"x = -[-9223372036854775808]", "run.overflow", "-[-9223372036854775808]", "the negative of -2^63 does not fit an int", "convert with `real(...)` first", ""},
		{"x = sum([9223372036854775807, 1])", "run.overflow", "sum([9223372036854775807, 1])", "the sum does not fit an int, which goes from -2^63 to 2^63 - 1", "sum reals: `sum(real(x))`", ""},
		{"x = product([4294967296, 4294967296])", "run.overflow", "product([4294967296, 4294967296])", "the product does not fit an int, which goes from -2^63 to 2^63 - 1", "multiply reals: `product(real(x))`", ""},
		{"x = extent([-9223372036854775807, 9223372036854775807])", "run.overflow", "extent([-9223372036854775807, 9223372036854775807])", "the extent does not fit an int", "convert with `real(...)` first", ""},
		{"x = running_sum([9223372036854775807, 1])", "run.overflow", "running_sum([9223372036854775807, 1])", "a value of `running_sum` does not fit an int", "convert with `real(...)` first", ""},
		{"x = int(1e300)", "run.value", "int(1e300)", "1e+300 has no int", "keep such values out first, with `pick(is_finite(x), x, 0)` say", ""},
		{"x = int(nan)", "run.value", "int(nan)", "NaN has no int", "keep such values out first, with `pick(is_finite(x), x, 0)` say", ""},
		{"x = int(1i)", "run.kind", "int(1i)", "`int` would lose the imaginary part of (0+1i)", "take `real_part(x)`, or the modulus with `abs(x)`", ""},
		{"x = factorial(-1)", "run.domain", "factorial(-1)", "`factorial` of the negative int -1 does not exist", "keep negative numbers out, or widen to real for `gamma`'s values", ""},
		{"x = factorial(30)", "run.overflow", "factorial(30)", "a value of `factorial` does not fit an int", "convert with `real(...)` first", ""},
		{"x = inverse([[1, 2, 3], [4, 5, 6]])", "shape.square", "inverse([[1, 2, 3], [4, 5, 6]])", "`inverse` takes a square matrix, and got an int array [2, 3]", "both axes need one length; for others there are `pseudo_inverse` and `least_squares`", "│ 2 │ 3 │"},
		{"x = inverse([1, 2])", "shape.square", "inverse([1, 2])", "`inverse` takes a square matrix, and got an int array [2]", "both axes need one length; for others there are `pseudo_inverse` and `least_squares`", "│ 2 │"},
		{"x = inverse([[1, 2], [2, 4]])", "run.singular", "inverse([[1, 2], [2, 4]])", "`inverse`: the matrix is singular: its rows depend on each other", "use `pseudo_inverse` or `least_squares`, or look at `rank(A)`", ""},
		{"x = solve([[1, 2], [2, 4]], [1, 2])", "run.singular", "solve([[1, 2], [2, 4]], [1, 2])", "`solve`: the matrix is singular: its rows depend on each other", "use `pseudo_inverse` or `least_squares`, or look at `rank(A)`", ""},
		{"x = solve([[1, 2], [3, 4]], [1, 2, 3])", "shape.inner", "solve([[1, 2], [3, 4]], [1, 2, 3])", "`solve`: the matrix has 2 rows, and the right side 3", "give one right side for each row", "│ ›2‹ │   2 │ /       │ ›3‹ │"},
		{"x = inverse([[1, 1], [1, 1.00000000000001]])", "notice.condition", "inverse([[1, 1], [1, 1.00000000000001]])", "`inverse`: the matrix is nearly singular, its reciprocal condition about 2.5e-15; few digits of the result are right", "look at `condition(A)`, and scale or rearrange the problem", ""},
		{"x = mat_power([[1, 2], [3, 4]], 1.5)", "run.kind", "mat_power([[1, 2], [3, 4]], 1.5)", "the power of `mat_power` is a real scalar; it takes one int", "give a whole number, or convert with `int(...)`", ""},
		{"x = mat_power([[1, 2], [2, 4]], -1)", "run.singular", "mat_power([[1, 2], [2, 4]], -1)", "`mat_power`: the matrix is singular: its rows depend on each other", "use `pseudo_inverse` or `least_squares`, or look at `rank(A)`", ""},
		{"x = mean(zeros(0))", "run.empty", "mean(zeros(0))", "`mean` of no element has no value; its argument is a real array [0]", "ask `size(x)` first, or keep an empty selection out", "│ ›0‹ │"},
		{"x = max(zeros(0))", "run.empty", "max(zeros(0))", "`max` of no element has no value; its argument is a real array [0]", "ask `size(x)` first, or keep an empty selection out", "│ ›0‹ │"},
		{"x = mean(zeros(0, 3) over 0)", "run.empty", "mean(zeros(0, 3) over 0)", "`mean` of no element has no value; its argument is a real array [0, 3]", "ask `size(x)` first, or keep an empty selection out", "│ ›0‹ │ 3 │"},
		{"x = sample_std([1])", "run.empty", "sample_std([1])", "`sample_std` of one element has no value; its argument is a real array [1]", "by n - 1 it takes two elements; by n write `std`", "│ ›1‹ │"},
		{"x = median([])", "run.empty", "median([])", "`median` of no element has no value; its argument is a real array [0]", "ask `size(x)` first, or keep an empty selection out", "│ ›0‹ │"},
		{"x = mean([1, 2], weights: [0, 0])", "run.divide", "mean([1, 2], weights: [0, 0])", "the weights add up to 0", "weights need a sum other than 0", ""},
		{"x = mean([1, 2], weights: [1, 2, 3])", "shape.broadcast", "mean([1, 2], weights: [1, 2, 3])", "the option `weights` has the shape [3], which does not broadcast to the argument's [2]", "give it the argument's shape, or one that stretches to it; `new` adds an axis of length 1", "│ 2 │ / │ 3 │"},
		{"x = sum([1, 2], only: [1, 0])", "run.kind", "sum([1, 2], only: [1, 0])", "the option `only` is an int array [2]; it takes a mask", "compare to make a mask: `only: x > 0`", ""},
		{"x = sum([1, 2], keep: 3)", "run.kind", "sum([1, 2], keep: 3)", "the option `keep` is an int scalar; it takes true or false", "write `keep: true`", ""},
		{"x = percentile([1, 2, 3], 101)", "run.value", "percentile([1, 2, 3], 101)", "101 percent lies outside 0 to 100", "a share of 0.25 is 25 percent", ""},
		{"x = percentile([1, 2, 3], -1)", "run.value", "percentile([1, 2, 3], -1)", "-1 percent lies outside 0 to 100", "a share of 0.25 is 25 percent", ""},
		{"x = zeros(1000000, 1000000)", "run.limit", "zeros(1000000, 1000000)", "the run went past its bound on cells made: 50000000", "work on smaller arrays, or in fewer steps", ""},
		{"x = zeros(-1)", "run.value", "zeros(-1)", "the length -1 is negative", "lengths are 0 or more", ""},
		{"x = zeros(2.5)", "run.kind", "zeros(2.5)", "a length in `zeros` is a real scalar; a shape is whole numbers", "write `zeros(2, 3)` or `zeros([2, 3])`", ""},
		{"x = zeros([[1, 2]])", "run.kind", "zeros([[1, 2]])", "a length in `zeros` is an int array [1, 2]; a shape is whole numbers", "write `zeros(2, 3)` or `zeros([2, 3])`", ""},
		{"x = 0 to 1e9", "run.limit", "0 to 1e9", "the run went past its bound on cells made: 50000000", "work on smaller arrays, or in fewer steps", ""},
		{"function f(x) = f(x)\ny = f(1)", "run.limit", "f(x)", "the run went past its bound on call depth: 64", "a function that calls itself needs a case that ends; better, work on whole arrays", ""},
		{"if 3 {\n  x = 1\n}", "run.condition", "3", "`if` takes one truth value, and got an int scalar", "compare, as in `x != 0`", "scalar, no axes"},
		{"if [true, false] {\n  x = 1\n}", "run.condition", "[true, false]", "`if` takes one truth value, and got a bool array [2]", "collapse it with `any(...)` or `all(...)`", "│ 2 │"},
		{"repeat up to 2.5 until true {\n  x = 1\n}", "run.kind", "2.5", "`repeat up to` takes one int, and got a real scalar", "write `repeat up to 50 until ...`", ""},
		{"repeat up to 3 until 1 {\n  x = 1\n}", "run.condition", "1", "`until` takes one truth value, and got an int scalar", "compare, as in `x != 0`", "scalar, no axes"},
		{"x = sqrt(-1)", "notice.nan", "sqrt(-1)", "`sqrt` made NaN where no operand was NaN", "for a complex result widen first: `sqrt(complex(x))`", ""},
		{"x = log(-1)", "notice.nan", "log(-1)", "`log` made NaN where no operand was NaN", "for a complex result widen first: `log(complex(x))`", ""},
		{"x = log(0)", "notice.infinite", "log(0)", "`log` made an infinite value where no operand was infinite", "look for a division by zero or a value too large", ""},
		{"x = 0 / 0", "notice.nan", "0 / 0", "`/` made NaN where no operand was NaN", "look at the operands there with `is_finite`, or choose with `pick` before", ""},
		{"x = 1 / 0", "notice.infinite", "1 / 0", "`/` made an infinite value where no operand was infinite", "look for a division by zero or a value too large", ""},
		{"x = (-8) ^ (1 / 3)", "notice.nan", "(-8) ^ (1 / 3)", "`^` made NaN where no operand was NaN", "a negative base with a fractional exponent has no real power: widen with `complex(...)`", ""},
		{"x = asin(2)", "notice.nan", "asin(2)", "`asin` made NaN where no operand was NaN", "for a complex result widen first: `asin(complex(x))`", ""},
		{"x = exp(1000)", "notice.infinite", "exp(1000)", "`exp` made an infinite value where no operand was infinite", "look for a division by zero or a value too large", ""},
		{"x = inf - inf", "notice.nan", "inf - inf", "`-` made NaN where no operand was NaN", "look at the operands there with `is_finite`, or choose with `pick` before", ""},
		{"x = mean([1, nan])", "notice.nan", "mean([1, nan])", "`mean` met NaN in its data, and its result there is NaN", "leave missing values out with `only: not is_nan(x)`", ""},
		{"x = min_at([1, nan])", "notice.nan", "min_at([1, nan])", "`min_at` met NaN in its data, and gives the position of the first", "leave missing values out with `only: not is_nan(x)`", ""},
		{"x = counts_between([1, nan], [0, 2])", "notice.nan", "counts_between([1, nan], [0, 2])", "`counts_between` met NaN in its data, which lies in no bin", "leave missing values out with `only: not is_nan(x)`", ""},
		{"x = max([1, nan])", "notice.nan", "max([1, nan])", "`max` met NaN in its data, and its result there is NaN", "leave missing values out with `only: not is_nan(x)`", ""},
		{"x = 5 to 1", "notice.empty", "5 to 1", "the range cannot advance from its start to its end, so it is empty", "to count down give a negative step: `5 to 1 by -1`", ""},
		{"x = zeros(3)\ny = x[2 to 1]", "notice.empty", "2 to 1", "the range cannot advance from its start to its end, so it is empty", "to count down give a negative step: `5 to 1 by -1`", ""},
		{"a = labelled([1, 2], axes: [week])\nb = labelled([1, 2], axes: [rope])\nc = a + b", "notice.labels", "a + b", "`+` lays the axis `week` on the axis `rope`; the result's axis has no label", "check that the right axes meet; `new` and `transpose` move them", "│ ›week 2‹ │ / │ ›rope 2‹ │"},
		{"x = labelled(zeros(2, 2), axes: [week, rope])\nx[all, all] = labelled([1, 2], axes: [week])", "notice.labels", "x[all, all] = labelled([1, 2], axes: [week])", "the assignment lays the axis `week` on the axis `rope`", "check that the right axes meet; `new` and `transpose` move them", "│ week 2 │ ›rope 2‹ │ /          │ ›week 2‹ │"},
		{"x = transpose([1, 2])", "notice.transpose", "transpose([1, 2])", "an array of one axis, [2], is the same transposed", "for a matrix of one column write `column_of(v)`, of one row `row_of(v)`", "│ 2 │"},
		{"x = 9007199254740993 + 0.5", "notice.precision", "9007199254740993 + 0.5", "an int beyond 2^53 became a real that is not the same number", "keep such numbers int, or work with smaller ones", ""},
		{"x = real(9007199254740993)", "notice.precision", "real(9007199254740993)", "an int beyond 2^53 became a real that is not the same number", "keep such numbers int, or work with smaller ones", ""},
		{"if false {\n  x = 1\n}\ny = x", "text.name", "x", "`x` has no value yet; the statement that binds it has not run", "bind it before, on every path that leads here", ""},
		{"function f(a) {\n  if a > 1 {\n    return 1\n  }\n}\nx = f(0)", "text.syntax", "f(0)", "the function `f` ended without `return`", "end every path through it with `return`", ""},
		{"x = spaced(0, 1, -2)", "run.value", "spaced(0, 1, -2)", "the count -2 is negative", "counts are 0 or more", ""},
		{"x = windows([1, 2], 3)", "notice.empty", "windows([1, 2], 3)", "a window of 3 is longer than the axis 0, whose length is 2", "give a shorter window", ""},
		{"x = windows([1, 2], 0)", "run.value", "windows([1, 2], 0)", "a window has the length 0", "give 1 or more", ""},
		{"x = repeated([1, 2], -1)", "run.value", "repeated([1, 2], -1)", "the count of `repeated` is -1", "give 0 or more", ""},
		{"x = outer(zeros(2, 2), [1])", "select.count", "outer(zeros(2, 2), [1])", "`outer` takes an array of one axis, and got a real array [2, 2]", "select one position of the axes too many, or flatten it", "│ 2 │ 2 │"},
		{"x = cross([1, 2], [3, 4])", "shape.inner", "cross([1, 2], [3, 4])", "`cross` takes vectors of three along the last axis, and got an int array [2]", "lay vectors along the last axis", "│ 2 │"},
		{"x = kronecker([1], 2)", "axis.missing", "kronecker([1], 2)", "`kronecker` takes an array of 2 axes, and got an int array [1]", "add an axis of length 1 with `new`: `x[all, new]`, `x[new, all]`", "│ 1 │"},
		{"x = diagonal(5)", "axis.missing", "diagonal(5)", "`diagonal` takes an array of one axis, and got an int scalar", "add an axis of length 1 with `new`: `x[all, new]`, `x[new, all]`", "scalar, no axes"},
		{"x = identity(-1)", "run.value", "identity(-1)", "the size -1 is negative", "sizes are 0 or more", ""},
		{"x = insertion_place([3, 1], [2])", "run.value", "insertion_place([3, 1], [2])", "`insertion_place` takes rising values, and 1 stands at position 1", "sort them with `sort`, and the values that go with them by `sort_order`", ""},
		{"x = counts_between([1, 2], [2, 1])", "run.value", "counts_between([1, 2], [2, 1])", "the edges do not rise: 1 follows 2", "sort them with `sort`", ""},
		{"x = totals_by([1, 2], [0, 5], 2)", "select.range", "totals_by([1, 2], [0, 5], 2)", "the group 5 lies outside, where the length is 2", "valid positions are 0 to 1", ""},
		{"x = unflat_position(9, [2, 3])", "run.kind", "unflat_position(9, [2, 3])", "the position of `unflat_position` is an int array [2]; it takes one int", "give a whole number, or convert with `int(...)`", ""},
		{"x = flat_position([2, 0], [2, 3])", "select.range", "flat_position([2, 0], [2, 3])", "the position 2 lies outside, where the length is 2", "valid positions are 0 to 1", ""},
		{"x = polynomial([[1, 2]], 3)", "select.count", "polynomial([[1, 2]], 3)", "`polynomial` takes an array of one axis, and got an int array [1, 2]", "select one position of the axes too many, or flatten it", "│ 1 │ 2 │"},
		{"x = draw_integers(0, 5, 1)", "run.value", "draw_integers(0, 5, 1)", "the low end 5 lies above the high end 1", "give the low end first", ""},
		{"x = sum(labelled(zeros(2, 3), axes: [week, week]) over week)", "axis.repeated", "week", "the label `week` stands on several axes of [week=2, week=3]", "name the axis by its number, 0 say", "│ week 2 │ week 3 │"},
		{"x = labelled(zeros(2, 3), axes: [week, week])\ny = x[week: 0]", "axis.repeated", "week", "the label `week` stands on several axes of [week=2, week=3]", "name the axis by its number, 0 say", "│ week 2 │ week 3 │"},
		{"x = sort(zeros(2, 3))", "axis.missing", "sort(zeros(2, 3))", "`sort` works along one axis, and [2, 3] has 2", "say which: `sort(x along 0)`", "│ 2 │ 3 │"},
		{"x = det(zeros(2, 3))", "shape.square", "det(zeros(2, 3))", "`det` takes a square matrix, and got a real array [2, 3]", "both axes need one length; for others there are `pseudo_inverse` and `least_squares`", "│ 2 │ 3 │"},
		{"x = reversed(zeros(2, 3))", "axis.missing", "reversed(zeros(2, 3))", "`reversed` works along one axis, and [2, 3] has 2", "say which: `reversed(x along 0)`", "│ 2 │ 3 │"},
		{"x = diagonal(zeros(2, 2, 2))", "select.count", "diagonal(zeros(2, 2, 2))", "`diagonal` takes an array of one axis, and got a real array [2, 2, 2]", "select one position of the axes too many, or flatten it", "│ 2 │ 2 │ 2 │"},
		{"x = trace(zeros(2, 3))", "shape.square", "trace(zeros(2, 3))", "`trace` takes a square matrix, and got a real array [2, 3]", "both axes need one length; for others there are `pseudo_inverse` and `least_squares`", "│ 2 │ 3 │"},
		{"x = eigenvalues(zeros(2, 3))", "shape.square", "eigenvalues(zeros(2, 3))", "`eigenvalues` takes a square matrix, and got a real array [2, 3]", "both axes need one length; for others there are `pseudo_inverse` and `least_squares`", "│ 2 │ 3 │"},
		{"x = rotated([1, 2], 0.5)", "run.kind", "rotated([1, 2], 0.5)", "the shift of `rotated` is a real scalar; it takes one int", "give a whole number, or convert with `int(...)`", ""},
		{"x = max_at(zeros(2, 2, 2) over [0, 1])", "text.call", "max_at(zeros(2, 2, 2) over [0, 1])", "`max_at` over 2 of 3 axes has no plain position", "name one axis, or all of them by leaving `over` out", "│ 2 │ 2 │ 2 │"},
		{"x = column_of(zeros(2, 2))", "select.count", "column_of(zeros(2, 2))", "`column_of` takes an array of one axis, and got a real array [2, 2]", "select one position of the axes too many, or flatten it", "│ 2 │ 2 │"},
		{"x = sampled([1, 2], 5)", "run.value", "sampled([1, 2], 5)", "5 items cannot be drawn from 2", "draw fewer, or let items come again with `again: true`", "│ 2 │"},
		{"x = draw_normal(-1)", "run.value", "draw_normal(-1)", "the length -1 is negative", "lengths are 0 or more", ""},
		{"x = upper_part([1, 2])", "axis.missing", "upper_part([1, 2])", "`upper_part` takes an array of 2 axes, and got an int array [2]", "add an axis of length 1 with `new`: `x[all, new]`, `x[new, all]`", "│ 2 │"},
		{"x = least_squares([1, 2], [1, 2])", "axis.missing", "least_squares([1, 2], [1, 2])", "`least_squares` takes an array of 2 axes, and got an int array [2]", "add an axis of length 1 with `new`: `x[all, new]`, `x[new, all]`", "│ 2 │"},
		{"x = gradient([1])", "run.empty", "gradient([1])", "a slope needs two places, and axis 0 has 1", "give a longer axis", "│ 1 │"},
		{"x = gcd(1.5, 2)", "run.kind", "gcd(1.5, 2)", "`gcd` takes int values at the widest, and got a real scalar", "convert whole reals with `int(...)`", ""},
		{"x = lambert_w(-1)", "notice.nan", "lambert_w(-1)", "`lambert_w` made NaN where no operand was NaN", "for a complex result widen first: `lambert_w(complex(x))`", ""},
		{"x = log1p(-2)", "notice.nan", "log1p(-2)", "`log1p` made NaN where no operand was NaN", "for a complex result widen first: `log1p(complex(x))`", ""},
		{"x = gamma(0)", "notice.nan", "gamma(0)", "`gamma` made NaN where no operand was NaN", "look at the operands there with `is_finite`, or choose with `pick` before", ""},
		{"x = beta(-1, 2)", "notice.nan", "beta(-1, 2)", "`beta` made NaN where no operand was NaN", "look at the operands there with `is_finite`, or choose with `pick` before", ""},
		{"x = acosh(0.5)", "notice.nan", "acosh(0.5)", "`acosh` made NaN where no operand was NaN", "for a complex result widen first: `acosh(complex(x))`", ""},
		{"x = atan2([1, 2], [1, 2, 3])", "shape.broadcast", "atan2([1, 2], [1, 2, 3])", "`atan2`: the shapes [2] and [3] do not fit: 2 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ ›2‹ │ / │ ›3‹ │"},
		{"x = 0 ^ -1", "notice.infinite", "0 ^ -1", "`^` made an infinite value where no operand was infinite", "look for a division by zero or a value too large", ""},
		{"x = 0.0 ^ -1", "notice.infinite", "0.0 ^ -1", "`^` made an infinite value where no operand was infinite", "look for a division by zero or a value too large", ""},
		{"x = [1, 2] ^ [1, 2, 3]", "shape.broadcast", "[1, 2] ^ [1, 2, 3]", "`^`: the shapes [2] and [3] do not fit: 2 against 3 on the last axis", "give the right side an axis of length 1: `x[all, new]`", "│ ›2‹ │ / │ ›3‹ │"},
		{"x = 1 / 0 - 1 / 0", "notice.infinite", "1 / 0", "`/` made an infinite value where no operand was infinite", "look for a division by zero or a value too large", ""},
	} {
		program, errs := notation.Parse(c.text)
		require.Empty(t, errs, c.text)
		require.Empty(t, evaluate.Check(program, nil), c.text)
		r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
		d := r.Error
		if strings.HasPrefix(c.code, "notice.") {
			require.Nil(t, r.Error, c.text)
			require.NotEmpty(t, r.Notices, c.text)
			d = r.Notices[0]
		}
		require.NotNil(t, d, c.text)
		assert.Equal(t, codes.Code(c.code), d.Code, c.text)
		assert.Equal(t, c.part, program.Source.Slice(d.Span), c.text)
		assert.Equal(t, c.message, d.Message, c.text)
		assert.Equal(t, c.hint, d.Hint, c.text)
		assert.Equal(t, c.shapes, strings.Join(notation.ShapeRows(d.Shapes), " / "), c.text)
		assert.Equal(t, program.Source.Place(d.Span), d.Place, c.text)
	}
}

// Counting from 1, the same errors count from 1.
func TestErrorsCountAsTheCourseDoes(t *testing.T) {
	for text, want := range map[string][2]string{
		"x = zeros(3)\ny = x[0]":                         {"the position 0 lies outside axis 1, whose length is 3", "positions count from 1 here; valid positions are 1 to 3"},
		"x = zeros(3)\ny = x[2 to 4]":                    {"the end 4 lies outside axis 1, whose length is 3", "valid positions are 1 to 3; the last is `last`"},
		"x = sum(zeros(2, 3) over 0)":                    {"[2, 3] has no axis 0", "the axes are 1 and 2"},
		"x = length(zeros(2, 3))":                        {"`length` works along one axis, and [2, 3] has 2", "say which: `length(x along 1)`"},
		"x = [[1, 2], [3]]":                              {"the items of a list have one shape; item 2 has the shape [1], the first [2]", "make the items equally long, or join arrays of unequal length with `join`"},
		"x = zeros(3)\nx[[1, 1]] = [1, 2]":               {"the position 1 stands twice on axis 1 of the target", "name every position once, or assign one scalar with `=`"},
		"x = zeros(2, 2)\nx[paired [1, 1], [2, 2]] += 1": {"the position [1, 2] stands twice in the target", "name every position once, or assign one scalar with `=`"},
		"x = zeros(3)\ny = x[[true, false]]":             {"the mask has 2 truth values, and axis 1 has the length 3", "make the mask from the axis it chooses on"},
	} {
		program, errs := notation.Parse(text)
		require.Empty(t, errs, text)
		r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits, Counting: 1})
		require.NotNil(t, r.Error, text)
		assert.Equal(t, want, [2]string{r.Error.Message, r.Error.Hint}, text)
	}
}

// What has run before an error is kept, and nothing of the statement that met it.
func TestARunThatEndsKeepsWhatItHad(t *testing.T) {
	for text, want := range map[string][]string{
		"a = 1\nb = a + [1, 2] + [1, 2, 3]\nc = 3":              {"a"},
		"a = [1, 2, 3]\na[0 to 1] = [7, 8, 9]":                  {"a"},
		"a = [1, 2, 3]\na[[0, 9]] = 5":                          {"a"},
		"s = 0\neach v in [1, 2, 3] {\n  s += 1 div (2 - v)\n}": {"s", "v"},
	} {
		program, errs := notation.Parse(text)
		require.Empty(t, errs, text)
		r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
		require.NotNil(t, r.Error, text)
		assert.Equal(t, want, r.Order(), text)
	}
	program, _ := notation.Parse("a = [1, 2, 3]\na[[0, 9]] = 5")
	r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
	assert.Equal(t, []int64{1, 2, 3}, r.Value("a").Ints(), "nothing is written unless all of it can be")
}
