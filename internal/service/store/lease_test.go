package store

import (
	"context"
	"database/sql"
	"errors"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
)

// TestALeaseIsHeldByOne: whoever comes second waits, and has it when the first is done.
func TestALeaseIsHeldByOne(t *testing.T) {
	ctx := context.Background()
	s, err := Open(ctx, testdb.New(t), nil)
	require.NoError(t, err)
	defer s.Close()
	var mu sync.Mutex
	var wg sync.WaitGroup
	inside, most := 0, 0
	for range 6 {
		wg.Go(func() {
			assert.NoError(t, hold(ctx, s.pool, "sweep", func(ctx context.Context) error {
				mu.Lock()
				inside++
				most = max(most, inside)
				mu.Unlock()
				time.Sleep(10 * time.Millisecond)
				mu.Lock()
				inside--
				mu.Unlock()
				return ctx.Err()
			}))
		})
	}
	wg.Wait()
	assert.Equal(t, 1, most)

	// What a process that died held is another's once its time has run out.
	_, err = s.pool.ExecContext(ctx, "UPDATE leases SET owner = 'dead', until = NOW(6) + INTERVAL 300000 MICROSECOND")
	require.NoError(t, err)
	began := time.Now()
	boom := errors.New("boom")
	assert.ErrorIs(t, hold(ctx, s.pool, "sweep", func(context.Context) error { return boom }), boom)
	assert.GreaterOrEqual(t, time.Since(began), 200*time.Millisecond)
	short, cancel := context.WithTimeout(ctx, 150*time.Millisecond)
	defer cancel()
	_, err = s.pool.ExecContext(ctx, "UPDATE leases SET owner = 'alive', until = NOW(6) + INTERVAL 1 HOUR")
	require.NoError(t, err)
	assert.ErrorIs(t, hold(short, s.pool, "sweep", func(context.Context) error { return nil }), context.DeadlineExceeded)
}

// schema is how every table was made.
func schema(t *testing.T, db *sql.DB) map[string]string {
	t.Helper()
	rows, err := db.Query("SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() AND " +
		"table_name <> 'goose_db_version'")
	require.NoError(t, err)
	defer rows.Close()
	var names []string
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		names = append(names, name)
	}
	require.NoError(t, rows.Err())
	out := map[string]string{}
	for _, name := range names {
		var same, text string
		require.NoError(t, db.QueryRow("SHOW CREATE TABLE "+name).Scan(&same, &text))
		out[name] = text
	}
	return out
}

// TestMigrationsMayRunAgain: a process that dies in the middle leaves steps that another makes once
// more.
func TestMigrationsMayRunAgain(t *testing.T) {
	ctx := context.Background()
	dsn := testdb.New(t)
	s, err := Open(ctx, dsn, nil)
	require.NoError(t, err)
	before := schema(t, s.sql)
	assert.Contains(t, before, "leases")
	_, err = s.sql.Exec("DELETE FROM goose_db_version WHERE version_id > 0")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	s, err = Open(ctx, dsn, nil)
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, before, schema(t, s.sql))
}
