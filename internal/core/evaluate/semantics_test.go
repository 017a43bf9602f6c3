package evaluate_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// inShort writes an array on one line: its kind, its shape, its elements row by row.
func inShort(a *array.Array) string {
	if a == nil {
		return "nothing"
	}
	elements := make([]string, a.Size())
	for i := range elements {
		elements[i] = dataio.FormatElement(a, i)
	}
	return fmt.Sprintf("%s %s: %s", a.Kind(), notation.Shape{Lengths: a.Shape(), Labels: a.Labels(), Mark: -1},
		strings.Join(elements, " "))
}

// What programs give, one small program for each rule of the notation.
func TestWhatProgramsGive(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"r = 1 + 2 * 3 ^ 2", "int []: 19"},
		{"r = (1 + 2) * 3", "int []: 9"},
		{"r = -2 ^ 2", "int []: -4"},
		{"r = 2 ^ 3 ^ 2", "int []: 512"},
		{"r = 2 ^ -1", "real []: 0.5"},
		{"r = 7 div 2", "int []: 3"},
		{"r = -7 div 2", "int []: -4"},
		{"r = -7 mod 2", "int []: 1"},
		{"r = 7 mod -2", "int []: -1"},
		{"r = 7.5 mod 2", "real []: 1.5"},
		{"r = 7 / 2", "real []: 3.5"},
		{"r = 6 / 3", "real []: 2.0"},
		{"r = 1 / 2i", "complex []: 0.0 - 0.5i"},
		{"r = true + true", "int []: 2"},
		{"r = [1, 2] + [true, false]", "int [2]: 2 2"},
		{"r = [1, 2.5]", "real [2]: 1.0 2.5"},
		{"r = [true, 2]", "int [2]: 1 2"},
		{"r = [1i, 2]", "complex [2]: 0.0 + 1.0i 2.0 + 0.0i"},
		{"r = []", "real [0]: "},
		{"r = [[], []]", "real [2, 0]: "},
		{"r = [[1, 2], [3, 4]]", "int [2, 2]: 1 2 3 4"},
		{"r = [[1, 2], [3, 4]] + [10, 20]", "int [2, 2]: 11 22 13 24"},
		{"r = [[1], [2]] + [10, 20]", "int [2, 2]: 11 21 12 22"},
		{"r = [1, 2, 3] == [1, 5, 3]", "bool [3]: true false true"},
		{"r = 1 < 2 < 3", "bool []: true"},
		{"r = 3 > [1, 2, 3] >= 2", "bool [3]: false true false"},
		{"r = not [true, false] or true", "bool [2]: true true"},
		{"r = true xor true", "bool []: false"},
		{"r = 0 to 4", "int [5]: 0 1 2 3 4"},
		{"r = 0 before 4", "int [4]: 0 1 2 3"},
		{"r = 10 to 0 by -5", "int [3]: 10 5 0"},
		{"r = 0 to 1 by 0.25", "real [5]: 0.0 0.25 0.5 0.75 1.0"},
		{"r = 0.0 to 2", "real [3]: 0.0 1.0 2.0"},
		{"r = 5 before 0 by -2", "int [3]: 5 3 1"},
		{"x = [5, 6, 7, 8]\nr = x[0]", "int []: 5"},
		{"x = [5, 6, 7, 8]\nr = x[last]", "int []: 8"},
		{"x = [5, 6, 7, 8]\nr = x[last - 1]", "int []: 7"},
		{"x = [5, 6, 7, 8]\nr = x[1 to 2]", "int [2]: 6 7"},
		{"x = [5, 6, 7, 8]\nr = x[from 2]", "int [2]: 7 8"},
		{"x = [5, 6, 7, 8]\nr = x[to 1]", "int [2]: 5 6"},
		{"x = [5, 6, 7, 8]\nr = x[before last]", "int [3]: 5 6 7"},
		{"x = [5, 6, 7, 8]\nr = x[by 2]", "int [2]: 5 7"},
		{"x = [5, 6, 7, 8]\nr = x[by -1]", "int [4]: 8 7 6 5"},
		{"x = [5, 6, 7, 8]\nr = x[last to first by -3]", "int [2]: 8 5"},
		{"x = [5, 6, 7, 8]\nr = x[reversed]", "int [4]: 8 7 6 5"},
		{"x = [5, 6, 7, 8]\nr = x[[3, 0, 0]]", "int [3]: 8 5 5"},
		{"x = [5, 6, 7, 8]\nr = x[(1 to 2)]", "int [2]: 6 7"},
		{"x = [5, 6, 7, 8]\nr = x[except 1]", "int [3]: 5 7 8"},
		{"x = [5, 6, 7, 8]\nr = x[except 1 to 2]", "int [2]: 5 8"},
		{"x = [5, 6, 7, 8]\nr = x[except [0, last]]", "int [2]: 6 7"},
		{"x = [5, 6, 7, 8]\nr = x[x > 5 and x < 8]", "int [2]: 6 7"},
		{"x = [5, 6, 7, 8]\nr = x[except x > 6]", "int [2]: 5 6"},
		{"x = [5, 6, 7, 8]\nr = x[new, all]", "int [1, 4]: 5 6 7 8"},
		{"x = [5, 6, 7, 8]\nr = x[all, new]", "int [4, 1]: 5 6 7 8"},
		{"x = [5, 6, 7, 8]\nr = x[rest]", "int [4]: 5 6 7 8"},
		{"x = [5, 6, 7, 8]\nr = x[2 before 2]", "int [0]: "},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[0, all]", "int [3]: 1 2 3"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[all, 1]", "int [2]: 2 5"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[rest, last]", "int [2]: 3 6"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[0, rest]", "int [3]: 1 2 3"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[[1, 0], [2, 0]]", "int [2, 2]: 6 4 3 1"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[paired [1, 0], [2, 0]]", "int [2]: 6 1"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[paired [1, 0], 1]", "int [2]: 5 2"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[paired [1, 0], all]", "int [2, 3]: 4 5 6 1 2 3"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[x > 2]", "int [4]: 3 4 5 6"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[[true, false], all]", "int [1, 3]: 1 2 3"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[reversed, by 2]", "int [2, 2]: 4 6 1 3"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[1, all][last]", "int []: 6"},
		{"x = [[1, 2, 3], [4, 5, 6]]\nr = x[x[0, 0], x[0, 1]]", "int []: 6"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = x[rope: 0]", "int [week=2]: 1 4"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = x[rope: last, week: reversed]", "int [week=2]: 6 3"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = x[week: 1, rope: 0 to 1]", "int [rope=2]: 4 5"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = sum(x over week)", "int [rope=3]: 5 7 9"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = x - mean(x over week)",
			"real [week=2, rope=3]: -1.5 -1.5 -1.5 1.5 1.5 1.5"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = x - mean(x over rope, keep: true)",
			"real [week=2, rope=3]: -1.0 0.0 1.0 -1.0 0.0 1.0"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = transpose(x)", "int [rope=3, week=2]: 1 4 2 5 3 6"},
		{"x = labelled([[1, 2, 3], [4, 5, 6]], axes: [week, rope])\nr = x[all, new, all]",
			"int [week=2, 1, rope=3]: 1 2 3 4 5 6"},
		{"x = [1, 2, 3]\nx[0] = 9\nr = x", "int [3]: 9 2 3"},
		{"x = [1, 2, 3]\nx[0 to 1] = 0\nr = x", "int [3]: 0 0 3"},
		{"x = [1, 2, 3]\nx[x > 1] = [7, 8]\nr = x", "int [3]: 1 7 8"},
		{"x = [1, 2, 3]\nx[x > 1] *= 10\nr = x", "int [3]: 1 20 30"},
		{"x = [1, 2, 3]\nx[reversed] = x\nr = x", "int [3]: 3 2 1"},
		{"x = [1, 2, 3]\nx[1 to 2] = x[0 to 1]\nr = x", "int [3]: 1 1 2"},
		{"x = [[1, 2], [3, 4]]\nx[all, 0] = [9, 8]\nr = x", "int [2, 2]: 9 2 8 4"},
		{"x = [[1, 2], [3, 4]]\nx[paired [0, 1], [0, 1]] = 0\nr = x", "int [2, 2]: 0 2 3 0"},
		{"x = [[1, 2], [3, 4]]\nx[rest] = [5, 6]\nr = x", "int [2, 2]: 5 6 5 6"},
		{"x = [[1, 2], [3, 4]]\nx[0, rest] += 10\nr = x", "int [2, 2]: 11 12 3 4"},
		{"x = [1.5, 2.5]\nx[0] = 3\nr = x", "real [2]: 3.0 2.5"},
		{"x = [1, 2]\nx += 1\nx *= 3\nx -= 1\nr = x", "int [2]: 5 8"},
		{"x = [1, 2]\nx /= 2\nr = x", "real [2]: 0.5 1.0"},
		{"a = [1, 2, 3]\nb = a\nb[0] = 9\nr = a", "int [3]: 1 2 3"},
		{"a = [1, 2, 3]\nb = a[0 to 1]\nb[0] = 9\nr = a", "int [3]: 1 2 3"},
		{"a = [1, 2, 3]\nview b = a[0 to 1]\nb[rest] = 9\nr = a", "int [3]: 9 9 3"},
		{"a = [1, 2, 3]\nview b = a[0 to 1]\na[0] = 9\nr = b", "int [2]: 9 2"},
		{"a = [1, 2, 3]\nview b = a[rest]\nc = b\nc[0] = 9\nr = a", "int [3]: 1 2 3"},
		{"a = [1, 2, 3]\nview b = a[rest]\na = [7, 8]\nb[0] = 9\nr = b", "int [3]: 9 2 3"},
		{"a = [[1, 2], [3, 4]]\nview row = a[1, all]\nview end = row[last to first by -1]\nend[0] = 9\nr = a",
			"int [2, 2]: 1 2 3 9"},
		{"a = [1, 2, 3, 4]\nview b = a[by 2]\nb[rest] += 10\nr = a", "int [4]: 11 2 13 4"},
		{"a = [1, 2, 3]\nview b = a[0 to 1]\nview c = a[1 to 2]\nc[rest] = b\nr = a", "int [3]: 1 1 2"},
		{"function double(x) = 2 * x\nr = double([1, 2])", "int [2]: 2 4"},
		{"function f(x, y) = x - y\nr = f(5, 3)", "int []: 2"},
		{"function f(x) {\n  x[0] = 9\n  return x\n}\na = [1, 2]\nb = f(a)\nr = a + b", "int [2]: 10 4"},
		{"function fib(n) {\n  if n < 2 {\n    return n\n  }\n  return fib(n - 1) + fib(n - 2)\n}\nr = fib(10)",
			"int []: 55"},
		{"function inner(x) = x + 1\nfunction outer_one(x) = 2 * inner(x)\nr = outer_one(3)", "int []: 8"},
		{"s = 0\neach v in [1, 2, 3] {\n  s += v\n}\nr = s", "int []: 6"},
		{"s = 0\neach row in [[1, 2], [3, 4]] {\n  s = s * 10 + row\n}\nr = s", "int [2]: 13 24"},
		{"s = 0\neach c in [[1, 2], [3, 4]] along 1 {\n  s = s * 10 + c\n}\nr = s", "int [2]: 12 34"},
		{"s = 0\neach a, b in [1, 2], [10, 20] {\n  s += a * b\n}\nr = s", "int []: 50"},
		{"x = [1, 2, 3]\neach v in x {\n  x[0] = v\n}\nr = x", "int [3]: 3 2 3"},
		{"x = 1\nrepeat up to 10 until x > 20 {\n  x *= 2\n}\nr = x", "int []: 32"},
		{"x = 1\nrepeat up to 3 until false {\n  x *= 2\n}\nr = x", "int []: 8"},
		{"x = 1\nrepeat up to 0 until false {\n  x *= 2\n}\nr = x", "int []: 1"},
		{"x = 3\nif x > 2 {\n  r = 1\n} else {\n  r = 2\n}", "int []: 1"},
		{"x = 1\nif x > 2 {\n  r = 1\n} else if x > 0 {\n  r = 2\n} else {\n  r = 3\n}", "int []: 2"},
		{"r = pick([1, 2, 3] > 1, [1, 2, 3], 0)", "int [3]: 0 2 3"},
		{"r = reshape(0 before 6, [2, 3])", "int [2, 3]: 0 1 2 3 4 5"},
		{"r = reshape(0 before 6, [2, 3], fill: columns)", "int [2, 3]: 0 2 4 1 3 5"},
		{"r = reshape(0 before 6, [auto, 2])", "int [3, 2]: 0 1 2 3 4 5"},
		{"r = flattened([[1, 2], [3, 4]])", "int [4]: 1 2 3 4"},
		{"r = transpose([[1, 2, 3], [4, 5, 6]])", "int [3, 2]: 1 4 2 5 3 6"},
		{"r = join([1, 2], [3] along 0)", "int [3]: 1 2 3"},
		{"r = stack([1, 2], [3, 4] along 1)", "int [2, 2]: 1 3 2 4"},
		{"r = sort([3, 1, 2])", "int [3]: 1 2 3"},
		{"r = sort([3, 1, 2], descending: true)", "int [3]: 3 2 1"},
		{"r = sort_order([30, 10, 20])", "int [3]: 1 2 0"},
		{"r = unique([3, 1, 3, 2])", "int [3]: 1 2 3"},
		{"r = unique_counts([3, 1, 3, 2])", "int [3]: 1 1 2"},
		{"r = repeated([1, 2], 2)", "int [4]: 1 1 2 2"},
		{"r = tiled([1, 2], [2])", "int [4]: 1 2 1 2"},
		{"r = rotated([1, 2, 3, 4], 1)", "int [4]: 4 1 2 3"},
		{"r = reversed([1, 2, 3])", "int [3]: 3 2 1"},
		{"r = windows([1, 2, 3, 4], 2)", "int [3, 2]: 1 2 2 3 3 4"},
		{"r = running_sum([1, 2, 3])", "int [3]: 1 3 6"},
		{"r = differences([1, 4, 9])", "int [2]: 3 5"},
		{"r = totals_by([1, 2, 3], [0, 1, 0], 2)", "int [2]: 4 2"},
		{"r = counts_between([1, 2, 2, 5], [0, 2, 5])", "int [2]: 1 3"},
		{"r = positions([true, false, true])", "int [2]: 0 2"},
		{"r = positions([[true, false], [false, true]])", "int [2, 2]: 0 0 1 1"},
		{"r = max_at([[1, 9], [8, 2]])", "int [2]: 0 1"},
		{"r = max_at([[1, 9], [8, 2]] over 1)", "int [2]: 1 0"},
		{"r = sum([[1, 2], [3, 4]] over [0, 1])", "int []: 10"},
		{"r = sum([[1, 2], [3, 4]] over 0, keep: true)", "int [1, 2]: 4 6"},
		{"r = sum([1, 2, 3], only: [true, false, true])", "int []: 4"},
		{"r = mean([1, 2, 3, 6])", "real []: 3.0"},
		{"r = mean([1.0, 3.0], weights: [3, 1])", "real []: 1.5"},
		{"r = median([5, 1, 2, 4])", "real []: 3.0"},
		{"r = percentile([1, 2, 3, 4], [25, 75])", "real [2]: 1.75 3.25"},
		{"r = five_numbers([1, 2, 3, 4, 5])", "real [5]: 1.0 2.0 3.0 4.0 5.0"},
		{"r = count([0, 1, 2])", "int []: 2"},
		{"r = any([[true, false], [false, false]] over 1)", "bool [2]: true false"},
		{"r = all([])", "bool []: true"},
		{"r = sum([])", "real []: 0.0"},
		{"r = product([])", "real []: 1.0"},
		{"r = [1, 2] dot [3, 4]", "int []: 11"},
		{"r = [[1, 2], [3, 4]] dot [1, 1]", "int [2]: 3 7"},
		{"r = [1, 1] dot [[1, 2], [3, 4]]", "int [2]: 4 6"},
		{"r = [[1, 2], [3, 4]] dot [[0, 1], [1, 0]]", "int [2, 2]: 2 1 4 3"},
		{"r = outer([1, 2], [3, 4])", "int [2, 2]: 3 4 6 8"},
		{"r = identity(2)", "real [2, 2]: 1.0 0.0 0.0 1.0"},
		{"r = diagonal([1, 2])", "int [2, 2]: 1 0 0 2"},
		{"r = upper_part([[1, 2], [3, 4]])", "int [2, 2]: 1 2 0 4"},
		{"r = size([[1, 2], [3, 4]])", "int []: 4"},
		{"r = shape([[1, 2, 3]])", "int [2]: 1 3"},
		{"r = axis_count([[1]])", "int []: 2"},
		{"r = length([[1, 2, 3]] along 1)", "int []: 3"},
		{"r = indices([5, 6, 7])", "int [3]: 0 1 2"},
		{"r = factorial([0, 1, 5])", "int [3]: 1 1 120"},
		{"r = combinations(5, 2)", "int []: 10"},
		{"r = gcd(12, 18)", "int []: 6"},
		{"r = round([2.5, -2.5, 3.49])", "real [3]: 3.0 -3.0 3.0"},
		{"r = round(3.14159, digits: 2)", "real []: 3.14"},
		{"r = floor([-1.5, 1.5])", "real [2]: -2.0 1.0"},
		{"r = clipped([1, 5, 9], 2, 8)", "int [3]: 2 5 8"},
		{"r = sign([-3, 0, 4])", "int [3]: -1 0 1"},
		{"r = is_in([1, 2, 3], [2, 9])", "bool [3]: false true false"},
		{"r = near(0.1 + 0.2, 0.3)", "bool []: true"},
		{"r = greater([1, 5], [3, 2])", "int [2]: 3 5"},
		{"r = abs([-1, 2])", "int [2]: 1 2"},
		{"r = abs(3 + 4i)", "real []: 5.0"},
		{"r = conjugate(1 + 2i)", "complex []: 1.0 - 2.0i"},
		{"r = sqrt(-4 + 0i)", "complex []: 0.0 + 2.0i"},
		{"r = int(2.9)", "int []: 2"},
		{"r = int(-2.9)", "int []: -2"},
		{"r = real([true, false])", "real [2]: 1.0 0.0"},
		{"r = bool([0, 2])", "bool [2]: false true"},
		{"r = spaced(0, 1, 3)", "real [3]: 0.0 0.5 1.0"},
		{"r = interpolated(1.5, [1, 2], [10, 20])", "real []: 15.0"},
		{"r = polynomial([1, 2, 3], 2)", "int []: 17"},
		{"r = convolved([1, 2], [1, 1])", "int [3]: 1 3 2"},
		{"r = trapezoid([1, 2, 3], [0, 1, 2])", "real []: 4.0"},
		{"r = insertion_place([10, 20, 30], [5, 20, 35])", "int [3]: 0 1 3"},
		{"r = zeros(2, 0)", "real [2, 0]: "},
		{"r = ones(2)", "real [2]: 1.0 1.0"},
		{"r = filled([2, 2], true)", "bool [2, 2]: true true true true"},
		{"r = pi - pi", "real []: 0.0"},
		{"r = epsilon * 2 ^ 52", "real []: 1.0"},
		{"r = shares([1, 2], [1, 2])", "bool []: false"},
		{"a = [1, 2]\nview b = a[0 to 0]\nr = shares(a, b)", "bool []: true"},
		{"r = is_int([1, 2])", "bool []: true"},
	} {
		t.Run(c.text, func(t *testing.T) {
			program, errs := notation.Parse(c.text)
			require.Empty(t, errs, c.text)
			require.Empty(t, evaluate.Check(program, nil), c.text)
			run := func(p *notation.Program, o evaluate.Options) string {
				o.Limits = evaluate.CheckLimits
				r := evaluate.Run(context.Background(), p, nil, o)
				require.Nil(t, r.Error, c.text)
				return inShort(r.Value("r"))
			}
			assert.Equal(t, c.want, run(program, evaluate.Options{}), c.text)

			// Somebody who watches sees the same, and so does whoever reads it printed.
			seen := 0
			assert.Equal(t, c.want, run(program, evaluate.Options{Watch: func(notation.Expr, *array.Array) { seen++ }}), c.text)
			assert.Positive(t, seen, c.text)
			again, errs := notation.Parse(notation.Print(program))
			require.Empty(t, errs, c.text)
			assert.Equal(t, c.want, run(again, evaluate.Options{}), c.text)
		})
	}
}

