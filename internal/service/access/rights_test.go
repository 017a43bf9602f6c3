package access

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/service/store"
)

// TestRights is the whole table, role by action, written out once more.
func TestRights(t *testing.T) {
	for _, c := range []struct {
		action                                    Action
		student, assistant, instructor, operators bool
	}{
		{See, true, true, true, false},
		{HandIn, true, true, true, false},
		{SeeTeam, false, true, true, false},
		{ListPeople, false, true, true, true},
		{Author, false, false, true, false},
		{SetRoles, false, false, true, true},
		{SeeContact, false, false, true, true},
		{GiveTime, false, false, true, false},
		{Archive, false, false, true, true},
		{AdjustGrades, false, true, true, false},
		{WriteNotes, false, true, true, false},
		{MakeCourse, false, false, true, true},
		{MakeAccounts, false, false, false, true},
		{ManageAccounts, false, false, false, true},
		{RunService, false, false, false, true},
	} {
		t.Run(string(c.action), func(t *testing.T) {
			assert.Contains(t, rights, c.action)
			assert.Equal(t, c.student, Allows(store.Student, c.action), "student")
			assert.Equal(t, c.assistant, Allows(store.Assistant, c.action), "assistant")
			assert.Equal(t, c.instructor, Allows(store.Instructor, c.action), "instructor")
			assert.Equal(t, c.operators, Allows(operator, c.action), "operator")
			assert.False(t, Allows("", c.action), "nobody")
			assert.False(t, Allows("headmaster", c.action), "a role that is not known")
		})
	}
	assert.Len(t, rights, 15, "an action that this table lacks")
	assert.NotContains(t, Roles, operator, "nobody is made operator of a course")
}

// TestRolesAreComparedHereAlone reads the service's sources: which role may do what stands
// in the table, and in no condition elsewhere.
func TestRolesAreComparedHereAlone(t *testing.T) {
	for _, dir := range []string{"../api", "../courses", "../desk", "../library", "../queue", "../jobs", "../feed",
		"../outbox"} {
		t.Run(dir, func(t *testing.T) {
			err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
				if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
					return err
				}
				text, err := os.ReadFile(path)
				require.NoError(t, err)
				file, err := parser.ParseFile(token.NewFileSet(), path, text, 0)
				require.NoError(t, err)
				ast.Inspect(file, func(n ast.Node) bool {
					x, ok := n.(*ast.SelectorExpr)
					if !ok {
						return true
					}
					if of, ok := x.X.(*ast.Ident); ok && of.Name == "store" {
						assert.False(t, slices.Contains([]string{"Student", "Assistant", "Instructor"}, x.Sel.Name),
							"%s decides by a role", path)
					}
					return true
				})
				return nil
			})
			require.NoError(t, err)
		})
	}
}
