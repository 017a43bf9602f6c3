package api

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

// mostNote bounds the text of a note or an answer, in characters.
const mostNote = 10_000

// noteText reads the text of a note or an answer.
func noteText(text string) (string, error) {
	text = strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n"))
	switch n := utf8.RuneCountInString(text); {
	case text == "":
		return "", &access.Unfit{Field: "text", Message: "the note has no text", Hint: "say something; it is CommonMark"}
	case n > mostNote:
		return "", &access.Unfit{Field: "text", Message: fmt.Sprintf("the text has %d characters", n),
			Hint: fmt.Sprintf("use at most %d", mostNote)}
	case strings.ContainsRune(text, 0):
		return "", &access.Unfit{Field: "text", Message: "the text holds a zero byte", Hint: "take it out"}
	}
	return text, nil
}

func addNote(r *request) error {
	c, _, content, err := r.made(access.WriteNotes)
	if err != nil {
		return err
	}
	_, _, scope, err := r.team(access.WriteNotes)
	if err != nil {
		return err
	}
	var in wire.NewNote
	if err := r.json(&in); err != nil {
		return err
	}
	n := &store.Note{CourseID: c.ID, Exercise: in.Exercise, LeadCode: in.Code, LeadOutput: in.Output, Later: in.Later,
		AuthorID: &r.who.Person.ID}
	if n.Text, err = noteText(in.Text); err != nil {
		return err
	}
	if err := r.noteTo(n, &in, c, content); err != nil {
		return err
	}
	groups := in.Groups
	for _, g := range groups {
		if !access.InScope(scope, g) {
			return store.ErrNotFound
		}
		if err := r.groupIs(c, g); err != nil {
			return err
		}
	}
	if len(groups) == 0 {
		groups = scope
	}
	if n.Kind != store.NoteAttempt {
		n.Among = store.GroupsText(groups)
	}
	if _, err := r.Store.AddNote(r.Context(), n, c.Slug); err != nil {
		return err
	}
	r.Notes.Wake()
	r.Set("Location", fmt.Sprintf("/api/v1/courses/%s/notes/%d", c.Slug, n.ID))
	return r.answerNote(c, n.ID, scope)
}

// noteTo finds whom a note is to, and refuses what nobody can be in.
func (r *request) noteTo(n *store.Note, in *wire.NewNote, c *store.Course, content *exercise.Course) error {
	switch {
	case in.Attempt != 0 && (in.Exercise != "" || in.Code != ""):
		return &access.Unfit{Field: "attempt", Message: "the note names an attempt and a knot or an exercise",
			Hint: "name one of them"}
	case in.Attempt != 0:
		a, _, err := r.Gate.Attempt(r.Context(), r.who, in.Attempt)
		if err != nil || a.CourseID != c.ID {
			return errors.Join(err, store.ErrNotFound)
		}
		n.Kind, n.AttemptID, n.Exercise = store.NoteAttempt, &a.ID, a.Exercise
	case in.Exercise != "" && content.Find(in.Exercise) == nil:
		return &access.Unfit{Field: "exercise", Message: fmt.Sprintf("the course has no exercise %q", short(in.Exercise)),
			Hint: "leave it out for a note to the whole course"}
	case in.Code != "" && in.Exercise == "", in.Output != "" && in.Code == "":
		return &access.Unfit{Field: "code", Message: "a knot is an exercise, a code and an output",
			Hint: "give the exercise and the code too"}
	case in.Code != "" && desk.Says(in.Code) == "":
		return &access.Unfit{Field: "code", Message: fmt.Sprintf("there is no code %q", short(in.Code)),
			Hint: "the desk names the codes of its knots"}
	case in.Code != "":
		n.Kind = store.NoteKnot
	case in.Exercise != "":
		n.Kind = store.NoteExercise
	default:
		n.Kind = store.NoteCourse
	}
	if in.Later && n.Kind != store.NoteKnot {
		return &access.Unfit{Field: "later", Message: "only a note to a knot goes to who comes later",
			Hint: "notes to an exercise or a course reach everybody who is in the course"}
	}
	if len(in.Groups) > 0 && n.Kind == store.NoteAttempt {
		return &access.Unfit{Field: "groups", Message: "a note to one attempt goes to one student", Hint: "leave groups out"}
	}
	return nil
}

