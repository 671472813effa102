// Package adopt identifies scripts and stylesheets that nobody recorded, and plans to record them.
package adopt

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/references"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// A Request says which unrecorded tags to adopt.
type Request struct {
	Pages  []string // whose tags; with Pasted, the pages that these go on
	Pasted string   // tags from elsewhere
	Dir    string   // where sources and pages are looked for
	Tag    string   // only tags whose reference contains this
	As     string   // NAME or NAME@VERSION, for what can't be recognised
	From   string   // a source in which the bytes are looked for
	// OnlyThisPage puts pasted tags into the pages' own files alone, and into no part that other pages have, too.
	OnlyThisPage bool
}

// Adopted is the result of adopt.
type Adopted struct {
	reconcile.Result
	Tags  []Tag                  `json:"tags"`            // the tags that were looked at
	Pages []reconcile.PageChange `json:"pages,omitempty"` // that pasted tags went on
	CDNs  map[string]cdn.Pattern `json:"cdns,omitempty"`  // patterns that were learned on the way
	Notes []string               `json:"notes,omitempty"` // what else to know
}

// Tag is one script or stylesheet, on however many pages.
type Tag struct {
	Ref     string    `json:"ref"`               // the reference, as it is written
	At      string    `json:"at"`                // page:line:column of the first tag
	Pages   int       `json:"pages"`             // the pages that it is on
	Library string    `json:"library,omitempty"` // the library's name in the crate
	Version string    `json:"version,omitempty"` // exact version
	File    string    `json:"file,omitempty"`    // path in the package
	Sure    Certainty `json:"sure"`              // how certain the library and version are
	Because []string  `json:"because,omitempty"` // the evidence
	State   State     `json:"state"`             // adopted, asked, left and so on
	Why     string    `json:"why,omitempty"`     // why it was not adopted
	Next    string    `json:"next,omitempty"`
}

// A State says what adopt did with a tag.
type State string

// The states.
const (
	StateAdopted State = "adopted"
	StateDevOnly State = "desk"  // recorded for development only: its bytes may change
	StateAsked   State = "asked" // it is a library, and its name or version can't be known
	StateOwn     State = "own"   // nothing tells that it is a library
	StateLeft    State = "left"  // it could not be adopted
)

// candidate is something that tags refer to and nobody recorded.
type candidate struct {
	Tag
	target tags.Target
	style  bool
	links  []string       // the integrity attributes of its tags
	on     []paths.InSite // the pages that have its tags
	what   *recognised
}

// adoption is one change in which recognised tags are recorded.
type adoption struct {
	req  Request
	d    *reconcile.Plan
	site *walk.Site
	out  *Adopted
	has  map[string][]paths.InSite // libraries of the crate, to the pages among those asked for that have them
}

// Plan plans to record tags that are on pages, or were pasted. The caller applies the plan and fills in the rest of the
// result.
func Plan(ctx context.Context, d *reconcile.Plan, req Request) (*Adopted, error) {
	pages, err := d.Pages(ctx, req.Pages, req.Dir, false)
	if err != nil {
		return nil, err
	}
	a := &adoption{req: req, d: d, out: &Adopted{CDNs: map[string]cdn.Pattern{}}}
	if a.site, err = d.Site(ctx); err != nil {
		return nil, err
	}
	var list []*candidate
	var pasted *tags.Page
	if req.Pasted != "" {
		if pasted, err = tags.Read(d.Before, pages[0], []byte(req.Pasted)); err != nil {
			return nil, err
		}
		list = candidates(pasted, nil)
		if len(list) == 0 && !slices.ContainsFunc(pasted.Of, func(of project.Sealed) bool { return of.Library != "" }) {
			return nil, problem.Misuse("paste the whole tag: <script src=…></script> or <link rel=stylesheet href=…>",
				"the pasted text has no script or stylesheet tag")
		}
	} else if list, err = a.unrecorded(ctx, d.Before, pages); err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(c *candidate) bool { return !strings.Contains(c.Ref, req.Tag) })
	if req.Tag != "" && len(list) == 0 {
		return nil, problem.Refuse(problem.NothingThere, "merry adopt --all --dry-run  # lists unrecorded tags",
			"no unrecorded tag has a reference with %s in it", req.Tag)
	}
	if req.As != "" && len(list) > 1 {
		return nil, problem.Misuse("--tag TEXT picks the tags whose reference contains TEXT",
			"--as names one library, but %d tags are unrecorded", len(list))
	}
	if err := parallel.EachWide(ctx, parallel.Connections, list, a.makeOut); err != nil {
		return nil, err
	}
	defer func() {
		for _, c := range list {
			if c.what != nil && c.what.source != nil {
				c.what.source.Close()
			}
		}
	}()
	if err := a.all(ctx, list); err != nil {
		return nil, err
	}
	if pasted != nil {
		for _, c := range list {
			if c.State != StateAdopted && c.State != StateDevOnly {
				return nil, problem.Refuse(problem.LibraryUnknown,
					cmp.Or(c.Next, "paste it again with --as NAME@VERSION"), "%s: %s", c.Ref,
					cmp.Or(c.Why, "nothing identifies it"))
			}
		}
		d.OnWholePages(pages, req.OnlyThisPage, a.paste(pasted))
	}
	for _, c := range list {
		a.out.Tags = append(a.out.Tags, c.Tag)
	}
	return a.out, nil
}

