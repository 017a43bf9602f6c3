package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
)

// A row of the table `standing` is how a person stands in an exercise: what their attempts that have a
// verdict come to. It is written with each verdict; lists, the desk and one's own state read it, and
// the attempts that are open beside it.

// intoStanding and ontoStanding, with rows between them, add verdicts to what stands. Assignments are made from left
// to right: which attempt is the newest and which the best is decided before what is known of them is taken over.
const intoStanding = `INSERT INTO standing (course_id, person_id, exercise, tries, first_at, newest_id, newest_at,
    verdict, lead_code, lead_output, best_id, best_share, best_earned, agreed_at, written_at, best_of, best_possible,
    newest_of, newest_earned, newest_possible, entered_at)
  VALUES `

const aStanding = "(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"

const ontoStanding = `
  ON DUPLICATE KEY UPDATE entered_at = IF(newest_id > VALUES(newest_id) OR newest_of = newest_id AND
      (verdict = 'agrees') = (VALUES(verdict) = 'agrees') AND lead_code = VALUES(lead_code) AND
      lead_output = VALUES(lead_output), entered_at, VALUES(newest_at)),
    tries = GREATEST(tries, VALUES(tries)), first_at = LEAST(first_at, VALUES(first_at)),
    newest_id = GREATEST(newest_id, VALUES(newest_id)), newest_at = GREATEST(newest_at, VALUES(newest_at)),
    verdict = IF(newest_id = VALUES(newest_id), VALUES(verdict), verdict),
    lead_code = IF(newest_id = VALUES(newest_id), VALUES(lead_code), lead_code),
    lead_output = IF(newest_id = VALUES(newest_id), VALUES(lead_output), lead_output),
    newest_of = IF(newest_id = VALUES(newest_id), VALUES(newest_of), newest_of),
    newest_earned = IF(newest_id = VALUES(newest_id), VALUES(newest_earned), newest_earned),
    newest_possible = IF(newest_id = VALUES(newest_id), VALUES(newest_possible), newest_possible),
    best_id = IF(VALUES(best_share) > best_share OR VALUES(best_share) = best_share AND VALUES(best_id) < best_id,
      VALUES(best_id), best_id),
    best_share = GREATEST(best_share, VALUES(best_share)),
    best_earned = IF(best_id = VALUES(best_id), VALUES(best_earned), best_earned),
    best_of = IF(best_id = VALUES(best_id), VALUES(best_of), best_of),
    best_possible = IF(best_id = VALUES(best_id), VALUES(best_possible), best_possible),
    agreed_at = COALESCE(LEAST(agreed_at, VALUES(agreed_at)), agreed_at, VALUES(agreed_at)),
    written_at = GREATEST(written_at, VALUES(written_at))`

// standing is what aStanding takes: the row as it is with one verdict alone.
func standing(a *Attempt, v *Verdict) []any {
	share := 0.0
	if v.Possible > 0 {
		share = v.Earned / v.Possible
	}
	var agreed *time.Time
	if v.Verdict == "agrees" {
		agreed = &a.CreatedAt
	}
	return []any{a.CourseID, a.PersonID, a.Exercise, a.Number, a.CreatedAt, a.ID, a.CreatedAt, v.Verdict, v.LeadCode,
		v.LeadOutput, a.ID, share, v.Earned, agreed, v.CreatedAt, a.ID, v.Possible, a.ID, v.Earned, v.Possible,
		a.CreatedAt}
}

