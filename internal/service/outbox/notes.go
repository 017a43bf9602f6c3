package outbox

import (
	"context"
	"log/slog"
	"time"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/store"
)

// Notes puts notes into the outbox that are to reach students by mail.
type Notes struct {
	store   *store.Store
	sender  *Sender
	address string
	log     *slog.Logger
	wake    chan struct{}
}

// NewNotes makes what mails notes by a sender, with the console's address; "" for not known.
func NewNotes(s *store.Store, sender *Sender, address string, log *slog.Logger) *Notes {
	return &Notes{store: s, sender: sender, address: address, log: log, wake: make(chan struct{}, 1)}
}

// Wake looks for notes at once.
func (n *Notes) Wake() {
	if n == nil {
		return
	}
	select {
	case n.wake <- struct{}{}:
	default:
	}
}

const (
	notesLook  = 10 * time.Second // for notes of knots that somebody has entered since
	notesBatch = 200
)

// Run mails notes until the context ends. Without a mail server the notes of that time are never mailed.
func (n *Notes) Run(ctx context.Context) {
	tick := time.NewTicker(notesLook)
	defer tick.Stop()
	for ctx.Err() == nil {
		looked := 0
		err := guard.Call("mailing notes", func() (err error) {
			looked, err = n.store.MailNotes(ctx, notesBatch, n.letter)
			return err
		})
		if f := guard.As(err); f != nil {
			n.sender.fault(f)
		} else if err != nil && ctx.Err() == nil && !n.store.Away(err) {
			n.log.Warn("mailing notes", "error", err)
		}
		if err == nil && looked > 0 {
			n.sender.Wake()
			if looked == notesBatch {
				continue
			}
		}
		select {
		case <-ctx.Done():
		case <-tick.C:
		case <-n.wake:
		}
	}
}

func (n *Notes) letter(x *store.ToMail) (*store.Letter, error) {
	if !n.sender.Configured() {
		return nil, nil
	}
	return OfNote(x, n.address)
}
