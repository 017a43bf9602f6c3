package evaluate_test

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// inputs every program of these tests may use.
func inputs() map[string]*array.Array {
	growth := make([]float64, 24)
	for i := range growth {
		growth[i] = float64(i)
	}
	return map[string]*array.Array{
		"growth": array.FromReals(growth, 2, 3, 4).WithLabels([]string{"week", "rope", "depth"}),
		"grid":   array.FromInts([]int64{1, 2, 3, 4, 5, 6}, 2, 3),
		"v":      array.FromInts([]int64{10, 20, 30}, 3),
		"ropes":  array.FromReals([]float64{100, 200, 300}, 3).WithLabels([]string{"rope"}),
	}
}

func run(t testing.TB, text string, counting int) (*evaluate.Result, *notation.Diagnostic) {
	t.Helper()
	given := inputs()
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, slices.Collect(maps.Keys(given)))
	}
	if len(errs) > 0 {
		return nil, errs[0]
	}
	r := evaluate.Run(context.Background(), program, given, evaluate.Options{Counting: counting,
		Limits: evaluate.CheckLimits})
	return r, r.Error
}

// short writes an array as nested JSON after its kind, labels in front.
func short(a *array.Array) string {
	text, _ := json.Marshal(dataio.JSON{Array: a})
	var form struct {
		Kind  string
		Shape []int
		Axes  []*string
		Data  []json.RawMessage
	}
	_ = json.Unmarshal(text, &form)
	var nest func(shape []int, data []json.RawMessage) string
	nest = func(shape []int, data []json.RawMessage) string {
		if len(shape) == 0 {
			return string(data[0])
		}
		parts := make([]string, shape[0])
		for i := range parts {
			step := len(data) / shape[0]
			parts[i] = nest(shape[1:], data[i*step:(i+1)*step])
		}
		return "[" + strings.Join(parts, ",") + "]"
	}
	labels := ""
	for _, l := range form.Axes {
		if l != nil {
			labels += *l + " "
		}
	}
	if a.Size() == 0 {
		return fmt.Sprintf("%s %s%v", form.Kind, labels, form.Shape)
	}
	return form.Kind + " " + labels + nest(form.Shape, form.Data)
}

// value runs text that binds x and returns x in short.
func value(t *testing.T, text string) string {
	t.Helper()
	r, d := run(t, text, 0)
	require.Nil(t, d, "%s: %v", text, d)
	return short(r.Value("x"))
}

