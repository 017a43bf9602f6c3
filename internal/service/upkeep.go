package service

import (
	"context"
	"errors"
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
)

// upkeep does what is to be done once in a while, by one process of all: it forgets changes that all
// have seen, mends what stands, and tells teams
// of their courses where it can; h is nil where it cannot.
func upkeep(ctx context.Context, s *store.Store, h *herald, log *slog.Logger) {
	tick := time.NewTicker(upkeepLook)
	defer tick.Stop()
	for {
		err := guard.Call("upkeep", func() error {
			mine, err := s.Turn(ctx, "upkeep", upkeepEvery)
			if err != nil || !mine {
				return err
			}
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
			if err := s.ForgetChanges(ctx, now.Add(-feed.Kept)); err != nil || h == nil {
				return err
			}
			return errors.Join(h.digests(ctx), h.knots(ctx))
		})
		if !s.Away(err) && err != nil && ctx.Err() == nil {
			log.Warn("upkeep", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
