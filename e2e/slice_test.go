package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
)

func TestStart(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Write(".gitignore", "*.log")
	s.Run("start")
	list := s.Read("crate.yaml")
	for _, want := range []string{"scripts: js", "styles: css", "images: img"} {
		if !strings.Contains(list, want) {
			t.Errorf("crate.yaml lacks %q:\n%s", want, list)
		}
	}
	if got := s.Read(".gitignore"); got != "*.log\n.merry/\n" {
		t.Errorf(".gitignore is %q", got)
	}
	once := s.State()
	s.Run("start")
	if s.State() != once {
		t.Error("a second start changed something")
	}

	e := merrytest.Empty(t)
	e.Run("start")
	page := e.Read("index.html")
	for _, want := range []string{"<!doctype html>", `lang="en"`, "charset", "viewport", "<title>site</title>",
		`href="css/style.css"`, `src="js/main.js"`} {
		if !strings.Contains(page, want) {
			t.Errorf("the first page lacks %s", want)
		}
	}
	if e.Read("css/style.css")+e.Read("js/main.js") != "" {
		t.Error("the own files are not empty")
	}
	e.Run("check")
	e.Run("start", "--page", "crews/eight.html")
	if got := e.Read("crews/eight.html"); !strings.Contains(got, `href="../css/style.css"`) {
		t.Errorf("the page in a subfolder has wrong paths:\n%s", got)
	}
}

// TestPagesStayTheirs: only the new lines differ, with the page's own indentation and line endings.
func TestPagesStayTheirs(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	before := map[string]string{}
	pages := []string{"index.html", "tides.html", "crews/index.html"}
	for _, p := range pages {
		before[p] = s.Read(p)
	}
	s.Run("take", "../downloads/oarlock-2.0.3.zip")
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock")
	s.Run("include", "brinework", "oarlock", "--page", "**")
	crews := s.Read("crews/index.html")
	style := "\t<link rel=\"stylesheet\" href=\"../css/brinework.min.css\">\r\n"
	scripts :=
		"\t<script src=\"../js/oarlock.min.js\"></script>\r\n\t<script src=\"../js/brinework.min.js\"></script>\r\n"
	want := strings.Replace(before["crews/index.html"], "\t<LINK rel='stylesheet'", style+"\t<LINK rel='stylesheet'", 1)
	want = strings.Replace(want, "\t<SCRIPT src='../js/config.js'", scripts+"\t<SCRIPT src='../js/config.js'", 1)
	if crews != want {
		t.Errorf("crews/index.html is\n%q\nwant\n%q", crews, want)
	}
	with := s.State()
	s.Run("include", "oarlock", "brinework", "--page", "**")
	if s.State() != with {
		t.Error("including twice changed something")
	}
	s.Run("check")
	s.Run("omit", "oarlock", "brinework")
	for _, p := range pages {
		if s.Read(p) != before[p] {
			t.Errorf("%s did not come back as it was", p)
		}
	}
}

func TestOwnFilesAreIncludedByGlob(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Run("start")
	s.Write("js/a.js", "")
	s.Write("js/b.js", "")
	s.Run("include", "js/[ab].js")
	if got := s.Read("index.html"); !strings.Contains(got, "main.js\"></script>\n"+
		"  <script src=\"js/a.js\"></script>\n  <script src=\"js/b.js\"></script>\n</body>") {
		t.Errorf("got\n%s", got)
	}
}

// TestSiteInASubfolder: pages are named from the site, from the project, or from where one stands.
func TestSiteInASubfolder(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	before := s.State()
	os.MkdirAll(filepath.Join(s.Dir, "../project"), 0o755)
	if err := os.Rename(s.Dir, filepath.Join(s.Dir, "../project/public")); err != nil {
		t.Fatal(err)
	}
	s.Dir = filepath.Join(s.Dir, "../project")
	s.Run("start", "--site", "public")
	s.Run("take", "../downloads/oarlock-2.0.3.zip")
	s.Read("public/js/oarlock.min.js")
	for _, page := range []string{"public/crews/index.html", "crews/index.html", "/crews/index.html",
		"./public/crews/*.html"} {
		if out := s.Run("include", "oarlock", "--page", page); !strings.Contains(out, "crews/index.html  added") {
			t.Errorf("%s: %s", page, out)
		}
		s.Run("undo")
	}
	if out := s.Run("include", "oarlock", "--in", filepath.Join(s.Dir, "public/crews"), "--page",
		"index.html"); !strings.Contains(out, "crews/index.html  added") {
		t.Errorf("from the page's own folder: %s", out)
	}
	s.Run("undo")
	s.Run("undo")
	s.Run("undo")
	s.Dir = filepath.Join(s.Dir, "public")
	if s.State() != before {
		t.Error("the site is not as it was")
	}
}

