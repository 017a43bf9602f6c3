package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// NoteKind says what a note is about.
type NoteKind string

// The kinds of notes.
const (
	NoteKnot     NoteKind = "knot"
	NoteAttempt  NoteKind = "attempt"
	NoteExercise NoteKind = "exercise"
	NoteCourse   NoteKind = "course"
)

// Note is a text from the team to students.
type Note struct {
	ID          uint64
	CourseID    uint64
	Kind        NoteKind
	Exercise    string
	LeadCode    string // of a knot, as LeadOutput
	LeadOutput  string
	AttemptID   *uint64 // of a thread about one attempt
	Later       bool    // of a knot: whoever enters it while the note stands gets it too
	Among       Groups  // the groups that it goes to; none: all
	Text        string
	Version     int
	AuthorID    *uint64
	CreatedAt   time.Time
	EditedAt    *time.Time
	WithdrawnAt *time.Time
}

// Groups is a list of lab groups, as a column keeps it: JSON, "" for none.
type Groups string

// GroupsText is a list of groups as a column keeps it.
func GroupsText(list []string) Groups {
	if len(list) == 0 {
		return ""
	}
	text, err := json.Marshal(list)
	if err != nil {
		panic(err) // of texts
	}
	return Groups(text)
}

// List is the groups one by one.
func (g Groups) List() []string {
	var out []string
	_ = json.Unmarshal([]byte(g), &out) // the empty text is no list
	return out
}

// inAmong narrows memberships m to the groups that a note n goes to.
const inAmong = "(n.among = '' OR JSON_CONTAINS(n.among, JSON_QUOTE(m.group_name)))"

// toAnyOf narrows notes n to those that go to one of some groups.
const toAnyOf = "(n.among = '' OR JSON_OVERLAPS(n.among, ?))"

// ErrEdited says that somebody else has changed a thing since it was read.
var ErrEdited = errors.New("it has changed since it was read")

// reach writes who gets a note now: everybody in its knot, the student of its attempt, or the students of the course.
func (s *Store) reach(tx *gorm.DB, n *Note) (int64, error) {
	const into = "INSERT IGNORE INTO note_recipients (note_id, person_id, attempt_id, reached_at) "
	var done *gorm.DB
	switch n.Kind {
	case NoteKnot:
		done = tx.Exec(into+"SELECT n.id, s.person_id, s.newest_id, ? FROM notes AS n STRAIGHT_JOIN standing AS s FORCE "+
			"INDEX (standing_alike) ON s.course_id = n.course_id AND s.exercise = n.exercise AND s.verdict IN ('differs', "+
			"'failed', 'refused') AND s.lead_code = n.lead_code AND s.lead_output = n.lead_output STRAIGHT_JOIN memberships "+
			"AS m ON m.course_id = s.course_id AND m.person_id = s.person_id WHERE n.id = ? AND m.role = 'student' AND "+
			"m.state = 'active' AND "+inAmong, n.CreatedAt, n.ID)
	case NoteAttempt:
		done = tx.Exec(into+"SELECT ?, person_id, id, ? FROM attempts WHERE id = ?", n.ID, n.CreatedAt, n.AttemptID)
	default:
		done = tx.Exec(into+"SELECT n.id, m.person_id, NULL, ? FROM notes AS n STRAIGHT_JOIN memberships AS m ON "+
			"m.course_id = n.course_id WHERE n.id = ? AND m.role = 'student' AND m.state = 'active' AND "+inAmong,
			n.CreatedAt, n.ID)
	}
	return done.RowsAffected, done.Error
}

// AddNote stores a note with everybody who gets it at once, and says how many those are.
func (s *Store) AddNote(ctx context.Context, n *Note, course string) (reached int64, err error) {
	n.CreatedAt, n.Version = s.now(), 1
	err = s.tx(ctx, func(tx *gorm.DB) error {
		n.ID = 0
		if err := tx.Create(n).Error; err != nil {
			return err
		}
		if reached, err = s.reach(tx, n); err != nil {
			return err
		}
		if err := s.noted(tx, n.CourseID); err != nil {
			return err
		}
		return s.audit(tx, n.AuthorID, "note.add", fmt.Sprint(course, "/note ", n.ID), fmt.Sprintf("%s %s %s %s: %q, "+
			"reached %d", n.Kind, n.Exercise, n.LeadCode, n.LeadOutput, n.Text, reached))
	})
	return reached, err
}

