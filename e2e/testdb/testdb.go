// Package testdb gives tests a real MariaDB: one private instance for a test
// binary, and an empty database of its own for each test.
package testdb

import (
	"context"
	"fmt"
	"os"
	"sync/atomic"
	"testing"
	"time"

	"nimbusreach/internal/service/mariadb"
)

var (
	server *mariadb.Server
	count  atomic.Int64
)

// Main runs a test binary with an instance beside it; call it from TestMain.
func Main(m *testing.M) int {
	folder, err := os.MkdirTemp("", "nimbus-test-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(folder)
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	if server, err = mariadb.Start(ctx, folder); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer func() { _ = server.Stop() }()
	return m.Run()
}

// New makes an empty database and returns its data source name.
func New(t testing.TB) string {
	t.Helper()
	dsn, err := server.Database(context.Background(), fmt.Sprintf("test_%d", count.Add(1)))
	if err != nil {
		t.Fatal(err)
	}
	return dsn
}
