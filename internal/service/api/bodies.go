package api

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"net"
	"net/http"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"golang.org/x/sync/semaphore"
)

// Bounds on bodies, in bytes. A route without one of its own takes a small form.
const (
	formBytes    = 64 << 10
	signInBytes  = 8 << 10
	noteBytes    = 256 << 10 // a note of mostNote characters, as JSON may spell it
	timeBytes    = 64
	programBytes = 7 << 20 // a program of notation.MaxBytes, as JSON may spell it
	folderBytes  = 13 << 20
	packedBytes  = 17 << 20
	mostBytes    = resultBytes // of any body
)

// mostSkipped and lingering bound what is still read after an answer that came before its request had arrived.
const (
	mostSkipped = 2 * mostBytes
	lingering   = 10 * time.Second
)

// largeBody is from where on a body counts against what all of them may hold.
const largeBody = 256 << 10

// bodyTime bounds how long a body may take to arrive once its reading has begun; a large one has a second more for each
// half megabyte.
const bodyTime = 30 * time.Second

func timeFor(bytes int) time.Duration {
	return bodyTime + time.Duration(bytes/(512<<10))*time.Second
}

// bodies bounds the memory of all bodies that are read at a time.
type bodies struct{ places *semaphore.Weighted }

func newBodies() *bodies { return &bodies{semaphore.NewWeighted(128 << 20)} }

// arriving is a body that is read as it arrives.
type arriving struct {
	r       *request
	from    io.Reader
	limit   int
	length  int // as it is announced; below 0 where it is not
	taken   int
	ended   bool
	trouble *failure // why it could not be read to its end
}

// Read gives what has arrived; too much is an error, and so is what breaks off.
func (a *arriving) Read(p []byte) (int, error) {
	n, err := a.from.Read(p)
	a.taken += n
	a.ended = a.ended || errors.Is(err, io.EOF)
	switch {
	case a.trouble != nil:
	case a.taken > a.limit:
		a.trouble = tooLarge(a.limit)
	case err != nil && !errors.Is(err, io.EOF):
		a.trouble = fail(http.StatusBadRequest, "body", "The request cannot be read",
			"The body ended early: "+err.Error()+".", "send it again")
	}
	if a.trouble != nil {
		return 0, a.trouble
	}
	return n, err
}

// close skips what nobody read of a small body, which is here; on whoever still sends a large one the connection is
// closed.
func (a *arriving) close() {
	if a.trouble == nil && a.length >= 0 && a.length <= largeBody {
		_, _ = io.Copy(io.Discard, a)
	}
	_ = a.r.RequestCtx().Conn().SetReadDeadline(time.Time{})
	if a.taken != a.length && !a.ended {
		hangUp(a.r)
	}
}

// hangUp closes the connection once the answer is sent. What still arrives is read for a while: a connection that is
// closed on arriving bytes takes the answer along, which whoever sends would never read.
func hangUp(r *request) {
	r.Set("Connection", "Close") // written so, the server does not close by itself
	r.RequestCtx().Hijack(func(c net.Conn) {
		_ = c.SetReadDeadline(time.Now().Add(lingering))
		_, _ = io.CopyN(io.Discard, c, mostSkipped)
	})
}

func tooLarge(limit int) *failure {
	return fail(http.StatusRequestEntityTooLarge, "too-large", "Too large",
		fmt.Sprintf("The request has more than %d bytes, which is what is taken here.", limit), "send less")
}

// open opens a request's body, which the person who sends it may, up to a bound. done, which skips what was left,
// gives its memory back.
func (b *bodies) open(r *request, limit int) (body *arriving, done func(), err error) {
	if encoding := r.Get("Content-Encoding"); encoding != "" && encoding != "identity" {
		hangUp(r)
		return nil, nil, fail(http.StatusUnsupportedMediaType, "encoding", "The body is packed",
			fmt.Sprintf("The body has the encoding %s.", strconv.Quote(encoding)), "send it plain")
	}
	length := r.Request().Header.ContentLength()
	body = &arriving{r: r, from: r.Request().BodyStream(), limit: limit, length: length}
	if body.from == nil {
		body.from = bytes.NewReader(r.Request().Body())
	}
	_ = r.RequestCtx().Conn().SetReadDeadline(time.Now().Add(timeFor(min(max(length, 0), limit))))
	if length > limit {
		body.trouble = tooLarge(limit)
		body.close()
		return nil, nil, body.trouble
	}
	release := func() {}
	if weight := int64(length); length < 0 || length > largeBody {
		if length < 0 {
			weight = int64(limit)
		}
		ctx, cancel := context.WithTimeout(r.Context(), bodyTime)
		defer cancel()
		if err := b.places.Acquire(ctx, weight); err != nil {
			hangUp(r)
			f := fail(http.StatusServiceUnavailable, "busy", "Too busy", "Too many large requests are being read.",
				"try again in a moment")
			f.after = 2 * time.Second
			return nil, nil, f
		}
		release = func() { b.places.Release(weight) }
	}
	return body, func() { body.close(); release() }, nil
}

// whole reads a body to its end.
func (a *arriving) whole() ([]byte, error) {
	body, err := io.ReadAll(a)
	if a.trouble != nil {
		return nil, a.trouble
	}
	return body, err
}

// json reads the body into a form: one JSON value in UTF-8, of known keys, and nothing
// after it.
func (r *request) json(to any) error {
	if kind := r.Get("Content-Type"); !strings.HasPrefix(kind, "application/json") {
		return noJSON(kind)
	}
	if !utf8.Valid(r.body) {
		return unwantedJSON("it is not text in UTF-8")
	}
	d := json.NewDecoder(bytes.NewReader(r.body))
	d.DisallowUnknownFields()
	if err := d.Decode(to); err != nil {
		if errors.Is(err, io.EOF) {
			return unwantedJSON("it is empty")
		}
		return unwantedJSON(err.Error())
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return unwantedJSON("more follows after it")
	}
	return nil
}

func noJSON(kind string) error {
	return fail(http.StatusUnsupportedMediaType, "media-type", "Not JSON",
		"The body is "+strconv.Quote(kind)+" and should be application/json.", "set Content-Type: application/json")
}

func unwantedJSON(why string) error {
	return fail(http.StatusBadRequest, "json", "The body cannot be read", "The body is not the JSON wanted here: "+why+".",
		"look at `/api/openapi.json`")
}

// formFile reads one file of a form.
func (r *request) formFile(name string) ([]byte, error) {
	_, params, err := mime.ParseMediaType(r.Get("Content-Type"))
	if err != nil {
		return nil, err
	}
	parts := multipart.NewReader(bytes.NewReader(r.body), params["boundary"])
	for {
		part, err := parts.NextPart()
		if err != nil {
			return nil, err
		}
		if part.FormName() == name {
			return io.ReadAll(part)
		}
	}
}