func TestValues(t *testing.T) {
	for text, want := range map[string]string{
		// Literals and kinds.
		"x = [1, 2.5]":                   "real [1,2.5]",
		"x = [true, 2]":                  "int [1,2]",
		"x = []":                         "real [0]",
		"x = [[1, 2], [3, 4]]":           "int [[1,2],[3,4]]",
		"x = 2i * 2i":                    "complex [-4,0]",
		"x = 3 + 0.5i":                   "complex [3,0.5]",
		"x = -9223372036854775808":       "int -9223372036854775808",
		"x = [ropes, ropes]":             "real rope [[100,200,300],[100,200,300]]",
		"x = true + true":                "int 2",
		"x = -true":                      "int -1",
		"x = 7 / 2":                      "real 3.5",
		"x = 2 ^ 10":                     "int 1024",
		"x = 2 ^ -1":                     "real 0.5",
		"x = [2, 3] ^ [1, -1]":           "real [2,0.3333333333333333]",
		"x = -2 ^ 2":                     "int -4",
		"x = 2 ^ 3 ^ 2":                  "int 512",
		"x = 0 ^ 0":                      "int 1",
		"x = [-7, 7] div 2":              "int [-4,3]",
		"x = [-7, 7] mod [3, -3]":        "int [2,-2]",
		"x = -7.5 mod 2":                 "real 0.5",
		"x = 7.0 div 0":                  `real "nan"`,
		"x = 1 / 0":                      `real "inf"`,
		"x = 5 < [3, 6, 8, 9] <= 8":      "bool [false,true,true,false]",
		"x = not [true, false] xor true": "bool [true,false]",
		"x = true or false and false":    "bool true",
		"x = 9007199254740993 == 9007199254740992.0": "bool false",
		// Ranges.
		"x = 2 to 5":             "int [2,3,4,5]",
		"x = 0 before 4":         "int [0,1,2,3]",
		"x = 5 to 1 by -2":       "int [5,3,1]",
		"x = 0 to 1 by 0.25":     "real [0,0.25,0.5,0.75,1]",
		"x = 0 before 1 by 0.25": "real [0,0.25,0.5,0.75]",
		"x = 5 to 1":             "int [0]",
		"x = 1 + 1 to 2 * 2":     "int [2,3,4]",
		// Broadcasting and labels.
		"x = grid + v":                       "int [[11,22,33],[14,25,36]]",
		"x = grid * [[10], [1]]":             "int [[10,20,30],[4,5,6]]",
		"x = ropes[all, new] * [1, 2]":       "real rope [[100,200],[200,400],[300,600]]",
		"x = sum(growth over depth) + ropes": "real week rope [[106,222,338],[154,270,386]]",
		// Selections.
		"x = grid[1, 2]":                     "int 6",
		"x = grid[last, first]":              "int 4",
		"x = grid[all, last - 1]":            "int [2,5]",
		"x = grid[first to last, reversed]":  "int [[3,2,1],[6,5,4]]",
		"x = v[from 1]":                      "int [20,30]",
		"x = v[to 1]":                        "int [10,20]",
		"x = v[before 1]":                    "int [10]",
		"x = v[by 2]":                        "int [10,30]",
		"x = v[by -1]":                       "int [30,20,10]",
		"x = v[last to 0 by -2]":             "int [30,10]",
		"x = v[3 before 3]":                  "int [0]",
		"x = v[[2, 0, 0]]":                   "int [30,10,10]",
		"x = v[[]]":                          "int [0]",
		"x = v[v > 15]":                      "int [20,30]",
		"x = v[except 1]":                    "int [10,30]",
		"x = v[except v > 15]":               "int [10]",
		"x = v[except 0 to 1]":               "int [30]",
		"x = v[(0 to 1)]":                    "int [10,20]",
		"x = grid[grid > 2]":                 "int [3,4,5,6]",
		"x = grid[all, [true, false, true]]": "int [[1,3],[4,6]]",
		"x = grid[[1, 0], [2, 0]]":           "int [[6,4],[3,1]]",
		"x = grid[paired [1, 0], [2, 0]]":    "int [6,1]",
		"x = grid[paired 1, [2, 0]]":         "int [6,4]",
		"x = grid[new, rest][0, 1, 1]":       "int 5",
		"x = grid[0, rest]":                  "int [1,2,3]",
		"x = growth[rope: last, depth: 0]":   "real week [8,20]",
		"x = growth[0, all, 0 to 1]":         "real rope depth [[0,1],[4,5],[8,9]]",
		"x = (5)[rest]":                      "int 5",
		"x = (5)[new]":                       "int [5]",
		"x = v[v[0] div 10]":                 "int 20",
		// Reductions.
		"x = sum(grid)":                                  "int 21",
		"x = sum(grid over 0)":                           "int [5,7,9]",
		"x = sum(grid over last)":                        "int [6,15]",
		"x = sum(grid over (0 to 1))":                    "int 21",
		"x = mean(growth over [week, depth])":            "real rope [7.5,11.5,15.5]",
		"x = mean(growth over [week, rope], keep: true)": "real week rope depth [[[10,11,12,13]]]",
		"x = max(growth over rope)":                      "real week depth [[8,9,10,11],[20,21,22,23]]",
		"x = count(growth > 5 over [rope, depth])":       "int week [6,12]",
		"x = any(grid > 5 over 1)":                       "bool [false,true]",
		"x = all(grid > 0)":                              "bool true",
		"x = sum(grid, only: grid > 2)":                  "int 18",
		"x = mean(grid over 0, only: [[true], [false]])": "real [1,2,3]",
		"x = mean([1, 3], weights: [3, 1])":              "real 1.5",
		"x = sum([])":                                    "real 0",
		"x = all([])":                                    "bool true",
		"x = min([true, false])":                         "bool false",
		"x = sum([true, true])":                          "int 2",
		"x = std([1, 2, 3, 4])":                          "real 1.118033988749895",
		"x = sample_var([1, 2, 3, 4])":                   "real 1.6666666666666667",
		"x = median([5, 1, 2])":                          "real 2",
		"x = sum([9223372036854775807, 1, -1])":          "int 9223372036854775807",
		// Functions of the first shelf.
		"x = shape(growth)":              "int [2,3,4]",
		"x = length(growth along depth)": "int 4",
		"x = length(v)":                  "int 3",
		"x = transpose(grid)":            "int [[1,4],[2,5],[3,6]]",
		"x = shape(transpose(growth, to: [depth, week, rope]))": "int [4,2,3]",
		"x = reshape(grid, [3, auto])":                          "int [[1,2],[3,4],[5,6]]",
		"x = reshape(grid, 3, 2)":                               "int [[1,2],[3,4],[5,6]]",
		"x = reshape(grid, [3, 2], fill: columns)":              "int [[1,5],[4,3],[2,6]]",
		"x = flattened(grid, fill: columns)":                    "int [1,4,2,5,3,6]",
		"x = zeros(2)":                                          "real [0,0]",
		"x = ones([1, 2])":                                      "real [[1,1]]",
		"x = identity(2)":                                       "real [[1,0],[0,1]]",
		"x = abs([-3, 2])":                                      "int [3,2]",
		"x = abs(3 + 4i)":                                       "real 5",
		"x = round([0.5, -2.5, 1.49])":                          "real [1,-3,1]",
		"x = round(1234, digits: -2)":                           "int 1200",
		"x = round(2.345, digits: 2)":                           "real 2.35",
		"x = log([1, 8], base: 2)":                              "real [0,3]",
		"x = exp(0)":                                            "real 1",
		"x = sqrt(16)":                                          "real 4",
		"x = pick(v > 15, v, 0)":                                "int [0,20,30]",
		"x = near(0.1 + 0.2, 0.3)":                              "bool true",
		"x = grid dot v":                                        "int [140,320]",
		"x = v dot v":                                           "int 1400",
		"x = grid dot transpose(grid)":                          "int [[14,32],[32,77]]",
		"x = [1, 2] dot grid":                                   "int [9,12,15]",
		"x = growth dot ones(4)":                                "real week rope [[6,22,38],[54,70,86]]",
		// Statements.
		"x = v\nx[1] = 5":                                                                       "int [10,5,30]",
		"x = v\nx[x > 15] = 0":                                                                  "int [10,0,0]",
		"x = v\nx[x > 15] = [7, 8]":                                                             "int [10,7,8]",
		"x = grid\nx[0, all] += 10":                                                             "int [[11,12,13],[4,5,6]]",
		"x = grid\nx[all, [2, 0]] = [[9, 8]]":                                                   "int [[8,2,9],[8,5,9]]",
		"x = grid\nx[paired [0, 1], [0, 2]] = 0":                                                "int [[0,2,3],[4,5,0]]",
		"x = v\nx[[0, 0]] = 4":                                                                  "int [4,20,30]",
		"x = 1\nx += 2\nx *= 3\nx /= 2":                                                         "real 4.5",
		"x = 0\neach a in v {\n  x += a\n}":                                                     "int 60",
		"x = 0\neach a, b in grid, v[0 to 1] {\n  x += sum(a) * b\n}":                           "int 360",
		"x = 0\neach c in grid along 1 {\n  x = c\n}":                                           "int [3,6]",
		"x = 1\nrepeat up to 100 until x > 50 {\n  x = 2 * x\n}":                                "int 64",
		"x = 0\nrepeat up to 3 until false {\n  x += 1\n}":                                      "int 3",
		"if sum(v) > 50 {\n  x = 1\n} else {\n  x = 2\n}":                                       "int 1",
		"function double(a) = 2 * a\nx = double(v)":                                             "int [20,40,60]",
		"function f(n) {\n  if n < 2 {\n    return 1\n  }\n  return n * f(n - 1)\n}\nx = f(10)": "int 3628800",
		"mean = mean(v)\nx = mean":                                                              "real 20",
		"pi = 3\nx = pi":                                                                        "int 3",
	} {
		t.Run(text, func(t *testing.T) {
			assert.Equal(t, want, value(t, text), text)
		})
	}
}