func TestTakeOptions(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Run("start")
	s.Run("take", "../downloads/oarlock-1.4.2.zip", "--as", "oarlock-old", "--rename", "oarlock.js=kiosk.js",
		"--readable", "--because", "the kiosk")
	if _, err := os.Stat(filepath.Join(s.Dir, "js/oarlock.min.js")); err == nil {
		t.Error("the other build is there, too")
	}
	if s.Read("js/kiosk.js") == "" || !strings.Contains(s.Read("crate.yaml"), "because: the kiosk") {
		t.Error("the readable build or the reason is missing")
	}
	s.Run("undo")
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--together")
	if got := s.Read("lib/brinework/css/brinework.min.css"); !strings.Contains(got, "../fonts/") {
		t.Error("the set is not together")
	}
	if r := s.Try("check"); strings.Contains(r.Out, "asset-missing") || !strings.Contains(r.Out, "unused-library") {
		t.Errorf("check says\n%s", r.Out)
	}
	s.Run("undo")
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--files", "css/*.min.css", "--as", "brine-look", "--dry-run")
	if _, err := os.Stat(filepath.Join(s.Dir, "css/brinework.min.css")); err == nil {
		t.Error("a dry run wrote")
	}
	s.Run("take", "../downloads/brinework-1.2.0.zip", "--files", "css/*.min.css", "--as", "brine-look")
	s.Read("fonts/brinework.woff")

	// A site whose fonts are not where the stylesheet would look for them.
	s.Run("undo")
	s.Write("crate.yaml", strings.Replace(s.Read("crate.yaml"), "fonts: fonts", "fonts: assets/type", 1))
	if out := s.Run("take", "../downloads/brinework-1.2.0.zip"); !strings.Contains(out, "kept in one folder:") {
		t.Errorf("it does not say why the set was kept together:\n%s", out)
	}
	s.Read("lib/brinework/fonts/brinework.woff")
	if r := s.Try("check"); strings.Contains(r.Out, "asset-missing") || strings.Contains(r.Out, "sealed-") {
		t.Errorf("check says\n%s", r.Out)
	}
}

func TestFindings(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	tests := []struct {
		name  string
		spoil func(s *merrytest.Site)
		want  []string
	}{
		{"file-missing", func(s *merrytest.Site) {
			s.Replace("index.html", "js/oarlock.min.js", "js/oarlock-2.0.3.min.js")
		}, []string{"index.html:", "nearest file is js/oarlock.min.js"}},
		{"case-differs", func(s *merrytest.Site) { s.Replace("index.html", "js/oarlock.min.js", "js/Oarlock.min.js") },
			[]string{"write js/oarlock.min.js"}},
		{"sealed-changed", func(s *merrytest.Site) { s.Write("js/oarlock.min.js", "changed") },
			[]string{"js/oarlock.min.js"}},
		{"sealed-gone", func(s *merrytest.Site) { os.Remove(filepath.Join(s.Dir, "js/oarlock.min.js")) },
			[]string{"js/oarlock.min.js"}},
		{"need-absent", func(s *merrytest.Site) { s.Run("omit", "oarlock", "--page", "tides.html") },
			[]string{"tides.html:24:5", "merry include oarlock --page tides.html"}},
		{"need-later", func(s *merrytest.Site) {
			s.Replace("index.html", "js/oarlock.min.js", "js/x.js")
			s.Replace("index.html", "js/brinework.min.js", "js/oarlock.min.js")
			s.Replace("index.html", "js/x.js", "js/brinework.min.js")
		}, []string{"comes one tag later"}},
		{"included-twice", func(s *merrytest.Site) {
			s.Replace("index.html", "</body>", "<script src='./js/oarlock.min.js'></script></body>")
		}, []string{"first in line"}},
		{"own-style-first", func(s *merrytest.Site) {
			s.Replace("index.html", "<link rel=\"icon\"", "<link rel=stylesheet href=css/club.css><link rel=\"icon\"")
		}, []string{"css/club.css"}},
		{"asset-missing", func(s *merrytest.Site) {
			s.Write("css/club.css", "\n\nbody { background: url(../img/none.png) }\n")
		}, []string{"css/club.css:3:", "img/none.png"}},
		{"no-doctype", func(s *merrytest.Site) { s.Replace("index.html", "<!doctype html>\n", "") },
			[]string{"quirks mode"}},
		{"no-viewport", func(s *merrytest.Site) { s.Replace("index.html", "viewport", "viewpoint") },
			[]string{"phone"}},
		{"page-unreadable", func(s *merrytest.Site) { s.Write("odd.html", "\xff\xfe<\x00p\x00>\x00") },
			[]string{"UTF-16"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			s := merrytest.Started(t)
			s.Run("check")
			tt.spoil(s)
			s.Fail(1, append(tt.want, tt.name, "next:", "why:"), "check")
			r := s.Try("check", "--json")
			var c struct {
				Findings []struct {
					Name, File string
					Next       []struct{ Command, Text string }
				}
			}
			if err := json.Unmarshal([]byte(r.Out), &c); err != nil || len(c.Findings) == 0 ||
				len(c.Findings[0].Next) == 0 {
				t.Errorf("--json gave %v\n%s", err, r.Out)
			}
		})
	}
}

// TestBadInput: each gets a clear error with its status, and nothing changes.
func TestBadInput(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Started(t)
	s.Write("notes.txt", "hello")
	s.Write("parts/menu.html", "<nav>menu</nav>\n")
	s.Write("wide.html", "\xff\xfe<\x00")
	zip, _ := os.ReadFile(filepath.Join(s.Dir, "../downloads/oarlock-1.4.2.zip"))
	s.Write("cut.zip", string(zip[:len(zip)/2]))
	s.Write("empty.zip", "")
	s.Write("page.zip", "<!doctype html>not found")
	s.Write("js/mine.js", "mine")
	s.Write("mine/mine.js", "/*! mine v1.0.0 */\nvar mine = 1;\n")
	before := s.State()
	tests := []struct {
		status int
		words  []string
		args   []string
	}{
		{2, []string{"pages; name those you mean"}, []string{"include", "oarlock"}},
		{1, []string{"no page matches nothing*.html", "the site's pages"}, []string{"include", "oarlock", "--page",
			"nothing*.html"}},
		{1, []string{"neither a library of the crate", "oarlock, brinework"}, []string{"include", "oarlok", "--page",
			"index.html"}},
		{1, []string{"fragment", "--fragments"}, []string{"include", "oarlock", "--page", "parts/menu.html"}},
		{1, []string{"UTF-16", "save it as UTF-8"}, []string{"include", "oarlock", "--page", "wide.html"}},
		{1, []string{"no file or folder"}, []string{"take", "nowhere.zip"}},
		{1, []string{"neither an archive"}, []string{"take", "notes.txt"}},
		{1, []string{"cut off", "fetch it again"}, []string{"take", "cut.zip"}},
		{1, []string{"empty"}, []string{"peek", "empty.zip"}},
		{1, []string{"does not begin like a zip"}, []string{"peek", "page.zip"}},
		{1, []string{"2.0.3 is already in the crate"}, []string{"take", "../downloads/oarlock-1.4.2.zip"}},
		{1, []string{"matches lib/*.js"}, []string{"take", "../downloads/oarlock-1.4.2.zip", "--as", "old", "--files",
			"lib/*.js"}},
		{1, []string{"js/mine.js exists already with other bytes", "--overwrite"}, []string{"take", "mine"}},
		{1, []string{"not in the crate", "take pennants first"}, []string{"take", "mine", "--needs", "pennants"}},
		{2, []string{"is not a name"}, []string{"take", "mine", "--as", "../x"}},
		{2, []string{"exclude each other", "merry undo --help"}, []string{"undo", "--finish", "--abandon"}},
		{2, []string{"exclude each other"}, []string{"take", "mine", "--minified", "--readable"}},
		{2, []string{"there is no command", "merry check"}, []string{"chek"}},
		{2, []string{"unknown flag", "merry check --help"}, []string{"check", "--hard"}},
		{2, []string{"the arguments don't fit", "merry peek --help"}, []string{"peek", "a", "b"}},
		{2, []string{"sha384"}, []string{"seal", "js/mine.js", "--algorithm", "md5"}},
	}
	for _, tt := range tests {
		s.Fail(tt.status, tt.words, tt.args...)
		if s.State() != before {
			t.Fatalf("merry %s changed something", strings.Join(tt.args, " "))
		}
	}
}

