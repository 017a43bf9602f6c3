package e2e

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/demo/standin"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service"
	"nimbusreach/internal/service/outbox"
)

// class is a team with three students.
var class = map[string]string{"imke": "instructor", "aron": "assistant", "ada": "student", "bree": "student",
	"cato": "student"}

// exchanged makes one mistake, in other words: over the wrong axis.
var (
	exchanged = "per_rope = mean(growth over [week, depth])\nbest_week = max(growth over depth)\nspread = max(growth " +
		"over [rope, depth]) - min(growth over [rope, depth])"
	exchangedToo = "# mine\nmine = mean(growth over [week, depth])\nper_rope = mine\nbest_week = max(growth over " +
		"depth)\n" +
		"spread = max(growth over [rope, depth]) - min(growth over [rope, depth])"
)

// stuck hands a mistake in for some students, and finds the knot that they are in.
func stuck(t *testing.T, w *world, students ...string) *wire.Knot {
	t.Helper()
	ctx := background(t)
	for i, name := range students {
		_, err := w.as(t, name).HandIn(ctx, course, "rope-means", []string{exchanged, exchangedToo}[i%2], "", 20)
		require.NoError(t, err)
	}
	list, err := w.as(t, "imke").Knots(ctx, course, client.KnotQuery{Exercise: "rope-means"})
	require.NoError(t, err)
	require.Len(t, list.Knots, 1)
	require.Equal(t, len(students), list.Knots[0].People)
	return &list.Knots[0]
}

// TestANoteReachesAKnot: an assistant finds in the terminal what many are stuck on, writes one note, and sees whether
// it helped; who enters the knot later gets it too; mail goes to whoever chose it.
func TestANoteReachesAKnot(t *testing.T) {
	post, err := standin.Start("127.0.0.1:0", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = post.Close() })
	mail, err := outbox.Parse(post.Config())
	require.NoError(t, err)
	w := startWith(t, service.Config{Workers: 2, Mail: mail, Address: "https://reach.example"})
	w.enrol(t, class)
	ctx := background(t)
	operator := w.as(t, demo.Operator)
	address := "ada@farm.example"
	_, err = operator.SetPerson(ctx, "ada", wire.SetPerson{Email: &address})
	require.NoError(t, err)
	_, err = w.as(t, "ada").SetMailChoices(ctx, wire.SetMailChoices{Notes: true})
	require.NoError(t, err)
	k := stuck(t, w, "ada", "bree")

	_, _, _ = nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "aron")
	run := func(arguments ...string) string {
		t.Helper()
		code, out, told := nimbus(t, "", arguments...)
		require.Zero(t, code, told)
		return out
	}
	out := run("knots", course)
	assert.Contains(t, out, "2 of 2")
	assert.Contains(t, out, "best_week: worked over or along another axis")
	out = run("knots", course, "--exercise", "rope-means", "--code", k.Code, "--output", k.Output)
	assert.Contains(t, out, "mine = mean(growth over [week, depth])", "both ways of writing it")
	assert.Contains(t, out, "best_week = max(growth over depth)")
	out = run("note", "add", course, "--exercise", "rope-means", "--code", k.Code, "--output", k.Output, "--later",
		"--text",
		"Which axis must **go**?")
	assert.Contains(t, out, "note 1 reached 2")

	ada, cato := w.as(t, "ada"), w.as(t, "cato")
	unseen, err := ada.UnseenNotes(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, unseen)
	require.Eventually(t, func() bool { return len(post.Mails()) == 1 }, patience, 20*time.Millisecond)
	letter := post.Mails()[0]
	assert.Equal(t, []string{"ada@farm.example"}, letter.To)
	assert.Contains(t, letter.Plain, "Which axis must **go**?")
	assert.Contains(t, letter.Plain, "https://reach.example/notes")
	assert.Contains(t, letter.HTML, "<strong>go</strong>")
	own, err := cato.OwnNotes(ctx, "")
	require.NoError(t, err)
	assert.Empty(t, own.Notes)
	_, err = cato.HandIn(ctx, course, "rope-means", exchanged, "", 20)
	require.NoError(t, err)
	own, err = cato.OwnNotes(ctx, "")
	require.NoError(t, err)
	require.Len(t, own.Notes, 1, "who enters the knot later gets it too")
	assert.Equal(t, "Mean growth of each rope", own.Notes[0].Called)
	body, err := json.Marshal(own)
	require.NoError(t, err)
	assert.NotContains(t, string(body), k.Code, "what leads the verdict is not said by the note")

	_, err = ada.HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	require.NoError(t, ada.FeelNote(ctx, 1, "helped"))
	_, err = ada.AnswerNote(ctx, 1, "Ah, the **depth**")
	require.NoError(t, err)
	trail, err := operator.Trail(ctx, client.TrailQuery{Subject: course + "/note 1", Action: "note.answer"})
	require.NoError(t, err)
	assert.Len(t, trail.Lines, 1)
	out = run("note", "list", course)
	assert.Contains(t, out, "reached 3 · agreed 1 · still 2 · answered 1 · helped 1")
	assert.Contains(t, out, "1 unread answer")
	assert.Contains(t, run("note", "show", course, "1"), "Ah, the **depth**")
	assert.NotContains(t, run("note", "list", course), "unread")
	assert.Contains(t, run("note", "answer", course, "1", "--person", "ada", "--text", "Just so"), "Just so")
	require.Eventually(t, func() bool { return len(post.Mails()) == 2 }, patience, 20*time.Millisecond, "the answer too")
	assert.Contains(t, post.Mails()[1].Plain, "Just so")
	assert.Contains(t, run("note", "edit", course, "1", "--text", "Which axis must go, and why?"), "version 2")
	aron := w.as(t, "aron")
	_, err = aron.EditNote(ctx, course, 1, 1, "From another page")
	problem(t, err, 412)

	page, err := aron.Knot(ctx, course, "rope-means", k.Code, k.Output, "")
	require.NoError(t, err)
	assert.Equal(t, 2, page.People)
	assert.Equal(t, 1, page.Agreed)
	require.Len(t, page.Notes, 1)
	assert.Equal(t, 3, page.Notes[0].Effect.Reached)
	assert.Contains(t, run("digest", course), "Teach again first: 2 students are stuck on “worked over or along "+
		"another axis”")
	assert.Contains(t, run("digest", course, "--format", "html"), "<table>")
	run("note", "withdraw", course, "1")
	own, err = cato.OwnNotes(ctx, "")
	require.NoError(t, err)
	assert.Empty(t, own.Notes)
	code, _, told := nimbus(t, "", "note", "add", course, "--text", " ")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "no text")
}

