package demo

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"nimbusreach/client"
	"nimbusreach/client/wire"
)

// Clock is the time that the demo's service goes by: that of the story while it is told, then the real one.
type Clock struct{ ahead atomic.Int64 }

// Now is the time.
func (c *Clock) Now() time.Time { return time.Now().Add(time.Duration(c.ahead.Load())) }

// set lets the clock go on from a time.
func (c *Clock) set(to time.Time) { c.ahead.Store(int64(time.Until(to))) }

// Real lets the clock go by the real time again.
func (c *Clock) Real() { c.ahead.Store(0) }

// At lets the clock go on from so much before or after the real time.
func (c *Clock) At(d time.Duration) { c.ahead.Store(int64(d)) }

// HandedIn is an attempt of the story with what became of it.
type HandedIn struct {
	Attempt
	Result *wire.Attempt
}

// deed is something that happens in the story beside what is handed in.
type deed struct {
	at time.Duration
	do func(context.Context) error
}

// player tells the story to a service.
type player struct {
	base    *client.Client
	clock   *Clock
	start   time.Time
	clients map[string]*client.Client
	asked   map[string]bool // predictions, by student and exercise
	told    func(HandedIn)
	mu      sync.Mutex
	count   map[string]int
	notes   map[string]uint64 // by exercise
}

// Play tells the story: what every student hands in at its time, the notes that the team writes, and what students say
// of them. It reports each verdict. The clock is that of the service.
func Play(ctx context.Context, base *client.Client, clock *Clock, told func(HandedIn)) error {
	story, err := Story()
	if err != nil {
		return err
	}
	p := &player{base: base, clock: clock, start: time.Now(), clients: map[string]*client.Client{},
		asked: map[string]bool{},
		told:  told, count: map[string]int{}, notes: map[string]uint64{}}
	defer clock.Real()
	if err := p.signIn(ctx); err != nil {
		return err
	}
	deeds := p.deeds()
	for i := 0; i < len(story); {
		for len(deeds) > 0 && deeds[0].at <= story[i].At {
			clock.set(p.start.Add(deeds[0].at))
			if err := deeds[0].do(ctx); err != nil {
				return err
			}
			deeds = deeds[1:]
		}
		n := together(story[i:])
		clock.set(p.start.Add(story[i].At))
		if err := inParallel(story[i:i+n], func(a Attempt) error { return p.handIn(ctx, a) }); err != nil {
			return err
		}
		i += n
	}
	return nil
}

// signIn signs the class and the team in, all at the real time.
func (p *player) signIn(ctx context.Context) error {
	people, err := Roster()
	if err != nil {
		return err
	}
	return inParallel(people, func(x Person) error {
		c := p.base.As("")
		_, err := c.SignIn(ctx, x.Name, Password, "demo")
		p.mu.Lock()
		defer p.mu.Unlock()
		p.clients[x.Name] = c
		return err
	})
}

// together counts the attempts at the beginning of a list that are handed in at once: those of several students within
// some minutes.
func together(list []Attempt) int {
	who := map[string]bool{}
	for i, a := range list {
		if i == 4 || who[a.Student] || a.At-list[0].At > 10*time.Minute {
			return i
		}
		who[a.Student] = true
	}
	return len(list)
}

func (p *player) handIn(ctx context.Context, a Attempt) error {
	c := p.clients[a.Student]
	p.mu.Lock()
	first := !p.asked[a.Student+" "+a.Exercise]
	p.asked[a.Student+" "+a.Exercise] = true
	p.count[a.Student]++
	key := fmt.Sprintf("demo-%s-%d", a.Student, p.count[a.Student])
	p.mu.Unlock()
	if first {
		if err := predict(ctx, c, a.Student, a.Exercise); err != nil {
			return err
		}
	}
	result, err := c.HandIn(ctx, CourseSlug, a.Exercise, a.Program, key, 20)
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.told(HandedIn{a, result})
	return nil
}

