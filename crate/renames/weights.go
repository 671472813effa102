package renames

// numbers are the numbers of this package's judgement, in one place. TestNumbers makes each smaller and larger and says
// which answers over the corpus change; testdata/numbers.txt has the result. What changes nothing there is held by the
// cases that the comments of its code name, or by nothing but sense.
var numbers = struct {
	// What is told, and what is sure.
	Tell   float64 // from this score on a rename is told
	Sure   float64 // and from this one it is sure, if
	Margin float64 // it is so far ahead of the next

	// Two classes by themselves (rate).
	Rules        float64 // equal declarations, of which
	Few          float64 // so much counts where they are few
	Letters      float64 // letters of the names
	Ending       float64 // the same last word
	Same         float64 // three or more declarations, and all the same
	SameLetters  float64 // with that, letters
	Alone        float64 // no other class has just these, and names are
	AloneAlike   float64 // so much alike, with
	AloneLetters float64 // letters
	Stated       float64 // the library itself says so

	// What two classes mean for an element (alike).
	Colour     float64 // another colour for the same property
	ColourSaid float64 // and how much that says
	Value      float64 // another value for the same property
	Tuned      float64 // lengths that were tuned a little, of several kinds
	TunedSaid  float64 // and how much that says
	Opposite   float64 // for narrow windows here, for wide ones there
	Anywhere   float64 // the same, but at other widths
	WornBelow  float64 // what elements look like counts below this share
	Worn       float64 // and so much
	Second     float64 // of two ways in which a class says a thing, the second
	Near       float64 // a class that says so much is looked at
	Root       float64 // and one that says so much may be what is left

	// A pair, with all that is known (weigh).
	Share        float64 // what both mean, of which
	ShareSaid    float64 // so much counts where it says little
	Words        float64 // words and letters of the names
	Only         float64 // no other name came that begins so
	Strange      float64 // names less alike than this
	StrangeMost  float64 // get no more than this, and as much again for what they say
	Exact        float64 // no other new class has exactly these declarations
	ExactEach    float64 // for each of them
	ExactWords   float64 // with that, words
	ExactStrange float64 // names less alike than this are not sure
	Scoped       float64 // it has the name of the element that it was in
	ScopedShare  float64 // with that, what both mean
	Family       float64 // the score of a pattern
	Holds        float64 // a pattern that the library states and nothing contradicts
	Rival        float64 // a pattern that leads elsewhere takes so much
	Strong       float64 // if its score is over this
	Icon         float64 // the same character or drawing
	IconWords    float64 // with that, words
	OtherIcon    float64 // another icon: no more than so much of the words
	Alias        float64 // a stylesheet for old names gives this one

	// A pattern that several names follow (families).
	Trusted         float64 // so much of what a pair has in common counts though it says little
	PatternAlike    float64 // what its pairs have in common, by the root
	PatternStays    float64 // words that stay
	PatternExplains float64 // the part of the old names that it explains
	PatternMany     float64 // how many they are
	PatternRival    float64 // less for each pair with a rival
	PatternMisfit   float64 // and for each that counts at other widths
	PatternKept     float64 // and for each whose new name was there before
	PatternEmpty    float64 // less if nothing but names speaks for it
	PatternChance   float64 // more if four or more are hardly by chance
	PatternAll      float64 // more if all names follow it
	Carry           float64 // from this score on it takes further names along

	// Systems of classes (systems).
	SystemCovered     float64 // the part of a system that must be there again
	SystemCoveredSame float64 // and of one that keeps its stem
	SystemHalf        float64 // stems with no more of their words in common than this
	SystemAlike       float64 // need this part of the declarations
	System            float64 // a system came again
	SystemWords       float64 // words of the stems
	SystemDeclared    float64 // equal declarations, on whatever element
	SystemMost        float64 // and no more than this

	// Names in other words (worded).
	Worded      float64 // the score of one
	WordedShare float64 // with that, what both mean
	WordedLeast float64 // and no less than this
	WordedLess  float64 // where a word is gone, no less than this
	WordedKept  float64 // where the new name was there before, so much more
}{
	// What is told, and what is sure.
	Tell:   0.5,
	Sure:   0.8,
	Margin: 0.15,

	// Two classes by themselves (rate).
	Rules:        0.62,
	Few:          0.55,
	Letters:      0.33,
	Ending:       0.05,
	Same:         0.85,
	SameLetters:  0.1,
	Alone:        0.78,
	AloneAlike:   0.6,
	AloneLetters: 0.15,
	Stated:       0.9,

	// What two classes mean for an element (alike).
	Colour:     0.5,
	ColourSaid: 0.3,
	Value:      0.15,
	Tuned:      0.35,
	TunedSaid:  0.2,
	Opposite:   0.5,
	Anywhere:   0.85,
	WornBelow:  0.6,
	Worn:       0.9,
	Second:     0.5,
	Near:       0.3,
	Root:       0.2,

	// A pair, with all that is known (weigh).
	Share:        0.55,
	ShareSaid:    0.5,
	Words:        0.35,
	Only:         0.08,
	Strange:      0.4,
	StrangeMost:  0.3,
	Exact:        0.55,
	ExactEach:    0.1,
	ExactWords:   0.2,
	ExactStrange: 0.3,
	Scoped:       0.52,
	ScopedShare:  0.4,
	Family:       0.92,
	Holds:        0.82,
	Rival:        0.4,
	Strong:       0.5,
	Icon:         0.75,
	IconWords:    0.2,
	OtherIcon:    0.4,
	Alias:        0.96,

	// A pattern that several names follow (families).
	Trusted:         0.4,
	PatternAlike:    0.4,
	PatternStays:    0.2,
	PatternExplains: 0.2,
	PatternMany:     0.2,
	PatternRival:    0.3,
	PatternMisfit:   0.2,
	PatternKept:     0.02,
	PatternEmpty:    0.2,
	PatternChance:   0.1,
	PatternAll:      0.05,
	Carry:           0.65,

	// Systems of classes (systems).
	SystemCovered:     0.6,
	SystemCoveredSame: 0.25,
	SystemHalf:        0.5,
	SystemAlike:       0.3,
	System:            0.3,
	SystemWords:       0.45,
	SystemDeclared:    0.3,
	SystemMost:        0.79,

	// Names in other words (worded).
	Worded:      0.5,
	WordedShare: 0.25,
	WordedLeast: 0.12,
	WordedLess:  0.35,
	WordedKept:  0.1,
}

// The limits of systems: how many classes make one, and the last step of a scale that may be left out of a name, since
// what holds at all widths has none.
const (
	systemFrom = 3
	firstStep  = 1
)
