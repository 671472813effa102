package check

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/order"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/texts"
)

// OnPage returns a page's findings.
func OnPage(p *Page, c Crate) []Finding {
	k := &pageCheck{p: p, c: c}
	k.references()
	k.links()
	k.hints()
	k.profile()
	k.twice()
	k.forms()
	k.features()
	k.versions()
	k.builds()
	k.mixed()
	k.needs()
	k.ownStyles()
	k.head()
	return k.found
}

type pageCheck struct {
	p     *Page
	c     Crate
	found []Finding
	ids   map[string]bool // of the page's elements, nil before they are asked for
	// meansFile tells of files that a tag probably means, which leads nowhere, the finding that says so.
	meansFile map[string]int
	asked     int // how often a need was confirmed, at most order.MaxConfirmed times
}

// confirm asks whether a need that reading found is real, unless the page has asked too often.
func (k *pageCheck) confirm(ask func(*order.Item, string) bool, it *order.Item, global string) bool {
	if k.asked++; k.asked > order.MaxConfirmed {
		return true
	}
	return ask(it, global)
}

// page is the page as one types it.
func (k *pageCheck) page() string { return texts.Word(k.p.File) }

func (k *pageCheck) add(name string, s Severity, offset int, message, why, next string) {
	f := Finding{Name: name, Severity: s, File: k.p.File, Message: message, Why: why, Next: next}
	if offset >= 0 {
		f.Line, f.Column = k.p.Page.Position(offset)
	}
	k.found = append(k.found, f)
}

func (k *pageCheck) references() {
	for i := range k.p.Includes {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		if in.Path == "" || in.Missing || raw.Inert != "" || raw.RefAttr.End == 0 || k.c.Has(in.Path) {
			continue
		}
		at := raw.RefAttr.ValueStart
		near, caseOnly := k.c.Near(in.Path)
		if near != "" && raw.Kind == page.Script {
			if k.meansFile == nil {
				k.meansFile = map[string]int{}
			}
			k.meansFile[near] = len(k.found)
		}
		switch {
		case caseOnly:
			k.add(CaseDiffers, Error, at, fmt.Sprintf("%s is written %s on disk", raw.Ref, near),
				"it may work on this machine, but fails on a case-sensitive server",
				fmt.Sprintf("write %s", k.c.Ref(k.p, near)))
		case near != "":
			k.add(FileMissing, Error, at, fmt.Sprintf("there is no file %s", in.Path),
				fmt.Sprintf("the browser will get \"not found\" for this %s, and whatever needs it will fail",
					raw.Kind),
				fmt.Sprintf("the nearest file is %s: write %s", near, k.c.Ref(k.p, near)))
		default:
			k.add(FileMissing, Error, at, fmt.Sprintf("there is no file %s", in.Path),
				fmt.Sprintf("the browser will get \"not found\" for this %s, and whatever needs it will fail",
					raw.Kind),
				"put the file there, or remove the tag from the page")
		}
	}
}

// profile holds a page against how the packing list wants libraries served.
func (k *pageCheck) profile() {
	want := k.c.Profile()
	if want == nil {
		return
	}
	for i := range k.p.Includes {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		if !in.Loads {
			continue
		}
		if w := unwanted(want.Without, in); w != "" {
			k.add(NotAsProfile, Error, raw.Start, fmt.Sprintf("%s is on this page, but the profile %s excludes %s",
				orPath(in), want.Name, w),
				"the packing list excludes it", fmt.Sprintf("merry omit %s --page %s", orPath(in), k.page()))
			continue
		}
		if in.Library == "" {
			continue
		}
		next := fmt.Sprintf("merry switch %s --profile %s", in.Library, want.Name)
		if want.Public && in.Build == record.Readable {
			k.add(ReadableBuild, Warning, raw.Start, fmt.Sprintf("%s is on this page in its readable build",
				in.Library),
				"visitors load comments and long names, which take longer",
				fmt.Sprintf("merry switch %s --minified --page %s", in.Library, k.page()))
		}
		switch {
		case in.DevOnly && (want.Public || want.Name != "desk"):
			k.add(DevOnlyShipped, Error, raw.Start, fmt.Sprintf("%s is for development only, but is on this page",
				in.Library),
				"the packing list says that it must not ship", fmt.Sprintf("merry omit %s --page %s", in.Library,
					k.page()))
		case want.Serve == record.CDN && in.URL == "", want.Serve == record.Local && in.URL != "":
			k.add(NotAsProfile, Warning, raw.Start, fmt.Sprintf("%s is not served as the profile %s says: %s",
				in.Library, want.Name, want.Serve),
				"the page would ship in another state than planned", next)
		case want.Build != "" && in.Build != "" && in.Build != want.Build && in.HasOtherBuild:
			k.add(NotAsProfile, Warning, raw.Start, fmt.Sprintf("%s is on the page in its %s build, but the profile "+
				"%s says %s", in.Library, in.Build, want.Name, want.Build),
				"the page would ship in another state than planned", next)
		case want.Fallback && in.URL != "" && in.CanFallBack && !in.Fallback:
			k.add(NotAsProfile, Warning, raw.Start, fmt.Sprintf("the link to %s has no fallback, but the profile %s "+
				"asks for one", in.Library, want.Name),
				"if the CDN does not answer, the page lacks the script", next)
		}
	}
}

