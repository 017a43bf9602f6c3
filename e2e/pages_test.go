package e2e

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
)

// shown is a page of the console with what is awaited on it.
type shown struct {
	who, path, wait string
	then            []string // what is clicked, and what is there after it
}

// pathOf is a link's path, with the secret behind its #.
func pathOf(w *world, l *wire.Link) string { return strings.TrimPrefix(l.Address, w.base) }

// everyPage stands a class up in which every page has something to show.
func everyPage(t *testing.T) (*world, []shown) {
	t.Helper()
	w := start(t, 2)
	w.enrol(t, team)
	ada := w.as(t, "ada")
	ctx := background(t)
	a, err := ada.HandIn(ctx, course, "gain-on-start", "gain = fronds - fronds[first, all]\nfullness = fronds / "+
		"capacity", "", 20)
	require.NoError(t, err)
	_, err = ada.HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	broken, err := ada.HandIn(ctx, course, "gain-on-start", "gain = fronds + fronds[all, first]\nfullness = fronds / "+
		"capacity", "", 20)
	require.NoError(t, err)
	heat, err := ada.HandIn(ctx, course, "buoy-distances", "distance = abs(east[all, new] - east[new, all])\n"+
		"from_pier = hypot(east, north)", "", 20)
	require.NoError(t, err)
	ticket, err := ada.MakeTicket(ctx, course, "standard-scores")
	require.NoError(t, err)
	brought, err := ada.HandInArrays(ctx, course, "standard-scores", &ticket.ID, results(t, ticket, otherAxis, "scores"),
		20)
	require.NoError(t, err)
	link, err := w.as(t, demo.Operator).MakeLink(ctx, "bree", wire.NewLink{Forgotten: false})
	require.NoError(t, err)
	imke := w.as(t, "imke")
	list, err := imke.Knots(ctx, course, client.KnotQuery{Exercise: "rope-means"})
	require.NoError(t, err)
	k := list.Knots[0]
	n, err := imke.AddNote(ctx, course, wire.NewNote{Exercise: "rope-means", Code: k.Code, Output: k.Output, Later: true,
		Text: "Which axis **must** go?\n\n```\nper_rope = mean(growth over [week, depth])  # all of it\n```\n\n| a | b |\n" +
			"|---|---|\n" +
			"| 1 | 2 |\n"})
	require.NoError(t, err)
	_, err = ada.AnswerNote(ctx, n.ID, "The first?")
	require.NoError(t, err)
	_, err = imke.AddNote(ctx, course, wire.NewNote{Text: "Bring the buoy data."})
	require.NoError(t, err)
	_, err = imke.AddNote(ctx, course, wire.NewNote{Text: "See me", Attempt: broken.ID})
	require.NoError(t, err)
	knot := fmt.Sprintf("/courses/%s/knots/rope-means/%s/%s", course, k.Code, k.Output)
	at := func(id uint64) string { return fmt.Sprintf("/courses/%s/attempts/%d", course, id) }
	home := "/courses/" + course
	return w, []shown{
		{who: "", path: "/sign-in", wait: "form"},
		{who: "", path: pathOf(w, link), wait: "form"},
		{who: "ada", path: "/account", wait: "main li"},
		{who: "ada", path: "/", wait: "main li"},
		{who: "ada", path: home, wait: "main li"},
		{who: "ada", path: home + "/exercises/gain-on-start", wait: "[data-verdict]"},
		{who: "ada", path: home + "/exercises/rope-means", wait: "[data-cause]"},
		{who: "ada", path: home + "/exercises/shapes-first", wait: "form input"},
		{who: "ada", path: at(a.ID), wait: "figure"},
		{who: "ada", path: home + "/exercises/standard-scores", wait: "[aria-labelledby=beside] figure"},
		{who: "imke", path: at(brought.ID), wait: "[aria-labelledby=data] figure"},
		{who: "ada", path: home + "/desk", wait: "[role=alert]"},
		{who: "ada", path: "/there/is/no/such/page", wait: "main h1"},
		{who: "ada", path: "/notes", wait: "[data-note]"},
		{who: "imke", path: home, wait: "main li"},
		{who: "imke", path: knot, wait: "[data-way]"},
		{who: "imke", path: knot, wait: "[data-note] table"},
		{who: "imke", path: knot, wait: "[data-way]", then: []string{"button.button-main", "[role=dialog] textarea"}},
		{who: "imke", path: knot, wait: "[data-note]", then: []string{"[data-note] button[aria-expanded]",
			"[data-note] section"}},
		{who: "imke", path: home + "/map", wait: "[data-student], select"},
		{who: "imke", path: home + "/map", wait: "[data-student]", then: []string{"[role=gridcell]", "[role=dialog]"}},
		{who: "imke", path: home + "/map?show=causes", wait: "[data-cause]"},
		{who: "imke", path: home + "/notes", wait: "[data-note]"},
		{who: "imke", path: home + "/digest", wait: "main table", then: []string{"main details summary",
			"main details form"}},
		{who: "imke", path: home + "/desk", wait: "[data-knot]"},
		{who: "imke", path: at(a.ID), wait: "figure"},
		{who: "imke", path: at(a.ID), wait: "td[role=gridcell]", then: []string{"td[role=gridcell]",
			"[data-lineage] td[data-from]"}},
		{who: "ada", path: home + "/exercises/rope-means", wait: "[data-cause]", then: []string{".button-main + .button",
			"[role=grid]"}},
		{who: "imke", path: at(broken.ID), wait: "[data-verdict]"},
		{who: "imke", path: at(heat.ID), wait: "figure td.heat.marked"},
		{who: "imke", path: home + "/author", wait: "[data-health] td:nth-child(2) span"},
		{who: "imke", path: home + "/author?exercise=rope-means", wait: "[data-health] td:nth-child(2) span"},
		{who: "imke", path: home + "/author?exercise=rope-means", wait: "[data-health] td:nth-child(2) span",
			then: []string{"details summary", "details form"}},
		{who: "imke", path: home + "/people", wait: "[data-row]"},
		{who: "imke", path: home + "/gradebook", wait: "[data-row]"},
		{who: "imke", path: home + "/gradebook", wait: "[data-row]", then: []string{"[data-row='0']", "[role=dialog]"}},
		{who: "imke", path: home + "/people", wait: "[data-row]", then: []string{"[data-row='0']", "[role=dialog]"}},
		{who: "imke", path: home + "/people", wait: "[data-row]", then: []string{tab(2), "input[type=file]"}},
		{who: "imke", path: home + "/people", wait: "[data-row]", then: []string{tab(3),
			"form[aria-label='a new extension']"}},
		{who: demo.Operator, path: "/", wait: "main details", then: []string{"main details summary", "main details form"}},
		{who: demo.Operator, path: "/service", wait: "main dd"},
		{who: demo.Operator, path: "/service", wait: "main dd", then: []string{tab(2), "[data-row]"}},
		{who: demo.Operator, path: "/service", wait: "main dd", then: []string{tab(3), "[data-row]"}},
		{who: demo.Operator, path: "/service", wait: "main dd", then: []string{tab(4), "main p"}},
		{who: demo.Operator, path: "/service", wait: "main dd", then: []string{tab(5), "[data-row]"}},
	}
}

