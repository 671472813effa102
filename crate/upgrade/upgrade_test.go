package upgrade

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/renames"
	"merrycrate.example/merry/crate/tags"
)

func TestFinder(t *testing.T) {
	lost := []RemovedName{{Kind: "class", Name: "bw-note"}, {Kind: "id", Name: "tide"},
		{Kind: "attribute", Name: "data-bw"}, {Kind: "custom property", Name: "--bw-ink"},
		{Kind: "global", Name: "Brine"}, {Kind: "member", Name: "oarlock.notice"},
		{Kind: "member", Name: "oarlock.fn.toggle"}, {Kind: "keyframes", Name: "wave"},
		{Kind: "font family", Name: "Sea"}}
	f := newFinder(lost)
	const text = `<!doctype html><style>.bw-note { color: var(--bw-ink); font-family: "Sea"; animation: wave 1s ` +
		`}</style>
<p class="a bw-note" id=tide data-bw>x</p>
<script>
  Brine.start(); oarlock.notice("bw-note"); oarlock("#tide").toggle("x");
  q.classList.add('bw-note'); other.notice();
</script>`
	pg, err := page.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	v := tags.New(paths.Found("index.html"), pg)
	var got []string
	for i, uses := range f.onPage(v, "index.html") {
		for _, u := range uses {
			got = append(got, fmt.Sprintf("%s %s %s", lost[i].Name, strings.TrimPrefix(u.At, "index.html:"), u.How))
		}
	}
	slices.Sort(got)
	want := []string{"--bw-ink 1:45 sure", "Brine 4:3 likely", "Sea 1:69 sure", "bw-note 1:24 sure",
		"bw-note 2:13 sure", "bw-note 4:34 possible", "bw-note 5:20 sure", "data-bw 2:30 sure",
		"oarlock.fn.toggle 4:62 possible", "oarlock.notice 4:26 likely", "tide 2:25 sure", "tide 4:55 likely",
		"wave 1:87 sure"}
	if !slices.Equal(got, want) {
		t.Errorf("found\n%s, want\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func TestEffect(t *testing.T) {
	used := []Occurrence{{At: "a:1:1"}, {At: "b:1:1"}}
	for _, tt := range []struct {
		c    Compared
		want string
	}{
		{Compared{}, "breaks nothing here"},
		{Compared{Syntax: [2]int{2009, 2015}}, "breaks nothing here; needs syntax of 2015"},
		{Compared{Removed: []RemovedName{{Name: "x"}}}, "breaks nothing here"},
		{Compared{Removed: []RemovedName{{Name: "x", Uses: used},
			{Name: "y", Uses: used, Rename: &renames.Rename{Sure: true}}, {Name: "z"}}},
			"2 removed names, used in 4 places; 1 renamed for certain"},
	} {
		if got := tt.c.effect(); got != tt.want {
			t.Errorf("%q, want %q", got, tt.want)
		}
	}
	d := difference([]string{"a", "b"}, []string{"b", "c"})
	if fmt.Sprint(d) != "{[c] [a]}" {
		t.Errorf("difference: %v", d)
	}
}

func TestBehind(t *testing.T) {
	for pair, want := range map[[2]string]string{{"1.2.3", "2.0.0"}: "major", {"1.2.3", "1.3.0"}: "minor",
		{"1.2.3", "1.2.4"}: "patch", {"1.2.3", "1.2.3"}: "", {"2.0.0", "1.0.0"}: "", {"1.0.0", ""}: ""} {
		if got := behind(pair[0], pair[1]); got != want {
			t.Errorf("%v: %q, want %q", pair, got, want)
		}
	}
}
