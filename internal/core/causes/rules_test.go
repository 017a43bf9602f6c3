package causes

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/notation"
)

// grownSlowly adds what names come from by going through all statements until nothing is added.
func grownSlowly(p *notation.Program, names map[string]bool) {
	for grown := true; grown; {
		grown = false
		for _, s := range p.Statements {
			v, view := s.(*notation.View)
			if !notation.BindsAny(s, names) && (!view || !names[v.Of.Name]) {
				continue
			}
			notation.Walk(s, func(n notation.Node) bool {
				if x, ok := n.(*notation.Name); ok && !names[x.Name] {
					names[x.Name], grown = true, true
				}
				return true
			})
		}
	}
}

// TestGrowFindsAllThatNamesComeFrom compares with the slow way, on programs of random assignments, views, loops and
// branches.
func TestGrowFindsAllThatNamesComeFrom(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	name := func() string { return string(rune('a' + r.IntN(9))) }
	far := 0
	for range 300 {
		var b strings.Builder
		for k := range 9 {
			fmt.Fprintf(&b, "%c = x + %d\n", 'a'+k, k)
		}
		for range r.IntN(8) {
			switch r.IntN(5) {
			case 0:
				fmt.Fprintf(&b, "view v%s = %s[all]\nv%[1]s[0] = sum(%[3]s)\n", name(), name(), name())
			case 1:
				fmt.Fprintf(&b, "each k in %s {\n  %s = k * %s\n}\n", name(), name(), name())
			case 2:
				fmt.Fprintf(&b, "if max(%s) > 1 {\n  %s[0] += 1\n} else {\n  %s = %s\n}\n", name(), name(), name(), name())
			default:
				fmt.Fprintf(&b, "%s = %s - %s\n", name(), name(), name())
			}
		}
		p := parsed(t, b.String())
		fast, slow := map[string]bool{"a": true}, map[string]bool{"a": true}
		grow(p, fast)
		grownSlowly(p, slow)
		assert.Equal(t, slow, fast, b.String())
		far = max(far, len(fast))
	}
	assert.Greater(t, far, 6)
}