// noted tells every process that notes of a course have changed.
func (s *Store) noted(tx *gorm.DB, course uint64) error {
	return tx.Create(&Change{CourseID: &course, Kind: "note", CreatedAt: s.now()}).Error
}

// reachLater gives the standing notes of the knots that verdicts lead into to their people: part of the blocks that
// store verdicts. Which rows of standing are meant follows, and reachOnce.
const reachLater = `INSERT INTO note_recipients (note_id, person_id, attempt_id, reached_at)
  SELECT n.id, s.person_id, s.newest_id, ?
  FROM standing AS s FORCE INDEX (PRIMARY)
  STRAIGHT_JOIN notes AS n FORCE INDEX (notes_knot) ON n.course_id = s.course_id AND n.exercise = s.exercise AND
    n.lead_code = s.lead_code AND n.lead_output = s.lead_output AND n.kind = 'knot' AND n.later AND
    n.withdrawn_at IS NULL
  STRAIGHT_JOIN memberships AS m ON m.course_id = s.course_id AND m.person_id = s.person_id AND m.role = 'student' AND
    m.state = 'active' AND ` + inAmong + `
  WHERE s.verdict <> 'agrees' AND (`

// oneStanding is the row of a person and exercise, if an attempt is the newest.
const oneStanding = "s.course_id = ? AND s.person_id = ? AND s.exercise = ? AND s.newest_id = ?"

const reachOnce = ") ON DUPLICATE KEY UPDATE reached_at = note_recipients.reached_at"

// lateNotes gives the standing notes that all of a course get to those who joined it after they were written.
const lateNotes = `INSERT IGNORE INTO note_recipients (note_id, person_id, attempt_id, reached_at)
  SELECT n.id, m.person_id, NULL, ? FROM notes AS n STRAIGHT_JOIN memberships AS m ON m.course_id = n.course_id AND
    m.role = 'student' AND m.state = 'active'
  LEFT JOIN note_recipients AS r ON r.note_id = n.id AND r.person_id = m.person_id
  WHERE n.course_id = ? AND n.kind IN ('exercise', 'course') AND n.withdrawn_at IS NULL AND r.note_id IS NULL AND ` +
	inAmong

// ReachLate gives standing notes to those who have joined a course since they were written.
func (s *Store) ReachLate(ctx context.Context, course uint64) error {
	return s.reachLate(s.db.WithContext(ctx), course, 0)
}

// reachLate is ReachLate for one person of the course, or all with 0.
func (s *Store) reachLate(tx *gorm.DB, course, person uint64) error {
	if person != 0 {
		return tx.Exec(lateNotes+" AND m.person_id = ?", s.now(), course, person).Error
	}
	return tx.Exec(lateNotes, s.now(), course).Error
}

