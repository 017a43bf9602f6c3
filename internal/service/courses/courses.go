// Package courses turns course folders into published revisions: it loads a folder and runs
// its references, says what can be said of it before it is published, what publishing would
// change, and publishes it, whole or not at all.
//
// Who may author a course is package access's to decide, and how a revision is stored package
// store's. The package knows neither HTTP nor the console.
package courses

import (
	"context"
	"fmt"
	"io/fs"
	"regexp"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/service/store"
)

var slugPattern = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// mostSlug bounds a course's name in addresses.
const mostSlug = 64

// IsSlug reports whether a text can be a course's name in addresses.
func IsSlug(s string) bool { return slugPattern.MatchString(s) && len(s) <= mostSlug }

// Faulty is a folder that cannot be published: its errors, all of them.
type Faulty struct{ Problems []exercise.Problem }

func (e *Faulty) Error() string { return fmt.Sprintf("the course has %d errors", len(e.Problems)) }

// TooFewCaught says that a course's probes catch a smaller share of slips than it asks for.
type TooFewCaught struct{ Share, Asked float64 }

func (e *TooFewCaught) Error() string {
	return fmt.Sprintf("%.1f %% of the slips are caught, and the course asks for %.1f %%", 100*e.Share, 100*e.Asked)
}

// Tell hears how far long work is: of so many steps of a stage so many are done. It may be nil.
type Tell func(stage string, done, total int)

func (t Tell) at(stage string, done, total int) {
	if t != nil {
		t(stage, done, total)
	}
}

// The stages of looking at a course.
const (
	stageRun     = "running references"
	stageProbe   = "probing"
	stageCompare = "comparing verdicts"
)

// Edit is a course folder that has loaded without errors, with its references run.
type Edit struct {
	Slug      string
	From      int // the revision that the edit began from: 0 for none, store.AnyRevision for any
	Content   *exercise.Course
	Prepared  []*check.Prepared
	canonical []byte // the folder, packed so that equal folders are equal bytes
}

// Load reads a course folder and runs every reference on every case. Errors of the folder
// are a *Faulty.
func Load(ctx context.Context, slug string, folder fs.FS, tell Tell) (*Edit, error) {
	content, problems := exercise.LoadCourse(folder)
	x := &Edit{Slug: slug, Content: content}
	if content != nil && len(problems) == 0 {
		for i, e := range content.Exercises {
			tell.at(stageRun, i, len(content.Exercises))
			p, found := check.Prepare(ctx, e)
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			problems = append(problems, found...)
			x.Prepared = append(x.Prepared, p)
		}
	}
	if len(problems) > 0 {
		return nil, &Faulty{problems}
	}
	var err error
	x.canonical, err = exercise.Pack(folder)
	return x, err
}

// Names lists the edit's exercises.
func (x *Edit) Names() []string {
	names := make([]string, len(x.Content.Exercises))
	for i, e := range x.Content.Exercises {
		names[i] = e.Name
	}
	return names
}

// Health is what advice and probes say of a course.
type Health struct {
	Advice            []advice.Advice
	Slips, Survivors  int
	caught, different int

	Probed []Probed // exercise by exercise
}

// Probed is how many slips of an exercise there are that differ from its reference, and how many of them are caught.
type Probed struct {
	Exercise      string
	Slips, Caught int
}

// Health inspects and probes every exercise.
func (x *Edit) Health(ctx context.Context, o probe.Options, tell Tell) Health {
	h := Health{Advice: advice.OfCourse(x.Content)}
	for i, p := range x.Prepared {
		tell.at(stageProbe, i, len(x.Prepared))
		found, probed := advice.Inspect(ctx, p, o)
		h.Advice = append(h.Advice, found...)
		h.Slips += probed.Slips
		h.Survivors += len(probed.Survivors)
		h.caught += probed.Caught
		h.different += probed.Slips - probed.Equivalent
		h.Probed = append(h.Probed, Probed{p.Exercise.Name, probed.Slips - probed.Equivalent, probed.Caught})
	}
	return h
}

// Enough refuses a course of which fewer slips are caught than it asks for.
func (h Health) Enough(c *exercise.Course) error {
	if share := float64(h.caught) / float64(max(h.different, 1)); share < c.Caught {
		return &TooFewCaught{share, c.Caught}
	}
	return nil
}

// Publish stores the edit as the current revision. A *store.Conflict says that somebody else
// has published since the edit began. Once begun it goes to its end, whether or not anybody
// waits.
func Publish(ctx context.Context, s *store.Store, by uint64, x *Edit) (*store.Course, *store.Revision, error) {
	return s.Publish(context.WithoutCancel(ctx), by, x.Slug, x.Content.Title, x.canonical, x.From)
}
