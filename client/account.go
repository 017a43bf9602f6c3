package client

import (
	"context"
	"net/http"
	"strconv"
	"strings"

	"nimbusreach/client/wire"
)

// MakeLink makes a link that lets its holder choose a person's password, once; the one before is void. Where
// the password was forgotten, all sign-ins end when it is used.
func (c *Client) MakeLink(ctx context.Context, name string, n wire.NewLink) (*wire.Link, error) {
	var out wire.Link
	return &out, c.send(ctx, http.MethodPost, at("people", name, "link"), n, &out)
}

// OpenLink uses a link up: its person has the password.
func (c *Client) OpenLink(ctx context.Context, link, password string) (*wire.Me, error) {
	_, secret, _ := strings.Cut(link, "#")
	var out wire.Me
	return &out, c.send(ctx, http.MethodPost, at("links", "open"), wire.OpenLink{Secret: secret, Password: password}, &out)
}

// SetState lets a person leave, who then cannot sign in, or come back.
func (c *Client) SetState(ctx context.Context, name, state string) (*wire.Person, error) {
	var out wire.Person
	return &out, c.send(ctx, http.MethodPut, at("people", name, "state"), wire.SetState{State: state}, &out)
}

// ChangePassword changes one's own password; one's other sessions end.
func (c *Client) ChangePassword(ctx context.Context, before, password string) error {
	return c.send(ctx, http.MethodPut, at("account", "password"), wire.NewPassword{Before: before, Password: password},
		nil)
}

// SignIns lists where one is signed in.
func (c *Client) SignIns(ctx context.Context) (*wire.SignIns, error) {
	var out wire.SignIns
	return &out, c.send(ctx, http.MethodGet, at("account", "sign-ins"), nil, &out)
}

// AddToken makes a token with a label, for some days.
func (c *Client) AddToken(ctx context.Context, label string, days int) (string, error) {
	var out wire.OwnToken
	err := c.send(ctx, http.MethodPost, at("account", "tokens"), wire.NewToken{Label: label, Days: days}, &out)
	return out.Token, err
}

// EndSession ends one of one's own sessions.
func (c *Client) EndSession(ctx context.Context, id uint64) error { return c.end(ctx, "sessions", id) }

// EndOwnToken makes one of one's own tokens worthless.
func (c *Client) EndOwnToken(ctx context.Context, id uint64) error { return c.end(ctx, "tokens", id) }

func (c *Client) end(ctx context.Context, kind string, id uint64) error {
	return c.send(ctx, http.MethodDelete, at("account", kind, strconv.FormatUint(id, 10)), nil, nil)
}