// TeamNote is a note as the team sees it.
func TeamNote(n *store.NoteLine) wire.TeamNote {
	out := wire.TeamNote{ID: n.ID, Kind: string(n.Kind), Exercise: n.Exercise, Code: n.LeadCode,
		Says: desk.Says(n.LeadCode), Output: n.LeadOutput, Attempt: n.AttemptID, Later: n.Later,
		Groups: append([]string{}, n.Among.List()...), Text: n.Text, Version: n.Version, Created: n.CreatedAt,
		Edited: n.EditedAt, Withdrawn: n.WithdrawnAt, Effect: wire.NoteEffect{Reached: n.Reached, Seen: n.Seen,
			Agreed: n.Agreed, Still: n.Still, Helped: n.Helped, Stuck: n.Stuck, Answered: n.Answered, Unread: n.Unread}}
	for to, from := range map[*string]*string{&out.Author: n.Author, &out.Student: n.Student} {
		if from != nil {
			*to = *from
		}
	}
	return out
}

func notes(r *request) error {
	c, _, scope, err := r.team(access.SeeTeam)
	if err != nil {
		return err
	}
	before, limit, err := r.page(100, 300)
	if err != nil {
		return err
	}
	attempt, err := r.number("attempt", 0, 1, 1<<62)
	if err != nil {
		return err
	}
	f := store.NoteFilter{Course: c.ID, Exercise: r.Query("exercise"), Knot: r.Query("code") != "",
		LeadCode: r.Query("code"), Output: r.Query("output"), Attempt: attempt, Groups: scope,
		Withdrawn: r.Query("withdrawn") == "true", Before: before, Limit: int(limit) + 1}
	if err := r.Store.ReachLate(r.Context(), c.ID); err != nil {
		return err
	}
	list, err := r.Store.Notes(r.Context(), f)
	if err != nil {
		return err
	}
	out := wire.TeamNotes{Notes: []wire.TeamNote{}}
	out.Next = paged(list, limit, func(n *store.NoteLine) uint64 { return n.ID }, func(n *store.NoteLine) {
		out.Notes = append(out.Notes, TeamNote(n))
	})
	return r.JSON(out)
}

// note finds the note of a request, as far as whoever asks may see it.
func (r *request) note(action access.Action) (*store.Course, *store.NoteLine, []string, error) {
	c, _, scope, err := r.team(action)
	if err != nil {
		return nil, nil, nil, err
	}
	id, err := strconv.ParseUint(r.Params("note"), 10, 64)
	if err != nil {
		return nil, nil, nil, store.ErrNotFound
	}
	n, err := r.noteLine(c, id, scope)
	return c, n, scope, err
}

