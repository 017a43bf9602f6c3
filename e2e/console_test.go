package e2e

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/browser"
)

// open starts a browser and signs somebody in.
func open(t *testing.T, w *world, name string) *browser.Page {
	t.Helper()
	if _, err := os.Stat("../internal/service/web/dist/index.html"); err != nil {
		t.Fatal("the console is not built; `make test` builds it first")
	}
	p, err := browser.Open(context.Background(), w.base)
	require.NoError(t, err)
	t.Cleanup(p.Close)
	require.NoError(t, p.SignIn(name, password))
	return p
}

// TestAStudentFixesAWrongAnswerWhileTheDeskWatches is the slice's story: a wrong
// answer, its shapes, the fixed one, and a desk that sees both arrive.
func TestAStudentFixesAWrongAnswerWhileTheDeskWatches(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	aron := open(t, w, "aron")
	require.NoError(t, aron.Click(`a[href="/courses/kelp-cooperative/desk"]`))
	require.NoError(t, aron.Await(`document.querySelector("[data-line=live]") !== null`))
	require.NoError(t, aron.AwaitText("main", "Nothing has been handed in yet"))
	_, err := browser.Eval[bool](aron, `window.notReloaded = true`)
	require.NoError(t, err)

	ada := open(t, w, "ada")
	require.NoError(t, ada.Click(`main a[href="/courses/kelp-cooperative"]`))
	require.NoError(t, ada.AwaitText("main", "not begun"))
	require.NoError(t, ada.Click(`a[href="/courses/kelp-cooperative/exercises/rope-means"]`))
	require.NoError(t, ada.AwaitText(".prose", "which axes must go"))
	require.NoError(t, ada.AwaitText("figure", "depth"))
	require.NoError(t, ada.Write(wrong))
	require.NoError(t, ada.Click("button.button-main"))
	require.NoError(t, ada.Await(`document.querySelector("[data-verdict=differs]") !== null`))
	require.NoError(t, ada.AwaitText(`[data-finding="shape.differs"]`,
		"has the shape [depth=4] where [rope=3] was expected"))
	require.NoError(t, ada.Click(`[data-cause="axis.other"] button`))
	caret, err := browser.Eval[string](ada,
		`(() => { const s = document.getSelection(); return s.anchorNode.textContent.slice(s.anchorOffset) || s.anchorNode.parentElement.textContent })()`)
	require.NoError(t, err)
	assert.NotEmpty(t, caret, "the place of a cause leads into the text")

	require.NoError(t, ada.AwaitText(`[aria-label="the smallest example"]`, "growth = [[["))
	require.NoError(t, ada.Click(`[aria-label="the smallest example"] button`))
	require.NoError(t, ada.AwaitText(`[aria-label=trace]`, "Tried on the example, line by line"))
	require.NoError(t, ada.AwaitText(`button`, "Try on the example"))

	require.NoError(t, ada.AwaitText(`[data-cause="axis.other"]`, "Which axis must go, and which must stay?"))
	require.NoError(t, aron.AwaitText("[data-attempt]", "axis.other"))
	require.NoError(t, aron.AwaitText(`[data-knot="rope-means/axis.other"]`, "worked over or along another axis"))

	require.NoError(t, ada.Write(right))
	require.NoError(t, ada.Click("button.button-main"))
	require.NoError(t, ada.Await(`document.querySelector("[data-verdict=agrees]") !== null`))

	require.NoError(t,
		aron.Await(`document.querySelector('[data-exercise="rope-means"] [data-count=agrees]')?.textContent === "1"`))
	require.NoError(t, aron.AwaitText("main", "No knots"))
	kept, err := browser.Eval[bool](aron, `window.notReloaded === true`)
	require.NoError(t, err)
	assert.True(t, kept, "the desk saw both without reloading")

	require.NoError(t, aron.Click(`[data-attempt="1"] a`))
	require.NoError(t, aron.AwaitText("h1", "ada Shoalby, Mean growth of each rope"))
	require.NoError(t, aron.Await(`document.querySelectorAll("figure").length >= 2`))
	require.NoError(t, aron.AwaitText("figure", "expected"))
	require.NoError(t, aron.AwaitText("figure", "depth"))
}

func TestAWrongSignInSaysSo(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, map[string]string{"ada": "student"})
	p, err := browser.Open(context.Background(), w.base)
	require.NoError(t, err)
	defer p.Close()
	assert.Error(t, p.SignInOnce("ada", "not her password"))
	require.NoError(t, p.AwaitText("[role=alert]", "name or the password is wrong"))
	require.NoError(t, p.Go("/courses/kelp-cooperative/desk"))
	require.NoError(t, p.Await(`location.pathname === "/sign-in"`), "nobody gets in unsigned")
}

func TestStudentsDoNotReachTheDesk(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	p := open(t, w, "ada")
	require.NoError(t, p.Go("/courses/kelp-cooperative/desk"))
	require.NoError(t, p.AwaitText("[role=alert]", "Your role does not allow this"))
}

func TestDraftsAreKept(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	p := open(t, w, "ada")
	require.NoError(t, p.Go("/courses/kelp-cooperative/exercises/rope-means"))
	require.NoError(t, p.Write("per_rope = 42"))
	require.NoError(t, p.Go("/courses/kelp-cooperative/exercises/rope-means"))
	require.NoError(t, p.AwaitText(".cm-content", "per_rope = 42"))
}
