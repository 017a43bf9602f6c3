package api

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"time"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/desk"
)

// heartbeat keeps a quiet stream open through proxies, and finds out when nobody
// listens any more.
const heartbeat = 10 * time.Second

func deskView(r *request) error {
	c, content, among, err := r.seen()
	if err != nil {
		return err
	}
	revision := uint64(0)
	if c.CurrentRevisionID != nil {
		revision = *c.CurrentRevisionID
	}
	key := fmt.Sprintf("%d %d %q", c.ID, revision, among)
	text, err := r.server.desks.Do(r.Context(), key, func(ctx context.Context) ([]byte, error) {
		d, err := desk.View(ctx, r.Store, c, content, among...)
		if err != nil {
			return nil, err
		}
		return json.Marshal(d)
	})
	if err != nil {
		return err
	}
	r.Set("Content-Type", "application/json; charset=utf-8")
	return r.Send(text)
}

func deskEvents(r *request) error {
	c, _, scope, err := r.team(access.SeeTeam)
	if err != nil {
		return err
	}
	r.Set("Content-Type", "text/event-stream")
	r.Set("Cache-Control", "no-cache")
	r.Set("X-Accel-Buffering", "no")
	listener, end := r.Hub.Listen(c.ID)
	server, closing := r.server, r.server.closing
	return r.SendStreamWriter(server.stream("telling a desk", func(w *bufio.Writer) {
		defer end()
		beat := time.NewTicker(heartbeat)
		defer beat.Stop()
		fmt.Fprint(w, "retry: 1000\n\n")
		// Whoever connects again may have missed something.
		send(w, wire.Event{Kind: "refresh"})
		for w.Flush() == nil {
			select {
			case e := <-listener.Events:
				if len(scope) > 0 {
					e.Attempt = nil // it may be of somebody whom they do not see
				}
				send(w, e)
			case <-beat.C:
				fmt.Fprint(w, ": still here\n\n")
			case <-closing:
				return
			}
		}
	}))
}

// stream is the edge of an answer that is written after its handler has returned: a
// panic ends that answer alone.
func (s *Server) stream(doing string, write func(w *bufio.Writer)) func(w *bufio.Writer) {
	return func(w *bufio.Writer) {
		defer func() {
			if f := guard.Of(recover(), doing); f != nil {
				s.fault(f)
			}
		}()
		write(w)
	}
}

func send(w *bufio.Writer, e wire.Event) {
	text, _ := json.Marshal(e)
	fmt.Fprintf(w, "event: %s\ndata: %s\n\n", e.Kind, text)
}
