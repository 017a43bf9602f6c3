package store

import (
	"context"
	"errors"
	"slices"
	"time"
)

// Share is the part of the waiting attempts that a process claims first: those of people whose id leaves
// Index when divided by Of, so that one person's line is served by one process. Row locks of other database
// nodes are not seen before a commit, so processes that claim from one line would be in each other's way.
// The zero Share is everything.
type Share struct{ Index, Of int }

// lateBy is how long an attempt has been due when every process may claim it, whosever share it is.
const lateBy = time.Second

// Work gives a sign of life of a process that checks attempts, and says which share is its own among
// those that have given one within life.
func (s *Store) Work(ctx context.Context, name string, life time.Duration) (Share, error) {
	now := s.now()
	err := s.pool.again(ctx, func() error {
		return s.db.WithContext(ctx).Exec("INSERT INTO workers (name, seen) VALUES (?, ?) ON DUPLICATE KEY UPDATE "+
			"seen = VALUES(seen)", name, now).Error
	})
	if err != nil {
		return Share{}, err
	}
	var names []string
	err = s.db.WithContext(ctx).Raw("SELECT name FROM workers FORCE INDEX (workers_seen) WHERE seen > ?",
		now.Add(-life)).Scan(&names).Error
	slices.Sort(names)
	if i := slices.Index(names, name); err == nil && i >= 0 {
		return Share{i, len(names)}, nil
	}
	return Share{}, err
}

// Rest takes a process off the list of those that check attempts, and what has given no sign of life
// for a day.
func (s *Store) Rest(ctx context.Context, name string) error {
	return errors.Join(s.db.WithContext(ctx).Exec("DELETE FROM workers WHERE name = ?", name).Error,
		s.db.WithContext(ctx).Exec("DELETE FROM workers WHERE seen < ?", s.now().Add(-24*time.Hour)).Error)
}
