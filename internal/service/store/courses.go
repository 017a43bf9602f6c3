package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// CourseBySlug finds a course.
func (s *Store) CourseBySlug(ctx context.Context, slug string) (*Course, error) {
	var c Course
	err := s.db.WithContext(ctx).Where("slug = ?", slug).Take(&c).Error
	return &c, known(err)
}

// Conflict says that somebody published a course since the revision that an edit began
// from.
type Conflict struct {
	From    int // the revision the edit began from; 0 where none was named
	Current int
	By      string // who published the current one
	At      time.Time
}

// AnyRevision as the revision that an edit began from replaces whatever is current; NewCourse publishes nothing where
// the course is there already.
const (
	AnyRevision = -1
	NewCourse   = -2
)

func (c *Conflict) Error() string {
	return fmt.Sprintf("revision %d is current, and the edit began from %d", c.Current, c.From)
}

// Publish stores a course folder as a new revision and makes it the current one.
// The course is made when it is new, with the publisher as its instructor. A
// folder equal to the current revision's makes no new one. from is the number of the
// revision that the folder was edited from; another current one is a *Conflict. Where it
// is 0 nothing of somebody else's is replaced either.
func (s *Store) Publish(ctx context.Context, by uint64, slug, title string, source []byte, from int) (*Course,
	*Revision, error) {
	hash := sha256.Sum256(source)
	var c Course
	var r Revision
	err := s.tx(ctx, func(tx *gorm.DB) error {
		c, r = Course{}, Revision{}
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("slug = ?", slug).Take(&c).Error
		made := errors.Is(err, gorm.ErrRecordNotFound)
		if made {
			c = Course{Slug: slug, Title: title, CreatedAt: s.now()}
			if err = tx.Create(&c).Error; err == nil {
				err = tx.Create(&Membership{CourseID: c.ID, PersonID: by, Role: Instructor, CreatedAt: s.now()}).Error
			}
		}
		switch {
		case err != nil:
			return err
		case from == NewCourse && !made:
			return ErrTaken
		}
		if c.CurrentRevisionID != nil {
			if err := tx.Take(&r, *c.CurrentRevisionID).Error; err != nil {
				return err
			}
			if bytes.Equal(r.SourceHash, hash[:]) {
				return nil
			}
			if from != r.Number && from != AnyRevision && (from > 0 || r.PublishedBy == nil || *r.PublishedBy != by) {
				return conflict(tx, &r, from)
			}
		}
		r = Revision{CourseID: c.ID, Number: r.Number + 1, Source: source, SourceHash: hash[:], PublishedBy: &by,
			CreatedAt: s.now()}
		if err := tx.Create(&r).Error; err != nil {
			return err
		}
		c.Title, c.CurrentRevisionID = title, &r.ID
		if err := tx.Save(&c).Error; err != nil {
			return err
		}
		if err := tx.Create(&Change{CourseID: &c.ID, Kind: "revision", CreatedAt: s.now()}).Error; err != nil {
			return err
		}
		return s.audit(tx, &by, "course.publish", slug, title)
	})
	return &c, &r, known(err)
}

func conflict(tx *gorm.DB, current *Revision, from int) error {
	c := &Conflict{From: from, Current: current.Number, At: current.CreatedAt}
	if current.PublishedBy != nil {
		var p Person
		if err := tx.Select("display").Take(&p, *current.PublishedBy).Error; err != nil {
			return err
		}
		c.By = p.Display
	}
	return c
}

// RevisionByID finds a revision, its source included.
func (s *Store) RevisionByID(ctx context.Context, id uint64) (*Revision, error) {
	var r Revision
	err := s.db.WithContext(ctx).Take(&r, id).Error
	return &r, known(err)
}

// RevisionLine is a revision in a list, without its source.
type RevisionLine struct {
	ID        uint64
	Number    int
	By        *string
	CreatedAt time.Time
}

