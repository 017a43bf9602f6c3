package store

import (
	"context"
	"time"
)

// Quiet is a student who has handed nothing in for a while.
type Quiet struct {
	Name      string
	Display   string
	GroupName string
	Last      *time.Time // their newest attempt at one of the exercises; nil for none
	Tried     int        // of the exercises
	Agreed    int
}

// QuietIn lists the students of a course, or of some groups, who have handed in nothing at some exercises since a time:
// those who never have first, then the longest silent, at most so many.
func (s *Store) QuietIn(ctx context.Context, course uint64, exercises []string, since time.Time, limit int,
	among ...string) ([]Quiet, error) {
	q := s.db.WithContext(ctx).Table("memberships AS m").Select("p.name, p.display, m.group_name, MAX(s.newest_at) AS "+
		"last, COUNT(s.exercise) AS tried, COUNT(s.agreed_at) AS agreed").
		Joins("STRAIGHT_JOIN people AS p ON p.id = m.person_id").
		Joins("LEFT JOIN standing AS s FORCE INDEX (PRIMARY) ON s.course_id = m.course_id AND s.person_id = m.person_id AND "+
			"s.exercise IN ?", exercises).
		Where("m.course_id = ? AND m.role = 'student' AND m.state = 'active'", course)
	if len(among) > 0 {
		q = q.Where("m.group_name IN ?", among)
	}
	var out []Quiet
	err := q.Group("m.person_id").Having("MAX(s.newest_at) IS NULL OR MAX(s.newest_at) < ?", since).
		Order("MAX(s.newest_at) IS NOT NULL, MAX(s.newest_at), p.name").Limit(limit).Scan(&out).Error
	return out, err
}
