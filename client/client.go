// Package client is the typed Go client of the service's API. The command line
// and the end-to-end tests use it.
package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/dataio"
)

// Client talks to one service as one person.
type Client struct {
	base  string
	token string
	http  *http.Client
}

// Error is a problem the service answered.
type Error struct{ wire.Problem }

func (e *Error) Error() string {
	text := e.Detail
	if e.Hint != "" {
		text += " Try: " + e.Hint + "."
	}
	return text
}

// Unreachable is a service that did not answer.
type Unreachable struct {
	Base string
	Err  error
}

func (e *Unreachable) Error() string {
	return fmt.Sprintf("the service at %s does not answer: %v; is it running, and is the address right?", e.Base, e.Err)
}

func (e *Unreachable) Unwrap() error { return e.Err }

// New makes a client for a service's address, like http://127.0.0.1:8080.
func New(base, token string) *Client {
	return &Client{base: strings.TrimSuffix(base, "/"), token: token, http: &http.Client{Timeout: 90 * time.Second,
		Transport: &http.Transport{MaxIdleConnsPerHost: 64, Proxy: http.ProxyFromEnvironment}}}
}

// Base returns the service's address.
func (c *Client) Base() string { return c.base }

// Token is whom the client speaks as.
func (c *Client) Token() string { return c.token }

// SetToken changes who the client speaks as.
func (c *Client) SetToken(token string) { c.token = token }

// As returns a client of the same service and connections that speaks as another.
func (c *Client) As(token string) *Client {
	d := *c
	d.token = token
	return &d
}

// tries is how often a repeatable request is sent when no answer comes.
const tries = 4

// do sends a request and reads the answer into out. Requests that can safely be
// repeated are, when the service does not answer or asks for patience.
func (c *Client) do(ctx context.Context, method, path string, header http.Header, body []byte, out any) error {
	repeatable := method != http.MethodPost || header.Get("Idempotency-Key") != ""
	var last error
	for try := range tries {
		if try > 0 {
			select {
			case <-ctx.Done():
				return last
			case <-time.After(time.Duration(100<<try) * time.Millisecond):
			}
		}
		again, err := c.once(ctx, method, path, header, body, out)
		if err == nil {
			return nil
		}
		last = err
		if !again || !repeatable {
			return err
		}
	}
	return last
}

