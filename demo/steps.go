package demo

// A Step is one command of the demo, with what it is for. Its folder is the site.
type Step struct {
	Say    string
	Args   []string
	Status int    // what it is expected to end with
	First  string // what happens before it, "" for nothing
}

// Steps are the whole job, in the order in which it is played.
var Steps = []Step{
	{"The club's site is five years old. Merry learns how it keeps its files.", []string{"start"}, 0, ""},
	{"A stylesheet with its fonts and script came as a download. What is in it?", []string{"peek", "../downloads/brinework-1.2.0.zip"}, 0, ""},
	{"It needs a page helper. That one first, and on every page.", []string{"take", "../downloads/oarlock-2.0.3.zip", "--because", "the menu and brinework are built on it", "--page", "**"}, 0, ""},
	{"Then the stylesheet, but first: what would that change?", []string{"take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "tides.html", "--dry-run"}, 0, ""},
	{"Good. On all pages, then.", []string{"take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "**"}, 0, ""},
	{"What is in the crate now?", []string{"contents"}, 0, ""},
	{"And does a browser have anything to complain about?", []string{"check"}, 0, ""},
	{"A colleague takes a library off a page that another one there needs …", []string{"omit", "oarlock", "--page", "tides.html"}, 0, ""},
	{"… and check says so before a visitor sees it.", []string{"check"}, 1, ""},
	{"Undo takes that back.", []string{"undo"}, 0, ""},
	{"A chart comes from a package registry; a stand-in for one runs on this machine.", []string{"sources", "set", "registry", "REGISTRY"}, 0, ""},
	{"What it needs on a page is read from its code, and the crate has that already.", []string{"take", "tidechart", "--page", "tides.html"}, 0, ""},
	{"A week later the chart is to have its marks, too: one part more, and all else stays.", []string{"take", "tidechart", "--part", "marks", "--page", "tides.html"}, 0, ""},
	{"The kiosk in the boathouse has an old browser. Nobody will have to remember why:", []string{"hold", "oarlock", "--below", "2.1.0", "--because", "2.1 uses class syntax; the boathouse kiosk's browser has none"}, 0, ""},
	{"What is there of it?", []string{"versions", "oarlock"}, 0, ""},
	{"The chart back one version, files and references and all …", []string{"repin", "tidechart@3.0.0"}, 0, ""},
	{"… and on again, offline: everything seen once is in the cache.", []string{"undo"}, 0, ""},
	{"A colleague's fresh checkout has the records, and not yet the files.", []string{"refill", "--offline"}, 0, "checkout"},
	{"The whole crate:", []string{"contents"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"An integrity string, for use anywhere:", []string{"seal", "js/oarlock.min.js"}, 0, ""},
	{"Somebody makes a page from the tags that libraries' documentation shows.", []string{"adopt", "regatta.html"}, 0, "regatta"},
	{"A tag from another page of documentation, pasted: it goes where it belongs.", []string{"adopt", "-", "--page", "regatta.html"}, 0, "paste"},
	{"", []string{"sources"}, 0, ""},
	{"What is for the desk only comes off, and all the rest becomes local …", []string{"omit", "quickbrine"}, 0, ""},
	{"", []string{"switch", "--local", "--page", "regatta.html"}, 0, ""},
	{"… and minified, as on the other pages.", []string{"switch", "--minified", "--page", "regatta.html", "--dry-run"}, 0, ""},
	{"", []string{"switch", "--minified"}, 0, ""},
	{"Live, the club serves from the CDN, and falls back on its own copies:", []string{"switch", "--profile", "live", "--page", "crews/index.html", "--dry-run"}, 0, "profiles"},
	{"", []string{"switch", "--profile", "live"}, 0, ""},
	{"", []string{"check", "--profile", "live", "--online"}, 0, ""},
	{"The CDN goes down. The pages work all the same, by their fallbacks; check says what visitors meet.", []string{"check", "regatta.html", "--online"}, 1, "down"},
	{"Back to local copies: the pages are as they were.", []string{"switch", "--local"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"The club sorts its own scripts into a folder of their own; every page follows.", []string{"move", "*/config.js", "*/club.js", "own/"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"A year later. What is behind?", []string{"versions", "--newer"}, 0, ""},
	{"What would the new major version do to these pages?", []string{"compare", "brinework", "2.0.0"}, 0, ""},
	{"Up, with the renames that are sure; the club's own stylesheet follows.", []string{"repin", "brinework@2.0.0", "--rename-sure"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"The chart wants a newer page helper, and that is held for the kiosk:", []string{"repin", "tidechart@4.0.0"}, 1, ""},
	{"A new page is made of modules: its own one imports a library by its name, which no browser knows yet.", []string{"check", "fog.html"}, 1, "fog"},
	{"The library, what it imports itself, and one of its examples as an add-on; an import map leads there.", []string{"take", "foghorn@^1.0", "--with-needs", "--part", "harbour-echo", "--page", "fog.html"}, 0, ""},
	{"What runs when:", []string{"order", "fog.html"}, 0, ""},
	{"And what would its next major version do?", []string{"compare", "foghorn", "2.0.0"}, 0, ""},
	{"What the site ships from others:", []string{"bill"}, 0, ""},
	{"And at last, the pages in the browser of this machine:", []string{"look"}, 0, "browser"},
}
