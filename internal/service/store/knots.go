package store

import (
	"context"
	"database/sql"
	"slices"
	"time"
)

// Knot names a knot of a course: an exercise, a leading code and an output.
type Knot struct{ Exercise, LeadCode, LeadOutput string }

// KnotPerson is a student in a knot, or who has been in it.
type KnotPerson struct {
	PersonID  uint64
	Name      string
	Display   string
	GroupName string
	NewestID  uint64 // attempt
	NewestAt  time.Time
	Tries     int // all of them at the exercise
	Verdict   string
	LeadCode  string // of the newest attempt, as LeadOutput
	LeadOut   string `gorm:"column:lead_output"`
	EnteredAt time.Time
}

const knotPersonColumns = "s.person_id, p.name, p.display, m.group_name, s.newest_id, s.newest_at, s.tries, " +
	"s.verdict, s.lead_code, s.lead_output, COALESCE(IF(s.newest_of = s.newest_id, s.entered_at, NULL), s.newest_at) AS " +
	"entered_at"

// InKnot lists the students whose newest attempt with a verdict is in a knot, the newest attempts first.
func (s *Store) InKnot(ctx context.Context, course uint64, k Knot, limit int, among ...string) ([]KnotPerson, error) {
	q := s.db.WithContext(ctx).Table("standing AS s FORCE INDEX (standing_alike)").Select(knotPersonColumns).
		Joins("STRAIGHT_JOIN memberships AS m ON m.course_id = s.course_id AND m.person_id = s.person_id AND m.role = "+
			"'student' AND m.state = 'active'").
		Joins("STRAIGHT_JOIN people AS p ON p.id = s.person_id").
		Where("s.course_id = ? AND s.exercise = ? AND s.verdict IN ('differs', 'failed', 'refused') AND s.lead_code = ? AND "+
			"s.lead_output = ?", course, k.Exercise, k.LeadCode, k.LeadOutput)
	if len(among) > 0 {
		q = q.Where("m.group_name IN ?", among)
	}
	var out []KnotPerson
	err := q.Order("s.newest_id DESC").Limit(limit).Scan(&out).Error
	return out, err
}

// OutOfKnot lists the students who were in a knot and are not any more, as they stand now: at most so many, those who
// were in it last first.
func (s *Store) OutOfKnot(ctx context.Context, course uint64, k Knot, limit int, among ...string) ([]KnotPerson,
	error) {
	q := s.db.WithContext(ctx).Table("(SELECT person_id, MAX(attempt_id) AS last_in FROM verdicts FORCE INDEX "+
		"(verdicts_exercise_lead) WHERE course_id = ? AND exercise = ? AND lead_code = ? AND lead_output = ? AND verdict <> "+
		"'agrees' GROUP BY person_id) AS ever", course, k.Exercise, k.LeadCode, k.LeadOutput).Select(knotPersonColumns).
		Joins("STRAIGHT_JOIN memberships AS m ON m.course_id = ? AND m.person_id = ever.person_id AND m.role = 'student' "+
			"AND m.state = 'active'", course).
		Joins("STRAIGHT_JOIN standing AS s FORCE INDEX (PRIMARY) ON s.course_id = m.course_id AND s.person_id = "+
			"ever.person_id AND s.exercise = ?", k.Exercise).
		Joins("STRAIGHT_JOIN people AS p ON p.id = s.person_id").
		Where("NOT (s.verdict <> 'agrees' AND s.lead_code = ? AND s.lead_output = ?)", k.LeadCode, k.LeadOutput)
	if len(among) > 0 {
		q = q.Where("m.group_name IN ?", among)
	}
	var out []KnotPerson
	err := q.Order("ever.last_in DESC").Limit(limit).Scan(&out).Error
	return out, err
}

// CountTried counts the students who have an attempt with a verdict at an exercise.
func (s *Store) CountTried(ctx context.Context, course uint64, exercise string, among ...string) (int64, error) {
	q := s.db.WithContext(ctx).Table("standing AS s FORCE INDEX (standing_alike)").
		Joins("STRAIGHT_JOIN memberships AS m ON m.course_id = s.course_id AND m.person_id = s.person_id AND m.role = "+
			"'student' AND m.state = 'active'").
		Where("s.course_id = ? AND s.exercise = ?", course, exercise)
	if len(among) > 0 {
		q = q.Where("m.group_name IN ?", among)
	}
	var n int64
	err := q.Count(&n).Error
	return n, err
}

