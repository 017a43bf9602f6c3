package slips_test

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
	"nimbusreach/internal/core/slips"
)

func material(counting int) *slips.Material {
	known := func(kind array.Kind, labels []string, lengths ...int) shapes.Outline {
		return functions.Outlined(kind, lengths, labels)
	}
	return &slips.Material{Inputs: []string{"growth", "x", "y", "a", "b", "z", "n"}, Counting: counting,
		Known: map[string]shapes.Outline{
			"growth": known(array.Real, []string{"week", "rope", "depth"}, 5, 3, 4), "x": known(array.Real, nil, 6),
			"y": known(array.Real, nil, 6),
			"a": known(array.Real, nil, 3, 3), "b": known(array.Real, nil, 3, 3), "z": known(array.Complex, nil, 4),
			"n": known(array.Int, nil),
		}, Scalars: map[string]float64{"n": 7}}
}

// made lists what each slip makes of a program, by its text, with its cause.
func made(t *testing.T, text string, m *slips.Material) map[string]codes.Code {
	t.Helper()
	program, errs := notation.Parse(text + "\n")
	require.Empty(t, errs, text)
	out := map[string]codes.Code{}
	for _, s := range slips.Of(program, m) {
		undo := s.Apply()
		got := strings.TrimSpace(notation.Print(program))
		if _, ok := out[got]; !ok {
			out[got] = s.Cause
		}
		undo()
	}
	return out
}