// tab is a page's nth tab.
func tab(n int) string { return fmt.Sprintf("[role=tab]:nth-child(%d)", n) }

// visitsAt is how many pages one browser visits.
const visitsAt = 12

// visit opens every page as who may see it, each in a state that has settled: some browsers side by side.
func visit(t *testing.T, w *world, pages []shown, look func(t *testing.T, p *browser.Page, at shown)) {
	t.Helper()
	for _, who := range []string{"", "ada", "imke", demo.Operator} {
		var theirs []shown
		for _, at := range pages {
			if at.who == who {
				theirs = append(theirs, at)
			}
		}
		for some := range slices.Chunk(theirs, visitsAt) {
			t.Run(who+" from "+some[0].path, func(t *testing.T) {
				t.Parallel()
				var p *browser.Page
				if who == "" {
					var err error
					p, err = browser.Open(t.Context(), w.base)
					require.NoError(t, err)
					t.Cleanup(p.Close)
				} else {
					p = open(t, w, who)
				}
				for _, at := range some {
					visitOne(t, p, at)
					look(t, p, at)
				}
			})
		}
	}
}

func visitOne(t *testing.T, p *browser.Page, at shown) {
	t.Helper()
	require.NoError(t, p.Size(1280, 800))
	require.NoError(t, p.Go(at.path))
	there := func(selector string) {
		require.NoError(t, p.Await(fmt.Sprintf("document.querySelector(%q) !== null", selector)), at)
	}
	there(at.wait)
	if len(at.then) == 2 {
		require.NoError(t, p.Click(at.then[0]), at)
		there(at.then[1])
	}
}

