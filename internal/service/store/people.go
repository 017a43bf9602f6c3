package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
)

// AddPerson makes a person; ErrTaken when the name is in use.
func (s *Store) AddPerson(ctx context.Context, by *uint64, p *Person) error {
	p.CreatedAt = s.now()
	return known(s.tx(ctx, func(tx *gorm.DB) error {
		p.ID = 0
		if err := tx.Create(p).Error; err != nil {
			return err
		}
		return s.audit(tx, by, "person.add", p.Name, "")
	}))
}

// PersonByName finds a person by the name they sign in with.
func (s *Store) PersonByName(ctx context.Context, name string) (*Person, error) {
	var p Person
	err := s.db.WithContext(ctx).Where("name = ?", name).Take(&p).Error
	return &p, known(err)
}

// CountPeople returns how many people there are.
func (s *Store) CountPeople(ctx context.Context) (int64, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Person{}).Count(&n).Error
	return n, err
}

// AddSession stores a console's sign-in.
func (s *Store) AddSession(ctx context.Context, x *Session) error {
	x.CreatedAt = s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		x.ID = 0
		if err := tx.Where("expires_at < ?", x.CreatedAt).Limit(100).Delete(&Session{}).Error; err != nil {
			return err
		}
		if err := tx.Create(x).Error; err != nil {
			return err
		}
		return s.audit(tx, &x.PersonID, "session.begin", fmt.Sprint(x.PersonID), "")
	})
}

// SessionPerson finds who a session's secret belongs to, if it has not expired.
func (s *Store) SessionPerson(ctx context.Context, hash []byte) (*Session, *Person, error) {
	var x Session
	if err := s.db.WithContext(ctx).Where("secret_hash = ? AND expires_at > ?", hash, s.now()).Take(&x).Error; err != nil {
		return &x, nil, known(err)
	}
	p, err := s.person(ctx, x.PersonID)
	return &x, p, err
}

// EndSession forgets a session, and tells whose it was; 0 where there was none.
func (s *Store) EndSession(ctx context.Context, hash []byte) (person uint64, err error) {
	return s.end(ctx, hash, "sessions")
}

// end removes a secret from the table that it is in.
func (s *Store) end(ctx context.Context, hash []byte, table string) (person uint64, err error) {
	err = s.tx(ctx, func(tx *gorm.DB) error {
		person = 0
		err := tx.Table(table).Select("person_id").Where("secret_hash = ?", hash).Scan(&person).Error
		if err != nil || person == 0 {
			return err
		}
		if err := tx.Exec("DELETE FROM "+table+" WHERE secret_hash = ?", hash).Error; err != nil {
			return err
		}
		return s.revoked(tx, person)
	})
	return person, err
}

// AddToken stores a client's sign-in.
func (s *Store) AddToken(ctx context.Context, x *Token) error {
	x.CreatedAt = s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		x.ID = 0
		if err := tx.Where("expires_at < ?", x.CreatedAt).Limit(100).Delete(&Token{}).Error; err != nil {
			return err
		}
		if err := tx.Create(x).Error; err != nil {
			return err
		}
		return s.audit(tx, &x.PersonID, "token.add", x.Label, "")
	})
}

// TokenPerson finds who a token's secret belongs to, if it has not expired.
func (s *Store) TokenPerson(ctx context.Context, hash []byte) (*Token, *Person, error) {
	var x Token
	if err := s.db.WithContext(ctx).Where("secret_hash = ? AND expires_at > ?", hash, s.now()).Take(&x).Error; err != nil {
		return &x, nil, known(err)
	}
	p, err := s.person(ctx, x.PersonID)
	return &x, p, err
}

// EndToken forgets a token, and tells whose it was; 0 where there was none.
func (s *Store) EndToken(ctx context.Context, hash []byte) (person uint64, err error) {
	return s.end(ctx, hash, "tokens")
}

// SetRole gives a person a role in a course, whether or not they had one.
func (s *Store) SetRole(ctx context.Context, by *uint64, course *Course, person *Person, role Role) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		m := Membership{CourseID: course.ID, PersonID: person.ID, Role: role, CreatedAt: s.now()}
		if err := tx.Save(&m).Error; err != nil {
			return err
		}
		return s.audit(tx, by, "member.set", course.Slug+"/"+person.Name, string(role))
	})
}

// RoleIn returns a person's role in a course, "" when they have none.
func (s *Store) RoleIn(ctx context.Context, course, person uint64) (Role, error) {
	var m Membership
	err := known(s.db.WithContext(ctx).Where("course_id = ? AND person_id = ?", course, person).Take(&m).Error)
	if errors.Is(err, ErrNotFound) {
		return "", nil
	}
	return m.Role, err
}

// CourseFor finds a course and a person's role in it, "" when they have none.
func (s *Store) CourseFor(ctx context.Context, slug string, person uint64) (*Course, Role, error) {
	var out struct {
		Course
		Role *Role
	}
	err := s.db.WithContext(ctx).Raw("SELECT c.*, m.role FROM courses AS c LEFT JOIN memberships AS m ON m.course_id = "+
		"c.id AND m.person_id = ? WHERE c.slug = ?", person, slug).Scan(&out).Error
	switch {
	case err != nil:
		return nil, "", known(err)
	case out.ID == 0:
		return nil, "", ErrNotFound
	case out.Role == nil:
		return &out.Course, "", nil
	}
	return &out.Course, *out.Role, nil
}

// CourseRole is a course with a person's role in it.
type CourseRole struct {
	Course
	Role Role
}

// CoursesOf lists a person's courses, at most 200.
func (s *Store) CoursesOf(ctx context.Context, person uint64) ([]CourseRole, error) {
	var out []CourseRole
	err := s.db.WithContext(ctx).Table("memberships AS m").Select("c.*, m.role").
		Joins("STRAIGHT_JOIN courses AS c ON c.id = m.course_id").
		Where("m.person_id = ?", person).Order("c.title").Limit(200).Scan(&out).Error
	return out, err
}

// Member is a person with their role in a course.
type Member struct {
	PersonID uint64
	Name     string
	Display  string
	Role     Role
}

// Members lists a course's people by their names to sign in with, those after a name, at
// most so many.
func (s *Store) Members(ctx context.Context, course uint64, after string, limit int) ([]Member, error) {
	var out []Member
	err := s.db.WithContext(ctx).Table("memberships AS m").Select("p.id AS person_id, p.name, p.display, m.role").
		Joins("JOIN people AS p ON p.id = m.person_id").
		Where("m.course_id = ? AND p.name > ?", course, after).Order("p.name").Limit(limit).Scan(&out).Error
	return out, err
}

// CountStudents returns how many students a course has.
func (s *Store) CountStudents(ctx context.Context, course uint64) (int64, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Membership{}).Where("course_id = ? AND role = ?", course, Student).Count(&n).Error
	return n, err
}

// SessionLife and TokenLife are how long sign-ins last.
const (
	SessionLife = 12 * time.Hour
	TokenLife   = 90 * 24 * time.Hour
)
