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
	See        Action = "see the course and its open exercises"
	HandIn     Action = "hand in attempts, and see one's own"
	SeeTeam    Action = "see the desk, everybody's attempts and exercises that are not open yet"
	ListPeople Action = "list the course's people and revisions"
	Author     Action = "read the folder, preview, publish and re-check"
	SetRoles   Action = "give people roles in the course"
)

// What may be done in the service as a whole.
const (
	MakeCourse   Action = "publish a course that is not there yet"
	MakeAccounts Action = "make accounts"

	ManageAccounts Action = "make links for anybody, and let people leave"
)

// operator is the role of a person who runs the service; it is not a role in any course.
const operator store.Role = "operator"

// rights is the one table that decides who may do what. A role that is not listed with an
// action may not do it.
var rights = map[Action][]store.Role{
	See:        {store.Student, store.Assistant, store.Instructor},
	HandIn:     {store.Student, store.Assistant, store.Instructor},
	SeeTeam:    {store.Assistant, store.Instructor},
	ListPeople: {store.Assistant, store.Instructor},
	Author:     {store.Instructor},
	SetRoles:   {store.Instructor},

	MakeCourse:   {store.Instructor, operator}, // an instructor of any course
	MakeAccounts: {operator},

	ManageAccounts: {operator},
}

// Allows reports whether a role may do something.
func Allows(role store.Role, action Action) bool { return slices.Contains(rights[action], role) }

// Roles lists the roles that a person can have in a course.
var Roles = []store.Role{store.Student, store.Assistant, store.Instructor}

// Course finds a course and the person's role in it, when the role may do something. Of a
// course that they are not in people learn nothing, not even that it is there.
func (g *Gate) Course(ctx context.Context, who *Who, slug string, action Action) (*store.Course, store.Role, error) {
	c, role, err := g.store.CourseFor(ctx, slug, who.Person.ID)
	if err != nil {
		return nil, "", err
	}
	if role == "" {
		return nil, "", store.ErrNotFound
	}
	if !Allows(role, action) {
		return nil, role, ErrForbidden
	}
	return c, role, nil
}

// Attempt finds an attempt that a person may see: one's own, or any of a course whose team
// one is in.
func (g *Gate) Attempt(ctx context.Context, who *Who, id uint64) (*store.AttemptLine, store.Role, error) {
	a, err := g.store.AttemptByID(ctx, id)
	if err != nil {
		return nil, "", err
	}
	role, err := g.store.RoleIn(ctx, a.CourseID, who.Person.ID)
	if err != nil {
		return nil, "", err
	}
	own := a.PersonID == who.Person.ID
	if Allows(role, SeeTeam) || own && Allows(role, HandIn) {
		return a, role, nil
	}
	return nil, "", store.ErrNotFound
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
