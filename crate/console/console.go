// Package console interprets browser messages of a page: errors, warnings, failed requests and blocked requests. It
// finds the position in the site, through source maps, and the cause, from the findings of check.
package console

import (
	"cmp"
	"fmt"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/texts"
)

// A Kind says what happened.
type Kind string

// The kinds.
const (
	Error     Kind = "error"     // a script threw, or wrote to the console's errors
	Warning   Kind = "warning"   // the browser or a script warns
	Rejection Kind = "rejection" // nobody handled a promise's rejection
	Failed    Kind = "failed"    // a request was answered with a fault, or not at all
	Blocked   Kind = "blocked"   // by the page's policy, or since bytes are not those of the integrity
)

// Describe says in a sentence what messages of a kind are about, and in several what to do about them.
func Describe(k Kind) (short, help string) {
	of := map[Kind][2]string{
		Error: {"The browser's console has an error.", "A script threw an error that nothing caught, or wrote to the " +
			"console's errors. What the script would have done after that is not done."},
		Warning: {"The browser's console has a warning.", "The browser or a script warns: something works now, and " +
			"may " +
			"not work elsewhere or later."},
		Rejection: {"A promise was rejected, and nothing handled it.", "What waits for the promise never runs. " +
			"Handle " +
			"the rejection where the promise is made, or correct its cause."},
		Failed: {"A request was answered with an error, or not at all.", "The page does without the file. Correct " +
			"the " +
			"address, or put the file there."},
		Blocked: {"The browser blocked a file.", "The page's policy forbids it, or its bytes are not those of the " +
			"integrity that its tag demands. merry check says which."},
	}[k]
	return of[0], of[0] + " " + of[1]
}

// A Message is one thing that a browser said of a page.
type Message struct {
	Kind Kind   `json:"kind"`          // what kind of message it is
	Page string `json:"page"`          // in the site, such as crews/index.html
	Text string `json:"text"`          // the message
	URL  string `json:"url,omitempty"` // of the script that it came from, or of the request
	// Line and Column are the position in that file, from 1; 0 if unknown.
	Line   int `json:"line,omitempty"`
	Column int `json:"column,omitempty"` // from 1
	// File is the script in the site, or behind its source map.
	File  string `json:"file,omitempty"`
	Cause string `json:"cause,omitempty"` // what check knows of it
	Next  string `json:"next,omitempty"`  // what to type or do
	Known bool   `json:"known"`           // check found its cause
	// Looking says that it is of looking at the page, and no browser said it of its own.
	Looking bool `json:"looking,omitempty"`
}

// Place is where a message came from, as FILE:LINE:COLUMN, with as much of that as is known.
func (m *Message) Place() string {
	at := cmp.Or(m.File, m.Page)
	if m.Line > 0 {
		at += fmt.Sprintf(":%d:%d", m.Line, max(m.Column, 1))
	}
	return at
}

// Wrong reports whether the message is an error.
func (m *Message) Wrong() bool { return m.Kind != Warning }

// key tells messages apart: the same one is reported once.
func (m *Message) key() string {
	return strings.Join([]string{string(m.Kind), m.Page, m.Text, m.Place()}, "\x00")
}

// A Log remembers which messages were printed. Its methods may be called from several goroutines.
type Log struct {
	mu       sync.Mutex
	messages map[string]bool
}

// New reports whether a message was not said before, and remembers it.
func (l *Log) New(m *Message) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.messages[m.key()] {
		return false
	}
	if l.messages == nil {
		l.messages = map[string]bool{}
	}
	l.messages[m.key()] = true
	return true
}

// Forget begins again, as after a change of the site.
func (l *Log) Forget() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.messages = nil
}

// A Tag is a script on a page: its position, its file, and the globals that it defines and needs.
type Tag struct {
	Line, Column   int
	File           string // of the site, or an address; "" for one that is in the page
	Defines, Needs []string
}

// A Site is what messages are compared with: sources, findings and tags.
type Site struct {
	Origin string                   // where the site is served, such as http://127.0.0.1:8080
	Read   func(name string) []byte // a file of the site, nil if it has none
	// the site's folder in the project, as findings name files; "." for the root
	Sites    string
	Findings []check.Finding         // of the whole site
	Tags     func(page string) []Tag // the scripts of a page; nil if nothing is known of them
	maps     map[string]*original    // by file of the site
	// what is in the page's line as it was served and not on disk, nil for nothing
	Shift func(m *Message) (columns int)
	// Template returns the file and the line of a template that a line of a page comes from, if that is known.
	Template func(page string, line int) (file string, at int, ok bool)

	mu sync.Mutex
}