// unwanted returns what of a list names an include, "" if nothing does.
func unwanted(list []string, in *Include) string {
	for _, w := range list {
		rest, target := in.Path+in.URL, true
		for n, part := range strings.Split(w, "*") {
			i := strings.Index(rest, part)
			if i < 0 || n == 0 && i > 0 {
				target = false
				break
			}
			rest = rest[i+len(part):]
		}
		if w == in.Library || target && (rest == "" || strings.HasSuffix(w, "*")) {
			return w
		}
	}
	return ""
}

func (k *pageCheck) twice() {
	seen := map[string]int{}
	for i := range k.p.Includes {
		in := &k.p.Includes[i]
		if !in.Loads || in.Path+in.URL == "" {
			continue
		}
		first, ok := seen[in.Path+in.URL]
		if !ok {
			seen[in.Path+in.URL] = i
			continue
		}
		if k.p.Page.EnclosingBlock(i) != "" || k.p.Page.EnclosingBlock(first) != "" {
			continue // under a condition: they may be alternatives
		}
		line := k.p.line(k.p.Page.Includes[first].Start)
		raw := &k.p.Page.Includes[i]
		why := "a script that runs twice sets itself up twice, and may discard what was done in between"
		if raw.Kind == page.Stylesheet {
			why = "the second one overrides styles between the two"
		}
		k.add(IncludedTwice, Warning, raw.Start, fmt.Sprintf("%s is included twice, first in %s", in.Path+in.URL,
			line), why,
			fmt.Sprintf("remove one of the two tags; or merry omit %s --page %s, and include it again", orPath(in),
				k.page()))
	}
}

// builds finds a script that is there in two builds: they define the same globals, and are called alike but for the
// marks of builds, or are of one library.
func (k *pageCheck) builds() {
	alike := map[string][]int{} // by version and globals: the first include of each address
	seen := map[string]bool{}
	for i := range k.p.Includes {
		b := &k.p.Includes[i]
		if !b.Loads || b.Script == nil || len(b.Script.Defines) == 0 || k.p.Page.Includes[i].Kind != page.Script ||
			seen[b.Path+b.URL] {
			continue
		}
		seen[b.Path+b.URL] = true
		key := b.Version
		for _, g := range b.Script.Defines {
			key += "\x00" + g.Name
		}
		for _, j := range alike[key] {
			a := &k.p.Includes[j]
			if plainStem(a.Path+a.URL) != plainStem(b.Path+b.URL) && (a.Library == "" || a.Library != b.Library) {
				continue
			}
			line := k.p.line(k.p.Page.Includes[j].Start)
			k.add(IncludedTwice, Warning, k.p.Page.Includes[i].Start,
				fmt.Sprintf("%s is another build of %s in %s", b.Path+b.URL, a.Path+a.URL, line),
				"a script that runs twice sets itself up twice, and may discard what was done in between",
				"remove one of the two tags")
			return
		}
		alike[key] = append(alike[key], i)
	}
}

// plainStem is a file's name without its ending and the marks of builds.
func plainStem(name string) string {
	base := strings.ToLower(path.Base(name))
	base = strings.TrimSuffix(base, path.Ext(base))
	for _, mark := range []string{".min", "-min", ".debug", "-debug", "-src", ".src", ".dev", ".prod", ".slim"} {
		base = strings.TrimSuffix(base, mark)
	}
	return base
}

