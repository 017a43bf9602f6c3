package lineage_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/lineage"
	"nimbusreach/internal/core/notation"
)

// lit marks the cells of an array that a text of the notation selects.
func lit(t *testing.T, a *array.Array, text string, counting int) lineage.Cells {
	t.Helper()
	c, d := lineage.ParseCell(text, counting, func(string) *array.Array { return a })
	require.Nil(t, d, text)
	cells := make(lineage.Cells, a.Size())
	for _, k := range c.Cells {
		cells[k] = lineage.Value
	}
	return cells
}

func TestCellsInWords(t *testing.T) {
	growth := functions.NumbersOf([]int{5, 3, 4}).WithLabels([]string{"week", "rope", "depth"})
	matrix := functions.NumbersOf([]int{4, 4})
	line := functions.NumbersOf([]int{20})
	for _, c := range []struct {
		a        *array.Array
		text     string
		counting int
		words    string
	}{
		{growth, "x", 0, "all 60 cells of x"},
		{growth, "x[all, 1, all]", 0, "20 cells of x: every week, rope 1, every depth"},
		{growth, "x[all, 1, all]", 1, "20 cells of x: every week, rope 1, every depth"},
		{growth, "x[1, 1, 1]", 1, "1 cell of x: week 1, rope 1, depth 1"},
		{growth, "x[0 to 2, 1, [0, 3]]", 0, "6 cells of x: week 0 to 2, rope 1, depth 0 and 3"},
		{growth, "x[0 to 4 by 2, 1, all]", 0, "12 cells of x: week 0 to 4 by 2, rope 1, every depth"},
		{growth, "x[paired [0, 1, 2], 1, [0, 1, 2]]", 0, "3 cells of x, within week 0 to 2, rope 1, depth 0 to 2"},
		{functions.NumbersOf([]int{2, 3}), "x[1, 0]", 0, "1 cell of x: axis 0 at 1, axis 1 at 0"},
		{functions.NumbersOf([]int{2, 3}), "x[paired [0, 1], [0, 1]]", 0,
			"2 cells of x, within every place of axis 0, axis 1 at 0 to 1"},
		{functions.NumbersOf([]int{2, 2}), "x[1, 0]", 0, "1 cell of x: axis 0 at 1, axis 1 at 0"},
		{matrix, "x[2, all]", 0, "4 cells of x: axis 0 at 2, every place of axis 1"},
		{line, "x[[1, 4, 5, 11]]", 0, "4 cells of x: position 1, 4, 5 and 11"},
		{line, "x[[1, 4, 5, 7, 8, 11, 19]]", 1, "7 cells of x: 7 positions from 1 to 19"},
		{functions.NumbersOf([]int{2}), "x", 0, "both cells of x"},
		{functions.NumbersOf([]int{1}), "x", 0, "the one cell of x"},
		{functions.NumbersOf(nil), "x", 0, "x"},
	} {
		assert.Equal(t, c.words, lineage.Words("x", c.a, lit(t, c.a, c.text, c.counting), lineage.Value, c.counting), c.text)
	}
	for sides, words := range map[string]string{"on": "the diagonal of A",
		"on below": "the diagonal and what is below it of A",
		"above":    "what is above the diagonal of A", "above below": "all but the diagonal of A"} {
		cells := make(lineage.Cells, 16)
		for k := range cells {
			side := map[int]string{-1: "below", 0: "on", 1: "above"}[min(max(k%4-k/4, -1), 1)]
			if strings.Contains(sides, side) {
				cells[k] = lineage.Choice
			}
		}
		assert.Equal(t, words, lineage.Words("A", matrix, cells, lineage.Choice, 0))
		assert.Empty(t, lineage.Words("A", matrix, cells, lineage.Value, 0))
	}
}

