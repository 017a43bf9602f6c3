package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm/clause"
)

// Draft is the text that a person is writing for an exercise, kept for their other devices.
type Draft struct {
	PersonID  uint64 `gorm:"primaryKey"`
	CourseID  uint64 `gorm:"primaryKey"`
	Exercise  string `gorm:"primaryKey"`
	Program   string
	Version   int       // counts the texts that were kept, from 1
	WrittenAt time.Time // when it was typed, by the device's clock
}

// ErrNewer is returned for a draft that another device has replaced meanwhile.
var ErrNewer = errors.New("another text was kept meanwhile")

// DraftOf finds what a person is writing for an exercise; nil for nothing.
func (s *Store) DraftOf(ctx context.Context, course, person uint64, exercise string) (*Draft, error) {
	var list []Draft
	err := s.db.WithContext(ctx).Where("person_id = ? AND course_id = ? AND exercise = ?", person, course, exercise).
		Limit(1).Find(&list).Error
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// KeepDraft keeps a text in the place of the version that it was written from, 0 for none, and gives it its version.
// Where another version lies there it is left, and the error is ErrNewer.
func (s *Store) KeepDraft(ctx context.Context, d *Draft) error {
	from := d.Version
	d.Version++
	db := s.db.WithContext(ctx)
	if from == 0 {
		made := db.Clauses(clause.OnConflict{DoNothing: true}).Create(d)
		if made.Error == nil && made.RowsAffected == 0 {
			return ErrNewer
		}
		return made.Error
	}
	kept := db.Model(&Draft{}).Where("person_id = ? AND course_id = ? AND exercise = ? AND version = ?", d.PersonID,
		d.CourseID, d.Exercise, from).Select("program", "version", "written_at").Updates(d)
	if kept.Error == nil && kept.RowsAffected == 0 {
		return ErrNewer
	}
	return kept.Error
}
