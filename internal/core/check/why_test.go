package check_test

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
)

// TestArraysGetCauses: arrays that were computed elsewhere are explained by slips of the
// reference and by transformations, over all their cases together.
func TestArraysGetCauses(t *testing.T) {
	p := made(t, "accepts: [program, results]\ninputs: {x: {axes: [week, rope]}}\noutputs: {y: {}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {x: [[3.5, 7, 1, 2], [2, 9, 4.25, 5], [1, 8, 0.5, 3]]}}\n"+
		"  - {name: b, shown: true, inputs: {x: [[1, 2, 8], [5, 6, 4.5]]}}\n"+
		"  - {name: c, inputs: {x: [[9, 2, 8], [5, 3, 4.5]]}}\n", "y = mean(x over week)\n")
	of := func(program string) check.Results {
		out := check.Results{}
		for _, name := range []string{"a", "b"} {
			s, err := check.Compare(context.Background(), p, program, name, "y", nil)
			require.NoError(t, err)
			out[name] = map[string]*array.Array{"y": s.Actual}
		}
		return out
	}
	for _, c := range []struct {
		name, program string
		want          codes.Code
		evidence      string
	}{
		{"another axis", "y = mean(x over rope)", codes.AxisOther, "slip"},
		{"another function", "y = max(x over week)", codes.FunctionOther, "slip"},
		{"a scale", "y = 2.54 * mean(x over week)", codes.ScaleFactor, "transformation"},
		{"backwards", "y = reversed(mean(x over week))", codes.SelectReversed, "slip"},
	} {
		t.Run(c.name, func(t *testing.T) {
			v, err := check.Arrays(context.Background(), p, of(c.program))
			require.NoError(t, err)
			require.Equal(t, check.Differs, v.Verdict)
			require.NotEmpty(t, v.Causes)
			assert.Equal(t, c.want, v.Causes[0].Code)
			assert.Equal(t, c.evidence, v.Causes[0].Evidence)
			assert.Equal(t, "likely", v.Causes[0].Confidence, "nobody knows what they would be on other data")
			assert.Nil(t, v.Causes[0].Span)
			assert.Equal(t, 2, v.Causes[0].Cases)
		})
	}
	v, err := check.Arrays(context.Background(), p, of("y = mean(x over week)"))
	require.NoError(t, err)
	assert.Empty(t, v.Causes, "what agrees gets no cause")
	v, err = check.Arrays(context.Background(), p, of("y = mean(x over week) ^ 1.7 - 3 * max(x over week)"))
	require.NoError(t, err)
	assert.Empty(t, v.Causes, "a mess stays one")
	v, err = check.Arrays(context.Background(), p, check.Results{})
	require.NoError(t, err)
	assert.Empty(t, v.Causes, "nothing was handed in")
}

// TestAFailingPropertyGetsARepair: it must hold in all cases, and what agrees must stay.
func TestAFailingPropertyGetsARepair(t *testing.T) {
	p := made(t, "inputs: {m: {axes: [_, _]}, b: {axes: [_]}}\noutputs: {size_of: {}}\n"+
		"properties: [{holds: \"all(near(m dot v, b, absolute: 1e-9))\", says: m dot v is b}]\ncases:\n"+
		"  - {name: a, shown: true, inputs: {m: [[4, 1], [2, 3]], b: [1, 2]}}\n"+
		"  - {name: b, inputs: {m: [[2, 0.5, 1], [1, 3, -1], [0, 1, 4]], b: [1, 0, 2]}}\n",
		"v = solve(m, b)\nsize_of = sum(m)\n")
	v := attempt(t, p, "v = solve(transpose(m), b)\nsize_of = sum(m)\n")
	require.Equal(t, codes.PropertyFails, v.Findings[0].Code)
	require.NotEmpty(t, v.Causes)
	assert.Equal(t, codes.TransposeMissing, v.Causes[0].Code)
	assert.Equal(t, "repair", v.Causes[0].Evidence)
	assert.Nil(t, v.Causes[0].Output)
	require.NotNil(t, v.Causes[0].Span)
	assert.Equal(t, 1, v.Causes[0].Span.Line)

	v = attempt(t, p, "v = 2.5 * b\nsize_of = sum(m)\n")
	require.Equal(t, codes.PropertyFails, v.Findings[0].Code)
	for _, c := range v.Causes {
		assert.NotEqual(t, "slip", c.Evidence, "many things break a property")
	}
}

