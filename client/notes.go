package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"nimbusreach/client/wire"
)

// KnotQuery narrows and sorts a course's knots; what is empty narrows nothing.
type KnotQuery struct{ Group, Exercise, Topic, Code, Sort string }

// Knots lists a course's knots.
func (c *Client) Knots(ctx context.Context, course string, q KnotQuery) (*wire.Knots, error) {
	var out wire.Knots
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "knots")+"?"+given(map[string]string{"group": q.Group,
		"exercise": q.Exercise, "topic": q.Topic, "code": q.Code, "sort": q.Sort}), nil, &out)
}

// given are the parameters that have a value.
func given(list map[string]string) string {
	q := url.Values{}
	for key, value := range list {
		if value != "" {
			q.Set(key, value)
		}
	}
	return q.Encode()
}

// Knot returns the page of one knot; output is "" for a knot of no output.
func (c *Client) Knot(ctx context.Context, course, exercise, code, output, group string) (*wire.KnotPage, error) {
	if output == "" {
		output = "-"
	}
	var out wire.KnotPage
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "knots", exercise, code, output)+"?"+
		given(map[string]string{"group": group}), nil, &out)
}

// MapQuery says which rows of a class map are asked for.
type MapQuery struct {
	Group, Search, After string
	Limit                int
}

// ClassMap returns a page of how a course's students stand in its exercises.
func (c *Client) ClassMap(ctx context.Context, course string, q MapQuery) (*wire.ClassMap, error) {
	limit := ""
	if q.Limit > 0 {
		limit = strconv.Itoa(q.Limit)
	}
	var out wire.ClassMap
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "map")+"?"+given(map[string]string{"group": q.Group,
		"search": q.Search, "after": q.After, "limit": limit}), nil, &out)
}

// CauseMap returns how many people ever had which cause in which exercise.
func (c *Client) CauseMap(ctx context.Context, course, group string) (*wire.CauseMap, error) {
	var out wire.CauseMap
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "map", "causes")+"?"+given(map[string]string{
		"group": group}), nil, &out)
}

// AddNote writes a note.
func (c *Client) AddNote(ctx context.Context, course string, n wire.NewNote) (*wire.NotePage, error) {
	var out wire.NotePage
	return &out, c.send(ctx, http.MethodPost, at("courses", course, "notes"), n, &out)
}

// NoteQuery narrows a course's notes; what is empty narrows nothing.
type NoteQuery struct {
	Exercise, Code, Output string
	Withdrawn              bool // those too
}

// Notes lists a course's notes, newest first, all of them.
func (c *Client) Notes(ctx context.Context, course string, q NoteQuery) (*wire.TeamNotes, error) {
	out := wire.TeamNotes{Notes: []wire.TeamNote{}}
	query := map[string]string{"exercise": q.Exercise, "code": q.Code, "output": q.Output}
	if q.Withdrawn {
		query["withdrawn"] = "true"
	}
	for {
		var page wire.TeamNotes
		if err := c.send(ctx, http.MethodGet, at("courses", course, "notes")+"?"+given(query), nil, &page); err != nil {
			return nil, err
		}
		out.Notes = append(out.Notes, page.Notes...)
		if page.Next == nil {
			return &out, nil
		}
		query["before"] = strconv.FormatUint(*page.Next, 10)
	}
}

func noteAt(course string, note uint64, more ...string) string {
	return at(append([]string{"courses", course, "notes", strconv.FormatUint(note, 10)}, more...)...)
}

// Note returns a note with its threads; their answers are seen then.
func (c *Client) Note(ctx context.Context, course string, note uint64) (*wire.NotePage, error) {
	var out wire.NotePage
	return &out, c.send(ctx, http.MethodGet, noteAt(course, note), nil, &out)
}

// EditNote changes a note's text. version is the one that the edit began from; where somebody else has edited it since,
// the error is a 412.
func (c *Client) EditNote(ctx context.Context, course string, note uint64, version int, text string) (*wire.NotePage,
	error) {
	var out wire.NotePage
	body, err := json.Marshal(wire.EditNote{Text: text})
	if err != nil {
		return nil, err
	}
	header := http.Header{"If-Match": {strconv.Quote(strconv.Itoa(version))}}
	return &out, c.do(ctx, http.MethodPatch, noteAt(course, note), header, body, &out)
}

// WithdrawNote hides a note from students.
func (c *Client) WithdrawNote(ctx context.Context, course string, note uint64) error {
	return c.send(ctx, http.MethodDelete, noteAt(course, note), nil, nil)
}

// AnswerStudent answers a student in their thread below a note.
func (c *Client) AnswerStudent(ctx context.Context, course string, note uint64, person, text string) (*wire.NotePage,
	error) {
	var out wire.NotePage
	return &out, c.send(ctx, http.MethodPost, noteAt(course, note, "messages"), wire.NewMessage{Text: text,
		Person: person}, &out)
}

