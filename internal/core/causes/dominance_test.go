package causes

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

func repair(code codes.Code, at, end int32) Cause {
	span := notation.Span{Start: at, End: end}
	return Cause{Code: code, Evidence: Repair, Changes: 1, Span: &span, part: span, reach: 1,
		tree: string(code) + string(rune('a'+at))}
}

// TestTheOppositeEverywhereIsInverted: where every truth value is the opposite, that is said first.
func TestTheOppositeEverywhereIsInverted(t *testing.T) {
	axis, mask := repair(codes.AxisOther, 10, 20), repair(codes.MaskInverted, 30, 31)
	assert.Negative(t, better(axis, mask), "the rank decides")
	mask.opposite = true
	assert.Positive(t, better(axis, mask))
	assert.NotEmpty(t, mask.dominates(axis))
	truths := func(v ...bool) map[string]*array.Array {
		return map[string]*array.Array{"y": array.FromBools(v, len(v))}
	}
	f := &finder{q: &Question{Targets: []Target{{Name: "y"}}}, program: parsed(t, "y = x > 0\n")}
	f.q.Cases = []Case{{Expected: truths(true, false, true, true, false, true, true, true, false)}}
	f.got = []Outcome{{Values: truths(false, true, false, false, true, false, false, false, true)}}
	assert.True(t, f.opposite(0))
	f.got[0].Values = truths(false, true, false, false, true, false, false, false, false)
	assert.False(t, f.opposite(0))
}

// TestDominance holds each rule by which one explanation leaves no room for another.
func TestDominance(t *testing.T) {
	specific, slip := repair(codes.AxisOther, 10, 20), Cause{Code: codes.AxisOther, Evidence: Slip, Changes: 1, reach: 1}
	with := func(c Cause, change func(c *Cause)) Cause {
		change(&c)
		return c
	}
	for _, c := range []struct {
		name       string
		best, rest Cause
		dominated  bool
	}{
		{"generic beside specific at its place", specific, repair(codes.ConstantOther, 12, 13), true},
		{"generic at a place that it feeds", specific, repair(codes.InputOther, 30, 33), true},
		{"generic at a place before it", specific, repair(codes.InputOther, 1, 4), true},
		{"generic in several places", specific, with(repair(codes.InputOther, 1, 4), func(c *Cause) { c.joined = true }),
			true},
		{"specific beside generic", repair(codes.InputOther, 30, 33), specific, false},
		{"one tree", specific, with(repair(codes.SelectAxis, 40, 41), func(c *Cause) { c.tree = specific.tree }), true},
		{"a part of the same part", specific, repair(codes.FunctionOther, 14, 16), true},
		{"another part", specific, repair(codes.FunctionOther, 40, 46), false},
		{"one that explains fewer outputs", with(specific, func(c *Cause) { c.reach = 2 }),
			repair(codes.MaskBoundary, 40, 44),
			true},
		{"one that spoils what agrees", slip, with(Cause{Code: codes.MaskBoundary, Evidence: Slip, Changes: 1, reach: 1},
			func(c *Cause) { c.spoils = true }), true},
		{"a slip beside a repair", specific, Cause{Code: codes.MaskBoundary, Evidence: Slip, Changes: 1, reach: 1}, true},
		{"a repair beside a slip", slip, repair(codes.MaskBoundary, 1, 2), false},
		{"a transformation beside a change", slip, Cause{Code: codes.ScaleFactor, Evidence: Transformation, Changes: 1},
			true},
		{"two changes beside one", slip, Cause{Code: codes.MaskBoundary, Evidence: Slip, Changes: 2, reach: 1}, true},
		{"an operation put in", specific, with(repair(codes.TransposeMissing, 40, 44), func(c *Cause) { c.adds = true }),
			true},
		{"a reduction of a scalar", specific, with(repair(codes.FunctionOther, 40, 44), func(c *Cause) { c.odd = true }),
			true},
		{"several places beside one", specific, with(repair(codes.SelectAxis, 40, 44), func(c *Cause) { c.joined = true }),
			true},
		{"the same code", specific, repair(codes.AxisOther, 40, 44), true},
		{"a number of nobody's", repair(codes.OperatorOther, 40, 44),
			with(repair(codes.ConstantOther, 1, 2), func(c *Cause) { c.invents = true }), true},
		{"a step beside what says more", repair(codes.ConstantOther, 1, 2), repair(codes.StepMissing, 40, 44), true},
		{"beside a number of the reference", with(repair(codes.ConstantOther, 1, 2), func(c *Cause) { c.apt = true }),
			repair(codes.OperatorOther, 40, 44), true},
		{"a mask that keeps everything", with(slip, func(c *Cause) { c.Code = codes.MaskUnapplied }),
			Cause{Code: codes.MaskBoundary, Evidence: Slip, Changes: 1, reach: 1}, true},
		{"evidence of its own", repair(codes.ViewCopy, 1, 2), specific, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.dominated, c.best.dominates(c.rest) != "", c.best.dominates(c.rest))
			if c.dominated {
				assert.LessOrEqual(t, better(c.best, c.rest), 0, "what dominates comes first")
			}
		})
	}
}

// TestCertain: what is certain leaves no doubt that anybody could name.
func TestCertain(t *testing.T) {
	sure := repair(codes.AxisOther, 1, 2)
	assert.True(t, sure.sure())
	for name, change := range map[string]func(c *Cause){
		"two changes":           func(c *Cause) { c.Changes = 2 },
		"chance":                func(c *Cause) { c.chance = true },
		"a spoiled output":      func(c *Cause) { c.spoils = true },
		"a slip":                func(c *Cause) { c.Evidence = Slip },
		"a scale":               func(c *Cause) { c.Evidence, c.Code = Transformation, codes.ScaleFactor },
		"a name of one's own":   func(c *Cause) { c.own = true },
		"another plain change":  func(c *Cause) { c.rivalled = true },
		"a step put in":         func(c *Cause) { c.Code, c.adds = codes.StepMissing, true },
		"only the shown cases":  func(c *Cause) { c.Code = codes.ShownOnly },
		"a power that is added": func(c *Cause) { c.Code, c.adds = codes.PowerMissing, true },
	} {
		t.Run(name, func(t *testing.T) {
			c := sure
			change(&c)
			assert.False(t, c.sure())
		})
	}
	turned := Cause{Code: codes.AxisOrder, Evidence: Transformation, Changes: 1}
	assert.True(t, turned.sure(), "an order of axes has nothing that could fit by chance")
}

// TestWhatIsSure: one plain change at one place that says what happened.
func TestWhatIsSure(t *testing.T) {
	plain := repair(codes.AxisOther, 10, 20)
	assert.True(t, plain.sure())
	for name, change := range map[string]func(c *Cause){
		"a step":                 func(c *Cause) { c.Code = codes.StepExtra },
		"several places":         func(c *Cause) { c.joined = true },
		"two changes":            func(c *Cause) { c.Changes = 2 },
		"a slip":                 func(c *Cause) { c.Evidence = Slip },
		"what fits by chance":    func(c *Cause) { c.chance = true },
		"a rival":                func(c *Cause) { c.rivalled = true },
		"what is put in":         func(c *Cause) { c.Code, c.adds = codes.PowerMissing, true },
		"a value of its own":     func(c *Cause) { c.own = true },
		"what spoils an output":  func(c *Cause) { c.spoils = true },
		"right in what is shown": func(c *Cause) { c.Code, c.Evidence = codes.ShownOnly, Rule },
	} {
		c := plain
		change(&c)
		assert.False(t, c.sure(), name)
	}
}
