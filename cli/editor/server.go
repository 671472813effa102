// Package editor answers an editor over the Language Server Protocol, on a pair of pipes: what is wrong with what is
// being written, how it is repaired, what could be written, and where it leads. Package crate knows the answers.
package editor

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"golang.org/x/exp/jsonrpc2"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
)

// Options are what the server is given.
type Options struct {
	In      io.ReadCloser
	Out     io.WriteCloser
	Version string
	// Open opens the project around a folder, with texts that are not saved by their absolute paths.
	Open func(dir string, unsaved map[string][]byte) (*crate.Crate, error)
	// Run runs a command in a folder, and returns what it prints. With keep it is a dry run, whose files keep gets by
	// their paths in the project.
	Run func(ctx context.Context, dir string, args []string, unsaved map[string][]byte, keep func(name string,
		content []byte)) (output string, err error)
	// Changes reports whether a command may change a project, so that it has a dry run.
	Changes func(args []string) bool
	// Explanations is a folder for the pages that explain findings, "" to write no such pages.
	Explanations string
}

// A server serves one editor. Its fields are guarded by mu; texts of documents are never changed in place.
type server struct {
	opt     Options
	conn    *jsonrpc2.Connection
	ctx     context.Context // ends with the session
	stop    context.CancelFunc
	units   units
	moves   bool // the editor can rename files
	options options

	mu        sync.Mutex
	documents map[string]*document // by path
	sites     map[string]*site     // by root
	told      map[string]bool      // folders of which was said that they have no project

	reading sync.Mutex // held by who uses a snapshot
}

// stdio joins the two pipes to the editor.
type stdio struct {
	io.ReadCloser
	out io.WriteCloser
}

// Dial is the connection itself.
func (p stdio) Dial(context.Context) (io.ReadWriteCloser, error) { return p, nil }

// Write writes to the editor.
func (p stdio) Write(b []byte) (int, error) { return p.out.Write(b) }

// Close ends the connection.
func (p stdio) Close() error { return errors.Join(p.ReadCloser.Close(), p.out.Close()) }

// Serve answers an editor until it ends the session, or its pipe ends.
func Serve(ctx context.Context, opt Options) error {
	s := &server{opt: opt, documents: map[string]*document{}, sites: map[string]*site{}, told: map[string]bool{}}
	s.ctx, s.stop = context.WithCancel(ctx)
	defer s.stop()
	conn, err := jsonrpc2.Dial(s.ctx, stdio{opt.In, opt.Out}, binder{s})
	if err != nil {
		return err
	}
	ended := make(chan error, 1)
	go func() { ended <- conn.Wait() }()
	select { // a pipe that is being read can't be closed everywhere, so the session's end is not waited for
	case err = <-ended:
	case <-s.ctx.Done():
	}
	s.stop()
	s.close()
	if err == nil || ctx.Err() != nil || errors.Is(err, io.EOF) || errors.Is(err, os.ErrClosed) {
		return ctx.Err()
	}
	return problem.Fault(problem.EditorFailed, "restart the server in the editor", "what came on standard input is no "+
		"message of the Language Server Protocol: %v", err)
}

// binder hands the connection to the server before the first message.
type binder struct{ s *server }

// Bind sets how messages are handled.
func (b binder) Bind(_ context.Context, conn *jsonrpc2.Connection) (jsonrpc2.ConnectionOptions, error) {
	b.s.conn = conn
	return jsonrpc2.ConnectionOptions{Preempter: preempter{conn}, Handler: jsonrpc2.HandlerFunc(b.s.handle)}, nil
}

// preempter cancels requests that the editor has no use for any more.
type preempter struct{ conn *jsonrpc2.Connection }

// Preempt handles cancellations before what is queued.
func (p preempter) Preempt(_ context.Context, req *jsonrpc2.Request) (any, error) {
	if req.Method != "$/cancelRequest" {
		return nil, jsonrpc2.ErrNotHandled
	}
	var of struct {
		ID any `json:"id"`
	}
	if json.Unmarshal(req.Params, &of) == nil {
		switch id := of.ID.(type) {
		case float64:
			p.conn.Cancel(jsonrpc2.Int64ID(int64(id)))
		case string:
			p.conn.Cancel(jsonrpc2.StringID(id))
		}
	}
	return nil, nil
}

