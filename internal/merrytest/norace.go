//go:build !race

package merrytest

// RaceDetector says that the tests look for data races; without the build tag they don't.
const RaceDetector = false