// Step is an attempt with a verdict, as far as moves between knots need it.
type Step struct {
	ID        uint64
	PersonID  uint64
	Exercise  string
	CreatedAt time.Time
	Verdict   string
	LeadCode  string
	LeadOut   string `gorm:"column:lead_output"`
}

// In reports whether the attempt is in a knot.
func (x *Step) In(k Knot) bool {
	return x.Verdict != "agrees" && x.Exercise == k.Exercise && x.LeadCode == k.LeadCode && x.LeadOut == k.LeadOutput
}

// Steps lists the attempts of some people at an exercise that have a verdict, the oldest first.
func (s *Store) Steps(ctx context.Context, course uint64, exercise string, people []uint64) ([]Step, error) {
	var out []Step
	for some := range slices.Chunk(people, triesAt) {
		var page []Step
		err := s.db.WithContext(ctx).Raw("SELECT a.id, a.person_id, a.exercise, a.created_at, v.verdict, v.lead_code, "+
			"v.lead_output FROM attempts AS a FORCE INDEX (attempts_own) STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id "+
			"WHERE a.course_id = ? AND a.exercise = ? AND a.person_id IN ? ORDER BY a.id", course, exercise, some).
			Scan(&page).Error
		if err != nil {
			return nil, err
		}
		out = append(out, page...)
	}
	return out, nil
}

// Move is how many students went from one state in an exercise to another within an hour. A state without a code is
// agreeing, or nothing before it.
type Move struct {
	Exercise string
	Ago      int // whole hours
	Agrees   bool
	LeadCode string
	LeadOut  string `gorm:"column:lead_output"`
	Agreed   bool   // before
	Began    bool   // there was nothing before
	FromCode string
	FromOut  string `gorm:"column:from_output"`
	People   int
}

// To is the knot that the move leads into; Exercise is "" for none.
func (m *Move) To() Knot {
	if m.Agrees {
		return Knot{}
	}
	return Knot{m.Exercise, m.LeadCode, m.LeadOut}
}

// From is the knot that the move leads out of; Exercise is "" for none.
func (m *Move) From() Knot {
	if m.Agreed || m.Began {
		return Knot{}
	}
	return Knot{m.Exercise, m.FromCode, m.FromOut}
}

// Moves counts what students' attempts since a time did to the knots of a course, or of one exercise, hour by hour back
// from now.
func (s *Store) Moves(ctx context.Context, course uint64, exercise string, since, now time.Time,
	among ...string) ([]Move, error) {
	which, args := "", []any{now, course, since, now}
	if exercise != "" {
		which, args = " AND a.exercise = ?", append(args, exercise)
	}
	if len(among) > 0 {
		which, args = which+" AND m.group_name IN ?", append(args, among)
	}
	var out []Move
	err := s.db.WithContext(ctx).Raw(`SELECT a.exercise, TIMESTAMPDIFF(MICROSECOND, a.created_at, ?) DIV 3600000000 AS ago,
			v.verdict = 'agrees' AS agrees, v.lead_code, v.lead_output, COALESCE(w.verdict = 'agrees', FALSE) AS agreed,
			w.verdict IS NULL AS began, COALESCE(w.lead_code, '') AS from_code, COALESCE(w.lead_output, '') AS from_output,
			COUNT(*) AS people
		FROM attempts AS a FORCE INDEX (attempts_came)
		STRAIGHT_JOIN memberships AS m ON m.course_id = a.course_id AND m.person_id = a.person_id AND m.role = 'student' AND
			m.state = 'active'
		STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id
		LEFT JOIN attempts AS b FORCE INDEX (attempts_number) ON b.person_id = a.person_id AND b.course_id = a.course_id AND
			b.exercise = a.exercise AND b.number = a.number - 1
		LEFT JOIN verdicts AS w ON w.attempt_id = b.id
		WHERE a.course_id = ? AND a.created_at > ? AND a.created_at <= ?`+which+`
		GROUP BY a.exercise, ago, agrees, v.lead_code, v.lead_output, agreed, began, from_code, from_output`, args...).
		Scan(&out).Error
	return out, err
}

// Written is the program of an attempt with its verdict.
type Written struct {
	ID         uint64
	PersonID   uint64
	RevisionID uint64
	CreatedAt  time.Time
	Kind       string
	Program    string
	Body       string
}

