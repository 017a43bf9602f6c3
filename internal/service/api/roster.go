package api

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/roster"
	"nimbusreach/internal/service/store"
)

// importRoster plans what a roster would change, and writes it where that is not only asked.
func importRoster(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.SetRoles)
	if err != nil {
		return err
	}
	o, skip, dry, columns, err := r.rosterOptions()
	if err != nil {
		return err
	}
	file := r.body
	if strings.HasPrefix(r.Get("Content-Type"), "multipart/form-data") {
		if file, err = r.formFile("roster"); err != nil {
			return fail(http.StatusBadRequest, "form", "The request cannot be read", "The form has no file `roster`.",
				"send the roster in the field `roster`, or as the body itself")
		}
	}
	table, err := roster.Read(file, columns)
	if err != nil {
		return badRoster(err)
	}
	var plan *roster.Plan
	err = r.Store.Import(r.Context(), r.who.Person.ID, c, func(people store.RosterPeople) ([]store.Enrolment, error) {
		if plan, err = roster.Make(r.Context(), table, people, o); err != nil || dry {
			return nil, err
		}
		if len(plan.Refused) > 0 && !skip {
			return nil, refusedRows(plan)
		}
		plan.Done, plan.Links, plan.Mailed = true, []wire.RosterLink{}, 0
		return plan.Write, r.linksFor(plan, c)
	})
	if err != nil {
		return badRoster(err)
	}
	r.Mail.Wake()
	if plan.Links == nil {
		plan.Links = []wire.RosterLink{}
	}
	return r.JSON(plan.RosterPlan)
}

// refusedRows refuses an import of which rows are refused.
func refusedRows(plan *roster.Plan) error {
	f := fail(http.StatusUnprocessableEntity, "roster-rows", "The roster was not imported", fmt.Sprintf(
		"%d of %d rows are refused; nothing was imported.", len(plan.Refused), plan.Rows),
		"correct the rows, or import the others alone (skip_refused)")
	f.Refused = plan.Refused
	return f
}

// badRoster puts a file that is no roster into words.
func badRoster(err error) error {
	var u *roster.Unreadable
	if !errors.As(err, &u) {
		return err
	}
	text := u.Message
	if u.Line > 0 {
		text = fmt.Sprintf("Line %d: %s", u.Line, text)
	}
	return fail(http.StatusUnprocessableEntity, "roster", "The roster cannot be read", strings.ToUpper(text[:1])+
		text[1:]+".", u.Hint)
}

func (r *request) rosterOptions() (o roster.Options, skip, dry bool, columns map[string]string, err error) {
	o = roster.Options{Role: store.Role(r.Query("role", "student")), By: r.who.Person.ID, Operator: r.who.Person.Operator}
	if !access.IsRole(o.Role) {
		return o, false, false, nil, noRole(string(o.Role))
	}
	for name, to := range map[string]*bool{"skip_refused": &skip, "dry_run": &dry} {
		if *to, err = r.flag(name); err != nil {
			return o, false, false, nil, err
		}
	}
	switch missing := r.Query("missing", "keep"); missing {
	case "keep":
	case "leave":
		o.Leave = true
	default:
		return o, false, false, nil, badQuery("missing", missing, "give keep or leave")
	}
	columns = map[string]string{}
	for _, pair := range r.RequestCtx().QueryArgs().PeekMulti("column") {
		field, header, ok := strings.Cut(string(pair), "=")
		if !ok {
			return o, false, false, nil, badQuery("column", string(pair), "give field=header, number=Matr. no say")
		}
		columns[strings.TrimSpace(field)] = strings.TrimSpace(header)
	}
	return o, skip, dry, columns, nil
}

// flag reads a query parameter that is true or false.
func (r *request) flag(name string) (bool, error) {
	text := r.Query(name, "false")
	v, err := strconv.ParseBool(text)
	if err != nil {
		return false, badQuery(name, text, "give true or false")
	}
	return v, nil
}

func badQuery(name, value, hint string) error {
	return fail(http.StatusBadRequest, "query", "The request cannot be read", fmt.Sprintf("The parameter %s is %q.", name,
		value), hint)
}

// linksFor makes the links of new accounts: mailed where mail is sent and there is an address, else answered.
func (r *request) linksFor(plan *roster.Plan, c *store.Course) error {
	expires := time.Now().UTC().Add(store.LinkLife)
	for i := range plan.Write {
		e := &plan.Write[i]
		if !e.New {
			continue
		}
		secret, hash, err := access.NewSecret()
		if err != nil {
			return err
		}
		e.LinkHash = hash
		address := r.address("/link#" + secret)
		if r.Mail.Configured() && e.Person.Email != "" {
			if e.Letter, err = outbox.Welcome(&e.Person, c.Title, address, expires); err != nil {
				return err
			}
			plan.Mailed++
			continue
		}
		plan.Links = append(plan.Links, wire.RosterLink{Name: e.Person.Name, Display: e.Person.Display, Group: e.Group,
			Address: address, Expires: expires})
	}
	return nil
}
