package evaluate_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/functions"
)

// TestLabelsThroughOperations goes through every rule on labels: where they stay,
// go, follow and merge. growth is [week=2, rope=3, depth=4], ropes [rope=3], grid
// and v carry none.
func TestLabelsThroughOperations(t *testing.T) {
	for text, want := range map[string]string{
		// A dropped position's label goes; ranges, masks and positions keep theirs.
		"growth[0, all, all]":                   "[rope=3, depth=4]",
		"growth[all, 1 to 2, all]":              "[week=2, rope=2, depth=4]",
		"growth[all, [0, 0], all]":              "[week=2, rope=2, depth=4]",
		"growth[all, [true, false, true], all]": "[week=2, rope=2, depth=4]",
		"growth[all, except 0, all]":            "[week=2, rope=2, depth=4]",
		"growth[reversed, rest]":                "[week=2, rope=3, depth=4]",
		"growth[depth: 1 to 2, week: 0]":        "[rope=3, depth=2]",
		"growth[new, rest]":                     "[1, week=2, rope=3, depth=4]",
		"growth[growth > 20]":                   "[3]",
		"growth[paired [0, 1], [0, 2], all]":    "[2, depth=4]",
		"growth[0, rest][all, 0]":               "[rope=3]",
		// Reductions take the reduced labels away, or keep them with length 1.
		"sum(growth over week)":                                  "[rope=3, depth=4]",
		"sum(growth over [week, depth])":                         "[rope=3]",
		"sum(growth over rope, keep: true)":                      "[week=2, rope=1, depth=4]",
		"sum(growth)":                                            "[]",
		"max_at(growth over depth)":                              "[week=2, rope=3]",
		"max_at(growth)":                                         "[3]",
		"percentile(growth, [25, 75] over week)":                 "[2, rope=3, depth=4]",
		"five_numbers(growth over [week, depth])":                "[5, rope=3]",
		"counts_between(growth, [0, 10, 30] over [week, depth])": "[2, rope=3]",
		// Working through an axis keeps every label.
		"running_sum(growth along week)":  "[week=2, rope=3, depth=4]",
		"differences(growth along depth)": "[week=2, rope=3, depth=3]",
		"windows(growth, 2 along rope)":   "[week=2, rope=2, depth=4, 2]",
		"sort(growth along rope)":         "[week=2, rope=3, depth=4]",
		"totals_by(ropes, [0, 1, 0], 2)":  "[rope=2]",
		"rotated(growth, 1 along week)":   "[week=2, rope=3, depth=4]",
		// Rearranging.
		"transpose(growth)":                      "[depth=4, rope=3, week=2]",
		"transpose(growth, to: [rope, last, 0])": "[rope=3, depth=4, week=2]",
		"reshape(growth, [6, auto])":             "[6, 4]",
		"flattened(growth)":                      "[24]",
		"column_of(ropes)":                       "[rope=3, 1]",
		"row_of(ropes)":                          "[1, rope=3]",
		"without_ones(growth[0 to 0, rest])":     "[rope=3, depth=4]",
		"stack(ropes, ropes)":                    "[2, rope=3]",
		"stack(ropes, v along last)":             "[rope=3, 2]",
		"[ropes, ropes]":                         "[2, rope=3]",
		"[ropes, v]":                             "[2, rope=3]",
		"join(ropes, v)":                         "[rope=6]",
		"repeated(ropes, 2)":                     "[rope=6]",
		"tiled(ropes, [2, 2])":                   "[2, rope=6]",
		"unique(ropes)":                          "[3]",
		"labelled(growth, axes: [_, _, x])":      "[2, 3, x=4]",
		// Broadcasting merges: equal or one-sided labels stay, different ones go.
		"growth + 1":                        "[week=2, rope=3, depth=4]",
		"growth * ropes[all, new]":          "[week=2, rope=3, depth=4]",
		"ropes + v":                         "[rope=3]",
		"ropes + labelled(v, axes: [week])": "[3]",
		"grid * ropes":                      "[2, rope=3]",
		"ropes > 150":                       "[rope=3]",
		"pick(ropes > 150, ropes, 0)":       "[rope=3]",
		"clipped(ropes, 0, 200)":            "[rope=3]",
		"sqrt(ropes)":                       "[rope=3]",
		"-ropes":                            "[rope=3]",
		"not (ropes > 150)":                 "[rope=3]",
		"hypot(ropes, v)":                   "[rope=3]",
		// Products keep the outer labels.
		"growth dot ones(4)":                                     "[week=2, rope=3]",
		"growth dot ones(4, 5)":                                  "[week=2, rope=3, 5]",
		"ropes dot growth[0, all, all]":                          "[depth=4]",
		"growth[0, all, all] dot transpose(growth[0, all, all])": "[rope=3, rope=3]",
		"outer(ropes, labelled(v, axes: [week]))":                "[rope=3, week=3]",
		"conjugate_transpose(growth[0, all, all])":               "[depth=4, rope=3]",
		// What functions make carries none.
		"zeros(2, 3)":                "[2, 3]",
		"shape(growth)":              "[3]",
		"indices(growth along rope)": "[3]",
		"positions(ropes > 150)":     "[2]",
		"0 to 3":                     "[4]",
	} {
		t.Run(text, func(t *testing.T) {
			r, d := run(t, "x = "+text, 0)
			require.Nil(t, d, text)
			assert.Equal(t, want, functions.ShapeOf(r.Value("x")).String(), text)
		})
	}
}

