package codes_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
)

// constants reads the typed constants out of the package's own source.
func constants(t *testing.T) map[codes.Code]string {
	t.Helper()
	out := map[codes.Code]string{}
	names, err := filepath.Glob("*.go")
	require.NoError(t, err)
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			spec, ok := n.(*ast.ValueSpec)
			if !ok {
				return true
			}
			if kind, ok := spec.Type.(*ast.Ident); !ok || kind.Name != "Code" {
				return true
			}
			text, err := strconv.Unquote(spec.Values[0].(*ast.BasicLit).Value)
			require.NoError(t, err)
			out[codes.Code(text)] = spec.Names[0].Name
			return true
		})
	}
	return out
}

func TestEveryConstantHasOneEntry(t *testing.T) {
	all := constants(t)
	require.Greater(t, len(all), 100)
	seen := map[codes.Code]bool{}
	for _, e := range codes.Table {
		assert.False(t, seen[e.Code], "%s has two entries", e.Code)
		assert.Contains(t, all, e.Code, "an entry without a constant")
		seen[e.Code] = true
	}
	for code, name := range all {
		assert.True(t, seen[code], "the constant %s has no entry", name)
	}
}

func TestEveryEntryIsWhole(t *testing.T) {
	for _, e := range codes.Table {
		t.Run(string(e.Code), func(t *testing.T) {
			assert.True(t, e.Code.Is(e.Kind))
			assert.Contains(t, codes.Kinds, e.Kind)
			assert.NotEmpty(t, e.Words)
			assert.False(t, strings.HasSuffix(e.Words, "."), "words are a part of a sentence")
			assert.NotContains(t, e.Words, "or the reverse")
			assert.True(t, strings.HasSuffix(e.When, "."), "when is a sentence")
			assert.NotEmpty(t, e.Example)
			switch {
			case e.Kind != codes.Cause:
				assert.Empty(t, e.Question)
			case e.Code != codes.Foreseen:
				assert.Contains(t, e.Question, "?", "to the student a cause is a question")
			}
		})
	}
}

func TestLookupAndRank(t *testing.T) {
	e, ok := codes.Lookup(codes.AxisOther)
	assert.True(t, ok)
	assert.Equal(t, codes.Cause, e.Kind)
	assert.Equal(t, "worked over or along another axis", codes.AxisOther.Words())
	assert.Less(t, codes.AxisOther.Rank(), codes.SignFlipped.Rank())
	_, ok = codes.Lookup("axis.nowhere")
	assert.False(t, ok)
	assert.Empty(t, codes.Code("axis.nowhere").Words())
	assert.False(t, codes.Code("axis.nowhere").Is(codes.Cause))
	assert.Equal(t, len(codes.Table), codes.Code("axis.nowhere").Rank())
	assert.NotContains(t, codes.OfRun(), codes.TextName)
	assert.Contains(t, codes.Strings(codes.OfRun()), "shape.broadcast")
}

// TestNoCodeIsALiteral holds that production code names codes by their constants.
func TestNoCodeIsALiteral(t *testing.T) {
	all := constants(t)
	skip := []string{"node_modules", ".git", "codes", "dist", "testdata"}
	root := os.DirFS("../../..")
	err := fs.WalkDir(root, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			if slices.Contains(skip, d.Name()) {
				return fs.SkipDir
			}
			return err
		}
		// The ideas of explain refer to words of every sort, codes among them.
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasSuffix(path, "concepts.go") {
			return nil
		}
		text, err := fs.ReadFile(root, path)
		if err != nil {
			return err
		}
		positions := token.NewFileSet()
		file, err := parser.ParseFile(positions, path, text, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			lit, ok := n.(*ast.BasicLit)
			if !ok || lit.Kind != token.STRING {
				return true
			}
			value, _ := strconv.Unquote(lit.Value)
			if name := all[codes.Code(value)]; name != "" && strings.ContainsAny(value, ".-") {
				t.Errorf("%s: write codes.%s for %s", positions.Position(lit.Pos()), name, lit.Value)
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
}
