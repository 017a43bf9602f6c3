package roster

import (
	"cmp"
	"context"
	"fmt"
	"net/mail"
	"slices"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/store"
)

// Options say how a roster is imported.
type Options struct {
	Role store.Role // of those who are new to the course, where the file names none
	// Leave lets people leave the course who are not in the file. It concerns those with a role that the file gives.
	Leave bool

	By       uint64 // who imports: their own row is left alone
	Operator bool   // they may manage everybody
}

// Plan is what an import would do: as the wire shows it, and as the store writes it.
type Plan struct {
	wire.RosterPlan
	Write []store.Enrolment
}

// roleWords are the roles as rosters write them.
var roleWords = map[string]store.Role{
	"student": store.Student, "learner": store.Student, "participant": store.Student,
	"assistant": store.Assistant, "tutor": store.Assistant, "teaching assistant": store.Assistant, "ta": store.Assistant,
	"instructor": store.Instructor, "lecturer": store.Instructor, "teacher": store.Instructor,
}

// planner compares rows with people.
type planner struct {
	Options
	plan           *Plan
	names, numbers map[string]*store.Known
	emails         map[string][]*store.Known
	people         map[uint64]*store.Known
	seen           map[string]int // what a row before has said of itself, by field and value
	met            map[uint64]int // the rows of people
	roles          map[store.Role]bool
	unnamed        []int // rows of new people, in Write, that have no name yet
	taken          map[string]bool
}

// Make compares a table with the people there are.
func Make(ctx context.Context, t *Table, of store.RosterPeople, o Options) (*Plan, error) {
	var names, numbers, emails []string
	for _, r := range t.Rows {
		names, numbers, emails = append(names, r.Name), append(numbers, r.Number), append(emails, r.Email)
		if r.Name == "" {
			names = append(names, suggestion(&r))
		}
	}
	list, err := of.Candidates(ctx, distinct(names), distinct(numbers), distinct(emails))
	if err != nil {
		return nil, err
	}
	p := &planner{Options: o, plan: &Plan{RosterPlan: wire.RosterPlan{Source: t.Source, Rows: len(t.Rows),
		Added: []wire.RosterChange{}, Changed: []wire.RosterChange{}, Refused: []wire.RosterRefusal{},
		Missing: []wire.RosterPerson{}}}, names: map[string]*store.Known{}, numbers: map[string]*store.Known{},
		emails: map[string][]*store.Known{}, people: map[uint64]*store.Known{}, seen: map[string]int{},
		met: map[uint64]int{}, roles: map[store.Role]bool{}, taken: map[string]bool{}}
	for i := range list {
		k := &list[i]
		p.names[k.Name], p.people[k.ID], p.taken[k.Name] = k, k, true
		if k.Number != nil {
			p.numbers[*k.Number] = k
		}
		if k.Email != "" {
			p.emails[k.Email] = append(p.emails[k.Email], k)
		}
	}
	for i := range t.Rows {
		if refusal := p.row(&t.Rows[i]); refusal != nil {
			refusal.Row = t.Rows[i].Line
			for _, c := range t.Source.Columns { // called as the file calls it
				if c.Field == refusal.Column {
					refusal.Column = c.Header
				}
			}
			p.excuse(&t.Rows[i])
			p.plan.Refused = append(p.plan.Refused, *refusal)
		}
	}
	if err := p.name(ctx, of); err != nil {
		return nil, err
	}
	p.missing(list)
	return p.plan, nil
}

// excuse keeps whoever a refused row may be about from being missing.
func (p *planner) excuse(r *Row) {
	for _, k := range append([]*store.Known{p.names[r.Name], p.numbers[r.Number]}, p.emails[r.Email]...) {
		if k != nil && p.met[k.ID] == 0 {
			p.met[k.ID] = r.Line
		}
	}
}

func distinct(list []string) []string {
	slices.Sort(list)
	list = slices.Compact(list)
	return slices.DeleteFunc(list, func(s string) bool { return s == "" })
}

