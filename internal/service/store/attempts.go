package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Bounds are what a student's attempts at an exercise are compared with; what is 0 bounds
// nothing.
type Bounds struct {
	Limit   int           // attempts at the exercise
	Wait    time.Duration // between two of them
	Waiting int           // attempts that wait for a verdict, in all courses

	// Claim is how long the process that stores the attempt keeps it to check it itself. It does
	// where the person has no other that waits or is being checked: else the line decides.
	Claim time.Duration
}

// Refused says which bound an attempt passes; it was not stored.
type Refused struct {
	Limit   int           // there are so many already
	Wait    time.Duration // so much is left to wait
	Waiting int           // so many wait already
}

func (r *Refused) Error() string { return "the attempt exceeds a limit" }

// turnGap is how far behind another an attempt of the same person is in the line.
const turnGap = 5 * time.Second

// HandIn stores an attempt before anything else is done with it. With a repeat
// key that the person has used before it returns the attempt of that time. A person's
// attempts are stored one after the other, so that bounds hold however many come at once.
func (s *Store) HandIn(ctx context.Context, a *Attempt, b Bounds) (repeated bool, err error) {
	wanted := *a
	if wanted.Kind == "" {
		wanted.Kind = "program"
	}
	given := wanted.RepeatKey != nil
	if !given { // a transaction whose answer was lost is run again, and stores once
		key, err := repeatKey()
		if err != nil {
			return false, err
		}
		wanted.RepeatKey = &key
	}
	maybe := false // an attempt with the key may be there: asked where something speaks for it
	for range mostNumbers {
		repeated, err = s.handIn(ctx, a, wanted, given, maybe, b)
		var bound *Refused
		taken := errors.Is(err, gorm.ErrDuplicatedKey) // the key, or the number by another node
		if !taken && (maybe || !given || !errors.As(err, &bound)) {
			break
		}
		maybe = true
	}
	return repeated, known(err)
}

// mostNumbers bounds how often an attempt is numbered anew.
const mostNumbers = 10

// handIn tries to store an attempt. given says that its key is the client's, maybe that one with
// that key may be there already.
func (s *Store) handIn(ctx context.Context, a *Attempt, wanted Attempt, given, maybe bool, b Bounds) (repeated bool,
	err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		*a, repeated = wanted, false
		var person Person
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Select("id").Take(&person, a.PersonID).Error; err != nil {
			return err
		}
		if maybe {
			before, err := keyed(tx, a.PersonID, *a.RepeatKey)
			if err == nil {
				*a, repeated = *before, given // else a run before this one stored it
				return nil
			}
			if !errors.Is(err, gorm.ErrRecordNotFound) {
				return err
			}
		}
		maybe = true // should this run be refused, or its answer lost
		now := s.now()
		waiting, checking, err := s.bounded(tx, a, b, now)
		if err != nil {
			return err
		}
		due := now.Add(time.Duration(waiting) * turnGap)
		a.ID, a.State, a.CreatedAt, a.Due = 0, Waiting, now, &due
		if b.Claim > 0 && waiting == 0 && checking == 0 {
			until := now.Add(b.Claim)
			a.State, a.ClaimedUntil, a.Tries = Checking, &until, 1
		}
		if err := tx.Create(a).Error; err != nil {
			return err
		}
		return tx.Create(&Change{CourseID: a.CourseID, AttemptID: &a.ID, Kind: "attempt", CreatedAt: now}).Error
	})
	return repeated, err
}

// repeatKey makes a key that nobody has used.
func repeatKey() (string, error) {
	raw := make([]byte, 12)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	return "own " + hex.EncodeToString(raw), nil
}