// reachPerson is ReachLate for one person in all their courses.
func (s *Store) reachPerson(ctx context.Context, person uint64) error {
	var missing []uint64
	err := s.db.WithContext(ctx).Raw("SELECT n.id FROM memberships AS m FORCE INDEX (memberships_person) STRAIGHT_JOIN "+
		"notes AS n FORCE INDEX (notes_course) ON n.course_id = m.course_id LEFT JOIN note_recipients AS r ON r.note_id = "+
		"n.id AND r.person_id = m.person_id WHERE m.person_id = ? AND m.role = 'student' AND m.state = 'active' AND n.kind "+
		"IN ('exercise', 'course') AND n.withdrawn_at IS NULL AND r.note_id IS NULL AND "+inAmong, person).
		Scan(&missing).Error
	if err != nil {
		return err
	}
	for _, id := range missing {
		err := s.db.WithContext(ctx).Exec("INSERT IGNORE INTO note_recipients (note_id, person_id, reached_at) VALUES (?, "+
			"?, ?)", id, person, s.now()).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// NoteLine is a note with the names that it concerns and its effect.
type NoteLine struct {
	Note
	Author  *string // nil where their account is gone
	Student *string // of a thread
	Effect
}

// Effect is what a note has come to.
type Effect struct {
	NoteID   uint64
	Reached  int
	Seen     int
	Agreed   int // in its exercise, by an attempt handed in since
	Still    int // in its knot; of another note of an exercise: whose newest attempt there does not agree
	Helped   int
	Stuck    int // who say so
	Answered int
	Unread   int // answers that nobody of the team has seen
}

// NoteFilter narrows a list of notes. Before is a cursor: only notes with a smaller id.
type NoteFilter struct {
	Course    uint64
	ID        uint64 // that one alone
	Exercise  string
	Knot      bool // of LeadCode and LeadOutput
	LeadCode  string
	Output    string
	Attempt   uint64
	Groups    []string  // whom effects are counted of; none: all
	Withdrawn bool      // those too
	Shared    bool      // without those about one attempt
	From, To  time.Time // written from one time on and before another; zero: whenever
	Before    uint64
	Limit     int
}

// Notes lists a course's notes, newest first, with their effect among some groups. Those that go to other groups alone
// are left out, and threads with their students.
func (s *Store) Notes(ctx context.Context, f NoteFilter) ([]NoteLine, error) {
	if f.Before == 0 {
		f.Before = math.MaxInt64
	}
	q := s.db.WithContext(ctx).Table("notes AS n").Select("n.*, b.display AS author, p.display AS student").
		Joins("LEFT JOIN people AS b ON b.id = n.author_id").Joins("LEFT JOIN attempts AS a ON a.id = n.attempt_id").
		Joins("LEFT JOIN people AS p ON p.id = a.person_id").
		Joins("LEFT JOIN memberships AS m ON m.course_id = n.course_id AND m.person_id = a.person_id").
		Where("n.course_id = ? AND n.id < ?", f.Course, f.Before)
	if f.ID != 0 {
		q = q.Where("n.id = ?", f.ID)
	}
	if f.Exercise != "" {
		q = q.Where("n.exercise = ?", f.Exercise)
	}
	if f.Knot {
		q = q.Where("n.kind = 'knot' AND n.lead_code = ? AND n.lead_output = ?", f.LeadCode, f.Output)
	}
	if f.Attempt != 0 {
		q = q.Where("n.attempt_id = ?", f.Attempt)
	}
	if !f.Withdrawn {
		q = q.Where("n.withdrawn_at IS NULL")
	}
	if f.Shared {
		q = q.Where("n.kind <> 'attempt'")
	}
	if !f.To.IsZero() {
		q = q.Where("n.created_at >= ? AND n.created_at < ?", f.From, f.To)
	}
	if len(f.Groups) > 0 {
		q = q.Where("(n.kind <> 'attempt' OR m.group_name IN ?) AND "+toAnyOf, f.Groups, GroupsText(f.Groups))
	}
	var out []NoteLine
	if err := q.Order("n.id DESC").Limit(f.Limit).Scan(&out).Error; err != nil || len(out) == 0 {
		return out, err
	}
	ids := make([]uint64, len(out))
	at := map[uint64]int{}
	for i := range out {
		ids[i], out[i].NoteID = out[i].ID, out[i].ID
		at[out[i].ID] = i
	}
	effects, err := s.effects(ctx, ids, f.Groups)
	for _, e := range effects {
		out[at[e.NoteID]].Effect = e
	}
	return out, err
}

// effects counts what notes have come to, among some groups or all who got them.
func (s *Store) effects(ctx context.Context, notes []uint64, among []string) ([]Effect, error) {
	which, args := "", []any{notes}
	if len(among) > 0 {
		which, args = " AND m.group_name IN ?", append(args, among)
	}
	var out []Effect
	err := s.db.WithContext(ctx).Raw(`SELECT r.note_id, COUNT(*) AS reached, COUNT(r.seen_at) AS seen,
			SUM(r.feeling = 'helped') AS helped, SUM(r.feeling = 'stuck') AS stuck,
			SUM(s.agreed_at IS NOT NULL AND EXISTS (SELECT 1 FROM attempts AS a FORCE INDEX (attempts_own) STRAIGHT_JOIN
				verdicts AS v ON v.attempt_id = a.id WHERE a.person_id = r.person_id AND a.course_id = n.course_id AND
				a.exercise = n.exercise AND v.verdict = 'agrees' AND a.created_at >= r.reached_at)) AS agreed,
			SUM(n.exercise <> '' AND m.role = 'student' AND m.state = 'active' AND COALESCE(s.verdict <> 'agrees' AND
				(n.kind <> 'knot' OR s.lead_code = n.lead_code AND s.lead_output = n.lead_output), FALSE)) AS still,
			SUM(EXISTS (SELECT 1 FROM note_answers AS w WHERE w.note_id = r.note_id AND w.person_id = r.person_id AND
				w.author_id = r.person_id)) AS answered,
			SUM((SELECT COUNT(*) FROM note_answers AS w WHERE w.note_id = r.note_id AND w.person_id = r.person_id AND
				w.author_id = r.person_id AND w.seen_at IS NULL)) AS unread
		FROM note_recipients AS r FORCE INDEX (PRIMARY) STRAIGHT_JOIN notes AS n ON n.id = r.note_id
		LEFT JOIN memberships AS m ON m.course_id = n.course_id AND m.person_id = r.person_id
		LEFT JOIN standing AS s FORCE INDEX (PRIMARY) ON s.course_id = n.course_id AND s.person_id = r.person_id AND
			s.exercise = n.exercise
		WHERE r.note_id IN ?`+which+" GROUP BY r.note_id", args...).Scan(&out).Error
	return out, err
}

// EditNote changes a note's text, and keeps the one before. version is the one that the edit began from; ErrEdited
// where another is there by now, with the note as it is.
func (s *Store) EditNote(ctx context.Context, by uint64, course string, n *Note, version int, text string) error {
	return s.changeNote(ctx, n, func(tx *gorm.DB) error {
		if n.Version != version {
			return ErrEdited
		}
		err := tx.Exec("INSERT INTO note_texts (note_id, version, text, replaced_by, replaced_at) VALUES (?, ?, ?, ?, ?)",
			n.ID, n.Version, n.Text, by, s.now()).Error
		if err != nil {
			return err
		}
		before, now := n.Text, s.now()
		n.Text, n.EditedAt = text, &now
		n.Version++
		if err := tx.Save(n).Error; err != nil {
			return err
		}
		return s.audit(tx, &by, "note.edit", fmt.Sprint(course, "/note ", n.ID), fmt.Sprintf("%q, was %q", text, before))
	})
}

// WithdrawNote hides a note from students; it stays in the team's list.
func (s *Store) WithdrawNote(ctx context.Context, by uint64, course string, n *Note) error {
	return s.changeNote(ctx, n, func(tx *gorm.DB) error {
		if n.WithdrawnAt != nil {
			return nil
		}
		now := s.now()
		n.WithdrawnAt = &now
		if err := tx.Save(n).Error; err != nil {
			return err
		}
		return s.audit(tx, &by, "note.withdraw", fmt.Sprint(course, "/note ", n.ID), "")
	})
}

// changeNote runs a change of a note with its row locked and read anew.
func (s *Store) changeNote(ctx context.Context, n *Note, change func(tx *gorm.DB) error) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		now := Note{}
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("id = ? AND course_id = ?", n.ID, n.CourseID).
			Take(&now).Error
		if err != nil {
			return known(err)
		}
		*n = now
		if err := change(tx); err != nil {
			return err
		}
		return s.noted(tx, n.CourseID)
	})
}