// TestPagesCanBeUsedByAll runs axe on every page in both themes at both widths.
func TestPagesCanBeUsedByAll(t *testing.T) {
	w, pages := everyPage(t)
	visit(t, w, pages, func(t *testing.T, p *browser.Page, at shown) {
		usable(t, p, fmt.Sprintf("%s as %q", at.path, at.who))
	})
}

// usable lets axe-core look at a page as it stands, light and dark, wide and narrow.
func usable(t *testing.T, p *browser.Page, what string) {
	t.Helper()
	axe, err := os.ReadFile("../console/node_modules/axe-core/axe.min.js")
	require.NoError(t, err, "`make test` installs the console's packages first")
	_, err = browser.Eval[bool](p, string(axe)+"; true")
	require.NoError(t, err)
	for _, dark := range []bool{false, true} {
		require.NoError(t, p.Dark(dark))
		for _, width := range []int64{1280, 360} {
			require.NoError(t, p.Size(width, 800))
			_, err := browser.Eval[bool](p, `(() => {
				window.axeFound = undefined
				axe.run(document, {rules: {"target-size": {enabled: true}}, resultTypes: ["violations"]}).then(
					(r) => { window.axeFound = r.violations.map((v) => v.id + ": " + v.nodes.map((n) => n.html.slice(0, 160) + " — " + n.failureSummary).join("\n  ")) },
					(e) => { window.axeFound = [String(e)] })
				return true
			})()`)
			require.NoError(t, err)
			require.NoError(t, p.Await("window.axeFound !== undefined"))
			found, err := browser.Eval[[]string](p, "window.axeFound")
			require.NoError(t, err)
			assert.Empty(t, found, "%s, dark %v, %d wide:\n%s", what, dark, width, strings.Join(found, "\n"))
		}
	}
	require.NoError(t, p.Dark(false))
}

// TestNothingScrollsSideways looks at every page on the narrowest of phones, and for one
// first heading within one main part.
func TestNothingScrollsSideways(t *testing.T) {
	w, pages := everyPage(t)
	visit(t, w, pages, func(t *testing.T, p *browser.Page, at shown) {
		for _, width := range []int64{320, 360, 1280} {
			require.NoError(t, p.Size(width, 800))
			wide, err := browser.Eval[int64](p, "document.documentElement.scrollWidth")
			require.NoError(t, err)
			assert.LessOrEqual(t, wide, width, "%s as %q", at.path, at.who)
		}
		heads, err := browser.Eval[string](p,
			`document.querySelectorAll("main").length + " " + document.querySelectorAll("h1").length + " " + document.querySelectorAll("main h1").length`)
		require.NoError(t, err)
		assert.Equal(t, "1 1 1", heads, "%s as %q", at.path, at.who)
	})
}

// TestPredictionsComeFirstOnThePage tries to pass open predictions by keyboard, and then sees
// what was said beside what is.
func TestPredictionsComeFirstOnThePage(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	p := open(t, w, "ada")
	require.NoError(t, p.Go("/courses/"+course+"/exercises/shapes-first"))
	require.NoError(t, p.Await(`document.querySelectorAll("form input").length > 0`))
	require.NoError(t, p.Write("x = 1"))
	_, err := browser.Eval[bool](p,
		`document.querySelector("[data-editor] .cm-content").dispatchEvent(new KeyboardEvent("keydown", {key: "Enter", ctrlKey: true, bubbles: true, cancelable: true}))`)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText("[data-announced]", "Answer the questions above first."))
	disabled, err := browser.Eval[[]string](p,
		`[...document.querySelectorAll("button[aria-disabled=true]")].map((b) => b.textContent)`)
	require.NoError(t, err)
	assert.Equal(t, []string{"Hand in", "Try"}, disabled)
	_, err = browser.Eval[bool](p,
		`(() => { for (const b of document.querySelectorAll("button[aria-disabled=true]")) b.click(); return true })()`)
	require.NoError(t, err)
	assert.Empty(t, asked(t, p, `/attempts|/try|/shapes$`), "nothing that would answer a prediction was asked")

	_, err = browser.Eval[bool](p, `(() => {
		const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set
		for (const input of document.querySelectorAll("form input")) { set.call(input, input.placeholder.startsWith("axis") ? "[9, 9]" : "real"); input.dispatchEvent(new Event("input", {bubbles: true})) }
		return true
	})()`)
	require.NoError(t, err)
	require.NoError(t, p.Click("form .button-main"))
	require.NoError(t, p.AwaitText("[data-predicted] dd", "[9, 9]"))
	require.NoError(t, p.AwaitText("[data-predicted]", "not so"))
	require.NoError(t, p.Await(`document.activeElement.textContent === "What you predicted"`),
		"the focus goes to what came")
	require.NoError(t, p.Go("/courses/"+course+"/exercises/shapes-first"))
	require.NoError(t, p.AwaitText("[data-predicted] dd", "[9, 9]"), "and it stays there")
}

