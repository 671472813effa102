//go:build !long

package faults

// long says that tests which take minutes are to run whole; without the build tag they try the cases that tell most.
const long = false
