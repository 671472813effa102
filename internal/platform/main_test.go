package main

import (
	"strings"
	"testing"
)

// TestTable: what definitions say of interfaces is one line for each, with what mixins and partial definitions add.
func TestTable(t *testing.T) {
	all := map[string]*iface{}
	parse(`// comment; with a semicolon
		[Exposed=Window] interface Boat : Node { constructor(DOMString name);
			const unsigned short FAST = 1; readonly attribute DOMString name; attribute (long or DOMString)? crew;
			undefined row(optional long strokes = 1, DOMString... more); static Boat of(DOMString name);
			[Exposed=Worker] attribute long hidden; stringifier; getter Oar (unsigned long index); iterable<Oar>; };
		interface mixin Sailing { Promise<undefined> hoist(); }; Boat includes Sailing;
		[Exposed=Worker] interface Engine { attribute long power; };
		callback interface Watcher { undefined seen(); };
		dictionary Crew { long size = 4; };`, all)
	parse(`partial interface Boat { attribute DOMString club; };`, all)
	const want = "Boat:Node .of() club crew entries() forEach() hoist() keys() name row() values()"
	if got := strings.Join(table(all), "\n"); got != want {
		t.Errorf("the table is\n%s\nwant\n%s", got, want)
	}
}