func refuse(column, value, message, hint string) *wire.RosterRefusal {
	return &wire.RosterRefusal{Column: column, Value: shorten(value), Message: message, Hint: hint}
}

// row plans one row, or refuses it.
func (p *planner) row(r *Row) *wire.RosterRefusal {
	if r.Fault != nil {
		return r.Fault
	}
	role, refusal := p.check(r)
	if refusal != nil {
		return refusal
	}
	for _, f := range []struct{ field, value string }{{fieldName, r.Name}, {fieldNumber, r.Number},
		{fieldEmail, r.Email}} {
		if f.value == "" {
			continue
		}
		if line, twice := p.seen[f.field+" "+f.value]; twice {
			return refuse(f.field, f.value, fmt.Sprintf("line %d has this %s too", line, f.field), "remove one of the lines")
		}
		p.seen[f.field+" "+f.value] = r.Line
	}
	k, refusal := p.find(r)
	if refusal != nil {
		return refusal
	}
	if role != "" {
		p.roles[role] = true
	}
	if k == nil {
		p.roles[cmp.Or(role, p.Role)] = true
		p.add(r, cmp.Or(role, p.Role))
		return nil
	}
	if line, twice := p.met[k.ID]; twice {
		return refuse("", "", fmt.Sprintf("line %d is about %s (%s) too", line, k.Display, k.Name), "remove one of the lines")
	}
	p.met[k.ID] = r.Line
	if k.Role == nil {
		p.roles[cmp.Or(role, p.Role)] = true
	}
	return p.change(r, k, role)
}

// check refuses what cannot be taken whoever it is about.
func (p *planner) check(r *Row) (store.Role, *wire.RosterRefusal) {
	role := store.Role("")
	if r.Role != "" {
		known := false
		if role, known = roleWords[r.Role]; !known {
			return "", refuse(fieldRole, r.Role, "there is no such role", "roles are student, assistant and instructor")
		}
	}
	switch {
	case r.Name == "" && r.Number == "" && r.Email == "":
		return "", refuse("", r.Display, "the line has neither name, number nor e-mail address", "give one of them")
	case r.Name != "" && !access.IsName(r.Name):
		return "", refuse(fieldName, r.Name, "this cannot be a name to sign in with", access.NameHint)
	case r.Email != "" && !IsEmail(r.Email):
		return "", refuse(fieldEmail, r.Email, "this is no e-mail address", "write it as name@example.org")
	case len(r.Number) > 64:
		return "", refuse(fieldNumber, r.Number, "the number is longer than 64 bytes", "look at the column")
	case len([]rune(r.Display)) > 120:
		return "", refuse(fieldDisplay, r.Display, "the name is longer than 120 characters", "shorten it")
	case len([]rune(r.Group)) > 80:
		return "", refuse(fieldGroup, r.Group, "the group's name is longer than 80 characters", "shorten it")
	}
	return role, nil
}

// IsEmail reports whether a text is an e-mail address and nothing besides.
func IsEmail(s string) bool {
	a, err := mail.ParseAddress(s)
	return err == nil && a.Address == s && a.Name == "" && len(s) <= 254 && !strings.ContainsAny(s, " <>\"(),;:\\")
}