// unrecorded lists what tags on pages refer to and nobody recorded, in the order in which it is met.
func (a *adoption) unrecorded(ctx context.Context, p *project.Project, pages []paths.InSite) ([]*candidate, error) {
	site, err := p.Walk(ctx)
	if err != nil {
		return nil, err
	}
	from := p.Viewpoint(site)
	views, err := parallel.Map(ctx, pages, func(ctx context.Context, name paths.InSite) (*tags.Page, error) {
		b, err := p.ReadInSite(name)
		if err != nil {
			return nil, err
		}
		v, err := tags.ReadPart(ctx, p, from, name, b)
		if err != nil {
			return nil, nil // check tells of it
		}
		return v, nil
	})
	if err != nil {
		return nil, err
	}
	var list []*candidate
	for _, v := range views {
		if v != nil {
			list = candidates(v, list)
			a.note(v)
		}
	}
	return list, nil
}

// note notes which libraries of the crate a page has.
func (a *adoption) note(v *tags.Page) {
	if a.has == nil {
		a.has = map[string][]paths.InSite{}
	}
	for i := range v.Includes {
		if l := v.Library(i); l != "" && !slices.Contains(a.has[l], v.Path) {
			a.has[l] = append(a.has[l], v.Path)
		}
	}
}

// candidates adds to a list what the tags of one page refer to.
func candidates(v *tags.Page, list []*candidate) []*candidate {
	for i := range v.Includes {
		in, t := &v.Includes[i], v.Targets[i]
		if !v.Stands(i) || v.Library(i) != "" || t.IsZero() {
			continue
		}
		at := slices.IndexFunc(list, func(c *candidate) bool { return c.target == t })
		if at < 0 {
			c := &candidate{target: t, style: v.IsStyle(i)}
			c.Ref, c.At = in.Ref, v.At(i)
			at, list = len(list), append(list, c)
		}
		list[at].Pages++
		list[at].on = append(list[at].on, v.Path)
		if value, ok := v.Attr(in, "integrity"); ok && !slices.Contains(list[at].links, value) {
			list[at].links = append(list[at].links, value)
		}
	}
	return list
}

