// Package demands lists the integrity that a page demands of the files which it asks for: in tags, in hints and in
// import maps (Subresource Integrity, section 3; HTML Standard, section 8.1.6.4).
package demands

import (
	"strings"

	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/module"
	"merrycrate.example/merry/crate/page"
)

// A Demand is one file that a page asks for, with the integrity that it demands.
type Demand struct {
	Include int    // of the page: the tag, the hint, or the import map
	Ref     string // the reference, as it is written
	Value   string // the integrity, as it is written, "" for none
	Entry   bool   // it is an entry of an import map
	CORS    bool   // a browser may look at another host's bytes
	At      int    // offset in the page: of the tag, or of the entry
}

// Of lists what a page demands, in the order of the page. Tags and hints without integrity are among it.
func Of(pg *page.Page) (list []Demand) {
	for i := range pg.Includes {
		in := &pg.Includes[i]
		if strings.HasSuffix(in.Inert, "of type importmap") {
			list = append(list, entries(pg, i)...)
		}
		loads := in.Kind == page.Script || in.Kind == page.Stylesheet || in.Kind == page.Hint &&
			strings.Contains(in.Rel, "preload")
		if in.Inert != "" || !loads || in.Ref == "" || in.Templated() {
			continue
		}
		value, _ := pg.Attr(in, "integrity")
		_, cors := pg.Attr(in, "crossorigin")
		list = append(list, Demand{Include: i, Ref: in.Ref, Value: value, CORS: cors || in.Module ||
			in.Rel == "modulepreload", At: in.Start})
	}
	return list
}

// entries are those of an import map. One that browsers refuse has none.
func entries(pg *page.Page, i int) (list []Demand) {
	in := &pg.Includes[i]
	text := pg.InlineText(in)
	read, err := module.ReadMap(text)
	if err != nil {
		return nil
	}
	for _, ref := range read.Demands() {
		// its integrity is after its import
		at := in.TextStart() + max(0, strings.LastIndex(string(text), ref))
		list = append(list, Demand{Include: i, Ref: ref, Value: read.Integrity(ref), Entry: true, CORS: true, At: at})
	}
	return list
}

// Heeded is the demand as browsers heed it: the hashes of the strongest algorithm, none if there is nothing to heed.
func (d *Demand) Heeded() integrity.Metadata {
	meta, err := integrity.Parse(d.Value)
	if err != nil {
		return nil
	}
	return meta.Strongest()
}
