package outbox_test

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

// TestTheSignatureOfTheStandard is the example that the specification of Standard Webhooks gives.
func TestTheSignatureOfTheStandard(t *testing.T) {
	secret, err := base64.StdEncoding.DecodeString("MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw")
	require.NoError(t, err)
	assert.Equal(t, "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=", outbox.Signature(secret,
		"msg_p5jXN8AQM9LWM0D4loKWxJek", "1614265330", `{"test": 2432232314}`))
}

func TestAddressesThatAnybodyCanReach(t *testing.T) {
	for text, public := range map[string]bool{"93.184.216.34": true, "2606:2800:220:1::1": true, "127.0.0.1": false,
		"10.1.2.3": false, "172.16.0.1": false, "192.168.1.1": false, "169.254.169.254": false, "100.64.0.1": false,
		"0.0.0.0": false, "::1": false, "::": false, "fe80::1": false, "fd00::1": false, "::ffff:127.0.0.1": false,
		"224.0.0.1": false, "::ffff:100.64.0.1": false, "255.255.255.255": false, "64:ff9b::7f00:1": false,
		"2002:7f00:1::": false} {
		assert.Equal(t, public, outbox.Public(netip.MustParseAddr(text)), text)
	}
	h := outbox.NewHooks(nil, false, quiet)
	for _, bad := range []string{"", "bay.example", "ftp://bay.example/", "http://bay.example/", "https://",
		"https://:443/",
		"https://ada:x@bay.example/", "https://127.0.0.1/", "https://[::1]/", "https://10.0.0.1:8443/x"} {
		assert.NotEmpty(t, h.Refuses(bad), bad)
	}
	assert.Empty(t, h.Refuses("https://bay.example/desk?x=1"))
	assert.Empty(t, outbox.NewHooks(nil, true, quiet).Refuses("http://127.0.0.1:9/"), "where the operator allows it")
}

// hooked is a course with a hook to a server of the test's own.
type hooked struct {
	*store.Store
	course *store.Course
	hook   *store.Hook
}

func openHooked(t *testing.T, address string) *hooked {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	p := &store.Person{Name: "imke", Display: "Imke", PasswordHash: "x"}
	require.NoError(t, s.AddPerson(ctx, nil, p))
	c, _, err := s.Publish(ctx, p.ID, "kelp", "Kelp", []byte("source"), 0)
	require.NoError(t, err)
	h := &store.Hook{CourseID: c.ID, Address: address, Secret: []byte("0123456789abcdef"), Events: outbox.EventKnot}
	require.NoError(t, s.AddHook(ctx, h, "kelp", nil))
	return &hooked{s, c, h}
}

func (h *hooked) calls(t *testing.T) []store.HookCall {
	t.Helper()
	list, err := h.HookCalls(context.Background(), h.course.ID, h.hook.ID, 0, 50)
	require.NoError(t, err)
	return list
}

// run lets hooks go out until the test ends or stop is called.
func run(t *testing.T, s *store.Store, private bool) (*outbox.Hooks, func()) {
	t.Helper()
	hooks := outbox.NewHooks(s, private, quiet)
	ctx, stop := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { hooks.Run(ctx) })
	return hooks, func() { stop(); wg.Wait() }
}

