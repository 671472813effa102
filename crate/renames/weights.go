package renames

// The numbers of systems of classes (systems.go). systemFrom is how many classes make one, and systemCovered what part
// of them must be there again. What is told begins at systemBase; equal stems add systemWords, equal declarations
// systemDeclared. None is sure: systemMost is below what that takes.
const (
	systemFrom    = 3
	systemCovered = 0.6
	// of a system that keeps its stem, since values of slots that came again under one stem mean the same
	systemCoveredSame = 0.25
	// stems of which no more than half of the words are the same need this part of the declarations
	systemHalf, systemAlike = 0.5, 0.3
	// firstStep is the last step of a scale that may be left out of a name: what holds at all widths has none
	firstStep      = 1
	systemBase     = 0.3
	systemWords    = 0.45
	systemDeclared = 0.3
	systemMost     = 0.79
)
