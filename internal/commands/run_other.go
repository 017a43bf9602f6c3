//go:build !unix

package commands

import "os/exec"

// endTogether leaves a command as it is: here only the command itself can be ended.
func endTogether(*exec.Cmd) {}
