package e2e

import (
	"io"
	"net"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/e2e/browser"
)

// line is a connection to the service that can be cut and mended: while it is cut nothing answers at its address.
type line struct {
	address, to string
	mu          sync.Mutex
	listener    net.Listener
	open        map[net.Conn]bool
}

func lineTo(t *testing.T, base string) *line {
	t.Helper()
	l := &line{address: "127.0.0.1:0", to: strings.TrimPrefix(base, "http://"), open: map[net.Conn]bool{}}
	l.mend(t)
	t.Cleanup(l.cut)
	return l
}

func (l *line) mend(t *testing.T) {
	t.Helper()
	listener, err := net.Listen("tcp", l.address)
	require.NoError(t, err)
	l.mu.Lock()
	l.listener, l.address = listener, listener.Addr().String()
	l.mu.Unlock()
	go func() {
		for {
			from, err := listener.Accept()
			if err != nil {
				return
			}
			to, err := net.Dial("tcp", l.to)
			if err != nil {
				from.Close()
				continue
			}
			l.mu.Lock()
			l.open[from], l.open[to] = true, true
			l.mu.Unlock()
			for _, way := range [][2]net.Conn{{from, to}, {to, from}} {
				go func() {
					_, _ = io.Copy(way[0], way[1])
					way[0].Close()
					way[1].Close()
				}()
			}
		}
	}()
}

func (l *line) cut() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.listener.Close()
	for c := range l.open {
		c.Close()
	}
	l.open = map[net.Conn]bool{}
}

// onTheTrain signs ada in over a line that can be cut, and opens the course, once.
func onTheTrain(t *testing.T, w *world) (*browser.Page, *line) {
	t.Helper()
	l := lineTo(t, w.base)
	p, err := browser.Open(background(t), "http://"+l.address)
	require.NoError(t, err)
	t.Cleanup(p.Close)
	require.NoError(t, p.SignIn("ada", password))
	require.NoError(t, p.Go("/courses/"+course))
	require.NoError(t, p.AwaitText("main", "not begun"))
	require.NoError(t, p.Await(`(() => {
		caches.open("files").then((c) => c.keys()).then((k) => {
			window.engineKept = k.some((r) => /engine-.*wasm/.test(r.url))
		})
		return window.engineKept === true
	})()`), "the course's exercises are read, and the engine")
	return p, l
}

// signOut goes by the menu of the account, by keyboard.
func signOut(t *testing.T, p *browser.Page) {
	t.Helper()
	_, err := browser.Eval[bool](p, `(() => {
		const menu = document.querySelector("header [aria-haspopup=menu]")
		menu.focus()
		return menu.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true }))
	})()`)
	require.NoError(t, err)
	press(t, p, "Sign out")
}

