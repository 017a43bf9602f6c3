package notation

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatAScopeBinds(t *testing.T) {
	for _, c := range []struct {
		name, text string
		bound      []string
	}{
		{"assignments, each name once", "a = 1\nb = 2\na = 3", []string{"a", "b"}},
		{"a part, and what it is of", "a[0] = 1\nb += 2", []string{"a", "b"}},
		{"a view binds its name, and not what it is of", "view v = a[rest]", []string{"v"}},
		{"the items of a loop, and what its body binds", "each x, y in a, b {\n  s = x\n}", []string{"x", "y", "s"}},
		{"both branches", "if true {\n  a = 1\n} else {\n  b = 2\n}", []string{"a", "b"}},
		{"a bounded loop", "repeat up to 3 until a > 2 {\n  a = a + 1\n}", []string{"a"}},
		{"a function's names are its own", "function f(p) {\n  q = p\n  return q\n}\na = f(1)", []string{"a"}},
		{"blocks in blocks", "each x in a {\n  if x > 1 {\n    view w = a[rest]\n  }\n}", []string{"x", "w"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, errs := Parse(c.text + "\n")
			require.Empty(t, errs)
			assert.Equal(t, c.bound, Bound(p.Statements))
			names := map[string]bool{c.bound[len(c.bound)-1]: true}
			found := false
			for _, s := range p.Statements {
				found = found || BindsAny(s, names)
			}
			assert.True(t, found)
			assert.False(t, BindsAny(p.Statements[0], map[string]bool{"elsewhere": true}))
		})
	}
}

func TestWhatAStatementAffects(t *testing.T) {
	p, errs := Parse("view v = a[rest]\nb = 1\nb += 1\nb[0] = 1\n")
	require.Empty(t, errs)
	names := func(list []*Name) (out []string) {
		for _, n := range list {
			out = append(out, n.Name)
		}
		return out
	}
	assert.Equal(t, []string{"v", "a"}, names(Affects(p.Statements[0])),
		"what is written into a view is written into what it is of")
	assert.Equal(t, []string{"v"}, names(Binds(p.Statements[0])))
	assert.Equal(t, []string{"b"}, names(Affects(p.Statements[1])))
	assert.True(t, p.Statements[1].(*Assign).IsWhole())
	assert.False(t, p.Statements[2].(*Assign).IsWhole())
	assert.False(t, p.Statements[3].(*Assign).IsWhole())
}

func TestAliasesAndWrites(t *testing.T) {
	for _, c := range []struct {
		name, text, write string
		aliases           []string
	}{
		{"itself", "x[0] = 1", "x[0] = 1", []string{"x"}},
		{"a copy is none", "y = x\ny[0] = 1", "", []string{"x"}},
		{"a view", "view v = x[rest]\nv[0] = 1", "v[0] = 1", []string{"x", "v"}},
		{"a view of a view", "view v = x[rest]\nview w = v[0 to 1]\nw[0] = 1", "w[0] = 1", []string{"x", "v", "w"}},
		{"a view that is bound later in the text", "each k in y {\n  if k > 1 {\n    w[0] = k\n  }\n  view w = v[rest]\n" +
			"  view v = x[rest]\n}", "w[0] = k", []string{"x", "v", "w"}},
		{"the first of several", "view v = x[rest]\nx[1] = 2\nv[0] = 1", "x[1] = 2", []string{"x", "v"}},
		{"a rebinding writes into no cells", "x = 3", "", []string{"x"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, errs := Parse(c.text + "\n")
			require.Empty(t, errs)
			aliases := p.Aliases("x")
			assert.Len(t, aliases, len(c.aliases))
			for _, name := range c.aliases {
				assert.True(t, aliases[name], name)
			}
			write := ""
			if s := p.FirstWrite("x"); s != nil {
				write = PrintStatement(s)
			}
			assert.Equal(t, c.write, write)
		})
	}
}
