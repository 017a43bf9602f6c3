package e2e

import (
	"encoding/csv"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-ical"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/demo/standin"
	"nimbusreach/e2e/browser"
	"nimbusreach/e2e/testdb"
)

// campus is a roster of so many people as a campus office writes it: Windows-1252, semicolons, columns of its own,
// every
// third without an address.
func campus(n int) []byte {
	var b strings.Builder
	b.WriteString("Matr. no;Nachname;Vorname;E-Mail;Gruppe;Studiengang\r\n")
	for i := range n {
		mail := fmt.Sprintf("student%d@farm.example", i)
		if i%3 == 2 {
			mail = ""
		}
		fmt.Fprintf(&b, "%d;M\xfcller-%d;J\xf6rg;%s;Lab %d;Biologie\r\n", 4000+i, i, mail, 1+i%2)
	}
	return []byte(b.String())
}

var linkPattern = regexp.MustCompile(`http://\S+/link#\S+`)

// mailedTo waits for a mail to an address, and returns the link in it.
func mailedTo(t *testing.T, post *standin.Server, address string, after int) string {
	t.Helper()
	link := ""
	require.Eventually(t, func() bool {
		for _, m := range post.Mails()[after:] {
			if m.To[0] == address {
				link = linkPattern.FindString(m.Plain)
				assert.Contains(t, m.HTML, link, "the same in HTML")
			}
		}
		return link != ""
	}, patience, 20*time.Millisecond, "no mail to %s", address)
	return link
}