// TestANoteIsKeptForNextTime: it becomes a slip of the exercise in a folder, which tells the next class at once.
func TestANoteIsKeptForNextTime(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, class)
	ctx := background(t)
	k := stuck(t, w, "ada", "bree")
	imke := w.as(t, "imke")
	n, err := imke.AddNote(ctx, course, wire.NewNote{Text: "Depth stays: which axis must go?", Exercise: "rope-means",
		Code: k.Code, Output: k.Output})
	require.NoError(t, err)
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	file := filepath.Join(folder, "exercises", "rope-means", "exercise.yaml")
	before, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte("# my own edit\n"+string(before)), 0o644))
	_, _, _ = nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "imke")
	program := filepath.Join(folder, "exercises", "rope-means", "slips",
		strings.ReplaceAll(k.Code, ".", "-")+"-note-1.nra")
	require.NoError(t, os.MkdirAll(filepath.Dir(program), 0o755))
	require.NoError(t, os.WriteFile(program, []byte("x = 1\n"), 0o644))
	code, _, told := nimbus(t, "", "note", "keep", course, "1", "--folder", folder)
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "move it away", "what somebody wrote there is not lost")
	require.NoError(t, os.Remove(program))
	code, out, told := nimbus(t, "", "note", "keep", course, "1", "--folder", folder)
	require.Zero(t, code, told)
	assert.Contains(t, out, "exercise.yaml has the slip")
	after, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(after), "# my own edit\n"+string(before)), "nothing else has changed")
	e, problems := exercise.LoadExercise(os.DirFS(filepath.Dir(file)), "rope-means")
	require.Empty(t, problems)
	require.Len(t, e.Slips, 1)
	assert.Equal(t, n.Text, e.Slips[0].Note)
	code, _, told = nimbus(t, "", "note", "keep", course, "1", "--folder", folder)
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "has a slip of this note")
	attempt := filepath.Join(t.TempDir(), "a.nra")
	require.NoError(t, os.WriteFile(attempt, []byte(exchanged), 0o644))
	_, out, _ = nimbus(t, "", "check", filepath.Dir(file), attempt)
	assert.Contains(t, out, "Depth stays: which axis must go?")
	_, err = w.as(t, "aron").KeepNote(ctx, course, n.ID, "")
	problem(t, err, 403)
}

