package store_test

import (
	"context"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/store"
)

// class is a course with an instructor and students s1, s2, … in groups A and B in turn.
func class(t *testing.T, students int) (*store.Store, *store.Course, []*store.Person) {
	t.Helper()
	s := open(t)
	ctx := context.Background()
	teacher := &store.Person{Name: "imke", Display: "Imke"}
	require.NoError(t, s.AddPerson(ctx, nil, teacher))
	c := &store.Course{Slug: "kelp", Title: "Kelp"}
	require.NoError(t, s.CreateCourse(ctx, teacher.ID, c, teacher))
	people := []*store.Person{teacher}
	for i := range students {
		number := fmt.Sprintf("N%d", i)
		p := &store.Person{Name: fmt.Sprintf("s%d", i+1), Display: fmt.Sprintf("Señora %d", i+1), Number: &number,
			Email: fmt.Sprintf("s%d@farm.example", i+1)}
		require.NoError(t, s.AddPerson(ctx, nil, p))
		role, group := store.Student, string(rune('A'+i%2))
		require.NoError(t, s.SetSeat(ctx, &teacher.ID, c, p, store.Seat{Role: &role, Group: &group}))
		people = append(people, p)
	}
	return s, c, people
}

func memberNames(t *testing.T, s *store.Store, f store.MemberFilter) string {
	t.Helper()
	f.Limit = 100
	list, err := s.Members(context.Background(), f)
	require.NoError(t, err)
	n, err := s.CountMembers(context.Background(), f)
	require.NoError(t, err)
	out := ""
	for _, m := range list {
		out += m.Name + " "
	}
	if f.After == "" {
		assert.Equal(t, int64(len(list)), n)
	}
	return out
}

// TestACourseIsReadAndLetGo: one that is not there is told from one without a role in it, and no connection is kept.
func TestACourseIsReadAndLetGo(t *testing.T) {
	s, c, people := class(t, 1)
	ctx := context.Background()
	before := store.InUse(s)
	for range 3 {
		got, role, err := s.CourseFor(ctx, "kelp", people[1].ID)
		require.NoError(t, err)
		assert.Equal(t, c.ID, got.ID)
		assert.Equal(t, store.Student, role)
		_, role, err = s.CourseFor(ctx, "kelp", 0)
		require.NoError(t, err)
		assert.Empty(t, role)
		_, _, err = s.CourseFor(ctx, "weed", people[1].ID)
		assert.ErrorIs(t, err, store.ErrNotFound)
		_, whole, err := s.ChangesAfter(ctx, 0)
		require.NoError(t, err)
		assert.True(t, whole)
	}
	assert.LessOrEqual(t, store.InUse(s), before)
}

