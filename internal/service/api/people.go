package api

import (
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"
	"unicode"

	"github.com/gofiber/fiber/v3"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/roster"
	"nimbusreach/internal/service/store"
)

func (r *request) me(who *access.Who) (*wire.Me, error) {
	list, err := r.Store.CoursesOf(r.Context(), who.Person.ID)
	if err != nil {
		return nil, err
	}
	me := &wire.Me{Name: who.Person.Name, Display: who.Person.Display, Operator: who.Person.Operator, CSRF: who.CSRF,
		Courses: make([]wire.CourseRef, len(list)), Engine: engine()}
	for i, c := range list {
		me.Courses[i] = wire.CourseRef{Slug: c.Slug, Title: c.Title, Role: string(c.Role), Archived: c.ArchivedAt != nil,
			Empty: c.CurrentRevisionID == nil}
	}
	return me, nil
}

// credentials reads a name and a password and checks them.
func (r *request) credentials() (*store.Person, wire.SignIn, error) {
	var in wire.SignIn
	if err := r.json(&in); err != nil {
		return nil, in, err
	}
	if len(in.Name) > 200 || len(in.Password) > 1000 {
		return nil, in, access.ErrWrongSignIn
	}
	p, err := r.Gate.SignIn(r.Context(), in.Name, in.Password, r.server.proxies.client(r.Ctx))
	return p, in, err
}

func signIn(r *request) error {
	p, _, err := r.credentials()
	if err != nil {
		return err
	}
	return r.beginSession(p)
}

// beginSession signs a console in.
func (r *request) beginSession(p *store.Person) error {
	secret, who, err := r.Gate.BeginSession(r.Context(), p, r.server.proxies.client(r.Ctx))
	if err != nil {
		return err
	}
	r.Cookie(&fiber.Cookie{Name: cookieName, Value: secret, Path: "/", HTTPOnly: true, Secure: r.server.options.Secure,
		SameSite: fiber.CookieSameSiteLaxMode, Expires: time.Now().Add(store.SessionLife)})
	me, err := r.me(who)
	if err != nil {
		return err
	}
	return r.JSON(me)
}

func whoAmI(r *request) error {
	me, err := r.me(r.who)
	if err != nil {
		return err
	}
	return r.JSON(me)
}

func signOut(r *request) error {
	if cookie := r.Cookies(cookieName); cookie != "" {
		if err := r.Gate.EndSession(r.Context(), cookie); err != nil {
			return err
		}
	}
	r.Cookie(&fiber.Cookie{Name: cookieName, Path: "/", HTTPOnly: true, Secure: r.server.options.Secure,
		SameSite: fiber.CookieSameSiteLaxMode, Expires: time.Unix(0, 0)})
	return r.Send(nil)
}

func addToken(r *request) error {
	p, in, err := r.credentials()
	if err != nil {
		return err
	}
	token, err := r.Gate.BeginToken(r.Context(), p, in.Label, store.TokenLife)
	if err != nil {
		return err
	}
	me, err := r.me(&access.Who{Person: p})
	if err != nil {
		return err
	}
	return r.JSON(wire.Token{Token: token, Me: *me})
}

func endToken(r *request) error {
	const prefix = "Bearer "
	header := r.Get("Authorization")
	if len(header) <= len(prefix) {
		return fail(http.StatusBadRequest, "no-token", "No token", "The request carries no bearer token.",
			"a console signs out with DELETE /api/v1/session")
	}
	if err := r.Gate.EndToken(r.Context(), header[len(prefix):]); err != nil {
		return err
	}
	return r.Send(nil)
}

func addPerson(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.MakeAccounts); err != nil {
		return err
	}
	var in wire.NewPerson
	if err := r.json(&in); err != nil {
		return err
	}
	person := &store.Person{Name: in.Name, Display: in.Display, Operator: in.Operator}
	if err := setContact(person, &in.Email, &in.Number); err != nil {
		return err
	}
	p, err := r.Gate.AddPerson(r.Context(), &r.who.Person.ID, person)
	if err != nil {
		return err
	}
	link, err := r.link(p, false, false)
	if err != nil {
		return err
	}
	out := personAs(p)
	out.Link = link
	return r.JSON(out)
}

// setContact sets a person's address and number, nil for neither.
func setContact(p *store.Person, email, number *string) error {
	if email != nil {
		to := strings.ToLower(strings.TrimSpace(*email))
		if to != "" && !roster.IsEmail(to) {
			return &access.Unfit{Field: "email", Message: fmt.Sprintf("%q is no e-mail address", short(to)),
				Hint: "write it as name@example.org"}
		}
		p.Email = to
	}
	if number == nil {
		return nil
	}
	switch to := strings.TrimSpace(*number); {
	case to == "":
		p.Number = nil
	case len(to) > 64 || strings.ContainsFunc(to, unicode.IsControl):
		return &access.Unfit{Field: "number", Message: "the campus number cannot be taken", Hint: "use at most 64 characters"}
	default:
		p.Number = &to
	}
	return nil
}

