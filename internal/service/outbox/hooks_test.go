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
	told   int // events
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
	return &hooked{Store: s, course: c, hook: h}
}

func (h *hooked) calls(t *testing.T) []store.HookCall {
	t.Helper()
	list, err := h.HookCalls(context.Background(), h.course.ID, h.hook.ID, 0, 50)
	require.NoError(t, err)
	return list
}

// tell has the hooks of the course told of an event.
func (h *hooked) tell(t *testing.T, kind string, data any) {
	t.Helper()
	ctx := context.Background()
	call, err := outbox.Call(h.course.Slug, kind, h.Now(), data)
	require.NoError(t, err)
	h.told++
	first, err := h.MarkKnot(ctx, h.course.ID, store.Knot{Exercise: strconv.Itoa(h.told)}, time.Hour, nil, call)
	require.NoError(t, err)
	require.True(t, first)
}

// run lets hooks go out until the test ends or stop is called.
func run(t *testing.T, s *store.Store, private bool) (stop func()) {
	t.Helper()
	hooks := outbox.NewHooks(s, private, quiet)
	ctx, cancel := context.WithCancel(context.Background())
	var wg sync.WaitGroup
	wg.Go(func() { hooks.Run(ctx) })
	return func() { cancel(); wg.Wait() }
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
	stopOne := run(t, h.Store, true)
	stopTwo := run(t, h.Store, true)
	for n := range 5 {
		h.tell(t, outbox.EventKnot, map[string]int{"people": n})
	}
	h.tell(t, outbox.EventDigest, nil) // which it does not want
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
// says; a redirection is not followed.
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
			defer run(t, h.Store, x.private)()
			h.tell(t, outbox.EventKnot, nil)
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
	h.tell(t, outbox.EventKnot, nil)
	assert.Len(t, h.calls(t), 1)
	require.NoError(t, h.EndHook(ctx, 1, h.course, h.hook.ID))
	require.ErrorIs(t, h.EndHook(ctx, 1, h.course, h.hook.ID), store.ErrNotFound)
	assert.Equal(t, store.LetterFailed, h.calls(t)[0].State)
	h.tell(t, outbox.EventKnot, nil)
	assert.Len(t, h.calls(t), 1)
	taken, err := h.TakeCalls(ctx, "me", time.Now().Add(time.Minute), 10)
	require.NoError(t, err)
	assert.Empty(t, taken)
}

// TestWhatIsOldIsForgotten: letters and calls that were sent or given up a month ago, and none that wait.
func TestWhatIsOldIsForgotten(t *testing.T) {
	h := openHooked(t, "https://bay.example/")
	ctx := context.Background()
	for range 2 {
		h.tell(t, outbox.EventKnot, nil)
	}
	taken, err := h.TakeCalls(ctx, "me", time.Now().Add(time.Minute), 1)
	require.NoError(t, err)
	require.Len(t, taken, 1)
	require.NoError(t, h.CalledHook(ctx, &taken[0], nil, ""))
	require.NoError(t, outbox.Forget(ctx, h.Store))
	assert.Len(t, h.calls(t), 2, "they are of today")
	store.SetClock(h.Store, func() time.Time { return time.Now().AddDate(0, 0, 31) })
	require.NoError(t, outbox.Forget(ctx, h.Store))
	left := h.calls(t)
	require.Len(t, left, 1)
	assert.Equal(t, store.LetterWaiting, left[0].State)
}
