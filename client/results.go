package client

import (
	"bytes"
	"context"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"strconv"

	"github.com/google/uuid"

	"nimbusreach/client/wire"
	"nimbusreach/internal/core/check"
)

// MakeTicket takes data of one's own for an exercise, or the ticket that is held open already.
func (c *Client) MakeTicket(ctx context.Context, course, exercise string) (*wire.Ticket, error) {
	var out wire.Ticket
	return &out, c.send(ctx, http.MethodPost, at("courses", course, "exercises", exercise, "tickets"), nil, &out)
}

// Ticket returns a ticket with its data.
func (c *Client) Ticket(ctx context.Context, id uint64) (*wire.Ticket, error) {
	var out wire.Ticket
	return &out, c.send(ctx, http.MethodGet, at("tickets", strconv.FormatUint(id, 10)), nil, &out)
}

// Data returns the data of a ticket as files of a format, those of the shown cases where t is nil: a zip archive, or
// one netCDF file for nc.
func (c *Client) Data(ctx context.Context, course, exercise string, t *wire.Ticket, format string) ([]byte, error) {
	path := at("courses", course, "exercises", exercise, "data")
	if t != nil {
		path = at("tickets", strconv.FormatUint(t.ID, 10), "data")
	}
	var out []byte
	err := c.do(ctx, http.MethodGet, path+"?format="+format, http.Header{}, nil, &out)
	return out, err
}

// ArrayFiles returns what Arrays does as files of a format: a zip archive, or one netCDF file for nc.
func (c *Client) ArrayFiles(ctx context.Context, attempt uint64, caseName, output, format string) ([]byte, error) {
	var out []byte
	err := c.do(ctx, http.MethodGet, arraysAt(attempt, caseName, output)+"&format="+format, http.Header{}, nil, &out)
	return out, err
}

// Files is arrays that were computed elsewhere, as files.
type Files struct {
	Ticket *uint64 // whose data they were computed from; nil for the shown cases
	Source string  // the text that computed them
	Files  []check.File
}

// HandInFiles hands arrays in, and waits up to some seconds for the verdict.
func (c *Client) HandInFiles(ctx context.Context, course, exercise string, f Files, wait int) (*wire.Attempt, error) {
	var out wire.Attempt
	return &out, c.sendFiles(ctx, at("courses", course, "exercises", exercise, "attempts")+"?wait="+strconv.Itoa(wait), f,
		&out)
}

// FormOf says whether arrays have the form that is wanted. Nothing is handed in.
func (c *Client) FormOf(ctx context.Context, course, exercise string, f Files) (*check.Form, error) {
	var out check.Form
	return &out, c.sendFiles(ctx, at("courses", course, "exercises", exercise, "attempts")+"?check=form", f, &out)
}

func (c *Client) sendFiles(ctx context.Context, path string, f Files, out any) error {
	var body bytes.Buffer
	w := multipart.NewWriter(&body)
	if f.Ticket != nil {
		_ = w.WriteField("ticket", strconv.FormatUint(*f.Ticket, 10))
	}
	if f.Source != "" {
		_ = w.WriteField("source", f.Source)
	}
	for _, one := range f.Files {
		part, err := w.CreatePart(textproto.MIMEHeader{
			"Content-Disposition": {multipart.FileContentDisposition("files", one.Name)},
			"Content-Type":        {"application/octet-stream"}})
		if err != nil {
			return err
		}
		if _, err := part.Write(one.Body); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	header := http.Header{"Idempotency-Key": {uuid.NewString()}, "Content-Type": {w.FormDataContentType()}}
	return c.do(ctx, http.MethodPost, path, header, body.Bytes(), out)
}
