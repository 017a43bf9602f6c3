package store

import "time"

// SetClock has a store go by another clock: tests and the demo's story, which plays weeks in seconds.
func SetClock(s *Store, now func() time.Time) {
	s.now = func() time.Time { return now().UTC().Truncate(time.Microsecond) }
}
