// Package api is the HTTP face of the service: handlers that parse, call one
// function and render. Rights are asked of package access, rows of package store.
package api

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/trying"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/budget"
	"nimbusreach/internal/service/desk"
	"nimbusreach/internal/service/library"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/queue"
	"nimbusreach/internal/service/store"
)

// Backend is what handlers work with once the database has answered.
type Backend struct {
	Store   *store.Store
	Library *library.Library
	Gate    *access.Gate
	Queue   *queue.Queue
	Hub     *desk.Hub
	Mail    *outbox.Sender
	Notes   *outbox.Notes
	Hooks   *outbox.Hooks

	Budget *budget.Budget // shared with the queue
}

// Options say how a server answers.
type Options struct {
	Secure       bool     // browsers come over HTTPS
	Address      string   // of the console, for links and calendars; "" for the one that a request came to
	Proxies      []string // networks whose X-Forwarded-For and Forwarded are believed
	MetricsToken string   // a bearer token that /metrics asks for; without one it is not served here
}

// Server answers HTTP. Until a backend is set it says that the database does not
// answer yet.
type Server struct {
	app     *fiber.App
	log     *slog.Logger
	backend atomic.Pointer[Backend]
	metrics *Metrics
	spec    []byte
	closing chan struct{}
	options Options
	proxies proxies
	bodies  *bodies
	desks   *desk.Shared
}

// New makes a server.
func New(log *slog.Logger, o Options) (*Server, error) {
	s := &Server{log: log, metrics: newMetrics(), closing: make(chan struct{}), options: o, bodies: newBodies(),
		desks: desk.NewShared()}
	var err error
	if s.proxies, err = parseProxies(o.Proxies); err != nil {
		return nil, err
	}
	// Bodies stay unread until it is known who sends them: see bodies.
	s.app = fiber.New(fiber.Config{
		AppName: "nimbus", BodyLimit: mostBytes, Immutable: true, ErrorHandler: s.problem,
		ReadTimeout: 60 * time.Second, IdleTimeout: 120 * time.Second, StreamRequestBody: true, ReadBufferSize: 16 << 10,
	})
	spec, err := Document()
	if err != nil {
		return nil, err
	}
	s.spec = spec
	s.app.Use(s.observe)
	s.health()
	s.routes()
	s.console()
	return s, nil
}

// SetBackend lets requests through to the database.
func (s *Server) SetBackend(b *Backend) {
	b.Queue.Observe = s.metrics.checked
	b.Queue.Faulted = func(f *guard.Fault) {
		s.metrics.faults.WithLabelValues(f.Doing).Inc()
		if f.Doing == "searching for causes" {
			s.metrics.causeFaults.Inc()
		}
	}
	b.Queue.Stuck = func(*store.Attempt) { s.metrics.stuck.Inc() }
	s.backend.Store(b)
}

// Serve answers on a listener until Shutdown.
func (s *Server) Serve(l net.Listener) error {
	handle := s.app.Handler()
	s.app.Server().Handler = func(c *fasthttp.RequestCtx) {
		handle(c)
		if c.Response.StatusCode() == http.StatusNotImplemented {
			unknownMethod(c) // the router answers it with plain text, before any handler
		}
	}
	return s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true})
}

// unknownMethod answers a method that no router knows as a problem.
func unknownMethod(c *fasthttp.RequestCtx) {
	f := fail(http.StatusNotImplemented, "method", "Unknown method", "The method is none that is known here.",
		"`/api/openapi.json` lists the methods")
	f.Instance = string(c.Path())
	text, err := json.Marshal(f.Problem)
	if err != nil {
		return
	}
	c.Response.SetBody(text)
	c.SetContentType("application/problem+json")
}

// Shutdown ends streams, lets running requests end, and closes.
func (s *Server) Shutdown(ctx context.Context) error {
	close(s.closing)
	return s.app.ShutdownWithContext(ctx)
}