// TestAnAssistantOfOneGroup sees nothing of the others at the desk, in knots, notes, map and digest, by any address.
func TestAnAssistantOfOneGroup(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, class)
	ctx := background(t)
	imke := w.as(t, "imke")
	for name, group := range map[string]string{"ada": "Lab 1", "bree": "Lab 2", "cato": "Lab 2"} {
		_, err := imke.SetMember(ctx, course, name, wire.SetMember{Group: &group})
		require.NoError(t, err)
	}
	_, err := imke.SetMember(ctx, course, "aron", wire.SetMember{Groups: &[]string{"Lab 1"}})
	require.NoError(t, err)
	k := stuck(t, w, "ada", "bree", "cato")
	add := func(c *client.Client, n wire.NewNote) (*wire.NotePage, error) { return c.AddNote(ctx, course, n) }
	knot := wire.NewNote{Text: "To all", Exercise: "rope-means", Code: k.Code, Output: k.Output}
	all, err := add(imke, knot)
	require.NoError(t, err)
	assert.Equal(t, 3, all.Effect.Reached)
	bree, err := w.as(t, "bree").OwnNotes(ctx, course)
	require.NoError(t, err)
	thread, err := add(imke, wire.NewNote{Text: "To Bree", Attempt: *bree.Notes[0].Attempt})
	require.NoError(t, err)
	_, err = w.as(t, "bree").AnswerNote(ctx, all.ID, "Bree's own words")
	require.NoError(t, err)
	apart, err := add(imke, wire.NewNote{Text: "To the other lab", Exercise: "rope-means", Code: k.Code, Output: k.Output,
		Groups: []string{"Lab 2"}})
	require.NoError(t, err)
	assert.Equal(t, 2, apart.Effect.Reached)
	_, err = imke.Adjust(ctx, course, "bree", "rope-means", wire.NewAdjustment{Kind: "excused", Reason: "ill"})
	require.NoError(t, err)

	aron := w.as(t, "aron")
	seen := func(v any, err error) string {
		t.Helper()
		require.NoError(t, err)
		text, err := json.Marshal(v)
		require.NoError(t, err)
		return string(text)
	}
	knots, err := aron.Knots(ctx, course, client.KnotQuery{})
	page, pageErr := aron.Knot(ctx, course, "rope-means", k.Code, k.Output, "")
	classMap, mapErr := aron.ClassMap(ctx, course, client.MapQuery{})
	causes, causesErr := aron.CauseMap(ctx, course, "")
	notes, notesErr := aron.Notes(ctx, course, client.NoteQuery{Withdrawn: true})
	note, noteErr := aron.Note(ctx, course, all.ID)
	digest, digestErr := aron.Digest(ctx, course, client.DigestQuery{})
	desk, deskErr := aron.Desk(ctx, course)
	for _, text := range []string{seen(knots, err), seen(page, pageErr), seen(classMap, mapErr), seen(causes, causesErr),
		seen(notes, notesErr), seen(note, noteErr), seen(digest, digestErr), seen(desk, deskErr)} {
		for _, others := range []string{"bree", "cato", "Bree", "Cato", "Lab 2"} {
			assert.NotContains(t, text, others)
		}
	}
	assert.Equal(t, 1, knots.Knots[0].People)
	assert.Equal(t, 1, page.People)
	assert.Equal(t, 1, page.Notes[0].Effect.Reached, "the effect is of whom they see")
	assert.Equal(t, 1, causes.Rows[0].Cells[0].Ever)
	assert.Equal(t, []int{1, 1}, []int{digest.Students, digest.Attempts})
	assert.Empty(t, note.Threads)
	assert.Equal(t, 1, knots.Knots[0].Notes, "and not the one to the other group")
	assert.Len(t, page.Notes, 1)
	assert.Zero(t, digest.Exercises[0].Changed)
	for _, refused := range []func() error{
		func() error { _, err := aron.Knots(ctx, course, client.KnotQuery{Group: "Lab 2"}); return err },
		func() error { _, err := aron.Knot(ctx, course, "rope-means", k.Code, k.Output, "Lab 2"); return err },
		func() error { _, err := aron.ClassMap(ctx, course, client.MapQuery{Group: "Lab 2"}); return err },
		func() error { _, err := aron.CauseMap(ctx, course, "Lab 2"); return err },
		func() error { _, err := aron.Digest(ctx, course, client.DigestQuery{Group: "Lab 2"}); return err },
		func() error { _, err := aron.Note(ctx, course, thread.ID); return err },
		func() error { _, err := aron.Note(ctx, course, apart.ID); return err },
		func() error {
			_, err := add(aron, wire.NewNote{Text: "x", Attempt: *bree.Notes[0].Attempt})
			return err
		},
		func() error { _, err := add(aron, wire.NewNote{Text: "x", Groups: []string{"Lab 2"}}); return err },
		func() error { _, err := aron.AnswerStudent(ctx, course, all.ID, "bree", "x"); return err },
		func() error {
			_, err := aron.Adjust(ctx, course, "bree", "rope-means", wire.NewAdjustment{Kind: "excused", Reason: "x"})
			return err
		},
	} {
		problem(t, refused(), 404)
	}
	_, err = aron.EditNote(ctx, course, all.ID, 1, "Not theirs")
	problem(t, err, 403)
	problem(t, aron.WithdrawNote(ctx, course, all.ID), 403)
	mine, err := add(aron, knot)
	require.NoError(t, err)
	assert.Equal(t, 1, mine.Effect.Reached, "what they write goes to whom they see")
	assert.Equal(t, []string{"Lab 1"}, mine.Groups)
	require.NoError(t, aron.WithdrawNote(ctx, course, mine.ID))
}

