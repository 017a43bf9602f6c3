package api

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
)

// mostReason bounds a reason, in characters.
const mostReason = 500

func giveExtension(r *request) error {
	c, role, content, err := r.made(access.GiveTime)
	if err != nil {
		return err
	}
	var in wire.NewExtension
	if err := r.json(&in); err != nil {
		return err
	}
	x := &store.Extension{CourseID: c.ID, Exercise: in.Exercise, GroupName: in.Group, Closes: in.Closes,
		Attempts: in.Attempts, Reason: strings.TrimSpace(in.Reason), GivenBy: &r.who.Person.ID}
	if err := fitExtension(x, &in, content); err != nil {
		return err
	}
	display := ""
	if in.Person != "" {
		p, err := r.member(c, role, in.Person)
		if err != nil {
			return err
		}
		x.PersonID, display = &p.ID, p.Display
	} else if err := r.groupIs(c, in.Group); err != nil {
		return err
	}
	if x.Closes != nil {
		utc := x.Closes.UTC()
		x.Closes = &utc
	}
	if err := r.Store.GiveExtension(r.Context(), x, c.Slug, in.Person+in.Group); err != nil {
		return err
	}
	return r.JSON(wire.Extension{ID: x.ID, Person: in.Person, Display: display, Group: x.GroupName, Exercise: x.Exercise,
		Closes: x.Closes, Attempts: x.Attempts, Reason: x.Reason, By: r.who.Person.Display, Created: x.CreatedAt})
}

// fitExtension refuses an extension that says nothing, or nothing that can be.
func fitExtension(x *store.Extension, in *wire.NewExtension, content *exercise.Course) error {
	e := content.Find(x.Exercise)
	switch {
	case (in.Person == "") == (in.Group == ""):
		return &access.Unfit{Field: "person", Message: "the extension is for one person or one group", Hint: "name one"}
	case x.Exercise != "" && e == nil:
		return &access.Unfit{Field: "exercise", Message: fmt.Sprintf("the course has no exercise %q", x.Exercise),
			Hint: "leave it out for all exercises"}
	case x.Closes == nil && x.Attempts == nil:
		return &access.Unfit{Field: "closes", Message: "the extension gives neither time nor attempts",
			Hint: "give closes, attempts, or both"}
	case x.Attempts != nil && (*x.Attempts < 1 || *x.Attempts > 10_000):
		return &access.Unfit{Field: "attempts", Message: fmt.Sprintf("there cannot be %d attempts", *x.Attempts),
			Hint: "give a number from 1 to 10000"}
	case x.Closes != nil && (x.Closes.Year() < 2000 || x.Closes.Year() > 2200):
		return &access.Unfit{Field: "closes", Message: "the closing time is out of range", Hint: "give the year with it"}
	case x.Closes != nil && e != nil && e.Opens != nil && x.Closes.Before(*e.Opens):
		return &access.Unfit{Field: "closes", Message: "the exercise would close before it opens",
			Hint: "give a time after " + e.Opens.Format(time.RFC3339)}
	case x.Reason == "":
		return &access.Unfit{Field: "reason", Message: "the extension has no reason", Hint: "say why; the student sees it"}
	case len([]rune(x.Reason)) > mostReason:
		return &access.Unfit{Field: "reason", Message: "the reason is too long",
			Hint: fmt.Sprintf("use at most %d characters", mostReason)}
	}
	return nil
}

// groupIs refuses a group that nobody of the course is in.
func (r *request) groupIs(c *store.Course, name string) error {
	list, err := r.Store.GroupsOf(r.Context(), c.ID)
	if err != nil {
		return err
	}
	names := make([]string, len(list))
	for i, g := range list {
		if names[i] = g.Name; g.Name == name {
			return nil
		}
	}
	return &access.Unfit{Field: "group", Message: fmt.Sprintf("nobody is in a group %q", name),
		Hint: "groups are " + strings.Join(names, ", ")}
}

func extensions(r *request) error {
	c, _, scope, err := r.team(access.SeeTeam)
	if err != nil {
		return err
	}
	before, limit, err := r.page(200, 500)
	if err != nil {
		return err
	}
	list, err := r.Store.Extensions(r.Context(), c.ID, before, int(limit)+1, scope...)
	if err != nil {
		return err
	}
	out := wire.Extensions{Extensions: []wire.Extension{}}
	out.Next = paged(list, limit, func(x *store.ExtensionLine) uint64 { return x.ID }, func(x *store.ExtensionLine) {
		line := wire.Extension{ID: x.ID, Group: x.GroupName, Exercise: x.Exercise, Closes: x.Closes, Attempts: x.Attempts,
			Reason: x.Reason, Created: x.CreatedAt, Withdrawn: x.WithdrawnAt}
		for to, from := range map[*string]*string{&line.Person: x.PersonName, &line.Display: x.Display, &line.By: x.By} {
			if from != nil {
				*to = *from
			}
		}
		out.Extensions = append(out.Extensions, line)
	})
	return r.JSON(out)
}

func withdrawExtension(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.GiveTime)
	if err != nil {
		return err
	}
	id, err := strconv.ParseUint(r.Params("extension"), 10, 64)
	if err != nil {
		return store.ErrNotFound
	}
	if err := r.Store.WithdrawExtension(r.Context(), r.who.Person.ID, c, id); err != nil {
		return err
	}
	return r.Send(nil)
}

// given lists whoever asks's extensions in a course.
func (r *request) given(c *store.Course) ([]store.Extension, error) {
	if !c.Extended {
		return nil, nil
	}
	return r.Store.ExtensionsOf(r.Context(), c.ID, r.who.Person.ID)
}

// archived refuses a change in a course that is archived.
func archived(c *store.Course) error {
	if c.ArchivedAt == nil {
		return nil
	}
	return fail(http.StatusForbidden, "archived", "The course is archived", fmt.Sprintf(
		"%s is archived; it can be read, and nothing is handed in.", c.Title), "ask an instructor of the course")
}