const (
	helpful = "An hour is calm when its wave lies **below** `calm`. What does your comparison say of an hour whose wave " +
		"is exactly as high as that? Try it on two readings:\n\n```\nheights = [0.4, 0.5]\ncalm = 0.5\n```\n\nOne of them " +
		"is calm, and not both."
	helpless = "Please read the prompt again, especially its last sentence."
	toAll    = "Thursday's lab is in the boathouse. Bring the buoy data."
)

// deeds are what the team does, and what students say of it, in the order of time.
func (p *player) deeds() []deed {
	team, head := p.clients[Assistant], p.clients[Instructor]
	deeds := []deed{
		{-20 * day, func(ctx context.Context) error {
			_, err := head.AddNote(ctx, CourseSlug, wire.NewNote{Text: toAll})
			return err
		}},
		{helpedAt, func(ctx context.Context) error { return p.note(ctx, team, noteHelps, helpful) }},
		{helpedAt + 2*day, func(ctx context.Context) error {
			return p.feel(ctx, noteHelps, "helped", 5, "Ah, the mask was the wrong way round. Thank you!")
		}},
		{failedAt, func(ctx context.Context) error { return p.note(ctx, team, noteFails, helpless) }},
		{failedAt + 2*day, func(ctx context.Context) error {
			return p.feel(ctx, noteFails, "stuck", 4, "I read it three times. What is meant by it?")
		}},
		{-3 * day, func(ctx context.Context) error {
			_, err := head.Adjust(ctx, CourseSlug, "bree", "rope-means", wire.NewAdjustment{Kind: "excused",
				Reason: "ill in the first week"})
			return err
		}},
		{-2*day - time.Hour, func(ctx context.Context) error {
			_, err := head.Adjust(ctx, CourseSlug, "ada", "tide-height", wire.NewAdjustment{Kind: "add", Points: "0.5",
				Reason: "a good idea, explained in the lab"})
			return err
		}},
	}
	for _, x := range answersElsewhere {
		deeds = append(deeds, deed{x.at, func(ctx context.Context) error { return p.elsewhere(ctx, x) }})
	}
	return inOrder(deeds)
}

// note writes to the largest knot of an exercise.
func (p *player) note(ctx context.Context, by *client.Client, place int, text string) error {
	c, err := by.Course(ctx, CourseSlug)
	if err != nil {
		return err
	}
	name := c.Exercises[place].Name
	list, err := by.Knots(ctx, CourseSlug, client.KnotQuery{Exercise: name})
	if err != nil {
		return err
	}
	if len(list.Knots) == 0 {
		return errors.New("nobody is stuck in " + name)
	}
	k := list.Knots[0]
	n, err := by.AddNote(ctx, CourseSlug, wire.NewNote{Text: text, Exercise: name, Code: k.Code, Output: k.Output,
		Later: true})
	if err == nil {
		p.notes[name] = n.ID
	}
	return err
}

// feel has some of those who got the note to an exercise say what they think of it, and one answer.
func (p *player) feel(ctx context.Context, place int, feeling string, many int, answer string) error {
	people, err := Roster()
	if err != nil {
		return err
	}
	c, err := p.clients[Assistant].Course(ctx, CourseSlug)
	if err != nil {
		return err
	}
	id := p.notes[c.Exercises[place].Name]
	for _, x := range people {
		if x.Role != "student" || many == 0 {
			continue
		}
		own, err := p.clients[x.Name].OwnNotes(ctx, CourseSlug)
		if err != nil {
			return err
		}
		for _, n := range own.Notes {
			if n.ID != id {
				continue
			}
			if err := errors.Join(p.clients[x.Name].SeeNotes(ctx, id), p.clients[x.Name].FeelNote(ctx, id,
				feeling)); err != nil {
				return err
			}
			if answer != "" {
				if _, err := p.clients[x.Name].AnswerNote(ctx, id, answer); err != nil {
					return err
				}
				answer = ""
			}
			many--
		}
	}
	return nil
}
