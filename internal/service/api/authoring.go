package api

import (
	"context"
	"encoding/base64"
	"fmt"
	"io/fs"
	"math"
	"net/http"
	"path"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/core/skeletons"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/courses"
	"nimbusreach/internal/service/jobs"
	"nimbusreach/internal/service/store"
)

// mostDraftBytes bounds a course folder that is edited in the browser.
const mostDraftBytes = 12 << 20

// draftTime bounds what looking at a draft takes.
const draftTime = 20 * time.Second

// draft looks at a course folder: its errors, or advice, probes and results.
func draft(r *request) error {
	if err := r.mayAuthor(r.Params("course")); err != nil {
		return err
	}
	folder, err := r.folder()
	if err != nil {
		return err
	}
	ctx, done, err := r.work(budget.Long)
	if err != nil {
		return err
	}
	defer done()
	ctx, cancel := context.WithTimeout(ctx, draftTime)
	defer cancel()
	return r.JSON(jobs.Rendered(courses.Look(ctx, folder, r.Query("exercise"),
		probe.Options{Cores: r.Budget.LongPlaces()}, nil)))
}

// folder reads a folder's files from the body.
func (r *request) folder() (fs.FS, error) {
	var in wire.Folder
	if len(r.body) > mostDraftBytes {
		return nil, fail(http.StatusRequestEntityTooLarge, "too-large", "Too large",
			fmt.Sprintf("The folder has %d bytes; one edited here has at most %d.", len(r.body), mostDraftBytes),
			"publish it from the command line")
	}
	if err := r.json(&in); err != nil {
		return nil, err
	}
	for name := range in.Files {
		if !fs.ValidPath(name) || name == "." {
			return nil, fail(http.StatusUnprocessableEntity, "path", "The folder cannot be read",
				fmt.Sprintf("The path %q leaves the course folder.", name), "name files inside it, without `..`")
		}
	}
	for name, text := range in.Files {
		packed, is := strings.CutPrefix(text, binaryFile)
		if !is || path.Ext(name) != ".nc" {
			continue
		}
		raw, err := base64.StdEncoding.DecodeString(packed)
		if err != nil {
			return nil, fail(http.StatusUnprocessableEntity, "binary", "The folder cannot be read",
				fmt.Sprintf("The file %q begins as a data URL and is none: %v.", name, err), "leave it as it came")
		}
		in.Files[name] = string(raw)
	}
	return exercise.Files(in.Files)
}

// binaryFile begins a file that is no text, as a data URL, among the files of a folder.
const binaryFile = "data:application/x-netcdf;base64,"

// courseFolder answers the current revision's files.
func courseFolder(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.Author)
	if err != nil {
		return err
	}
	if c.CurrentRevisionID == nil {
		// Nothing is published yet: a course file to begin from.
		title, err := yaml.Marshal(map[string]string{"title": c.Title})
		if err != nil {
			return err
		}
		return r.JSON(wire.Folder{Files: map[string]string{"course.yaml": string(title) + "exercises: []\n"}})
	}
	number, err := r.number("revision", 0, 1, 1<<31)
	if err != nil {
		return err
	}
	revision := &store.Revision{}
	if number > 0 {
		revision, err = r.Store.RevisionByNumber(r.Context(), c.ID, int(number))
	} else {
		revision, err = r.Store.RevisionByID(r.Context(), *c.CurrentRevisionID)
	}
	if err != nil {
		return err
	}
	folder, err := exercise.Unpack(revision.Source)
	if err != nil {
		return err
	}
	out := wire.Folder{Files: map[string]string{}, Revision: revision.Number}
	r.revisionTag(revision.Number)
	err = fs.WalkDir(folder, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := fs.ReadFile(folder, name)
		out.Files[name] = string(text)
		if path.Ext(name) == ".nc" {
			out.Files[name] = binaryFile + base64.StdEncoding.EncodeToString(text)
		}
		return err
	})
	if err != nil {
		return err
	}
	return r.JSON(out)
}

// packFolder answers a folder's files as a zip archive.
func packFolder(r *request) error {
	if err := r.mayAuthor(r.Params("course")); err != nil {
		return err
	}
	folder, err := r.folder()
	if err != nil {
		return err
	}
	archive, err := exercise.Pack(folder)
	if err != nil {
		return fail(http.StatusUnprocessableEntity, "folder", "The folder cannot be packed", err.Error()+".",
			"look at the file named")
	}
	return r.archive(r.Params("course"), archive)
}

func (r *request) archive(name string, archive []byte) error {
	r.Set("Content-Type", "application/zip")
	r.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.zip"`, name))
	return r.Send(archive)
}

func revisions(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.SeeTeam)
	if err != nil {
		return err
	}
	before, limit, err := r.page(200, 500)
	if err != nil {
		return err
	}
	list, err := r.Store.Revisions(r.Context(), c.ID, int(min(before, math.MaxInt32)), int(limit)+1)
	if err != nil {
		return err
	}
	out := wire.Revisions{Revisions: []wire.RevisionLine{}}
	out.Next = paged(list, limit, func(x *store.RevisionLine) int { return x.Number }, func(x *store.RevisionLine) {
		line := wire.RevisionLine{Number: x.Number, At: x.CreatedAt, Current: c.CurrentRevisionID != nil &&
			*c.CurrentRevisionID == x.ID}
		if x.By != nil {
			line.By = *x.By
		}
		out.Revisions = append(out.Revisions, line)
	})
	return r.JSON(out)
}

func oneRevision(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.Author)
	if err != nil {
		return err
	}
	number, err := r.numberOf("revision")
	if err != nil {
		return err
	}
	revision, err := r.Store.RevisionByNumber(r.Context(), c.ID, number)
	if err != nil {
		return err
	}
	return r.archive(fmt.Sprintf("%s-%d", c.Slug, number), revision.Source)
}

func (r *request) numberOf(name string) (int, error) {
	n, err := strconv.Atoi(r.Params(name))
	if err != nil || n < 1 || strconv.Itoa(n) != r.Params(name) {
		return 0, store.ErrNotFound
	}
	return n, nil
}

// uploaded reads a packed course from the body: a zip archive, a form with one in the
// field `course`, or a folder's files as JSON.
func (r *request) uploaded() ([]byte, error) {
	switch kind := r.Get("Content-Type"); {
	case strings.HasPrefix(kind, "multipart/form-data"):
		archive, err := r.formFile("course")
		if err != nil {
			return nil, fail(http.StatusBadRequest, "form", "The request cannot be read", "The form has no file `course`.",
				"send the course folder as a zip archive in the field `course`")
		}
		return archive, nil
	case strings.HasPrefix(kind, "application/json"):
		folder, err := r.folder()
		if err != nil {
			return nil, err
		}
		archive, err := exercise.Pack(folder)
		if err != nil {
			return nil, fail(http.StatusUnprocessableEntity, "folder", "The folder cannot be packed", err.Error()+".",
				"look at the file named")
		}
		return archive, nil
	}
	return r.body, nil
}

func skeletonList(r *request) error {
	list, err := skeletons.All()
	if err != nil {
		return err
	}
	out := make([]wire.Skeleton, len(list))
	for i, s := range list {
		out[i] = wire.Skeleton{Topic: s.Topic, Title: s.Title, Files: s.Files}
	}
	r.Set("Cache-Control", "private, max-age=3600")
	return r.JSON(out)
}
