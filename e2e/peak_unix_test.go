//go:build unix

package e2e

import (
	"os/exec"
	"syscall"
)

// peakMemory is the most memory that a finished command held, in bytes.
func peakMemory(cmd *exec.Cmd) int64 {
	if u, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
		return int64(u.Maxrss) << 10
	}
	return 0
}