func (c *Client) once(ctx context.Context, method, path string, header http.Header, body []byte, out any) (again bool,
	err error) {
	req, err := http.NewRequestWithContext(ctx, method, c.base+path, bytes.NewReader(body))
	if err != nil {
		return false, err
	}
	for key, values := range header {
		req.Header[key] = values
	}
	if body != nil && req.Header.Get("Content-Type") == "" {
		req.Header.Set("Content-Type", "application/json")
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	res, err := c.http.Do(req)
	if err != nil {
		return ctx.Err() == nil, &Unreachable{c.base, err}
	}
	defer res.Body.Close()
	text, err := io.ReadAll(io.LimitReader(res.Body, 256<<20))
	if err != nil {
		return true, &Unreachable{c.base, err}
	}
	if res.StatusCode >= 400 {
		e := &Error{}
		if json.Unmarshal(text, &e.Problem) != nil || e.Status == 0 {
			e.Problem = wire.Problem{Status: res.StatusCode, Title: res.Status, Detail: "The service answered " + res.Status +
				"."}
		}
		return res.StatusCode == 503 || res.StatusCode == 502, e
	}
	if out == nil || len(text) == 0 {
		return false, nil
	}
	if raw, ok := out.(*[]byte); ok {
		*raw = text
		return false, nil
	}
	return false, json.Unmarshal(text, out)
}

func (c *Client) send(ctx context.Context, method, path string, in, out any) error {
	var body []byte
	if in != nil {
		var err error
		if body, err = json.Marshal(in); err != nil {
			return err
		}
	}
	return c.do(ctx, method, path, http.Header{}, body, out)
}

func at(parts ...string) string {
	for i, p := range parts {
		parts[i] = url.PathEscape(p)
	}
	return "/api/v1/" + strings.Join(parts, "/")
}

// SignIn gets a token and speaks as its person from then on.
func (c *Client) SignIn(ctx context.Context, name, password, label string) (*wire.Token, error) {
	var out wire.Token
	if err := c.send(ctx, http.MethodPost, at("tokens"), wire.SignIn{Name: name, Password: password, Label: label},
		&out); err != nil {
		return nil, err
	}
	c.token = out.Token
	return &out, nil
}

// SignOut makes the client's token worthless.
func (c *Client) SignOut(ctx context.Context) error {
	return c.send(ctx, http.MethodDelete, at("tokens", "current"), nil, nil)
}

// Me returns who the client speaks as.
func (c *Client) Me(ctx context.Context) (*wire.Me, error) {
	var out wire.Me
	return &out, c.send(ctx, http.MethodGet, at("session"), nil, &out)
}

// AddPerson makes an account.
func (c *Client) AddPerson(ctx context.Context, p wire.NewPerson) (*wire.Person, error) {
	var out wire.Person
	return &out, c.send(ctx, http.MethodPost, at("people"), p, &out)
}

// SetRole gives a person a role in a course.
func (c *Client) SetRole(ctx context.Context, course, name, role string) error {
	return c.send(ctx, http.MethodPut, at("courses", course, "people", name), wire.SetRole{Role: role}, nil)
}

// Course returns a course with one's own state in each exercise.
func (c *Client) Course(ctx context.Context, course string) (*wire.Course, error) {
	var out wire.Course
	return &out, c.send(ctx, http.MethodGet, at("courses", course), nil, &out)
}

// Exercise returns what an exercise's workspace shows.
func (c *Client) Exercise(ctx context.Context, course, exercise string) (*wire.Exercise, error) {
	var out wire.Exercise
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "exercises", exercise), nil, &out)
}

// Publish sends a packed course folder. Nothing that somebody else published is replaced;
// PublishFrom names the revision that the folder was edited from.
func (c *Client) Publish(ctx context.Context, course string, archive []byte) (*wire.Published, error) {
	return c.PublishFrom(ctx, course, archive, Publishing{})
}

// Publishing says how a folder is published.
type Publishing struct {
	From    int  // the revision it was edited from; AnyRevision replaces whatever is current
	Recheck bool // every attempt is checked again by it
	Keep    bool // and the better of both verdicts counts for the grade
	Tell    Tell
}

// AnyRevision as the revision that an edit began from replaces whatever is current.
const AnyRevision = -1

// PublishFrom sends a packed course folder that was edited from a revision, and waits for what comes of
// it. Where another is current by now, the error is a 409 that names both.
func (c *Client) PublishFrom(ctx context.Context, course string, archive []byte, p Publishing) (*wire.Published,
	error) {
	path := at("courses", course, "revisions") + "?wait=0"
	if p.Recheck {
		path += "&recheck=true"
		if p.Keep {
			path += "&keep_better=true"
		}
	}
	j, err := c.sendFolder(ctx, path, archive, p.From, p.Tell)
	if err != nil {
		return nil, err
	}
	return j.Published, nil
}

// Preview says what publishing a packed course folder would change; nothing is stored.
func (c *Client) Preview(ctx context.Context, course string, archive []byte, tell Tell) (*wire.Published, error) {
	j, err := c.sendFolder(ctx, at("courses", course, "preview")+"?wait=0", archive, 0, tell)
	if err != nil {
		return nil, err
	}
	return j.Published, nil
}

// ProbeCourse probes every exercise of a packed course folder; nothing is stored.
func (c *Client) ProbeCourse(ctx context.Context, course string, archive []byte, tell Tell) (*wire.Draft, error) {
	j, err := c.sendFolder(ctx, at("courses", course, "probe")+"?wait=0", archive, 0, tell)
	if err != nil {
		return nil, err
	}
	return j.Draft, nil
}