// TestACourseOnATrain: a course that was opened once is read, tried and written without a connection; what is handed in
// waits, outlives the page, and arrives when the line is back; signing out leaves nothing.
func TestACourseOnATrain(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	p, l := onTheTrain(t, w)
	l.cut()
	require.NoError(t, p.Go("/courses/"+course))
	require.NoError(t, p.AwaitText("[data-offline]", "No connection"))
	require.NoError(t, p.Click(`a[href="/courses/kelp-cooperative/exercises/rope-means"]`))
	require.NoError(t, p.AwaitText(".prose", "which axes must go"))
	require.NoError(t, p.Await(`document.querySelector("[data-engine=here]") !== null`))
	require.NoError(t, p.Write(wrong))
	require.NoError(t, p.AwaitText("[aria-label=shapes]", "per_rope"))
	press(t, p, "Try")
	require.NoError(t, p.AwaitText("[aria-label=trace]", "Tried on the first shown case"))
	press(t, p, "Hand in")
	require.NoError(t, p.AwaitText("[data-waiting=connection]", "Waits for a connection"))

	require.NoError(t, p.Go("/courses/"+course+"/exercises/rope-means"))
	require.NoError(t, p.AwaitText("[data-waiting=connection]", "the time it arrives is the one that counts"))
	require.NoError(t, p.AwaitText("[data-editor] .cm-content", "mean(growth over [week, rope])"))
	usable(t, p, "an exercise without a connection")
	ada := w.as(t, "ada")
	none, err := ada.Attempts(background(t), course, client.AttemptsFilter{})
	require.NoError(t, err)
	assert.Empty(t, none.Attempts)

	l.mend(t)
	require.NoError(t, p.Await(`document.querySelector("[data-verdict=differs]") !== null`))
	require.NoError(t, p.Await(`document.querySelector("[data-offline], [data-waiting]") === null`))
	list, err := ada.Attempts(background(t), course, client.AttemptsFilter{})
	require.NoError(t, err)
	require.Len(t, list.Attempts, 1)
	a, err := ada.Attempt(background(t), list.Attempts[0].ID, 0)
	require.NoError(t, err)
	assert.Equal(t, strings.TrimSpace(wrong), a.Program)
	require.NotNil(t, a.WrittenAt)
	assert.True(t, a.WrittenAt.Before(a.HandedIn))
	e, err := ada.Exercise(background(t), course, "rope-means")
	require.NoError(t, err)
	require.NotNil(t, e.Draft, "what was written on the way is kept for other devices")
	assert.Equal(t, strings.TrimSpace(wrong), e.Draft.Program)

	signOut(t, p)
	require.NoError(t, p.AwaitText("main", "Password"))
	left, err := browser.Eval[string](p, `JSON.stringify(Object.keys(localStorage))`)
	require.NoError(t, err)
	assert.Equal(t, "[]", left)
	require.NoError(t, p.Await(`(() => { caches.has("answers").then((h) => { window.kept = h }); return window.kept === false })()`))
	l.cut()
	require.NoError(t, p.Go("/courses/"+course))
	require.NoError(t, p.AwaitText("main", "The service does not answer"))
}

// TestAHandInThatWaitedPastTheClosingTime is told before anything is sent.
func TestAHandInThatWaitedPastTheClosingTime(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	p, l := onTheTrain(t, w)
	l.cut()
	require.NoError(t, p.Go("/courses/"+course+"/exercises/rope-means"))
	require.NoError(t, p.AwaitText(".prose", "which axes must go"))
	require.NoError(t, p.Write(right))
	press(t, p, "Hand in")
	require.NoError(t, p.AwaitText("[data-waiting=connection]", "Waits for a connection"))
	_, err := w.as(t, "imke").PublishFrom(ctx, course, changed(t, "exercises/rope-means/exercise.yaml", "title:",
		"closes: 2020-02-01T00:00:00Z\nlate: {until: 876000h, keeps: 0.5}\ntitle:"), anew)
	require.NoError(t, err)
	l.mend(t)
	require.NoError(t, p.AwaitText("[data-waiting=late]", "closed while this waited: sent now it is late"))
	ada := w.as(t, "ada")
	list, err := ada.Attempts(ctx, course, client.AttemptsFilter{})
	require.NoError(t, err)
	assert.Empty(t, list.Attempts, "nothing is sent by itself")

	usable(t, p, "a hand-in that would be late")
	// Who signs out now is told what would be lost.
	signOut(t, p)
	require.NoError(t, p.AwaitText("[role=alertdialog]", "One hand-in waits on this device"))
	usable(t, p, "what signing out would lose")
	press(t, p, "Stay signed in")
	press(t, p, "Send it, late")
	require.NoError(t, p.Await(`document.querySelector("[data-verdict=agrees]") !== null`))
	list, err = ada.Attempts(ctx, course, client.AttemptsFilter{})
	require.NoError(t, err)
	require.Len(t, list.Attempts, 1)
	assert.True(t, list.Attempts[0].Late)
}
