package typing

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
)

// findings are those that check has of a site, as an editor is told them: file, name, severity, place and texts.
func findings(t *testing.T, s *merrytest.Site) []string {
	t.Helper()
	var answer struct {
		Findings []struct {
			Name, Severity, File, Message, Why, Then string
		}
	}
	if err := json.Unmarshal([]byte(s.Try("check", "--json").Out), &answer); err != nil {
		t.Fatal(err)
	}
	var list []string
	for _, f := range answer.Findings {
		text := f.Message
		for _, more := range []struct{ word, text string }{{"", f.Why}, {"then: ", f.Then}} {
			if more.text != "" {
				text += "\n" + more.word + more.text
			}
		}
		list = append(list, fmt.Sprintf("%s %s %d %s", f.File, f.Name, map[string]int{"error": 1, "warning": 2,
			"note": 3}[f.Severity], text))
	}
	slices.Sort(list)
	return list
}

// told are the findings that an editor was told.
func told(e *merrytest.Editor) []string {
	var list []string
	for file, of := range e.Found() {
		for _, f := range of {
			text, _, _ := strings.Cut(f.Message, "\nnext: ")
			list = append(list, fmt.Sprintf("%s %s %d %s", file, f.Code, f.Severity, text))
		}
	}
	slices.Sort(list)
	return list
}

// settled waits until an editor is told what check finds.
func settled(t *testing.T, e *merrytest.Editor, want []string) {
	t.Helper()
	end := time.Now().Add(20 * time.Second)
	for !slices.Equal(told(e), want) {
		if time.Now().After(end) {
			t.Fatalf("the editor is told\n  %s\nand check finds\n  %s", strings.Join(told(e), "\n  "),
				strings.Join(want, "\n  "))
		}
		time.Sleep(20 * time.Millisecond)
	}
}

const oarlockTag = "  <script src=\"js/oarlock.min.js\"></script>\n"

// TestFindingsWhileTyping: what is wrong with a text that is not saved is told as check tells it of the saved text, in
// pages, own scripts and the packing list; nothing is written, and what is right again is told to be fine.
func TestFindingsWhileTyping(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	for _, tt := range []struct {
		name, file string
		change     func(text string) string
		want       string // a finding's name
	}{
		{"a tag is taken off", "index.html", func(text string) string {
			return strings.Replace(text, oarlockTag, "", 1)
		}, "need-absent"},
		{"a path is misspelt", "index.html", func(text string) string {
			return strings.Replace(text, "js/oarlock.min.js", "js/oarlok.min.js", 1)
		}, "file-missing"},
		{"an own script does not parse", "js/club.js", func(text string) string { return text + "\nfunction (" },
			"syntax-error"},
		{"the packing list says another version", "crate.yaml", func(text string) string {
			return strings.Replace(text, "version: 1.2.0", "version: 1.2.1", 1)
		}, "list-differs"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			before := s.State()
			old := s.Read(tt.file)
			changed := tt.change(old)
			if changed == old {
				t.Fatalf("%s has nothing to change", tt.file)
			}
			e := s.OpenEditor(nil)
			e.Open(tt.file, old)
			e.Fine(tt.file)
			e.Type(tt.file, changed)
			e.Until(tt.want, func(found map[string][]merrytest.Finding) bool {
				for _, list := range found {
					for _, f := range list {
						if f.Code == tt.want {
							return true
						}
					}
				}
				return false
			})
			if s.State() != before {
				t.Error("typing changed the site")
			}
			c := s.Copy()
			c.Write(tt.file, changed)
			settled(t, e, findings(t, c))
			e.Type(tt.file, old)
			settled(t, e, nil)
		})
	}
}

// TestEditorBesideOthers: what another program writes into the site is told; a second editor on the project works; a
// folder without a project is reported once.
func TestEditorBesideOthers(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	e, other := s.OpenEditor(nil), s.OpenEditor(nil)
	e.Open("index.html", s.Read("index.html"))
	other.Open("tides.html", s.Read("tides.html"))
	e.Fine("index.html")
	other.Fine("tides.html")
	s.Remove("js/oarlock.min.js")
	e.Has("js/oarlock.min.js", "sealed-gone")
	other.Has("js/oarlock.min.js", "sealed-gone")
	s.Run("refill")
	e.Fine("js/oarlock.min.js")

	bare := merrytest.Empty(t)
	bare.Write("index.html", merrytest.PlainPage)
	b := bare.OpenEditor(nil)
	b.Open("index.html", merrytest.PlainPage)
	b.Type("index.html", merrytest.PlainPage+"\n")
	for end := time.Now().Add(20 * time.Second); len(b.Told()) == 0 && time.Now().Before(end); {
		time.Sleep(20 * time.Millisecond)
	}
	b.Type("index.html", merrytest.PlainPage+"\n\n")
	time.Sleep(200 * time.Millisecond)
	if list := b.Told(); len(list) != 1 || !strings.Contains(list[0], "merry start") {
		t.Errorf("of a folder without a project it tells %q", list)
	}
}

