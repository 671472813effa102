//go:build unix

package sandbox

import (
	"time"

	"golang.org/x/sys/unix"
)

// limitMemory bounds the address space beyond what the program itself needs, so that one huge allocation fails
// rather than swaps.
func limitMemory(bytes uint64) {
	const own = 2 << 30 // what the runtime reserves without using it
	limit := unix.Rlimit{Cur: own + bytes, Max: own + bytes}
	unix.Setrlimit(unix.RLIMIT_AS, &limit)
}

// processorTime is the processor time that this process has used. It asks the clock and not getrusage, which the closed
// room refuses.
func processorTime() time.Duration {
	var t unix.Timespec
	if unix.ClockGettime(unix.CLOCK_PROCESS_CPUTIME_ID, &t) != nil {
		return time.Since(started)
	}
	return time.Duration(t.Nano())
}