// requestID is the key of a request's id.
type requestID struct{}

// observe gives a request its id, logs it and counts it.
func (s *Server) observe(c fiber.Ctx) error {
	id := c.Get("X-Request-Id")
	if !plainID(id) {
		raw := make([]byte, 8)
		_, _ = rand.Read(raw)
		id = hex.EncodeToString(raw)
	}
	c.Set("X-Request-Id", id)
	c.Locals(requestID{}, id)
	s.protect(c)
	start := time.Now()
	err := guard.Call("answering a request", c.Next)
	if f := guard.As(err); f != nil {
		s.fault(f, "id", id, "path", c.Path())
	}
	if err != nil {
		err = s.problem(c, err)
	}
	took := time.Since(start)
	status := c.Response().StatusCode()
	route := "console"
	if strings.HasPrefix(c.Path(), "/api/") {
		route = c.Route().Path
	}
	s.metrics.request(c.Method(), route, status, took)
	level := slog.LevelDebug
	if status >= http.StatusInternalServerError {
		level = slog.LevelError
	}
	s.log.Log(c.Context(), level, "request", "id", id, "method", c.Method(), "path", c.Path(), "status", status, "ms",
		float64(took.Microseconds())/1000)
	return err
}

// fault logs and counts a fault of ours, with its stack.
func (s *Server) fault(f *guard.Fault, about ...any) {
	s.metrics.faults.WithLabelValues(f.Doing).Inc()
	s.log.Error("a fault of ours", append(f.Attrs(), about...)...)
}

func plainID(id string) bool {
	if id == "" || len(id) > 64 {
		return false
	}
	for _, r := range id {
		if !(r == '-' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z') {
			return false
		}
	}
	return true
}

// protect sets the headers that keep a browser from mischief.
func (s *Server) protect(c fiber.Ctx) {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "same-origin")
	c.Set("X-Frame-Options", "DENY")
	c.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=(), payment=(), usb=()")
	c.Set("Cross-Origin-Opener-Policy", "same-origin")
	if s.options.Secure {
		c.Set("Strict-Transport-Security", "max-age=31536000")
	}
	c.Set("Content-Security-Policy", "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; "+
		"style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-ancestors 'none'; "+
		"base-uri 'none'; form-action 'self'")
}

func safe(method string) bool { return method == fiber.MethodGet || method == fiber.MethodHead }

// failure is an error with its answer.
type failure struct {
	wire.Problem
	after time.Duration // for Retry-After
}

func (f *failure) Error() string { return f.Detail }

// fail makes a problem.
func fail(status int, kind, title, detail, hint string) *failure {
	return &failure{Problem: wire.Problem{Type: wire.ProblemType + kind, Title: title, Status: status,
		Detail: detail, Hint: hint}}
}

// problem renders an error as problem details.
func (s *Server) problem(c fiber.Ctx, err error) error {
	f := s.explain(c, err)
	f.Instance = c.Path()
	if f.after > 0 {
		c.Set("Retry-After", fmt.Sprint(int(f.after.Seconds())+1))
	}
	c.Status(f.Status)
	if err := c.JSON(f.Problem); err != nil {
		return err
	}
	c.Set("Content-Type", "application/problem+json")
	return nil
}