func short(s string) string {
	if r := []rune(s); len(r) > 80 {
		return string(r[:80]) + "…"
	}
	return s
}

// personAs is an account as those who manage it see it.
func personAs(p *store.Person) wire.Person {
	out := wire.Person{Name: p.Name, Display: p.Display, State: string(p.State), Email: p.Email, Operator: p.Operator,
		Seen: p.SeenAt, Pending: p.PasswordHash == ""}
	if p.Number != nil {
		out.Number = *p.Number
	}
	return out
}

func people(r *request) error {
	if err := r.Gate.May(r.Context(), r.who, access.RunService); err != nil {
		return err
	}
	limit, err := r.number("limit", 200, 1, 2000)
	if err != nil {
		return err
	}
	list, err := r.Store.People(r.Context(), r.Query("search"), r.Query("after"), int(limit)+1)
	if err != nil {
		return err
	}
	out := wire.People{People: []wire.Person{}}
	out.Next = paged(list, limit, func(p *store.Person) string { return p.Name }, func(p *store.Person) {
		out.People = append(out.People, personAs(p))
	})
	return r.JSON(out)
}

func setPerson(r *request) error {
	var in wire.SetPerson
	if err := r.json(&in); err != nil {
		return err
	}
	p, err := r.Gate.Managed(r.Context(), r.who, r.Params("name"))
	if err != nil {
		return err
	}
	after := *p
	if in.Display != nil {
		after.Display = strings.TrimSpace(*in.Display)
		if n := len([]rune(after.Display)); n == 0 || n > 120 || strings.ContainsFunc(after.Display, unicode.IsControl) {
			return &access.Unfit{Field: "display", Message: "the name that others see cannot be taken",
				Hint: "use 1 to 120 characters"}
		}
	}
	if err := setContact(&after, in.Email, in.Number); err != nil {
		return err
	}
	if err := r.Store.SetAccount(r.Context(), r.who.Person.ID, p, &after); err != nil {
		return err
	}
	return r.JSON(personAs(&after))
}

// team finds a course for somebody of its team, with the groups that they are limited to.
func (r *request) team(action access.Action) (*store.Course, store.Role, []string, error) {
	c, role, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), action)
	if err != nil {
		return nil, "", nil, err
	}
	scope, err := r.Gate.Scope(r.Context(), r.who, c.ID, role)
	return c, role, scope, err
}

func members(r *request) error {
	c, role, scope, err := r.team(access.ListPeople)
	if err != nil {
		return err
	}
	limit, err := r.number("limit", 500, 1, 2000)
	if err != nil {
		return err
	}
	f := store.MemberFilter{Course: c.ID, After: r.Query("after"), Search: strings.TrimSpace(r.Query("search")),
		Role: store.Role(r.Query("role")), State: store.PersonState(r.Query("state")), Groups: scope, Limit: int(limit) + 1}
	if f.Role != "" && !access.IsRole(f.Role) {
		return noRole(string(f.Role))
	}
	if group := r.Query("group"); group != "" {
		if !access.InScope(scope, group) {
			return r.JSON(wire.Members{People: []wire.Member{}})
		}
		f.Groups = []string{group}
	}
	list, err := r.Store.Members(r.Context(), f)
	if err != nil {
		return err
	}
	var managed map[uint64]bool
	contact := access.Allows(role, access.SeeContact)
	if contact {
		if managed, err = r.managed(list); err != nil {
			return err
		}
	}
	out := wire.Members{People: []wire.Member{}}
	if f.After == "" {
		total, err := r.Store.CountMembers(r.Context(), f)
		if err != nil {
			return err
		}
		out.Total = &total
	}
	out.Next = paged(list, limit, func(m *store.Member) string { return m.Name }, func(m *store.Member) {
		out.People = append(out.People, memberAs(m, contact, managed[m.PersonID]))
	})
	return r.JSON(out)
}

// managed says whose accounts whoever asks may change.
func (r *request) managed(list []store.Member) (map[uint64]bool, error) {
	ids := make([]uint64, len(list))
	for i := range list {
		ids[i] = list[i].PersonID
	}
	return r.Gate.ManagedAmong(r.Context(), r.who, ids)
}

// memberAs is somebody of a course as the team sees them, with address and number where contact says so.
func memberAs(m *store.Member, contact, managed bool) wire.Member {
	out := wire.Member{Name: m.Name, Display: m.Display, Role: string(m.Role), State: string(m.State), Group: m.GroupName,
		Groups: []string{}, Manages: managed}
	if m.Account == store.Left {
		out.State = string(store.Left)
	}
	if m.Limits != nil {
		out.Groups = strings.Split(*m.Limits, "\n")
	}
	if contact {
		out.Email, out.Seen, out.Pending = m.Email, m.SeenAt, m.Pending
		if m.Number != nil {
			out.Number = *m.Number
		}
	}
	return out
}

