package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/core/exercise"
)

// press clicks the button or menu item of some words.
func press(t *testing.T, p *browser.Page, words string) {
	t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll("button, [role=menuitem], summary")].find((b) => `+
		`b.textContent.trim() === %q || b.getAttribute("aria-label") === %q)`, words, words)
	require.NoError(t, p.Await(find+" !== undefined"), words)
	_, err := browser.Eval[bool](p, `(() => { const b = `+find+`; b.setAttribute("data-press", ""); return true })()`)
	require.NoError(t, err)
	require.NoError(t, p.Click("[data-press]"), words)
	_, err = browser.Eval[bool](p,
		`(document.querySelectorAll("[data-press]").forEach((b) => b.removeAttribute("data-press")), true)`)
	require.NoError(t, err)
}

// TestACourseIsWrittenInTheBrowser begins with an empty course: an exercise from a skeleton, a copy with another
// name and
// place, numbers typed into a grid, two publications, and back to the first.
func TestACourseIsWrittenInTheBrowser(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	imke := w.as(t, "imke")
	made, err := imke.CreateCourse(ctx, wire.NewCourse{Slug: "tang", Title: "Tang: an own course"})
	require.NoError(t, err)
	assert.True(t, made.Empty)
	p := open(t, w, "imke")
	require.NoError(t, p.Go("/courses/tang"))
	require.NoError(t, p.AwaitText("main", "Nothing is published yet"))
	require.NoError(t, p.Click(`a[href="/courses/tang/author"]`))
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "Nothing is published yet"))
	press(t, p, "A new exercise")
	require.NoError(t, p.Await(`document.querySelector("details form select option") !== null`))
	press(t, p, "Add the exercise")
	require.NoError(t, p.AwaitText("h2", "Every second visit"))
	publish := func(revision int) {
		t.Helper()
		require.NoError(t,
			p.Await(`document.querySelector('[aria-label="publishing"] .button-main:not([aria-disabled=true])')`+
				` !== null`))
		press(t, p, "What would change?")
		require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "slips survive"))
		press(t, p, "Publish")
		require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, fmt.Sprintf("Published as revision %d", revision)))
	}
	publish(1)

	press(t, p, "Exercise ▾")
	press(t, p, "Copy")
	require.NoError(t, p.Await(`location.search.includes("slicing-2")`))
	press(t, p, "Exercise ▾")
	press(t, p, "Move up")
	press(t, p, "Exercise ▾")
	press(t, p, "Rename the folder …")
	require.NoError(t, p.Fill(`form[aria-label="rename"] input`, "third-visit"))
	press(t, p, "Rename")
	require.NoError(t, p.Await(`location.search.includes("third-visit")`))
	press(t, p, "Type a grid")
	require.NoError(t, p.Fill(`input[aria-label="row 1, column 1"]`, "1.5"))
	require.NoError(t, p.Fill(`input[aria-label="row 2, column 1"]`, "2"))
	press(t, p, "Add it to the data")
	require.NoError(t, p.AwaitText(".cm-content", "1.5"))
	publish(2)
	two := folderOf(t, w, 2)
	assert.Equal(t, []string{"third-visit", "slicing"}, names(two))

	press(t, p, "back to revision 1")
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "differ from revision 2"))
	publish(3)
	three := folderOf(t, w, 3)
	assert.Equal(t, []string{"slicing"}, names(three), "the first revision is current again, as the third")
	_, err = w.as(t, demo.Operator).Course(ctx, "tang")
	problem(t, err, 404)
}

// folderOf is a revision of the course that is written in the browser.
func folderOf(t *testing.T, w *world, revision int) *exercise.Course {
	t.Helper()
	archive, err := w.as(t, "imke").Revision(background(t), "tang", revision)
	require.NoError(t, err)
	folder, err := exercise.Unpack(archive)
	require.NoError(t, err)
	c, problems := exercise.LoadCourse(folder)
	require.Empty(t, problems)
	if revision == 2 {
		data, err := folder.Open("exercises/third-visit/data/grid.csv")
		require.NoError(t, err)
		require.NoError(t, data.Close())
	}
	return c
}

func names(c *exercise.Course) []string {
	var out []string
	for _, e := range c.Exercises {
		out = append(out, e.Name)
	}
	return out
}