// NoteText is what a note said before an edit.
type NoteText struct {
	Version    int
	Text       string
	By         *string
	ReplacedAt time.Time
}

// NoteHistory lists what a note said before, newest first.
func (s *Store) NoteHistory(ctx context.Context, note uint64) ([]NoteText, error) {
	var out []NoteText
	err := s.db.WithContext(ctx).Raw("SELECT t.version, t.text, t.replaced_at, p.display AS `by` FROM note_texts AS t "+
		"LEFT JOIN people AS p ON p.id = t.replaced_by WHERE t.note_id = ? ORDER BY t.version DESC LIMIT 100", note).
		Scan(&out).Error
	return out, err
}

// Received is a note as somebody got it.
type Received struct {
	Note
	Author    *string
	Slug      string
	Title     string  // of the course
	Current   *uint64 // revision of the course
	OwnTry    *uint64 // attempt that it is about
	ReachedAt time.Time
	SeenAt    *time.Time
	Feeling   string
}

// mostReceived bounds the notes that a student is shown.
const mostReceived = 300

// ReceivedBy lists the standing notes that a person has got, newest first: in all their courses, or in one. Of courses
// that they have left there are none.
func (s *Store) ReceivedBy(ctx context.Context, person, course uint64) ([]Received, error) {
	if err := s.reachPerson(ctx, person); err != nil {
		return nil, err
	}
	which, args := "", []any{person}
	if course != 0 {
		which, args = " AND n.course_id = ?", append(args, course)
	}
	var out []Received
	err := s.db.WithContext(ctx).Raw("SELECT n.*, b.display AS author, c.slug, c.title, c.current_revision_id AS "+
		"current, r.attempt_id AS own_try, r.reached_at, r.seen_at, r.feeling FROM note_recipients AS r FORCE INDEX "+
		"(note_recipients_person) STRAIGHT_JOIN notes AS n ON n.id = r.note_id STRAIGHT_JOIN courses AS c ON c.id = "+
		"n.course_id STRAIGHT_JOIN memberships AS m ON m.course_id = n.course_id AND m.person_id = r.person_id AND m.state "+
		"= 'active' LEFT JOIN people AS b ON b.id = n.author_id WHERE r.person_id = ? AND n.withdrawn_at IS "+
		"NULL"+which+" ORDER BY r.note_id DESC LIMIT ?",
		append(args, mostReceived)...).Scan(&out).Error
	return out, err
}

