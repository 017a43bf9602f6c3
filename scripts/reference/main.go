// Command reference writes the tables of functions and words in docs/reference.md
// from the tables the evaluator reads:
//
//	go run ./scripts/reference > docs/reference.md
package main

import (
	"fmt"

	"nimbusreach/internal/core/functions"
)

func main() { fmt.Print(functions.Reference()) }
