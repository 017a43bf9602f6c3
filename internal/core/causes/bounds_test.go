package causes

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

func parsed(t *testing.T, text string) *notation.Program {
	t.Helper()
	program, errs := notation.Parse(text)
	require.Empty(t, errs)
	return program
}

func asked(t *testing.T, reference string) *Question {
	t.Helper()
	return &Question{Reference: parsed(t, reference), Material: &slips.Material{},
		Cases: []Case{{Options: evaluate.Options{Limits: evaluate.CheckLimits}}}, Targets: []Target{{Name: "y"}}}
}

// TestNoChangeTakesMoreThanIsLeft runs a change that makes many cells, and one whose few
// cells take long: both end at what is left, and neither leaves anything.
func TestNoChangeTakesMoreThanIsLeft(t *testing.T) {
	for _, text := range []string{"y = ones(30000) + 1", "y = beta(draw_uniform(8000, 1, 2), 2.5)",
		"y = sum(sort(draw_uniform(9000, 0, 1) along 0))"} {
		t.Run(text, func(t *testing.T) {
			f := &finder{ctx: context.Background(), q: asked(t, "y = 1"), runs: 10, cells: 20_000, nodes: 1000}
			o := f.run(0, parsed(t, text), nil)
			if assert.NotNil(t, o.Error, text) {
				assert.Equal(t, codes.Code("run.limit"), o.Error.Code, text)
			}
			assert.True(t, f.spent(), text)
			plenty := &finder{ctx: context.Background(), q: asked(t, "y = 1"), runs: 10, cells: 20_000_000, nodes: 1000}
			assert.Nil(t, plenty.run(0, parsed(t, text), nil).Error, text)
			assert.Less(t, plenty.cells, int64(20_000_000-20_000), text)
		})
	}
}

// TestTheTableIsBounded makes one of a short reference, of one whose every slip leaves
// large results, and none of a reference of many thousand terms.
func TestTheTableIsBounded(t *testing.T) {
	short := asked(t, "y = ones(10) * 2 + 3 * ones(10) - 4").slipTable()
	large := asked(t, "y = ones(200000) * 2 + 3 * ones(200000) - 4").slipTable()
	require.Greater(t, len(short), 12)
	assert.NotEmpty(t, large)
	assert.Less(t, len(large), len(short), "the rest is not tried")
	held := 0
	for _, s := range large {
		for _, v := range s.got[0].Values {
			held += v.Size()
		}
	}
	assert.Less(t, held, tableHeld+2_000_000)
	assert.Nil(t, asked(t, "y = 1"+strings.Repeat(" + 1", 60_000)).slipTable())
}

// TestARunCountsWhatItEvaluates: a loop of few statements with a long condition costs what it takes.
func TestARunCountsWhatItEvaluates(t *testing.T) {
	f := &finder{runs: 2, cells: 100, nodes: 10_000, size: 10}
	f.ran(&Outcome{Cells: 5, Steps: 2, Parts: 9})
	assert.Equal(t, int64(10_000-10-2*stepNodes), f.nodes)
	f.ran(&Outcome{Cells: 5, Steps: 2, Parts: 3000})
	assert.Equal(t, int64(10_000-10-2*stepNodes-3000*partNodes), f.nodes)
	assert.Equal(t, 0, f.runs)
	assert.Equal(t, int64(90), f.cells)
}
