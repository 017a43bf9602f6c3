package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

const recentShown = 40

// View computes the desk of a course, or of some of its groups. The team's own attempts count nowhere but among
// those that come in.
func View(ctx context.Context, s *store.Store, c *store.Course, content *exercise.Course, among ...string) (*wire.Desk,
	error) {
	students, err := s.CountStudents(ctx, c.ID, among...)
	if err != nil {
		return nil, err
	}
	groups, err := s.Groups(ctx, c.ID, among...)
	if err != nil {
		return nil, err
	}
	open, err := s.OpenAttempts(ctx, c.ID, among...)
	if err != nil {
		return nil, err
	}
	recent, err := s.Attempts(ctx, store.Filter{Course: c.ID, Groups: among, Limit: recentShown})
	if err != nil {
		return nil, err
	}
	waiting, stuck, err := waiting(ctx, s, c, open, among)
	if err != nil {
		return nil, err
	}
	groups = regroup(groups, open)
	d := &wire.Desk{Course: c.Slug, Title: c.Title, At: s.Now(), Students: int(students),
		Attempts: attempts(groups),
		Waiting:  waiting, Stuck: stuck, Knots: []wire.Knot{}, Recent: []wire.AttemptLine{},
		Groups: append([]string{}, among...)}
	d.Exercises = exercises(content, groups, int(students))
	d.Knots = knots(groups)
	if err := trends(ctx, s, c, d, among); err != nil {
		return nil, err
	}
	if err := evidence(ctx, s, d.Knots); err != nil {
		return nil, err
	}
	for _, a := range recent {
		d.Recent = append(d.Recent, Line(&a))
	}
	return d, nil
}

// waiting counts a course's attempts that wait, and those that are stuck; of some groups those that are open.
func waiting(ctx context.Context, s *store.Store, c *store.Course, open []store.OpenAttempt, among []string) (waiting,
	stuck int64, err error) {
	if len(among) == 0 {
		return s.Waiting(ctx, c.ID)
	}
	for _, o := range open {
		if o.State == store.Stuck {
			stuck++
		} else {
			waiting++
		}
	}
	return waiting, stuck, nil
}

// regroup takes people whose newest attempt is open out of the groups that they were in by the one
// before, into groups of their own.
func regroup(groups []store.Group, open []store.OpenAttempt) []store.Group {
	type who struct {
		person   uint64
		exercise string
	}
	newest := map[who]*store.OpenAttempt{}
	for i := range open { // the oldest comes first
		if o := &open[i]; o.NewestID == nil || o.ID >= *o.NewestID {
			newest[who{o.PersonID, o.Exercise}] = o
		}
	}
	at := map[store.Alike]*store.Group{}
	for i := range groups {
		at[groups[i].Alike()] = &groups[i]
	}
	var added []store.Group
	for _, o := range newest {
		if o.NewestID != nil {
			if g := at[store.Alike{Exercise: o.Exercise, Verdict: *o.Verdict, LeadCode: *o.LeadCode, LeadOutput: *o.Lead,
				Student: o.Student}]; g != nil {
				g.Without(strconv.FormatUint(*o.NewestID, 10), *o.Tries)
			}
		}
		added = append(added, store.Group{Exercise: o.Exercise, State: o.State, Student: o.Student, People: 1,
			Tries: o.Number})
	}
	return append(groups, added...)
}

// attempts counts all attempts of a course, whoever's.
func attempts(groups []store.Group) int64 {
	n := int64(0)
	for _, g := range groups {
		n += int64(g.Tries)
	}
	return n
}

