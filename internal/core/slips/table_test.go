package slips_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// parsed reads a program that must be well formed.
func parsed(t *testing.T, text string) *notation.Program {
	t.Helper()
	program, errs := notation.Parse(text)
	require.Empty(t, errs, text)
	return program
}

// materials are those of a reference, and of an attempt at a reference.
func materials(t *testing.T, text string) map[string]*slips.Material {
	t.Helper()
	attempt := material(0)
	attempt.Reference = parsed(t, text)
	return map[string]*slips.Material{"reference": material(0), "attempt": attempt}
}

// TestEveryOperator holds each entry of the table to what it says of itself: its example,
// its codes, and that what it makes can be printed, read again, and undone.
func TestEveryOperator(t *testing.T) {
	names := map[string]bool{}
	for _, op := range slips.Table {
		t.Run(op.Name, func(t *testing.T) {
			require.False(t, names[op.Name], "two operators of one name")
			names[op.Name] = true
			assert.NotEmpty(t, op.Where)
			assert.NotEmpty(t, op.Change)
			require.NotEmpty(t, op.Codes)
			for _, c := range op.Codes {
				assert.True(t, c.Is(codes.Cause), c)
			}

			program := parsed(t, op.Right+"\n")
			assert.Equal(t, op.Right+"\n", notation.Print(program), "the example is in the form that is printed")
			wrong := parsed(t, op.Wrong+"\n")
			found, m := false, material(0)
			if op.Mends {
				program, wrong = wrong, program
				m.Reference = wrong
			}
			list := slips.Of(program, m)
			for i := range list {
				s := &list[i]
				if s.Operator != op {
					continue
				}
				undo := s.Apply()
				found = found || notation.Print(program) == notation.Print(wrong)
				undo()
			}
			assert.True(t, found, "it does not make %q of %q", op.Wrong, op.Right)
		})
	}
}

// TestEveryChangeIsWellFormed makes every slip of every example and reference, as of a
// reference and as of an attempt.
func TestEveryChangeIsWellFormed(t *testing.T) {
	seen := map[string]map[codes.Code]bool{}
	texts := references(t)
	for _, op := range slips.Table {
		texts = append(texts, op.Right+"\n", op.Wrong+"\n")
		seen[op.Name] = map[codes.Code]bool{}
	}
	for _, text := range texts {
		for whose, m := range materials(t, text) {
			program := parsed(t, text)
			before := notation.Print(program)
			list := slips.Of(program, m)
			for i := range list {
				s := &list[i]
				require.Contains(t, s.Operator.Codes, s.Cause, "%s of %s", s.Operator.Name, whose)
				require.Contains(t, s.Operator.Codes, s.Undoes, "%s of %s", s.Operator.Name, whose)
				seen[s.Operator.Name][s.Cause], seen[s.Operator.Name][s.Undoes] = true, true
				undo := s.Apply()
				changed := notation.Print(program)
				undo()
				require.Equal(t, before, notation.Print(program), "%s: %s", s.Operator.Name, s.Change())
				require.NotEqual(t, before, changed, "%s of %s: %s", s.Operator.Name, whose, s.Change())
				again, errs := notation.Parse(changed)
				for _, d := range errs { // a view of what no view may take is well formed
					require.NotEqual(t, codes.TextSyntax, d.Code, "%s: %s\n%s", s.Operator.Name, s.Change(), changed)
				}
				if len(errs) == 0 {
					require.Equal(t, changed, notation.Print(again), "%s: %s", s.Operator.Name, s.Change())
				}
			}
		}
	}
	for _, op := range slips.Table {
		assert.NotEmpty(t, seen[op.Name], "%s changed nothing", op.Name)
	}
}

// TestAReferenceHasNothingToMend holds operators for attempts to attempts.
func TestAReferenceHasNothingToMend(t *testing.T) {
	for _, text := range references(t) {
		for _, s := range slips.Of(parsed(t, text), material(0)) {
			require.False(t, s.Operator.Mends, "%s: %s", s.Operator.Name, s.Change())
		}
	}
}

