package api

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/courses"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

// publish stores a course whole or not at all: all its errors are reported at once, and
// every reference runs on every case first.
func publish(r *request) error { return r.published(false) }

// preview says what publishing would change.
func preview(r *request) error { return r.published(true) }

func (r *request) published(preview bool) error {
	slug := r.Params("course")
	if !courses.IsSlug(slug) {
		return &access.Unfit{Field: "course", Message: fmt.Sprintf("%q cannot be a course's name", slug),
			Hint: "use small letters, digits and single hyphens, at most 64"}
	}
	if err := r.mayAuthor(slug); err != nil {
		return err
	}
	from, err := r.from()
	if err != nil {
		return err
	}
	folder, err := r.unpacked()
	if err != nil {
		return err
	}
	ctx, done, err := r.work(budget.Long)
	if err != nil {
		return err
	}
	defer done()
	x, err := courses.Load(ctx, slug, folder)
	if err != nil {
		return unpublished(err)
	}
	x.From = from
	out := &wire.Published{Course: slug, Title: x.Content.Title, Preview: preview, Exercises: x.Names(),
		Advice: []advice.Advice{}, Changes: []wire.VerdictChange{}}
	before, err := r.wouldChange(ctx, x, out)
	if err != nil {
		return unpublished(err)
	}
	if preview {
		return r.previewed(ctx, before, out)
	}
	return r.publishNow(ctx, x, before, out)
}

// wouldChange adds what an edit would change: advice, survivors and verdicts. It gives the
// course as it is, without an id where there is none yet.
func (r *request) wouldChange(ctx context.Context, x *courses.Edit, out *wire.Published) (*store.Course, error) {
	before, err := r.Store.CourseBySlug(ctx, x.Slug)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if out.Preview || x.Content.Caught > 0 {
		h := x.Health(ctx, probe.Options{Cores: r.Budget.LongPlaces()})
		out.Advice, out.Survivors, out.Slips = h.Advice, h.Survivors, h.Slips
		if err := h.Enough(x.Content); err != nil && !out.Preview {
			return nil, err
		}
	}
	if before.ID != 0 {
		changes, err := x.Changes(ctx, r.Store, before.ID, queue.BoundCase)
		if err != nil {
			return nil, err
		}
		out.Checked, out.Unchecked = changes.Checked, changes.Unchecked
		for _, c := range changes.List {
			out.Changes = append(out.Changes, wire.VerdictChange{Attempt: c.Attempt.ID, Exercise: c.Attempt.Exercise,
				Display: c.Attempt.Display, Before: c.Before, After: c.After})
		}
	}
	return before, ctx.Err()
}

func (r *request) previewed(ctx context.Context, before *store.Course, out *wire.Published) error {
	if before.CurrentRevisionID != nil {
		number, err := r.Store.RevisionNumber(ctx, *before.CurrentRevisionID)
		if err != nil {
			return err
		}
		out.Revision = number
		r.revisionTag(number)
	}
	return r.JSON(out)
}

func (r *request) publishNow(ctx context.Context, x *courses.Edit, before *store.Course, out *wire.Published) error {
	c, revision, err := courses.Publish(ctx, r.Store, r.who.Person.ID, x)
	if err != nil {
		return conflicting(err)
	}
	out.Revision = revision.Number
	out.Unchanged = before.CurrentRevisionID != nil && *before.CurrentRevisionID == revision.ID
	if r.Query("recheck") == "true" {
		if out.Rechecked, err = r.Store.Recheck(context.WithoutCancel(ctx), r.who.Person.ID, c.ID, revision.ID,
			out.Exercises); err != nil {
			return err
		}
		r.Queue.Wake()
	}
	r.Set("Location", "/api/v1/courses/"+url.PathEscape(c.Slug))
	r.revisionTag(revision.Number)
	return r.JSON(out)
}

// revisionTag names a revision as If-Match takes it back.
func (r *request) revisionTag(number int) { r.Set("ETag", strconv.Quote(strconv.Itoa(number))) }

// unpacked reads the course folder that a request brings.
func (r *request) unpacked() (fs.FS, error) {
	archive, err := r.uploaded()
	if err != nil {
		return nil, err
	}
	if len(archive) > exercise.MaxPackedBytes {
		return nil, fail(http.StatusRequestEntityTooLarge, "too-large", "Too large",
			fmt.Sprintf("The archive has %d bytes; a packed course has at most %d.", len(archive), exercise.MaxPackedBytes),
			"exercises work on small data made on purpose")
	}
	folder, err := exercise.Unpack(archive)
	if err != nil {
		return nil, fail(http.StatusUnprocessableEntity, "archive", "The archive cannot be read", err.Error()+".",
			"send the course folder as a zip archive, course.yaml at its top")
	}
	return folder, nil
}

// unpublished renders what keeps a course from being published.
func unpublished(err error) error {
	var faulty *courses.Faulty
	var few *courses.TooFewCaught
	switch {
	case errors.As(err, &faulty):
		f := fail(http.StatusUnprocessableEntity, "course", "The course has errors",
			fmt.Sprintf("%d to fix; nothing was published.", len(faulty.Problems)), "fix them all, then publish again")
		f.Errors = faulty.Problems
		return f
	case errors.As(err, &few):
		return fail(http.StatusUnprocessableEntity, "caught", "Too few slips are caught",
			few.Error()+"; nothing was published.", "`nimbus probe` lists the survivors with data that catch them")
	}
	return err
}

// mayAuthor refuses whoever may not author a course of this name.
func (r *request) mayAuthor(slug string) error {
	err := r.Gate.Author(r.Context(), r.who, slug)
	if errors.Is(err, access.ErrNoCourse) {
		return fail(http.StatusForbidden, "no-such-course", "There is no such course",
			fmt.Sprintf("Nobody has made a course `%s` that you teach, and you teach none yet from which another could be "+
				"made.", slug), "ask the operator to make the course with you as its instructor")
	}
	return err
}

// from reads the revision that an edit began from: If-Match with its number. 0 names none,
// and whatever is current is replaced where it says *.
func (r *request) from() (int, error) {
	given := strings.TrimSpace(strings.TrimPrefix(r.Get("If-Match"), "W/"))
	switch given {
	case "":
		return 0, nil
	case "*":
		return store.AnyRevision, nil
	}
	n, err := strconv.Atoi(strings.Trim(given, `"`))
	if err != nil || n < 1 {
		return 0, fail(http.StatusBadRequest, "if-match", "The request cannot be read",
			"If-Match is "+strconv.Quote(given)+".", "send the number of the revision that the edit began from, as ETag "+
				"gives it")
	}
	return n, nil
}

// conflicting names both revisions where somebody else has published meanwhile.
func conflicting(err error) error {
	var c *store.Conflict
	if !errors.As(err, &c) {
		return err
	}
	by := c.By
	if by == "" {
		by = "somebody"
	}
	began := fmt.Sprintf("your edit began from revision %d", c.From)
	if c.From == 0 {
		began = "your edit names no revision that it began from"
	}
	f := fail(http.StatusConflict, "conflict", "Somebody else has published",
		fmt.Sprintf("Revision %d is current, published by %s at %s, and %s. Nothing was published.", c.Current, by,
			c.At.Format(time.RFC3339), began), "get the current revision, put your change into it, and publish that; "+
			"If-Match: * replaces it whatever it is")
	f.Current = &wire.RevisionLine{Number: c.Current, By: c.By, At: c.At, Current: true}
	return f
}
