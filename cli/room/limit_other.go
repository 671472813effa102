//go:build !unix

package room

// limitMemory does nothing here; the process watches its own memory all the same.
func limitMemory(uint64) {}
