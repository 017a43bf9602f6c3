package api

import (
	"errors"
	"fmt"
	"net/http"
	"time"
	"unicode/utf8"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service/store"
)

// keepDraft keeps what somebody is writing for their other devices. A text that was written from an older version than
// the one that is kept changes nothing, and is answered with that.
func keepDraft(r *request) error {
	c, _, _, e, err := r.looked()
	if err != nil {
		return err
	}
	if err := archived(c); err != nil {
		return err
	}
	var in wire.OwnDraft
	if err := r.json(&in); err != nil {
		return err
	}
	if len(in.Program) > notation.MaxBytes || !utf8.ValidString(in.Program) {
		return fail(http.StatusUnprocessableEntity, "too-large", "This cannot be taken",
			fmt.Sprintf("The draft is not text in UTF-8 of at most %d bytes.", notation.MaxBytes),
			"data belongs in inputs, not in the text")
	}
	d := &store.Draft{PersonID: r.who.Person.ID, CourseID: c.ID, Exercise: e.Name, Program: in.Program,
		Version: in.Version, WrittenAt: notAhead(in.WrittenAt, r.Store.Now())}
	err = r.Store.KeepDraft(r.Context(), d)
	if errors.Is(err, store.ErrNewer) {
		newer, err := r.Store.DraftOf(r.Context(), c.ID, r.who.Person.ID, e.Name)
		if err == nil && newer == nil { // the device knows a version that was lost here
			d.Version = 0
			if err = r.Store.KeepDraft(r.Context(), d); err == nil {
				return r.JSON(draftOf(d))
			}
		}
		if err != nil {
			return err
		}
		f := fail(http.StatusConflict, "newer-draft", "Another text was kept meanwhile",
			"Another device kept a text of this exercise since; nothing was changed.", "look at both, and keep one")
		f.Draft = draftOf(newer)
		return f
	}
	if err != nil {
		return err
	}
	return r.JSON(draftOf(d))
}

func draftOf(d *store.Draft) *wire.OwnDraft {
	if d == nil {
		return nil
	}
	return &wire.OwnDraft{Program: d.Program, Version: d.Version, WrittenAt: d.WrittenAt}
}

// notAhead is a time that a device's clock said, at most now.
func notAhead(t, now time.Time) time.Time {
	if t.After(now) {
		return now
	}
	return t
}