// handle answers one message. Changes are taken in their order; what needs the project is answered beside them.
func (s *server) handle(ctx context.Context, req *jsonrpc2.Request) (any, error) {
	switch req.Method {
	case "initialize":
		return s.initialize(req.Params)
	case "shutdown":
		return null, nil
	case "exit":
		s.stop()
		return nil, nil
	case "textDocument/didOpen":
		return nil, s.didOpen(req.Params)
	case "textDocument/didChange":
		return nil, s.didChange(req.Params)
	case "textDocument/didSave":
		return nil, s.didSave(req.Params)
	case "textDocument/didClose":
		return nil, s.didClose(req.Params)
	case "workspace/didChangeWatchedFiles":
		s.everySite((*site).changed)
		return nil, nil
	}
	answer := s.answers()[req.Method]
	if answer == nil {
		if !req.IsCall() || strings.HasPrefix(req.Method, "$/") {
			return nil, nil
		}
		return nil, fmt.Errorf("%w: %s", jsonrpc2.ErrMethodNotFound, req.Method)
	}
	go func() {
		result, err := s.guarded(ctx, answer, req.Params)
		if result == nil && err == nil {
			result = null
		}
		if req.IsCall() {
			s.conn.Respond(req.ID, result, err)
		}
	}()
	return nil, jsonrpc2.ErrAsyncResponse
}

// null is the empty answer: the protocol wants one for every request.
var null = json.RawMessage("null")

// guarded answers a request; a mistake of this program ends the request, and not the session.
func (s *server) guarded(ctx context.Context, answer func(context.Context, json.RawMessage) (any, error),
	params json.RawMessage) (result any, err error) {
	defer func() {
		if p := recover(); p != nil {
			result, err = nil, jsonrpc2.NewError(-32603, fmt.Sprint("merry made a mistake: ", p))
		}
	}()
	result, err = answer(ctx, params)
	if err == nil {
		return result, nil
	}
	if ctx.Err() != nil {
		return nil, jsonrpc2.NewError(-32800, "the request was cancelled")
	}
	return nil, jsonrpc2.NewError(-32803, sentence(err))
}

// sentence says an error as the command line does, with what to do.
func sentence(err error) string {
	p := problem.Of(err)
	text := p.What
	if len(p.Next) > 0 && p.Next[0] != "" {
		text += "; next: " + strings.Join(p.Next, "; ")
	}
	return text
}

func (s *server) initialize(params json.RawMessage) (any, error) {
	var p initializeParams
	if err := json.Unmarshal(params, &p); err != nil {
		return nil, fmt.Errorf("%w: %w", jsonrpc2.ErrInvalidParams, err)
	}
	encoding := "utf-16"
	for _, e := range p.Capabilities.General.PositionEncodings {
		if e == "utf-8" {
			encoding, s.units = "utf-8", utf8s
		}
	}
	for _, op := range p.Capabilities.Workspace.WorkspaceEdit.ResourceOperations {
		s.moves = s.moves || op == "rename" && p.Capabilities.Workspace.WorkspaceEdit.DocumentChanges
	}
	s.options = p.InitializationOptions
	folders := []string{p.RootURI}
	for _, f := range p.WorkspaceFolders {
		folders = append(folders, f.URI)
	}
	go func() {
		for _, f := range folders {
			if dir := pathOf(f); dir != "" {
				s.siteOf(dir, true)
			}
		}
	}()
	return map[string]any{"capabilities": capabilities(encoding),
		"serverInfo": map[string]string{"name": "merry", "version": s.opt.Version}}, nil
}

// texts are those of all documents, by their paths.
func (s *server) texts() map[string][]byte {
	s.mu.Lock()
	defer s.mu.Unlock()
	texts := make(map[string][]byte, len(s.documents))
	for path, d := range s.documents {
		texts[path] = d.text
	}
	return texts
}

// document is the open document of a URI, nil if it is not open.
func (s *server) document(uri string) *document {
	s.mu.Lock()
	defer s.mu.Unlock()
	d := s.documents[pathOf(uri)]
	if d == nil {
		return nil
	}
	copied := *d
	return &copied
}

