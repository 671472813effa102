package tags

import (
	"fmt"
	"path"
	"slices"

	"merrycrate.example/merry/crate/manifest"

	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/integrity"
	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/record"
)

// LinkAttributes are what a CDN link has beside its address: the hash that a browser demands, and the
// mode without which it could not look at the bytes to check (Subresource Integrity, section 3.5).
var LinkAttributes = []string{"integrity", "crossorigin"}

// LinkValues are the values of a link's attributes.
func LinkValues(f *record.File) map[string]string {
	return map[string]string{"integrity": f.Integrity, "crossorigin": "anonymous"}
}

// An item is what an include or a tag to come is for the order of things, and where on the page it stands.
type item struct {
	order.Item
	at     paths.InSite // of a tag to come
	file   *record.File // of a library's
	inHead bool
	module bool
	tail   bool // an inline script behind all content of the page
}

// items lists the page's includes and the tags to come, in their order, less what was taken off.
func (e *Editor) items() (items []item, positions []int) {
	known := e.scripts.Items(e.Page)
	for at, s := range e.list {
		switch {
		case s.index < 0:
			items = append(items, s.what)
		case s.removed:
			continue
		default:
			in := &e.Includes[s.index]
			items = append(items, item{Item: known[s.index], file: e.Of[s.index].File, inHead: in.InHead,
				module: in.Module,
				tail:   in.Kind == page.InlineScript && !in.InHead && in.Start > e.LastContent})
		}
		positions = append(positions, at)
	}
	return items, positions
}

// Find returns the reference of the tag that brings a file to the page, in either build and from wherever, "" if none
// does.
func (e *Editor) Find(f project.TaggedFile) string {
	for _, s := range e.list {
		if s.index < 0 {
			if at := s.what.at; at == f.At || !at.IsZero() && at == f.OtherBuild {
				return at.String()
			}
			continue
		}
		if s.removed || !e.Stands(s.index) {
			continue
		}
		if at := e.Location(e.p, s.index); !at.IsZero() && (at == f.At || at == f.OtherBuild) {
			return e.Includes[s.index].Ref
		}
	}
	return ""
}

// Unrecorded returns the line and the reference of a tag that nobody recorded and that loads a file of a library
// already: a link whose address names the library and the file, or a local file with the same bytes or with the
// library's name and a version. The line is 0 if there is none.
func (e *Editor) Unrecorded(f project.TaggedFile) (line int, ref string) {
	lib, sealed := e.p.List.Library(f.Library), e.p.Seal.Libraries[f.Library]
	if lib == nil || sealed == nil || f.File == nil {
		return 0, ""
	}
	key, stem := manifest.NameKey(path.Base(lib.NameOnCDNs())), manifest.StemKey(f.File.Path)
	for i := range e.Includes {
		in := &e.Includes[i]
		if e.Removed(i) || !e.Stands(i) || e.Library(i) != "" || e.IsStyle(i) != f.Style || in.RefAttr.End == 0 {
			continue
		}
		t, same := e.Targets[i], false
		switch {
		case t.URL != "":
			said := origin.ReadAddress(t.URL)
			same = said.Name != "" && manifest.NameKey(path.Base(said.Name)) == key &&
				manifest.StemKey(cdn.Base(t.URL)) == stem
		case !t.Path.IsZero():
			_, version := manifest.NameVersion(t.Path.Base())
			same = version != "" && manifest.StemKey(t.Path.Base()) == stem
			if b, err := e.p.ReadInSite(t.Path); err == nil && !same {
				integ := integrity.Of(b)
				same = slices.ContainsFunc(sealed.Files, func(g record.File) bool { return g.Integrity == integ })
			}
		}
		if same {
			line, _ := e.Position(in.Start)
			return line, in.Ref
		}
	}
	return 0, ""
}

