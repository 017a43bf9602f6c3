package api

import (
	"fmt"
	"strings"
	"time"
	_ "time/tzdata" // zones are known on machines that have none

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// digestFormats are how a digest is answered beside JSON, with their media types.
var digestFormats = map[string]string{"text": "text/plain; charset=utf-8", "markdown": "text/markdown; charset=utf-8",
	"html": "text/html; charset=utf-8"}

// longestDigest bounds the span of a digest.
const longestDigest = 366 * 24 * time.Hour

func digest(r *request) error {
	c, content, among, err := r.seen()
	if err != nil {
		return err
	}
	now := r.Store.Now()
	to, err := r.timeOf("to", now)
	if err != nil {
		return err
	}
	from, err := r.timeOf("from", to.AddDate(0, 0, -7))
	if err != nil {
		return err
	}
	if !from.Before(to) || to.Sub(from) > longestDigest {
		return badQuery("from", from.Format(time.RFC3339), "give a time before `to`, and at most a year before it")
	}
	zone, err := zoneOf(r.Query("zone", "UTC"))
	if err != nil {
		return badQuery("zone", short(r.Query("zone")), "give an IANA name, as Europe/Oslo or UTC")
	}
	format := r.Query("format", "json")
	if _, known := digestFormats[format]; !known && format != "json" {
		return badQuery("format", short(format), "give json, text, markdown or html")
	}
	d, err := teaching.Digest(r.Context(), r.Store, teaching.DigestAsked{Course: c, Content: content, From: from, To: to,
		Groups: among, Says: desk.Says, Note: TeamNote})
	if err != nil {
		return err
	}
	switch format {
	case "text":
		r.Set("Content-Type", digestFormats[format])
		return r.SendString(teaching.DigestText(d, zone))
	case "markdown":
		r.Set("Content-Type", digestFormats[format])
		return r.SendString(teaching.DigestMarkdown(d, zone))
	case "html":
		html, err := teaching.DigestHTML(d, zone)
		if err != nil {
			return err
		}
		r.Set("Content-Type", digestFormats[format])
		r.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'")
		return r.SendString(html)
	}
	return r.JSON(d)
}

// zoneOf finds a time zone by its name; the machine's own has none.
func zoneOf(name string) (*time.Location, error) {
	if name == "" || name == "Local" || len(name) > 60 {
		return nil, fmt.Errorf("no zone %q", name)
	}
	return time.LoadLocation(name)
}

// timeOf reads a query parameter that is a time.
func (r *request) timeOf(name string, or time.Time) (time.Time, error) {
	text := r.Query(name)
	if text == "" {
		return or, nil
	}
	at, err := time.Parse(time.RFC3339, text)
	if err != nil || at.Year() < 2000 || at.Year() > 2200 {
		return or, badQuery(name, short(text), "give a time with its zone: 2031-09-14T22:00:00Z")
	}
	return at.UTC(), nil
}

func settings(r *request) error {
	c, _, _, err := r.team(access.SeeTeam)
	if err != nil {
		return err
	}
	return r.answerSettings(c)
}

func (r *request) answerSettings(c *store.Course) error {
	t, err := r.Store.DigestTimeOf(r.Context(), c.ID)
	if err != nil {
		return err
	}
	out := wire.CourseSettings{}
	if t.Day != nil {
		out.Digest = &wire.DigestTime{Day: strings.ToLower(time.Weekday(*t.Day).String()), Hour: t.Hour, Zone: t.Zone}
	}
	return r.JSON(out)
}

func setSettings(r *request) error {
	c, _, _, err := r.team(access.Author)
	if err != nil {
		return err
	}
	var in wire.CourseSettings
	if err := r.json(&in); err != nil {
		return err
	}
	t := store.DigestTime{Hour: 7, Zone: "UTC"}
	if in.Digest != nil {
		if t, err = digestTime(in.Digest); err != nil {
			return err
		}
	}
	if err := r.Store.SetDigestTime(r.Context(), r.who.Person.ID, c, t); err != nil {
		return err
	}
	return r.answerSettings(c)
}

// digestTime refuses a time that cannot be.
func digestTime(in *wire.DigestTime) (store.DigestTime, error) {
	t := store.DigestTime{Hour: in.Hour, Zone: in.Zone}
	for day := time.Sunday; day <= time.Saturday; day++ {
		if strings.EqualFold(day.String(), in.Day) {
			n := int(day)
			t.Day = &n
		}
	}
	switch {
	case t.Day == nil:
		return t, &access.Unfit{Field: "day", Message: fmt.Sprintf("%q is no day of the week", short(in.Day)),
			Hint: "give monday to sunday"}
	case in.Hour < 0 || in.Hour > 23:
		return t, &access.Unfit{Field: "hour", Message: fmt.Sprintf("there is no hour %d", in.Hour), Hint: "give 0 to 23"}
	}
	if t.Zone == "" {
		t.Zone = "UTC"
	}
	if _, err := zoneOf(t.Zone); err != nil {
		return t, &access.Unfit{Field: "zone", Message: fmt.Sprintf("there is no time zone %q", short(t.Zone)),
			Hint: "give an IANA name, as Europe/Oslo or UTC"}
	}
	return t, nil
}
