//go:build long

package e2e

// long says that tests which take minutes are to run whole.
const long = true
