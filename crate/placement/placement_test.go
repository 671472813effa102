package placement

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"path"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/record"
)

type tree map[string]string

func describe(t *testing.T, source string, files tree) *packages.Package {
	t.Helper()
	kept := packages.InMemory{}
	for name, text := range files {
		kept[name] = []byte(text)
	}
	d, err := kept.Describe(context.Background(), source, nil)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

const (
	readable = "(function () {\n  var turns = 0;\n\n  window.winch = function (n) {\n    turns += n;\n" +
		"    return turns;\n  };\n})();\n"
	minified = "(function(){var t=0;window.winch=function(n){return t+=n}})();\n//# sourceMappingURL=maps/w.map\n"
	css      = "a {\n  color: red;\n}\n"
)

var habits = Habits{Scripts: "js", Styles: "css", Fonts: "fonts", Images: "img", Together: "lib"}

// TestClosure: what a stylesheet asks for stands where it looks, by kind or together; a name that it asks for stays.
func TestClosure(t *testing.T) {
	d := describe(t, "deck-1.0.0.zip", tree{
		"css/deck.css": "@import 'base.css';\n\nbody {\n  background: url(../img/sea.png?x#y);\n}\n",
		"css/base.css": "@font-face {\n  src: url('../fonts/deck.woff');\n}\n", "fonts/deck.woff": "w",
		"img/sea.png": "p",
	})
	s := d.Suggest()
	h := habits
	pl, err := Place(d, s, Wish{Library: "deck", Version: "1.0.0", Habits: h, Arrange: "", Rename: nil})
	if err != nil || pl.Together || pl.At["fonts/deck.woff"].String() != "fonts/deck.woff" ||
		pl.At["css/base.css"].String() != "css/base.css" {
		t.Errorf("%+v, %v", pl, err)
	}
	h.Fonts = "assets/fonts"
	if pl, err = Place(d, s, Wish{Library: "deck", Version: "1.0.0", Habits: h, Arrange: "",
		Rename: nil}); err != nil || len(pl.Kept) == 0 || pl.Why == "" ||
		pl.At["img/sea.png"].String() != "lib/deck/img/sea.png" {
		t.Errorf("%+v, %v", pl, err)
	}
	if _, err = Place(d, s, Wish{Library: "deck", Version: "1.0.0", Habits: h, Arrange: record.Together,
		Rename: map[string]string{"base.css": "other.css"}}); err == nil {
		t.Error("a renaming that breaks a reference was allowed")
	}
}

// TestMaps: a source map stands where its script says.
func TestMaps(t *testing.T) {
	d := describe(t, "winch.zip", tree{"dist/winch.js": readable, "dist/winch.min.js": minified,
		"dist/maps/w.map": "{}", "dist/winch.js.map": "{}"})
	pl, err := Place(d, d.Suggest(), Wish{Library: "winch", Version: "1.0.0", Habits: habits, Arrange: "", Rename: nil})
	if err != nil || pl.At["dist/maps/w.map"].String() != "js/maps/w.map" {
		t.Errorf("placed as %+v, %v", pl, err)
	}
}

// TestWaysHold: whatever refers to what and however, after placing each file still finds the others by what is in it.
func TestWaysHold(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	folders := []string{"", "a/", "a/b/", "a/b/c/", "img/", "css/", "a/css/", "a/img/"}
	for range 3000 {
		files, refs := tree{}, map[string][]string{}
		for i := range 2 + random.IntN(5) {
			files[fmt.Sprintf("%sf%d.%s", folders[random.IntN(len(folders))], i, []string{"css", "png", "svg", "js",
				"woff"}[random.IntN(5)])] = "x"
		}
		all := slices.Sorted(maps.Keys(files))
		for _, name := range all {
			if path.Ext(name) != ".css" {
				continue
			}
			text := ""
			for range random.IntN(4) {
				to := all[random.IntN(len(all))]
				dir := path.Dir(name)
				way := paths.Relative(dir, to)
				if dir != "." && random.IntN(2) == 0 { // up and back again
					up := dir
					for range random.IntN(3) {
						up = path.Dir(up)
					}
					way = strings.Repeat("../", strings.Count(dir, "/")-strings.Count(path.Dir(up), "/")+1) + to
					if path.Dir(up) != "." {
						way = paths.Relative(dir, up+"/x")
						way = path.Dir(way) + "/../" + paths.Relative(path.Dir(up), to)
					}
				}
				if path.Join(dir, way) != to {
					continue
				}
				refs[name] = append(refs[name], way)
				text += "a {\n  background: url(" + way + ");\n}\n"
			}
			files[name] = text + "b {\n  margin: 0;\n}\n"
		}
		d := describe(t, "hull-1.0.0.zip", files)
		s := d.Choose(func(string) (string, bool) { return "**", true })
		for _, arrange := range []record.Arrange{"", record.Together, record.ByKind} {
			pl, err := Place(d, s, Wish{Library: "hull", Version: "1.0.0", Habits: habits, Arrange: arrange,
				Rename: nil})
			if err != nil {
				continue // refused, since it can't be
			}
			for from, list := range refs {
				for _, way := range list {
					to := path.Join(path.Dir(from), way)
					if got := path.Join(pl.At[from].Dir(), way); got != pl.At[to].String() {
						t.Fatalf("%s: %s is at %s and finds %s by %q at %s, where it is at %s\n%v", arrange, from,
							pl.At[from], to, way, got, pl.At[to], files)
					}
				}
			}
		}
	}
}

// TestModules: what modules import from beside them they find again.
func TestModules(t *testing.T) {
	d := describe(t, "horn-1.0.0.tgz", tree{
		"dist/horn.js":     `import { tone } from "./tone.js"; export { tone };`,
		"dist/tone.js":     `import "./deep/low.js"; export const tone = 1;`,
		"dist/deep/low.js": `import up from "../up.js"; export const low = 2;`,
		"dist/up.js":       `export default 3;`,
	})
	s := d.Choose(func(name string) (string, bool) { return name, name == "dist/horn.js" })
	p, err := Place(d, s, Wish{Library: "horn", Version: "1.0.0", Habits: habits, Arrange: "", Rename: nil})
	if err != nil {
		t.Fatal(err)
	}
	for from, to := range map[string]string{"dist/horn.js": "dist/tone.js", "dist/tone.js": "dist/deep/low.js",
		"dist/deep/low.js": "dist/up.js"} {
		if paths.Relative(p.At[from].Dir(), p.At[to].String()) != paths.Relative(path.Dir(from), to) {
			t.Errorf("%s is at %s and finds %s no more at %s", from, p.At[from], to, p.At[to])
		}
	}
}

func TestPlacementsThatCantBe(t *testing.T) {
	h := habits
	for name, files := range map[string]tree{
		"two files of one name": {"a/x.js": readable, "b/x.js": readable + "\n"},
		"out of the site":       {"css/x.css": "a {\n  background: url(../../y.png);\n}\n", "y.png": ""},
		"no folder for it":      {"x.css": "a {\n  background: url(data.json);\n}\n", "data.json": "{}"},
		"asked for from two folders": {"a/x.css": "@import '../c/z.css';\n", "b/d/y.css": "@import '../../c/z.css';\n",
			"c/z.css": css},
	} {
		d := describe(t, "x.zip", files)
		s := d.Choose(func(string) (string, bool) { return "**", true })
		pl, err := Place(d, s, Wish{Library: "x", Version: "1", Habits: h, Arrange: "", Rename: nil})
		if err != nil || name != "out of the site" && (len(pl.Kept) == 0 || pl.Why == "") {
			t.Errorf("%s: %+v, %v", name, pl, err)
		}
	}
}

// TestOnlySetsStayTogether: what refers to each other and can't go by kinds stays together; the rest goes where the
// site has such files. Fonts drawn as SVG are fonts. Who asks for kinds gets them, with what is referred to where the
// references lead.
func TestOnlySetsStayTogether(t *testing.T) {
	h := habits
	d := describe(t, "keel-1.0.0.zip", tree{
		"dist/keel.js": readable, "dist/keel.css": "@font-face {\n  src: url(../fonts/keel.svg#keel);\n}\na {\n" +
			"  background: url(images/sail.png);\n}\n",
		"fonts/keel.svg": "<svg/>", "dist/images/sail.png": "p",
	})
	if kind := d.File("fonts/keel.svg").Kind; kind != packages.Font {
		t.Errorf("a font is told to be of kind %s", kind)
	}
	pl, err := Place(d, d.Suggest(), Wish{Library: "keel", Version: "1.0.0", Habits: h, Arrange: "", Rename: nil})
	if err != nil || pl.At["dist/keel.js"].String() != "js/keel.js" ||
		pl.At["dist/keel.css"].String() != "lib/keel/dist/keel.css" || len(pl.Kept) != 3 || pl.Together {
		t.Errorf("%+v, %v", pl, err)
	}
	pl, err = Place(d, d.Suggest(), Wish{Library: "keel", Version: "1.0.0", Habits: h, Arrange: record.ByKind,
		Rename: nil})
	if err != nil || pl.At["dist/keel.css"].String() != "css/keel.css" ||
		pl.At["dist/images/sail.png"].String() != "css/images/sail.png" ||
		pl.At["fonts/keel.svg"].String() != "fonts/keel.svg" || len(pl.Kept) > 0 {
		t.Errorf("%+v, %v", pl, err)
	}
	d = describe(t, "keel-1.0.0.zip", tree{"a/x.js": readable, "b/x.js": readable + "\n", "c/y.js": readable})
	all := d.Choose(func(string) (string, bool) { return "**", true })
	if _, err := Place(d, all, Wish{Library: "keel", Version: "1.0.0", Habits: h, Arrange: record.ByKind,
		Rename: nil}); err == nil {
		t.Error("two files got one place")
	}
	pl, err = Place(d, all, Wish{Library: "keel", Version: "1.0.0", Habits: h, Arrange: "", Rename: nil})
	if err != nil || pl.At["a/x.js"].String() != "lib/keel/a/x.js" || pl.At["b/x.js"].String() != "lib/keel/b/x.js" ||
		pl.At["c/y.js"].String() != "js/y.js" {
		t.Errorf("%+v, %v", pl, err)
	}
}

func TestHabitNames(t *testing.T) {
	for _, tt := range []struct{ base, version, habit, want string }{
		{"winch-1.2.3.min.js", "1.2.3", "plain", "winch.min.js"}, {"winch.min.js", "1.2.3", "versioned",
			"winch-1.2.3.min.js"},
		{"winch-1.2.3.js", "1.2.3", "versioned", "winch-1.2.3.js"}, {"winch-1.2.3.js", "1.2.3", "shipped",
			"winch-1.2.3.js"},
		{"winch-debug.js", "1.2.3", "versioned", "winch-1.2.3-debug.js"},
	} {
		if got := habitName(tt.base, tt.version, record.Names(tt.habit)); got != tt.want {
			t.Errorf("%+v: got %s", tt, got)
		}
	}
}
