//go:build unix

package main

import (
	"os/exec"
	"runtime"
	"syscall"
)

// maxRSS returns the most memory that a finished command held, in bytes.
func maxRSS(cmd *exec.Cmd) int64 {
	u, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage)
	if !ok {
		return 0
	}
	if runtime.GOOS == "darwin" {
		return int64(u.Maxrss)
	}
	return int64(u.Maxrss) << 10
}
