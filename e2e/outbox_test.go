package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/demo/standin"
	"nimbusreach/e2e/testdb"
)

// TestMailOfAKilledProcess imports 2,000 people, whose links go out by mail, and kills one of two processes in the
// middle: each gets one letter, but for the one that was being sent, which may come twice with one Message-ID.
func TestMailOfAKilledProcess(t *testing.T) {
	post, err := standin.Start("127.0.0.1:0", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = post.Close() })
	t.Setenv("NIMBUS_SMTP", post.Config())
	dsn := testdb.New(t)
	first := serve(t, dsn)
	second := serve(t, dsn)
	ctx := background(t)
	operator := client.New(first.base, "")
	_, err = operator.SignIn(ctx, demo.Operator, password, "test")
	require.NoError(t, err)
	_, err = operator.CreateCourse(ctx, wire.NewCourse{Slug: "kelp", Title: "Kelp"})
	require.NoError(t, err)
	const people = 2000
	var roster strings.Builder
	roster.WriteString("name,email\n")
	for i := range people {
		fmt.Fprintf(&roster, "p%d,p%d@farm.example\n", i, i)
	}
	plan, err := operator.Import(ctx, "kelp", []byte(roster.String()), client.Import{})
	require.NoError(t, err)
	assert.Equal(t, people, plan.Mailed)
	require.Eventually(t, func() bool { return len(post.Mails()) > 200 }, patience, time.Millisecond)
	require.NoError(t, first.Process.Kill())

	ids, sent := map[string]int{}, map[string]map[string]bool{}
	require.Eventually(t, func() bool {
		clear(sent)
		for _, m := range post.Mails() {
			if sent[m.To[0]] == nil {
				sent[m.To[0]] = map[string]bool{}
			}
			sent[m.To[0]][m.MessageID] = true
		}
		return len(sent) == people
	}, 3*patience, 50*time.Millisecond, "all have a letter")
	team := client.New(second.base, "")
	_, err = team.SignIn(ctx, demo.Operator, password, "test")
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		s, err := team.Service(ctx)
		return err == nil && s.Mail.Sent == people && s.Mail.Waiting == 0
	}, patience, 50*time.Millisecond)
	for _, m := range post.Mails() {
		ids[m.MessageID]++
	}
	twice := 0
	for _, n := range ids {
		twice += n - 1
	}
	assert.LessOrEqual(t, twice, 1, "sent twice")
	for to, by := range sent {
		assert.Len(t, by, 1, "%s got another letter", to)
	}
	box, err := team.Outbox(ctx, 0)
	require.NoError(t, err)
	require.Len(t, box.Letters, 100, "a page")
	assert.NotNil(t, box.Next)
	assert.Equal(t, "sent", box.Letters[0].State)
}

// TestMailThatIsNotTaken: a server that is away makes letters wait, and one that refuses a recipient for good makes
// that letter given up; what it said can be read.
func TestMailThatIsNotTaken(t *testing.T) {
	post, err := standin.Start("127.0.0.1:0", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = post.Close() })
	t.Setenv("NIMBUS_SMTP", post.Config())
	p := serve(t, testdb.New(t))
	ctx := background(t)
	operator := client.New(p.base, "")
	_, err = operator.SignIn(ctx, demo.Operator, password, "test")
	require.NoError(t, err)
	state := func(name, want, said string) {
		t.Helper()
		require.Eventually(t, func() bool {
			box, err := operator.Outbox(ctx, 0)
			for _, l := range box.Letters {
				if l.Recipient == name+"@farm.example" && l.State == want && strings.Contains(l.Error, said) {
					return true
				}
			}
			return err != nil
		}, patience, 20*time.Millisecond, "%s is not %s", name, want)
	}
	add := func(name string) {
		t.Helper()
		_, err := operator.AddPerson(ctx, wire.NewPerson{Name: name, Email: name + "@farm.example"})
		require.NoError(t, err)
	}
	post.Refuse(&smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "nobody of that name"})
	add("abe")
	state("abe", "failed", "nobody of that name")
	post.Refuse(&smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "come back later"})
	add("bob")
	state("bob", "waiting", "come back later")
	post.Refuse(nil)
	require.NoError(t, post.Close())
	add("cid")
	state("cid", "waiting", "does not answer")
	s, err := operator.Service(ctx)
	require.NoError(t, err)
	assert.Equal(t, wire.MailState{Configured: true, Server: s.Mail.Server, Waiting: 2, Failed: 1, Oldest: s.Mail.Oldest},
		s.Mail)
	require.NotNil(t, s.Mail.Oldest)
	link, err := operator.MakeLink(ctx, "cid", wire.NewLink{Show: true})
	require.NoError(t, err)
	assert.Contains(t, link.Address, "/link#", "without mail a link can be shown")
}
