package e2e

import "os/exec"

func peakMemory(*exec.Cmd) int64 { return 0 }
