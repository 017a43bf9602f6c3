package evaluate_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// TestManyNames binds more names than a frame keeps at hand, some alike in length and
// first letter, and binds them all again.
func TestManyNames(t *testing.T) {
	var text strings.Builder
	const n = 40
	for round := range 2 {
		for i := range n {
			fmt.Fprintf(&text, "name_%02d = %d\n", i, i+100*round)
		}
	}
	text.WriteString("function f(name_00, other) {\n  name_39 = name_00 + other\n  return name_39\n}\n" +
		"x = f(name_20, name_30)\n")
	r, d := run(t, text.String(), 0)
	require.Nil(t, d)
	order := r.Order()
	require.Len(t, order, n+1)
	for i := range n {
		name := fmt.Sprintf("name_%02d", i)
		assert.Equal(t, name, order[i])
		assert.Equal(t, int64(100+i), r.Value(name).IntAt(0))
		assert.Same(t, r.Value(name), r.Values()[name])
	}
	assert.Equal(t, int64(250), r.Value("x").IntAt(0))
	assert.Nil(t, r.Value("other"), "a function's names are its own")
	assert.Nil(t, r.Value("v"), "inputs that were not bound are no values")
}

// TestChangedInputsAmongMany reports changed inputs, also of those kept far.
func TestChangedInputsAmongMany(t *testing.T) {
	given := map[string]*array.Array{}
	var text strings.Builder
	for i := range 30 {
		name := fmt.Sprintf("in_%02d", i)
		given[name] = array.FromReals([]float64{1, 2}, 2)
		switch {
		case i%3 == 0:
			fmt.Fprintf(&text, "%s[0] = 5\n", name)
		case i%3 == 1:
			fmt.Fprintf(&text, "%s = [1.0, 2.0]\n", name)
		}
	}
	program, errs := notation.Parse(text.String())
	require.Empty(t, errs)
	r := evaluate.Run(context.Background(), program, given, evaluate.Options{Limits: evaluate.CheckLimits})
	require.Nil(t, r.Error)
	assert.Equal(t, []string{"in_00", "in_03", "in_06", "in_09", "in_12", "in_15", "in_18", "in_21", "in_24", "in_27"},
		r.Changed)
	for name, a := range given {
		assert.Equal(t, []float64{1, 2}, a.Reals(), "%s itself stays", name)
	}
}

func TestCallsInsideCallsKeepTheirArguments(t *testing.T) {
	assert.Equal(t, "real [7,11.5]", value(t, "g = [[1.0, 2.0], [3.0, 4.0]]\nx = pick(max(g over 1) > sum([min(g over "+
		"0)[0], 2.0]), sum(g over 0, keep: true)[0, all] + 1.5, mean([g, g] over 0)[0, all] + max(min(g)))\n"+
		"x = x + [sum([max([min([4.0, 5.0]), 1.0]), 1.0]), 1.0] + [0.0, 3.0]"))
}

func TestGivenValues(t *testing.T) {
	r := evaluate.Given(map[string]*array.Array{"b": array.Scalar(2.0), "a": array.Scalar(1.0), "": array.Scalar(0.0)})
	assert.Equal(t, []string{"", "a", "b"}, r.Order())
	assert.Equal(t, 2.0, r.Value("b").RealAt(0))
	assert.Nil(t, r.Value("c"))
	none := &evaluate.Result{}
	assert.Nil(t, none.Value("a"))
	assert.Empty(t, none.Order())
	assert.Empty(t, none.Values())
}

// TestRunsSideBySide runs programs that end well, end in errors and read what others
// have left behind, on several goroutines.
func TestRunsSideBySide(t *testing.T) {
	texts := map[string]string{
		"a = [1.0, 2.0]\nb = a * 3 + sum(a over 0)\n": "real [6,9]",
		"b = [1.0, 2.0] / sum([0.0, 4.0])\n":          "real [0.25,0.5]",
		"b = 1\nc = [1, 2, 3][7]\n":                   "int 1",
	}
	var wg sync.WaitGroup
	for text, want := range texts {
		t.Run(text, func(t *testing.T) {
			for range 4 {
				wg.Go(func() {
					program, errs := notation.Parse(text)
					if !assert.Empty(t, errs) {
						return
					}
					for range 200 {
						r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
						assert.Equal(t, want, short(r.Value("b")), text)
					}
				})
			}
		})
	}
	wg.Wait()
}

// TestEveryExpressionIsWatched reports each expression once, operators inside chains
// and numbers too, with the value it has without anybody watching.
func TestEveryExpressionIsWatched(t *testing.T) {
	text := "x = (a + 1) * 2 - b / (a - 0.5)[last] + sum(a over 0)\n"
	program, errs := notation.Parse(text)
	require.Empty(t, errs)
	given := map[string]*array.Array{"a": array.FromReals([]float64{1, 2, 3}, 3), "b": array.Scalar(4.0)}
	seen := map[string]string{}
	options := evaluate.Options{Limits: evaluate.CheckLimits, Watch: func(e notation.Expr, v *array.Array) {
		at := e.Pos()
		seen[text[at.Start:at.End]] = short(v)
	}}
	watched := evaluate.Run(context.Background(), program, given, options)
	require.Nil(t, watched.Error)
	assert.Equal(t, map[string]string{
		"a": "real [1,2,3]", "b": "real 4", "1": "int 1", "2": "int 2", "0.5": "real 0.5", "last": "int 2",
		"a + 1": "real [2,3,4]", "(a + 1)": "real [2,3,4]", "(a + 1) * 2": "real [4,6,8]",
		"a - 0.5": "real [0.5,1.5,2.5]", "(a - 0.5)": "real [0.5,1.5,2.5]", "(a - 0.5)[last]": "real 2.5",
		"b / (a - 0.5)[last]": "real 1.6", "(a + 1) * 2 - b / (a - 0.5)[last]": "real [2.4,4.4,6.4]",
		"sum(a over 0)": "real 6",
		"(a + 1) * 2 - b / (a - 0.5)[last] + sum(a over 0)": "real [8.4,10.4,12.4]",
	}, seen)
	plain := evaluate.Run(context.Background(), program, given, evaluate.Options{Limits: evaluate.CheckLimits})
	assert.Equal(t, short(plain.Value("x")), short(watched.Value("x")))
	assert.Equal(t, plain.Cells, watched.Cells)
}
