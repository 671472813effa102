package merrytest

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"maps"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"golang.org/x/exp/jsonrpc2"
)

// An Editor is the other side of merry editor: it holds texts, and remembers what it is told. Positions count bytes.
type Editor struct {
	t    testing.TB
	dir  string
	conn *jsonrpc2.Connection
	cmd  *exec.Cmd

	mu       sync.Mutex
	changed  *sync.Cond
	texts    map[string]string
	versions map[string]int
	found    map[string][]Finding
	stamps   map[string]int // the version that the findings of a file are of
	told     []string
	choose   string // the answer to plans
	plans    []string
}

// A Finding is a diagnostic, as far as tests look at it.
type Finding struct {
	Code     string `json:"code"`
	Severity int    `json:"severity"`
	Message  string `json:"message"`
	Range    Range  `json:"range"`
	// CodeDescription leads to what explains it.
	CodeDescription struct{ Href string } `json:"codeDescription"`
}

// A Position is a line and a byte in it, both from 0, and a Range has two.
type (
	Position struct{ Line, Character int }
	Range    struct{ Start, End Position }
)

// An Edit replaces a range of a text.
type Edit struct {
	Range   Range  `json:"range"`
	NewText string `json:"newText"`
}

type pipes struct {
	io.ReadCloser
	io.WriteCloser
}

func (p pipes) Dial(context.Context) (io.ReadWriteCloser, error) { return p, nil }

func (p pipes) Close() error {
	p.WriteCloser.Close()
	return p.ReadCloser.Close()
}

// OpenEditor starts merry editor for a site, and ends it with the test.
func (s *Site) OpenEditor(options map[string]any) *Editor {
	s.T.Helper()
	e := &Editor{t: s.T, dir: s.Dir, texts: map[string]string{}, versions: map[string]int{},
		found:  map[string][]Finding{},
		stamps: map[string]int{}}
	e.changed = sync.NewCond(&e.mu)
	e.cmd = s.Command("editor")
	in, err := e.cmd.StdinPipe()
	if err != nil {
		s.T.Fatal(err)
	}
	out, err := e.cmd.StdoutPipe()
	if err != nil {
		s.T.Fatal(err)
	}
	if err := e.cmd.Start(); err != nil {
		s.T.Fatal(err)
	}
	ctx := context.Background()
	e.conn, err = jsonrpc2.Dial(ctx, pipes{out, in},
		jsonrpc2.ConnectionOptions{Handler: jsonrpc2.HandlerFunc(e.handle)})
	if err != nil {
		s.T.Fatal(err)
	}
	s.T.Cleanup(func() {
		e.conn.Call(ctx, "shutdown", nil).Await(ctx, nil)
		e.conn.Notify(ctx, "exit", nil)
		in.Close()
		if err := e.cmd.Wait(); err != nil {
			s.T.Errorf("merry editor ends with %v", err)
		}
	})
	e.Call("initialize", map[string]any{"rootUri": uri(e.dir), "initializationOptions": options,
		"capabilities": map[string]any{"general": map[string]any{"positionEncodings": []string{"utf-8"}},
			"workspace": map[string]any{"workspaceEdit": map[string]any{"documentChanges": true,
				"resourceOperations": []string{"rename"}}}}}, nil)
	return e
}

func uri(path string) string { return "file://" + filepath.ToSlash(path) }

// URI is that of a file of the site.
func (e *Editor) URI(name string) string { return uri(filepath.Join(e.dir, filepath.FromSlash(name))) }

func (e *Editor) name(uri string) string {
	return strings.TrimPrefix(strings.TrimPrefix(uri, "file://"+filepath.ToSlash(e.dir)), "/")
}

// handle takes what the server tells and asks.
func (e *Editor) handle(_ context.Context, req *jsonrpc2.Request) (any, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	defer e.changed.Broadcast()
	switch req.Method {
	case "textDocument/publishDiagnostics":
		var p struct {
			URI         string    `json:"uri"`
			Version     int       `json:"version"`
			Diagnostics []Finding `json:"diagnostics"`
		}
		if err := json.Unmarshal(req.Params, &p); err != nil {
			return nil, err
		}
		e.found[e.name(p.URI)], e.stamps[e.name(p.URI)] = p.Diagnostics, p.Version
	case "window/showMessage", "window/showMessageRequest":
		var p struct{ Message string }
		if err := json.Unmarshal(req.Params, &p); err != nil {
			return nil, err
		}
		if req.Method == "window/showMessage" {
			e.told = append(e.told, p.Message)
			return nil, nil
		}
		e.plans = append(e.plans, p.Message)
		return map[string]string{"title": e.choose}, nil
	}
	return nil, nil
}

// Try asks the server something, and returns its error.
func (e *Editor) Try(method string, params, result any) error {
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	return e.conn.Call(ctx, method, params).Await(ctx, result)
}

// Call is Try for what must not fail.
func (e *Editor) Call(method string, params, result any) {
	e.t.Helper()
	if err := e.Try(method, params, result); err != nil {
		e.t.Fatalf("%s: %v", method, err)
	}
}

