package lineage_test

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
)

var options = evaluate.Options{Limits: evaluate.CheckLimits, Draw: functions.DrawKey{Seed: 3}}

// ready parses a program and checks it against inputs.
func ready(t testing.TB, text string, inputs map[string]*array.Array) *notation.Program {
	t.Helper()
	p, errs := notation.Parse(text)
	require.Empty(t, errs, text)
	names := slices.Collect(maps.Keys(inputs))
	require.Empty(t, evaluate.Check(p, names), text)
	return p
}

func bits(a *array.Array) string {
	if a == nil {
		return "none"
	}
	text, _ := json.Marshal(dataio.JSON{Array: a})
	return string(text)
}

// inputs for the programs below: small, with different lengths, and no two values alike.
func inputsOf(r *rand.Rand) map[string]*array.Array {
	reals := func(shape ...int) *array.Array {
		a := array.New(array.Real, shape)
		for i := range a.Reals() {
			a.Reals()[i] = 1 + 4*r.Float64()
		}
		return a
	}
	ints := func(high int64, shape ...int) *array.Array {
		a := array.New(array.Int, shape)
		for i := range a.Ints() {
			a.Ints()[i] = r.Int64N(high)
		}
		return a
	}
	mask := array.New(array.Bool, []int{4})
	for i := range mask.Bools() {
		mask.Bools()[i] = r.IntN(2) == 0
	}
	return map[string]*array.Array{
		"v": reals(4), "w": reals(3), "grid": reals(3, 4).WithLabels([]string{"week", "rope"}),
		"growth": reals(2, 3, 4).WithLabels([]string{"week", "rope", "depth"}), "A": reals(3, 3), "B": reals(3, 3),
		"n": ints(3, 5), "p": ints(4).Reshape(nil), "q": ints(3).Reshape(nil), "mask": mask, "s": reals().Reshape(nil),
		"C": reals(3, 2), "whole": ints(9, 4),
	}
}

// changed gives an input another value in one cell, of its kind.
func changed(r *rand.Rand, inputs map[string]*array.Array, name string, cell int) map[string]*array.Array {
	out := map[string]*array.Array{}
	for k, a := range inputs {
		out[k] = a
	}
	a := inputs[name].Copy()
	switch a.Kind() {
	case array.Bool:
		a.Bools()[cell] = !a.Bools()[cell]
	case array.Int:
		high := map[string]int64{"n": 3, "p": 4, "q": 3, "whole": 9}[name]
		a.Ints()[cell] = (a.Ints()[cell] + 1 + r.Int64N(high-1)) % high
	default:
		a.Reals()[cell] = 1 + 4*r.Float64()
	}
	out[name] = a
	return out
}

// runs reports whether a program runs to its end.
func runs(t *testing.T, text string, inputs map[string]*array.Array) bool {
	return evaluate.Run(context.Background(), ready(t, text, inputs), inputs, options).Error == nil
}

// held holds a program's lineage against what happens: what is traced is what a plain run makes; a change of a cell
// that is in no lineage changes nothing; where smooth is asked, a change of a cell that is a value does.
func held(t *testing.T, text string, smooth bool, changes int) {
	t.Helper()
	r := rand.New(rand.NewPCG(5, uint64(len(text))))
	inputs := inputsOf(r)
	p := ready(t, text, inputs)
	plain := evaluate.Run(context.Background(), p, inputs, options)
	if plain.Error != nil && changes < 3 {
		t.Skip("it does not run on these data")
	}
	require.Nil(t, plain.Error, "%s: %v", text, plain.Error)
	run, err := lineage.Trace(context.Background(), p, inputs, options)
	require.NoError(t, err, text)
	names := slices.Sorted(maps.Keys(plain.Values()))
	require.NotEmpty(t, names)
	for _, name := range names {
		require.Equal(t, bits(plain.Value(name)), bits(run.Result.Value(name)), "%s: traced and plain", text)
	}
	for input, a := range inputs {
		for cell := range a.Size() {
			for range changes {
				other := evaluate.Run(context.Background(), p, changed(r, inputs, input, cell), options)
				if other.Error != nil {
					continue
				}
				for _, name := range names {
					before, after := plain.Value(name), other.Value(name)
					if after == nil || !slices.Equal(before.Shape(), after.Shape()) {
						continue // shapes are no part of it
					}
					for k := range before.Size() {
						origin, ok := run.Of(name, k)
						require.True(t, ok)
						var in lineage.Relation
						if cells := origin.Inputs[input]; cells != nil {
							in = cells[cell]
						}
						same := bits(before.Element(k)) == bits(after.Element(k))
						if in == 0 {
							require.True(t, same, "%s\n%s[%d] changed with %s[%d], which is not in its lineage", text, name, k, input, cell)
						} else if smooth && in&lineage.Value != 0 && a.Kind() == array.Real {
							require.False(t, same, "%s\n%s[%d] did not change with %s[%d], a value of it", text, name, k, input, cell)
						}
						forward, _ := run.From(input, cell)
						var forth lineage.Relation
						if forward[name] != nil {
							forth = forward[name][k]
						}
						require.Equal(t, in, forth, "%s\n%s[%d] and %s[%d], back and forth", text, name, k, input, cell)
					}
				}
			}
		}
	}
}

