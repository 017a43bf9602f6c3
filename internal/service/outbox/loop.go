package outbox

import (
	"context"
	"log/slog"
	"time"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/store"
)

// loop looks for work again and again. An error or a fault of ours in it ends one look alone.
type loop struct {
	store *store.Store
	log   *slog.Logger
	wake  chan struct{}

	Faulted func(f *guard.Fault) // a fault of ours was caught, for metrics; may be nil
}

func newLoop(s *store.Store, log *slog.Logger) loop {
	return loop{store: s, log: log, wake: make(chan struct{}, 1)}
}

// Wake looks for work at once.
func (l *loop) Wake() {
	select {
	case l.wake <- struct{}{}:
	default:
	}
}

// run works until the context ends: again at once while there is more to do, else after a while or when it is woken.
func (l *loop) run(ctx context.Context, doing string, every time.Duration,
	work func(context.Context) (more bool, err error)) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for ctx.Err() == nil {
		more := false
		err := guard.Call(doing, func() (err error) {
			more, err = work(ctx)
			return err
		})
		if f := guard.As(err); f != nil {
			l.fault(f)
		} else if err != nil && ctx.Err() == nil && !l.store.Away(err) {
			l.log.Warn(doing, "error", err)
		}
		if more && err == nil {
			continue
		}
		select {
		case <-ctx.Done():
		case <-tick.C:
		case <-l.wake:
		}
	}
}

// fault logs and counts a fault of ours, with its stack.
func (l *loop) fault(f *guard.Fault) {
	l.log.Error("a fault of ours", f.Attrs()...)
	if l.Faulted != nil {
		l.Faulted(f)
	}
}
