package editor

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/record"
)

// A site is one project of which files are open. It is checked again after each pause.
type site struct {
	s    *server
	root string

	mu        sync.Mutex
	timer     *time.Timer
	cancel    context.CancelFunc // of the check that is under way
	state     int                // counts the changes
	findings  map[string][]check.Finding
	published map[string]string // by URI, what was published last

	// The snapshot for the state in which it was opened, guarded by server.reading.
	snapshot      *crate.Snapshot
	door          *crate.Crate
	snapshotState int
	memory        *crate.EditingMemory
}

func newSite(s *server, root string) *site {
	of := &site{s: s, root: root, published: map[string]string{}, snapshotState: -1, memory: &crate.EditingMemory{}}
	go of.watch()
	return of
}

// watch takes changes to files outside of the editor, until the session ends.
func (of *site) watch() {
	door, err := of.s.opt.Open(of.root, nil)
	if err != nil {
		return
	}
	defer door.Close()
	door.Watch(of.s.ctx, crate.Unhurried, func([]string) { of.changed() }) // without it, saving checks again
}

// changed begins a check when nothing has changed for a while, and ends one that is under way: its answer is of no use.
func (of *site) changed() {
	of.mu.Lock()
	defer of.mu.Unlock()
	of.state++
	if of.cancel != nil {
		of.cancel()
	}
	if of.timer == nil {
		of.timer = time.AfterFunc(pause, of.check)
		return
	}
	of.timer.Reset(pause)
}

// soon is how long the answer of a check with rehearsals is waited for before what is known without is shown.
const soon = 70 * time.Millisecond

// check checks the site with all that is not saved, and publishes what it finds: first what reading shows, then with
// what rehearsals show, unless these are quick.
func (of *site) check() {
	of.mu.Lock()
	ctx, cancel := context.WithCancel(of.s.ctx)
	of.cancel = cancel
	state := of.state
	of.mu.Unlock()
	defer cancel()
	texts := of.s.texts()
	door, err := of.s.opt.Open(of.root, texts)
	if err != nil {
		return
	}
	defer door.Close()
	begun := time.Now()
	quick, err := door.Check(ctx, crate.CheckRequest{Rehearse: crate.Never})
	if err != nil {
		of.failed(ctx, state, err, texts)
		return
	}
	done := make(chan struct{})
	var once sync.Mutex
	whole := false
	timer := time.AfterFunc(max(0, soon-time.Since(begun)), func() {
		once.Lock()
		defer once.Unlock()
		if !whole {
			of.publish(state, quick.Findings, texts)
		}
	})
	go func() {
		defer close(done)
		found, err := door.Check(ctx, crate.CheckRequest{Rehearse: crate.IfFew})
		if err != nil {
			return
		}
		once.Lock()
		defer once.Unlock()
		whole = true
		of.publish(state, found.Findings, texts)
	}()
	<-done
	if ctx.Err() != nil {
		timer.Stop()
	}
}

// failed publishes an error of the whole project, such as a packing list that can't be read, at its place.
func (of *site) failed(ctx context.Context, state int, err error, texts map[string][]byte) {
	if ctx.Err() != nil {
		return
	}
	file, line := record.ListFile, 1
	text := sentence(err)
	if rest, is := strings.CutPrefix(text, record.ListFile+":"); is {
		n := 0
		for len(rest) > 0 && rest[0] >= '0' && rest[0] <= '9' {
			n, rest = n*10+int(rest[0]-'0'), rest[1:]
		}
		line = max(1, n)
	}
	of.publish(state, []check.Finding{{Name: "project-unreadable", Severity: check.Error, File: file, Line: line,
		Column: 1, Message: text}}, texts)
}

// publish tells the editor what was found, file by file, as far as that is news.
func (of *site) publish(state int, found []check.Finding, texts map[string][]byte) {
	of.mu.Lock()
	defer of.mu.Unlock()
	if state != of.state || of.s.ctx.Err() != nil {
		return
	}
	of.findings = map[string][]check.Finding{}
	byURI := map[string][]diagnostic{}
	for _, f := range found {
		path := filepath.Join(of.root, filepath.FromSlash(f.File))
		of.findings[path] = append(of.findings[path], f)
		text, open := texts[path]
		if !open {
			text, _ = os.ReadFile(path)
		}
		uri := of.s.uri(path)
		byURI[uri] = append(byURI[uri], of.s.diagnostic(f, text))
	}
	for uri := range of.published {
		if _, still := byURI[uri]; !still {
			byURI[uri] = []diagnostic{}
		}
	}
	for path := range texts { // a file that is open is told to be fine, too
		if rel, err := filepath.Rel(of.root, path); err == nil && filepath.IsLocal(rel) {
			if uri := of.s.uri(path); byURI[uri] == nil {
				byURI[uri] = []diagnostic{}
			}
		}
	}
	for uri, list := range byURI {
		version := 0
		if d := of.s.document(uri); d != nil {
			version = d.version
		}
		b, err := json.Marshal(list)
		if err != nil || of.published[uri] == string(b) && len(list) > 0 {
			continue
		}
		if was, had := of.published[uri]; had && was == string(b) {
			continue
		}
		of.published[uri] = string(b)
		of.s.conn.Notify(of.s.ctx, "textDocument/publishDiagnostics", publishParams{uri, version, list})
	}
}