func TestCopiesAndViews(t *testing.T) {
	for text, want := range map[string]string{
		"a = v\nb = a\nb[0] = 1\nx = a":                                        "int [10,20,30]",
		"a = v\nb = a[0 to 1]\na[0] = 1\nx = b":                                "int [10,20]",
		"a = v\na[0] = 1\nx = v":                                               "int [10,20,30]",
		"a = grid\nview top = a[0, all]\ntop[1] = 99\nx = a":                   "int [[1,99,3],[4,5,6]]",
		"a = grid\nview top = a[0, all]\na[0, 0] = 7\nx = top":                 "int [7,2,3]",
		"a = grid\nview top = a[0, all]\nb = a\ntop[rest] = 0\nx = b":          "int [[1,2,3],[4,5,6]]",
		"a = grid\nview top = a[0, all]\na = v\ntop[0] = 5\nx = top":           "int [5,2,3]",
		"a = v\nview r = a[reversed]\nr[0 to 1] = [1, 2]\nx = a":               "int [10,2,1]",
		"a = v\na[1 to 2] = a[0 to 1]\nx = a":                                  "int [10,10,20]",
		"a = v\nview b = a[0 to 1]\nview c = a[1 to 2]\nc[rest] = b\nx = a":    "int [10,10,20]",
		"function f(a) {\n  a[0] = 0\n  return a\n}\nb = v\nc = f(b)\nx = b":   "int [10,20,30]",
		"a = v\neach i in a {\n  a[rest] = 0\n  x = i\n}":                      "int 30",
		"view w = v[0 to 1]\nw[rest] = 0\nx = v":                               "int [0,0,30]",
		"a = grid\nview b = a[1, all]\nview c = b[0 to 1]\nc[rest] = 8\nx = a": "int [[1,2,3],[8,8,6]]",
	} {
		t.Run(text, func(t *testing.T) {
			assert.Equal(t, want, value(t, text), text)
		})
	}
	given := inputs()
	program, _ := notation.Parse("view w = v[0 to 1]\nw[rest] = 0\ngrid[0, 0] = 9")
	evaluate.Run(context.Background(), program, given, evaluate.Options{Limits: evaluate.CheckLimits})
	assert.Equal(t, []int64{10, 20, 30}, given["v"].Ints(), "a caller's inputs never change")
	assert.Equal(t, []int64{1, 2, 3, 4, 5, 6}, given["grid"].Ints())
}