// Include puts a file's tag on the page, in the place where the constraints of the page's order want it. Address is
// where it is served from, "" for the copy in the site.
func (e *Editor) Include(f project.TaggedFile, address string) error {
	ref, err := e.Reach(f.At)
	if err != nil {
		return err
	}
	values := map[string]string{}
	if address != "" {
		ref, values = address, LinkValues(f.File)
	}
	tag, names := page.StyleTag(ref), LinkAttributes
	module := f.File != nil && f.File.Module && !f.Style
	if !f.Style {
		tag = page.ScriptTag(ref, false)
	}
	if module {
		values["type"] = "module" // which runs after parsing alone
		names = append([]string{"type"}, LinkAttributes...)
	}
	s := e.spotFor(f, module)
	if s.deferred && !f.Style && !module {
		tag = page.ScriptTag(ref, true)
	}
	if s.tag = page.With(tag, names, values); f.File != nil && f.File.NoModule {
		s.tag, s.what.Inert = page.ForOld(s.tag), true
	}
	e.insertAt(s.at, s.slot)
	return nil
}

// Paste puts a tag on the page as it is written, in the place of a library's file; with defer where what is beside it
// has that, since it would run before all of those without.
func (e *Editor) Paste(f project.TaggedFile, tag string) {
	s := e.spotFor(f, false)
	if s.tag = tag; s.deferred && !f.Style {
		if s.tag = page.Defer(tag); s.tag != tag {
			e.Messages = append(e.Messages, "the tag of "+f.At.Base()+" is written with defer, like the scripts "+
				"beside it")
		}
	}
	e.insertAt(s.at, s.slot)
}

// A placed slot is a tag to come with its position in the list.
type placedSlot struct {
	slot
	at int
}

// spotFor decides where on the page a file goes: where the constraints want it, and where nothing binds it, at the end
// of the head or where the page keeps its scripts.
func (e *Editor) spotFor(f project.TaggedFile, module bool) placedSlot {
	items, positions := e.items()
	new := e.itemOf(f, module)
	plain := make([]order.Item, len(items))
	for i := range items {
		plain[i] = items[i].Item
	}
	index, after := order.Place(plain, new.Item, Rules(e.p), habits(items, new, Rules(e.p).Needs, e.ranks(new)))
	if index >= 0 {
		return e.beside(positions[index], after, new, items[index])
	}
	inHead, inBody, allDeferred, behindHead := 0, 0, true, 0
	for i, it := range items {
		if it.inHead {
			behindHead = positions[i] + 1
		}
		if it.Inert || it.Style || it.Inline || it.Phase == order.AnyTime {
			continue
		}
		if it.inHead {
			inHead++
			allDeferred = allDeferred && it.Phase == order.Deferred
		} else {
			inBody++
		}
	}
	if f.Style || inBody == 0 && inHead > 0 {
		new.inHead = true
		return placedSlot{slot{spot: page.EndOfHead, deferred: allDeferred, what: deferIf(new, allDeferred)},
			behindHead}
	}
	return placedSlot{slot{spot: page.EndOfBody, what: new}, len(e.list)}
}

// beside puts a tag to come right before or behind the slot at a position: never between a script and its fallback.
func (e *Editor) beside(at int, after bool, new, anchor item) placedSlot {
	s := placedSlot{slot: slot{deferred: anchor.Phase == order.Deferred && !anchor.module}, at: at}
	new.inHead = anchor.inHead
	s.what = deferIf(new, s.deferred)
	if to := e.list[at]; to.index < 0 {
		s.spot = to.spot // one that is to come, too
	} else {
		s.spot = page.Spot{Index: to.index, After: after}
		if guard := e.EnclosingBlock(to.index); guard != "" {
			// What belongs to the neighbour stands where that stands; all else stands outside of the condition.
			if s.spot.Outside = !bound(anchor, new, Rules(e.p)); !s.spot.Outside {
				e.Protected = append(e.Protected, new.Name+" is inside "+guard+", beside "+anchor.Name)
			}
		}
		if n, _ := e.FallbackOf(to.index); after && n >= 0 {
			s.spot.Index, s.at = n, e.position(n)
		}
	}
	if after {
		s.at++
	}
	return s
}

// bound reports whether one of two belongs to the other: they are of one library, or one needs the other.
func bound(a, b item, rules order.Rules) bool {
	if a.Library != "" && a.Library == b.Library {
		return true
	}
	list, _ := order.Find([]order.Item{a.Item, b.Item}, rules)
	return slices.ContainsFunc(list, func(c order.Constraint) bool {
		return c.Kind == order.Reads || c.Kind == order.Declared
	})
}

