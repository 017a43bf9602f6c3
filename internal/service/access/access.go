// Package access lets people in and decides who may do what: passwords, sessions, tokens,
// and one table of rights, role by action.
//
// Handlers ask the gate before they do anything else; no other package compares roles,
// which its tests hold. The package knows people and courses by the store's rows; it does
// not know HTTP, and what a student may see of a verdict is package check's to say.
package access

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"time"

	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/store"
)

// Errors that callers turn into answers.
var (
	ErrWrongSignIn = errors.New("name or password is wrong")
	ErrSignedOut   = errors.New("nobody is signed in")
	ErrForbidden   = errors.New("your role does not allow this")
	ErrNoCourse    = errors.New("there is no such course, and you may not make one")
)

// TooManyTries says how long to wait after failed sign-ins.
type TooManyTries struct{ Wait time.Duration }

func (e *TooManyTries) Error() string {
	return fmt.Sprintf("too many failed sign-ins; try again in %d s", int(e.Wait.Seconds())+1)
}

// Gate is the one place that lets people in.
type Gate struct {
	store *store.Store
	slow  *slowdown
	kept  *kept
	decoy string // a hash to compare with when a name does not exist
}

// New makes a gate.
func New(s *store.Store) (*Gate, error) {
	decoy, err := HashPassword("a password nobody has")
	if err != nil {
		return nil, err
	}
	return &Gate{store: s, slow: newSlowdown(), kept: newKept(), decoy: decoy}, nil
}

// Who is somebody signed in.
type Who struct {
	Person *store.Person
	CSRF   string // set when they came by a session

	session []byte // the hash of its secret
}

// SignIn checks a password. Whether or not the name exists it does the same work
// and gives the same answer; after failures it asks for patience, for the name from that
// address and for the address.
func (g *Gate) SignIn(ctx context.Context, name, password, address string) (*store.Person, error) {
	wait, err := g.slow.begin(ctx, name, address)
	if err != nil {
		return nil, err
	}
	if wait > 0 {
		return nil, &TooManyTries{wait}
	}
	right, judged := false, true
	defer func() {
		if !judged {
			g.slow.withdraw(name, address)
			return
		}
		g.slow.end(name, address, right)
	}()
	p, err := g.store.PersonByName(ctx, strings.ToLower(name))
	hash := g.decoy
	switch {
	case err == nil && p.State == store.Active && p.PasswordHash != "":
		hash = p.PasswordHash
	case err == nil:
		err = store.ErrNotFound // nobody who may sign in
	case !errors.Is(err, store.ErrNotFound):
		judged = false
		return nil, err
	}
	if !CheckPassword(hash, password) || err != nil {
		return nil, ErrWrongSignIn
	}
	right = true
	return p, nil
}

// secret makes a random secret and the hash that is stored of it.
func secret() (text string, hash []byte, err error) {
	raw := make([]byte, 32)
	if _, err := rand.Read(raw); err != nil {
		return "", nil, err
	}
	text = base64.RawURLEncoding.EncodeToString(raw)
	return text, hashSecret(text), nil
}

func hashSecret(text string) []byte {
	h := sha256.Sum256([]byte(text))
	return h[:]
}

// BeginSession signs a person into the console and returns the cookie's secret.
func (g *Gate) BeginSession(ctx context.Context, p *store.Person, address string) (cookie string, who *Who, err error) {
	cookie, hash, err := secret()
	if err != nil {
		return "", nil, err
	}
	csrf, _, err := secret()
	if err != nil {
		return "", nil, err
	}
	x := &store.Session{SecretHash: hash, PersonID: p.ID, CSRF: csrf, ExpiresAt: time.Now().UTC().
		Add(store.SessionLife), Address: address}
	if err := g.store.AddSession(ctx, x); err != nil {
		return "", nil, err
	}
	return cookie, &Who{Person: p, CSRF: csrf}, nil
}

