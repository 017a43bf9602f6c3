package api

import (
	"context"
	"errors"
	"net"
	"net/http"
	"syscall"
	"time"

	"nimbusreach/internal/service/budget"
)

// lookEvery is how often a connection is asked whether its client is still there.
const lookEvery = 100 * time.Millisecond

// work takes a place for running programs, and gives a context that ends when the client
// leaves. done must be called.
func (r *request) work(kind budget.Kind) (context.Context, func(), error) {
	ctx, cancel := context.WithCancel(r.Context())
	conn, closing := r.RequestCtx().Conn(), r.server.closing
	go func() {
		tick := time.NewTicker(lookEvery)
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-closing:
				cancel()
				return
			case <-tick.C:
				if gone(conn) {
					cancel()
					return
				}
			}
		}
	}()
	leave, err := r.Budget.Enter(ctx, r.who.Person.ID, kind)
	if err != nil {
		cancel()
		return nil, nil, busy(err)
	}
	return ctx, func() { leave(); cancel() }, nil
}

// busy tells somebody that their share is used, or that too many wait.
func busy(err error) error {
	var b *budget.Busy
	if !errors.As(err, &b) {
		return err
	}
	f := fail(http.StatusTooManyRequests, "busy", "One thing after the other",
		"The request was not begun: "+b.Error()+".", "wait for an answer, then try again")
	f.after = b.After
	return f
}

// gone reports whether the other end of a connection has closed it. What is still to be
// read of it stays where it is.
func gone(conn net.Conn) bool {
	c, ok := conn.(syscall.Conn)
	if !ok {
		return false
	}
	raw, err := c.SyscallConn()
	if err != nil {
		return true
	}
	over := false
	err = raw.Control(func(fd uintptr) {
		var one [1]byte
		n, _, err := syscall.Recvfrom(int(fd), one[:], syscall.MSG_PEEK|syscall.MSG_DONTWAIT)
		switch {
		case errors.Is(err, syscall.EAGAIN), errors.Is(err, syscall.EINTR):
		case err != nil:
			over = true
		default:
			over = n == 0
		}
	})
	return over || err != nil
}