func TestErrors(t *testing.T) {
	for text, want := range map[string]struct{ code, hint string }{
		"x = grwth":                         {"text.name", "`growth`"},
		"x = summ(v)":                       {"text.call", "`sum`"},
		"x = sum(v, v)":                     {"text.call", "sum(x over AXES"},
		"x = sum(v, keeep: true)":           {"text.call", "`keep`"},
		"x = reshape(v, [3], fill: colums)": {"text.call", "`columns`"},
		"x = sum(v along 0)":                {"text.call", "sum(x over"},
		"x = abs(v over 0)":                 {"text.call", "abs(x)"},
		"x = v(1)":                          {"text.habit", "v[1]"},
		"x = sum":                           {"text.name", "sum(x)"},
		"function sum(a) = a":               {"text.name", "own_sum"},
		"x = v and true":                    {"text.habit", "compare"},
		"x = not 1":                         {"text.habit", "compare"},
		"x = grid + [1, 2]":                 {"shape.broadcast", "x[all, new]"},
		"x = growth + sum(growth over [rope, depth])": {"shape.broadcast", "x[all, new, new]"},
		"x = grid dot grid":                           {"shape.inner", "transpose(B)"},
		"x = grid dot 2":                              {"shape.inner", "*"},
		"x = grid[[true, false]]":                     {"shape.mask", "[mask, all]"},
		"x = v[[true, false]]":                        {"shape.mask", ""},
		"x = reshape(v, [2, auto])":                   {"shape.reshape", "auto"},
		"x = [[1, 2], [3]]":                           {"shape.ragged", "join"},
		"x = v\nx[0 to 1] = [1, 2, 3]":                {"shape.assign", "scalar"},
		"x = v\nx[x > 15] = [1, 2, 3]":                {"shape.assign", "scalar"},
		"x = grid[0]":                                 {"select.count", "[0, all]"},
		"x = v[0, 0]":                                 {"select.count", "take 1 out"},
		"x = v[3]":                                    {"select.range", "0 to 2"},
		"x = v[0 - 1]":                                {"select.range", "last"},
		"x = v[1 to 3]":                               {"select.range", "0 to 2"},
		"x = v[0 before 5]":                           {"select.range", "0 to 2"},
		"x = v[1.0]":                                  {"select.kind", "int"},
		"x = v[true]":                                 {"select.kind", ""},
		"x = grid[grid > 2, 0]":                       {"select.kind", "mask"},
		"x = v\nx[[0, 0]] = [1, 2]":                   {"select.repeated", "scalar"},
		"x = v\nx[[0, 0]] += 1":                       {"select.repeated", ""},
		"view x = v[rest]\nx += 1":                    {"select.kind", "x[rest] +="},
		"a = [0, 1]\nview x = v[a]":                   {"select.kind", "copy"},
		"x = sum(grid over week)":                     {"axis.unknown", "0 and 1"},
		"week = 0\nx = sum(grid over week)":           {"axis.unknown", "(week)"},
		"x = sum(growth over rop)":                    {"axis.unknown", "`rope`"},
		"x = sum(grid over 2)":                        {"axis.unknown", "0 and 1"},
		"x = length(grid)":                            {"axis.missing", "along 0"},
		"x = sum(grid over [0, 0])":                   {"axis.repeated", "once"},
		"x = 1i < 2":                                  {"run.kind", "abs"},
		"x = v\nx[0] = 1.5":                           {"run.kind", "int(...)"},
		"if v > 1 {\n  x = 1\n}":                      {"run.condition", "any(...)"},
		"if 1 {\n  x = 1\n}":                          {"run.condition", "x != 0"},
		"x = 2 ^ 64":                                  {"run.overflow", "real"},
		"x = 9223372036854775807 + 1":                 {"run.overflow", "real"},
		"x = sum([9223372036854775807, 1])":           {"run.overflow", "real"},
		"x = mean([])":                                {"run.empty", "size"},
		"x = sample_std([1])":                         {"run.empty", "std"},
		"x = 5 div 0":                                 {"run.divide", "pick"},
		"x = mean([1], weights: [0])":                 {"run.divide", ""},
		"x = int(nan)":                                {"run.value", "is_finite"},
		"x = 1 to 5 by 0":                             {"run.value", "step"},
		"x = zeros(-1)":                               {"run.value", "0 or more"},
		"each a, b in v, grid {\n  x = a\n}":          {"shape.join", "one length"},
		"each a in 5 {\n  x = a\n}":                   {"axis.unknown", "array"},
		"if false {\n  y = 1\n}\nx = y":               {"text.name", "every path"},
		"function f(a) {\n  if a > 5 {\n    return 1\n  }\n}\nx = f(1)": {"text.syntax", "return"},
		"function f(a) = a + v\nx = f(1)":                               {"text.name", ""},
		"function f(a) = a\nx = f(1, 2)":                                {"text.call", "f(a)"},
		"x = growth[rope: 5]":                                           {"select.range", "0 to 2"},
		"x = growth[week: 0, wek: 1]":                                   {"axis.unknown", "week"},
	} {
		t.Run(text, func(t *testing.T) {
			_, d := run(t, text, 0)
			require.NotNil(t, d, text)
			assert.Equal(t, codes.Code(want.code), d.Code, "%s: %s", text, d.Message)
			assert.Contains(t, d.Hint, want.hint, text)
			assert.Positive(t, d.Place.Line, text)
			assert.NotEmpty(t, d.Message)
			assert.NotEmpty(t, d.Hint, text)
		})
	}
}

