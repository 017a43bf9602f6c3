package store

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// AdjustmentKind says what an adjustment does.
type AdjustmentKind string

// The kinds of adjustments.
const (
	SetPoints AdjustmentKind = "set"
	AddPoints AdjustmentKind = "add"
	Excused   AdjustmentKind = "excused"
)

// Adjustment changes what a person's attempts at an exercise are worth, by hand.
type Adjustment struct {
	ID          uint64
	CourseID    uint64
	PersonID    uint64
	Exercise    string
	Kind        AdjustmentKind
	Points      string // a decimal number; "" where excused
	Beyond      bool   // the points may lie below 0 or above what is possible
	Reason      string
	GivenBy     *uint64
	CreatedAt   time.Time
	WithdrawnAt *time.Time

	// The attempt that counted when it was given, and its verdict; nil for none.
	UnderAttempt  *uint64
	UnderEarned   float64
	UnderPossible float64
}

// Adjust gives an adjustment in the place of the one before.
func (s *Store) Adjust(ctx context.Context, x *Adjustment, course, person string) error {
	x.CreatedAt = s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		x.ID = 0
		// Of two at once the second replaces the first.
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("course_id = ? AND person_id = ?", x.CourseID,
			x.PersonID).
			Take(&Membership{}).Error
		if err != nil {
			return known(err)
		}
		before, err := s.withdrawAdjustment(tx, x.CourseID, x.PersonID, x.Exercise, x.CreatedAt)
		if err != nil {
			return err
		}
		if err := tx.Create(x).Error; err != nil {
			return err
		}
		if err := tx.Create(&Change{CourseID: &x.CourseID, Kind: "people", CreatedAt: x.CreatedAt}).Error; err != nil {
			return err
		}
		return s.audit(tx, x.GivenBy, "grade.adjust", course+"/"+person, fmt.Sprintf("%s: %s %s, was %s, reason %q",
			x.Exercise, x.Kind, x.Points, before, x.Reason))
	})
}

// WithdrawAdjustment takes an adjustment back; ErrNotFound where there is none.
func (s *Store) WithdrawAdjustment(ctx context.Context, by uint64, c *Course, p *Person, exercise string) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		before, err := s.withdrawAdjustment(tx, c.ID, p.ID, exercise, s.now())
		switch {
		case err != nil:
			return err
		case before == "none":
			return ErrNotFound
		}
		if err := tx.Create(&Change{CourseID: &c.ID, Kind: "people", CreatedAt: s.now()}).Error; err != nil {
			return err
		}
		return s.audit(tx, &by, "grade.adjust", c.Slug+"/"+p.Name, fmt.Sprintf("%s: none, was %s", exercise, before))
	})
}

// withdrawAdjustment ends the adjustment that holds, and says what it was.
func (s *Store) withdrawAdjustment(tx *gorm.DB, course, person uint64, exercise string, at time.Time) (was string,
	err error) {
	var list []Adjustment
	err = tx.Raw("SELECT * FROM adjustments WHERE course_id = ? AND person_id = ? AND exercise = ? AND withdrawn_at IS "+
		"NULL",
		course, person, exercise).Scan(&list).Error
	if err != nil || len(list) == 0 {
		return "none", err
	}
	err = tx.Exec("UPDATE adjustments SET withdrawn_at = ? WHERE course_id = ? AND person_id = ? AND exercise = ? AND "+
		"withdrawn_at IS NULL", at, course, person, exercise).Error
	return fmt.Sprint(list[0].Kind, " ", list[0].Points), err
}

// AdjustmentLine is an adjustment with the names of whom it concerns and who gave it.
type AdjustmentLine struct {
	Adjustment
	By *string
}

// Adjustments lists the adjustments that held in a course at a time, or of one person of it.
func (s *Store) Adjustments(ctx context.Context, course, person uint64, at time.Time) ([]AdjustmentLine, error) {
	q := s.db.WithContext(ctx).Table("adjustments AS x").Select("x.*, b.display AS `by`").
		Joins("LEFT JOIN people AS b ON b.id = x.given_by").Where("x.course_id = ?", course)
	if person != 0 {
		q = q.Where("x.person_id = ?", person)
	}
	var out []AdjustmentLine
	err := q.Where("x.created_at <= ? AND (x.withdrawn_at IS NULL OR x.withdrawn_at > ?)", at, at).Order("x.id").
		Scan(&out).
		Error
	return out, err
}

