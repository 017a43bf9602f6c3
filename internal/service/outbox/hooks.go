package outbox

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"sync"
	"syscall"
	"time"

	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/service/store"
)

// The kinds of events that hooks are told of.
const (
	EventMade   = "hook.made" // to a new hook, whatever it wants
	EventKnot   = "knot.growing"
	EventAnswer = "note.answered"
	EventDigest = "digest.sent"
)

// Events lists the kinds that a hook may want.
var Events = []string{EventKnot, EventAnswer, EventDigest}

// SecretMark begins a hook's secret as Standard Webhooks writes it; base64 follows.
const SecretMark = "whsec_"

const (
	hookTime  = 10 * time.Second // one call
	hookBatch = 16
	hookLook  = 2 * time.Second
	hookClaim = time.Minute
)

// Hooks tells web hooks of events: signed as Standard Webhooks has it, CloudEvents in JSON, retried as mail is.
type Hooks struct {
	loop
	private bool
	owner   string
	client  *http.Client
}

// NewHooks makes what tells hooks. Unless private is set nothing is sent to addresses that only this machine or its
// network can reach, whatever a name resolves to.
func NewHooks(s *store.Store, private bool, log *slog.Logger) *Hooks {
	raw := make([]byte, 12)
	_, _ = rand.Read(raw)
	dialer := &net.Dialer{Timeout: 5 * time.Second}
	if !private {
		dialer.Control = func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err == nil && !Public(at.Addr()) {
				err = fmt.Errorf("%s is an address of a private network", at.Addr())
			}
			return err
		}
	}
	return &Hooks{loop: newLoop(s, log), private: private, owner: base64.RawURLEncoding.EncodeToString(raw),
		client: &http.Client{Timeout: hookTime,
			Transport: &http.Transport{DialContext: dialer.DialContext, MaxIdleConnsPerHost: 2, IdleConnTimeout: time.Minute,
				TLSHandshakeTimeout: 5 * time.Second, ResponseHeaderTimeout: hookTime},
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
}

// shared are ranges that are neither private nor public: of carriers, of protocols, for examples.
var shared = []netip.Prefix{netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("2002::/16")}

// Public reports whether an address is one that anybody can reach.
func Public(at netip.Addr) bool {
	at = at.Unmap()
	if !at.IsValid() || at.IsLoopback() || at.IsPrivate() || at.IsLinkLocalUnicast() || at.IsMulticast() ||
		at.IsUnspecified() {
		return false
	}
	for _, p := range shared {
		if p.Contains(at) {
			return false
		}
	}
	return true
}

// Refuses says why a hook cannot have an address; "" where it can.
func (h *Hooks) Refuses(address string) string {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "" || u.Hostname() == "" || len(address) > 500:
		return "it is no address of the web"
	case u.Scheme != "https" && (u.Scheme != "http" || !h.private):
		return "it does not begin with https://"
	case u.User != nil:
		return "it holds a name or a password"
	}
	if at, err := netip.ParseAddr(u.Hostname()); err == nil && !h.private && !Public(at) {
		return "it is an address of a private network"
	}
	return ""
}

// event is a CloudEvent in its JSON form.
type event struct {
	Specversion string    `json:"specversion"`
	ID          string    `json:"id"`
	Source      string    `json:"source"`
	Type        string    `json:"type"`
	Time        time.Time `json:"time"`
	ContentType string    `json:"datacontenttype"`
	Data        any       `json:"data"`
}

// Call makes what a hook is sent of an event of a course.
func Call(course, kind string, at time.Time, data any) (*store.HookCall, error) {
	raw := make([]byte, 16)
	if _, err := rand.Read(raw); err != nil {
		return nil, err
	}
	id := "msg_" + base64.RawURLEncoding.EncodeToString(raw)
	body, err := json.Marshal(event{"1.0", id, "/courses/" + course, "nimbusreach." + kind, at, "application/json", data})
	return &store.HookCall{MessageID: id, Kind: kind, Body: string(body)}, err
}

// Run tells hooks until the context ends.
func (h *Hooks) Run(ctx context.Context) { h.run(ctx, "telling web hooks", hookLook, h.some) }

// some makes the calls that are due, side by side: one that hangs keeps no other back. It reports whether there may be
// more.
func (h *Hooks) some(ctx context.Context) (more bool, err error) {
	list, err := h.store.TakeCalls(ctx, h.owner, time.Now().UTC().Add(hookClaim), hookBatch)
	if err != nil {
		return false, err
	}
	errs := make([]error, len(list))
	var wg sync.WaitGroup
	for i := range list {
		c := &list[i]
		wg.Go(func() { errs[i] = guard.Call("noting a web hook's answer", func() error { return h.one(ctx, c) }) })
	}
	wg.Wait()
	return len(list) == hookBatch, errors.Join(errs...)
}

// one makes a call and notes what came of it.
func (h *Hooks) one(ctx context.Context, c *store.HookCall) error {
	err := guard.Call("telling a web hook", func() error { return h.send(ctx, c) })
	if f := guard.As(err); f != nil {
		h.fault(f)
	}
	why, again := "", (*time.Time)(nil)
	if err != nil {
		if ctx.Err() != nil {
			return nil // another process takes it up once the claim has run out
		}
		why = err.Error()
		at := time.Now().UTC().Add(pause(c.Tries))
		if again = &at; at.Sub(c.CreatedAt) > givenUp || c.Status == http.StatusGone {
			again = nil
		}
	}
	return h.store.CalledHook(context.WithoutCancel(ctx), c, again, why)
}

// send makes a call. Any answer of 200 to 299 is a yes.
func (h *Hooks) send(ctx context.Context, c *store.HookCall) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, c.Address, bytes.NewReader([]byte(c.Body)))
	if err != nil {
		return err
	}
	at := strconv.FormatInt(time.Now().Unix(), 10)
	req.Header.Set("Content-Type", "application/cloudevents+json; charset=utf-8")
	req.Header.Set("User-Agent", "nimbus-reach")
	req.Header.Set("webhook-id", c.MessageID)
	req.Header.Set("webhook-timestamp", at)
	req.Header.Set("webhook-signature", Signature(c.Secret, c.MessageID, at, c.Body))
	res, err := h.client.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, 64<<10))
	if c.Status = res.StatusCode; res.StatusCode < 200 || res.StatusCode > 299 {
		return fmt.Errorf("the answer was %s", res.Status)
	}
	return nil
}

// Signature signs a message as Standard Webhooks has it: HMAC-SHA256 of its id, time and body.
func Signature(secret []byte, id, at, body string) string {
	mac := hmac.New(sha256.New, secret)
	mac.Write([]byte(id + "." + at + "." + body))
	return "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil))
}
