package ways_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/causes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/ways"
)

var kept = map[string]bool{"growth": true, "per_rope": true}

func Example() {
	programs := []string{
		"per_rope = mean(growth over [week, depth])",
		"m = mean(growth over [week, depth])  # by hand\nper_rope = m",
		"result=(mean(growth over [week, depth]))\nper_rope = result",
	}
	for _, g := range ways.Of(programs, map[string]bool{"growth": true, "per_rope": true}) {
		fmt.Printf("%d wrote\n%s", len(g.Members), g.Normal)
	}
	// Output:
	// 2 wrote
	// _1 = mean(growth over [week, depth])
	// per_rope = _1
	// 1 wrote
	// per_rope = mean(growth over [week, depth])
}

func TestWhatIsOneWay(t *testing.T) {
	one := func(a, b string) {
		t.Helper()
		assert.Equal(t, ways.Normal(a, kept), ways.Normal(b, kept), "%q and %q", a, b)
	}
	two := func(a, b string) {
		t.Helper()
		assert.NotEqual(t, ways.Normal(a, kept), ways.Normal(b, kept), "%q and %q", a, b)
	}
	one("x = growth[0]\nper_rope = x", "y   =  growth[0]\n\n# then\nper_rope = y")
	one("per_rope = growth * 1000.0", "per_rope = growth * 1e3")
	one("per_rope = (growth + 1)", "per_rope = growth + 1")
	one("each r in growth along rope { per_rope = r }", "each line in growth along rope {\n  per_rope = line\n}")
	one("function f(a) = a + 1\nper_rope = f(growth)", "function g(b) = b + 1\nper_rope = g(growth)")
	two("per_rope = growth * 1000", "per_rope = growth * 1000.0")                             // another kind
	two("per_rope = (growth + 1) * 2", "per_rope = growth + 1 * 2")                           // another tree
	two("x = growth\ny = x\nper_rope = x", "x = growth\ny = x\nper_rope = y")                 // another name
	two("per_rope = mean(growth over week)", "per_rope = mean(growth over rope)")             // another axis
	two("growth = 1\nper_rope = growth", "other = 1\nper_rope = other")                       // an input's name
	two("per_rope = growth[rope: 0]", "per_rope = growth[depth: 0]")                          // another label
	two("rope = 1\nper_rope = growth[rope: rope]", "rope = 1\nper_rope = growth[week: rope]") // a name like a label
	one("rope = 1\nper_rope = growth[rope: rope]", "r = 1\nper_rope = growth[rope: r]")
}

func TestTextsThatCannotBeParsed(t *testing.T) {
	assert.Equal(t, ways.Normal("per_rope = (growth\n", kept), ways.Normal("per_rope  =  (growth  # here", kept))
	assert.NotEqual(t, ways.Normal("per_rope = (growth", kept), ways.Normal("per_rope = (growt", kept))
	assert.NotPanics(t, func() { ways.Normal("\x00\xff }{ [[", kept) })
}

// TestLayoutOfTheCorpus: whatever a program of the corpus says, its layout and comments are no other way of writing.
func TestLayoutOfTheCorpus(t *testing.T) {
	samples, err := causes.Corpus()
	require.NoError(t, err)
	checked := 0
	for _, s := range samples {
		tree, problems := notation.Parse(s.Program)
		if len(problems) > 0 {
			continue
		}
		text := strings.ReplaceAll(notation.Print(tree), "\n", "   # said so\n\n")
		require.Equal(t, ways.Normal(s.Program, nil), ways.Normal(text, nil), s.Program)
		checked++
	}
	assert.Greater(t, checked, 100)
}

func FuzzNormal(f *testing.F) {
	f.Add("per_rope = mean(growth over [week, depth])")
	f.Add("function f(a) = a\nx = f(-1e400)")
	f.Fuzz(func(t *testing.T, text string) {
		if normal := ways.Normal(text, kept); normal == "" && strings.TrimSpace(text) != "" {
			if tree, problems := notation.Parse(text); len(problems) > 0 || len(tree.Statements) > 0 {
				t.Errorf("%q has no normal form", text)
			}
		}
	})
}