func (r *request) noteLine(c *store.Course, id uint64, scope []string) (*store.NoteLine, error) {
	list, err := r.Store.Notes(r.Context(), store.NoteFilter{Course: c.ID, ID: id, Groups: scope, Withdrawn: true,
		Limit: 1})
	if err == nil && len(list) == 0 {
		err = store.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return &list[0], nil
}

func oneNote(r *request) error {
	c, n, scope, err := r.note(access.SeeTeam)
	if err != nil {
		return err
	}
	if err := r.Store.SeeAnswers(r.Context(), &n.Note, scope...); err != nil {
		return err
	}
	return r.answerNote(c, n.ID, scope)
}

// answerNote sends a note with its threads and what it said before.
func (r *request) answerNote(c *store.Course, id uint64, scope []string) error {
	n, err := r.noteLine(c, id, scope)
	if err != nil {
		return err
	}
	out := wire.NotePage{TeamNote: TeamNote(n), Threads: []wire.NoteThread{}, History: []wire.PastText{}}
	answers, err := r.Store.Answers(r.Context(), []uint64{id}, 0, scope...)
	if err != nil {
		return err
	}
	for i := range answers {
		a := &answers[i]
		if last := len(out.Threads) - 1; last < 0 || out.Threads[last].Name != a.Name {
			out.Threads = append(out.Threads, wire.NoteThread{Name: a.Name, Display: a.Display})
		}
		t := &out.Threads[len(out.Threads)-1]
		t.Lines = append(t.Lines, message(a))
	}
	past, err := r.Store.NoteHistory(r.Context(), id)
	if err != nil {
		return err
	}
	for _, p := range past {
		line := wire.PastText{Version: p.Version, Text: p.Text, At: p.ReplacedAt}
		if p.By != nil {
			line.By = *p.By
		}
		out.History = append(out.History, line)
	}
	r.revisionTag(n.Version)
	return r.JSON(out)
}

func message(a *store.AnswerLine) wire.NoteMessage {
	out := wire.NoteMessage{Team: a.AuthorID == nil || *a.AuthorID != a.PersonID, Text: a.Text, At: a.CreatedAt}
	if a.Author != nil {
		out.Author = *a.Author
	}
	return out
}

// inReach refuses a change of a note that goes to groups beyond those that one is limited to.
func inReach(n *store.NoteLine, scope []string) error {
	if len(scope) == 0 || n.Kind == store.NoteAttempt {
		return nil
	}
	groups := n.Among.List()
	if len(groups) == 0 || slices.ContainsFunc(groups, func(g string) bool { return !access.InScope(scope, g) }) {
		return access.ErrForbidden
	}
	return nil
}

func editNote(r *request) error {
	c, n, scope, err := r.note(access.WriteNotes)
	if err != nil {
		return err
	}
	if err := inReach(n, scope); err != nil {
		return err
	}
	var in wire.EditNote
	if err := r.json(&in); err != nil {
		return err
	}
	text, err := noteText(in.Text)
	if err != nil {
		return err
	}
	version, err := r.from()
	switch {
	case err != nil:
		return err
	case version == 0:
		return fail(http.StatusPreconditionRequired, "if-match", "Which text was edited?",
			"The request does not say which version of the note it changes.", "send If-Match with the ETag of the note")
	case version == store.AnyRevision:
		version = n.Version
	}
	err = r.Store.EditNote(r.Context(), r.who.Person.ID, c.Slug, &n.Note, version, text)
	if errors.Is(err, store.ErrEdited) {
		return fail(http.StatusPreconditionFailed, "edited", "Somebody else has edited it", fmt.Sprintf(
			"The note is at version %d by now, and the change began from %d.", n.Version, version),
			"read it again, and change it from there")
	}
	if err != nil {
		return err
	}
	return r.answerNote(c, n.ID, scope)
}

func withdrawNote(r *request) error {
	c, n, scope, err := r.note(access.WriteNotes)
	if err != nil {
		return err
	}
	if err := inReach(n, scope); err != nil {
		return err
	}
	if err := r.Store.WithdrawNote(r.Context(), r.who.Person.ID, c.Slug, &n.Note); err != nil {
		return err
	}
	return r.Send(nil)
}

// answerStudent adds the team's message to a student's thread below a note.
func answerStudent(r *request) error {
	c, role, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.WriteNotes)
	if err != nil {
		return err
	}
	_, n, scope, err := r.note(access.WriteNotes)
	if err != nil {
		return err
	}
	var in wire.NewMessage
	if err := r.json(&in); err != nil {
		return err
	}
	text, err := noteText(in.Text)
	if err != nil {
		return err
	}
	p, err := r.member(c, role, in.Person)
	if err != nil {
		return err
	}
	err = r.Store.Answer(r.Context(), &store.NoteAnswer{NoteID: n.ID, PersonID: p.ID, AuthorID: &r.who.Person.ID,
		Text: text}, c.Slug, nil)
	if err != nil {
		return err
	}
	r.Notes.Wake()
	return r.answerNote(c, n.ID, scope)
}

