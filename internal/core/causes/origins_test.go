package causes

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/evaluate"
)

// TestRepairsThatFitEqually: of two that give the same values, the one made of the reference's cells goes first,
// whatever order they were found in; what fits better stays before both.
func TestRepairsThatFitEqually(t *testing.T) {
	x := array.FromReals([]float64{1, 5, 5, 7}, 4)
	expected := array.FromReals([]float64{6}, 1)
	f := &finder{ctx: context.Background(), q: &Question{Reference: parsed(t, "y = [x[0] + x[2]]\n"),
		Cases: []Case{{Inputs: map[string]*array.Array{"x": x}, Expected: map[string]*array.Array{"y": expected},
			Options: evaluate.Options{Limits: evaluate.CheckLimits}}},
		Targets: []Target{{Name: "y"}}},
		got: []Outcome{{Values: map[string]*array.Array{"y": array.FromReals([]float64{2}, 1)}}}}
	with := func(repaired string, change func(c *Cause)) Cause {
		c := repair(codes.SelectShifted, int32(len(repaired)), int32(len(repaired))+1)
		c.repaired = repaired
		change(&c)
		return c
	}
	as := func(c *Cause) {}
	same, near, far := with("y = [x[2] + x[0]]\n", as), with("y = [x[0] + x[1]]\n", as), with("y = [x[3] - 1]\n", as)
	told := func(list ...Cause) (out []string) {
		f.byOrigin(0, list)
		for _, c := range list {
			out = append(out, c.repaired)
		}
		return out
	}
	assert.Equal(t, []string{same.repaired, near.repaired, far.repaired}, told(far, near, same))
	assert.Equal(t, []string{same.repaired, near.repaired, far.repaired}, told(near, same, far))
	fewer := with("y = [x[3] - 1]\n", func(c *Cause) { c.reach = 2 })
	assert.Equal(t, []string{fewer.repaired, same.repaired, near.repaired}, told(fewer, near, same), "it explains more")
	unknown := with("", as)
	assert.Equal(t, []string{near.repaired, "", same.repaired}, told(near, unknown, same), "one cannot be traced")
	broken := with("y = [x[9]]\n", as)
	assert.Equal(t, []string{near.repaired, broken.repaired, same.repaired}, told(near, broken, same))
	f.got[0].Steps = tracedStatements + 1
	assert.Equal(t, []string{near.repaired, same.repaired}, told(near, same), "the run is too long to be traced")
	f.got[0].Steps = 0
	f.q.Cases[0].Inputs = nil // a program that was never checked with these inputs: a fault
	f.q.Reference = nil
	assert.Equal(t, []string{near.repaired, same.repaired}, told(near, same), "a fault leaves the order as it was")
	assert.NotNil(t, f.q.Fault(), "and is reported")
}