// TestTable has, for each cause that one change can make, a program, what the slip
// makes of it, and the cause.
func TestTable(t *testing.T) {
	for _, c := range []struct {
		right, wrong string
		cause        codes.Code
	}{
		{"r = mean(growth over week)", "r = mean(growth over rope)", "axis.other"},
		{"r = norm(x)", "r = sum(abs(x))", "function.other"},
		{"r = norm(x)", "r = max(abs(x))", "function.other"},
		{"r = mean(x, weights: y)", "r = sum(x * y)", "step.missing"},
		{"r = x dot y", "r = sum(x) * sum(y)", "product.elementwise"},
		{"r = std(x)", "r = mean(abs(x - mean(x, keep: true)))", "function.other"},
		{"r = (n + 1) * (n + 2)", "r = n + 1 * n + 2", "grouping"},
		{"r = degrees(acos(x))", "r = x", "step.missing"},
		{"r = least_squares(a, b)", "r = transpose(a) dot b", "step.missing"},
		{"r = x[0] + x[1] + x[2] + x[3]", "r = x[0] + x[1]", "step.missing"},
		{"r = mean(growth over week)", "r = mean(growth over [week, depth])", "axis.other"},
		{"r = mean(growth over week)", "r = mean(growth)", "axis.all"},
		{"r = sort(growth along week)", "r = sort(growth along depth)", "axis.other"},
		{"r = max(x)", "r = max(x, keep: true)", "axis.kept"},
		{"r = x - mean(growth over week, keep: true)[0, 0, 0]", "r = x - mean(growth over week)[0, 0, 0]", "axis.dropped"},
		{"r = a[0, all]", "r = a[all, 0]", "select.axis"},
		{"r = growth[week: 0]", "r = growth[rope: 0]", "select.axis"},
		{"r = a[paired [0, 1], [1, 2]]", "r = a[[0, 1], [1, 2]]", "select.block"},
		{"r = x[2]", "r = x[3]", "unit.first"},
		{"r = x[2]", "r = x[1]", "select.shifted"},
		{"r = x[1 to 3]", "r = x[2 to 4]", "unit.first"},
		{"r = x[1 to 3]", "r = x[1 before 3]", "select.end"},
		{"r = x[1 to 3]", "r = x[1 to 2]", "select.end"},
		{"r = x[from 1]", "r = x[all]", "select.end"},
		{"r = x[by 2]", "r = x[by 3]", "select.step"},
		{"r = x[all]", "r = x[reversed]", "select.reversed"},
		{"r = x[first]", "r = x[last]", "select.reversed"},
		{"r = x[except 0]", "r = x[0]", "select.complement"},
		{"r = x[x > 3]", "r = x[x >= 3]", "mask.boundary"},
		{"r = x[x > 3]", "r = x[x < 3]", "mask.inverted"},
		{"r = x > 3 and y > 2", "r = x > 3 or y > 2", "mask.joined"},
		{"r = sum(x[x > 3])", "r = sum(x)", "mask.unapplied"},
		{"r = max(x)", "r = max_at(x)", "position.value"},
		{"r = count(x > 3)", "r = sum(pick(x > 3, x, 0))", "position.value"},
		{"r = x[all, new] * y", "r = x[new, all] * y", "broadcast.axis"},
		{"r = a dot b", "r = a * b", "product.elementwise"},
		{"r = a * b", "r = a dot b", "product.matrix"},
		{"r = inverse(a)", "r = 1.0 / a", "matrix.elementwise"},
		{"r = mat_power(a, 2)", "r = a ^ 2", "matrix.elementwise"},
		{"r = transpose(a) dot b", "r = a dot b", "transpose.missing"},
		{"r = a dot b", "r = a dot transpose(b)", "transpose.missing"},
		{"r = abs(z)", "r = real_part(z)", "complex.part"},
		{"r = reshape(x, [2, 3])", "r = reshape(x, [2, 3], fill: columns)", "fill.order"},
		{"r = transpose(a)", "r = reshape(a, reversed(shape(a)))", "reshape.transpose"},
		{"r = join(a, b along 0)", "r = join(a, b along 1)", "join.axis"},
		{"r = std(x)", "r = sample_std(x)", "spread.divisor"},
		{"r = covariance(x, y)", "r = covariance(x, y, sample: true)", "spread.divisor"},
		{"r = sin(radians(x))", "r = sin(x)", "angle.unit"},
		{"r = log10(x)", "r = log(x)", "log.base"},
		{"r = x / 2", "r = round(x / 2)", "rounding"},
		{"r = sqrt(x)", "r = x", "power.missing"},
		{"r = x ^ 2 + 1", "r = x + 1", "power.missing"},
		{"r = (x + y) / 2", "r = x + y / 2", "grouping"},
		{"r = x - (y - 1)", "r = x - y - 1", "grouping"},
		{"r = x / (y + 1)", "r = x / y + 1", "grouping"},
		{"r = x - y", "r = y - x", "operand.order"},
		{"r = solve(a, b)", "r = solve(b, a)", "operand.order"},
		{"r = mean(x)", "r = median(x)", "function.other"},
		{"r = any(x > 1)", "r = all(x > 1)", "function.other"},
		{"r = running_sum(x)", "r = sum(x)", "function.other"},
		{"r = floor(x)", "r = ceil(x)", "function.other"},
		{"r = x + y", "r = x - y", "operator.other"},
		{"r = x div 2", "r = x / 2", "operator.other"},
		{"r = x > 3", "r = x > 4", "constant.other"},
		{"r = percentile(x, 25)", "r = percentile(x, 50)", "constant.other"},
		{"r = mean(x)", "r = mean(y)", "input.other"},
		{"r = sum(x) / length(x)", "r = sum(x) / 6", "length.fixed"},
		{"r = mean(x, only: not is_nan(x))", "r = mean(x)", "missing.values"},
		{"r = mean(x, only: not is_nan(x))", "r = mean(pick(not is_nan(x), x, 0))", "missing.values"},
		{"r = sum(growth over week)", "r = growth[last, all, all]", "loop.last"},
		{"r = mean(growth over [week, rope])", "r = mean(mean(growth over week) over rope)", "mean.nested"},
		{"r = sum(x) / sum(y)", "r = mean(x / y)", "mean.nested"},
		{"r = a[sort_order(x[0 to 2]), all]", "r = sort(a along 0)", "sort.apart"},
		{"r = mean(clipped(x, 0, 1))", "r = mean(x)", "step.missing"},
		{"r = unique(x)", "r = x", "step.missing"},
		{"r = x * 2", "r = sort(x * 2)", "step.extra"},
		{"c = x\nc[0] = 1\nr = x", "view c = x[rest]\nc[0] = 1\nr = x", "input.changed"},
		{"view c = x[from 1]\nc[0] = 1\nr = x", "c = x[from 1]\nc[0] = 1\nr = x", "view.copy"},
		{"r = transpose(growth, to: [depth, week, rope])", "r = transpose(growth, to: [week, depth, rope])", "axis.order"},
		{"r = growth * 2", "r = flattened(growth * 2)", "axis.flat"},
		{"r = x * 2", "r = -(x * 2)", "sign.flipped"},
		{"r = std(x) + std(y)", "r = sample_std(x) + sample_std(y)", "spread.divisor"},
		{"r = abs(sum(x))", "r = sum(abs(x))", "grouping"},
		{"r = mean(max(growth over week) over depth)", "r = mean(max(growth over depth) over week)", "axis.other"},
		{"r = mean(max(growth over week) over depth)", "r = max(mean(growth over week) over depth)", "grouping"},
		{"r = mean(a over 0, only: not is_nan(a))", "r = mean(a[all(not is_nan(a) over 1), all] over 0)", "missing.values"},
		{"r = a[max(a over 1) > 2, all]", "r = a[all, max(a over 0) > 2]", "select.axis"},
		{"r = a / mean(a over 1)[all, new]", "r = a / mean(a over 0)[new, all]", "axis.other"},
		{"r = x - 2 * y", "r = y - 2 * x", "input.other"},
		{"r = x\nx = y", "x = y\nr = x", "input.other"},
		{"r = x * 2", "r = (x * 2)[from 1]", "select.end"},
		{"r = x * 2", "r = (x * 2)[last]", "loop.last"},
		{"r = shape(a)[0]", "r = shape(a)[1]", "axis.other"},
		{"r = [shape(a)[first], n]", "r = [shape(a)[last], n]", "axis.other"},
		{"r = reversed(shape(growth))", "r = shape(growth)", "axis.other"},
		{"r = length(a along 0)", "r = size(a)", "axis.other"},
		{"r = positions(x > 3)", "r = x > 3", "position.value"},
		{"r = a[[0, 1], [0, 1]] + b[[0, 1], [0, 1]]", "r = a[[1, 2], [1, 2]] + b[[1, 2], [1, 2]]", "unit.first"},
		{"r = a[by 2, by 2]", "r = a[by 3, by 3]", "select.step"},
		{"r = x[1 before last]", "r = x[last - 1 to 1 by -1]", "select.reversed"},
		{"r = (x / 2) ^ 2", "r = x ^ 2 / 2", "grouping"},
		{"r = x ^ 2 / 2", "r = (x / 2) ^ 2", "grouping"},
		{"r = x[0] ^ [0, 1, 2]", "r = x[0] ^ [1, 2, 3]", "unit.first"},
		{"r = trapezoid(x, y)", "r = sum(x)", "step.missing"},
		{"r = percentile(x, 75) - percentile(x, 25)", "r = std(x)", "function.other"},
		{"r = rotated(x, 1)", "r = rotated(x, -1)", "select.shifted"},
		{"r = column_of(x) * y", "r = row_of(x) * y", "broadcast.axis"},
		{"m = size(x)\nr = sum(x) / m", "m = (size(x) - 1)\nr = sum(x) / m", "spread.divisor"},
		{"r = count(not is_nan(x))", "r = size(not is_nan(x))", "missing.values"},
		{"t = 0.0\neach k in x {\n  t += k\n}\nr = t", "each k in x {\n  t = 0.0\n  t += k\n}\nr = t", "loop.last"},
		{"r = x\neach k in 0 to 5 {\n  r[k] = 1\n}", "r = x\neach k in 0 to 5 {\n  r[last] = 1\n}", "loop.last"},
		{"r = x + y - 1", "r = x", "step.missing"},
	} {
		t.Run(c.right+" → "+c.wrong, func(t *testing.T) {
			got := made(t, c.right, material(0))
			require.Contains(t, got, c.wrong)
			assert.Equal(t, c.cause, got[c.wrong])
		})
	}
}

