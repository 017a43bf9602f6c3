package access

import (
	"context"
	"crypto/sha256"
	_ "embed"
	"encoding/hex"
	"errors"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"nimbusreach/internal/service/store"
)

// commonHashes are the SHA-256 hashes, in hexadecimal, of those among the 10,000 most common passwords that
// are long enough to be taken.
//
//go:embed common.txt
var commonHashes string

var common = sync.OnceValue(func() map[string]bool {
	out := map[string]bool{}
	for line := range strings.FieldsSeq(commonHashes) {
		out[line] = true
	}
	return out
})

const (
	shortestPassword = 10
	longestPassword  = 1000 // bytes
)

// fitPassword refuses a password that somebody else would try first.
func fitPassword(password, name string) error {
	lower := strings.ToLower(password)
	sum := sha256.Sum256([]byte(lower))
	switch {
	case utf8.RuneCountInString(password) < shortestPassword:
		return &Unfit{"password", "the password is too short", "use at least ten characters"}
	case len(password) > longestPassword:
		return &Unfit{"password", "the password is too long", "use at most 1000 bytes"}
	case common()[hex.EncodeToString(sum[:])]:
		return &Unfit{"password", "the password is one of the most common ones", "use some words that belong to no saying"}
	case lower == name || strings.Trim(lower, string([]rune(lower)[0])) == "":
		return &Unfit{"password", "the password is easily guessed", "use neither your name nor one character alone"}
	}
	return nil
}

// Managed finds somebody whose account a person may manage: the operator anybody's; an instructor those of
// people who are in their own courses alone, and no operator's. Of others people learn nothing.
func (g *Gate) Managed(ctx context.Context, who *Who, name string) (*store.Person, error) {
	p, err := g.store.PersonByName(ctx, strings.ToLower(name))
	switch {
	case who.Person.Operator && Allows(operator, ManageAccounts):
		return p, err
	case errors.Is(err, store.ErrNotFound):
		return nil, err // told alike, whether or not somebody is there
	case err != nil:
		return nil, err
	}
	shares, all, err := g.store.Manages(ctx, who.Person.ID, p.ID)
	switch {
	case err != nil:
		return nil, err
	case !shares:
		return nil, store.ErrNotFound
	case !all || p.Operator || p.ID == who.Person.ID:
		return nil, ErrForbidden
	}
	return p, nil
}

// ManagedAmong says of which people somebody may manage the accounts, as Managed does.
func (g *Gate) ManagedAmong(ctx context.Context, who *Who, people []uint64) (map[uint64]bool, error) {
	if !who.Person.Operator || !Allows(operator, ManageAccounts) {
		return g.store.ManagesAmong(ctx, who.Person.ID, people)
	}
	out := make(map[uint64]bool, len(people))
	for _, id := range people {
		out[id] = true
	}
	return out, nil
}

// MakeLink makes a link that lets its holder choose a person's password, once; the one before it is void.
// letter makes the mail that brings it, nil for none.
func (g *Gate) MakeLink(ctx context.Context, by *uint64, p *store.Person, forgotten bool,
	letter func(secret string, expires time.Time) (*store.Letter, error)) (text string, expires time.Time, err error) {
	text, hash, err := secret()
	if err != nil {
		return "", time.Time{}, err
	}
	l := &store.Link{SecretHash: hash, Forgotten: forgotten}
	var mail *store.Letter
	if letter != nil {
		if mail, err = letter(text, time.Now().UTC().Add(store.LinkLife)); err != nil {
			return "", time.Time{}, err
		}
	}
	err = g.store.MakeLink(ctx, by, p, l, mail)
	return text, l.ExpiresAt, err
}

// NewSecret makes a random secret, and the hash that is stored of it.
func NewSecret() (text string, hash []byte, err error) { return secret() }

// HashSecret is the hash that is stored of a secret.
func HashSecret(text string) []byte { return hashSecret(text) }

// ErrNoLink says that a link was used, replaced or has run out.
var ErrNoLink = errors.New("the link was used before, replaced, or has run out")

// LookLink says whose a link is. Whoever tries many that are none has to wait, as with passwords.
func (g *Gate) LookLink(ctx context.Context, text, address string) (l *store.Link, p *store.Person, err error) {
	// One link that is tried again and again is slowed by itself, and so keeps nobody else at that address out.
	name := "link " + text[:min(len(text), 8)]
	wait, err := g.slow.begin(ctx, name, address)
	switch {
	case err != nil:
		return nil, nil, err
	case wait > 0:
		return nil, nil, &TooManyTries{wait}
	}
	l, p, err = g.store.LinkPerson(ctx, hashSecret(text))
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		g.slow.withdraw(name, address)
		return nil, nil, err
	}
	g.slow.end(name, address, err == nil)
	return l, p, noLink(err)
}

func noLink(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return ErrNoLink
	}
	return err
}

// OpenLink uses a link up and gives its person the password.
func (g *Gate) OpenLink(ctx context.Context, text, password, address string) (*store.Person, error) {
	_, p, err := g.LookLink(ctx, text, address)
	if err != nil {
		return nil, err
	}
	if err := fitPassword(password, p.Name); err != nil {
		return nil, err
	}
	hash, err := HashPassword(password)
	if err != nil {
		return nil, err
	}
	p, err = g.store.OpenLink(ctx, hashSecret(text), hash)
	if err == nil {
		g.kept.revoke(p.ID)
	}
	return p, noLink(err)
}

// ChangePassword gives somebody who knows their password another one; their other sessions end.
func (g *Gate) ChangePassword(ctx context.Context, who *Who, before, password, address string) error {
	p, err := g.SignIn(ctx, who.Person.Name, before, address)
	if err != nil {
		return err
	}
	if err := fitPassword(password, p.Name); err != nil {
		return err
	}
	hash, err := HashPassword(password)
	if err != nil {
		return err
	}
	return g.ended(p.ID, g.store.SetPassword(ctx, p, hash, who.session))
}

// SetState lets somebody leave, or come back.
func (g *Gate) SetState(ctx context.Context, who *Who, p *store.Person, state store.PersonState) error {
	if p.ID == who.Person.ID {
		return &Unfit{"state", "that is you", "another operator can"}
	}
	return g.ended(p.ID, g.store.SetState(ctx, who.Person.ID, p, state))
}

// EndSignIn ends one of one's own sessions or tokens.
func (g *Gate) EndSignIn(ctx context.Context, who *Who, id uint64, table string) error {
	return g.ended(who.Person.ID, g.store.EndSignIn(ctx, who.Person.ID, id, table))
}

// Current reports whether a sign-in is the one that somebody came by.
func (w *Who) Current(x *store.SignIn) bool {
	return w.session != nil && string(x.SecretHash) == string(w.session)
}
