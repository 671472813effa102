// Package look opens a project's pages in this machine's browser and returns what it said: console messages, failed and
// blocked requests, times and bytes per host. It saves how pages look, and compares a look with a saved one.
package look

import (
	"cmp"
	"context"
	"maps"
	"net/url"
	"path"
	"runtime"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/browser"
	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/disk"
	markup "merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/serve"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
)

// A Request asks for pages to be looked at.
type Request struct {
	Pages  []string // patterns; none is all
	Dir    string   // where patterns begin
	Widths []int    // of the window, in pixels; none is one that desks have
	Dark   bool     // as who likes it dark sees them
	// NoScripts opens the pages without scripts.
	NoScripts bool
	Wait      string        // a selector that must appear before a page is looked at
	Masks     []string      // selectors of what is not to be seen in pictures
	Timeout   time.Duration // how long one page may take, 0 for the usual time
	Save      string        // keep how the pages look under this name
	Baseline  string        // hold how they look against what was kept under this name
	// Screenshots forces screenshots even if nothing is saved, so that two looks can be compared in memory.
	Screenshots bool

	// Browser is the browser that the user's settings name, and Hosts are where they say that hosts are.
	Browser string
	Hosts   map[string]string
	// Certificates is a file of more authorities to trust, in PEM.
	Certificates string
	Offline      bool
	// Behind is the address of a server that fills pages in, "" for none.
	Behind string
	// Overlay are files that are served otherwise than they are on disk, by their places in the site.
	Overlay map[string][]byte
	// Policies are content security policies to try, by the page's path in the site, in place of those of the site.
	Policies map[string]string
	// Findings are the findings of check.
	Findings []check.Finding
}

// usual are what a request that says nothing gets.
const (
	usualWidth = 1280
	usualLimit = 20 * time.Second
)

// Report is the result of look.
type Report struct {
	Browser string  `json:"browser"`         // its name and version
	Pages   []*Page `json:"pages"`           // each in each of its widths
	Saved   string  `json:"saved,omitempty"` // the name that the look was saved under
	// Disagreements is where check and the browser say different things.
	Disagreements []Disagreement `json:"disagreements"`
	Notes         []string       `json:"notes,omitempty"` // what else to know

	site string // the site's folder in the project
}

// A Page is one page in one view.
type Page struct {
	Page string `json:"page"` // in the site
	browser.View
	Messages []*console.Message `json:"messages"` // of the console
	// More is how many console lines there were beyond the ones kept.
	More int `json:"more,omitempty"`
	// until something was first seen, in milliseconds; 0 if nothing was
	FirstPaint int              `json:"first_paint_ms"`
	Requests   int              `json:"requests"` // number of requests
	Bytes      map[string]int64 `json:"bytes"`    // on the wire, by host; "" is the site's own
	// Different lists the differences from the saved look, nil if there are none.
	Different *Difference `json:"different,omitempty"`
	// UnstyledClasses are the classes without a rule in any stylesheet. Unmatched are rules that match nothing, with
	// their files. Both need screenshots.
	UnstyledClasses []string `json:"unstyled_classes,omitempty"`
	Unmatched       int      `json:"unmatched,omitempty"` // CSS rules that match nothing

	Before, After *browser.Shot `json:"-"`
}

// A Disagreement is a page on which check and the browser disagree.
type Disagreement struct {
	Page string `json:"page"` // the page, in the site
	What string `json:"what"` // what one of the two reports and the other does not
}

// maxPages is how many pages are looked at that nobody named.
const maxPages = 100

// A Window is the browser of one or more looks: the first starts it, and Close ends it. No look finds anything of the
// one before it.
type Window struct{ browser *browser.Browser }

// Close ends the browser, if there is one.
func (w *Window) Close() {
	if w != nil && w.browser != nil {
		w.browser.Close()
		w.browser = nil
	}
}

func (w *Window) open(ctx context.Context, o browser.Options) (*browser.Browser, error) {
	if w.browser != nil {
		w.browser.CloseTabs()
		return w.browser, nil
	}
	opened, err := browser.Open(ctx, o)
	if err != nil {
		return nil, err
	}
	w.browser = opened
	return opened, nil
}

