package slips_test

import (
	"fmt"

	"nimbusreach/internal/core/notation"
	"nimbusreach/internal/core/slips"
)

// Every slip is applied to the tree in place, and undone.
func Example() {
	program, _ := notation.Parse("long = count(fronds > 80 over depth)\n")
	for _, s := range slips.Of(program, &slips.Material{Inputs: []string{"fronds"}}) {
		if s.Cause != "mask.boundary" {
			continue
		}
		undo := s.Apply()
		fmt.Print(notation.Print(program))
		undo()
		fmt.Println(s.Change())
		break
	}
	fmt.Print(notation.Print(program))
	// Output:
	// long = count(fronds >= 80 over depth)
	// > → >=
	// long = count(fronds > 80 over depth)
}
