package service

import (
	"context"
	"log/slog"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/api"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// herald tells teams of what happens in their courses without being asked: digests on their day and hour, and knots
// that grow.
type herald struct {
	store   *store.Store
	library *library.Library
	mail    *outbox.Sender
	hooks   *outbox.Hooks
	address string // of the console; "" for not known
	log     *slog.Logger
	faulted func(f *guard.Fault) // as of the queue
}

const (
	// digestLate is how late a digest may still go out, when nobody was there at its hour.
	digestLate = 24 * time.Hour
	// knotAgain is how long a knot that was told of as growing is not told of again.
	knotAgain = 6 * time.Hour
	// lively is how far back verdicts are looked at that can have made a knot grow.
	lively = 3 * time.Minute
)

// due is the last time not after now at which a digest is due.
func due(t store.DigestTime, now time.Time) (time.Time, error) {
	zone, err := time.LoadLocation(t.Zone)
	if err != nil {
		return time.Time{}, err
	}
	local := now.In(zone)
	for back := 0; ; back++ {
		year, month, day := local.Year(), local.Month(), local.Day()-back
		// The day of the week is asked of noon: an hour that is skipped when summer time begins may fall on the day before.
		at, noon := time.Date(year, month, day, t.Hour, 0, 0, 0, zone), time.Date(year, month, day, 12, 0, 0, 0, zone)
		if !at.After(now) && int(noon.Weekday()) == *t.Day {
			return at.UTC(), nil
		}
	}
}

// tell looks at every course once.
func (h *herald) tell(ctx context.Context) error {
	if err := h.digests(ctx); err != nil {
		return err
	}
	return h.knots(ctx)
}

// each does something for a course. What goes wrong with one keeps no other back.
func (h *herald) each(ctx context.Context, doing string, c *store.Course, work func() error) {
	err := guard.Call(doing, work)
	if f := guard.As(err); f != nil {
		h.log.Error("a fault of ours", append(f.Attrs(), "course", c.Slug)...)
		h.faulted(f)
	} else if err != nil && ctx.Err() == nil && !h.store.Away(err) {
		h.log.Warn(doing, "course", c.Slug, "error", err)
	}
}

// digests sends those that are due and were not sent.
func (h *herald) digests(ctx context.Context) error {
	list, err := h.store.DigestCourses(ctx)
	if err != nil {
		return err
	}
	now := h.store.Now()
	for i := range list {
		c := &list[i]
		h.each(ctx, "sending a digest", &c.Course, func() error {
			at, err := due(c.DigestTime, now)
			if err != nil || now.Sub(at) > digestLate {
				return err
			}
			if sent, err := h.store.DigestSent(ctx, c.ID, at); err != nil || sent {
				return err
			}
			return h.digest(ctx, c, at)
		})
	}
	return nil
}

func (h *herald) digest(ctx context.Context, c *store.DigestCourse, at time.Time) error {
	content, err := h.library.Course(ctx, *c.CurrentRevisionID)
	if err != nil {
		return err
	}
	d, err := teaching.Digest(ctx, h.store, teaching.DigestAsked{Course: &c.Course, Content: content,
		From: at.AddDate(0, 0, -7), To: at, Says: desk.Says, Note: api.TeamNote})
	if err != nil {
		return err
	}
	zone, err := time.LoadLocation(c.Zone)
	if err != nil {
		return err
	}
	html, err := teaching.DigestHTML(d, zone)
	if err != nil {
		return err
	}
	var letters []store.Letter
	if h.mail.Configured() {
		team, err := h.store.TeamFor(ctx, c.ID, store.MailDigest)
		if err != nil {
			return err
		}
		for i := range team {
			letters = append(letters, outbox.OfDigest(&team[i], c.Title, teaching.DigestText(d, zone), html))
		}
	}
	told, err := outbox.Call(c.Slug, outbox.EventDigest, h.store.Now(), d)
	if err != nil {
		return err
	}
	if sent, err := h.store.SendDigest(ctx, c.ID, at, letters, told); err != nil || !sent {
		return err
	}
	h.mail.Wake()
	h.hooks.Wake()
	return nil
}

// knots tells of those that grow, in courses where verdicts have come in.
func (h *herald) knots(ctx context.Context) error {
	list, err := h.store.Lively(ctx, h.store.Now().Add(-lively))
	if err != nil {
		return err
	}
	for i := range list {
		h.each(ctx, "looking for knots that grow", &list[i], func() error { return h.growing(ctx, &list[i]) })
	}
	return nil
}

// growing tells of the knots of a course that grow.
func (h *herald) growing(ctx context.Context, c *store.Course) error {
	content, err := h.library.Course(ctx, *c.CurrentRevisionID)
	if err != nil {
		return err
	}
	d, err := desk.View(ctx, h.store, c, content)
	if err != nil {
		return err
	}
	for i := range d.Knots {
		if k := &d.Knots[i]; k.Growing {
			if err := h.grows(ctx, c, d, k); err != nil {
				return err
			}
		}
	}
	return nil
}

func (h *herald) grows(ctx context.Context, c *store.Course, d *wire.Desk, k *wire.Knot) error {
	title := k.Exercise
	for i := range d.Exercises {
		if d.Exercises[i].Name == k.Exercise {
			title = d.Exercises[i].Title
		}
	}
	var letters []store.Letter
	if h.mail.Configured() {
		team, err := h.store.TeamFor(ctx, c.ID, store.MailKnots)
		if err != nil {
			return err
		}
		address := ""
		if h.address != "" {
			address = h.address + "/courses/" + c.Slug + "/desk"
		}
		for i := range team {
			l, err := outbox.OfKnot(&team[i], c.Title, k.Says, title, k.HourAgo, k.People, address)
			if err != nil {
				return err
			}
			letters = append(letters, *l)
		}
	}
	of := store.Knot{Exercise: k.Exercise, LeadCode: k.Code, LeadOutput: k.Output}
	told, err := outbox.Call(c.Slug, outbox.EventKnot, h.store.Now(), k)
	if err != nil {
		return err
	}
	if first, err := h.store.MarkKnot(ctx, c.ID, of, knotAgain, letters, told); err != nil || !first {
		return err
	}
	h.mail.Wake()
	h.hooks.Wake()
	return nil
}