func TestReadOnlyIsLeftAlone(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	s.Run("omit", "brinework")
	page, dir := filepath.Join(s.Dir, "index.html"), filepath.Join(s.Dir, "crews")
	os.Chmod(page, 0o444)
	before := s.State()
	s.Fail(1, []string{"index.html is read-only"}, "include", "brinework", "--page", "**")
	os.Chmod(page, 0o644)
	os.Chmod(dir, 0o555)
	s.Fail(1, []string{"folder crews is read-only"}, "include", "brinework", "--page", "**")
	os.Chmod(dir, 0o755)
	if s.State() != before {
		t.Error("something changed")
	}
	// A link that leads out of the project is not followed.
	outside := filepath.Join(s.Home, "out.html")
	os.WriteFile(outside, []byte("<!doctype html><body></body>"), 0o644)
	if err := os.Symlink(outside, filepath.Join(s.Dir, "linked.html")); err != nil {
		t.Skip("no symbolic links here: ", err)
	}
	s.Fail(1, []string{"outside the project"}, "include", "brinework", "--page", "linked.html")
	if b, _ := os.ReadFile(outside); len(b) != len("<!doctype html><body></body>") {
		t.Error("the page outside was changed")
	}
}

func TestBrokenRecords(t *testing.T) {
	t.Parallel()
	s := merrytest.Empty(t)
	s.Fail(1, []string{"there is no crate.yaml", "merry start"}, "check")
	for src, want := range map[string]string{
		"format: 9\n":                        "crate.yaml:1:9: format 9 is newer",
		"format: 1\nfolders: {script: js}\n": `crate.yaml:2:11: there is no key "script" in folders`,
		"format: 1\nlibraries: [a\n":         "crate.yaml:",
		"format: 1\nsite: ../else\n":         "leads out of the project",
	} {
		s.Write("crate.yaml", src)
		s.Fail(1, []string{want}, "check")
		if s.Read("crate.yaml") != src {
			t.Errorf("%q was changed", src)
		}
	}
	s.Write("crate.yaml", "format: 1\n")
	s.Write("crate.seal.json", `{"format": 3}`)
	s.Fail(1, []string{"format 3, newer"}, "check")
}

