package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// longestWait bounds how long a request waits for a verdict.
const longestWait = 30

// mostWaiting is how many attempts of one person wait for a verdict at a time.
const mostWaiting = 3

func handIn(r *request) error {
	c, role, content, err := r.opened(access.HandIn)
	if err != nil {
		return err
	}
	in, err := r.brings()
	if err != nil {
		return err
	}
	if len(in.program) > notation.MaxBytes {
		return fail(http.StatusRequestEntityTooLarge, "too-large", "Too large",
			fmt.Sprintf("The program has %d bytes; a program has at most %d.", len(in.program), notation.MaxBytes),
			"data belongs in inputs, not in the text")
	}
	wait, err := r.number("wait", 0, 0, longestWait)
	if err != nil {
		return err
	}
	a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: r.Params("exercise"),
		PersonID: r.who.Person.ID, Kind: in.kind(), Program: in.program}
	if in.written != nil && in.written.Before(r.Store.Now()) { // what lies ahead is a clock that is wrong
		a.WrittenAt = in.written
	}
	if key := r.Get("Idempotency-Key"); key != "" {
		if len(key) > 120 {
			return fail(http.StatusBadRequest, "idempotency-key", "The request cannot be read",
				"The Idempotency-Key is longer than 120 bytes.", "use a UUID")
		}
		a.RepeatKey = &key
	}
	bounds, form, err := r.mayBring(c, role, content, a, in)
	if err != nil {
		// What was stored once is answered, whatever has closed since.
		if a.RepeatKey != nil && !in.form {
			if before, absent := r.Store.Keyed(r.Context(), a.PersonID, *a.RepeatKey); absent == nil {
				return r.again(a, in, before, wait)
			}
		}
		return err
	}
	if in.form {
		r.Status(http.StatusOK)
		return r.JSON(form)
	}
	wanted := *a
	// Whoever waits listens before the attempt is stored, and so asks for it once, when it has a verdict.
	listener, end := r.Hub.Listen(c.ID)
	defer end()
	repeated, err := r.handedIn(a, bounds)
	if err != nil {
		return r.refused(content.Find(a.Exercise), err)
	}
	if repeated {
		return r.again(&wanted, in, a, wait)
	}
	r.server.metrics.handedIn.Inc()
	r.Hub.Tell(c.ID, a.ID, "attempt")
	r.Set("Location", attemptAddress(a.ID))
	deadline := time.After(time.Duration(wait) * time.Second)
	if wait > 0 && !r.await(listener, a.ID, deadline) {
		wait = 0
	}
	return r.answering(a.ID, wait, listener, deadline, func() (*wire.Attempt, error) {
		if w := r.Library.TakeWritten(a.ID); w != nil {
			return r.justWritten(a, w, role)
		}
		line, err := r.Store.AttemptByID(r.Context(), a.ID)
		if err != nil {
			return nil, err
		}
		return r.attemptAs(line, role)
	})
}

// mayBring is mayHandIn for what was brought: arrays are read, and held against the form that is wanted.
func (r *request) mayBring(c *store.Course, role store.Role, content *exercise.Course, a *store.Attempt,
	in *brought) (store.Bounds, *check.Form, error) {
	bounds, err := r.mayHandIn(c, role, content, a)
	if err != nil || in.kind() == "program" {
		return bounds, nil, err
	}
	e := content.Find(a.Exercise)
	form, err := r.arraysOf(in, c, e, a)
	if err == nil && !in.form && !form.OK {
		err = mismatched(e, form, in.ticket != nil)
	}
	return bounds, form, err
}

// handedIn stores an attempt, as one that this process checks itself where few wait at its workers.
func (r *request) handedIn(a *store.Attempt, bounds store.Bounds) (repeated bool, err error) {
	bounds.Claim = r.Queue.Reserve()
	given := false
	defer func() {
		if bounds.Claim > 0 && !given {
			r.Queue.Release()
		}
	}()
	repeated, err = r.Store.HandIn(r.Context(), a, bounds)
	switch {
	case err != nil || repeated:
	case a.State == store.Checking:
		given = true
		own := *a // the queue writes into it
		r.Queue.Give(&own)
	default:
		r.Queue.Wake()
	}
	return repeated, err
}