// exercises counts students by the verdict of their newest attempt.
func exercises(content *exercise.Course, groups []store.Group, students int) []wire.DeskExercise {
	out := make([]wire.DeskExercise, len(content.Exercises))
	index := map[string]*wire.DeskExercise{}
	for i, e := range content.Exercises {
		out[i] = wire.DeskExercise{Name: e.Name, Title: e.Title, None: students,
			Topics: append([]string{}, e.Topics...)}
		index[e.Name] = &out[i]
	}
	for _, g := range groups {
		x := index[g.Exercise]
		if x == nil || !g.Student {
			continue // of an earlier revision, or the team's
		}
		x.None -= g.People
		x.Tries += g.Tries
		switch {
		case g.State == store.Stuck:
			x.Stuck += g.People
		case g.State != "":
			x.Waiting += g.People
		case g.Verdict == "agrees":
			x.Agrees += g.People
		case g.Verdict == "differs":
			x.Differs += g.People
		case g.Verdict == "failed":
			x.Failed += g.People
		case g.Verdict == "refused":
			x.Refused += g.People
		}
	}
	return out
}

// knots are students whose newest attempt at an exercise does not agree, by exercise and lead, the
// largest first. One lead with two verdicts is one knot.
func knots(groups []store.Group) []wire.Knot {
	type key struct{ exercise, code, output string }
	at, out := map[key]int{}, []wire.Knot{}
	for _, g := range groups {
		if !g.Student || g.State != "" || g.Verdict == "agrees" || g.People <= 0 {
			continue
		}
		of := key{g.Exercise, g.LeadCode, g.LeadOutput}
		i, known := at[of]
		if !known {
			i = len(out)
			at[of], out = i, append(out, wire.Knot{Exercise: g.Exercise, Code: g.LeadCode, Says: Says(g.LeadCode),
				Output: g.LeadOutput, Since: g.Since, Newest: g.Newest, Attempts: []uint64{}})
		}
		k := &out[i]
		k.People += g.People
		if g.Since.Before(k.Since) {
			k.Since = g.Since
		}
		if g.Newest.After(k.Newest) {
			k.Newest = g.Newest
		}
		for _, id := range strings.Split(g.Attempts, ",") {
			if n, err := strconv.ParseUint(id, 10, 64); err == nil {
				k.Attempts = append(k.Attempts, n)
			}
		}
	}
	for i := range out {
		slices.Sort(out[i].Attempts)
	}
	slices.SortStableFunc(out, func(a, b wire.Knot) int {
		return cmp.Or(cmp.Compare(b.People, a.People), b.Newest.Compare(a.Newest), strings.Compare(a.Exercise, b.Exercise),
			strings.Compare(a.Code, b.Code), strings.Compare(a.Output, b.Output))
	})
	return out
}

// evidenceShown is how many knots, the largest, show how one knows their cause.
const evidenceShown = 30

// evidence adds to the largest knots how one knows their cause.
func evidence(ctx context.Context, s *store.Store, list []wire.Knot) error {
	var newest []uint64
	for _, k := range list[:min(len(list), evidenceShown)] {
		if len(k.Attempts) > 0 {
			newest = append(newest, k.Attempts[len(k.Attempts)-1])
		}
	}
	if len(newest) == 0 {
		return nil
	}
	bodies, err := s.Bodies(ctx, newest)
	if err != nil {
		return err
	}
	for i := range list[:min(len(list), evidenceShown)] {
		k := &list[i]
		if len(k.Attempts) == 0 {
			continue
		}
		id := k.Attempts[len(k.Attempts)-1]
		var verdict struct {
			Causes []check.Cause `json:"causes"`
		}
		if json.Unmarshal([]byte(bodies[id]), &verdict) != nil {
			continue
		}
		k.Evidence = evidenceOf(id, verdict.Causes, k.Code)
	}
	return nil
}

// Says is a code in words, as part of a sentence; "" for a code that has none.
func Says(code string) string { return codes.Code(code).Words() }

func text(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}

// Line is an attempt as lists show it.
func Line(a *store.AttemptLine) wire.AttemptLine {
	return wire.AttemptLine{ID: a.ID, Kind: a.Kind, Exercise: a.Exercise, Person: a.PersonName, Display: a.Display,
		State: string(a.State), HandedIn: a.CreatedAt, Late: a.Late, CheckedAt: a.CheckedAt,
		Verdict: a.Verdict, Earned: a.Earned, Possible: a.Possible, LeadCode: text(a.LeadCode),
		LeadSays: Says(text(a.LeadCode)), LeadOutput: text(a.LeadOutput)}
}