// TestTheKnotPageInTheBrowser: from the desk to the knot, a note with a key, which its student finds beside the
// verdict.
func TestTheKnotPageInTheBrowser(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, class)
	stuck(t, w, "ada", "bree")
	p := open(t, w, "aron")
	require.NoError(t, p.Go("/courses/"+course+"/desk"))
	require.NoError(t, p.Await(`document.querySelector("[data-knot] a")`+" !== null"))
	require.NoError(t, p.Click("[data-knot] a"))
	require.NoError(t,
		p.Await(`document.querySelectorAll("[data-way]").length === 2 && !!document.querySelector("figure")`))
	_, err := browser.Eval[bool](p,
		`(window.dispatchEvent(new KeyboardEvent("keydown", {key: "n", bubbles: true})), true)`)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText("[role=dialog]", "goes to 2 people"))
	require.NoError(t, p.Fill("[role=dialog] textarea", "Which axis must **go**?"))
	require.NoError(t, p.AwaitText("[role=dialog] strong", "go"))
	require.NoError(t, p.Click("[role=dialog] button.button-main"))
	require.NoError(t, p.AwaitText("[data-announced]", "The note reached 2 people."))
	require.NoError(t, p.AwaitText("[data-note]", "reached 2"))

	student := open(t, w, "ada")
	require.NoError(t, student.Size(360, 740))
	require.NoError(t, student.Go("/courses/"+course+"/exercises/rope-means"))
	require.NoError(t, student.AwaitText("[aria-label='part of the page'] button:last-child", "1"))
	require.NoError(t, student.Click("[aria-label='part of the page'] button:last-child"))
	require.NoError(t, student.AwaitText("[aria-label='notes of your team']", "Which axis must go?"))
	require.NoError(t, student.Click("[data-note] button[role=radio]"))
	require.NoError(t, student.AwaitText("[data-announced]", "Your team can see it."))
	require.NoError(t, p.AwaitText("[data-note]", "1 say it helped"), "the page of the knot follows")
	require.Eventually(t, func() bool {
		n, err := w.as(t, "ada").UnseenNotes(context.Background())
		return err == nil && n == 0
	}, patience, 50*time.Millisecond)

	_, err = w.as(t, "ada").HandIn(background(t), course, "rope-means", right, "", 20)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText("[data-note]", "agreed 1 · still 1"), "and so it does an attempt")
	require.NoError(t, p.AwaitText("[data-left=ada]", "after 1 try"))

	require.NoError(t, p.Go("/courses/"+course+"/map"))
	require.NoError(t, p.Await(`document.querySelector("[data-student=ada] [role=gridcell]") !== null`))
	require.NoError(t, p.Click("[data-student=ada] [role=gridcell]"))
	require.NoError(t, p.AwaitText("[role=dialog] ol", "worked over or along another axis"))
	tries, err := browser.Eval[int](p, `document.querySelectorAll("[role=dialog] ol li").length`)
	require.NoError(t, err)
	assert.Equal(t, 2, tries, "a cell opens its attempts")
}
