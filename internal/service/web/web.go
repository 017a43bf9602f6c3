// Package web holds the built console. Its folder dist is filled by `make build`;
// without that the service runs and says that the console is not there.
package web

import "embed"

// Files holds the console under dist/.
//
//go:embed all:dist
var Files embed.FS
