package api

import (
	"net/http"
	"slices"
	"time"

	"github.com/gofiber/fiber/v3"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
)

func (r *request) me(who *access.Who) (*wire.Me, error) {
	list, err := r.Store.CoursesOf(r.Context(), who.Person.ID)
	if err != nil {
		return nil, err
	}
	me := &wire.Me{Name: who.Person.Name, Display: who.Person.Display, Operator: who.Person.Operator, CSRF: who.CSRF,
		Courses: make([]wire.CourseRef, len(list))}
	for i, c := range list {
		me.Courses[i] = wire.CourseRef{Slug: c.Slug, Title: c.Title, Role: string(c.Role)}
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
	p, err := r.Gate.AddPerson(r.Context(), &r.who.Person.ID, in.Name, in.Display, in.Operator)
	if err != nil {
		return err
	}
	link, err := r.link(p, false)
	if err != nil {
		return err
	}
	return r.JSON(wire.Person{Name: p.Name, Display: p.Display, State: string(p.State), Link: link})
}

func members(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.ListPeople)
	if err != nil {
		return err
	}
	limit, err := r.number("limit", 500, 1, 2000)
	if err != nil {
		return err
	}
	list, err := r.Store.Members(r.Context(), c.ID, r.Query("after"), int(limit)+1)
	if err != nil {
		return err
	}
	out := wire.Members{People: []wire.Member{}}
	for i, m := range list {
		if i == int(limit) {
			out.Next = &list[i-1].Name
			break
		}
		out.People = append(out.People, wire.Member{Name: m.Name, Display: m.Display, Role: string(m.Role)})
	}
	return r.JSON(out)
}

func setRole(r *request) error {
	c, _, err := r.Gate.Course(r.Context(), r.who, r.Params("course"), access.SetRoles)
	if err != nil {
		return err
	}
	var in wire.SetRole
	if err := r.json(&in); err != nil {
		return err
	}
	role := store.Role(in.Role)
	if !slices.Contains(access.Roles, role) {
		return &access.Unfit{Field: "role", Message: "there is no role " + in.Role,
			Hint: "roles are instructor, assistant and student"}
	}
	p, err := r.Store.PersonByName(r.Context(), r.Params("name"))
	if err != nil {
		return err
	}
	if err := r.Store.SetRole(r.Context(), &r.who.Person.ID, c, p, role); err != nil {
		return err
	}
	return r.JSON(wire.Member{Name: p.Name, Display: p.Display, Role: string(role)})
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
