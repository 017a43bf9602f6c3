package api

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/store"
)

const (
	// sourceBytes bounds the text that computed arrays.
	sourceBytes = 256 << 10
	// resultBytes bounds a hand-in of files: the arrays, the text, and what a form puts between them.
	resultBytes = check.MaxResultBytes + sourceBytes + 1<<20
)

// brought is what somebody hands in: a program, or arrays with the text that computed them.
type brought struct {
	program string
	results check.Results // arrays that came as JSON
	files   []check.File  // or as files
	ticket  *uint64       // whose data the arrays were computed from
	source  string
	form    bool // the form alone is asked for
	written *time.Time
}

func (b *brought) kind() string {
	if b.results != nil || b.files != nil {
		return "results"
	}
	return "program"
}

// brings reads the body of a hand-in: JSON, or a form with files.
func (r *request) brings() (*brought, error) {
	b := &brought{form: r.Query("check") == "form"}
	if what := r.Query("check"); what != "" && !b.form {
		return nil, fail(http.StatusBadRequest, "query", "The request cannot be read",
			"The parameter check is "+strconv.Quote(what)+".", "`check=form` looks at the form of arrays alone")
	}
	var err error
	switch kind := r.Get("Content-Type"); {
	case strings.HasPrefix(kind, "multipart/form-data"):
		err = b.read(r)
	case !strings.HasPrefix(kind, "application/json"):
		err = noJSON(kind)
	default:
		if err = b.readJSON(r); err != nil && r.arriving.trouble == nil {
			err = unwantedJSON(err.Error())
		}
	}
	if r.arriving.trouble != nil {
		err = r.arriving.trouble
	}
	switch {
	case err != nil:
		return nil, err
	case b.program != "" && b.kind() == "results":
		return nil, fail(http.StatusUnprocessableEntity, "kind", "This cannot be taken",
			"The attempt holds a program and arrays.", "hand in one of them")
	case len(b.source) > sourceBytes || !utf8.ValidString(b.source):
		return nil, fail(http.StatusUnprocessableEntity, "source", "This cannot be taken",
			fmt.Sprintf("The source is not text in UTF-8 of at most %d bytes.", sourceBytes), "leave it out, or shorten it")
	case b.kind() == "program" && (b.ticket != nil || b.source != "" || b.form):
		return nil, fail(http.StatusUnprocessableEntity, "kind", "This cannot be taken",
			"A ticket, a source or a check of the form goes with arrays, and there are none.",
			"put arrays into `results`, or send files")
	}
	return b, nil
}

// readJSON reads what came as JSON, as wire.HandIn is written. The arrays become their elements as they arrive, and
// their text is not kept.
func (b *brought) readJSON(r *request) error {
	s := dataio.NewStream(r.arriving, check.MaxResultCells)
	err := s.Members(func(name string) error {
		if none, err := s.Null(); none || err != nil {
			return err
		}
		var err error
		switch name {
		case "program":
			b.program, err = s.Text(programBytes)
		case "source":
			b.source, err = s.Text(programBytes)
		case "written_at":
			b.written, err = readTime(s)
		case "ticket":
			b.ticket = new(uint64)
			*b.ticket, err = s.Whole()
		case "results":
			b.results = check.Results{}
			err = b.readResults(s)
		default:
			err = fmt.Errorf("it has the key `%s`, and wanted are program and written_at, or results, ticket and source",
				name)
		}
		return err
	})
	if err != nil {
		return err
	}
	return s.End()
}

// readTime reads a time as RFC 3339 has it.
func readTime(s *dataio.Stream) (*time.Time, error) {
	text, err := s.Text(timeBytes)
	if err != nil {
		return nil, err
	}
	at, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return nil, fmt.Errorf("written_at is %q, which is no time like 2026-03-01T18:30:00Z", text)
	}
	return &at, nil
}

// readResults reads arrays, by case and output.
func (b *brought) readResults(s *dataio.Stream) error {
	return s.Members(func(name string) error {
		arrays := map[string]*array.Array{}
		b.results[name] = arrays
		if none, err := s.Null(); none || err != nil {
			return err
		}
		return s.Members(func(output string) error {
			if none, err := s.Null(); none || err != nil {
				return err
			}
			a, err := s.Array()
			if err != nil {
				return fmt.Errorf("`%s` of `%s`: %w", output, name, err)
			}
			arrays[output] = a
			return nil
		})
	})
}

// read reads a form: the fields ticket and source, and files, of which each is an array, netCDF or an archive of them.
func (b *brought) read(r *request) error {
	refuse := func(what string) error {
		return fail(http.StatusBadRequest, "body", "The request cannot be read", what,
			"send multipart/form-data with `ticket`, `source` and files")
	}
	_, params, err := mime.ParseMediaType(r.Get("Content-Type"))
	if err != nil {
		return refuse("The form's media type cannot be read: " + err.Error() + ".")
	}
	parts := multipart.NewReader(r.arriving, params["boundary"])
	u := &upload{}
	for {
		part, err := parts.NextRawPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return refuse("The form ends early: " + err.Error() + ".")
		}
		content, err := io.ReadAll(part)
		if err != nil {
			return refuse("The form ends early: " + err.Error() + ".")
		}
		_, names, _ := mime.ParseMediaType(part.Header.Get("Content-Disposition"))
		file, isFile := names["filename"]
		if !isFile && check.IsArrayFile(part.FormName()) { // a field that is called as a file
			file, isFile = part.FormName(), true
		}
		switch {
		case part.FormName() == "ticket":
			id, err := strconv.ParseUint(strings.TrimSpace(string(content)), 10, 64)
			if err != nil {
				return refuse("The field ticket holds " + strconv.Quote(string(content)) + ", which is no number.")
			}
			b.ticket = &id
		case part.FormName() == "source":
			b.source = string(content)
		case !isFile:
			return refuse("The form has a field " + strconv.Quote(part.FormName()) + ", which nothing is known of.")
		default:
			if err := u.add(file, content); err != nil {
				return unreadableArrays([]string{err.Error()})
			}
		}
	}
	if len(u.files) == 0 {
		return refuse("The form holds no file.")
	}
	b.files = u.files
	return nil
}

