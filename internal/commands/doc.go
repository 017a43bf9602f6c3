// Package commands holds the command line of nimbus: one file a command, each
// thin. A command parses its arguments, calls the core, the client or the
// service, and prints.
package commands