// AdjustmentHistory lists all adjustments of a person in an exercise, newest first.
func (s *Store) AdjustmentHistory(ctx context.Context, course, person uint64, exercise string) ([]AdjustmentLine,
	error) {
	var out []AdjustmentLine
	err := s.db.WithContext(ctx).Table("adjustments AS x").Select("x.*, b.display AS `by`").
		Joins("LEFT JOIN people AS b ON b.id = x.given_by").
		Where("x.course_id = ? AND x.person_id = ? AND x.exercise = ?", course, person, exercise).
		Order("x.id DESC").Limit(200).Scan(&out).Error
	return out, err
}

// ExtensionsAt lists all extensions that held in a course at a time, newest first.
func (s *Store) ExtensionsAt(ctx context.Context, course uint64, at time.Time) ([]Extension, error) {
	var out []Extension
	err := s.db.WithContext(ctx).Raw("SELECT * FROM extensions FORCE INDEX (extensions_course) WHERE course_id = ? AND "+
		"created_at <= ? AND (withdrawn_at IS NULL OR withdrawn_at > ?) ORDER BY id DESC", course, at, at).Scan(&out).Error
	return out, err
}

// Try is an attempt with a verdict, as far as grades need it.
type Try struct {
	ID        uint64
	PersonID  uint64
	Exercise  string
	CreatedAt time.Time
	Earned    float64
	Possible  float64
}

// Counted is how a person stands in an exercise, with the verdicts of their best and their newest attempt.
type Counted struct {
	PersonID                     uint64
	Exercise                     string
	Tries                        int
	FirstAt                      time.Time
	NewestAt                     time.Time
	BestID, NewestID             uint64
	BestEarned, BestPossible     float64
	NewestEarned, NewestPossible float64
}

