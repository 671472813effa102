package editor

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"github.com/aymanbagabas/go-udiff"
	"github.com/google/shlex"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// runCommand is the command by which the editor has one of merry's run.
const runCommand = "merry.run"

// A repair is a command that would change something, as a dry run shows.
type repair struct {
	title string
	kind  string
	args  []string
	of    []check.Finding // what it repairs
}

// actions lists the repairs of the findings in a range, and what else can be done with the tag there.
func (s *server) actions(ctx context.Context, params json.RawMessage) (any, error) {
	var p codeActionParams
	if err := json.Unmarshal(params, &p); err != nil {
		return nil, err
	}
	d := s.document(p.TextDocument.URI)
	if d == nil {
		return []codeAction{}, nil
	}
	of := s.siteOf(filepath.Dir(d.path), false)
	if of == nil {
		return []codeAction{}, nil
	}
	from, to := s.units.offset(d.text, p.Range.Start), s.units.offset(d.text, p.Range.End)
	list, written := of.repairs(d, from, to)
	list = append(list, of.further(ctx, d, from)...)
	list = slices.DeleteFunc(list, func(r repair) bool { return !wantedKind(p.Context.Only, r.kind) })
	texts := s.texts()
	actions, err := parallel.Map(ctx, list, func(ctx context.Context, r repair) (*codeAction, error) {
		return of.action(ctx, r, texts), ctx.Err()
	})
	if err != nil {
		return nil, err
	}
	out := []codeAction{}
	for _, a := range written {
		if wantedKind(p.Context.Only, a.Kind) {
			out = append(out, a)
		}
	}
	for _, a := range actions {
		if a != nil {
			out = append(out, *a)
		}
	}
	return out, nil
}

// wantedKind reports whether an editor that wants only some kinds of action wants one of a kind.
func wantedKind(only []string, kind string) bool {
	return len(only) == 0 || slices.ContainsFunc(only, func(w string) bool {
		return w == kind || strings.HasPrefix(kind, w+".") || w == ""
	})
}

// repairs are the next steps of the findings in a range that merry can do itself, each once: commands, and what a
// finding says is to be written in its place.
func (of *site) repairs(d *document, from, to int) (list []repair, written []codeAction) {
	of.mu.Lock()
	findings := slices.Clone(of.findings[d.path])
	of.mu.Unlock()
	for _, f := range findings {
		begin, end := extent(d.text, f.Line, f.Column)
		if to < begin || from > end {
			continue
		}
		if m := writes().FindStringSubmatch(f.Next); m != nil {
			written = append(written, codeAction{Title: "write " + m[1], Kind: "quickfix",
				Diagnostics: []diagnostic{of.s.diagnostic(f, d.text)},
				Edit: &workspaceEdit{Changes: map[string][]textEdit{
					d.uri: {{of.s.units.span(d.text, begin, end), m[1]}}}}})
		}
		for _, args := range of.s.commandsIn(f.Next) {
			at := slices.IndexFunc(list, func(r repair) bool { return slices.Equal(r.args, args) })
			if at < 0 {
				list = append(list, repair{title: "merry " + strings.Join(args, " "), kind: "quickfix", args: args})
				at = len(list) - 1
			}
			list[at].of = append(list[at].of, f)
		}
	}
	return list, written
}

// writes tells a next step that says what is to be written in the place of the finding.
var writes = memo.Regexp(`(?:^|: )write (\S+)$`)

// commandsIn are merry's commands in a finding's next step that change something.
func (s *server) commandsIn(next string) [][]string {
	var list [][]string
	for _, step := range texts.Steps(next) {
		step, _, _ = strings.Cut(step, "  # ")
		line, is := strings.CutPrefix(step, "merry ")
		args, err := shlex.Split(line)
		if !is || err != nil || len(args) == 0 || !s.opt.Changes(args) ||
			slices.ContainsFunc(args, func(a string) bool {
				return strings.ToUpper(a) == a && len(a) > 2 &&
					isWord(a)
			}) {
			continue // a word in capitals stands for what a person has to say
		}
		list = append(list, args)
	}
	return list
}

