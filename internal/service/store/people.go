package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
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
	return s.SetSeat(ctx, by, course, person, Seat{Role: &role})
}

// Seat is what changes of a person's place in a course; nil leaves as it is.
type Seat struct {
	Role   *Role
	Group  *string
	State  *PersonState
	Groups *[]string // that an assistant is limited to; none: not limited
}

// ErrNotMember says that a person is not in the course.
var ErrNotMember = errors.New("not in the course")

// SetSeat changes a person's place in a course. A role makes a place where there was none.
func (s *Store) SetSeat(ctx context.Context, by *uint64, course *Course, person *Person, to Seat) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		m := Membership{}
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("course_id = ? AND person_id = ?", course.ID, person.ID).
			Take(&m).Error
		switch {
		case errors.Is(err, gorm.ErrRecordNotFound) && to.Role != nil:
			m = Membership{CourseID: course.ID, PersonID: person.ID, CreatedAt: s.now()}
		case errors.Is(err, gorm.ErrRecordNotFound):
			return ErrNotMember
		case err != nil:
			return err
		}
		before := m
		if m.State = Active; before.State == Left && to.Role == nil {
			m.State = Left
		}
		if to.Role != nil {
			m.Role = *to.Role
		}
		if to.Group != nil {
			m.GroupName = *to.Group
		}
		if to.State != nil {
			m.State = *to.State
		}
		if err := tx.Save(&m).Error; err != nil {
			return err
		}
		detail := changed("role", before.Role, m.Role) + changed("group", before.GroupName, m.GroupName) +
			changed("state", before.State, m.State)
		if to.Groups != nil {
			limits, err := s.limit(tx, &m, *to.Groups)
			if err != nil {
				return err
			}
			detail += limits
		}
		if err := s.reachLate(tx, course.ID, person.ID); err != nil {
			return err
		}
		if err := tx.Create(&Change{CourseID: &course.ID, Kind: "people", CreatedAt: s.now()}).Error; err != nil {
			return err
		}
		return s.audit(tx, by, "member.set", course.Slug+"/"+person.Name, strings.TrimSpace(detail))
	})
}

// limit limits somebody to groups.
func (s *Store) limit(tx *gorm.DB, m *Membership, groups []string) (detail string, err error) {
	if err := tx.Exec("DELETE FROM group_limits WHERE course_id = ? AND person_id = ?", m.CourseID, m.PersonID).
		Error; err != nil {
		return "", err
	}
	for _, g := range groups {
		err := tx.Exec("INSERT IGNORE INTO group_limits (course_id, person_id, group_name) VALUES (?, ?, ?)", m.CourseID,
			m.PersonID, g).Error
		if err != nil {
			return "", err
		}
	}
	return fmt.Sprintf("limited to %q ", groups), nil
}

// changed says of a field what it was and is; "" where it is the same.
func changed[T ~string](field string, before, after T) string {
	if before == after {
		return ""
	}
	return fmt.Sprintf("%s: %q, was %q; ", field, after, before)
}

// LimitedTo lists the groups that a person is limited to in a course; none: not limited.
func (s *Store) LimitedTo(ctx context.Context, course, person uint64) ([]string, error) {
	var out []string
	err := s.db.WithContext(ctx).Raw("SELECT group_name FROM group_limits WHERE course_id = ? AND person_id = ? ORDER BY "+
		"group_name", course, person).Scan(&out).Error
	return out, err
}

// SeatIn returns a person's role and group in a course, both "" when they are not in it or have left.
func (s *Store) SeatIn(ctx context.Context, course, person uint64) (Role, string, error) {
	var m Membership
	err := known(s.db.WithContext(ctx).Where("course_id = ? AND person_id = ? AND state = ?", course, person, Active).
		Take(&m).Error)
	if errors.Is(err, ErrNotFound) {
		return "", "", nil
	}
	return m.Role, m.GroupName, err
}

var courseFor = &block{text: "SELECT c.*, m.role, EXISTS(SELECT 1 FROM extensions AS x WHERE x.person_id = " +
	"m.person_id AND x.course_id = c.id AND x.withdrawn_at IS NULL) OR m.group_name <> '' AND EXISTS(SELECT 1 FROM " +
	"extensions AS x WHERE x.course_id = c.id AND x.group_name = m.group_name AND x.withdrawn_at IS NULL) AS extended " +
	"FROM courses AS c LEFT JOIN memberships AS m ON m.course_id = c.id AND m.person_id = ? AND m.state = 'active' " +
	"WHERE c.slug = ?"}

// CourseFor finds a course and a person's role in it, "" when they have none.
func (s *Store) CourseFor(ctx context.Context, slug string, person uint64) (*Course, Role, error) {
	var out struct {
		Course
		Role *Role
	}
	err := s.readWith(ctx, courseFor, []any{person, slug}, func(rows *sql.Rows) error {
		if !rows.Next() {
			return nil
		}
		return s.db.WithContext(ctx).ScanRows(rows, &out)
	})
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
		Where("m.person_id = ? AND m.state = 'active'", person).Order("c.archived_at IS NOT NULL, c.title").Limit(200).
		Scan(&out).Error
	return out, err
}

// Member is a person with their place in a course.
type Member struct {
	PersonID  uint64
	Name      string
	Display   string
	Email     string
	Number    *string
	SeenAt    *time.Time
	Role      Role
	State     PersonState
	Account   PersonState
	Pending   bool // they have not chosen a password yet
	GroupName string
	Limits    *string // groups that they are limited to, with line breaks between
}

