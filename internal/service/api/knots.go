package api

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/store"
	"nimbusreach/internal/service/teaching"
)

// noOutput stands in addresses for a knot that is of no output.
const noOutput = "-"

// among reads which groups are asked for: one, or all whom one sees.
func (r *request) among(scope []string) ([]string, error) {
	group := r.Query("group")
	switch {
	case group == "":
		return scope, nil
	case !access.InScope(scope, group):
		return nil, store.ErrNotFound
	}
	return []string{group}, nil
}

// seen finds a course, its content, and the groups that are asked for.
func (r *request) seen() (*store.Course, *exercise.Course, []string, error) {
	c, role, content, err := r.made(access.SeeTeam)
	if err != nil {
		return nil, nil, nil, err
	}
	scope, err := r.Gate.Scope(r.Context(), r.who, c.ID, role)
	if err != nil {
		return nil, nil, nil, err
	}
	among, err := r.among(scope)
	return c, content, among, err
}

// narrow leaves the knots that are asked for, in the order that is asked for.
func (r *request) narrow(list []wire.Knot, content *exercise.Course) ([]wire.Knot, error) {
	name, topic, code := r.Query("exercise"), r.Query("topic"), r.Query("code")
	list = slices.DeleteFunc(list, func(k wire.Knot) bool {
		e := content.Find(k.Exercise)
		return name != "" && k.Exercise != name || code != "" && k.Code != code && !strings.HasPrefix(k.Code, code+".") ||
			topic != "" && (e == nil || !slices.Contains(e.Topics, topic))
	})
	switch by := r.Query("sort", "people"); by {
	case "people": // as they are
	case "growth":
		slices.SortStableFunc(list, func(a, b wire.Knot) int {
			return cmp.Compare(b.People-b.HourAgo, a.People-a.HourAgo)
		})
	case "age":
		slices.SortStableFunc(list, func(a, b wire.Knot) int { return a.Since.Compare(b.Since) })
	default:
		return nil, badQuery("sort", short(by), "give people, growth or age")
	}
	return list, nil
}

func knots(r *request) error {
	c, content, among, err := r.seen()
	if err != nil {
		return err
	}
	d, err := desk.View(r.Context(), r.Store, c, content, among...)
	if err != nil {
		return err
	}
	list, err := r.narrow(d.Knots, content)
	if err != nil {
		return err
	}
	return r.JSON(wire.Knots{Course: c.Slug, At: d.At, Knots: list})
}

// knotOf reads which knot an address names.
func (r *request) knotOf() (store.Knot, error) {
	var parts [3]string
	for i, name := range []string{"exercise", "code", "output"} {
		text, err := url.PathUnescape(r.Params(name))
		if err != nil {
			return store.Knot{}, store.ErrNotFound
		}
		parts[i] = text
	}
	if parts[2] == noOutput {
		parts[2] = ""
	}
	if desk.Says(parts[1]) == "" {
		return store.Knot{}, &access.Unfit{Field: "code", Message: fmt.Sprintf("there is no code %q", short(parts[1])),
			Hint: "the desk names the codes of its knots"}
	}
	return store.Knot{Exercise: parts[0], LeadCode: parts[1], LeadOutput: parts[2]}, nil
}

func knotPage(r *request) error {
	c, content, among, err := r.seen()
	if err != nil {
		return err
	}
	k, err := r.knotOf()
	if err != nil {
		return err
	}
	page, err := desk.Knot(r.Context(), r.Store, c, content, k, among...)
	if err != nil {
		return err
	}
	list, err := r.Store.Notes(r.Context(), store.NoteFilter{Course: c.ID, Exercise: k.Exercise, Knot: true,
		LeadCode: k.LeadCode, Output: k.LeadOutput, Groups: among, Withdrawn: true, Limit: 50})
	if err != nil {
		return err
	}
	for i := range list {
		page.Notes = append(page.Notes, TeamNote(&list[i]))
	}
	return r.JSON(page)
}

// classMap answers how a course's students stand in its exercises, a page of them.
func classMap(r *request) error {
	c, content, among, err := r.seen()
	if err != nil {
		return err
	}
	limit, err := r.number("limit", 200, 1, 2000)
	if err != nil {
		return err
	}
	m, err := teaching.Map(r.Context(), r.Store, c, content, teaching.MapPage{Search: strings.TrimSpace(r.Query("search")),
		After: r.Query("after"), Limit: int(limit)}, among...)
	if err != nil {
		return err
	}
	if m.Groups, err = r.groupNames(c); err != nil {
		return err
	}
	return r.JSON(m)
}

// causeMap answers which ideas are missing in which exercise.
func causeMap(r *request) error {
	c, content, among, err := r.seen()
	if err != nil {
		return err
	}
	m, err := teaching.Causes(r.Context(), r.Store, c, content, desk.Says, among...)
	if err != nil {
		return err
	}
	if m.Groups, err = r.groupNames(c); err != nil {
		return err
	}
	return r.JSON(m)
}

// groupNames lists the groups that whoever asks may choose among.
func (r *request) groupNames(c *store.Course) ([]string, error) {
	out := []string{}
	_, _, scope, err := r.team(access.SeeTeam)
	if err != nil || len(scope) > 0 {
		return append(out, scope...), err
	}
	list, err := r.Store.GroupsOf(r.Context(), c.ID)
	for _, g := range list {
		if g.Name != "" {
			out = append(out, g.Name)
		}
	}
	return out, err
}
