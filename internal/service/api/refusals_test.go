package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/jobs"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

// school is a service with the course kelp, in which everybody has a role but the stranger,
// and an attempt of the student ada's.
type school struct {
	base    string
	tokens  map[string]string
	attempt uint64
	job     uint64 // has ended
	folder  []byte
}

const (
	kelpMeans = "title: Means\ninputs: {growth: {axes: [week, rope]}}\noutputs: {per_rope: {axes: [rope]}}\n" +
		"cases:\n  - {name: bay, shown: true, inputs: {growth: [[1, 2, 4], [3, 5, 9]]}}\n" +
		"  - {name: cove, inputs: {growth: [[1, 7], [3, 5], [2, 2]]}}\n"
	kelpLater = "title: Later\nopens: 2999-01-01T00:00:00Z\noutputs: {x: {}}\ncases: [{name: a, shown: true}]\n"
	kelpAsked = "title: Asked\noutputs: {x: {}}\ncases: [{name: a, shown: true}]\n" +
		"predictions:\n  - {ask: \"What shape?\", of: \"[1, 2]\", what: shape}\n"
	kelpFiles = "title: Files\naccepts: [results]\ninputs: {growth: {axes: [rope]}}\noutputs: {x: {}}\n" +
		"cases: [{name: a, shown: true, inputs: {growth: [1, 2]}}]\n" +
		"own: {inputs: {growth: {shape: [2..3], from: uniform}}}\n"
)

func kelpFolder() fstest.MapFS {
	files := fstest.MapFS{"course.yaml": {Data: []byte("title: Kelp\nexercises: [means, later, asked, files]\n")}}
	for name, yaml := range map[string]string{"means": kelpMeans, "later": kelpLater, "asked": kelpAsked,
		"files": kelpFiles} {
		reference := "x = 1\n"
		if name == "means" {
			reference = "per_rope = mean(growth over week)\n"
		}
		for file, text := range map[string]string{"exercise.yaml": yaml, "prompt.md": "Bind it.\n",
			"reference.nra": reference} {
			files["exercises/"+name+"/"+file] = &fstest.MapFile{Data: []byte(text)}
		}
	}
	return files
}

func newSchool(t *testing.T) *school {
	t.Helper()
	ctx := context.Background()
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	gate, err := access.New(s)
	require.NoError(t, err)
	b := budget.New(2, 0)
	kept := library.New(s)
	server, base := serverOf(t, Options{}, io.Discard, nil)
	changes := feed.New(s, quiet)
	runner := jobs.New(s, b, quiet)
	changes.Hear(gate.Heard)
	changes.Hear(runner.Heard)
	server.SetBackend(&Backend{Store: s, Library: kept, Gate: gate, Queue: queue.New(s, kept, b, quiet),
		Hub: desk.NewHub(changes), Budget: b, Mail: outbox.New(s, nil, quiet),
		Notes: outbox.NewNotes(s, outbox.New(s, nil, quiet), "", quiet), Hooks: outbox.NewHooks(s, false, quiet)})
	running, stop := context.WithCancel(ctx)
	var wg sync.WaitGroup
	wg.Go(func() { changes.Run(running) })
	wg.Go(func() { runner.Run(running) })
	t.Cleanup(func() { stop(); wg.Wait() })

	out := &school{base: base, tokens: map[string]string{}}
	people := map[string]*store.Person{}
	for _, name := range []string{"imke", "jon", "ada", "ben", "eve", "root"} {
		p := &store.Person{Name: name, Display: name, PasswordHash: "x", Operator: name == "root"}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		people[name] = p
		out.tokens[name], err = gate.BeginToken(ctx, p, "", time.Hour)
		require.NoError(t, err)
	}
	_, problems := exercise.LoadCourse(kelpFolder())
	require.Empty(t, problems)
	out.folder, err = exercise.Pack(kelpFolder())
	require.NoError(t, err)
	c, _, err := s.Publish(ctx, people["imke"].ID, "kelp", "Kelp", out.folder, 0)
	require.NoError(t, err)
	for name, role := range map[string]store.Role{"jon": store.Assistant, "ada": store.Student, "ben": store.Student} {
		require.NoError(t, s.SetRole(ctx, nil, c, people[name], role))
	}
	a := &store.Attempt{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: "means", PersonID: people["ada"].ID,
		Program: "per_rope = mean(growth over week)\n"}
	_, err = s.HandIn(ctx, a, store.Bounds{})
	require.NoError(t, err)
	out.attempt = a.ID
	require.NoError(t, s.MakeTicket(ctx, &store.Ticket{CourseID: c.ID, RevisionID: *c.CurrentRevisionID,
		Exercise: "files", PersonID: people["ada"].ID, ExpiresAt: time.Now().Add(time.Hour)}, 0)) // number 1
	note := &store.Note{CourseID: c.ID, Kind: store.NoteCourse, Text: "Read the prompt", AuthorID: &people["imke"].ID}
	_, err = s.AddNote(ctx, note, "kelp") // number 1
	require.NoError(t, err)
	ended, err := jobs.AddRecheck(ctx, s, people["imke"].ID, c, jobs.RecheckArgs{Revision: *c.CurrentRevisionID,
		Number: 1, Exercises: []string{"files"}})
	require.NoError(t, err)
	out.job = ended.ID
	require.Eventually(t, func() bool {
		j, err := s.JobByID(ctx, ended.ID)
		return err == nil && j.State == store.JobDone
	}, time.Minute, 10*time.Millisecond)
	return out
}