// CountedIn lists how everybody stands in some exercises of a course, or those of some groups.
func (s *Store) CountedIn(ctx context.Context, course uint64, exercises []string, among ...string) ([]Counted, error) {
	const columns = "SELECT s.person_id, s.exercise, s.tries, s.first_at, s.newest_at, s.best_id, s.newest_id, " +
		"s.best_earned, " +
		"s.best_possible, s.newest_earned, s.newest_possible, COALESCE(s.best_of = s.best_id AND s.newest_of = " +
		"s.newest_id, " +
		"FALSE) AS whole FROM "
	q := s.db.WithContext(ctx).Raw(columns+"standing AS s FORCE INDEX (PRIMARY) WHERE s.course_id = ? AND "+
		"s.exercise IN ?", course, exercises)
	if len(among) > 0 {
		q = s.db.WithContext(ctx).Raw(columns+"memberships AS m FORCE INDEX (memberships_group) STRAIGHT_JOIN standing AS s "+
			"FORCE INDEX (PRIMARY) ON s.course_id = m.course_id AND s.person_id = m.person_id WHERE m.course_id = ? AND "+
			"m.group_name IN ? AND s.exercise IN ?", course, among, exercises)
	}
	// Read row by row: there are tens of thousands.
	rows, err := q.Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Counted
	var partial []int // rows that a process of an earlier release has written
	for rows.Next() {
		var c Counted
		var best, earned, possible sql.NullFloat64
		var whole bool
		err := rows.Scan(&c.PersonID, &c.Exercise, &c.Tries, &c.FirstAt, &c.NewestAt, &c.BestID, &c.NewestID, &c.BestEarned,
			&best, &earned, &possible, &whole)
		if err != nil {
			return nil, err
		}
		c.BestPossible, c.NewestEarned, c.NewestPossible = best.Float64, earned.Float64, possible.Float64
		if !whole {
			partial = append(partial, len(out))
		}
		out = append(out, c)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	return out, s.complete(ctx, out, partial)
}

// complete looks the points up that rows lack.
func (s *Store) complete(ctx context.Context, list []Counted, partial []int) error {
	for some := range slices.Chunk(partial, rosterAt) {
		ids := make([]uint64, 0, 2*len(some))
		for _, i := range some {
			ids = append(ids, list[i].BestID, list[i].NewestID)
		}
		var verdicts []Verdict
		err := s.db.WithContext(ctx).Raw("SELECT attempt_id, "+countedPoints+" FROM verdicts AS v WHERE attempt_id IN ?",
			ids).
			Scan(&verdicts).Error
		if err != nil {
			return err
		}
		points := make(map[uint64]Verdict, len(verdicts))
		for _, v := range verdicts {
			points[v.AttemptID] = v
		}
		for _, i := range some {
			c, best, newest := &list[i], points[list[i].BestID], points[list[i].NewestID]
			c.BestEarned, c.BestPossible = best.Earned, best.Possible
			c.NewestEarned, c.NewestPossible = newest.Earned, newest.Possible
		}
	}
	return nil
}

// countedPoints are the points of a verdict that count for the grade: those of an earlier one where a re-check kept the
// better.
const countedPoints = "COALESCE(v.kept_earned, v.earned) AS earned, COALESCE(v.kept_possible, v.possible) AS possible"

// triesAt is of how many people tries are read in one go.
const triesAt = 200

// Tries lists the attempts of some people at an exercise that have a verdict, the oldest first.
func (s *Store) Tries(ctx context.Context, course uint64, exercise string, people []uint64) ([]Try, error) {
	var out []Try
	for some := range slices.Chunk(people, triesAt) {
		var page []Try
		err := s.db.WithContext(ctx).Raw("SELECT a.id, a.person_id, a.exercise, a.created_at, "+countedPoints+" FROM "+
			"attempts AS a FORCE INDEX (attempts_own) STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id WHERE a.course_id = ? "+
			"AND a.exercise = ? AND a.person_id IN ? ORDER BY a.id", course, exercise, some).Scan(&page).Error
		if err != nil {
			return nil, err
		}
		out = append(out, page...)
	}
	return out, nil
}

// TriesOf lists a person's attempts in a course that have a verdict, the oldest first.
func (s *Store) TriesOf(ctx context.Context, course, person uint64) ([]Try, error) {
	var out []Try
	err := s.db.WithContext(ctx).Raw("SELECT a.id, a.person_id, a.exercise, a.created_at, "+countedPoints+" FROM "+
		"attempts AS a FORCE INDEX (attempts_mine) STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id WHERE a.course_id = ? "+
		"AND a.person_id = ? ORDER BY a.id", course, person).Scan(&out).Error
	return out, err
}

// TriesAsOf lists the attempts of a course that had a verdict at a time, with the verdicts that they had then, the
// oldest first, the next so many behind an id.
func (s *Store) TriesAsOf(ctx context.Context, course uint64, at time.Time, after uint64, limit int) ([]Try, error) {
	var out []Try
	err := s.db.WithContext(ctx).Raw("SELECT a.id, a.person_id, a.exercise, a.created_at, IF(v.created_at <= ?, "+
		"COALESCE(v.kept_earned, v.earned), p.earned) AS earned, IF(v.created_at <= ?, COALESCE(v.kept_possible, "+
		"v.possible), p.possible) AS possible FROM attempts AS a FORCE INDEX (attempts_desk) LEFT JOIN verdicts AS v ON "+
		"v.attempt_id = a.id LEFT JOIN past_verdicts AS p FORCE INDEX (PRIMARY) ON p.attempt_id = a.id AND p.stored_at <= ? "+
		"AND p.replaced_at > ? WHERE a.course_id = ? AND a.id > ? AND a.created_at <= ? AND (v.created_at <= ? OR "+
		"p.attempt_id IS NOT NULL) ORDER BY a.id LIMIT ?", at, at, at, at, course, after, at, at,
		limit).
		Scan(&out).Error
	return out, err
}

// RevisionAsOf finds the revision of a course that was current at a time; ErrNotFound where none was.
func (s *Store) RevisionAsOf(ctx context.Context, course uint64, at time.Time) (uint64, error) {
	var id uint64
	err := s.db.WithContext(ctx).Raw("SELECT id FROM revisions WHERE course_id = ? AND created_at <= ? ORDER BY number "+
		"DESC LIMIT 1", course, at).Scan(&id).Error
	if err == nil && id == 0 {
		err = ErrNotFound
	}
	return id, err
}

// Roll lists a course's students for its gradebook by their names to sign in with: all, one, or those of some groups.
// Who has left is on it too.
func (s *Store) Roll(ctx context.Context, course, person uint64, among ...string) ([]Member, error) {
	return s.Members(ctx, MemberFilter{Course: course, Person: person, Role: Student, Groups: among, Limit: mostRolled})
}

// mostRolled bounds the students of a gradebook.
const mostRolled = 100_000