func orPath(in *Include) string {
	if in.Library != "" {
		return in.Library
	}
	return in.Path + in.URL
}

// needs holds the order of a page's scripts and styles against what they need: by the packing list, and by what
// their code reads.
//
// It is longer than 80 lines because the kinds of needs share what was found before them.
func (k *pageCheck) needs() {
	items := k.p.Items
	on := map[string]int{} // library to its first script, or stylesheet where it has none
	var libraries []string
	for i := range k.p.Includes {
		in := &k.p.Includes[i]
		if !in.Loads || in.Library == "" {
			continue
		}
		old, ok := on[in.Library]
		if !ok {
			libraries = append(libraries, in.Library)
		}
		if !ok || k.p.Page.Includes[old].Kind == page.Stylesheet && k.p.Page.Includes[i].Kind == page.Script {
			on[in.Library] = i
		}
	}
	absentLibrary := map[string]bool{}
	for _, lib := range libraries {
		if k.p.Page.Includes[on[lib]].Kind == page.Stylesheet && k.c.Wants(lib).Scripts {
			continue // its styles alone are here, and need nobody
		}
		for _, need := range k.c.Needs(lib) {
			if _, ok := on[need]; !ok {
				absentLibrary[need] = true
				k.add(NeedMissing, Error, k.p.Page.Includes[on[lib]].Start, fmt.Sprintf("%s needs %s, which is not on "+
					"this page", lib, need),
					fmt.Sprintf("%s will stop with an error when it loads", lib),
					fmt.Sprintf("merry include %s --page %s", need, k.page()))
				f := &k.found[len(k.found)-1]
				f.Declared, f.Missing = true, need
			}
		}
	}
	constraints, absent := order.Find(items, order.Rules{Needs: k.c.Needs, Own: k.c.OwnOrder()})
	said := map[string]bool{} // pairs of libraries of which one line is enough
	for _, c := range constraints {
		state := order.StateOf(items, c)
		if state == order.Kept || c.Kind == order.Styles || items[c.Before].Style && items[c.After].Style &&
			c.Kind == order.Declared {
			continue // styles have a finding of their own
		}
		pair := items[c.Before].Library + "\x00" + items[c.After].Library
		if items[c.Before].Library != "" && items[c.After].Library != "" && said[pair] {
			continue
		}
		said[pair] = true
		k.outOfOrder(c, state)
	}
	k.circle(constraints)
	unknown := slices.ContainsFunc(items, func(it order.Item) bool {
		return (it.Unread || it.DefinesUnknown) && !it.Inert
	})
	told := map[string]bool{}
	for _, a := range absent {
		library, own := k.c.Provider(a.Need.Global)
		for _, g := range a.Need.Or {
			if library == "" && own == "" {
				library, own = k.c.Provider(g)
			}
		}
		key := fmt.Sprint(a.Item, library, own)
		if library != "" && absentLibrary[library] && slices.Contains(k.c.Needs(items[a.Item].Library), library) ||
			library+own != "" && told[key] ||
			unknown && library == "" && (own == "" || k.looksLike(a.Need.Global)) || k.knows(library) ||
			k.named(a.Need.Global) ||
			!k.confirm(k.c.Fails, &items[a.Item], a.Need.Global) {
			continue
		}
		told[key] = true
		it := &items[a.Item]
		if at := k.causeOf(library, own); at >= 0 {
			k.found[at].Stops(it.Name, a.Need.Where, a.Need.Global+" is not defined")
			continue
		}
		message := fmt.Sprintf("%s uses %s, but no script on this page defines it", it.Name, a.Need.Global)
		why := fmt.Sprintf("%s: the script will stop there, because it is not defined", a.Need.Where)
		next := fmt.Sprintf("take the library that defines %s, or remove the tag from this page", a.Need.Global)
		if len(a.Need.Or) > 0 {
			message = fmt.Sprintf("%s uses %s or %s, but no script on this page defines one of them", it.Name,
				a.Need.Global, strings.Join(a.Need.Or, " or "))
		}
		supplier := ""
		for _, g := range append([]string{a.Need.Global}, a.Need.Or...) {
			supplier = cmp.Or(supplier, k.c.Supplier(g))
		}
		meant := ""
		if library+own+supplier == "" && it.Own {
			meant = k.meant(a.Need.Global)
		}
		switch {
		case meant != "":
			message += "; did you mean " + meant + "?"
			next = "write " + meant
		case library+own == "" && supplier != "":
			message += "; the package " + supplier + " does"
			next = fmt.Sprintf("merry take %s --page %s", texts.Word(supplier), k.page())
		case library != "":
			message = fmt.Sprintf("%s uses %s, but the library %s, which defines it, is not on this page", it.Name,
				a.Need.Global, library)
			next = fmt.Sprintf("merry include %s --page %s", library, k.page())
		case own != "":
			message = fmt.Sprintf("%s uses %s, but %s, which defines it, is not on this page", it.Name, a.Need.Global,
				own)
			next = fmt.Sprintf("merry include %s --page %s", own, k.page())
		}
		k.add(NeedMissing, Error, k.p.Page.Includes[a.Item].Start, message, why, next)
		k.found[len(k.found)-1].Global = a.Need.Global
	}
}