// upload is the files of a form.
type upload struct {
	files []check.File
	bytes int
}

// add takes a file, or what an archive holds.
func (u *upload) add(name string, body []byte) error {
	if strings.EqualFold(path.Ext(name), ".zip") || bytes.HasPrefix(body, []byte("PK\x03\x04")) {
		return check.Unzip(body, u.add)
	}
	name = strings.TrimPrefix(name, "./")
	if err := check.PlainPath(name); err != nil {
		return err
	}
	if slices.ContainsFunc(u.files, func(f check.File) bool { return f.Name == name }) {
		return fmt.Errorf("%s: there are two files of this name", name)
	}
	if u.bytes += len(body); u.bytes > check.MaxResultBytes || len(u.files) >= check.MaxFiles {
		return fmt.Errorf("there are more than %d files, or they hold more than %d bytes", check.MaxFiles,
			check.MaxResultBytes)
	}
	u.files = append(u.files, check.File{Name: name, Body: body})
	return nil
}

func unreadableArrays(wrong []string) *failure {
	return fail(http.StatusUnprocessableEntity, "arrays", "The arrays cannot be read", strings.Join(wrong, "; ")+".",
		"nothing was handed in; fix the files, and send them again")
}

// arraysOf reads what was brought as the arrays of an attempt, and stores them; with a form that is not as wanted it is
// refused, or with check=form answered.
func (r *request) arraysOf(b *brought, c *store.Course, e *exercise.Exercise, a *store.Attempt) (*check.Form, error) {
	ctx, done, err := r.work(budget.Look)
	if err != nil {
		return nil, err
	}
	defer done()
	p, err := r.heldAgainst(ctx, b, c, e, a)
	if err != nil {
		return nil, err
	}
	results := b.results
	if b.files != nil {
		var wrong []string
		if results, wrong = check.ReadArrays(b.files, p.Wants()); len(wrong) > 0 {
			return nil, unreadableArrays(wrong)
		}
	}
	form, fitted := check.FormOf(p, results)
	if b.form || !form.OK {
		return form, nil
	}
	packed, err := library.Pack(fitted)
	if err != nil {
		return nil, err
	}
	digest, err := r.Store.KeepArrays(ctx, packed)
	if err != nil {
		return nil, err
	}
	a.Arrays, a.TicketID = &digest, b.ticket
	if b.source != "" {
		a.Source = &b.source
	}
	return form, nil
}

// heldAgainst is the exercise on the data that arrays were computed from.
func (r *request) heldAgainst(ctx context.Context, b *brought, c *store.Course, e *exercise.Exercise,
	a *store.Attempt) (*check.Prepared, error) {
	p, err := r.Library.Exercise(ctx, *c.CurrentRevisionID, e.Name)
	if err != nil {
		return nil, err
	}
	if b.ticket == nil {
		if !e.DrawsOwn() || b.form {
			return p, nil
		}
		return nil, fail(http.StatusUnprocessableEntity, "ticket", "A ticket is needed",
			fmt.Sprintf("%s is checked on data of your own, and these arrays come without a ticket.", e.Title),
			"take data first: `nimbus fetch "+e.Name+"`, or *bring results* in the console")
	}
	t, err := r.Store.TicketByID(ctx, *b.ticket)
	if errors.Is(err, store.ErrNotFound) || err == nil && (t.PersonID != a.PersonID || t.CourseID != a.CourseID ||
		t.Exercise != a.Exercise) {
		return nil, fail(http.StatusNotFound, "ticket", "There is no such ticket",
			fmt.Sprintf("Ticket %d is not yours, or not of %s.", *b.ticket, e.Title), "take data of your own first")
	}
	if err != nil {
		return nil, err
	}
	switch {
	case t.AttemptID != nil && r.repeats(a, *t.AttemptID):
	case t.AttemptID != nil:
		return nil, r.refused(e, &store.Refused{Ticket: "used"})
	case t.Spent(r.Store.Now()):
		return nil, r.refused(e, &store.Refused{Ticket: "expired"})
	}
	return r.Library.On(ctx, t, p)
}

// repeats reports whether an attempt comes with the key of another, which a repeat is compared with.
func (r *request) repeats(a *store.Attempt, before uint64) bool {
	if a.RepeatKey == nil {
		return false
	}
	first, err := r.Store.Keyed(r.Context(), a.PersonID, *a.RepeatKey)
	return err == nil && first.ID == before
}

// mismatched is the answer to arrays whose form is not as wanted.
func mismatched(e *exercise.Exercise, form *check.Form, ticket bool) *failure {
	wrong := 0
	for _, l := range form.Arrays {
		if l.Problem != "" {
			wrong++
		}
	}
	f := fail(http.StatusUnprocessableEntity, "form", "The arrays do not have the form that is wanted",
		fmt.Sprintf("Of the arrays for %s, %d of %d are not as wanted; nothing was handed in.", e.Title, wrong,
			len(form.Arrays)), "see `form`, and send them again")
	if ticket {
		f.Hint += ": the ticket stays open"
	}
	f.Form = form
	return f
}