func groups(r *request) error {
	c, _, scope, err := r.team(access.ListPeople)
	if err != nil {
		return err
	}
	list, err := r.Store.GroupsOf(r.Context(), c.ID)
	if err != nil {
		return err
	}
	out := []wire.Group{}
	for _, g := range list {
		if access.InScope(scope, g.Name) {
			out = append(out, wire.Group{Name: g.Name, People: g.People})
		}
	}
	return r.JSON(out)
}

func noRole(name string) error {
	return &access.Unfit{Field: "role", Message: "there is no role " + short(name),
		Hint: "roles are instructor, assistant and student"}
}

func setRole(r *request) error {
	var in wire.SetRole
	if err := r.json(&in); err != nil {
		return err
	}
	return r.setSeat(&wire.SetMember{Role: &in.Role})
}

func setMember(r *request) error {
	var in wire.SetMember
	if err := r.json(&in); err != nil {
		return err
	}
	return r.setSeat(&in)
}

// setSeat changes somebody's place in a course.
func (r *request) setSeat(in *wire.SetMember) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.SetRoles)
	if err != nil {
		return err
	}
	to, err := seatOf(in)
	if err != nil {
		return err
	}
	p, err := r.Store.PersonByName(r.Context(), strings.ToLower(r.Params("name")))
	if err != nil {
		return err
	}
	if p.ID == r.who.Person.ID && (in.State != nil || in.Groups != nil || in.Role != nil) {
		return &access.Unfit{Field: "name", Message: "that is you", Hint: "another instructor can"}
	}
	err = r.Store.SetSeat(r.Context(), &r.who.Person.ID, c, p, to)
	if errors.Is(err, store.ErrNotMember) {
		return &access.Unfit{Field: "name", Message: p.Display + " is not in the course", Hint: "give them a role first"}
	}
	if err != nil {
		return err
	}
	list, err := r.Store.Members(r.Context(), store.MemberFilter{Course: c.ID, Name: p.Name, Limit: 1})
	if err != nil {
		return err
	}
	if len(list) == 0 {
		return store.ErrNotFound
	}
	managed, err := r.managed(list)
	if err != nil {
		return err
	}
	return r.JSON(memberAs(&list[0], true, managed[p.ID]))
}

// mostLimits bounds the groups that an assistant is limited to.
const mostLimits = 100

// seatOf reads what changes of somebody's place.
func seatOf(in *wire.SetMember) (to store.Seat, err error) {
	if in.Role != nil {
		role := store.Role(*in.Role)
		if to.Role = &role; !access.IsRole(role) {
			return to, noRole(*in.Role)
		}
	}
	if in.State != nil {
		state := store.PersonState(*in.State)
		if to.State = &state; state != store.Active && state != store.Left {
			return to, noState(*in.State)
		}
	}
	if in.Group != nil {
		group := strings.TrimSpace(*in.Group)
		if to.Group = &group; !isGroup(group) && group != "" {
			return to, noGroup(group)
		}
	}
	if in.Groups != nil {
		if len(*in.Groups) > mostLimits {
			return to, &access.Unfit{Field: "groups", Message: "these are too many groups",
				Hint: fmt.Sprintf("name at most %d, or none for no limit", mostLimits)}
		}
		for _, g := range *in.Groups {
			if !isGroup(g) {
				return to, noGroup(g)
			}
		}
		to.Groups = in.Groups
	}
	return to, nil
}

func isGroup(name string) bool {
	return name != "" && name == strings.TrimSpace(name) && len([]rune(name)) <= 80 && !strings.ContainsFunc(name,
		unicode.IsControl)
}

func noGroup(name string) error {
	return &access.Unfit{Field: "group", Message: fmt.Sprintf("%q cannot be the name of a group", short(name)),
		Hint: "use 1 to 80 characters on one line"}
}

func noState(name string) error {
	return &access.Unfit{Field: "state", Message: fmt.Sprintf("there is no state %q", short(name)),
		Hint: "people are active or left"}
}

// member finds somebody of a course, whom whoever asks may see.
func (r *request) member(c *store.Course, role store.Role, name string) (*store.Person, error) {
	p, err := r.Store.PersonByName(r.Context(), strings.ToLower(name))
	if err != nil {
		return nil, err
	}
	theirs, group, err := r.Store.SeatIn(r.Context(), c.ID, p.ID)
	if err != nil {
		return nil, err
	}
	scope, err := r.Gate.Scope(r.Context(), r.who, c.ID, role)
	if err == nil && (theirs == "" || !access.InScope(scope, group)) {
		err = store.ErrNotFound
	}
	return p, err
}

func words(r *request) error {
	out := wire.Words{Reserved: notation.Reserved}
	for _, name := range functions.Names() {
		f := functions.Lookup(name)
		out.Functions = append(out.Functions, wire.Word{Name: f.Name, Topic: string(f.Topic), Signature: f.Signature,
			Doc: f.Describe(), Example: f.Example})
	}
	r.Set("Cache-Control", "private, max-age=3600")
	return r.JSON(out)
}
