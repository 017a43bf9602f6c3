package api

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/emersion/go-ical"
	"github.com/gofiber/fiber/v3"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// renewCalendar makes the address of one's calendar, or another one: the one before is void.
func renewCalendar(r *request) error {
	secret, hash, err := access.NewSecret()
	if err != nil {
		return err
	}
	if err := r.Store.SetCalendar(r.Context(), r.who.Person, hash); err != nil {
		return err
	}
	return r.JSON(wire.Calendar{Address: r.address("/calendar/" + secret + ".ics")})
}

func endCalendar(r *request) error {
	if err := r.Store.SetCalendar(r.Context(), r.who.Person, nil); err != nil {
		return err
	}
	return r.Send(nil)
}

// calendar answers somebody's opening and closing times as RFC 5545 has it. Whoever knows the address may read it.
func (s *Server) calendar(c fiber.Ctx) error {
	b := s.backend.Load()
	if b == nil {
		return errNoDatabase()
	}
	secret, ok := strings.CutSuffix(c.Params("file"), ".ics")
	if !ok || len(secret) > 100 {
		return fiber.ErrNotFound
	}
	p, err := b.Store.CalendarPerson(c.Context(), access.HashSecret(secret))
	if errors.Is(err, store.ErrNotFound) {
		return fiber.ErrNotFound
	}
	if err != nil {
		return err
	}
	r := &request{Ctx: c, Backend: b, server: s, who: &access.Who{Person: p}}
	events, err := r.events()
	if err != nil {
		return err
	}
	cal := ical.NewCalendar()
	cal.Props.SetText(ical.PropVersion, "2.0")
	cal.Props.SetText(ical.PropProductID, "-//Nimbus Reach//Courses//EN")
	cal.Props.SetText("X-WR-CALNAME", "Courses of "+p.Display)
	for _, e := range events {
		cal.Children = append(cal.Children, e.Component)
	}
	if len(events) == 0 {
		// A calendar has one component at least: a time zone, which says nothing.
		zone, standard := ical.NewComponent(ical.CompTimezone), ical.NewComponent(ical.CompTimezoneStandard)
		zone.Props.SetText(ical.PropTimezoneID, "UTC")
		standard.Props.SetDateTime(ical.PropDateTimeStart, time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC))
		standard.Props.SetText(ical.PropTimezoneOffsetFrom, "+0000")
		standard.Props.SetText(ical.PropTimezoneOffsetTo, "+0000")
		zone.Children = append(zone.Children, standard)
		cal.Children = append(cal.Children, zone)
	}
	var out bytes.Buffer
	if err := ical.NewEncoder(&out).Encode(cal); err != nil {
		return err
	}
	c.Set("Content-Type", "text/calendar; charset=utf-8")
	c.Set("Cache-Control", "private, max-age=300")
	return c.Send(out.Bytes())
}

// events are the opening and closing times of one's courses that are not archived.
func (r *request) events() ([]*ical.Event, error) {
	list, err := r.Store.CoursesOf(r.Context(), r.who.Person.ID)
	if err != nil {
		return nil, err
	}
	var out []*ical.Event
	for _, of := range list {
		if of.CurrentRevisionID == nil || of.ArchivedAt != nil {
			continue
		}
		content, err := r.Library.Course(r.Context(), *of.CurrentRevisionID)
		if err != nil {
			return nil, err
		}
		given, err := r.Store.ExtensionsOf(r.Context(), of.ID, r.who.Person.ID)
		if err != nil {
			return nil, err
		}
		for _, e := range content.Exercises {
			t := teaching.TermsOf(e, given)
			for _, x := range []struct {
				what string
				at   *time.Time
			}{{"opens", t.Opens}, {"closes", t.Closes}, {"last late attempts", t.Until}} {
				if x.at != nil {
					out = append(out, event(&of.Course, e, &t, x.what, *x.at))
				}
			}
		}
	}
	return out, nil
}

func event(c *store.Course, e *exercise.Exercise, t *teaching.Terms, what string, at time.Time) *ical.Event {
	x := ical.NewEvent()
	x.Props.SetText(ical.PropUID, fmt.Sprintf("%s-%s-%s@%d.nimbus-reach", c.Slug, e.Name, strings.Fields(what)[0], c.ID))
	x.Props.SetDateTime(ical.PropDateTimeStamp, time.Now().UTC())
	x.Props.SetDateTime(ical.PropDateTimeStart, at.UTC())
	x.Props.SetDateTime(ical.PropDateTimeEnd, at.UTC())
	x.Props.SetText(ical.PropSummary, e.Title+" "+what)
	text := c.Title
	if t.Extended && what == "closes" {
		text += "\nWith your extension: " + t.Reason
	}
	x.Props.SetText(ical.PropDescription, text)
	x.Props.SetText(ical.PropTransparency, "TRANSPARENT")
	return x
}