// find says whom a row is about: the number decides, then the name, then the address. nil: nobody who is there.
func (p *planner) find(r *Row) (*store.Known, *wire.RosterRefusal) {
	byNumber, byName := p.numbers[r.Number], p.names[r.Name]
	byEmail := p.emails[r.Email]
	switch {
	case r.Number != "" && byNumber != nil:
		if byName != nil && r.Name != "" && byName != byNumber {
			return nil, refuse(fieldName, r.Name, fmt.Sprintf("the name is %s's, and the number %s's", byName.Display,
				byNumber.Display), "correct one of them")
		}
		return byNumber, nil
	case r.Name != "" && byName != nil:
		if byName.Number != nil && r.Number != "" {
			return nil, refuse(fieldNumber, r.Number, fmt.Sprintf("%s (%s) has the number %s", byName.Display, byName.Name,
				*byName.Number), "correct the number, or change it under People first")
		}
		if !p.mine(byName) && byName.Role == nil && r.Display != "" && !strings.EqualFold(r.Display, byName.Display) {
			return nil, refuse(fieldName, r.Name, "somebody else signs in with this name", "choose another, or leave it out")
		}
		return byName, nil
	case r.Name != "":
		return nil, nil
	case r.Email != "" && len(byEmail) == 1:
		if k := byEmail[0]; k.Number == nil || r.Number == "" {
			return k, nil
		}
		return nil, nil // somebody else of the same address, with a number of their own
	case r.Email != "" && len(byEmail) > 1 && r.Number == "":
		return nil, refuse(fieldEmail, r.Email, fmt.Sprintf("%d people have this address", len(byEmail)),
			"give the campus number, or the name to sign in with")
	}
	// Somebody of the course with the name that the row would be given, and no number or address that says otherwise.
	if k := p.names[suggestion(r)]; k != nil && k.Role != nil && strings.EqualFold(k.Display, r.Display) &&
		(k.Number == nil || r.Number == "") && (k.Email == "" || r.Email == "" || k.Email == r.Email) {
		return k, nil
	}
	return nil, nil
}

// mine reports whether a person's account may be changed by whoever imports.
func (p *planner) mine(k *store.Known) bool {
	return p.Operator || !k.Operator && k.Courses > 0 && k.Courses == k.Taught
}

// suggestion is a name to sign in with, made of what else a row says; "" where nothing serves.
func suggestion(r *Row) string {
	local, _, _ := strings.Cut(r.Email, "@")
	for _, from := range []string{local, strings.ToLower(r.Number)} {
		name := strings.Trim(strings.Map(func(c rune) rune {
			switch {
			case c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || strings.ContainsRune("._-", c):
				return c
			}
			return -1
		}, from), "._-")
		if len(name) > mostSuggested {
			name = name[:mostSuggested]
		}
		if access.IsName(name) {
			return name
		}
	}
	return ""
}

// mostSuggested leaves room for what makes a name unique.
const mostSuggested = 56

// add plans a new account.
func (p *planner) add(r *Row, role store.Role) {
	e := store.Enrolment{Person: store.Person{Name: r.Name, Display: cmp.Or(r.Display, r.Name, r.Email, r.Number),
		Email: r.Email, State: store.Active}, Role: role, Group: r.Group, New: true, Line: r.Line}
	if r.Number != "" {
		number := r.Number
		e.Person.Number = &number
	}
	if r.Name == "" {
		e.Person.Name = suggestion(r)
		p.unnamed = append(p.unnamed, len(p.plan.Write))
	} else {
		p.taken[r.Name] = true
	}
	p.plan.Write = append(p.plan.Write, e)
}

// name gives the new people names that nobody has, and lists them.
func (p *planner) name(ctx context.Context, of store.RosterPeople) error {
	alike := map[string]int{} // people who would get a name
	for _, i := range p.unnamed {
		alike[cmp.Or(p.plan.Write[i].Person.Name, nameless)]++
	}
	var ask []string
	for base, count := range alike {
		for n := 2; n < 2+mostAlike+count; n++ {
			ask = append(ask, fmt.Sprintf("%s-%d", base, n))
		}
	}
	taken, err := of.Taken(ctx, distinct(ask))
	if err != nil {
		return err
	}
	for name, is := range taken {
		p.taken[name] = p.taken[name] || is
	}
	next := map[string]int{}
	for _, i := range p.unnamed {
		person := &p.plan.Write[i].Person
		base := cmp.Or(person.Name, nameless)
		for person.Name == "" || p.taken[person.Name] {
			n := max(next[base], 2)
			if n >= 2+mostAlike+alike[base] {
				return &Unreadable{p.plan.Write[i].Line, "no name to sign in with is left for this person", "write one"}
			}
			person.Name, next[base] = fmt.Sprintf("%s-%d", base, n), n+1
		}
		p.taken[person.Name] = true
	}
	for _, e := range p.plan.Write {
		if e.New {
			p.plan.Added = append(p.plan.Added, wire.RosterChange{Row: e.Line, Name: e.Person.Name, Display: e.Person.Display,
				Role: string(e.Role), Group: e.Group, Fields: []wire.FieldChange{}, Account: true})
		}
	}
	slices.SortStableFunc(p.plan.Added, func(a, b wire.RosterChange) int { return a.Row - b.Row })
	return nil
}