// TestRulesOfTelling holds what decides between explanations that fit: each case is an attempt that
// would be told something else without one rule.
func TestRulesOfTelling(t *testing.T) {
	const grid = "inputs: {x: {axes: [week, rope]}, w: {axes: [rope]}, n: {}}\nrules: {loops: allow}\n" +
		"outputs: {y: {}%s}\n" +
		"cases:\n  - {name: a, shown: true, inputs: {x: [[3.5, 7, 1], [2, 9, 4.25], [8, 0.5, 6]], w: [1, 2, 0.5], n: 4}}\n" +
		"  - {name: b, inputs: {x: [[1, 2, 8, 9.5], [5, 6.5, 4, 3]], w: [3, 1, 2, 0.25], n: 5}}\n" +
		"  - {name: c, inputs: {x: [[2, 7], [9, 1.5], [6, 3], [4, 8]], w: [2, 5], n: 3}}\n"
	for _, c := range []struct {
		name, more, reference, attempt string
		want                           codes.Code
	}{
		{"two numbers of one idea", "", "y = percentile(x, 75) - percentile(x, 25)",
			"y = percentile(x, 90) - percentile(x, 10)",
			codes.ConstantOther},
		{"both ends of a block", "", "y = sum(x[before last, before last])", "y = sum(x[to last, to last])", codes.SelectEnd},
		{"a factor inside a sum", "", "y = sum(x * w)", "y = sum(x)", codes.StepMissing},
		{"less its own mean", "", "y = sum((w - mean(w)) ^ 2)", "d = w\ny = sum(d ^ 2)", codes.StepMissing},
		{"a mask that keeps everything", "", "y = sum(x[x > 2]) / sum(x)", "y = sum(x) / sum(x)", codes.MaskUnapplied},
		{"an input that the attempt does not use", "", "y = max(x over rope) - w[0] + 2 * w[0]",
			"y = max(x over rope)", codes.StepMissing},
		{"a square, and not a number of nobody's", "", "y = count(std(x over rope) < 3)", "y = count(var(x over rope) < 3)",
			codes.PowerMissing},
		{"the earlier value of a loop", "", "y = 0.0\neach k in w {\n  y = 0.5 * y + k\n}",
			"y = 0.0\neach k in w {\n  y = 0.5 * y + k\n  y = 0.5 * y\n}", codes.StepExtra},
		{"a first value set in each pass", "", "y = 0.0\neach k in w {\n  y += k\n}", "each k in w {\n  y = 0.0\n  y += k\n}",
			codes.LoopLast},
		{"one item in every pass", "", "y = 0 * w\neach k in 0 before size(w) {\n  y[k] = 2 * w[k]\n}",
			"y = 0 * w\neach k in 0 before size(w) {\n  y[0] = 2 * w[k]\n}", codes.LoopLast},
		{"statements exchanged", "", "t = 2 * w\nt = t + 1\ny = sum(t)", "t = 2 * w\ny = sum(t)\nt = t + 1",
			codes.InputOther},
		{"an axis's length for the number of elements", "", "y = sum(x) / size(x)", "y = sum(x) / length(x along week)",
			codes.AxisOther},
		{"the wrong item of a shape", "", "y = sum(x over week) / shape(x)[0]", "y = sum(x over week) / shape(x)[1]",
			codes.AxisOther},
		{"rounding inside a sum", "", "y = round(sum(x))", "y = sum(round(x))", codes.Grouping},
		{"a mean by hand that is not divided", "", "y = mean([w, w ^ 2] over 0)", "y = w + w ^ 2", codes.StepMissing},
		{"a norm that is not divided", "", "y = sqrt(mean(x ^ 2))", "y = norm(x)", codes.StepMissing},
		{"no root that is nowhere", ", m: {axes: [week, rope], kind: bool}",
			"low = min(x)\nm = (x - low) / (max(x) - low) > 0.5\ny = low",
			"low = min(x)\nm = x > max(x) / 2\ny = low", ""},
		{"one value everywhere says nothing", ", m: {axes: [week, rope], kind: bool}",
			"low = min(x)\nm = (x - low) / (max(x) - low) > 0.4\ny = low",
			"low = min(x)\nm = x > 10 * max(x)\ny = low", ""},
		{"another value that gives the same one everywhere", ", m: {axes: [week, rope]}",
			"low = x / 10\nm = lesser(greater(x, 2), 6)\ny = sum(low)",
			"low = x / 10\nm = lesser(greater(x, 9), 2)\ny = sum(low)", codes.ConstantOther},
		{"values that are compared are not counted themselves", "", "y = count(w >= 1)", "y = count(w > 0)",
			codes.ConstantOther},
		{"a whole value masked", ", g: {axes: [_]}", "g = (w - 1)[w > 1]\ny = sum(x)",
			"g = greater(w - 1, 0)\ny = sum(x)", codes.MaskUnapplied},
		{"all counted where some were chosen", "", "y = mean(w[w >= 1])", "y = sum(w[w >= 1]) / length(w)",
			codes.MaskUnapplied},
		{"half a length as a number", ", h: {axes: [_, _]}", "h = x[from length(x along week) div 2, all]\ny = sum(w)",
			"h = x[from 1, all]\ny = sum(w)", codes.LengthFixed},
		{"one item for a reduction", ", m: {axes: [week]}", "m = mean(x over rope)\ny = sum(w)", "m = x[all, 0]\ny = sum(w)",
			codes.StepMissing},
		{"a reduction for one item", ", m: {axes: [rope]}", "m = x[0, all]\ny = sum(w)", "m = max(x over week)\ny = sum(w)",
			codes.FunctionOther},
		{"parentheses on both sides", "", "y = (n + 1) * (max(w) + 1)", "y = n + 1 * max(w) + 1", codes.Grouping},
		{"a part inside a call", "", "y = sum(w * cos(w))", "y = sum(cos(w * w))", codes.Grouping},
		{"divided once more where that changes nothing", ", h: {kind: int}", "h = max_at(w)\ny = sum(w)",
			"h = max_at(w) / size(w)\ny = sum(w)", codes.StepExtra},
		{"divided by a length that is one", ", m: {axes: [rope]}", "m = log(w)\ny = sum(w)",
			"m = log(w) / size(x)\ny = sum(w)", codes.StepExtra},
		{"sorted again", ", m: {axes: [rope]}", "m = sort(w, descending: true)\ny = sum(w)",
			"m = sort(sort(w, descending: true))\ny = sum(w)", codes.StepExtra},
		{"one more than a length", ", m: {axes: [rope]}", "m = w / length(x along rope)\ny = sum(w)",
			"m = w / (length(x along rope) + 1)\ny = sum(w)", codes.ConstantOther},
		{"laid flat that was not to be kept", ", m: {axes: [week]}", "m = sum(x over rope) / max(x over rope)\ny = sum(w)",
			"m = sum(x over rope, keep: true) / max(x over rope, keep: true)\ny = sum(w)", codes.AxisKept},
		{"a selection left out of an axis that is long", ", m: {axes: [rope]}", "m = x[last, all] - x[0, all]\ny = sum(w)",
			"m = x[last, all] - x[all, all]\ny = sum(w)", codes.StepMissing},
		{"a double for a square", "", "y = sqrt(sum(w ^ 2))", "y = sqrt(sum(w * 2))", codes.OperatorOther},
		{"a mask that multiplies", ", m: {axes: [week]}", "low = x > 3\nm = sum(x * low over rope)\ny = sum(w)",
			"low = x > 3\nm = sum(x over rope)\ny = sum(w)", codes.MaskUnapplied},
		{"the other end left out", ", g: {axes: [_]}", "g = differences(w)\ny = sum(w)", "g = w[from 1] - w\ny = sum(w)",
			codes.StepMissing},
		{"a sum left out of a mean by hand", ", m: {axes: [week]}", "m = mean(x over rope)\ny = sum(w)",
			"m = x / length(x along rope)\ny = sum(w)", codes.StepMissing},
		{"a sign of the reference's", ", m: {axes: [rope]}", "m = 3 * exp(-w)\ny = sum(w)", "m = 3 * e ^ (w)\ny = sum(w)",
			codes.SignFlipped},
		{"three of the first for three of the last", ", h: {}", "h = (w[last] + 3 * w[last - 1]) / 3\ny = sum(w)",
			"h = (w[0] + 3 * w[1]) / 3\ny = sum(w)", codes.SelectReversed},
		{"an angle turned twice", ", m: {axes: [rope]}", "a = w * pi / 180\nm = sin(a) + cos(a)\ny = sum(w)",
			"a = w * pi / 180\nm = sin(radians(a)) + cos(radians(a))\ny = sum(w)", codes.AngleUnit},
		{"sums multiplied", ", m: {axes: [week]}", "m = sum(x * w over rope)\ny = sum(w)",
			"m = sum(x over rope) * sum(w)\ny = sum(w)", codes.Grouping},
		{"doubles for squares", ", h: {}", "h = sqrt(w[0] ^ 2 + w[1] ^ 2)\ny = sum(w)",
			"h = sqrt(w[0] * 2 + w[1] * 2)\ny = sum(w)", codes.OperatorOther},
		{"a mean of two that is multiplied", "", "y = sum(w * mean(x[[0, 1], all] over 0))",
			"y = sum(w * (x[0, all] + x[1, all]))", codes.StepMissing},
		{"the first left out", ", g: {axes: [_]}", "g = -differences(w)\ny = sum(w)", "g = w[before last] - w\ny = sum(w)",
			codes.StepMissing},
		{"an imaginary unit that is added", ", z: {axes: [rope], kind: complex}", "z = exp(1i * w)\ny = sum(w)",
			"z = exp(1i + w)\ny = sum(w)", codes.OperatorOther},
		{"small values are not rounded ones", ", m: {axes: [rope]}", "m = w / 10\ny = sum(w)",
			"m = 1e-15 * w ^ 2\ny = sum(w)", ""},
		{"two functions for each other", ", m: {axes: [rope]}", "m = w * cos(w) - 2 * sin(w)\ny = sum(w)",
			"m = w * sin(w) - 2 * cos(w)\ny = sum(w)", codes.FunctionOther},
		{"the sign of an argument", "", "y = sum(exp(-w))", "y = sum(exp(w))", codes.SignFlipped},
		{"a sign that the reference has", "", "y = sum(pick(w > 1, w, -n))", "y = sum(pick(w > 1, w, n))",
			codes.SignFlipped},
		{"n - 1 under a root", "", "y = norm(x) / sqrt(size(x))", "y = norm(x) / sqrt(size(x) - 1)", codes.SpreadDivisor},
		{"a change relative to what was", ", m: {axes: [_, rope]}",
			"m = x[from 1, all] / x[before last, all] - 1\ny = sum(w)", "m = differences(x along week)\ny = sum(w)",
			codes.StepMissing},
		{"degrees in two functions", "", "y = cos(radians(n)) + 2 * sin(radians(n))", "y = cos(n) + 2 * sin(n)",
			codes.AngleUnit},
		{"one operator twice", "", "y = cos(n * w[0]) + 2 * sin(n * w[0])", "y = cos(n + w[0]) + 2 * sin(n + w[0])",
			codes.OperatorOther},
		{"one operator at two places of a statement", "", "y = hypot(max(w) - w[0], max(x) - w[1])",
			"y = hypot(max(w) + w[0], max(x) + w[1])", codes.OperatorOther},
		{"another axis, laid down the other way", ", m: {axes: [week, rope]}", "m = x - mean(x over week)\ny = sum(w)",
			"m = x - column_of(mean(x over rope))\ny = sum(w)", codes.AxisOther},
		{"another axis, with `new` on the other side", ", m: {axes: [week, rope]}",
			"m = x - max(x over week)[new, all]\ny = sum(w)", "m = x - max(x over rope)[all, new]\ny = sum(w)", codes.AxisOther},
		{"how many there are for the sum of weights", ", m: {axes: [week]}", "m = sum(x * w over rope) / sum(w)\ny = sum(w)",
			"m = mean(x * w over rope)\ny = sum(w)", codes.FunctionOther},
		{"one item of two", ", m: {axes: [rope]}", "m = x[0, all] + x[1, all]\ny = sum(w)", "m = x[0, all]\ny = sum(w)",
			codes.StepMissing},
		{"an item that is not taken away in a loop", "", "y = sum(abs(w[new, all] - w[all, new]))",
			"y = 0.0\neach k in 0 before length(w) {\n  y += sum(abs(w))\n}", codes.StepMissing},
		{"a sum and a product in a row", ", m: {axes: [week, rope]}", "m = (x - n) / max(x) * 5\ny = sum(w)",
			"m = x - n / max(x) * 5\ny = sum(w)", codes.Grouping},
		{"a mask of one's own that is not used", "", "y = mean(w[w >= 1])", "big = w >= 1\ny = mean(w)", codes.MaskUnapplied},
		{"a term where a mask is true", ", m: {axes: [rope]}", "m = pick(w > 1, w + n, w)\ny = sum(w)",
			"big = w > 1\nm = w + n\ny = sum(w)", codes.MaskUnapplied},
		{"a value that is never read", ", m: {axes: [week, rope]}", "m = x - median(x over week)\ny = sum(w)",
			"middle = percentile(x, 50 over week)\nm = x\ny = sum(w)", codes.StepMissing},
		{"all places of one selection", ", c: {axes: [_]}", "c = [x[0, 0], x[0, last], x[last, last]]\ny = sum(w)",
			"c = [x[1, 1], x[0, last], x[last, last]]\ny = sum(w)", codes.UnitFirst},
		{"the last for the second", "", "y = sort(w)[1]", "y = sort(w)[last]", codes.SelectEnd},
		{"which sign is first", "", "k = 1 to 5\ny = n * sum((-1) ^ (k + 1) / k)",
			"k = 1 to 5\ny = n * sum((-1) ^ k / k)", codes.SignFlipped},
		{"a sign that is not taken away, and no square", ", m: {axes: [week, rope], kind: bool}",
			"m = abs(x - mean(x)) > 1\ny = sum(w)", "m = x - mean(x) > 1\ny = sum(w)", codes.StepMissing},
		{"another number, and no root of it", ", m: {axes: [rope]}", "m = w * pick(w > 1, 1.5, 1.0)\ny = sum(w)",
			"m = w * (1 + 0.25 * real(w > 1))\ny = sum(w)", codes.ConstantOther},
		{"a product without the norms", "", "y = correlation(w - 1, w ^ 2)",
			"a = w - mean(w)\nb = w ^ 2 - mean(w ^ 2)\ny = a dot b", codes.StepMissing},
		{"a factor in another form", ", m: {axes: [week, rope]}", "m = floor(x) mod 3\ny = sum(w)",
			"m = floor(x) - floor(floor(x) / 3)\ny = sum(w)", codes.StepMissing},
		{"what it was in the pass before", "", "y = 5 * (1 + w[0]) ^ 4",
			"y = 5.0\neach k in 1 to 4 {\n  y = 5 * (1 + w[0])\n}", codes.LoopLast},
		{"a product that is not kept up", "", "y = 5 * (1 + w[0]) ^ 4",
			"y = 5.0\neach k in 1 to 4 {\n  y = 1 + w[0]\n}", codes.LoopLast},
		{"a sum that reads what it was", "", "y = 5 * (1 + w[0]) ^ 4",
			"y = 5.0\neach k in 1 to 4 {\n  y = y * w[0]\n}", codes.StepMissing},
		{"what feeds a wrong value mends it too", ", z: {}", "z = sum(x * w)\ny = z > 30",
			"z = sum(x) * 3 - max(w)\ny = z > 30",
			""},
	} {
		t.Run(c.name, func(t *testing.T) {
			v := attempt(t, made(t, fmt.Sprintf(grid, c.more), c.reference+"\n"), c.attempt+"\n")
			require.NotEqual(t, check.Agrees, v.Verdict)
			if c.want == "" {
				assert.Empty(t, v.Causes)
				return
			}
			require.NotEmpty(t, v.Causes)
			assert.Equal(t, c.want, v.Causes[0].Code, v.Causes[0].Change)
		})
	}
}

