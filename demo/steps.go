package demo

// A Step is one command of the demo. It is run in the site's folder.
type Step struct {
	Say    string   // what it is for
	Args   []string // of merry; REGISTRY stands for the registry's address
	Status int      // the expected exit status
	First  string   // what happens by hand before it; empty means nothing
}

// Steps are the whole job, in order.
var Steps = []Step{
	{"The club's website is five years old. Merry finds out where it keeps its files.", []string{"start"}, 0, ""},
	{"A colleague has downloaded a stylesheet with fonts and a script. What is in it?", []string{"peek", "../downloads/brinework-1.2.0.zip"}, 0, ""},
	{"Its script needs a page helper, so that one comes first, on every page.", []string{"take", "../downloads/oarlock-2.0.3.zip", "--because", "the menu and brinework are built on it", "--page", "**"}, 0, ""},
	{"Then the stylesheet. What would that change?", []string{"take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "tides.html", "--dry-run"}, 0, ""},
	{"Good. On all pages, then.", []string{"take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "**"}, 0, ""},
	{"What is in the crate now?", []string{"contents"}, 0, ""},
	{"Would a browser complain?", []string{"check"}, 0, ""},
	{"A colleague takes a library off a page where another library needs it …", []string{"omit", "oarlock", "--page", "tides.html"}, 0, ""},
	{"… and check reports it before a visitor sees it.", []string{"check"}, 1, ""},
	{"Undo reverts that.", []string{"undo"}, 0, ""},
	{"A chart comes from a package registry. A stand-in for one runs on this machine.", []string{"sources", "set", "registry", "REGISTRY"}, 0, ""},
	{"Merry reads from its code what it needs on a page, and the crate has that already.", []string{"take", "tidechart", "--page", "tides.html"}, 0, ""},
	{"A week later the chart needs its marks: one part more, and everything else stays.", []string{"take", "tidechart", "--part", "marks", "--page", "tides.html"}, 0, ""},
	{"The kiosk in the boathouse has an old browser. This records it for later:", []string{"hold", "oarlock", "--below", "2.1.0", "--because", "2.1 uses class syntax; the boathouse kiosk's browser has none"}, 0, ""},
	{"Which versions are there?", []string{"versions", "oarlock"}, 0, ""},
	{"The chart goes back one version, with files and references …", []string{"repin", "tidechart@3.0.0"}, 0, ""},
	{"… and forward again.", []string{"undo"}, 0, ""},
	{"A colleague's checkout has the records, but not the files. They come from the cache, offline.", []string{"refill", "--offline"}, 0, "checkout"},
	{"The whole crate:", []string{"contents"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"An integrity value, for use anywhere:", []string{"seal", "js/oarlock.min.js"}, 0, ""},
	{"Somebody makes a page with tags from documentation.", []string{"adopt", "regatta.html"}, 0, "regatta"},
	{"A tag from another documentation page, pasted on standard input. It goes where it belongs.", []string{"adopt", "-", "--page", "regatta.html"}, 0, "paste"},
	{"", []string{"sources"}, 0, ""},
	{"A library for development only comes off, and the rest becomes local …", []string{"omit", "quickbrine"}, 0, ""},
	{"", []string{"switch", "--local", "--page", "regatta.html"}, 0, ""},
	{"… and minified, as on the other pages.", []string{"switch", "--minified", "--page", "regatta.html", "--dry-run"}, 0, ""},
	{"", []string{"switch", "--minified"}, 0, ""},
	{"For visitors, the club serves libraries from the CDN, with local copies as a fallback:", []string{"switch", "--profile", "live", "--page", "crews/index.html", "--dry-run"}, 0, "profiles"},
	{"", []string{"switch", "--profile", "live"}, 0, ""},
	{"", []string{"check", "--profile", "live", "--online"}, 0, ""},
	{"The CDN stops answering. The pages still work, because of their fallbacks; check reports what visitors get.", []string{"check", "regatta.html", "--online"}, 1, "down"},
	{"Back to local copies: the pages are as they were.", []string{"switch", "--local"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"The club sorts its own scripts into a folder; every page follows.", []string{"move", "*/config.js", "*/club.js", "own/"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"A year later. What is behind?", []string{"versions", "--newer"}, 0, ""},
	{"What would the new major version change on these pages?", []string{"compare", "brinework", "2.0.0"}, 0, ""},
	{"Upgrade, with the renames that are certain. The club's own stylesheet follows.", []string{"repin", "brinework@2.0.0", "--rename-sure"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"The chart needs a newer page helper, which is held for the kiosk:", []string{"repin", "tidechart@4.0.0"}, 1, ""},
	{"A new page has a module that imports a library by name. No browser can resolve that name yet.", []string{"check", "fog.html"}, 1, "fog"},
	{"Take the library, what it imports, and one of its examples as an add-on. Merry writes the import map.", []string{"take", "foghorn@^1.0", "--with-needs", "--part", "harbour-echo", "--page", "fog.html"}, 0, ""},
	{"What runs when:", []string{"order", "fog.html"}, 0, ""},
	{"What would its next major version change?", []string{"compare", "foghorn", "2.0.0"}, 0, ""},
	{"The third-party libraries that the site ships:", []string{"bill"}, 0, ""},
	{"Finally, the pages in this machine's browser:", []string{"look"}, 0, "browser"},
}