// bounded holds an attempt against its bounds, numbers it, and counts the person's
// attempts that wait or are being checked.
func (s *Store) bounded(tx *gorm.DB, a *Attempt, b Bounds, now time.Time) (waiting, checking int, err error) {
	var before struct {
		Waiting  int
		Checking int
		Number   *int
		Newest   *time.Time
	}
	err = tx.Raw(`SELECT (SELECT COUNT(*) FROM attempts WHERE person_id = @person AND state = 'waiting'
		AND NOT behind) AS waiting,
			(SELECT COUNT(*) FROM attempts WHERE person_id = @person AND state = 'checking') AS checking,
			last.number, last.created_at AS newest
		FROM (SELECT 1) AS one LEFT JOIN (SELECT number, created_at FROM attempts FORCE INDEX (attempts_own)
			WHERE person_id = @person AND course_id = @course AND exercise = @exercise
			ORDER BY id DESC LIMIT 1) AS last ON TRUE`,
		map[string]any{"person": a.PersonID, "course": a.CourseID, "exercise": a.Exercise}).Scan(&before).Error
	if err != nil {
		return 0, 0, err
	}
	a.Number = 1
	if before.Number != nil {
		a.Number = *before.Number + 1
	}
	switch {
	case b.Limit > 0 && a.Number > b.Limit:
		return 0, 0, &Refused{Limit: b.Limit}
	case b.Wait > 0 && before.Newest != nil && now.Sub(*before.Newest) < b.Wait:
		return 0, 0, &Refused{Wait: b.Wait - now.Sub(*before.Newest)}
	case b.Waiting > 0 && before.Waiting >= b.Waiting:
		return 0, 0, &Refused{Waiting: before.Waiting}
	}
	return before.Waiting, before.Checking, nil
}

// Keyed finds the attempt that a person handed in with a repeat key.
func (s *Store) Keyed(ctx context.Context, person uint64, key string) (*Attempt, error) {
	a, err := keyed(s.db.WithContext(ctx), person, key)
	return a, known(err)
}

func keyed(db *gorm.DB, person uint64, key string) (*Attempt, error) {
	var a Attempt
	return &a, db.Where("person_id = ? AND repeat_key = ?", person, key).Take(&a).Error
}

// Claim takes an attempt that waits and marks it as being checked for a while. It returns
// nil when there is none. Of each line a process takes its own share first, and what is late of the
// others'. Attempts handed in go before those checked again; courses are
// served in turn, the next after the one given first; within a course the one that is due
// is, of a person that has none being checked. Rows that other processes are claiming are
// passed over, so nobody waits.
func (s *Store) Claim(ctx context.Context, life time.Duration, after uint64, share Share) (*Attempt, error) {
	var lines []struct {
		Behind   bool
		CourseID uint64
	}
	err := s.db.WithContext(ctx).Raw("SELECT DISTINCT behind, course_id FROM attempts FORCE INDEX (attempts_line) WHERE " +
		"state = 'waiting' ORDER BY behind, course_id").Scan(&lines).Error
	if err != nil {
		return nil, err
	}
	for _, behind := range []bool{false, true} {
		var courses []uint64
		for _, l := range lines {
			if l.Behind == behind {
				courses = append(courses, l.CourseID)
			}
		}
		at, _ := slices.BinarySearch(courses, after+1)
		for _, course := range slices.Concat(courses[at:], courses[:at]) {
			a, err := s.claimIn(ctx, course, behind, life, share, true)
			if a == nil && err == nil && share.Of > 1 {
				a, err = s.claimIn(ctx, course, behind, life, share, false)
			}
			if a != nil || err != nil {
				return a, err
			}
		}
	}
	return nil, nil
}

func (s *Store) claimIn(ctx context.Context, course uint64, behind bool, life time.Duration, share Share,
	own bool) (*Attempt, error) {
	var a Attempt
	which, args := "TRUE", []any{behind, course}
	switch {
	case own && share.Of > 1:
		which, args = "a.id MOD ? = ?", append(args, share.Of, share.Index)
	case !own:
		which, args = "a.due < ?", append(args, s.now().Add(-lateBy))
	}
	err := s.tx(ctx, func(tx *gorm.DB) error {
		a = Attempt{}
		err := tx.Raw(`SELECT a.* FROM attempts AS a FORCE INDEX (attempts_line)
			WHERE a.state = 'waiting' AND a.behind = ? AND a.course_id = ? AND `+which+`
			AND NOT EXISTS (SELECT 1 FROM attempts AS b WHERE b.person_id = a.person_id AND b.state = 'checking')
			ORDER BY a.due, a.id LIMIT 1 FOR UPDATE SKIP LOCKED`, args...).Scan(&a).Error
		if err != nil || a.ID == 0 {
			return err
		}
		until := s.now().Add(life)
		a.State, a.ClaimedUntil = Checking, &until
		a.Tries++
		return tx.Model(&a).Select("state", "claimed_until", "tries").Updates(&a).Error
	})
	if err != nil || a.ID == 0 {
		return nil, err
	}
	return &a, nil
}

