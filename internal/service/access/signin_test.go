package access_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

func gate(t *testing.T) (*store.Store, *access.Gate) {
	t.Helper()
	return gateOf(t, testdb.New(t))
}

func gateOf(t *testing.T, dsn string) (*store.Store, *access.Gate) {
	t.Helper()
	s, err := store.Open(context.Background(), dsn, nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	g, err := access.New(s)
	require.NoError(t, err)
	return s, g
}

const good = "words of no saying"

// TestALinkIsUsedOnce: it lets its holder choose a password; the one before it is void, and so is itself
// once it was used.
func TestALinkIsUsedOnce(t *testing.T) {
	ctx := context.Background()
	_, g := gate(t)
	ada, err := g.AddPerson(ctx, nil, &store.Person{Name: "Ada@Kelp", Display: "Ada"})
	require.NoError(t, err)
	assert.Equal(t, "ada@kelp", ada.Name)
	_, err = g.SignIn(ctx, "ada@kelp", "", "here")
	require.ErrorIs(t, err, access.ErrWrongSignIn, "there is no password yet")
	old, _, err := g.MakeLink(ctx, nil, ada, false, nil)
	require.NoError(t, err)
	link, expires, err := g.MakeLink(ctx, nil, ada, false, nil)
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now().Add(14*24*time.Hour), expires, time.Minute)
	assert.GreaterOrEqual(t, len(link), 22, "128 bits and more")
	_, _, err = g.LookLink(ctx, old, "here")
	require.ErrorIs(t, err, access.ErrNoLink)
	l, p, err := g.LookLink(ctx, link, "here")
	require.NoError(t, err)
	assert.Equal(t, "Ada", p.Display)
	assert.False(t, l.Forgotten)
	var unfit *access.Unfit
	for _, bad := range []string{"short", strings.Repeat("x", 1001), "xxxxxxxxxxxx", "1234567890", "QWERTYUIOP"} {
		_, err = g.OpenLink(ctx, link, bad, "here")
		require.ErrorAs(t, err, &unfit, bad)
		assert.Equal(t, "password", unfit.Field)
	}
	again, _, err := g.MakeLink(ctx, nil, ada, false, nil)
	require.NoError(t, err)
	_, err = g.OpenLink(ctx, again, good, "here")
	require.NoError(t, err)
	_, err = g.OpenLink(ctx, again, good+"!", "here")
	require.ErrorIs(t, err, access.ErrNoLink)
	_, err = g.SignIn(ctx, "ADA@kelp", good, "here")
	assert.NoError(t, err, "names are taken in any case")
}

// TestAForgottenPasswordEndsAllSignIns, and one that is changed all sessions but one's own.
func TestAForgottenPasswordEndsAllSignIns(t *testing.T) {
	ctx := context.Background()
	s, g := gate(t)
	require.NoError(t, g.FirstOperator(ctx, "harbour", good))
	p, err := s.PersonByName(ctx, "harbour")
	require.NoError(t, err)
	first, _, err := g.BeginSession(ctx, p, "10.0.0.1")
	require.NoError(t, err)
	second, _, err := g.BeginSession(ctx, p, "10.0.0.2")
	require.NoError(t, err)
	token, err := g.BeginToken(ctx, p, "lab", time.Hour)
	require.NoError(t, err)
	who, err := g.BySession(ctx, first, "10.0.0.3")
	require.NoError(t, err)
	_, err = g.ByToken(ctx, token, "10.0.0.4")
	require.NoError(t, err)
	list, err := s.SignIns(ctx, p.ID, store.Sessions)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.False(t, who.Current(&list[0]))
	assert.True(t, who.Current(&list[1]))
	assert.Equal(t, "10.0.0.3", list[1].Address)
	assert.NotNil(t, list[1].LastUsed)

	require.ErrorIs(t, g.ChangePassword(ctx, who, "wrong", good+"!", "here"), access.ErrWrongSignIn)
	require.NoError(t, g.ChangePassword(ctx, who, good, good+"!", "here"))
	_, err = g.BySession(ctx, second, "")
	require.ErrorIs(t, err, access.ErrSignedOut)
	_, err = g.BySession(ctx, first, "")
	require.NoError(t, err, "one's own goes on")
	_, err = g.ByToken(ctx, token, "")
	require.NoError(t, err, "so do tokens")

	link, _, err := g.MakeLink(ctx, nil, p, true, nil)
	require.NoError(t, err)
	_, err = g.OpenLink(ctx, link, good+"?", "here")
	require.NoError(t, err)
	_, err = g.BySession(ctx, first, "")
	require.ErrorIs(t, err, access.ErrSignedOut)
	_, err = g.ByToken(ctx, token, "")
	require.ErrorIs(t, err, access.ErrSignedOut)
}

