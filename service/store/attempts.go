package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// HandIn stores an attempt before anything else is done with it. With a repeat
// key that the person has used before it returns the attempt of that time.
func (s *Store) HandIn(ctx context.Context, a *Attempt) (repeated bool, err error) {
	a.State, a.CreatedAt = Waiting, s.now()
	if a.Kind == "" {
		a.Kind = "program"
	}
	err = s.tx(ctx, func(tx *gorm.DB) error {
		a.ID = 0
		if err := tx.Create(a).Error; err != nil {
			return err
		}
		return tx.Create(&Change{CourseID: a.CourseID, AttemptID: &a.ID, Kind: "attempt", CreatedAt: s.now()}).Error
	})
	if errors.Is(err, gorm.ErrDuplicatedKey) && a.RepeatKey != nil {
		var before Attempt
		if err := s.db.WithContext(ctx).Where("person_id = ? AND repeat_key = ?", a.PersonID, *a.RepeatKey).Take(&before).Error; err != nil {
			return false, known(err)
		}
		*a = before
		return true, nil
	}
	return false, known(err)
}

// Claim takes the oldest attempt that waits, or whose claim has run out, and
// marks it as being checked for a while. It returns nil when there is none. Rows
// that other processes are claiming are passed over, so nobody waits.
func (s *Store) Claim(ctx context.Context, life time.Duration) (*Attempt, error) {
	var a Attempt
	err := s.tx(ctx, func(tx *gorm.DB) error {
		a = Attempt{}
		now := s.now()
		for _, query := range []*gorm.DB{
			tx.Where("state = ?", Waiting),
			tx.Where("state = ? AND claimed_until < ?", Checking, now),
		} {
			err := query.Clauses(clause.Locking{Strength: "UPDATE", Options: "SKIP LOCKED"}).Order("id").Limit(1).Take(&a).Error
			if errors.Is(err, gorm.ErrRecordNotFound) {
				continue
			}
			if err != nil {
				return err
			}
			until := now.Add(life)
			a.State, a.ClaimedUntil = Checking, &until
			a.Tries++
			return tx.Model(&a).Select("state", "claimed_until", "tries").Updates(&a).Error
		}
		return nil
	})
	if err != nil || a.ID == 0 {
		return nil, err
	}
	return &a, nil
}

// Finish stores an attempt's verdict and findings, once: a second finish of the
// same attempt changes nothing.
func (s *Store) Finish(ctx context.Context, v *Verdict, findings []Finding) error {
	v.CreatedAt = s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Model(&Attempt{}).Where("id = ? AND state <> ?", v.AttemptID, Checked).Updates(map[string]any{"state": Checked, "claimed_until": nil})
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		// A re-check puts a verdict in the place of the one before.
		for _, old := range []any{&Finding{}, &Verdict{}} {
			if err := tx.Where("attempt_id = ?", v.AttemptID).Delete(old).Error; err != nil {
				return err
			}
		}
		if err := tx.Create(v).Error; err != nil {
			return err
		}
		for i := range findings {
			findings[i].ID = 0
		}
		if len(findings) > 0 {
			if err := tx.CreateInBatches(findings, 100).Error; err != nil {
				return err
			}
		}
		return tx.Create(&Change{CourseID: v.CourseID, AttemptID: &v.AttemptID, Kind: "verdict", CreatedAt: s.now()}).Error
	})
}

// GiveBack returns a claimed attempt to the queue, or marks it stuck when it has
// been tried often enough.
func (s *Store) GiveBack(ctx context.Context, a *Attempt, mostTries int) error {
	state := Waiting
	if a.Tries >= mostTries {
		state = Stuck
	}
	return s.tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Model(&Attempt{}).Where("id = ? AND state = ?", a.ID, Checking).Updates(map[string]any{"state": state, "claimed_until": nil}).Error; err != nil {
			return err
		}
		return tx.Create(&Change{CourseID: a.CourseID, AttemptID: &a.ID, Kind: "verdict", CreatedAt: s.now()}).Error
	})
}