// explain finds the words for an error.
func (s *Server) explain(c fiber.Ctx, err error) *failure {
	var f *failure
	var patience *access.TooManyTries
	var refused *trying.Refusal
	var unfit *access.Unfit
	var status *fiber.Error
	switch {
	case errors.As(err, &f):
		return f
	case errors.As(err, &refused):
		return fail(refused.Status, strings.TrimPrefix(refused.Type, trying.ProblemType), refused.Title, refused.Detail,
			refused.Hint)
	case errors.As(err, &patience):
		f = fail(http.StatusTooManyRequests, "patience", "Too many failed sign-ins", patience.Error(),
			"wait, then try again; the teaching team can set a new password")
		f.after = patience.Wait
		return f
	case errors.Is(err, access.ErrWrongSignIn):
		return fail(http.StatusUnauthorized, "wrong-sign-in", "Not signed in", "The name or the password is wrong.",
			"check both; names are small letters")
	case errors.Is(err, access.ErrSignedOut):
		return fail(http.StatusUnauthorized, "signed-out", "Not signed in",
			"Nobody is signed in, or the sign-in has run out.", "sign in again")
	case errors.Is(err, access.ErrNoLink):
		return fail(http.StatusGone, "link", "The link cannot be used",
			"It was used before, replaced by a newer one, or has run out.", "ask the teaching team for a new one")
	case errors.Is(err, access.ErrForbidden):
		return fail(http.StatusForbidden, "forbidden", "Not allowed", "Your role does not allow this.",
			"ask an instructor of the course")
	case errors.Is(err, store.ErrNotFound):
		return fail(http.StatusNotFound, "not-found", "Not found", "There is nothing here, or it is not yours to see.",
			"check the address; `GET /api/v1/courses` lists your courses")
	case errors.Is(err, store.ErrNumberTaken):
		return fail(http.StatusConflict, "taken", "Taken already", "Somebody else has this campus number.",
			"look them up by it")
	case errors.Is(err, store.ErrTaken):
		return fail(http.StatusConflict, "taken", "Taken already", "The name is in use already.", "choose another")
	case errors.As(err, &unfit):
		return fail(http.StatusUnprocessableEntity, "unfit-"+unfit.Field, "This cannot be taken", unfit.Message, unfit.Hint)
	case errors.As(err, &status):
		return s.explainStatus(c, status)
	case errors.Is(err, context.Canceled):
		return fail(499, "left", "Nobody waits", "The client left before the answer was there.", "ask again")
	case errors.Is(err, store.ErrBusy):
		f = fail(http.StatusServiceUnavailable, "database", "The database is busy",
			"The database refused this for ten seconds. Nothing of it was stored.", "try again in a moment")
		f.after = 2 * time.Second
		return f
	case guard.As(err) == nil && s.databaseGone(c, err):
		f = fail(http.StatusServiceUnavailable, "database", "The database does not answer",
			"The service runs, and its database does not answer. Nothing handed in before is lost.", "try again in a moment")
		f.after = 2 * time.Second
		return f
	}
	if guard.As(err) == nil {
		s.log.Error("request failed", "id", c.Locals(requestID{}), "path", c.Path(), "error", err)
	}
	return fail(http.StatusInternalServerError, "fault", "A fault of ours",
		"Something failed here that should not have.", fmt.Sprintf("tell the operator the request id %v",
			c.Locals(requestID{})))
}

func (s *Server) explainStatus(c fiber.Ctx, status *fiber.Error) *failure {
	switch status.Code {
	case http.StatusNotFound:
		return fail(http.StatusNotFound, "not-found", "Not found", "There is no such address.",
			"`/api/openapi.json` lists them")
	case http.StatusMethodNotAllowed:
		return fail(http.StatusMethodNotAllowed, "method", "Wrong method", fmt.Sprintf("%s is not answered here.",
			c.Method()), "`/api/openapi.json` lists the methods")
	case 413:
		return fail(http.StatusRequestEntityTooLarge, "too-large", "Too large",
			fmt.Sprintf("The request has more than %d bytes.", mostBytes), "send less")
	}
	return fail(status.Code, "request", "The request cannot be read", status.Message, "look at `/api/openapi.json`")
}

// databaseGone asks the database itself whether an error was its absence.
func (s *Server) databaseGone(c fiber.Ctx, err error) bool {
	b := s.backend.Load()
	if b == nil {
		return true
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(c.Context()), time.Second)
	defer cancel()
	gone := b.Store.Ping(ctx) != nil
	if gone {
		b.Store.Away(err)
	}
	return gone
}
