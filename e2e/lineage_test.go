package e2e

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/client/wire"
)

// TestWhereACellCameFrom: in words in the verdict, and cell by cell for both sides, and on the way of what is tried.
func TestWhereACellCameFrom(t *testing.T) {
	w := start(t, 2)
	w.enrol(t, team)
	ctx := background(t)
	ada, aron := w.as(t, "ada"), w.as(t, "aron")
	a, err := ada.HandIn(ctx, course, "rope-means", wrong, "", 20)
	require.NoError(t, err)
	require.NotNil(t, a.Verdict.Findings[0].MadeFrom)
	made := a.Verdict.Findings[0].MadeFrom
	assert.Equal(t, []int{0}, made.Cell)
	assert.Equal(t, "15 cells of growth: every week, every rope, depth 0", made.Yours)
	assert.Equal(t, "20 cells of growth: every week, rope 0, every depth", made.Expected)
	assert.False(t, made.Same)
	require.NotNil(t, a.Verdict.Example.MadeFrom)

	for _, name := range []string{"ada", "aron"} {
		l, err := w.as(t, name).Origins(ctx, a.ID, "spring", "per_rope", "got", 2)
		require.NoError(t, err, name)
		assert.Equal(t, []int{2}, l.Cell)
		assert.Equal(t, []int{5, 3, 4}, l.Inputs["growth"].Shape())
		assert.Len(t, l.Yours.Value["growth"].Places(), 15)
		assert.Equal(t, 2, l.Yours.Value["growth"][0], "week 0, rope 0, depth 2")
		assert.Len(t, l.Expected.Value["growth"].Places(), 20)
		assert.Equal(t, 8, l.Expected.Value["growth"][0], "week 0, rope 2, depth 0")
		assert.Empty(t, l.Yours.Choice)
		require.Len(t, l.Yours.Lines, 1)
		assert.Equal(t, wire.OriginLine{Line: 1, Name: "per_rope", Value: wire.Runs{2, 1}, Choice: wire.Runs{}},
			l.Yours.Lines[0])
		assert.Empty(t, l.Expected.Lines, "the reference's lines are nobody's here")
	}
	l, err := ada.Origins(ctx, a.ID, "spring", "per_rope", "got", 3)
	require.NoError(t, err)
	assert.NotNil(t, l.Yours, "a fourth element")
	assert.Nil(t, l.Expected, "which the reference has not")
	_, err = w.as(t, "bree").Origins(ctx, a.ID, "spring", "per_rope", "got", 2)
	assert.Equal(t, "Not found", problem(t, err, 404).Title)
	_, err = ada.Origins(ctx, a.ID, "autumn", "per_rope", "got", 2)
	assert.Equal(t, "Not found", problem(t, err, 404).Title, "a held case")
	_, err = aron.Origins(ctx, a.ID, "autumn", "per_rope", "got", 2)
	require.NoError(t, err)

	program := "big = growth > 5\npicked = growth[big]\nper_rope = sort(mean(growth over [week, depth]))\n"
	l, err = ada.TraceCell(ctx, course, "rope-means", wire.TraceCell{Try: wire.Try{Program: program}, Step: 1, Cell: 1})
	require.NoError(t, err)
	assert.Equal(t, "picked", l.Name)
	assert.Len(t, l.Yours.Value["growth"], 2)
	at := l.Yours.Value["growth"][0]
	assert.Greater(t, l.Inputs["growth"].Reals()[at], 5.0)
	assert.Equal(t, l.Value.Reals()[1], l.Inputs["growth"].Reals()[at])
	assert.Equal(t, wire.Runs{0, at + 1}, l.Yours.Choice["growth"], "the mask up to it")
	require.Len(t, l.Yours.Lines, 2)
	assert.Equal(t, "big", l.Yours.Lines[0].Name)
	assert.Empty(t, l.Yours.Lines[0].Value)
	assert.Len(t, l.Yours.Lines[0].Choice.Places(), at+1)

	var lines wire.Lines
	require.Equal(t, 200, w.asked(t, "ada", "POST", "/courses/"+course+"/exercises/rope-means/try",
		wire.Try{Program: "x = 0\neach k in 0 to 2 { x = x + sum(growth[k, all, all] * [1, 2, 1, 1]) }\n"}, &lines))
	var parts []string
	for _, p := range lines.Parts {
		parts = append(parts, fmt.Sprintf("%d:%d %s %s%s %s", p.Line, p.Column, p.Form, p.Kind, p.Shape, p.Look))
	}
	require.Len(t, parts, 9, "each once, however often the loop goes round")
	assert.Equal(t, "2:11 range int[3] 0  1  2", parts[0])
	assert.Contains(t, parts[4], "2:32 selection real[rope=3, depth=4] ")
	assert.Equal(t, "2:54 list int[4] 1  2  1  1", parts[5])
	assert.Contains(t, parts[7], "2:28 call real[] ")
	assert.Equal(t, lines.Lines[len(lines.Lines)-1].Look, lines.Parts[8].Look, "the last round's")
}