func TestTheOtherBase(t *testing.T) {
	got := made(t, "r = x[3]", material(1))
	assert.Equal(t, codes.UnitFirst, got["r = x[2]"], "in a course that counts from 1, one less is the other base's")
	assert.Equal(t, codes.SelectShifted, got["r = x[4]"])
}

// TestTheEndOfWhatIsInOrderIsItsExtreme: a slip that makes no difference shows no weakness of data.
func TestTheEndOfWhatIsInOrderIsItsExtreme(t *testing.T) {
	for _, text := range []string{"r = sort(x)[last]", "s = sort(x)\nr = s[last]", "r = eigenvalues(a)[last]"} {
		for wrong := range made(t, text, material(0)) {
			assert.NotContains(t, wrong, "max(", text)
		}
	}
	assert.Contains(t, made(t, "r = x[last]", material(0)), "r = max(x)")
}

// TestAxesThatAreNotThere: an attempt may name any axis.
func TestAxesThatAreNotThere(t *testing.T) {
	m := material(0)
	m.Reference, _ = notation.Parse("r = mean(a over 1) + differences(x)\n")
	for _, text := range []string{"r = mean(x over 1)", "r = sum(a over 7)", "r = differences(x along 1)",
		"r = differences(a along 2)", "r = max(x over last) - x[3, 4]", "r = norm(n over 0)", "r = a[0, 0, 0]"} {
		assert.NotPanics(t, func() { made(t, text, m) }, text)
	}
	assert.NotContains(t, made(t, "r = mean(x over 1)", m), "r = x[first]")
}

