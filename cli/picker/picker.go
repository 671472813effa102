// Package picker lets a person choose files of a package on a terminal: all of them as a tree, the suggested set
// ticked, a filter, and at the foot the sums and the command that says the same choice in flags.
package picker

import (
	"context"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"charm.land/bubbles/v2/list"
	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/script"
)

// A Choice is the result of the picker.
type Choice struct {
	Files     []string // paths in the package; none is nothing to take
	Suggested bool     // they are the suggested set
	Plan      bool     // what would be done is to be shown first
	Command   string   // says the same in flags
}

// Pick shows the files of a package and returns the user's choice. Typed is the command that was typed, word by word.
func Pick(ctx context.Context, in io.Reader, out io.Writer, p *crate.Peeked, typed []string, paint show.Paint) (Choice,
	error) {
	m := newPicker(p, typed, paint)
	if _, err := tea.NewProgram(m, tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out)).Run(); err != nil {
		return Choice{}, err
	}
	if !m.done {
		return Choice{}, nil
	}
	return Choice{Files: m.chosen(), Suggested: m.suggested(), Plan: m.plan, Command: m.command()}, nil
}

// picker is the state of the choice.
type picker struct {
	title         string
	typed         []string // the command that asks
	rows          []row
	shown         []row // those that the filter lets through
	ticked        map[string]bool
	asIs          map[string]bool // the suggested set
	filter        textinput.Model // what is typed goes to it while it has the focus
	list          list.Model
	width, height int
	done, plan    bool // accepted; and the plan is to be shown first
	paint         show.Paint
}

// A row is a file of the package, or a folder.
type row struct {
	path   string
	depth  int
	folder bool
	file   crate.PeekedFile
}

// FilterValue is what the list would filter by; the picker filters alone, to keep the folders above a match.
func (r row) FilterValue() string { return r.path }

// drawRow draws a picker's rows for the list.
type drawRow struct{ m *picker }

// Height is that of a row, in lines.
func (drawRow) Height() int { return 1 }

// Spacing is the space between rows, in lines.
func (drawRow) Spacing() int { return 0 }

// Update does nothing: the picker heeds the keys.
func (drawRow) Update(tea.Msg, *list.Model) tea.Cmd { return nil }

// Render writes a row.
func (d drawRow) Render(w io.Writer, l list.Model, index int, it list.Item) {
	io.WriteString(w, d.m.draw(it.(row), index == l.Index()))
}

func newPicker(p *crate.Peeked, typed []string, paint show.Paint) *picker {
	m := &picker{title: strings.TrimSpace(p.Name + " " + p.Version), typed: typed, ticked: map[string]bool{},
		asIs: map[string]bool{}, paint: paint, filter: textinput.New()}
	m.filter.Prompt = "filter: "
	for _, s := range p.Suggested {
		m.ticked[s.Path], m.asIs[s.Path] = true, true
	}
	seen := map[string]bool{}
	for _, f := range p.Files {
		parts := strings.Split(f.Path, "/")
		for i := 1; i < len(parts); i++ {
			dir := strings.Join(parts[:i], "/")
			if !seen[dir] {
				seen[dir] = true
				m.rows = append(m.rows, row{path: dir, depth: i - 1, folder: true})
			}
		}
		m.rows = append(m.rows, row{path: f.Path, depth: len(parts) - 1, file: f})
	}
	m.list = list.New(nil, drawRow{m}, 1, 1)
	m.list.SetShowTitle(false)
	m.list.SetShowStatusBar(false)
	m.list.SetShowHelp(false)
	m.list.SetShowPagination(false)
	m.list.SetShowFilter(false)
	m.list.SetFilteringEnabled(false)
	m.list.DisableQuitKeybindings()
	m.narrow()
	m.resize(100, 30)
	m.list.Select(max(0, slices.IndexFunc(m.shown, func(r row) bool { return m.ticked[r.path] })))
	return m
}

// Init begins nothing.
func (m *picker) Init() tea.Cmd { return nil }

// narrow shows the rows that the filter lets through: files that match, and the folders above them.
func (m *picker) narrow() {
	m.shown = m.rows
	if wish := strings.ToLower(m.filter.Value()); wish != "" {
		keep := map[string]bool{}
		for _, r := range m.rows {
			if !r.folder && strings.Contains(strings.ToLower(r.path+" "+string(r.file.Kind)+" "+string(r.file.Build)+
				" "+form(r.file)), wish) {
				keep[r.path] = true
				for dir := path.Dir(r.path); dir != "." && !keep[dir]; dir = path.Dir(dir) {
					keep[dir] = true
				}
			}
		}
		m.shown = slices.DeleteFunc(slices.Clone(m.rows), func(r row) bool { return !keep[r.path] })
	}
	items := make([]list.Item, len(m.shown))
	for i, r := range m.shown {
		items[i] = r
	}
	m.list.SetItems(items)
}