// TestLabelClashesAreToldAndNothingElse looks for notices where labels meet.
func TestLabelClashesAreToldAndNothingElse(t *testing.T) {
	for text, told := range map[string]bool{
		"ropes + labelled(v, axes: [week])":                       true,
		"ropes * labelled([5], axes: [week])":                     true,
		"[ropes, labelled(v, axes: [week])]":                      true,
		"join(ropes, labelled(v, axes: [week]))":                  true,
		"growth[0, all, all] dot labelled(ones(4), axes: [week])": true,
		"ropes + v":                     false,
		"ropes + ropes":                 false,
		"growth + ropes[all, new]":      false,
		"growth dot ones(4)":            false,
		"ropes dot growth[0, all, all]": false,
		"pick(v > 15, ropes, 0)":        false,
	} {
		t.Run(text, func(t *testing.T) {
			r, d := run(t, "x = "+text, 0)
			require.Nil(t, d, text)
			found := false
			for _, n := range r.Notices {
				found = found || n.Code == "notice.labels"
			}
			assert.Equal(t, told, found, text)
		})
	}
	r, d := run(t, "a = growth\na[0, 0, 0 to 2] = ropes", 0)
	require.Nil(t, d)
	require.Len(t, r.Notices, 1, "an assignment lays labels on labels too")
	assert.Equal(t, "[week=2, rope=3, depth=4]", functions.ShapeOf(r.Value("a")).String(), "the target's never change")
}

// rangeOracle walks a range the slow way; ok is false where the contract refuses it.
func rangeOracle(n, start, end, by int, before, from, to bool) (out []int, ok bool) {
	if by == 0 {
		return nil, false
	}
	if !from {
		start = 0
		if by < 0 {
			start = n - 1
		}
	}
	if !to {
		end, before = n-1, false
		if by < 0 {
			end = 0
		}
	}
	for at := start; ; at += by {
		if by > 0 && (at > end || (before && at == end)) || by < 0 && (at < end || (before && at == end)) {
			break
		}
		out = append(out, at)
		if len(out) > 50 {
			break
		}
	}
	near := func(at, slack int) bool { return at >= -slack && at < n+slack }
	if len(out) == 0 {
		return out, (!from || near(start, 1)) && (!to || near(end, 1))
	}
	slack := 0
	if before {
		slack = 1
	}
	return out, (!from || near(start, 0)) && (!to || near(end, slack))
}

// TestEveryRangeOfASmallAxis tries all starts, ends and steps around a small axis, in
// both counting bases, against a loop.
func TestEveryRangeOfASmallAxis(t *testing.T) {
	number := func(k int) string { // a computed one: literal negatives are a habit
		if k < 0 {
			return "(0 - " + string(rune('0'-k)) + ")"
		}
		return string(rune('0' + k))
	}
	tried := 0
	for _, base := range []int{0, 1} {
		for n := 0; n <= 3; n++ {
			items := []string{"10", "11", "12"}[:n]
			for start := -2; start <= n+1; start++ {
				for end := -2; end <= n+1; end++ {
					for _, by := range []int{-2, -1, 1, 2} {
						for _, before := range []bool{false, true} {
							word := map[bool]string{false: " to ", true: " before "}[before]
							text := "a = [" + strings.Join(items, ", ") + "]\nx = a[" + number(start+base) + word + number(end+base) +
								" by " + number(by) + "]"
							want, ok := rangeOracle(n, start, end, by, before, true, true)
							r, d := run(t, text, base)
							if !ok {
								require.NotNil(t, d, "%s counting from %d", text, base)
								require.Equal(t, "select.range", string(d.Code), text)
								continue
							}
							require.Nil(t, d, "%s counting from %d", text, base)
							got := r.Value("x")
							require.Equal(t, len(want), got.Len(0), text)
							for i, at := range want {
								require.Equal(t, float64(10+at), got.RealAt(i), text)
							}
							tried++
						}
					}
				}
			}
		}
	}
	assert.Greater(t, tried, 200)
	for _, by := range []int{-2, -1, 1, 2} {
		for at := 0; at < 3; at++ {
			for text, open := range map[string][2]bool{"from " + number(at): {true, false}, "to " + number(at): {false, true},
				"before " + number(at): {false, true}} {
				want, ok := rangeOracle(3, at, at, by, strings.HasPrefix(text, "before"), open[0], open[1])
				require.True(t, ok)
				r, d := run(t, "a = [10, 11, 12]\nx = a["+text+" by "+number(by)+"]", 0)
				require.Nil(t, d, text)
				require.Equal(t, len(want), r.Value("x").Len(0), "%s by %d", text, by)
			}
		}
	}
}