// WrittenIn reads the programs of some attempts, the newest first.
func (s *Store) WrittenIn(ctx context.Context, attempts []uint64) ([]Written, error) {
	if len(attempts) == 0 {
		return nil, nil
	}
	var out []Written
	err := s.db.WithContext(ctx).Raw("SELECT a.id, a.person_id, a.revision_id, a.created_at, a.kind, a.program, v.body "+
		"FROM attempts AS a STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id WHERE a.id IN ? ORDER BY a.id DESC", attempts).
		Scan(&out).Error
	return out, err
}

// Standing is how somebody stands in an exercise, as the class map shows it.
type Standing struct {
	PersonID uint64
	Exercise string
	Verdict  string
	LeadCode string
	LeadOut  string `gorm:"column:lead_output"`
	Tries    int
	Best     float64 // points
	NewestID uint64
	NewestAt time.Time
}

// StandingOf lists how some people stand in the exercises of a course.
func (s *Store) StandingOf(ctx context.Context, course uint64, people []uint64) ([]Standing, error) {
	if len(people) == 0 {
		return nil, nil
	}
	var out []Standing
	err := s.db.WithContext(ctx).Raw("SELECT person_id, exercise, verdict, lead_code, lead_output, tries, best_earned AS "+
		"best, newest_id, newest_at FROM standing FORCE INDEX (PRIMARY) WHERE course_id = ? AND person_id IN ?", course,
		people).Scan(&out).Error
	return out, err
}

// Had is how many students ever had an attempt led by a code in an exercise.
type Had struct {
	Exercise, LeadCode string
	People             int
	Now                int // whose newest attempt there is
}

