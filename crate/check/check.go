// Package check finds what a browser, a server or a colleague would trip over. Its input is what a page refers to and
// what the crate holds. It reads no files.
package check

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/support"
)

// Severity sorts findings by what they do to a site.
type Severity string

// The severities.
const (
	Error   Severity = "error"   // something does not load or does not work
	Warning Severity = "warning" // it works by luck, or not everywhere
	Note    Severity = "note"    // worth knowing
)

// A Finding is one thing that is wrong, with a stable name.
type Finding struct {
	Name     string   `json:"name"`             // the finding's stable name
	Severity Severity `json:"severity"`         // error, warning or note
	File     string   `json:"file"`             // from the project's root
	Line     int      `json:"line,omitempty"`   // from 1; 0 if it is the whole file
	Column   int      `json:"column,omitempty"` // from 1; 0 if the finding is about the whole file
	Message  string   `json:"message"`          // one sentence of fact
	Why      string   `json:"why"`              // the consequence
	Next     string   `json:"next"`             // what to type or do
	// Then are the scripts that stop in consequence, each with its place, separated by semicolons.
	Then string `json:"then,omitempty"`
	// On are the pages on which a finding of one of their parts shows.
	On     string `json:"on,omitempty"`
	Global string `json:"global,omitempty"` // that is missing, of a finding of code
	// Declared says that it is of a need which the packing list names, and no code that was read.
	Declared bool `json:"declared,omitempty"`
	// Missing is the library that is not there, of such a one.
	Missing string `json:"-"`
}

// Stops adds a script that stops in consequence.
func (f *Finding) Stops(name, place, message string) {
	words := name + " stops"
	if place != "" {
		words += " at " + place
	}
	f.Then = strings.TrimPrefix(f.Then+"; "+words+": "+message, "; ")
}

// Sort orders findings by file, place and name.
func Sort(list []Finding) {
	slices.SortFunc(list, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.File, b.File), cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column),
			cmp.Compare(a.Name, b.Name), cmp.Compare(a.Message, b.Message))
	})
}

// The findings' names. Scripts rely on them: a name is never given a new meaning.
const (
	FileMissing     = "file-missing"
	PartUnknown     = "part-unknown"
	ConflictMarks   = "conflict-marks"
	CaseDiffers     = "case-differs"
	LeadsNowhere    = "leads-nowhere"
	MemberMissing   = "part-missing"
	ImportUnmapped  = "import-unmapped"
	ImportLacking   = "import-lacking"
	ImportKind      = "import-kind"
	AwaitCircle     = "await-circle"
	TwoForms        = "two-forms"
	ClassRemoved    = "class-gone"
	GlobalGone      = "global-gone"
	AttributeGone   = "attribute-gone"
	MapBroken       = "import-map-broken"
	MapLate         = "import-map-late"
	MapEntry        = "import-map-entry"
	SealedChanged   = "sealed-changed"
	SealedMissing   = "sealed-gone"
	SealedMoved     = "sealed-moved"
	ListDiffers     = "list-differs"
	PagesUnmatched  = "pages-unmatched"
	NeedMissing     = "need-absent"
	NeedLater       = "need-later"
	NeedRace        = "need-race"
	NeedCircle      = "need-circle"
	RehearsalEnded  = "rehearsal-stopped"
	IncludedTwice   = "included-twice"
	OwnStyleFirst   = "own-style-first"
	AssetMissing    = "asset-missing"
	NoDoctype       = "no-doctype"
	NoCharset       = "no-charset"
	NoViewport      = "no-viewport"
	Unreadable      = "page-unreadable"
	LinkUnsealed    = "link-unsealed"
	LinkStale       = "link-stale"
	LinkPlain       = "link-plain"
	LinkNoOrigin    = "link-no-crossorigin"
	LinkUnversioned = "link-unversioned"
	LinkBranch      = "link-branch"
	LinkSchemeless  = "link-schemeless"
	LinkTracking    = "link-tracking"
	LocalIntegrity  = "local-integrity"
	LinkDiffers     = "link-differs"
	LinkUnreachable = "link-unreachable"
	NotAsProfile    = "not-as-profile"
	DevOnlyShipped  = "desk-only-shipped"

	ModuleAsClassic = "module-as-classic"
	ClassicAsModule = "classic-as-module"
	WrongBuild      = "wrong-build"
	SyntaxError     = "syntax-error"
	SyntaxNewer     = "syntax-newer"
	FeatureNewer    = "feature-newer"
	TwoVersions     = "two-versions"
	Unrecorded      = "unrecorded-library"
	Unused          = "unused-library"
	MapMissing      = "map-missing"
	OldPath         = "old-path"
	MixedContent    = "mixed-content"
	OnNoPage        = "on-no-page"
	AsksHost        = "asks-host"
	ScriptFails     = "script-fails"
	ClickFails      = "click-fails"
	HintWasted      = "hint-wasted"

	IntegrityUnheeded = "integrity-unheeded"

	StyleMissing   = "style-missing"
	MemberLacking  = "member-missing"
	ReadableBuild  = "readable-build"
	PolicyForbids  = "policy-forbids"
	PolicyUnheeded = "policy-unheeded"
)