// TestItemsOfLoops: an item of one loop stands for that of another around it, and a value is joined with
// the items that its statement selects; neither outside loops.
func TestItemsOfLoops(t *testing.T) {
	m := material(0)
	m.Reference = &notation.Program{} // the program is an attempt
	const loops = "r = zeros(3, 3)\neach i in 0 to 2 {\n  each j in 0 to 2 {\n    r[i, j] = %s\n  }\n}"
	from := func(value string) map[string]codes.Code { return made(t, fmt.Sprintf(loops, value), m) }
	to := func(value string) string { return fmt.Sprintf(loops, value) }
	got := from("x[i] - y[i]")
	assert.Equal(t, codes.InputOther, got[to("x[i] - y[j]")])
	assert.Equal(t, codes.StepMissing, got[to("(x[i] - y[i]) / y[i]")])
	assert.Equal(t, codes.StepMissing, got[to("(x[i] - y[i]) * x[i]")])
	assert.NotContains(t, got, to("x[i] - y[n]"), "what is no item is left")
	for change := range made(t, "i = 1\nj = 2\nr = x[i] - y[i]", m) {
		assert.NotContains(t, change, "(x[i] - y[i]) / y[i]")
	}
}

// TestRepairsUndo: making a slip to a reference, and then the repairs of what came out,
// leads back to the reference under the same cause.
func TestRepairsUndo(t *testing.T) {
	back, all := 0, 0
	var missed []string
	for _, text := range []string{"r = mean(growth over week)", "r = x[1 to 3]", "r = x[x > 3 and y < 2]",
		"r = (x + y) / sqrt(2.0)", "r = a dot transpose(b)", "r = sample_std(x) * 3", "r = max(x) - min(x)",
		"r = a[0, all] + x[0 to 2]", "r = count(x > 3)"} {
		t.Run(text, func(t *testing.T) {
			program, errs := notation.Parse(text + "\n")
			require.Empty(t, errs)
			for _, s := range slips.Of(program, material(0)) {
				undo := s.Apply()
				wrong := notation.Print(program)
				undo()
				attempt, errs := notation.Parse(wrong)
				if len(errs) > 0 || s.Adds() || strings.Contains(s.Change(), "everywhere") {
					continue
				}
				m := material(0)
				m.Reference = program
				all++
				found := false
				for _, r := range slips.Of(attempt, m) {
					undo := r.Apply()
					found = found || strings.ReplaceAll(notation.Print(attempt), " ", "") == strings.ReplaceAll(text+"\n", " ", "")
					undo()
				}
				if found {
					back++
				} else {
					missed = append(missed, s.Operator.Name+": "+strings.TrimSpace(wrong))
				}
			}
		})
	}
	assert.Greater(t, float64(back), 0.6*float64(all), "%v", missed)
}

