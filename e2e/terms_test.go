package e2e

import (
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
	"nimbusreach/internal/core/exercise"
)

// publishTerms publishes the demo course with lines at the top of the exercise rope-means.
func publishTerms(t *testing.T, imke *client.Client, lines string) {
	t.Helper()
	folder := filepath.Join(t.TempDir(), "course")
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	terms(t, folder, lines)
	archive, err := exercise.Pack(os.DirFS(folder))
	require.NoError(t, err)
	_, err = imke.PublishFrom(background(t), course, archive, anew)
	require.NoError(t, err)
}

func ago(d time.Duration) string { return time.Now().Add(-d).UTC().Format(time.RFC3339) }

// TestLateAttemptsExtensionsAndTheReference goes through an exercise's closing: late attempts are taken and marked,
// then none; an extension of a person, of their group, and its end move that; the reference shows when it is over.
func TestLateAttemptsExtensionsAndTheReference(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	imke, ada := w.as(t, "imke"), w.as(t, "ada")
	group := "Lab 1"
	_, err := imke.SetMember(ctx, course, "ada", wire.SetMember{Group: &group})
	require.NoError(t, err)
	look := func() *wire.Exercise {
		t.Helper()
		e, err := ada.Exercise(ctx, course, "rope-means")
		require.NoError(t, err)
		return e
	}
	try := func() (*wire.Attempt, error) { return ada.HandIn(ctx, course, "rope-means", right, "", 20) }

	publishTerms(t, imke, "closes: "+ago(time.Hour)+"\nlate: {until: 72h, keeps: 0.5}\nmodel: after-close\nattempts: "+
		"{limit: 2}\n")
	e := look()
	assert.Equal(t, "late", e.State)
	assert.Equal(t, 0.5, e.Keeps)
	assert.False(t, e.Model)
	a, err := try()
	require.NoError(t, err)
	assert.True(t, a.Late)
	_, err = ada.Model(ctx, course, "rope-means")
	problem(t, err, 403)

	later := time.Now().Add(time.Hour).UTC().Truncate(time.Microsecond)
	x, err := imke.GiveExtension(ctx, course, wire.NewExtension{Group: group, Closes: &later,
		Reason: "the lab was closed"})
	require.NoError(t, err)
	e = look()
	assert.Equal(t, "open", e.State)
	assert.Equal(t, later, e.Closes.UTC())
	assert.True(t, e.Extended)
	assert.Equal(t, "the lab was closed", e.Reason)
	a, err = try()
	require.NoError(t, err)
	assert.False(t, a.Late, "in time by the extension")
	_, err = try()
	problem(t, err, 403)
	nine := 9
	_, err = imke.GiveExtension(ctx, course, wire.NewExtension{Person: "ada", Exercise: "rope-means", Attempts: &nine,
		Reason: "a reader broke"})
	require.NoError(t, err)
	e = look()
	assert.Equal(t, 9, e.Limit)
	assert.Equal(t, later, e.Closes.UTC(), "of time the latest that gives time holds")
	assert.Equal(t, "a reader broke", e.Reason)
	_, err = try()
	require.NoError(t, err)
	bree, err := w.as(t, "bree").Exercise(ctx, course, "rope-means")
	require.NoError(t, err)
	assert.Equal(t, "late", bree.State, "others have no extension")
	assert.Equal(t, 2, bree.Limit)

	require.NoError(t, imke.WithdrawExtension(ctx, course, x.ID))
	problem(t, imke.WithdrawExtension(ctx, course, x.ID), 404)
	e = look()
	assert.Equal(t, "late", e.State)
	assert.Equal(t, 9, e.Limit, "the other one holds")
	list, err := imke.Extensions(ctx, course)
	require.NoError(t, err)
	require.Len(t, list.Extensions, 2)
	assert.NotNil(t, list.Extensions[1].Withdrawn, "what is withdrawn stays in the list")

	publishTerms(t, imke, "closes: "+ago(2*time.Hour)+"\nlate: {until: 1h}\nmodel: after-close\n")
	e = look()
	assert.Equal(t, "closed", e.State)
	assert.True(t, e.Model)
	_, err = try()
	problem(t, err, 403)
	assert.Contains(t, err.Error(), "took late attempts until")
	m, err := ada.Model(ctx, course, "rope-means")
	require.NoError(t, err)
	assert.Contains(t, m.Program, "per_rope =")
	assert.Equal(t, "spring", m.Case)
	require.NotNil(t, m.Lines)
	assert.True(t, strings.HasPrefix(m.Lines.Lines[0].Name, "per_rope"))
	assert.NotContains(t, m.Lines.Lines[0].Look, "held")
	publishTerms(t, imke, "closes: "+ago(2*time.Hour)+"\n")
	_, err = ada.Model(ctx, course, "rope-means")
	problem(t, err, 403)
	_, err = imke.Model(ctx, course, "rope-means")
	require.NoError(t, err, "the team sees it always")
}