func TestSealAndContents(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	if got := s.TryWith("", "seal", "-", "--algorithm",
		"sha256").Out; got != "sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=  -\n" {
		t.Errorf("seal - of nothing printed %q", got)
	}
	one := s.Run("seal", "js/oarlock.min.js")
	integrity, _, _ := strings.Cut(one, " ")
	if !strings.Contains(s.Read("crate.seal.json"), integrity) {
		t.Error("seal and the project's seal differ")
	}
	if got := s.Run("seal", "js", "css"); strings.Count(got, "sha384-") != 6 || !strings.Contains(got, one) {
		t.Errorf("seal of folders printed\n%s", got)
	}
	if got := s.Run("contents"); !strings.Contains(got, "brinework  1.2.0    MIT          4") {
		t.Errorf("contents printed\n%s", got)
	}
	if got := s.Run("undo", "--list"); !strings.Contains(got, "1  take brinework 1.2.0") {
		t.Errorf("undo --list printed\n%s", got)
	}
}

// TestUndoGoesBackAndForth: over several steps and forward again, and never over what somebody changed since.
func TestUndoGoesBackAndForth(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s := merrytest.Club(t)
	states := []string{s.State()}
	for _, args := range [][]string{{"start"}, {"take", "../downloads/oarlock-2.0.3.zip", "--page", "**"},
		{"take", "../downloads/brinework-1.2.0.zip", "--page", "**"}, {"drop", "brinework"}} {
		s.Run(args...)
		states = append(states, s.State())
	}
	if got := s.Run("undo", "3", "--dry-run"); !strings.Contains(got, "3  take oarlock 2.0.3") ||
		strings.Contains(got, "start") || s.State() != states[4] {
		t.Errorf("a dry run of three steps printed\n%s", got)
	}
	s.Fail(1, []string{"there is no change 9", "the numbers go from 1 to 4"}, "undo", "9")
	s.Fail(2, []string{"soon is not the number of a change"}, "undo", "soon")
	s.Run("undo", "4")
	if s.State() != states[0] {
		t.Error("going back over all changes does not lead to the beginning")
	}
	for n := 1; n < len(states); n++ {
		s.Run("undo", "--again")
		if s.State() != states[n] {
			t.Fatalf("going forward by %d steps leads elsewhere", n)
		}
	}
	s.Fail(1, []string{"nothing to apply again"}, "undo", "--again")
	s.Run("undo", "2")
	page := s.Read("index.html")
	s.Write("index.html", page+"<!-- the coxswain's own -->")
	s.Fail(1, []string{"can't be applied again: index.html", "changed since"}, "undo", "--again")
	s.Fail(1, []string{"can't be undone: index.html changed since"}, "undo", "2")
	s.Write("index.html", page)
	if got := s.Run("undo", "--list"); strings.Count(got, "undone: ") != 2 ||
		!strings.Contains(got, "next: merry undo --again") {
		t.Errorf("undo --list printed\n%s", got)
	}
	s.Run("drop", "oarlock")
	s.Fail(1, []string{"nothing to apply again"}, "undo", "--again") // a new change ends it
}

