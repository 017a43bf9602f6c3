package schema_test

import (
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"nimbusreach/docs/schema"
	"nimbusreach/internal/core/exercise"
)

type node struct {
	Properties map[string]json.RawMessage `json:"properties"`
	Defs       map[string]node            `json:"$defs"`
	Enum       []any                      `json:"enum"`
}

func read(t *testing.T, name string) node {
	text, err := schema.Files.ReadFile(name)
	require.NoError(t, err)
	var out node
	require.NoError(t, json.Unmarshal(text, &out))
	return out
}

// TestKeysAreTheLoaders compares every mapping of the schema with the loader's table.
func TestKeysAreTheLoaders(t *testing.T) {
	seen := map[string]bool{}
	hold := func(name string, n node) {
		keys := []string{}
		for key := range n.Properties {
			keys = append(keys, key)
		}
		want := slices.Clone(exercise.Keys[name])
		slices.Sort(keys)
		slices.Sort(want)
		assert.Equal(t, want, keys, name)
		seen[name] = true
	}
	for _, file := range []string{"course", "exercise"} {
		root := read(t, file+".json")
		hold(file, root)
		for name, d := range root.Defs {
			if len(d.Properties) > 0 {
				hold(name, d)
			}
		}
	}
	for name := range exercise.Keys {
		assert.True(t, seen[name], "the schema has no `%s`", name)
	}
}

// TestTheDemoCoursesFit compares the demo's own files with the schema.
func TestTheDemoCoursesFit(t *testing.T) {
	compiler := jsonschema.NewCompiler()
	for _, name := range []string{"course.json", "exercise.json"} {
		t.Run(name, func(t *testing.T) {
			file, err := schema.Files.Open(name)
			require.NoError(t, err)
			doc, err := jsonschema.UnmarshalJSON(file)
			require.NoError(t, err)
			require.NoError(t, compiler.AddResource(name, doc))
		})
	}
	checked := 0
	err := filepath.WalkDir(filepath.Join("..", "..", "demo"), func(path string, d fs.DirEntry, err error) error {
		require.NoError(t, err)
		name := filepath.Base(path)
		if name != "course.yaml" && name != "exercise.yaml" {
			return nil
		}
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		var value any
		require.NoError(t, yaml.Unmarshal(text, &value))
		raw, err := json.Marshal(value)
		require.NoError(t, err)
		var plain any
		require.NoError(t, json.Unmarshal(raw, &plain))
		s, err := compiler.Compile(map[string]string{"course.yaml": "course.json", "exercise.yaml": "exercise.json"}[name])
		require.NoError(t, err)
		assert.NoError(t, s.Validate(plain), path)
		checked++
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, checked, 15)
}

// TestTheReferenceOfKeysIsTheTable: the page and the descriptions are what the loader's table says.
func TestTheReferenceOfKeysIsTheTable(t *testing.T) {
	page, err := os.ReadFile("../course-keys.md")
	require.NoError(t, err)
	assert.Equal(t, schema.KeyReference(), string(page), "run `make documents`")
	for _, name := range []string{"course.json", "exercise.json"} {
		text, err := schema.Files.ReadFile(name)
		require.NoError(t, err)
		described, err := schema.Describe(text)
		require.NoError(t, err)
		assert.Equal(t, string(described), string(text), "run `make documents`")
	}
}

// TestEveryExampleIsTaken holds each key's example against the schema's rules for that key.
func TestEveryExampleIsTaken(t *testing.T) {
	compiler := jsonschema.NewCompiler()
	for _, name := range []string{"course.json", "exercise.json"} {
		text, err := schema.Files.ReadFile(name)
		require.NoError(t, err)
		var doc any
		require.NoError(t, json.Unmarshal(text, &doc))
		require.NoError(t, compiler.AddResource(name, doc))
	}
	for _, m := range exercise.Mappings {
		at := "exercise.json#/$defs/" + m.Name
		switch m.Name {
		case "course", "exercise":
			at = m.Name + ".json#"
		case "counting", "team", "grading":
			at = "course.json#/$defs/" + m.Name
		}
		for _, k := range m.Keys {
			t.Run(m.Name+"."+k.Name, func(t *testing.T) {
				assert.NotEmpty(t, k.Type)
				assert.NotEmpty(t, k.Default)
				assert.NotEmpty(t, k.Means)
				rules, err := compiler.Compile(at + "/properties/" + k.Name)
				require.NoError(t, err)
				var given map[string]any
				require.NoError(t, yaml.Unmarshal([]byte(k.Example), &given), k.Example)
				require.Len(t, given, 1)
				require.Contains(t, given, k.Name)
				text, err := json.Marshal(given[k.Name])
				require.NoError(t, err)
				var value any
				require.NoError(t, json.Unmarshal(text, &value))
				assert.NoError(t, rules.Validate(value), k.Example)
			})
		}
	}
}