// mostAlike bounds the people there are already whose names are alike but for a number.
const mostAlike = 40

// nameless begins the name of somebody of whom nothing can be one.
const nameless = "person"

// change plans what a row changes about somebody who is there.
func (p *planner) change(r *Row, k *store.Known, role store.Role) *wire.RosterRefusal {
	if k.State == store.Left {
		return refuse("", "", fmt.Sprintf("%s (%s) has left the service", k.Display, k.Name),
			"the operator can let them return")
	}
	e := store.Enrolment{Person: k.Person, Line: r.Line, New: false}
	fields := []wire.FieldChange{}
	set := func(field, before, after string) {
		fields = append(fields, wire.FieldChange{Field: field, Before: before, After: after})
	}
	added := k.Role == nil
	if added && k.ID == p.By {
		return refuse("", "", "this line would give yourself a role", "an instructor of the course can")
	}
	if added {
		e.Role, e.Group, e.Member = cmp.Or(role, p.Role), r.Group, true
	} else {
		e.Role, e.Group = *k.Role, *k.Group
		if role != "" && role != e.Role {
			if k.ID == p.By {
				return refuse(fieldRole, r.Role, "this line would change your own role", "another instructor can")
			}
			set(fieldRole, string(e.Role), string(role))
			e.Role, e.Member = role, true
		}
		if r.Group != "" && r.Group != e.Group {
			set(fieldGroup, e.Group, r.Group)
			e.Group, e.Member = r.Group, true
		}
		if *k.Seat == store.Left {
			set("state", string(store.Left), string(store.Active))
			e.Member = true
		}
	}
	if p.mine(k) {
		if r.Display != "" && r.Display != k.Display {
			set(fieldDisplay, k.Display, r.Display)
			e.Person.Display, e.Account = r.Display, true
		}
		if r.Email != "" && r.Email != k.Email {
			set(fieldEmail, k.Email, r.Email)
			e.Person.Email, e.Account = r.Email, true
		}
		if number := r.Number; number != "" && (k.Number == nil || *k.Number != number) {
			set(fieldNumber, text(k.Number), number)
			e.Person.Number, e.Account = &number, true
		}
	}
	line := wire.RosterChange{Row: r.Line, Name: k.Name, Display: k.Display, Role: string(e.Role), Group: e.Group,
		Fields: fields}
	switch {
	case added:
		p.plan.Added = append(p.plan.Added, line)
	case len(fields) > 0:
		p.plan.Changed = append(p.plan.Changed, line)
	default:
		p.plan.Unchanged++
		return nil
	}
	e.Before = fields
	p.plan.Write = append(p.plan.Write, e)
	return nil
}

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// missing lists those of the course who are not in the file, among the roles that the file gives.
func (p *planner) missing(list []store.Known) {
	for i := range list {
		k := &list[i]
		if k.Role == nil || *k.Seat == store.Left || p.met[k.ID] > 0 || k.ID == p.By ||
			!p.roles[*k.Role] && *k.Role != p.Role {
			continue
		}
		p.plan.Missing = append(p.plan.Missing, wire.RosterPerson{Name: k.Name, Display: k.Display, Role: string(*k.Role),
			Group: *k.Group, Leaves: p.Leave})
		if p.Leave {
			p.plan.Write = append(p.plan.Write, store.Enrolment{Person: k.Person, Role: *k.Role, Group: *k.Group, Member: true,
				Leaves: true})
		}
	}
	slices.SortFunc(p.plan.Missing, func(a, b wire.RosterPerson) int { return strings.Compare(a.Name, b.Name) })
}
