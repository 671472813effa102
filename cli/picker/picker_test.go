package picker

import (
	"fmt"
	"strings"
	"testing"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"merrycrate.example/merry/crate"
)

func press(m *picker, keys ...string) {
	codes := map[string]rune{"enter": tea.KeyEnter, "down": tea.KeyDown, "esc": tea.KeyEscape, "pgdown": tea.KeyPgDown,
		"end": tea.KeyEnd, "home": tea.KeyHome}
	for _, k := range keys {
		msg := tea.KeyPressMsg{Text: k, Code: []rune(k)[0]}
		if code, ok := codes[k]; ok {
			msg = tea.KeyPressMsg{Code: code}
		}
		m.Update(msg)
	}
}

// winch is a package with a script in two builds, and more.
func winch() *crate.Peeked {
	return &crate.Peeked{Name: "winch", Version: "1.0.0",
		Files: []crate.PeekedFile{{Path: "README.md", Kind: "document", Size: 10},
			{Path: "dist/a.css", Kind: "stylesheet", Size: 100, Wire: 50},
			{Path: "dist/winch.js", Kind: "script", Build: "readable", Form: "universal", Size: 1000, Wire: 400},
			{Path: "dist/winch.min.js", Kind: "script", Build: "minified", Form: "universal", Size: 500, Wire: 300},
			{Path: "server/winch.js", Kind: "script", Form: "server-side", Size: 20},
			{Path: "winch.mjs", Kind: "script", Form: "module", Size: 30}},
		Suggested: []crate.PeekedChoice{{Path: "dist/winch.js"}, {Path: "dist/winch.min.js"}}}
}

// TestPicker drives the picker by its keys: the suggested set is ticked, folders tick all below them,
// the filter narrows, the sums follow, and the command at the foot says the same choice in flags.
func TestPicker(t *testing.T) {
	m := newPicker(winch(), []string{"merry", "take", "winch.zip"}, false)
	if got := m.command(); got != "merry take winch.zip --suggested" {
		t.Errorf("at first the command is %s", got)
	}
	view := m.text()
	for _, want := range []string{"[-] dist/", "> [x]   winch.js", "[ ] README.md", "2 files, 1.5 kB, 700 B packed",
		"universal script", "server script", "module script"} {
		if !strings.Contains(view, want) {
			t.Errorf("the view lacks %q:\n%s", want, view)
		}
	}
	press(m, " ", "/", "m", "i", "n", ".", "enter", "down", "down")
	if len(m.shown) != 2 || m.shown[1].path != "dist/winch.min.js" {
		t.Errorf("the filter shows %+v", m.shown)
	}
	if got := strings.Join(m.chosen(), " "); got != "dist/winch.min.js" {
		t.Errorf("chosen are %s", got)
	}
	if got := m.command(); got != "merry take winch.zip --files dist/winch.min.js" {
		t.Errorf("the command is %s", got)
	}
	press(m, "esc") // leaves the filter, and never the picks
	if len(m.shown) != len(m.rows) || strings.Join(m.chosen(), " ") != "dist/winch.min.js" || m.done {
		t.Errorf("after Escape there are %d rows, and chosen are %s", len(m.shown), m.chosen())
	}
	press(m, "esc", "esc")
	if _, quit := m.Update(tea.KeyPressMsg{Code: tea.KeyEscape}); quit != nil {
		t.Error("Escape leaves the picker")
	}
	press(m, "home", "down", " ") // the folder
	if got := strings.Join(m.chosen(), " "); got != "dist/a.css dist/winch.js dist/winch.min.js" {
		t.Errorf("a folder ticked %s", got)
	}
	press(m, "r", "p")
	if !m.done || !m.plan || strings.Join(m.chosen(), " ") != "dist/winch.js dist/winch.min.js" || m.text() != "" {
		t.Errorf("accepted %v, the plan first %v, %v", m.done, m.plan, m.chosen())
	}
}

// TestFilterByForm: what a script is can be filtered by.
func TestFilterByForm(t *testing.T) {
	m := newPicker(winch(), []string{"merry", "take", "winch.zip"}, false)
	press(m, "/", "s", "e", "r", "v", "e", "r", "enter")
	if len(m.shown) != 2 || m.shown[1].path != "server/winch.js" {
		t.Errorf("the filter shows %+v", m.shown)
	}
}

