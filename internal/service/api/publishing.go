package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/courses"
	"nimbusreach/internal/service/jobs"
	"nimbusreach/internal/service/store"
)

// publish stores a course whole or not at all: all its errors are reported at once, and
// every reference runs on every case first.
func publish(r *request) error { return r.published(jobs.Publish) }

// preview says what publishing would change.
func preview(r *request) error { return r.published(jobs.Preview) }

// probeCourse probes every exercise of a course folder.
func probeCourse(r *request) error {
	archive, err := r.course()
	if err != nil {
		return err
	}
	return r.begin(&store.Job{Kind: jobs.Probe, Input: archive})
}

func (r *request) published(kind string) error {
	archive, err := r.course()
	if err != nil {
		return err
	}
	from, err := r.from()
	if err != nil {
		return err
	}
	args, err := json.Marshal(jobs.PublishArgs{From: from, Recheck: kind == jobs.Publish && r.Query("recheck") == "true",
		Keep: r.Query("keep_better") == "true"})
	if err != nil {
		return err
	}
	return r.begin(&store.Job{Kind: kind, Args: string(args), Input: archive})
}

// course reads the course folder that a request of its author brings.
func (r *request) course() ([]byte, error) {
	slug := r.Params("course")
	if !courses.IsSlug(slug) {
		return nil, &access.Unfit{Field: "course", Message: fmt.Sprintf("%q cannot be a course's name", slug),
			Hint: "use small letters, digits and single hyphens, at most 64"}
	}
	if err := r.mayAuthor(slug); err != nil {
		return nil, err
	}
	return r.packed()
}

// revisionTag names a revision as If-Match takes it back.
func (r *request) revisionTag(number int) { r.Set("ETag", strconv.Quote(strconv.Itoa(number))) }

// packed reads a packed course folder, and makes sure that it can be unpacked.
func (r *request) packed() ([]byte, error) {
	archive, err := r.uploaded()
	if err != nil {
		return nil, err
	}
	if len(archive) > exercise.MaxPackedBytes {
		return nil, fail(http.StatusRequestEntityTooLarge, "too-large", "Too large",
			fmt.Sprintf("The archive has %d bytes; a packed course has at most %d.", len(archive), exercise.MaxPackedBytes),
			"exercises work on small data made on purpose")
	}
	if _, err := exercise.Unpack(archive); err != nil {
		return nil, fail(http.StatusUnprocessableEntity, "archive", "The archive cannot be read", err.Error()+".",
			"send the course folder as a zip archive, course.yaml at its top")
	}
	return archive, nil
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
