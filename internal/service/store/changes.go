package store

import (
	"context"
	"database/sql"
	"strconv"
	"time"

	"gorm.io/gorm"
)

// changesAt is how many changes are read in one go.
const changesAt = 5000

var changesAfter = &block{text: "SELECT id, course_id, attempt_id, subject, kind, created_at FROM changes " +
	"WHERE id > ? ORDER BY id LIMIT " + strconv.Itoa(changesAt)}

// ChangesAfter lists changes with a greater id, in that order; whole is false where more follow.
func (s *Store) ChangesAfter(ctx context.Context, id uint64) (list []Change, whole bool, err error) {
	err = s.readWith(ctx, changesAfter, []any{id}, func(rows *sql.Rows) error {
		list = nil
		for rows.Next() {
			var c Change
			if err := rows.Scan(&c.ID, &c.CourseID, &c.AttemptID, &c.Subject, &c.Kind, &c.CreatedAt); err != nil {
				return err
			}
			list = append(list, c)
		}
		return nil
	})
	return list, len(list) < changesAt, err
}

// NewestChange is the greatest id of a change; 0 where there is none.
func (s *Store) NewestChange(ctx context.Context) (uint64, error) {
	var id uint64
	err := s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(id), 0) FROM changes").Scan(&id).Error
	return id, err
}

// revoked tells every process that what a person signed in with is no longer what it was.
func (s *Store) revoked(tx *gorm.DB, person uint64) error {
	return tx.Create(&Change{Subject: &person, Kind: "revoked", CreatedAt: s.now()}).Error
}

// forgetAt is how many changes are removed in one transaction.
const forgetAt = 1000

// ForgetChanges removes changes that every process has seen long since.
func (s *Store) ForgetChanges(ctx context.Context, before time.Time) error {
	for {
		done := s.db.WithContext(ctx).Where("created_at < ?", before).Order("created_at, id").Limit(forgetAt).
			Delete(&Change{})
		if done.Error != nil || done.RowsAffected < forgetAt {
			return done.Error
		}
	}
}
