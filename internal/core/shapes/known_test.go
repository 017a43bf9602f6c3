package shapes_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/shapes"
)

// What is known of expressions before any run, or the error they must end in. Lengths of
// growth, x and k are open, one for each label.
func TestWhatIsKnownBeforeARun(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"growth", "a real array [week, rope, depth]"},
		{"growth + x", "a real array [week, rope, ?]"},
		{"growth + 1", "a real array [week, rope, depth]"},
		{"growth * x[all, new, new]", "a real array [week, rope, depth]"},
		{"growth[0, all, all]", "a real array [rope, depth]"},
		{"growth[week: 0]", "a real array [rope, depth]"},
		{"growth[week: 0 to 1, depth: last]", "a real array [week=2, rope]"},
		{"growth[new, rest]", "a real array [1, week, rope, depth]"},
		{"growth[rest, new]", "a real array [week, rope, depth, 1]"},
		{"growth[reversed, all, from 1]", "a real array [week, rope, depth]"},
		{"growth[all, except 0, all]", "a real array [week, rope, depth]"},
		{"growth[all, [0, 2, 1], all]", "a real array [week, rope=3, depth]"},
		{"growth[growth > 0]", "a real array [?]"},
		{"growth[paired [0, 1], [1, 0], 0]", "a real array [2]"},
		{"growth > 2", "a bool array [week, rope, depth]"},
		{"-growth", "a real array [week, rope, depth]"},
		{"not m", "a bool array [5]"},
		{"m and m", "a bool array [5]"},
		{"k / 2", "a real array [rope]"},
		{"k div 2", "an int array [rope]"},
		{"k ^ 2", "an int array [rope]"},
		{"k ^ -1", "an array [rope]"},
		{"k + 1.5", "a real array [rope]"},
		{"k + 1i", "a complex array [rope]"},
		{"m + m", "an int array [5]"},
		{"x dot x", "a real scalar"},
		{"a dot b", "shape.inner: `dot`: the inner lengths differ: [3, 3] ends in 3, and [4, 3] brings 4"},
		{"b dot a", "a real array [4, 3]"},
		{"b dot v", "shape.inner: `dot`: the inner lengths differ: [4, 3] ends in 3, and [5] brings 5"},
		{"a dot [1, 2, 3]", "a real array [3]"},
		{"growth dot a", "a real array [week, rope, 3]"},
		{"1 dot a", "shape.inner: `dot` multiplies matrices, and got an int scalar and a real array [3, 3]"},
		{"[1, 2, 3]", "an int array [3]"},
		{"[x, x]", "a real array [2, week]"},
		{"[[1, 2], [3]]", "shape.ragged: the items of a list have one shape; item 1 has the shape [1], the first [2]"},
		{"[]", "a real array [0]"},
		{"0 to 5", "an int array [6]"},
		{"0 before n", "an int array [?]"},
		{"0 to 1 by 0.25", "a real array [?]"},
		{"5 to 1", "an int array [0]"},
		{"sum(growth)", "a real scalar"},
		{"sum(growth over week)", "a real array [rope, depth]"},
		{"sum(growth over [week, depth])", "a real array [rope]"},
		{"sum(growth over week, keep: true)", "a real array [week=1, rope, depth]"},
		{"sum(growth over last)", "a real array [week, rope]"},
		{"sum(growth over (n))", "a value of kind real"},
		{"sum(growth over 7)", "axis.unknown: [week, rope, depth] has no axis 7"},
		{"sum(growth over ropes)", "axis.unknown: [week, rope, depth] has no axis `ropes`"},
		{"sum(m)", "an int scalar"},
		{"sum(k)", "an int scalar"},
		{"sum(z)", "a complex scalar"},
		{"mean(k)", "a real scalar"},
		{"mean(z)", "a complex scalar"},
		{"max(k over rope)", "an int scalar"},
		{"count(growth > 0 over rope)", "an int array [week, depth]"},
		{"any(growth > 0)", "a bool scalar"},
		{"all(m)", "a bool scalar"},
		{"median(k)", "a real scalar"},
		{"extent(k)", "an int scalar"},
		{"std(growth over week)", "a real array [rope, depth]"},
		{"percentile(growth, [25, 50] over week)", "a real array [2, rope, depth]"},
		{"percentile(growth, 50 over week)", "a real array [rope, depth]"},
		{"five_numbers(growth over week)", "a real array [5, rope, depth]"},
		{"norm(a)", "a real scalar"},
		{"norm(a over 0)", "a real array [3]"},
		{"log_sum_exp(x)", "a real scalar"},
		{"min_at(growth over week)", "an int array [rope, depth]"},
		{"max_at(growth)", "an int array [3]"},
		{"counts_between(x, [0, 1, 2])", "an int array [2]"},
		{"positions(m)", "an int array [?]"},
		{"positions(a > 0)", "an int array [?, 2]"},
		{"running_sum(growth along week)", "a real array [week, rope, depth]"},
		{"running_max(k along rope)", "an int array [rope]"},
		{"differences(x)", "a real array [week]"},
		{"differences(v)", "a real array [4]"},
		{"windows(v, 2)", "a real array [4, 2]"},
		{"windows(x, 2)", "a real array [week, 2]"},
		{"totals_by(v, [0, 1, 0, 1, 0], 2)", "a real array [2]"},
		{"sort(v)", "a real array [5]"},
		{"sort_order(v)", "an int array [5]"},
		{"reversed(growth along week)", "a real array [week, rope, depth]"},
		{"rotated(v, 1)", "a real array [5]"},
		{"unique(k)", "an int array [?]"},
		{"unique_counts(k)", "an int array [?]"},
		{"transpose(growth)", "a real array [depth, rope, week]"},
		{"transpose(a)", "a real array [3, 3]"},
		{"transpose(growth, to: [depth, week, rope])", "a real array [depth, week, rope]"},
		{"transpose(growth, to: [2, 0])", "axis.missing: `to:` names 2 of the 3 axes of [week, rope, depth]"},
		{"conjugate_transpose(z)", "a complex array [4]"},
		{"reshape(a, 9)", "a real array [9]"},
		{"reshape(a, [auto, 1])", "a real array [9, 1]"},
		{"reshape(a, [4, auto])", "a real array [4, ?]"},
		{"reshape(x, [auto, 1])", "a real array [?, 1]"},
		{"labelled(a, axes: [week, _])", "a real array [week=3, 3]"},
		{"join(v, v along 0)", "a real array [10]"},
		{"join(x, x along week)", "a real array [week]"},
		{"stack(v, v along 0)", "a real array [2, 5]"},
		{"stack(v, x along 0)", "a real array [2, week=5]"},
		{"repeated(v, 2)", "a real array [10]"},
		{"tiled(a, [2, 3])", "a real array [6, 9]"},
		{"length(growth along week)", "an int scalar"},
		{"length(v)", "an int scalar"},
		{"size(b)", "an int scalar"},
		{"shape(growth)", "an int array [3]"},
		{"axis_count(growth)", "an int scalar"},
		{"zeros(2, 3)", "a real array [2, 3]"},
		{"zeros(n)", "a real array [?]"},
		{"zeros(shape(a))", "a real array [3, 3]"},
		{"ones([2, n])", "a real array [2, ?]"},
		{"identity(3)", "a real array [3, 3]"},
		{"diagonal(v)", "a real array [5, 5]"},
		{"diagonal_of(a)", "a real array [3]"},
		{"upper_part(a)", "a real array [3, 3]"},
		{"inverse(a)", "a real array [3, 3]"},
		{"inverse(b)", "shape.square: `inverse` takes a square matrix, and got an int array [4, 3]"},
		{"det(a)", "a real scalar"},
		{"trace(a)", "a real scalar"},
		{"rank(a)", "an int scalar"},
		{"solve(a, [1, 2, 3])", "a real array [3]"},
		{"solve(a, b)", "a real array [4, 3]"},
		{"least_squares(b, [1, 2, 3, 4])", "a real array [3]"},
		{"pseudo_inverse(b)", "a real array [3, 4]"},
		{"eigenvalues(a)", "an array [3]"},
		{"eigenvectors(a)", "an array [3, 3]"},
		{"singular_values(b)", "a real array [3]"},
		{"mat_power(a, 2)", "a real array [3, 3]"},
		{"outer(v, x)", "a real array [5, ?]"},
		{"cross([1, 2, 3], a)", "a value of kind real"},
		{"kronecker(a, b)", "a value of kind real"},
		{"sqrt(k)", "a real array [rope]"},
		{"sqrt(z)", "a complex array [4]"},
		{"abs(z)", "a real array [4]"},
		{"abs(k)", "an int array [rope]"},
		{"round(x)", "a real array [week]"},
		{"floor(x)", "a real array [week]"},
		{"sin(growth)", "a real array [week, rope, depth]"},
		{"gamma(k)", "a real array [rope]"},
		{"factorial(k)", "an int array [rope]"},
		{"is_nan(growth)", "a bool array [week, rope, depth]"},
		{"real(k)", "a real array [rope]"},
		{"int(x)", "an int array [week]"},
		{"bool(k)", "a bool array [rope]"},
		{"complex(k)", "a complex array [rope]"},
		{"real_part(z)", "a real array [4]"},
		{"pick(m, v, 0)", "a real array [5]"},
		{"pick(m, 1, 2.5)", "a real array [5]"},
		{"pick(growth > 0, growth, 0)", "a real array [week, rope, depth]"},
		{"greater(v, x)", "a real array [week=5]"},
		{"lesser(k, 2)", "an int array [rope]"},
		{"is_in(k, [1, 2])", "a bool array [rope]"},
		{"near(x, x)", "a bool array [week]"},
		{"hypot(x, x)", "a real array [week]"},
		{"atan2(x, 2)", "a real array [week]"},
		{"gcd(k, 4)", "an int array [rope]"},
		{"spaced(0, 1, 5)", "a real array [5]"},
		{"spaced(0, 1, n)", "a real array [?]"},
		{"polynomial(v, x)", "a real array [week]"},
		{"insertion_place([1, 2, 3], x)", "an int array [week]"},
		{"gradient(v)", "a real array [5]"},
		{"sampled(v, 3)", "a real array [3]"},
		{"v + zeros(4)", "shape.broadcast: `+`: the shapes [5] and [4] do not fit: 5 against 4 on the last axis"},
		{"growth + zeros(2, 2, 2, 2)", "a real array [2, week=2, rope=2, depth=2]"},
		{"b + v", "shape.broadcast: `+`: the shapes [4, 3] and [5] do not fit: 3 against 5 on the last axis"},
		{"a[0]", "select.count: a real array [3, 3] has 2 axes, and the selection names 1"},
		{"a[5, 0]", "select.range: the position 5 is outside axis 0, whose length is 3"},
		{"v[m]", "a real array [?]"},
		{"v[[true, false]]", "shape.mask: the mask has 2 truth values, and axis 0 has the length 5"},
		{"v[last]", "a real scalar"},
		{"v[1 to 3]", "a real array [3]"},
		{"v[from 2 by 2]", "a real array [2]"},
		{"v[0 to 9]", "select.range: the end 9 is outside axis 0, whose length is 5"},
		{"v[n]", "a real scalar"},
		{"v[2.5]", "select.kind: the selector of axis 0 is a real scalar"},
		{"join(k, [] along rope)", "an array [rope]"},
		{"join(v, [1.5] along 0)", "a real array [6]"},
		{"flattened(growth)", "a real array [?]"},
		{"flattened(b)", "an int array [12]"},
		{"column_of(v)", "a real array [5, 1]"},
		{"row_of(v)", "a real array [1, 5]"},
		{"column_of(a)", "select.count: `column_of` takes an array of one axis, and got a real array [3, 3]"},
		{"without_ones(zeros(1, 3, 1))", "a real array [3]"},
		{"without_ones(x)", "a value of kind real"},
		{"shuffled(v)", "a real array [5]"},
		{"indices(a)", "axis.missing: `indices` works along one axis, and [3, 3] has 2"},
		{"flat_position([1, 2], [2, 3])", "an int scalar"},
		{"condition(a)", "a real scalar"},
		{"convolved(v, [1.0, 2.0])", "a real array [6]"},
		{"correlation(v, v)", "a real scalar"},
		{"covariance(a, a)", "a real scalar"},
		{"fitted_polynomial(v, v, 2)", "a real array [3]"},
		{"interpolated(v, v, x)", "a real array [5]"},
		{"spacing(x)", "a real array [week]"},
		{"polar(v, v)", "a complex array [5]"},
		{"draw_integers([4], 0, 9)", "an int array [4]"},
		{"draw_uniform([2, n], 0, 1)", "a real array [2, ?]"},
		{"filled([2, 3], 1.5)", "a real array [2, 3]"},
		{"filled([2, n], true)", "a bool array [2, ?]"},
		{"clipped(x, 0, 1)", "a real array [week]"},
		{"truncated(x)", "a real array [week]"},
		{"combinations(5, k)", "an int array [rope]"},
		{"is_bool(m)", "a bool scalar"},
		{"shares(v, v)", "a bool scalar"},
		{"row_of(growth)", "select.count: `row_of` takes an array of one axis, and got a real array [week, rope, depth]"},
		{"lower_part(b)", "an int array [4, 3]"},
		{"indices(growth)", "axis.missing: `indices` works along one axis, and [week, rope, depth] has 3"},
		{"sum(growth over week, only: growth > 0)", "a real array [rope, depth]"},
		{"mean(v, weights: v)", "a real scalar"},
		{"max(growth over week, keep: n > 1)", "a value of kind real"},
		{"sum(x over week)[0]", "select.count: a real scalar has no axes, and the selection names 1"},
		{"median(v over 0, keep: true)", "a real array [1]"},
		{"growth[depth: last, week: reversed]", "a real array [week, rope]"},
		{"growth[week: except 0]", "a real array [week, rope, depth]"},
		{"v[except [0, 2]]", "a real array [?]"},
		{"v[except m]", "a real array [?]"},
		{"a[all, new, 0]", "a real array [3, 1]"},
		{"a[[2, 0], [1, 1, 1]]", "a real array [2, 3]"},
		{"z * 2", "a complex array [4]"},
		{"z > 1", "run.kind: complex numbers have no order; `>` got a complex array [4] and an int scalar"},
		{"k == 2", "a bool array [rope]"},
		{"1 < v < 3", "a bool array [5]"},
		{"v[first + 1]", "a real scalar"},
	} {
		t.Run(c.text, func(t *testing.T) {
			var symbols functions.Symbols
			known := map[string]shapes.Outline{
				"growth": openLengths(&symbols, array.Real, []string{"week", "rope", "depth"}...),
				"x":      openLengths(&symbols, array.Real, []string{"week"}...),
				"k":      openLengths(&symbols, array.Int, []string{"rope"}...),
				"m":      functions.Outlined(array.Bool, []int{5}, nil),
				"a":      functions.Outlined(array.Real, []int{3, 3}, nil),
				"b":      functions.Outlined(array.Int, []int{4, 3}, nil),
				"v":      functions.Outlined(array.Real, []int{5}, nil),
				"z":      functions.Outlined(array.Complex, []int{4}, nil),
				"n":      functions.Outlined(array.Int, nil, nil),
			}
			program, errs := notation.Parse("r = " + c.text)
			require.Empty(t, errs, c.text)
			r := shapes.Of(program, known, 0)
			o := r.Names["r"]
			got := words(&o)
			if len(r.Errors) > 0 {
				got = string(r.Errors[0].Code) + ": " + r.Errors[0].Message
			}
			assert.Equal(t, c.want, got, c.text)
		})
	}
}

