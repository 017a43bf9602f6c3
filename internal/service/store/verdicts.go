package store

import (
	"cmp"
	"context"
	"slices"
	"strings"
)

// Done is an attempt that has been checked, with what came of it.
type Done struct {
	Attempt  *Attempt
	Verdict  *Verdict
	Findings []Finding
}

// sameAgain sets whether an attempt's verdict is there already, word for word.
const sameAgain = `SET @same = EXISTS (SELECT 1 FROM verdicts WHERE attempt_id = ? AND verdict = ? AND earned = ? AND
  possible = ? AND lead_code = ? AND lead_output = ? AND body = ? AND kept_earned IS NULL)`

// keepBetter lets the points of the verdict count that was replaced at a time, where they are the better ones and the
// re-check is to keep those.
const keepBetter = `UPDATE verdicts AS v JOIN attempts AS a ON a.id = v.attempt_id AND a.keep_better
  JOIN past_verdicts AS p ON p.attempt_id = v.attempt_id AND p.replaced_at = ?
  SET v.kept_earned = p.earned, v.kept_possible = p.possible
  WHERE v.attempt_id = ? AND p.possible > 0 AND p.earned / p.possible > IF(v.possible > 0, v.earned / v.possible, 0)`

// replaced keeps what a verdict came to that another takes the place of.
const replaced = `INSERT IGNORE INTO past_verdicts (attempt_id, stored_at, replaced_at, verdict, earned, possible)
  SELECT attempt_id, created_at, ?, verdict, COALESCE(kept_earned, earned), COALESCE(kept_possible, possible)
  FROM verdicts WHERE attempt_id = ?`

// verdictRows adds the statements that store a verdict with its findings.
func verdictRows(add func(statement string, values ...any), d Done) {
	a, v := d.Attempt, d.Verdict
	add("INSERT INTO verdicts (attempt_id, course_id, exercise, person_id, verdict, earned, possible, lead_code, "+
		"lead_output, open_code, open_output, from_cause, body, seconds, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, "+
		"?, ?, ?, ?, ?)", a.ID, a.CourseID, a.Exercise, a.PersonID, v.Verdict, v.Earned, v.Possible, v.LeadCode,
		v.LeadOutput, v.OpenCode, v.OpenOutput, v.FromCause, v.Body, v.Seconds, v.CreatedAt)
	if n := len(d.Findings); n > 0 {
		var rows []any
		for _, f := range d.Findings {
			rows = append(rows, a.ID, f.Ordinal, f.Code, f.CaseName, f.Output, f.Message)
		}
		add("INSERT INTO findings (attempt_id, ordinal, code, case_name, output, message) VALUES (?, ?, ?, ?, ?, ?)"+
			strings.Repeat(", (?, ?, ?, ?, ?, ?)", n-1), rows...)
	}
}

// Finish stores verdicts with their findings, in one round trip and one commit, each once: a second
// finish of an attempt changes nothing, nor does one by another revision than it is to be checked by.
// What stands of each person in each exercise is written with them.
func (s *Store) Finish(ctx context.Context, list ...Done) error {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b Done) int { return cmp.Compare(a.Attempt.ID, b.Attempt.ID) })
	var text strings.Builder
	var args []any
	add := func(statement string, values ...any) {
		text.WriteString(statement + ";\n")
		args = append(args, values...)
	}
	add("BEGIN NOT ATOMIC START TRANSACTION")
	now := s.now()
	for _, d := range list {
		a, v := d.Attempt, d.Verdict
		v.AttemptID, v.CourseID, v.Exercise, v.PersonID, v.CreatedAt = a.ID, a.CourseID, a.Exercise, a.PersonID, now
		add("UPDATE attempts SET state = 'checked', claimed_until = NULL WHERE id = ? AND state <> 'checked' AND "+
			"revision_id = ?", a.ID, a.RevisionID)
		text.WriteString("IF ROW_COUNT() > 0 THEN\n")
		if a.Behind { // a re-check puts a verdict in the place of the one before; what was handed in has none
			// Most of a re-check say what those before said; then that one stays.
			add(sameAgain, a.ID, v.Verdict, v.Earned, v.Possible, v.LeadCode, v.LeadOutput, v.Body)
			text.WriteString("IF NOT @same THEN\n")
			add(replaced, now, a.ID)
			add("DELETE FROM findings WHERE attempt_id = ?", a.ID)
			add("DELETE FROM verdicts WHERE attempt_id = ?", a.ID)
			verdictRows(add, d)
			add(keepBetter, now, a.ID)
			add(sumUp, a.CourseID, a.PersonID, a.Exercise)
			text.WriteString("END IF;\n")
		} else {
			verdictRows(add, d)
			add(stand, standing(a, v)...)
		}
		add("INSERT INTO changes (course_id, attempt_id, kind, created_at) VALUES (?, ?, 'verdict', ?)", a.CourseID, a.ID,
			now)
		if v.Verdict != "agrees" {
			add(reachLater, now, a.PersonID, a.CourseID, a.Exercise, v.LeadCode, v.LeadOutput)
		}
		text.WriteString("END IF;\n")
	}
	add("COMMIT")
	add("SELECT 1") // an answer, as a query has
	text.WriteString("END")
	var none int
	return s.block(ctx, &none, text.String(), args...)
}