// sumUp writes what stands of a person in an exercise anew from all verdicts there: after a re-check,
// which may have taken away what was best.
const sumUp = `REPLACE INTO standing (course_id, person_id, exercise, tries, first_at, newest_id, newest_at, verdict,
    lead_code, lead_output, best_id, best_share, best_earned, agreed_at, written_at, best_of, best_possible, newest_of,
    newest_earned, newest_possible, entered_at)
  SELECT course_id, person_id, exercise, MAX(number), MIN(created_at), MAX(id), MAX(IF(newest = 1, created_at, NULL)),
    MAX(IF(newest = 1, verdict, NULL)), MAX(IF(newest = 1, lead_code, NULL)), MAX(IF(newest = 1, lead_output, NULL)),
    MAX(IF(best = 1, id, NULL)), MAX(share), MAX(IF(best = 1, earned, NULL)),
    MIN(IF(verdict = 'agrees', created_at, NULL)), MAX(written_at), MAX(IF(best = 1, id, NULL)),
    MAX(IF(best = 1, possible, NULL)), MAX(id), MAX(IF(newest = 1, earned, NULL)), MAX(IF(newest = 1, possible, NULL)),
    MIN(IF(id > broke, created_at, NULL))
  FROM (SELECT *, ROW_NUMBER() OVER (ORDER BY id DESC) AS newest, ROW_NUMBER() OVER (ORDER BY share DESC, id) AS best,
      MAX(IF(led = last_led, 0, id)) OVER () AS broke
    FROM (SELECT a.course_id, a.person_id, a.exercise, a.number, a.created_at, a.id, v.verdict, v.lead_code,
        v.lead_output, COALESCE(v.kept_earned, v.earned) AS earned, COALESCE(v.kept_possible, v.possible) AS possible,
        COALESCE(v.kept_earned / v.kept_possible, IF(v.possible > 0, v.earned / v.possible, 0)) AS share,
        v.created_at AS written_at, CONCAT(v.verdict = 'agrees', v.lead_code, '\n', v.lead_output) AS led,
        FIRST_VALUE(CONCAT(v.verdict = 'agrees', v.lead_code, '\n', v.lead_output)) OVER (ORDER BY a.id DESC)
          AS last_led
      FROM attempts AS a FORCE INDEX (attempts_newest) STRAIGHT_JOIN verdicts AS v ON v.attempt_id = a.id
      WHERE a.course_id = ? AND a.person_id = ? AND a.exercise = ?) AS each_one) AS ordered
  GROUP BY course_id, person_id, exercise`

// mendAt is how many people's standings are mended in one go.
const mendAt = 500

// Mend sums up anew what verdicts stored since a time are missing from: those that a process of an
// earlier release stored beside this one.
func (s *Store) Mend(ctx context.Context, since time.Time) error {
	for {
		var list []struct {
			CourseID, PersonID uint64
			Exercise           string
		}
		err := s.db.WithContext(ctx).Raw(`SELECT DISTINCT v.course_id, v.person_id, v.exercise
			FROM changes AS c FORCE INDEX (changes_recent) STRAIGHT_JOIN verdicts AS v ON v.attempt_id = c.attempt_id
			LEFT JOIN standing AS s ON s.course_id = v.course_id AND s.person_id = v.person_id AND s.exercise = v.exercise
			WHERE c.created_at >= ? AND c.kind = 'verdict' AND (s.written_at IS NULL OR s.written_at < v.created_at) LIMIT ?`,
			since, mendAt).Scan(&list).Error
		if err != nil {
			return err
		}
		for _, x := range list {
			if err := s.db.WithContext(ctx).Exec(sumUp, x.CourseID, x.PersonID, x.Exercise).Error; err != nil {
				return err
			}
		}
		if len(list) < mendAt {
			return nil
		}
	}
}

// Group is people of a course who stand alike in an exercise: their newest attempt has the same
// verdict, with the same lead. One that is open has no verdict: they stand with it by its state.
type Group struct {
	Exercise, Verdict, LeadCode, LeadOutput string

	State    State // of attempts without a verdict; "" with one
	Student  bool  // or of the team
	People   int
	Tries    int       // their attempts at the exercise, all of them
	Since    time.Time // the first of them has stood like this
	Newest   time.Time // attempt
	Attempts string    // ids of those that do not agree, the newest first, at most mostOfGroup
}

// mostOfGroup bounds the attempts that a group names; People counts all.
const mostOfGroup = 200