// Explain fills in a message's place in the site and its cause.
func (s *Site) Explain(m *Message) {
	m.Text = strings.TrimSpace(strings.TrimPrefix(m.Text, "Uncaught "))
	if name, ok := s.inSite(m.URL); ok {
		m.File = name
		if m.Kind == Failed || m.Kind == Blocked && m.Line == 0 {
			m.File = ""
		}
		if m.File == m.Page && s.Shift != nil && m.Line > 0 {
			m.Column -= s.Shift(m)
		}
		if m.File == m.Page && s.Template != nil && m.Line > 0 {
			if file, line, ok := s.Template(m.Page, m.Line); ok {
				m.File, m.Line = file, line
			}
		}
		s.mapped(m)
	} else if m.Line > 0 {
		m.File = m.URL
	}
	m.Text = strings.ReplaceAll(m.Text, s.Origin+"/", "")
	if f := s.cause(m); f != nil {
		m.Cause, m.Next, m.Known = f.Message, f.Next, true
		return
	}
	m.Next = s.advice(m)
}

// inSite is the file that an address of the served site means.
func (s *Site) inSite(address string) (string, bool) {
	rest, ok := strings.CutPrefix(address, s.Origin+"/")
	if !ok || s.Origin == "" {
		return "", false
	}
	rest, _, _ = strings.Cut(rest, "#")
	rest, _, _ = strings.Cut(rest, "?")
	if plain, err := url.PathUnescape(rest); err == nil {
		rest = plain
	}
	if rest == "" || strings.HasSuffix(rest, "/") {
		rest += "index.html"
	}
	return path.Clean(rest), true
}

// Own reports whether a message is about a file of the site.
func (s *Site) Own(m *Message) bool {
	_, ok := s.inSite(m.URL)
	return ok
}

// cause finds what check knows of a message: the finding of this page, or of the file, which names the global that is
// missing, the file that was asked for, or the very place.
func (s *Site) cause(m *Message) *check.Finding {
	var best *check.Finding
	most := 0
	for i := range s.Findings {
		f := &s.Findings[i]
		if f.Severity == check.Note {
			continue
		}
		if weight := s.mentions(f, m); weight > most {
			best, most = f, weight
		}
	}
	return best
}

// The findings of which messages can come: of a script where it stands, of a request that failed, and of bytes that are
// not as demanded.
var (
	ofCode = []string{check.SyntaxError, check.SyntaxNewer, check.WrongBuild, check.ModuleAsClassic,
		check.ClassicAsModule, check.ImportUnmapped, check.ImportLacking}
	ofRequest = []string{check.FileMissing, check.CaseDiffers, check.LeadsNowhere, check.AssetMissing, check.OldPath,
		check.LinkUnreachable, check.SealedMissing, check.SealedMoved}
	ofBytes = []string{check.LinkStale, check.LocalIntegrity, check.LinkDiffers, check.SealedChanged}
)

// mentions weighs whether a finding is what a message came of: 0 for no.
func (s *Site) mentions(f *check.Finding, m *Message) int {
	at := s.InProject(cmp.Or(m.File, m.Page))
	if f.Name == check.ImportUnmapped && m.Kind == Error && strings.Contains(m.Text, "module specifier") &&
		strings.Contains(m.Text, quotedIn(f.Message)) {
		return 4 // the browser does not always say where
	}
	if f.File != at && f.File != s.InProject(m.Page) {
		return 0
	}
	asked, _ := s.inSite(m.URL)
	here := m.Line > 0 && f.File == at && f.Line == m.Line
	switch m.Kind {
	case Error, Rejection:
		switch {
		case f.Global != "" && mentions(m.Text, f.Global) && m.File != "" && mentions(f.Message, m.File):
			return 5
		case f.Global != "" && mentions(m.Text, f.Global):
			return 4
		case f.Name == check.ScriptFails && strings.Contains(f.Message, strings.TrimPrefix(m.Text, Unhandled)):
			return 3
		case m.Kind == Error && slices.Contains(ofCode, f.Name) && (here || m.File != m.Page &&
			mentions(f.Message, m.File)):
			return 2
		case m.File == m.Page && f.Name == check.ScriptFails &&
			strings.Contains(f.Why+" "+f.Then, fmt.Sprintf("at %s:%d:", at, m.Line)):
			return 3
		}
		return s.causedBy(f, m, asked)
	case Failed:
		if m.URL != "" && slices.Contains(ofRequest, f.Name) && mentions(f.Message, cmp.Or(asked, m.URL)) {
			return 4
		}
	case Blocked:
		ofPolicy := f.Name == check.PolicyForbids
		if m.URL != "" && (ofPolicy || slices.Contains(ofBytes, f.Name)) && mentions(f.Message, cmp.Or(asked, m.URL)) {
			return 4
		} else if here && ofPolicy {
			return 3
		} else if _, directive, many := strings.Cut(f.Message, " more: "); many && ofPolicy &&
			strings.Contains(m.Text, `"`+directive+`"`) {
			return 2 // of many files the finding names some
		}
	}
	return 0
}

