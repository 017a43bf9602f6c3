package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"time"

	"nimbusreach/client"
	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
)

// timings asks the page's engine of a demo exercise and of one of arrays of 9,800 cells, and says what its worker needs
// from a question to its answer in the page, in milliseconds, as medians.
const timings = `(async (long, demo) => {
	const entries = performance.getEntriesByType("resource")
	const at = (part) => entries.find((e) => e.name.includes(part))
	const out = { paint: performance.getEntriesByName("first-contentful-paint")[0].startTime }
	const worker = new Worker(at("/worker-").name, { type: "module" })
	let take
	const next = () => new Promise((r) => { take = r })
	worker.onmessage = (e) => take(e.data)
	let told = next()
	const started = performance.now()
	worker.postMessage({ kind: "start", url: (await (await fetch("/api/v1/session")).json()).engine })
	await told
	out.start = performance.now() - started
	let id = 0
	const ask = async (question, body) => {
		told = next()
		worker.postMessage({ kind: "ask", id: id++, question, request: JSON.stringify(body) })
		return JSON.parse((await told).text)
	}
	const time = async (n, question, body) => {
		const times = []
		for (let i = 0; i < n; i++) {
			const from = performance.now()
			const said = await ask(question, body(i))
			times.push(performance.now() - from)
			if (!said.answer) throw new Error(JSON.stringify(said))
		}
		return times.sort((a, b) => a - b)[n >> 1]
	}
	const path = "/api/v1/courses/kelp-cooperative/exercises/rope-means"
	worker.postMessage({ kind: "exercise", exercise: await (await fetch(path)).text() })
	out.try = await time(21, "try", () => ({ program: demo, case: "" }))
	const data = Array.from({ length: 4900 }, (_, i) => i * 7919 % 1000 / 1000)
	worker.postMessage({ kind: "exercise", exercise: JSON.stringify({ counting: 0, inputs: [
		{ name: "x", axes: [null, null], kind: "real" }], cases: [{ name: "a", group: "a", repeat: 0, drawn: false,
		inputs: { x: { kind: "real", shape: [98, 50], axes: null, data } } }] }) })
	out.shapes = await time(51, "shapes", (i) => ({ program: long + "last_" + i + " = 1", case: "" }))
	const have = Array.from({ length: 40 }, (_, i) => i)
	await ask("trace", { program: long, case: "", step: 14, cell: 0 })
	out.cell = await time(51, "trace", (i) => ({ program: long, case: "", step: 14, cell: i * 47, have }))
	return out
})`

// inPage measures what a student's page loads before it stands, and the engine in it.
func inPage() error {
	return served(nil, func(ctx context.Context, c *client.Client, _ string) error {
		if err := demo.Enrol(ctx, c, func(string) {}); err != nil {
			return err
		}
		p, err := browser.Open(ctx, c.Base())
		if err != nil {
			return err
		}
		defer p.Close()
		if err := p.SignIn(demo.Student, demo.Password); err != nil {
			return err
		}
		if err := p.Go("/courses/" + demo.CourseSlug + "/exercises/rope-means"); err != nil {
			return err
		}
		if err := p.Await(`document.querySelector("[data-engine=here]") !== null`); err != nil {
			return err
		}
		program := "per_rope = mean(growth over [week, depth])\nbest_week = max_at(growth over week)\n"
		long, _ := json.Marshal(everyKind)
		short, _ := json.Marshal(program)
		_, err = browser.Eval[bool](p, fmt.Sprintf("(%s(%s, %s).then((r) => { window.timed = r }, "+
			"(e) => { window.timed = { error: String(e) } }), true)", timings, long, short))
		if err != nil {
			return err
		}
		if err := p.Await("window.timed !== undefined"); err != nil {
			return err
		}
		t, err := browser.Eval[struct {
			Error                           string
			Paint, Start, Try, Shapes, Cell float64
		}](p, "window.timed")
		if err != nil {
			return err
		}
		if t.Error != "" {
			return fmt.Errorf("in the page: %s", t.Error)
		}
		ms := func(x float64) string { return time.Duration(x * 1e6).Round(100 * time.Microsecond).String() }
		row("exercise, loaded anew: first paint", ms(t.Paint), "")
		row("engine in the page: start", ms(t.Start), "")
		row("engine in the page: shapes of twenty lines", ms(t.Shapes), "<= 16 ms")
		row("engine in the page: Try of a demo exercise", ms(t.Try), "<= 50 ms")
		row("engine in the page: where a cell of 9,800 came from", ms(t.Cell), "<= 16 ms")
		return packed()
	})
}

// imported finds the scripts that a script cannot begin without.
var imported = regexp.MustCompile(`(?:from|import)\s*["\x60]\./([\w.-]+\.js)["\x60]`)

// packed says how large the engine is as a browser gets it over TLS, and the scripts that an exercise's page stands on
// before: the editor and the prompt's reader come after it, and the engine after those.
func packed() error {
	const assets = "internal/service/web/dist/assets/"
	one := func(pattern string) (string, error) {
		found, err := filepath.Glob(assets + pattern)
		if err != nil || len(found) != 1 {
			return "", fmt.Errorf("the console is not built: %d files %s", len(found), pattern)
		}
		return filepath.Base(found[0]), nil
	}
	sizes := map[string]int64{}
	var total int64
	var load func(name string) error
	load = func(name string) error {
		if sizes[name] > 0 {
			return nil
		}
		text, err := os.ReadFile(assets + name)
		if err != nil {
			return err
		}
		info, err := os.Stat(assets + name + ".gz")
		if err != nil {
			return err
		}
		sizes[name] = info.Size()
		total += info.Size()
		for _, m := range imported.FindAllSubmatch(text, -1) {
			if err := load(string(m[1])); err != nil {
				return err
			}
		}
		return nil
	}
	for _, pattern := range []string{"index-*.js", "Workspace-*.js"} {
		name, err := one(pattern)
		if err == nil {
			err = load(name)
		}
		if err != nil {
			return err
		}
	}
	row("exercise: script before it stands, with gzip", fmt.Sprintf("%d KB", total/1000), "<= 200 KB")
	name, err := one("engine-*.wasm.br")
	if err != nil {
		return err
	}
	info, err := os.Stat(assets + name)
	if err != nil {
		return err
	}
	row("engine, with brotli", fmt.Sprintf("%.2f MB", float64(info.Size())/1e6), "<= 2 MB")
	return nil
}