// causeOf is the finding of a tag that leads nowhere, and probably means a file of a library, or an own one, or
// -1.
func (k *pageCheck) causeOf(library, own string) int {
	first := -1
	for file, at := range k.meansFile {
		if (file == own || library != "" && k.c.LibraryOf(file) == library) && (first < 0 || at < first) {
			first = at
		}
	}
	return first
}

// circle reports constraints that no order can keep.
func (k *pageCheck) circle(constraints []order.Constraint) {
	items := k.p.Items
	if !slices.ContainsFunc(constraints, func(c order.Constraint) bool {
		return order.StateOf(items, c) == order.Broken
	}) {
		return // what stands in order goes round in no circle
	}
	cycle := order.Cycle(items, constraints)
	if cycle == nil {
		return
	}
	var reasons []string
	for _, c := range cycle {
		reasons = append(reasons, c.Reason(items))
	}
	k.add(NeedCircle, Error, k.p.Page.Includes[cycle[0].After].Start, fmt.Sprintf("%d scripts need each other in a "+
		"circle, so no order is right", len(cycle)),
		strings.Join(reasons, "; "), "let one of them wait, for an event or for a function that the other calls")
}

// knows reports whether a tag that no record knows looks like a library's: it may define what that library defines.
func (k *pageCheck) knows(library string) bool {
	return library != "" && slices.ContainsFunc(k.p.Includes, func(in Include) bool {
		return in.Loads && in.Known == library
	})
}

// looksLike reports whether a tag that no record knows is called as a global: it may define that.
func (k *pageCheck) looksLike(global string) bool {
	return slices.ContainsFunc(k.p.Includes, func(in Include) bool {
		return in.Loads && strings.EqualFold(in.Name, global)
	})
}

// named reports whether an element of the page has a name as its id, which makes it a global (HTML Standard, section
// 7.2.2.3).
func (k *pageCheck) named(global string) bool {
	if k.ids == nil {
		k.ids = map[string]bool{}
		page.Names(k.p.Bytes, func(n page.Name) {
			if n.Kind == page.IDName {
				k.ids[n.Text] = true
			}
		})
	}
	return k.ids[global]
}

