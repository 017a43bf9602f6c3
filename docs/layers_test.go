package docs

import (
	"go/build"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// layers lists the packages of the core and the service from the lowest up.
var layers = strings.Fields(`core/guard core/codes core/array core/algebra core/notation core/functions core/dataio
	core/compare core/redraw core/evaluate core/lineage core/shapes core/trying core/exercise core/slips core/smallest
	core/causes
	core/ways core/check core/probe core/advice core/skeletons service/mariadb service/web service/store service/feed
	service/access service/budget
	service/library service/teaching
	service/courses service/queue service/jobs service/desk service/roster
	service/outbox service/api service commands`)

// TestImportsPointDown holds every package to its layer, and the core to itself.
func TestImportsPointDown(t *testing.T) {
	place := map[string]int{}
	for i, l := range layers {
		place["nimbusreach/internal/"+l] = i
	}
	seen := 0
	err := filepath.WalkDir("../internal", func(dir string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		if !d.IsDir() || d.Name() == "dist" || d.Name() == "testdata" {
			return nil
		}
		p, err := build.ImportDir(dir, 0)
		if err != nil {
			return nil // no package of Go
		}
		name := "nimbusreach/" + strings.TrimPrefix(filepath.ToSlash(dir), "../")
		at, ok := place[name]
		require.True(t, ok, "%s stands in no layer", name)
		seen++
		for _, i := range p.Imports {
			if below, ours := place[i]; ours {
				assert.Less(t, below, at, "%s imports %s", name, i)
			}
			if strings.HasPrefix(name, "nimbusreach/internal/core/") {
				for _, not := range []string{"net", "net/http", "database/sql", "os/exec", "gorm.io", "github.com/gofiber",
					"nimbusreach/client", "nimbusreach/internal/service"} {
					assert.False(t, i == not || strings.HasPrefix(i, not+"/"), "%s imports %s", name, i)
				}
			}
			assert.False(t, strings.HasPrefix(i, "testing"), "%s is no test, and imports %s", name, i)
			if strings.HasPrefix(i, "gorm.io") {
				assert.Equal(t, "nimbusreach/internal/service/store", name, "only the store speaks to the database")
			}
		}
		return nil
	})
	require.NoError(t, err)
	assert.Equal(t, len(layers), seen, "every layer is a package")
}

// TestTheArchitecturesPlacesAreThere follows every path that the page names.
func TestTheArchitecturesPlacesAreThere(t *testing.T) {
	text, err := os.ReadFile("architecture.md")
	require.NoError(t, err)
	found := 0
	for i, word := range strings.Split(string(text), "`") {
		if i%2 == 0 || strings.ContainsAny(word, " …<") || !strings.HasPrefix(word, "internal/") && !strings.HasPrefix(word,
			"console/") && !strings.HasPrefix(word, "client/") && !strings.HasPrefix(word, "e2e/") {
			continue
		}
		_, err := os.Stat("../" + word)
		assert.NoError(t, err, word)
		found++
	}
	assert.Greater(t, found, 15)
}
