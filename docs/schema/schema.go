// Package schema holds the JSON Schema of the course format, for editors that complete
// and check YAML by it.
package schema

import "embed"

// Files holds course.json and exercise.json.
//
//go:embed *.json
var Files embed.FS
