package roster_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/roster"
	"nimbusreach/internal/service/store"
)

// town is people as a plan finds them.
type town []store.Known

func (p town) Candidates(context.Context, []string, []string, []string) ([]store.Known, error) {
	return p, nil
}

func (p town) Taken(_ context.Context, names []string) (map[string]bool, error) {
	out := map[string]bool{}
	for _, k := range p {
		for _, n := range names {
			out[n] = out[n] || n == k.Name
		}
	}
	return out, nil
}

var active, left = store.Active, store.Left

// resident is somebody: of the course with a role and a group, or of another where the role is "".
func resident(id uint64, name, display, number, email string, role store.Role, group string) store.Known {
	k := store.Known{Person: store.Person{ID: id, Name: name, Display: display, Email: email, State: active}, Courses: 1}
	if number != "" {
		k.Number = &number
	}
	if role != "" {
		k.Role, k.Group, k.Seat, k.Taught = &role, &group, &active, 1
	}
	return k
}

func residents() town {
	gone := resident(5, "gone", "Gone Away", "105", "", store.Student, "Lab 1")
	gone.Seat = &left
	off := resident(6, "off", "Off Shore", "106", "", "", "")
	off.State = left
	return town{
		resident(1, "imke", "Imke Harborn", "101", "imke@farm.example", store.Instructor, ""),
		resident(2, "ada", "Ada Tidewell", "102", "ada@farm.example", store.Student, "Lab 1"),
		resident(3, "bo", "Bo Shoal", "", "", store.Student, "Lab 1"),
		resident(4, "cleo", "Cleo Reef", "104", "cleo@other.example", "", ""),
		gone, off,
		resident(7, "aron", "Aron Lowtide", "107", "", store.Assistant, ""),
		resident(8, "root", "The Harbour", "108", "", "", ""),
	}
}

func plan(t *testing.T, text string, o roster.Options) *roster.Plan {
	t.Helper()
	table, err := roster.Read([]byte(text), nil)
	require.NoError(t, err)
	if o.Role == "" {
		o.Role = store.Student
	}
	if o.By == 0 {
		o.By = 1
	}
	p, err := roster.Make(context.Background(), table, residents(), o)
	require.NoError(t, err)
	return p
}

func names(list []wire.RosterChange) string {
	out := make([]string, len(list))
	for i, x := range list {
		out[i] = x.Name
	}
	return strings.Join(out, " ")
}

func TestWhoARowIsAbout(t *testing.T) {
	for _, c := range []struct{ name, text, added, changed, refused string }{
		{"by number, whatever the name", "number,display\n102,Ada Tidewell-Reed\n", "", "ada", ""},
		{"by name", "name,group\nada,Lab 2\n", "", "ada", ""},
		{"by address", "email,group\nADA@farm.example,Lab 2\n", "", "ada", ""},
		{"somebody new by number", "number,display\n200,Dara Salt\n", "200", "", ""},
		{"somebody new by address", "email,display\ndara.salt@farm.example,Dara\n", "dara.salt", "", ""},
		{"an address whose name is taken", "email,display\nada@elsewhere.example,Ada Other\n", "ada-2", "", ""},
		{"two new ones alike", "email,display\njo@a.example,Jo A\njo@b.example,Jo B\n", "jo jo-2", "", ""},
		{"somebody of the course without number and address", "email,display\nbo@farm.example,Bo Shoal\n", "", "bo", ""},
		{"somebody of another course", "number\n104\n", "cleo", "", ""},
		{"who left the course comes back", "number\n105\n", "", "gone", ""},
		{"who left the service", "number\n106\n", "", "", "left the service"},
		{"a name and a number of two people", "name,number\nbo,102\n", "", "", "the name is Bo Shoal's, and the number Ada"},
		{"another number than before", "name,number\nada,999\n", "", "", "has the number 102"},
		{"a stranger's name", "name,display\ncleo,Cleopatra\n", "", "", "somebody else signs in"},
		{"a stranger's name and their own", "name,display\ncleo,Cleo Reef\n", "cleo", "", ""},
		{"a name that cannot be", "name\nx y\n", "", "", "cannot be a name"},
		{"no name at all", "name,display\n,Nobody\n", "", "", "neither name, number nor"},
		{"an unknown role", "name,role\nada,captain\n", "", "", "no such role"},
		{"no address", "name,email\nada,at home\n", "", "", "no e-mail address"},
		{"two rows of one number", "number,display\n200,A\n200,B\n", "200", "", "line 2 has this number too"},
		{"two rows about one person", "name,number\nada,\n,102\n", "", "", "is about Ada Tidewell (ada) too"},
		{"one's own role", "name,role\nimke,student\n", "", "", "your own role"},
		{"one's own place", "number\n108\n", "", "", "would give yourself a role"},
		{"a role of words", "name,role\nbo,Teaching Assistant\n", "", "bo", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			o := roster.Options{}
			if c.name == "one's own place" {
				o = roster.Options{By: 8, Operator: true} // who runs the service, and is in no course
			}
			p := plan(t, c.text, o)
			assert.Equal(t, c.added, names(p.Added))
			assert.Equal(t, c.changed, names(p.Changed))
			told := ""
			for _, r := range p.Refused {
				told += r.Message
				assert.NotEmpty(t, r.Hint)
				assert.Positive(t, r.Row)
			}
			assert.Contains(t, told, c.refused)
			assert.Equal(t, c.refused == "", told == "", told)
		})
	}
}

