// Command keys writes what the loader's table of keys says into docs/course-keys.md and into the descriptions of the
// JSON
// Schemas in docs/schema:
//
//	go run ./scripts/keys
package main

import (
	"fmt"
	"os"

	"nimbusreach/docs/schema"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	if err := os.WriteFile("docs/course-keys.md", []byte(schema.KeyReference()), 0o644); err != nil {
		return err
	}
	for _, name := range []string{"course.json", "exercise.json"} {
		text, err := schema.Files.ReadFile(name)
		if err != nil {
			return err
		}
		described, err := schema.Describe(text)
		if err != nil {
			return err
		}
		if err := os.WriteFile("docs/schema/"+name, described, 0o644); err != nil {
			return err
		}
	}
	return nil
}