// TestAnyTwoOperators makes one slip of each operator with one of each other, in either
// order: whatever the first has taken out or put elsewhere, the second finds its place or
// changes nothing, and undoing both leaves the tree as it was.
func TestAnyTwoOperators(t *testing.T) {
	g := rand.New(rand.NewPCG(12, 1))
	for _, text := range references(t) {
		program := parsed(t, text)
		before := notation.Print(program)
		list := slips.Of(program, material(0))
		of := map[*slips.Operator][]*slips.Slip{}
		for i := range list {
			of[list[i].Operator] = append(of[list[i].Operator], &list[i])
		}
		for _, first := range slips.Table {
			for _, second := range slips.Table {
				if len(of[first]) == 0 || len(of[second]) == 0 {
					continue
				}
				a, b := of[first][g.IntN(len(of[first]))], of[second][g.IntN(len(of[second]))]
				undoA := a.Apply()
				undoB := b.Apply()
				changed := notation.Print(program)
				undoB()
				undoA()
				_, errs := notation.Parse(changed)
				for _, d := range errs {
					require.NotEqual(t, codes.TextSyntax, d.Code, "%s\n%s\n%s\n%s", d.Message, a.Change(), b.Change(), changed)
				}
				require.Equal(t, before, notation.Print(program), "%s\n%s", a.Change(), b.Change())
			}
		}
	}
}

// TestEveryCauseThatOneChangeMakesHasAnOperator compares the table with the codes.
func TestEveryCauseThatOneChangeMakesHasAnOperator(t *testing.T) {
	// These have evidence of their own, and no single change stands for them.
	own := []codes.Code{codes.StarterUnchanged, codes.OutputSwapped, codes.ScaleFactor, codes.OffsetConstant,
		codes.Foreseen, codes.ConstantAnswer, codes.ShownOnly}
	for _, e := range codes.Of(codes.Cause) {
		has := slices.ContainsFunc(slips.Table, func(op *slips.Operator) bool { return slices.Contains(op.Codes, e.Code) })
		assert.Equal(t, !slices.Contains(own, e.Code), has, e.Code)
	}
}

// TestOneIdeaAtSeveralPlaces joins changes that are one mistake.
func TestOneIdeaAtSeveralPlaces(t *testing.T) {
	for _, c := range []struct{ name, right, wrong string }{
		{"the same axis in every call", "r = mean(growth over week) + max(growth over week)",
			"r = mean(growth over rope) + max(growth over rope)"},
		{"the same function in every call", "r = std(x) + std(y)", "r = sample_std(x) + sample_std(y)"},
		{"the same name everywhere", "r = x + sum(x)", "r = y + sum(y)"},
		{"every selection on the wrong axis", "r = a[0, all] + b[1, all]", "r = a[all, 0] + b[all, 1]"},
	} {
		t.Run(c.name, func(t *testing.T) {
			program := parsed(t, c.right+"\n")
			list := slips.Of(program, material(0))
			found := false
			for i := range list {
				if !strings.Contains(list[i].Change(), "everywhere") {
					continue
				}
				undo := list[i].Apply()
				found = found || notation.Print(program) == c.wrong+"\n"
				undo()
			}
			assert.True(t, found)
		})
	}
}

// TestNothingIsMovedWhereItHasNoEffect: lengths and positions do not hang on values, so an operation with one is no
// operation on its argument.
func TestNothingIsMovedWhereItHasNoEffect(t *testing.T) {
	m := material(0)
	m.Reference = parsed(t, "r = x\n")
	groupings := func(text string) (out []string) {
		program := parsed(t, text)
		for _, s := range slips.Of(program, m) {
			if s.Undoes == codes.Grouping {
				out = append(out, s.Change())
			}
		}
		return out
	}
	for _, text := range []string{"r = size(x) + 1\n", "r = max_at(x) * 2\n", "r = zeros(size(x) + 1)\n"} {
		assert.Empty(t, groupings(text), text)
	}
	assert.NotEmpty(t, groupings("r = sum(x) * 2\n"))
}