// smoothPrograms change with every value that they were made of.
var smoothPrograms = []string{
	"x = v + s", "x = grid * v", "x = grid - w[all, new]", "x = -v ^ 2 / s", "x = A dot B", "x = A dot w",
	"x = w dot A", "x = w dot w", "x = growth dot [[1, 2], [3, 4], [5, 6], [7, 8]]", "x = [v, v * 2]",
	"x = [s, 2, v[1]]", "x = sum(grid)", "x = mean(growth over [week, depth])",
	"x = sum(growth over rope, keep: true)", "x = sum(grid over 1, only: grid > 3)", "x = sum(grid, only: mask)",
	"x = mean(grid over rope, weights: v)", "x = std(v)", "x = sample_var(grid over week)",
	"x = running_sum(grid along rope)", "x = running_product(grid along 0)", "x = differences(grid along rope)",
	"x = gradient(v)", "x = gradient(grid along week, spacing: s)", "x = transpose(grid)",
	"x = reshape(grid, [2, auto])", "x = reshape(grid, [6, 2], fill: columns)", "x = flattened(grid, fill: columns)",
	"x = transpose(growth, to: [depth, week, rope])", "x = row_of(v)", "x = column_of(v)", "x = join(v, w)",
	"x = join(grid, grid * 2 along week)", "x = stack(v, v ^ 2 along last)", "x = repeated(grid, 2 along rope)",
	"x = tiled(v, 3)", "x = reversed(grid along rope)", "x = rotated(v, 1)", "x = upper_part(A)",
	"x = lower_part(A, offset: -1)", "x = diagonal(v, offset: 1)", "x = diagonal_of(A)", "x = trace(A)",
	"x = outer(v, w)", "x = kronecker(A, B)", "x = cross(w, w * [1, 2, 3])", "x = det(A)", "x = inverse(A)",
	"x = solve(A, w)", "x = solve(A, C)", "x = convolved(v, w)", "x = covariance(v, v ^ 2)",
	"x = covariance(grid along week)", "x = windows(v, 2)", "x = trapezoid(v, running_sum(v))",
	"x = spaced(s, s * 3, 5)", "x = filled([2, 2], s)", "x = norm(v)", "x = norm(grid over rope)", "x = product(v)",
	"x = log_sum_exp(grid over 0)", "x = growth[0, all, last]", "x = growth[rest, 1 to 2]",
	"x = growth[depth: 1, week: reversed]", "x = grid[[2, 0], all]", "x = grid[all, except 1]", "x = v[by 2]",
	"x = grid[new, 1, all]", "x = grid[paired [0, 1, 2], [3, 0, 1]]", "x = v * 1\nx[1 to 2] = w[0 to 1]",
	"x = grid * 1\nx[0, all] = v", "x = v * 1\nx[2] += s", "x = v * 1\nx -= s",
	"x = v * 1\nview y = x[1 to 3]\ny[0] = s", "y = grid * 1\nview x = y[all, 2]\ny[1, all] *= s",
	"x = 0\neach row in grid { x += row }", "total = 0\neach a, b in w, w * 2 { total = total + a * b }",
	"x = zeros(4)\neach k in 0 to 3 { x[k] = sum(v[to k]) }", "function twice(a) = a * 2\nx = twice(v) + twice(s)",
	"function power(a, k) {\n  if k == 0 { return a * 0 + 1 }\n  return a * power(a, k - 1)\n}\nx = power(v, 3)",
	"x = v * 1\nx = x * x\nx = x + sum(x)", "x = draw_uniform([2, 2], 0, 1) * s", "x = complex(v, v * 2)",
	"x = polar(v, s)", "x = hypot(v, s)", "x = log(v, base: s)", "x = atan2(v, s)", "x = exp(v) + sin(grid)",
}

