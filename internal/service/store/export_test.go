package store

import "time"

// SetPatience says how long what the database refuses is run again.
func SetPatience(s *Store, d time.Duration) { s.pool.patience = d }