// TestRepairsThatBorrow has, for each, a reference, an attempt, and what a change makes of the attempt.
func TestRepairsThatBorrow(t *testing.T) {
	for _, c := range []struct {
		reference, attempt, mended string
		undoes                     codes.Code
	}{
		{"r = mean(x[x > 3])", "r = sum(x[x > 3]) / length(x)", "r = sum(x[x > 3]) / count(x > 3)", codes.MaskUnapplied},
		{"r = x[[0, 2]]", "r = x[[0, 5]]", "r = x[[0, last]]", codes.LengthFixed},
		{"r = x[from size(x) - n]", "r = x[0 before n]", "r = x[last - n + 1 to last]", codes.SelectShifted},
		{"r = x[last - n to last]", "r = x[to n]", "r = x[last - n to last]", codes.SelectShifted},
		{"r = sqrt(mean(x ^ 2))", "r = norm(x)", "r = norm(x) / sqrt(size(x))", codes.StepMissing},
		{"r = clipped(x, -n, n)", "r = pick(x < -n, n, x)", "r = pick(x < -n, (-n), x)", codes.SignFlipped},
		{"r = x / x[0]", "r = x", "r = (x / x[0])", codes.StepMissing},
		{"r = x[n + 1]", "k = n\nr = x[k]", "k = (n + 1)\nr = x[k]", codes.UnitFirst},
		{"r = sqrt(mean(x ^ 2))", "r = mean(abs(x))", "r = sqrt(mean(x ^ 2))", codes.FunctionOther},
		{"r = sum(sort(x)[0 to 1])", "r = sum(x[0 to 1])", "r = sum(sort(x, descending: true)[0 to 1])", codes.StepMissing},
		{"function f(v) = v - v * 2\nr = f(x)", "function f(v) {\n  c = v * 2\n  return c\n}\nr = f(x)",
			"function f(v) {\n  c = v * 2\n  return (v - c)\n}\nr = f(x)", codes.StepMissing},
		{"function f(v, u) = v - u * 2\nr = f(x, y)", "function f(v, u) {\n  return u - v * 2\n}\nr = f(x, y)",
			"function f(v, u) {\n  return v - u * 2\n}\nr = f(x, y)", codes.InputOther},
		{"r = [x - y, x + 2 * y]", "r = [x - y, y + 2 * x]", "r = [x - y, x + 2 * y]", codes.InputOther},
		{"r = x - 2 * mean(y)", "k = x + y\nr = x", "k = x + y\nr = (x - k)", codes.StepMissing},
		{"r = x * y", "k = 2 * y\nr = x * column_of(k)\ns = x", "k = 2 * y\nr = x * column_of(k)\ns = (x * k)",
			codes.StepMissing},
		{"r = sum(a * y over 0) / sum(y)", "r = mean(growth * x over week)",
			"r = (sum(growth * x over week) / sum(x))", codes.FunctionOther},
		{"r = growth[0, 0, 0] + x[2]", "r = growth[1, 1, 1] + x[2]", "r = growth[0, 0, 0] + x[2]", codes.UnitFirst},
		{"function f(v) = v - mean(v)\nr = f(x)", "function f(v) = v * 2\nr = f(x)",
			"function f(v) = (v - mean(v)) * 2\nr = f(x)", codes.StepMissing},
		{"r = x[from last - 1]", "r = x[4 to 5]", "r = x[last - 1 to last]", codes.LengthFixed},
		{"r = differences(x) / x[0]", "r = x / y", "r = ((x / y) - 1)", codes.StepMissing},
		{"r = transpose(growth, to: [1, 0, 2])", "r = transpose(growth)", "r = transpose(growth, to: [1, 0, 2])",
			codes.AxisOrder},
	} {
		t.Run(c.attempt, func(t *testing.T) {
			m := material(0)
			var errs []*notation.Diagnostic
			m.Reference, errs = notation.Parse(c.reference + "\n")
			require.Empty(t, errs)
			attempt, errs := notation.Parse(c.attempt + "\n")
			require.Empty(t, errs)
			var undoes []codes.Code
			for _, s := range slips.Of(attempt, m) {
				undo := s.Apply()
				if strings.TrimSpace(notation.Print(attempt)) == c.mended {
					undoes = append(undoes, s.Undoes)
				}
				undo()
			}
			assert.Contains(t, undoes, c.undoes)
		})
	}
}

// references are the programs of the demo's course, and some with statements that many
// slips meet in.
func references(t *testing.T) []string {
	t.Helper()
	out := []string{
		"m = mean(growth over [week, depth], keep: true)\nr = growth - m\nr[r > 1] = 0\nr += 1\n",
		"function f(v, k) = v * k + 1\nr = f(x, 3)[from 1]\nview s = r[0 to 2]\ns[all] = 2\n",
		"t = 0.0\neach w in growth along rope { t += sum(w[0, all]) }\nif t > 3 { r = t } else { r = -t }\n" +
			"repeat up to 3 until r > 1 { r = r * 2 }\n",
		"r = a[paired [0, 1], [1, 2]] dot [1, 2]\ns = pick(x > 2 or y <= 1, x, y)\nu = [1, 2][1] to 7 by 2\n",
		"t = 0.0\nc = x\nc[0] = 1\nc[1 to 2] += y[1 to 2]\nview s = c[from 1]\ns[all] = 2\nt += sum(c)\nr = t\n",
		"if n > 3 {\n r = x\n r[0] = 1\n r += 1\n} else {\n r = -x\n r = r * 2\n}\n",
		"r = growth[week: 1 to 3, rope: last] + growth[1, new, [0, 2], all]\nr = r[all, new, reversed]\n",
		"function f(v) {\n w = v\n w[0] = 1\n w = w * 2\n return w\n}\nr = f(x) + f(y)\n",
	}
	files, err := filepath.Glob("../../../demo/course/exercises/*/reference.nra")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, name := range files {
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		out = append(out, string(text))
	}
	return out
}