// TestNoMessage: what is no message of the protocol ends the session with an error that says so.
func TestNoMessage(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	for text, status := range map[string]int{"hello\n": 3, "Content-Length: 5\r\n\r\nhello": 3, "": 0} {
		cmd := s.Command("editor")
		cmd.Stdin = strings.NewReader(text)
		out, _ := cmd.CombinedOutput()
		if cmd.ProcessState.ExitCode() != status || strings.Contains(string(out), "no message") != (status == 3) {
			t.Errorf("%q ends with status %d: %s", text, cmd.ProcessState.ExitCode(), out)
		}
	}
}

// TestBrokenList: a packing list that can't be read is one finding, in its line.
func TestBrokenList(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	e := s.OpenEditor(nil)
	text := s.Read("crate.yaml")
	e.Open("crate.yaml", text)
	e.Fine("crate.yaml")
	e.Type("crate.yaml", text+"sight: public\n")
	if f := e.Has("crate.yaml", "project-unreadable"); f.Range.Start.Line != strings.Count(text, "\n") {
		t.Errorf("it is told of line %d: %s", f.Range.Start.Line, f.Message)
	}
	e.Type("crate.yaml", text)
	e.Fine("crate.yaml")
}

// TestRandomEdits: whatever is typed, the editor is answered, and in the end told what check finds in the saved text.
func TestRandomEdits(t *testing.T) {
	edits := 10_000
	if testing.Short() {
		edits = 300
	}
	t.Parallel()
	s := merrytest.Started(t)
	e := s.OpenEditor(nil)
	r := rand.New(rand.NewPCG(5, 8))
	files := []string{"index.html", "tides.html", "js/club.js", "css/club.css"}
	texts := map[string]string{}
	for _, name := range files {
		texts[name] = s.Read(name)
		e.Open(name, texts[name])
	}
	pieces := []string{"<script " +
		"src=\"js/oarlock.js\"></script>", "<", ">", "\"", "class=\"bw-button\"", "\n", "<!--", "-->",
		"</script>", "<link rel=stylesheet href=css/", ".bw-page {", "}", "oarlock.", "import 'x'", "é", "\U0001f6a3",
		"<style>", "</style>", "{{ page }}", "\r\n", "js/", "<script>", "data-"}
	ask := []string{"textDocument/completion", "textDocument/hover", "textDocument/definition",
		"textDocument/references", "textDocument/documentSymbol", "textDocument/inlayHint",
		"textDocument/prepareRename"}
	for i := range edits {
		name := files[r.IntN(len(files))]
		text := texts[name]
		from := r.IntN(len(text) + 1)
		to := min(len(text), from+r.IntN(12)*r.IntN(2))
		changed := text[:from] + pieces[r.IntN(len(pieces))] + text[to:]
		if r.IntN(40) == 0 || len(changed) > 6000 {
			changed = s.Read(name)
		}
		texts[name] = strings.ToValidUTF8(changed, "")
		e.Type(name, texts[name])
		if i%7 == 0 {
			at := r.IntN(len(texts[name]) + 1)
			params := map[string]any{"textDocument": map[string]string{"uri": e.URI(name)}, "context": map[string]any{},
				"position": merrytest.At(texts[name], at)}
			if err := e.Try(ask[r.IntN(len(ask))], params, nil); err != nil && strings.Contains(err.Error(),
				"mistake") {
				t.Fatalf("edit %d of %s: %v\n%s", i, name, err, texts[name])
			}
		}
		if i%(edits/4) == edits/4-1 {
			c := s.Copy()
			for name, text := range texts {
				c.Write(name, text)
			}
			want := findings(t, c)
			settled(t, e, want)
			if err := os.RemoveAll(filepath.Dir(c.Dir)); err != nil {
				t.Fatal(err)
			}
		}
	}
}