// under are the shown files that a row stands for.
func (m *picker) under(r row) []string {
	if !r.folder {
		return []string{r.path}
	}
	var files []string
	for _, v := range m.shown {
		if !v.folder && strings.HasPrefix(v.path, r.path+"/") {
			files = append(files, v.path)
		}
	}
	return files
}

// Update heeds a key, the mouse, or the window's size.
func (m *picker) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.resize(msg.Width, msg.Height)
	case tea.KeyPressMsg:
		cmd := m.key(msg)
		m.resize(m.width, m.height) // what is said around the rows may be longer or shorter now
		return m, cmd
	case tea.MouseWheelMsg:
		if msg.Button == tea.MouseWheelUp {
			m.list.CursorUp()
		} else {
			m.list.CursorDown()
		}
	case tea.MouseClickMsg:
		if n := msg.Y - m.above(); msg.Button == tea.MouseLeft && n >= 0 &&
			n < m.list.Paginator.ItemsOnPage(len(m.shown)) {
			m.list.Select(m.list.Paginator.Page*m.list.Paginator.PerPage + n)
			m.tick()
			m.resize(m.width, m.height)
		}
	}
	return m, nil
}

// resize gives the rows what the lines around them leave of the window.
func (m *picker) resize(width, height int) {
	m.width, m.height = width, height
	m.list.SetSize(width, max(leastRows, height-m.above()-strings.Count(m.foot(), "\n")-1))
}

func (m *picker) key(msg tea.KeyPressMsg) tea.Cmd {
	if m.filter.Focused() {
		switch msg.String() {
		case "enter", "esc", "down":
			m.filter.Blur()
			return nil
		case "ctrl+c":
			return tea.Quit
		}
		var cmd tea.Cmd
		m.filter, cmd = m.filter.Update(msg)
		m.narrow()
		m.list.Select(0)
		return cmd
	}
	switch msg.String() {
	case "ctrl+c", "q":
		return tea.Quit
	case "esc": // leaves the filter, and never what was picked
		m.filter.SetValue("")
		m.narrow()
	case "enter":
		m.done = true
		return tea.Quit
	case "p":
		m.done, m.plan = true, true
		return tea.Quit
	case "/":
		return m.filter.Focus()
	case "r":
		m.ticked = map[string]bool{}
		for p := range m.asIs {
			m.ticked[p] = true
		}
	case "space", "x":
		m.tick()
	default:
		var cmd tea.Cmd
		m.list, cmd = m.list.Update(msg)
		return cmd
	}
	return nil
}

// tick ticks what the cursor is on, or takes the tick off where all of it has one.
func (m *picker) tick() {
	r, ok := m.list.SelectedItem().(row)
	if !ok {
		return
	}
	files := m.under(r)
	all := !slices.ContainsFunc(files, func(f string) bool { return !m.ticked[f] })
	for _, f := range files {
		m.ticked[f] = !all
	}
}

// chosen lists the ticked files in the order of the tree.
func (m *picker) chosen() []string {
	var files []string
	for _, r := range m.rows {
		if !r.folder && m.ticked[r.path] {
			files = append(files, r.path)
		}
	}
	return files
}

// suggested reports whether the ticked files are the suggested set.
func (m *picker) suggested() bool {
	return !slices.ContainsFunc(m.rows, func(r row) bool { return !r.folder && m.ticked[r.path] != m.asIs[r.path] })
}

// command is how the same choice is said in flags.
func (m *picker) command() string {
	if m.suggested() {
		return show.Command(append(slices.Clone(m.typed), "--suggested"))
	}
	return show.Command(append(slices.Clone(m.typed), "--files", strings.Join(m.chosen(), ",")))
}

// View draws the picker.
func (m *picker) View() tea.View {
	v := tea.NewView(m.text())
	v.AltScreen, v.MouseMode = true, tea.MouseModeCellMotion
	return v
}

// keys are what can be pressed. What stands between two dots stays on one line.
const keys = "space: select · /: filter · esc: show all · r: suggested set · enter: take · p: show the plan first " +
	"· q: quit"

// head is what stands above the rows: what it is, which keys there are, and the filter.
func (m *picker) head() string {
	text := m.paint.Bold(show.Text(m.title)) + "\n" + m.paint.Dim(wrapWhole(keys, m.width)) + "\n"
	if m.filter.Focused() || m.filter.Value() != "" {
		text += m.filter.View()
	}
	return text + "\n"
}

