package outbox

import (
	"bytes"
	"fmt"
	"html/template"
	"time"

	"github.com/yuin/goldmark"

	"nimbusreach/internal/service/store"
)

// frame is every mail as HTML: the same words as the plain text.
var frame = template.Must(template.New("mail").Parse(`<!doctype html>
<html lang="en"><body style="margin:0;padding:24px;background:#f7f5ef;color:#1c2a2e;font:16px/1.5 Georgia,serif">
<div style="max-width:560px;margin:0 auto">
<p>{{.Hello}}</p>
{{range .Paragraphs}}<p>{{.}}</p>
{{end}}{{with .Rich}}<div style="border-left:3px solid #0f5c63;padding-left:16px">{{.}}</div>
{{end}}{{if .Address}}<p><a href="{{.Address}}" style="color:#0f5c63">{{.Link}}</a></p>
<p style="font-size:13px;color:#55636a;word-break:break-all">{{.Address}}</p>
{{end}}<p style="font-size:13px;color:#55636a">{{.Foot}}</p>
</div></body></html>
`))

type words struct {
	Hello, Link, Address, Foot string
	Paragraphs                 []string
	Quoted                     string        // in CommonMark, as it is in plain text
	Rich                       template.HTML // the same, rendered
}

// render turns CommonMark into HTML. Raw HTML in it is left out.
func render(text string) (template.HTML, error) {
	var html bytes.Buffer
	if err := goldmark.Convert([]byte(text), &html); err != nil {
		return "", err
	}
	return template.HTML(html.String()), nil // goldmark escapes what is no markup of its own
}

// letter makes a letter of words, plain and as HTML.
func letter(p *store.Person, subject string, w words) (*store.Letter, error) {
	rich, err := render(w.Quoted)
	if err != nil {
		return nil, err
	}
	w.Rich = rich
	var html bytes.Buffer
	if err := frame.Execute(&html, w); err != nil {
		return nil, err
	}
	plain := w.Hello + "\n\n"
	for _, x := range w.Paragraphs {
		plain += x + "\n\n"
	}
	if w.Quoted != "" {
		plain += w.Quoted + "\n\n"
	}
	if w.Address != "" {
		plain += w.Link + ":\n" + w.Address + "\n\n"
	}
	plain += "-- \n" + w.Foot + "\n"
	out := &store.Letter{Recipient: p.Email, Subject: subject, Plain: plain, HTML: html.String()}
	if p.ID != 0 {
		id := p.ID
		out.PersonID = &id
	}
	return out, nil
}

// Welcome is the mail with a new account's link. course is the course's title, "" for none.
func Welcome(p *store.Person, course, address string, expires time.Time) (*store.Letter, error) {
	subject, told := "Your account", "an account was made for you"
	switch {
	case p.PasswordHash != "":
		subject, told = "A new link", "a new link was made for you"
	case course != "":
		subject, told = "Your account for "+course, "you have an account for the course "+course
	}
	return letter(p, subject, words{Hello: "Hello " + p.Display + ",", Paragraphs: []string{
		fmt.Sprintf("%s. Your name to sign in with is %s.", upper(told), p.Name),
		"The link below lets you choose a password, and signs you in. It works once, and until " + day(expires) + "."},
		Link: "Choose your password", Address: address,
		Foot: "You did not expect this? Then somebody has given your address by mistake; you need not do anything."})
}

// Forgotten is the mail with a link for a forgotten password.
func Forgotten(p *store.Person, address string, expires time.Time) (*store.Letter, error) {
	return letter(p, "A new password", words{Hello: "Hello " + p.Display + ",", Paragraphs: []string{
		"The link below lets you choose a new password for " + p.Name + ". It works once, and until " + day(expires) + ".",
		"When you use it, you are signed out everywhere else."}, Link: "Choose a new password", Address: address,
		Foot: "You did not ask for it? Then leave it unused, and tell your teaching team: your password still works."})
}

// OfNote is the mail with a note of the team, or with the team's answer below one. address is that of the console, ""
// for not known.
func OfNote(n *store.ToMail, address string) (*store.Letter, error) {
	from := "Your teaching team"
	if n.Author != nil {
		from = *n.Author
	}
	w := words{Hello: "Hello " + n.Display + ",", Paragraphs: []string{from + " has written to you in " + n.Title + ":"},
		Quoted: n.Text, Link: "Read it beside your attempt, and answer",
		Foot: "You get this because your account says that notes reach you by mail; there you can change it."}
	subject := "A note in " + n.Title
	if n.Answered != nil {
		subject, w.Quoted = "An answer in "+n.Title, *n.Answered
		w.Paragraphs = []string{"Your teaching team has answered you in " + n.Title + ":"}
	}
	if address != "" {
		w.Address = address + "/notes"
	}
	return letter(&store.Person{ID: n.PersonID, Email: n.Email}, subject, w)
}

// OfDigest is the mail with a course's digest, in plain text and as a page.
func OfDigest(p *store.Person, course, plain, html string) store.Letter {
	id := p.ID
	return store.Letter{PersonID: &id, Recipient: p.Email, Subject: "The week in " + course, Plain: plain + digestFoot,
		HTML: html}
}

const digestFoot = "\n-- \nYou get this as a teacher of the course; your account says what reaches you by mail.\n"

// OfKnot is the mail to the team about a knot that grows.
func OfKnot(p *store.Person, course, says, exercise string, before, now int, address string) (*store.Letter, error) {
	w := words{Hello: "Hello " + p.Display + ",", Paragraphs: []string{fmt.Sprintf("in %s, %d students are stuck on “%s” "+
		"in %s; an hour ago it was %d.", course, now, says, exercise, before)}, Link: "Look at the knot, and write a note",
		Address: address, Foot: "You get this because your account says that growing knots reach you by mail."}
	return letter(p, fmt.Sprintf("%d are stuck in %s", now, exercise), w)
}

func day(t time.Time) string { return t.UTC().Format("2 January 2006, 15:04 UTC") }

func upper(s string) string { return string(s[0]-'a'+'A') + s[1:] }
