package mariadb_test

import (
	"context"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/service/mariadb"
)

// TestAFolderIsOnesOwn: a second start in a folder harms nothing of the first, and may
// begin when that has ended.
func TestAFolderIsOnesOwn(t *testing.T) {
	ctx := context.Background()
	folder := t.TempDir()
	first, err := mariadb.Start(ctx, folder)
	require.NoError(t, err)
	_, err = mariadb.Start(ctx, folder)
	var used *mariadb.InUse
	require.ErrorAs(t, err, &used)
	assert.Equal(t, os.Getpid(), used.PID)
	_, err = first.Database(ctx, "still_there")
	require.NoError(t, err, "the first goes on")
	require.NoError(t, first.Stop())
	second, err := mariadb.Start(ctx, folder)
	require.NoError(t, err)
	assert.Equal(t, first.DSN, second.DSN, "what knew the first finds the second")
	require.NoError(t, second.Stop())
}