func (s *server) didOpen(params json.RawMessage) error {
	var p struct {
		TextDocument textDocumentItem `json:"textDocument"`
	}
	if err := json.Unmarshal(params, &p); err != nil {
		return err
	}
	path := pathOf(p.TextDocument.URI)
	if path == "" {
		return nil // what has no file is in no project
	}
	d := &document{uri: p.TextDocument.URI, path: path, text: []byte(p.TextDocument.Text),
		version: p.TextDocument.Version}
	if onDisk, err := os.ReadFile(path); err == nil {
		d.saved = string(onDisk) == p.TextDocument.Text
	}
	s.mu.Lock()
	s.documents[path] = d
	s.mu.Unlock()
	s.touched(path)
	return nil
}

func (s *server) didChange(params json.RawMessage) error {
	var p didChangeParams
	if err := json.Unmarshal(params, &p); err != nil {
		return err
	}
	path := pathOf(p.TextDocument.URI)
	s.mu.Lock()
	if d := s.documents[path]; d != nil {
		text := d.text
		for _, c := range p.ContentChanges {
			if c.Range == nil {
				text = []byte(c.Text)
				continue
			}
			from := s.units.offset(text, c.Range.Start)
			to := max(from, s.units.offset(text, c.Range.End))
			text = append(append(append(make([]byte, 0, len(text)+len(c.Text)), text[:from]...), c.Text...),
				text[to:]...)
		}
		s.documents[path] = &document{uri: d.uri, path: path, text: text, version: p.TextDocument.Version}
	}
	s.mu.Unlock()
	s.touched(path)
	return nil
}

// namedIn is the path of the file that a notification is about.
func namedIn(params json.RawMessage) (string, error) {
	var p struct {
		TextDocument documentID `json:"textDocument"`
	}
	err := json.Unmarshal(params, &p)
	return pathOf(p.TextDocument.URI), err
}

func (s *server) didSave(params json.RawMessage) error {
	path, err := namedIn(params)
	if err != nil {
		return err
	}
	s.mu.Lock()
	if d := s.documents[path]; d != nil {
		copied := *d
		copied.saved = true
		s.documents[path] = &copied
	}
	s.mu.Unlock()
	s.touched(path)
	return nil
}

func (s *server) didClose(params json.RawMessage) error {
	path, err := namedIn(params)
	if err != nil {
		return err
	}
	s.mu.Lock()
	delete(s.documents, path)
	s.mu.Unlock()
	s.touched(path)
	return nil
}

// touched begins a check of the site that a file belongs to.
func (s *server) touched(path string) {
	go func() {
		if site := s.siteOf(filepath.Dir(path), true); site != nil {
			site.changed()
		}
	}()
}

// siteOf is the site around a folder, nil where no project was started. With tell the editor is told so, once.
func (s *server) siteOf(dir string, tell bool) *site {
	root, err := s.rootOf(dir)
	s.mu.Lock()
	defer s.mu.Unlock()
	if err != nil {
		if tell && !s.told[dir] && s.ctx.Err() == nil {
			s.told[dir] = true
			for of := range s.told { // one message for a folder and all below it
				if of != dir && strings.HasPrefix(dir, of+string(filepath.Separator)) {
					return nil
				}
			}
			go s.conn.Notify(s.ctx, "window/showMessage", messageParams{Type: 3, Message: "merry: " + sentence(err)})
		}
		return nil
	}
	of := s.sites[root]
	if of == nil {
		of = newSite(s, root)
		s.sites[root] = of
	}
	return of
}

func (s *server) rootOf(dir string) (string, error) {
	for ; ; dir = filepath.Dir(dir) { // a file that is not saved may be in a folder that is not there yet
		if info, err := os.Stat(dir); err == nil && info.IsDir() || filepath.Dir(dir) == dir {
			break
		}
	}
	door, err := s.opt.Open(dir, nil)
	if err != nil {
		return "", err
	}
	defer door.Close()
	root := door.Root()
	if root == "" {
		return "", problem.Refuse(problem.NotStarted, "merry start  # in the site's folder", "%s is in no project of "+
			"merry", dir)
	}
	return root, nil
}

func (s *server) everySite(work func(*site)) {
	s.mu.Lock()
	list := make([]*site, 0, len(s.sites))
	for _, of := range s.sites {
		list = append(list, of)
	}
	s.mu.Unlock()
	for _, of := range list {
		work(of)
	}
}

// close ends what was begun for the sites.
func (s *server) close() { s.everySite((*site).close) }

// pause is how long nothing must be typed before a check begins.
const pause = 40 * time.Millisecond
