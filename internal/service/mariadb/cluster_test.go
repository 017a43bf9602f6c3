package mariadb_test

import (
	"context"
	"database/sql"
	"os"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/service/mariadb"
)

// TestAClusterOfThree: what one node takes the others have; one that is killed comes back with it.
func TestAClusterOfThree(t *testing.T) {
	folder, err := os.MkdirTemp("", "nimbus-cluster-") // the nodes' own user must reach it
	require.NoError(t, err)
	require.NoError(t, os.Chmod(folder, 0o755))
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	ctx, cancel := context.WithTimeout(context.Background(), 3*time.Minute)
	defer cancel()
	c, err := mariadb.StartCluster(ctx, folder, 3)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, c.Stop()) })
	open := func(i int) *sql.DB {
		config, err := mysql.ParseDSN(c.Nodes[i].DSN)
		require.NoError(t, err)
		config.Params = map[string]string{"wsrep_sync_wait": "7"} // a node has seen what another has answered
		db, err := sql.Open("mysql", config.FormatDSN())
		require.NoError(t, err)
		t.Cleanup(func() { _ = db.Close() })
		return db
	}
	_, err = open(0).ExecContext(ctx, "CREATE TABLE ropes (id BIGINT UNSIGNED AUTO_INCREMENT PRIMARY KEY, name TEXT)")
	require.NoError(t, err)
	_, err = open(1).ExecContext(ctx, "INSERT INTO ropes (name) VALUES ('north')")
	require.NoError(t, err)
	require.NoError(t, c.Nodes[2].Kill())
	_, err = open(0).ExecContext(ctx, "INSERT INTO ropes (name) VALUES ('south')")
	require.NoError(t, err)
	require.NoError(t, c.Rejoin(ctx, 2))
	again := open(2) // a node that was killed at once after the table was made may still be told of it
	require.EventuallyWithT(t, func(c *assert.CollectT) {
		var n int
		assert.NoError(c, again.QueryRowContext(ctx, "SELECT COUNT(*) FROM ropes").Scan(&n))
		assert.Equal(c, 2, n)
	}, time.Minute, 50*time.Millisecond)
}