func TestCellsThatAreNamed(t *testing.T) {
	growth := functions.NumbersOf([]int{5, 3}).WithLabels([]string{"week", "rope"})
	find := func(name string) *array.Array {
		if name == "growth" {
			return growth
		}
		return nil
	}
	for text, want := range map[string][]int{"growth[1, 2]": {5}, "growth[rope: 0]": {0, 3, 6, 9, 12},
		"(growth)[last, all]": {12,
			13, 14}, "growth[week: 0, rope: last]": {2}} {
		c, d := lineage.ParseCell(text, 0, find)
		require.Nil(t, d, text)
		assert.Equal(t, want, c.Cells, text)
	}
	c, d := lineage.ParseCell("growth[1, 2]", 1, find)
	require.Nil(t, d)
	assert.Equal(t, []int{1}, c.Cells, "counted from 1")
	for text, want := range map[string]string{"growth[5, 0]": "5", "growth[0]": "2 axes", "2 + 2": "names no cell",
		"sum(growth)": "names no cell",
		"rope[1]":     "has no value there", "growth[": "", "growth[a, 0]": "`a` is not bound"} {
		_, d := lineage.ParseCell(text, 0, find)
		if assert.NotNil(t, d, text) {
			assert.Contains(t, d.Message, want, text)
			assert.NotEmpty(t, d.Hint, text)
		}
	}
}

// What is too large to be traced is said, and the run's values are there all the same.
func TestWhatIsTooLarge(t *testing.T) {
	for text, says := range map[string]string{
		"x = zeros(101, 100)": "an array of the shape [101, 100] is too large to be traced; at most 10000 cells are",
		"x = real(v)\nrepeat up to 4000 until false { x = (sort(x) + reversed(x)) / 2 }": "the run takes too many steps to " +
			"be traced",
	} {
		v := functions.NumbersOf([]int{5000})
		inputs := map[string]*array.Array{"v": v}
		run, err := lineage.Trace(context.Background(), ready(t, text, inputs), inputs, options)
		var large *lineage.TooLarge
		require.ErrorAs(t, err, &large, text)
		assert.Equal(t, says, err.Error())
		require.NotNil(t, run.Result.Value("x"))
	}
	big := functions.NumbersOf([]int{10_001})
	inputs := map[string]*array.Array{"v": big}
	_, err := lineage.Trace(context.Background(), ready(t, "x = 1", inputs), inputs, options)
	assert.ErrorContains(t, err, "too large")
}

// A run that ends in an error is traced up to it.
func TestUpToAnError(t *testing.T) {
	inputs := map[string]*array.Array{"v": functions.NumbersOf([]int{3})}
	run, err := lineage.Trace(context.Background(), ready(t, "function f(a) {\n  return a[7]\n}\nx = v * 2\ny = f(x)",
		inputs), inputs,
		options)
	require.NoError(t, err)
	require.NotNil(t, run.Result.Error)
	origin, is := run.Of("x", 1)
	require.True(t, is)
	assert.Equal(t, "1 cell of v: position 1", origin.Told(inputs, 0))
	_, is = run.Of("y", 0)
	assert.False(t, is)
	require.Len(t, run.Steps(), 1)
	assert.Equal(t, origin.Inputs, run.OfStep(0, 1).Inputs)
}

func parsed(text string) *notation.Program {
	p, _ := notation.Parse(text)
	return p
}

func ExampleTrace() {
	inputs := map[string]*array.Array{"growth": array.FromReals([]float64{1, 5, 2, 7, 3, 4}, 2, 3).
		WithLabels([]string{"week", "rope"})}
	run, _ := lineage.Trace(context.Background(), parsed("tall = growth[growth > 3]\nbest = max(growth over week)"),
		inputs,
		evaluate.Options{Limits: evaluate.CheckLimits})
	best, _ := run.Of("best", 1)
	tall, _ := run.Of("tall", 0)
	fmt.Println(best.Told(inputs, 0))
	fmt.Println(tall.Told(inputs, 0))
	// Output:
	// 2 cells of growth: every week, rope 1
	// 1 cell of growth: week 0, rope 1; chosen by 2 cells of growth: week 0, rope 0 to 1
}

func TestRunsOfCells(t *testing.T) {
	c := lineage.Cells{lineage.Value, 0, lineage.Value | lineage.Choice, lineage.Choice, lineage.Value, lineage.Value}
	assert.Equal(t, []int{0, 1, 2, 1, 4, 2}, c.Runs(lineage.Value))
	assert.Equal(t, []int{2, 2}, c.Runs(lineage.Choice))
	assert.Equal(t, []int{}, lineage.Cells{0, 0}.Runs(lineage.Value))
}
