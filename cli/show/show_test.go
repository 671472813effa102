package show

import (
	"bytes"
	"strings"
	"testing"
	"unicode/utf8"
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
	for want, args := range map[string][]string{"merry take a.zip": {"merry", "take", "a.zip"},
		"'**/*.html'": {"**/*.html"}, `'it'\''s'`: {"it's"}, "'a b' c": {"a b", "c"}, "''": {""}} {
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

// TestFolded: on a terminal words are folded below where they began; elsewhere, and if there is no room, a line stays
// one.
func TestFolded(t *testing.T) {
	defer func() { Columns = 0 }()
	for _, tt := range []struct {
		columns            int
		prefix, text, want string
	}{
		{0, "why:  ", "it may work on this machine, and fails elsewhere", "why:  it may work on this machine, and " +
			"fails elsewhere"},
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
	if got, want := rows.Text(false, ""), "name     files\noarlock  one.js, two.js, three.js,\n"+
		"         four.js\n"; got != want {
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

// TestFoldLine: on a terminal a line is folded between words, below its text, and no word is broken.
func TestFoldLine(t *testing.T) {
	defer func() { Columns = 0 }()
	long := "next: name an archive, a folder, a file, an address, or NAME@VERSION of a registry"
	if got := FoldLine(long); got != long {
		t.Errorf("without a terminal: %q", got)
	}
	Columns = 40
	for line, want := range map[string]string{
		"short": "short",
		long:    "next: name an archive, a folder, a file,\n      an address, or NAME@VERSION of a\n      registry",
		"  sha384-tZ7iV3Wh5j8NK4BFvScC9N5K20iZJMl0MK/" +
			"DuS6gFusI98Oc75ZMt6Ca6iSryHiv": "  sha384-tZ7iV3Wh5j8NK4BFvScC9N5K20iZJMl0MK/" +
			"DuS6gFusI98Oc75ZMt6Ca6iSryHiv",
		"3 pages: 2 errors, 1 warning; --pages lists them page by page": "3 pages: 2 errors, 1 warning; " +
			"--pages\n  lists them page by page",
		"\x1b[2mnext:\x1b[0m merry order crews/index.html --fix --dry-run": "\x1b[2mnext:\x1b[0m merry order " +
			"crews/index.html --fix\n      --dry-run",
	} {
		if got := FoldLine(line); got != want {
			t.Errorf("%q is folded to\n%s\nwant\n%s", line, got, want)
		}
	}
}

// TestPathsAreShortened: a table that is too wide keeps its columns if paths can be shortened in the middle.
func TestPathsAreShortened(t *testing.T) {
	defer func() { Columns = 0 }()
	Columns = 40
	table := &Table{Paths: map[int]bool{1: true}}
	table.Add("step", "what", "verdict")
	table.Add("1", "scripts/vendor/boathouse/oarlock-2.0.3.min.js", "fine")
	got := table.Text(false, "  ")
	want := "  step  what                    verdict\n  1     scripts…arlock-2.0.3.min.js  fine\n"
	lines := strings.Split(strings.TrimRight(got, "\n"), "\n")
	if len(lines) != 2 || !strings.Contains(lines[1], "…") || !strings.HasSuffix(lines[1], "fine") ||
		!strings.Contains(lines[1], ".min.js") {
		t.Errorf("got\n%s, such as\n%s", got, want)
	}
	for _, l := range lines {
		if n := utf8.RuneCountInString(l); n > Columns {
			t.Errorf("%q has %d columns", l, n)
		}
	}
}
