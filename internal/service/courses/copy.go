package courses

import (
	"context"
	"errors"
	"time"

	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

// Copy publishes a packed course folder as the first revision of a new course, with its opening and closing times
// shifted. References are not run again: nothing that they depend on changes. It returns the revision's number, and how
// many times were shifted; store.ErrTaken where the course is there already, and a *Faulty where a time cannot be
// shifted as it is written.
func Copy(ctx context.Context, s *store.Store, by uint64, source []byte, to *store.Course, shift time.Duration) (number,
	times int, err error) {
	folder, err := exercise.Unpack(source)
	if err != nil {
		return 0, 0, err
	}
	shifted, times, err := exercise.Shift(folder, shift, to.Title)
	if problem := (*exercise.Unshiftable)(nil); errors.As(err, &problem) {
		return 0, 0, &Faulty{[]exercise.Problem{problem.Problem}}
	}
	if err != nil {
		return 0, 0, err
	}
	content, problems := exercise.LoadCourse(shifted)
	if len(problems) > 0 {
		return 0, 0, &Faulty{problems}
	}
	packed, err := exercise.Pack(shifted)
	if err != nil {
		return 0, 0, err
	}
	c, revision, err := s.Publish(context.WithoutCancel(ctx), by, to.Slug, content.Title, packed, store.NewCourse)
	if err != nil {
		return 0, 0, err
	}
	*to = *c
	return revision.Number, times, nil
}
