package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"time"
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
	Ticket  string        // the ticket is "used" or "expired"
}

func (r *Refused) Error() string { return "the attempt exceeds a limit" }

// turnGap is how far behind another an attempt of the same person is in the line.
const turnGap = 5 * time.Second

// handInBlock stores an attempt in one round trip and one commit. The row of the person is locked
// first, so that bounds and numbers hold however many attempts come at once on one node; of two that
// are numbered at once on two nodes the cluster refuses one.
var handInBlock = blockOf(`
  DECLARE found, stored BIGINT UNSIGNED;
  DECLARE waiting, checking, last, unused INT UNSIGNED DEFAULT 0;
  DECLARE newest, handed_in DATETIME(6);
  DECLARE bound, ticket VARCHAR(8);
  DECLARE own BOOLEAN;`, `
  SET handed_in = @now;
  SELECT id INTO found FROM people WHERE id = @person FOR UPDATE;
  SELECT COALESCE(SUM(state = 'waiting' AND NOT behind), 0), COALESCE(SUM(state = 'checking'), 0)
    INTO waiting, checking FROM attempts FORCE INDEX (attempts_person)
    WHERE person_id = @person AND state IN ('waiting', 'checking');
  SELECT number, created_at INTO last, newest FROM attempts FORCE INDEX (attempts_own)
    WHERE person_id = @person AND course_id = @course AND exercise = @exercise ORDER BY id DESC LIMIT 1;
  IF @limit > 0 THEN
    SELECT COUNT(*) INTO unused FROM tickets FORCE INDEX (tickets_own) WHERE person_id = @person
      AND course_id = @course AND exercise = @exercise AND attempt_id IS NULL AND id <> COALESCE(@ticket, 0);
  END IF;
  IF @ticket IS NOT NULL THEN
    SELECT CASE WHEN attempt_id > 0 THEN 'used' WHEN expires_at <= handed_in THEN 'expired' END INTO ticket FROM tickets
      WHERE id = @ticket AND person_id = @person FOR UPDATE;
  END IF;
  SET own = @claim > 0 AND waiting + checking = 0;
  SET bound = CASE
    WHEN ticket IS NOT NULL THEN ticket
    WHEN @limit > 0 AND last + unused >= @limit THEN 'limit'
    WHEN @wait > 0 AND TIMESTAMPDIFF(MICROSECOND, newest, handed_in) < @wait THEN 'wait'
    WHEN @most > 0 AND waiting >= @most THEN 'waiting' END;
  IF bound IS NULL THEN
    INSERT INTO attempts (course_id, revision_id, exercise, kind, person_id, number, program, arrays, ticket_id, source,
        written_at, state, behind, due, repeat_key, tries, claimed_until, late, created_at)
      VALUES (@course, @revision, @exercise, @kind, @person, last + 1, @program, @arrays, @ticket, @source, @written,
        IF(own, 'checking', 'waiting'), FALSE, handed_in + INTERVAL waiting * @gap SECOND, @key, own,
        IF(own, handed_in + INTERVAL @claim MICROSECOND, NULL), @late, handed_in);
    SET stored = LAST_INSERT_ID();
    IF @ticket IS NOT NULL THEN
      UPDATE tickets SET attempt_id = LAST_INSERT_ID() WHERE id = @ticket;
    END IF;
    INSERT INTO changes (course_id, attempt_id, subject, kind, created_at)
      VALUES (@course, stored, IF(own, 1, NULL), 'attempt', handed_in);
  END IF;
  COMMIT;
  SELECT stored, bound, last, newest, waiting, checking;`)

// handedIn is what handInBlock answers.
type handedIn struct {
	Stored            *uint64
	Bound             *string // the bound that keeps the attempt out
	Last              int     // the number of the attempt before
	Newest            *time.Time
	Waiting, Checking int
}

// HandIn stores an attempt before anything else is done with it. With a repeat
// key that the person has used before it returns the attempt of that time.
func (s *Store) HandIn(ctx context.Context, a *Attempt, b Bounds) (repeated bool, err error) {
	if a.Kind == "" {
		a.Kind = "program"
	}
	given := a.RepeatKey != nil
	if !given { // a transaction whose answer was lost is run again, and stores once
		key, err := repeatKey()
		if err != nil {
			return false, err
		}
		a.RepeatKey = &key
	}
	for range mostNumbers {
		err = s.handIn(ctx, a, b)
		if kept := (*Refused)(nil); !isDuplicate(err) && !errors.As(err, &kept) {
			break
		}
		before, absent := s.Keyed(ctx, a.PersonID, *a.RepeatKey)
		if absent == nil {
			*a = *before
			return given, nil
		}
		if !isDuplicate(err) || !errors.Is(absent, ErrNotFound) { // else another node has given its number
			break
		}
	}
	return false, known(err)
}

// mostNumbers bounds how often an attempt is numbered anew.
const mostNumbers = 10

func (s *Store) handIn(ctx context.Context, a *Attempt, b Bounds) error {
	now := s.now()
	var out handedIn
	err := s.run(ctx, handInBlock, map[string]any{"now": now, "person": a.PersonID, "course": a.CourseID,
		"revision": a.RevisionID, "exercise": a.Exercise, "kind": a.Kind, "program": a.Program, "arrays": a.Arrays,
		"ticket": a.TicketID, "source": a.Source, "written": a.WrittenAt, "key": *a.RepeatKey,
		"claim": b.Claim.Microseconds(), "gap": int(turnGap.Seconds()), "limit": b.Limit,
		"wait": b.Wait.Microseconds(), "most": b.Waiting, "late": a.Late},
		&out.Stored, &out.Bound, &out.Last, &out.Newest, &out.Waiting, &out.Checking)
	switch {
	case err != nil:
		return err
	case out.Stored == nil:
		return bounded(b, now, &out)
	}
	due := now.Add(time.Duration(out.Waiting) * turnGap)
	a.ID, a.Number, a.State, a.CreatedAt, a.Due = *out.Stored, out.Last+1, Waiting, now, &due
	if b.Claim > 0 && out.Waiting+out.Checking == 0 {
		until := now.Add(b.Claim)
		a.State, a.ClaimedUntil, a.Tries = Checking, &until, 1
	}
	return nil
}

// bounded says which bound kept an attempt out.
func bounded(b Bounds, now time.Time, out *handedIn) error {
	switch *out.Bound {
	case "limit":
		return &Refused{Limit: b.Limit}
	case "wait":
		return &Refused{Wait: b.Wait - now.Sub(*out.Newest)}
	case "used", "expired":
		return &Refused{Ticket: *out.Bound}
	}
	return &Refused{Waiting: out.Waiting}
}

// repeatKey makes a key that nobody has used.
func repeatKey() (string, error) {
	raw := make([]byte, 12)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	return "own " + hex.EncodeToString(raw), nil
}

// Keyed finds the attempt that a person handed in with a repeat key.
func (s *Store) Keyed(ctx context.Context, person uint64, key string) (*Attempt, error) {
	var a Attempt
	err := s.db.WithContext(ctx).Where("person_id = ? AND repeat_key = ?", person, key).Take(&a).Error
	return &a, known(err)
}