// asked lists the paths that a page has asked the service for.
func asked(t *testing.T, p *browser.Page, pattern string) []string {
	t.Helper()
	out, err := browser.Eval[[]string](p, fmt.Sprintf(
		`performance.getEntriesByType("resource").map((e) => new URL(e.name).pathname).filter((path) => new RegExp(%q).test(path))`, pattern))
	require.NoError(t, err)
	return out
}

// TestWhatCountsAddsUp reads the points on an exercise's page.
func TestWhatCountsAddsUp(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	p := open(t, w, "ada")
	c, err := w.as(t, "ada").Course(background(t), course)
	require.NoError(t, err)
	for _, e := range c.Exercises {
		if e.State == "soon" {
			continue
		}
		require.NoError(t, p.Go("/courses/"+course+"/exercises/"+e.Name))
		require.NoError(t, p.Await(`document.querySelector("[data-total]") !== null`))
		sum, err := browser.Eval[float64](p,
			`[...document.querySelectorAll('[aria-label="what counts"] tbody tr')].reduce((s, r) => s + Number(r.lastElementChild.textContent), 0)`)
		require.NoError(t, err)
		total, err := browser.Eval[float64](p, `Number(document.querySelector("[data-total]").textContent)`)
		require.NoError(t, err)
		assert.InDelta(t, total, sum, 0.02, e.Name)
		assert.InDelta(t, e.Points, total, 0.01, e.Name)
	}
}

// TestAVerdictIsHeardAndEscapeGoesBack hands in by keyboard alone.
func TestAVerdictIsHeardAndEscapeGoesBack(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	p := open(t, w, "ada")
	require.NoError(t, p.Go("/courses/"+course+"/exercises/rope-means"))
	require.NoError(t, p.Write(wrong))
	press := func(key string, ctrl bool) {
		t.Helper()
		_, err := browser.Eval[bool](p, fmt.Sprintf(
			`document.activeElement.dispatchEvent(new KeyboardEvent("keydown", {key: %q, ctrlKey: %v, bubbles: true, cancelable: true}))`, key, ctrl))
		require.NoError(t, err)
	}
	press("Enter", true)
	require.NoError(t, p.AwaitText("[data-announced]", "differs"))
	require.NoError(t, p.Await(`document.activeElement.dataset.verdict === "differs"`))
	heard, err := p.Text("[data-announced]")
	require.NoError(t, err)
	assert.Contains(t, heard, "differs: ")
	assert.Less(t, len(heard), 160, "one short sentence")
	said, err := browser.Eval[[]string](p,
		`[...document.querySelectorAll('[data-finding="shape.differs"] [data-said]')].slice(0, 3).map((e) => e.textContent)`)
	require.NoError(t, err)
	assert.Equal(t, []string{"expected: rope 3. ", "got: depth 4. ", "rope 3 against depth 4 do not fit"}, said)
	press("Escape", false)
	require.NoError(t, p.Await(`document.activeElement.classList.contains("cm-content")`))

	require.NoError(t, p.Write("per_rope = growth + [1, 2]"))
	_, err = browser.Eval[bool](p,
		`(() => { [...document.querySelectorAll("button")].find((b) => b.textContent === "Try").click(); return true })()`)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText("[data-announced]", "tried; stopped at line 1"))
}

// TestOfflineSaysSo takes the connection away from a page that hands in and tries.
func TestOfflineSaysSo(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	p := open(t, w, "ada")
	require.NoError(t, p.Go("/courses/"+course+"/exercises/rope-means"))
	require.NoError(t, p.Write(right))
	require.NoError(t, p.Offline(true))
	require.NoError(t, p.AwaitText("[data-offline]", "No connection."))
	require.NoError(t, p.Click(".button-main"))
	require.NoError(t, p.AwaitText("[data-waiting=connection]", "Waits for a connection."))
	require.NoError(t, p.Await(`document.querySelector(".button-main").textContent === "Hand in"`),
		"nothing stays at checking")
	require.NoError(t, p.Offline(false))
	require.NoError(t, p.Await(`document.querySelector("[data-verdict=agrees]") !== null`))
}

