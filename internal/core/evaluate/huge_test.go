package evaluate_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// TestNothingIsMadeUnasked gives every function arrays that hold nothing and yet have
// lengths that no memory holds, and numbers that ask for as much.
func TestNothingIsMadeUnasked(t *testing.T) {
	const most = "10000000000000"
	var texts []string
	arrays := []string{"zeros(0, " + most + ")", "zeros(" + most + ", 0)", "zeros(0, " + most + ", " + most + ")",
		"zeros(3, " + most + ", 0)"}
	for _, name := range functions.Names() {
		f := functions.Lookup(name)
		for _, a := range arrays {
			clauses := []string{""}
			switch f.Clause {
			case functions.Over:
				clauses = []string{"", " over 0", " over 1"}
			case functions.Along:
				clauses = []string{"", " along 0", " along 1"}
			}
			for _, clause := range clauses {
				for _, args := range []string{a, a + ", " + a, a + ", 1", a + ", " + most, a + ", [0, 1]", a + ", 1, 2", a +
					", [0], " + most, "[1, 2, 3], " + most, "[1, 2, 3], [0, 1, 0], " + most, most + ", 3", "[" + most + ", " + most +
					"], 1", "[0, " + most + "], 1"} {
					texts = append(texts, name+"("+args+clause+")")
				}
			}
		}
	}
	for _, a := range arrays[:2] {
		for _, selection := range []string{"[reversed, all]", "[except 0, all]", "[all, except 0]", "[from 1, all]",
			"[all, from 1]", "[" + a + " > 0]", "[all, [0]]", "[[0], all]"} {
			texts = append(texts, a+selection, a+"[new, rest]"+" + 1")
		}
		texts = append(texts, a+" dot "+a, a+" + "+a, "transpose("+a+") * 2", "["+a+", "+a+"]", "not ("+a+" == 1)", a+" ^ 2")
	}
	for _, text := range texts {
		program, errs := notation.Parse("x = " + text + "\n")
		if len(errs) > 0 || len(evaluate.Check(program, nil)) > 0 {
			continue
		}
		r := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.Limits{Statements: 100,
			Cells: 1e5, Bytes: 1 << 20, Depth: 4}})
		if r.Error != nil {
			assert.NotContains(t, r.Error.Message, "the tool itself", text)
			assert.False(t, strings.Contains(fmt.Sprint(r.Error.Message), "%!"), text)
		}
	}
}
