package project

import (
	"slices"
	"strings"

	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// maxFacts is how many names of a kind the seal keeps of a script. One that gives more is a catalogue, and of no use
// to the order of others.
const maxFacts = 80

// FactsOf is a script's report in short, as the seal keeps it, with the globals that running it made; whole says that
// those are all.
func FactsOf(r *script.Report, made []string, whole bool) *record.Facts {
	f := &record.Facts{Form: string(r.Form), Syntax: r.Syntax, Defines: namesOf(withNames(r.Defines, made)),
		Parts: namesOf(r.Parts), Uses: namesOf(r.PartNeeds), DefinesUnknown: r.DefinesUnknown && !whole}
	for _, n := range r.Hard() {
		if len(f.Needs) < maxFacts {
			f.Needs = append(f.Needs, strings.Join(append([]string{n.Name}, n.Or...), "|"))
		}
	}
	return f
}

func namesOf(list []script.Global) []string {
	var names []string
	for _, g := range list {
		if len(names) < maxFacts {
			names = append(names, g.Name)
		}
	}
	return names
}

// withNames adds to globals those of names that they lack.
func withNames(list []script.Global, names []string) []script.Global {
	list = slices.Clone(list)
	for _, name := range names {
		if !slices.ContainsFunc(list, func(g script.Global) bool { return g.Name == name }) {
			list = append(list, script.Global{Name: name})
		}
	}
	return list
}

// WithFacts is what reading a sealed script told, with what the seal knows of it beside: the globals that running it
// made.
func WithFacts(r *script.Report, f *record.File) *script.Report {
	if f == nil || f.Facts == nil || len(f.Facts.Defines) <= len(r.Defines) &&
		f.Facts.DefinesUnknown == r.DefinesUnknown {
		return r
	}
	more := *r
	more.Defines, more.DefinesUnknown = withNames(r.Defines, f.Facts.Defines), f.Facts.DefinesUnknown
	return &more
}

// ReportOf returns the report that the seal keeps of a script, nil if it keeps none.
func ReportOf(f *record.File) *script.Report {
	if f == nil || f.Facts == nil {
		return nil
	}
	r := &script.Report{Form: script.Form(f.Facts.Form), Syntax: f.Facts.Syntax, Defines: globals(f.Facts.Defines),
		Parts: globals(f.Facts.Parts), PartNeeds: globals(f.Facts.Uses), DefinesUnknown: f.Facts.DefinesUnknown}
	for _, n := range f.Facts.Needs {
		names := strings.Split(n, "|")
		r.Needs = append(r.Needs, script.Need{Global: script.Global{Name: names[0]}, Or: names[1:],
			Strength: script.Hard})
	}
	return r
}

func globals(names []string) []script.Global {
	var list []script.Global
	for _, n := range names {
		list = append(list, script.Global{Name: n})
	}
	return list
}

// ScriptOf returns the report of a sealed script without the network: from its bytes, or from the seal; nil if neither
// is available.
func (p *Project) ScriptOf(of Sealed) *script.Report {
	if b, err := p.LocalBytes(of); err == nil {
		return WithFacts(p.Facts.ScriptOf(of.File.Integrity, b), of.File)
	}
	return ReportOf(of.File)
}