// TestTwoChangesAreNeverCertain: nor is what is changed at several places, or says no more than
// that a step is missing.
func TestTwoChangesAreNeverCertain(t *testing.T) {
	p := made(t, "inputs: {x: {axes: [week]}}\noutputs: {y: {}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {x: [3.5, 7, 1, 2, 9, 4.25]}}\n  - {name: b, inputs: {x: "+
		"[1, 2, 8, 9.5, 4, 3]}}\n",
		"y = [percentile(x, 75) - percentile(x, 25), sum(abs(x - 2))]\n")
	for _, text := range []string{
		"y = [percentile(x, 90) - percentile(x, 10), sum(abs(x - 2))]\n",
		"y = [percentile(x, 75) - percentile(x, 25), sum(x - 2)]\n",
	} {
		v := attempt(t, p, text)
		require.NotEmpty(t, v.Causes, text)
		assert.Equal(t, "likely", v.Causes[0].Confidence, text)
	}
}

// TestFurtherDataOfTheAttemptsSort: redrawn data on which what agrees differs, or on which the
// reference hangs on rounding, say nothing against an explanation.
func TestFurtherDataOfTheAttemptsSort(t *testing.T) {
	p := made(t, "inputs: {move: {axes: [_, _]}}\noutputs: {steady: {}, likeliest: {kind: int}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {move: [[0.9, 0.1], [0.4, 0.6]]}}\n"+
		"  - {name: b, inputs: {move: [[0.7, 0.2, 0.1], [0.15, 0.6, 0.25], [0.25, 0.3, 0.45]]}}\n",
		"n = length(move along 0)\na = transpose(move) - identity(n)\na[last, all] = 1\nb = zeros(n)\nb[last] = 1\n"+
			"steady = solve(a, b)\nlikeliest = max_at(steady)\n")
	v := attempt(t, p, "n = length(move along 0)\na = join(transpose(move) - identity(n), ones(1, n) along 0)\n"+
		"steady = least_squares(a, join(zeros(n), [1.0] along 0))\nlikeliest = sort_order(steady)[first]\n")
	require.NotEmpty(t, v.Causes, "rows of redrawn matrices do not add up to 1")
	assert.Equal(t, codes.SelectReversed, v.Causes[0].Code)
}

