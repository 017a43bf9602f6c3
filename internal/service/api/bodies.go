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
	programBytes = 7 << 20   // a program of notation.MaxBytes, as JSON may spell it
	attemptBytes = 12 << 20  // or arrays
	folderBytes  = 13 << 20
	packedBytes  = 17 << 20
	mostBytes    = resultBytes // of any body
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

// read reads a request's body, which the person who sends it may, up to a bound. release
// gives its memory back.
func (b *bodies) read(r *request, limit int) (body []byte, release func(), err error) {
	release = func() {}
	if encoding := r.Get("Content-Encoding"); encoding != "" && encoding != "identity" {
		return nil, release, fail(http.StatusUnsupportedMediaType, "encoding", "The body is packed",
			fmt.Sprintf("The body has the encoding %s.", strconv.Quote(encoding)), "send it plain")
	}
	length := r.Request().Header.ContentLength()
	tooLarge := fail(http.StatusRequestEntityTooLarge, "too-large", "Too large",
		fmt.Sprintf("The request has more than %d bytes, which is what is taken here.", limit), "send less")
	if length > limit {
		r.Response().SetConnectionClose() // what is not read cannot be skipped cheaply
		return nil, release, tooLarge
	}
	if weight := int64(length); length < 0 || length > largeBody {
		if length < 0 {
			weight = int64(limit)
		}
		ctx, cancel := context.WithTimeout(r.Context(), bodyTime)
		defer cancel()
		if err := b.places.Acquire(ctx, weight); err != nil {
			r.Response().SetConnectionClose()
			f := fail(http.StatusServiceUnavailable, "busy", "Too busy", "Too many large requests are being read.",
				"try again in a moment")
			f.after = 2 * time.Second
			return nil, release, f
		}
		release = func() { b.places.Release(weight) }
	}
	stream := r.Request().BodyStream()
	if stream == nil {
		body = r.Request().Body()
	} else {
		conn := r.RequestCtx().Conn()
		_ = conn.SetReadDeadline(time.Now().Add(timeFor(max(length, 0))))
		body, err = io.ReadAll(io.LimitReader(stream, int64(limit)+1))
		_ = conn.SetReadDeadline(time.Time{})
	}
	switch {
	case err != nil:
		release()
		r.Response().SetConnectionClose()
		return nil, func() {}, fail(http.StatusBadRequest, "body", "The request cannot be read",
			"The body ended early: "+err.Error()+".", "send it again")
	case len(body) > limit:
		release()
		r.Response().SetConnectionClose()
		return nil, func() {}, tooLarge
	}
	return body, release, nil
}

// json reads the body into a form: one JSON value in UTF-8, of known keys, and nothing
// after it.
func (r *request) json(to any) error {
	if kind := r.Get("Content-Type"); !strings.HasPrefix(kind, "application/json") {
		return fail(http.StatusUnsupportedMediaType, "media-type", "Not JSON",
			"The body is "+strconv.Quote(kind)+" and should be application/json.", "set Content-Type: application/json")
	}
	refuse := func(why string) error {
		return fail(http.StatusBadRequest, "json", "The body cannot be read",
			"The body is not the JSON wanted here: "+why+".", "look at `/api/openapi.json`")
	}
	if !utf8.Valid(r.body) {
		return refuse("it is not text in UTF-8")
	}
	d := json.NewDecoder(bytes.NewReader(r.body))
	d.DisallowUnknownFields()
	if err := d.Decode(to); err != nil {
		if errors.Is(err, io.EOF) {
			return refuse("it is empty")
		}
		return refuse(err.Error())
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return refuse("more follows after it")
	}
	return nil
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
