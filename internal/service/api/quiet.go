package api

import (
	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/teaching"
)

// mostQuiet bounds the quiet students that are listed.
const mostQuiet = 500

// quiet lists students who have handed in nothing for some days at an exercise that is open.
func quiet(r *request) error {
	c, role, content, err := r.made(access.SeeTeam)
	if err != nil {
		return err
	}
	scope, err := r.Gate.Scope(r.Context(), r.who, c.ID, role)
	if err != nil {
		return err
	}
	days, err := r.number("days", 7, 1, 366)
	if err != nil {
		return err
	}
	now := r.Store.Now()
	var open []string
	for _, e := range content.Exercises {
		if t := teaching.TermsOf(e, nil); t.State(now) == teaching.Open || t.State(now) == teaching.Late {
			open = append(open, e.Name)
		}
	}
	out := wire.Quiet{Days: int(days), Open: len(open), Students: []wire.QuietStudent{}}
	if len(open) == 0 {
		return r.JSON(out)
	}
	list, err := r.Store.QuietIn(r.Context(), c.ID, open, now.AddDate(0, 0, -int(days)), mostQuiet+1, scope...)
	if err != nil {
		return err
	}
	for i, x := range list {
		if i == mostQuiet {
			out.More = true
			break
		}
		out.Students = append(out.Students, wire.QuietStudent{Name: x.Name, Display: x.Display, Group: x.GroupName,
			Last: x.Last, Tried: x.Tried, Agreed: x.Agreed})
	}
	return r.JSON(out)
}
