package tags

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"sync"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/template"
)

// Scripts knows the scripts that pages refer to: ten thousand pages have the same few.
type Scripts struct {
	p *project.Project
	// Contents, where set, has the bytes of files that are about to be put into the project.
	Contents func(of project.Sealed) ([]byte, bool)

	known memo.Memo[string, *Script]  // by path in the site, or by address
	fonts memo.Memo[string, []string] // that a stylesheet names, by its integrity
}

// A Script is a script that could be read.
type Script struct {
	*script.Report
	Text []byte
	Name string // in the project, or what evidence calls a file that pages have by a link
	// Filled says that a server fills in parts of the script. The text has something in their places, and can't be run.
	Filled bool

	once           sync.Once
	defines, parts *order.Names
	text           any
}

// shared determines once what all items of the script have in common. Nobody changes it.
func (k *Script) shared() {
	names := func(list []script.Global) *order.Names {
		if len(list) == 0 {
			return nil
		}
		var names []string
		for _, g := range list {
			names = append(names, g.Name)
		}
		return order.NamesOf(names...)
	}
	if k.defines, k.parts = names(k.Defines), names(k.Parts); k.Text != nil && !k.Filled {
		k.text = k.Text
	}
}

// NewScripts knows the scripts of a project, as its records will be.
func NewScripts(p *project.Project) *Scripts { return &Scripts{p: p} }

// Project is the project whose scripts they are.
func (s *Scripts) Project() *project.Project { return s.p }

// Learn says what the script at a target is, for tests.
func (s *Scripts) Learn(t Target, k *Script) { s.known.Put(t.String(), k) }

// Of returns the script that a target leads to, nil if it can't be read without a network.
func (s *Scripts) Of(t Target) *Script {
	if t.IsZero() {
		return nil
	}
	return s.known.Of(t.String(), func() *Script { return s.read(t) })
}

func (s *Scripts) read(t Target) *Script {
	k := &Script{Name: t.URL}
	of := FileOf(s.p, t)
	if of.File != nil && s.Contents != nil {
		if b, ok := s.Contents(of); ok {
			k.Text, k.Name = b, of.File.At.String()
			k.Report = s.p.Facts.ScriptOf(of.File.Integrity, b)
			return k
		}
	}
	var err error
	if !t.Path.IsZero() {
		place := s.p.InProject(t.Path)
		k.Name = place.String()
		k.Text, err = s.p.ReadFile(place)
		if errors.Is(err, fs.ErrNotExist) && of.File != nil {
			// There is a finding for a sealed file that is gone; all else is reported as if it were back.
			k.Text, err = s.p.Origin.Kept(s.p.Seal.Libraries[of.Library], of.File)
		}
	} else if of.File != nil {
		k.Name = of.Library + ": " + of.File.Path
		k.Text, err = s.p.LocalBytes(of)
	}
	if err != nil || k.Text == nil {
		if k.Report = project.ReportOf(of.File); k.Report == nil {
			return nil
		}
		k.Text = nil
		return k // as far as the seal knows it
	}
	if of.File == nil && template.MayHave(k.Text) {
		if filled := s.filledFile(k.Text, k.Name); filled != nil {
			return filled
		}
	}
	is := integrity.Of(k.Text)
	if k.Report = s.p.Facts.ScriptOf(is, k.Text); of.File != nil && of.File.Integrity == is {
		k.Report = project.WithFacts(k.Report, of.File)
	}
	return k
}

// OfInclude returns the script of an include, nil if it is none that can be read.
func (s *Scripts) OfInclude(v *Page, i int) *Script {
	in := &v.Includes[i]
	switch in.Kind {
	case page.InlineScript:
		file, _, _ := v.Locate(in.Start)
		name := s.p.InProject(file).String()
		if holes := v.HolesIn(in); len(holes) > 0 {
			return s.filled(template.FillScript(v.InlineText(in), holes), name)
		}
		text := v.InlineText(in)
		return &Script{Report: s.p.Facts.Script(text), Text: text, Name: name}
	case page.Script:
		return s.Of(v.Targets[i])
	}
	return nil
}

// filled is an inline script that a server fills in, as far as it is known without that.
func (s *Scripts) filled(f template.Script, name string) *Script {
	report := *s.p.Facts.Script(f.Text)
	report.Needs = slices.DeleteFunc(slices.Clone(report.Needs), func(n script.Need) bool {
		return template.Unknown(n.Name)
	})
	report.Defines = slices.DeleteFunc(slices.Clone(report.Defines), func(g script.Global) bool {
		return template.Unknown(g.Name)
	})
	report.DefinesUnknown = report.DefinesUnknown || f.Loose
	if report.Form == script.Broken && !f.Wrong {
		report = script.Report{Form: script.Classic, DefinesUnknown: true}
	}
	return &Script{Report: &report, Text: f.Text, Name: name, Filled: true}
}