// AttemptLine is an attempt with its verdict, if it has one, and its person.
type AttemptLine struct {
	Attempt
	PersonName string
	Display    string
	Verdict    *string
	Earned     *float64
	Possible   *float64
	LeadCode   *string
	LeadOutput *string
	Body       *string
	Seconds    *float64
	CheckedAt  *time.Time
}

const lineColumns = "a.id, a.course_id, a.revision_id, a.exercise, a.kind, a.person_id, a.state, a.created_at, a.tries, p.name AS person_name, p.display, v.verdict, v.earned, v.possible, v.lead_code, v.lead_output, v.seconds, v.created_at AS checked_at"

func (s *Store) lines(ctx context.Context, columns string) *gorm.DB {
	return s.db.WithContext(ctx).Table("attempts AS a").Select(columns).Joins("JOIN people AS p ON p.id = a.person_id").Joins("LEFT JOIN verdicts AS v ON v.attempt_id = a.id")
}

// AttemptByID finds an attempt with its program and its verdict's body.
func (s *Store) AttemptByID(ctx context.Context, id uint64) (*AttemptLine, error) {
	var out AttemptLine
	err := s.lines(ctx, lineColumns+", a.program, a.results, v.body").Where("a.id = ?", id).Take(&out).Error
	return &out, known(err)
}

// Standing is how a person stands with an exercise's limits: how many attempts there
// were up to one of them, and when the newest before now came.
func (s *Store) Standing(ctx context.Context, course, person uint64, exercise string, upTo uint64) (count int64, newest time.Time, err error) {
	q := s.db.WithContext(ctx).Model(&Attempt{}).Where("course_id = ? AND person_id = ? AND exercise = ?", course, person, exercise)
	if upTo > 0 {
		q = q.Where("id <= ?", upTo)
	}
	row := struct {
		Total  int64
		Newest *time.Time
	}{}
	err = q.Select("COUNT(*) AS total, MAX(created_at) AS newest").Scan(&row).Error
	if row.Newest != nil {
		newest = *row.Newest
	}
	return row.Total, newest, err
}

// Programs lists every attempt of a course that is a program and has a verdict, oldest
// first, at most 20,000: what a new revision is held against.
func (s *Store) Programs(ctx context.Context, course uint64) ([]AttemptLine, error) {
	var out []AttemptLine
	err := s.lines(ctx, lineColumns+", a.program").Where("a.course_id = ? AND a.kind = 'program' AND v.verdict IS NOT NULL", course).Order("a.id").Limit(20_000).Scan(&out).Error
	return out, err
}

// Recheck puts every checked attempt of some exercises back into the queue, to be
// checked by a revision.
func (s *Store) Recheck(ctx context.Context, by, course, revision uint64, exercises []string) (int64, error) {
	var n int64
	err := s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Model(&Attempt{}).Where("course_id = ? AND state IN ? AND exercise IN ?", course, []State{Checked, Stuck}, exercises).
			Updates(map[string]any{"state": Waiting, "revision_id": revision, "tries": 0, "claimed_until": nil})
		if n = done.RowsAffected; done.Error != nil {
			return done.Error
		}
		return s.audit(tx, &by, "course.recheck", fmt.Sprint(course), fmt.Sprintf("%d attempts by revision %d", n, revision))
	})
	return n, err
}

// KnowsKey reports whether a person has used a repeat key before.
func (s *Store) KnowsKey(ctx context.Context, person uint64, key string) bool {
	var n int64
	err := s.db.WithContext(ctx).Model(&Attempt{}).Where("person_id = ? AND repeat_key = ?", person, key).Count(&n).Error
	return err == nil && n > 0
}

// Predict keeps what a person said before the first attempt; what was said once stays.
func (s *Store) Predict(ctx context.Context, list []Prediction) error {
	for i := range list {
		list[i].CreatedAt = s.now()
	}
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(&list).Error
}

// Predictions lists what a person predicted in an exercise.
func (s *Store) Predictions(ctx context.Context, course, person uint64, exercise string) ([]Prediction, error) {
	var out []Prediction
	err := s.db.WithContext(ctx).Where("course_id = ? AND person_id = ? AND exercise = ?", course, person, exercise).Order("ordinal").Limit(200).Find(&out).Error
	return out, err
}