// TestAnErrorAloneIsNoEvidence: much ends in the same error, so that a step left out of the reference
// which does, too, explains nothing.
func TestAnErrorAloneIsNoEvidence(t *testing.T) {
	p := made(t, "inputs: {parts: {axes: [recipe, salt]}, price: {axes: [salt]}, orders: {axes: [recipe]}}\n"+
		"outputs: {cost: {}, bill: {}, needed: {}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {parts: [[2, 1, 0.5], [1, 4, 3]], price: [3, 1.5, 8], orders: [10, 4]}}\n"+
		"  - {name: b, inputs: {parts: [[2, 5], [1, 4], [7, 3]], price: [2, 9], orders: [1, 5, 3]}}\n",
		"cost = parts dot price\nneeded = orders dot parts\nbill = orders dot parts dot price\n")
	v := attempt(t, p, "cost = parts dot price\nneeded = parts dot price\nbill = needed dot price\n")
	require.Equal(t, check.Failed, v.Verdict)
	for _, c := range v.Causes {
		assert.NotEqual(t, codes.StepMissing, c.Code, c.Change)
	}
}

// TestRepairsBelowAndBesideWhatIsWrong: a changed statement runs with what comes from it alone, so what
// does not come from it must be at hand for properties and later statements.
func TestRepairsBelowAndBesideWhatIsWrong(t *testing.T) {
	yaml := "inputs: {x: {axes: [week, rope]}}\noutputs: {spread: {}, top: {}}\n" +
		"properties: [{holds: \"all(near(mean(centred over week), 0, absolute: 1e-9))\", says: it is centred}]\ncases:\n" +
		"  - {name: a, shown: true, inputs: {x: [[3.5, 7, 1, 2], [2, 9, 4.25, 5], [1, 8, 0.5, 3]]}}\n" +
		"  - {name: b, inputs: {x: [[1, 2, 8], [5, 6, 4.5]]}}\n"
	for _, c := range []struct {
		name, attempt string
		want          codes.Code
		line          int
	}{
		{"a property of what stands before", "centred = x - mean(x over week, keep: true)\n" +
			"top = max(x over week)\nspread = std(centred over rope)\n", codes.AxisOther, 3},
		{"a property that the change mends", "top = max(x over week)\ncentred = x - mean(x over rope, keep: true)\n" +
			"spread = std(centred over week)\n", codes.AxisOther, 2},
		{"the body of a function", "function centre(v) {\n  m = mean(v over 1, keep: true)\n  return v - m\n}\n" +
			"centred = centre(x)\nspread = std(centred over week)\ntop = max(x over week)\n", codes.AxisOther, 2},
		{"between statements that do not come from it", "top = min(x over week)\nk = 2\n" +
			"centred = x - mean(x over week, keep: true)\nspread = std(centred over week)\n", codes.FunctionOther, 1},
		{"a name that is bound again", "y = x\ntop = min(y over week)\ny = x - mean(x over week, keep: true)\n" +
			"centred = y\nspread = std(y over week)\n", codes.FunctionOther, 2},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := made(t, yaml, "centred = x - mean(x over week, keep: true)\nspread = std(centred over week)\n"+
				"top = max(x over week)\n")
			v := attempt(t, p, c.attempt)
			require.Equal(t, check.Differs, v.Verdict)
			require.NotEmpty(t, v.Causes)
			assert.Equal(t, c.want, v.Causes[0].Code)
			assert.Equal(t, "repair", v.Causes[0].Evidence)
			require.NotNil(t, v.Causes[0].Span)
			assert.Equal(t, c.line, v.Causes[0].Span.Line)
		})
	}
}

