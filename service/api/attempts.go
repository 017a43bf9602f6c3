package api

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"nimbusreach/core/check"
	"nimbusreach/core/dataio"
	"nimbusreach/core/exercise"
	"nimbusreach/core/notation"
	"nimbusreach/service/access"
	"nimbusreach/service/desk"
	"nimbusreach/service/queue"
	"nimbusreach/service/store"
	"nimbusreach/service/wire"
)

// longestWait bounds how long a request waits for a verdict.
const longestWait = 30

func handIn(r *request) error {
	c, role, content, err := r.opened(access.HandIn)
	if err != nil {
		return err
	}
	e := content.Find(r.Params("exercise"))
	if e == nil {
		return store.ErrNotFound
	}
	if err := acceptsNow(e, role, time.Now()); err != nil {
		return err
	}
	var in wire.HandIn
	if err := r.json(&in); err != nil {
		return err
	}
	switch {
	case len(in.Program) > notation.MaxBytes:
		return fail(413, "too-large", "Too large", fmt.Sprintf("The program has %d bytes; a program has at most %d.", len(in.Program), notation.MaxBytes), "data belongs in inputs, not in the text")
	case !utf8.ValidString(in.Program):
		return fail(422, "unfit-program", "This cannot be taken", "The program is not text in UTF-8.", "save it as UTF-8")
	}
	if err := r.withinLimits(c, e, role); err != nil {
		return err
	}
	kind, results, err := arraysOf(e, &in)
	if err != nil {
		return err
	}
	a := &store.Attempt{Kind: kind, Results: results, CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: e.Name, PersonID: r.who.Person.ID, Program: in.Program}
	if key := r.Get("Idempotency-Key"); key != "" {
		if len(key) > 120 {
			return fail(400, "idempotency-key", "The request cannot be read", "The Idempotency-Key is longer than 120 bytes.", "use a UUID")
		}
		a.RepeatKey = &key
	}
	wait, err := r.number("wait", 0, 0, longestWait)
	if err != nil {
		return err
	}
	repeated, err := r.Store.HandIn(r.Context(), a)
	if err != nil {
		return err
	}
	if repeated && (a.Exercise != e.Name || a.CourseID != c.ID || a.Program != in.Program || (a.Results == nil) != (results == nil)) {
		return fail(409, "idempotency-key", "The key was used before", "This Idempotency-Key came with another attempt before.", "use a new key for a new attempt")
	}
	if !repeated {
		r.server.metrics.handedIn.Inc()
		r.Queue.Wake()
		r.Hub.Tell(c.ID, a.ID, "attempt")
	}
	r.Set("Location", "/api/v1/attempts/"+strconv.FormatUint(a.ID, 10))
	return r.answer(a.ID, c.ID, wait)
}

// withinLimits holds a student's attempts against how many there may be, and how soon.
func (r *request) withinLimits(c *store.Course, e *exercise.Exercise, role store.Role) error {
	if e.Limit == 0 && e.Wait == 0 || access.Allows(role, access.Watch) || r.Get("Idempotency-Key") != "" && r.repeats() {
		return nil
	}
	count, newest, err := r.Store.Standing(r.Context(), c.ID, r.who.Person.ID, e.Name, 0)
	if err != nil {
		return err
	}
	if e.Limit > 0 && count >= int64(e.Limit) {
		return fail(403, "no-attempts-left", "No attempts left", fmt.Sprintf("%s takes %d attempts, and all were handed in.", e.Title, e.Limit), "ask the teaching team")
	}
	if left := e.Wait - time.Since(newest); count > 0 && left > 0 {
		f := fail(429, "too-soon", "Too soon", fmt.Sprintf("%s asks for %s between two attempts.", e.Title, e.Wait), fmt.Sprintf("read the verdict again, and try in %s", left.Round(time.Second)))
		f.after = left
		return f
	}
	return nil
}

// repeats reports whether the request's key was used before.
func (r *request) repeats() bool {
	return r.Store.KnowsKey(r.Context(), r.who.Person.ID, r.Get("Idempotency-Key"))
}

// arraysOf reads the arrays of an attempt, and refuses kinds that the exercise does not
// take.
func arraysOf(e *exercise.Exercise, in *wire.HandIn) (kind string, results *string, err error) {
	kind = "program"
	if in.Results != nil {
		kind = "results"
	}
	if !e.Takes(kind) {
		return "", nil, fail(422, "kind", "This cannot be taken", fmt.Sprintf("%s takes no %s.", e.Title, map[string]string{"program": "programs", "results": "arrays"}[kind]), "hand in "+strings.Join(e.Accepts, " or "))
	}
	if in.Results == nil {
		return kind, nil, nil
	}
	if in.Program != "" {
		return "", nil, fail(422, "kind", "This cannot be taken", "The attempt holds a program and arrays.", "hand in one of them")
	}
	text, err := json.Marshal(in.Results)
	if err != nil {
		return "", nil, err
	}
	if len(text) > 8<<20 {
		return "", nil, fail(413, "too-large", "Too large", fmt.Sprintf("The arrays have %d bytes as JSON; at most %d are taken.", len(text), 8<<20), "hand in what the exercise asks for, and no more")
	}
	s := string(text)
	return kind, &s, nil
}

