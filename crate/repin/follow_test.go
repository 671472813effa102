package repin

import (
	"testing"

	"merrycrate.example/merry/crate/page"
)

// TestOwnFilesFollow: a class is renamed where it surely is one, and every other byte stays.
func TestOwnFilesFollow(t *testing.T) {
	renames := map[string]string{"bw-left": "bw-start", "bw-hide": "bw-none bw-sm-block", "note": "callout"}
	for _, tt := range []struct {
		sheet      bool
		text, want string
	}{
		{true, ".bw-left, a.bw-left:hover > .note{}", ".bw-start, a.bw-start:hover > .callout{}"},
		{true, ".bw-leftover{} #bw-left{} .x{content:'.bw-left'} /* .bw-left */", ".bw-leftover{} #bw-left{} " +
			".x{content:'.bw-left'} /* .bw-left */"},
		{true, ".bw-hide{}", ".bw-none.bw-sm-block{}"},
		{true, "@media print{.note .bw-left{top:0}}", "@media print{.callout .bw-start{top:0}}"},
		{false, "p.classList.add('bw-left', \"note\")", "p.classList.add('bw-start', \"callout\")"},
		{false, "p.classList.toggle('note', far)", "p.classList.toggle('callout', far)"},
		{false, "document.querySelectorAll('ul > .bw-left .note')", "document.querySelectorAll('ul > .bw-start " +
			".callout')"},
		{false, "p.className = 'wide bw-left'", "p.className = 'wide bw-start'"},
		{false, "p.innerHTML = `<b class=\"note bw-hide\">${x}</b>`", "p.innerHTML = `<b class=\"callout bw-none " +
			"bw-sm-block\">${x}</b>`"},
		{false, "p.classList.add('bw-hide')", "p.classList.add('bw-hide')"}, // two names are no one name there
		{false, "document.querySelector('.bw-hide')", "document.querySelector('.bw-none.bw-sm-block')"},
		{false, "document.getElementById('note'); log.note('note'); const note = 1; // note bw-left",
			"document.getElementById('note'); log.note('note'); const note = 1; // note bw-left"},
		{false, "document.querySelector('#note')", "document.querySelector('#note')"},
		{false, "say('a note of thanks')", "say('a note of thanks')"},
	} {
		r := newRenaming(nil, renames, nil, nil)
		if got := string(page.Apply([]byte(tt.text), r.edits(tt.sheet, []byte(tt.text),
			"js/club.js"))); got != tt.want {
			t.Errorf("%s\nbecame\n%s\nwanted\n%s", tt.text, got, tt.want)
		}
		for _, d := range r.done() {
			if (d.Places > 0) != (len(d.Files) == 1) {
				t.Errorf("of %s it is told %+v", tt.text, d)
			}
		}
	}
}
