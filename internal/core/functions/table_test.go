package functions

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
)

// TestEveryEntryIsWhole names the part that an entry of the table lacks.
func TestEveryEntryIsWhole(t *testing.T) {
	seen := map[string]bool{}
	for i, topic := range entries {
		for _, f := range topic {
			t.Run(f.Name, func(t *testing.T) {
				assert.False(t, seen[f.Name], "two functions are called so")
				seen[f.Name] = true
				assert.Same(t, f, Lookup(f.Name))
				assert.Equal(t, Topics[i], f.Topic, "it stands in the table of another topic")
				assert.True(t, strings.HasPrefix(f.Signature, f.Name+"("), "signature")
				assert.True(t, strings.HasSuffix(f.Doc, "."), "doc: a sentence")
				assert.NotEmpty(t, f.Shape, "shape, in words")
				assert.NotNil(t, f.Rule, "shape rule")
				assert.NotNil(t, f.Run, "run")
				assert.NotEmpty(t, f.Relatives, "relatives")
				assert.NotEmpty(t, f.Keywords(), "keywords")
				for _, r := range f.Relatives {
					assert.NotNil(t, Lookup(r), "the relative %s", r)
				}
				program, errs := notation.Parse("x = " + f.Example)
				require.Empty(t, errs, "example")
				called := false
				notation.Walk(program.Statements[0], func(n notation.Node) bool {
					if c, ok := n.(*notation.Call); ok && c.Name.Name == f.Name {
						called = true
						assert.Nil(t, f.CheckCall(c), "the example's call")
					}
					return true
				})
				assert.True(t, called, "the example calls it")
			})
		}
	}
	assert.Len(t, Names(), len(seen))
}

// TestCallsAreChecked refuses wrong arguments, clauses and options before any run.
func TestCallsAreChecked(t *testing.T) {
	for _, c := range []struct{ name, call, message, hint string }{
		{"too few arguments", "percentile([1])", "`percentile` takes 2 arguments and got 1", "percentile(x, 25 over AXES)"},
		{"too many arguments", "sqrt(1, 2)", "`sqrt` takes 1 argument and got 2", "sqrt(x)"},
		{"a range of arguments", "correlation()", "takes 1 to 2 arguments and got 0", "correlation"},
		{"a clause for none", "sqrt([1] over 0)", "`sqrt` takes no `over`", "sqrt(x)"},
		{"the other clause", "sum([1] along 0)", "`sum` takes `over`, not `along`", "over AXES"},
		{"several axes to go along", "sort([1] along [0, 1])", "works along one axis", "name one axis"},
		{"an unknown option", "sum([1], kep: true)", "has no option `kep`", "`keep`"},
		{"an option of a function without", "sqrt([1], base: 2)", "has no option `base`", "it takes none"},
		{"an option twice", "sum([1], keep: true, keep: false)", "the option `keep` occurs twice", "take one out"},
		{"a word that is none", "reshape([1], [1], fill: colums)", "takes a word, one of `rows`, `columns`", "`columns`"},
	} {
		t.Run(c.name, func(t *testing.T) {
			program, errs := notation.Parse("x = " + c.call)
			require.Empty(t, errs)
			call := program.Statements[0].(*notation.Assign).Value.(*notation.Call)
			d := Lookup(call.Name.Name).CheckCall(call)
			require.NotNil(t, d)
			assert.Equal(t, codes.TextCall, d.Code)
			assert.Contains(t, d.Message, c.message)
			assert.Contains(t, d.Hint, c.hint)
		})
	}
}
