package store

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Hook is an address that is told of what happens in a course.
type Hook struct {
	ID        uint64
	CourseID  uint64
	Address   string
	Secret    []byte // that what is sent is signed with
	Events    string // kinds, with spaces between
	MadeBy    *uint64
	CreatedAt time.Time
	EndedAt   *time.Time
}

// Wants reports whether a hook is told of a kind of event.
func (h *Hook) Wants(kind string) bool { return slices.Contains(strings.Fields(h.Events), kind) }

// HookCall is one event on its way to one hook. Its states are those of a letter.
type HookCall struct {
	ID        uint64
	HookID    uint64
	MessageID string
	Kind      string
	Body      string
	State     LetterState
	Owner     string
	Tries     int
	Due       time.Time
	Status    int // of the last answer; 0 for none
	Error     string
	CreatedAt time.Time
	SentAt    *time.Time

	Address string `gorm:"->"` // of the hook, as Secret; read where calls are taken
	Secret  []byte `gorm:"->"`
}

// AddHook stores a hook, with a first call to it where one is given.
func (s *Store) AddHook(ctx context.Context, h *Hook, course string, first *HookCall) error {
	h.CreatedAt = s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		h.ID = 0
		if err := tx.Create(h).Error; err != nil {
			return err
		}
		if first != nil {
			if err := s.call(tx, h.ID, first); err != nil {
				return err
			}
		}
		return s.audit(tx, h.MadeBy, "hook.add", fmt.Sprint(course, "/hook ", h.ID), h.Address+" "+h.Events)
	})
}

// call puts an event into the line of a hook.
func (s *Store) call(tx *gorm.DB, hook uint64, c *HookCall) error {
	return tx.Exec("INSERT INTO hook_calls (hook_id, message_id, kind, body, state, due, created_at) VALUES (?, ?, ?, ?, "+
		"'waiting', ?, ?)", hook, c.MessageID, c.Kind, c.Body, s.now(), s.now()).Error
}

// HooksOf lists a course's hooks.
func (s *Store) HooksOf(ctx context.Context, course uint64) ([]Hook, error) {
	return s.hooksOf(s.db.WithContext(ctx), course)
}

func (s *Store) hooksOf(tx *gorm.DB, course uint64) ([]Hook, error) {
	var out []Hook
	err := tx.Where("course_id = ? AND ended_at IS NULL", course).Order("id").Limit(100).Find(&out).
		Error
	return out, err
}

// EndHook ends a hook; what waits for it is not sent any more.
func (s *Store) EndHook(ctx context.Context, by uint64, c *Course, id uint64) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Exec("UPDATE hooks SET ended_at = ? WHERE id = ? AND course_id = ? AND ended_at IS NULL", s.now(), id,
			c.ID)
		if done.Error != nil {
			return done.Error
		}
		if done.RowsAffected == 0 {
			return ErrNotFound
		}
		err := tx.Exec("UPDATE hook_calls SET state = 'failed', error = 'the hook was ended' WHERE hook_id = ? AND state IN "+
			"('waiting', 'sending')", id).Error
		if err != nil {
			return err
		}
		return s.audit(tx, &by, "hook.end", fmt.Sprint(c.Slug, "/hook ", id), "")
	})
}

// callHooks puts an event into the line of every hook of a course that wants it; nil is none. It is part of the
// transaction in which the event happens: then it is told of whatever becomes of the process.
func (s *Store) callHooks(tx *gorm.DB, course uint64, c *HookCall) error {
	if c == nil {
		return nil
	}
	list, err := s.hooksOf(tx, course)
	for i := range list {
		if list[i].Wants(c.Kind) {
			err = errors.Join(err, s.call(tx, list[i].ID, c))
		}
	}
	return err
}

// TakeCalls claims calls that are due for an owner until a time, at most so many.
func (s *Store) TakeCalls(ctx context.Context, owner string, until time.Time, limit int) ([]HookCall, error) {
	var out []HookCall
	err := s.tx(ctx, func(tx *gorm.DB) error {
		out = nil
		ids, err := s.takeDue(tx, "hook_calls", owner, until, limit)
		if err != nil || len(ids) == 0 {
			return err
		}
		return tx.Raw("SELECT c.*, h.address, h.secret FROM hook_calls AS c STRAIGHT_JOIN hooks AS h ON h.id = c.hook_id "+
			"WHERE c.id IN ? ORDER BY c.id", ids).Scan(&out).Error
	})
	return out, err
}

// CalledHook notes what came of a call: sent, to be tried again at a time, or given up.
func (s *Store) CalledHook(ctx context.Context, c *HookCall, again *time.Time, why string) error {
	if r := []rune(why); len(r) > 400 {
		why = string(r[:400])
	}
	state, due, sent := LetterFailed, c.Due, (*time.Time)(nil)
	switch {
	case why == "":
		now := s.now()
		state, sent = LetterSent, &now
	case again != nil:
		state, due = LetterWaiting, *again
	}
	return s.db.WithContext(ctx).Exec("UPDATE hook_calls SET state = ?, due = ?, sent_at = ?, status = ?, error = ?"+
		mineLetter, state, due, sent, c.Status, why, c.ID, c.Owner).Error
}

// HookCalls lists what was sent to a hook, newest first, the next so many below an id.
func (s *Store) HookCalls(ctx context.Context, course, hook, before uint64, limit int) ([]HookCall, error) {
	if before == 0 {
		before = math.MaxInt64
	}
	var out []HookCall
	err := s.db.WithContext(ctx).Raw("SELECT c.id, c.hook_id, c.message_id, c.kind, c.state, c.tries, c.due, c.status, "+
		"c.error, c.created_at, c.sent_at FROM hooks AS h STRAIGHT_JOIN hook_calls AS c FORCE INDEX (hook_calls_of) ON "+
		"c.hook_id = h.id WHERE h.id = ? AND h.course_id = ? AND c.id < ? ORDER BY c.id DESC LIMIT ?", hook, course, before,
		limit).Scan(&out).Error
	return out, err
}

// ForgetCalls removes calls that were sent or given up before a time.
func (s *Store) ForgetCalls(ctx context.Context, before time.Time) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM hook_calls WHERE created_at < ? AND state IN ('sent', 'failed') LIMIT "+
		"2000", before).Error
}
