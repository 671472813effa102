package libraries

import (
	"context"
	"maps"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/placement"
	"merrycrate.example/merry/crate/reconcile"
)

// own writes into the entry the places that its files have for no other reason than that they were there: the packing
// list then says all that is needed to put them there again.
func (l *Library) own(place *placement.Placement, wish placement.Wish) {
	if len(l.At) == 0 {
		return
	}
	wish.There = nil
	usual, err := placement.Place(l.Package, l.Selection, wish)
	if err != nil {
		usual = &placement.Placement{}
	}
	own := map[string]string{}
	for p, at := range place.At {
		if at != usual.At[p] {
			own[p] = at.String()
		}
	}
	l.Entry.Places = Own(l.Selection, place.At, l.Entry.Places, own)
}

// Pin adds to a library's entry what is needed to put its files where the seal has them.
func Pin(ctx context.Context, d *reconcile.Plan, name string) error {
	l, done, err := openSealed(ctx, d.Before, *d.List.Library(name), d.Seal.Libraries[name])
	if err != nil {
		return err
	}
	defer done()
	l.Firm = true
	if _, err := l.place(d); err != nil {
		return err
	}
	d.List.Put(l.Entry)
	return nil
}

// Own adds places of files to those that an entry has, whole folders as one.
func Own(sel *packages.Selection, at map[string]paths.InSite, places, own map[string]string) map[string]string {
	if len(own) == 0 {
		return places
	}
	places = maps.Clone(places)
	if places == nil {
		places = map[string]string{}
	}
	for _, p := range slices.Sorted(maps.Keys(own)) {
		folder, to := "", ""
		for dir := path.Dir(p); dir != "."; dir = path.Dir(dir) {
			t, ok := strings.CutSuffix(at[p].String(), "/"+strings.TrimPrefix(p, dir+"/"))
			if !ok {
				break
			}
			if all(sel, at, own, dir, t) {
				folder, to = dir, t
			}
		}
		if folder == "" {
			places[p] = own[p]
			continue
		}
		places[folder] = to
		for other := range places {
			if strings.HasPrefix(other, folder+"/") {
				delete(places, other)
			}
		}
	}
	return places
}

// all reports whether several chosen files lie below a folder of the source, and all of them alike below another on the
// site.
func all(sel *packages.Selection, at map[string]paths.InSite, own map[string]string, folder, to string) bool {
	n := 0
	for _, c := range sel.Choices {
		if rest, below := strings.CutPrefix(c.Path, folder+"/"); below {
			if n++; at[c.Path].String() != path.Join(to, rest) || own[c.Path] == "" {
				return false
			}
		}
	}
	return n > 1
}
