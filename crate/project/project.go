// Package project is an immutable snapshot of a project: the packing list, the seal, and indices of files and
// addresses. A command that writes reads it under the project's lock. Package reconcile changes a project.
package project

import (
	"errors"
	"io/fs"
	"path"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/requirements"

	"merrycrate.example/merry/crate/source"
)

// The places of the two records.
var (
	ListPath = paths.FoundInProject(record.ListFile)
	SealPath = paths.FoundInProject(record.SealFile)
)

// A Project is a site with its two records, as they were when they were read. It never changes: plans are made of
// clones.
type Project struct {
	Root paths.OnDisk // absolute
	Disk *disk.Folder // the same, for reading
	List *record.List
	Seal *record.Seal
	// ListText and SealText are the records as they are on disk; the seal's is nil if there is none.
	ListText, SealText   []byte
	ListStamp, SealStamp disk.Stamp

	// Notify, if set, gets messages for a person.
	Notify func(note string)
	Origin *origin.Opener
	Facts  *facts.Reader
	// Requirements finds what scripts require and who provides it. Snapshots of one command share it.
	Requirements *requirements.Resolver

	site      string // the served folder, slash-separated from the root
	byPlace   map[paths.InProject]Sealed
	byAddress map[string]Sealed
	globals   *memo.Memo[string, map[string]string]
	telling   *memo.Memo[string, string]

	served      *headers
	names       *fileNames
	sealedNames *memo.Memo[string, map[string][]paths.InSite]
}

// A Sealed names a file of the crate. Of a link that can't be sealed there is the library alone; the zero value is
// none.
type Sealed struct {
	Library string
	File    *record.File
}

// Read reads the project in a folder. Who wants to change it holds the project's lock.
func Read(on *disk.Folder, opener *origin.Opener, reader *facts.Reader) (*Project, error) {
	p := &Project{Root: on.Path(), Disk: on, Origin: opener, Facts: reader, Requirements: requirements.New(opener,
		reader), names: &fileNames{}}
	var err error
	if p.ListText, p.ListStamp, err = on.Read(record.ListFile, disk.MaxRecord, nil); err != nil {
		return nil, err
	}
	if p.List, err = record.ReadList(p.ListText); err != nil {
		return nil, listProblem(err)
	}
	p.Seal = record.NewSeal()
	p.SealText, p.SealStamp, err = on.Read(record.SealFile, disk.MaxRecord, nil)
	if err == nil {
		p.Seal, err = record.ReadSeal(p.SealText)
	} else if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	if err != nil {
		return nil, err
	}
	if p.site = siteOf(p.List); p.site != "." && paths.Validate(p.site) != nil {
		return nil, problem.Refuse(problem.RecordBroken, correctSite, "%s:%d: site: %s leads out of the project",
			record.ListFile, p.List.Line("site"), p.List.Site)
	}
	if p.site != "." {
		info, err := on.Stat(p.site)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil, problem.Refuse(problem.RecordBroken, correctSite, "%s:%d: site: there is no folder %s",
				record.ListFile, p.List.Line("site"), p.List.Site)
		case err != nil:
			return nil, err
		case !info.IsDir():
			return nil, problem.Refuse(problem.RecordBroken, correctSite, "%s:%d: site: %s is not a folder",
				record.ListFile, p.List.Line("site"), p.List.Site)
		}
	}
	p.index()
	return p, nil
}

// correctSite is what to do about a site: that is none.
const correctSite = "write site: . or the name of a folder below " + record.ListFile

// None is a project without records, libraries and pages.
func None(opener *origin.Opener, reader *facts.Reader) *Project {
	p := &Project{Origin: opener, Facts: reader, Requirements: requirements.New(opener, reader),
		List: &record.List{Format: record.Format}, Seal: record.NewSeal(), site: "."}
	p.index()
	return p
}