// TestTakeMeansTheCratesVersion: the name alone of a library that is there means it in the version that is there,
// whatever is newer, and whatever it came from.
func TestTakeMeansTheCratesVersion(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Registered(t)
	s.Run("take", "tidechart@3.0.0", "--with-needs", "--page", "tides.html")
	if out := s.Run("take", "tidechart", "--part", "marks"); !strings.Contains(out, "added to tidechart 3.0.0") ||
		!strings.Contains(out, "named by --part marks") {
		t.Errorf("take of a part says\n%s", out)
	}
	if out := s.Run("__complete", "take", "tidechart", "--part", "ma"); !strings.HasPrefix(out, "marks\n") {
		t.Errorf("the shell is told of parts\n%s", out)
	}
	if out := s.Run("__complete", "repin", "tidechart@3"); !strings.HasPrefix(out,
		"tidechart@3.1.0\ntidechart@3.0.0\n") {
		t.Errorf("the shell is told of versions\n%s", out)
	}
	s.Fail(1, []string{"tidechart 3.0.0 is already in the crate", "merry repin tidechart@"}, "take", "tidechart@latest")
	s.Run("take", "../downloads/brinework-1.2.0.zip")
	list := s.Read("crate.yaml")
	if out := s.Run("take", "brinework"); !strings.Contains(out, "already there: brinework 1.2.0") ||
		s.Read("crate.yaml") != list {
		t.Errorf("take of a download's library says\n%s\n%s", out, s.Read("crate.yaml"))
	}
	s.Run("take", "oarlock@2.0.3", "--as", "menu", "--into", "vendor/menu")
	if out := s.Run("take", "menu", "--because", "the old menu"); !strings.Contains(out, "already there: menu 2.0.3") {
		t.Errorf("take of a library with another name says\n%s", out)
	}
}

// TestSameInputSameBytes: the records have no times in them and no order of chance.
func TestSameInputSameBytes(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	a, b := merrytest.Started(t), merrytest.Started(t)
	if a.State() != b.State() {
		t.Error("two sites that were treated alike differ")
	}
	for _, f := range []string{"oarlock-2.0.3.zip", "brinework-1.2.0.zip"} {
		x, y := a.Read("../downloads/"+f), b.Read("../downloads/"+f)
		if x != y {
			t.Errorf("%s differs", f)
		}
	}
}