// Other programs: their lineage holds all that can change them.
var otherPrograms = []string{
	"x = max(grid over rope)", "x = median(v)", "x = percentile(grid, 10 * s over week)",
	"x = percentile(v, [25, 50])", "x = five_numbers(grid over rope)", "x = min_at(grid over week)",
	"x = max_at(grid)", "x = any(grid > 3 over rope)", "x = count(mask)", "x = counts_between(v, [1, 2, s + 3])",
	"x = positions(mask)", "x = positions(grid > 3)", "x = sort(v)", "x = sort(grid along week, descending: true)",
	"x = sort_order(grid along rope)", "x = unique(n)", "x = unique_counts(n)",
	"x = totals_by([1, 2, 3, 4, 5] * s, n, 3)", "x = totals_by(grid[all, [0, 1, 2, 3, 0]], n, 3 along 1)",
	"x = pick(mask, v, s)", "x = pick(grid > 3, grid, v)", "x = clipped(v, 2, s + 1)", "x = lesser(v, s)",
	"x = is_in(n, [0, 2])", "x = near(v, s, absolute: s)", "x = round(v, digits: 1)", "x = floor(grid)",
	"x = interpolated(w, [1, 2, 3, 6], v)", "x = insertion_place(sort(v), w)", "x = polynomial(w, v)",
	"x = fitted_polynomial([0, 1, 2, 3], v, 1)", "x = eigenvalues(A + transpose(A))", "x = singular_values(A)",
	"x = rank(A)", "x = condition(A)", "x = pseudo_inverse(C)", "x = least_squares(C, w)", "x = mat_power(A, 2)",
	"x = correlation(v, v ^ 2)", "x = correlation(grid along week)", "x = shuffled(v)", "x = sampled(v, 2)",
	"x = v[p]", "x = grid[q, all]", "x = grid[all, p]", "x = grid[n[0 to 2], all]", "x = v[mask]",
	"x = grid[all, mask]", "x = grid[grid > 3]", "x = v[except p]", "x = v[from q]", "x = v[q to q + 1]",
	"x = grid[paired [0, 1], [p, p]]", "x = grid[paired n[0 to 1], 1]", "x = rotated(v, p)",
	"x = diagonal_of(A, offset: q - 1)", "x = (p to 9)[0 to 2]", "x = v * 1\nx[p] = s", "x = v * 1\nx[mask] = s",
	"x = v * 1\nx[mask] = v[mask] * 2", "x = grid * 1\nx[grid > 3] = 0",
	"x = grid * 1\nx[grid > 3] = flattened(grid)[to count(grid > 3) - 1]", "x = grid * 1\nx[n[0] to 2, all] = s",
	"x = v * 1\nif p > 1 { x[0] = s } else { y = 3 }\nz = x", "x = 0\nif s > 2 { x = v } else { x = v * 2 }",
	"x = s\nrepeat up to 8 until x > 9 { x = x * 1.5 }", "x = 0\nrepeat up to p until false { x += s }",
	"function f(a) {\n  if a > 3 { return 1 }\n  return a\n}\nx = f(s)",
	"function f(a, b) {\n  each i in b { if i > a { return i } }\n  return a\n}\nx = f(s, v)",
	"function f(a) {\n  repeat up to 4 until a > 3 { a = a + 1\n if a > 5 { return 0 } }\n  return 7\n}\nx = f(s)",
	"view y = grid[q to 2, all]\nx = grid * 1", "x = grid * 1\nview y = x[q, all]\ny[rest] = 0",
	"x = transpose(grid, to: [(q mod 2), (1 - q mod 2)])", "x = sum(growth over (q))",
	"x = sort(v, descending: p > 1)", "x = shape(grid)", "x = length(v) + s * 0", "x = indices(grid along rope)",
	"x = size(grid)", "x = draw_uniform(3, 0, s)", "x = draw_normal(3, mean: s, std: 1)",
	"x = draw_integers(3, 0, p + 1)", "x = 1 < v <= 3", "x = not mask", "x = mask and v > 2",
	"x = whole div 2 + whole mod 3", "x = gcd(whole, 6)", "x = is_nan(v)", "x = unflat_position([3, 4], p)",
	"x = flat_position([3, 4], [q, p])", "x = labelled(v, axes: [rope])", "x = without_ones(v[new, all])",
	"x = bool(n)", "x = norm(A, kind: one)", "x = norm(A, kind: spectral)", "x = conjugate_transpose(A * 1i)",
	"x = sum(grid over 0, only: mask)", "x = real(whole)\neach i in 0 to 2 { x[i + 1] = x[i] + x[i + 1] }",
	"x = [[s, 1], [2, s]] dot [1, s]", "x = inf * s", "x = shares(v, v)",
	"x = v * 1\nif p > 1 { y = 2 } else { x[0] = s }", "x = v * 1\nif p < 2 { y = 2 } else { x[0] = s }",
	"x = v * 1\nx[0 to p] = 7.5", "x = v * 1\nx[from p] = 7.5",
}

func TestLineageHolds(t *testing.T) {
	for _, text := range smoothPrograms {
		t.Run(text, func(t *testing.T) { held(t, text, true, 3) })
	}
	for _, text := range otherPrograms {
		t.Run(text, func(t *testing.T) { held(t, text, false, 3) })
	}
}