// CountUnseen counts what a person has not seen: notes, and answers of the team in their threads.
func (s *Store) CountUnseen(ctx context.Context, person uint64) (int64, error) {
	if err := s.reachPerson(ctx, person); err != nil {
		return 0, err
	}
	var n int64
	err := s.db.WithContext(ctx).Raw("SELECT COUNT(*) FROM note_recipients AS r FORCE INDEX (note_recipients_person) "+
		"STRAIGHT_JOIN notes AS n ON n.id = r.note_id STRAIGHT_JOIN memberships AS m ON m.course_id = n.course_id AND "+
		"m.person_id = r.person_id AND m.state = 'active' WHERE r.person_id = ? AND n.withdrawn_at IS NULL AND (r.seen_at "+
		"IS NULL OR EXISTS (SELECT 1 FROM note_answers AS w WHERE w.note_id = r.note_id AND w.person_id = r.person_id AND "+
		"NOT w.author_id <=> r.person_id AND w.seen_at IS NULL))", person).Scan(&n).Error
	return n, err
}

// SeeNotes notes that a person has seen a note, and the team's answers to it.
func (s *Store) SeeNotes(ctx context.Context, person uint64, notes []uint64) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		err := tx.Exec("UPDATE note_recipients SET seen_at = ? WHERE note_id IN ? AND person_id = ? AND seen_at IS NULL",
			s.now(), notes, person).Error
		if err != nil {
			return err
		}
		return tx.Exec("UPDATE note_answers SET seen_at = ? WHERE note_id IN ? AND person_id = ? AND seen_at IS NULL AND "+
			"NOT author_id <=> ?", s.now(), notes, person, person).Error
	})
}

// SeeAnswers notes that the team has seen the answers to a note, of some groups or all.
func (s *Store) SeeAnswers(ctx context.Context, n *Note, among ...string) error {
	which, args := "", []any{s.now(), n.ID}
	if len(among) > 0 {
		which, args = " AND m.group_name IN ?", append(args, among)
	}
	return s.db.WithContext(ctx).Exec("UPDATE note_answers AS w JOIN notes AS n ON n.id = w.note_id LEFT JOIN "+
		"memberships AS m ON m.course_id = n.course_id AND m.person_id = w.person_id SET w.seen_at = ? WHERE w.note_id = ? "+
		"AND w.author_id = w.person_id AND w.seen_at IS NULL"+which, args...).Error
}

