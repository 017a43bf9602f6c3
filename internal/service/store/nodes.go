package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-sql-driver/mysql"

	"nimbusreach/internal/core/guard"
)

// A cluster has several addresses of one database. Each process prefers one, which its name decides,
// goes to another while that one does not answer, is read-only or has not caught up, and comes back.

const (
	askEvery     = time.Second     // how often each node is asked how it is
	askPatience  = 2 * time.Second // and how long it may take to say
	dialPatience = 5 * time.Second
)

// addresses splits a list of data source names at its commas. A comma inside a password is told
// from one between two names by what follows it.
func addresses(dsn string) []string {
	var out []string
	from := 0
	for i, c := range dsn {
		if c == ',' && named(dsn[from:i]) && named(dsn[i+1:]) {
			out = append(out, dsn[from:i])
			from = i + 1
		}
	}
	return append(out, dsn[from:])
}

func named(dsn string) bool { return strings.Contains(dsn, "@tcp(") || strings.Contains(dsn, "@unix(") }

// nodes connects to one of the addresses of a database.
type nodes struct {
	list      []*node
	preferred int
	log       *slog.Logger

	current atomic.Int32 // the node that new connections go to first
	stop    context.CancelFunc
	asking  sync.WaitGroup
}

// node is one address.
type node struct {
	addr      string
	connector driver.Connector
	down      atomic.Bool
}

// reach makes the connector of some addresses; who names the process that connects.
func reach(dsns []string, who string, configure func(*mysql.Config) error, log *slog.Logger) (*nodes, error) {
	n := &nodes{log: log}
	for _, dsn := range dsns {
		config, err := mysql.ParseDSN(dsn)
		if err != nil {
			return nil, fmt.Errorf("the database address cannot be read: %w; it looks like "+
				"user:password@tcp(127.0.0.1:3306)/nimbus, or several of them with commas between", err)
		}
		if err := configure(config); err != nil {
			return nil, err
		}
		connector, err := mysql.NewConnector(config)
		if err != nil {
			return nil, err
		}
		n.list = append(n.list, &node{addr: config.Addr, connector: connector})
	}
	h := fnv.New32a()
	_, _ = h.Write([]byte(who))
	n.preferred = int(h.Sum32() % uint32(len(n.list)))
	n.current.Store(int32(n.preferred))
	ctx, stop := context.WithCancel(context.Background())
	n.stop = stop
	if len(n.list) > 1 {
		n.asking.Go(func() { n.ask(ctx) })
	}
	return n, nil
}

// processName tells this process from others.
func processName() string {
	host, _ := os.Hostname()
	return host + " " + strconv.Itoa(os.Getpid())
}

// Close ends the questions that nodes are asked.
func (n *nodes) Close() error {
	n.stop()
	n.asking.Wait()
	return nil
}

// Driver is the driver of every node.
func (n *nodes) Driver() driver.Driver { return n.list[0].connector.Driver() }

// Connect connects to the first node that serves, from the one that is current on.
func (n *nodes) Connect(ctx context.Context) (driver.Conn, error) {
	var failed error
	start := int(n.current.Load())
	for i := range n.list {
		at := (start + i) % len(n.list)
		conn, err := n.connect(ctx, at)
		if err == nil {
			return conn, nil
		}
		failed = errors.Join(failed, err)
		if ctx.Err() != nil {
			break
		}
	}
	return nil, failed
}

// connect connects to one node, and asks how it is where it is one of several.
func (n *nodes) connect(ctx context.Context, at int) (driver.Conn, error) {
	one := n.list[at]
	if len(n.list) == 1 {
		return one.connector.Connect(ctx)
	}
	asked := ctx
	ctx, cancel := context.WithTimeout(ctx, dialPatience)
	defer cancel()
	notice := func(err error) {
		if !errors.Is(asked.Err(), context.Canceled) { // who asked has left, which says nothing of the node
			n.notice(at, err)
		}
	}
	raw, err := one.connector.Connect(ctx)
	if err != nil {
		notice(err)
		return nil, err
	}
	whole, ok := raw.(wholeConn)
	if !ok {
		_ = raw.Close()
		return nil, errors.New("the database driver lacks what connections of a cluster need")
	}
	if err := serves(ctx, whole); err != nil {
		_ = raw.Close()
		notice(err)
		return nil, err
	}
	notice(nil)
	return &conn{whole, n, int32(at)}, nil
}

// notice keeps how a node is, and which one is to be used from now on.
func (n *nodes) notice(at int, err error) {
	one := n.list[at]
	if was := one.down.Swap(err != nil); was != (err != nil) {
		if err != nil {
			n.log.Warn("a database node does not serve", "node", one.addr, "error", err)
		} else {
			n.log.Info("a database node serves again", "node", one.addr)
		}
	}
	for i := range n.list {
		if next := (n.preferred + i) % len(n.list); !n.list[next].down.Load() {
			n.current.Store(int32(next))
			return
		}
	}
}

// ask asks every node how it is, until the context ends.
func (n *nodes) ask(ctx context.Context) {
	tick := time.NewTicker(askEvery)
	defer tick.Stop()
	for {
		for at := range n.list {
			err := guard.Call("asking a database node", func() error {
				each, cancel := context.WithTimeout(ctx, askPatience)
				defer cancel()
				conn, err := n.connect(each, at)
				if err == nil {
					err = conn.Close()
				}
				return err
			})
			if f := guard.As(err); f != nil {
				n.log.Error("a fault of ours", f.Attrs()...)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// askState asks a node whether it takes writes, whether it is one of a cluster, and how far it is.
const askState = `SELECT CONCAT_WS(' ', IF(@@global.read_only, 'read-only', 'open'),
	IF(@@global.wsrep_on, 'cluster', 'alone'), (SELECT variable_value
	FROM information_schema.global_status WHERE variable_name = 'WSREP_LOCAL_STATE_COMMENT'))`

// serves reports why a node cannot be used: it is read-only, or has not caught up with its cluster.
func serves(ctx context.Context, c wholeConn) error {
	rows, err := c.QueryContext(ctx, askState, nil)
	if err != nil {
		return err
	}
	defer rows.Close()
	row := make([]driver.Value, 1)
	if err := rows.Next(row); err != nil {
		return err
	}
	state := strings.Fields(fmt.Sprintf("%s", row[0]))
	switch {
	case len(state) < 2 || state[0] != "open":
		return errors.New("the node is read-only")
	case state[1] == "cluster" && !slices.Equal(state[2:], []string{"Synced"}):
		return fmt.Errorf("the node is not synced with its cluster: %s", strings.Join(state[2:], " "))
	}
	return nil
}

// wholeConn is what the driver's connections can do.
type wholeConn interface {
	driver.Conn
	driver.ConnBeginTx
	driver.ConnPrepareContext
	driver.ExecerContext
	driver.QueryerContext
	driver.Pinger
	driver.SessionResetter
	driver.Validator
	driver.NamedValueChecker
}

// conn is a connection that is given up when its node is no longer the one to use.
type conn struct {
	wholeConn
	nodes *nodes
	at    int32
}

// IsValid tells the pool whether to keep the connection.
func (c *conn) IsValid() bool { return c.nodes.current.Load() == c.at && c.wholeConn.IsValid() }

// ResetSession is asked before the connection is used again.
func (c *conn) ResetSession(ctx context.Context) error {
	if c.nodes.current.Load() != c.at {
		return driver.ErrBadConn
	}
	return c.wholeConn.ResetSession(ctx)
}
