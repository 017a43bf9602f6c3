package e2e

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
	"nimbusreach/internal/service"
)

// TestALinkOnAPhone is how somebody comes in: an operator makes the account, its holder opens the link on a
// phone, chooses a password, sees where they are signed in, changes it, and is let out by a forgotten one.
func TestALinkOnAPhone(t *testing.T) {
	w := start(t, 1)
	w.enrol(t, team)
	ctx := background(t)
	operator := w.as(t, demo.Operator)
	made, err := operator.AddPerson(ctx, wire.NewPerson{Name: "Tamsin", Display: "Tamsin Reed"})
	require.NoError(t, err)
	assert.Equal(t, "tamsin", made.Name)
	require.NoError(t, operator.SetRole(ctx, course, "tamsin", "student"))
	p, err := browser.Open(ctx, w.base)
	require.NoError(t, err)
	t.Cleanup(p.Close)
	require.NoError(t, p.Size(360, 740))
	path := pathOf(w, made.Link)
	require.NoError(t, p.Go(path))
	require.NoError(t, p.AwaitText("main", "Tamsin Reed"))
	fill := func(field, text string) {
		require.NoError(t, p.Fill("input[name="+field+"]", text))
	}
	fill("password", "short")
	fill("again", "short")
	require.NoError(t, p.Click("form button"))
	require.NoError(t, p.AwaitText("[role=alert]", "too short"))
	fill("password", "kelp and more kelp")
	fill("again", "kelp and more kelq")
	require.NoError(t, p.Click("form button"))
	require.NoError(t, p.AwaitText("[role=alert]", "are not the same"))
	fill("again", "kelp and more kelp")
	require.NoError(t, p.Click("form button"))
	require.NoError(t, p.AwaitText("main", "Arrays on the kelp farm"))
	require.NoError(t, p.Go(path))
	require.NoError(t, p.AwaitText("[role=alert]", "was used before"))

	require.NoError(t, p.Go("/account"))
	require.NoError(t, p.AwaitText("main", "this one"))
	fill("before", "kelp and more kelp")
	fill("password", "another of many words")
	fill("again", "another of many words")
	require.NoError(t, p.Click("form button"))
	require.NoError(t, p.AwaitText("main", "Your password is changed"))
	tamsin, err := client.New(w.base, "").SignIn(ctx, "tamsin", "another of many words", "lab")
	require.NoError(t, err)

	link, err := w.as(t, "imke").MakeLink(ctx, "tamsin", wire.NewLink{Forgotten: true})
	require.NoError(t, err, "an instructor makes links for people of their own course")
	_, err = client.New(w.base, "").OpenLink(ctx, link.Address, "the third of the words")
	require.NoError(t, err)
	_, err = client.New(w.base, tamsin.Token).Me(ctx)
	problem(t, err, 401)
	require.NoError(t, p.Go("/account"))
	require.NoError(t, p.Await(`location.pathname === "/sign-in"`), "the phone is signed out, too")
}

// TestLinksBeginWithTheServicesAddress: whatever host a request names.
func TestLinksBeginWithTheServicesAddress(t *testing.T) {
	w := startWith(t, service.Config{Workers: -1, Address: "https://nimbus.farm.example"})
	operator := w.as(t, demo.Operator)
	made, err := operator.AddPerson(background(t), wire.NewPerson{Name: "tamsin"})
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(made.Link.Address, "https://nimbus.farm.example/link#"), made.Link.Address)
	address, err := operator.RenewCalendar(background(t))
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(address, "https://nimbus.farm.example/calendar/"), address)
	for _, bad := range []string{"nimbus.farm.example", "ftp://nimbus.farm.example", "https://", "https://x/?y=1"} {
		code, _, told := nimbus(t, "", "serve", "--database", "x", "--address", bad)
		assert.Equal(t, 2, code, bad)
		assert.Contains(t, told, "--address is")
	}
}

// TestPeopleInTheTerminal makes an account, lets it leave and come back, and handles tokens.
func TestPeopleInTheTerminal(t *testing.T) {
	w := start(t, -1)
	w.enrol(t, team)
	ctx := background(t)
	code, _, told := nimbus(t, password+"\n", "sign-in", "--service", w.base, "--name", demo.Operator)
	require.Zero(t, code, told)
	run := func(stdin string, arguments ...string) string {
		code, out, told := nimbus(t, stdin, arguments...)
		require.Zero(t, code, told)
		return out
	}
	out := run("", "people", "add", "tamsin", "--display", "Tamsin Reed")
	assert.Contains(t, out, "Tamsin Reed (tamsin) has an account.")
	link := strings.TrimSpace(out[strings.Index(out, "http"):])
	_, err := client.New(w.base, "").OpenLink(ctx, link, "kelp and more kelp")
	require.NoError(t, err)
	assert.Contains(t, run("", "people", "leave", "tamsin"), "is left")
	_, err = client.New(w.base, "").SignIn(ctx, "tamsin", "kelp and more kelp", "")
	problem(t, err, 401)
	code, _, told = nimbus(t, "", "people", "link", "tamsin")
	assert.Equal(t, 2, code)
	assert.Contains(t, told, "has left")
	assert.Contains(t, run("", "people", "return", "tamsin"), "is active")
	assert.Contains(t, run("", "people", "link", "tamsin", "--forgotten"), w.base+"/link#")

	token := strings.TrimSpace(run("", "tokens", "add", "--label", "marks", "--days", "3"))
	own := client.New(w.base, token)
	_, err = own.Me(ctx)
	require.NoError(t, err)
	assert.Contains(t, run("", "tokens", "list"), "marks")
	var list wire.SignIns
	require.NoError(t, json.Unmarshal([]byte(run("", "tokens", "list", "-o", "json")), &list))
	for _, x := range list.Tokens {
		if x.Label == "marks" {
			assert.NotNil(t, x.Used)
			require.NoError(t, w.as(t, demo.Operator).EndOwnToken(ctx, x.ID))
		}
	}
	_, err = own.Me(ctx)
	problem(t, err, 401)
	run(password+"\nwords of the harbour\n", "password")
	_, err = client.New(w.base, "").SignIn(ctx, demo.Operator, "words of the harbour", "")
	assert.NoError(t, err)
}
