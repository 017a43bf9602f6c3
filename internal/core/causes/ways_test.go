package causes

import (
	"testing"

	"nimbusreach/internal/core/codes"

	"github.com/stretchr/testify/assert"
)

func TestCausesSayTheDirection(t *testing.T) {
	for _, it := range []struct {
		code     codes.Code
		evidence Evidence
		change   string
		says     string
	}{
		{"mask.boundary", Repair, "> → >=", "a strict comparison where equality counts too"},
		{"mask.boundary", Slip, "x > 3 → x >= 3", "equality counts where the comparison should be strict"},
		{"mask.boundary", Repair, "x <= y → x < y", "equality counts where the comparison should be strict"},
		{"mask.joined", Slip, "a and b → a or b", "`or` where `and` was meant"},
		{"spread.divisor", Repair, "sample_std(x) → std(x)", "divided by n - 1 where n was meant"},
		{"spread.divisor", Slip, "sample_var(x) → var(x)", "divided by n where n - 1 was meant"},
		{"angle.unit", Repair, "sin(phase) → sin(radians(phase))", "an angle in degrees where radians were needed"},
		{"transpose.missing", Repair, "transpose(transpose(a)) → transpose(a)", "a transpose too many"},
		{"view.copy", Repair, "view t = x[rest] → t = x[rest]", "a view where a copy was meant"},
		{"power.missing", Slip, "across ^ 2 → across", "a square is missing"},
		{"position.value", Repair, "max_at(x) → max(x)", "a position where the value was meant"},
		{"sign.flipped", Repair, "exp(x) → exp(-x)", "a minus is missing"},
		{"sign.flipped", Slip, "-1 → 1", "a minus is missing"},
		{"sign.flipped", Transformation, "× −1", "the result × -1"},
		{"angle.unit", Repair, "no arrow", "degrees and radians are mixed up"},
		{"axis.other", Repair, "over rope → over week", "worked over or along another axis"},
	} {
		t.Run(string(it.code)+" "+it.change, func(t *testing.T) {
			c := Cause{Code: it.code, Evidence: it.evidence, Change: it.change}
			assert.Equal(t, it.says, c.Direction())
		})
	}
}

// TestEveryWayIsOfACode compares the table of directions with the table of codes, and
// each direction against one that goes the other way.
func TestEveryWayIsOfACode(t *testing.T) {
	says := map[codes.Code]map[string]bool{}
	for _, w := range ways {
		assert.True(t, w.code.Is(codes.Cause), w.code)
		assert.True(t, w.has != "" || w.needs != "", w.says)
		if says[w.code] == nil {
			says[w.code] = map[string]bool{}
		}
		says[w.code][w.says] = true
	}
	for code, all := range says {
		assert.GreaterOrEqual(t, len(all), 2, code)
	}
}
