package record

// Modules says how pages resolve the names that modules import.
type Modules struct {
	Map MapHabit `yaml:"map,omitempty"`
}

// A MapHabit says what writes pages' import maps.
type MapHabit string

// The habits.
const (
	// merry, into the page: browsers read no other (HTML Standard, section 8.1.5); the zero value means the same
	InlineMap MapHabit = "inline"
	// somebody else, a server's template say: names that no map on the page has are not missed then
	NoMap MapHabit = "none"
)