// TestTheFirstHourOfACourse is docs/first-course.md: from an empty database to next term, with the commands that
// stand there.
func TestTheFirstHourOfACourse(t *testing.T) {
	post, err := standin.Start("127.0.0.1:0", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = post.Close() })
	t.Setenv("NIMBUS_SMTP", post.Config())
	t.Setenv("NIMBUS_SIGN_IN_FILE", filepath.Join(t.TempDir(), "sign-in.json"))
	p := serve(t, testdb.New(t))
	ctx := background(t)
	run := func(arguments ...string) string {
		t.Helper()
		code, out, told := nimbus(t, "", arguments...)
		require.Zero(t, code, "%v: %s%s", arguments, out, told)
		return out
	}
	signIn := func(name string) *client.Client {
		t.Helper()
		code, _, told := nimbus(t, password+"\n", "sign-in", "--service", p.base, "--name", name)
		require.Zero(t, code, told)
		c := client.New(p.base, "")
		_, err := c.SignIn(ctx, name, password, "test")
		require.NoError(t, err)
		return c
	}
	open := func(link string) {
		t.Helper()
		_, err := client.New(p.base, "").OpenLink(ctx, link, password)
		require.NoError(t, err)
	}
	file := func(name string, text []byte) string {
		t.Helper()
		path := filepath.Join(t.TempDir(), name)
		require.NoError(t, os.WriteFile(path, text, 0o600))
		return path
	}

	signIn(demo.Operator)
	assert.Contains(t, run("service"), "mail      by 127.0.0.1:")
	assert.Contains(t, run("people", "add", "imke", "--display", "Imke Harborn", "--email", "imke@farm.example"),
		"goes to imke@farm.example")
	open(mailedTo(t, post, "imke@farm.example", 0))
	run("courses", "create", "kelp-2031", "--title", "Arrays on the kelp farm", "--instructor", "imke")

	imke := signIn("imke")
	assert.Contains(t, run("courses", "list"), "(empty)")
	folder := filepath.Join(t.TempDir(), "course")
	require.NoError(t, os.CopyFS(folder, demo.Course()))
	closing := time.Now().Add(48 * time.Hour).UTC().Truncate(time.Second)
	terms(t, folder, "closes: "+closing.Format(time.RFC3339)+"\nattempts: {limit: 5}\n")
	run("publish", folder, "--course", "kelp-2031")

	roster, slips := file("campus.csv", campus(120)), filepath.Join(t.TempDir(), "slips.csv")
	code, out, _ := nimbus(t, "", "people", "import", roster, "--course", "kelp-2031", "--dry-run")
	assert.Zero(t, code)
	assert.Contains(t, out, "Windows-1252")
	assert.Contains(t, out, "120 added")
	assert.Contains(t, out, "not read: Studiengang")
	assert.NotContains(t, run("people", "list", "kelp-2031"), "student0", "nothing was changed")
	out = run("people", "import", roster, "--course", "kelp-2031", "--links", slips)
	assert.Contains(t, out, "40 links written to")
	assert.Contains(t, out, "80 sent by mail")
	assert.Contains(t, run("people", "import", roster, "--course", "kelp-2031"), "0 added, 0 changed, 120 unchanged")
	text, err := os.ReadFile(slips)
	require.NoError(t, err)
	printed, err := csv.NewReader(strings.NewReader(string(text))).ReadAll()
	require.NoError(t, err)
	require.Len(t, printed, 41)
	assert.Equal(t, "Jörg Müller-2", printed[1][1])

	team := file("team.csv", []byte("name,display,email\naron,Aron Lowtide,aron@farm.example\n"))
	run("people", "import", team, "--course", "kelp-2031", "--role", "assistant")
	assert.Contains(t, run("group", "limit", "kelp-2031", "aron", "Lab 1"), "limited to Lab 1")

	// A student opens the link on a phone, and is in.
	phone, err := browser.Open(ctx, p.base)
	require.NoError(t, err)
	t.Cleanup(phone.Close)
	require.NoError(t, phone.Size(360, 740))
	link := mailedTo(t, post, "student0@farm.example", 0)
	require.NoError(t, phone.Go(strings.TrimPrefix(link, p.base)))
	require.NoError(t, phone.AwaitText("main", "Jörg Müller-0"))
	require.NoError(t, phone.Fill("input[name=password]", password))
	require.NoError(t, phone.Fill("input[name=again]", password))
	require.NoError(t, phone.Click("form button"))
	require.NoError(t, phone.AwaitText("main", "Arrays on the kelp farm"))
	student := signIn("student0")
	a, err := student.HandIn(ctx, "kelp-2031", "rope-means", right, "", 20)
	require.NoError(t, err)
	require.NotNil(t, a.Verdict)
	open(printed[1][3]) // another comes with a slip of paper

	signIn("imke")
	mails := len(post.Mails())
	assert.Contains(t, run("people", "link", "student0", "--forgotten"), "goes to student0@farm.example")
	open(mailedTo(t, post, "student0@farm.example", mails))
	_, err = student.Me(ctx)
	problem(t, err, 401)
	run("people", "leave", printed[1][0], "--course", "kelp-2031")
	gone := client.New(p.base, "")
	_, err = gone.SignIn(ctx, printed[1][0], password, "test")
	require.NoError(t, err, "they left the course, and not the service")
	_, err = gone.Course(ctx, "kelp-2031")
	problem(t, err, 404)
	assert.Contains(t, run("people", "move", "kelp-2031", "student0", "Lab 2"), "Lab 2")
	later := time.Now().Add(96 * time.Hour).UTC().Truncate(time.Second)
	run("extension", "add", "kelp-2031", "--person", "student0", "--exercise", "rope-means", "--closes",
		later.Format(time.RFC3339), "--attempts", "9", "--reason", "ill")
	student = signIn("student0")
	e, err := student.Exercise(ctx, "kelp-2031", "rope-means")
	require.NoError(t, err)
	assert.Equal(t, later, e.Closes.UTC())
	assert.Equal(t, 9, e.Limit)
	assert.Equal(t, "ill", e.Reason)
	old := strings.TrimSpace(run("calendar"))
	calendar(t, old, later)
	address := strings.TrimSpace(run("calendar"))
	calendar(t, address, later)
	res, err := http.Get(old)
	require.NoError(t, err)
	defer res.Body.Close()
	assert.Equal(t, 404, res.StatusCode, "the address before is void")

	limited(t, p.base, post, a.ID)

	signIn("imke")
	assert.Contains(t, run("courses", "copy", "kelp-2031", "kelp-2032", "--shift", "52w"), "1 time shifted")
	next, err := imke.Course(ctx, "kelp-2032")
	require.NoError(t, err)
	assert.Equal(t, closing.Add(52*7*24*time.Hour), next.Exercises[0].Closes.UTC())
	members, err := imke.Members(ctx, "kelp-2032")
	require.NoError(t, err)
	require.Len(t, members.People, 1, "nobody but who copied it")
	run("courses", "archive", "kelp-2031")
	assert.Empty(t, events(t, address), "what is archived closes no more")
	_, err = student.HandIn(ctx, "kelp-2031", "rope-means", right, "", 20)
	problem(t, err, 403)
	_, err = student.Exercise(ctx, "kelp-2031", "rope-means")
	require.NoError(t, err, "what is archived is read")
	run("courses", "archive", "kelp-2031", "--back")
	_, err = student.HandIn(ctx, "kelp-2031", "rope-means", right, "", 20)
	require.NoError(t, err)
	signIn(demo.Operator)
	trail := run("audit", "--subject", "kelp-2031/student0")
	for _, what := range []string{"roster.import", "member.set", `group: "Lab 2", was "Lab 1"`, "extension.give"} {
		assert.Contains(t, trail, what)
	}
}

