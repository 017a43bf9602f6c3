package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/core/functions"
)

var example = regexp.MustCompile("(?s)```nra[^\n]*\n(.*?)```")

// withEngine opens an exercise and waits until the page's engine answers.
func withEngine(t *testing.T, w *world, name string) *browser.Page {
	t.Helper()
	p := open(t, w, name)
	require.NoError(t, p.Go("/courses/"+course+"/exercises/rope-means"))
	require.NoError(t, p.Await(`document.querySelector("[data-engine=here]") !== null`))
	return p
}

// both asks a question of an engine of the page's own files and of the service, and returns what each said, as texts.
const both = `(async (asks) => {
	const files = performance.getEntriesByType("resource").map((e) => e.name)
	const worker = new Worker(files.find((f) => f.includes("/assets/worker-")), { type: "module" })
	let take
	const next = () => new Promise((r) => { take = r })
	worker.onmessage = (e) => take(e.data)
	const path = "/api/v1/courses/kelp-cooperative/exercises/rope-means"
	const me = await (await fetch("/api/v1/session")).json()
	let told = next()
	worker.postMessage({ kind: "start", url: me.engine })
	if ((await told).kind !== "ready") return []
	worker.postMessage({ kind: "exercise", exercise: await (await fetch(path)).text() })
	const out = []
	for (const [id, [question, body]] of asks.entries()) {
		told = next()
		worker.postMessage({ kind: "ask", id, question, request: JSON.stringify(body) })
		const here = (await told).text
		const there = await (await fetch(path + "/" + question, { method: "POST", body: JSON.stringify(body),
			headers: { "Content-Type": "application/json", "X-CSRF-Token": me.csrf } })).text()
		out.push([here, there])
	}
	return out
})`

// TestTheEngineSaysWhatTheServiceSays asks both of every example of the notation's page, before and after a run and of
// the last line's first cell; the answers are the same text, up to the last digit of exponentials, for which processors
// have their own instructions.
func TestTheEngineSaysWhatTheServiceSays(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	p := withEngine(t, w, "ada")
	page, err := os.ReadFile("../docs/notation.md")
	require.NoError(t, err)
	programs := []string{right, wrong, "", "x = (", "per_rope = growth[9]",
		"each k in 0 to 2 { x = sum(growth[k, all, all]) }",
		"x = sort(growth[growth > 5])", "x = draw_uniform([3], 0, 1)\ny = shuffled(x)", "x = \"\\ud800\""}
	for _, b := range example.FindAllStringSubmatch(string(page), -1) {
		programs = append(programs, b[1])
	}
	for _, name := range functions.Names() {
		programs = append(programs, "shown = "+functions.Lookup(name).Example)
	}
	programs = append(programs,
		"a = reshape(flatten(growth), [10, 6])\nb = dot(transpose(a), a)\nc = inverse(b)\nd = exp(a)",
		"a = reshape(flatten(growth), [10, 6])\nu = svd(a)",
		"c = log(growth)\nd = std(growth)", "a = tanh(growth / 7)\nb = growth ^ 0.3")
	require.Greater(t, len(programs), 20)
	var asks [][2]any
	add := func(question string, body any) { asks = append(asks, [2]any{question, body}) }
	for _, program := range programs {
		in := wire.Try{Program: program}
		add("shapes", in)
		add("try", in)
		for step := range 3 {
			add("trace", wire.TraceCell{Try: in, Step: step})
		}
	}
	own := map[string]any{"program": "x = growth * 2\ny = draw_uniform([2], 0, 1)", "case": "",
		"inputs": map[string]any{"growth": []any{[]any{[]any{1, 2.5}}, []any{[]any{3, 4}}}}}
	add("try", own)
	own = map[string]any{"program": "x = 1", "case": "", "inputs": map[string]any{"growth": []any{1}}}
	add("try", own)
	add("try", map[string]any{"program": "x = 1", "case": "spring"})
	text, err := json.Marshal(asks)
	require.NoError(t, err)
	_, err = browser.Eval[bool](p, "("+both+"("+string(text)+").then((s) => { window.said = s }), true)")
	require.NoError(t, err)
	require.NoError(t, p.Await("window.said !== undefined"))
	said, err := browser.Eval[[][2]string](p, "window.said")
	require.NoError(t, err)
	require.Len(t, said, len(asks))
	answered, refused, alike := 0, 0, 0
	for i, s := range said {
		here, there := s[0], s[1]
		switch {
		case strings.HasPrefix(here, `{"answer":`):
			answered++
			here = strings.TrimSuffix(strings.TrimPrefix(here, `{"answer":`), "}")
			if here == there {
				alike++
			}
			assert.Equal(t, number.ReplaceAllString(there, "#"), number.ReplaceAllString(here, "#"), "%v", asks[i])
			mine := number.FindAllString(here, -1)
			for k, theirs := range number.FindAllString(there, -1) {
				if k < len(mine) && mine[k] != theirs {
					assertLastDigit(t, theirs, mine[k], asks[i])
				}
			}
		default:
			var h struct{ Problem *wire.Problem }
			var th wire.Problem
			require.NoError(t, json.Unmarshal([]byte(here), &h), here)
			require.NoError(t, json.Unmarshal([]byte(there), &th), there)
			th.Instance = ""
			if assert.NotNil(t, h.Problem, "%s\n%v", here, asks[i]) {
				refused++
				assert.Equal(t, th, *h.Problem, "%v", asks[i])
			}
		}
	}
	assert.Greater(t, answered, 60)
	assert.Greater(t, refused, 5)
	assert.Greater(t, alike, answered*9/10, "nearly all are the same text; exponentials differ by the processor")
}

