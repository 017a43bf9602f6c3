package store

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"
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

const intoVerdicts = `INSERT INTO verdicts (attempt_id, course_id, exercise, person_id, verdict, earned, possible,
  lead_code, lead_output, open_code, open_output, from_cause, body, seconds, created_at) VALUES `

const aVerdict = "(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"

// verdictRow is a row of verdicts.
func verdictRow(a *Attempt, v *Verdict) []any {
	return []any{a.ID, a.CourseID, a.Exercise, a.PersonID, v.Verdict, v.Earned, v.Possible, v.LeadCode, v.LeadOutput,
		v.OpenCode, v.OpenOutput, v.FromCause, v.Body, v.Seconds, v.CreatedAt}
}

// intoFindings stores findings that are given as one JSON array.
const intoFindings = `INSERT INTO findings (attempt_id, ordinal, code, case_name, output, message)
  SELECT attempt_id, ordinal, code, case_name, output, message FROM JSON_TABLE(?, '$[*]' COLUMNS (
    attempt_id BIGINT UNSIGNED PATH '$[0]', ordinal INT UNSIGNED PATH '$[1]', code VARCHAR(64) PATH '$[2]',
    case_name VARCHAR(120) PATH '$[3]', output VARCHAR(120) PATH '$[4]', message MEDIUMTEXT PATH '$[5]')) AS given`

// findingRows writes findings for intoFindings.
func findingRows(list []Done) (string, error) {
	rows := [][]any{}
	for _, d := range list {
		for _, f := range d.Findings {
			rows = append(rows, []any{d.Attempt.ID, f.Ordinal, f.Code, f.CaseName, f.Output, f.Message})
		}
	}
	text, err := json.Marshal(rows)
	return string(text), err
}

// mostFinished bounds the verdicts that one block stores; there is a statement for each number of them.
const mostFinished = 16

// finishBlocks store so many verdicts, if all of their attempts had none: the answer says whether.
var finishBlocks = func() (out [mostFinished + 1]*block) {
	for n := 1; n <= mostFinished; n++ {
		times := func(what, between string) string { return what + strings.Repeat(between+what, n-1) }
		out[n] = blockOf("", `
  UPDATE attempts SET state = 'checked', claimed_until = NULL
    WHERE (`+times("id = ? AND revision_id = ?", " OR ")+`) AND state <> 'checked';
  IF ROW_COUNT() = `+strconv.Itoa(n)+` THEN
    `+intoVerdicts+times(aVerdict, ", ")+`;
    `+intoFindings+`;
    `+intoStanding+times(aStanding, ", ")+ontoStanding+`;
    INSERT INTO changes (course_id, attempt_id, kind, created_at) VALUES `+times("(?, ?, 'verdict', ?)", ", ")+`;
    `+reachLater+times(oneStanding, " OR ")+reachOnce+`;
    COMMIT;
    SELECT TRUE;
  ELSE
    ROLLBACK;
    SELECT FALSE;
  END IF;`)
	}
	return out
}()

// Finish stores verdicts with their findings, in one round trip and one commit, each once: a second
// finish of an attempt changes nothing, nor does one by another revision than it is to be checked by.
// What stands of each person in each exercise is written with them. A verdict that was not stored, because its attempt
// has one or is to be checked by another revision, has no time of its own then.
func (s *Store) Finish(ctx context.Context, list ...Done) error {
	list = slices.Clone(list)
	slices.SortFunc(list, func(a, b Done) int { return cmp.Compare(a.Attempt.ID, b.Attempt.ID) })
	now := s.now()
	var fresh, again []Done
	for _, d := range list {
		a, v := d.Attempt, d.Verdict
		v.AttemptID, v.CourseID, v.Exercise, v.PersonID, v.CreatedAt = a.ID, a.CourseID, a.Exercise, a.PersonID, now
		if a.Behind { // a re-check puts a verdict in the place of the one before; what was handed in has none
			again = append(again, d)
			continue
		}
		fresh = append(fresh, d)
	}
	for part := range slices.Chunk(fresh, mostFinished) {
		stored, err := s.finish(ctx, now, part)
		if err == nil && !stored && len(part) == 1 {
			part[0].Verdict.CreatedAt = time.Time{}
			continue
		}
		for i := 0; err == nil && !stored && i < len(part); i++ {
			err = s.Finish(ctx, part[i])
		}
		if err != nil {
			return err
		}
	}
	if len(again) == 0 {
		return nil
	}
	return s.finishAgain(ctx, now, again)
}

// finish stores the verdicts of attempts that have none; false where one of them has, and nothing is stored.
func (s *Store) finish(ctx context.Context, now time.Time, list []Done) (stored bool, err error) {
	findings, err := findingRows(list)
	if err != nil {
		return false, err
	}
	var claims, verdicts, stands, changes, reached []any
	for _, d := range list {
		a, v := d.Attempt, d.Verdict
		claims = append(claims, a.ID, a.RevisionID)
		verdicts = append(verdicts, verdictRow(a, v)...)
		stands = append(stands, standing(a, v)...)
		changes = append(changes, a.CourseID, a.ID, now)
		reached = append(reached, a.CourseID, a.PersonID, a.Exercise, a.ID)
	}
	args := slices.Concat(claims, verdicts, []any{findings}, stands, changes, []any{now}, reached)
	err = s.runWith(ctx, finishBlocks[len(list)], args, &stored)
	return stored, err
}

// finishAgain puts verdicts in the place of those before.
func (s *Store) finishAgain(ctx context.Context, now time.Time, list []Done) error {
	var text strings.Builder
	var args []any
	add := func(statement string, values ...any) {
		text.WriteString(statement + ";\n")
		args = append(args, values...)
	}
	add("BEGIN NOT ATOMIC START TRANSACTION")
	for _, d := range list {
		a, v := d.Attempt, d.Verdict
		findings, err := findingRows([]Done{d})
		if err != nil {
			return err
		}
		add("UPDATE attempts SET state = 'checked', claimed_until = NULL WHERE id = ? AND state <> 'checked' AND "+
			"revision_id = ?", a.ID, a.RevisionID)
		text.WriteString("IF ROW_COUNT() > 0 THEN\n")
		// Most of a re-check say what those before said; then that one stays.
		add(sameAgain, a.ID, v.Verdict, v.Earned, v.Possible, v.LeadCode, v.LeadOutput, v.Body)
		text.WriteString("IF NOT @same THEN\n")
		add(replaced, now, a.ID)
		add("DELETE FROM findings WHERE attempt_id = ?", a.ID)
		add("DELETE FROM verdicts WHERE attempt_id = ?", a.ID)
		add(intoVerdicts+aVerdict, verdictRow(a, v)...)
		add(intoFindings, findings)
		add(keepBetter, now, a.ID)
		add(sumUp, a.CourseID, a.PersonID, a.Exercise)
		text.WriteString("END IF;\n")
		add("INSERT INTO changes (course_id, attempt_id, kind, created_at) VALUES (?, ?, 'verdict', ?)", a.CourseID, a.ID,
			now)
		add(reachLater+oneStanding+reachOnce, now, a.CourseID, a.PersonID, a.Exercise, a.ID)
		text.WriteString("END IF;\n")
	}
	add("COMMIT")
	add("SELECT 1") // an answer, as a query has
	text.WriteString("END")
	var none int
	return s.together(ctx, &none, text.String(), args...)
}