// KeepNote turns a note and an example into a slip of the exercise. yaml is the draft's exercise.yaml, "" for that of
// the current revision.
func (c *Client) KeepNote(ctx context.Context, course string, note uint64, yaml string) (*wire.KeptSlip, error) {
	var out wire.KeptSlip
	return &out, c.send(ctx, http.MethodPost, noteAt(course, note, "keep"), wire.KeepSlip{Yaml: yaml}, &out)
}

// OwnNotes lists the notes that one has got: in a course, or in all with "".
func (c *Client) OwnNotes(ctx context.Context, course string) (*wire.OwnNotes, error) {
	var out wire.OwnNotes
	return &out, c.send(ctx, http.MethodGet, at("notes")+"?"+given(map[string]string{"course": course}), nil, &out)
}

// UnseenNotes counts the notes that one has not seen.
func (c *Client) UnseenNotes(ctx context.Context) (int64, error) {
	var out wire.UnseenCount
	err := c.send(ctx, http.MethodGet, at("notes", "unseen"), nil, &out)
	return out.Unseen, err
}

// SeeNotes says that one has seen notes.
func (c *Client) SeeNotes(ctx context.Context, notes ...uint64) error {
	return c.send(ctx, http.MethodPost, at("notes", "seen"), wire.SeenNotes{Notes: notes}, nil)
}

// FeelNote says of a note that it helped, that one is still stuck, or nothing any more with "".
func (c *Client) FeelNote(ctx context.Context, note uint64, feeling string) error {
	return c.send(ctx, http.MethodPut, at("notes", strconv.FormatUint(note, 10), "feeling"),
		wire.Feeling{Feeling: feeling},
		nil)
}

// AnswerNote answers below a note that one has got.
func (c *Client) AnswerNote(ctx context.Context, note uint64, text string) (*wire.OwnNotes, error) {
	var out wire.OwnNotes
	return &out, c.send(ctx, http.MethodPost, at("notes", strconv.FormatUint(note, 10), "messages"),
		wire.NewMessage{Text: text}, &out)
}

// DigestQuery says which digest is asked for; without times that of the last week.
type DigestQuery struct {
	From, To    time.Time
	Group, Zone string
}

func (q DigestQuery) values(format string) string {
	list := map[string]string{"group": q.Group, "zone": q.Zone, "format": format}
	for key, t := range map[string]time.Time{"from": q.From, "to": q.To} {
		if !t.IsZero() {
			list[key] = t.UTC().Format(time.RFC3339)
		}
	}
	return given(list)
}

// Digest returns what happened in a course within a span.
func (c *Client) Digest(ctx context.Context, course string, q DigestQuery) (*wire.Digest, error) {
	var out wire.Digest
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "digest")+"?"+q.values(""), nil, &out)
}

// DigestAs returns a digest as text, markdown or html.
func (c *Client) DigestAs(ctx context.Context, course, format string, q DigestQuery) ([]byte, error) {
	var out []byte
	err := c.do(ctx, http.MethodGet, at("courses", course, "digest")+"?"+q.values(format), http.Header{}, nil, &out)
	return out, err
}

// Settings returns when a course's digest is sent.
func (c *Client) Settings(ctx context.Context, course string) (*wire.CourseSettings, error) {
	var out wire.CourseSettings
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "settings"), nil, &out)
}

// SetSettings changes when a course's digest is sent.
func (c *Client) SetSettings(ctx context.Context, course string, to wire.CourseSettings) (*wire.CourseSettings, error) {
	var out wire.CourseSettings
	return &out, c.send(ctx, http.MethodPut, at("courses", course, "settings"), to, &out)
}

// Hooks lists a course's web hooks.
func (c *Client) Hooks(ctx context.Context, course string) ([]wire.Hook, error) {
	var out []wire.Hook
	err := c.send(ctx, http.MethodGet, at("courses", course, "hooks"), nil, &out)
	return out, err
}

// AddHook has an address told of events in a course.
func (c *Client) AddHook(ctx context.Context, course string, h wire.NewHook) (*wire.Hook, error) {
	var out wire.Hook
	return &out, c.send(ctx, http.MethodPost, at("courses", course, "hooks"), h, &out)
}

// EndHook tells an address nothing any more.
func (c *Client) EndHook(ctx context.Context, course string, hook uint64) error {
	return c.send(ctx, http.MethodDelete, at("courses", course, "hooks", strconv.FormatUint(hook, 10)), nil, nil)
}

// HookCalls lists what was sent to a web hook lately.
func (c *Client) HookCalls(ctx context.Context, course string, hook uint64) (*wire.HookCalls, error) {
	var out wire.HookCalls
	return &out, c.send(ctx, http.MethodGet, at("courses", course, "hooks", strconv.FormatUint(hook, 10), "calls"), nil,
		&out)
}