// uri is that of a file, in the editor's own way of writing where it has it open.
func (s *server) uri(path string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	if d := s.documents[path]; d != nil {
		return d.uri
	}
	return uriOf(path)
}

// diagnostic is a finding for the editor, with its texts as check prints them.
func (s *server) diagnostic(f check.Finding, text []byte) diagnostic {
	d := diagnostic{Code: f.Name, Source: "merry", Message: f.Message,
		Severity: map[check.Severity]int{check.Error: 1, check.Warning: 2, check.Note: 3}[f.Severity]}
	for _, more := range []struct{ word, text string }{{"", f.Why}, {"then: ", f.Then}, {"next: ", f.Next}} {
		if more.text != "" {
			d.Message += "\n" + more.word + more.text
		}
	}
	from, to := extent(text, f.Line, f.Column)
	d.Range = s.units.span(text, from, to)
	if href := s.explained(f.Name); href != "" {
		d.CodeDescription = &codeDescription{href}
	}
	return d
}

// extent is the part of a text that a finding at a line and a column, in bytes from 1, is about: the tag that begins
// there, else the word, the first line for the whole file.
func extent(text []byte, line, column int) (from, to int) {
	for range max(0, line-1) {
		i := bytes.IndexByte(text[from:], '\n')
		if i < 0 {
			break
		}
		from += i + 1
	}
	end := len(text)
	if i := bytes.IndexByte(text[from:], '\n'); i >= 0 {
		end = from + i
	}
	from = min(from+max(0, column-1), end)
	if column == 0 {
		return from, end
	}
	to = from
	switch {
	case from < end && text[from] == '<':
		to = end
		if i := bytes.IndexByte(text[from:end], '>'); i >= 0 {
			to = from + i + 1
		}
	case from < end && (text[from] == '"' || text[from] == '\''):
		to = end
		if i := bytes.IndexByte(text[from+1:end], text[from]); i >= 0 {
			to = from + i + 2
		}
	default:
		for to < end && !strings.ContainsRune(" \t\r\"'<>;{}()", rune(text[to])) {
			to++
		}
		if to == from {
			to = min(from+1, end)
		}
	}
	return from, to
}

// explained returns the URI of the page that explains a finding, "" if no page explains it.
func (s *server) explained(name string) string {
	text := check.Explain(name)
	if text == "" || s.opt.Explanations == "" {
		return ""
	}
	file := filepath.Join(s.opt.Explanations, name+".md")
	if b, err := os.ReadFile(file); err != nil || string(b) != text {
		if os.MkdirAll(s.opt.Explanations, 0o700) != nil || os.WriteFile(file, []byte(text), 0o600) != nil {
			return ""
		}
	}
	return uriOf(file)
}

// withSnapshot calls work with the site's snapshot for the present state.
func (of *site) withSnapshot(ctx context.Context, work func(*crate.Snapshot) error) error {
	of.s.reading.Lock()
	defer of.s.reading.Unlock()
	of.mu.Lock()
	state := of.state
	of.mu.Unlock()
	if of.snapshot == nil || of.snapshotState != state {
		if of.door != nil {
			of.door.Close()
			of.door, of.snapshot = nil, nil
		}
		if of.memory.Full() {
			of.memory = &crate.EditingMemory{}
		}
		texts := of.s.texts()
		door, snapshot, err := of.openSnapshot(ctx, texts)
		if list := filepath.Join(of.root, record.ListFile); err != nil && texts[list] != nil {
			writing := texts[list]
			delete(texts, list)
			if door, snapshot, err = of.openSnapshot(ctx, texts); err == nil {
				snapshot.Writing(writing)
			}
		}
		if err != nil {
			return err
		}
		of.door, of.snapshot, of.snapshotState = door, snapshot, state
	}
	return work(of.snapshot)
}

func (of *site) openSnapshot(ctx context.Context, texts map[string][]byte) (*crate.Crate, *crate.Snapshot, error) {
	door, err := of.s.opt.Open(of.root, texts)
	if err != nil {
		return nil, nil, err
	}
	snapshot, err := door.Snapshot(ctx, of.memory)
	if err != nil {
		door.Close()
	}
	return door, snapshot, err
}

// close ends the site's check, and closes its snapshot.
func (of *site) close() {
	of.mu.Lock()
	if of.timer != nil {
		of.timer.Stop()
	}
	if of.cancel != nil {
		of.cancel()
	}
	of.mu.Unlock()
	of.s.reading.Lock()
	defer of.s.reading.Unlock()
	if of.door != nil {
		of.door.Close()
		of.door, of.snapshot = nil, nil
	}
}