// Extend lets claims last longer, while their process is at work on them.
func (s *Store) Extend(ctx context.Context, ids []uint64, life time.Duration) error {
	if len(ids) == 0 {
		return nil
	}
	return s.db.WithContext(ctx).Model(&Attempt{}).Where("id IN ? AND state = ?", ids, Checking).Update("claimed_until",
		s.now().Add(life)).Error
}

// mostExpired bounds the claims that are looked at in one go.
const mostExpired = 200

// Expire gives claims back that have run out, whose process died or lost its way: to the
// end of the line, or as stuck where that has happened often enough. Those are returned.
func (s *Store) Expire(ctx context.Context, mostTries int) (stuck []Attempt, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		stuck = nil
		var over []Attempt
		err := tx.Clauses(clause.Locking{Strength: "UPDATE", Options: "SKIP LOCKED"}).
			Where("state = ? AND claimed_until < ?", Checking, s.now()).Order("claimed_until").Limit(mostExpired).Find(&over).
			Error
		if err != nil {
			return err
		}
		for i := range over {
			if over[i].Tries >= mostTries {
				stuck = append(stuck, over[i])
			}
			if err := s.giveBack(tx, &over[i], mostTries); err != nil {
				return err
			}
		}
		return nil
	})
	return stuck, err
}

// GiveBack returns a claimed attempt to the end of the line, or marks it stuck when it has
// been tried often enough.
func (s *Store) GiveBack(ctx context.Context, a *Attempt, mostTries int) error {
	return s.tx(ctx, func(tx *gorm.DB) error { return s.giveBack(tx, a, mostTries) })
}

func (s *Store) giveBack(tx *gorm.DB, a *Attempt, mostTries int) error {
	state := Waiting
	if a.Tries >= mostTries {
		state = Stuck
	}
	done := tx.Model(&Attempt{}).Where("id = ? AND state = ?", a.ID, Checking).Updates(map[string]any{"state": state,
		"claimed_until": nil, "due": s.now()})
	if done.Error != nil || done.RowsAffected == 0 {
		return done.Error
	}
	return tx.Create(&Change{CourseID: a.CourseID, AttemptID: &a.ID, Kind: "verdict", CreatedAt: s.now()}).Error
}