// MemberFilter narrows a list of a course's people. After is a cursor: a name to sign in with.
type MemberFilter struct {
	Course uint64
	Name   string // that one alone
	Person uint64 // that one alone
	After  string
	Search string // part of a name, address or number
	Role   Role
	State  PersonState
	Groups []string // none: all
	Limit  int
}

// Members lists a course's people by their names to sign in with.
func (s *Store) Members(ctx context.Context, f MemberFilter) ([]Member, error) {
	var out []Member
	err := s.membersIn(ctx, f).Select("p.id AS person_id, p.name, p.display, p.email, p.number, p.seen_at, m.role, "+
		"m.state, p.state AS account, p.password_hash = '' AS pending, m.group_name, (SELECT GROUP_CONCAT(l.group_name "+
		"ORDER BY l.group_name SEPARATOR '\n') FROM group_limits AS l WHERE l.course_id = m.course_id AND l.person_id = "+
		"m.person_id) AS limits").Where("p.name > ?", f.After).Order("p.name").Limit(f.Limit).Scan(&out).Error
	return out, err
}

// CountMembers counts a course's people whom a filter leaves, from the first on.
func (s *Store) CountMembers(ctx context.Context, f MemberFilter) (int64, error) {
	var n int64
	err := s.membersIn(ctx, f).Count(&n).Error
	return n, err
}

// membersIn narrows to people of a course.
func (s *Store) membersIn(ctx context.Context, f MemberFilter) *gorm.DB {
	q := s.db.WithContext(ctx).Table("memberships AS m").Joins("JOIN people AS p ON p.id = m.person_id").
		Where("m.course_id = ?", f.Course)
	if f.Name != "" {
		q = q.Where("p.name = ?", f.Name)
	}
	if f.Person != 0 {
		q = q.Where("m.person_id = ?", f.Person)
	}
	if f.Role != "" {
		q = q.Where("m.role = ?", f.Role)
	}
	if f.State != "" {
		q = q.Where("m.state = ?", f.State)
	}
	if len(f.Groups) > 0 {
		q = q.Where("m.group_name IN ?", f.Groups)
	}
	if f.Search != "" {
		q = search(q, f.Search)
	}
	return q
}

// search narrows to people of whom a part of name, address or number is given, whatever the case.
func search(q *gorm.DB, text string) *gorm.DB {
	like := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(text) + "%"
	return q.Where("p.name LIKE ? OR p.display COLLATE utf8mb4_unicode_ci LIKE ? OR p.email LIKE ? OR p.number LIKE ?",
		strings.ToLower(like), like, strings.ToLower(like), like)
}

// People lists everybody of the service by their names to sign in with, those after a name; with a text those
// of whom it is the beginning of the name, the address or the number.
func (s *Store) People(ctx context.Context, text, after string, limit int) ([]Person, error) {
	q := s.db.WithContext(ctx).Where("name > ?", after)
	if text != "" {
		like := strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(text) + "%"
		q = s.db.WithContext(ctx).Raw("SELECT * FROM (SELECT * FROM people WHERE name LIKE ? UNION SELECT * FROM people "+
			"WHERE email LIKE ? UNION SELECT * FROM people WHERE number LIKE ?) AS p WHERE name > ? ORDER BY name LIMIT ?",
			strings.ToLower(like), strings.ToLower(like), like, after, limit)
		var out []Person
		return out, q.Scan(&out).Error
	}
	var out []Person
	err := q.Order("name").Limit(limit).Find(&out).Error
	return out, err
}

// GroupCount is a group of a course.
type GroupCount struct {
	Name   string
	People int
}

// GroupsOf lists a course's groups with the people in each, by name.
func (s *Store) GroupsOf(ctx context.Context, course uint64) ([]GroupCount, error) {
	var out []GroupCount
	err := s.db.WithContext(ctx).Raw("SELECT group_name AS name, COUNT(*) AS people FROM memberships FORCE INDEX "+
		"(memberships_group) WHERE course_id = ? AND group_name <> '' AND state = 'active' GROUP BY course_id, group_name",
		course).Scan(&out).Error
	return out, err
}

// CountStudents returns how many students a course has, or some groups of it.
func (s *Store) CountStudents(ctx context.Context, course uint64, among ...string) (int64, error) {
	var n int64
	q := s.db.WithContext(ctx).Model(&Membership{}).Where("course_id = ? AND role = ? AND state = 'active'", course,
		Student)
	if len(among) > 0 {
		q = q.Where("group_name IN ?", among)
	}
	err := q.Count(&n).Error
	return n, err
}

// SetAccount changes what an account says of its person: display, email and number.
func (s *Store) SetAccount(ctx context.Context, by uint64, before, after *Person) error {
	return known(s.tx(ctx, func(tx *gorm.DB) error {
		err := tx.Model(&Person{}).Where("id = ?", before.ID).Updates(map[string]any{"display": after.Display, "email": after.
			Email, "number": after.Number}).Error
		if err != nil {
			return err
		}
		detail := changed("display", before.Display, after.Display) + changed("email", before.Email, after.Email) +
			changed("number", orNone(before.Number), orNone(after.Number))
		if err := s.audit(tx, &by, "person.set", before.Name, strings.TrimSpace(detail)); err != nil {
			return err
		}
		return s.revoked(tx, before.ID) // what is kept of them is read again
	}))
}

// SessionLife and TokenLife are how long sign-ins last.
const (
	SessionLife = 12 * time.Hour
	TokenLife   = 90 * 24 * time.Hour
)