// TestStatementsAreFoundByIdentity leaves two statements of a block out, and puts
// another in the place of one that is gone.
func TestStatementsAreFoundByIdentity(t *testing.T) {
	program, errs := notation.Parse("view s = x[from 1]\ns[0] = 1\ns[1] = 2\nr = x\n")
	require.Empty(t, errs)
	by := map[string]*slips.Slip{}
	list := slips.Of(program, material(0))
	for i := range list {
		if _, ok := by[list[i].Operator.Name+list[i].Line()]; !ok {
			by[list[i].Operator.Name+list[i].Line()] = &list[i]
		}
	}
	first, second, copied := by["droppeds[0] = 1"], by["droppeds[1] = 2"], by["copyview s = x[from 1]"]
	require.NotNil(t, first)
	require.NotNil(t, second)
	require.NotNil(t, copied)
	for _, order := range [][]*slips.Slip{{first, second, copied}, {copied, second, first}, {second, copied, first}} {
		var undo []func()
		for _, s := range order {
			undo = append(undo, s.Apply())
		}
		assert.Equal(t, "s = x[from 1]\nr = x\n", notation.Print(program))
		for i := range undo {
			undo[len(undo)-1-i]()
		}
	}
}

// TestSlipsOfLongTextsAreBounded makes slips of a text with thousands of names and one
// with thousands of numbers; both are some of what could be made, and undo themselves.
func TestSlipsOfLongTextsAreBounded(t *testing.T) {
	var names, numbers strings.Builder
	for i := range 1500 {
		fmt.Fprintf(&names, "x%d = x * %d\n", i, i)
	}
	numbers.WriteString("r = [1")
	for i := range 8000 {
		fmt.Fprintf(&numbers, ", %d", i)
	}
	numbers.WriteString("]\n")
	for _, text := range []string{names.String(), numbers.String()} {
		t.Run(text, func(t *testing.T) {
			program, errs := notation.Parse(text)
			require.Empty(t, errs)
			before := notation.Print(program)
			list := slips.Of(program, material(0))
			assert.Greater(t, len(list), 10_000)
			assert.Less(t, len(list), 60_000)
			for k := 0; k < len(list); k += 500 {
				undo := list[k].Apply()
				assert.NotEqual(t, before, notation.Print(program))
				undo()
			}
			assert.Equal(t, before, notation.Print(program))
		})
	}
}

// TestTruthsAndNumbersHaveFunctionsOfTheirOwn: no change asks whether all of some numbers hold, or how far truth values
// spread.
func TestTruthsAndNumbersHaveFunctionsOfTheirOwn(t *testing.T) {
	m := material(0)
	var errs []*notation.Diagnostic
	m.Reference, errs = notation.Parse("r = all(x > 1)\ns = std(x)\n")
	require.Empty(t, errs)
	attempt, errs := notation.Parse("b = x > 2\nr = any(b)\ns = max(x)\nu = x\n")
	require.Empty(t, errs)
	all := 0
	for _, s := range slips.Of(attempt, m) {
		undo := s.Apply()
		text := notation.Print(attempt)
		undo()
		for _, untrue := range []string{"std(b)", "sample_std(b)", "all(x)", "any(x)"} {
			assert.NotContains(t, text, untrue)
		}
		if strings.Contains(text, "all(b)") {
			all++
		}
	}
	assert.Positive(t, all)
}

// TestLongPartsAreNotPutIntoWords: changes of a sum of twice as many terms take twice as much memory, and not four
// times: its parts are not put into words, each of them anew.
func TestLongPartsAreNotPutIntoWords(t *testing.T) {
	m := material(0)
	var errs []*notation.Diagnostic
	m.Reference, errs = notation.Parse("r = sum(x) - 2\n")
	require.Empty(t, errs)
	takes := func(terms int) float64 {
		attempt, errs := notation.Parse("r = 0" + strings.Repeat(" + x[1]", terms) + "\n")
		require.Empty(t, errs)
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		slips.Of(attempt, m)
		runtime.ReadMemStats(&after)
		return float64(after.TotalAlloc - before.TotalAlloc)
	}
	takes(10)
	assert.Less(t, takes(400)/takes(200), 3.0)
}
