package causes

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// searching is a search that asks why some names of an attempt are wrong.
func searching(t *testing.T, text string, names ...string) *finder {
	t.Helper()
	program, errs := notation.Parse(text)
	require.Empty(t, errs)
	f := &finder{q: &Question{}, program: program, found: map[int][]Cause{}}
	for k, name := range names {
		f.q.Targets = append(f.q.Targets, Target{Name: name})
		f.wrong = append(f.wrong, k)
	}
	return f
}

// TestASlipSaysNothingUntrue: a change of the reference is told by what the attempt has.
func TestASlipSaysNothingUntrue(t *testing.T) {
	root := &tabled{cause: codes.PowerMissing, brings: []string{"sqrt"}}
	summed := &tabled{cause: codes.FunctionOther, brings: []string{"sum"}, meanless: true}
	counted := &tabled{cause: codes.MaskUnapplied, unmasks: true}
	outside := &tabled{cause: codes.Grouping, regroups: []string{"abs", "max_at"}}
	powers := &tabled{cause: codes.Grouping, after: "1 ^ x + 2"}
	apart := &tabled{cause: codes.MeanNested, after: "mean(x / z)"}
	taken := &tabled{cause: codes.InputOther, after: "z"}
	sorted := &tabled{cause: codes.StepExtra, brings: []string{"sort"}}
	divided := &tabled{cause: codes.StepExtra, brings: []string{"size"}}
	scanned := &tabled{cause: codes.FunctionOther, brings: []string{"running_sum"}}
	last := &tabled{cause: codes.LoopLast}
	for _, c := range []struct {
		text string
		slip *tabled
		want codes.Code
	}{
		{"y = x / 2\n", root, ""},
		{"z = sqrt(x)\ny = x / 2\n", root, ""},
		{"z = norm(x)\ny = x / z\n", root, codes.PowerMissing},
		{"y = x ^ 0.5\n", root, codes.PowerMissing},
		{"y = x[0] + x[1]\n", summed, codes.StepMissing},
		{"y = sum(x)\n", summed, codes.FunctionOther},
		{"y = 0.0\neach k in x {\n  y += k\n}\n", summed, codes.FunctionOther},
		{"y = count(x)\n", counted, codes.MaskUnapplied},
		{"y = count(x > 0)\n", counted, ""},
		{"y = max_at(x)\n", outside, ""},
		{"y = max_at(abs(x))\n", outside, codes.Grouping},
		{"y = x * 3\n", powers, ""},
		{"y = 3 ^ x\n", powers, codes.Grouping},
		{"y = mean(x)\n", apart, ""},
		{"y = sum(x) / sum(z)\n", apart, codes.MeanNested},
		{"z = 2 * x\ny = x\n", taken, ""},
		{"z = 2 * x\ny = z\n", taken, codes.InputOther},
		{"y = x[0] - x[1]\n", sorted, ""},
		{"y = sort(x)[0]\n", sorted, codes.StepExtra},
		{"y = x / 3\n", divided, codes.StepExtra},
		{"y = sort_order(x)\n", scanned, ""},
		{"y = running_max(x)\n", scanned, codes.FunctionOther},
		{"y = 0 * x\neach k in indices(x) {\n  y[k] = x[k]\n}\n", scanned, codes.FunctionOther},
		{"y = x[last]\n", last, codes.StepMissing},
		{"y = 0.0\neach k in x {\n  y = k\n}\n", last, codes.LoopLast},
	} {
		f := searching(t, c.text, "y")
		f.got = []Outcome{{Values: map[string]*array.Array{"z": array.Scalar(1.0)}}}
		assert.Equal(t, c.want, f.saidOf(c.slip, 0), c.text)
	}
	arrays := searching(t, "y = x\n", "y")
	arrays.program = nil
	assert.Equal(t, codes.PowerMissing, arrays.saidOf(root, 0), "nobody knows how arrays were made")
}

// TestALoopBesideIsNoLoopOfIt: what a target comes from has the loop, or it has none.
func TestALoopBesideIsNoLoopOfIt(t *testing.T) {
	f := searching(t, "t = 0.0\neach k in x {\n  t += k\n}\ny = 2 * t\nz = x[last]\n", "y", "z")
	assert.True(t, f.fromLoop(0))
	assert.False(t, f.fromLoop(1))
}

// TestWhatFollowsIsExplainedWithAllItComesFrom: a change that mends the end of a chain and one link of it explains
// nothing where another link stays wrong.
func TestWhatFollowsIsExplainedWithAllItComesFrom(t *testing.T) {
	f := searching(t, "path = 2 * x\nafter = path[last]\ntwice = 2 * after\n", "path", "after", "twice")
	end := Cause{Code: codes.StepMissing, Evidence: Repair, Changes: 1, tree: "end", writes: "path"}
	root := Cause{Code: codes.LoopLast, Evidence: Slip, Changes: 1, tree: "root"}
	f.found[0], f.found[1], f.found[2] = []Cause{root}, []Cause{end, root}, []Cause{end, root}
	kept := f.upstream(2, f.found[2])
	require.Len(t, kept, 1)
	assert.Equal(t, codes.LoopLast, kept[0].Code)
}

// TestWhatTwoHaveInCommonIsTheLikelierPlace: a change after it, that leaves another output wrong which nothing
// explains, is not told.
func TestWhatTwoHaveInCommonIsTheLikelierPlace(t *testing.T) {
	later := Cause{Code: codes.InputOther, Evidence: Repair, Changes: 1, writes: "fitted"}
	f := searching(t, "start = mean(x)\nline = 2 * start\nfitted = start + x\n", "line", "fitted")
	f.q.Material = &slips.Material{Inputs: []string{"x"}}
	f.found[1] = []Cause{later}
	assert.Empty(t, f.ranked())
	f.found[0], f.found[1] = []Cause{{Code: codes.StepMissing, Evidence: Repair}}, []Cause{later}
	f.common()
	assert.Len(t, f.found[1], 1, "where the other is explained, each may have its own")
	f = searching(t, "line = 2 * x\nfitted = 3 + x\n", "line", "fitted")
	f.q.Material = &slips.Material{Inputs: []string{"x"}}
	f.found[1] = []Cause{later}
	f.common()
	assert.Len(t, f.found[1], 1, "an input is nobody's mistake")
}
