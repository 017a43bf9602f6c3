package store

import (
	"context"

	"gorm.io/gorm"
)

// MailWishes are what reaches a person by mail.
type MailWishes struct {
	Notes  bool // of their teams, to them
	Digest bool // of the courses that they teach
	Knots  bool // that grow in them
}

// SetMail changes what reaches a person by mail.
func (s *Store) SetMail(ctx context.Context, person uint64, w MailWishes) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		err := tx.Exec("UPDATE people SET mail_notes = ?, mail_digest = ?, mail_knots = ? WHERE id = ?", w.Notes, w.Digest,
			w.Knots, person).Error
		if err != nil {
			return err
		}
		return s.revoked(tx, person) // what is kept of them is read again
	})
}

// SetCalendar gives a person's calendar another secret; the address before is void. nil leaves them without one.
func (s *Store) SetCalendar(ctx context.Context, p *Person, hash []byte) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE people SET calendar_hash = ? WHERE id = ?", hash, p.ID).Error; err != nil {
			return err
		}
		if err := s.audit(tx, &p.ID, "calendar.renew", p.Name, ""); err != nil {
			return err
		}
		return s.revoked(tx, p.ID)
	})
}

// CalendarPerson finds whose calendar a secret opens, of those who have not left.
func (s *Store) CalendarPerson(ctx context.Context, hash []byte) (*Person, error) {
	var p Person
	err := s.db.WithContext(ctx).Where("calendar_hash = ? AND state = ?", hash, Active).Take(&p).Error
	return &p, known(err)
}
