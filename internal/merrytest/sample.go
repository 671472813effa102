package merrytest

import "os"

// Whole names the environment variable that, if it is "all", has matrices and random series tried whole. Otherwise a part of each is
// tried, so that the tests end in minutes.
const Whole = "MERRY_MATRIX"

// sampleStep is of how many cases of a matrix one is tried in a usual run.
const sampleStep = 6

// Sample returns the cases of a matrix that are tried.
func Sample[T any](all []T) []T {
	if os.Getenv(Whole) == "all" {
		return all
	}
	var list []T
	for i, c := range all {
		if i%sampleStep == 0 {
			list = append(list, c)
		}
	}
	return list
}

// Rounds returns a number that says how much is tried, such as the rounds of a random series: usual, or whole where all is asked for.
func Rounds(usual, whole int) int {
	if os.Getenv(Whole) == "all" {
		return whole
	}
	return usual
}