// Filter narrows a list of attempts. Before is a cursor: only attempts with a
// smaller id, newest first.
type Filter struct {
	Course   uint64
	Person   uint64 // 0: anyone
	Exercise string // "": any
	Verdict  string // "": any
	LeadCode string // "": any
	Before   uint64
	Limit    int
}

// Attempts lists attempts, newest first.
func (s *Store) Attempts(ctx context.Context, f Filter) ([]AttemptLine, error) {
	q := s.lines(ctx, lineColumns).Where("a.course_id = ?", f.Course)
	if f.Person != 0 {
		q = q.Where("a.person_id = ?", f.Person)
	}
	if f.Exercise != "" {
		q = q.Where("a.exercise = ?", f.Exercise)
	}
	if f.Verdict != "" {
		q = q.Where("v.verdict = ?", f.Verdict)
	}
	if f.LeadCode != "" {
		q = q.Where("v.lead_code = ?", f.LeadCode)
	}
	if f.Before != 0 {
		q = q.Where("a.id < ?", f.Before)
	}
	var out []AttemptLine
	err := q.Order("a.id DESC").Limit(f.Limit).Scan(&out).Error
	return out, err
}

// Latest lists each person's newest attempt of each exercise in a course: what
// the desk counts. At most 20,000.
func (s *Store) Latest(ctx context.Context, course uint64) ([]AttemptLine, error) {
	var out []AttemptLine
	err := s.lines(ctx, lineColumns).
		Joins("JOIN (SELECT MAX(id) AS id FROM attempts WHERE course_id = ? GROUP BY person_id, exercise) AS newest ON newest.id = a.id", course).
		Order("a.id").Limit(20_000).Scan(&out).Error
	return out, err
}

// Tally is what one person did in one exercise.
type Tally struct {
	PersonID uint64
	Exercise string
	Attempts int
	Best     *float64 // points of the best attempt
	Possible *float64
	Agrees   bool
	Newest   uint64
}

// Tallies sums up a course by person and exercise; person 0 is anyone. At most 20,000.
func (s *Store) Tallies(ctx context.Context, course, person uint64) ([]Tally, error) {
	q := s.db.WithContext(ctx).Table("attempts AS a").
		Select("a.person_id, a.exercise, COUNT(*) AS attempts, MAX(v.earned) AS best, MAX(v.possible) AS possible, COALESCE(MAX(v.verdict = 'agrees'), 0) AS agrees, MAX(a.id) AS newest").
		Joins("LEFT JOIN verdicts AS v ON v.attempt_id = a.id").Where("a.course_id = ?", course)
	if person != 0 {
		q = q.Where("a.person_id = ?", person)
	}
	var out []Tally
	err := q.Group("a.person_id, a.exercise").Limit(20_000).Scan(&out).Error
	return out, err
}

// CountAttempts returns how many attempts a course has, and how many wait for a
// verdict.
func (s *Store) CountAttempts(ctx context.Context, course uint64) (all, waiting int64, err error) {
	row := struct{ Total, Open int64 }{}
	err = s.db.WithContext(ctx).Table("attempts").Select("COUNT(*) AS total, COALESCE(SUM(state IN ('waiting', 'checking')), 0) AS open").Where("course_id = ?", course).Scan(&row).Error
	return row.Total, row.Open, err
}

// QueueLength returns how many attempts of all courses wait or are being checked.
func (s *Store) QueueLength(ctx context.Context) (int64, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Attempt{}).Where("state IN ?", []State{Waiting, Checking}).Count(&n).Error
	return n, err
}

// ChangesSince lists changes made at a time or later, oldest first, at most 5000.
func (s *Store) ChangesSince(ctx context.Context, since time.Time) ([]Change, error) {
	var out []Change
	err := s.db.WithContext(ctx).Where("created_at >= ?", since).Order("created_at, id").Limit(5000).Find(&out).Error
	return out, err
}

// ForgetChanges removes changes that every desk has seen long since.
func (s *Store) ForgetChanges(ctx context.Context, before time.Time) error {
	return s.db.WithContext(ctx).Where("created_at < ?", before).Limit(1000).Delete(&Change{}).Error
}