func TestNotices(t *testing.T) {
	for text, code := range map[string]string{
		"x = sqrt(-1)":                          "notice.nan",
		"x = inf - inf":                         "notice.nan",
		"x = (-8) ^ 0.5":                        "notice.nan",
		"x = log(0)":                            "notice.infinite",
		"x = 1 / 0":                             "notice.infinite",
		"x = 0 ^ -1":                            "notice.infinite",
		"x = min([1, nan])":                     "notice.nan",
		"x = 5 to 1":                            "notice.empty",
		"x = transpose(v)":                      "notice.transpose",
		"x = 9007199254740993 + 0.5":            "notice.precision",
		"x = ropes + labelled(v, axes: [week])": "notice.labels",
	} {
		t.Run(text, func(t *testing.T) {
			r, d := run(t, text, 0)
			require.Nil(t, d, text)
			require.NotEmpty(t, r.Notices, text)
			assert.Equal(t, codes.Code(code), r.Notices[0].Code, text)
		})
	}
	for _, text := range []string{"x = nan + 1", "x = inf * 2", "x = abs(nan)", "x = v + 1"} {
		t.Run(text, func(t *testing.T) {
			r, _ := run(t, text, 0)
			assert.Empty(t, r.Notices, "passing on leaves none: %s", text)
		})
	}
	r, _ := run(t, "x = 0\neach a in 0 to 50 {\n  x = sqrt(-1)\n}", 0)
	assert.Len(t, r.Notices, 1, "one notice for each place, however many rounds")
}

