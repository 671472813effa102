//go:build !unix

package cli

// limitMemory does nothing here; the process watches its own memory all the same.
func limitMemory(uint64) {}
