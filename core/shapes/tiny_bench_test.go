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

// BenchmarkParse reads a program of ten lines.
func BenchmarkParse(b *testing.B) {
	b.ReportAllocs()
	for b.Loop() {
		if _, errs := notation.Parse(tenLines); len(errs) > 0 {
			b.Fatal(errs[0])
		}
	}
}

// BenchmarkShapes works the shapes of a program out that is parsed already.
func BenchmarkShapes(b *testing.B) {
	known := map[string]shapes.Outline{"growth": functions.Outlined(array.Real, []int{5, 3, 4}, []string{"week", "rope", "depth"})}
	program, _ := notation.Parse(tenLines)
	b.ReportAllocs()
	for b.Loop() {
		if r := shapes.Of(program, known, 0); len(r.Errors) > 0 {
			b.Fatal(r.Errors[0])
		}
	}
}
