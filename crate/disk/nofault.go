//go:build !faults

package disk

// StoppedStatus is the exit status of a process that a fault has stopped.
const StoppedStatus = 86

// faultPoint is before each call that writes. Only the tests' own build of the program can fail there.
func faultPoint(op, name string, half func()) error { return nil }
