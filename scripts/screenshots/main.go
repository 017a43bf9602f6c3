// Command screenshots takes the pictures in docs/screenshots from a running demo:
//
//	go run ./scripts/screenshots -service http://127.0.0.1:8080
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"nimbusreach/client"
	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/core/codes"
)

// shot is one picture: who looks, at what, how large, and what must show first.
type shot struct {
	file, person, path string
	width, height      int64
	dark               bool
	wait               string
	write              string // handed in before the picture
	click              string // a script that opens what is to be seen
	then               string // what must show after that
}

const course = "/courses/" + demo.CourseSlug

var wrong = "per_rope = mean(growth over [week, rope])\nbest_week = max(growth over week)\nspread = max(growth over " +
	"[rope, depth]) - min(growth over [rope, depth])"

// segment goes to a part of an exercise's page on a phone.
func segment(words string) string {
	return fmt.Sprintf(`[...document.querySelectorAll("[role=radio]")].find((b) => b.textContent.endsWith(%q)).click()`, words)
}

// bringing takes data and brings two files, of which one does not have the form that is wanted.
const bringing = `(() => {
	const after = (ms, f) => setTimeout(f, ms);
	[...document.querySelectorAll("[role=radio]")].find((b) => b.textContent === "bring results").click()
	after(300, () => [...document.querySelectorAll("button")].find((b) => b.textContent === "Take data")?.click())
	after(900, () => {
		const d = new DataTransfer()
		const add = (name, text) => d.items.add(new File([text], name))
		for (const c of ["own-1", "own-2"]) {
			add(c + ".jar_price.csv", "8.05\n8.1\n4.225\n")
			add(c + ".bill.csv", "20.325\n48.55\n")
			add(c + ".needed.csv", c === "own-1" ? "10.5\n23.5\n20\n11\n" : "10.5\n23.5\n20\n")
		}
		const input = document.querySelector("input[type=file]")
		input.files = d.files
		input.dispatchEvent(new Event("change", { bubbles: true }))
	})
	const look = setInterval(() => {
		const form = document.querySelector("[aria-label=form]")
		if (!form) return
		clearInterval(look)
		form.scrollIntoView({ block: "center" })
	}, 50)
})()`

// pointing goes to a cell of what an attempt made, and to where it came from.
const pointing = `(() => {
	document.querySelector("table[aria-label^=got] td[role=gridcell]").focus()
	const look = setInterval(() => {
		if (!document.querySelector("[data-lineage]")) return
		clearInterval(look)
		document.querySelector("table[aria-label^=got]").closest("figure").scrollIntoView({ block: "start" })
	}, 50)
})()`