// What one expression is made of does not change when another is made of it.
func TestOutlinesDoNotReachEachOther(t *testing.T) {
	var symbols functions.Symbols
	known := map[string]shapes.Outline{"growth": openLengths(&symbols, array.Real, []string{"week", "rope", "depth"}...)}
	program, errs := notation.Parse(`a = growth + 1
b = a * 2
c = join(b, b along rope)
d = sum(b over week)
e = stack(d, d along 0)
f = b[all, 0 to 1, 0]
g = f + growth[all, 0 to 1, 0]
h = transpose(b)
`)
	require.Empty(t, errs)
	r := shapes.Of(program, known, 0)
	require.Empty(t, r.Errors)
	want := map[string]string{
		"growth": "a real array [week, rope, depth]", "a": "a real array [week, rope, depth]",
		"b": "a real array [week, rope, depth]",
		"c": "a real array [week, rope, depth]", "d": "a real array [rope, depth]", "e": "a real array [2, rope, depth]",
		"f": "a real array [week, rope=2]", "g": "a real array [week, rope=2]", "h": "a real array [depth, rope, week]",
	}
	for name, said := range want {
		t.Run(name, func(t *testing.T) {
			o := r.Names[name]
			assert.Equal(t, said, words(&o), name)
		})
	}
	b, c := r.Names["b"], r.Names["c"]
	assert.NotEqual(t, b.Dim(1), c.Dim(1), "two ropes laid end to end are another length")
}

// openLengths is an array whose lengths are not known: axes of one label have one length.
func openLengths(symbols *functions.Symbols, kind array.Kind, labels ...string) shapes.Outline {
	lengths := make([]functions.Dim, len(labels))
	for i, l := range labels {
		lengths[i] = symbols.Named(l)
	}
	return functions.OfDims(kind, lengths, labels)
}

// words says what is known of a value: "a real array [week, rope=3]".
func words(o *shapes.Outline) string {
	switch {
	case !o.KnowsRank() && !o.KnowsKind():
		return "not known before it runs"
	case !o.KnowsRank():
		return "a value of kind " + o.Kind().String()
	case !o.KnowsKind() && o.Rank() == 0:
		return "a scalar"
	}
	return functions.Describe(o)
}
