package editor

import (
	"slices"
	"testing"
	"unicode/utf8"
)

// TestPositions: a position counts UTF-16 units or bytes, and one beyond its line is the line's end.
func TestPositions(t *testing.T) {
	text := []byte("a\U0001f6a3é\r\nx\n")
	for _, tt := range []struct {
		units  units
		at     position
		offset int
	}{
		{utf16, position{0, 1}, 1}, {utf16, position{0, 3}, 5}, {utf16, position{0, 4}, 7}, {utf16, position{1, 1}, 10},
		{utf8s, position{0, 5}, 5}, {utf8s, position{0, 7}, 7}, {utf8s, position{1, 0}, 9},
	} {
		if got := tt.units.offset(text, tt.at); got != tt.offset {
			t.Errorf("%v is at %d, should be %d", tt.at, got, tt.offset)
		}
		if got := tt.units.position(text, tt.offset); got != tt.at {
			t.Errorf("%d is %v, should be %v", tt.offset, got, tt.at)
		}
	}
	for at, want := range map[position]int{{0, 99}: 7, {1, 99}: 10, {9, 0}: len(text)} {
		if got := utf16.offset(text, at); got != want {
			t.Errorf("%v is at %d, should be %d", at, got, want)
		}
	}
}

// FuzzPositions: every offset at a letter's beginning comes back from its position.
func FuzzPositions(f *testing.F) {
	f.Add("a\U0001f6a3é\nx", 5)
	f.Fuzz(func(t *testing.T, s string, at int) {
		if at < 0 || at > len(s) || !utf8.ValidString(s) || at < len(s) && (!utf8.RuneStart(s[at]) || s[at] == '\n') {
			return
		}
		for _, u := range []units{utf16, utf8s} {
			if got := u.offset([]byte(s), u.position([]byte(s), at)); got != at && !(at > 0 && s[at-1] == '\r') {
				t.Errorf("%q: %d becomes %d", s, at, got)
			}
		}
	})
}

func TestExtent(t *testing.T) {
	text := []byte("<p>\n  <script src=\"a.js\"></script>\n  x = \"y\"; z\n")
	for _, tt := range []struct {
		line, column int
		want         string
	}{
		{2, 3, "<script src=\"a.js\">"}, {2, 16, "a.js"}, {3, 7, "\"y\""}, {3, 12, "z"}, {1, 0, "<p>"}, {0, 0, "<p>"},
		{99, 1, ""},
	} {
		if from, to := extent(text, tt.line, tt.column); string(text[from:to]) != tt.want {
			t.Errorf("%d:%d is about %q, should be %q", tt.line, tt.column, text[from:to], tt.want)
		}
	}
}

func TestURIs(t *testing.T) {
	for uri, path := range map[string]string{"file:///a/b%20c.html": "/a/b c.html", "untitled:x": "", "%": ""} {
		if got := pathOf(uri); got != path {
			t.Errorf("%s is %q, should be %q", uri, got, path)
		}
	}
	if got := pathOf(uriOf("/a/b c%.html")); got != "/a/b c%.html" {
		t.Errorf("a path becomes %q", got)
	}
}

// TestCommandsIn: the commands of a next step are told as the command line tells them, whatever a file is called.
func TestCommandsIn(t *testing.T) {
	s := &server{opt: Options{Changes: func([]string) bool { return true }}}
	for next, want := range map[string][][]string{
		"merry adopt 'a; merry drop oarlock; b.html'":             {{"adopt", "a; merry drop oarlock; b.html"}},
		"merry move --found  # records follow; or move them back": {{"move", "--found"}},
		"write x; merry omit oarlock --page index.html":           {{"omit", "oarlock", "--page", "index.html"}},
		"name it: merry drop oarlock":                             nil,
		"merry adopt PAGE --tag x":                                nil,
	} {
		if got := s.commandsIn(next); !slices.EqualFunc(got, want, slices.Equal) {
			t.Errorf("%s: %q", next, got)
		}
	}
}