// Feel notes what a person says of a note: helped, stuck, or "" to take it back. ErrNotFound where they have not got
// it.
func (s *Store) Feel(ctx context.Context, person, note uint64, feeling string) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		n, err := s.received(tx, person, note)
		if err != nil {
			return err
		}
		err = tx.Exec("UPDATE note_recipients SET feeling = ?, felt_at = ?, seen_at = COALESCE(seen_at, ?) WHERE note_id = "+
			"? AND person_id = ?", feeling, s.now(), s.now(), note, person).Error
		if err != nil {
			return err
		}
		return s.noted(tx, n.CourseID)
	})
}

// received finds a standing note that a person has got and may see.
func (s *Store) received(tx *gorm.DB, person, note uint64) (*Note, error) {
	var n Note
	err := tx.Raw("SELECT n.* FROM note_recipients AS r STRAIGHT_JOIN notes AS n ON n.id = r.note_id STRAIGHT_JOIN "+
		"memberships AS m ON m.course_id = n.course_id AND m.person_id = r.person_id AND m.state = 'active' WHERE r.note_id "+
		"= ? AND r.person_id = ? AND n.withdrawn_at IS NULL", note, person).Scan(&n).Error
	if err == nil && n.ID == 0 {
		err = ErrNotFound
	}
	return &n, err
}

// NoteAnswer is one line of the thread between the team and one student below a note.
type NoteAnswer struct {
	ID        uint64
	NoteID    uint64
	PersonID  uint64 // whose thread it is
	AuthorID  *uint64
	Text      string
	CreatedAt time.Time
	SeenAt    *time.Time // by the other side
}

// Answer adds to a student's thread below a note, and has hooks told of it. The student must have got the note;
// ErrNotFound where not.
func (s *Store) Answer(ctx context.Context, a *NoteAnswer, course string, told *HookCall) error {
	a.CreatedAt = s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		a.ID = 0
		n, err := s.received(tx, a.PersonID, a.NoteID)
		if err != nil {
			return err
		}
		if err := tx.Create(a).Error; err != nil {
			return err
		}
		if *a.AuthorID != a.PersonID { // it reaches the student anew
			err = tx.Exec("UPDATE note_recipients SET mailed = FALSE WHERE note_id = ? AND person_id = ?", a.NoteID,
				a.PersonID).Error
			if err != nil {
				return err
			}
		}
		if err := errors.Join(s.callHooks(tx, n.CourseID, told), s.noted(tx, n.CourseID)); err != nil {
			return err
		}
		return s.audit(tx, a.AuthorID, "note.answer", fmt.Sprint(course, "/note ", a.NoteID), fmt.Sprintf("%q", a.Text))
	})
}

// AnswerLine is an answer with names.
type AnswerLine struct {
	NoteAnswer
	Name    string // of the student whose thread it is, to sign in with
	Display string
	Author  *string
}

// mostAnswers bounds the answers that are read at once.
const mostAnswers = 1000

// Answers lists the threads below some notes, the oldest first: of one student, of some groups, or all.
func (s *Store) Answers(ctx context.Context, notes []uint64, person uint64, among ...string) ([]AnswerLine, error) {
	if len(notes) == 0 {
		return nil, nil
	}
	q := s.db.WithContext(ctx).Table("note_answers AS w").Select("w.*, p.name, p.display, b.display AS author").
		Joins("STRAIGHT_JOIN people AS p ON p.id = w.person_id").Joins("LEFT JOIN people AS b ON b.id = w.author_id").
		Where("w.note_id IN ?", notes)
	if person != 0 {
		q = q.Where("w.person_id = ?", person)
	}
	if len(among) > 0 {
		q = q.Joins("STRAIGHT_JOIN notes AS n ON n.id = w.note_id").Joins("STRAIGHT_JOIN memberships AS m ON m.course_id = "+
			"n.course_id AND m.person_id = w.person_id").Where("m.group_name IN ?", among)
	}
	var out []AnswerLine
	err := q.Order("w.note_id, w.person_id, w.id").Limit(mostAnswers).Scan(&out).Error
	return out, err
}