// grown are forms of expressions by what they give: V for four reals, G for three by four, S for one, M for four
// truths.
var grown = map[byte][]string{
	'V': {
		"v", "real(whole)", "(V + S)", "(V * V)", "pick(M, V, V)", "running_sum(V)", "sort(V)", "reversed(V)",
		"rotated(V, p)", "G[q, all]", "sum(G over 0)", "max(G over 0)", "V[sort_order(V)]", "abs(V)",
		"clipped(V, S, S + 2)", "greater(V, S)", "G[paired n[0 to 3], [0, 1, 2, 3]]", "(w dot G)",
		"mean(G over 0, only: M)", "join(V[2 to 3], V[except [1, 3]])", "flattened(G)[by 3]", "windows(V, 1)[all, 0]",
		"convolved(V, [S])", "gradient(V)",
	},
	'G': {
		"grid", "(G + V)", "(G * G)", "(G - w[all, new])", "transpose(transpose(G))", "sort(G along 1)",
		"G[[2, 0, 1], all]", "(A dot G)", "G[all, [p, 0, 2, 1]]", "stack(V, V, V)", "outer(w, V)",
		"running_max(G along 0)", "reshape(G, [3, auto])", "upper_part(G)", "pick(M, G, S)", "tiled(V, [3, 1])",
		"growth[0, all, all]",
	},
	'S': {
		"s", "2.5", "sum(V)", "mean(G)", "V[p]", "V[last]", "min(V)", "(w dot w)", "norm(V)", "real(count(M))",
		"(S / 2)", "median(V)", "G[q, p]", "det(A)", "trapezoid(V, running_sum(V))",
	},
	'M': {
		"mask", "(V > S)", "not M", "(M and M)", "(1 < V < 4)", "any(G > S over 0)", "is_in(whole, n)",
	},
}

// grow writes out a random form.
func grow(r *rand.Rand, of byte, depth int) string {
	forms := grown[of]
	if depth == 0 {
		forms = forms[:1]
	}
	var b strings.Builder
	for _, c := range []byte(forms[r.IntN(len(forms))]) {
		if grown[c] != nil && c != 'A' {
			b.WriteString(grow(r, c, depth-1))
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}

// Random programs hold too: expressions within each other, and the statements that keep, overwrite and choose.
func TestLineageHoldsOfRandomPrograms(t *testing.T) {
	r := rand.New(rand.NewPCG(19, 4))
	statements := []string{
		"x[mask] = S", "x[p] = S", "x[M] = x[M] * 2", "x[q to 3] += S", "x *= V", "if S > 3 { x = V } else { x[0] = S }",
		"each row in G { x = x + row }", "view y = x[1 to 2]\ny[rest] = S",
		"repeat up to 3 until sum(x) > S { x = x * 1.5 }", "each a, b in V, V { x[q] = a + b }", "x = twice(x)", "x = V",
	}
	ran := 0
	for i := range 160 {
		text := "function twice(a) {\n  if sum(a) > 9 { return a }\n  return a * 2\n}\nx = real(" + grow(r, 'V', 3) + ")\n"
		for range 1 + r.IntN(3) {
			form := statements[r.IntN(len(statements))]
			var b strings.Builder
			for k, c := range []byte(form) {
				if grown[c] != nil && (k == 0 || form[k-1] != 'x') {
					b.WriteString(grow(r, c, 1+r.IntN(2)))
				} else {
					b.WriteByte(c)
				}
			}
			text += b.String() + "\n"
		}
		inputs := inputsOf(r)
		if !runs(t, text, inputs) {
			continue // an empty selection, or two ends in the wrong order
		}
		ran++
		t.Run(fmt.Sprint(i), func(t *testing.T) { held(t, text, false, 1) })
	}
	require.Greater(t, ran, 80)
}

// Every function of the table is held: in one of the programs above, or here, each element by itself, of reals or ints.
func TestEveryFunctionIsTraced(t *testing.T) {
	all := strings.Join(append(slices.Clone(smoothPrograms), otherPrograms...), "\n")
	inputs := inputsOf(rand.New(rand.NewPCG(1, 2)))
	for _, name := range functions.Names() {
		if strings.Contains(all, name+"(") {
			continue
		}
		f := functions.Lookup(name)
		if f.Topic != functions.Elementwise && f.Min != 1 {
			t.Errorf("no program calls `%s`", name)
		}
		ran := false
		for _, arguments := range [][]string{{"v / 10", "s / 10", "s"}, {"whole", "n[0]", "n[1]"},
			{"A + transpose(A)"}, {"n[0]"}} {
			text := "x = " + name + "(" + strings.Join(arguments[:min(max(f.Min, 1), len(arguments))], ", ") + ")"
			if len(arguments) >= f.Min && runs(t, text, inputs) {
				ran = true
				t.Run(text, func(t *testing.T) { held(t, text, false, 2) })
			}
		}
		require.True(t, ran, name)
	}
}
