package library

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/service/store"
)

// mostTrials bounds how often the data of a ticket are drawn, where the reference cannot answer what was drawn first.
const mostTrials = 5

// keptTickets bounds the tickets whose data are kept.
const keptTickets = 256

// Ticket is the exercise of a ticket on its data, as its own revision has it.
func (l *Library) Ticket(ctx context.Context, t *store.Ticket) (*check.Prepared, error) {
	if p := l.ticket(t.ID); p != nil {
		return p, nil
	}
	own, err := l.drawn(ctx, t)
	if err == nil {
		l.keepTicket(t.ID, own)
	}
	return own, err
}

// On is an exercise on the data of a ticket, as some revision or an edit has it; as the ticket's own does where that
// one cannot answer the data.
func (l *Library) On(ctx context.Context, t *store.Ticket, p *check.Prepared) (*check.Prepared, error) {
	own, err := l.Ticket(ctx, t)
	if err != nil || own.MadeOf(p) {
		return own, err
	}
	judged, err := p.Own(ctx, own.Exercise.Cases)
	if errors.Is(err, check.ErrOwnData) {
		return own, nil
	}
	return judged, err
}

// drawn draws the data of a ticket: from the secret, its revision, its person and itself, and nothing else.
func (l *Library) drawn(ctx context.Context, t *store.Ticket) (*check.Prepared, error) {
	secret, err := l.secret(ctx)
	if err != nil {
		return nil, err
	}
	p, err := l.Exercise(ctx, t.RevisionID, t.Exercise)
	if err != nil {
		return nil, err
	}
	for trial := range mostTrials {
		mac := hmac.New(sha256.New, secret)
		fmt.Fprintf(mac, "ticket %d %s %d %d %d", t.RevisionID, t.Exercise, t.PersonID, t.ID, trial)
		var cases []exercise.Case
		if cases, err = p.Exercise.OwnCases(binary.BigEndian.Uint64(mac.Sum(nil))); err != nil {
			err = fmt.Errorf("%w: %w", check.ErrOwnData, err)
			continue
		}
		var own *check.Prepared
		if own, err = p.Own(ctx, cases); err == nil || !errors.Is(err, check.ErrOwnData) {
			return own, err
		}
	}
	return nil, err
}

// secret is what data of tickets depend on.
func (l *Library) secret(ctx context.Context) ([]byte, error) {
	l.mu.Lock()
	secret := l.ticketSecret
	l.mu.Unlock()
	if secret != nil {
		return secret, nil
	}
	secret, err := l.store.Secret(ctx, "tickets")
	if err != nil {
		return nil, err
	}
	l.mu.Lock()
	l.ticketSecret = secret
	l.mu.Unlock()
	return secret, nil
}

func (l *Library) ticket(id uint64) *check.Prepared {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.tickets[id]
}

func (l *Library) keepTicket(id uint64, p *check.Prepared) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.tickets == nil || len(l.tickets) >= keptTickets {
		l.tickets = map[uint64]*check.Prepared{}
	}
	l.tickets[id] = p
}

// Arrays are the arrays of an attempt, and the exercise on the data that they were computed from, as p judges them.
func (l *Library) Arrays(ctx context.Context, a *store.Attempt, p *check.Prepared) (*check.Prepared, check.Results,
	error) {
	results, err := l.results(ctx, a)
	if err != nil || a.TicketID == nil {
		return p, results, err
	}
	t, err := l.store.TicketByID(ctx, *a.TicketID)
	if err != nil {
		return nil, nil, err
	}
	p, err = l.On(ctx, t, p)
	return p, results, err
}

func (l *Library) results(ctx context.Context, a *store.Attempt) (check.Results, error) {
	if a.Arrays == nil {
		return oldResults(a)
	}
	packed, err := l.store.Arrays(ctx, *a.Arrays)
	if err != nil {
		return nil, err
	}
	return Unpack(packed)
}

// oldResults reads the arrays of an attempt from before there were tickets.
func oldResults(a *store.Attempt) (check.Results, error) {
	if a.Results == nil {
		return nil, fmt.Errorf("attempt %d has no arrays", a.ID)
	}
	var given map[string]map[string]dataio.JSON
	if err := json.Unmarshal([]byte(*a.Results), &given); err != nil {
		return nil, err
	}
	return ResultsOf(given), nil
}

// ResultsOf are arrays as they came as JSON.
func ResultsOf(given map[string]map[string]dataio.JSON) check.Results {
	results := check.Results{}
	for name, outputs := range given {
		results[name] = map[string]*array.Array{}
		for output, j := range outputs {
			if j.Array != nil {
				results[name][output] = j.Array
			}
		}
	}
	return results
}

// Pack writes arrays as they are stored: one netCDF file of variables `CASE.ARRAY`, compressed. The same arrays give
// the same bytes.
func Pack(results check.Results) ([]byte, error) {
	var list []dataio.Variable
	for name, arrays := range results {
		for output, a := range arrays {
			list = append(list, dataio.Variable{Name: name + "." + output, Array: a})
		}
	}
	slices.SortFunc(list, func(a, b dataio.Variable) int { return strings.Compare(a.Name, b.Name) })
	var out bytes.Buffer
	z, err := gzip.NewWriterLevel(&out, gzip.BestSpeed)
	if err != nil {
		return nil, err
	}
	if err := dataio.WriteNetCDF(z, list); err != nil {
		return nil, err
	}
	err = z.Close()
	return out.Bytes(), err
}

// Unpack reads what Pack wrote.
func Unpack(packed []byte) (check.Results, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(z)
	if err != nil {
		return nil, err
	}
	f, err := dataio.ReadNetCDF(raw)
	if err != nil {
		return nil, err
	}
	results := check.Results{}
	for _, variable := range f.Names() {
		at := strings.LastIndex(variable, ".")
		if at < 0 {
			return nil, fmt.Errorf("the stored array `%s` has no case", variable)
		}
		a, err := f.Array(variable, true)
		if err != nil {
			return nil, err
		}
		if results[variable[:at]] == nil {
			results[variable[:at]] = map[string]*array.Array{}
		}
		results[variable[:at]][variable[at+1:]] = a
	}
	return results, nil
}
