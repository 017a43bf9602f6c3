package access

import (
	"context"
	"errors"
	"slices"

	"nimbusreach/internal/service/store"
)

// Action is something a person may be allowed to do.
type Action string

// What may be done in a course.
const (
	See          Action = "see the course and its open exercises"
	HandIn       Action = "hand in attempts, and see one's own"
	SeeTeam      Action = "see the desk, everybody's attempts, extensions, revisions, and exercises that are not open yet"
	ListPeople   Action = "list the course's people and groups"
	Author       Action = "read the folder, preview, publish and re-check"
	SetRoles     Action = "give people roles and groups in the course, import a roster, let them leave it"
	SeeContact   Action = "see addresses and campus numbers"
	GiveTime     Action = "give extensions"
	AdjustGrades Action = "change grades by hand"
	WriteNotes   Action = "write notes to students, and answer them"
	Archive      Action = "archive the course, and take it back"
)

// What may be done in the service as a whole.
const (
	MakeCourse   Action = "publish a course that is not there yet"
	MakeAccounts Action = "make accounts"

	ManageAccounts Action = "make links for anybody, and let people leave"
	RunService     Action = "see everybody, all courses, how the service is, and the audit trail"
)

// operator is the role of a person who runs the service. They have it in every course that they have no role in.
const operator store.Role = "operator"

// rights is the one table that decides who may do what. A role that is not listed with an
// action may not do it.
var rights = map[Action][]store.Role{
	See:        {store.Student, store.Assistant, store.Instructor},
	HandIn:     {store.Student, store.Assistant, store.Instructor},
	SeeTeam:    {store.Assistant, store.Instructor},
	ListPeople: {store.Assistant, store.Instructor, operator},
	Author:     {store.Instructor},
	SetRoles:   {store.Instructor, operator},
	SeeContact: {store.Instructor, operator},
	GiveTime:   {store.Instructor},
	Archive:    {store.Instructor, operator},

	AdjustGrades: {store.Assistant, store.Instructor},
	WriteNotes:   {store.Assistant, store.Instructor},

	MakeCourse:   {store.Instructor, operator}, // an instructor of any course
	MakeAccounts: {operator},

	ManageAccounts: {operator},
	RunService:     {operator},
}

// Allows reports whether a role may do something.
func Allows(role store.Role, action Action) bool { return slices.Contains(rights[action], role) }

// Roles lists the roles that a person can have in a course.
var Roles = []store.Role{store.Student, store.Assistant, store.Instructor}

// Teaches is the role of whoever makes a course.
const Teaches = store.Instructor

// IsRole reports whether a person can have a role in a course.
func IsRole(role store.Role) bool { return slices.Contains(Roles, role) }

// Course finds a course and the person's role in it, when the role may do something. Of a
// course that they are not in people learn nothing, not even that it is there.
func (g *Gate) Course(ctx context.Context, who *Who, slug string, action Action) (*store.Course, store.Role, error) {
	c, role, err := g.store.CourseFor(ctx, slug, who.Person.ID)
	if err != nil {
		return nil, "", err
	}
	if role == "" && who.Person.Operator {
		if !Allows(operator, action) {
			return nil, "", store.ErrNotFound // of what happens in it they learn nothing
		}
		role = operator
	}
	if role == "" {
		return nil, "", store.ErrNotFound
	}
	if !Allows(role, action) {
		return nil, role, ErrForbidden
	}
	return c, role, nil
}

// Scope lists the groups that somebody with a role is limited to in a course; none: they see all of it.
func (g *Gate) Scope(ctx context.Context, who *Who, course uint64, role store.Role) ([]string, error) {
	if role != store.Assistant {
		return nil, nil
	}
	return g.store.LimitedTo(ctx, course, who.Person.ID)
}

// InScope reports whether somebody of a group is among those whom a scope names.
func InScope(scope []string, group string) bool {
	return len(scope) == 0 || slices.Contains(scope, group)
}

// Attempt finds an attempt that a person may see: one's own, or any of a course whose team
// one is in and whose groups one is not limited to others of.
func (g *Gate) Attempt(ctx context.Context, who *Who, id uint64) (*store.AttemptLine, store.Role, error) {
	a, err := g.store.AttemptByID(ctx, id)
	if err != nil {
		return nil, "", err
	}
	role, _, err := g.store.SeatIn(ctx, a.CourseID, who.Person.ID)
	if err != nil {
		return nil, "", err
	}
	return a, role, g.sees(ctx, who, a.CourseID, a.PersonID, role)
}

// sees reports with ErrNotFound where somebody in a role does not see what a person handed in.
func (g *Gate) sees(ctx context.Context, who *Who, course, person uint64, role store.Role) error {
	switch {
	case person == who.Person.ID && Allows(role, HandIn):
		return nil
	case !Allows(role, SeeTeam):
		return store.ErrNotFound
	}
	scope, err := g.Scope(ctx, who, course, role)
	if err != nil || len(scope) == 0 {
		return err
	}
	_, group, err := g.store.SeatIn(ctx, course, person)
	if err == nil && !InScope(scope, group) {
		err = store.ErrNotFound
	}
	return err
}

// Ticket finds a ticket: its own person's, and for the team that of a student they see.
func (g *Gate) Ticket(ctx context.Context, who *Who, id uint64) (*store.Ticket, error) {
	t, err := g.store.TicketByID(ctx, id)
	if err != nil {
		return nil, err
	}
	role, _, err := g.store.SeatIn(ctx, t.CourseID, who.Person.ID)
	if err != nil {
		return nil, err
	}
	return t, g.sees(ctx, who, t.CourseID, t.PersonID, role)
}

// Author reports whether a person may author a course of this name: their own, or one that
// is not there yet and that they may make. ErrForbidden says that it is another's,
// ErrNoCourse that it is not there and not theirs to make.
func (g *Gate) Author(ctx context.Context, who *Who, slug string) error {
	_, _, err := g.Course(ctx, who, slug, Author)
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	// Not there, or not theirs to know of; both need the right to make one.
	if _, err := g.store.CourseBySlug(ctx, slug); err == nil {
		return ErrForbidden
	}
	switch allowed, err := g.anywhere(ctx, who, MakeCourse); {
	case err != nil:
		return err
	case !allowed:
		return ErrNoCourse
	}
	return nil
}

// May refuses whoever may not do something in the service as a whole.
func (g *Gate) May(ctx context.Context, who *Who, action Action) error {
	allowed, err := g.anywhere(ctx, who, action)
	if err == nil && !allowed {
		err = ErrForbidden
	}
	return err
}

// anywhere reports whether a person may do something as an operator, or by their role in
// any course.
func (g *Gate) anywhere(ctx context.Context, who *Who, action Action) (bool, error) {
	if who.Person.Operator && Allows(operator, action) {
		return true, nil
	}
	courses, err := g.store.CoursesOf(ctx, who.Person.ID)
	return slices.ContainsFunc(courses, func(c store.CourseRole) bool { return Allows(c.Role, action) }), err
}