// acceptsNow refuses attempts before an exercise opens and after it closes. The
// team may try at any time.
func acceptsNow(e *exercise.Exercise, role store.Role, now time.Time) error {
	if access.Allows(role, access.Watch) {
		return nil
	}
	switch state(e, now) {
	case soon:
		return fail(403, "not-open", "Not open yet", fmt.Sprintf("%s opens at %s.", e.Title, e.Opens.Format(time.RFC3339)), "come back then")
	case closed:
		return fail(403, "closed", "Closed", fmt.Sprintf("%s closed at %s; this attempt was not taken.", e.Title, e.Closes.Format(time.RFC3339)), "keep your text and ask the teaching team")
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
	deadline := time.After(time.Duration(seconds) * time.Second)
	for {
		a, err := r.attemptFor(id)
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

// await blocks until something is heard of an attempt; false when time is up.
func (r *request) await(l *desk.Listener, id uint64, deadline <-chan time.Time) bool {
	for {
		select {
		case e := <-l.Events:
			if e.Attempt == nil || *e.Attempt == id {
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
	out := &wire.Attempt{ID: a.ID, Course: r.courseSlug(a), Exercise: a.Exercise, Person: a.PersonName, Display: a.Display, State: string(a.State), HandedIn: a.CreatedAt, CheckedAt: a.CheckedAt, Program: a.Program}
	if a.Body == nil {
		return out, nil
	}
	var v check.Verdict
	if err := json.Unmarshal([]byte(*a.Body), &v); err != nil {
		return nil, err
	}
	out.Verdict = &v
	if access.Allows(role, access.Watch) {
		out.Seconds = a.Seconds
		return out, nil
	}
	content, err := r.Queue.Prepared.Course(r.Context(), a.RevisionID)
	if err != nil {
		return nil, err
	}
	e := content.Find(a.Exercise)
	if e == nil {
		return nil, store.ErrNotFound
	}
	number, _, err := r.Store.Standing(r.Context(), a.CourseID, a.PersonID, a.Exercise, a.ID)
	if err != nil {
		return nil, err
	}
	out.Verdict = v.ForStudent(e, int(number))
	return out, nil
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
	c, role, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.See)
	if err != nil {
		return err
	}
	before, err := r.number("before", 0, 1, 1<<62)
	if err != nil {
		return err
	}
	limit, err := r.number("limit", 50, 1, 200)
	if err != nil {
		return err
	}
	f := store.Filter{Course: c.ID, Exercise: r.Query("exercise"), Verdict: r.Query("verdict"), LeadCode: r.Query("lead"), Before: before, Limit: int(limit) + 1}
	if !access.Allows(role, access.Watch) {
		f.Person = r.who.Person.ID
	}
	lines, err := r.Store.Attempts(r.Context(), f)
	if err != nil {
		return err
	}
	out := wire.Attempts{Attempts: []wire.AttemptLine{}}
	for i, a := range lines {
		if i == int(limit) {
			next := lines[i-1].ID
			out.Next = &next
			break
		}
		out.Attempts = append(out.Attempts, desk.Line(&a))
	}
	return r.JSON(out)
}

// arrays shows both sides of an output. Students see them for shown cases, where
// the exercise lets values show.
func arrays(r *request) error {
	id, err := r.attemptID()
	if err != nil {
		return err
	}
	a, role, err := r.Gate.Attempt(r.Context(), r.who, id)
	if err != nil {
		return err
	}
	p, err := r.Queue.Prepared.Exercise(r.Context(), a.RevisionID, a.Exercise)
	if err != nil {
		return err
	}
	if !access.Allows(role, access.Watch) && !mayCompare(p.Exercise, r.Query("case")) {
		return store.ErrNotFound
	}
	sides, err := check.Compare(r.Context(), p, a.Program, r.Query("case"), r.Query("output"), queue.BoundCase)
	if err != nil {
		return err
	}
	if sides == nil {
		return store.ErrNotFound
	}
	out := wire.Arrays{Case: r.Query("case"), Output: r.Query("output"), Counting: p.Exercise.Counting, Expected: dataio.JSON{Array: sides.Expected}}
	if sides.Actual != nil {
		out.Actual = &dataio.JSON{Array: sides.Actual}
	}
	if sides.Difference != nil {
		out.Difference, out.Agrees = &dataio.JSON{Array: sides.Difference}, &dataio.JSON{Array: sides.Within}
	}
	return r.JSON(out)
}

func mayCompare(e *exercise.Exercise, name string) bool {
	for _, c := range e.Cases {
		if c.Name == name {
			return c.Shown && e.Values == "shown"
		}
	}
	return false
}
