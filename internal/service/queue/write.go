package queue

import (
	"context"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/store"
)

// Verdicts that are there while others are being stored are stored together after them: one at a time
// when little is to do, many in one commit under load.

const (
	mostWritten      = 64
	mostWrittenBytes = 2 << 20 // of verdicts in one statement, unless one alone has more
)

// finished is a verdict on its way into the database.
type finished struct {
	store.Done
	answer chan error
}

// stored stores a verdict, with others where there are any.
func (q *Queue) stored(d store.Done) error {
	f := finished{d, make(chan error, 1)}
	q.finished <- f
	return <-f.answer
}

// write stores verdicts until the context ends. Whoever has one waits for the answer, so none is left.
func (q *Queue) write(ctx context.Context) {
	var next []finished // taken, and too much for the statement before
	for {
		list := next
		if next = nil; len(list) == 0 {
			select {
			case <-ctx.Done():
				return
			case f := <-q.finished:
				list = append(list, f)
			}
		}
		bytes := len(list[0].Verdict.Body)
	more:
		for len(list) < mostWritten {
			select {
			case f := <-q.finished:
				if bytes += len(f.Verdict.Body); bytes > mostWrittenBytes {
					next = append(next, f)
					break more
				}
				list = append(list, f)
			default:
				break more
			}
		}
		q.writeTogether(context.WithoutCancel(ctx), list)
	}
}

// writeTogether stores verdicts in one commit; where that fails each alone, so that one which cannot be
// stored keeps no other back.
func (q *Queue) writeTogether(ctx context.Context, list []finished) {
	together := make([]store.Done, len(list))
	for i, f := range list {
		together[i] = f.Done
	}
	err := guard.Call("storing verdicts", func() error { return q.store.Finish(ctx, together...) })
	for _, f := range list {
		if err != nil && len(list) > 1 {
			f.answer <- guard.Call("storing a verdict", func() error { return q.store.Finish(ctx, f.Done) })
			continue
		}
		f.answer <- err
	}
}
