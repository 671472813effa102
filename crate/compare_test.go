package crate

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/style"
)

func TestFinder(t *testing.T) {
	lost := []LostName{{Kind: "class", Name: "bw-note"}, {Kind: "id", Name: "tide"}, {Kind: "attribute", Name: "data-bw"}, {Kind: "custom property", Name: "--bw-ink"},
		{Kind: "global", Name: "Brine"}, {Kind: "member", Name: "oarlock.notice"}, {Kind: "member", Name: "oarlock.fn.toggle"}, {Kind: "keyframes", Name: "wave"}, {Kind: "font family", Name: "Sea"}}
	f := newFinder(lost)
	p := crateOf(t, harbour)
	const text = `<!doctype html><style>.bw-note { color: var(--bw-ink); font-family: "Sea"; animation: wave 1s }</style>
<p class="a bw-note" id=tide data-bw>x</p>
<script>
  Brine.start(); oarlock.notice("bw-note"); oarlock("#tide").toggle("x");
  q.classList.add('bw-note'); other.notice();
</script>`
	v, err := p.view("index.html", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for i, uses := range f.onPage(v, "index.html") {
		for _, u := range uses {
			got = append(got, fmt.Sprintf("%s %s %s", lost[i].Name, strings.TrimPrefix(u.At, "index.html:"), u.How))
		}
	}
	slices.Sort(got)
	want := []string{"--bw-ink 1:45 sure", "Brine 4:3 likely", "Sea 1:69 sure", "bw-note 1:24 sure", "bw-note 2:13 sure", "bw-note 4:34 possible", "bw-note 5:20 sure", "data-bw 2:30 sure",
		"oarlock.fn.toggle 4:62 possible", "oarlock.notice 4:26 likely", "tide 2:25 sure", "tide 4:55 likely", "wave 1:87 sure"}
	if !slices.Equal(got, want) {
		t.Errorf("found\n%s, want\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func TestComparedInAWord(t *testing.T) {
	used := []NameUse{{At: "a:1:1"}, {At: "b:1:1"}}
	for _, tt := range []struct {
		c    Compared
		want string
	}{
		{Compared{}, "nothing used is gone"},
		{Compared{Syntax: [2]int{2009, 2015}}, "nothing used is gone; demands syntax of 2015"},
		{Compared{Lost: []LostName{{Name: "x"}}}, "nothing used is gone"},
		{Compared{Lost: []LostName{{Name: "x", Uses: used}, {Name: "y", Uses: used, Rename: &style.Rename{Sure: true}}, {Name: "z"}}}, "2 names gone, used in 4 places; 1 surely renamed"},
	} {
		if got := tt.c.word(); got != tt.want {
			t.Errorf("%q, want %q", got, tt.want)
		}
	}
	d := difference([]string{"a", "b"}, []string{"b", "c"})
	if fmt.Sprint(d) != "{[c] [a]}" {
		t.Errorf("difference: %v", d)
	}
}

// TestMend mends one page in each of the safe ways, and leaves what is not safe.
func TestMend(t *testing.T) {
	p := crateOf(t, harbour)
	for _, tt := range []struct{ name, page, want string }{
		{"one file of that name", `<script src="old/club.js"></script>`, `<script src="js/club.js"></script>`},
		{"two files of that name", `<script src="old/twin.js"></script>`, ""},
		{"another name", `<script src="js/clubs.js"></script>`, ""},
		{"case", `<script src='JS/club.js'></script>`, `<script src='js/club.js'></script>`},
		{"twice", "<script src=js/club.js></script>\n<p>x</p>\n<script src=js/club.js></script>\n", "<script src=js/club.js></script>\n<p>x</p>\n"},
		{"nothing", `<script src="js/club.js"></script>`, ""},
		{"a crossorigin that lacks", `<script src="https://else.example/x-1.2.0.js" integrity="sha384-` + strings.Repeat("A", 64) + `"></script>`,
			`<script src="https://else.example/x-1.2.0.js" integrity="sha384-` + strings.Repeat("A", 64) + `" crossorigin="anonymous"></script>`},
	} {
		site := &Site{Files: map[string]int64{"js/club.js": 1, "a/twin.js": 1, "b/twin.js": 1, "index.html": -1}, Pages: []string{"index.html"}}
		c := newChecker(p, site)
		v, err := p.view("index.html", []byte("<!doctype html>\n"+tt.page))
		if err != nil {
			t.Fatal(err)
		}
		var did []string
		b, err := c.mend(v, &did)
		if err != nil {
			t.Fatal(err)
		}
		want := tt.want
		if want == "" {
			want = tt.page
		}
		if got := strings.TrimPrefix(string(b), "<!doctype html>\n"); got != want || (len(did) == 0) != (tt.want == "") {
			t.Errorf("%s: %q (%v), want %q", tt.name, got, did, want)
		}
	}
}

// TestReorderKeepsBytes: whatever the page looks like, tags that move keep their bytes, and the rest of the page too.
func TestReorderKeepsBytes(t *testing.T) {
	p := crateOf(t, harbour)
	site := &Site{Files: map[string]int64{}, Pages: []string{"index.html"}}
	const oarlock, own = "<SCRIPT  SRC='js/oarlock.js' data-x=1></SCRIPT >", "<script>oarlock.go()</script>"
	for _, pageText := range []string{
		"<!doctype html>\r\n<html>\r\n<head>\r\n\t" + own + "\r\n</head>\r\n<body>\r\n\t<p>x</p>\r\n\t" + oarlock + "\r\n</body>\r\n</html>\r\n",
		own + oarlock,
		"<p>" + own + " and " + oarlock + " more",
		"<!doctype html><body>\n  " + own + "\n  <!-- between -->\n  " + oarlock + "\n",
	} {
		c := newChecker(p, site)
		c.scripts.files["js/oarlock.js"] = known(t, "window.oarlock = {};", "js/oarlock.js")
		v, err := p.view("index.html", []byte(pageText))
		if err != nil {
			t.Fatal(err)
		}
		var done OrderedPage
		b, err := c.reorder(v, &done)
		if err != nil {
			t.Errorf("%q: %v", pageText, err)
			continue
		}
		if len(done.Moves) != 1 || strings.Index(string(b), oarlock) > strings.Index(string(b), own) || strings.Count(string(b), oarlock) != 1 || strings.Count(string(b), own) != 1 {
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
