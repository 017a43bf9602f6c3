// Command openapi writes the API's description, from which the console's types are made:
//
//	go run ./scripts/openapi > docs/openapi.json
package main

import (
	"fmt"
	"os"

	"nimbusreach/internal/service/api"
)

func main() {
	text, err := api.Document()
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	fmt.Println(string(text))
}
