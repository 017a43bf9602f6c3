package check_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
)

// TestArraysGetCauses: arrays that were computed elsewhere are explained by slips of the
// reference and by transformations, over all their cases together.
func TestArraysGetCauses(t *testing.T) {
	p := made(t, "accepts: [program, results]\ninputs: {x: {axes: [week, rope]}}\noutputs: {y: {}}\ncases:\n"+
		"  - {name: a, shown: true, inputs: {x: [[3.5, 7, 1, 2], [2, 9, 4.25, 5], [1, 8, 0.5, 3]]}}\n"+
		"  - {name: b, shown: true, inputs: {x: [[1, 2, 8], [5, 6, 4.5]]}}\n"+
		"  - {name: c, inputs: {x: [[9, 2, 8], [5, 3, 4.5]]}}\n", "y = mean(x over week)\n")
	of := func(program string) check.Results {
		out := check.Results{}
		for _, name := range []string{"a", "b"} {
			s, err := check.Compare(context.Background(), p, program, name, "y", nil)
			require.NoError(t, err)
			out[name] = map[string]*array.Array{"y": s.Actual}
		}
		return out
	}
	for _, c := range []struct {
		name, program string
		want          codes.Code
		evidence      string
	}{
		{"another axis", "y = mean(x over rope)", codes.AxisOther, "slip"},
		{"another function", "y = max(x over week)", codes.FunctionOther, "slip"},
		{"a scale", "y = 2.54 * mean(x over week)", codes.ScaleFactor, "transformation"},
		{"backwards", "y = reversed(mean(x over week))", codes.SelectReversed, "slip"},
	} {
		t.Run(c.name, func(t *testing.T) {
			v, err := check.Arrays(context.Background(), p, of(c.program))
			require.NoError(t, err)
			require.Equal(t, check.Differs, v.Verdict)
			require.NotEmpty(t, v.Causes)
			assert.Equal(t, c.want, v.Causes[0].Code)
			assert.Equal(t, c.evidence, v.Causes[0].Evidence)
			assert.Equal(t, "likely", v.Causes[0].Confidence, "nobody knows what they would be on other data")
			assert.Nil(t, v.Causes[0].Span)
			assert.Equal(t, 2, v.Causes[0].Cases)
		})
	}
	v, err := check.Arrays(context.Background(), p, of("y = mean(x over week)"))
	require.NoError(t, err)
	assert.Empty(t, v.Causes, "what agrees gets no cause")
	v, err = check.Arrays(context.Background(), p, of("y = mean(x over week) ^ 1.7 - 3 * max(x over week)"))
	require.NoError(t, err)
	assert.Empty(t, v.Causes, "a mess stays one")
	v, err = check.Arrays(context.Background(), p, check.Results{})
	require.NoError(t, err)
	assert.Empty(t, v.Causes, "nothing was handed in")
}

// TestAFailingPropertyGetsARepair: it must hold in all cases, and what agrees must stay.
func TestAFailingPropertyGetsARepair(t *testing.T) {
	p := made(t, "inputs: {m: {axes: [_, _]}, b: {axes: [_]}}\noutputs: {size_of: {}}\n"+
		"properties: [{holds: \"all(near(m dot v, b, absolute: 1e-9))\", says: m dot v is b}]\ncases:\n"+
		"  - {name: a, shown: true, inputs: {m: [[4, 1], [2, 3]], b: [1, 2]}}\n"+
		"  - {name: b, inputs: {m: [[2, 0.5, 1], [1, 3, -1], [0, 1, 4]], b: [1, 0, 2]}}\n",
		"v = solve(m, b)\nsize_of = sum(m)\n")
	v := attempt(t, p, "v = solve(transpose(m), b)\nsize_of = sum(m)\n")
	require.Equal(t, codes.PropertyFails, v.Findings[0].Code)
	require.NotEmpty(t, v.Causes)
	assert.Equal(t, codes.TransposeMissing, v.Causes[0].Code)
	assert.Equal(t, "repair", v.Causes[0].Evidence)
	assert.Nil(t, v.Causes[0].Output)
	require.NotNil(t, v.Causes[0].Span)
	assert.Equal(t, 1, v.Causes[0].Span.Line)

	v = attempt(t, p, "v = 2.5 * b\nsize_of = sum(m)\n")
	require.Equal(t, codes.PropertyFails, v.Findings[0].Code)
	for _, c := range v.Causes {
		assert.NotEqual(t, "slip", c.Evidence, "many things break a property")
	}
}