// outOfOrder reports a constraint that the page does not keep.
func (k *pageCheck) outOfOrder(c order.Constraint, state order.State) {
	items := k.p.Items
	before, after := &items[c.Before], &items[c.After]
	if c.Kind == order.Reads && !k.confirm(k.c.Confirms, after, c.Global) {
		return
	}
	at := k.p.Page.Includes[c.After].Start
	next := fmt.Sprintf("merry order %s --fix", k.page())
	if state == order.Race {
		async, other := before, after
		if after.Phase == order.AnyTime && before.Phase != order.AnyTime {
			async, other = after, before
		}
		k.add(NeedRace, Warning, at, fmt.Sprintf("%s is async, so the network decides whether it runs in time for %s",
			async.Name, other.Name),
			c.Reason(items), "remove async from the tag, or write defer on both")
		if async == after {
			k.found[len(k.found)-1].Message = fmt.Sprintf("%s is async, and may run before %s has", async.Name,
				other.Name)
		}
		return
	}
	if before.Phase == order.Deferred && after.Phase == order.InPlace {
		next = fmt.Sprintf("write defer on %s too, or remove it from %s", after.Name, before.Name)
		if after.Inline {
			next = fmt.Sprintf("remove defer from %s, or let the inline script wait for DOMContentLoaded", before.Name)
		}
	}
	distance := tags(k.between(c.After, c.Before)) + " later"
	if c.Before < c.After {
		distance = "before it, but runs after it"
	}
	switch c.Kind {
	case order.Declared:
		k.add(NeedLater, Error, at, fmt.Sprintf("%s needs %s, which comes %s", after.Library, before.Library, distance),
			fmt.Sprintf("when %s runs, %s is not defined yet", after.Library, before.Library), next)
		k.found[len(k.found)-1].Declared = true
	case order.OwnOrder:
		k.add(NeedLater, Warning, at, fmt.Sprintf("the packing list has %s before %s, which comes %s", before.Name,
			after.Name, distance),
			"own: order: in the packing list says so", next)
	default:
		who := fmt.Sprintf("%s uses %s, and %s, which defines it,", after.Name, c.Global, before.Name)
		if after.Library != "" && before.Library != "" {
			who = fmt.Sprintf("%s needs %s, which", after.Library, before.Library)
		}
		k.add(NeedLater, Error, at, fmt.Sprintf("%s comes %s", who, distance), fmt.Sprintf("when it runs, %s is not "+
			"defined yet (%s)", c.Global, c.Where), next)
		k.found[len(k.found)-1].Global = c.Global
	}
}

func tags(n int) string {
	if n == 1 {
		return "one tag"
	}
	return fmt.Sprintf("%d tags", n)
}

// between counts the includes from i to j that load something.
func (k *pageCheck) between(i, j int) int {
	n := 0
	for m := min(i, j) + 1; m <= max(i, j); m++ {
		if k.p.Includes[m].Loads {
			n++
		}
	}
	return max(1, n)
}

// ownStyles finds the project's own stylesheets that stand before a library's.
func (k *pageCheck) ownStyles() {
	last := -1
	for i := range k.p.Includes {
		if in := &k.p.Includes[i]; in.Loads && in.Library != "" && k.p.Page.Includes[i].Kind == page.Stylesheet {
			last = i
		}
	}
	for i := range k.p.Includes[:max(0, last)] {
		in, raw := &k.p.Includes[i], &k.p.Page.Includes[i]
		if in.Loads && in.Library == "" && in.Path != "" && raw.Kind == page.Stylesheet {
			lib := k.p.Includes[last].Library
			k.add(OwnStyleFirst, Warning, raw.Start, fmt.Sprintf("the site's own %s comes before the stylesheet of %s",
				in.Path, lib),
				"of two equal rules the later one wins, so the library's rules override the site's",
				fmt.Sprintf("merry omit %s --page %s; merry include %s --page %s", texts.Word(in.Path), k.page(),
					texts.Word(in.Path), k.page()))
		}
	}
}

// head checks what libraries in use want of the page itself. A fragment has its head elsewhere.
func (k *pageCheck) head() {
	if k.p.Fragment {
		return
	}
	var libs []string
	for i := range k.p.Includes {
		if l := k.p.Includes[i].Library; l != "" && k.p.Includes[i].Loads && !slices.Contains(libs, l) {
			libs = append(libs, l)
		}
	}
	for _, want := range []struct {
		name, message, why, next string
		missing                  bool
		wants                    func(Wants) bool
	}{
		{NoDoctype, "the page has no doctype", "%s is written for standards mode; without a doctype browsers use " +
			"quirks mode", "write <!doctype html> as the page's first line", !k.p.Doctype, func(w Wants) bool {
			return w.Doctype
		}},
		{NoCharset, "the page does not say its encoding", "%s has characters beyond ASCII, which may be " +
			"displayed wrong", `write <meta charset="utf-8"> first in the head`, !k.p.Charset, func(w Wants) bool {
			return w.Charset
		}},
		{NoViewport, "the page has no viewport", "%s adapts to the window's width; without a viewport a phone lays " +
			"the page out as wide as a desktop's", `write <meta name="viewport" content="width=device-width, ` +
			`initial-scale=1"> in the head`, !k.p.Viewport, func(w Wants) bool { return w.Viewport }},
	} {
		if !want.missing {
			continue
		}
		for _, l := range libs {
			if want.wants(k.c.Wants(l)) {
				k.add(want.name, Warning, 0, want.message, fmt.Sprintf(want.why, l), want.next)
				break
			}
		}
	}
}
