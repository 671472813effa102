package inspect

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/crate/walk"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
	"merrycrate.example/merry/internal/cratetest"
)

func read(t testing.TB, p *project.Project, name, text string) *tags.Page {
	t.Helper()
	v, err := tags.Read(p, paths.Found(name), []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestMemoryReadsWhatItKept(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	m := &pageCache{p: p, of: string(p.Root), state: 7}
	same := &uses{libraries: []string{"oarlock"}, files: []string{"js/oarlock.js", "js/club.js"}}
	m.store([]paths.InSite{paths.Found("a.html"), paths.Found("b.html"), paths.Found("c.html")},
		[]pageResult{{uses: same, stamp: 1}, {uses: same, stamp: 2}, {uses: &uses{}, stamp: 0}})
	b, ok := p.Origin.Cache.Result(checkedResult, string(p.Root))
	if !ok {
		t.Fatal("nothing was kept")
	}
	kept := &pageCache{p: p, state: 7}
	kept.read(b)
	if len(kept.known) != 2 || kept.known[1].name != "b.html" || kept.known[1].stamp != 2 || len(kept.uses) != 1 ||
		strings.Join(kept.uses[0].files, " ") != "js/oarlock.js js/club.js" {
		t.Errorf("read %+v", kept)
	}
	other := &pageCache{p: p, state: 8}
	if other.read(b); other.known != nil {
		t.Error("what held in other surroundings is believed")
	}
	for n := range len(b) {
		(&pageCache{p: p, state: 7}).read(b[:n])
		bad := slices.Clone(b)
		bad[n] ^= 0xff
		(&pageCache{p: p, state: 7}).read(bad)
	}
}

// TestMemoryFindsItsPages: of pages that came and went between two checks those that are as they were are recalled,
// each as itself.
func TestMemoryFindsItsPages(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	m := &pageCache{p: p, of: string(p.Root), state: 7, since: time.Now().UnixNano()}
	var names []paths.InSite
	var stamps []disk.Stamp
	var results []pageResult
	for i, name := range []string{"a.html", "b.html", "d.html", "d/a.html", "f.html"} {
		names, stamps = append(names, paths.Found(name)), append(stamps, disk.Stamp{Size: int64(i + 1), ModTime: 1,
			ChangeTime: 1, Inode: uint64(i + 1)})
		results = append(results, pageResult{uses: &uses{libraries: []string{name}}, stamp: m.stampFor(names[i],
			stamps[i])})
	}
	m.store(names, results)
	stored, _ := p.Origin.Cache.Result(checkedResult, string(p.Root))
	kept := &pageCache{p: p, state: 7, since: m.since}
	kept.read(stored)
	stamps[2].ModTime++ // changed
	now := []paths.InSite{names[0], paths.Found("c.html"), names[2], names[3], paths.Found("e.html"), names[4],
		paths.Found("g.html")}
	recalled := make([]pageResult, len(now))
	left := kept.load(now, []disk.Stamp{stamps[0], {Size: 9}, stamps[2], stamps[3], {Size: 9}, stamps[4], {Size: 9}},
		recalled)
	var got []string
	for i, r := range recalled {
		of := "-"
		if !slices.Contains(left, i) {
			of = r.uses.libraries[0]
		}
		got = append(got, of)
	}
	if want := "a.html - - d/a.html - f.html -"; strings.Join(got, " ") != want {
		t.Errorf("recalled are %s, not %s", got, want)
	}
}

func FuzzMemory(f *testing.F) {
	f.Add([]byte("\x07\x00\x00\x00\x00\x00\x00\x00\x01\x02ab\x00\x01x12345678\x00\x00"))
	f.Fuzz(func(t *testing.T, b []byte) {
		(&pageCache{state: 7}).read(b)
	})
}

// TestMend fixes one page in each of the safe ways, and leaves what is not safe.
func TestMend(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	for _, tt := range []struct{ name, page, want string }{
		{"one file of that name", `<script src="old/club.js"></script>`, `<script src="js/club.js"></script>`},
		{"two files of that name", `<script src="old/twin.js"></script>`, ""},
		{"another name", `<script src="js/clubs.js"></script>`, ""},
		{"case", `<script src='JS/club.js'></script>`, `<script src='js/club.js'></script>`},
		{"twice", "<script src=js/club.js></script>\n<p>x</p>\n<script src=js/club.js></script>\n",
			"<script src=js/club.js></script>\n<p>x</p>\n"},
		{"nothing", `<script src="js/club.js"></script>`, ""},
		{"a crossorigin that lacks", `<script src="https://else.example/x-1.2.0.js" integrity="sha384-` +
			strings.Repeat("A", 64) + `"></script>`,
			`<script src="https://else.example/x-1.2.0.js" integrity="sha384-` + strings.Repeat("A", 64) +
				`" crossorigin="anonymous"></script>`},
	} {
		site := &walk.Site{Pages: []paths.InSite{paths.Found("index.html")}, Others: map[paths.InSite]int64{}}
		for _, name := range []string{"js/club.js", "a/twin.js", "b/twin.js"} {
			site.Others[paths.Found(name)] = 1
		}
		e := tags.NewEditor(p, tags.NewScripts(p), read(t, p, "index.html", "<!doctype html>\n"+tt.page))
		did := NewRepairer(p, site).Mend(context.Background(), e)
		b, err := e.Bytes()
		if err != nil {
			t.Fatal(err)
		}
		want := tt.want
		if want == "" {
			want = tt.page
		}
		if got := strings.TrimPrefix(string(b), "<!doctype html>\n"); got != want ||
			(len(did) == 0) != (tt.want == "") {
			t.Errorf("%s: %q (%v), want %q", tt.name, got, did, want)
		}
	}
}

// TestReorderKeepsBytes: whatever the page looks like, tags that move keep their bytes, and the rest of the page too.
func TestReorderKeepsBytes(t *testing.T) {
	p := cratetest.WithOarlock(t, cratetest.Harbour)
	site := &walk.Site{Pages: []paths.InSite{paths.Found("index.html")}}
	const oarlock, own = "<SCRIPT  SRC='js/oarlock.js' data-x=1></SCRIPT >", "<script>oarlock.go()</script>"
	for _, pageText := range []string{
		"<!doctype html>\r\n<html>\r\n<head>\r\n\t" + own + "\r\n</head>\r\n<body>\r\n\t<p>x</p>\r\n" +
			"\t" + oarlock + "\r\n</body>\r\n</html>\r\n",
		own + oarlock,
		"<p>" + own + " and " + oarlock + " more",
		"<!doctype html><body>\n  " + own + "\n  <!-- between -->\n  " + oarlock + "\n",
	} {
		r := NewRepairer(p, site)
		const text = "window.oarlock = {};"
		r.c.scripts.Learn(tags.Target{Path: paths.Found("js/oarlock.js")},
			&tags.Script{Report: script.Analyze([]byte(text)), Text: []byte(text), Name: "js/oarlock.js"})
		e := tags.NewEditor(p, r.c.scripts, read(t, p, "index.html", pageText))
		done := r.Order(context.Background(), e)
		b, err := e.Bytes()
		if err != nil {
			t.Errorf("%q: %v", pageText, err)
			continue
		}
		if len(done.Moves) != 1 || strings.Index(string(b), oarlock) > strings.Index(string(b), own) ||
			strings.Count(string(b), oarlock) != 1 || strings.Count(string(b), own) != 1 {
			t.Errorf("%q became %q by %v", pageText, b, done.Moves)
		}
		strip := func(s string) string {
			return strings.NewReplacer(oarlock, "", own, "", " ", "", "\t", "", "\r", "", "\n", "").Replace(s)
		}
		if strip(string(b)) != strip(pageText) {
			t.Errorf("the rest of the page changed: %q became %q", pageText, b)
		}
	}
}

// TestManyMovesAreNotProved: on a page that is too large for the search for the fewest moves, the answer says so.
func TestManyMovesAreNotProved(t *testing.T) {
	p := cratetest.WithOarlock(t, "")
	var text strings.Builder
	for i := range 2100 {
		fmt.Fprintf(&text, "<script>var v%d = v%d</script>\n", i, i+1)
	}
	text.WriteString("<script>var v2100 = 1</script>\n")
	e := tags.NewEditor(p, tags.NewScripts(p), read(t, p, "index.html", text.String()))
	did := NewRepairer(p, &walk.Site{}).Mend(context.Background(), e)
	if len(did) != 2101 || did[2100] != NotProvedFewest {
		t.Errorf("%d moves, the last lines are %q", len(did), did[max(0, len(did)-2):])
	}
}

// TestFreshRemembersNothing: what the last check found is recalled, and with fresh set it is not.
func TestFreshRemembersNothing(t *testing.T) {
	p := cratetest.WithOarlock(t, "")
	site := &walk.Site{Stamp: 1}
	pages := []paths.InSite{paths.Found("index.html")}
	used := &uses{[]string{"oarlock"}, []string{"js/oarlock.js"}, []string{"js/late.js", "lib/"}}
	cacheKey(p, site, CheckRequest{}, nil, nil).store(pages, []pageResult{{uses: used, stamp: 7}})
	stored, _ := p.Origin.Cache.Result(checkedResult, string(p.Root))
	if m := cacheKey(p, site, CheckRequest{}, nil, stored); len(m.known) != 1 ||
		!reflect.DeepEqual(m.uses, []*uses{used}) {
		t.Errorf("%d pages are recalled, that use %+v", len(m.known), m.uses)
	}
	if m := cacheKey(p, site, CheckRequest{Fresh: true}, nil, stored); len(m.known) != 0 {
		t.Errorf("%d pages are recalled that were to be read anew", len(m.known))
	}
}
