package causes

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/notation"
)

// TestAnAttemptIsWrittenOut: names that stand once and calls of one's own functions, as far as that leaves the program
// what it is.
func TestAnAttemptIsWrittenOut(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"a name that stands once", "a = x + 1\ny = a * 2\n", "y = (x + 1) * 2\n"},
		{"a chain of them", "a = x + 1\nb = sqrt(a)\ny = b / 2\n", "y = sqrt(x + 1) / 2\n"},
		{"a name that stands twice", "a = x + 1\ny = a * a\n", ""},
		{"what is asked for stays", "y = x + 1\nz = y * 2\n", ""},
		{"what a property speaks of stays", "held = x + 1\ny = held * 2\n", ""},
		{"a function", "function f(a, b) = a - b\ny = f(x, 2) ^ 2\n", "y = (x - 2) ^ 2\nfunction f(a, b) = a - b\n"},
		{"a function that calls one", "function f(a) = a + 1\nfunction g(a) = 2 * f(a)\ny = g(x)\n",
			"y = 2 * (x + 1)\nfunction f(a) = a + 1\nfunction g(a) = 2 * f(a)\n"},
		{"a body of assignments", "function f(a) {\n  m = mean(a)\n  return a - m\n}\ny = f(x)\n",
			"y = x - mean(x)\nfunction f(a) {\n  m = mean(a)\n  return a - m\n}\n"},
		{"a body with a loop", "function f(a) {\n  s = 0\n  each k in a {\n    s += k\n  }\n  return s\n}\ny = f(x)\n", ""},
		{"a wrong number of arguments", "function f(a, b) = a - b\ny = x\n", ""},
		{"a function that calls itself", "function f(a) = f(a)\ny = 1\n", ""},
		{"a name that is bound again", "a = x\na = a + 1\ny = a\n", ""},
		{"an input that is bound again", "x = x + 1\ny = x\n", ""},
		{"a loop", "y = 0\neach k in x {\n  y += k\n}\n", ""},
		{"a part of a name", "y = x\ny[0] = 1\n", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			q := asked(t, "y = 1\n")
			q.Material.Inputs = []string{"x"}
			holds, errs := notation.ParseExpression("all(held > 0)")
			require.Empty(t, errs)
			property := holds.Statements[0].(*notation.Assign).Value
			q.Targets = append(q.Targets, Target{Name: "the property", Holds: property})
			f := &finder{q: q, program: parsed(t, c.text), size: 100}
			got := f.expanded()
			if c.want == "" {
				assert.Nil(t, got)
				return
			}
			require.NotNil(t, got)
			assert.Equal(t, c.want, notation.Print(got))
			assert.Equal(t, c.text, notation.Print(f.program), "the attempt itself stays")
		})
	}
}

// TestWhatIsWrittenOutIsBounded: functions that call themselves, and names that stand often in functions within
// functions, would make texts of any length.
func TestWhatIsWrittenOutIsBounded(t *testing.T) {
	for _, text := range []string{
		"function f(a) = f(a + 1) + f(a - 1)\ny = f(3)\n",
		"function f(a) = a" + strings.Repeat(" + a", 500) + "\ny = f(f(f(f(f(x)))))\n",
		"function f(a) {\n  b = a + a\n  c = b + b\n  d = c + c\n  return d + d\n}\ny = f(f(f(f(f(f(f(f(x))))))))\n",
	} {
		q := asked(t, "y = 1\n")
		q.Material.Inputs = []string{"x"}
		f := &finder{q: q, program: parsed(t, text)}
		f.size = f.program.Nodes()
		if got := f.expanded(); got != nil {
			assert.LessOrEqual(t, got.Nodes(), 5*f.size, text)
		}
	}
}