func main() {
	service := flag.String("service", "http://127.0.0.1:8080", "the demo's address")
	out := flag.String("out", "docs/screenshots", "where the pictures go")
	only := flag.String("only", "", "take only the picture of this name")
	flag.Parse()
	if err := run(*service, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(service, out, only string) error {
	ctx := context.Background()
	attempt, err := attemptThatDiffers(ctx, service)
	if err != nil {
		return err
	}
	fresh, err := whoHasNotBegun(ctx, service, "shapes-first")
	if err != nil {
		return err
	}
	knot, err := knotWithANote(ctx, service)
	if err != nil {
		return err
	}
	shots := []shot{
		{file: "course", person: "ada", path: course, width: 1280, height: 800,
			wait: `document.querySelectorAll("main li").length > 2`},
		{file: "workspace", person: "zeno", path: course + "/exercises/rope-means", width: 1280, height: 800,
			wait: `document.querySelector("[data-editor]") && document.querySelector("table.mono")`, write: wrong},
		{file: "workspace-phone", person: "zeno", path: course + "/exercises/rope-means", width: 360, height: 800,
			dark: true, wait: `document.querySelector("[aria-label=shapes]") && document.querySelector("[data-made]")`,
			click: segment("Task"), then: `document.querySelector("[data-made]").getClientRects().length > 0`},
		{file: "workspace-phone-verdict", person: "zeno", path: course + "/exercises/rope-means", width: 360, height: 800,
			dark: true, wait: `document.querySelector("[data-verdict]")`, click: segment("Verdict"),
			then: `document.querySelector("[data-verdict]").getClientRects().length > 0`},
		{file: "desk", person: "aron", path: course + "/desk", width: 1280, height: 800,
			wait: `document.querySelector("[data-line=live]")`},
		{file: "bring", person: "cato", path: course + "/exercises/pigment-mix", width: 1280, height: 800,
			wait: `document.body.textContent.includes("bring results")`, click: bringing,
			then: `document.querySelectorAll("[aria-label=form] li").length > 5`},
		{file: "knot", person: "aron", path: course + knot, width: 1280, height: 800,
			wait: `document.querySelector("figure") && document.querySelector("[data-note]")`},
		{file: "map", person: "aron", path: course + "/map", width: 1280, height: 800,
			wait: `document.querySelectorAll("[data-student]").length > 10`},
		{file: "digest", person: "aron", path: course + "/digest", width: 1280, height: 800,
			wait: `document.querySelectorAll("main table tr").length > 3`},
		{file: "attempt", person: "aron", path: fmt.Sprintf("%s/attempts/%d", course, attempt), width: 1280, height: 800,
			wait: `document.querySelectorAll("td[role=gridcell]").length > 2`, click: pointing,
			then: `document.querySelector("[data-lineage] td[data-from]")`},
	}
	shots = append(shots,
		shot{file: "author", person: "imke", path: course + "/author?exercise=buoy-distances", width: 1280, height: 800,
			wait: `document.querySelector('[data-health="rope-means"]')?.textContent.includes("%")`},
		shot{file: "people", person: "imke", path: course + "/people", width: 1280, height: 800,
			wait:  `document.querySelectorAll("[role=row]").length > 10`,
			click: `document.querySelectorAll("[role=row]")[1].click()`},
		shot{file: "gradebook", person: "imke", path: course + "/gradebook", width: 1280, height: 800,
			wait: `document.querySelectorAll("[role=row]").length > 10`},
		shot{file: "service", person: "harbour", path: "/service", width: 1280, height: 800,
			wait: `document.querySelectorAll("main dd").length > 4`},
		shot{file: "predictions", person: fresh, path: course + "/exercises/shapes-first", width: 1280, height: 800,
			wait: `document.querySelector('[aria-label="predictions"]') && document.querySelector(".prose")`})
	pages := map[string]*browser.Page{}
	defer func() {
		for _, p := range pages {
			p.Close()
		}
	}()
	for _, s := range shots {
		if only != "" && only != s.file {
			continue
		}
		p := pages[s.person]
		if p == nil {
			if p, err = browser.Open(ctx, service); err != nil {
				return err
			}
			pages[s.person] = p
			if s.person != "" {
				if err := p.SignIn(s.person, demo.Password); err != nil {
					return err
				}
			}
		}
		if err := take(p, s, filepath.Join(out, s.file+".png")); err != nil {
			return fmt.Errorf("%s: %w", s.file, err)
		}
		fmt.Println(filepath.Join(out, s.file+".png"))
	}
	return nil
}

func take(p *browser.Page, s shot, file string) error {
	for _, step := range []func() error{
		func() error { return p.Size(s.width, s.height) },
		func() error { return p.Dark(s.dark) },
		func() error { return p.Go(s.path) },
		func() error { return p.Await(`!!(` + s.wait + `)`) },
	} {
		if err := step(); err != nil {
			return err
		}
	}
	if s.write != "" {
		if err := p.Write(s.write); err != nil {
			return err
		}
		if err := p.Click("button.button-main"); err != nil {
			return err
		}
		if err := p.AwaitText("[data-finding]", string(codes.ShapeDiffers)); err != nil {
			return err
		}
	}
	if s.click != "" {
		if _, err := browser.Eval[bool](p, "("+s.click+", true)"); err != nil {
			return err
		}
	}
	if s.then != "" {
		if err := p.Await(`!!(` + s.then + `)`); err != nil {
			return err
		}
	}
	time.Sleep(700 * time.Millisecond) // fonts
	picture, err := p.Picture()
	if err != nil {
		return err
	}
	return os.WriteFile(file, picture, 0o644)
}

// whoHasNotBegun finds a student who has not answered an exercise's questions yet.
func whoHasNotBegun(ctx context.Context, service, exercise string) (string, error) {
	people, err := demo.Roster()
	if err != nil {
		return "", err
	}
	for _, p := range people {
		if p.Role != "student" || p.Name == demo.Student {
			continue
		}
		c := client.New(service, "")
		if _, err := c.SignIn(ctx, p.Name, demo.Password, "screenshots"); err != nil {
			return "", err
		}
		e, err := c.Exercise(ctx, demo.CourseSlug, exercise)
		if err != nil {
			return "", err
		}
		if len(e.Asks) > 0 {
			return p.Name, nil
		}
	}
	return "", fmt.Errorf("every student has begun %s", exercise)
}

// attemptThatDiffers finds an attempt whose values differ, for the attempt page.
func attemptThatDiffers(ctx context.Context, service string) (uint64, error) {
	c := client.New(service, "")
	if _, err := c.SignIn(ctx, demo.Assistant, demo.Password, "screenshots"); err != nil {
		return 0, err
	}
	list, err := c.Attempts(ctx, demo.CourseSlug, client.AttemptsFilter{Exercise: "standard-scores",
		Lead: string(codes.AxisOther), Limit: 1})
	if err != nil {
		return 0, err
	}
	if len(list.Attempts) == 0 {
		return 0, fmt.Errorf("the demo holds no attempt that worked along another axis")
	}
	return list.Attempts[0].ID, nil
}

// knotWithANote finds the page of the largest knot that a note was written to.
func knotWithANote(ctx context.Context, service string) (string, error) {
	c := client.New(service, "")
	if _, err := c.SignIn(ctx, demo.Assistant, demo.Password, "screenshots"); err != nil {
		return "", err
	}
	list, err := c.Knots(ctx, demo.CourseSlug, client.KnotQuery{})
	if err != nil {
		return "", err
	}
	for _, k := range list.Knots {
		if k.Notes > 0 {
			return fmt.Sprintf("/knots/%s/%s/%s", k.Exercise, k.Code, k.Output), nil
		}
	}
	return "", errors.New("no knot has a note")
}