// send makes a request as somebody, "" for nobody.
func (s *school) send(t *testing.T, who, method, path, contentType string, body []byte) (int, wire.Problem) {
	t.Helper()
	req, err := http.NewRequestWithContext(t.Context(), method, s.base+"/api/v1"+path, bytes.NewReader(body))
	require.NoError(t, err)
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	if who != "" {
		req.Header.Set("Authorization", "Bearer "+s.tokens[who])
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	var p wire.Problem
	if res.StatusCode >= 400 {
		assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
		require.NoError(t, json.NewDecoder(res.Body).Decode(&p))
		assert.Equal(t, res.StatusCode, p.Status)
		assert.NotEmpty(t, p.Detail, "what was there")
		assert.NotEmpty(t, p.Hint, "what to try")
	}
	return res.StatusCode, p
}

// TestWhoMaySendWhat sends every route that asks for a right as everybody: nobody, a person
// of no course (eve), a student whose attempt it is (ada) and another (ben), an assistant, an
// instructor, an operator. Of a course that is not theirs people learn nothing.
func TestWhoMaySendWhat(t *testing.T) {
	s := newSchool(t)
	const zip, js = "application/zip", "application/json"
	attempt := fmt.Sprintf("/attempts/%d", s.attempt)
	arrays, job := attempt+"/arrays?case=bay&output=per_rope", fmt.Sprintf("/jobs/%d", s.job)
	draft, err := json.Marshal(wire.Folder{Files: map[string]string{"course.yaml": "title: K\nexercises: []\n"}})
	require.NoError(t, err)
	for _, c := range []struct {
		method, path, kind, body               string
		nobody, eve, ada, ben, jon, imke, root int
	}{
		{"GET", "/session", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"GET", "/words", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"GET", "/courses", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"GET", "/courses/kelp", "", "", 401, 404, 200, 200, 200, 200, 404},
		{"GET", "/courses/kelp/exercises/means", "", "", 401, 404, 200, 200, 200, 200, 404},
		{"GET", "/courses/kelp/exercises/later", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"POST", "/courses/kelp/exercises/means/shapes", js, `{"program": "per_rope = 1"}`, 401, 404, 200, 200, 200, 200,
			404},
		{"POST", "/courses/kelp/exercises/means/try", js, `{"program": "per_rope = 1"}`, 401, 404, 200, 200, 200, 200, 404},
		{"POST", "/courses/kelp/exercises/means/trace", js, `{"program": "per_rope = 1"}`, 401, 404, 200, 200, 200, 200, 404},
		{"POST", "/courses/kelp/exercises/asked/trace", js, `{"program": "x = 1"}`, 401, 404, 409, 409, 200, 200, 404},
		{"POST", "/courses/kelp/exercises/later/try", js, `{"program": "x = 1"}`, 401, 404, 403, 403, 200, 200, 404},
		{"POST", "/courses/kelp/exercises/asked/try", js, `{"program": "x = 1"}`, 401, 404, 409, 409, 200, 200, 404},
		{"GET", "/courses/kelp/attempts", "", "", 401, 404, 200, 200, 200, 200, 404},
		{"GET", "/courses/kelp/attempts?lead=axis.other", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/attempts?person=ada&exercise=means", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/attempts?person=eve", "", "", 401, 404, 403, 403, 404, 404, 404},
		{"GET", "/courses/kelp/desk", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/people", "", "", 401, 404, 403, 403, 200, 200, 200},
		{"GET", "/courses/kelp/groups", "", "", 401, 404, 403, 403, 200, 200, 200},
		{"PATCH", "/courses/kelp/people/ben", js, `{"group": "Lab 1"}`, 401, 404, 403, 403, 403, 200, 200},
		{"POST", "/courses/kelp/roster?dry_run=true", "text/csv", "name\nnew\n", 401, 404, 403, 403, 403, 200, 200},
		{"GET", "/courses/kelp/extensions", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"POST", "/courses/kelp/extensions", js, `{"person": "ben", "attempts": 9, "reason": "ill"}`, 401, 404, 403, 403, 403,
			201, 404},
		{"DELETE", "/courses/kelp/extensions/999", "", "", 401, 404, 403, 403, 403, 404, 404},
		{"GET", "/courses/kelp/quiet", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/gradebook", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/people/ben/grades/means", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"PUT", "/courses/kelp/people/ben/grades/means", js, `{"kind": "excused", "reason": "ill"}`, 401, 404, 403, 403, 200,
			200, 404},
		{"DELETE", "/courses/kelp/people/ada/grades/means", "", "", 401, 404, 403, 403, 404, 404, 404},
		{"GET", "/courses/kelp/knots", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/knots/means/axis.other/-", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/map", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/map/causes", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/digest", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/settings", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"PUT", "/courses/kelp/settings", js, `{"digest": null}`, 401, 404, 403, 403, 403, 200, 404},
		{"GET", "/courses/kelp/hooks", "", "", 401, 404, 403, 403, 403, 200, 404},
		{"POST", "/courses/kelp/hooks", js, `{"address": "https://bay.example/"}`, 401, 404, 403, 403, 403, 201, 404},
		{"DELETE", "/courses/kelp/hooks/999", "", "", 401, 404, 403, 403, 403, 404, 404},
		{"GET", "/courses/kelp/hooks/1/calls", "", "", 401, 404, 403, 403, 403, 200, 404},
		{"GET", "/courses/kelp/notes", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"POST", "/courses/kelp/notes", js, `{"text": "Look again", "exercise": "means"}`, 401, 404, 403, 403, 201, 201, 404},
		{"GET", "/courses/kelp/notes/1", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"PATCH", "/courses/kelp/notes/1", js, `{"text": "Look again"}`, 401, 404, 403, 403, 428, 428, 404},
		{"DELETE", "/courses/kelp/notes/999", "", "", 401, 404, 403, 403, 404, 404, 404},
		{"POST", "/courses/kelp/notes/1/messages", js, `{"text": "Yes", "person": "ada"}`, 401, 404, 403, 403, 201, 201, 404},
		{"POST", "/courses/kelp/notes/1/keep", js, `{}`, 401, 404, 403, 403, 403, 422, 404},
		{"GET", "/notes", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"GET", "/notes?course=kelp", "", "", 401, 404, 200, 200, 200, 200, 404},
		{"GET", "/notes/unseen", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"POST", "/notes/seen", js, `{"notes": [1]}`, 401, 200, 200, 200, 200, 200, 200},
		{"PUT", "/notes/1/feeling", js, `{"feeling": "helped"}`, 401, 404, 204, 204, 404, 404, 404},
		{"POST", "/notes/1/messages", js, `{"text": "Which?"}`, 401, 404, 201, 201, 404, 404, 404},
		{"POST", "/courses/kelp/exercises/means/tickets", "", "", 401, 404, 422, 422, 422, 422, 404},
		{"GET", "/courses/kelp/exercises/means/data", "", "", 401, 404, 200, 200, 200, 200, 404},
		{"GET", "/tickets/1", "", "", 401, 404, 200, 404, 200, 200, 404},
		{"GET", "/tickets/1/data", "", "", 401, 404, 200, 404, 200, 200, 404},
		{"GET", "/courses/kelp/exercises/means/model", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"POST", "/courses/kelp/copy", js, `{"slug": "kelp"}`, 401, 404, 403, 403, 403, 409, 404},
		{"PUT", "/courses/kelp/archived", js, `{"archived": false}`, 401, 404, 403, 403, 403, 200, 200},
		{"POST", "/courses", js, `{"slug": "No", "title": "x"}`, 401, 403, 403, 403, 403, 422, 422},
		{"GET", "/skeletons", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"GET", "/people", "", "", 401, 403, 403, 403, 403, 403, 200},
		{"PATCH", "/people/ben", js, `{"display": "Ben"}`, 401, 404, 404, 404, 404, 200, 200},
		{"PATCH", "/people/root", js, `{"display": "root"}`, 401, 404, 404, 404, 404, 404, 200},
		{"PATCH", "/people/imke", js, `{"display": "imke"}`, 401, 404, 404, 404, 404, 403, 200},
		{"GET", "/account/mail", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"PUT", "/account/mail", js, `{"notes": true}`, 401, 200, 200, 200, 200, 200, 200},
		{"POST", "/account/calendar", "", "", 401, 201, 201, 201, 201, 201, 201},
		{"DELETE", "/account/calendar", "", "", 401, 204, 204, 204, 204, 204, 204},
		{"GET", "/service", "", "", 401, 403, 403, 403, 403, 403, 200},
		{"GET", "/service/courses", "", "", 401, 403, 403, 403, 403, 403, 200},
		{"GET", "/service/audit", "", "", 401, 403, 403, 403, 403, 403, 200},
		{"GET", "/service/outbox", "", "", 401, 403, 403, 403, 403, 403, 200},
		{"GET", "/courses/kelp/revisions", "", "", 401, 404, 403, 403, 200, 200, 404},
		{"GET", "/courses/kelp/revisions/1", "", "", 401, 404, 403, 403, 403, 200, 404},
		{"GET", "/courses/kelp/folder", "", "", 401, 404, 403, 403, 403, 200, 404},
		{"POST", "/courses/kelp/draft", js, string(draft), 401, 403, 403, 403, 403, 200, 403},
		{"POST", "/courses/kelp/draft/archive", js, string(draft), 401, 403, 403, 403, 403, 200, 403},
		{"POST", "/courses/kelp/preview", zip, string(s.folder), 401, 403, 403, 403, 403, 200, 403},
		{"POST", "/courses/kelp/revisions", zip, string(s.folder), 401, 403, 403, 403, 403, 201, 403},
		{"POST", "/courses/kelp/probe", zip, string(s.folder), 401, 403, 403, 403, 403, 200, 403},
		{"POST", "/courses/kelp/recheck", js, `{"exercises": ["files"]}`, 401, 404, 403, 403, 403, 202, 404},
		{"GET", "/courses/kelp/jobs", "", "", 401, 404, 403, 403, 403, 200, 404},
		{"GET", job, "", "", 401, 404, 404, 404, 404, 200, 404},
		{"DELETE", job, "", "", 401, 404, 404, 404, 404, 200, 404},
		{"POST", job + "/resume", "", "", 401, 404, 404, 404, 404, 409, 404},
		{"POST", "/courses/mussels/preview", zip, string(s.folder), 401, 403, 403, 403, 403, 200, 200},
		{"PUT", "/courses/kelp/people/ben", js, `{"role": "student"}`, 401, 404, 403, 403, 403, 200, 200},
		{"POST", "/people", js, `{"name": "new"}`, 401, 403, 403, 403, 403, 403, 201},
		{"POST", "/people/ben/link", js, `{}`, 401, 404, 404, 404, 404, 201, 201},
		{"POST", "/people/eve/link", js, `{}`, 401, 404, 404, 404, 404, 404, 201},
		{"POST", "/people/root/link", js, `{}`, 401, 404, 404, 404, 404, 404, 201},
		{"POST", "/people/imke/link", js, `{}`, 401, 404, 404, 404, 404, 403, 201},
		{"PUT", "/people/ben/state", js, `{"state": "active"}`, 401, 403, 403, 403, 403, 403, 200},
		{"GET", "/account/sign-ins", "", "", 401, 200, 200, 200, 200, 200, 200},
		{"PUT", "/account/password", js, `{"before": "x", "password": "words of no saying"}`, 401, 401, 401, 401, 401, 401,
			401},
		{"POST", "/account/tokens", js, `{"label": "lab", "days": 3}`, 401, 201, 201, 201, 201, 201, 201},
		{"DELETE", "/account/sessions/1", "", "", 401, 404, 404, 404, 404, 404, 404},
		{"DELETE", "/account/tokens/99999", "", "", 401, 404, 404, 404, 404, 404, 404},
		{"GET", attempt, "", "", 401, 404, 200, 404, 200, 200, 404},
		{"GET", arrays, "", "", 401, 404, 200, 404, 200, 200, 404},
		{"GET", attempt + "/lineage?case=bay&output=per_rope&cell=0", "", "", 401, 404, 200, 404, 200, 200, 404},
	} {
		t.Run(c.method+" "+c.path, func(t *testing.T) {
			for who, want := range map[string]int{"": c.nobody, "eve": c.eve, "ada": c.ada, "ben": c.ben, "jon": c.jon,
				"imke": c.imke, "root": c.root} {
				got, p := s.send(t, who, c.method, c.path, c.kind, []byte(c.body))
				assert.Equal(t, want, got, "%s: %s", who, p.Detail)
			}
		})
	}
}

// TestEveryRouteIsRefusedSomewhere holds the tests of this file to the table of routes: one
// that is sent in neither was forgotten.
func TestEveryRouteIsRefusedSomewhere(t *testing.T) {
	text, err := os.ReadFile("refusals_test.go")
	require.NoError(t, err)
	sent := strings.ReplaceAll(string(text), `attempt + "`, `"/attempts/1`)
	sent = strings.ReplaceAll(sent, `job + "`, `"/jobs/1`)
	sent = strings.NewReplacer(`, job,`, `, "/jobs/1",`, `, attempt,`, `, "/attempts/1",`, `, arrays,`,
		`, "/attempts/1/arrays",`).Replace(sent)
	for _, r := range table() {
		path := regexp.MustCompile(`\\\{\w+\\\}`).ReplaceAllString(regexp.QuoteMeta(r.path), `[^/"?]+`)
		assert.Regexp(t, `"`+r.method+`",\s+"`+path+`["?]`, sent)
	}
}

// TestWhatEachHandlerRefuses sends what cannot be taken to each handler that reads something,
// as somebody who may send it.
func TestWhatEachHandlerRefuses(t *testing.T) {
	s := newSchool(t)
	const zip, js = "application/zip", "application/json"
	attempt := fmt.Sprintf("/attempts/%d", s.attempt)
	long := strings.Repeat("x", notation.MaxBytes+1)
	for _, c := range []struct {
		name, who, method, path, kind, body string
		status                              int
		detail                              string
	}{
		{"a note without a text", "jon", "POST", "/courses/kelp/notes", js, `{"text": "  "}`, 422, "no text"},
		{"a note too long", "jon", "POST", "/courses/kelp/notes", js, `{"text": "` + strings.Repeat("x", 10_001) + `"}`, 422,
			"10001"},
		{"a note to no exercise", "jon", "POST", "/courses/kelp/notes", js, `{"text": "x", "exercise": "none"}`, 422, "none"},
		{"a note to no code", "jon", "POST", "/courses/kelp/notes", js, `{"text": "x", "exercise": "means", "code": "no"}`,
			422,
			"no"},
		{"a note to half a knot", "jon", "POST", "/courses/kelp/notes", js, `{"text": "x", "code": "axis.other"}`, 422,
			"knot"},
		{"a note to an attempt that is not there", "jon", "POST", "/courses/kelp/notes", js, `{"text": "x", "attempt": 999}`,
			404, ""},
		{"a note for later to a course", "jon", "POST", "/courses/kelp/notes", js, `{"text": "x", "later": true}`, 422,
			"later"},
		{"a note to no group", "jon", "POST", "/courses/kelp/notes", js, `{"text": "x", "groups": ["Lab 99"]}`, 422,
			"Lab 99"},
		{"an answer to nobody", "jon", "POST", "/courses/kelp/notes/1/messages", js, `{"text": "x", "person": "eve"}`, 404,
			""},
		{"an answer in another's thread", "ada", "POST", "/notes/1/messages", js, `{"text": "x", "person": "ben"}`, 422,
			"own thread"},
		{"no feeling", "ada", "PUT", "/notes/1/feeling", js, `{"feeling": "glad"}`, 422, "glad"},
		{"no notes seen", "ada", "POST", "/notes/seen", js, `{"notes": []}`, 422, ""},
		{"a knot of no code", "jon", "GET", "/courses/kelp/knots/means/none/x", "", "", 422, "none"},
		{"a knot of no exercise", "jon", "GET", "/courses/kelp/knots/none/axis.other/x", "", "", 404, ""},
		{"no order", "jon", "GET", "/courses/kelp/knots?sort=colour", "", "", 400, "colour"},
		{"a digest that ends before it begins", "jon", "GET", "/courses/kelp/digest?from=2031-01-02T00:00:00Z" +
			"&to=2031-01-01T00:00:00Z", "", "", 400, "from"},
		{"a digest of no form", "jon", "GET", "/courses/kelp/digest?format=odt", "", "", 400, "odt"},
		{"a digest in no zone", "jon", "GET", "/courses/kelp/digest?zone=Sea/Bed", "", "", 400, "Sea/Bed"},
		{"a digest on no day", "imke", "PUT", "/courses/kelp/settings", js,
			`{"digest": {"day": "noday", "hour": 7, "zone": ""}}`,
			422, "noday"},
		{"a digest at no hour", "imke", "PUT", "/courses/kelp/settings", js,
			`{"digest": {"day": "monday", "hour": 24, "zone": ""}}`, 422, "24"},
		{"a hook on loopback", "imke", "POST", "/courses/kelp/hooks", js, `{"address": "https://127.0.0.1/"}`, 422,
			"private"},
		{"a hook without TLS", "imke", "POST", "/courses/kelp/hooks", js, `{"address": "http://bay.example/"}`, 422, "https"},
		{"a hook of no event", "imke", "POST", "/courses/kelp/hooks", js,
			`{"address": "https://bay.example/", "events": ["tide"]}`, 422, "tide"},
		{"no JSON", "ada", "POST", "/courses/kelp/exercises/means/attempts", js, "{", 400, ""},
		{"an unknown member", "ada", "POST", "/courses/kelp/exercises/means/attempts", js, `{"porgram": "x"}`, 400,
			"porgram"},
		{"nothing handed in", "ada", "POST", "/courses/kelp/exercises/means/attempts?wait=x", js, `{"program": "x = 1"}`,
			400, "wait"},
		{"a wait too long", "ada", "POST", "/courses/kelp/exercises/means/attempts?wait=31", js, `{"program": "x = 1"}`,
			400, "wait"},
		{"a program too long", "ada", "POST", "/courses/kelp/exercises/means/attempts", js, `{"program": "` + long + `"}`,
			413, "bytes"},
		{"an unknown exercise", "ada", "POST", "/courses/kelp/exercises/nets/attempts", js, `{"program": "x = 1"}`, 404, ""},
		{"one that is not open yet", "ada", "POST", "/courses/kelp/exercises/later/attempts", js, `{"program": "x = 1"}`,
			403, "opens"},
		{"predictions not made", "ada", "POST", "/courses/kelp/exercises/asked/attempts", js, `{"program": "x = 1"}`, 409,
			""},
		{"a program where arrays are taken", "ada", "POST", "/courses/kelp/exercises/files/attempts", js,
			`{"program": "x = 1"}`, 422,
			"takes no programs"},
		{"arrays where programs are taken", "ada", "POST", "/courses/kelp/exercises/means/attempts", js,
			`{"results": {"bay": {"per_rope": {"kind": "real", "shape": [1], "axes": null, "data": [1]}}}}`, 422,
			"takes no arrays"},
		{"both", "ada", "POST", "/courses/kelp/exercises/means/attempts", js,
			`{"program": "x", "results": {"bay": {"per_rope": {"kind": "real", "shape": [1], "axes": null, "data": [1]}}}}`,
			422, ""},
		{"a case that is not shown", "ada", "POST", "/courses/kelp/exercises/means/try", js,
			`{"program": "x = 1", "case": "cove"}`, 404, ""},
		{"data for an input that is none", "ada", "POST", "/courses/kelp/exercises/means/try", js,
			`{"program": "x = 1", "inputs": {"nets": {"kind": "real", "shape": [], "axes": null, "data": [1]}}}`, 400,
			"is no input"},
		{"data without axes", "ada", "POST", "/courses/kelp/exercises/means/try", js,
			`{"program": "x = 1", "inputs": {"growth": {"kind": "real", "shape": [1], "axes": null, "data": [1]}}}`, 400,
			"axes"},
		{"data of a wider kind", "ada", "POST", "/courses/kelp/exercises/means/try", js,
			`{"program": "x = 1", "inputs": {"growth": {"kind": "complex", "shape": [1, 1], "axes": null, "data": [[1, 2]]}}}`,
			400, "complex"},
		{"an unknown exercise to try", "ada", "POST", "/courses/kelp/exercises/nets/shapes", js, `{"program": "x = 1"}`,
			404, ""},
		{"a draft too long", "ada", "PUT", "/courses/kelp/exercises/means/draft", js, `{"program": "` + long + `"}`, 422,
			"bytes"},
		{"a draft of an unknown exercise", "ada", "PUT", "/courses/kelp/exercises/nets/draft", js, `{"program": "x"}`, 404,
			""},
		{"a draft before it opens", "ada", "PUT", "/courses/kelp/exercises/later/draft", js, `{"program": "x"}`, 403,
			"opens"},
		{"a time that is none", "ada", "POST", "/courses/kelp/exercises/means/attempts", js,
			`{"program": "x = 1", "written_at": "last night"}`, 400, "last night"},
		{"too few predictions", "ada", "POST", "/courses/kelp/exercises/asked/predictions", js, `{"answers": []}`, 422,
			"0 answers to 1"},
		{"a prediction that is not a shape", "ada", "POST", "/courses/kelp/exercises/asked/predictions", js,
			`{"answers": ["blue"]}`, 422, ""},
		{"a prediction too long", "ada", "POST", "/courses/kelp/exercises/asked/predictions", js, `{"answers": ["` +
			long[:5000] + `"]}`,
			422, "longer than"},
		{"predictions where none are asked", "ada", "POST", "/courses/kelp/exercises/means/predictions", js,
			`{"answers": []}`, 404, ""},
		{"a page that is not a number", "ada", "GET", "/courses/kelp/attempts?limit=many", "", "", 400, "limit"},
		{"a page too long", "ada", "GET", "/courses/kelp/attempts?limit=1000", "", "", 400, "limit"},
		{"a cursor that is none", "ada", "GET", "/courses/kelp/attempts?before=-1", "", "", 400, "before"},
		{"an attempt that is not a number", "ada", "GET", "/attempts/first", "", "", 404, ""},
		{"an attempt that is not there", "ada", "GET", "/attempts/999999", "", "", 404, ""},
		{"arrays of a held case", "ada", "GET", attempt + "/arrays?case=cove&output=per_rope", "", "", 404, ""},
		{"arrays of an output that is none", "jon", "GET", attempt + "/arrays?case=bay&output=spread", "", "", 404, ""},
		{"arrays of a held case as files", "ada", "GET", attempt + "/arrays?case=cove&output=per_rope&format=csv", "", "",
			404,
			""},
		{"lineage in a held case", "ada", "GET", attempt + "/lineage?case=cove&output=per_rope", "", "", 404, ""},
		{"lineage of no output", "jon", "GET", attempt + "/lineage?case=bay&output=spread", "", "", 404, ""},
		{"lineage of no cell", "jon", "GET", attempt + "/lineage?case=bay&output=per_rope&cell=-1", "", "", 400, "cell"},
		{"lineage of no side", "jon", "GET", attempt + "/lineage?case=bay&output=per_rope&side=left", "", "", 400, "left"},
		{"lineage of a line that is none", "ada", "POST", "/courses/kelp/exercises/means/trace", js,
			`{"program": "per_rope = 1", "step": 1}`, 422,
			"The program gives 1 lines, and what was asked for is cell 0 of line 1."},
		{"lineage of a cell that is none", "ada", "POST", "/courses/kelp/exercises/means/trace", js,
			`{"program": "per_rope = 1", "cell": 1}`, 422, "cell 1 of line 0"},
		{"lineage of what does not run", "ada", "POST", "/courses/kelp/exercises/means/trace", js,
			`{"program": "per_rope = "}`, 422, "value"},
		{"lineage of too many cells", "ada", "POST", "/courses/kelp/exercises/means/trace", js,
			`{"program": "per_rope = zeros(101, 100)"}`, 422, "at most 10000 cells"},
		{"arrays as files of no format", "jon", "GET", attempt + "/arrays?case=bay&output=per_rope&format=xlsx", "", "", 422,
			"`xlsx` is not a format"},
		{"a page of revisions", "imke", "GET", "/courses/kelp/revisions?limit=0", "", "", 400, "limit"},
		{"a revision that is not a number", "imke", "GET", "/courses/kelp/revisions/latest", "", "", 404, ""},
		{"a revision spelled otherwise", "imke", "GET", "/courses/kelp/revisions/01", "", "", 404, ""},
		{"a revision that is not there", "imke", "GET", "/courses/kelp/revisions/9", "", "", 404, ""},
		{"a page of people", "jon", "GET", "/courses/kelp/people?limit=-1", "", "", 400, "limit"},
		{"an unknown role", "imke", "PUT", "/courses/kelp/people/ben", js, `{"role": "captain"}`, 422, "captain"},
		{"the operator's role", "imke", "PUT", "/courses/kelp/people/ben", js, `{"role": "operator"}`, 422, "operator"},
		{"a group with a line break", "imke", "PATCH", "/courses/kelp/people/ben", js, `{"group": "Lab\n1"}`, 422, "group"},
		{"a state that is none", "imke", "PATCH", "/courses/kelp/people/ben", js, `{"state": "away"}`, 422, "away"},
		{"a place for who is not there", "imke", "PATCH", "/courses/kelp/people/eve", js, `{"group": "Lab 1"}`, 422,
			"not in the course"},
		{"one's own place", "imke", "PATCH", "/courses/kelp/people/imke", js, `{"state": "left"}`, 422, "that is you"},
		{"one's own role", "imke", "PUT", "/courses/kelp/people/imke", js, `{"role": "student"}`, 422, "that is you"},
		{"the operator's own role", "root", "PUT", "/courses/kelp/people/root", js, `{"role": "instructor"}`, 422,
			"that is you"},
		{"quiet for no days", "jon", "GET", "/courses/kelp/quiet?days=0", "", "", 400, "days"},
		{"a gradebook of an unknown form", "jon", "GET", "/courses/kelp/gradebook?format=pdf", "", "", 400, "pdf"},
		{"a gradebook of a time without zone", "jon", "GET", "/courses/kelp/gradebook?at=yesterday", "", "", 400,
			"yesterday"},
		{"an adjustment that is none", "imke", "PUT", "/courses/kelp/people/ben/grades/means", js,
			`{"kind": "double", "reason": "x"}`, 422, "double"},
		{"no number of points", "imke", "PUT", "/courses/kelp/people/ben/grades/means", js,
			`{"kind": "set", "points": "1e3", "reason": "x"}`, 422, "1e3"},
		{"more than there is", "imke", "PUT", "/courses/kelp/people/ben/grades/means", js,
			`{"kind": "set", "points": "1.25", "reason": "x"}`, 422, "possible 1"},
		{"points of who is excused", "imke", "PUT", "/courses/kelp/people/ben/grades/means", js,
			`{"kind": "excused", "points": "1", "reason": "x"}`, 422, "excused"},
		{"an adjustment without a reason", "imke", "PUT", "/courses/kelp/people/ben/grades/means", js,
			`{"kind": "add", "points": "1", "reason": " "}`, 422, "reason"},
		{"a grade of the team", "imke", "PUT", "/courses/kelp/people/jon/grades/means", js,
			`{"kind": "add", "points": "1", "reason": "x"}`, 422, "no student"},
		{"a grade of nobody", "imke", "PUT", "/courses/kelp/people/eve/grades/means", js,
			`{"kind": "add", "points": "1", "reason": "x"}`, 404, ""},
		{"a grade in no exercise", "imke", "PUT", "/courses/kelp/people/ben/grades/nets", js,
			`{"kind": "add", "points": "1", "reason": "x"}`, 404, ""},
		{"an address that is none", "imke", "PATCH", "/people/ben", js, `{"email": "ben at farm"}`, 422, "e-mail"},
		{"no name to be seen", "imke", "PATCH", "/people/ben", js, `{"display": " "}`, 422, "name that others see"},
		{"a number too long", "imke", "PATCH", "/people/ben", js, `{"number": "` + long[:80] + `"}`, 422, "number"},
		{"a roster of nothing", "imke", "POST", "/courses/kelp/roster", "text/csv", " ", 422, "empty"},
		{"a form without a roster", "imke", "POST", "/courses/kelp/roster", "multipart/form-data; boundary=x",
			"--x\r\nContent-Disposition: form-data; name=\"file\"\r\n\r\nname\r\n--x--\r\n", 400, "no file `roster`"},
		{"a form with a roster of nothing", "imke", "POST", "/courses/kelp/roster", "multipart/form-data; boundary=x",
			"--x\r\nContent-Disposition: form-data; name=\"roster\"\r\n\r\n\r\n--x--\r\n", 422, "empty"},
		{"a roster without who", "imke", "POST", "/courses/kelp/roster", "text/csv", "colour\nred\n", 422, "names no column"},
		{"a roster of an unknown role", "imke", "POST", "/courses/kelp/roster", "text/csv", "name,role\nnew,captain\n", 422,
			"1 of 1 rows"},
		{"a roster for captains", "imke", "POST", "/courses/kelp/roster?role=captain", "text/csv", "name\nnew\n", 422,
			"captain"},
		{"a roster that may vanish", "imke", "POST", "/courses/kelp/roster?missing=vanish", "text/csv", "name\nnew\n", 400,
			"vanish"},
		{"a roster of perhaps", "imke", "POST", "/courses/kelp/roster?dry_run=perhaps", "text/csv", "name\nnew\n", 400,
			"perhaps"},
		{"a column that is none", "imke", "POST", "/courses/kelp/roster?column=number=Matr", "text/csv", "name\nnew\n", 422,
			"Matr"},
		{"a column without a field", "imke", "POST", "/courses/kelp/roster?column=Matr", "text/csv", "name\nnew\n", 400,
			"Matr"},
		{"an extension for nobody", "imke", "POST", "/courses/kelp/extensions", js, `{"attempts": 3, "reason": "ill"}`, 422,
			"one person or one group"},
		{"an extension of nothing", "imke", "POST", "/courses/kelp/extensions", js, `{"person": "ben", "reason": "ill"}`, 422,
			"neither"},
		{"an extension without a reason", "imke", "POST", "/courses/kelp/extensions", js, `{"person": "ben", "attempts": 3}`,
			422, "reason"},
		{"an extension for a stranger", "imke", "POST", "/courses/kelp/extensions", js,
			`{"person": "eve", "attempts": 3, "reason": "ill"}`, 404, ""},
		{"an extension for no group", "imke", "POST", "/courses/kelp/extensions", js,
			`{"group": "Lab 9", "attempts": 3, "reason": "ill"}`, 422, "Lab 9"},
		{"an extension in no exercise", "imke", "POST", "/courses/kelp/extensions", js,
			`{"person": "ben", "exercise": "nets", "attempts": 3, "reason": "ill"}`, 422, "nets"},
		{"an extension before opening", "imke", "POST", "/courses/kelp/extensions", js,
			`{"person": "ben", "exercise": "later", "closes": "2031-01-01T00:00:00Z", "reason": "ill"}`, 422, "before it opens"},
		{"an extension of no attempts", "imke", "POST", "/courses/kelp/extensions", js,
			`{"person": "ben", "attempts": 0, "reason": "ill"}`, 422, "0 attempts"},
		{"a course without a title", "imke", "POST", "/courses", js, `{"slug": "mussels", "title": " "}`, 422, "title"},
		{"a course for nobody", "root", "POST", "/courses", js, `{"slug": "mussels", "title": "M", "instructor": "nobody"}`,
			422, "nobody"},
		{"a course that is there", "imke", "POST", "/courses", js, `{"slug": "kelp", "title": "M"}`, 409, ""},
		{"a shift that is none", "imke", "POST", "/courses/kelp/copy", js, `{"slug": "kelp-2", "shift": "a year"}`, 422,
			"a year"},
		{"a role for nobody", "imke", "PUT", "/courses/kelp/people/nobody", js, `{"role": "student"}`, 404, ""},
		{"a course's name that cannot be one", "imke", "POST", "/courses/Kelp%20farm/revisions", zip, string(s.folder), 422,
			"name"},
		{"no archive", "imke", "POST", "/courses/kelp/revisions", zip, "not a zip", 422, ""},
		{"a folder that leaves itself", "imke", "POST", "/courses/kelp/draft", js, `{"files": {"../course.yaml": ""}}`, 422,
			"leaves"},
		{"a folder that has errors", "imke", "POST", "/courses/kelp/revisions", js,
			`{"files": {"course.yaml": "titel: K\n"}}`, 422, "to fix"},
		{"a re-check of what is no exercise", "imke", "POST", "/courses/kelp/recheck", js, `{"exercises": ["nets"]}`, 422,
			"nets"},
		{"a probe of no archive", "imke", "POST", "/courses/kelp/probe", zip, "not a zip", 422, ""},
		{"a publication that waits too long", "imke", "POST", "/courses/kelp/revisions?wait=99", zip, string(s.folder), 400,
			"wait"},
		{"a job that is not a number", "imke", "GET", "/jobs/first", "", "", 404, ""},
		{"a job that is not there", "imke", "GET", "/jobs/999", "", "", 404, ""},
		{"a job that goes on after its end", "imke", "POST", fmt.Sprintf("/jobs/%d/resume", s.job), "", "", 409, "done"},
		{"a name that cannot sign in", "root", "POST", "/people", js, `{"name": "A B"}`, 422, "name"},
		{"a password for somebody else", "root", "POST", "/people", js, `{"name": "abe", "password": "a long password"}`, 400,
			"password"},
		{"a name that is taken", "root", "POST", "/people", js, `{"name": "ADA"}`, 409, ""},
		{"a state that is none", "root", "PUT", "/people/ada/state", js, `{"state": "gone"}`, 422, "gone"},
		{"an operator who leaves by himself", "root", "PUT", "/people/root/state", js, `{"state": "left"}`, 422, "you"},
		{"a link for nobody", "root", "POST", "/people/nobody/link", js, `{}`, 404, ""},
		{"a link that is none", "", "POST", "/links/look", js, `{"secret": "x"}`, 410, "used"},
		{"a link that is none, opened", "", "POST", "/links/open", js, `{"secret": "x", "password": "words of no saying"}`,
			410, "used"},
		{"a token without a label", "ada", "POST", "/account/tokens", js, `{"label": " ", "days": 3}`, 422, "label"},
		{"a token for ever", "ada", "POST", "/account/tokens", js, `{"label": "lab", "days": 4000}`, 422, "4000"},
		{"a session that is not a number", "ada", "DELETE", "/account/sessions/first", "", "", 404, ""},
		{"a token that is another's", "ben", "DELETE", "/account/tokens/1", "", "", 404, ""},
		{"a wrong password", "", "POST", "/session", js, `{"name": "ada", "password": "wrong"}`, 401, "wrong"},
		{"a client's wrong password", "", "POST", "/tokens", js, `{"name": "ada", "password": "wrong"}`, 401, "wrong"},
		{"a token that is none", "nobody", "GET", "/session", "", "", 401, ""},
		{"a sign-out of nobody", "", "DELETE", "/session", "", "", 401, ""},
		{"a token that ends for nobody", "", "DELETE", "/tokens/current", "", "", 401, ""},
		{"a desk's stream for nobody", "", "GET", "/courses/kelp/desk/events", "", "", 401, ""},
		{"a desk's stream for a student", "ada", "GET", "/courses/kelp/desk/events", "", "", 403, ""},
		{"a route that is not there", "ada", "GET", "/courses/kelp/nothing", "", "", 404, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			status, p := s.send(t, c.who, c.method, c.path, c.kind, []byte(c.body))
			assert.Equal(t, c.status, status, p.Detail)
			assert.Contains(t, p.Detail, c.detail)
		})
	}
}

// TestIfMatchIsANumberOrAStar refuses another, and names both revisions in a conflict.
func TestIfMatchIsANumberOrAStar(t *testing.T) {
	s := newSchool(t)
	send := func(match, title string) (int, wire.Problem) {
		folder := kelpFolder()
		folder["course.yaml"] = &fstest.MapFile{Data: []byte("title: " + title +
			"\nexercises: [means, later, asked, files]\n")}
		archive, err := exercise.Pack(folder)
		require.NoError(t, err)
		req := httptest.NewRequest("POST", s.base+"/api/v1/courses/kelp/revisions", bytes.NewReader(archive))
		req.RequestURI = ""
		req.Header.Set("Authorization", "Bearer "+s.tokens["imke"])
		req.Header.Set("Content-Type", "application/zip")
		if match != "" {
			req.Header.Set("If-Match", match)
		}
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		var p wire.Problem
		if res.StatusCode >= 400 {
			require.NoError(t, json.NewDecoder(res.Body).Decode(&p))
		}
		return res.StatusCode, p
	}
	for _, match := range []string{"first", `"0"`, "-1", `"1`} {
		t.Run(match, func(t *testing.T) {
			status, p := send(match, "Another")
			if match == `"1` {
				return // quotes that are not closed are read as they are meant
			}
			assert.Equal(t, 400, status)
			assert.Contains(t, p.Detail, "If-Match")
		})
	}
	status, _ := send(`"1"`, "Kelp two")
	assert.Contains(t, []int{201, 409}, status)
	status, p := send(`"1"`, "Kelp three")
	assert.Equal(t, 409, status)
	require.NotNil(t, p.Current)
	assert.Contains(t, p.Detail, "your edit began from revision 1")
	status, _ = send("*", "Kelp four")
	assert.Equal(t, 201, status)
}
