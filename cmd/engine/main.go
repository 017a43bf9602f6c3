//go:build js && wasm

// Command engine is the core in the page: compiled to WebAssembly, it answers in a Web Worker what the workspace asks
// while a program is written, with the forms that the service sends. The worker gives it texts and gets texts:
//
//	nimbusExercise(exercise)       the exercise's JSON as the service sent it; "" or what is wrong with it
//	nimbusAsk(question, request)   "shapes", "try" or "trace", with the body that the service's route takes
//
// An answer is {"answer": …}, {"problem": …} as the service would answer it, or {"elsewhere": "why"} for what only the
// service can answer.
package main

import (
	"context"
	"syscall/js"
	"time"

	"nimbusreach/internal/core/trying"
)

func main() {
	engine := &trying.Engine{Bound: func() context.Context { return until{context.Background(), time.Now().Add(caseTime)} }}
	js.Global().Set("nimbusExercise", js.FuncOf(func(_ js.Value, args []js.Value) any {
		return engine.Load([]byte(args[0].String()))
	}))
	js.Global().Set("nimbusAsk", js.FuncOf(func(_ js.Value, args []js.Value) any {
		return string(engine.Ask(args[0].String(), []byte(args[1].String())))
	}))
	select {}
}

// caseTime is how long a run on one case may take, as in the service.
const caseTime = 2 * time.Second

// until is a context that ends at a time by looking at the clock: in a page nothing runs beside a run to end it.
type until struct {
	context.Context
	end time.Time
}

var ended = func() chan struct{} { c := make(chan struct{}); close(c); return c }()

func (u until) Done() <-chan struct{} {
	if time.Now().After(u.end) {
		return ended
	}
	return nil
}

func (u until) Err() error {
	if time.Now().After(u.end) {
		return context.DeadlineExceeded
	}
	return nil
}