func TestCountingFromOne(t *testing.T) {
	for text, want := range map[string]string{
		"x = v[1]":                  "int 10",
		"x = v[last]":               "int 30",
		"x = v[first + 1]":          "int 20",
		"x = v[2 to 3]":             "int [20,30]",
		"x = v[before 4]":           "int [10,20,30]",
		"x = sum(grid over 1)":      "int [5,7,9]",
		"x = indices(v)":            "int [1,2,3]",
		"x = v[3 to 1 by -1]":       "int [30,20,10]",
		"x = grid[paired [2], [3]]": "int [6]",
	} {
		t.Run(text, func(t *testing.T) {
			r, d := run(t, text, 1)
			require.Nil(t, d, text)
			assert.Equal(t, want, short(r.Value("x")), text)
		})
	}
	_, d := run(t, "x = v[0]", 1)
	assert.Contains(t, d.Hint, "1 to 3")
}

func TestAFailingStatementWritesNothing(t *testing.T) {
	r, d := run(t, "x = v\nx[0] = 7\nx[0 to 1] = [1, 2, 3]", 0)
	require.NotNil(t, d)
	assert.Equal(t, "int [7,20,30]", short(r.Value("x")))
	assert.Equal(t, []string{"x"}, r.Order())
}

func TestUntouchedInputsAreNotValues(t *testing.T) {
	r, _ := run(t, "v[0] = 1\ny = 2\neach k in v {\n}", 0)
	assert.ElementsMatch(t, []string{"v", "y", "k"}, r.Order())
}

