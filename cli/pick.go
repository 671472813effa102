package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"

	"charm.land/bubbles/v2/list"
	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"merrycrate.example/merry/crate"
)

// picker lets a person choose files of a delivery: all of them as a tree, the suggested set ticked,
// a filter at the top and the sums at the foot.
type picker struct {
	title  string
	source string
	rows   []pickRow
	ticked map[string]bool
	asIs   map[string]bool // the suggested set
	filter textinput.Model // what is typed goes to it while it has the focus
	list   list.Model
	width  int
	done   bool // accepted
	paint  paint
}

// around is how many lines the picker has beside its rows.
const around = 6

type pickRow struct {
	path   string
	depth  int
	folder bool
	file   crate.PeekedFile
}

// FilterValue is what the list would filter by; the picker filters by itself, to keep the folders above a match.
func (r pickRow) FilterValue() string { return r.path }

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
	io.WriteString(w, d.m.row(it.(pickRow), index == l.Index()))
}

func newPicker(p *crate.Peeked, arg string, color paint) *picker {
	m := &picker{title: strings.TrimSpace(p.Name + " " + p.Version), source: arg, ticked: map[string]bool{}, asIs: map[string]bool{}, width: 100, paint: color, filter: textinput.New()}
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
				m.rows = append(m.rows, pickRow{path: dir, depth: i - 1, folder: true})
			}
		}
		m.rows = append(m.rows, pickRow{path: f.Path, depth: len(parts) - 1, file: f})
	}
	m.list = list.New(nil, drawRow{m}, m.width, 30-around)
	m.list.SetShowTitle(false)
	m.list.SetShowStatusBar(false)
	m.list.SetShowHelp(false)
	m.list.SetShowPagination(false)
	m.list.SetShowFilter(false)
	m.list.SetFilteringEnabled(false)
	m.list.DisableQuitKeybindings()
	m.show()
	for i, r := range m.visible() {
		if m.ticked[r.path] {
			m.list.Select(i)
			break
		}
	}
	return m
}

// Init begins nothing.
func (m *picker) Init() tea.Cmd { return nil }

// show hands the visible rows to the list.
func (m *picker) show() {
	var items []list.Item
	for _, r := range m.visible() {
		items = append(items, r)
	}
	m.list.SetItems(items)
}

// visible are the rows that the filter lets through: files that match, and the folders above them.
func (m *picker) visible() []pickRow {
	if m.filter.Value() == "" {
		return m.rows
	}
	keep := map[string]bool{}
	for _, r := range m.rows {
		text := strings.ToLower(r.path + " " + string(r.file.Kind) + " " + string(r.file.Build))
		if !r.folder && strings.Contains(text, strings.ToLower(m.filter.Value())) {
			keep[r.path] = true
			for dir := path.Dir(r.path); dir != "."; dir = path.Dir(dir) {
				keep[dir] = true
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(m.rows), func(r pickRow) bool { return !keep[r.path] })
}

// under lists the visible files that a row stands for.
func (m *picker) under(r pickRow) []string {
	if !r.folder {
		return []string{r.path}
	}
	var list []string
	for _, v := range m.visible() {
		if !v.folder && strings.HasPrefix(v.path, r.path+"/") {
			list = append(list, v.path)
		}
	}
	return list
}

// Update heeds a key, or the window's size.
func (m *picker) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width = msg.Width
		m.list.SetSize(msg.Width, max(3, msg.Height-around))
	case tea.KeyPressMsg:
		return m.key(msg)
	}
	return m, nil
}

func (m *picker) key(msg tea.KeyPressMsg) (tea.Model, tea.Cmd) {
	if m.filter.Focused() {
		switch msg.String() {
		case "enter", "esc", "down":
			m.filter.Blur()
			return m, nil
		case "ctrl+c":
			return m, tea.Quit
		}
		var cmd tea.Cmd
		m.filter, cmd = m.filter.Update(msg)
		m.show()
		m.list.Select(0)
		return m, cmd
	}
	switch msg.String() {
	case "ctrl+c", "q", "esc":
		return m, tea.Quit
	case "enter":
		m.done = true
		return m, tea.Quit
	case "/":
		return m, m.filter.Focus()
	case "r":
		m.ticked = map[string]bool{}
		for p := range m.asIs {
			m.ticked[p] = true
		}
	case "space", "x":
		if r, ok := m.list.SelectedItem().(pickRow); ok {
			files := m.under(r)
			all := !slices.ContainsFunc(files, func(f string) bool { return !m.ticked[f] })
			for _, f := range files {
				m.ticked[f] = !all
			}
		}
	default:
		var cmd tea.Cmd
		m.list, cmd = m.list.Update(msg)
		return m, cmd
	}
	return m, nil
}