// TestSmallStepsAreReadTogether: what is one mistake in one expression is the same one in small steps.
func TestSmallStepsAreReadTogether(t *testing.T) {
	p := made(t, "inputs: {up: {axes: [_]}, down: {axes: [_]}}\noutputs: {middle: {}, total: {}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {up: [3.5, 7, 1, 2], down: [2, 9, 4.25, 5]}}\n"+
		"  - {name: b, inputs: {up: [1, 2, 8], down: [5, 6, 4.5]}}\n", "middle = (up + down) / 2\ntotal = sum(up * down)\n")
	for _, text := range []string{
		"half = down / 2\nmiddle = up + half\ntotal = sum(up * down)\n",
		"function half(v) = v / 2\nmiddle = up + half(down)\ntotal = sum(up * down)\n",
	} {
		v := attempt(t, p, text)
		require.NotEmpty(t, v.Causes, text)
		assert.Equal(t, codes.Grouping, v.Causes[0].Code, text)
		assert.Equal(t, "likely", v.Causes[0].Confidence, "its line stands nowhere in the attempt")
		assert.Equal(t, "written out, up + down / 2 → (up + down) / 2", v.Causes[0].Change)
		assert.Nil(t, v.Causes[0].Diff)
		require.NotNil(t, v.Causes[0].Span)
	}
}
