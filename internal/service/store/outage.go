package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"strings"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"
)

// driverLog passes on what the driver has to say.
type driverLog struct{ log *slog.Logger }

func (d driverLog) Print(v ...any) {
	d.log.Debug("database driver", "says", strings.TrimSpace(fmt.Sprint(v...)))
}

// outage logs once that the database is away, and once that it is back.
type outage struct {
	log   *slog.Logger
	mu    sync.Mutex
	since time.Time // zero while it answers
}

// Away reports whether an error is the database's absence. The first is logged, and what
// answers after it; nil says that the database answered.
func (s *Store) Away(err error) bool {
	o := s.outage
	away := isAbsence(err)
	o.mu.Lock()
	defer o.mu.Unlock()
	switch {
	case away && o.since.IsZero():
		o.since = time.Now()
		o.log.Error("the database does not answer", "error", err)
	case err == nil && !o.since.IsZero():
		o.log.Info("the database answers again", "away", time.Since(o.since).Round(time.Millisecond).String())
		o.since = time.Time{}
	}
	return away
}

// isAbsence reports whether an error says that no database answered.
func isAbsence(err error) bool {
	var network net.Error
	var refused *mysql.MySQLError
	switch {
	case err == nil, errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return false
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.Is(err, io.EOF),
		errors.As(err, &network):
		return true
	case errors.As(err, &refused):
		return refused.Number == 1053 || refused.Number == 1927 || refused.Number == 1152
	}
	return false
}
