package editor

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"strings"

	"github.com/dustin/go-humanize"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/problem"
)

// answers are what requests are answered by.
func (s *server) answers() map[string]func(context.Context, json.RawMessage) (any, error) {
	return map[string]func(context.Context, json.RawMessage) (any, error){
		"textDocument/completion":     s.completion,
		"completionItem/resolve":      s.resolve,
		"textDocument/hover":          s.hover,
		"textDocument/definition":     s.definition,
		"textDocument/references":     s.references,
		"textDocument/prepareRename":  s.prepareRename,
		"textDocument/rename":         s.rename,
		"textDocument/documentSymbol": s.symbols,
		"textDocument/inlayHint":      s.hints,
		"textDocument/codeAction":     s.actions,
		"workspace/willRenameFiles":   s.willRename,
		"workspace/executeCommand":    s.execute,
	}
}

// A place is a place of an open document, with the site around it.
type place struct {
	of   *site
	d    *document
	file string // from the project's root
	at   int
}

// placeOf reads a place, nil where the document is in no project.
func (s *server) placeOf(params json.RawMessage) (*place, error) {
	var p textPlace
	if err := json.Unmarshal(params, &p); err != nil {
		return nil, err
	}
	d := s.document(p.TextDocument.URI)
	if d == nil {
		return nil, nil
	}
	of := s.siteOf(filepath.Dir(d.path), false)
	if of == nil {
		return nil, nil
	}
	rel, err := filepath.Rel(of.root, d.path)
	if err != nil || !filepath.IsLocal(rel) {
		return nil, nil
	}
	return &place{of, d, filepath.ToSlash(rel), s.units.offset(d.text, p.Position)}, nil
}

// kinds are the protocol's numbers for kinds of suggestion.
var kinds = map[string]int{string(crate.SuggestedFile): 17, string(crate.SuggestedLibrary): 9,
	string(crate.SuggestedClass): 7, string(crate.SuggestedID): 18, string(crate.SuggestedAttribute): 10,
	string(crate.SuggestedProperty): 6, string(crate.SuggestedGlobal): 6, string(crate.SuggestedMember): 2,
	string(crate.SuggestedModule): 9, string(crate.SuggestedKey): 10}

func (s *server) completion(ctx context.Context, params json.RawMessage) (any, error) {
	p, err := s.placeOf(params)
	if err != nil || p == nil {
		return nil, err
	}
	out := completionList{Items: []completionItem{}}
	err = p.of.withSnapshot(ctx, func(snapshot *crate.Snapshot) error {
		for i, x := range snapshot.Suggest(ctx, p.file, p.at) {
			item := completionItem{Label: x.Label, Kind: kinds[string(x.Kind)], Detail: x.Detail,
				SortText: fmt.Sprintf("%05d", i), TextEdit: &textEdit{s.units.span(p.d.text, x.Span.Start,
					x.Span.End), x.Label}}
			if item.Kind == 0 {
				item.Kind = 12
			}
			if x.Take != "" {
				word := string(p.d.text[x.Span.Start:x.Span.End])
				item.FilterText, item.TextEdit.NewText = word, ""
				item.Data = &completionData{URI: p.d.uri, Take: x.Take, Start: x.Span.Start, End: x.Span.End}
			}
			out.Items = append(out.Items, item)
		}
		out.IsIncomplete = len(out.Items) >= crate.MostSuggestions
		return nil
	})
	return out, err
}

// resolve adds the edits that put a library's tags on the page in their right places.
func (s *server) resolve(ctx context.Context, params json.RawMessage) (any, error) {
	var item completionItem
	if err := json.Unmarshal(params, &item); err != nil {
		return nil, err
	}
	if item.Data == nil {
		return item, nil
	}
	d := s.document(item.Data.URI)
	if d == nil || item.Data.Start < 0 || item.Data.End < item.Data.Start || item.Data.End > len(d.text) {
		return item, nil
	}
	of := s.siteOf(filepath.Dir(d.path), false)
	if of == nil {
		return item, nil
	}
	rel, err := filepath.Rel(of.root, d.path)
	if err != nil {
		return item, nil
	}
	end := item.Data.End // what was typed since the list was made is a part of the word
	for end < len(d.text) && (d.text[end] == '.' || d.text[end] == '-' || d.text[end] >= 'a' && d.text[end] <= 'z') {
		end++
	}
	texts := s.texts()
	without := append(bytes.Clone(d.text[:item.Data.Start]), d.text[end:]...)
	texts[d.path] = without
	library, only, single := strings.Cut(item.Data.Take, ":")
	args := []string{"include", library, "--page", filepath.ToSlash(rel)}
	if single {
		args = append(args, "--only", only)
	}
	files, _, err := of.dry(ctx, args, texts)
	if err != nil {
		return nil, err
	}
	for path, content := range files {
		if path != d.path {
			continue
		}
		for _, e := range s.edits(without, content) {
			item.AdditionalTextEdits = append(item.AdditionalTextEdits, s.shifted(e, without, d.text, item.Data.Start,
				end))
		}
	}
	return item, nil
}

