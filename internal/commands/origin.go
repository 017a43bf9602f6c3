package commands

import (
	"encoding/json"
	"os"
	"path/filepath"
)

// originFile is where a course folder remembers the revision it was edited from. Hidden
// files are not published.
const originFile = ".nimbus-origin.json"

// origin is the revision that a course folder was got from, or last published as.
type origin struct {
	Service  string `json:"service"`
	Course   string `json:"course"`
	Revision int    `json:"revision"`
}

// originOf reads what a folder remembers of a course of a service; 0 for nothing.
func originOf(folder, service, course string) int {
	text, err := os.ReadFile(filepath.Join(folder, originFile))
	if err != nil {
		return 0
	}
	var o origin
	if json.Unmarshal(text, &o) != nil || o.Service != service || o.Course != course || o.Revision < 1 {
		return 0
	}
	return o.Revision
}

// remember lets a folder know its revision. A folder that cannot be written to is
// published all the same, and names none the next time.
func remember(folder string, o origin) {
	text, err := json.Marshal(o)
	if err == nil {
		_ = os.WriteFile(filepath.Join(folder, originFile), append(text, '\n'), 0o644)
	}
}
