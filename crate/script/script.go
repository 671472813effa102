// Package script finds what a script is to a page: its form, the newest syntax it uses, the globals that it defines
// while loading, and those that it needs.
//
// It parses the script and follows it as a browser would run it. It evaluates the wrappers of libraries with what a
// browser has (window, document) and lacks (require, module, define). It is pure, and runs nothing.
package script

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"

	"merrycrate.example/merry/crate/ecma"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/texts"
)

// Form is how a script must be loaded.
type Form string

// The forms of script.
const (
	Classic   Form = "classic"     // assigns globals, or only does something
	Universal Form = "universal"   // takes a browser, an AMD loader and a server each by its own branch
	Module    Form = "module"      // an ES module: import and export
	AMD       Form = "amd"         // for a define() that somebody else must bring
	Server    Form = "server-side" // for require() and module.exports
	Broken    Form = "unparsable"
)

// Strength is how much a script depends on a global.
type Strength string

// The strengths of a need.
const (
	Hard     Strength = "hard"     // loading fails, or the script is of no use, without it
	Optional Strength = "optional" // it is used where it is there
	Later    Strength = "later"    // it is used only after loading
)

// A Global is a name with the position of its evidence.
type Global struct {
	Name   string `json:"name"`   // of the global
	Line   int    `json:"line"`   // of the evidence, from 1
	Column int    `json:"column"` // of the evidence, from 1
}

// A Need is a global that a script uses and does not define.
type Need struct {
	Global
	Strength Strength `json:"strength"` // while loading, later, or optional
	// Or lists other globals that would serve instead.
	Or []string `json:"or,omitempty"`
	// Extends says that the script adds to the global's own object, as plugins do.
	Extends bool `json:"extends,omitempty"`
	// Tested says that the script asks somewhere whether it is there: it may do without.
	Tested bool `json:"tested,omitempty"`

	// Certain says that it is read before anything else can happen in the script.
	Certain bool `json:"certain,omitempty"`

	// loaded says that its value was read while loading, under no guard: who uses it later counts on
	// what was there then.
	loaded bool
}

// A Report describes a script.
type Report struct {
	Form    Form     `json:"form"`
	Syntax  int      `json:"syntax"` // the year of the ECMAScript edition that it demands; 2009 is ES5
	Defines []Global `json:"defines,omitempty"`
	Needs   []Need   `json:"needs,omitempty"`
	// Parts are members that it adds to globals of others while loading, such as Race.Boat. PartNeeds are members that
	// it uses then, and that another script must have added.
	Parts     []Global `json:"parts,omitempty"`
	PartNeeds []Global `json:"part_needs,omitempty"`
	// Uses are members of others' globals that it uses at any time, such as race.trim and race.fn.boat, without asking
	// whether they are there.
	Uses []Global `json:"uses,omitempty"`
	// DefinesUnknown says that it gives all that an object has to the page, by names that reading does not know.
	DefinesUnknown bool `json:"opens,omitempty"`
	// Asks are the modules that it would have from a loader of AMD modules (define): packages' names mostly.
	Asks []string `json:"asks,omitempty"`
	// SyntaxError says why the script could not be parsed, with its place.
	SyntaxError       string   `json:"fault,omitempty"`
	SyntaxErrorLine   int      `json:"fault_line,omitempty"`
	SyntaxErrorColumn int      `json:"fault_column,omitempty"`
	ModuleImport      []string `json:"imports,omitempty"` // of a module: what it imports
	// For a module: its imports with the imported names, its exports, and the modules of which it re-exports all.
	Imports   []Import `json:"import_list,omitempty"`
	Exports   []string `json:"exports,omitempty"`
	ReExports []string `json:"stars,omitempty"`
	// NeedsBundler means that a module uses what only servers and bundlers have, such as process, and stops on a page.
	NeedsBundler bool `json:"elsewhere,omitempty"`
	// Loads are the files that it loads while running, if constant strings name them.
	Loads []Load `json:"loads,omitempty"`
	// Contacts are the hosts that it asks while it runs.
	Contacts []Contact `json:"contacts,omitempty"`
}

// Hard lists the needs without which the script does not work.
func (r *Report) Hard() []Need {
	var list []Need
	for _, n := range r.Needs {
		if n.Strength == Hard {
			list = append(list, n)
		}
	}
	return list
}

// Analyze describes a script. It never fails: a script that can't be parsed is reported as Broken.
func Analyze(src []byte) (report *Report) {
	defer func() {
		// A mistake of this package on some unheard-of script must not end a command: the script is then
		// one of which nothing is known.
		if p := recover(); p != nil {
			report = &Report{Form: Classic, SyntaxError: fmt.Sprint("merry could not analyse it: ", p)}
		}
	}()
	return analyze(src)
}

// What is parsed and followed level by level needs stack for each, and a stack without end can't be caught. No script
// that people write comes near these bounds.
const (
	maxNested = 100_000 // brackets of any kind that are open at once
	maxChain  = 4 << 20 // bytes of one expression, whose operators may nest as well
)

