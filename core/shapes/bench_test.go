package shapes_test

import (
	"testing"

	"nimbusreach/core/array"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
	"nimbusreach/core/shapes"
)

const tenLines = `low = min(growth over week)
high = max(growth over week)
middle = (low + high) / 2
above = growth > middle[new, all, all]
share = count(above over week) / length(growth along week)
centred = growth - mean(growth over week, keep: true)
spread = sqrt(mean(centred ^ 2 over week))
scores = centred / spread[new, all, all]
best = scores[last, all, from 1]
total = sum(best over rope)
`

func BenchmarkParse(b *testing.B) {
	b.ReportAllocs()
	for b.Loop() {
		notation.Parse(tenLines)
	}
}

func BenchmarkShapes(b *testing.B) {
	b.ReportAllocs()
	known := map[string]shapes.Outline{"growth": functions.Outlined(array.Real, []int{5, 3, 4}, []string{"week", "rope", "depth"})}
	program, _ := notation.Parse(tenLines)
	for b.Loop() {
		shapes.Of(program, known, 0)
	}
}