// TestAFaultOfAPageEndsThatPage answers a page with what it cannot draw.
func TestAFaultOfAPageEndsThatPage(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	p := open(t, w, "ada")
	_, err := browser.Eval[bool](p, fmt.Sprintf(`(() => {
		const real = window.fetch
		window.fetch = (at, ...rest) => String(at).endsWith("/api/v1/courses/%s") ? Promise.resolve(new Response("{\"exercises\": 3}", {status: 200})) : real(at, ...rest)
		return true
	})()`, course))
	require.NoError(t, err)
	require.NoError(t, p.Click(`main a[href="/courses/`+course+`"]`))
	require.NoError(t, p.AwaitText("main h1", "This page has a fault"))
	require.NoError(t, p.Click(`main a[href="/"]`))
	require.NoError(t, p.AwaitText("main h1", "Your courses"))
}

// TestArraysHandedInAreShownToTheTeam reads what a student computed elsewhere.
func TestArraysHandedInAreShownToTheTeam(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	reals := func(v ...float64) dataio.JSON { return dataio.JSON{Array: array.FromReals(v, len(v))} }
	w.shownOnly(t)
	a, err := w.as(t, "ada").HandInArrays(ctx, course, "pigment-mix", nil,
		map[string]map[string]dataio.JSON{"workshop": {"jar_price": reals(8.05, 8.1, 4.225),
			"needed": reals(9, 22.5, 19.5, 11), "bill": reals(20.325, 48.5500001)}}, 20)
	require.NoError(t, err)
	p := open(t, w, "imke")
	require.NoError(t, p.Go(fmt.Sprintf("/courses/%s/attempts/%d", course, a.ID)))
	require.NoError(t, p.AwaitText("main", "Arrays computed elsewhere were handed in"))
	require.NoError(t,
		p.Await(`[...document.querySelectorAll("[aria-label=output] button")].some((b) => b.textContent === "bill")`))
	_, err = browser.Eval[bool](p,
		`(() => { [...document.querySelectorAll("[aria-label=output] button")].find((b) => b.textContent === "bill").click(); return true })()`)
	require.NoError(t, err)
	require.NoError(t,
		p.Await(`[...document.querySelectorAll("figcaption")].some((f) => f.textContent.startsWith("got"))`))
	cells, err := browser.Eval[[]string](p,
		`[...document.querySelectorAll("figure td")].slice(0, 4).map((c) => c.textContent)`)
	require.NoError(t, err)
	assert.Equal(t, []string{"20.3250000", "48.5500000", "20.3250000", "◐ differs: 48.5500001"}, cells,
		"one set of decimals, and what differs reads differently")
}

// folder is the course as it is published.
func (w *world) folder(ctx context.Context, t *testing.T) map[string]string {
	t.Helper()
	var out wire.Folder
	require.Equal(t, 200, w.asked(t, "imke", "GET", "/courses/"+course+"/folder", nil, &out))
	return out.Files
}

