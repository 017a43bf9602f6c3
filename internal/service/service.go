// Package service runs the long-lived process: HTTP, the queue's workers and the
// desk's hub, against one database.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"sync"
	"time"

	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/api"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/jobs"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

// shutdownTime bounds how long a stopping service waits for running requests.
const shutdownTime = 10 * time.Second

// Config says how to run.
type Config struct {
	DSN     string // of the database
	Listen  string // host:port; port 0 takes a free one
	Workers int    // checking goroutines; 0: four for each core; below 0: none
	Memory  int64  // bytes that programs may hold together; 0: what a check may, for each core

	Secure       bool     // browsers come over HTTPS
	Address      string   // of the console, for links and calendars; "" for the one that a request came to
	Proxies      []string // networks of proxies whose word on addresses is taken
	Metrics      string   // host:port where /metrics is answered; "" for nowhere of its own
	MetricsToken string   // with it /metrics is answered beside everything else

	PrivateHooks bool // web hooks may go to private addresses and without TLS

	Mail *outbox.Config // the mail server; nil: links are shown and not mailed

	Log *slog.Logger

	Clock func() time.Time // the time that records are written with; nil: the real one

	// Listening is called once with the address; Ready once the database has
	// answered, before requests are let through to it. Both may be nil.
	Listening func(address string)
	Ready     func(*store.Store, *access.Gate)
}

// Run serves until the context ends. It answers from the start; until the
// database does too, it says so.
func Run(ctx context.Context, c Config) error {
	server, err := api.New(c.Log, api.Options{Secure: c.Secure, Address: c.Address, Proxies: c.Proxies,
		MetricsToken: c.MetricsToken})
	if err != nil {
		return err
	}
	if c.Metrics != "" {
		stop, err := serveMetrics(c, server)
		if err != nil {
			return err
		}
		defer stop()
	}
	listener, err := net.Listen("tcp", c.Listen)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w; is another service there?", c.Listen, err)
	}
	served := make(chan error, 1)
	go func() { served <- server.Serve(listener) }()
	if c.Listening != nil {
		c.Listening(listener.Addr().String())
	}
	work, stop := context.WithCancel(context.WithoutCancel(ctx))
	defer stop()
	var wg sync.WaitGroup
	failed := make(chan error, 1)
	wg.Go(func() {
		if err := background(ctx, work, server, c); err != nil {
			failed <- err
		}
	})
	select {
	case <-ctx.Done():
	case err = <-served:
	case err = <-failed:
	}
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), shutdownTime)
	defer cancel()
	stopped := server.Shutdown(end)
	if errors.Is(stopped, context.DeadlineExceeded) {
		stopped = nil // what still ran was cut off after its time
	}
	stop()
	wg.Wait()
	return errors.Join(err, stopped)
}

// serveMetrics answers /metrics on an address of its own.
func serveMetrics(c Config, server *api.Server) (stop func(), err error) {
	l, err := net.Listen("tcp", c.Metrics)
	if err != nil {
		return nil, fmt.Errorf("cannot answer metrics on %s: %w", c.Metrics, err)
	}
	mux := http.NewServeMux()
	mux.Handle("/metrics", server.MetricsHandler())
	metrics := &http.Server{Handler: mux, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = metrics.Serve(l) }()
	c.Log.Info("metrics", "address", "http://"+l.Addr().String()+"/metrics")
	return func() { _ = metrics.Close() }, nil
}

// newBudget shares cores and memory, and lets the collector know of the bound.
func newBudget(c Config) *budget.Budget {
	b := budget.New(0, c.Memory)
	budget.CollectSeldom(b.Memory())
	return b
}

// background opens the database and works until work ends. The store closes last.
func background(ctx, work context.Context, server *api.Server, c Config) error {
	s, err := store.Open(ctx, c.DSN, c.Log)
	if err != nil {
		if ctx.Err() != nil {
			return nil
		}
		return err
	}
	defer s.Close()
	if c.Clock != nil {
		store.SetClock(s, c.Clock)
	}
	gate, err := access.New(s)
	if err != nil {
		return err
	}
	b := newBudget(c)
	kept := library.New(s)
	changes := feed.New(s, c.Log)
	q, hub := queue.New(s, kept, b, c.Log), desk.NewHub(changes)
	runner := jobs.New(s, b, c.Log)
	changes.Hear(q.Heard)
	changes.Hear(gate.Heard)
	changes.Hear(runner.Heard)
	q.Finished = func(a *store.Attempt) { hub.Tell(a.CourseID, a.ID, "verdict") }
	if c.Ready != nil {
		c.Ready(s, gate)
	}
	mail := outbox.New(s, c.Mail, c.Log)
	notes := outbox.NewNotes(s, mail, c.Address, c.Log)
	hooks := outbox.NewHooks(s, c.PrivateHooks, c.Log)
	server.SetBackend(&api.Backend{Store: s, Library: kept, Gate: gate, Queue: q, Hub: hub, Budget: b, Mail: mail,
		Notes: notes, Hooks: hooks})
	runner.Faulted, mail.Faulted, notes.Faulted, hooks.Faulted = q.Faulted, q.Faulted, q.Faulted, q.Faulted
	var wg sync.WaitGroup
	wg.Go(func() { changes.Run(work) })
	wg.Go(func() { mail.Run(work) })
	wg.Go(func() { notes.Run(work) })
	wg.Go(func() { hooks.Run(work) })
	wg.Go(func() {
		upkeep(work, s, &herald{store: s, library: kept, mail: mail, hooks: hooks, address: c.Address, log: c.Log,
			faulted: q.Faulted}, c.Log)
	})
	if c.Workers >= 0 {
		wg.Go(func() { q.Run(work, c.Workers) })
	} else {
		runner.Waited = jobs.Reserve
	}
	wg.Go(func() { runner.Run(work) })
	wg.Wait()
	return nil
}

// Work runs checking alone, as one more process against the same database.
func Work(ctx context.Context, c Config) error {
	s, err := store.Open(ctx, c.DSN, c.Log)
	if err != nil {
		return err
	}
	defer s.Close()
	changes := feed.New(s, c.Log)
	b := newBudget(c)
	q, runner := queue.New(s, library.New(s), b, c.Log), jobs.New(s, b, c.Log)
	changes.Hear(q.Heard)
	changes.Hear(runner.Heard)
	var wg sync.WaitGroup
	wg.Go(func() { runner.Run(ctx) })
	wg.Go(func() { changes.Run(ctx) })
	wg.Go(func() { upkeep(ctx, s, nil, c.Log) })
	wg.Go(func() { q.Run(ctx, c.Workers) })
	wg.Wait()
	return nil
}
