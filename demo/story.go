package demo

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"time"

	"nimbusreach/internal/core/exercise"
)

// The story is six weeks of a class, three exercises a week. Mistakes cluster as they do in classes: of each exercise
// one is the commonest, and is written in several ways. Some students try nine times, some never; a lecture comes too
// late; one note helps and another does not. All times are from the demo's start, on the evening of a deadline.

const (
	day   = 24 * time.Hour
	weeks = 6

	perWeek = 3 // exercises

	// Enrolled is when accounts and course are made.
	Enrolled = -(weeks*7*day + day)

	lectureLate = 4                        // the exercise whose lecture came too late, as a place in the course
	lecture     = -(weeks-2)*7*day + 2*day // when it came at last
	noteHelps   = 12                       // the exercise of the note that helped
	helpedAt    = -9*day - 4*time.Hour
	noteFails   = 13 // the exercise of the note that did not
	failedAt    = -6*day - 3*time.Hour
	tonight     = 15 // the exercise of which a knot grows tonight
	missed      = 16 // and the last one, which few have begun
)

// temper is how a student works.
type temper struct {
	name   string
	place  int
	skill  float64 // from 0 to 1
	begins float64 // the share of exercises that they begin
	stops  int     // the first week in which they are silent
	nine   int     // the exercise at which they try nine times; -1 for none
}

func tempers(random *rand.Rand) ([]temper, error) {
	people, err := Roster()
	if err != nil {
		return nil, err
	}
	var out []temper
	for _, p := range people {
		if p.Role != "student" {
			continue
		}
		t := temper{name: p.Name, place: len(out), skill: random.Float64(), begins: 0.8 + 0.15*random.Float64(), stops: weeks,
			nine: -1}
		switch t.place {
		case 0: // the demo's own student is at work in every week
			t.skill, t.begins = 0.55, 1
		case 13, 29, 38: // enrolled, and never seen
			t.stops = 0
		case 7, 19, 25, 33:
			t.stops = 3
		case 11:
			t.nine, t.skill = 6, 0.1
		case 22:
			t.nine, t.skill = 10, 0.15
		}
		out = append(out, t)
	}
	return out, nil
}

// teller makes the story.
type teller struct {
	random       *rand.Rand
	out          []Attempt
	name         string // of the exercise that is told of
	right, wrong []Attempt
}

// Story returns who hands in what, in the order of time. It is the same at every call.
func Story() ([]Attempt, error) {
	course, problems := exercise.LoadCourse(Course())
	if len(problems) > 0 {
		return nil, fmt.Errorf("the demo course: %s", problems[0])
	}
	t := &teller{random: rand.New(rand.NewPCG(2031, 9))}
	class, err := tempers(t.random)
	if err != nil {
		return nil, err
	}
	for i, e := range course.Exercises {
		t.name = e.Name
		if t.right, t.wrong, err = answers(e.Name); err != nil {
			return nil, err
		}
		for _, who := range class {
			t.works(who, i)
		}
	}
	slices.SortStableFunc(t.out, func(a, b Attempt) int { return int(a.At - b.At) })
	return t.out, nil
}

// add has somebody hand something in.
func (t *teller) add(who temper, a Attempt, at time.Duration) {
	a.Student, a.At = who.name, min(at, -time.Duration(1+who.place)*time.Second)
	t.out = append(t.out, a)
}

func (t *teller) chance(p float64) bool { return t.random.Float64() < p }

// mistake picks a wrong answer: the commonest, or another, of which the earlier are the more common.
func (t *teller) mistake(who temper, common float64) Attempt {
	if t.chance(common) {
		a := t.wrong[0]
		a.Program = written(a.Program, who.place)
		return a
	}
	return t.wrong[min(t.random.IntN(len(t.wrong)), t.random.IntN(len(t.wrong)))]
}

func (t *teller) answer() Attempt { return t.right[t.random.IntN(len(t.right))] }

// evening is a time at which somebody works in a week: mostly late in it, and late in the day.
func (t *teller) evening(week int) time.Duration {
	d := max(t.random.IntN(7), t.random.IntN(7))
	hour := 17 + max(-5, t.random.NormFloat64()*2)
	return time.Duration(week-weeks)*7*day + time.Duration(d)*day +
		time.Duration((hour-18)*float64(time.Hour))
}