// terms puts lines into the exercise rope-means of a course folder.
func terms(t *testing.T, folder, lines string) {
	t.Helper()
	name := filepath.Join(folder, "exercises", "rope-means", "exercise.yaml")
	text, err := os.ReadFile(name)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(name, append([]byte(lines), text...), fs.FileMode(0o600)))
}

// events reads a calendar's address as calendar programs do.
func events(t *testing.T, address string) []ical.Event {
	t.Helper()
	res, err := http.Get(address)
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, 200, res.StatusCode)
	assert.Equal(t, "text/calendar; charset=utf-8", res.Header.Get("Content-Type"))
	cal, err := ical.NewDecoder(res.Body).Decode()
	require.NoError(t, err)
	return cal.Events()
}

// calendar looks for the one closing time in a calendar.
func calendar(t *testing.T, address string, closes time.Time) {
	t.Helper()
	events := events(t, address)
	require.Len(t, events, 1)
	at, err := events[0].DateTimeStart(time.UTC)
	require.NoError(t, err)
	assert.Equal(t, closes, at.UTC(), "with the extension")
	text, err := events[0].Props.Text(ical.PropSummary)
	require.NoError(t, err)
	assert.Equal(t, "Mean growth of each rope closes", text)
	other, err := http.Get(address[:len(address)-8] + "xxxx.ics")
	require.NoError(t, err)
	defer other.Body.Close()
	assert.Equal(t, 404, other.StatusCode)
}

// limited looks as an assistant who sees one group alone: of the other they see nothing, by any address.
func limited(t *testing.T, base string, post *standin.Server, attempt uint64) {
	t.Helper()
	ctx := background(t)
	_, err := client.New(base, "").OpenLink(ctx, mailedTo(t, post, "aron@farm.example", 0), password)
	require.NoError(t, err)
	aron := client.New(base, "")
	_, err = aron.SignIn(ctx, "aron", password, "test")
	require.NoError(t, err)
	members, err := aron.Members(ctx, "kelp-2031")
	require.NoError(t, err)
	require.Len(t, members.People, 59, "of 60 in Lab 1 one moved; one has left, and is listed so")
	for _, m := range members.People {
		assert.Equal(t, "Lab 1", m.Group)
		assert.Empty(t, m.Email+m.Number, "addresses are not an assistant's matter")
	}
	groups, err := aron.Groups(ctx, "kelp-2031")
	require.NoError(t, err)
	assert.Equal(t, []wire.Group{{Name: "Lab 1", People: 58}}, groups)
	list, err := aron.Members(ctx, "kelp-2031", client.MemberQuery{Group: "Lab 2"})
	require.NoError(t, err)
	assert.Empty(t, list.People)
	d, err := aron.Desk(ctx, "kelp-2031")
	require.NoError(t, err)
	assert.Equal(t, []string{"Lab 1"}, d.Groups)
	assert.Equal(t, 58, d.Students)
	assert.Zero(t, d.Attempts, "the attempt is by somebody of Lab 2")
	assert.Empty(t, d.Recent)
	attempts, err := aron.Attempts(ctx, "kelp-2031", client.AttemptsFilter{})
	require.NoError(t, err)
	assert.Empty(t, attempts.Attempts)
	_, err = aron.Attempt(ctx, attempt, 0)
	problem(t, err, 404)
	_, err = aron.Arrays(ctx, attempt, "spring", "per_rope")
	problem(t, err, 404)
	extensions, err := aron.Extensions(ctx, "kelp-2031")
	require.NoError(t, err)
	assert.Empty(t, extensions.Extensions)
}
