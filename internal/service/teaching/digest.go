package teaching

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

// leastKnot is from how many people on a knot stands in a digest.
const leastKnot = 2

// DigestAsked says which digest is asked for.
type DigestAsked struct {
	Course   *store.Course
	Content  *exercise.Course
	From, To time.Time
	Groups   []string
	Says     func(code string) string // a code in words
	Note     func(*store.NoteLine) wire.TeamNote
}

// Digest computes what happened in a course within a span.
func Digest(ctx context.Context, s *store.Store, a DigestAsked) (*wire.Digest, error) {
	d := &wire.Digest{Course: a.Course.Slug, Title: a.Course.Title, From: a.From, To: a.To, Formed: []wire.DigestKnot{},
		Grew: []wire.DigestKnot{}, Dissolved: []wire.DigestKnot{}, Notes: []wire.TeamNote{},
		Exercises: []wire.DigestExercise{}, Groups: append([]string{}, a.Groups...)}
	students, err := s.CountStudents(ctx, a.Course.ID, a.Groups...)
	if err != nil {
		return nil, err
	}
	came, err := s.CameIn(ctx, a.Course.ID, a.From, a.To, a.Groups...)
	if err != nil {
		return nil, err
	}
	before, err := s.StoodAt(ctx, a.Course.ID, a.From, a.Groups...)
	if err != nil {
		return nil, err
	}
	after, err := s.StoodAt(ctx, a.Course.ID, a.To, a.Groups...)
	if err != nil {
		return nil, err
	}
	active := map[uint64]bool{}
	for i := range came {
		active[came[i].PersonID] = true
	}
	d.Attempts, d.Students, d.Active = len(came), int(students), len(active)
	d.Quiet = max(0, d.Students-d.Active)
	a.knots(d, before, after)
	if err := a.exercises(ctx, s, d, came, after); err != nil {
		return nil, err
	}
	if err := a.notes(ctx, s, d); err != nil {
		return nil, err
	}
	d.Sentences = a.sentences(d, after)
	return d, nil
}

func (a *DigestAsked) knots(d *wire.Digest, before, after []store.Standing) {
	was, is := knotSizes(before), knotSizes(after)
	for k := range was {
		is[k] += 0
	}
	for k, n := range is {
		e := a.Content.Find(k.Exercise)
		if e == nil || max(n, was[k]) < leastKnot {
			continue
		}
		x := wire.DigestKnot{KnotRef: wire.KnotRef{Exercise: k.Exercise, Code: k.LeadCode, Says: a.Says(k.LeadCode),
			Output: k.LeadOutput}, Called: e.Title, Before: was[k], After: n}
		switch {
		case was[k] == 0:
			d.Formed = append(d.Formed, x)
		case n == 0:
			d.Dissolved = append(d.Dissolved, x)
		case n > was[k]:
			d.Grew = append(d.Grew, x)
		}
	}
	for _, list := range [][]wire.DigestKnot{d.Formed, d.Grew, d.Dissolved} {
		slices.SortFunc(list, func(x, y wire.DigestKnot) int {
			return cmp.Or(cmp.Compare(y.After, x.After), cmp.Compare(y.Before, x.Before), strings.Compare(x.Exercise,
				y.Exercise), strings.Compare(x.Code, y.Code), strings.Compare(x.Output, y.Output))
		})
	}
}

// knotSizes counts the people of each knot.
func knotSizes(list []store.Standing) map[store.Knot]int {
	out := map[store.Knot]int{}
	for i := range list {
		if x := &list[i]; x.Verdict != "agrees" {
			out[store.Knot{Exercise: x.Exercise, LeadCode: x.LeadCode, LeadOutput: x.LeadOut}]++
		}
	}
	return out
}

func (a *DigestAsked) exercises(ctx context.Context, s *store.Store, d *wire.Digest, came []store.Step,
	after []store.Standing) error {
	changed, err := s.Adjusted(ctx, a.Course.ID, a.From, a.To, a.Groups...)
	if err != nil {
		return err
	}
	var probed []store.Probed
	if a.Course.CurrentRevisionID != nil {
		if probed, err = s.ProbedOf(ctx, *a.Course.CurrentRevisionID); err != nil {
			return err
		}
	}
	attempts := map[string]int{}
	for i := range came {
		attempts[came[i].Exercise]++
	}
	for _, e := range a.Content.Exercises {
		x := wire.DigestExercise{Name: e.Name, Title: e.Title, Attempts: attempts[e.Name], Changed: changed[e.Name]}
		var tries []int
		stuck := map[string]int{}
		for i := range after {
			y := &after[i]
			if y.Exercise != e.Name {
				continue
			}
			tries = append(tries, y.Tries)
			if y.Verdict == "agrees" {
				x.Agrees++
			} else if y.LeadOut != "" {
				stuck[y.LeadOut]++
			}
		}
		if x.Tried = len(tries); x.Tried > 0 {
			share := float64(x.Agrees) / float64(x.Tried)
			slices.Sort(tries)
			middle := float64(tries[(len(tries)-1)/2]+tries[len(tries)/2]) / 2
			x.Share, x.Tries = &share, &middle
		}
		for output, n := range stuck {
			if n > x.Stuck || n == x.Stuck && output < x.Hardest {
				x.Hardest, x.Stuck = output, n
			}
		}
		for _, p := range probed {
			if p.Exercise == e.Name && p.Slips > 0 {
				share := float64(p.Caught) / float64(p.Slips)
				x.Slips, x.Caught = p.Slips, &share
			}
		}
		d.Exercises = append(d.Exercises, x)
	}
	return nil
}