// filledFile is an own script that a generator fills in: one that begins with settings, or does not parse as it is; nil
// for all others.
func (s *Scripts) filledFile(text []byte, name string) *Script {
	holes := template.Holes(text)
	if len(holes) == 0 || holes[0].Syntax != template.Front && s.p.Facts.Script(text).Form != script.Broken {
		return nil
	}
	return s.filled(template.FillScript(text, holes), name)
}

// Items tells of each include of a page what matters for its order.
func (s *Scripts) Items(v *Page) []order.Item {
	items := make([]order.Item, len(v.Includes))
	for i := range v.Includes {
		in, it := &v.Includes[i], &items[i]
		it.Style = in.Kind == page.Stylesheet || in.Kind == page.InlineStyle
		it.Inline = in.Kind == page.InlineScript || in.Kind == page.InlineStyle
		it.Library = v.Library(i)
		it.Own = it.Library == "" && (it.Inline || !v.Targets[i].Path.IsZero())
		it.Inert = in.Inert != "" || in.Kind == page.Hint || in.Kind == page.Other
		if it.Inert {
			continue
		}
		switch in.When {
		case page.Deferred:
			it.Phase = order.Deferred
		case page.Async:
			it.Phase = order.AnyTime
		}
		it.Name = v.Name(i)
		if it.Style {
			continue
		}
		known := s.OfInclude(v, i)
		if known == nil {
			it.Unread = v.Targets[i].Path.IsZero() || v.Library(i) != ""
			continue
		}
		line, column := 1, 1
		if it.Inline {
			_, line, column = v.Locate(in.TextStart())
		}
		known.fill(it, in.Module, line, column)
	}
	return items
}

// fill says of an item what its script does. Line and column are where the script's text begins on its file.
func (k *Script) fill(it *order.Item, module bool, firstLine, firstColumn int) {
	k.once.Do(k.shared)
	it.Text = k.text
	if !module && k.Form != script.Classic && k.Form != script.Universal {
		return // a browser does not run it in such a tag, or it does nothing there
	}
	it.Defines, it.Parts, it.DefinesUnknown = k.defines, k.parts, k.DefinesUnknown
	where := func(g script.Global) string {
		if g.Line == 0 {
			return k.Name // the seal keeps no places
		}
		line, column := g.Line, g.Column
		if line == 1 {
			column += firstColumn - 1
		}
		return fmt.Sprintf("%s:%d:%d", k.Name, line+firstLine-1, column)
	}
	for _, n := range k.Needs {
		if n.Strength == script.Hard {
			it.Needs = append(it.Needs, order.Need{Global: n.Name, Or: n.Or, Where: where(n.Global)})
		}
	}
	for _, g := range k.PartNeeds {
		it.PartNeeds = append(it.PartNeeds, order.Need{Global: g.Name, Where: where(g)})
	}
}

// Rules are what the packing list knows of the order of things.
func Rules(p *project.Project) order.Rules {
	return order.Rules{Needs: func(l string) []string {
		if lib := p.List.Library(l); lib != nil {
			return lib.Needs
		}
		return nil
	}, Own: p.List.Own.Order}
}

// Constraints finds a page's constraints, less the needs that a rehearsal does not confirm, and what nothing on it
// meets.
func (s *Scripts) Constraints(ctx context.Context, items []order.Item) ([]order.Constraint, []order.MissingNeed) {
	all, absent := order.Find(items, Rules(s.p))
	kept := all[:0]
	asked := 0
	for _, k := range all {
		open := k.Kind == order.Reads && order.StateOf(items, k) == order.Broken && asked < order.MaxConfirmed
		if open {
			asked++
		}
		if !open || s.Confirms(ctx, &items[k.After], k.Global) {
			kept = append(kept, k)
		}
	}
	return kept, absent
}

// Fails makes sure that a script stops where nothing on its page defines a global.
func (s *Scripts) Fails(ctx context.Context, it *order.Item, global string) bool {
	text, ok := it.Text.([]byte)
	return !ok || s.p.Facts.FailsWithout(ctx, text, global)
}

// Confirms verifies a need that reading a script found.
func (s *Scripts) Confirms(ctx context.Context, it *order.Item, global string) bool {
	text, ok := it.Text.([]byte)
	return !ok || s.p.Facts.AsksFor(ctx, text, global)
}