// TestSealAnywhere: tags ready to paste, and a look at pages that are no part of a project: what they demand of links,
// modules, hints and import maps.
func TestSealAnywhere(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	s, _ := merrytest.Linked(t)
	address := "http://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js"
	hash := strings.Fields(s.Run("seal", "js/oarlock.min.js"))[0]
	if out := s.Run("seal", "--plain", address); out != hash+"  "+address+"\n" {
		t.Errorf("an address is sealed as %s", out)
	}
	s.Write("js/foghorn.mjs", "export const low = 1;\n")
	out := s.Run("seal", "--plain", "--html", "js/club.js", "js/foghorn.mjs", "css/club.css", address)
	for _, want := range []string{`<script src="js/club.js" integrity="sha384-`, `<script src="js/foghorn.mjs" ` +
		`type="module" integrity="sha384-`, `<link rel="stylesheet" href="css/club.css" integrity="sha384-`,
		`<script src="` + address + `" integrity="` + hash + `" crossorigin="anonymous"></script>`} {
		if !strings.Contains(out, want) {
			t.Errorf("--html lacks %s:\n%s", want, out)
		}
	}
	module := strings.Fields(s.Run("seal", "js/foghorn.mjs"))[0]
	page := "<script src='" + address + "' integrity='" + hash + "' crossorigin></script>\n<script src='" + address +
		"'></script>\n<script src='" + address + "' integrity='" + module + "' crossorigin></script>\n" +
		"<script src='" + address + "' integrity='" + hash + "'></script>\n" +
		"<script src='js/club.js'></script>\n<script type=module src='js/foghorn.mjs' integrity='" + hash + " " +
		module + "'></script>\n<link rel=preload as=script href='" + address + "' integrity='" + hash +
		"' crossorigin>\n" +
		"<script type=importmap>{\"imports\": {}, \"integrity\": {\"./js/foghorn.mjs\": \"" + hash + "\"}}</script>\n" +
		"<script src='http://cdn.harbour.example/lib/oarlock/9.9.9/gone.js' integrity='" + hash +
		"' crossorigin></script>\n"
	r := s.TryWith(page, "seal", "--plain", "--check", "-")
	for _, want := range []string{"-:1:1  right  ", "-:2:1  none  ", "-:3:1  wrong  ", "-:4:1  no crossorigin  ",
		"-:5:1  local  ", "-:6:1  right  ", "-:7:1  right  ", "  wrong  ./js/foghorn.mjs", "-:9:1  missing  ",
		"5 tags to correct", "  is:   " + hash} {
		if !strings.Contains(r.Out, want) {
			t.Errorf("--check does not say %q:\n%s\n%s", want, r.Out, r.Err)
		}
	}
	if r.Status != 1 {
		t.Errorf("the status is %d", r.Status)
	}
	s.Write("fine.html", "<script src='js/club.js'></script>")
	if out := s.Run("seal", "--check", "fine.html"); !strings.Contains(out, "0 tags to correct") {
		t.Errorf("--check says\n%s", out)
	}
	s.Write("crews/deep.html", "<script src='../js/oarlock.min.js' integrity='"+hash+"'></script><script "+
		"src='/js/oarlock.min.js' integrity='"+hash+"'></script><script src='oarlock.min.js' integrity='"+hash+
		"'></script>")
	if r := s.Try("seal", "--check", "crews/deep.html"); strings.Count(r.Out, "  right  ") != 2 ||
		!strings.Contains(r.Out, "there is no file crews/oarlock.min.js") {
		t.Errorf("from a folder below, --check says\n%s%s", r.Out, r.Err)
	}
	s.Fail(2, []string{"a tag needs a file name"}, "seal", "--html", "-")
	s.Fail(1, []string{"there is no file nowhere.html"}, "seal", "--check", "nowhere.html")
	s.Fail(2, []string{"use one"}, "seal", "--check", "--html", "fine.html")
	s.Fail(3, []string{"gone.js"}, "seal", "--plain", "http://cdn.harbour.example/lib/oarlock/9.9.9/gone.js")
}
