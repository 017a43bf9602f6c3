package store

import "time"

// InUse is how many connections something still reads or writes on.
func InUse(s *Store) int { return s.sql.Stats().InUse }

// SetPatience says how long what the database refuses is run again.
func SetPatience(s *Store, d time.Duration) { s.pool.patience = d }
