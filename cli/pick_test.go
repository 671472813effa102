package cli

import (
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"

	"merrycrate.example/merry/crate"
)

func press(m *picker, keys ...string) {
	for _, k := range keys {
		msg := tea.KeyPressMsg{Text: k, Code: []rune(k)[0]}
		switch k {
		case "enter":
			msg = tea.KeyPressMsg{Code: tea.KeyEnter}
		case "down":
			msg = tea.KeyPressMsg{Code: tea.KeyDown}
		}
		m.Update(msg)
	}
}

// TestPicker drives the picker by its keys: the suggested set is ticked, folders tick all below them,
// the filter narrows, the sums follow, and the command at the foot says the same choice in flags.
func TestPicker(t *testing.T) {
	p := &crate.Peeked{Name: "winch", Version: "1.0.0",
		Files: []crate.PeekedFile{{Path: "README.md", Kind: "document", Size: 10}, {Path: "dist/a.css", Kind: "stylesheet", Size: 100, Wire: 50},
			{Path: "dist/winch.js", Kind: "script", Build: "readable", Size: 1000, Wire: 400}, {Path: "dist/winch.min.js", Kind: "script", Build: "minified", Size: 500, Wire: 300}},
		Suggested: []crate.PeekedChoice{{Path: "dist/winch.js"}, {Path: "dist/winch.min.js"}}}
	m := newPicker(p, "winch.zip", false)
	if got := m.command(); got != "merry take winch.zip --suggested" {
		t.Errorf("at first the command is %s", got)
	}
	view := m.text()
	for _, want := range []string{"[-] dist/", "> [x]   winch.js", "[ ] README.md", "2 files, 1.5 kB, 700 B packed"} {
		if !strings.Contains(view, want) {
			t.Errorf("the view lacks %q:\n%s", want, view)
		}
	}
	press(m, " ", "/", "m", "i", "n", "enter", "down", "down")
	if rows := m.visible(); len(rows) != 2 || rows[1].path != "dist/winch.min.js" {
		t.Errorf("the filter shows %+v", rows)
	}
	if got := strings.Join(m.chosen(), " "); got != "dist/winch.min.js" {
		t.Errorf("chosen are %s", got)
	}
	if got := m.command(); got != "merry take winch.zip --files dist/winch.min.js" {
		t.Errorf("the command is %s", got)
	}
	m.filter.SetValue("")
	m.show()
	m.list.Select(1) // the folder
	press(m, " ")
	if got := strings.Join(m.chosen(), " "); got != "dist/a.css dist/winch.js dist/winch.min.js" {
		t.Errorf("a folder ticked %s", got)
	}
	press(m, "r", "enter")
	if !m.done || strings.Join(m.chosen(), " ") != "dist/winch.js dist/winch.min.js" || m.text() != "" {
		t.Errorf("accepted %v %v", m.done, m.chosen())
	}
}
