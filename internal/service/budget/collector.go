package budget

import (
	"os"
	"runtime/debug"
)

// slack is memory beside what programs hold: bodies, verdicts, courses.
const slack = 1 << 30

// garbage is how much may be left lying beside what is in use, in percent: checking makes much that lives
// for a moment, and the bound on memory holds whatever this is.
const garbage = 400

// CollectSeldom lets the process's collector wait longer than it would, within what programs may hold together, in
// bytes. What GOMEMLIMIT and GOGC say goes before.
func CollectSeldom(memory int64) {
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memory + slack)
	}
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(garbage)
	}
}
