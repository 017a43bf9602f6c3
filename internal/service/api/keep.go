package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"path"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/store"
)

// keepNote turns a note and an example of what it is about into a slip of the exercise: the answer says which files of
// the course folder change, and how.
func keepNote(r *request) error {
	c, n, _, err := r.note(access.Author)
	if err != nil {
		return err
	}
	var in wire.KeepSlip
	if err := r.json(&in); err != nil {
		return err
	}
	_, _, content, err := r.opened(access.Author)
	if err != nil {
		return err
	}
	e := content.Find(n.Exercise)
	if e == nil {
		return &access.Unfit{Field: "note", Message: "the note is about no exercise of the current revision",
			Hint: "notes to a knot and to an attempt can be kept"}
	}
	example, cause, err := r.exampleOf(c, content, n)
	if err != nil {
		return err
	}
	dir := path.Dir(e.File())
	if in.Yaml == "" {
		if in.Yaml, err = r.currentText(c, e.File()); err != nil {
			return err
		}
	}
	out := wire.KeptSlip{Exercise: e.Name, Cause: string(cause), Attempt: example.ID, File: e.File(),
		Program: example.Program}
	name := fmt.Sprintf("slips/%s-note-%d.nra", strings.ReplaceAll(string(cause), ".", "-"), n.ID)
	out.Slip = path.Join(dir, name)
	if strings.Contains(in.Yaml, name) {
		return fail(http.StatusConflict, "kept", "It is kept already", "The exercise has a slip of this note.",
			"edit it in the course folder")
	}
	out.Yaml, err = exercise.AddSlip(in.Yaml, name, cause, n.Text)
	var bad *exercise.Unshiftable
	if errors.As(err, &bad) {
		return &access.Unfit{Field: "yaml", Message: bad.Message, Hint: bad.Hint}
	}
	if err != nil {
		return &access.Unfit{Field: "yaml", Message: "the exercise.yaml cannot be read: " + short(err.Error()),
			Hint: "send the file as it is in the course folder"}
	}
	return r.JSON(out)
}

// exampleOf finds the program that stands for what a note is about, and its cause.
func (r *request) exampleOf(c *store.Course, content *exercise.Course, n *store.NoteLine) (*store.AttemptLine,
	codes.Code,
	error) {
	var id uint64
	cause := codes.Code(n.LeadCode)
	switch n.Kind {
	case store.NoteAttempt:
		id = *n.AttemptID
	case store.NoteKnot:
		page, err := desk.Knot(r.Context(), r.Store, c, content, store.Knot{Exercise: n.Exercise, LeadCode: n.LeadCode,
			LeadOutput: n.LeadOutput})
		if err != nil {
			return nil, "", err
		}
		if len(page.Ways) > 0 {
			id = page.Ways[0].Attempt
		} else if id, err = r.Store.AnyIn(r.Context(), c.ID, store.Knot{Exercise: n.Exercise, LeadCode: n.LeadCode,
			LeadOutput: n.LeadOutput}); err != nil {
			return nil, "", err
		}
	default:
		return nil, "", &access.Unfit{Field: "note", Message: "the note is about no mistake",
			Hint: "notes to a knot and to an attempt can be kept"}
	}
	a, err := r.Store.AttemptByID(r.Context(), id)
	if err != nil {
		return nil, "", err
	}
	if n.Kind == store.NoteAttempt && a.Body != nil {
		var v check.Verdict
		if json.Unmarshal([]byte(*a.Body), &v) == nil && len(v.Causes) > 0 {
			cause = v.Causes[0].Code
		}
	}
	if !cause.Is(codes.Cause) {
		cause = codes.Foreseen // a finding leads it: what is known is that it was foreseen
	}
	if a.Program == "" {
		return nil, "", &access.Unfit{Field: "note", Message: "the example has no program", Hint: "arrays cannot be a slip"}
	}
	return a, cause, nil
}

// currentText reads a file of a course's current revision.
func (r *request) currentText(c *store.Course, name string) (string, error) {
	revision, err := r.Store.RevisionByID(r.Context(), *c.CurrentRevisionID)
	if err != nil {
		return "", err
	}
	folder, err := exercise.Unpack(revision.Source)
	if err != nil {
		return "", err
	}
	f, err := folder.Open(name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	text, err := io.ReadAll(f)
	return string(text), err
}