// Open opens a file with a text.
func (e *Editor) Open(name, text string) {
	e.t.Helper()
	e.mu.Lock()
	e.texts[name], e.versions[name] = text, 1
	e.mu.Unlock()
	e.notify("textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": e.URI(name),
		"languageId": "html", "version": 1, "text": text}})
}

// Type makes an open file have another text, by the edit that makes it of the old one.
func (e *Editor) Type(name, text string) {
	e.t.Helper()
	e.mu.Lock()
	old := e.texts[name]
	e.texts[name] = text
	e.versions[name]++
	version := e.versions[name]
	e.mu.Unlock()
	from := 0
	for from < min(len(old), len(text)) && old[from] == text[from] {
		from++
	}
	back := 0
	for back < min(len(old), len(text))-from && old[len(old)-1-back] == text[len(text)-1-back] {
		back++
	}
	e.notify("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": e.URI(name),
		"version": version}, "contentChanges": []any{map[string]any{"range": Range{At(old, from), At(old,
		len(old)-back)},
		"text": text[from : len(text)-back]}}})
}

// Save says that a file was saved; the test writes it.
func (e *Editor) Save(name string) {
	e.notify("textDocument/didSave", map[string]any{"textDocument": map[string]any{"uri": e.URI(name)}})
}

func (e *Editor) notify(method string, params any) {
	e.t.Helper()
	if err := e.conn.Notify(context.Background(), method, params); err != nil {
		e.t.Fatalf("%s: %v", method, err)
	}
}

// At is the position of an offset of a text.
func At(text string, offset int) Position {
	line := strings.Count(text[:offset], "\n")
	return Position{line, offset - (strings.LastIndex(text[:offset], "\n") + 1)}
}

// MarshalJSON writes a position as the protocol has it.
func (p Position) MarshalJSON() ([]byte, error) {
	return json.Marshal(map[string]int{"line": p.Line, "character": p.Character})
}

// MarshalJSON writes a range as the protocol has it.
func (r Range) MarshalJSON() ([]byte, error) {
	return json.Marshal(map[string]Position{"start": r.Start, "end": r.End})
}

// In is the place behind the first occurrence of some text in an open file, as requests name it.
func (e *Editor) In(name, behind string) map[string]any {
	e.t.Helper()
	text := e.Text(name)
	at := strings.Index(text, behind)
	if at < 0 {
		e.t.Fatalf("%s has no %q", name, behind)
	}
	return map[string]any{"textDocument": map[string]string{"uri": e.URI(name)},
		"position": At(text, at+len(behind)), "context": map[string]any{}}
}

// Text is the text of an open file.
func (e *Editor) Text(name string) string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.texts[name]
}

// Until waits until a condition holds, for some seconds.
func (e *Editor) Until(what string, holds func(found map[string][]Finding) bool) {
	e.t.Helper()
	timer := time.AfterFunc(20*time.Second, e.changed.Broadcast)
	defer timer.Stop()
	end := time.Now().Add(20 * time.Second)
	e.mu.Lock()
	defer e.mu.Unlock()
	for !holds(e.found) {
		if time.Now().After(end) {
			e.t.Fatalf("%s does not come; there is %v", what, e.found)
		}
		e.changed.Wait()
	}
}

// Has waits until a file has a finding of a name, and returns the first.
func (e *Editor) Has(name, code string) (first Finding) {
	e.t.Helper()
	e.Until(code+" of "+name, func(found map[string][]Finding) bool {
		for _, f := range found[name] {
			if f.Code == code {
				first = f
				return true
			}
		}
		return false
	})
	return first
}

// Fine waits until a file has no finding.
func (e *Editor) Fine(name string) {
	e.t.Helper()
	e.Until("no finding of "+name, func(found map[string][]Finding) bool {
		list, has := found[name]
		return has && len(list) == 0
	})
}

// Found are the findings that were told last, by file.
func (e *Editor) Found() map[string][]Finding {
	e.mu.Lock()
	defer e.mu.Unlock()
	return maps.Clone(e.found)
}

// Told are the messages that were shown.
func (e *Editor) Told() []string {
	e.mu.Lock()
	defer e.mu.Unlock()
	return append([]string(nil), e.told...)
}

// Choose sets the answer to plans, and returns the plans that were shown so far.
func (e *Editor) Choose(answer string) []string {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.choose = answer
	return append([]string(nil), e.plans...)
}

// Apply applies edits to a text.
func Apply(text string, edits []Edit) string {
	offset := func(p Position) int {
		at := 0
		for range p.Line {
			i := strings.IndexByte(text[at:], '\n')
			if i < 0 {
				return len(text)
			}
			at += i + 1
		}
		return min(at+p.Character, len(text))
	}
	var out bytes.Buffer
	end := 0
	for _, e := range edits { // they are in their order, and touch nothing twice
		out.WriteString(text[end:offset(e.Range.Start)])
		out.WriteString(e.NewText)
		end = offset(e.Range.End)
	}
	out.WriteString(text[end:])
	return out.String()
}
