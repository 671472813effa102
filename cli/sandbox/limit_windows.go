//go:build windows

package sandbox

import (
	"time"

	"golang.org/x/sys/windows"
)

// limitMemory does nothing here; the process watches its own memory anyway.
func limitMemory(uint64) {}

// processorTime is the processor time that this process has used.
func processorTime() time.Duration {
	var created, exited, kernel, user windows.Filetime
	if windows.GetProcessTimes(windows.CurrentProcess(), &created, &exited, &kernel, &user) != nil {
		return time.Since(started)
	}
	ticks := func(t windows.Filetime) int64 { return int64(t.HighDateTime)<<32 | int64(t.LowDateTime) } // of 100 ns
	return time.Duration(ticks(kernel)+ticks(user)) * 100
}
