package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"time"
)

// Ticket is one set of data for one person, on which arrays are handed in once. The data are not stored: they follow
// from the ticket, its revision and a secret of the service.
type Ticket struct {
	ID         uint64
	CourseID   uint64
	RevisionID uint64
	Exercise   string
	PersonID   uint64
	AttemptID  *uint64 // what was handed in for it; nil until then
	ExpiresAt  time.Time
	CreatedAt  time.Time
}

// Spent reports whether nothing can be handed in for a ticket any more.
func (t *Ticket) Spent(now time.Time) bool { return t.AttemptID != nil || !now.Before(t.ExpiresAt) }

// TicketsAnHour is how many tickets a person can make within an hour.
const TicketsAnHour = 30

// ticketBlock makes a ticket in one round trip, or finds the one that is open.
var ticketBlock = blockOf(`
  DECLARE found BIGINT UNSIGNED;
  DECLARE made, unused, last INT UNSIGNED DEFAULT 0;
  DECLARE oldest DATETIME(6);
  DECLARE bound VARCHAR(8);`, `
  SELECT id INTO found FROM people WHERE id = @person FOR UPDATE;
  SET found = NULL;
  SELECT id INTO found FROM tickets FORCE INDEX (tickets_own) WHERE person_id = @person AND course_id = @course
    AND exercise = @exercise AND attempt_id IS NULL AND expires_at > @now ORDER BY id DESC LIMIT 1;
  IF found IS NULL THEN
    SELECT COUNT(*), MIN(created_at) INTO made, oldest FROM tickets FORCE INDEX (tickets_own)
      WHERE person_id = @person AND created_at > @now - INTERVAL 1 HOUR;
    IF @limit > 0 THEN
      SELECT COUNT(*) INTO unused FROM tickets FORCE INDEX (tickets_own) WHERE person_id = @person
        AND course_id = @course AND exercise = @exercise AND attempt_id IS NULL;
      SELECT number INTO last FROM attempts FORCE INDEX (attempts_own)
        WHERE person_id = @person AND course_id = @course AND exercise = @exercise ORDER BY id DESC LIMIT 1;
    END IF;
    SET bound = CASE
      WHEN @limit > 0 AND last + unused >= @limit THEN 'limit'
      WHEN made >= @most THEN 'hour' END;
    IF bound IS NULL THEN
      INSERT INTO tickets (course_id, revision_id, exercise, person_id, expires_at, created_at)
        VALUES (@course, @revision, @exercise, @person, @expires, @now);
      SET found = LAST_INSERT_ID();
    END IF;
  END IF;
  COMMIT;
  SELECT found, bound, oldest, t.revision_id, t.expires_at, t.created_at FROM (SELECT 1) AS made
    LEFT JOIN tickets AS t ON t.id = found;`)

// MakeTicket makes a ticket, or takes the one that its person holds open for the exercise. limit is how many attempts
// the person has, 0 for any number: tickets that were never used count among them.
func (s *Store) MakeTicket(ctx context.Context, t *Ticket, limit int) error {
	now := s.now()
	var out struct {
		Found      *uint64
		Bound      *string
		Oldest     *time.Time
		RevisionID *uint64
		ExpiresAt  *time.Time
		CreatedAt  *time.Time
	}
	err := s.run(ctx, ticketBlock, map[string]any{"now": now, "person": t.PersonID, "course": t.CourseID,
		"revision": t.RevisionID, "exercise": t.Exercise, "expires": t.ExpiresAt, "limit": limit, "most": TicketsAnHour},
		&out.Found, &out.Bound, &out.Oldest, &out.RevisionID, &out.ExpiresAt, &out.CreatedAt)
	switch {
	case err != nil:
		return err
	case out.Found == nil && *out.Bound == "limit":
		return &Refused{Limit: limit}
	case out.Found == nil:
		return &Refused{Wait: out.Oldest.Add(time.Hour).Sub(now)}
	}
	t.ID, t.RevisionID, t.ExpiresAt, t.CreatedAt = *out.Found, *out.RevisionID, *out.ExpiresAt, *out.CreatedAt
	return nil
}

// TicketByID finds a ticket.
func (s *Store) TicketByID(ctx context.Context, id uint64) (*Ticket, error) {
	var t Ticket
	err := s.db.WithContext(ctx).Take(&t, id).Error
	return &t, known(err)
}

// Secret is a secret of the service by its name: the same for all processes, made when it is first asked for.
func (s *Store) Secret(ctx context.Context, name string) ([]byte, error) {
	value := make([]byte, 32)
	if _, err := rand.Read(value); err != nil {
		return nil, err
	}
	db := s.db.WithContext(ctx)
	if err := db.Exec("INSERT IGNORE INTO secrets (name, value, created_at) VALUES (?, ?, ?)", name, value,
		s.now()).Error; err != nil {
		return nil, err
	}
	var out struct{ Value []byte }
	err := db.Raw("SELECT value FROM secrets WHERE name = ?", name).Scan(&out).Error
	if err == nil && len(out.Value) == 0 {
		err = errors.New("the secret is empty")
	}
	return out.Value, err
}

// arraysPart bounds one part of what is handed in, far below what any server takes in one go.
const arraysPart = 4 << 20

// KeepArrays stores packed arrays, and gives the digest that an attempt names them by.
func (s *Store) KeepArrays(ctx context.Context, packed []byte) (string, error) {
	sum := sha256.Sum256(packed)
	digest := hex.EncodeToString(sum[:])
	for part := 0; part == 0 || part*arraysPart < len(packed); part++ {
		body := packed[part*arraysPart : min((part+1)*arraysPart, len(packed))]
		err := s.db.WithContext(ctx).Exec("INSERT INTO arrays (digest, part, body, created_at) VALUES (?, ?, ?, ?) "+
			"ON DUPLICATE KEY UPDATE created_at = VALUES(created_at)", digest, part, body, s.now()).Error
		if err != nil {
			return "", err
		}
	}
	return digest, nil
}

// Arrays reads what KeepArrays stored.
func (s *Store) Arrays(ctx context.Context, digest string) ([]byte, error) {
	var packed []byte
	for part := 0; ; part++ {
		var out []struct{ Body []byte }
		err := s.db.WithContext(ctx).Raw("SELECT body FROM arrays WHERE digest = ? AND part = ?", digest, part).
			Scan(&out).Error
		switch {
		case err != nil:
			return nil, err
		case len(out) == 0 && part == 0:
			return nil, ErrNotFound
		case len(out) == 0:
			return packed, nil
		}
		packed = append(packed, out[0].Body...)
	}
}

// forgottenAt is how many sets of arrays are forgotten in one go.
const forgottenAt = 100

// ForgetArrays deletes arrays that no attempt names, stored before a time.
func (s *Store) ForgetArrays(ctx context.Context, before time.Time) error {
	for {
		var digests []string
		db := s.db.WithContext(ctx)
		err := db.Raw("SELECT r.digest FROM arrays AS r FORCE INDEX (arrays_created) LEFT JOIN attempts AS a "+
			"FORCE INDEX (attempts_arrays) ON a.arrays = r.digest WHERE r.part = 0 AND r.created_at < ? AND a.id IS NULL "+
			"LIMIT ?", before, forgottenAt).Scan(&digests).Error
		if err != nil || len(digests) == 0 {
			return err
		}
		if err := db.Exec("DELETE FROM arrays WHERE digest IN ? AND created_at < ?", digests, before).Error; err != nil {
			return err
		}
	}
}
