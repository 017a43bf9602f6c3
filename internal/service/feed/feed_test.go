package feed_test

import (
	"context"
	"database/sql"
	"io"
	"log/slog"
	"os"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/e2e/testdb"
	"nimbusreach/internal/service/feed"
	"nimbusreach/internal/service/store"
)

func TestMain(m *testing.M) { os.Exit(testdb.Main(m)) }

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// TestWhatCommitsLateIsHeardOnce: a transaction that took its id first and commits last is heard, and
// nothing is heard twice, nor what was there before.
func TestWhatCommitsLateIsHeardOnce(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	dsn := testdb.New(t)
	s, err := store.Open(ctx, dsn, nil)
	require.NoError(t, err)
	defer s.Close()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	change := func(on interface {
		ExecContext(context.Context, string, ...any) (sql.Result, error)
	}, subject int) {
		_, err := on.ExecContext(ctx, "INSERT INTO changes (subject, kind, created_at) VALUES (?, 'job', NOW(6))", subject)
		require.NoError(t, err)
	}
	change(db, 1)
	f := feed.New(s, quiet)
	heard := make(chan uint64, 1000)
	f.Hear(func(c store.Change) { heard <- *c.Subject })
	require.NoError(t, f.Begin(ctx))
	late, err := db.BeginTx(ctx, nil)
	require.NoError(t, err)
	change(late, 2)
	ended := make(chan struct{})
	go func() { f.Run(ctx); close(ended) }()
	next := func() uint64 {
		select {
		case n := <-heard:
			return n
		case <-time.After(time.Minute):
			t.Fatal("nothing was heard")
			return 0
		}
	}
	for i := range 300 { // further than the short way that is looked back often
		change(db, 100+i)
	}
	for i := range 300 {
		assert.EqualValues(t, 100+i, next())
	}
	require.NoError(t, late.Commit())
	assert.EqualValues(t, 2, next())
	change(db, 3)
	assert.EqualValues(t, 3, next())
	time.Sleep(1200 * time.Millisecond) // it looks far back meanwhile
	assert.Empty(t, heard)
	stop()
	<-ended
}