// TestMouse: a click ticks the row under it, and the wheel moves.
func TestMouse(t *testing.T) {
	m := newPicker(winch(), []string{"merry", "take", "winch.zip"}, false)
	lines := strings.Split(m.text(), "\n")
	at := -1
	for i, l := range lines {
		if strings.Contains(l, "a.css") {
			at = i
		}
	}
	m.Update(tea.MouseClickMsg{Button: tea.MouseLeft, Y: at})
	if !m.ticked["dist/a.css"] {
		t.Errorf("a click on line %d ticked %v of\n%s", at, m.chosen(), m.text())
	}
	before := m.list.Index()
	m.Update(tea.MouseWheelMsg{Button: tea.MouseWheelDown})
	if m.list.Index() != before+1 {
		t.Error("the wheel does not move")
	}
	m.Update(tea.MouseWheelMsg{Button: tea.MouseWheelUp})
	m.Update(tea.MouseClickMsg{Button: tea.MouseLeft, Y: 0}) // on no row
	m.Update(tea.MouseClickMsg{Button: tea.MouseLeft, Y: 99})
	if m.list.Index() != before || len(m.chosen()) != 3 {
		t.Errorf("the cursor is on %d, chosen are %v", m.list.Index(), m.chosen())
	}
}

// TestNarrowWindows: whatever the window's size, no line is longer, it fits, and how to go on is said whole.
func TestNarrowWindows(t *testing.T) {
	p := winch()
	for i := range 40 {
		p.Files = append(p.Files,
			crate.PeekedFile{Path: fmt.Sprintf("themes/a-rather-long-name-of-a-theme-for-the-harbour-%02d.css", i),
				Kind: "stylesheet", Build: "minified", Size: 123456, Wire: 45678})
	}
	for _, size := range [][2]int{{60, 24}, {80, 24}, {45, 15}, {159, 50}, {60, 12}} {
		m := newPicker(p, []string{"merry", "take", "../downloads/winch-1.0.0.zip", "--page", "**"}, false)
		m.Update(tea.WindowSizeMsg{Width: size[0], Height: size[1]})
		for step, keys := range [][]string{nil, {"/", "t", "h", "e", "m", "enter"}, {"home", " "}, {"end"},
			{"pgdown"}} {
			press(m, keys...)
			lines := strings.Split(m.text(), "\n")
			if len(lines) > size[1] {
				t.Errorf("%v, step %d: %d lines", size, step, len(lines))
			}
			for _, l := range lines {
				if ansi.StringWidth(l) > size[0] {
					t.Errorf("%v, step %d: a line is too long: %s", size, step, l)
				}
			}
			text := strings.Join(strings.Fields(m.text()), " ")
			for _, want := range []string{"space: select", "esc: show all", "enter: take", "p: show the plan first",
				"q: quit", "files,"} {
				if !strings.Contains(text, want) {
					t.Errorf("%v, step %d: %q is not to be seen:\n%s", size, step, want, m.text())
				}
			}
		}
	}
}

// TestManyFiles: a key in a list of 5,000 files is heeded and drawn before a person notices.
func TestManyFiles(t *testing.T) {
	p := winch()
	for i := range 5000 {
		p.Files = append(p.Files, crate.PeekedFile{Path: fmt.Sprintf("modules/%d/part-%d.js", i%50, i), Kind: "script",
			Size: 1})
	}
	m := newPicker(p, []string{"merry", "take", "winch.zip"}, false)
	begun := time.Now()
	const keys = 40
	press(m, "/")
	for range keys / 8 {
		for _, k := range []string{"p", "a", "r", "t", "-", "1", "2", "esc"} {
			press(m, k)
			_ = m.text()
		}
		press(m, "esc", "/")
	}
	if each := time.Since(begun) / keys; each > 250*time.Millisecond {
		// some 5 ms on a small machine; a quadratic walk takes seconds
		t.Errorf("a key takes %v", each)
	}
}
