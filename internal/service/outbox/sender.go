package outbox

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"github.com/wneessen/go-mail"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/store"
)

// Sender sends what is in the outbox.
type Sender struct {
	loop
	config *Config
	owner  string
	send   func(*mail.Client, *store.Letter) error
}

// New makes a sender; without a configuration it sends nothing.
func New(s *store.Store, c *Config, log *slog.Logger) *Sender {
	raw := make([]byte, 12)
	_, _ = rand.Read(raw)
	m := &Sender{loop: newLoop(s, log), config: c, owner: hex.EncodeToString(raw)}
	m.send = m.deliver
	return m
}

// Configured reports whether mail can be sent.
func (s *Sender) Configured() bool { return s != nil && s.config != nil }

// Server is the mail server's address; "" without one.
func (s *Sender) Server() string {
	if !s.Configured() {
		return ""
	}
	return s.config.Server()
}

// Run sends until the context ends.
func (s *Sender) Run(ctx context.Context) {
	if !s.Configured() {
		return
	}
	s.run(ctx, "sending mail", look, s.some)
}

// some sends a batch, and reports whether there may be more.
func (s *Sender) some(ctx context.Context) (more bool, err error) {
	list, err := s.store.TakeLetters(ctx, s.owner, time.Now().UTC().Add(claimed), batch)
	if err != nil || len(list) == 0 {
		return false, err
	}
	client, err := s.dial(ctx)
	if err != nil {
		return false, s.putBack(ctx, list, err)
	}
	defer client.Close()
	for i := range list {
		l := &list[i]
		if ctx.Err() != nil || time.Now().After(l.Due.Add(-claimed/3)) {
			// Too little is left of the claim to be alone with the letters: others may have them.
			return true, s.leave(ctx, list[i:])
		}
		if err := guard.Call("sending a letter", func() error { return s.send(client, l) }); err != nil {
			if f := guard.As(err); f != nil {
				// The letter waits as after any failure. Where the fault left the connection is not known: the others
				// get another.
				s.fault(f)
				return true, errors.Join(s.putBack(ctx, list[i:i+1], err), s.leave(ctx, list[i+1:]))
			}
			if !reachable(client) {
				return false, errors.Join(s.putBack(ctx, list[i:i+1], err), s.leave(ctx, list[i+1:]))
			}
			if err := s.putBack(ctx, list[i:i+1], err); err != nil {
				return false, err
			}
			continue
		}
		// It was sent, whoever asks this process to stop now.
		if err := s.store.SentLetter(context.WithoutCancel(ctx), l); err != nil {
			return false, err
		}
	}
	return len(list) == batch, nil
}

func (s *Sender) leave(ctx context.Context, list []store.Letter) error {
	if len(list) == 0 {
		return nil
	}
	ids := make([]uint64, len(list))
	for i := range list {
		ids[i] = list[i].ID
	}
	return s.store.LeaveLetters(context.WithoutCancel(ctx), s.owner, ids)
}

// reachable reports whether the server still answers.
func reachable(c *mail.Client) bool { return c.Reset() == nil }

// putBack lets letters wait for another try, or gives them up: at once where the server refuses one for good.
func (s *Sender) putBack(ctx context.Context, list []store.Letter, why error) error {
	for i := range list {
		l := &list[i]
		at := time.Now().UTC().Add(pause(l.Tries))
		again := &at
		var refused *mail.SendError
		if errors.As(why, &refused) && refused.ErrorCode() >= 500 || at.Sub(l.CreatedAt) > givenUp {
			again = nil
		}
		if err := s.store.PutLetterBack(context.WithoutCancel(ctx), l, again, why.Error()); err != nil {
			return err
		}
	}
	s.log.Warn("mail was not taken", "letters", len(list), "server", s.config.Server(), "error", why)
	return nil
}

func (s *Sender) dial(ctx context.Context) (*mail.Client, error) {
	options := []mail.Option{mail.WithPort(s.config.Port), mail.WithTimeout(dial)}
	switch {
	case s.config.Implicit:
		options = append(options, mail.WithSSL())
	case s.config.Plain:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	default:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	}
	if s.config.User != "" {
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(s.config.User),
			mail.WithPassword(s.config.Password))
	}
	client, err := mail.NewClient(s.config.Host, options...)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, dial)
	defer cancel()
	if err := client.DialWithContext(ctx); err != nil {
		return nil, fmt.Errorf("the mail server does not answer: %w", err)
	}
	return client, nil
}

func (s *Sender) deliver(client *mail.Client, l *store.Letter) error {
	m := mail.NewMsg()
	if err := m.From(s.config.From); err != nil {
		return err
	}
	if err := m.To(l.Recipient); err != nil {
		return err
	}
	_, host, _ := strings.Cut(m.GetFromString()[0], "@")
	m.SetMessageIDWithValue(l.MessageID + "@" + strings.TrimSuffix(host, ">"))
	m.SetDateWithValue(l.CreatedAt)
	m.SetGenHeader("Auto-Submitted", "auto-generated")
	m.Subject(l.Subject)
	m.SetBodyString(mail.TypeTextPlain, l.Plain)
	m.AddAlternativeString(mail.TypeTextHTML, l.HTML)
	return client.Send(m)
}

// Forget removes letters and calls of web hooks that were sent or given up long ago.
func Forget(ctx context.Context, s *store.Store) error {
	before := s.Now().Add(-kept)
	return errors.Join(s.ForgetLetters(ctx, before), s.ForgetCalls(ctx, before))
}