// shifted is an edit of a text without a word, for the text with it.
func (s *server) shifted(e textEdit, without, with []byte, start, end int) textEdit {
	move := func(at position) position {
		offset := s.units.offset(without, at)
		if offset > start {
			offset += end - start
		}
		return s.units.position(with, offset)
	}
	return textEdit{textRange{move(e.Range.Start), move(e.Range.End)}, e.NewText}
}

func (s *server) hover(ctx context.Context, params json.RawMessage) (any, error) {
	p, err := s.placeOf(params)
	if err != nil || p == nil {
		return nil, err
	}
	var out *hover
	err = p.of.withSnapshot(ctx, func(snapshot *crate.Snapshot) error {
		if note := snapshot.About(ctx, p.file, p.at); note != nil {
			out = &hover{Range: s.units.span(p.d.text, note.Span.Start, note.Span.End)}
			out.Contents.Kind, out.Contents.Value = "markdown", strings.Join(note.Lines, "\n\n")
		}
		return nil
	})
	if out == nil {
		return nil, err
	}
	return out, err
}

// locations are spans as the protocol has them.
func (of *site) locations(snapshot *crate.Snapshot, spans []crate.Span) []location {
	list := []location{}
	for _, x := range spans {
		text := snapshot.Text(x.File)
		list = append(list, location{of.s.uri(filepath.Join(of.root, filepath.FromSlash(x.File))),
			of.s.units.span(text, x.Start, x.End)})
	}
	return list
}

func (s *server) definition(ctx context.Context, params json.RawMessage) (any, error) {
	p, err := s.placeOf(params)
	if err != nil || p == nil {
		return nil, err
	}
	var out []location
	err = p.of.withSnapshot(ctx, func(snapshot *crate.Snapshot) error {
		out = p.of.locations(snapshot, snapshot.From(ctx, p.file, p.at))
		return nil
	})
	return out, err
}

func (s *server) references(ctx context.Context, params json.RawMessage) (any, error) {
	p, err := s.placeOf(params)
	if err != nil || p == nil {
		return nil, err
	}
	var out []location
	err = p.of.withSnapshot(ctx, func(snapshot *crate.Snapshot) error {
		spans, err := snapshot.Uses(ctx, p.file, p.at)
		out = p.of.locations(snapshot, spans)
		return err
	})
	return out, err
}

func (s *server) prepareRename(ctx context.Context, params json.RawMessage) (any, error) {
	p, err := s.placeOf(params)
	if err != nil || p == nil {
		return nil, err
	}
	var out any
	err = p.of.withSnapshot(ctx, func(snapshot *crate.Snapshot) error {
		n, err := snapshot.Nameable(ctx, p.file, p.at)
		if n != nil {
			out = map[string]any{"range": s.units.span(p.d.text, n.Span.Start, n.Span.End), "placeholder": n.Text}
		}
		return err
	})
	return out, err
}

// rename renames a class, an id or a custom property across the site, or moves a file as the command move does.
func (s *server) rename(ctx context.Context, params json.RawMessage) (any, error) {
	p, err := s.placeOf(params)
	if err != nil || p == nil {
		return nil, err
	}
	var to struct {
		NewName string `json:"newName"`
	}
	if err := json.Unmarshal(params, &to); err != nil {
		return nil, err
	}
	var n *crate.Naming
	edit := workspaceEdit{Changes: map[string][]textEdit{}}
	err = p.of.withSnapshot(ctx, func(snapshot *crate.Snapshot) (err error) {
		if n, err = snapshot.Nameable(ctx, p.file, p.at); err != nil || n == nil || n.File != "" {
			return err
		}
		spans, err := snapshot.Rename(ctx, p.file, p.at, to.NewName)
		for i, l := range p.of.locations(snapshot, spans) {
			if i > 0 && spans[i-1] == spans[i] {
				continue
			}
			edit.Changes[l.URI] = append(edit.Changes[l.URI], textEdit{l.Range, to.NewName})
		}
		return err
	})
	switch {
	case err != nil:
		return nil, err
	case n == nil:
		return nil, problem.Misuse("put the cursor on a class, an id or the tag of a file of the site",
			"there is nothing here that can be renamed")
	case n.File != "":
		return p.of.moved(ctx, n.File, to.NewName)
	}
	return edit, nil
}

