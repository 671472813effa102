package cli

import (
	"fmt"
	"os"
	"path"
	"slices"
	"strings"

	tea "github.com/charmbracelet/bubbletea"

	"merrycrate.example/merry/crate"
)

// picker lets a person choose files of a delivery: all of them as a tree, the suggested set ticked,
// a filter at the top and the sums at the foot.
type picker struct {
	title  string
	source string
	rows   []pickRow
	ticked map[string]bool
	filter string
	typing bool // what is typed goes to the filter
	cursor int  // among the visible rows
	top    int
	width  int
	height int
	done   bool // accepted
	paint  paint
	asIs   map[string]bool // the suggested set
}

type pickRow struct {
	path   string
	depth  int
	folder bool
	file   crate.PeekedFile
}

func newPicker(p *crate.Peeked, arg string, color paint) *picker {
	m := &picker{title: strings.TrimSpace(p.Name + " " + p.Version), source: arg, ticked: map[string]bool{}, asIs: map[string]bool{}, width: 100, height: 30, paint: color}
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
	for i, r := range m.visible() {
		if m.ticked[r.path] {
			m.cursor = i
			break
		}
	}
	return m
}

func (m *picker) Init() tea.Cmd { return nil }

// visible are the rows that the filter lets through: files that match, and the folders above them.
func (m *picker) visible() []pickRow {
	if m.filter == "" {
		return m.rows
	}
	keep := map[string]bool{}
	for _, r := range m.rows {
		text := strings.ToLower(r.path + " " + string(r.file.Kind) + " " + string(r.file.Build))
		if !r.folder && strings.Contains(text, strings.ToLower(m.filter)) {
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

func (m *picker) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
	case tea.KeyMsg:
		return m.key(msg)
	}
	return m, nil
}

func (m *picker) key(msg tea.KeyMsg) (tea.Model, tea.Cmd) {
	if m.typing {
		switch msg.Type {
		case tea.KeyEnter, tea.KeyEsc, tea.KeyDown:
			m.typing = false
		case tea.KeyBackspace:
			if r := []rune(m.filter); len(r) > 0 {
				m.filter = string(r[:len(r)-1])
			}
		case tea.KeyRunes, tea.KeySpace:
			m.filter += string(msg.Runes)
		case tea.KeyCtrlC:
			return m, tea.Quit
		}
		m.cursor = 0
		return m, nil
	}
	rows := m.visible()
	switch msg.String() {
	case "ctrl+c", "q", "esc":
		return m, tea.Quit
	case "enter":
		m.done = true
		return m, tea.Quit
	case "up", "k":
		m.cursor--
	case "down", "j":
		m.cursor++
	case "pgup":
		m.cursor -= m.height - 8
	case "pgdown":
		m.cursor += m.height - 8
	case "home":
		m.cursor = 0
	case "end":
		m.cursor = len(rows) - 1
	case "/":
		m.typing = true
	case "r":
		m.ticked = map[string]bool{}
		for p := range m.asIs {
			m.ticked[p] = true
		}
	case " ", "x":
		if m.cursor < len(rows) {
			files := m.under(rows[m.cursor])
			all := true
			for _, f := range files {
				all = all && m.ticked[f]
			}
			for _, f := range files {
				m.ticked[f] = !all
			}
		}
	}
	m.cursor = max(0, min(m.cursor, len(rows)-1))
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

func (m *picker) View() string {
	if m.done {
		return ""
	}
	var s strings.Builder
	fmt.Fprintf(&s, "%s   %s\n", m.paint.bold(clean(m.title)), m.paint.dim("space ticks · / filters · r the suggested set · enter takes · q leaves"))
	switch {
	case m.typing:
		fmt.Fprintf(&s, "filter: %s_\n", m.filter)
	case m.filter != "":
		fmt.Fprintf(&s, "filter: %s\n", m.filter)
	default:
		s.WriteString("\n")
	}
	rows := m.visible()
	room := max(3, m.height-6)
	if m.cursor < m.top {
		m.top = m.cursor
	}
	if m.cursor >= m.top+room {
		m.top = m.cursor - room + 1
	}
	m.top = max(0, min(m.top, len(rows)-room))
	for i := m.top; i < min(len(rows), m.top+room); i++ {
		s.WriteString(m.row(rows[i], i == m.cursor) + "\n")
	}
	var size, wire int64
	n := 0
	for _, r := range m.rows {
		if !r.folder && m.ticked[r.path] {
			n++
			size += r.file.Size
			wire += max(r.file.Wire, 0)
		}
	}
	fmt.Fprintf(&s, "\n%s, %s, %s packed\n", plural(n, "file", "files"), bytesText(size), bytesText(wire))
	command := m.command()
	if len(command) > m.width-1 {
		command = command[:max(0, m.width-2)] + "…"
	}
	s.WriteString(m.paint.dim(command))
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
	if len(name) > width {
		name = name[:width-1] + "…"
	}
	wire := ""
	if r.file.Wire > 0 {
		wire = bytesText(r.file.Wire)
	}
	line := fmt.Sprintf("%s%s %-*s  %-10s  %-8s  %8s  %8s", mark, tick, width, name, r.file.Kind, r.file.Build, bytesText(r.file.Size), wire)
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
func (a *app) pick(p *crate.Peeked, arg string) (files []string, ok bool, err error) {
	m := newPicker(p, arg, paintFor(os.Stdout))
	if _, err := tea.NewProgram(m, tea.WithInput(a.in), tea.WithOutput(os.Stdout)).Run(); err != nil {
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
