package budget

import (
	"math"
	"runtime/debug"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestTheCollectorWaits sets the collector as the commands do, but for what the environment says.
func TestTheCollectorWaits(t *testing.T) {
	percent, memory := debug.SetGCPercent(100), debug.SetMemoryLimit(-1)
	t.Cleanup(func() {
		debug.SetGCPercent(percent)
		debug.SetMemoryLimit(memory)
	})
	t.Setenv("GOGC", "")
	t.Setenv("GOMEMLIMIT", "")
	CollectSeldom(5 << 30)
	assert.Equal(t, garbage, debug.SetGCPercent(70))
	assert.EqualValues(t, 6<<30, debug.SetMemoryLimit(math.MaxInt64))
	t.Setenv("GOGC", "70")
	t.Setenv("GOMEMLIMIT", "off")
	CollectSeldom(5 << 30)
	assert.Equal(t, 70, debug.SetGCPercent(70), "GOGC goes before")
	assert.EqualValues(t, math.MaxInt64, debug.SetMemoryLimit(-1), "and GOMEMLIMIT")
}