// tooDeep tells a script that is nested beyond the bounds, nil for all others. It counts brackets and goes by what ends
// an expression, wherever they stand: what is in a text or a comment makes no difference at this scale.
func tooDeep(src []byte) *Report {
	open, begun := 0, 0
	for i, c := range src {
		switch c {
		case '(', '[':
			open++
		case ')', ']':
			open = max(0, open-1)
		case '{':
			open++
			begun = i
		case '}':
			open = max(0, open-1)
			begun = i
		case ';':
			begun = i
		}
		if open > maxNested {
			return &Report{Form: Broken, SyntaxError: fmt.Sprintf("its brackets are nested more than %d deep",
				maxNested)}
		}
		if i-begun > maxChain {
			return &Report{Form: Classic, SyntaxError: fmt.Sprintf("it has an expression of more than %d bytes, which "+
				"is not analysed", maxChain)}
		}
	}
	return nil
}

// IsModule reports whether a script is an ES module. Most scripts have none of the words that make one, so it is told
// without reading them in full.
func IsModule(src []byte, analyze func([]byte) *Report) bool {
	for _, word := range []string{"import", "export", "await"} {
		if bytes.Contains(src, []byte(word)) {
			return analyze(src).Form == Module
		}
	}
	return false
}

// analyze is Analyze without a net: a mistake of this package shows.
func analyze(src []byte) *Report {
	src = bytes.TrimPrefix(src, []byte("\xef\xbb\xbf"))
	if r := tooDeep(src); r != nil {
		return r
	}
	// The parser puts a NUL behind its input; a copy keeps the caller's bytes as they are.
	buf := append(make([]byte, 0, len(src)+1), src...)
	ast, err := ecma.Parse(buf)
	if err != nil {
		r := &Report{Form: Broken, SyntaxError: err.Error()}
		if pe, ok := err.(*parse.Error); ok {
			r.SyntaxError, r.SyntaxErrorLine, r.SyntaxErrorColumn = pe.Message, pe.Line, pe.Column
		}
		return r
	}
	f := &follower{src: buf, original: src, lines: texts.NewIndex(buf), globals: map[string]value{},
		vars: map[*js.Var]value{}, needs: map[string]*Need{}, defines: map[string]Global{}, parts: map[string]Global{},
		partNeeds: map[string]Global{}, called: map[js.INode]int{}, imported: map[string]bool{},
		members: map[string]Global{}, askedFor: map[string]bool{}, firm: map[string]bool{}, kept: map[string]bool{},
		tested: map[string]bool{}}
	loads, module := f.loads(ast)
	f.isModule = module
	f.script(ast)
	r := &Report{Syntax: ecma.Edition(ast, buf), Form: f.form(), ModuleImport: f.imports, Loads: loads,
		DefinesUnknown: f.opens, Contacts: f.contacts(ast)}
	if r.Form == Module {
		r.Imports, r.Exports, r.ReExports = f.modules(ast)
		r.NeedsBundler = f.elsewhere
	}
	for _, g := range f.defines {
		r.Defines = append(r.Defines, g)
	}
	first := ""
	if !module {
		first = firstRead(ast.List)
	}
	for name, n := range f.needs {
		n.Certain = name == first && n.Strength == Hard
		if _, own := f.defines[name]; !own {
			if n.Strength == Hard && f.kept[name] && !f.firm[name] && f.tested[name] {
				n.Strength = Optional // it is kept for later, by a script that can do without
			}
			n.Tested = f.tested[name]
			r.Needs = append(r.Needs, *n)
		}
	}
	r.Parts, r.PartNeeds = sortedGlobals(f.parts), sortedGlobals(f.partNeeds)
	for name := range f.members {
		if _, own := f.parts[name]; own || f.askedFor[name] {
			delete(f.members, name)
		}
	}
	r.Uses = sortedGlobals(f.members)
	if r.Form == Universal {
		r.Asks = asks(buf)
	}
	if r.Form == Server {
		r.Defines, r.Needs = nil, nil // on a page it does neither
	}
	if r.Form == Module {
		r.Defines = slices.DeleteFunc(r.Defines, func(g Global) bool { return f.declared[g.Name] })
	}
	slices.SortFunc(r.Defines, func(a, b Global) int { return strings.Compare(a.Name, b.Name) })
	slices.SortFunc(r.Needs, func(a, b Need) int { return strings.Compare(a.Name, b.Name) })
	return r
}

var (
	loaderList = memo.Regexp(`\bdefine\(\s*(?:["'][^"']*["']\s*,\s*)?\[([^\]]*)\]`)
	quotedName = memo.Regexp(`["']([^"']+)["']`)
)

// asks lists what a script's call of define names: its first, since those behind are parts that were packed into it.
func asks(src []byte) []string {
	var list []string
	found := loaderList().FindSubmatch(src)
	if found == nil {
		return nil
	}
	for _, name := range quotedName().FindAllSubmatch(found[1], -1) {
		switch s := string(name[1]); {
		case s == "exports", s == "require", s == "module", strings.HasPrefix(s, "."), slices.Contains(list, s):
		default:
			list = append(list, s)
		}
	}
	return list
}

func sortedGlobals(m map[string]Global) []Global {
	var list []Global
	for _, name := range slices.Sorted(maps.Keys(m)) {
		list = append(list, m[name])
	}
	return list
}

// place turns a slice of the source into the global of that name at that place.
func (f *follower) place(name string, at []byte) Global {
	g := Global{Name: name}
	if offset := ecma.Offset(f.src, at); offset >= 0 {
		g.Line, g.Column = f.lines.At(offset)
	}
	return g
}
