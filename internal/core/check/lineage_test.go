package check_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/functions"
)

const tides = `inputs: {x: {axes: [day, buoy], kind: real}}
outputs: {y: {axes: [buoy]}, z: {axes: [buoy], ones: ignore}}
cases:
  - {name: a, shown: true, inputs: {x: [[1, 2, 3], [4, 5, 9]]}}
  - {name: b, inputs: {x: [[7, 8, 1], [2, 2, 3]]}}
`

const tidesReference = "y = sum(x over day)\nz = max(x over day)\n"

// madeOf is what the first finding of an output says of where its cell came from, and the whole verdict.
func madeOf(t *testing.T, text, output string) (*check.MadeFrom, *check.Verdict, *check.Prepared) {
	t.Helper()
	p := made(t, tides, tidesReference)
	v, err := check.Attempt(context.Background(), p, text, nil)
	require.NoError(t, err)
	require.Nil(t, v.Fault)
	for _, f := range v.Findings {
		if f.Output != nil && *f.Output == output && *f.Case == "a" {
			return f.MadeFrom, v, p
		}
	}
	t.Fatal("no finding")
	return nil, nil, nil
}

func TestAFindingSaysWhereItsCellCameFrom(t *testing.T) {
	m, v, p := madeOf(t, "y = x[0, all] + x[1, [0, 1, 0]]\nz = max(x over day)", "y")
	assert.Equal(t, &check.MadeFrom{Cell: []int{2}, Yours: "2 cells of x, within every day, buoy 0 and 2",
		Expected: "2 cells of x: every day, buoy 2"}, m, "the one that differs: 7 for 12")
	for _, f := range v.Findings {
		assert.Equal(t, *f.Case == "a", f.MadeFrom != nil, "a held case says nothing")
	}
	require.NotNil(t, v.Example)
	require.NotNil(t, v.Example.MadeFrom)
	student := v.ForStudent(p.Exercise, 1)
	assert.Equal(t, m, student.Findings[0].MadeFrom)

	m, _, _ = madeOf(t, "y = 2 * sum(x over day)\nz = max(x over day)", "y")
	assert.True(t, m.Same)
	assert.Equal(t, m.Yours, m.Expected)
	m, v, p = madeOf(t, "y = sum(x over buoy)\nz = max(x over day)", "y")
	assert.Equal(t, &check.MadeFrom{Cell: []int{0}, Yours: "3 cells of x: day 0, every buoy",
		Expected: "2 cells of x: every day, buoy 0"}, m, "of other shapes the first cell")

	e := *p.Exercise
	e.Values = "never"
	hidden := v.ForStudent(&e, 1).Findings[0]
	assert.Equal(t, &check.MadeFrom{Cell: []int{0}, Yours: "3 cells of x: day 0, every buoy"}, hidden.MadeFrom,
		"one's own first cell alone")
	_, v, _ = madeOf(t, "y = 2 * sum(x over day)\nz = max(x over day)", "y")
	hidden = v.ForStudent(&e, 1).Findings[0]
	assert.Equal(t, codes.ValueDiffers, hidden.Code)
	assert.Nil(t, hidden.MadeFrom, "which cell is the worst is told by values alone")

	m, _, _ = madeOf(t, "y = sum(x over day)\nz = min(x over day)", "z")
	assert.Nil(t, m, "an output whose axes are free is not laid cell on cell")
	v, err := check.Plain(context.Background(), p, "y = [1.0, 2, 3]\nz = y", nil)
	require.NoError(t, err)
	assert.Nil(t, v.Findings[0].MadeFrom, "a plain verdict asks nothing")
}

func TestOriginsOfBothSides(t *testing.T) {
	p := made(t, tides, tidesReference)
	ctx := context.Background()
	o := p.Origins(ctx, "y = sum(x over buoy)\nz = 1", "a", "y", 1, true)
	require.NotNil(t, o)
	assert.Equal(t, []int{1}, o.Cell)
	assert.Equal(t, "3 cells of x: day 1, every buoy", o.Yours.Told(o.Inputs, 0))
	assert.Equal(t, "2 cells of x: every day, buoy 1", o.Expected.Told(o.Inputs, 0))
	o = p.Origins(ctx, "y = sum(x over buoy)\nz = 1", "a", "y", 2, false)
	assert.Nil(t, o.Yours, "it has two cells")
	assert.NotNil(t, o.Expected)
	o = p.Origins(ctx, "y = sum(x over buoy)\nz = 1", "a", "y", 2, true)
	assert.True(t, o.Yours == nil && o.Expected == nil)
	o = p.Origins(ctx, "y = sum(x", "a", "y", 0, true)
	assert.Nil(t, o.Yours, "a text that is none")
	assert.NotNil(t, o.Expected)
	o = p.Origins(ctx, "", "b", "z", 1, false)
	assert.Nil(t, o.Yours)
	assert.Equal(t, "2 cells of x: every day, buoy 1", o.Expected.Told(o.Inputs, 0))
	assert.Nil(t, p.Origins(ctx, "", "c", "y", 0, false))
	assert.Nil(t, p.Origins(ctx, "", "a", "w", 0, false))
}

// A fault of ours in a rule of lineage takes away what it says, and nothing else of the verdict.
func TestAFaultInLineageTakesNothingElse(t *testing.T) {
	f := functions.Lookup("sum")
	rule := f.Lineage
	f.Lineage = func(*functions.Call, *array.Array) []functions.Link { panic("a fault") }
	defer func() { f.Lineage = rule }()
	p := made(t, tides, tidesReference)
	v, err := check.Attempt(context.Background(), p, "y = sum(x over buoy)\nz = max(x over day)", nil)
	require.NoError(t, err)
	assert.Equal(t, check.Differs, v.Verdict)
	require.NotNil(t, v.Fault)
	assert.NotEmpty(t, v.Causes)
	require.NotNil(t, v.Example)
	assert.Nil(t, v.Example.MadeFrom)
	assert.Nil(t, v.Findings[0].MadeFrom)
}
