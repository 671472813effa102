//go:build race

package merrytest

// RaceDetector says that the tests look for data races, so the tested program does, too.
const RaceDetector = true