// Revisions lists a course's revisions, newest first, those below a number where one is
// given.
func (s *Store) Revisions(ctx context.Context, course uint64, before, limit int) ([]RevisionLine, error) {
	q := s.db.WithContext(ctx).Table("revisions AS r").Select("r.id, r.number, p.display AS `by`, r.created_at").
		Joins("LEFT JOIN people AS p ON p.id = r.published_by").Where("r.course_id = ?", course)
	if before > 0 {
		q = q.Where("r.number < ?", before)
	}
	var out []RevisionLine
	err := q.Order("r.number DESC").Limit(limit).Scan(&out).Error
	return out, err
}

// RevisionByNumber finds a course's revision, its source included.
func (s *Store) RevisionByNumber(ctx context.Context, course uint64, number int) (*Revision, error) {
	var r Revision
	err := s.db.WithContext(ctx).Where("course_id = ? AND number = ?", course, number).Take(&r).Error
	return &r, known(err)
}

// RevisionNumber returns a revision's number without reading its source.
func (s *Store) RevisionNumber(ctx context.Context, id uint64) (int, error) {
	var r Revision
	err := s.db.WithContext(ctx).Select("number").Take(&r, id).Error
	return r.Number, known(err)
}

// SlugOf returns a course's name in addresses.
func (s *Store) SlugOf(ctx context.Context, id uint64) (string, error) {
	var c Course
	err := s.db.WithContext(ctx).Select("slug").Take(&c, id).Error
	return c.Slug, known(err)
}

// CreateCourse makes an empty course with its instructor; ErrTaken when there is one of this name.
func (s *Store) CreateCourse(ctx context.Context, by uint64, c *Course, instructor *Person) error {
	c.CreatedAt = s.now()
	return known(s.tx(ctx, func(tx *gorm.DB) error {
		c.ID = 0
		if err := tx.Create(c).Error; err != nil {
			return err
		}
		err := tx.Create(&Membership{CourseID: c.ID, PersonID: instructor.ID, Role: Instructor, State: Active,
			CreatedAt: c.CreatedAt}).Error
		if err != nil {
			return err
		}
		return s.audit(tx, &by, "course.create", c.Slug, fmt.Sprintf("%s, instructor %s", c.Title, instructor.Name))
	}))
}

// SetArchived archives a course, or takes it back.
func (s *Store) SetArchived(ctx context.Context, by uint64, c *Course, archived bool) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		c.ArchivedAt = nil
		if now := s.now(); archived {
			c.ArchivedAt = &now
		}
		if err := tx.Exec("UPDATE courses SET archived_at = ? WHERE id = ?", c.ArchivedAt, c.ID).Error; err != nil {
			return err
		}
		if err := tx.Create(&Change{CourseID: &c.ID, Kind: "revision", CreatedAt: s.now()}).Error; err != nil {
			return err
		}
		return s.audit(tx, &by, "course.archive", c.Slug, map[bool]string{true: "archived", false: "back"}[archived])
	})
}

// CourseLine is a course in the list of all.
type CourseLine struct {
	Course
	Revision *int
	Students int
	Team     int
}

// Courses lists all courses by their names in addresses, those after a name.
func (s *Store) Courses(ctx context.Context, after string, limit int) ([]CourseLine, error) {
	var out []CourseLine
	err := s.db.WithContext(ctx).Raw("SELECT c.*, r.number AS revision, (SELECT COUNT(*) FROM memberships AS m WHERE "+
		"m.course_id = c.id AND m.role = 'student' AND m.state = 'active') AS students, (SELECT COUNT(*) FROM memberships "+
		"AS m WHERE m.course_id = c.id AND m.role <> 'student' AND m.state = 'active') AS team FROM courses AS c FORCE "+
		"INDEX (courses_slug) LEFT JOIN revisions AS r ON r.id = c.current_revision_id WHERE c.slug > ? ORDER BY c.slug "+
		"LIMIT ?",
		after, limit).Scan(&out).Error
	return out, err
}