// TestWhoHasLeftCannotSignIn, by nothing that worked before, until they come back.
func TestWhoHasLeftCannotSignIn(t *testing.T) {
	ctx := context.Background()
	s, g := gate(t)
	require.NoError(t, g.FirstOperator(ctx, "harbour", good))
	operator, err := s.PersonByName(ctx, "harbour")
	require.NoError(t, err)
	who := &access.Who{Person: operator}
	ada, err := g.AddPerson(ctx, nil, &store.Person{Name: "ada"})
	require.NoError(t, err)
	link, _, err := g.MakeLink(ctx, nil, ada, false, nil)
	require.NoError(t, err)
	_, err = g.OpenLink(ctx, link, good, "here")
	require.NoError(t, err)
	token, err := g.BeginToken(ctx, ada, "", time.Hour)
	require.NoError(t, err)
	_, err = g.ByToken(ctx, token, "")
	require.NoError(t, err)
	link, _, err = g.MakeLink(ctx, nil, ada, true, nil)
	require.NoError(t, err)
	require.NoError(t, g.SetState(ctx, who, ada, store.Left))
	_, err = g.ByToken(ctx, token, "")
	require.ErrorIs(t, err, access.ErrSignedOut)
	_, err = g.SignIn(ctx, "ada", good, "here")
	require.ErrorIs(t, err, access.ErrWrongSignIn)
	_, err = g.OpenLink(ctx, link, good, "here")
	require.ErrorIs(t, err, access.ErrNoLink)
	require.NoError(t, g.SetState(ctx, who, ada, store.Active))
	_, err = g.SignIn(ctx, "ada", good, "here")
	assert.NoError(t, err)
	var unfit *access.Unfit
	assert.ErrorAs(t, g.SetState(ctx, who, operator, store.Left), &unfit)
}

// TestWhoManagesWhom: an instructor those of their courses alone.
func TestWhoManagesWhom(t *testing.T) {
	ctx := context.Background()
	s, g := gate(t)
	people := map[string]*store.Person{}
	for _, name := range []string{"imke", "ove", "ada", "both", "far", "root"} {
		p, err := g.AddPerson(ctx, nil, &store.Person{Name: name, Operator: name == "root"})
		require.NoError(t, err)
		people[name] = p
	}
	kelp, _, err := s.Publish(ctx, people["imke"].ID, "kelp", "Kelp", []byte("x"), 0)
	require.NoError(t, err)
	mussels, _, err := s.Publish(ctx, people["ove"].ID, "mussels", "Mussels", []byte("x"), 0)
	require.NoError(t, err)
	for _, m := range []struct {
		c    *store.Course
		name string
	}{{kelp, "ada"}, {kelp, "both"}, {mussels, "both"}, {mussels, "far"}, {kelp, "root"}} {
		require.NoError(t, s.SetRole(ctx, nil, m.c, people[m.name], store.Student))
	}
	imke, ada, root := &access.Who{Person: people["imke"]}, &access.Who{Person: people["ada"]},
		&access.Who{Person: people["root"]}
	for name, want := range map[string]error{"ada": nil, "both": access.ErrForbidden, "far": store.ErrNotFound,
		"nobody": store.ErrNotFound, "root": access.ErrForbidden, "imke": access.ErrForbidden} {
		_, err := g.Managed(ctx, imke, name)
		assert.ErrorIs(t, err, want, name)
	}
	_, err = g.Managed(ctx, ada, "both")
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = g.Managed(ctx, root, "far")
	assert.NoError(t, err)
}

// TestWhatHasRunOut: a link after its time, and a token of somebody whose row says that they have left.
func TestWhatHasRunOut(t *testing.T) {
	ctx := context.Background()
	dsn := testdb.New(t)
	_, g := gateOf(t, dsn)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	ada, err := g.AddPerson(ctx, nil, &store.Person{Name: "ada"})
	require.NoError(t, err)
	link, _, err := g.MakeLink(ctx, nil, ada, false, nil)
	require.NoError(t, err)
	token, err := g.BeginToken(ctx, ada, "", time.Hour)
	require.NoError(t, err)
	_, err = db.Exec("UPDATE links SET expires_at = UTC_TIMESTAMP(6) - INTERVAL 1 SECOND")
	require.NoError(t, err)
	_, _, err = g.LookLink(ctx, link, "here")
	require.ErrorIs(t, err, access.ErrNoLink)
	_, err = g.OpenLink(ctx, link, good, "here")
	require.ErrorIs(t, err, access.ErrNoLink)
	_, err = db.Exec("UPDATE people SET state = 'left'")
	require.NoError(t, err)
	_, err = g.ByToken(ctx, token, "")
	require.ErrorIs(t, err, access.ErrSignedOut)
}

// TestLinksThatAreGuessed: after many that are none an address has to wait, and others do not.
func TestLinksThatAreGuessed(t *testing.T) {
	ctx := context.Background()
	_, g := gate(t)
	ada, err := g.AddPerson(ctx, nil, &store.Person{Name: "ada"})
	require.NoError(t, err)
	link, _, err := g.MakeLink(ctx, nil, ada, false, nil)
	require.NoError(t, err)
	var patience *access.TooManyTries
	tries := 0
	for ; tries < 100; tries++ {
		guess := fmt.Sprintf("%08d-guessed", tries)
		if _, _, err := g.LookLink(ctx, guess, "there"); errors.As(err, &patience) {
			break
		}
	}
	assert.Equal(t, 60, tries)
	assert.Positive(t, patience.Wait)
	_, _, err = g.LookLink(ctx, link, "there")
	assert.ErrorAs(t, err, &patience, "whoever guesses waits with a right one too")
	_, p, err := g.LookLink(ctx, link, "here")
	require.NoError(t, err)
	assert.Equal(t, "ada", p.Name)
	for range 6 {
		_, _, err = g.LookLink(ctx, "used-up-and-tried-again", "home")
	}
	assert.ErrorAs(t, err, &patience, "one link that is tried again and again is slowed by itself")
	_, _, err = g.LookLink(ctx, link, "home")
	assert.NoError(t, err, "and keeps nobody else at that address out")
}