func TestLimitsHold(t *testing.T) {
	for _, text := range []string{
		"x = zeros(1000000, 1000000)",
		"x = zeros([9223372036854775807, 2])",
		"x = any(zeros(10000000000000, 0) over 0)",
		"x = sort(reshape(zeros(0), [0, 10000000000000]) along 1)",
		"x = totals_by([1, 2, 3], [0, 1, 0], 2888888888)",
		"x = 0 before 1000000000000",
		"repeat up to 1000000000 until false {\n}",
		"x = 1\nrepeat up to 1000000000 until false {\n  x = -x\n}",
		"function f(n) = f(n + 1)\nx = f(0)",
		"function f(n) {\n  if n == 0 {\n    return 0\n  }\n  return f(n - 1) + f(n - 1)\n}\nx = f(60)",
		"x = zeros(1000)\nrepeat up to 10000 until false {\n  x = [x, x]\n  x = reshape(x, auto)\n}",
		"x = ones(4000, 4000) dot ones(4000, 4000)",
	} {
		t.Run(text, func(t *testing.T) {
			start := time.Now()
			_, d := run(t, text, 0)
			require.NotNil(t, d, text)
			assert.Equal(t, codes.Code("run.limit"), d.Code, text)
			assert.Less(t, time.Since(start), 20*time.Second, text)
		})
	}
}

func TestTheClockStopsLongWork(t *testing.T) {
	program, errs := notation.Parse("x = 1\nrepeat up to 1000000000 until false {\n  x = ones(2000, 2000) dot " +
		"ones(2000, 2000)\n}")
	require.Empty(t, errs)
	ctx, cancel := context.WithTimeout(context.Background(), 50*time.Millisecond)
	defer cancel()
	limits := evaluate.Limits{Statements: 1e15, Cells: 1e15, Bytes: 1e15, Depth: 64}
	r := evaluate.Run(ctx, program, nil, evaluate.Options{Limits: limits})
	require.NotNil(t, r.Error)
	assert.True(t, functions.TimedOut(r.Error))
}

func TestALongSumNeedsNoDeepStack(t *testing.T) {
	assert.Equal(t, "int 200001", value(t, "x = 1"+strings.Repeat(" + 1", 200_000)))
}

func TestEveryFunctionExampleRuns(t *testing.T) {
	for _, name := range functions.Names() {
		f := functions.Lookup(name)
		_, d := run(t, "x = "+f.Example, 0)
		assert.Nil(t, d, "%s: %v", f.Example, d)
		assert.NotEmpty(t, f.Doc, name)
		assert.NotEmpty(t, f.Shape, name)
		assert.NotEmpty(t, f.Signature, name)
		for _, r := range f.Relatives {
			assert.NotNil(t, functions.Lookup(r), "%s names %s", name, r)
		}
	}
}

// TestEveryFunctionOfTheNotationRuns lists both shelves: a name missing from the
// table is a defect.
func TestEveryFunctionOfTheNotationRuns(t *testing.T) {
	shelves := `zeros ones filled identity diagonal spaced draw_uniform draw_normal draw_integers shuffled
		sampled int real complex bool shape size axis_count length indices diagonal_of flat_position unflat_position
		shares is_bool is_int is_real is_complex reshape flattened transpose row_of column_of without_ones labelled
		join stack repeated tiled sort sort_order reversed rotated unique unique_counts upper_part lower_part abs
		sign sqrt cbrt exp expm1 log log1p log2 log10 sin cos tan asin acos atan sinh cosh tanh asinh acosh atanh
		atan2 hypot degrees radians floor ceil round truncated lesser greater clipped pick factorial combinations
		permutations gamma log_gamma beta erf erfc lambert_w gcd lcm real_part imaginary_part conjugate angle is_nan
		is_finite near is_in sum product mean median min max extent var std sample_var sample_std percentile count
		any all norm log_sum_exp min_at max_at five_numbers counts_between positions running_sum running_product
		running_min running_max differences windows totals_by det inverse pseudo_inverse solve least_squares trace
		rank mat_power outer cross kronecker conjugate_transpose eigenvalues eigenvectors singular_values condition
		interpolated fitted_polynomial polynomial trapezoid gradient convolved covariance correlation
		insertion_place polar spacing inverse_erf normal_cdf`
	names := strings.Fields(shelves)
	slices.Sort(names)
	assert.Equal(t, names, functions.Names())
}

