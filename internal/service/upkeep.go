package service

import (
	"context"
	"log/slog"
	"time"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

const (
	upkeepLook  = 15 * time.Second
	upkeepEvery = time.Minute
	// mendBack is how far back verdicts are looked at that a process of an earlier release stored.
	mendBack = 5 * time.Minute
	// jobsKept is how long what came of a job can be asked for.
	jobsKept = 30 * 24 * time.Hour
	// arraysKept is how long arrays stay that no attempt names.
	arraysKept = 24 * time.Hour
)

// upkeep does what is to be done once in a while, by one process of all: it forgets changes that all have seen, mends
// what stands, and tells teams of their courses. A process that cannot tell teams has no h, and leaves that to those
// that can.
func upkeep(ctx context.Context, s *store.Store, h *herald, log *slog.Logger) {
	tick := time.NewTicker(upkeepLook)
	defer tick.Stop()
	for {
		inTurn(ctx, s, log, "upkeep", func() error { return tidy(ctx, s) })
		if h != nil {
			inTurn(ctx, s, log, "telling teams", func() error { return h.tell(ctx) })
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// inTurn does some work if it is this process's turn.
func inTurn(ctx context.Context, s *store.Store, log *slog.Logger, name string, work func() error) {
	err := guard.Call(name, func() error {
		mine, err := s.Turn(ctx, name, upkeepEvery)
		if err != nil || !mine {
			return err
		}
		return work()
	})
	if f := guard.As(err); f != nil {
		log.Error("a fault of ours", f.Attrs()...)
	} else if err != nil && ctx.Err() == nil && !s.Away(err) {
		log.Warn(name, "error", err)
	}
}

func tidy(ctx context.Context, s *store.Store) error {
	now := time.Now().UTC()
	if err := s.Mend(ctx, now.Add(-mendBack)); err != nil {
		return err
	}
	if err := s.ForgetJobs(ctx, now.Add(-jobsKept)); err != nil {
		return err
	}
	if err := outbox.Forget(ctx, s); err != nil {
		return err
	}
	if err := s.ForgetArrays(ctx, now.Add(-arraysKept)); err != nil {
		return err
	}
	return s.ForgetChanges(ctx, now.Add(-feed.Kept))
}
