package script

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

func TestUses(t *testing.T) {
	const text = `// bw-note in a comment
element.classList.add("bw-note", 'x');
box.className += " bw-note is-open";
oarlock(".bw-note > p, #menu").on("click", go); /* bw-note */
var s = "some bw-note words", t = bw_note;
document.getElementById('menu').x = oarlock.version;
window.oarlock.fn.bwNote("bw-noted");
box.querySelectorAll("ul > .bw-note, #menu");
`
	wanted := []string{"bw-note", "menu", "oarlock", "version", "fn"}
	var got []string
	for _, u := range Uses([]byte(text), func(w string) bool { return slices.Contains(wanted, w) }) {
		line := 1 + strings.Count(text[:u.Offset], "\n")
		s := fmt.Sprint(line, " ", u.Word, " ", u.How)
		if u.Selector != 0 {
			s += " " + string(u.Selector)
		}
		if u.Of != "" {
			s += " of " + u.Of
		}
		got = append(got, s)
		if !strings.HasPrefix(text[u.Offset:], u.Word) {
			t.Errorf("%+v is not there", u)
		}
	}
	want :=
		"2 bw-note sure; 3 bw-note sure; 4 oarlock likely; 4 bw-note likely .; 4 menu likely #; 5 bw-note " +
			"possible; 6 " +
			"menu sure #; 6 oarlock likely; 6 version likely of oarlock; 7 oarlock likely of window; 7 fn likely of " +
			"oarlock; 8 bw-note sure .; 8 menu sure #"
	if s := strings.Join(got, "; "); s != want {
		t.Errorf("uses\n%s, want\n%s", s, want)
	}
}

func TestLooks(t *testing.T) {
	var got []string
	for _, l := range Looks([]byte("document.getElementById('menu'); oarlock(\"#menu .item.is-open\").on('click.x', " +
		"f); q.querySelectorAll('p > .bw-note'); say('hello. there'); getElementsByClassName(\"a\"); t('.5')")) {
		got = append(got, l.Selector)
	}
	if s := strings.Join(got, " "); s != "#menu .item .is-open .bw-note .a" {
		t.Errorf("looks up %s", s)
	}
}

func FuzzUses(f *testing.F) {
	f.Add("'a\\", "a")
	f.Add("/* x", "x")
	f.Fuzz(func(t *testing.T, text, word string) {
		for _, u := range Uses([]byte(text), func(w string) bool { return w == word }) {
			if text[u.Offset:u.Offset+len(word)] != word {
				t.Fatalf("%+v", u)
			}
		}
	})
}

func FuzzLooks(f *testing.F) {
	f.Add("a('#b .c'); getElementById(\"d\")")
	f.Add("querySelector('")
	f.Fuzz(func(t *testing.T, text string) {
		for _, l := range Looks([]byte(text)) {
			if l.Offset < 0 || l.Offset >= len(text) || len(l.Selector) < 2 {
				t.Fatalf("%+v", l)
			}
		}
	})
}

// TestCalls: of a name it is known what it is taken of, what is taken of it, and whether it is called, or called as a
// constructor.
func TestCalls(t *testing.T) {
	const text = "race(1); new race.Boat(2); race.scale.log (3); var a = new\n  race; renew race; x.race.scale;"
	var got []string
	for _, u := range Uses([]byte(text), func(w string) bool { return w == "race" || w == "scale" || w == "Boat" }) {
		s := u.Path + "/" + u.Word + "/" + u.Next
		if u.Called {
			s += " called"
		}
		if u.New {
			s += " new"
		}
		got = append(got, s)
	}
	want := []string{"/race/ called", "/race/Boat", "race/Boat/ called new", "/race/scale", "race/scale/log",
		"/race/ new", "/race/", "x/race/scale", "x.race/scale/"}
	if !slices.Equal(got, want) {
		t.Errorf("uses are %q, not %q", got, want)
	}
}