// listProblem says what a packing list's own error asks of the user.
func listProblem(err error) error {
	next := "correct " + record.ListFile + " there"
	what := err.Error()
	var e *record.ListError
	if errors.As(err, &e) {
		what = e.Where()
		if e.Next != "" {
			next = e.Next
		}
	}
	code := problem.RecordBroken
	if errors.Is(err, record.ErrNewer) {
		code = problem.RecordNewer
	}
	return &problem.Problem{Code: code, Class: problem.Refused, What: what, Next: []string{next}, Err: err}
}

// With returns the project with other records.
func (p *Project) With(list *record.List, seal *record.Seal) *Project {
	after := *p
	after.List, after.Seal, after.site = list, seal, siteOf(list)
	after.index()
	return &after
}

func (p *Project) index() {
	p.globals, p.telling = &memo.Memo[string, map[string]string]{}, &memo.Memo[string, string]{}
	p.sealedNames = &memo.Memo[string, map[string][]paths.InSite]{}
	p.served = &headers{}
	p.byPlace, p.byAddress = map[paths.InProject]Sealed{}, map[string]Sealed{}
	for _, lib := range p.List.Libraries {
		if p.Seal.Libraries[lib.Name] == nil && lib.Serve == record.CDN && source.IsAddress(lib.From) {
			p.byAddress[lib.From] = Sealed{Library: lib.Name} // a link that can't be sealed
		}
	}
	// Where one package was taken under several names, the first of them by the alphabet owns the addresses.
	for _, name := range p.Seal.Names() {
		sealed, lib := p.Seal.Libraries[name], p.List.Library(name)
		for i := range sealed.Files {
			f := &sealed.Files[i]
			if _, taken := p.byPlace[f.At]; !f.At.IsZero() && !taken {
				p.byPlace[f.At] = Sealed{name, f}
			}
			if lib == nil {
				continue
			}
			addresses := p.AddressesOf(lib, sealed, f)
			if f.URL != "" && cdn.BranchOf(f.URL, sealed.Version) != "" {
				addresses = append(addresses, f.URL) // as a page may still have it
			}
			for _, address := range addresses {
				if _, taken := p.byAddress[address]; !taken {
					p.byAddress[address] = Sealed{name, f}
				}
			}
		}
	}
}

func siteOf(l *record.List) string {
	if l.Site == "" || l.Site == "." {
		return "."
	}
	return path.Clean(filepath.ToSlash(l.Site))
}

// Site is the served folder, slash-separated from the project's root, "." for the root itself.
func (p *Project) Site() string { return p.site }

// InProject turns a path in the site into one in the project.
func (p *Project) InProject(name paths.InSite) paths.InProject { return name.In(p.site) }

// InSite turns a path in the project into one in the site, and reports whether it is there.
func (p *Project) InSite(name paths.InProject) (paths.InSite, bool) { return name.Below(p.site) }

// ReadFile reads a file of the project. Its errors are those of disk.Folder.Read.
func (p *Project) ReadFile(at paths.InProject) ([]byte, error) {
	b, _, err := p.Disk.Read(at.String(), disk.MaxFile, nil)
	return b, err
}

// ReadInSite is ReadFile for a path in the site.
func (p *Project) ReadInSite(name paths.InSite) ([]byte, error) { return p.ReadFile(name.In(p.site)) }

// Exists reports whether there is a file or folder in the project.
func (p *Project) Exists(at paths.InProject) bool {
	_, err := p.Disk.Stat(at.String())
	return err == nil
}

// At returns the crate's file at a place, the zero value where it is not the crate's.
func (p *Project) At(name paths.InProject) Sealed { return p.byPlace[name] }

// AtAddress returns the crate's file at an address of one of its CDNs. A query, and a scheme without TLS, lead to the
// same file.
func (p *Project) AtAddress(address string) Sealed {
	plain, _, _ := strings.Cut(address, "?")
	for _, a := range []string{address, plain} {
		if of, ok := p.byAddress[a]; ok {
			return of
		}
		if rest, ok := strings.CutPrefix(a, "http://"); ok && p.byAddress["https://"+rest].Library != "" {
			return p.byAddress["https://"+rest]
		}
	}
	return Sealed{}
}