func TestWhatARowChanges(t *testing.T) {
	p := plan(t, "number,display,email,group,role\n102,Ada Reed,new@farm.example,Lab 2,assistant\n", roster.Options{})
	require.Len(t, p.Changed, 1)
	assert.Equal(t, []wire.FieldChange{{Field: "role", Before: "student", After: "assistant"},
		{Field: "group", Before: "Lab 1", After: "Lab 2"}, {Field: "display", Before: "Ada Tidewell", After: "Ada Reed"},
		{Field: "email", Before: "ada@farm.example", After: "new@farm.example"}}, p.Changed[0].Fields)
	require.Len(t, p.Write, 1)
	assert.True(t, p.Write[0].Account && p.Write[0].Member && !p.Write[0].New)

	empty := plan(t, "number,display,email,group\n102,,,\n", roster.Options{})
	assert.Equal(t, 1, empty.Unchanged, "an empty cell changes nothing")
	assert.Empty(t, empty.Write)

	theirs := plan(t, "number,display,email\n104,Somebody Else,x@farm.example\n", roster.Options{})
	require.Len(t, theirs.Added, 1)
	assert.Empty(t, theirs.Added[0].Fields, "an account of other courses is not this instructor's to change")
	all := plan(t, "number,display,email\n104,Somebody Else,x@farm.example\n", roster.Options{Operator: true})
	assert.Len(t, all.Added[0].Fields, 2)

	role := plan(t, "number\n107\n", roster.Options{})
	assert.Equal(t, 1, role.Unchanged, "the default role demotes nobody")
}

func TestWhoIsMissing(t *testing.T) {
	who := func(p *roster.Plan) string {
		out := []string{}
		for _, x := range p.Missing {
			out = append(out, fmt.Sprintf("%s:%t", x.Name, x.Leaves))
		}
		return strings.Join(out, " ")
	}
	assert.Equal(t, "bo:false", who(plan(t, "number\n102\n", roster.Options{})), "students alone, and those still there")
	p := plan(t, "number\n102\n", roster.Options{Leave: true})
	assert.Equal(t, "bo:true", who(p))
	require.Len(t, p.Write, 1)
	assert.True(t, p.Write[0].Leaves)
	assert.Equal(t, "ada:true bo:true", who(plan(t, "number\n200\n", roster.Options{Leave: true})))
	assert.Equal(t, "bo:true", who(plan(t, "number,email\n102,broken\n", roster.Options{Leave: true})),
		"whose row is refused does not leave for it")
	assert.Equal(t, "ada:false aron:false bo:false", who(plan(t, "name,role\nfresh,assistant\n", roster.Options{})),
		"the roles that the file gives")
}

// TestAPlanThatIsCarriedOutLeavesNothingToDo: the same file again changes nothing.
func TestAPlanThatIsCarriedOutLeavesNothingToDo(t *testing.T) {
	text := "number,family name,given name,email,group\n200,Salt,Dara,dara@farm.example,Lab 2\n201,Moss,Edda,,\n" +
		",Reed,Finn,finn@farm.example,Lab 1\n,Shoal,Bo,bo@farm.example,Lab 2\n102,Tidewell,Ada,,Lab 2\n"
	people := residents()
	table, err := roster.Read([]byte(text), nil)
	require.NoError(t, err)
	o := roster.Options{Role: store.Student, By: 1}
	first, err := roster.Make(context.Background(), table, people, o)
	require.NoError(t, err)
	require.Empty(t, first.Refused)
	for i, e := range first.Write {
		k := store.Known{Person: e.Person, Role: &first.Write[i].Role, Group: &first.Write[i].Group, Seat: &active,
			Courses: 1,
			Taught:  1}
		if e.New {
			k.ID = uint64(100 + i)
			people = append(people, k)
			continue
		}
		for j := range people {
			if people[j].ID == e.Person.ID {
				people[j] = k
			}
		}
	}
	second, err := roster.Make(context.Background(), table, people, o)
	require.NoError(t, err)
	assert.Equal(t, 5, second.Unchanged)
	assert.Empty(t, second.Write)
}

func TestAddresses(t *testing.T) {
	for text, want := range map[string]bool{"a@b.example": true, "a.b+c@d-e.example": true, "": false, "a": false,
		"a@": false, "Ada <a@b.example>": false, "a@b.example\r\nBcc: x@y.example": false, "a b@c.example": false,
		strings.Repeat("a", 250) + "@b.example": false} {
		assert.Equal(t, want, roster.IsEmail(text), "%q", text)
	}
}
