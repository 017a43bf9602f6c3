package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"time"
)

// A lease is a row that one process holds for a while: locks of one database node are not seen by
// the others, rows are.

const (
	leaseLife  = 15 * time.Second // without a sign of its holder
	leaseBeat  = 4 * time.Second
	leaseRetry = 100 * time.Millisecond
)

const leaseTable = `CREATE TABLE IF NOT EXISTS leases (
	name VARCHAR(60) NOT NULL PRIMARY KEY,
	owner VARCHAR(60) NOT NULL,
	until DATETIME(6) NOT NULL
) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin`

// hold waits for a lease, runs f while it is kept, and gives it back. The context of f ends when
// the lease is lost.
func hold(ctx context.Context, db *pool, name string, f func(context.Context) error) error {
	owner := make([]byte, 12)
	if _, err := rand.Read(owner); err != nil {
		return err
	}
	l := &lease{db: db, name: name, owner: hex.EncodeToString(owner)}
	for {
		got, err := l.take(ctx)
		if err != nil {
			return err
		}
		if got {
			break
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(leaseRetry):
		}
	}
	held, lost := context.WithCancel(ctx)
	defer lost()
	beating := make(chan struct{})
	go func() {
		defer close(beating)
		l.beat(held, lost)
	}()
	err := f(held)
	lost()
	<-beating
	_, free := db.ExecContext(context.WithoutCancel(ctx), "UPDATE leases SET until = NOW(6) WHERE name = ? AND owner = ?",
		name, l.owner)
	if err == nil {
		err = free
	}
	return err
}

// Turn reports whether it is this process's turn to do what is done once in a while, by one process of
// all: it is when nobody has had it for so long.
func (s *Store) Turn(ctx context.Context, name string, every time.Duration) (bool, error) {
	raw := make([]byte, 12)
	if _, err := rand.Read(raw); err != nil {
		return false, err
	}
	l := &lease{db: s.pool, name: "turn " + name, owner: hex.EncodeToString(raw)}
	return l.takeFor(ctx, every)
}

type lease struct {
	db          *pool
	name, owner string
}

// take takes the lease when nobody holds it, or keeps it; false when it is another's.
func (l *lease) take(ctx context.Context) (bool, error) { return l.takeFor(ctx, leaseLife) }

func (l *lease) takeFor(ctx context.Context, life time.Duration) (bool, error) {
	if _, err := l.db.ExecContext(ctx, "INSERT IGNORE INTO leases (name, owner, until) VALUES (?, '', '2000-01-01')",
		l.name); err != nil {
		return false, err
	}
	_, err := l.db.ExecContext(ctx, "UPDATE leases SET owner = ?, until = NOW(6) + INTERVAL ? MICROSECOND "+
		"WHERE name = ? AND (owner = ? OR until < NOW(6))", l.owner, life.Microseconds(), l.name, l.owner)
	if err != nil {
		return false, err
	}
	// What is asked is the row and not the count: a write that was run again may have counted before.
	var holder string
	rows, err := l.db.QueryContext(ctx, "SELECT owner FROM leases WHERE name = ? AND until > NOW(6)", l.name)
	if err != nil {
		return false, err
	}
	defer rows.Close()
	for rows.Next() {
		if err := rows.Scan(&holder); err != nil {
			return false, err
		}
	}
	return holder == l.owner, rows.Err()
}

// beat keeps the lease until the context ends, and calls lost when it is another's.
func (l *lease) beat(ctx context.Context, lost func()) {
	tick := time.NewTicker(leaseBeat)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if got, err := l.take(ctx); err == nil && !got {
			lost()
			return
		}
	}
}

// makeLeases makes the table of leases, which migrations themselves need.
func makeLeases(ctx context.Context, db *pool) error {
	_, err := db.ExecContext(ctx, leaseTable)
	return err
}