// mayHandIn holds an attempt against the exercise it is for, and gives its bounds.
func (r *request) mayHandIn(c *store.Course, role store.Role, content *exercise.Course,
	a *store.Attempt) (store.Bounds, error) {
	bounds := store.Bounds{Waiting: mostWaiting}
	e := content.Find(a.Exercise)
	if e == nil {
		return bounds, store.ErrNotFound
	}
	if err := archived(c); err != nil {
		return bounds, err
	}
	given, err := r.given(c)
	if err != nil {
		return bounds, err
	}
	t, now := teaching.TermsOf(e, given), r.Store.Now()
	if err := acceptsNow(&t, e, role, now); err != nil {
		return bounds, err
	}
	a.Late = t.State(now) == teaching.Late || t.State(now) == teaching.Closed
	if !e.Takes(a.Kind) {
		return bounds, fail(http.StatusUnprocessableEntity, "kind", "This cannot be taken", fmt.Sprintf("%s takes no %s.",
			e.Title, map[string]string{"program": "programs", "results": "arrays"}[a.Kind]), "hand in "+strings.Join(e.Accepts,
			" or "))
	}
	if err := r.predictionsMade(c, e, role); err != nil {
		return bounds, err
	}
	if !access.Allows(role, access.SeeTeam) {
		bounds.Limit, bounds.Wait = t.Limit, e.Wait
	}
	return bounds, nil
}

// again answers an attempt that was handed in before with the same key.
func (r *request) again(a *store.Attempt, in *brought, before *store.Attempt, wait uint64) error {
	same := a.CourseID == before.CourseID && a.Exercise == before.Exercise && a.Kind == before.Kind &&
		a.Program == before.Program && value(in.ticket) == value(before.TicketID) && in.source == value(before.Source)
	if same && a.Arrays != nil {
		same = value(a.Arrays) == value(before.Arrays)
	}
	if !same {
		return fail(http.StatusConflict, "idempotency-key", "The key was used before",
			"This Idempotency-Key came with another attempt before.", "use a new key for a new attempt")
	}
	return r.stored(before.ID, before.CourseID, wait)
}

// value is what a pointer points at, or nothing.
func value[T any](p *T) T {
	var none T
	if p == nil {
		return none
	}
	return *p
}

// stored answers an attempt that is safe.
func (r *request) stored(id, course, wait uint64) error {
	r.Set("Location", attemptAddress(id))
	return r.answer(id, course, wait)
}

func attemptAddress(id uint64) string { return "/api/v1/attempts/" + strconv.FormatUint(id, 10) }

// refused puts a bound that an attempt passes into words.
func (r *request) refused(e *exercise.Exercise, err error) error {
	var bound *store.Refused
	if !errors.As(err, &bound) {
		return err
	}
	var f *failure
	switch {
	case bound.Ticket == "used":
		return fail(http.StatusConflict, "ticket-used", "The ticket was used",
			"Something was handed in for this ticket already; each is good for one hand-in.", "take new data, and compute again")
	case bound.Ticket != "":
		return fail(http.StatusGone, "ticket-expired", "The ticket has run out",
			"The time of this ticket is over, and nothing was handed in for it.", "take new data, and compute again")
	case bound.Limit > 0:
		return fail(http.StatusForbidden, "no-attempts-left", "No attempts left",
			fmt.Sprintf("%s takes %d attempts, and all were handed in.", e.Title, bound.Limit), "ask the teaching team")
	case bound.Wait > 0:
		f = fail(http.StatusTooManyRequests, "too-soon", "Too soon", fmt.Sprintf("%s asks for %s between two attempts.",
			e.Title, e.Wait), fmt.Sprintf("read the verdict again, and try in %s", bound.Wait.Round(time.Second)))
		f.after = bound.Wait
	default:
		f = fail(http.StatusTooManyRequests, "waiting", "One after the other",
			fmt.Sprintf("%d of your attempts wait for a verdict; this one was not taken.", bound.Waiting),
			"keep your text, and hand it in when a verdict is there")
		f.after = 2 * time.Second
	}
	return f
}