// BySession finds who a cookie belongs to.
func (g *Gate) BySession(ctx context.Context, cookie, address string) (*Who, error) {
	hash := hashSecret(cookie)
	return g.kept.find("session "+string(hash), func() (*Who, time.Time, error) {
		x, p, err := g.store.SessionPerson(ctx, hash)
		if err == nil {
			err = g.store.Used(ctx, hash, store.Sessions, address)
		}
		return &Who{Person: p, CSRF: x.CSRF, session: hash}, x.ExpiresAt, signedOut(err)
	})
}

// signedOut says of a secret that is not there what it means.
func signedOut(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return ErrSignedOut
	}
	return err
}

// Heard drops what is kept of sign-ins that another process has revoked.
func (g *Gate) Heard(c store.Change) {
	switch {
	case c.Kind == feed.Gap:
		g.kept.revoke(0)
	case c.Kind == "revoked" && c.Subject != nil:
		g.kept.revoke(*c.Subject)
	}
}

// EndSession signs a console out.
func (g *Gate) EndSession(ctx context.Context, cookie string) error {
	return g.ended(g.store.EndSession(ctx, hashSecret(cookie)))
}

// ended drops what is kept of a person whose sign-in was ended.
func (g *Gate) ended(person uint64, err error) error {
	if person > 0 {
		g.kept.revoke(person)
	}
	return err
}

// BeginToken makes a bearer token for a client.
func (g *Gate) BeginToken(ctx context.Context, p *store.Person, label string, life time.Duration) (string, error) {
	text, hash, err := secret()
	if err != nil {
		return "", err
	}
	if label == "" {
		label = "client"
	}
	x := &store.Token{SecretHash: hash, PersonID: p.ID, Label: truncate(label, 120), ExpiresAt: time.Now().UTC().
		Add(life)}
	return text, g.store.AddToken(ctx, x)
}

// ByToken finds who a bearer token belongs to.
func (g *Gate) ByToken(ctx context.Context, token, address string) (*Who, error) {
	hash := hashSecret(token)
	return g.kept.find("token "+string(hash), func() (*Who, time.Time, error) {
		x, p, err := g.store.TokenPerson(ctx, hash)
		if err == nil {
			err = g.store.Used(ctx, hash, store.Tokens, address)
		}
		return &Who{Person: p}, x.ExpiresAt, signedOut(err)
	})
}

// EndToken makes a token worthless.
func (g *Gate) EndToken(ctx context.Context, token string) error {
	return g.ended(g.store.EndToken(ctx, hashSecret(token)))
}

var namePattern = regexp.MustCompile(`^[a-z0-9][a-z0-9._@-]{1,62}$`)

// NameHint says what a name to sign in with is made of.
const NameHint = "use 2 to 63 letters, digits, points, hyphens, underscores and @"

// IsName reports whether somebody can sign in with a name.
func IsName(name string) bool { return namePattern.MatchString(name) }

// AddPerson makes an account that has no password yet: a link lets its holder choose one.
func (g *Gate) AddPerson(ctx context.Context, by *uint64, p *store.Person) (*store.Person, error) {
	name := strings.ToLower(p.Name)
	if !IsName(name) {
		return nil, &Unfit{"name", fmt.Sprintf("%q cannot be a name to sign in with", truncate(name, 80)), NameHint}
	}
	if p.Display == "" {
		p.Display = name
	}
	p.Name, p.Display, p.State = name, truncate(p.Display, 120), store.Active
	return p, g.store.AddPerson(ctx, by, p)
}

// FirstOperator makes an account with a password: that of whoever starts the service on an empty database.
func (g *Gate) FirstOperator(ctx context.Context, name, password string) error {
	if err := fitPassword(password, name); err != nil {
		return err
	}
	hash, err := HashPassword(password)
	if err != nil {
		return err
	}
	p, err := g.AddPerson(ctx, nil, &store.Person{Name: name, Operator: true})
	if err != nil {
		return err
	}
	return g.store.SetPassword(ctx, p, hash, nil)
}

// Unfit is a field that cannot be taken.
type Unfit struct{ Field, Message, Hint string }

func (e *Unfit) Error() string { return e.Message + "; " + e.Hint }

func truncate(s string, n int) string {
	r := []rune(s)
	if len(r) > n {
		return string(r[:n])
	}
	return s
}