func (t *teller) pause() time.Duration {
	return time.Duration(4+t.random.IntN(35))*time.Minute + time.Duration(t.random.IntN(60))*time.Second
}

// works has a student work at an exercise, if they begin it.
func (t *teller) works(who temper, i int) {
	week := i / perWeek
	if week >= who.stops || !t.chance(who.begins-0.05*float64(week)) && who.place != 0 {
		return
	}
	if i == tonight || i == missed {
		t.deadline(who, i)
		return
	}
	at := t.evening(week)
	tries, common := 0, 0.4
	for wrong := 0.75 - 0.5*who.skill; tries < 7 && t.chance(wrong); wrong *= 0.72 {
		tries++
	}
	switch {
	case who.nine == i:
		tries, common = 9, 0.7
	case i == lectureLate && who.skill < 0.75, (i == noteHelps || i == noteFails) && who.skill < 0.6:
		tries, common = 1+t.random.IntN(2), 0.85
	}
	for range tries {
		t.add(who, t.mistake(who, common), at)
		at += t.pause()
	}
	t.ends(who, i, tries, at)
}

// ends tells how somebody's work at an exercise comes out.
func (t *teller) ends(who temper, i, tries int, at time.Duration) {
	soon := func(from time.Duration, within time.Duration) time.Duration {
		return max(at, from+time.Duration(t.random.Float64()*float64(within)))
	}
	switch {
	case tries == 0 && t.chance(0.97):
		t.add(who, t.answer(), at)
	case i == lectureLate && who.skill < 0.75:
		if t.chance(0.85) { // understood once it was told
			t.add(who, t.answer(), soon(lecture, 2*day))
		}
	case i == noteHelps && who.skill < 0.6:
		if t.chance(0.8) {
			t.add(who, t.answer(), soon(helpedAt, 2*day))
		}
	case i == noteFails && who.skill < 0.6:
		for range 1 + t.random.IntN(2) { // the same again
			t.add(who, t.mistake(who, 0.95), soon(failedAt, 3*day))
		}
		if t.chance(0.12) {
			t.add(who, t.answer(), soon(failedAt+3*day, day))
		}
	case who.nine == i:
	case t.chance(0.5 + 0.45*who.skill):
		t.add(who, t.answer(), at)
	}
}

// deadline is the evening on which the demo starts: much comes in within hours, and one mistake spreads.
func (t *teller) deadline(who temper, i int) {
	if i == missed && t.chance(0.5) {
		return
	}
	at := -time.Duration(t.random.ExpFloat64() * float64(5*time.Hour))
	if at < -2*day {
		at = -2 * day
	}
	spreads := i == tonight && who.place%3 == 1
	if spreads { // the last hour
		at = -time.Duration(3+t.random.IntN(50)) * time.Minute
		if t.chance(0.3) {
			at -= 3 * time.Hour
		}
		t.add(who, t.mistake(who, 1), at)
		return
	}
	for wrong := 0.8 - 0.5*who.skill; t.chance(wrong); wrong *= 0.6 {
		t.add(who, t.mistake(who, 0.35), at)
		at += t.pause() / 3
	}
	if at < -2*time.Minute && t.chance(0.35+0.5*who.skill) {
		t.add(who, t.answer(), at)
	}
}

var oneBinding = regexp.MustCompile(`^(\p{L}[\p{L}\p{Nd}_]*) = (.+)$`)

// written is a program as one student or another would write it: as it is, with a remark, or by way of a name of one's
// own.
func written(program string, place int) string {
	lines := strings.Split(strings.TrimRight(program, "\n"), "\n")
	first := oneBinding.FindStringSubmatch(lines[0])
	switch place % 5 {
	case 1:
		return "# " + []string{"draft", "second look", "from the lecture"}[place%3] + "\n" + program
	case 2, 3:
		if first != nil && !strings.ContainsAny(program, "{}") {
			own := []string{"a", "step", "result", "answer"}[place%4]
			lines[0] = own + " = " + first[2] + "\n" + first[1] + " = " + own
			return strings.Join(lines, "\n") + "\n"
		}
	}
	return program
}