// chosen lists the ticked files in the order of the tree.
func (m *picker) chosen() []string {
	var list []string
	for _, r := range m.rows {
		if !r.folder && m.ticked[r.path] {
			list = append(list, r.path)
		}
	}
	return list
}

// command is how the same choice is said in flags.
func (m *picker) command() string {
	same := true
	for _, r := range m.rows {
		same = same && (r.folder || m.ticked[r.path] == m.asIs[r.path])
	}
	if same {
		return shellWords([]string{"merry", "take", m.source, "--suggested"})
	}
	return shellWords([]string{"merry", "take", m.source, "--files", strings.Join(m.chosen(), ",")})
}

// View draws the picker.
func (m *picker) View() tea.View { return tea.NewView(m.text()) }

func (m *picker) text() string {
	if m.done {
		return ""
	}
	var s strings.Builder
	fmt.Fprintf(&s, "%s   %s\n", m.paint.bold(clean(m.title)), m.paint.dim("space ticks · / filters · r the suggested set · enter takes · q leaves"))
	if m.filter.Focused() || m.filter.Value() != "" {
		s.WriteString(m.filter.View())
	}
	s.WriteString("\n" + strings.TrimRight(m.list.View(), "\n ") + "\n")
	var size, wire int64
	n := 0
	for _, r := range m.rows {
		if !r.folder && m.ticked[r.path] {
			n++
			size += r.file.Size
			wire += max(r.file.Wire, 0)
		}
	}
	fmt.Fprintf(&s, "\n%s, %s, %s packed", plural(n, "file", "files"), bytesText(size), bytesText(wire))
	if pages := m.list.Paginator.TotalPages; pages > 1 {
		fmt.Fprintf(&s, "   %s", m.paint.dim(fmt.Sprintf("page %d of %d", m.list.Paginator.Page+1, pages)))
	}
	s.WriteString("\n" + m.paint.dim(ansi.Truncate(m.command(), max(1, m.width-1), "…")))
	return s.String()
}

func (m *picker) row(r pickRow, here bool) string {
	mark := "  "
	if here {
		mark = "> "
	}
	tick := "[ ]"
	files := m.under(r)
	ticked := 0
	for _, f := range files {
		if m.ticked[f] {
			ticked++
		}
	}
	switch {
	case ticked == len(files) && ticked > 0:
		tick = "[x]"
	case ticked > 0:
		tick = "[-]"
	}
	name := strings.Repeat("  ", r.depth) + clean(path.Base(r.path))
	if r.folder {
		line := fmt.Sprintf("%s%s %s/", mark, tick, name)
		if here {
			line = m.paint.bold(line)
		}
		return line
	}
	width := max(20, min(48, m.width-52))
	name = ansi.Truncate(name, width, "…")
	name += strings.Repeat(" ", width-ansi.StringWidth(name))
	wire := ""
	if r.file.Wire > 0 {
		wire = bytesText(r.file.Wire)
	}
	line := fmt.Sprintf("%s%s %s  %-10s  %-8s  %8s  %8s", mark, tick, name, r.file.Kind, r.file.Build, bytesText(r.file.Size), wire)
	switch {
	case here:
		line = m.paint.bold(line)
	case r.file.Aside != "":
		line = m.paint.dim(line)
	}
	return line
}

// pick shows the picker. It returns the patterns to take, none for the suggested set, and whether
// anything is to be taken at all.
func (a *app) pick(ctx context.Context, p *crate.Peeked, arg string) (files []string, ok bool, err error) {
	m := newPicker(p, arg, paintFor(os.Stdout))
	if _, err := tea.NewProgram(m, tea.WithContext(ctx), tea.WithInput(a.in), tea.WithOutput(os.Stdout)).Run(); err != nil {
		return nil, false, err
	}
	if !m.done || len(m.chosen()) == 0 {
		return nil, false, nil
	}
	a.printf("%s\n", a.paint.dim("$ "+m.command()))
	if strings.HasSuffix(m.command(), "--suggested") {
		return nil, true, nil
	}
	return m.chosen(), true, nil
}
