package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

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

	// The points that count for the grade, where a re-check has kept better ones than the verdict's.
	KeptEarned   *float64
	KeptPossible *float64

	Body      *string
	Seconds   *float64
	CheckedAt *time.Time
}

const lineColumns = "a.id, a.course_id, a.revision_id, a.exercise, a.kind, a.person_id, a.number, a.state, " +
	"a.created_at, a.late, a.tries, a.ticket_id, p.name AS person_name, p.display, v.verdict, v.earned, v.possible, " +
	"v.lead_code, " +
	"v.lead_output, v.open_code, v.open_output, v.from_cause, v.kept_earned, v.kept_possible, v.seconds, v.created_at " +
	"AS checked_at"

func (s *Store) lines(ctx context.Context, columns string) *gorm.DB {
	return s.db.WithContext(ctx).Table("attempts AS a").Select(columns).Joins("JOIN people AS p ON p.id = a.person_id").
		Joins("LEFT JOIN verdicts AS v ON v.attempt_id = a.id")
}

// AttemptByID finds an attempt with its program and its verdict's body.
func (s *Store) AttemptByID(ctx context.Context, id uint64) (*AttemptLine, error) {
	var out AttemptLine
	err := s.lines(ctx, lineColumns+", a.program, a.results, a.arrays, a.source, a.written_at, "+
		"v.body").Where("a.id = ?",
		id).Take(&out).Error
	return &out, known(err)
}

// Bodies finds the bodies of verdicts by their attempts.
func (s *Store) Bodies(ctx context.Context, attempts []uint64) (map[uint64]string, error) {
	var list []struct {
		AttemptID uint64
		Body      string
	}
	err := s.db.WithContext(ctx).Raw("SELECT attempt_id, body FROM verdicts WHERE attempt_id IN ?", attempts).Scan(&list).
		Error
	out := make(map[uint64]string, len(list))
	for _, x := range list {
		out[x.AttemptID] = x.Body
	}
	return out, err
}

// judgedAt is how many attempts are read in one go.
const judgedAt = 500

// Judged reads the attempts of a course that have a verdict, newest first, the next so many below an id: what a new
// revision is compared with.
func (s *Store) Judged(ctx context.Context, course, before uint64) ([]AttemptLine, error) {
	q := s.db.WithContext(ctx).Table("attempts AS a FORCE INDEX (attempts_desk)").Select(lineColumns+", a.program, "+
		"a.results, a.arrays").
		Joins("STRAIGHT_JOIN people AS p ON p.id = a.person_id").Joins("STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id").
		Where("a.course_id = ?", course)
	if before > 0 {
		q = q.Where("a.id < ?", before)
	}
	var out []AttemptLine
	err := q.Order("a.id DESC").Limit(judgedAt).Scan(&out).Error
	return out, err
}

// Filter narrows a list of attempts. Before is a cursor: only attempts with a
// smaller id, newest first.
type Filter struct {
	Course   uint64
	Person   uint64   // 0: anyone
	Exercise string   // "": any
	Verdict  string   // "": any
	LeadCode string   // "": any
	Groups   []string // lab groups; none: all
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
	if len(f.Groups) > 0 {
		q = q.Joins("STRAIGHT_JOIN memberships AS m ON m.course_id = a.course_id AND m.person_id = a.person_id").
			Where("m.group_name IN ?", f.Groups)
	}
	var out []AttemptLine
	err := q.Select(lineColumns).Limit(f.Limit).Scan(&out).Error
	return out, err
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