// TestACopyThatCannotBeShifted says which time, and makes no course.
func TestACopyThatCannotBeShifted(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, team)
	ctx := background(t)
	imke := w.as(t, "imke")
	publishTerms(t, imke, "closes: >-\n  2031-09-14T22:00:00Z\n")
	_, err := imke.CopyCourse(ctx, course, wire.CopyCourse{Slug: "next", Shift: "52w"})
	problem(t, err, 422)
	var told *client.Error
	require.ErrorAs(t, err, &told)
	require.Len(t, told.Errors, 1)
	assert.Equal(t, ropeMeans, told.Errors[0].File)
	_, err = imke.Course(ctx, "next")
	problem(t, err, 404)
	made, err := imke.CopyCourse(ctx, course, wire.CopyCourse{Slug: "next", Title: "Next: a copy"})
	require.NoError(t, err, "without a shift it is copied")
	assert.Equal(t, "Next: a copy", made.Course.Title)
	_, err = imke.CopyCourse(ctx, course, wire.CopyCourse{Slug: "next"})
	problem(t, err, 409)
}

// TestGradesInTheTerminal reads the gradebook, changes a grade by hand and takes that back; the student sees it.
func TestGradesInTheTerminal(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada := w.as(t, "ada")
	_, err := ada.HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	code, _, told := nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", "imke")
	require.Zero(t, code, told)
	run := func(arguments ...string) string {
		t.Helper()
		code, out, told := nimbus(t, "", arguments...)
		require.Zero(t, code, told)
		return out
	}
	before := time.Now()
	assert.Regexp(t, `ada Shoalby +2 `, run("gradebook", course))
	assert.Contains(t, run("adjust", course, "ada", "rope-means", "--add", "0.5", "--reason", "a good idea"),
		"ada has 2.5 points")
	assert.Regexp(t, `ada Shoalby +2\.5\* `, run("gradebook", course))
	e, err := ada.Exercise(ctx, course, "rope-means")
	require.NoError(t, err)
	require.NotNil(t, e.Grade)
	assert.Equal(t, "5/2", e.Grade.Exact)
	assert.Equal(t, "a good idea", e.Grade.Adjusted.Reason)
	_, err = ada.HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	out := run("gradebook", course)
	assert.Regexp(t, `ada Shoalby +4! `, out, "no more than what is possible, and to be reviewed")
	assert.Contains(t, out, "1 to be reviewed")
	assert.Regexp(t, `ada Shoalby +2 `, run("gradebook", course, "--at", before.Format(time.RFC3339Nano)))
	assert.Contains(t, run("adjust", course, "bree", "rope-means", "--excused", "--reason", "ill"), "bree is excused")
	assert.Contains(t, run("gradebook", course, "--format", "csv"), "ada,ada Shoalby,,,4,")
	file := filepath.Join(t.TempDir(), "grades.xlsx")
	assert.Contains(t, run("gradebook", course, "--format", "xlsx", "--to", file), "bytes written")
	assert.Contains(t, run("adjust", course, "ada", "rope-means", "--withdraw"), "ada has 4 points")
	history, err := w.as(t, "aron").AdjustmentHistory(ctx, course, "ada", "rope-means")
	require.NoError(t, err)
	require.Len(t, history, 1)
	assert.NotNil(t, history[0].Withdrawn)
	code, _, told = nimbus(t, "", "adjust", course, "ada", "rope-means", "--set", "1", "--add", "2")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "one of --set")
}
