//go:build long

package faults

// long says that tests which take minutes are to run whole.
const long = true
