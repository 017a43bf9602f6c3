package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"nimbusreach/client/wire"
)

// Known is somebody whom a roster may mean.
type Known struct {
	Person

	// In the course; nil where they are not of it.
	Role  *Role
	Group *string      `gorm:"column:group_name"`
	Seat  *PersonState `gorm:"column:seat"`

	Courses, Taught int // courses that they are in, and those of them that whoever imports teaches
}

// Enrolment is what an import writes of one person.
type Enrolment struct {
	Person  Person
	Role    Role
	Group   string
	New     bool // the account is made
	Account bool // something about the account changes
	Member  bool // something about their place in the course changes
	Leaves  bool // they leave the course
	Line    int
	Before  []wire.FieldChange // what changes

	LinkHash []byte  // of a new account's link
	Letter   *Letter // that brings the link
}

// rosterAt is how many people are read or written in one go.
const rosterAt = 500

// importing is one import, in its transaction.
type importing struct {
	s      *Store
	tx     *gorm.DB
	course uint64
	by     uint64
}

const knownColumns = `p.*, m.role, m.group_name, m.state AS seat,
	(SELECT COUNT(*) FROM memberships AS x WHERE x.person_id = p.id) AS courses,
	(SELECT COUNT(*) FROM memberships AS x JOIN memberships AS i ON i.course_id = x.course_id AND i.person_id = ? AND
		i.role = 'instructor' AND i.state = 'active' WHERE x.person_id = p.id) AS taught`

// Candidates lists everybody of the course, and those who have one of the names, numbers or addresses.
func (x *importing) Candidates(ctx context.Context, names, numbers, emails []string) ([]Known, error) {
	var out []Known
	tx := x.tx.WithContext(ctx)
	err := tx.Raw("SELECT "+knownColumns+" FROM memberships AS m STRAIGHT_JOIN people AS p ON p.id = m.person_id WHERE "+
		"m.course_id = ?", x.by, x.course).Scan(&out).Error
	seen := map[uint64]bool{}
	for i := range out {
		seen[out[i].ID] = true
	}
	for _, by := range []struct {
		column string
		values []string
	}{{"name", names}, {"number", numbers}, {"email", emails}} {
		for some := range slices.Chunk(by.values, rosterAt) {
			if err != nil {
				return nil, err
			}
			var found []Known
			err = tx.Raw("SELECT "+knownColumns+" FROM people AS p LEFT JOIN memberships AS m ON m.person_id = p.id AND "+
				"m.course_id = ? WHERE p."+by.column+" IN ?", x.by, x.course, some).Scan(&found).Error
			for _, k := range found {
				if !seen[k.ID] {
					seen[k.ID] = true
					out = append(out, k)
				}
			}
		}
	}
	return out, err
}

// Taken says which of the names somebody signs in with.
func (x *importing) Taken(ctx context.Context, names []string) (map[string]bool, error) {
	out := map[string]bool{}
	for some := range slices.Chunk(names, rosterAt) {
		var found []string
		err := x.tx.WithContext(ctx).Raw("SELECT name FROM people WHERE name IN ?", some).Scan(&found).Error
		if err != nil {
			return nil, err
		}
		for _, name := range found {
			out[name] = true
		}
	}
	return out, nil
}

// RosterPeople finds people for a plan; it is good for as long as the plan is made.
type RosterPeople interface {
	// Candidates are those with one of the names, campus numbers and e-mail addresses, and all of the course.
	Candidates(ctx context.Context, names, numbers, emails []string) ([]Known, error)
	// Taken says which names somebody signs in with.
	Taken(ctx context.Context, names []string) (map[string]bool, error)
}

// Import makes a plan and writes what it lists, in one transaction: all or nothing. A plan of no enrolments
// writes nothing. plan may run several times.
func (s *Store) Import(ctx context.Context, by uint64, c *Course, plan func(RosterPeople) ([]Enrolment, error)) error {
	return known(s.tx(ctx, func(tx *gorm.DB) error {
		// Of two imports at once the second sees what the first has written.
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Take(&Course{}, c.ID).Error; err != nil {
			return err
		}
		list, err := plan(&importing{s, tx, c.ID, by})
		if err != nil || len(list) == 0 {
			return err
		}
		if err := s.enrol(tx, by, c, list); err != nil {
			return err
		}
		return s.reachLate(tx, c.ID, 0)
	}))
}