var number = regexp.MustCompile(`-?\d+\.\d+(e[+-]?\d+)?`)

// assertLastDigit holds two reals to each other up to their last digits.
func assertLastDigit(t *testing.T, a, b string, of any) {
	t.Helper()
	x, err := strconv.ParseFloat(a, 64)
	require.NoError(t, err)
	y, err := strconv.ParseFloat(b, 64)
	require.NoError(t, err)
	assert.LessOrEqual(t, math.Abs(x-y), 1e-15*math.Abs(x), "%s, %s: %v", a, b, of)
}

// TestTypingAndTryingNeedNoService takes the routes away that answered before, and tries; a program that never ends is
// stopped, the page lives, and what was typed stays.
func TestTypingAndTryingNeedNoService(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	p := withEngine(t, w, "ada")
	_, err := browser.Eval[bool](p, `(() => {
		const before = window.fetch
		window.asked = []
		window.fetch = (to, how) => { window.asked.push(String(to)); return before(to, how) }
		return true
	})()`)
	require.NoError(t, err)
	require.NoError(t, p.Write("per_rope = mean(growth over [week, depth])"))
	require.NoError(t, p.AwaitText("[aria-label=shapes]", "per_rope"))
	button := `[...document.querySelectorAll("button")].find((b) => b.textContent === "Try")`
	_, err = browser.Eval[bool](p, button+`.click(), true`)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText(`[aria-label=trace]`, "Tried on the first shown case"))
	require.NoError(t, p.AwaitText("main", "Point at a cell to see where it came from."))
	asked, err := browser.Eval[[]string](p, `window.asked.filter((a) => /shapes|try|trace/.test(a))`)
	require.NoError(t, err)
	assert.Empty(t, asked, "nothing went to the service")

	endless := "x = 0\neach k in 0 to 100000000 {\n  x = x + sum(growth)\n}"
	require.NoError(t, p.Write(endless))
	_, err = browser.Eval[bool](p, button+`.click(), true`)
	require.NoError(t, err)
	require.NoError(t, p.AwaitText(`[aria-label=trace]`, "exceeded its limit on"))
	typed, err := browser.Eval[string](p, `document.querySelector("[data-editor] .cm-content").innerText`)
	require.NoError(t, err)
	assert.Contains(t, typed, "each k in 0 to 100000000")
}

// TestFilesComeAsTheyArePacked asks for the engine as browsers do over TLS, without it, and as nobody does.
func TestFilesComeAsTheyArePacked(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	me, err := w.as(t, "ada").Me(background(t))
	require.NoError(t, err)
	require.Regexp(t, `^/assets/engine-[\w-]+\.wasm$`, me.Engine)
	sizes := map[string]int64{}
	for accepted, packing := range map[string]string{"gzip, deflate, br, zstd": "br", "gzip, deflate": "gzip",
		"br;q=0, gzip;q=0.5": "gzip", "deflate": "", "*;q=0": ""} {
		req, err := http.NewRequestWithContext(background(t), http.MethodGet, w.base+me.Engine, nil)
		require.NoError(t, err)
		req.Header.Set("Accept-Encoding", accepted)
		res, err := http.DefaultTransport.RoundTrip(req)
		require.NoError(t, err)
		sizes[packing], err = io.Copy(io.Discard, res.Body)
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, packing, res.Header.Get("Content-Encoding"), accepted)
		assert.Equal(t, "application/wasm", res.Header.Get("Content-Type"))
		assert.Equal(t, "Accept-Encoding", res.Header.Get("Vary"))
		assert.Contains(t, res.Header.Get("Cache-Control"), "immutable")
	}
	assert.Less(t, sizes["br"], int64(2_000_000), "what a phone loads")
	assert.Less(t, sizes["br"], sizes["gzip"])
	assert.Less(t, sizes["gzip"], sizes[""])
	for path, kind := range map[string]string{"/offline.js": "text/javascript; charset=utf-8",
		"/manifest.webmanifest": "application/manifest+json", "/icon-192.png": "image/png"} {
		res, err := http.Get(w.base + path)
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, 200, res.StatusCode, path)
		assert.Equal(t, kind, res.Header.Get("Content-Type"), path)
		assert.Equal(t, "no-cache", res.Header.Get("Cache-Control"), path)
	}
}

// TestDrawsOnDrawnDataAreTheServices: the page is told which cases' draws it cannot make, and not what they depend on.
func TestDrawsOnDrawnDataAreTheServices(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	_, err := w.as(t, "imke").PublishFrom(background(t), course, changed(t, "exercises/bays-joined/exercise.yaml",
		"- name: drawn\n", "- name: drawn\n    shown: true\n"), anew)
	require.NoError(t, err)
	var raw json.RawMessage
	require.Equal(t, 200, w.asked(t, "ada", "GET", "/courses/"+course+"/exercises/bays-joined", nil, &raw))
	assert.NotContains(t, string(raw), "seed")
	var e wire.Exercise
	require.NoError(t, json.Unmarshal(raw, &e))
	var told []string
	for _, c := range e.Cases {
		told = append(told, fmt.Sprintf("%s %s %d %v", c.Name, c.Group, c.Repeat, c.Drawn))
	}
	assert.Equal(t, []string{"spring spring 0 false", "drawn 1 drawn 0 true", "drawn 2 drawn 1 true"}, told)
}