// moved renames a file, with all references to it.
func (of *site) moved(ctx context.Context, file, name string) (any, error) {
	if !of.s.moves {
		return nil, problem.Refuse(problem.Usage, "merry move "+file+" "+name, "the editor can't rename files")
	}
	to := path.Join(path.Dir(file), name)
	if strings.Contains(name, "/") {
		to = path.Clean(name)
	}
	if path.Ext(to) == "" {
		to += path.Ext(file)
	}
	edit := workspaceEdit{}
	var err error
	if edit.DocumentChanges, err = of.references(ctx, file, to); err != nil {
		return nil, err
	}
	edit.DocumentChanges = append(edit.DocumentChanges, renameFile{"rename",
		of.s.uri(filepath.Join(of.root, filepath.FromSlash(file))),
		of.s.uri(filepath.Join(of.root, filepath.FromSlash(to)))})
	return edit, nil
}

// references are the edits by which all that leads to a file follows it to another path, both from the root.
func (of *site) references(ctx context.Context, file, to string) (list []any, err error) {
	texts := of.s.texts()
	files, _, err := of.dry(ctx, []string{"move", file, to}, texts)
	if err != nil {
		return nil, err
	}
	target := filepath.Join(of.root, filepath.FromSlash(to))
	for at, content := range files {
		if at == target {
			continue // its own text moves with it
		}
		text, open := texts[at]
		if !open {
			if text, err = os.ReadFile(at); err != nil && !errors.Is(err, os.ErrNotExist) {
				return nil, err
			}
		}
		var e documentEdit
		e.TextDocument.URI = of.s.uri(at)
		if d := of.s.document(e.TextDocument.URI); d != nil {
			e.TextDocument.Version = &d.version
		}
		e.Edits = of.s.edits(text, content)
		list = append(list, e)
	}
	return list, nil
}

// willRename lets references follow files that the user renames in the editor's list of files. What merry does not
// move, such as a library's file, it leaves to the editor.
func (s *server) willRename(ctx context.Context, params json.RawMessage) (any, error) {
	var p struct {
		Files []struct {
			OldURI string `json:"oldUri"`
			NewURI string `json:"newUri"`
		} `json:"files"`
	}
	if err := json.Unmarshal(params, &p); err != nil {
		return nil, err
	}
	edit := workspaceEdit{}
	for _, f := range p.Files {
		from, to := pathOf(f.OldURI), pathOf(f.NewURI)
		of := s.siteOf(filepath.Dir(from), false)
		if from == "" || to == "" || of == nil {
			continue
		}
		old, err := filepath.Rel(of.root, from)
		if err != nil {
			continue
		}
		name, err := filepath.Rel(of.root, to)
		if err != nil || !filepath.IsLocal(name) {
			continue
		}
		if list, err := of.references(ctx, filepath.ToSlash(old), filepath.ToSlash(name)); err == nil {
			edit.DocumentChanges = append(edit.DocumentChanges, list...)
		}
	}
	if len(edit.DocumentChanges) == 0 {
		return nil, ctx.Err()
	}
	return edit, nil
}

// entries calls visit for what a page loads.
func (s *server) entries(ctx context.Context, params json.RawMessage, visit func(p *place, e crate.Entry)) error {
	p, err := s.placeOf(params)
	if err != nil || p == nil {
		return err
	}
	return p.of.withSnapshot(ctx, func(snapshot *crate.Snapshot) error {
		for _, e := range snapshot.Loads(ctx, p.file) {
			visit(p, e)
		}
		return nil
	})
}

func (s *server) symbols(ctx context.Context, params json.RawMessage) (any, error) {
	list := []documentSymbol{}
	err := s.entries(ctx, params, func(p *place, e crate.Entry) {
		r := s.units.span(p.d.text, e.Span.Start, e.Span.End)
		kind := 2 // a module: a script
		if e.Kind == page.Stylesheet || e.Kind == page.InlineStyle {
			kind = 5
		}
		list = append(list, documentSymbol{Name: e.Name, Detail: e.Detail, Kind: kind, Range: r, SelectionRange: r})
	})
	return list, err
}

// hints shows sizes behind tags, if the user wants them.
func (s *server) hints(ctx context.Context, params json.RawMessage) (any, error) {
	list := []inlayHint{}
	if !s.options.Sizes {
		return list, nil
	}
	err := s.entries(ctx, params, func(p *place, e crate.Entry) {
		if e.Wire > 0 {
			list = append(list, inlayHint{s.units.position(p.d.text, e.Span.End), humanize.Bytes(uint64(e.Wire)), true})
		}
	})
	return list, err
}
