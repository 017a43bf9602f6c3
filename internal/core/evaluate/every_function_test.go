package evaluate_test

import (
	"testing"

	"nimbusreach/internal/core/codes"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheRestOfTheShelves(t *testing.T) {
	for text, want := range map[string]string{
		// Making and inspecting.
		"x = diagonal([1, 2])":                                                  "int [[1,0],[0,2]]",
		"x = diagonal([1, 2], offset: -1)":                                      "int [[0,0,0],[1,0,0],[0,2,0]]",
		"x = diagonal_of(grid)":                                                 "int [1,5]",
		"x = diagonal_of(grid, offset: 1)":                                      "int [2,6]",
		"x = diagonal_of(grid, offset: 9)":                                      "int [0]",
		"x = flat_position([2, 3], [1, 2])":                                     "int 5",
		"x = flat_position([2, 3], [1, 2], fill: columns)":                      "int 5",
		"x = flat_position([2, 3], [1, 0], fill: columns)":                      "int 1",
		"x = unflat_position([2, 3], 4)":                                        "int [1,1]",
		"x = unflat_position([2, 3], 1, fill: columns)":                         "int [1,0]",
		"x = shape(draw_normal([2, 3]))":                                        "int [2,3]",
		"x = sum(shuffled(v))":                                                  "int 60",
		"x = size(sampled(v, 5, again: true))":                                  "int 5",
		"x = all(is_in(draw_integers([50], 1, 3), [1, 2, 3]))":                  "bool true",
		"a = draw_uniform(4, 0, 1)\nb = draw_uniform(4, 0, 1)\nx = any(a == b)": "bool false",
		"a = v\nview b = a[1 to 2]\nview c = a[0 to 1]\nview d = a[0 to 0]\nx = [shares(a, b), shares(b, c), shares(b, " +
			"d), shares(a, a), shares(a, v)]": "bool [true,true,false,true,false]",
		// Rearranging.
		"x = row_of(v)":                                "int [[10,20,30]]",
		"x = column_of(ropes)":                         "real rope [[100],[200],[300]]",
		"x = without_ones([[[1, 2]]])":                 "int [1,2]",
		"x = join(v, [1, 2])":                          "int [10,20,30,1,2]",
		"x = join(grid, [[7, 8, 9]] along 0)":          "int [[1,2,3],[4,5,6],[7,8,9]]",
		"x = join(grid, [[7], [8]] along last)":        "int [[1,2,3,7],[4,5,6,8]]",
		"x = join(v, [])":                              "int [10,20,30]",
		"x = stack(v, v)":                              "int [[10,20,30],[10,20,30]]",
		"x = stack(v, v along last)":                   "int [[10,10],[20,20],[30,30]]",
		"x = repeated([1, 2], 2)":                      "int [1,1,2,2]",
		"x = repeated(grid, 2 along 1)":                "int [[1,1,2,2,3,3],[4,4,5,5,6,6]]",
		"x = tiled([1, 2], 2)":                         "int [1,2,1,2]",
		"x = tiled([[1, 2]], [2, 2])":                  "int [[1,2,1,2],[1,2,1,2]]",
		"x = tiled([1, 2], [2, 1])":                    "int [[1,2],[1,2]]",
		"x = sort([3, 1, 2])":                          "int [1,2,3]",
		"x = sort([3, nan, 1], descending: true)":      `real [3,1,"nan"]`,
		"x = sort([[3, 1], [2, 4]] along 0)":           "int [[2,1],[3,4]]",
		"x = sort_order([3, 1, 2, 1])":                 "int [1,3,2,0]",
		"x = sort_order([1, 2, 1], descending: true)":  "int [1,0,2]",
		"x = reversed(v)":                              "int [30,20,10]",
		"x = rotated(v, 1)":                            "int [30,10,20]",
		"x = rotated(v, -4)":                           "int [20,30,10]",
		"x = unique([3, 1, 3, 2])":                     "int [1,2,3]",
		"x = unique([true, false, true])":              "bool [false,true]",
		"x = unique_counts([3, 1, 3, 2])":              "int [1,1,2]",
		"x = upper_part([[1, 2], [3, 4]])":             "int [[1,2],[0,4]]",
		"x = lower_part([[1, 2], [3, 4]], offset: -1)": "int [[0,0],[3,0]]",
		// Element by element.
		"x = clipped([1, 5, 9], 2, 6)":   "int [2,5,6]",
		"x = clipped([1.0, nan], 2, 6)":  `real [2,"nan"]`,
		"x = factorial([0, 5, 20])":      "int [1,120,2432902008176640000]",
		"x = combinations(66, 33)":       "int 7219428434016265740",
		"x = combinations(5, [0, 2, 6])": "int [1,10,0]",
		"x = permutations(5, 2)":         "int 20",
		"x = gamma(5)":                   "real 24",
		"x = gcd([12, -18, 0], 6)":       "int [6,6,6]",
		"x = lcm(4, [6, 0])":             "int [12,0]",
		"x = is_in([1, 2, 3], [2, 5])":   "bool [false,true,false]",
		"x = is_in([nan], [nan])":        "bool [false]",
		"x = lambert_w(0)":               "real 0",
		// Reductions.
		"x = percentile([1, 2, 3, 4], 25)":                          "real 1.75",
		"x = percentile([1, 2, 3, 4], [0, 50, 100])":                "real [1,2.5,4]",
		"x = shape(percentile(growth, [10, 90] over [week, rope]))": "int [2,4]",
		"x = five_numbers([5, 1, 2, 3, 4])":                         "real [1,2,3,4,5]",
		"x = five_numbers([[1, 2], [3, 4]] over 1)":                 "real [[1,3],[1.25,3.25],[1.5,3.5],[1.75,3.75],[2,4]]",
		"x = norm([3, 4])":                                          "real 5",
		"x = near(norm([3e200, 4e200]), 5e200, relative: 1e-15)":    "bool true",
		"x = norm([[1, -2], [3, 4]], kind: one)":                    "real 6",
		"x = norm([[1, -2], [3, 4]], kind: infinity)":               "real 7",
		"x = norm([[3, 0], [0, 4]], kind: spectral)":                "real 4",
		"x = norm([3 + 4i])":                                        "real 5",
		"x = min_at([3, 1, 1])":                                     "int 1",
		"x = min_at([3, nan, 1, nan])":                              "int 1",
		"x = max_at([3, 4, nan, 5, nan])":                           "int 2",
		"x = max_at(grid over 1)":                                   "int [2,2]",
		"x = max_at(grid)":                                          "int [1,2]",
		"x = max_at(grid, only: grid < 5)":                          "int [1,0]",
		"x = counts_between([1, 2, 2, 5, 4], [0, 2, 4])":            "int [1,3]",
		"x = positions(v > 15)":                                     "int [1,2]",
		"x = positions(grid > 4)":                                   "int [[1,1],[1,2]]",
		"x = round(log_sum_exp([1000, 1000]) - 1000, digits: 10)":   "real 0.6931471806",
		"x = extent(grid over 1)":                                   "int [2,2]",
		// Working through.
		"x = running_sum(grid along 1)":             "int [[1,3,6],[4,9,15]]",
		"x = running_product([1, 2, 3])":            "int [1,2,6]",
		"x = running_min([3, 1, 2])":                "int [3,1,1]",
		"x = running_max([1.0, nan, 2])":            `real [1,"nan","nan"]`,
		"x = running_sum([1e100, 1.0, -1e100])":     "real [1e+100,1e+100,1]",
		"x = differences([1, 4, 9])":                "int [3,5]",
		"x = differences([7])":                      "int [0]",
		"x = windows([1, 2, 3, 4], 3)":              "int [[1,2,3],[2,3,4]]",
		"x = shape(windows(growth, 2 along rope))":  "int [2,2,4,2]",
		"x = totals_by([1, 2, 3], [0, 1, 0], 3)":    "int [4,2,0]",
		"x = totals_by(grid, [1, 1, 0], 2 along 1)": "int [[3,3],[6,9]]",
		// Matrix algebra.
		"x = det([[1, 2], [3, 4]])":                                           "real -2",
		"x = round(inverse([[2, 1], [1, 1]]))":                                "real [[1,-1],[-1,2]]",
		"x = solve([[2, 0], [0, 4]], [2, 4])":                                 "real [1,1]",
		"x = solve([[2, 0], [0, 4i]], [2, 4])":                                "complex [[1,0],[0,-1]]",
		"x = trace([[1, 2], [3, 4]])":                                         "int 5",
		"x = rank([[1, 2], [2, 4]])":                                          "int 1",
		"x = mat_power([[1, 1], [1, 0]], 10)":                                 "int [[89,55],[55,34]]",
		"x = mat_power([[2.0, 0], [0, 4]], -1)":                               "real [[0.5,0],[0,0.25]]",
		"x = mat_power([[1, 0], [0, 1]], 1000000000000000)":                   "int [[1,0],[0,1]]",
		"x = outer([1, 2], [3, 4])":                                           "int [[3,4],[6,8]]",
		"x = cross([1, 0, 0], [0, 1, 0])":                                     "int [0,0,1]",
		"x = kronecker([[1, 2]], [[1], [1]])":                                 "int [[1,2],[1,2]]",
		"x = conjugate_transpose([[1i, 2]])":                                  "complex [[[0,-1]],[[2,-0]]]",
		"x = round(eigenvalues([[2, 1], [1, 2]]), digits: 12)":                "real [1,3]",
		"x = is_complex(eigenvalues([[0, -1], [1, 0]]))":                      "bool true",
		"x = near(eigenvalues([[0, -1], [1, 0]]), [-1i, 1i])":                 "bool [true,true]",
		"x = near(eigenvalues([[2, 1i], [-1i, 2]]), [1, 3], absolute: 1e-12)": "bool [true,true]",
		"A = [[1 + 1i, 2, 0], [0.5, 3i, 1], [2, 1, 1]]\nk = eigenvalues(A)\nV = eigenvectors(A)\nx = all(near(A dot V, V " +
			"* k, absolute: 1e-9))": "bool true",
		"A = [[4, 1, 0], [1, 3, 1], [0, 1, 2]]\nk = eigenvalues(A)\nV = eigenvectors(A)\nx = all(near(A dot V, V * k, " +
			"absolute: 1e-9))": "bool true",
		"A = [[2, 1i], [-1i, 5]]\nk = eigenvalues(A)\nV = eigenvectors(A)\nx = all(near(A dot V, V * k, absolute: " +
			"1e-9))": "bool true",
		"A = [[1, 2], [3, 4], [5, 6]]\nx = all(near(pseudo_inverse(A) dot A, identity(2), absolute: " +
			"1e-9))": "bool true",
		"A = [[1, 2i], [3, 4], [5i, 6]]\nx = all(near(pseudo_inverse(A) dot A, identity(2), absolute: " +
			"1e-9))": "bool true",
		"x = round(singular_values([[3, 0], [0, 4]]), digits: " +
			"12)": "real [4,3]",
		"x = round(condition([[1, 0], [0, 4]]), digits: " +
			"12)": "real 4",
		"x = round(least_squares([[1, 0], [1, 1], [1, 2]], [1, 3, 5]), digits: " +
			"9)": "real [1,2]",
		// Further functions.
		"x = interpolated([1.5, 4], [1, 2, 4], [10, 20, 40])":                         "real [15,40]",
		"x = 0 + round(fitted_polynomial([0, 1, 2, 3], [1, 2, 5, 10], 2), digits: 9)": "real [1,0,1]",
		"x = polynomial([1, 0, 2], [0, 1, 2])":                                        "int [1,3,9]",
		"x = polynomial([], [1, 2])":                                                  "real [0,0]",
		"x = trapezoid([0, 1, 4], [0, 1, 2])":                                         "real 3",
		"x = gradient([1, 4, 9, 16])":                                                 "real [3,4,6,7]",
		"x = convolved([1, 2], [1, 1, 1])":                                            "int [1,3,3,2]",
		"x = covariance([1, 2, 3], [2, 4, 6])":                                        "real 1.3333333333333333",
		"x = covariance([1, 2, 3], [2, 4, 6], sample: true)":                          "real 2",
		"x = shape(covariance(growth[0, all, all] along rope))":                       "int [4,4]",
		"x = correlation([1, 2, 3], [2, 4, 6])":                                       "real 1",
		"x = insertion_place([10, 20, 30], [5, 20, 25, 99])":                          "int [0,1,2,3]",
		"x = abs(polar(2, pi / 3))":                                                   "real 2",
		"x = spacing(1)":                                                              "real 2.220446049250313e-16",
		"x = normal_cdf([-inf, inf])":                                                 "real [0,1]",
		"x = beta(inf, 2)":                                                            "real 0",
		"x = near(1e-13, 0)":                                                          "bool true",
		"x = near(1e-13, 0, relative: 1e-9)":                                          "bool false",
		"x = near(1.0, 1.0000001, absolute: 1e-9)":                                    "bool false",
		"x = is_complex(lambert_w(complex(-1)))":                                      "bool true",
		"x = normal_cdf(0)":                                                           "real 0.5",
		"x = round(inverse_erf(erf(0.3)), digits: 12)":                                "real 0.3",
	} {
		t.Run(text, func(t *testing.T) {
			assert.Equal(t, want, value(t, text), text)
		})
	}
}

func TestErrorsOfTheShelves(t *testing.T) {
	for text, code := range map[string]string{
		"x = factorial(21)":                              "run.overflow",
		"x = factorial(-1)":                              "run.domain",
		"x = combinations(-1, 2)":                        "run.domain",
		"x = combinations(70, 35)":                       "run.overflow",
		"x = clipped(1, 3, 2)":                           "run.value",
		"x = percentile([1], 101)":                       "run.value",
		"x = percentile([], 50)":                         "run.empty",
		"x = max_at(growth over [week, rope])":           "text.call",
		"x = sort(grid)":                                 "axis.missing",
		"x = sort([1i])":                                 "run.kind",
		"x = join(grid, v along 0)":                      "shape.join",
		"x = stack(v, [1])":                              "shape.join",
		"x = inverse([[1, 2], [2, 4]])":                  "run.singular",
		"x = inverse([[1, 2, 3], [4, 5, 6], [7, 8, 9]])": "run.singular",
		"x = inverse(grid)":                              "shape.square",
		"x = solve([[1, 2], [3, 4]], [1, 2, 3])":         "shape.inner",
		"x = solve([[1i, 1i], [1, 1]], [1, 2])":          "run.singular",
		"x = mat_power([[2]], 64)":                       "run.overflow",
		"x = sampled(v, 4)":                              "run.value",
		"x = windows(v, 0)":                              "run.value",
		"x = totals_by(v, [0, 1, 5], 2)":                 "select.range",
		"x = totals_by(v, [0, 1], 2)":                    "shape.join",
		"x = interpolated(1, [2, 1], [0, 0])":            "run.value",
		"x = counts_between(v, [3, 1])":                  "run.value",
		"x = flat_position([2, 3], [2, 0])":              "select.range",
		"x = unflat_position([2, 3], 6)":                 "select.range",
		"x = positions(v)":                               "run.kind",
		"x = running_product([4611686018427387904, 2])":  "run.overflow",
		"x = det(identity(5000))":                        "run.limit",
		"x = repeated(v, 1000000000000)":                 "run.limit",
		"x = tiled(v, 1000000000000)":                    "run.limit",
		"x = repeated(v, -1)":                            "run.value",
		"x = covariance(grid)":                           "axis.missing",
		"x = cross([1, 2], [3, 4])":                      "shape.inner",
		"x = convolved([], v)":                           "run.empty",
		"x = fitted_polynomial([1, 1], [1, 2], 1)":       "run.singular",
		"x = inverse([[nan]])":                           "run.value",
	} {
		t.Run(text, func(t *testing.T) {
			_, d := run(t, text, 0)
			require.NotNil(t, d, text)
			assert.Equal(t, codes.Code(code), d.Code, "%s: %s", text, d.Message)
			assert.NotEmpty(t, d.Hint)
		})
	}
}

func TestNoticesOfTheShelves(t *testing.T) {
	for text, code := range map[string]string{
		"x = gamma(0)":                                 "notice.nan",
		"x = log_gamma(0)":                             "notice.infinite",
		"x = lambert_w(-1)":                            "notice.nan",
		"x = atanh(1)":                                 "notice.infinite",
		"x = inverse_erf(1)":                           "notice.infinite",
		"x = interpolated(9, [1, 2], [1, 2])":          "notice.nan",
		"x = windows([1, 2], 5)":                       "notice.empty",
		"x = sort([nan, 1])":                           "notice.nan",
		"x = inverse([[1, 1], [1, 1.00000000000001]])": "notice.condition",
	} {
		t.Run(text, func(t *testing.T) {
			r, d := run(t, text, 0)
			require.Nil(t, d, text)
			require.NotEmpty(t, r.Notices, text)
			assert.Equal(t, codes.Code(code), r.Notices[0].Code, text)
		})
	}
}

func TestDrawsRepeat(t *testing.T) {
	a, _ := run(t, "x = draw_normal([3])\ny = draw_normal([3])", 0)
	b, _ := run(t, "x = draw_normal([3])\ny = draw_normal([3])", 0)
	assert.Equal(t, short(a.Value("x")), short(b.Value("x")))
	assert.NotEqual(t, short(a.Value("x")), short(a.Value("y")), "each draw call has a substream of its own")
}
