package api

import (
	"bufio"
	"context"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/store"
)

// serverOf is a server without a database that answers on loopback.
func serverOf(t *testing.T, o Options, log io.Writer, more func(*fiber.App)) (*Server, string) {
	t.Helper()
	s, err := New(slog.New(slog.NewTextHandler(log, nil)), o)
	require.NoError(t, err)
	if more != nil {
		// Before the console, which answers every other address.
		more(s.app)
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go func() { _ = s.Serve(l) }()
	t.Cleanup(func() { _ = s.app.Shutdown() })
	return s, "http://" + l.Addr().String()
}

// TestAPanicEndsOneRequest has a handler panic: that request is answered as a fault of
// ours, logged with its stack, and the next one is served.
func TestAPanicEndsOneRequest(t *testing.T) {
	var log strings.Builder
	_, base := serverOf(t, Options{}, &log, func(app *fiber.App) {
		app.Post("/boom", func(fiber.Ctx) error { panic("broken") })
	})
	res, err := http.Post(base+"/boom", "text/plain", nil)
	require.NoError(t, err)
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 500, res.StatusCode)
	assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
	assert.Contains(t, string(text), "A fault of ours")
	assert.NotContains(t, string(text), "broken", "what failed is for the log")
	assert.Contains(t, log.String(), "fault=broken")
	assert.Contains(t, log.String(), "TestAPanicEndsOneRequest", "with its stack")
	res, err = http.Get(base + "/healthz")
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 200, res.StatusCode)
}

// TestAPanicEndsOneStream has an answer panic after its handler has returned.
func TestAPanicEndsOneStream(t *testing.T) {
	var log lockedLog
	var s *Server
	s, base := serverOf(t, Options{}, &log, func(app *fiber.App) {
		app.Post("/stream", func(c fiber.Ctx) error {
			return c.SendStreamWriter(s.stream("telling a test", func(w *bufio.Writer) {
				_, _ = w.WriteString("begun\n")
				panic("broken")
			}))
		})
	})
	res, err := http.Post(base+"/stream", "text/plain", nil)
	require.NoError(t, err)
	_, _ = io.ReadAll(res.Body)
	res.Body.Close()
	require.Eventually(t, func() bool { return strings.Contains(log.String(), `doing="telling a test" fault=broken`) },
		time.Minute, time.Millisecond)
	res, err = http.Get(base + "/healthz")
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 200, res.StatusCode)
}

// lockedLog is a log that is read while it is written.
type lockedLog struct {
	mu   sync.Mutex
	text strings.Builder
}

func (l *lockedLog) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *lockedLog) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

// TestWorkEndsWhenItsClientLeaves has a client leave work that nothing else ends; its
// place is free afterwards.
func TestWorkEndsWhenItsClientLeaves(t *testing.T) {
	backend := &Backend{Budget: budget.New(2, 1<<30)}
	begun, ended := make(chan struct{}), make(chan error, 1)
	var s *Server
	s, base := serverOf(t, Options{}, io.Discard, func(app *fiber.App) {
		app.Post("/long", func(c fiber.Ctx) error {
			r := &request{Ctx: c, Backend: backend, server: s, who: &access.Who{Person: &store.Person{ID: 7}}}
			ctx, done, err := r.work(budget.Long)
			if err != nil {
				return err
			}
			defer done()
			close(begun)
			<-ctx.Done()
			ended <- ctx.Err()
			return nil
		})
	})
	ctx, leave := context.WithCancel(t.Context())
	req, err := http.NewRequestWithContext(ctx, "POST", base+"/long", nil)
	require.NoError(t, err)
	go func() {
		if res, err := http.DefaultClient.Do(req); err == nil {
			res.Body.Close()
		}
	}()
	<-begun
	leave()
	select {
	case err := <-ended:
		assert.ErrorIs(t, err, context.Canceled)
	case <-time.After(time.Minute):
		t.Fatal("the work goes on without its client")
	}
	free, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	out, err := backend.Budget.Enter(free, 7, budget.Long)
	require.NoError(t, err)
	out()
}

func TestSecurityHeaders(t *testing.T) {
	for secure, hsts := range map[bool]string{true: "max-age=31536000", false: ""} {
		_, base := serverOf(t, Options{Secure: secure}, io.Discard, nil)
		res, err := http.Get(base + "/healthz")
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, hsts, res.Header.Get("Strict-Transport-Security"))
		assert.Equal(t, "nosniff", res.Header.Get("X-Content-Type-Options"))
		assert.Contains(t, res.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
		assert.Contains(t, res.Header.Get("Content-Security-Policy"), "script-src 'self' 'wasm-unsafe-eval';",
			"scripts are the console's files, and what they compile")
		assert.NotEmpty(t, res.Header.Get("Permissions-Policy"))
	}
}

