package api

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"
	"unicode"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/courses"
	"nimbusreach/internal/service/store"
)

// newCourse makes an empty course; its instructor publishes into it.
func newCourse(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.MakeCourse); err != nil {
		return err
	}
	var in wire.NewCourse
	if err := r.json(&in); err != nil {
		return err
	}
	c := &store.Course{Slug: in.Slug, Title: strings.TrimSpace(in.Title)}
	if err := fitCourse(c); err != nil {
		return err
	}
	instructor := r.who.Person
	if in.Instructor != "" && !strings.EqualFold(in.Instructor, instructor.Name) {
		p, err := r.Store.PersonByName(r.Context(), strings.ToLower(in.Instructor))
		if err != nil {
			return &access.Unfit{Field: "instructor", Message: fmt.Sprintf("nobody signs in as %q", short(in.Instructor)),
				Hint: "make the account first"}
		}
		instructor = p
	}
	if err := r.Store.CreateCourse(r.Context(), r.who.Person.ID, c, instructor); err != nil {
		return err
	}
	return r.JSON(wire.CourseRef{Slug: c.Slug, Title: c.Title, Role: string(access.Teaches), Empty: true})
}

// fitCourse refuses a name in addresses or a title that cannot be.
func fitCourse(c *store.Course) error {
	switch n := len([]rune(c.Title)); {
	case !courses.IsSlug(c.Slug):
		return &access.Unfit{Field: "slug", Message: fmt.Sprintf("%q cannot be a course's name in addresses", short(c.Slug)),
			Hint: "use small letters, digits and single hyphens: kelp-farm-2032"}
	case n == 0 || n > 200 || strings.ContainsFunc(c.Title, unicode.IsControl):
		return &access.Unfit{Field: "title", Message: "the course's title cannot be taken", Hint: "use 1 to 200 characters"}
	}
	return nil
}

// copyCourse copies a course's newest revision under another name: no people, attempts or notes.
func copyCourse(r *request) error {
	from, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.Author)
	if err != nil {
		return err
	}
	var in wire.CopyCourse
	if err := r.json(&in); err != nil {
		return err
	}
	if in.Title = strings.TrimSpace(in.Title); in.Title == "" {
		in.Title = from.Title
	}
	c := &store.Course{Slug: in.Slug, Title: in.Title}
	if err := fitCourse(c); err != nil {
		return err
	}
	shift := time.Duration(0)
	if in.Shift != "" {
		if shift, err = exercise.ParsePeriod(in.Shift); err != nil {
			return &access.Unfit{Field: "shift", Message: err.Error(), Hint: "write it as 52w, 3d or -36h"}
		}
	}
	if from.CurrentRevisionID == nil {
		return fail(http.StatusUnprocessableEntity, "empty", "There is nothing to copy", fmt.Sprintf(
			"Nothing is published in %s yet.", from.Title), "publish it first, or make an empty course")
	}
	revision, err := r.Store.RevisionByID(r.Context(), *from.CurrentRevisionID)
	if err != nil {
		return err
	}
	number, times, err := courses.Copy(r.Context(), r.Store, r.who.Person.ID, revision.Source, c, shift)
	var faulty *courses.Faulty
	if errors.As(err, &faulty) {
		f := fail(http.StatusUnprocessableEntity, "course", "The course cannot be copied",
			"Shifting its times leads to errors; nothing was copied.", "look at the errors, or copy it without a shift")
		f.Errors = faulty.Problems
		return f
	}
	if err != nil {
		return err
	}
	return r.JSON(wire.Copied{Course: wire.CourseRef{Slug: c.Slug, Title: c.Title, Role: string(access.Teaches)},
		Revision: number, Shifted: times})
}

func archive(r *request) error {
	c, role, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.Archive)
	if err != nil {
		return err
	}
	var in wire.Archive
	if err := r.json(&in); err != nil {
		return err
	}
	if in.Archived != (c.ArchivedAt != nil) {
		if err := r.Store.SetArchived(r.Context(), r.who.Person.ID, c, in.Archived); err != nil {
			return err
		}
	}
	return r.JSON(wire.CourseRef{Slug: c.Slug, Title: c.Title, Role: string(role), Archived: c.ArchivedAt != nil,
		Empty: c.CurrentRevisionID == nil})
}