// sendFolder begins a job with a folder, and follows it to its end.
func (c *Client) sendFolder(ctx context.Context, path string, archive []byte, from int, tell Tell) (*wire.Job, error) {
	var j wire.Job
	header := http.Header{"Content-Type": {"application/zip"}}
	switch {
	case from == AnyRevision:
		header.Set("If-Match", "*")
	case from > 0:
		header.Set("If-Match", strconv.Quote(strconv.Itoa(from)))
	}
	if err := c.do(ctx, http.MethodPost, path, header, archive, &j); err != nil {
		return nil, err
	}
	return c.Follow(ctx, &j, tell)
}

// Revisions lists a course's revisions, newest first, all of them.
func (c *Client) Revisions(ctx context.Context, course string) (*wire.Revisions, error) {
	var out wire.Revisions
	path := at("courses", course, "revisions")
	for query := ""; ; {
		var page wire.Revisions
		if err := c.send(ctx, http.MethodGet, path+query, nil, &page); err != nil {
			return nil, err
		}
		out.Revisions = append(out.Revisions, page.Revisions...)
		if page.Next == nil {
			return &out, nil
		}
		query = "?before=" + strconv.Itoa(*page.Next)
	}
}

// Revision returns a revision's course folder as a zip archive.
func (c *Client) Revision(ctx context.Context, course string, number int) ([]byte, error) {
	var out []byte
	err := c.do(ctx, http.MethodGet, at("courses", course, "revisions", strconv.Itoa(number)), http.Header{}, nil, &out)
	return out, err
}

// Predict answers the questions that an exercise asks before the first attempt.
func (c *Client) Predict(ctx context.Context, course, exercise string, answers []string) (*wire.Answered, error) {
	var out wire.Answered
	return &out, c.send(ctx, http.MethodPost, at("courses", course, "exercises", exercise, "predictions"),
		wire.Answers{Answers: answers}, &out)
}

// HandInArrays hands arrays in that were computed elsewhere, by case and output: for a ticket, or for the shown cases
// where it is nil.
func (c *Client) HandInArrays(ctx context.Context, course, exercise string, ticket *uint64,
	results map[string]map[string]dataio.JSON, wait int) (*wire.Attempt, error) {
	return c.handIn(ctx, course, exercise, wire.HandIn{Results: results, Ticket: ticket}, "", wait)
}

// HandIn hands an attempt in and waits up to some seconds for its verdict. A key
// makes repeats safe; "" takes a new one.
func (c *Client) HandIn(ctx context.Context, course, exercise, program, key string, wait int) (*wire.Attempt, error) {
	return c.handIn(ctx, course, exercise, wire.HandIn{Program: program}, key, wait)
}

// HandInWritten hands in what was written before, on a device without a connection, with the key it was given there.
func (c *Client) HandInWritten(ctx context.Context, course, exercise, program, key string, written time.Time,
	wait int) (*wire.Attempt, error) {
	return c.handIn(ctx, course, exercise, wire.HandIn{Program: program, WrittenAt: &written}, key, wait)
}

// KeepDraft keeps what one is writing for one's other devices, and returns it with its version. Where another text was
// kept since the version it was written from, nothing changes, and the *Problem holds that text.
func (c *Client) KeepDraft(ctx context.Context, course, exercise string, d wire.OwnDraft) (*wire.OwnDraft, error) {
	var out wire.OwnDraft
	return &out, c.send(ctx, http.MethodPut, at("courses", course, "exercises", exercise, "draft"), d, &out)
}

func (c *Client) handIn(ctx context.Context, course, exercise string, in wire.HandIn, key string,
	wait int) (*wire.Attempt, error) {
	body, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	if key == "" {
		key = uuid.NewString()
	}
	var out wire.Attempt
	header := http.Header{"Idempotency-Key": {key}, "Content-Type": {"application/json"}}
	return &out, c.do(ctx, http.MethodPost, at("courses", course, "exercises", exercise,
		"attempts")+"?wait="+strconv.Itoa(wait), header, body, &out)
}

