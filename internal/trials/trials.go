// Package trials says how much of long series of cases tests try: a part, so that the tests end in minutes, or all.
package trials

import "os"

// Variable names the environment variable that, if it is "all", has matrices and random series tried whole.
const Variable = "MERRY_MATRIX"

// sampleStep is of how many cases of a matrix one is tried in a usual run.
const sampleStep = 6

// Whole reports whether all is to be tried.
func Whole() bool { return os.Getenv(Variable) == "all" }

// Sample returns the cases of a matrix that are tried.
func Sample[T any](all []T) []T {
	if Whole() {
		return all
	}
	var list []T
	for i := 0; i < len(all); i += sampleStep {
		list = append(list, all[i])
	}
	return list
}

// Rounds returns how much is tried, such as the rounds of a random series: usual, or whole where all is asked for.
func Rounds(usual, whole int) int {
	if Whole() {
		return whole
	}
	return usual
}