// In a course that counts from 1, positions and axis numbers do, and nothing else.
func TestWhatProgramsGiveCountingFromOne(t *testing.T) {
	for text, want := range map[string]string{
		"x = [5, 6, 7]\nr = x[1]":                            "int []: 5",
		"x = [5, 6, 7]\nr = x[last]":                         "int []: 7",
		"x = [5, 6, 7]\nr = x[2 to 3]":                       "int [2]: 6 7",
		"x = [5, 6, 7]\nr = x[from 2]":                       "int [2]: 6 7",
		"x = [5, 6, 7]\nr = x[before 3]":                     "int [2]: 5 6",
		"x = [5, 6, 7]\nr = x[3 to 1 by -1]":                 "int [3]: 7 6 5",
		"x = [5, 6, 7]\nr = x[[3, 1]]":                       "int [2]: 7 5",
		"x = [5, 6, 7]\nr = x[except 1]":                     "int [2]: 6 7",
		"x = [5, 6, 7]\nr = x[first + 1]":                    "int []: 6",
		"x = [[1, 2], [3, 4]]\nr = x[paired [1, 2], [2, 1]]": "int [2]: 2 3",
		"r = sum([[1, 2], [3, 4]] over 1)":                   "int [2]: 4 6",
		"r = sum([[1, 2], [3, 4]] over last)":                "int [2]: 3 7",
		"r = stack([1, 2], [3, 4] along 2)":                  "int [2, 2]: 1 3 2 4",
		"r = transpose([[1, 2], [3, 4]], to: [2, 1])":        "int [2, 2]: 1 3 2 4",
		"r = max_at([3, 9, 1])":                              "int []: 2",
		"r = max_at([3, 9, 1] over 1)":                       "int []: 2",
		"r = positions([false, true])":                       "int [1]: 2",
		"r = sort_order([30, 10, 20])":                       "int [3]: 2 3 1",
		"r = indices([7, 8])":                                "int [2]: 1 2",
		"r = totals_by([1, 2, 3], [1, 2, 1], 2)":             "int [2]: 4 2",
		"r = length([7, 8])":                                 "int []: 2",
		"r = 1 to 3":                                         "int [3]: 1 2 3",
	} {
		t.Run(text, func(t *testing.T) {
			program, errs := notation.Parse(text)
			require.Empty(t, errs, text)
			r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits, Counting: 1})
			require.Nil(t, r.Error, text)
			assert.Equal(t, want, inShort(r.Value("r")), text)
		})
	}
}