func deferIf(it item, deferred bool) item {
	if deferred && !it.Style {
		it.Phase = order.Deferred
	}
	return it
}

// itemOf tells what a file will be on the page.
func (e *Editor) itemOf(f project.TaggedFile, module bool) item {
	it := item{at: f.At, file: f.File, module: module}
	it.Name, it.Library, it.Style, it.Own = f.At.String(), f.Library, f.Style, f.Library == ""
	if module {
		it.Phase = order.Deferred
	}
	if !f.Style {
		if k := e.scripts.Of(Target{Path: f.At}); k != nil {
			k.fill(&it.Item, module, 1, 1)
		}
	}
	return it
}

// ranks tells of files of a new item's library which comes when among them.
func (e *Editor) ranks(new item) map[string]int {
	list := map[string]int{}
	for n, f := range e.p.TaggedFiles(new.Library, record.NoBuild) {
		list[f.File.Path] = n
		if f.File.OtherBuild != "" {
			list[f.File.OtherBuild] = n
		}
	}
	return list
}

// habits are where pages usually have a thing, beside what binds it: libraries before the site's own, a library's files
// by their ranks among each other, own scripts last.
func habits(items []item, new item, needs func(library string) []string, ranks map[string]int) []order.Constraint {
	var list []order.Constraint
	n := len(items)
	for i, it := range items {
		if it.Inert || it.Style != new.Style {
			continue
		}
		behind, before := false, false
		switch {
		case new.Own:
			behind = !it.Inline && (!new.Style || it.Library != "")
		case it.Library == new.Library && it.file != nil && new.file != nil &&
			ranks[it.file.Path] > ranks[new.file.Path]:
			before = true
		case it.Library == new.Library:
			behind = !it.Inline
		case new.Style && slices.Contains(needs(new.Library), it.Library):
			behind = true
		case new.Style && slices.Contains(needs(it.Library), new.Library):
			before = true
		case new.Style:
			before = it.Own
		default:
			before = it.Own && (!it.Inline || it.tail)
		}
		if behind {
			list = append(list, order.Constraint{Before: i, After: n, Kind: order.Habit})
		}
		if before {
			list = append(list, order.Constraint{Before: n, After: i, Kind: order.Habit})
		}
	}
	return list
}

// Reorder moves the page's tags into an order that keeps the constraints. Each tag keeps its bytes, and a fallback
// stays with its script. It returns what was moved where, in words.
func (e *Editor) Reorder(items []order.Item, plan order.Plan) []string {
	var said []string
	for _, m := range plan.Moves {
		tags := []int{m.Item}
		if at, _ := e.FallbackOf(m.Item); at >= 0 {
			tags = append(tags, at)
		}
		anchor := e.slotOf(m.Anchor)
		to := e.list[anchor]
		spot := to.spot
		if to.index >= 0 {
			spot = page.Spot{Index: to.index, After: m.After}
			if at, _ := e.FallbackOf(to.index); m.After && at >= 0 {
				spot.Index, anchor = at, e.position(at)
			}
		} else if at, _ := e.FallbackOf(m.Anchor); m.After && at >= 0 {
			anchor++ // its fallback moved with it
		}
		if m.After {
			anchor++
		}
		e.Remove(tags...)
		for k, t := range tags {
			e.insertAt(anchor+k, slot{tag: e.Tag(t), spot: spot, moved: true,
				what: item{Item: order.Item{Inert: true, Name: moved(t)}}})
		}
		where := "before"
		if m.After {
			where = "after"
		}
		said = append(said, fmt.Sprintf("moved %s %s %s", items[m.Item].Name, where, items[m.Anchor].Name))
	}
	return said
}

// moved names the slot of an include that was moved.
func moved(index int) string { return fmt.Sprintf("moved %d", index) }

// slotOf is where an include is by now: where it stands, or where it was moved to.
func (e *Editor) slotOf(index int) int {
	for at, s := range e.list {
		if s.index < 0 && s.what.Name == moved(index) {
			return at
		}
	}
	return e.position(index)
}
