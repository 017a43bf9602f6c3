package e2e

import (
	"io"
	"io/fs"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/exercise"
)

func quiet() *slog.Logger { return slog.New(slog.NewTextHandler(io.Discard, nil)) }

// allFiles lists the files of a packed course.
func allFiles(t *testing.T, archive []byte) []string {
	t.Helper()
	folder, err := exercise.Unpack(archive)
	require.NoError(t, err)
	var out []string
	require.NoError(t, fs.WalkDir(folder, ".", func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			out = append(out, path)
		}
		return err
	}))
	return out
}