// TestEveryRefusalIsAProblemDocument asks with methods and at addresses that are not there.
func TestEveryRefusalIsAProblemDocument(t *testing.T) {
	_, base := serverOf(t, Options{}, io.Discard, nil)
	for _, c := range []struct {
		method, path string
		status       int
	}{{"BREW", "/api/v1/courses", 501}, {"PATCH", "/api/v1/courses", 404}, {"GET", "/api/v1/nowhere", 404},
		{"POST", "/api/v1/session", 503}} {
		t.Run(c.method, func(t *testing.T) {
			req, err := http.NewRequest(c.method, base+c.path, nil)
			require.NoError(t, err)
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			text, err := io.ReadAll(res.Body)
			require.NoError(t, err)
			res.Body.Close()
			assert.Equal(t, c.status, res.StatusCode, "%s %s", c.method, c.path)
			assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"), "%s %s: %s", c.method, c.path, text)
		})
	}
}

func TestWhoARequestComesFrom(t *testing.T) {
	for _, c := range []struct {
		trusted, plain, standard, want string
	}{
		{"", "", "", "127.0.0.1"},
		{"", "9.9.9.9", "", "127.0.0.1"}, // a stranger's word
		{"127.0.0.1", "9.9.9.9", "", "9.9.9.9"},
		{"127.0.0.0/8", "1.1.1.1, 9.9.9.9", "", "9.9.9.9"}, // what stands left anybody wrote
		{"127.0.0.0/8,10.0.0.0/8", "9.9.9.9, 10.1.2.3", "", "9.9.9.9"},
		{"127.0.0.0/8", "", `for="[2001:db8::7]:4711";proto=https`, "2001:db8::7"},
		{"127.0.0.0/8", "", "for=1.1.1.1, for=9.9.9.9;by=127.0.0.1", "9.9.9.9"},
		{"127.0.0.0/8", "9.9.9.9", "for=9.9.9.9", "9.9.9.9"},
		{"127.0.0.0/8", "9.9.9.9", "for=8.8.8.8", "127.0.0.1"}, // one of them is the client's own
		{"127.0.0.0/8", "nonsense", "", "127.0.0.1"},
		{"127.0.0.0/8", "9.9.9.9:5123", "", "9.9.9.9"},
		{"127.0.0.0/8", "", "for=unknown", "127.0.0.1"},
	} {
		t.Run(c.trusted, func(t *testing.T) {
			var trusted []string
			if c.trusted != "" {
				trusted = strings.Split(c.trusted, ",")
			}
			p, err := parseProxies(trusted)
			require.NoError(t, err)
			_, base := serverOf(t, Options{}, io.Discard, func(app *fiber.App) {
				app.Post("/who", func(f fiber.Ctx) error { return f.SendString(p.client(f)) })
			})
			req, err := http.NewRequest("POST", base+"/who", nil)
			require.NoError(t, err)
			if c.plain != "" {
				req.Header.Set("X-Forwarded-For", c.plain)
			}
			if c.standard != "" {
				req.Header.Set("Forwarded", c.standard)
			}
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			text, err := io.ReadAll(res.Body)
			require.NoError(t, err)
			res.Body.Close()
			assert.Equal(t, c.want, string(text), "%+v", c)
		})
	}
	_, err := New(slog.Default(), Options{Proxies: []string{"everywhere"}})
	assert.ErrorContains(t, err, "is not a network of a proxy")
}

// TestALeftConnectionIsSeen asks a connection whose other end is there, has sent more, and
// is gone.
func TestALeftConnectionIsSeen(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	there, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	here, err := l.Accept()
	require.NoError(t, err)
	defer here.Close()
	assert.False(t, gone(here))
	_, err = there.Write([]byte("more"))
	require.NoError(t, err)
	assert.False(t, gone(here))
	four := make([]byte, 4)
	_, err = io.ReadFull(here, four)
	require.NoError(t, err)
	assert.Equal(t, "more", string(four), "what was to be read is still there")
	there.Close()
	require.Eventually(t, func() bool { return gone(here) }, time.Minute, time.Millisecond)
	pipe, _ := net.Pipe()
	assert.False(t, gone(pipe), "of what cannot be asked nothing is said")
}

func TestMetricsOnAnAddressOfTheirOwn(t *testing.T) {
	s, _ := serverOf(t, Options{}, io.Discard, nil)
	w := httptest.NewRecorder()
	s.MetricsHandler().ServeHTTP(w, httptest.NewRequest("GET", "/metrics", nil))
	assert.Equal(t, 200, w.Code)
	assert.Contains(t, w.Body.String(), "nimbus_cause_faults_total 0")
}