// above is how many lines stand above the rows.
func (m *picker) above() int { return strings.Count(m.head(), "\n") }

// leastRows is how many rows are shown in any window.
const leastRows = 3

// foot is what is below the rows: the sums, and the command.
func (m *picker) foot() string {
	var size, packed int64
	n := 0
	for _, r := range m.rows {
		if !r.folder && m.ticked[r.path] {
			n++
			size += r.file.Size
			packed += max(r.file.Wire, 0)
		}
	}
	sums := fmt.Sprintf("%s, %s, %s packed", show.Count(n, "file", "files"), show.Bytes(size), show.Bytes(packed))
	if m.list.Paginator.TotalPages > 1 {
		sums += m.paint.Dim(fmt.Sprintf("   page %d of %d", m.list.Paginator.Page+1, m.list.Paginator.TotalPages))
	}
	text := "\n" + wrap(sums, m.width)
	lines := strings.Split(wrap(m.command(), m.width), "\n")
	if most := max(1, (m.height-m.above()-leastRows-2)/2); len(lines) > most {
		lines = append(lines[:most-1], "… "+show.Count(n, "file", "files")+" in total")
	}
	return text + "\n" + m.paint.Dim(strings.Join(lines, "\n"))
}

// wrap breaks a text into lines that fit: at blanks, and where a word is longer than a line behind its commas and
// slashes, never at dashes.
func wrap(text string, width int) string {
	const dash = "\u2011"
	return strings.ReplaceAll(ansi.Wrap(strings.ReplaceAll(text, "-", dash), max(20, width-1), ",/"), dash, "-")
}

// wrapWhole breaks a text at its dots alone.
func wrapWhole(text string, width int) string {
	const fixed = "\u00a0"
	text = strings.ReplaceAll(strings.ReplaceAll(text, " ", fixed), "·"+fixed, "· ")
	return strings.ReplaceAll(wrap(text, width), fixed, " ")
}

func (m *picker) text() string {
	if m.done {
		return ""
	}
	return m.head() + strings.TrimRight(m.list.View(), "\n ") + "\n" + m.foot()
}

// form is how a script wants to be loaded, in short; "" if it is a plain one.
func form(f crate.PeekedFile) string {
	switch f.Form {
	case script.Module, script.AMD:
		return string(f.Form)
	case script.Universal:
		return "universal"
	case script.Server:
		return "server"
	case script.Broken:
		return "broken"
	}
	return ""
}

// draw is a row as a line. What a narrow window has no room for is left out from the right, never what a file is.
func (m *picker) draw(r row, here bool) string {
	mark := "  "
	if here {
		mark = "> "
	}
	files := m.under(r)
	ticked := 0
	for _, f := range files {
		if m.ticked[f] {
			ticked++
		}
	}
	tick := "[ ]"
	switch {
	case ticked == len(files) && ticked > 0:
		tick = "[x]"
	case ticked > 0:
		tick = "[-]"
	}
	name := strings.Repeat("  ", r.depth) + show.Text(path.Base(r.path))
	var line string
	if r.folder {
		line = ansi.Truncate(fmt.Sprintf("%s%s %s/", mark, tick, name), m.width-1, "…")
	} else {
		kind := strings.TrimSpace(string(r.file.Kind) + " " + form(r.file))
		if r.file.Kind == packages.Script && form(r.file) != "" {
			kind = form(r.file) + " script"
		}
		cells := []string{fmt.Sprintf("%-16s", kind), fmt.Sprintf("%8s", show.Bytes(r.file.Size)),
			fmt.Sprintf("%-8s", r.file.Build), fmt.Sprintf("%8s", packed(r.file))}
		rest := ""
		const least = 22
		for _, c := range cells {
			if len(mark)+len(tick)+1+least+ansi.StringWidth(rest)+2+len(c) < m.width {
				rest += "  " + c
			}
		}
		width := min(48, max(least, m.width-1-len(mark)-len(tick)-1-ansi.StringWidth(rest)))
		name = ansi.Truncate(name, width, "…")
		line = strings.TrimRight(mark+tick+" "+name+strings.Repeat(" ", max(0, width-ansi.StringWidth(name)))+rest, " ")
	}
	switch {
	case here:
		return m.paint.Bold(line)
	case r.file.ExcludedBecause != "":
		return m.paint.Dim(line)
	}
	return line
}

// packed is a file's size as it is sent, where that is known.
func packed(f crate.PeekedFile) string {
	if f.Wire <= 0 {
		return ""
	}
	return show.Bytes(f.Wire)
}