func isWord(s string) bool { return strings.Trim(s, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == "" }

// further are the things that can be done with the page, and with the tag at a place.
func (of *site) further(ctx context.Context, d *document, at int) []repair {
	rel, err := filepath.Rel(of.root, d.path)
	if err != nil {
		return nil
	}
	file := filepath.ToSlash(rel)
	var list []repair
	of.withSnapshot(ctx, func(snapshot *crate.Snapshot) error {
		tag, isPage := snapshot.TagAt(ctx, file, at)
		if !isPage {
			return nil
		}
		add := func(title, kind string, args ...string) {
			list = append(list, repair{title: title, kind: kind, args: args})
		}
		add("put this page's tags in order", "source", "order", file, "--fix")
		add("fix what is safe to fix on this page", "source", "check", file, "--fix")
		switch {
		case tag == nil:
		case tag.Library == "" && tag.Ref != "":
			add("adopt this tag", "refactor", "adopt", file, "--tag", tag.Ref)
		case tag.Library != "" && tag.Link:
			add("switch "+tag.Library+" to the local "+
				"copy", "refactor", "switch", tag.Library, "--local", "--page", file)
		case tag.Library != "":
			add("switch "+tag.Library+" to the CDN", "refactor", "switch", tag.Library, "--cdn", "--page", file)
		}
		return nil
	})
	return list
}

// action makes an action of a repair, by a dry run with all that is not saved: an edit, if it changes open files alone,
// else a command. It is nil where the repair fails, or changes nothing.
func (of *site) action(ctx context.Context, r repair, texts map[string][]byte) *codeAction {
	files, _, err := of.dry(ctx, append(slices.Clone(r.args), "--offline"), texts)
	asks := err != nil && strings.Contains(err.Error(), "--offline") // it needs a connection, which choosing it allows
	if err != nil && !asks || err == nil && len(files) == 0 {
		return nil
	}
	a := &codeAction{Title: r.title, Kind: r.kind}
	for _, f := range r.of {
		path := filepath.Join(of.root, filepath.FromSlash(f.File))
		text, open := texts[path]
		if !open {
			text, _ = os.ReadFile(path)
		}
		a.Diagnostics = append(a.Diagnostics, of.s.diagnostic(f, text))
	}
	if asks {
		a.Command = &command{Title: r.title, Command: runCommand, Arguments: []any{of.root, r.args}}
		return a
	}
	edit := &workspaceEdit{Changes: map[string][]textEdit{}}
	for path, content := range files {
		text, open := texts[path]
		if !open {
			a.Command = &command{Title: r.title, Command: runCommand, Arguments: []any{of.root, r.args}}
			return a
		}
		if edits := of.s.edits(text, content); len(edits) > 0 {
			edit.Changes[of.s.uri(path)] = edits
		}
	}
	if len(edit.Changes) == 0 {
		return nil
	}
	a.Edit = edit
	return a
}

// dry runs a command without changing anything, and returns the files that it would write, by their paths on disk, and
// what it prints.
func (of *site) dry(ctx context.Context, args []string, texts map[string][]byte) (files map[string][]byte,
	output string, err error) {
	files = map[string][]byte{}
	var mu sync.Mutex
	output, err = of.s.opt.Run(ctx, of.root, append(slices.Clone(args), "--dry-run"), texts,
		func(name string, content []byte) {
			mu.Lock()
			defer mu.Unlock()
			files[filepath.Join(of.root, filepath.FromSlash(name))] = content
		})
	return files, output, err
}

// edits are those that make one text of another.
func (s *server) edits(before, after []byte) []textEdit {
	if bytes.Equal(before, after) {
		return nil
	}
	list := []textEdit{}
	for _, e := range udiff.Lines(string(before), string(after)) {
		list = append(list, textEdit{s.units.span(before, e.Start, e.End), e.New})
	}
	return list
}

// execute runs a command of merry's for the editor: it shows the plan, asks, and does it.
func (s *server) execute(ctx context.Context, params json.RawMessage) (any, error) {
	var p executeParams
	if err := json.Unmarshal(params, &p); err != nil {
		return nil, err
	}
	var root string
	var args []string
	if p.Command != runCommand || len(p.Arguments) != 2 || json.Unmarshal(p.Arguments[0], &root) != nil ||
		json.Unmarshal(p.Arguments[1], &args) != nil || len(args) == 0 || !s.opt.Changes(args) {
		return nil, problem.Misuse("choose one of the actions", "there is no such command: %s", p.Command)
	}
	of := s.siteOf(root, false)
	if of == nil {
		return nil, problem.Misuse("choose one of the actions", "%s is no project that is open", root)
	}
	files, plan, err := of.dry(ctx, args, s.texts())
	if err != nil {
		return nil, err
	}
	if unsaved := s.unsavedOf(files); len(unsaved) > 0 {
		return nil, problem.Refuse(problem.FileChanged, "save them, and choose the action again",
			"it would change files that are not saved: %s", strings.Join(unsaved, ", "))
	}
	var chosen *choice
	const do, leave = "Do it", "Leave it"
	if err := s.conn.Call(ctx, "window/showMessageRequest", messageParams{Type: 3, Message: planText(args, plan),
		Actions: []choice{{do}, {leave}}}).Await(ctx, &chosen); err != nil {
		return nil, err
	}
	if chosen == nil || chosen.Title != do {
		return map[string]any{"done": false}, nil
	}
	output, err := s.opt.Run(ctx, of.root, args, nil, nil)
	of.changed()
	if err != nil {
		s.conn.Notify(ctx, "window/showMessage", messageParams{Type: 1, Message: "merry: " + sentence(err)})
		return nil, err
	}
	s.conn.Notify(ctx, "window/showMessage", messageParams{Type: 3, Message: strings.TrimSpace(output)})
	return map[string]any{"done": true}, nil
}

// unsavedOf lists those of some files that are open and not saved, and for which the editor would have two texts.
func (s *server) unsavedOf(files map[string][]byte) []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	var list []string
	for path := range files {
		if d := s.documents[path]; d != nil && !d.saved {
			list = append(list, filepath.Base(path))
		}
	}
	slices.Sort(list)
	return list
}

// planText is a plan as a message has room for it.
func planText(args []string, plan string) string {
	const most = 40
	lines := strings.Split(strings.TrimSpace(plan), "\n")
	if more := len(lines) - most; more > 0 {
		lines = append(lines[:most], fmt.Sprintf("… and %d lines more", more))
	}
	return "merry " + strings.Join(args, " ") + "\n\n" + strings.Join(lines, "\n")
}