func (s *Store) enrol(tx *gorm.DB, by uint64, c *Course, list []Enrolment) error {
	now := s.now()
	var fresh []*Person
	for i := range list {
		if e := &list[i]; e.New {
			e.Person.ID, e.Person.CreatedAt = 0, now
			fresh = append(fresh, &e.Person)
		}
	}
	if len(fresh) > 0 {
		if err := tx.CreateInBatches(fresh, rosterAt).Error; err != nil {
			return err
		}
		// Ids of a batch are not always in steps of one: they are asked for.
		if err := idsOf(tx, fresh); err != nil {
			return err
		}
	}
	var seats []Membership
	var links []Link
	var letters []*Letter
	var lines []AuditLine
	for i := range list {
		e := &list[i]
		if e.Account {
			err := tx.Model(&Person{}).Where("id = ?", e.Person.ID).Updates(map[string]any{"display": e.Person.Display,
				"email": e.Person.Email, "number": e.Person.Number}).Error
			if err != nil {
				return err
			}
		}
		if e.New || e.Member {
			state := Active
			if e.Leaves {
				state = Left
			}
			seats = append(seats, Membership{CourseID: c.ID, PersonID: e.Person.ID, Role: e.Role, State: state,
				GroupName: e.Group, CreatedAt: now})
		}
		if e.New && e.LinkHash != nil {
			links = append(links, Link{PersonID: e.Person.ID, SecretHash: e.LinkHash, CreatedAt: now,
				ExpiresAt: now.Add(LinkLife)})
		}
		if e.Letter != nil {
			e.Letter.PersonID = &e.Person.ID
			if err := s.post(e.Letter); err != nil {
				return err
			}
			letters = append(letters, e.Letter)
		}
		lines = append(lines, AuditLine{PersonID: &by, Action: "roster.import", Subject: c.Slug + "/" + e.Person.Name,
			Detail: e.detail(), CreatedAt: now})
	}
	seat := clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"role", "state", "group_name"})}
	if len(seats) > 0 {
		if err := tx.Clauses(seat).CreateInBatches(seats, rosterAt).Error; err != nil {
			return err
		}
	}
	if len(links) > 0 {
		if err := tx.CreateInBatches(links, rosterAt).Error; err != nil {
			return err
		}
	}
	if len(letters) > 0 {
		if err := tx.CreateInBatches(letters, rosterAt).Error; err != nil {
			return err
		}
	}
	if err := tx.CreateInBatches(lines, rosterAt).Error; err != nil {
		return err
	}
	return tx.Create(&Change{CourseID: &c.ID, Kind: "people", CreatedAt: now}).Error
}

// detail says what an import changed.
func (e *Enrolment) detail() string {
	switch {
	case e.New:
		return "account made, " + string(e.Role)
	case e.Leaves:
		return "left the course"
	case len(e.Before) == 0:
		return "joined, " + string(e.Role)
	}
	parts := make([]string, len(e.Before))
	for i, f := range e.Before {
		parts[i] = fmt.Sprintf("%s: %q, was %q", f.Field, f.After, f.Before)
	}
	return strings.Join(parts, "; ")
}

// idsOf fills in the ids of people who were just made.
func idsOf(tx *gorm.DB, list []*Person) error {
	for some := range slices.Chunk(list, rosterAt) {
		names, at := make([]string, len(some)), map[string]*Person{}
		for i, p := range some {
			names[i], at[p.Name] = p.Name, p
		}
		var found []struct {
			ID   uint64
			Name string
		}
		if err := tx.Raw("SELECT id, name FROM people WHERE name IN ?", names).Scan(&found).Error; err != nil {
			return err
		}
		for _, f := range found {
			at[f.Name].ID = f.ID
		}
	}
	return nil
}

