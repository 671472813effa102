package inspect

import (
	"bytes"
	"context"
	"errors"
	"io/fs"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/check"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/parallel"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/style"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/crate/texts"
)

// sealedFiles is what was learned of the crate's files before any page is looked at.
type sealedFiles struct {
	missing map[paths.InProject]bool // those that are not there
	wants   map[string]check.Wants   // what each library wants of a page
}

// files holds the crate's files against the seal, learns what the libraries want of pages, and looks at what
// stylesheets ask for.
func (c *inspection) files(ctx context.Context) ([]check.Finding, error) {
	places := make([]paths.InProject, 0, len(c.p.Places()))
	for at := range c.p.Places() {
		places = append(places, at)
	}
	slices.SortFunc(places, func(a, b paths.InProject) int { return strings.Compare(a.String(), b.String()) })
	type result struct {
		found []check.Finding
		wants check.Wants
		gone  bool
	}
	results, err := parallel.Map(ctx, places, func(_ context.Context, at paths.InProject) (r result, err error) {
		r.found, r.wants, r.gone, err = c.sealedFile(at)
		return r, err
	})
	if err != nil {
		return nil, err
	}
	c.sealed = sealedFiles{missing: map[paths.InProject]bool{}, wants: map[string]check.Wants{}}
	var found []check.Finding
	for i, r := range results {
		found = append(found, r.found...)
		if r.gone {
			c.sealed.missing[places[i]] = true
		}
		of := c.p.At(places[i])
		lib := of.Library
		w := c.sealed.wants[lib]
		scripts := w.Scripts || of.File != nil && of.File.Role == record.Tagged &&
			packages.KindOf(of.File.Path) == packages.Script
		c.sealed.wants[lib] = check.Wants{Scripts: scripts, Doctype: w.Doctype || r.wants.Doctype, Charset: w.Charset ||
			r.wants.Charset, Viewport: w.Viewport || r.wants.Viewport}
	}
	own, err := parallel.Map(ctx, c.p.OwnFiles(c.site, packages.Stylesheet),
		func(_ context.Context, name paths.InSite) ([]check.Finding, error) {
			b, err := c.p.ReadInSite(name)
			if err != nil {
				return nil, err
			}
			return c.assets(c.p.InProject(name), b), nil
		})
	return append(found, slices.Concat(own...)...), err
}

// sealedFile looks at one file of the crate.
func (c *inspection) sealedFile(at paths.InProject) (found []check.Finding, wants check.Wants, gone bool, err error) {
	of := c.p.At(at)
	b, err := c.p.ReadFile(at)
	switch {
	case errors.Is(err, fs.ErrNotExist) && c.p.Seal.Libraries[of.Library].Linked:
		return nil, wants, false, nil // pages have nothing but links to it
	case errors.Is(err, fs.ErrNotExist):
		return []check.Finding{{Name: check.SealedMissing, Severity: check.Error, File: at.String(),
				Message: "this file of " + of.Library + " is missing",
				Why:     "pages that refer to it will get \"not found\"", Next: "merry refill " + of.Library}}, wants,
			true,
			nil
	case isInTheWay(err):
		return []check.Finding{{Name: check.SealedChanged, Severity: check.Error, File: at.String(),
			Message: "this file of " + of.Library + " is no longer a regular file",
			Why:     "pages that refer to it will not get the sealed bytes", Next: "move it away; merry refill " +
				of.Library}}, wants, false, nil
	case err != nil:
		return nil, wants, false, err
	}
	if now := integrity.Of(b); now != of.File.Integrity {
		found = append(found, check.Finding{Name: check.SealedChanged, Severity: check.Error, File: at.String(),
			Message: "this file of " + of.Library + " is not the sealed file",
			Why:     "somebody changed it, or it was damaged; an upgrade would lose the change",
			Next: "move your change into a file of your own; merry refill " + of.Library +
				" --overwrite  # restores the sealed bytes"})
	}
	switch packages.KindOf(at.String()) {
	case packages.Stylesheet:
		wants.Doctype = true
		wants.Viewport = bytes.Contains(b, []byte("@media")) && bytes.Contains(b, []byte("-width"))
		found = append(found, c.assets(at, b)...)
		wants.Charset = beyondASCII(b)
	case packages.Script:
		wants.Charset = beyondASCII(b)
	}
	return found, wants, false, nil
}

// isInTheWay tells the error of a socket, a pipe, a device or a folder in the place of a file.
func isInTheWay(err error) bool {
	var p *problem.Problem
	return errors.As(err, &p) && p.Code == problem.FileInTheWay
}

func beyondASCII(b []byte) bool {
	return slices.ContainsFunc(b, func(c byte) bool { return c >= 0x80 })
}

// assets finds what a stylesheet asks for and does not get.
func (c *inspection) assets(at paths.InProject, b []byte) []check.Finding {
	name, ok := c.p.InSite(at)
	if !ok {
		return nil
	}
	var found []check.Finding
	said := map[paths.InSite]bool{}
	places := texts.NewIndex(b)
	for _, r := range style.References(b) {
		t := tags.Resolve(name, "", r.URL)
		if strings.HasPrefix(t.URL, "http://") {
			f := check.Finding{Name: check.MixedContent, Severity: check.Warning, File: at.String(),
				Message: t.URL + " is fetched without TLS", Why: "a page served over https will not load it, " +
					"or shows " +
					"a warning", Next: "write https://, or keep the file on the site"}
			f.Line, f.Column = places.At(r.Offset)
			found = append(found, f)
		}
		if t.Path.IsZero() || c.leads.Has(t.Path) || said[t.Path] {
			continue
		}
		said[t.Path] = true
		if of := c.p.At(c.p.InProject(t.Path)); of.File != nil && !c.p.Seal.Libraries[of.Library].Linked {
			continue // that is reported once, for the file
		}
		f := check.Finding{Name: check.AssetMissing, Severity: check.Error, File: at.String(), Message: "it asks for " +
			t.Path.String() + ", which does not exist",
			Why: "its fonts or pictures will not show"}
		f.Line, f.Column = places.At(r.Offset)
		if of := c.p.At(at); of.Library != "" {
			f.Next = "merry refill " + of.Library
		} else {
			f.Next = "put the file there, or correct the url()"
		}
		if near, caseOnly := c.leads.Near(t.Path); caseOnly {
			f.Next = "on disk it is written " + near.String() + ": write it so"
		} else if !near.IsZero() {
			f.Next = "the nearest file is " + near.String() + "; " + f.Next
		}
		found = append(found, f)
	}
	return found
}