// ToMail is a note that is to reach somebody by mail.
type ToMail struct {
	Received
	PersonID uint64
	Display  string
	Email    string
	Answered *string // the team's newest answer, where that is the news
}

// MailNotes takes notes that are to go out by mail and were not, at most so many, makes a letter of each and puts it
// into the outbox: all in one transaction, so that each goes out once however many processes do this. No letter, nil,
// passes one over. It says how many rows were looked at.
func (s *Store) MailNotes(ctx context.Context, limit int, letter func(*ToMail) (*Letter, error)) (looked int,
	err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		looked = 0
		var rows []struct{ NoteID, PersonID uint64 }
		err := tx.Raw("SELECT note_id, person_id FROM note_recipients FORCE INDEX (note_recipients_mail) WHERE mailed = "+
			"FALSE ORDER BY reached_at LIMIT ? FOR UPDATE SKIP LOCKED", limit).Scan(&rows).Error
		if err != nil || len(rows) == 0 {
			return err
		}
		looked = len(rows)
		var pairs [][]any
		for _, r := range rows {
			pairs = append(pairs, []any{r.NoteID, r.PersonID})
		}
		var list []ToMail
		err = tx.Raw("SELECT n.*, b.display AS author, c.slug, c.title, c.current_revision_id AS current, r.attempt_id AS "+
			"own_try, r.reached_at, r.seen_at, r.person_id, p.display, p.email, (SELECT w.text FROM note_answers AS w WHERE "+
			"w.note_id = r.note_id AND w.person_id = r.person_id AND NOT w.author_id <=> r.person_id ORDER BY w.id DESC LIMIT "+
			"1) AS answered FROM note_recipients AS r STRAIGHT_JOIN notes AS n ON n.id = r.note_id STRAIGHT_JOIN courses AS c "+
			"ON c.id = n.course_id STRAIGHT_JOIN memberships AS m ON m.course_id = n.course_id AND m.person_id = r.person_id "+
			"AND m.state = 'active' STRAIGHT_JOIN people AS p ON p.id = r.person_id LEFT JOIN people AS b ON b.id = "+
			"n.author_id WHERE (r.note_id, r.person_id) IN ? AND n.withdrawn_at IS NULL AND p.mail_notes AND p.email <> '' AND "+
			"p.state = 'active'", pairs).Scan(&list).Error
		if err != nil {
			return err
		}
		for i := range list {
			l, err := letter(&list[i])
			if err != nil {
				return err
			}
			if l == nil {
				continue
			}
			if err := s.post(l); err != nil {
				return err
			}
			if err := tx.Create(l).Error; err != nil {
				return err
			}
		}
		return tx.Exec("UPDATE note_recipients SET mailed = TRUE WHERE (note_id, person_id) IN ?", pairs).Error
	})
	return looked, err
}

// KnotNotes counts the standing notes to each knot of a course, or those that go to some groups.
func (s *Store) KnotNotes(ctx context.Context, course uint64, among ...string) (map[Knot]int, error) {
	which, args := "", []any{course}
	if len(among) > 0 {
		which, args = " AND "+toAnyOf, append(args, GroupsText(among))
	}
	var list []struct {
		Knot
		N int
	}
	err := s.db.WithContext(ctx).Raw("SELECT exercise, lead_code, lead_output, COUNT(*) AS n FROM notes AS n FORCE INDEX "+
		"(notes_knot) WHERE course_id = ? AND kind = 'knot' AND withdrawn_at IS NULL"+which+" GROUP BY exercise, lead_code, "+
		"lead_output", args...).Scan(&list).Error
	out := make(map[Knot]int, len(list))
	for _, x := range list {
		out[x.Knot] = x.N
	}
	return out, err
}

// CourseOfNote finds the course that a note is of.
func (s *Store) CourseOfNote(ctx context.Context, note uint64) (*Course, error) {
	var c Course
	err := s.db.WithContext(ctx).Raw("SELECT c.* FROM notes AS n STRAIGHT_JOIN courses AS c ON c.id = n.course_id WHERE "+
		"n.id = ?", note).Scan(&c).Error
	if err == nil && c.ID == 0 {
		err = ErrNotFound
	}
	return &c, err
}
