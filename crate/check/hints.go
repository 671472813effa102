package check

import (
	"fmt"
	"strings"

	"merrycrate.example/merry/crate/page"
)

// hints finds hints that have a file fetched twice, or one that the page does not use: a browser fetches again what a
// hint fetched in another mode or from another place (HTML Standard, section 4.6.7.17).
func (k *pageCheck) hints() {
	for i := range k.p.Includes {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		if !raw.Fetches() || raw.Inert != "" || raw.Rel == "prefetch" || in.Path+in.URL == "" {
			continue
		}
		if k.wrongHash(i) {
			continue
		}
		as, _ := k.p.Attr(raw, "as")
		_, cors := k.p.Attr(raw, "crossorigin")
		if strings.EqualFold(as, "font") {
			if !cors {
				k.wasted(i, "fetches the font without crossorigin, and stylesheets fetch it with that", "write "+
					"crossorigin on the hint")
			}
			continue
		}
		why, next := "", ""
		for j := range k.p.Includes {
			other, tag := &k.p.Includes[j], &k.p.Page.Includes[j]
			if !other.Loads {
				continue
			}
			switch _, needs := k.p.Attr(tag, "crossorigin"); {
			case other.Path+other.URL == in.Path+in.URL:
				if raw.Rel == "preload" && (needs || tag.Module) != cors {
					why, next = "fetches in another mode than its tag: only one of them has crossorigin",
						"write crossorigin on both, or on neither"
					if tag.Module {
						why, next = "fetches a module as a plain script",
							`write <link rel="modulepreload"> instead`
					}
				} else {
					why, next = "", ""
				}
			case in.Library != "" && in.Library == other.Library && tag.Kind == kindFor(as) && in.Stem == other.Stem:
				if why == "" {
					why = "fetches another copy of the library's file than the page uses: " + other.Path + other.URL
					next = "write that in the hint, or remove the hint"
				}
				continue
			default:
				continue
			}
			break
		}
		if why != "" {
			k.wasted(i, why, next)
		}
	}
}

// wrongHash tells of a hint that demands a hash which its file does not have. Where the tag has a hash of its own, the
// file is fetched again; else it may be refused altogether.
func (k *pageCheck) wrongHash(i int) bool {
	in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
	value, _ := k.p.Attr(raw, "integrity")
	if in.Path == "" || nothing(value) || !k.c.Has(in.Path) || k.c.Matches(in.Path, value) {
		return false
	}
	for j := range k.p.Includes {
		own, _ := k.p.Attr(&k.p.Page.Includes[j], "integrity")
		if other := &k.p.Includes[j]; other.Loads && other.Path == in.Path && !nothing(own) {
			k.wasted(i, "demands another hash than its tag", k.renew())
			return true
		}
	}
	k.add(LinkStale, Error, raw.Start, fmt.Sprintf("the integrity of the %s of %s is not that of the file", raw.Rel,
		in.Path), "a browser refuses the file, and its console says so",
		k.renew())
	return true
}

// kindFor is the kind of tag that uses what a hint fetches as that.
func kindFor(as string) page.Kind {
	if strings.EqualFold(as, "style") {
		return page.Stylesheet
	}
	return page.Script
}

func (k *pageCheck) wasted(i int, why, next string) {
	in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
	k.add(HintWasted, Warning, raw.Start, fmt.Sprintf("the %s of %s %s", raw.Rel, in.Path+in.URL, why),
		"browsers fetch the file twice, or one that nothing uses", next)
}