// acceptsNow refuses attempts before an exercise opens and when none are taken any more. The
// team may try at any time.
func acceptsNow(t *teaching.Terms, e *exercise.Exercise, role store.Role, now time.Time) error {
	if access.Allows(role, access.SeeTeam) {
		return nil
	}
	switch t.State(now) {
	case teaching.Soon:
		return fail(http.StatusForbidden, "not-open", "Not open yet", fmt.Sprintf("%s opens at %s.", e.Title,
			t.Opens.Format(time.RFC3339)), "come back then")
	case teaching.Closed:
		text := fmt.Sprintf("%s closed at %s; this attempt was not taken.", e.Title, t.Closes.Format(time.RFC3339))
		if t.Until != nil {
			text = fmt.Sprintf("%s closed at %s, and took late attempts until %s; this one was not taken.", e.Title,
				t.Closes.Format(time.RFC3339), t.Until.Format(time.RFC3339))
		}
		return fail(http.StatusForbidden, "closed", "Closed", text, "keep your text and ask the teaching team")
	}
	return nil
}

func attempt(r *request) error {
	id, err := r.attemptID()
	if err != nil {
		return err
	}
	wait, err := r.number("wait", 0, 0, longestWait)
	if err != nil {
		return err
	}
	a, _, err := r.Gate.Attempt(r.Context(), r.who, id)
	if err != nil {
		return err
	}
	return r.answer(id, a.CourseID, wait)
}

func (r *request) attemptID() (uint64, error) {
	id, err := strconv.ParseUint(r.Params("attempt"), 10, 64)
	if err != nil {
		return 0, store.ErrNotFound
	}
	return id, nil
}

// answer sends an attempt, after waiting some seconds for its verdict.
func (r *request) answer(id, course, seconds uint64) error {
	listener, end := r.Hub.Listen(course)
	defer end()
	return r.answering(id, seconds, listener, time.After(time.Duration(seconds)*time.Second),
		func() (*wire.Attempt, error) { return r.attemptFor(id) })
}

// answering is answer with a listener that hears of the attempt already.
func (r *request) answering(id, seconds uint64, listener *desk.Listener, deadline <-chan time.Time,
	read func() (*wire.Attempt, error)) error {
	for {
		a, err := read()
		if err != nil {
			return err
		}
		if seconds == 0 || a.State == string(store.Checked) || a.State == string(store.Stuck) {
			return r.JSON(a)
		}
		if !r.await(listener, id, deadline) {
			seconds = 0
		}
	}
}

// await blocks until a verdict of an attempt is heard of, or all may be news; false when time is up.
func (r *request) await(l *desk.Listener, id uint64, deadline <-chan time.Time) bool {
	for {
		select {
		case e := <-l.Events:
			if e.Attempt == nil || *e.Attempt == id && e.Kind != "attempt" {
				return true
			}
		case <-deadline:
			return false
		case <-r.server.closing:
			return false
		}
	}
}

// attemptFor reads an attempt as the person asking may see it.
func (r *request) attemptFor(id uint64) (*wire.Attempt, error) {
	a, role, err := r.Gate.Attempt(r.Context(), r.who, id)
	if err != nil {
		return nil, err
	}
	return r.attemptAs(a, role)
}

// attemptAs is an attempt as somebody in a role may see it.
func (r *request) attemptAs(a *store.AttemptLine, role store.Role) (*wire.Attempt, error) {
	out := &wire.Attempt{ID: a.ID, Course: r.courseSlug(a), Exercise: a.Exercise, Person: a.PersonName,
		Display: a.Display, State: string(a.State), HandedIn: a.CreatedAt, Late: a.Late, CheckedAt: a.CheckedAt,
		WrittenAt: a.WrittenAt, Program: a.Program, Kind: a.Kind, Ticket: a.TicketID, Source: value(a.Source)}
	if a.Body == nil {
		return out, nil
	}
	var v check.Verdict
	if err := json.Unmarshal([]byte(*a.Body), &v); err != nil {
		return nil, err
	}
	return r.verdictAs(out, a, &v, role)
}