// Places lists the places of the crate's files.
func (p *Project) Places() map[paths.InProject]Sealed { return p.byPlace }

// HasCDN reports whether one of the project's CDNs is at an origin, such as https://cdn.harbour.example.
func (p *Project) HasCDN(origin string) bool {
	for address := range p.byAddress {
		if rest, ok := strings.CutPrefix(address, origin); ok && (rest == "" || rest[0] == '/') {
			return true
		}
	}
	return false
}

// AddressesOf lists where a sealed file can be had.
func (p *Project) AddressesOf(lib *record.Library, sealed *record.Sealed, f *record.File) []string {
	var list []string
	if f.URL != "" {
		list = append(list, cdn.Exact(f.URL, sealed.Version))
	}
	for _, name := range p.List.CDNNames() {
		list = append(list, lib.Address(p.List.CDNs[name], sealed.Version, f))
	}
	return list
}

// Sealed returns a library's entry in both records. The error says that it is not in the crate.
func (p *Project) Sealed(name string) (*record.Library, *record.Sealed, error) {
	lib, sealed := p.List.Library(name), p.Seal.Libraries[name]
	if lib == nil || sealed == nil {
		return nil, nil, NotInCrate(p.List, name)
	}
	return lib, sealed, nil
}

// NotInCrate is the error of a name that is no library's of a list.
func NotInCrate(list *record.List, name string) error {
	next := "merry contents  # lists the crate"
	if near := list.Near(name); near != "" {
		next = "did you mean " + near + "?; " + next
	}
	return problem.Refuse(problem.LibraryUnknown, next, "%s is not in the crate", name)
}

// WithBytes finds the sealed file of an integrity; of several, the one that is called like base.
func (p *Project) WithBytes(integ, base string) (*record.Library, *record.Sealed, *record.File) {
	var lib *record.Library
	var in *record.Sealed
	var found *record.File
	for _, name := range p.Seal.Names() {
		sealed := p.Seal.Libraries[name]
		for i := range sealed.Files {
			if f := &sealed.Files[i]; f.Integrity == integ && p.List.Library(name) != nil &&
				(found == nil || path.Base(f.Path) == base) {
				lib, in, found = p.List.Library(name), sealed, f
			}
		}
	}
	return lib, in, found
}

// Habits returns the site's folders and naming: those of the packing list, and the usual ones for the rest.
func Habits(l *record.List) placement.Habits {
	or := func(value, usual string) string {
		if value == "" {
			return usual
		}
		return path.Clean(strings.Trim(value, "/"))
	}
	f := l.Folders
	return placement.Habits{Scripts: or(f.Scripts, "js"), Styles: or(f.Styles, "css"), Fonts: or(f.Fonts, "fonts"),
		Images: or(f.Images, "img"), Together: or(f.Together, "lib"), Names: l.Names}
}

// HabitsFor are the site's ways as far as a library has none of its own, and how its files are arranged: Together,
// ByKind where the library itself asks for it, "" if kinds are no more than a habit.
func HabitsFor(l *record.List, lib *record.Library) (placement.Habits, record.Arrange) {
	h := Habits(l)
	if lib.Names != "" {
		h.Names = lib.Names
	}
	if lib.Arrange == "" && l.Arrange == record.Together {
		return h, record.Together
	}
	return h, lib.Arrange
}

// AllowedBy returns the test of a hold on versions, nil if all are allowed.
func AllowedBy(h *record.Hold) func(version string) bool {
	if h == nil {
		return nil
	}
	return func(v string) bool {
		switch {
		case h.At != "":
			return v == h.At
		case h.Below != "":
			return source.CompareVersions(v, h.Below) < 0
		}
		return true
	}
}
