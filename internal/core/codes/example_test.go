package codes_test

import (
	"fmt"

	"nimbusreach/internal/core/codes"
)

func ExampleLookup() {
	e, _ := codes.Lookup(codes.MaskBoundary)
	fmt.Println(e.Kind, "-", e.Words)
	fmt.Println(e.Question)
	fmt.Println(e.Example)
	// Output:
	// cause - a comparison treats equality wrongly: strict or not
	// What happens to a value that is exactly on the boundary?
	// count(w > 3) → count(w >= 3)
}
