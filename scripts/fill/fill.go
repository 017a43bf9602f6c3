// Package fill makes a database as large as a faculty's: for tests that explain queries and for
// measuring. Rows are made by the database itself, and are the same each time.
package fill

import (
	"context"
	"database/sql"
	"fmt"
	"time"
)

// Size says how much is made.
type Size struct {
	People    int // students of the first course; each is also in some others
	Exercises int
	Attempts  int // nearly all in the first course
	Body      int // bytes of each verdict beside its columns
}

// Faculty is the size that the project's figures are for.
var Faculty = Size{People: 2_000, Exercises: 60, Attempts: 500_000, Body: 2}

// Apart is how far the attempts are apart: 500,000 fill a term of twelve weeks.
const Apart = 15 * time.Second

// Courses is how many courses are made.
const Courses = 40

// Tables fills an empty database that has been migrated.
func Tables(ctx context.Context, db *sql.DB, size Size) error {
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	for _, statement := range statements(size) {
		if _, err := conn.ExecContext(ctx, statement); err != nil {
			return fmt.Errorf("%.80s …: %w", statement, err)
		}
	}
	return nil
}

func statements(size Size) []string {
	p := size.People
	list := []string{
		"SET SESSION unique_checks = 0, SESSION foreign_key_checks = 0",
		fmt.Sprintf("INSERT INTO people (id, name, display, password_hash, email, number, created_at) SELECT seq, "+
			"CONCAT('p', seq), CONCAT('P ', seq), 'x', CONCAT('p', seq, '@farm.example'), CONCAT('n', seq), NOW(6) FROM "+
			"seq_1_to_%d", p),
		fmt.Sprintf("INSERT INTO courses (id, slug, title, created_at) SELECT seq, CONCAT('c', seq), 'C', NOW(6) FROM "+
			"seq_1_to_%d", Courses),
		fmt.Sprintf("INSERT INTO revisions (id, course_id, number, source, source_hash, published_by, created_at) SELECT "+
			"seq, 1 + seq MOD %d, seq, 'x', UNHEX(SHA2(seq, 256)), 1, NOW(6) FROM seq_1_to_400", Courses),
		"UPDATE courses SET current_revision_id = 40 WHERE id = 1",
		fmt.Sprintf("INSERT INTO memberships (course_id, person_id, role, group_name, created_at) SELECT 1, seq, 'student', "+
			"CONCAT('g', seq MOD 20), NOW(6) FROM seq_1_to_%d", p),
		fmt.Sprintf("INSERT INTO memberships (course_id, person_id, role, created_at) SELECT 2 + seq MOD %d, 1 + seq DIV "+
			"%d, IF(seq MOD 9 = 0, 'assistant', 'student'), NOW(6) FROM seq_1_to_%d", Courses-1, Courses-1, 5*p),
	}
	// Attempt k is by person k, at the exercises in turn, each several times; every 25th is in another course.
	const chunk = 20_000
	for from := 1; from <= size.Attempts; from += chunk {
		to := min(from+chunk-1, size.Attempts)
		list = append(list, fmt.Sprintf(`INSERT INTO attempts (id, course_id, revision_id, exercise, kind, person_id, number,
				program, state, behind, due, tries, claimed_until, created_at, repeat_key)
			SELECT seq, IF(seq MOD 25 = 0, 2 + seq MOD %d, 1), 40, CONCAT('e', seq DIV %d MOD %d), 'program', 1 + seq MOD %d,
				1 + seq DIV %d, 'x = 1', IF(seq > %d - 40, IF(seq MOD 2 = 0, 'waiting', 'checking'), IF(seq MOD 50000 = 0,
				'stuck', 'checked')), FALSE, NOW(6), 1, NOW(6), NOW(6) - INTERVAL (%d - seq) * %d SECOND, CONCAT('k', seq)
			FROM seq_%d_to_%d`, Courses-1, p, size.Exercises, p, p*size.Exercises, size.Attempts, size.Attempts,
			int(Apart.Seconds()), from, to),
			fmt.Sprintf(`INSERT INTO verdicts (attempt_id, course_id, exercise, person_id, verdict, earned, possible, lead_code,
				open_code, body, seconds, created_at)
			SELECT id, course_id, exercise, person_id, ELT(1 + id DIV 7 MOD 4, 'agrees', 'differs', 'failed', 'differs'),
				id MOD 5, 4, CONCAT('code', id DIV 3 MOD 30), 'shape.differs', REPEAT('x', %d), 0.002, created_at
			FROM attempts WHERE id BETWEEN %d AND %d AND state = 'checked'`, size.Body, from, to),
			fmt.Sprintf("INSERT INTO findings (attempt_id, ordinal, code, message) SELECT id, 0, 'shape.differs', 'm' FROM "+
				"attempts WHERE id BETWEEN %d AND %d", from, to),
			fmt.Sprintf("INSERT INTO changes (course_id, attempt_id, kind, created_at) SELECT course_id, id, 'verdict', "+
				"created_at FROM attempts WHERE id BETWEEN %d AND %d", from, to))
	}
	return append(list,
		`INSERT INTO standing SELECT a.course_id, a.person_id, a.exercise, MAX(a.number), MIN(a.created_at), MAX(a.id),
				MAX(a.created_at), ELT(1 + MAX(a.id) DIV 7 MOD 4, 'agrees', 'differs', 'failed', 'differs'),
				CONCAT('code', MAX(a.id) DIV 3 MOD 30), '', MIN(a.id), 0.5, 2, NULL, MAX(a.created_at)
			FROM attempts AS a WHERE a.state = 'checked' GROUP BY a.course_id, a.person_id, a.exercise`,
		fmt.Sprintf("INSERT INTO sessions (secret_hash, person_id, csrf, created_at, expires_at) SELECT UNHEX(SHA2(seq, "+
			"256)), 1 + seq MOD %d, 'c', NOW(6), NOW(6) + INTERVAL 3600 + seq SECOND FROM seq_1_to_5000", p),
		fmt.Sprintf("INSERT INTO tokens (secret_hash, person_id, label, created_at, expires_at) SELECT UNHEX(SHA2(seq, "+
			"256)), 1 + seq MOD %d, 'c', NOW(6), NOW(6) + INTERVAL 3600 + seq SECOND FROM seq_1_to_5000", p),
		fmt.Sprintf("INSERT INTO predictions (person_id, course_id, exercise, ordinal, answer, is_right, created_at) "+
			"SELECT 1 + seq MOD %d, 1, CONCAT('e', seq DIV %d), 0, 'a', 1, NOW(6) FROM seq_1_to_4000", p, p),
		fmt.Sprintf("INSERT INTO jobs (kind, course, person_id, state, beat_at, args, reached, created_at, ended_at) SELECT "+
			"'publish', CONCAT('c', seq MOD %d), 1 + seq MOD %d, IF(seq MOD 1000 = 0, 'waiting', 'done'), NOW(6), '', '', "+
			"NOW(6), NOW(6) - INTERVAL seq SECOND FROM seq_1_to_5000", Courses, p),
		fmt.Sprintf("INSERT INTO extensions (course_id, person_id, group_name, closes, reason, created_at) SELECT 1 + seq "+
			"MOD %d, IF(seq MOD 4 = 0, NULL, 1 + seq MOD %d), IF(seq MOD 4 = 0, CONCAT('g', seq MOD 20), ''), NOW(6), 'r', "+
			"NOW(6) FROM seq_1_to_4000", Courses, p),
		fmt.Sprintf("INSERT INTO outbox (message_id, person_id, recipient, subject, plain, html, state, due, created_at) "+
			"SELECT SHA2(seq, 256), 1 + seq MOD %d, 'r', 's', 'p', 'h', IF(seq MOD 100 = 0, 'waiting', 'sent'), NOW(6), NOW(6) "+
			"- INTERVAL seq SECOND FROM seq_1_to_5000", p),
		fmt.Sprintf("INSERT INTO audit (person_id, action, subject, detail, created_at) SELECT 1 + seq MOD %d, CONCAT('a', "+
			"seq MOD 9), CONCAT('c', seq MOD 9, '/p', seq), '', NOW(6) FROM seq_1_to_5000", p),
		fmt.Sprintf("INSERT INTO adjustments (course_id, person_id, exercise, kind, points, reason, created_at) SELECT 1 + "+
			"seq MOD %d, 1 + seq MOD %d, CONCAT('e', seq MOD 20), 'set', '2', 'r', NOW(6) FROM seq_1_to_4000", Courses, p),
		"UPDATE standing AS s JOIN verdicts AS b ON b.attempt_id = s.best_id JOIN verdicts AS n ON n.attempt_id = "+
			"s.newest_id SET s.best_of = b.attempt_id, s.best_possible = b.possible, s.newest_of = n.attempt_id, "+
			"s.newest_earned = n.earned, s.newest_possible = n.possible",
		"UPDATE standing SET entered_at = newest_at",
		// Every note to a knot and a course has some hundreds of recipients.
		fmt.Sprintf("INSERT INTO notes (course_id, kind, exercise, lead_code, later, among, text, author_id, created_at) "+
			"SELECT 1 + seq MOD %d, IF(seq MOD 5 = 0, 'course', 'knot'), IF(seq MOD 5 = 0, '', CONCAT('e', seq MOD 20)), "+
			"IF(seq MOD 5 = 0, '', CONCAT('code', seq MOD 30)), seq MOD 2, '', 't', 1, NOW(6) FROM seq_1_to_2000", Courses),
		fmt.Sprintf("INSERT INTO note_recipients (note_id, person_id, reached_at, mailed) SELECT 1 + seq MOD 2000, 1 + seq "+
			"DIV 2000 MOD %d, NOW(6), seq MOD 1000 > 0 FROM seq_1_to_200000", p),
		"INSERT INTO note_answers (note_id, person_id, author_id, text, created_at) SELECT 1 + seq MOD 2000, 1 + seq MOD "+
			"100, IF(seq MOD 2 = 0, 1, 1 + seq MOD 100), 't', NOW(6) FROM seq_1_to_4000",
		"INSERT INTO note_texts (note_id, version, text, replaced_at) SELECT seq, 0, 't', NOW(6) FROM seq_1_to_2000",
		"INSERT INTO past_verdicts SELECT id, created_at, NOW(6), 'differs', 0, 4 FROM attempts WHERE id MOD 100 = 0 AND "+
			"state = 'checked'",
		fmt.Sprintf("INSERT INTO tickets (course_id, revision_id, exercise, person_id, expires_at, created_at) SELECT 1, "+
			"40, "+
			"CONCAT('e', seq DIV 2000 MOD 20), 1 + seq MOD %d, NOW(6), NOW(6) - INTERVAL seq MINUTE FROM seq_1_to_20000", p),
		"INSERT INTO arrays (digest, part, body, created_at) SELECT SHA2(seq, 256), 0, 'x', NOW(6) - INTERVAL seq SECOND "+
			"FROM seq_1_to_20000",
		"SET SESSION unique_checks = 1, SESSION foreign_key_checks = 1",
		"ANALYZE TABLE jobs, people, courses, revisions, memberships, attempts, verdicts, findings, changes, sessions, "+
			"tokens, predictions, standing, extensions, outbox, audit, adjustments, past_verdicts, notes, "+
			"note_recipients, note_answers, note_texts, tickets, arrays")
}
