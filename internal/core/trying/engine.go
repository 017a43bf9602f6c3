package trying

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"

	"nimbusreach/internal/core/guard"
)

// Engine answers the questions of one page, on the exercise that was loaded. It keeps the last traced run, since
// cells of one run are asked for one after another. It is used by one caller at a time.
type Engine struct {
	// Bound is the context of a run that begins; nil for one without an end.
	Bound func() context.Context

	page   *Page
	traced *Traced
	failed error  // why the last one was not traced
	of     []byte // the request that was traced, without its cell
}

// Load reads an exercise, in the JSON that the service sends; it says what keeps it from being read, or "".
func (e *Engine) Load(exercise []byte) string {
	page := &Page{}
	if err := json.Unmarshal(exercise, page); err != nil {
		return err.Error()
	}
	*e = Engine{Bound: e.Bound, page: page}
	return ""
}

// Answer is what an engine says to a question: one of its three fields is set.
type Answer struct {
	Answer    any      `json:"answer,omitempty"`
	Problem   *Refusal `json:"problem,omitempty"`   // as the service would say it
	Elsewhere string   `json:"elsewhere,omitempty"` // why only the service can answer
}

// Ask answers a question, "shapes", "try" or "trace", with the body that the service's route takes. A fault of ours is
// an answer too: the service is asked instead.
func (e *Engine) Ask(question string, request []byte) []byte {
	var text []byte
	err := guard.Call("answering in the page", func() error {
		out := &Answer{}
		answer, err := e.answer(question, request)
		var refused *Refusal
		switch {
		case errors.As(err, &refused):
			out.Problem = refused
		case err != nil:
			out.Elsewhere = err.Error()
		default:
			out.Answer = answer
		}
		text, err = json.Marshal(out)
		return err
	})
	if err != nil {
		text, _ = json.Marshal(&Answer{Elsewhere: err.Error()})
	}
	return text
}

func (e *Engine) answer(question string, request []byte) (any, error) {
	if e.page == nil {
		return nil, errors.New("no exercise was loaded")
	}
	var in TraceCell
	if err := json.Unmarshal(request, &in); err != nil {
		return nil, err
	}
	sheet, err := e.page.Sheet(&in.Try)
	if err != nil {
		return nil, err
	}
	ctx := context.Background()
	if e.Bound != nil {
		ctx = e.Bound()
	}
	switch question {
	case "shapes":
		return sheet.Shapes(in.Program), nil
	case "try":
		return sheet.Try(ctx, in.Program)
	case "trace":
		of, err := json.Marshal(in.Try)
		if err != nil {
			return nil, err
		}
		if e.of == nil || !bytes.Equal(of, e.of) {
			e.of = of
			e.traced, e.failed = sheet.Trace(ctx, in.Program)
		}
		if e.failed != nil {
			return nil, e.failed
		}
		return e.traced.Cell(&in)
	}
	return nil, errors.New("`" + question + "` is not a known question; ask for shapes, try or trace")
}