// EverHad counts, for each exercise and leading code, the students who ever had it, and those whose newest attempt has
// it: one range of an index, read in its order.
func (s *Store) EverHad(ctx context.Context, course uint64, among ...string) ([]Had, error) {
	students, err := s.studentsOf(ctx, course, among)
	if err != nil {
		return nil, err
	}
	rows, err := s.db.WithContext(ctx).Raw("SELECT exercise, lead_code, person_id FROM verdicts FORCE INDEX "+
		"(verdicts_exercise_lead) WHERE course_id = ? AND lead_code <> ''", course).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	type had struct{ exercise, code string }
	people := map[had]map[uint64]bool{}
	var at had
	var have map[uint64]bool
	for rows.Next() { // there are hundreds of thousands
		var exercise, code sql.RawBytes
		var person uint64
		if err := rows.Scan(&exercise, &code, &person); err != nil {
			return nil, err
		}
		if have == nil || string(exercise) != at.exercise || string(code) != at.code {
			at = had{string(exercise), string(code)}
			if have = people[at]; have == nil {
				have = map[uint64]bool{}
				people[at] = have
			}
		}
		if students[person] {
			have[person] = true
		}
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	groups, err := s.Groups(ctx, course, among...)
	if err != nil {
		return nil, err
	}
	now := map[had]int{}
	for i := range groups {
		if g := &groups[i]; g.Student {
			now[had{g.Exercise, g.LeadCode}] += g.People
		}
	}
	var out []Had
	for x, list := range people {
		if len(list) > 0 {
			out = append(out, Had{x.exercise, x.code, len(list), now[x]})
		}
	}
	return out, nil
}

// studentsOf are the students of a course, or of some groups.
func (s *Store) studentsOf(ctx context.Context, course uint64, among []string) (map[uint64]bool, error) {
	q := s.db.WithContext(ctx).Table("memberships").Where("course_id = ? AND role = 'student' AND state = 'active'",
		course)
	if len(among) > 0 {
		q = q.Where("group_name IN ?", among)
	}
	var ids []uint64
	err := q.Pluck("person_id", &ids).Error
	out := make(map[uint64]bool, len(ids))
	for _, id := range ids {
		out[id] = true
	}
	return out, err
}

// StoodAt lists how the students of a course stood in each exercise at a time, by the verdicts that their attempts have
// now: the newest attempt handed in until then.
func (s *Store) StoodAt(ctx context.Context, course uint64, at time.Time, among ...string) ([]Standing, error) {
	var last uint64 // what is handed in later has a greater id
	err := s.db.WithContext(ctx).Raw("SELECT id FROM attempts FORCE INDEX (attempts_came) WHERE course_id = ? AND "+
		"created_at <= ? ORDER BY created_at DESC, id DESC LIMIT 1", course, at).Scan(&last).Error
	if err != nil || last == 0 {
		return nil, err
	}
	which, args := "", []any{course, last, course}
	if len(among) > 0 {
		which, args = " AND m.group_name IN ?", append(args, among)
	}
	rows, err := s.db.WithContext(ctx).Raw("SELECT x.person_id, x.exercise, v.verdict, v.lead_code, v.lead_output, "+
		"x.tries, x.newest_id FROM (SELECT person_id, exercise, MAX(id) AS newest_id, COUNT(*) AS tries FROM attempts FORCE "+
		"INDEX (attempts_newest) WHERE course_id = ? AND id <= ? GROUP BY course_id, person_id, exercise) AS x "+
		"STRAIGHT_JOIN memberships AS m ON m.course_id = ? AND m.person_id = x.person_id AND m.role = 'student' AND m.state "+
		"= 'active' STRAIGHT_JOIN verdicts AS v ON v.attempt_id = x.newest_id"+which, args...).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Standing
	for rows.Next() { // there are tens of thousands
		var x Standing
		err := rows.Scan(&x.PersonID, &x.Exercise, &x.Verdict, &x.LeadCode, &x.LeadOut, &x.Tries, &x.NewestID)
		if err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, rows.Err()
}

// CameIn lists the attempts of students that were handed in within a span, the oldest first.
func (s *Store) CameIn(ctx context.Context, course uint64, from, to time.Time, among ...string) ([]Step, error) {
	which, args := "", []any{course, from, to}
	if len(among) > 0 {
		which, args = " AND m.group_name IN ?", append(args, among)
	}
	rows, err := s.db.WithContext(ctx).Raw("SELECT a.id, a.person_id, a.exercise, a.created_at, v.verdict, v.lead_code, "+
		"v.lead_output FROM attempts AS a FORCE INDEX (attempts_came) STRAIGHT_JOIN memberships AS m ON m.course_id = "+
		"a.course_id AND m.person_id = a.person_id AND m.role = 'student' AND m.state = 'active' STRAIGHT_JOIN verdicts AS "+
		"v ON v.attempt_id = a.id WHERE a.course_id = ? AND a.created_at >= ? AND a.created_at < ?"+which, args...).Rows()
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Step
	for rows.Next() { // there are tens of thousands
		var x Step
		if err := rows.Scan(&x.ID, &x.PersonID, &x.Exercise, &x.CreatedAt, &x.Verdict, &x.LeadCode, &x.LeadOut); err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, rows.Err()
}

// Adjusted counts the adjustments that were given in a span, exercise by exercise, and not withdrawn since.
func (s *Store) Adjusted(ctx context.Context, course uint64, from, to time.Time, among ...string) (map[string]int,
	error) {
	which, args := "", []any{course, from, to}
	if len(among) > 0 {
		which, args = " AND EXISTS (SELECT 1 FROM memberships AS m WHERE m.course_id = x.course_id AND m.person_id = "+
			"x.person_id AND m.group_name IN ?)", append(args, among)
	}
	var list []struct {
		Exercise string
		N        int
	}
	err := s.db.WithContext(ctx).Raw("SELECT exercise, COUNT(*) AS n FROM adjustments AS x FORCE INDEX "+
		"(adjustments_course) WHERE course_id = ? AND created_at >= ? AND created_at < ? AND withdrawn_at IS "+
		"NULL"+which+" GROUP BY exercise", args...).
		Scan(&list).Error
	out := map[string]int{}
	for _, x := range list {
		out[x.Exercise] = x.N
	}
	return out, err
}

// AnyIn finds the newest attempt that ever was in a knot; ErrNotFound where none was.
func (s *Store) AnyIn(ctx context.Context, course uint64, k Knot) (uint64, error) {
	var id uint64
	err := s.db.WithContext(ctx).Raw("SELECT attempt_id FROM verdicts FORCE INDEX (verdicts_exercise_lead) WHERE "+
		"course_id = ? AND exercise = ? AND lead_code = ? AND lead_output = ? ORDER BY attempt_id DESC LIMIT 1", course,
		k.Exercise,
		k.LeadCode, k.LeadOutput).Scan(&id).Error
	if err == nil && id == 0 {
		err = ErrNotFound
	}
	return id, err
}
