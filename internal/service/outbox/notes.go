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
	loop
	sender  *Sender
	address string
	letter  func(*store.ToMail, string) (*store.Letter, error)
}

// NewNotes makes what mails notes by a sender, with the console's address; "" for not known.
func NewNotes(s *store.Store, sender *Sender, address string, log *slog.Logger) *Notes {
	return &Notes{loop: newLoop(s, log), sender: sender, address: address, letter: OfNote}
}

const (
	notesLook  = 10 * time.Second // for notes of knots that somebody has entered since
	notesBatch = 200
)

// Run mails notes until the context ends. Without a mail server the notes of that time are never mailed.
func (n *Notes) Run(ctx context.Context) {
	n.run(ctx, "mailing notes", notesLook, func(ctx context.Context) (bool, error) {
		looked, err := n.store.MailNotes(ctx, notesBatch, n.write)
		if err == nil && looked > 0 {
			n.sender.Wake()
		}
		return looked == notesBatch, err
	})
}

// write makes the letter of a note; nil for none. Where that fails the note is not mailed, and keeps no other back: it
// stands in the console as any does.
func (n *Notes) write(x *store.ToMail) (l *store.Letter, err error) {
	if !n.sender.Configured() {
		return nil, nil
	}
	err = guard.Call("writing a note's letter", func() error {
		l, err = n.letter(x, n.address)
		return err
	})
	if f := guard.As(err); f != nil {
		n.fault(f)
		return nil, nil
	} else if err != nil {
		n.log.Error("writing a note's letter", "note", x.ID, "error", err)
		return nil, nil
	}
	return l, nil
}