func TestPlacesInACourse(t *testing.T) {
	s, c, people := class(t, 4)
	ctx := context.Background()
	by, s1 := people[0], people[1]
	assert.Equal(t, "imke s1 s2 s3 s4 ", memberNames(t, s, store.MemberFilter{Course: c.ID}))
	assert.Equal(t, "s1 s3 ", memberNames(t, s, store.MemberFilter{Course: c.ID, Groups: []string{"A"}}))
	assert.Equal(t, "s2 s4 ", memberNames(t, s, store.MemberFilter{Course: c.ID, Groups: []string{"B", "C"}}))
	assert.Equal(t, "imke ", memberNames(t, s, store.MemberFilter{Course: c.ID, Role: store.Instructor}))
	for text, want := range map[string]string{"SEÑORA 2": "s2 ", "n3": "", "N3": "s4 ", "S1@FARM": "s1 ", "%": "", "_": "",
		`\`: "", "ora": "s1 s2 s3 s4 "} {
		assert.Equal(t, want, memberNames(t, s, store.MemberFilter{Course: c.ID, Search: text}), "%q", text)
	}

	left, active := store.Left, store.Active
	require.NoError(t, s.SetSeat(ctx, &by.ID, c, s1, store.Seat{State: &left}))
	_, role, err := s.CourseFor(ctx, "kelp", s1.ID)
	require.NoError(t, err)
	assert.Empty(t, role, "who has left has no role")
	got, group, err := s.SeatIn(ctx, c.ID, s1.ID)
	require.NoError(t, err)
	assert.Empty(t, string(got)+group)
	courses, err := s.CoursesOf(ctx, s1.ID)
	require.NoError(t, err)
	assert.Empty(t, courses)
	n, err := s.CountStudents(ctx, c.ID)
	require.NoError(t, err)
	assert.Equal(t, int64(3), n)
	other := "B"
	require.NoError(t, s.SetSeat(ctx, &by.ID, c, s1, store.Seat{Group: &other}))
	assert.Equal(t, "s1 ", memberNames(t, s, store.MemberFilter{Course: c.ID, State: store.Left}),
		"a move brings nobody back")
	require.NoError(t, s.SetSeat(ctx, &by.ID, c, s1, store.Seat{State: &active}))
	groups, err := s.GroupsOf(ctx, c.ID)
	require.NoError(t, err)
	assert.Equal(t, []store.GroupCount{{Name: "A", People: 1}, {Name: "B", People: 3}}, groups)

	stranger := &store.Person{Name: "eve", Display: "Eve"}
	require.NoError(t, s.AddPerson(ctx, nil, stranger))
	assert.ErrorIs(t, s.SetSeat(ctx, &by.ID, c, stranger, store.Seat{Group: &other}), store.ErrNotMember)

	limits := []string{"A", "B", "A"}
	require.NoError(t, s.SetSeat(ctx, &by.ID, c, s1, store.Seat{Groups: &limits}))
	to, err := s.LimitedTo(ctx, c.ID, s1.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"A", "B"}, to)
	none := []string{}
	require.NoError(t, s.SetSeat(ctx, &by.ID, c, s1, store.Seat{Groups: &none}))
	to, err = s.LimitedTo(ctx, c.ID, s1.ID)
	require.NoError(t, err)
	assert.Empty(t, to)

	trail, err := s.Trail(ctx, store.TrailFilter{Subject: "kelp/s1", Limit: 10})
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(trail), 4)
	assert.Equal(t, "imke", *trail[0].By)
	assert.Equal(t, "limited to []", trail[0].Detail)
	assert.Contains(t, trail[3].Detail, `group: "B", was "A"`)
	older, err := s.Trail(ctx, store.TrailFilter{Subject: "kelp/s1", Before: trail[0].ID, Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, trail[1].ID, older[0].ID)
	nobody, err := s.Trail(ctx, store.TrailFilter{Subject: "kelp/s1", Person: s1.ID, Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, nobody)
}

// TestTwoImportsAtOnce: of the same people twice at once, each account is made once, and the second import sees the
// first.
func TestTwoImportsAtOnce(t *testing.T) {
	s, c, people := class(t, 0)
	ctx := context.Background()
	var wg sync.WaitGroup
	made, errs := make([]int, 4), make([]error, 4)
	for i := range made {
		wg.Go(func() {
			errs[i] = s.Import(ctx, people[0].ID, c, func(of store.RosterPeople) ([]store.Enrolment, error) {
				made[i] = 0
				names := []string{"ada", "bo", "cleo"}
				known, err := of.Candidates(ctx, names, nil, nil)
				if err != nil {
					return nil, err
				}
				there := map[string]bool{}
				for _, k := range known {
					there[k.Name] = true
				}
				var out []store.Enrolment
				for _, n := range names {
					if !there[n] {
						made[i]++
						out = append(out, store.Enrolment{Person: store.Person{Name: n, Display: n, State: store.Active},
							Role: store.Student, Group: "A", New: true, LinkHash: []byte(n + "0123456789abcdef0123456789abcdef")[:32],
							Letter: &store.Letter{Recipient: n + "@farm.example", Subject: "s", Plain: "secret"}})
					}
				}
				return out, nil
			})
		})
	}
	wg.Wait()
	total := 0
	for i := range made {
		require.NoError(t, errs[i])
		total += made[i]
	}
	assert.Equal(t, 3, total)
	assert.Equal(t, "ada bo cleo imke ", memberNames(t, s, store.MemberFilter{Course: c.ID}))
	list, err := s.Letters(ctx, 0, 10)
	require.NoError(t, err)
	require.Len(t, list, 3)

	taken, err := s.TakeLetters(ctx, "one", time.Now().UTC().Add(time.Minute), 2)
	require.NoError(t, err)
	require.Len(t, taken, 2)
	assert.Equal(t, "secret", taken[0].Plain)
	rest, err := s.TakeLetters(ctx, "two", time.Now().UTC().Add(time.Minute), 9)
	require.NoError(t, err)
	require.Len(t, rest, 1, "what one has, another does not get")
	require.NoError(t, s.SentLetter(ctx, &taken[0]))
	stolen := taken[1]
	stolen.Owner = "two"
	require.NoError(t, s.SentLetter(ctx, &stolen), "a letter of another's is left alone")
	require.NoError(t, s.PutLetterBack(ctx, &rest[0], nil, "no such person"))
	counts, _, err := s.CountLetters(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[store.LetterState]int64{store.LetterSent: 1, store.LetterSending: 1, store.LetterFailed: 1},
		counts)
	require.NoError(t, s.LeaveLetters(ctx, "one", []uint64{taken[1].ID}))
	again, err := s.TakeLetters(ctx, "three", time.Now().UTC().Add(time.Minute), 9)
	require.NoError(t, err)
	require.Len(t, again, 1)
	assert.Equal(t, 1, again[0].Tries, "what was not tried does not count")
	gone, err := s.TakeLetters(ctx, "four", time.Now().UTC(), 9)
	require.NoError(t, err)
	assert.Empty(t, gone)
}

// TestAnImportIsAllOrNothing: one row that the database refuses takes all others with it.
func TestAnImportIsAllOrNothing(t *testing.T) {
	s, c, people := class(t, 1)
	ctx := context.Background()
	err := s.Import(ctx, people[0].ID, c, func(store.RosterPeople) ([]store.Enrolment, error) {
		return []store.Enrolment{
			{Person: store.Person{Name: "ada", Display: "Ada", State: store.Active}, Role: store.Student, New: true},
			{Person: store.Person{Name: "s1", Display: "Another", State: store.Active}, Role: store.Student, New: true},
		}, nil
	})
	require.ErrorIs(t, err, store.ErrTaken)
	_, err = s.PersonByName(ctx, "ada")
	require.ErrorIs(t, err, store.ErrNotFound)
	changed := []wire.FieldChange{{Field: "display", Before: "Señora 1", After: "Ana"}}
	err = s.Import(ctx, people[0].ID, c, func(of store.RosterPeople) ([]store.Enrolment, error) {
		known, err := of.Candidates(ctx, nil, []string{"N0"}, nil)
		require.NoError(t, err)
		for _, k := range known {
			if k.Name == "s1" {
				assert.Equal(t, 1, k.Courses)
				assert.Equal(t, 1, k.Taught, "imke teaches it")
				k.Display = "Ana"
				return []store.Enrolment{{Person: k.Person, Account: true, Before: changed}}, nil
			}
		}
		return nil, err
	})
	require.NoError(t, err)
	p, err := s.PersonByName(ctx, "s1")
	require.NoError(t, err)
	assert.Equal(t, "Ana", p.Display)
	trail, err := s.Trail(ctx, store.TrailFilter{Action: "roster.", Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, `display: "Ana", was "Señora 1"`, trail[0].Detail)
}

func TestEverybodyByTheBeginning(t *testing.T) {
	s, _, _ := class(t, 3)
	ctx := context.Background()
	for text, want := range map[string]int{"": 4, "s": 3, "s2": 1, "S2@farm": 1, "N1": 1, "%": 0, "2": 0} {
		list, err := s.People(ctx, text, "", 10)
		require.NoError(t, err)
		assert.Len(t, list, want, "%q", text)
	}
	page, err := s.People(ctx, "s", "s1", 1)
	require.NoError(t, err)
	require.Len(t, page, 1)
	assert.Equal(t, "s2", page[0].Name)
}

func TestANumberIsOnePersons(t *testing.T) {
	s, _, people := class(t, 2)
	ctx := context.Background()
	after := *people[2]
	after.Number = people[1].Number
	assert.ErrorIs(t, s.SetAccount(ctx, people[0].ID, people[2], &after), store.ErrNumberTaken)
	err := s.AddPerson(ctx, nil, &store.Person{Name: "new", Display: "New", Number: people[1].Number})
	assert.ErrorIs(t, err, store.ErrNumberTaken)
	err = s.AddPerson(ctx, nil, &store.Person{Name: "s1", Display: "New"})
	assert.ErrorIs(t, err, store.ErrTaken)
	assert.NotErrorIs(t, err, store.ErrNumberTaken)
	after.Number, after.Email = nil, ""
	require.NoError(t, s.SetAccount(ctx, people[0].ID, people[2], &after))
	p, err := s.PersonByName(ctx, "s2")
	require.NoError(t, err)
	assert.Nil(t, p.Number)
}

// TestARosterLetsPeopleLeaveAndComeBack: their role and group as the file has them, what they did remains.
func TestARosterLetsPeopleLeaveAndComeBack(t *testing.T) {
	s, c, people := class(t, 2)
	ctx := context.Background()
	write := func(e store.Enrolment) {
		t.Helper()
		require.NoError(t, s.Import(ctx, people[0].ID, c, func(store.RosterPeople) ([]store.Enrolment, error) {
			return []store.Enrolment{e}, nil
		}))
	}
	write(store.Enrolment{Person: *people[1], Role: store.Student, Group: "A", Member: true, Leaves: true})
	assert.Equal(t, "s1 ", memberNames(t, s, store.MemberFilter{Course: c.ID, State: store.Left}))
	write(store.Enrolment{Person: *people[1], Role: store.Assistant, Group: "C", Member: true})
	role, group, err := s.SeatIn(ctx, c.ID, people[1].ID)
	require.NoError(t, err)
	assert.Equal(t, store.Assistant, role)
	assert.Equal(t, "C", group)
	assert.Empty(t, memberNames(t, s, store.MemberFilter{Course: c.ID, State: store.Left}))
}