// Look looks at pages, through a window that has been used for the same project or for none.
func Look(ctx context.Context, w *Window, p *project.Project, req Request) (*Report, error) {
	req.Timeout = cmp.Or(req.Timeout, usualLimit)
	if len(req.Widths) == 0 {
		req.Widths = []int{usualWidth}
	}
	names, err := chosen(ctx, p, req)
	if err != nil {
		return nil, err
	}
	var kept *store
	for _, name := range []string{req.Save, req.Baseline} {
		if err := named(name); err != nil {
			return nil, err
		}
	}
	if req.Baseline != "" {
		if kept, err = read(p.Disk, req.Baseline); err != nil {
			return nil, err
		}
	}
	file, err := browser.Find(req.Browser)
	if err != nil {
		return nil, err
	}
	var certificates []byte
	if req.Certificates != "" {
		if certificates, err = disk.ReadOwn(req.Certificates); err != nil {
			return nil, problem.Fault(problem.SettingsBad, "set a readable file of certificates: merry sources set "+
				"certificates FILE", "the certificates of your settings can't be read: %w", err)
		}
	}
	v := &visitor{p: p, req: req}
	pages := v.pages(names)
	if kept != nil {
		for _, page := range pages {
			if page.Before, err = kept.shot(page.Page, page.View); err != nil {
				return nil, err
			}
		}
	}
	stop, err := v.serve(ctx)
	if err != nil {
		return nil, err
	}
	defer stop()
	if v.browser, err = w.open(ctx, browser.Options{Path: file, Hosts: req.Hosts, Certificates: certificates,
		Offline: req.Offline}); err != nil {
		return nil, err
	}
	out := &Report{Browser: v.browser.Version, Pages: pages, Saved: req.Save, Disagreements: []Disagreement{},
		site: p.Site()}
	if err := parallel.EachWide(ctx, tabs(len(pages)), pages, v.visit); err != nil {
		return nil, err
	}
	if err := v.unknownBehind(out.Pages); err != nil {
		return nil, err
	}
	for _, page := range out.Pages {
		out.Disagreements = append(out.Disagreements, differing(page, v.site)...)
	}
	if kept != nil && kept.Browser != out.Browser {
		out.Notes = append(out.Notes, "the look "+req.Baseline+" was taken with "+kept.Browser+", and this one with "+
			out.Browser+": text may differ for that reason alone")
	}
	if kept != nil {
		out.Notes = append(out.Notes, kept.lacking(out.Pages)...)
	}
	if req.Save != "" {
		if err := write(ctx, p.Disk, req.Save, out); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// HasBrowser reports whether there is a browser: the one that is named, or any.
func HasBrowser(named string) bool {
	_, err := browser.Find(named)
	return err == nil
}

// chosen are the pages that a request means.
func chosen(ctx context.Context, p *project.Project, req Request) ([]paths.InSite, error) {
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	if len(req.Pages) > 0 {
		var addresses []paths.InSite // that the server behind knows
		patterns := slices.DeleteFunc(slices.Clone(req.Pages), func(name string) bool {
			if req.Behind == "" || !strings.HasPrefix(name, "/") {
				return false
			}
			addresses = append(addresses, paths.Found(strings.Trim(name, "/")))
			return true
		})
		if len(patterns) == 0 {
			return addresses, nil
		}
		names, err := p.Select(site, patterns, req.Dir)
		if err != nil {
			return nil, err
		}
		names, err = withoutReports(p, p.PartsOf(ctx, site, names).Visited(names))
		return append(names, addresses...), err
	}
	if len(site.Pages) > maxPages {
		return nil, problem.Misuse("merry look '**'  # opens all of them; or name some", "the site has %d pages; name "+
			"those to open", len(site.Pages))
	}
	return withoutReports(p, p.PartsOf(ctx, site, site.Pages).Visited(site.Pages))
}

// withoutReports leaves out reports of this program, which are no pages of the site.
func withoutReports(p *project.Project, names []paths.InSite) ([]paths.InSite, error) {
	var list []paths.InSite
	for _, name := range names {
		b, err := p.ReadInSite(name)
		if err != nil {
			return nil, err
		}
		if !markup.IsReport(b) {
			list = append(list, name)
		}
	}
	if len(list) == 0 && len(names) > 0 {
		return nil, problem.Refuse(problem.PageUnknown, "name a page of the site", "%s is a report that merry wrote, "+
			"not a page", names[0])
	}
	return list, nil
}

// A visitor opens pages one after the other, several at once.
type visitor struct {
	p       *project.Project
	req     Request
	browser *browser.Browser
	site    *console.Site
	origin  string
}

// serve has the site answered on loopback while it is looked at.
func (v *visitor) serve(ctx context.Context) (stop func(), err error) {
	behind, err := serve.ParseBehind(v.req.Behind)
	if err != nil {
		return nil, err
	}
	s, err := serve.New(ctx, serve.Options{Project: v.p, Host: "127.0.0.1", CDNFallback: v.req.Offline, Behind: behind,
		Policies: addressed(v.req.Policies)})
	if err != nil {
		return nil, err
	}
	s.Update(ctx, v.p, v.req.Overlay)
	l, err := serve.Listen("127.0.0.1", "0")
	if err != nil {
		s.Close()
		return nil, err
	}
	ctx, cancel := context.WithCancel(ctx)
	ended := make(chan struct{})
	go func() { defer close(ended); s.Run(ctx, l) }()
	v.origin = "http://" + l.Addr().String()
	v.site = &console.Site{Origin: v.origin, Sites: v.p.Site(), Findings: v.req.Findings, Tags: tags.Describe(v.p),
		Template: s.TemplateLine, Read: func(name string) []byte {
			b, _ := v.p.ReadInSite(paths.Found(name))
			return b
		}}
	return func() { cancel(); <-ended; s.Close() }, nil
}

// addressed are policies by the addresses of their pages.
func addressed(policies map[string]string) map[string]string {
	list := map[string]string{}
	for name, policy := range policies {
		list["/"+name] = policy
	}
	return list
}

// pages are those that are to be looked at, in all the widths that are wanted.
func (v *visitor) pages(names []paths.InSite) []*Page {
	var list []*Page
	for _, name := range names {
		for _, width := range v.req.Widths {
			list = append(list, &Page{Page: cmp.Or(name.String(), "/"), View: browser.View{Width: width,
				Dark:      v.req.Dark,
				NoScripts: v.req.NoScripts}})
		}
	}
	return list
}

// tabs is how many of the pages are open at once: of many more than processors, since pages wait for what they ask for.
// Of few not, since opening a tab takes as long as some pages do.
func tabs(pages int) int {
	most := min(8, runtime.NumCPU()*2)
	return max(2, min(most, pages/4))
}

// visit looks at one page.
func (v *visitor) visit(ctx context.Context, page *Page) error {
	pictures := v.req.Save != "" || v.req.Baseline != "" || v.req.Screenshots
	address := url.URL{Path: "/" + page.Page}
	seen, err := v.browser.Visit(ctx, v.origin+address.EscapedPath(), browser.Request{View: page.View, Wait: v.req.Wait,
		Masks: v.req.Masks, Screenshot: pictures, Timeout: v.req.Timeout})
	if err != nil {
		return err
	}
	page.FirstPaint, page.Requests, page.Bytes, page.Messages = int(seen.Paint.Milliseconds()), seen.Requests,
		map[string]int64{}, []*console.Message{}
	for host, n := range seen.Bytes {
		if "http://"+host == v.origin {
			host = ""
		}
		page.Bytes[host] += n
	}
	page.More = seen.More
	var log console.Log
	for _, m := range seen.Messages {
		m.Page = page.Page
		v.site.Explain(m)
		if log.New(m) {
			page.Messages = append(page.Messages, m)
		}
	}
	if page.After = seen.Shot; page.After == nil {
		return nil
	}
	v.name(&page.After.State)
	page.UnstyledClasses, page.Unmatched = v.unstyled(&page.After.State), len(page.After.State.Unmatched)
	if page.Before == nil {
		return nil
	}
	if page.Different, err = CompareShots(page.Before, page.After); err != nil {
		return problem.Refuse(problem.RecordBroken, "merry look --save "+v.req.Baseline+"  # takes it again",
			"the screenshot of %s in the look %s can't be read: %v", page.Page, v.req.Baseline, err)
	}
	return nil
}

// unknownBehind returns an error if the server behind has no page at an address that was opened. Its error page would
// look the same before and after any change.
func (v *visitor) unknownBehind(pages []*Page) error {
	if v.req.Behind == "" {
		return nil
	}
	for _, page := range pages {
		for _, m := range page.Messages {
			if m.Kind == console.Failed && strings.Trim(strings.TrimPrefix(m.URL, v.origin), "/") ==
				strings.Trim(page.Page, "/") {
				if strings.HasPrefix(m.Text, "502") {
					return problem.Misuse("start it, or correct the address of --behind", "the server behind does "+
						"not answer at %s",
						v.req.Behind)
				}
				return problem.Misuse("name the addresses that the server knows: /PATH as a page for look, "+
					"--address /PATH "+
					"for other commands", "the server behind has no page at /%s: %s", page.Page, m.Text)
			}
		}
	}
	return nil
}

// name gives rules the names of the files in the site that they come from.
func (v *visitor) name(s *browser.State) {
	for i := range s.Rules {
		file := strings.TrimPrefix(s.Rules[i].File, v.origin+"/")
		file, _, _ = strings.Cut(file, "?")
		s.Rules[i].File = file
	}
}

// Compare compares two looks at the same pages, and stores the differences in the second.
func Compare(before, after *Report) error {
	was := map[string]*Page{}
	for _, p := range before.Pages {
		was[p.Page+" "+p.View.String()] = p
	}
	for _, p := range after.Pages {
		old := was[p.Page+" "+p.View.String()]
		if old == nil || old.After == nil || p.After == nil {
			continue
		}
		p.Before = old.After
		var err error
		if p.Different, err = CompareShots(p.Before, p.After); err != nil {
			return err
		}
	}
	return nil
}

// visible are the findings that a console says, too, where they are errors.
var visible = []string{check.FileMissing, check.CaseDiffers, check.NeedMissing, check.NeedLater, check.NeedCircle,
	check.ModuleAsClassic, check.WrongBuild, check.SyntaxError, check.ScriptFails, check.ImportUnmapped,
	check.ImportLacking,
	check.LinkStale, check.PolicyForbids}

// differing is where check and the browser say different things of a page: an error of the console that check has no
// word for, and an error of check of which the console says nothing.
func differing(page *Page, site *console.Site) []Disagreement {
	if page.NoScripts || site.Read != nil && site.Read(page.Page) == nil { // check knows no addresses of servers
		return nil
	}
	var list []Disagreement
	known := map[string]bool{}
	for _, m := range page.Messages {
		if m.Known {
			known[m.Cause] = true
		} else if m.Looking {
			return nil // what else there is was not seen
		} else if m.Wrong() && m.Kind != console.Failed || m.Kind == console.Failed && site.Own(m) {
			list = append(list, Disagreement{page.Page, "the browser reports, but check does not: " + m.Text})
		}
	}
	if len(known) > 0 {
		return list // one error keeps others from happening
	}
	for _, f := range site.Findings {
		if f.File == site.InProject(page.Page) && f.Severity == check.Error && slices.Contains(visible, f.Name) &&
			!f.Declared {
			list = append(list, Disagreement{page.Page, "check reports, but the browser does not: " + f.Message})
		}
	}
	return list
}

// Hosts are the hosts of a page, its own first, those with most bytes before others.
func (p *Page) Hosts() []string {
	return slices.SortedFunc(maps.Keys(p.Bytes), func(a, b string) int {
		return cmp.Or(cmp.Compare(len(a), 0)-cmp.Compare(len(b), 0), cmp.Compare(p.Bytes[b], p.Bytes[a]),
			cmp.Compare(a, b))
	})
}

// Clean reports whether nothing wrong was said of any page.
func (l *Report) Clean() bool {
	for _, p := range l.Pages {
		if slices.ContainsFunc(p.Messages, (*console.Message).Wrong) {
			return false
		}
	}
	return true
}

// Same reports whether no page looks different.
func (l *Report) Same() bool {
	return !slices.ContainsFunc(l.Pages, func(p *Page) bool { return p.Different != nil })
}

// SARIF returns what the browser said as a SARIF 2.1.0 log of a version of this program, ready for JSON.
func (l *Report) SARIF(program string) any {
	return check.Log{Program: program, Describe: func(name string) (string, string) {
		return console.Describe(console.Kind(strings.TrimPrefix(name, ofBrowsers)))
	}}.SARIF(l.findings())
}

// ofBrowsers begins the names of what browsers say.
const ofBrowsers = "browser-"

// findings are the messages as findings.
func (l *Report) findings() []check.Finding {
	var list []check.Finding
	for _, p := range l.Pages {
		for _, m := range p.Messages {
			f := check.Finding{Name: ofBrowsers + string(m.Kind), Severity: check.Error,
				File: path.Join(l.site, cmp.Or(m.File, m.Page)), Line: m.Line, Column: m.Column, Message: m.Text,
				Why: cmp.Or(m.Cause, "the browser reports this about "+m.Page), Next: m.Next}
			if !m.Wrong() {
				f.Severity = check.Warning
			}
			list = append(list, f)
		}
	}
	check.Sort(list)
	return slices.Compact(list)
}

// unstyled are the classes of a page for which no stylesheet has a rule. Of one that the browser shows to nobody, since
// it came from another host, the crate's copy tells; without a copy, nothing is said.
func (v *visitor) unstyled(state *browser.State) []string {
	classes := state.UnstyledClasses
	for _, address := range state.UnreadableSheets {
		of := v.p.AtAddress(address)
		b, err := v.p.LocalBytes(of)
		if of.File == nil || err != nil {
			return nil
		}
		made := map[string]bool{}
		for _, m := range style.Read(b).Makes() {
			made[m.Name] = made[m.Name] || m.Kind == style.Class
		}
		classes = slices.DeleteFunc(slices.Clone(classes), func(name string) bool { return made[name] })
	}
	return classes
}