// Attempt returns an attempt, after waiting up to some seconds for its verdict.
func (c *Client) Attempt(ctx context.Context, id uint64, wait int) (*wire.Attempt, error) {
	var out wire.Attempt
	return &out, c.send(ctx, http.MethodGet, at("attempts", strconv.FormatUint(id, 10))+"?wait="+strconv.Itoa(wait), nil,
		&out)
}

// AttemptsFilter narrows a list of attempts.
type AttemptsFilter struct {
	Exercise, Verdict, Lead string
	Person                  string // for the team
	Before                  uint64
	Limit                   int
}

// Attempts returns a page of attempts, newest first.
func (c *Client) Attempts(ctx context.Context, course string, f AttemptsFilter) (*wire.Attempts, error) {
	q := url.Values{}
	for key, value := range map[string]string{"exercise": f.Exercise, "verdict": f.Verdict, "lead": f.Lead,
		"person": f.Person} {
		if value != "" {
			q.Set(key, value)
		}
	}
	if f.Before > 0 {
		q.Set("before", strconv.FormatUint(f.Before, 10))
	}
	if f.Limit > 0 {
		q.Set("limit", strconv.Itoa(f.Limit))
	}
	var out wire.Attempts
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "attempts")+"?"+q.Encode(), nil, &out)
}

// Arrays returns both sides of one output in one case.
func (c *Client) Arrays(ctx context.Context, attempt uint64, caseName, output string) (*wire.Arrays, error) {
	var out wire.Arrays
	return &out, c.send(ctx, http.MethodGet, arraysAt(attempt, caseName, output), nil, &out)
}

// Origins returns from which cells of the inputs a cell of an output came, by its place in the data of one side's
// array, got or expected.
func (c *Client) Origins(ctx context.Context, attempt uint64, caseName, output, side string,
	cell int) (*wire.Lineage, error) {
	q := url.Values{"case": {caseName}, "output": {output}, "side": {side}, "cell": {strconv.Itoa(cell)}}
	var out wire.Lineage
	return &out, c.send(ctx, http.MethodGet, at("attempts", strconv.FormatUint(attempt, 10), "lineage")+"?"+q.Encode(),
		nil, &out)
}

// TraceCell returns from which cells of the inputs a cell came that a program makes.
func (c *Client) TraceCell(ctx context.Context, course, exercise string, of wire.TraceCell) (*wire.Lineage, error) {
	var out wire.Lineage
	return &out, c.send(ctx, http.MethodPost, at("courses", course, "exercises", exercise, "trace"), of, &out)
}

func arraysAt(attempt uint64, caseName, output string) string {
	q := url.Values{"case": {caseName}, "output": {output}}
	return at("attempts", strconv.FormatUint(attempt, 10), "arrays") + "?" + q.Encode()
}

// Desk returns the team's view of a course.
func (c *Client) Desk(ctx context.Context, course string) (*wire.Desk, error) {
	var out wire.Desk
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "desk"), nil, &out)
}

// Events follows what changes in a course until the context ends, the stream
// does, or f returns false.
func (c *Client) Events(ctx context.Context, course string, f func(wire.Event) bool) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.base+at("courses", course, "desk", "events"), nil)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+c.token)
	req.Header.Set("Accept", "text/event-stream")
	stream := &http.Client{Transport: c.http.Transport}
	res, err := stream.Do(req)
	if err != nil {
		return &Unreachable{c.base, err}
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		e := &Error{}
		if err := json.NewDecoder(res.Body).Decode(&e.Problem); err != nil {
			return errors.New(res.Status)
		}
		return e
	}
	lines := bufio.NewScanner(res.Body)
	for lines.Scan() {
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		var e wire.Event
		if err := json.Unmarshal([]byte(data), &e); err != nil {
			return err
		}
		if !f(e) {
			return nil
		}
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return lines.Err()
}

// Ready waits until the service and its database answer.
func (c *Client) Ready(ctx context.Context) error {
	for {
		_, err := c.once(ctx, http.MethodGet, "/readyz", nil, nil, nil)
		if err == nil {
			return nil
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(50 * time.Millisecond):
		}
	}
}