// causedBy weighs whether an error comes of what a finding says of a script's tag. Where the script itself stops, how a
// browser puts that is its own affair: "properties of undefined", or what the script throws. And where a script does
// not run, or not in time, those stop that need what it defines.
func (s *Site) causedBy(f *check.Finding, m *Message, asked string) int {
	if f.Severity != check.Error && f.Name != check.NeedRace || asked == "" {
		return 0
	}
	stops := f.Name == check.ScriptFails || strings.HasPrefix(f.Name, "need-")
	if stops && asked != m.Page && mentions(f.Message, asked) && (f.Name == check.ScriptFails || f.Global != "") {
		return 2
	}
	if s.Tags == nil || f.File != s.InProject(m.Page) {
		return 0
	}
	tags := s.Tags(m.Page)
	i := slices.IndexFunc(tags, func(t Tag) bool { return t.Line == f.Line && t.Column == f.Column })
	switch {
	case i < 0 || tags[i].File == "":
		return 0
	case stops && tags[i].File == asked:
		return 2
	case !stops && !slices.Contains(ofCode, f.Name) && !slices.Contains(ofRequest, f.Name) &&
		!slices.Contains(ofBytes, f.Name) && f.Name != check.PolicyForbids:
		return 0
	}
	lacking := func(global string) bool { return slices.Contains(tags[i].Defines, global) }
	if slices.ContainsFunc(tags[i].Defines, func(g string) bool { return mentions(m.Text, g) }) ||
		slices.ContainsFunc(tags, func(t Tag) bool {
			return t.File == asked && slices.ContainsFunc(t.Needs, lacking)
		}) {
		return 1
	}
	return 0
}

// quotedIn is the first piece of a text in quotes, with them; a text without any is such that nothing has it.
func quotedIn(text string) string {
	_, rest, _ := strings.Cut(text, `"`)
	inner, _, ok := strings.Cut(rest, `"`)
	if !ok {
		return "\x00"
	}
	return `"` + inner + `"`
}

// Unhandled is how the text of a rejection begins.
const Unhandled = "a promise was rejected, and nothing handles it: "

// InProject is a file of the site as findings name it.
func (s *Site) InProject(name string) string { return path.Join(s.Sites, name) }

// mentions reports whether a text names a word, as a whole.
func mentions(text, word string) bool {
	for at := 0; word != ""; {
		i := strings.Index(text[at:], word)
		if i < 0 {
			return false
		}
		start, end := at+i, at+i+len(word)
		if !(start > 0 && isWord(text[start-1])) && !(end < len(text) && isWord(text[end])) {
			return true
		}
		at = end
	}
	return false
}

func isWord(c byte) bool {
	return c == '_' || c == '$' || '0' <= c && c <= '9' || 'a' <= c|0x20 && c|0x20 <= 'z'
}

var undefined = memo.Regexp(`(?:ReferenceError: )?([\w$]+) is not defined`)

// advice is what to do about a message whose cause check does not know. Commands take files of the site: in place of an
// address of a server, the template that the message comes from.
func (s *Site) advice(m *Message) string {
	page := m.Page
	if s.Read != nil && s.Read(page) == nil {
		if page = m.File; page == "" || s.Read(page) == nil {
			return ""
		}
	}
	switch {
	case m.Kind == Failed:
		return "merry check " + texts.Word(page) + "  # checks the reference"
	case m.Kind == Blocked && strings.Contains(m.Text, "integrity"):
		return "merry check --online " + texts.Word(page) + "  # compares the link's bytes with the sealed ones"
	case m.Kind == Error && undefined().MatchString(m.Text):
		return "merry order " + texts.Word(page) + "  # shows what runs when, and what defines " +
			undefined().FindStringSubmatch(m.Text)[1]
	}
	return ""
}
