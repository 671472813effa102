package show

import (
	"bytes"
	"strings"
	"testing"
)

func TestTableAligns(t *testing.T) {
	rows := &Table{Right: map[int]bool{1: true}}
	rows.Add("name", "size", "note")
	rows.Add("ü", "1 B", "")
	rows.Add("longer", "12 kB", "x")
	want := "  name     size  note\n  ü         1 B\n  longer  12 kB  x\n"
	if got := rows.Text(false, "  "); got != want {
		t.Errorf("printed\n%s, want\n%s", got, want)
	}
	if got := rows.Text(true, ""); !strings.HasPrefix(got, "\x1b[2mname") {
		t.Errorf("the head is not set off: %q", got)
	}
}

func TestCommand(t *testing.T) {
	for want, args := range map[string][]string{"merry take a.zip": {"merry", "take", "a.zip"}, "'**/*.html'": {"**/*.html"}, `'it'\''s'`: {"it's"}, "'a b' c": {"a b", "c"}, "''": {""}} {
		if got := Command(args); got != want {
			t.Errorf("%q: %s, want %s", args, got, want)
		}
	}
}

func TestColourOnlyWhereItIsWanted(t *testing.T) {
	if PaintFor(&bytes.Buffer{}) {
		t.Error("colour goes into a file")
	}
	if got := Paint(false).Red("x"); got != "x" {
		t.Errorf("without colour: %q", got)
	}
	if got := Paint(true).Red("x"); got != "\x1b[31mx\x1b[0m" {
		t.Errorf("with colour: %q", got)
	}
	if Paint(true).Bold("") != "" {
		t.Error("nothing is painted")
	}
}

func TestSizes(t *testing.T) {
	for want, n := range map[string]int64{"": -1, "0 B": 0, "1.5 kB": 1500, "53 MB": 53_000_000} {
		if got := Bytes(n); got != want {
			t.Errorf("%d is %s, want %s", n, got, want)
		}
	}
	if n, err := ParseBytes("500MB"); err != nil || n != 500_000_000 {
		t.Errorf("500MB is %d, %v", n, err)
	}
	if _, err := ParseBytes("much"); err == nil {
		t.Error("much is a size")
	}
	if got := Lines("a\x1b[2Jb\nc\u202e"); strings.ContainsAny(got, "\x1b\u202e") || strings.Count(got, "\n") != 1 {
		t.Errorf("lines of others are %q", got)
	}
}

// TestFolded: on a terminal words are folded below where they began; elsewhere, and where there is no room, a line stays one.
func TestFolded(t *testing.T) {
	defer func() { Columns = 0 }()
	for _, tt := range []struct {
		columns            int
		prefix, text, want string
	}{
		{0, "why:  ", "it may work on this machine, and fails elsewhere", "why:  it may work on this machine, and fails elsewhere"},
		{30, "why:  ", "it may work on this machine, and fails", "why:  it may work on this\n      machine, and fails"},
		{20, "why:  ", "it may work on this machine", "why:  it may work on this machine"}, // no room
		{80, "why:  ", "short", "why:  short"},
	} {
		if Columns = tt.columns; Folded(tt.prefix, tt.text) != tt.want {
			t.Errorf("in %d columns it is\n%s, want\n%s", tt.columns, Folded(tt.prefix, tt.text), tt.want)
		}
	}
	rows := &Table{}
	rows.Add("name", "files")
	rows.Add("oarlock", "one.js, two.js, three.js, four.js")
	Columns = 34
	if got, want := rows.Text(false, ""), "name     files\noarlock  one.js, two.js, three.js,\n         four.js\n"; got != want {
		t.Errorf("a table is\n%s, want\n%s", got, want)
	}
	Columns = 20
	if got, want := rows.Text(false, " "), " oarlock\n   files  one.js, two.js, three.js, four.js\n"; got != want {
		t.Errorf("in a narrow terminal a table is\n%s, want\n%s", got, want)
	}
	if got, want := rows.Lines(" "), " name     files\n oarlock  one.js, two.js, three.js, four.js\n"; got != want {
		t.Errorf("without heads a table in a narrow terminal is\n%s, want\n%s", got, want)
	}
}
