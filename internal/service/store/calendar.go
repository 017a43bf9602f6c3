package store

import (
	"context"

	"gorm.io/gorm"
)

// SetMailNotes says whether notes reach a person by mail too.
func (s *Store) SetMailNotes(ctx context.Context, person uint64, notes bool) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("UPDATE people SET mail_notes = ? WHERE id = ?", notes, person).Error; err != nil {
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
