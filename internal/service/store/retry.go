package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// usualPatience is how long a statement or transaction that the database refuses is run again.
const usualPatience = 10 * time.Second

// ErrBusy says that the database refused a transaction for as long as it is run again.
var ErrBusy = errors.New("the database could not carry it out in time")

// Refusals that say nothing of the transaction itself: another one was in its way, or the node was
// not ready to carry it out. It has left nothing behind, and may be run again.
var refusals = map[uint16]bool{
	1047: true, // the node is not ready for use
	1180: true, // an error during commit: the cluster did not take it
	1205: true, // a lock was waited for too long
	1213: true, // a deadlock, or another node's transaction was certified before
	1290: true, // the node has become read-only
}

// duplicate is the error of a row that there is already, by a unique key.
const duplicate = 1062

// isDuplicate reports whether there is such a row already.
func isDuplicate(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && e.Number == duplicate
}

// refused reports whether an error says that a transaction was not carried out and may be run again. An id
// that the database itself chose and that is taken is one: while nodes leave a cluster or come back, two
// may choose alike.
func refused(err error) bool {
	var e *mysql.MySQLError
	return errors.As(err, &e) && (refusals[e.Number] || e.Number == duplicate && strings.HasSuffix(e.Message,
		"for key 'PRIMARY'"))
}

// pool is the connections. Single statements are run again when the database refuses them; one whose
// connection is lost only if it reads: nobody knows of another whether it was carried out.
type pool struct {
	*sql.DB
	patience time.Duration
}

// again runs f, and runs it again while the database refuses it or does not answer.
func (p *pool) again(ctx context.Context, f func() error) error {
	deadline := time.Now().Add(p.patience)
	for pause := 2 * time.Millisecond; ; pause = min(2*pause, 500*time.Millisecond) {
		err := f()
		if !refused(err) && !isAbsence(err) {
			return err
		}
		wait := pause/2 + rand.N(pause)
		if time.Now().Add(wait).After(deadline) {
			return fmt.Errorf("%w: %w", ErrBusy, err)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(wait):
		}
	}
}

// ExecContext runs a statement that writes.
func (p *pool) ExecContext(ctx context.Context, query string, args ...any) (out sql.Result, err error) {
	var lost error
	err = p.again(ctx, func() error {
		out, err = p.DB.ExecContext(ctx, query, args...)
		if isAbsence(err) {
			lost = err
			return nil
		}
		return err
	})
	return out, errors.Join(err, lost)
}

// QueryContext runs a statement that reads.
func (p *pool) QueryContext(ctx context.Context, query string, args ...any) (rows *sql.Rows, err error) {
	err = p.again(ctx, func() error {
		rows, err = p.DB.QueryContext(ctx, query, args...) //nolint:rowserrcheck // whoever reads the rows asks
		return err
	})
	return rows, err
}

// GetDBConn is what lies beneath, for GORM.
func (p *pool) GetDBConn() (*sql.DB, error) { return p.DB, nil }