// justWritten is one's own attempt with the verdict that this process has stored, which need not be read.
func (r *request) justWritten(a *store.Attempt, w *library.Written, role store.Role) (*wire.Attempt, error) {
	line := &store.AttemptLine{Attempt: *a, PersonName: r.who.Person.Name, Display: r.who.Person.Display,
		Seconds: &w.Seconds, CheckedAt: &w.At}
	line.State = store.Checked
	out, err := r.attemptAs(line, role)
	if err != nil {
		return nil, err
	}
	return r.verdictAs(out, line, w.Verdict, role)
}

// verdictAs adds an attempt's verdict as somebody in a role may see it.
func (r *request) verdictAs(out *wire.Attempt, a *store.AttemptLine, v *check.Verdict, role store.Role) (*wire.Attempt,
	error) {
	out.Verdict = v
	if a.KeptEarned != nil && a.KeptPossible != nil {
		out.Kept = &wire.KeptPoints{Earned: *a.KeptEarned, Possible: *a.KeptPossible}
	}
	if access.Allows(role, access.SeeTeam) {
		out.Seconds = a.Seconds
		return out, nil
	}
	e, err := r.exerciseOf(&a.Attempt)
	if err != nil {
		return nil, err
	}
	out.CheckedAt = roughly(out.CheckedAt)
	out.Verdict = v.ForStudent(e, a.Number)
	return out, nil
}

// roughly is a time as students see when a verdict was there: how long a check took
// could say what its program read.
func roughly(t *time.Time) *time.Time {
	if t == nil {
		return nil
	}
	rounded := t.Truncate(time.Minute)
	return &rounded
}

// exerciseOf is an attempt's exercise as the revision has it that checked it.
func (r *request) exerciseOf(a *store.Attempt) (*exercise.Exercise, error) {
	content, err := r.Library.Course(r.Context(), a.RevisionID)
	if err != nil {
		return nil, err
	}
	e := content.Find(a.Exercise)
	if e == nil {
		return nil, store.ErrNotFound
	}
	return e, nil
}

// ownLine is an attempt in a student's list: its lead as far as the student may see it.
func (r *request) ownLine(a *store.AttemptLine) (wire.AttemptLine, error) {
	line := desk.Line(a)
	line.CheckedAt = roughly(line.CheckedAt)
	err := r.ownLead(&line, a)
	line.LeadSays = desk.Says(line.LeadCode)
	return line, err
}

func (r *request) ownLead(line *wire.AttemptLine, a *store.AttemptLine) error {
	line.LeadCode, line.LeadOutput = "", ""
	if a.OpenCode != nil && a.OpenOutput != nil {
		line.LeadCode, line.LeadOutput = *a.OpenCode, *a.OpenOutput
	}
	if a.FromCause == nil || !*a.FromCause || a.LeadCode == nil {
		return nil
	}
	e, err := r.exerciseOf(&a.Attempt)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err == nil && check.TellsCauses(e, a.Number) {
		line.LeadCode, line.LeadOutput = *a.LeadCode, ""
	}
	return err
}

func (r *request) courseSlug(a *store.AttemptLine) string {
	if slug := r.Params("course"); slug != "" {
		return slug
	}
	slug, err := r.Store.SlugOf(r.Context(), a.CourseID)
	if err != nil {
		return ""
	}
	return slug
}

func attempts(r *request) error {
	c, role, scope, err := r.team(access.See)
	if err != nil {
		return err
	}
	before, limit, err := r.page(50, 200)
	if err != nil {
		return err
	}
	f := store.Filter{Course: c.ID, Exercise: r.Query("exercise"), Verdict: r.Query("verdict"),
		LeadCode: r.Query("lead"), Groups: scope, Before: before, Limit: int(limit) + 1}
	team := access.Allows(role, access.SeeTeam)
	if !team {
		if f.LeadCode != "" || r.Query("person") != "" {
			return fail(http.StatusForbidden, "forbidden", "Not allowed",
				"Attempts are filtered by their lead or their person for the teaching team.", "leave `lead` and `person` out")
		}
		f.Person = r.who.Person.ID
	} else if name := r.Query("person"); name != "" {
		p, err := r.member(c, role, name)
		if err != nil {
			return err
		}
		f.Person = p.ID
	}
	lines, err := r.Store.Attempts(r.Context(), f)
	if err != nil {
		return err
	}
	out := wire.Attempts{Attempts: []wire.AttemptLine{}}
	var failed error
	out.Next = paged(lines, limit, func(a *store.AttemptLine) uint64 { return a.ID }, func(a *store.AttemptLine) {
		line := desk.Line(a)
		if !team && failed == nil {
			line, failed = r.ownLine(a)
		}
		out.Attempts = append(out.Attempts, line)
	})
	if failed != nil {
		return failed
	}
	return r.JSON(out)
}

