package outbox

import (
	"github.com/wneessen/go-mail"

	"nimbusreach/internal/service/store"
)

// Pause is pause, for its test.
var Pause = pause

// FaultAt makes sending panic for letters to an address.
func (s *Sender) FaultAt(address string) {
	s.send = func(c *mail.Client, l *store.Letter) error {
		if l.Recipient == address {
			panic("made for a test")
		}
		return s.deliver(c, l)
	}
}

// FaultAt makes writing a note's letter panic for an address.
func (n *Notes) FaultAt(address string) {
	n.letter = func(x *store.ToMail, console string) (*store.Letter, error) {
		if x.Email == address {
			panic("made for a test")
		}
		return OfNote(x, console)
	}
}
