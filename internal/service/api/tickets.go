package api

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/store"
)

// makeTicket gives a person data of their own, or those that they hold already.
func makeTicket(r *request) error {
	c, role, content, err := r.opened(access.HandIn)
	if err != nil {
		return err
	}
	a := &store.Attempt{CourseID: c.ID, Exercise: r.Params("exercise"), PersonID: r.who.Person.ID, Kind: "results"}
	bounds, err := r.mayHandIn(c, role, content, a)
	if err != nil {
		return err
	}
	e := content.Find(a.Exercise)
	if !e.DrawsOwn() {
		return fail(http.StatusUnprocessableEntity, "no-tickets", "There are no tickets here",
			fmt.Sprintf("%s draws no data of one's own: arrays are checked on its shown cases.", e.Title),
			"compute the outputs from the shown data, and hand them in without a ticket")
	}
	t := &store.Ticket{CourseID: c.ID, RevisionID: *c.CurrentRevisionID, Exercise: e.Name, PersonID: r.who.Person.ID,
		ExpiresAt: r.Store.Now().Add(e.Own.Within)}
	if err := r.Store.MakeTicket(r.Context(), t, bounds.Limit); err != nil {
		return r.noTicket(e, err)
	}
	r.Set("Location", "/api/v1/tickets/"+strconv.FormatUint(t.ID, 10))
	return r.ticketAnswer(t, c.Slug)
}

// noTicket puts into words why there is no ticket.
func (r *request) noTicket(e *exercise.Exercise, err error) error {
	var bound *store.Refused
	if !errors.As(err, &bound) || bound.Wait == 0 {
		return r.refused(e, err)
	}
	f := fail(http.StatusTooManyRequests, "tickets", "Too many tickets",
		fmt.Sprintf("One takes at most %d tickets an hour.", store.TicketsAnHour), fmt.Sprintf("try again in %s",
			bound.Wait.Round(time.Second)))
	f.after = bound.Wait
	return f
}

// ticketAnswer is a ticket with its data.
func (r *request) ticketAnswer(t *store.Ticket, course string) error {
	p, err := r.ticketData(t)
	if err != nil {
		return err
	}
	left := max(t.ExpiresAt.Sub(r.Store.Now()), 0)
	out := wire.Ticket{ID: t.ID, Course: course, Exercise: t.Exercise, Expires: t.ExpiresAt, Within: int(left.Seconds()),
		Attempt: t.AttemptID, Cases: []wire.ShownCase{}}
	for _, c := range p.Open() {
		one := wire.ShownCase{Name: c.Name, Inputs: map[string]dataio.JSON{}}
		for name, a := range c.Inputs {
			one.Inputs[name] = dataio.JSON{Array: a}
		}
		out.Cases = append(out.Cases, one)
	}
	return r.JSON(out)
}

// ticketData is a ticket's exercise on its data.
func (r *request) ticketData(t *store.Ticket) (*check.Prepared, error) {
	ctx, done, err := r.work(budget.Look)
	if err != nil {
		return nil, err
	}
	defer done()
	p, err := r.Library.Ticket(ctx, t)
	if errors.Is(err, check.ErrOwnData) {
		return nil, fail(http.StatusInternalServerError, "own-data", "The data cannot be used",
			"The exercise's own solution does not run on the data that were drawn for you.",
			"tell the teaching team; the ticket stays open")
	}
	return p, err
}

// ticket finds a ticket that one may see: one's own, and for the team those of its students.
func (r *request) ticket() (*store.Ticket, string, error) {
	id, err := strconv.ParseUint(r.Params("ticket"), 10, 64)
	if err != nil {
		return nil, "", store.ErrNotFound
	}
	t, err := r.Gate.Ticket(r.Context(), r.who, id)
	if err != nil {
		return nil, "", err
	}
	slug, err := r.Store.SlugOf(r.Context(), t.CourseID)
	return t, slug, err
}

func oneTicket(r *request) error {
	t, slug, err := r.ticket()
	if err != nil {
		return err
	}
	return r.ticketAnswer(t, slug)
}

// ticketFiles sends a ticket's data as files of a format.
func ticketFiles(r *request) error {
	t, slug, err := r.ticket()
	if err != nil {
		return err
	}
	p, err := r.ticketData(t)
	if err != nil {
		return err
	}
	about := fmt.Sprintf("Ticket %d in %s. It can be used once, until %s.", t.ID, slug,
		t.ExpiresAt.UTC().Format("2006-01-02 15:04 UTC"))
	return r.dataFiles(p, fmt.Sprintf("%s-ticket-%d", t.Exercise, t.ID), about)
}

// shownFiles sends the data of an exercise's shown cases as files of a format.
func shownFiles(r *request) error {
	c, _, _, e, err := r.looked()
	if err != nil {
		return err
	}
	p, err := r.Library.Exercise(r.Context(), *c.CurrentRevisionID, e.Name)
	if err != nil {
		return err
	}
	return r.dataFiles(p, e.Name+"-shown", "The shown data, which everybody has.")
}

func (r *request) dataFiles(p *check.Prepared, name, about string) error {
	format := r.Query("format", check.Formats[0])
	files, err := p.Files(format, about)
	if err != nil {
		return noSuchFormat(err)
	}
	return r.sendFiles(files, format, name)
}

func noSuchFormat(err error) error {
	return fail(http.StatusUnprocessableEntity, "format", "These data have no such form", "The data cannot be given: "+
		err.Error()+".", "ask for "+strings.Join(check.Formats, ", "))
}

// sendFiles sends files of a format: the one of netCDF as it is, others in an archive.
func (r *request) sendFiles(files []check.File, format, name string) error {
	if format == "nc" {
		r.Set("Content-Type", "application/x-netcdf")
		r.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.nc"`, name))
		return r.Send(files[0].Body)
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		w, err := z.Create(f.Name)
		if err != nil {
			return err
		}
		if _, err := w.Write(f.Body); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	return r.archive(name, b.Bytes())
}
