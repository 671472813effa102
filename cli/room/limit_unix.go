//go:build unix

package room

import "golang.org/x/sys/unix"

// limitMemory bounds the address space beyond what the program itself needs, so that one huge allocation fails
// rather than swaps.
func limitMemory(bytes uint64) {
	const own = 2 << 30 // what the runtime reserves without using it
	limit := unix.Rlimit{Cur: own + bytes, Max: own + bytes}
	unix.Setrlimit(unix.RLIMIT_AS, &limit)
}