// Groups sorts a course's people by how they stand in each exercise: one range of an index, in its order. Who is of
// the team, or has left, is taken out of the groups into some of their own. Among limits it to people of some lab
// groups: then nobody of the team is in it.
func (s *Store) Groups(ctx context.Context, course uint64, among ...string) ([]Group, error) {
	var out []Group
	if len(among) > 0 {
		err := s.db.WithContext(ctx).Raw(fmt.Sprintf(`SELECT s.exercise, s.verdict, s.lead_code, s.lead_output,
				TRUE AS student, COUNT(*) AS people, SUM(s.tries) AS tries,
				MIN(COALESCE(IF(s.newest_of = s.newest_id, s.entered_at, NULL), s.newest_at)) AS since,
				MAX(s.newest_at) AS newest,
				IF(s.verdict = 'agrees', '', GROUP_CONCAT(s.newest_id ORDER BY s.newest_id DESC LIMIT %d)) AS attempts
			FROM memberships AS m FORCE INDEX (memberships_group) STRAIGHT_JOIN standing AS s FORCE INDEX (PRIMARY) ON
				s.course_id = m.course_id AND s.person_id = m.person_id
			WHERE m.course_id = ? AND m.group_name IN ? AND m.role = 'student' AND m.state = 'active'
			GROUP BY s.exercise, s.verdict, s.lead_code, s.lead_output`, mostOfGroup), course, among).Scan(&out).Error
		return out, err
	}
	err := s.db.WithContext(ctx).Raw(fmt.Sprintf(`SELECT exercise, verdict, lead_code, lead_output, TRUE AS student,
			COUNT(*) AS people, SUM(tries) AS tries,
			MIN(COALESCE(IF(newest_of = newest_id, entered_at, NULL), newest_at)) AS since,
			MAX(newest_at) AS newest,
			IF(verdict = 'agrees', '', GROUP_CONCAT(newest_id ORDER BY newest_id DESC LIMIT %d)) AS attempts
		FROM standing FORCE INDEX (standing_alike) WHERE course_id = ?
		GROUP BY course_id, exercise, verdict, lead_code, lead_output`, mostOfGroup), course).Scan(&out).Error
	if err != nil {
		return nil, err
	}
	var team []Group
	err = s.db.WithContext(ctx).Raw(`SELECT s.exercise, s.verdict, s.lead_code, s.lead_output, 1 AS people, s.tries,
			s.newest_at AS since, s.newest_at AS newest, s.newest_id AS attempts
		FROM memberships AS m STRAIGHT_JOIN standing AS s FORCE INDEX (PRIMARY) ON s.course_id = m.course_id AND
			s.person_id = m.person_id
		WHERE m.course_id = ? AND (m.role <> 'student' OR m.state = 'left')`, course).Scan(&team).Error
	at := map[Alike]*Group{}
	for i := range out {
		at[out[i].Alike()] = &out[i]
	}
	for _, one := range team {
		of := one.Alike()
		of.Student = true
		if g := at[of]; g != nil {
			g.Without(one.Attempts, one.Tries)
		}
	}
	out = slices.DeleteFunc(out, func(g Group) bool { return g.People == 0 })
	return append(out, team...), err
}

// Alike is what people of one group have in common.
type Alike struct {
	Exercise, Verdict, LeadCode, LeadOutput string
	Student                                 bool
}

// Alike is what the people of a group have in common.
func (g *Group) Alike() Alike {
	return Alike{g.Exercise, g.Verdict, g.LeadCode, g.LeadOutput, g.Student}
}

// Without takes somebody out of a group whose newest attempt has an id and who tried so often.
func (g *Group) Without(attempt string, tries int) {
	g.People--
	g.Tries -= tries
	g.Attempts = strings.Trim(strings.ReplaceAll(","+g.Attempts+",", ","+attempt+",", ","), ",")
}