// mostNotes bounds the notes of a digest.
const mostNotes = 100

func (a *DigestAsked) notes(ctx context.Context, s *store.Store, d *wire.Digest) error {
	list, err := s.Notes(ctx, store.NoteFilter{Course: a.Course.ID, Groups: a.Groups, Withdrawn: true, Shared: true,
		From: a.From, To: a.To, Limit: mostNotes})
	for i := range list {
		d.Notes = append(d.Notes, a.Note(&list[i]))
	}
	return err
}

// sentences are the three that say what to teach again: the idea that most people lack, the exercise that fewest
// master, and what has changed.
func (a *DigestAsked) sentences(d *wire.Digest, after []store.Standing) []string {
	return []string{a.idea(after), hardest(d), change(d)}
}

// idea names the cause that most people are stuck on now, over all exercises.
func (a *DigestAsked) idea(after []store.Standing) string {
	people, where := map[string]map[uint64]bool{}, map[string]map[string]int{}
	for i := range after {
		x := &after[i]
		if x.Verdict == "agrees" || a.Content.Find(x.Exercise) == nil {
			continue
		}
		if people[x.LeadCode] == nil {
			people[x.LeadCode], where[x.LeadCode] = map[uint64]bool{}, map[string]int{}
		}
		people[x.LeadCode][x.PersonID] = true
		where[x.LeadCode][x.Exercise]++
	}
	best := ""
	for code := range people {
		if n, most := len(people[code]), len(people[best]); best == "" || n > most || n == most && code < best {
			best = code
		}
	}
	if len(people[best]) < leastKnot {
		return "No mistake is shared by two students at the end of this span: there is nothing to teach to all again."
	}
	type place struct {
		title string
		n     int
	}
	var places []place
	for name, n := range where[best] {
		places = append(places, place{a.Content.Find(name).Title, n})
	}
	slices.SortFunc(places, func(x, y place) int {
		return cmp.Or(cmp.Compare(y.n, x.n), strings.Compare(x.title, y.title))
	})
	in := places[0].title
	switch {
	case len(places) == 2:
		in += " and " + places[1].title
	case len(places) > 2:
		in = fmt.Sprintf("%s, %s and %d more", in, places[1].title, len(places)-2)
	}
	return fmt.Sprintf("Teach again first: %s are stuck on “%s” in %s.", count(len(people[best]), "student"),
		a.Says(best), in)
}

// hardest names the exercise that the smallest share of those who tried it masters.
func hardest(d *wire.Digest) string {
	var worst *wire.DigestExercise
	for i := range d.Exercises {
		e := &d.Exercises[i]
		if e.Tried >= leastKnot && e.Agrees < e.Tried && (worst == nil || *e.Share < *worst.Share) {
			worst = e
		}
	}
	if worst == nil {
		return "Everybody who tried an exercise masters it by now."
	}
	text := fmt.Sprintf("%s is the hardest: %d of the %d who tried it agree, with a median of %s", worst.Title,
		worst.Agrees, worst.Tried, triesText(*worst.Tries))
	if worst.Hardest != "" {
		text += fmt.Sprintf("; %d of the others are stuck on `%s`", worst.Stuck, worst.Hardest)
	}
	return text + "."
}

func triesText(n float64) string {
	if n == 1 {
		return "one try"
	}
	return fmt.Sprintf("%g tries", n)
}

// change names what the span changed most: a knot that a note has dissolved or left, one that grew, or that nobody
// handed anything in.
func change(d *wire.Digest) string {
	switch grown := grown(d); {
	case d.Attempts == 0:
		return "Nobody handed anything in within this span."
	case grown != nil && grown.After-grown.Before > 0:
		text := fmt.Sprintf("“%s” in %s grew the most, from %d to %s", grown.Says, grown.Called, grown.Before,
			count(grown.After, "student"))
		for i := range d.Notes {
			if n := &d.Notes[i]; n.Exercise == grown.Exercise && n.Code == grown.Code && n.Output == grown.Output {
				return fmt.Sprintf("%s; of the %d whom the note about it reached, %s by now.", text, n.Effect.Reached,
					agree(n.Effect.Agreed))
			}
		}
		return text + ", and no note of this span is about it."
	case len(d.Dissolved) > 0:
		k := &d.Dissolved[0]
		for i := range d.Dissolved {
			if d.Dissolved[i].Before > k.Before {
				k = &d.Dissolved[i]
			}
		}
		return fmt.Sprintf("Nobody is stuck on “%s” in %s any more, where %s were.", k.Says, k.Called, count(k.Before,
			"student"))
	}
	return "No knot of two students or more has grown."
}

// grown is the knot that grew by most people, or formed with most; nil for none.
func grown(d *wire.Digest) *wire.DigestKnot {
	var most *wire.DigestKnot
	for _, list := range [][]wire.DigestKnot{d.Formed, d.Grew} {
		for i := range list {
			if x := &list[i]; most == nil || x.After-x.Before > most.After-most.Before {
				most = x
			}
		}
	}
	return most
}

func agree(n int) string {
	if n == 1 {
		return "1 agrees"
	}
	return fmt.Sprint(n, " agree")
}

func count(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprint(n, " ", word, "s")
}
