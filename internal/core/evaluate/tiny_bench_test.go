package evaluate_test

import (
	"context"
	"testing"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/notation"
)

// BenchmarkEightStatements runs eight statements on arrays of at most 60 elements,
// parsed already.
func BenchmarkEightStatements(b *testing.B) {
	program, errs := notation.Parse("m = mean(x over 0)\nd = x - m\ns = d * d\nv = sum(s over 0) / 5\nz = d / (v + 1)\n" +
		"w = z[from 1, all]\nt = w + y\nu = max(t over 1)\n")
	if len(errs) > 0 {
		b.Fatal(errs[0])
	}
	x, y := make([]float64, 60), make([]float64, 12)
	for i := range x {
		x[i] = float64(i)
	}
	given := map[string]*array.Array{"x": array.FromReals(x, 5, 12), "y": array.FromReals(y, 12)}
	b.ReportAllocs()
	for b.Loop() {
		evaluate.Run(context.Background(), program, given, evaluate.Options{Limits: evaluate.CheckLimits})
	}
}
