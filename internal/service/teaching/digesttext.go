package teaching

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"

	"nimbusreach/client/wire"
)

// DigestMarkdown writes a digest as CommonMark with tables.
func DigestMarkdown(d *wire.Digest, zone *time.Location) string {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format, args...) }
	p("# %s\n\n%s\n\n", plainText(d.Title), span(d, zone))
	for _, s := range d.Sentences {
		p("- %s\n", s)
	}
	p("\n%s by %d of %s; %d were quiet.\n", count(d.Attempts, "attempt"), d.Active, count(d.Students, "student"), d.Quiet)
	for _, x := range []struct {
		title string
		list  []wire.DigestKnot
	}{{"Knots that formed", d.Formed}, {"Knots that grew", d.Grew}, {"Knots that dissolved", d.Dissolved}} {
		if len(x.list) == 0 {
			continue
		}
		p("\n## %s\n\n| before | now | stuck on | exercise |\n|---:|---:|---|---|\n", x.title)
		for i := range x.list {
			k := &x.list[i]
			p("| %d | %d | %s | %s |\n", k.Before, k.After, knotText(k.KnotRef), plainText(k.Called))
		}
	}
	p("\n## Notes and what they came to\n\n")
	if len(d.Notes) == 0 {
		p("No note was written in this span.\n")
	} else {
		p("| note | reached | agreed since | still stuck | answered |\n|---|---:|---:|---:|---:|\n")
		for i := range d.Notes {
			n := &d.Notes[i]
			p("| %s | %d | %d | %d | %d |\n", firstLine(n.Text), n.Effect.Reached, n.Effect.Agreed, n.Effect.Still,
				n.Effect.Answered)
		}
	}
	p("\n## Exercises\n\n| exercise | attempts | tried | agree | median tries | hardest output | slips caught | changed " +
		"by hand |\n|---|---:|---:|---:|---:|---|---:|---:|\n")
	for i := range d.Exercises {
		e := &d.Exercises[i]
		p("| %s | %d | %d | %s | %s | %s | %s | %d |\n", plainText(e.Title), e.Attempts, e.Tried, percent(e.Share),
			number(e.Tries), hardestText(e), percent(e.Caught), e.Changed)
	}
	return b.String()
}

func span(d *wire.Digest, zone *time.Location) string {
	const form = "2 January 2006, 15:04"
	return fmt.Sprintf("%s to %s (%s)", d.From.In(zone).Format(form), d.To.In(zone).Format(form), zone)
}

func knotText(k wire.KnotRef) string {
	if k.Output == "" {
		return plainText(k.Says)
	}
	return "`" + k.Output + "`: " + plainText(k.Says)
}

func hardestText(e *wire.DigestExercise) string {
	if e.Hardest == "" {
		return "—"
	}
	return fmt.Sprintf("`%s` (%d)", e.Hardest, e.Stuck)
}

func percent(x *float64) string {
	if x == nil {
		return "—"
	}
	return fmt.Sprintf("%.0f %%", 100**x)
}

func number(x *float64) string {
	if x == nil {
		return "—"
	}
	return fmt.Sprintf("%g", *x)
}

// plainText keeps a text from being read as markup.
func plainText(s string) string {
	return strings.NewReplacer(`\`, `\\`, "|", `\|`, "*", `\*`, "_", `\_`, "`", "\\`", "<", `\<`, "[", `\[`, "\n", " ").
		Replace(s)
}

// firstLine is the beginning of a note, as one cell of a table.
func firstLine(text string) string {
	line, _, more := strings.Cut(strings.TrimSpace(text), "\n")
	if r := []rune(line); len(r) > 80 {
		line, more = string(r[:79]), true
	}
	if more {
		line += "…"
	}
	return plainText(line)
}

// DigestHTML writes a digest as a page of its own.
func DigestHTML(d *wire.Digest, zone *time.Location) (string, error) {
	var body bytes.Buffer
	err := goldmark.New(goldmark.WithExtensions(extension.Table)).Convert([]byte(DigestMarkdown(d, zone)), &body)
	if err != nil {
		return "", err
	}
	return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>` + htmlText(d.Title) + `</title><style>
body{margin:0 auto;max-width:60rem;padding:24px;background:#f7f5ef;color:#1c2a2e;font:16px/1.5 Georgia,serif}
table{border-collapse:collapse;width:100%}td,th{border-bottom:1px solid #cfc9bb;padding:4px 8px;text-align:left}
h1{font-size:28px}h2{font-size:20px;margin-top:28px}
</style></head><body><main>
` + body.String() + "</main></body></html>\n", nil
}

func htmlText(s string) string { return strings.NewReplacer("&", "&amp;", "<", "&lt;").Replace(s) }

// DigestText writes a digest for a terminal or a plain mail.
func DigestText(d *wire.Digest, zone *time.Location) string {
	var b strings.Builder
	p := func(format string, args ...any) { fmt.Fprintf(&b, format, args...) }
	p("%s\n%s\n\n", d.Title, span(d, zone))
	for _, s := range d.Sentences {
		p("  %s\n", s)
	}
	p("\n%s by %d of %s; %d were quiet.\n", count(d.Attempts, "attempt"), d.Active, count(d.Students, "student"), d.Quiet)
	for _, x := range []struct {
		title string
		list  []wire.DigestKnot
	}{{"Knots that formed", d.Formed}, {"Knots that grew", d.Grew}, {"Knots that dissolved", d.Dissolved}} {
		if len(x.list) == 0 {
			continue
		}
		p("\n%s\n", x.title)
		for i := range x.list {
			k := &x.list[i]
			what := k.Says
			if k.Output != "" {
				what = k.Output + ": " + what
			}
			p("  %3d → %-3d %-52.52s %s\n", k.Before, k.After, what, k.Called)
		}
	}
	p("\nNotes and what they came to\n")
	if len(d.Notes) == 0 {
		p("  no note was written in this span\n")
	}
	for i := range d.Notes {
		n := &d.Notes[i]
		line, _, _ := strings.Cut(n.Text, "\n")
		p("  %-60.60s reached %d, agreed since %d, still %d, answered %d\n", line, n.Effect.Reached, n.Effect.Agreed,
			n.Effect.Still, n.Effect.Answered)
	}
	p("\n%-32s %8s %6s %6s %7s %7s %8s  %s\n", "exercise", "attempts", "tried", "agree", "median", "caught", "by hand",
		"hardest output")
	for i := range d.Exercises {
		e := &d.Exercises[i]
		hardest := "—"
		if e.Hardest != "" {
			hardest = fmt.Sprintf("%s (%d)", e.Hardest, e.Stuck)
		}
		p("%-32.32s %8d %6d %6s %7s %7s %8d  %s\n", e.Title, e.Attempts, e.Tried, percent(e.Share), number(e.Tries),
			percent(e.Caught), e.Changed, hardest)
	}
	return b.String()
}