// A Page is a page with the targets of its includes.
type Page struct {
	*page.Page
	File     string       // from the project's root
	Includes []Include    // as the page's own, one for one
	Items    []order.Item // what matters of them for their order, one for one
	// Whole, if set, returns the file and the line of an offset of a page that is put together from several files.
	Whole func(offset int) (file string, line int)
}

// line says in which line an offset is, with the file where that is another one than the page's.
func (p *Page) line(offset int) string {
	if p.Whole != nil {
		if file, line := p.Whole(offset); file != p.File {
			return fmt.Sprintf("line %d of %s", line, file)
		}
	}
	line, _ := p.Position(offset)
	if p.Whole != nil {
		_, line = p.Whole(offset)
	}
	return fmt.Sprintf("line %d", line)
}

// An Include is one include of a page with its target.
type Include struct {
	Path    string // in the site, "" if it leads elsewhere or can't be known
	URL     string // elsewhere, "" for what is in the site
	Library string // "" if it is of none
	Known   string // of a file that no record knows: the library of the crate that it looks like
	// Refused says that the integrity of a link to a library's file is not that of the sealed bytes.
	Refused bool
	Loads   bool // a script or stylesheet that the browser heeds
	// Missing says that it is a sealed file that is not there, which is reported once, for the file.
	Missing bool
	// Script is the report on a script, nil if none is known.
	Script *script.Report
	// Features are the features that it uses and that browsers of the packing list lack.
	Features []MissingFeature
	// Sealed is the version of the library that the link is of, "" if it is of none.
	Sealed string
	// Name and Version are what the file or its address says that it is, recorded or not.
	Name, Version string
	// Stem tells a library's file in whatever build, "" for others.
	Stem string
	// Where a profile is checked: the file's build, whether there is the other one, and whether the
	// library must not ship.
	Build         record.Build
	HasOtherBuild bool
	DevOnly       bool
	// Fallback says that a local copy stands in where this script's CDN does not answer; CanFallBack, that one could.
	Fallback, CanFallBack bool
	// Loose says that it is a link without a version that the packing list knows and keeps to the desk.
	Loose bool
}

// A MissingFeature is a feature that a file uses and that some browser for which the site is made lacks.
type MissingFeature struct {
	*support.Feature
	Who   string // the browsers
	Since string // the first versions that have it
	Where string // file:line:column
}

// A Profile is how the packing list wants libraries served.
type Profile struct {
	Name     string
	Serve    record.Serve
	Build    record.Build
	Fallback bool
	// Public holds pages against what a public page must not have, whatever profiles there are.
	Public  bool
	Without []string // libraries, and addresses in which * stands for anything, that must not be there
}

// Crate answers the questions of the checks about the project.
type Crate interface {
	// Has reports whether the site has a file, in exactly this case.
	Has(path string) bool
	// Near returns the file that was probably meant, and whether only the case differs.
	Near(path string) (near string, caseOnly bool)
	// Needs lists the libraries that one needs before it.
	Needs(library string) []string
	// LibraryOf is the library that a file of the site belongs to, "" for none.
	LibraryOf(path string) string
	// Provider tells who defines a global: a library of the crate, or an own script, as a path in the site.
	Provider(global string) (library, own string)
	// Supplier is the package that defines a global which libraries of the crate need, as name@range, "" for none.
	Supplier(global string) string
	// OwnOrder is the order that the packing list gives the site's own files.
	OwnOrder() []string
	// Fails makes sure that a script stops where nothing on its page defines a global.
	Fails(item *order.Item, global string) bool
	// Confirms verifies a need that reading a script found.
	Confirms(item *order.Item, global string) bool
	// Newest is the year of the newest ECMAScript edition that the site's browsers know, 0 if that is not said.
	Newest() int
	// Wants tells what a library wants of a page that it is on.
	Wants(library string) Wants
	// Profile is what pages are compared with, nil if there is none.
	Profile() *Profile
	// Matches reports whether a file of the site has the bytes that an integrity attribute asks for.
	Matches(path, integrity string) bool
	// Ref writes the reference from a page to a file of the site.
	Ref(p *Page, path string) string
}

// Wants are the things about a page that a library counts on.
type Wants struct {
	Doctype  bool // its styles are written for standards mode
	Charset  bool // its files have characters beyond ASCII
	Viewport bool // its styles ask how wide the window is
	Scripts  bool // it has scripts for pages: those are what needs others
}