// OpenAttempt is an attempt that has no verdict yet, or will have none, with how its person stands by the
// attempts before it.
type OpenAttempt struct {
	ID        uint64
	PersonID  uint64
	Exercise  string
	Number    int
	State     State
	Student   bool
	CreatedAt time.Time

	// Of the newest attempt with a verdict; nil where there is none.
	NewestID *uint64
	Tries    *int
	Verdict  *string
	LeadCode *string
	Lead     *string `gorm:"column:lead_output"`
}

// mostOpen bounds the open attempts that are read of a course.
const mostOpen = 20_000

// OpenAttempts lists a course's attempts that have no verdict, the oldest first; of those that are
// checked again the ones that got stuck. Among limits it to people of some lab groups.
func (s *Store) OpenAttempts(ctx context.Context, course uint64, among ...string) ([]OpenAttempt, error) {
	var out []OpenAttempt
	which, args := "", []any{course, mostOpen}
	if len(among) > 0 {
		which, args = "AND m.group_name IN ?", []any{course, among, mostOpen}
	}
	err := s.db.WithContext(ctx).Raw(`SELECT a.id, a.person_id, a.exercise, a.number, a.state, a.created_at,
			COALESCE(m.role = 'student' AND m.state = 'active', FALSE) AS student, s.newest_id, s.tries, s.verdict,
			s.lead_code, s.lead_output
		FROM attempts AS a FORCE INDEX (attempts_line)
		LEFT JOIN memberships AS m ON m.course_id = a.course_id AND m.person_id = a.person_id
		LEFT JOIN standing AS s ON s.course_id = a.course_id AND s.person_id = a.person_id AND s.exercise = a.exercise
		WHERE a.course_id = ? AND (a.state IN ('waiting', 'checking') AND a.behind = FALSE OR
			a.state = 'stuck' AND a.behind IN (FALSE, TRUE)) `+which+`
		ORDER BY a.id LIMIT ?`, args...).Scan(&out).Error
	return out, err
}

// Waiting counts the attempts of a course that wait for a verdict, those checked again with them, and
// those that are stuck.
func (s *Store) Waiting(ctx context.Context, course uint64) (waiting, stuck int64, err error) {
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
	return waiting, stuck, err
}

// Mine is what one person did in one exercise.
type Mine struct {
	Exercise string
	Attempts int
	Best     *float64 // points of the best attempt
	Agrees   bool     // in any attempt
	Newest   uint64
	Verdict  *string // of the newest attempt; nil where it has none yet
}

// MineIn sums up what a person did in a course, exercise by exercise, or in one of them.
func (s *Store) MineIn(ctx context.Context, course, person uint64, exercise string) ([]Mine, error) {
	which, args := "", []any{course, person}
	if exercise != "" {
		which, args = " AND exercise = ?", append(args, exercise)
	}
	var out []Mine
	err := s.db.WithContext(ctx).Raw("SELECT exercise, tries AS attempts, best_earned AS best, agreed_at IS NOT NULL AS "+
		"agrees, newest_id AS newest, verdict FROM standing WHERE course_id = ? AND person_id = ?"+which+" ORDER BY exercise",
		args...).Scan(&out).Error
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	for i, m := range out {
		at[m.Exercise] = i
	}
	var open []Attempt
	err = s.db.WithContext(ctx).Raw("SELECT id, exercise, number FROM attempts FORCE INDEX (attempts_person) WHERE "+
		"course_id = ? AND person_id = ? AND state IN ('waiting', 'checking', 'stuck')"+which+" ORDER BY id", args...).
		Scan(&open).Error
	for _, a := range open {
		i, known := at[a.Exercise]
		if !known {
			i = len(out)
			at[a.Exercise], out = i, append(out, Mine{Exercise: a.Exercise})
		}
		if m := &out[i]; a.ID > m.Newest {
			m.Attempts, m.Newest, m.Verdict = a.Number, a.ID, nil
		}
	}
	return out, err
}
