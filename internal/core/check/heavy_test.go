package check_test

import (
	"context"
	"fmt"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// held is how many bytes of the heap are alive.
func held() int64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}

// TestAVerdictHoldsNoArrays keeps what is said of large arrays and lets go of the rest.
func TestAVerdictHoldsNoArrays(t *testing.T) {
	p := prepared(t)["rope-means"]
	before := held()
	var kept []*check.Verdict
	for _, text := range []string{
		"per_rope = zeros(2000000) + mean(growth)\nbest_week = per_rope\nspread = 1",
		"best_week = zeros(2000000) + mean(growth)\nper_rope = best_week + ones(3)\nspread = 1",
		"spread = reshape(zeros(2000000) + mean(growth), [1000000, 2])\nper_rope = spread[1, 5]\nbest_week = 1",
	} {
		t.Run(text, func(t *testing.T) {
			v := attempt(t, p, text)
			assert.NotEmpty(t, v.Findings)
			kept = append(kept, v)
		})
	}
	assert.Less(t, held()-before, int64(4<<20))
	runtime.KeepAlive(kept)
}

// TestDiagnosticsHoldNoArrays does so for what runs end in and notices they leave.
func TestDiagnosticsHoldNoArrays(t *testing.T) {
	before := held()
	var kept []*notation.Diagnostic
	for _, text := range []string{
		"x = zeros(2000000) + 1\ny = x + ones(3)",
		"x = zeros(2000000) + 1\nx[0 to 5] = x",
		"x = zeros(2000000) + 1\ny = x[ones(4) > 0]",
		"x = zeros(2000000) + 1\ny = reshape(x, [3, auto])",
		"x = zeros(2000000) + 1\ny = join(x, [[1]])",
		"x = zeros(2000000) + 1\ny = x dot ones(3)",
		"x = zeros(2000000) + 1\ny = sum(x over week)",
		"x = labelled(zeros(2000000) + 1, axes: [rope])\ny = labelled(x + 1, axes: [depth])\nz = x + y",
		"x = labelled(zeros(2000000) + 1, axes: [rope])\ny = labelled(x + 1, axes: [depth])\nx[all] = y\nz = 1 / (x - x)",
	} {
		t.Run(text, func(t *testing.T) {
			program, errs := notation.Parse(text)
			assert.Empty(t, errs, text)
			assert.Empty(t, evaluate.Check(program, nil), text)
			r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.CheckLimits})
			all := r.Notices
			if r.Error != nil {
				all = append(all, r.Error)
			}
			assert.NotEmpty(t, all, text)
			kept = append(kept, all...)
		})
	}
	assert.Less(t, held()-before, int64(4<<20))
	runtime.KeepAlive(kept)
}

// TestSlowFunctionsAreSearchedNoLonger hands one mistake in beside work that makes few
// cells and takes long. The search counts it: what slow attempts are compared with is found
// without a run of them, and changes of them are hardly tried. What makes millions of cells
// is not asked why.
func TestSlowFunctionsAreSearchedNoLonger(t *testing.T) {
	p := prepared(t)["rope-means"]
	for _, c := range []struct {
		slow string
		size int
		told bool
	}{
		{"idle = beta(draw_uniform(%d, 1, 2), 2.5)", 300, true},
		{"idle = beta(draw_uniform(%d, 1, 2), 2.5)", 150_000, true},
		{"idle = sort(draw_uniform(%d, 0, 1) along 0)", 150_000, true},
		{"M = draw_uniform([30, 30], 0, 1)\nrepeat up to %d div 100 until false {\n  idle = singular_values(M)\n}", 150_000,
			true},
		{"idle = reshape(draw_uniform(9 * %d, 0, 1), [auto, 9])\nM = transpose(idle) dot idle", 300, true},
		{"idle = reshape(draw_uniform(9 * %d, 0, 1), [auto, 9])\nM = transpose(idle) dot idle", 400_000, false},
	} {
		t.Run(c.slow, func(t *testing.T) {
			v := attempt(t, p, fmt.Sprintf(c.slow, c.size)+"\nper_rope = mean(growth over [week, rope])\n"+
				"best_week = max(growth over week)\nspread = std(growth over [rope, depth])\n")
			assert.Equal(t, check.Differs, v.Verdict, c.slow)
			assert.Equal(t, c.told, len(v.Causes) > 0, "%d: %s", c.size, c.slow)
		})
	}
}
