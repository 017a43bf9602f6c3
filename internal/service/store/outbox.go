package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"math"
	"time"

	"gorm.io/gorm"
)

// LetterState says where a mail is on its way.
type LetterState string

// The states of a mail. Who sends one has it until it is due again.
const (
	LetterWaiting LetterState = "waiting"
	LetterSending LetterState = "sending"
	LetterSent    LetterState = "sent"
	LetterFailed  LetterState = "failed"
)

// Letter is a mail to be sent, or sent. Its text is forgotten once it is.
type Letter struct {
	ID        uint64
	MessageID string
	PersonID  *uint64
	Recipient string
	Subject   string
	Plain     string
	HTML      string `gorm:"column:html"`
	State     LetterState
	Owner     string
	Tries     int
	Due       time.Time
	Error     string
	CreatedAt time.Time
	SentAt    *time.Time
}

// TableName names the table of mails.
func (Letter) TableName() string { return "outbox" }

// post prepares a letter to be stored.
func (s *Store) post(l *Letter) error {
	raw := make([]byte, 12)
	if _, err := rand.Read(raw); err != nil {
		return err
	}
	l.ID, l.State, l.CreatedAt, l.Due = 0, LetterWaiting, s.now(), s.now()
	l.MessageID = hex.EncodeToString(raw)
	return nil
}

// takeDue claims rows of the outbox or of another table like it that are due: those first whose owner has not come to
// an end with them.
func (s *Store) takeDue(tx *gorm.DB, table, owner string, until time.Time, limit int) ([]uint64, error) {
	var ids []uint64
	for _, state := range []LetterState{LetterSending, LetterWaiting} {
		var some []uint64
		err := tx.Raw("SELECT id FROM "+table+" FORCE INDEX ("+table+"_due) WHERE state = ? AND due <= ? ORDER BY due LIMIT "+
			"? FOR UPDATE SKIP LOCKED", state, s.now(), limit-len(ids)).Scan(&some).Error
		if err != nil {
			return nil, err
		}
		ids = append(ids, some...)
	}
	if len(ids) == 0 {
		return nil, nil
	}
	return ids, tx.Exec("UPDATE "+table+" SET state = 'sending', owner = ?, due = ?, tries = tries + 1 WHERE id IN ?",
		owner, until, ids).Error
}

// TakeLetters claims letters that are due for an owner until a time, at most so many, the oldest first.
func (s *Store) TakeLetters(ctx context.Context, owner string, until time.Time, limit int) ([]Letter, error) {
	var out []Letter
	err := s.tx(ctx, func(tx *gorm.DB) error {
		out = nil
		ids, err := s.takeDue(tx, "outbox", owner, until, limit)
		if err != nil || len(ids) == 0 {
			return err
		}
		return tx.Where("id IN ?", ids).Order("id").Find(&out).Error
	})
	return out, err
}

// mineLetter narrows to a letter that an owner has claimed and nobody has taken over since.
const mineLetter = " WHERE id = ? AND owner = ? AND state = 'sending'"

// SentLetter notes that a letter was sent, and forgets its text.
func (s *Store) SentLetter(ctx context.Context, l *Letter) error {
	return s.db.WithContext(ctx).Exec("UPDATE outbox SET state = 'sent', sent_at = ?, plain = '', html = '', error = ''"+
		mineLetter, s.now(), l.ID, l.Owner).Error
}

// PutLetterBack lets a letter wait for another try; one that is given up has no time for it.
func (s *Store) PutLetterBack(ctx context.Context, l *Letter, again *time.Time, why string) error {
	if r := []rune(why); len(r) > 400 {
		why = string(r[:400])
	}
	if again == nil {
		return s.db.WithContext(ctx).Exec("UPDATE outbox SET state = 'failed', plain = '', html = '', error = ?"+mineLetter,
			why, l.ID, l.Owner).Error
	}
	return s.db.WithContext(ctx).Exec("UPDATE outbox SET state = 'waiting', due = ?, error = ?"+mineLetter, *again, why,
		l.ID, l.Owner).Error
}

// LeaveLetters gives letters back that were claimed and not tried.
func (s *Store) LeaveLetters(ctx context.Context, owner string, ids []uint64) error {
	return s.db.WithContext(ctx).Exec("UPDATE outbox SET state = 'waiting', due = ?, tries = tries - 1 WHERE id IN ? AND "+
		"owner = ? AND state = 'sending'", s.now(), ids, owner).Error
}

// Letters lists the outbox, newest first, the next so many below an id.
func (s *Store) Letters(ctx context.Context, before uint64, limit int) ([]Letter, error) {
	if before == 0 {
		before = math.MaxInt64
	}
	var out []Letter
	err := s.db.WithContext(ctx).Select("id, recipient, subject, state, tries, due, error, created_at, sent_at").
		Where("id < ?", before).Order("id DESC").Limit(limit).Find(&out).Error
	return out, err
}

// CountLetters counts the letters by state, and says since when the oldest waits.
func (s *Store) CountLetters(ctx context.Context) (counts map[LetterState]int64, oldest *time.Time, err error) {
	var list []struct {
		State LetterState
		N     int64
	}
	err = s.db.WithContext(ctx).Raw("SELECT state, COUNT(*) AS n FROM outbox FORCE INDEX (outbox_due) WHERE state IN (" +
		"'waiting', 'sending', 'sent', 'failed') GROUP BY state").
		Scan(&list).Error
	counts = map[LetterState]int64{}
	for _, x := range list {
		counts[x.State] = x.N
	}
	if err == nil && counts[LetterWaiting] > 0 {
		err = s.db.WithContext(ctx).Raw("SELECT created_at FROM outbox FORCE INDEX (outbox_due) WHERE state = 'waiting' " +
			"ORDER BY due LIMIT 1").Scan(&oldest).Error
	}
	return counts, oldest, err
}

// ForgetLetters removes letters that were sent or given up before a time.
func (s *Store) ForgetLetters(ctx context.Context, before time.Time) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM outbox WHERE created_at < ? AND state IN ('sent', 'failed') LIMIT 2000",
		before).Error
}
