package main

import (
	"io"
	"net"
	"sync"
)

// link passes connections on to an address, and can hold them: then nothing gets through, as when a
// cable is pulled.
type link struct {
	to       string
	listener net.Listener
	mu       sync.Mutex
	open     *sync.Cond
	held     bool
	closed   bool
}

func newLink(to string) (*link, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	out := &link{to: to, listener: l}
	out.open = sync.NewCond(&out.mu)
	go out.accept()
	return out, nil
}

func (l *link) address() string { return l.listener.Addr().String() }

func (l *link) hold() { l.set(true, false) }

func (l *link) release() { l.set(false, false) }

func (l *link) close() {
	l.set(false, true)
	_ = l.listener.Close()
}

func (l *link) set(held, closed bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.held, l.closed = held, closed
	l.open.Broadcast()
}

// pass blocks while the link is held.
func (l *link) pass() {
	l.mu.Lock()
	defer l.mu.Unlock()
	for l.held && !l.closed {
		l.open.Wait()
	}
}

func (l *link) accept() {
	for {
		near, err := l.listener.Accept()
		if err != nil {
			return
		}
		go l.join(near)
	}
}

func (l *link) join(near net.Conn) {
	l.pass()
	far, err := net.Dial("tcp", l.to)
	if err != nil {
		_ = near.Close()
		return
	}
	var wg sync.WaitGroup
	for _, way := range [][2]net.Conn{{near, far}, {far, near}} {
		wg.Go(func() {
			_, _ = io.Copy(gate{way[1], l}, way[0])
			_ = way[0].Close()
			_ = way[1].Close()
		})
	}
	wg.Wait()
}

// gate writes when the link passes.
type gate struct {
	net.Conn
	link *link
}

func (g gate) Write(b []byte) (int, error) {
	g.link.pass()
	return g.Conn.Write(b)
}