// arrays shows both sides of an output. Students see them for shown cases, where
// the exercise lets values show.
func arrays(r *request) error {
	a, p, err := r.compared()
	if err != nil {
		return err
	}
	sides, err := r.sides(p, a)
	if err != nil {
		return err
	}
	if sides == nil {
		return store.ErrNotFound
	}
	if format := r.Query("format"); format != "" {
		return r.sideFiles(a, sides, p.Exercise, format)
	}
	out := wire.Arrays{Case: r.Query("case"), Output: r.Query("output"), Counting: p.Exercise.Counting,
		Expected: dataio.JSON{Array: sides.Expected}}
	if sides.Actual != nil {
		out.Actual = &dataio.JSON{Array: sides.Actual}
	}
	if sides.Difference != nil {
		out.Difference, out.Agrees = &dataio.JSON{Array: sides.Difference}, &dataio.JSON{Array: sides.Within}
	}
	return r.JSON(out)
}

// compared finds an attempt and its exercise, for whoever may see both sides of the case that is asked for.
func (r *request) compared() (*store.AttemptLine, *check.Prepared, error) {
	id, err := r.attemptID()
	if err != nil {
		return nil, nil, err
	}
	a, role, err := r.Gate.Attempt(r.Context(), r.who, id)
	if err != nil {
		return nil, nil, err
	}
	p, err := r.Library.Exercise(r.Context(), a.RevisionID, a.Exercise)
	if err != nil {
		return nil, nil, err
	}
	if !access.Allows(role, access.SeeTeam) && !mayCompare(p.Exercise, a, r.Query("case")) {
		return nil, nil, store.ErrNotFound
	}
	return a, p, nil
}

// sideFiles sends both sides of an output as files of a format.
func (r *request) sideFiles(a *store.AttemptLine, sides *check.Sides, e *exercise.Exercise, format string) error {
	name, output := r.Query("case"), r.Query("output")
	about := fmt.Sprintf("Attempt %d, the output %s in the case %s.", a.ID, output, name)
	files, err := sides.Files(format, about, e.Counting)
	if err != nil {
		return noSuchFormat(err)
	}
	return r.sendFiles(files, format, fmt.Sprintf("%s-%s-attempt-%d-%s", e.Name, output, a.ID, name))
}

// sides works both sides of an output out: the program is run again, arrays that were
// handed in are read.
func (r *request) sides(p *check.Prepared, a *store.AttemptLine) (*check.Sides, error) {
	name, output := r.Query("case"), r.Query("output")
	ctx, done, err := r.work(budget.Look)
	if err != nil {
		return nil, err
	}
	defer done()
	if a.Kind != "results" {
		return check.Compare(ctx, p, a.Program, name, output, queue.BoundCase)
	}
	own, results, err := r.Library.Arrays(ctx, &a.Attempt, p)
	if err != nil {
		return nil, err
	}
	return check.CompareResults(own, results, name, output), nil
}

// mayCompare reports whether a student sees both sides of a case: of a shown one, or one of a ticket's, whose data are
// never used again, once there is a verdict.
func mayCompare(e *exercise.Exercise, a *store.AttemptLine, name string) bool {
	if a.TicketID != nil {
		return a.Body != nil && e.Values == "shown"
	}
	for _, c := range e.Cases {
		if c.Name == name {
			return c.Shown && e.Values == "shown"
		}
	}
	return false
}