// Extension gives a person, or the people of a group, another closing time or number of attempts.
type Extension struct {
	ID          uint64
	CourseID    uint64
	Exercise    string // "" for all
	PersonID    *uint64
	GroupName   string // where PersonID is nil
	Closes      *time.Time
	Attempts    *int
	Reason      string
	GivenBy     *uint64
	CreatedAt   time.Time
	WithdrawnAt *time.Time
}

// ExtensionLine is an extension with the people's names.
type ExtensionLine struct {
	Extension
	PersonName *string
	Display    *string
	By         *string
}

// GiveExtension gives an extension to somebody, or to a group, whom `to` names.
func (s *Store) GiveExtension(ctx context.Context, x *Extension, course, to string) error {
	x.CreatedAt = s.now()
	return s.tx(ctx, func(tx *gorm.DB) error {
		x.ID = 0
		if err := tx.Create(x).Error; err != nil {
			return err
		}
		return s.audit(tx, x.GivenBy, "extension.give", course+"/"+to,
			fmt.Sprintf("%d: exercise %q, closes %s, attempts %s, reason %q", x.ID, x.Exercise, orNone(x.Closes),
				orNone(x.Attempts), x.Reason))
	})
}

// orNone writes what a pointer points at.
func orNone[T any](v *T) string {
	if v == nil {
		return "none"
	}
	return fmt.Sprint(*v)
}

// WithdrawExtension takes an extension back; it stays in the list.
func (s *Store) WithdrawExtension(ctx context.Context, by uint64, course *Course, id uint64) error {
	return s.tx(ctx, func(tx *gorm.DB) error {
		done := tx.Exec("UPDATE extensions SET withdrawn_at = ? WHERE id = ? AND course_id = ? AND withdrawn_at IS NULL",
			s.now(), id, course.ID)
		if done.Error != nil {
			return done.Error
		}
		if done.RowsAffected == 0 {
			return ErrNotFound
		}
		return s.audit(tx, &by, "extension.withdraw", course.Slug, fmt.Sprint(id))
	})
}

// Extensions lists a course's extensions, newest first, the next so many below an id; of some groups
// alone where groups are given.
func (s *Store) Extensions(ctx context.Context, course, before uint64, limit int, among ...string) ([]ExtensionLine,
	error) {
	q := s.db.WithContext(ctx).Table("extensions AS x FORCE INDEX (extensions_course)").Select("x.*, p.name AS "+
		"person_name, p.display, b.display AS `by`").Joins("LEFT JOIN people AS p ON p.id = x.person_id").
		Joins("LEFT JOIN people AS b ON b.id = x.given_by").Where("x.course_id = ?", course)
	if before > 0 {
		q = q.Where("x.id < ?", before)
	}
	if len(among) > 0 {
		q = q.Joins("LEFT JOIN memberships AS m ON m.course_id = x.course_id AND m.person_id = x.person_id").
			Where("x.group_name IN ? OR m.group_name IN ?", among, among)
	}
	var out []ExtensionLine
	err := q.Order("x.id DESC").Limit(limit).Scan(&out).Error
	return out, err
}

// mostExtensions bounds the extensions that one person can have in a course.
const mostExtensions = 500

// ExtensionsOf lists the extensions that hold for a person in a course, newest first.
func (s *Store) ExtensionsOf(ctx context.Context, course, person uint64) ([]Extension, error) {
	var out []Extension
	err := s.db.WithContext(ctx).Raw("SELECT * FROM extensions WHERE person_id = ? AND course_id = ? AND withdrawn_at IS "+
		"NULL UNION ALL SELECT x.* FROM memberships AS m STRAIGHT_JOIN extensions AS x FORCE INDEX (extensions_group) ON "+
		"x.course_id = m.course_id AND x.group_name = m.group_name WHERE m.course_id = ? AND m.person_id = ? AND "+
		"m.group_name <> '' AND x.person_id IS NULL AND x.withdrawn_at IS NULL ORDER BY id DESC LIMIT ?", person, course,
		course, person, mostExtensions).Scan(&out).Error
	return out, err
}
