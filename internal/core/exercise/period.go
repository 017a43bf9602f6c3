package exercise

import (
	"fmt"
	"regexp"
	"strings"
	"time"
)

const day = 24 * time.Hour

// mostPeriod bounds a length of time, so that sums of them stay far from overflowing.
const mostPeriod = 100 * 366 * day

var (
	periodParts = regexp.MustCompile(`(\d{1,6}(?:\.\d{1,6})?)(ms|w|d|h|m|s)`)
	periodWhole = regexp.MustCompile(`^[+-]?(\d{1,6}(\.\d{1,6})?(ms|w|d|h|m|s))+$`)
)

var periodUnits = map[string]time.Duration{"w": 7 * day, "d": day, "h": time.Hour, "m": time.Minute, "s": time.Second,
	"ms": time.Millisecond}

// ParsePeriod reads a length of time: weeks, days of 24 hours, hours, minutes and seconds, like 52w, 3d12h or -36h.
func ParsePeriod(text string) (time.Duration, error) {
	if !periodWhole.MatchString(text) {
		return 0, fmt.Errorf("%q is not a length of time", text)
	}
	total := time.Duration(0)
	for _, part := range periodParts.FindAllStringSubmatch(text, -1) {
		n := 0.0
		if _, err := fmt.Sscan(part[1], &n); err != nil {
			return 0, err
		}
		if n*float64(periodUnits[part[2]]) > float64(mostPeriod-total) {
			return 0, fmt.Errorf("%q is more than a hundred years", text)
		}
		total += time.Duration(n * float64(periodUnits[part[2]]))
	}
	if strings.HasPrefix(text, "-") {
		total = -total
	}
	return total, nil
}