// ran parses, checks and runs a program; the first error ends it.
func ran(text string) (*evaluate.Result, *notation.Diagnostic) {
	program, errs := notation.Parse(text)
	if len(errs) == 0 {
		errs = evaluate.Check(program, nil)
	}
	if len(errs) > 0 {
		return nil, errs[0]
	}
	r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
	return r, r.Error
}

func TestEveryEntrysExampleRuns(t *testing.T) {
	for _, e := range notation.Entries {
		t.Run(e.Word, func(t *testing.T) {
			_, err := ran(e.Example)
			assert.Nil(t, err)
		})
	}
}

func TestEveryExampleOfAnErrorOrNoticeProvokesIt(t *testing.T) {
	for _, e := range codes.Of(codes.Error) {
		t.Run(string(e.Code), func(t *testing.T) {
			_, err := ran(e.Example)
			require.NotNil(t, err)
			assert.Equal(t, e.Code, err.Code)
		})
	}
	for _, e := range codes.Of(codes.Notice) {
		t.Run(string(e.Code), func(t *testing.T) {
			r, err := ran(e.Example)
			require.Nil(t, err)
			require.NotEmpty(t, r.Notices)
			assert.Equal(t, e.Code, r.Notices[0].Code)
		})
	}
}

func FuzzRun(f *testing.F) {
	for _, name := range functions.Names() {
		f.Add("x = " + functions.Lookup(name).Example)
	}
	for _, text := range []string{"x = grid[paired [1], 2]", "x = v\nx[x > 2] += 1", "view w = v[by -1]\nw[rest] = 1",
		"x = sum(growth over [week, (1)], keep: true)", "x = reshape(v, auto, 1) dot grid[0, rest]",
		"function f(a) {\n return a\n}\nx = f(v)", "each a in growth along rope {\n}"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		given := inputs()
		program, errs := notation.Parse(text)
		if len(errs) > 0 || len(evaluate.Check(program, slices.Collect(maps.Keys(given)))) > 0 {
			return
		}
		limits := evaluate.Limits{Statements: 2000, Cells: 100_000, Bytes: 1 << 20, Depth: 16}
		first := evaluate.Run(context.Background(), program, given, evaluate.Options{Limits: limits})
		// Somebody who watches changes nothing, though chains are then not put off.
		watch := func(notation.Expr, *array.Array) {}
		second := evaluate.Run(context.Background(), program, inputs(), evaluate.Options{Limits: limits, Watch: watch})
		for name, a := range first.Values() {
			if short(a) != short(second.Value(name)) {
				t.Fatalf("%q gives two values of %s", text, name)
			}
		}
	})
}

func Example() {
	program, _ := notation.Parse("per_rope = mean(growth over week)")
	growth := array.FromReals([]float64{1, 2, 3, 5, 6, 7}, 2, 3).WithLabels([]string{"week", "rope"})
	result := evaluate.Run(context.Background(), program, map[string]*array.Array{"growth": growth},
		evaluate.Options{Limits: evaluate.EvaluateLimits})
	fmt.Println(functions.ShapeOf(result.Value("per_rope")), result.Value("per_rope").Reals())
	// Output: [rope=3] [3 4 5]
}
