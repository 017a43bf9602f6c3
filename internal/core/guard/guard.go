// Package guard turns a panic, which is a bug of ours, into an error at the edge of one
// piece of work, so that it ends that work alone.
//
// It does not log, count or hide anything: whoever catches a fault reports it.
package guard

import (
	"errors"
	"fmt"
	"runtime/debug"
	"sync/atomic"
)

// Fault is a panic that was caught, with the stack at which it came.
type Fault struct {
	Doing string // the work that it ended
	Value any    // what the panic was raised with
	Stack []byte
}

func (f *Fault) Error() string {
	return fmt.Sprintf("a fault of ours while %s: %v", f.Doing, f.Value)
}

// Attrs is what a log says of the fault: keys and values, with its stack.
func (f *Fault) Attrs() []any {
	return []any{"doing", f.Doing, "fault", fmt.Sprint(f.Value), "stack", string(f.Stack)}
}

// Unwrap gives the error that the panic was raised with, if it was one.
func (f *Fault) Unwrap() error {
	err, _ := f.Value.(error)
	return err
}

// Of makes a fault of what recover returned; nil of nil. A fault that another goroutine
// passed on keeps the stack of that goroutine.
func Of(recovered any, doing string) *Fault {
	switch p := recovered.(type) {
	case nil:
		return nil
	case *Fault:
		return p
	}
	return &Fault{Doing: doing, Value: recovered, Stack: debug.Stack()}
}

// Call runs work and returns its error, or the fault that ended it.
func Call(doing string, work func() error) (err error) {
	defer func() {
		if f := Of(recover(), doing); f != nil {
			err = f
		}
	}()
	return work()
}

// As finds the fault in an error; nil when there is none.
func As(err error) *Fault {
	var f *Fault
	errors.As(err, &f)
	return f
}

// Relay carries a panic from goroutines to the one that waits for them: Catch is
// deferred in each goroutine, Raise called after the wait.
type Relay struct{ first atomic.Pointer[Fault] }

// Catch keeps the first panic; it is deferred.
func (r *Relay) Catch() {
	if f := Of(recover(), "working on several cores"); f != nil {
		r.first.CompareAndSwap(nil, f)
	}
}

// Raise panics with what was caught, if anything was.
func (r *Relay) Raise() {
	if f := r.first.Load(); f != nil {
		panic(f)
	}
}
