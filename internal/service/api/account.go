package api

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

// address is the address of a page of the console: below the one that the service was given, else where the request
// came to.
func (r *request) address(path string) string {
	if at := r.server.options.Address; at != "" {
		return at + path
	}
	scheme := "http"
	if r.server.options.Secure {
		scheme = "https"
	}
	return scheme + "://" + r.server.proxies.host(r.Ctx) + path
}

// link makes a person's link, as an address of the console. The secret stands behind the #, so that no
// browser sends it to anybody by itself. It goes out by mail where that can be; else it is answered, once.
func (r *request) link(p *store.Person, forgotten, show bool) (*wire.Link, error) {
	page := func(secret string) string { return r.address("/link#" + secret) }
	var letter func(string, time.Time) (*store.Letter, error)
	mailed := ""
	if !show && r.Mail.Configured() && p.Email != "" {
		mailed = p.Email
		letter = func(secret string, expires time.Time) (*store.Letter, error) {
			if forgotten {
				return outbox.Forgotten(p, page(secret), expires)
			}
			return outbox.Welcome(p, "", page(secret), expires)
		}
	}
	secret, expires, err := r.Gate.MakeLink(r.Context(), &r.who.Person.ID, p, forgotten, letter)
	switch {
	case err != nil:
		return nil, err
	case mailed != "":
		r.Mail.Wake()
		return &wire.Link{Expires: expires, Mailed: mailed}, nil
	}
	return &wire.Link{Address: page(secret), Expires: expires}, nil
}

func makeLink(r *request) error {
	p, err := r.Gate.Managed(r.Context(), r.who, r.Params("name"))
	if err != nil {
		return err
	}
	var in wire.NewLink
	if err := r.json(&in); err != nil {
		return err
	}
	if p.State != store.Active {
		return &access.Unfit{Field: "name", Message: p.Name + " has left", Hint: "let them come back first"}
	}
	link, err := r.link(p, in.Forgotten, in.Show)
	if err != nil {
		return err
	}
	return r.JSON(link)
}

func setState(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.ManageAccounts); err != nil {
		return err
	}
	var in wire.SetState
	if err := r.json(&in); err != nil {
		return err
	}
	state := store.PersonState(in.State)
	if state != store.Active && state != store.Left {
		return noState(in.State)
	}
	p, err := r.Gate.Managed(r.Context(), r.who, r.Params("name"))
	if err != nil {
		return err
	}
	if err := r.Gate.SetState(r.Context(), r.who, p, state); err != nil {
		return err
	}
	return r.JSON(wire.Person{Name: p.Name, Display: p.Display, State: string(state)})
}

func lookLink(r *request) error {
	var in wire.LinkSecret
	if err := r.json(&in); err != nil {
		return err
	}
	l, p, err := r.Gate.LookLink(r.Context(), in.Secret, r.server.proxies.client(r.Ctx))
	if err != nil {
		return err
	}
	return r.JSON(wire.LinkFor{Name: p.Name, Display: p.Display, Forgotten: l.Forgotten, Expires: l.ExpiresAt})
}

func openLink(r *request) error {
	var in wire.OpenLink
	if err := r.json(&in); err != nil {
		return err
	}
	p, err := r.Gate.OpenLink(r.Context(), in.Secret, in.Password, r.server.proxies.client(r.Ctx))
	if err != nil {
		return err
	}
	return r.beginSession(p)
}

func changePassword(r *request) error {
	var in wire.NewPassword
	if err := r.json(&in); err != nil {
		return err
	}
	if err := r.Gate.ChangePassword(r.Context(), r.who, in.Before, in.Password,
		r.server.proxies.client(r.Ctx)); err != nil {
		return err
	}
	return r.Send(nil)
}

func signIns(r *request) error {
	out := wire.SignIns{}
	for table, list := range map[string]*[]wire.SignInLine{store.Sessions: &out.Sessions, store.Tokens: &out.Tokens} {
		*list = []wire.SignInLine{}
		rows, err := r.Store.SignIns(r.Context(), r.who.Person.ID, table)
		if err != nil {
			return err
		}
		for i := range rows {
			x := &rows[i]
			*list = append(*list, wire.SignInLine{ID: x.ID, Label: x.Label, Created: x.CreatedAt, Expires: x.ExpiresAt,
				Used: x.LastUsed, Address: x.Address, Current: r.who.Current(x)})
		}
	}
	return r.JSON(out)
}

func endOwnSession(r *request) error { return r.endSignIn(store.Sessions) }

func endOwnToken(r *request) error { return r.endSignIn(store.Tokens) }

func (r *request) endSignIn(table string) error {
	id, err := strconv.ParseUint(r.Params("id"), 10, 64)
	if err != nil {
		return store.ErrNotFound
	}
	if err := r.Gate.EndSignIn(r.Context(), r.who, id, table); err != nil {
		return err
	}
	return r.Send(nil)
}

// mostTokenDays bounds how long a token may live.
const mostTokenDays = 366

func addOwnToken(r *request) error {
	var in wire.NewToken
	if err := r.json(&in); err != nil {
		return err
	}
	switch {
	case strings.TrimSpace(in.Label) == "":
		return &access.Unfit{Field: "label", Message: "the token has no label", Hint: "say what it is for"}
	case in.Days < 1 || in.Days > mostTokenDays:
		return &access.Unfit{Field: "days", Message: fmt.Sprintf("a token cannot live %d days", in.Days),
			Hint: fmt.Sprintf("give a number from 1 to %d", mostTokenDays)}
	}
	text, err := r.Gate.BeginToken(r.Context(), r.who.Person, in.Label, time.Duration(in.Days)*24*time.Hour)
	if err != nil {
		return err
	}
	return r.JSON(wire.OwnToken{Token: text})
}

func mailChoices(r *request) error {
	p, err := r.Store.PersonByName(r.Context(), r.who.Person.Name)
	if err != nil {
		return err
	}
	courses, err := r.Store.CoursesOf(r.Context(), p.ID)
	if err != nil {
		return err
	}
	return r.JSON(wire.MailChoices{Email: p.Email, Notes: p.MailNotes, Digest: p.MailDigest, Knots: p.MailKnots,
		Team: slices.ContainsFunc(courses, func(c store.CourseRole) bool { return access.Allows(c.Role, access.SeeTeam) })})
}

// setMailChoices changes what reaches one by mail. The address is the teaching team's to change: links go there.
func setMailChoices(r *request) error {
	var in wire.SetMailChoices
	if err := r.json(&in); err != nil {
		return err
	}
	p, err := r.Store.PersonByName(r.Context(), r.who.Person.Name)
	if err != nil {
		return err
	}
	w := store.MailWishes{Notes: in.Notes, Digest: p.MailDigest, Knots: p.MailKnots}
	if in.Digest != nil {
		w.Digest = *in.Digest
	}
	if in.Knots != nil {
		w.Knots = *in.Knots
	}
	if err := r.Store.SetMail(r.Context(), p.ID, w); err != nil {
		return err
	}
	return mailChoices(r)
}
