//go:build unix

package commands

import (
	"os/exec"
	"syscall"
)

// endTogether makes a command the head of a group of processes, all of which end when it is ended.
func endTogether(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
}