// Finish stores an attempt's verdict and findings, once: a second finish of the
// same attempt changes nothing, nor does one by another revision than it is to be checked
// by.
func (s *Store) Finish(ctx context.Context, a *Attempt, v *Verdict, findings []Finding) error {
	v.AttemptID, v.CourseID, v.Exercise, v.PersonID, v.CreatedAt = a.ID, a.CourseID, a.Exercise, a.PersonID, s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Model(&Attempt{}).Where("id = ? AND state <> ? AND revision_id = ?", a.ID, Checked, a.RevisionID).
			Updates(map[string]any{"state": Checked, "claimed_until": nil})
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		// A re-check puts a verdict in the place of the one before; what was handed in has none.
		for _, old := range []any{&Finding{}, &Verdict{}} {
			if !a.Behind {
				break
			}
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
	OpenCode   *string
	OpenOutput *string
	FromCause  *bool
	Body       *string
	Seconds    *float64
	CheckedAt  *time.Time
}

const lineColumns = "a.id, a.course_id, a.revision_id, a.exercise, a.kind, a.person_id, a.number, a.state, " +
	"a.created_at, a.tries, p.name AS person_name, p.display, v.verdict, v.earned, v.possible, v.lead_code, " +
	"v.lead_output, v.open_code, v.open_output, v.from_cause, v.seconds, v.created_at AS checked_at"

func (s *Store) lines(ctx context.Context, columns string) *gorm.DB {
	return s.db.WithContext(ctx).Table("attempts AS a").Select(columns).Joins("JOIN people AS p ON p.id = a.person_id").
		Joins("LEFT JOIN verdicts AS v ON v.attempt_id = a.id")
}

// AttemptByID finds an attempt with its program and its verdict's body.
func (s *Store) AttemptByID(ctx context.Context, id uint64) (*AttemptLine, error) {
	var out AttemptLine
	err := s.lines(ctx, lineColumns+", a.program, a.results, v.body").Where("a.id = ?", id).Take(&out).Error
	return &out, known(err)
}

// programsAt is how many programs are read in one go.
const programsAt = 500

// Programs reads the attempts of a course that are programs and have a verdict, newest
// first, the next so many below an id: what a new revision is compared with.
func (s *Store) Programs(ctx context.Context, course, before uint64) ([]AttemptLine, error) {
	q := s.db.WithContext(ctx).Table("attempts AS a FORCE INDEX (attempts_desk)").Select(lineColumns+", a.program").
		Joins("STRAIGHT_JOIN people AS p ON p.id = a.person_id").Joins("STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id").
		Where("a.course_id = ? AND a.kind = 'program'", course)
	if before > 0 {
		q = q.Where("a.id < ?", before)
	}
	var out []AttemptLine
	err := q.Order("a.id DESC").Limit(programsAt).Scan(&out).Error
	return out, err
}

// recheckAt is how many attempts are put back in one transaction.
const recheckAt = 1000

// Recheck puts every checked attempt of some exercises back into the line, behind those
// handed in, to be checked by a revision. It goes in batches, so that no transaction holds
// a course for long.
func (s *Store) Recheck(ctx context.Context, by, course, revision uint64, exercises []string) (int64, error) {
	var n int64
	for _, exercise := range exercises {
		last := uint64(0)
		for {
			var ids []uint64
			err := s.db.WithContext(ctx).Raw("SELECT id FROM attempts FORCE INDEX (attempts_exercise) WHERE course_id = ? "+
				"AND exercise = ? AND id > ? ORDER BY id LIMIT ?", course, exercise, last, recheckAt).Scan(&ids).Error
			if err != nil || len(ids) == 0 {
				if err != nil {
					return n, err
				}
				break
			}
			last = ids[len(ids)-1]
			done := s.db.WithContext(ctx).Model(&Attempt{}).Where("id IN ? AND state IN ?", ids, []State{Checked, Stuck}).
				Updates(map[string]any{"state": Waiting, "behind": true, "due": s.now(), "revision_id": revision, "tries": 0,
					"claimed_until": nil})
			if done.Error != nil {
				return n, done.Error
			}
			n += done.RowsAffected
		}
	}
	return n, s.tx(ctx, func(tx *gorm.DB) error {
		return s.audit(tx, &by, "course.recheck", fmt.Sprint(course), fmt.Sprintf("%d attempts by revision %d", n, revision))
	})
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
	err := s.db.WithContext(ctx).Where("course_id = ? AND person_id = ? AND exercise = ?", course, person, exercise).
		Order("ordinal").Limit(200).Find(&out).Error
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

// Attempts lists attempts, newest first. Each filter is read from an index of its own,
// and the next page from where the last one ended.
func (s *Store) Attempts(ctx context.Context, f Filter) ([]AttemptLine, error) {
	q := s.db.WithContext(ctx)
	where := func(column string, value any) { q = q.Where(column+" = ?", value) }
	if f.LeadCode != "" || f.Verdict != "" {
		index := "verdicts_lead"
		switch {
		case f.Person != 0:
			index = "verdicts_own"
		case f.LeadCode != "" && f.Exercise != "":
			index = "verdicts_exercise_lead"
		case f.LeadCode == "" && f.Exercise != "":
			index = "verdicts_exercise_word"
		case f.LeadCode == "":
			index = "verdicts_word"
		}
		q = q.Table("verdicts AS v FORCE INDEX (" + index + ")").Joins("STRAIGHT_JOIN attempts AS a ON a.id = v.attempt_id").
			Order("v.attempt_id DESC")
		where("v.course_id", f.Course)
		if f.LeadCode != "" {
			where("v.lead_code", f.LeadCode)
		}
		if f.Verdict != "" {
			where("v.verdict", f.Verdict)
		}
		if f.Exercise != "" {
			where("v.exercise", f.Exercise)
		}
		if f.Person != 0 {
			where("v.person_id", f.Person)
		}
		if f.Before != 0 {
			q = q.Where("v.attempt_id < ?", f.Before)
		}
		q = q.Joins("STRAIGHT_JOIN people AS p ON p.id = a.person_id")
	} else {
		index := "attempts_desk"
		switch {
		case f.Person != 0 && f.Exercise != "":
			index = "attempts_own"
		case f.Person != 0:
			index = "attempts_mine"
		case f.Exercise != "":
			index = "attempts_exercise"
		}
		q = q.Table("attempts AS a FORCE INDEX (" + index + ")").Order("a.id DESC")
		where("a.course_id", f.Course)
		if f.Exercise != "" {
			where("a.exercise", f.Exercise)
		}
		if f.Person != 0 {
			where("a.person_id", f.Person)
		}
		if f.Before != 0 {
			q = q.Where("a.id < ?", f.Before)
		}
		q = q.Joins("STRAIGHT_JOIN people AS p ON p.id = a.person_id").Joins("LEFT JOIN verdicts AS v ON v.attempt_id = a.id")
	}
	var out []AttemptLine
	err := q.Select(lineColumns).Limit(f.Limit).Scan(&out).Error
	return out, err
}

// newestOf is each person's newest attempt of each exercise in a course.
const newestOf = "(SELECT MAX(id) AS id FROM attempts FORCE INDEX (attempts_newest) WHERE course_id = ? GROUP BY " +
	"person_id, exercise) AS newest"

// newest joins a course's newest attempts with their verdicts; students' alone, or
// everybody's.
func (s *Store) newest(ctx context.Context, course uint64, students bool) *gorm.DB {
	q := s.db.WithContext(ctx).Table(newestOf, course).Joins("STRAIGHT_JOIN attempts AS a ON a.id = newest.id").
		Joins("LEFT JOIN verdicts AS v ON v.attempt_id = a.id")
	if students {
		q = q.Joins("JOIN memberships AS m ON m.course_id = a.course_id AND m.person_id = a.person_id").Where("m.role = ?",
			Student)
	}
	return q
}

// Standing counts a course's students by exercise and by their newest attempt there.
type Standing struct {
	Exercise string
	State    State
	Verdict  *string
	People   int
	Tries    int // their attempts at the exercise, all of them
}

// Standings counts how the students of a course are in each exercise. An attempt that is
// checked again counts by the verdict it has.
func (s *Store) Standings(ctx context.Context, course uint64) ([]Standing, error) {
	var out []Standing
	err := s.newest(ctx, course, true).Select("a.exercise, a.state, v.verdict, COUNT(*) AS people, SUM(a.number) AS " +
		"tries").
		Group("a.exercise, a.state, v.verdict").Scan(&out).Error
	return out, err
}

// Knot is all newest attempts of students at one exercise that do not agree and have one
// lead.
type Knot struct {
	Exercise, LeadCode, LeadOutput string
	People                         int
	Newest                         time.Time
	Since                          time.Time
	Attempts                       string // ids, the newest first, at most mostOfKnot
}

// mostOfKnot bounds the attempts that a knot names; People counts all.
const mostOfKnot = 200

// Knots groups the open attempts of a course, the largest groups first.
func (s *Store) Knots(ctx context.Context, course uint64) ([]Knot, error) {
	var out []Knot
	err := s.newest(ctx, course, true).
		Select(fmt.Sprintf("a.exercise, v.lead_code, v.lead_output, COUNT(*) AS people, MIN(a.created_at) AS since, "+
			"MAX(a.created_at) AS newest, GROUP_CONCAT(a.id ORDER BY a.id DESC LIMIT %d) AS attempts", mostOfKnot)).
		Where("v.verdict <> 'agrees'").Group("a.exercise, v.lead_code, v.lead_output").Order("people DESC, newest DESC").
		Scan(&out).Error
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

// Tallies sums up what a person did in a course, exercise by exercise, or in one of them.
func (s *Store) Tallies(ctx context.Context, course, person uint64, exercise string) ([]Tally, error) {
	index := "attempts_newest"
	q := s.db.WithContext(ctx).Table("attempts AS a FORCE INDEX ("+index+")").
		Select("a.person_id, a.exercise, COUNT(*) AS attempts, MAX(v.earned) AS best, MAX(v.possible) AS possible, "+
			"COALESCE(MAX(v.verdict = 'agrees'), 0) AS agrees, MAX(a.id) AS newest").
		Joins("LEFT JOIN verdicts AS v ON v.attempt_id = a.id").Where("a.course_id = ? AND a.person_id = ?", course, person)
	if exercise != "" {
		q = q.Where("a.exercise = ?", exercise)
	}
	var out []Tally
	err := q.Group("a.person_id, a.exercise").Scan(&out).Error
	return out, err
}

// CountAttempts returns how many attempts a course has, and how many of them wait for a
// verdict or are stuck.
func (s *Store) CountAttempts(ctx context.Context, course uint64) (all, waiting, stuck int64, err error) {
	var total struct{ Total int64 }
	if err = s.newest(ctx, course, false).Select("COALESCE(SUM(a.number), 0) AS total").Scan(&total).Error; err != nil {
		return 0, 0, 0, err
	}
	var open []struct {
		State State
		N     int64
	}
	err = s.db.WithContext(ctx).Raw("SELECT state, COUNT(*) AS n FROM attempts FORCE INDEX (attempts_line) WHERE state "+
		"IN ('waiting', 'checking', 'stuck') AND behind IN (0, 1) AND course_id = ? GROUP BY state", course).Scan(&open).Error
	for _, o := range open {
		if o.State == Stuck {
			stuck += o.N
		} else {
			waiting += o.N
		}
	}
	return total.Total, waiting, stuck, err
}

// Wait returns how many attempts wait that a worker may take, up to so many.
func (s *Store) Wait(ctx context.Context, most int) (int, error) {
	var ids []uint64
	err := s.db.WithContext(ctx).Raw(`SELECT a.id FROM attempts AS a FORCE INDEX (attempts_line) WHERE a.state = 'waiting'
		AND NOT EXISTS (SELECT 1 FROM attempts AS b WHERE b.person_id = a.person_id AND b.state = 'checking') LIMIT ?`, most).
		Scan(&ids).Error
	return len(ids), err
}

// QueueLength returns how many attempts of all courses wait or are being checked.
func (s *Store) QueueLength(ctx context.Context) (int64, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Attempt{}).Where("state IN ?", []State{Waiting, Checking}).Count(&n).Error
	return n, err
}

// changesAt is how many changes are read in one go.
const changesAt = 5000

// ChangesSince lists changes made after a time, or at it with a greater id, oldest first;
// whole is false where more follow.
func (s *Store) ChangesSince(ctx context.Context, since time.Time, after uint64) (list []Change, whole bool,
	err error) {
	err = s.db.WithContext(ctx).Where("created_at >= ? AND (created_at > ? OR id > ?)", since, since, after).
		Order("created_at, id").Limit(changesAt).Find(&list).Error
	return list, len(list) < changesAt, err
}

// forgetAt is how many changes are removed in one transaction.
const forgetAt = 1000

// ForgetChanges removes changes that every desk has seen long since.
func (s *Store) ForgetChanges(ctx context.Context, before time.Time) error {
	for {
		done := s.db.WithContext(ctx).Where("created_at < ?", before).Order("created_at, id").Limit(forgetAt).
			Delete(&Change{})
		if done.Error != nil || done.RowsAffected < forgetAt {
			return done.Error
		}
	}
}
