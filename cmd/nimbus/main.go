// Command nimbus is the one binary of Nimbus Reach: service, worker and client.
package main

import (
	"os"

	"nimbusreach/internal/commands"
)

func main() { os.Exit(commands.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