// ownNotes lists the notes that one has got.
func ownNotes(r *request) error {
	course := uint64(0)
	if slug := r.Query("course"); slug != "" {
		c, _, err := r.Gate.Course(r.Context(), r.who, slug, access.See)
		if err != nil {
			return err
		}
		course = c.ID
	}
	list, err := r.Store.ReceivedBy(r.Context(), r.who.Person.ID, course)
	if err != nil {
		return err
	}
	ids := make([]uint64, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	answers, err := r.Store.Answers(r.Context(), ids, r.who.Person.ID)
	if err != nil {
		return err
	}
	out := wire.OwnNotes{Notes: []wire.OwnNote{}}
	for i := range list {
		n := r.ownNote(&list[i])
		for j := range answers {
			if a := &answers[j]; a.NoteID == n.ID {
				m := message(a)
				n.Thread = append(n.Thread, m)
				n.Seen = n.Seen && (!m.Team || a.SeenAt != nil)
			}
		}
		if !n.Seen {
			out.Unseen++
		}
		out.Notes = append(out.Notes, n)
	}
	return r.JSON(out)
}

func (r *request) ownNote(x *store.Received) wire.OwnNote {
	n := wire.OwnNote{ID: x.ID, Course: x.Slug, Title: x.Title, Exercise: x.Exercise, Attempt: x.OwnTry, Text: x.Text,
		At: x.ReachedAt, Edited: x.EditedAt, Seen: x.SeenAt != nil, Feeling: x.Feeling, Thread: []wire.NoteMessage{}}
	if x.Author != nil {
		n.Author = *x.Author
	}
	if n.Called = x.Exercise; x.Current != nil {
		if content, err := r.Library.Course(r.Context(), *x.Current); err == nil {
			if e := content.Find(x.Exercise); e != nil {
				n.Called = e.Title
			}
		}
	}
	return n
}

func unseenNotes(r *request) error {
	n, err := r.Store.CountUnseen(r.Context(), r.who.Person.ID)
	if err != nil {
		return err
	}
	return r.JSON(wire.UnseenCount{Unseen: n})
}

func seeNotes(r *request) error {
	var in wire.SeenNotes
	if err := r.json(&in); err != nil {
		return err
	}
	if len(in.Notes) == 0 || len(in.Notes) > 500 {
		return &access.Unfit{Field: "notes", Message: fmt.Sprintf("there are %d notes", len(in.Notes)),
			Hint: "name from 1 to 500"}
	}
	if err := r.Store.SeeNotes(r.Context(), r.who.Person.ID, in.Notes); err != nil {
		return err
	}
	return unseenNotes(r)
}

// ownNoteID reads which of one's own notes a request is about.
func (r *request) ownNoteID() (uint64, error) {
	id, err := strconv.ParseUint(r.Params("note"), 10, 64)
	if err != nil {
		return 0, store.ErrNotFound
	}
	return id, nil
}

func feelNote(r *request) error {
	id, err := r.ownNoteID()
	if err != nil {
		return err
	}
	var in wire.Feeling
	if err := r.json(&in); err != nil {
		return err
	}
	if !slices.Contains([]string{"", "helped", "stuck"}, in.Feeling) {
		return &access.Unfit{Field: "feeling", Message: fmt.Sprintf("%q cannot be said of a note", short(in.Feeling)),
			Hint: `say helped or stuck, or "" to take it back`}
	}
	if err := r.Store.Feel(r.Context(), r.who.Person.ID, id, in.Feeling); err != nil {
		return err
	}
	return r.Send(nil)
}

func answerNote(r *request) error {
	id, err := r.ownNoteID()
	if err != nil {
		return err
	}
	var in wire.NewMessage
	if err := r.json(&in); err != nil {
		return err
	}
	text, err := noteText(in.Text)
	if err != nil {
		return err
	}
	if in.Person != "" {
		return &access.Unfit{Field: "person", Message: "this is one's own thread", Hint: "leave person out"}
	}
	c, err := r.Store.CourseOfNote(r.Context(), id)
	if err != nil {
		return err
	}
	me := r.who.Person
	told, err := outbox.Call(c.Slug, outbox.EventAnswer, r.Store.Now(), map[string]any{"note": id, "person": me.Name,
		"display": me.Display, "text": text})
	if err != nil {
		return err
	}
	if err := r.Store.Answer(r.Context(), &store.NoteAnswer{NoteID: id, PersonID: me.ID, AuthorID: &me.ID, Text: text},
		c.Slug, told); err != nil {
		return err
	}
	r.Hooks.Wake()
	return ownNotes(r)
}
