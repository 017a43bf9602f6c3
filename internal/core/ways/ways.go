// Package ways groups programs that say the same in the same way: texts that differ in layout, comments, redundant
// parentheses, the spelling of literals and the names that their writers chose. A teaching team reads one of each
// group.
//
// It compares texts, not results: two programs that compute the same by other means are two ways. It judges nothing,
// and says nothing of where a program comes from.
package ways

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/notation"
)

// Group is programs that are written in one way.
type Group struct {
	Normal  string // what they have in common
	Members []int  // their places in the list that was given, ascending
}

// Of groups programs, the largest group first; groups of one size by their first members. kept are the names that an
// exercise gives, inputs and outputs, which mean the same in every program.
func Of(programs []string, kept map[string]bool) []Group {
	var out []Group
	at := map[string]int{}
	for i, p := range programs {
		normal := Normal(p, kept)
		j, known := at[normal]
		if !known {
			j = len(out)
			at[normal], out = j, append(out, Group{Normal: normal})
		}
		out[j].Members = append(out[j].Members, i)
	}
	slices.SortStableFunc(out, func(a, b Group) int {
		return cmp.Or(cmp.Compare(len(b.Members), len(a.Members)), cmp.Compare(a.Members[0], b.Members[0]))
	})
	return out
}

// Normal is a program with everything taken out that a way of writing does not depend on. The student's own names
// become `_1`, `_2` in the order in which they appear: names that nobody can write. A text that cannot be parsed keeps
// its words, with its comments and layout taken out.
func Normal(program string, kept map[string]bool) string {
	tree, problems := notation.Parse(program)
	if len(problems) > 0 {
		return bare(program)
	}
	tree = notation.CopyProgram(tree)
	for _, s := range tree.Statements {
		notation.EachExpr(s, func(slot *notation.Expr) { *slot = plain(*slot) })
	}
	own := ownNames(tree, kept)
	count := 0
	renamed := map[string]string{}
	eachVariable(tree.Statements, func(n *notation.Name) {
		if !own[n.Name] {
			return
		}
		to, known := renamed[n.Name]
		if !known {
			count++
			to = "_" + strconv.Itoa(count)
			renamed[n.Name] = to
		}
		n.Name = to
	})
	return notation.Print(tree)
}

// plain is an expression without parentheses of its own, and a literal in one spelling. The printer puts back the
// parentheses that are needed.
func plain(e notation.Expr) notation.Expr {
	e = notation.Strip(e)
	if n, is := e.(*notation.Number); is {
		c := *n
		switch n.Kind {
		case array.Int:
			c.Text = strconv.FormatInt(n.Int, 10)
		case array.Real:
			c.Text = realText(n.Real)
		default:
			c.Text = notation.ImaginaryText(n.Real)
		}
		return &c
	}
	return e
}

func realText(x float64) string {
	text := strconv.FormatFloat(x, 'g', -1, 64)
	if !strings.ContainsAny(text, ".e") {
		text += ".0" // else it would be a whole number
	}
	return text
}

// ownNames are those that a program binds anywhere and that the exercise does not give.
func ownNames(tree *notation.Program, kept map[string]bool) map[string]bool {
	own := map[string]bool{}
	add := func(names ...*notation.Name) {
		for _, n := range names {
			if n != nil && !kept[n.Name] {
				own[n.Name] = true
			}
		}
	}
	for _, s := range tree.Statements {
		notation.Walk(s, func(n notation.Node) bool {
			switch n := n.(type) {
			case *notation.Function:
				add(n.Name)
				add(n.Params...)
			case notation.Statement:
				add(notation.Binds(n)...)
			}
			return true
		})
	}
	return own
}

// eachVariable calls f for every name that stands for a value or a function, in the order of the text: not for the
// names of options and axes.
func eachVariable(list []notation.Statement, f func(*notation.Name)) {
	var visit func(n notation.Node) bool
	visit = func(n notation.Node) bool {
		switch n := n.(type) {
		case *notation.Name:
			f(n)
		case *notation.Option:
			notation.Walk(n.Value, visit)
			return false
		case *notation.Selector:
			notation.EachChild(n, func(c notation.Node) {
				if c != notation.Node(n.Label) {
					notation.Walk(c, visit)
				}
			})
			return false
		}
		return true
	}
	for _, s := range list {
		notation.Walk(s, visit)
	}
}

// bare is a text without comments, blank lines and layout.
func bare(text string) string {
	var out []string
	for line := range strings.Lines(text) {
		line, _, _ = strings.Cut(line, "#")
		if words := strings.Fields(line); len(words) > 0 {
			out = append(out, strings.Join(words, " "))
		}
	}
	return strings.Join(out, "\n") + "\n"
}