// TestTwoInstructorsEditOneCourse publishes from a page while somebody else does: the
// second is reported, loses nothing, and brings both together.
func TestTwoInstructorsEditOneCourse(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	p := open(t, w, "imke")
	author := "/courses/" + course + "/author?exercise="
	require.NoError(t, p.Go(author+"rope-means"))
	require.NoError(t, p.AwaitText(".cm-content", "points: 2}"))
	require.NoError(t, p.Edit("points: 2}", "points: 3}"))
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "1 file differs from revision 1"))

	theirs := w.folder(ctx, t)
	theirs["exercises/gain-on-start/prompt.md"] += "\nA word more.\n"
	files := fstest.MapFS{}
	for name, text := range theirs {
		files[name] = &fstest.MapFile{Data: []byte(text)}
	}
	archive, err := exercise.Pack(files)
	require.NoError(t, err)
	_, err = w.as(t, demo.Operator).PublishFrom(ctx, course, archive, client.Publishing{From: client.AnyRevision})
	require.NoError(t, err)

	require.NoError(t, p.Click(`[aria-label="publishing"] .button-main`))
	require.NoError(t,
		p.Await(
			`[...document.querySelectorAll('[aria-label="publishing"] button')].some((b) => b.textContent === "Publish")`))
	press := func(words string) {
		t.Helper()
		_, err := browser.Eval[bool](p, fmt.Sprintf(
			`(() => { [...document.querySelectorAll("button")].find((b) => b.textContent === %q).click(); return true })()`,
			words))
		require.NoError(t, err)
	}
	press("Publish")
	require.NoError(t, p.AwaitText(`[aria-label="publishing"] [role=alert]`, "revision 2 by harbour came first"))
	require.NoError(t, p.AwaitText(`[aria-label="published meanwhile"]`, "since you began from revision 1"))
	press("Bring theirs in")
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "1 file differs from revision 2"))
	require.NoError(t, p.AwaitText(".cm-content", "points: 3}"))
	press("What would change?")
	require.NoError(t,
		p.Await(
			`[...document.querySelectorAll('[aria-label="publishing"] button')].some((b) => b.textContent === "Publish")`))
	press("Publish")
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "Published as revision 3"))
	now := w.folder(ctx, t)
	assert.Contains(t, now["exercises/rope-means/exercise.yaml"], "points: 3}")
	assert.Contains(t, now["exercises/gain-on-start/prompt.md"], "A word more.", "what the other wrote stands")

	require.NoError(t, p.Edit("points: 3}", "points: 4}"))
	require.NoError(t, p.AwaitText(".cm-content", "points: 4}"))
	press("Undo all")
	require.NoError(t, p.AwaitText(".cm-content", "points: 3}"), "undoing undoes what the editor shows")
	require.NoError(t, p.AwaitText(`[aria-label="publishing"]`, "As published in revision 3"))
}

// TestArrivalsWaitUnderThePointer holds the pointer over the list of attempts.
func TestArrivalsWaitUnderThePointer(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	_, err := w.as(t, "ada").HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	p := open(t, w, "imke")
	require.NoError(t, p.Go("/courses/"+course+"/desk"))
	require.NoError(t,
		p.Await(`document.querySelector("[data-line=live]") !== null && document.querySelector("[data-attempt]") !== null`))
	_, err = browser.Eval[bool](p, `(() => { document.querySelector("[data-attempt] a").focus(); return true })()`)
	require.NoError(t, err)
	_, err = w.as(t, "ada").HandIn(ctx, course, "rope-means", right, "", 20)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText("button", "1 new"))
	require.NoError(t, p.AwaitText("[data-announced]", "1 attempt has come in"))
	rows, err := browser.Eval[int](p, `document.querySelectorAll("[data-attempt]").length`)
	require.NoError(t, err)
	assert.Equal(t, 1, rows, "nothing moves under who stands on it")
	_, err = browser.Eval[bool](p,
		`(() => { [...document.querySelectorAll("button")].find((b) => b.textContent === "1 new").click(); return true })()`)
	require.NoError(t, err)
	require.NoError(t, p.Await(`document.querySelectorAll("[data-attempt]").length === 2`))
}

// TestShortcutsAreListed opens the list by its key, and not while somebody writes.
func TestShortcutsAreListed(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, team)
	p := open(t, w, "ada")
	require.NoError(t, p.Go("/courses/"+course+"/exercises/rope-means"))
	require.NoError(t, p.Write("x = 1"))
	press := func(key string) {
		t.Helper()
		_, err := browser.Eval[bool](p, fmt.Sprintf(
			`document.activeElement.dispatchEvent(new KeyboardEvent("keydown", {key: %q, bubbles: true, cancelable: true}))`,
			key))
		require.NoError(t, err)
	}
	press("?")
	listed, err := browser.Eval[bool](p, `document.querySelector("[role=dialog]") !== null`)
	require.NoError(t, err)
	assert.False(t, listed, "a question mark in a text is a question mark")
	_, err = browser.Eval[bool](p, `(() => { document.querySelector("main h1").focus(); return true })()`)
	require.NoError(t, err)
	press("?")
	require.NoError(t, p.AwaitText("[role=dialog]", "hands the program in"))
	seen, err := browser.Eval[bool](p,
		`(() => { const r = document.querySelector("[role=dialog]").getBoundingClientRect(); return r.top >= 0 && r.bottom <= innerHeight && r.left >= 0 && r.right <= innerWidth })()`)
	require.NoError(t, err)
	assert.True(t, seen, "the list lies on the screen")
	press("Escape")
	require.NoError(t, p.Await(`document.querySelector("[role=dialog]") === null`))
}