// TestAHookIsTold: signed, as a CloudEvent, each event once though two processes send, and again after a failure.
func TestAHookIsTold(t *testing.T) {
	var mu sync.Mutex
	got := map[string]int{}
	failed := false
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		id, at := r.Header.Get("webhook-id"), r.Header.Get("webhook-timestamp")
		assert.Equal(t, outbox.Signature([]byte("0123456789abcdef"), id, at, string(body)), r.Header.Get("webhook-signature"))
		seconds, err := strconv.ParseInt(at, 10, 64)
		assert.NoError(t, err)
		assert.InDelta(t, time.Now().Unix(), seconds, 300)
		assert.Contains(t, r.Header.Get("Content-Type"), "application/cloudevents+json")
		var e map[string]any
		assert.NoError(t, json.Unmarshal(body, &e))
		assert.Equal(t, "1.0", e["specversion"])
		assert.Equal(t, "/courses/kelp", e["source"])
		assert.Equal(t, "nimbusreach.knot.growing", e["type"])
		assert.Equal(t, id, e["id"])
		if !failed {
			failed = true
			w.WriteHeader(http.StatusInternalServerError)
			return
		}
		got[id]++
	}))
	defer server.Close()
	h := openHooked(t, server.URL)
	one, stopOne := run(t, h.Store, true)
	_, stopTwo := run(t, h.Store, true)
	ctx := context.Background()
	for n := range 5 {
		require.NoError(t, one.Tell(ctx, h.course, outbox.EventKnot, map[string]int{"people": n}))
	}
	require.NoError(t, one.Tell(ctx, h.course, outbox.EventDigest, nil), "which it does not want")
	require.Eventually(t, func() bool {
		mu.Lock()
		defer mu.Unlock()
		return len(got) == 4
	}, time.Minute, 20*time.Millisecond)
	stopOne()
	stopTwo()
	list := h.calls(t)
	require.Len(t, list, 5)
	waits := 0
	for _, c := range list {
		if c.State == store.LetterWaiting {
			waits++
			assert.Equal(t, 500, c.Status)
			assert.Contains(t, c.Error, "500")
			assert.True(t, c.Due.After(time.Now()), "it is tried again later")
		} else {
			assert.Equal(t, store.LetterSent, c.State)
			assert.Equal(t, 1, got[c.MessageID], "once")
		}
	}
	assert.Equal(t, 1, waits)
}

// TestAHookThatCannotBe: one that is gone for good is given up; what is private is not called, whatever its name
// says; a
// redirection is not followed.
func TestAHookThatCannotBe(t *testing.T) {
	reached := false
	inner := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached = true }))
	defer inner.Close()
	for name, x := range map[string]struct {
		private bool
		answer  http.HandlerFunc
		state   store.LetterState
		says    string
	}{
		"gone": {true, func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusGone) }, store.LetterFailed,
			"410"},
		"private": {false, func(http.ResponseWriter, *http.Request) {}, store.LetterWaiting, "private network"},
		"elsewhere": {true, func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, inner.URL, http.StatusFound) },
			store.LetterWaiting, "302"},
	} {
		t.Run(name, func(t *testing.T) {
			server := httptest.NewServer(x.answer)
			defer server.Close()
			h := openHooked(t, server.URL)
			hooks, stop := run(t, h.Store, x.private)
			defer stop()
			require.NoError(t, hooks.Tell(context.Background(), h.course, outbox.EventKnot, nil))
			require.Eventually(t, func() bool { return h.calls(t)[0].Error != "" }, time.Minute, 20*time.Millisecond)
			assert.Equal(t, x.state, h.calls(t)[0].State)
			assert.Contains(t, h.calls(t)[0].Error, x.says)
		})
	}
	assert.False(t, reached)
}

// TestAnEndedHookIsToldNothing of what waits for it.
func TestAnEndedHookIsToldNothing(t *testing.T) {
	h := openHooked(t, "https://bay.example/")
	ctx := context.Background()
	call, err := outbox.Call("kelp", outbox.EventKnot, time.Now(), nil)
	require.NoError(t, err)
	told, err := h.CallHooks(ctx, h.course.ID, call)
	require.NoError(t, err)
	assert.Equal(t, 1, told)
	require.NoError(t, h.EndHook(ctx, 1, h.course, h.hook.ID))
	require.ErrorIs(t, h.EndHook(ctx, 1, h.course, h.hook.ID), store.ErrNotFound)
	assert.Equal(t, store.LetterFailed, h.calls(t)[0].State)
	told, err = h.CallHooks(ctx, h.course.ID, call)
	require.NoError(t, err)
	assert.Zero(t, told)
	taken, err := h.TakeCalls(ctx, "me", time.Now().Add(time.Minute), 10)
	require.NoError(t, err)
	assert.Empty(t, taken)
}