// makeOut reads or fetches what a candidate refers to, and recognises it.
//
// It is longer than 80 lines because it is one sequence of rules, each of which ends the search.
func (a *adoption) makeOut(ctx context.Context, c *candidate) error {
	p, req := a.d.Before, a.req
	c.Sure = Unsure
	leave := func(why, next string) { c.State, c.Why, c.Next = StateLeft, why, next }
	var b []byte
	var err error
	if c.target.URL != "" {
		b, err = p.Origin.FetchOnce(ctx, c.target.URL)
		if err != nil && (p.Origin.Offline || ctx.Err() != nil) {
			return err
		}
		if err != nil {
			leave("its address does not answer: "+err.Error(), "try again, or remove the tag")
			return nil
		}
	} else if b, err = p.ReadInSite(c.target.Path); errors.Is(err, fs.ErrNotExist) {
		next := "put the file there, or take the library"
		if near, _ := references.Meant(a.site, c.target.Path); !near.IsZero() {
			next = "the nearest file is " + near.String() + "; write that in the tag"
		}
		leave("there is no file "+c.target.Path.String(), next)
		return nil
	} else if err != nil {
		return err
	}
	for _, value := range c.links {
		meta, err := integrity.Parse(value)
		if err != nil {
			leave("its integrity is not valid: "+err.Error(), "copy the tag again from its documentation")
			return nil
		}
		if !meta.Match(b) {
			leave(fmt.Sprintf("its integrity does not match the bytes\n  the tag:  %s\n"+
				"  the file: %s", meta.Strongest()[0], integrity.Of(b)), "copy the tag again from its documentation; "+
				"a browser would refuse the file")
			return nil
		}
	}
	if c.what, err = a.recognise(ctx, c.target, b); err != nil {
		return err
	}
	w := c.what
	if w.floating != "" && w.source == nil {
		// A second look tells what is only possible from what is so.
		if again, err := p.Origin.Fetch(ctx, c.target.URL); err == nil && integrity.Of(again) != integrity.Of(b) {
			w.floating += ", and the second request returned other bytes"
		}
	}
	c.Library, c.Version, c.File, c.Sure, c.Because = strings.ToLower(w.name), w.version, w.path, w.sure, w.because
	switch {
	case w.known != nil && !c.target.Path.IsZero() && p.InProject(c.target.Path) != w.known.At:
		at, _ := p.InSite(w.known.At)
		leave("it is a second copy of "+at.String()+" of "+w.name, fmt.Sprintf("refer to %s instead, and remove "+
			"this file", at))
	case w.floating != "" && w.name != "" && w.known == nil && w.source == nil:
		c.State, c.Version = StateDevOnly, ""
		c.Why = w.floating + ": it can't be sealed, so it is for development only"
		c.Next = "link to one version before it ships"
	case w.sure != Unsure:
		if c.State = StateAdopted; w.floating != "" {
			c.Why = w.floating
			c.Next = fmt.Sprintf("merry switch %s --cdn  # writes the exact address", c.Library)
		}
	case c.target.URL == "" && len(w.because) == 0:
		c.State, c.Why = StateOwn, "nothing shows that it is a library, so it counts as the site's own"
		c.Library, c.Next = "", fmt.Sprintf("if it is one: merry adopt %s --tag %s --as NAME@VERSION", pageOf(c.At),
			texts.Word(c.Ref))
	default:
		c.State = StateAsked
		c.Why = "its version is unknown"
		if w.name == "" {
			c.Why = "its name is unknown"
		}
		c.Next = fmt.Sprintf("name the version: merry adopt %s --tag %s --as %s@VERSION", pageOf(c.At),
			texts.Word(c.Ref), cmp.Or(c.Library, "NAME"))
		if req.Pasted != "" {
			c.Next = fmt.Sprintf("paste it again with --as %s@VERSION", cmp.Or(c.Library, "NAME"))
		}
	}
	return nil
}

func pageOf(at string) string { name, _, _ := strings.Cut(at, ":"); return name }

// paste puts the pasted tags on pages, as they are written, where their libraries belong.
func (a *adoption) paste(pasted *tags.Page) reconcile.PageWork {
	return func(_ context.Context, e *tags.Editor, done *reconcile.PageChange) error {
		for i := range pasted.Includes {
			of := tags.FileOf(e.Project(), pasted.Targets[i]) // now that its libraries are known
			if !pasted.Stands(i) || of.Library == "" {
				continue
			}
			ref := pasted.Includes[i].Ref
			if slices.Contains(e.Targets, pasted.Targets[i]) {
				done.Already = append(done.Already, ref)
				continue
			}
			f := project.TaggedFile{Library: of.Library, File: of.File,
				Style: pasted.Includes[i].Kind == page.Stylesheet}
			if of.File != nil {
				f.At, _ = e.Project().InSite(of.File.At)
			}
			e.Paste(f, pasted.Text(i))
			done.Added = append(done.Added, ref)
		}
		return nil
	}
}
