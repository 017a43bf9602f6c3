package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// Probed is how many slips of an exercise there are that differ from its reference, and how many of them its cases
// catch.
type Probed struct {
	Exercise      string
	Slips, Caught int
}

// SetProbed keeps what probing found of a revision.
func (s *Store) SetProbed(ctx context.Context, course string, revision int, list []Probed) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		var id uint64
		err := tx.Raw("SELECT r.id FROM courses AS c STRAIGHT_JOIN revisions AS r ON r.course_id = c.id AND r.number = ? "+
			"WHERE c.slug = ?", revision, course).Scan(&id).Error
		if err != nil || id == 0 {
			return errors.Join(err, gorm.ErrRecordNotFound)
		}
		for _, x := range list {
			err := tx.Exec("REPLACE INTO probed (revision_id, exercise, slips, caught) VALUES (?, ?, ?, ?)", id, x.Exercise,
				x.Slips, x.Caught).Error
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// ProbedOf reads what probing found of a revision, exercise by exercise; none where it was not probed.
func (s *Store) ProbedOf(ctx context.Context, revision uint64) ([]Probed, error) {
	var out []Probed
	err := s.db.WithContext(ctx).Raw("SELECT exercise, slips, caught FROM probed WHERE revision_id = ?", revision).
		Scan(&out).Error
	return out, err
}

// DigestTime is when a course's digest is sent.
type DigestTime struct {
	Day  *int // 0 is Sunday; nil: never
	Hour int
	Zone string // an IANA name
}

// DigestTimeOf reads when a course's digest is sent.
func (s *Store) DigestTimeOf(ctx context.Context, course uint64) (*DigestTime, error) {
	var out DigestTime
	err := s.db.WithContext(ctx).Raw("SELECT digest_day AS day, digest_hour AS hour, digest_zone AS zone FROM courses "+
		"WHERE id = ?", course).Scan(&out).Error
	return &out, err
}

// SetDigestTime changes when a course's digest is sent.
func (s *Store) SetDigestTime(ctx context.Context, by uint64, c *Course, t DigestTime) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		err := tx.Exec("UPDATE courses SET digest_day = ?, digest_hour = ?, digest_zone = ? WHERE id = ?", t.Day, t.Hour,
			t.Zone, c.ID).Error
		if err != nil {
			return err
		}
		day := "never"
		if t.Day != nil {
			day = time.Weekday(*t.Day).String()
		}
		return s.audit(tx, &by, "digest.time", c.Slug, fmt.Sprintf("%s, %d:00 %s", day, t.Hour, t.Zone))
	})
}

// DigestCourse is a course whose digest is sent by itself.
type DigestCourse struct {
	Course
	DigestTime
}

// mostDigests bounds the courses whose digests are looked at.
const mostDigests = 5000

// DigestCourses lists the courses whose digests are sent by themselves.
func (s *Store) DigestCourses(ctx context.Context) ([]DigestCourse, error) {
	var out []DigestCourse
	err := s.db.WithContext(ctx).Raw("SELECT c.*, c.digest_day AS day, c.digest_hour AS hour, c.digest_zone AS zone FROM "+
		"courses AS c WHERE c.id > 0 AND c.digest_day IS NOT NULL AND c.archived_at IS NULL AND c.current_revision_id IS "+
		"NOT NULL ORDER BY c.id LIMIT ?", mostDigests).Scan(&out).Error
	return out, err
}

// DigestSent reports whether the digest of a course was sent that was due at a time.
func (s *Store) DigestSent(ctx context.Context, course uint64, due time.Time) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM digests WHERE course_id = ? AND due_at = ?", course, due).
		Scan(&n).Error
	return n > 0, err
}

// SendDigest puts the letters of a digest into the outbox, and what hooks are told of it into their lines, once for
// each time at which it is due, however many processes do this. It says whether this was that once.
func (s *Store) SendDigest(ctx context.Context, course uint64, due time.Time, letters []Letter, told *HookCall) (
	sent bool, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		sent = false
		done := tx.Exec("INSERT IGNORE INTO digests (course_id, due_at, sent_at) VALUES (?, ?, ?)", course, due, s.now())
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		sent = true
		return errors.Join(s.postAll(tx, letters), s.callHooks(tx, course, told))
	})
	return sent, err
}

// postAll puts letters into the outbox.
func (s *Store) postAll(tx *gorm.DB, letters []Letter) error {
	for i := range letters {
		l := letters[i]
		if err := s.post(&l); err != nil {
			return err
		}
		if err := tx.Create(&l).Error; err != nil {
			return err
		}
	}
	return nil
}

// TeamMail is what of the team's business reaches them by mail.
type TeamMail string

// What reaches the team by mail.
const (
	MailDigest TeamMail = "mail_digest"
	MailKnots  TeamMail = "mail_knots"
)

// TeamFor lists the people of a course's team whom some mail reaches. Who is limited to groups is not among them: what
// is mailed is of the whole course.
func (s *Store) TeamFor(ctx context.Context, course uint64, what TeamMail) ([]Person, error) {
	var out []Person
	err := s.db.WithContext(ctx).Raw("SELECT p.* FROM memberships AS m STRAIGHT_JOIN people AS p ON p.id = m.person_id "+
		"LEFT JOIN group_limits AS l ON l.course_id = m.course_id AND l.person_id = m.person_id WHERE m.course_id = ? AND "+
		"m.role <> 'student' AND m.state = 'active' AND p.state = 'active' AND p.email <> '' AND p."+string(what)+" AND "+
		"l.person_id IS NULL", course).Scan(&out).Error
	return out, err
}

// MarkKnot notes that a knot was told of as growing, once within a time; false where it was already. Letters go
// out with it, and hooks are told.
func (s *Store) MarkKnot(ctx context.Context, course uint64, k Knot, again time.Duration, letters []Letter,
	told *HookCall) (first bool, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		first = false
		now := s.now()
		done := tx.Exec("INSERT INTO knot_marks (course_id, exercise, lead_code, lead_output, marked_at) VALUES (?, ?, ?, "+
			"?, ?) ON DUPLICATE KEY UPDATE marked_at = IF(marked_at < ?, VALUES(marked_at), marked_at)", course, k.Exercise,
			k.LeadCode, k.LeadOutput, now, now.Add(-again))
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		first = true
		return errors.Join(s.postAll(tx, letters), s.callHooks(tx, course, told))
	})
	return first, err
}

// Lively lists the courses in which a verdict was stored since a time.
func (s *Store) Lively(ctx context.Context, since time.Time) ([]Course, error) {
	var out []Course
	err := s.db.WithContext(ctx).Raw("SELECT c.* FROM (SELECT DISTINCT course_id FROM changes FORCE INDEX "+
		"(changes_recent) WHERE created_at >= ? AND kind = 'verdict') AS x STRAIGHT_JOIN courses AS c ON c.id = x.course_id "+
		"WHERE c.current_revision_id IS NOT NULL", since).Scan(&out).Error
	return out, err
}
