package placement

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"path"
	"testing"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
)

var themed = tree{"dist/winch.js": readable, "dist/winch.min.js": minified, "themes/sea/sea.css": "a {\n" +
	"  background: url(img/wave.png);\n}\n", "themes/sea/img/wave.png": "p",
	"mode/log.js": "winch.log = {\n  on: 1\n};\n"}

// TestOwnPlaces: a file or folder goes where the wish has it; what is bound to it follows, and what can't is reported
// with both names.
func TestOwnPlaces(t *testing.T) {
	d := describe(t, "winch-1.0.0.zip", themed)
	s := d.Choose(func(name string) (string, bool) { return "all", name != "mode/log.js" })
	wish := Wish{Library: "winch", Version: "1.0.0", Habits: habits}
	for _, tt := range []struct {
		places map[string]string
		want   map[string]string
	}{
		{map[string]string{"dist/winch.js": "js/club-winch.js"}, map[string]string{"dist/winch.js": "js/club-winch.js",
			"dist/winch.min.js": "js/winch.min.js"}},
		{map[string]string{"dist/winch.js": "own/"}, map[string]string{"dist/winch.js": "own/winch.js"}},
		{map[string]string{"themes/sea": "css/sea"}, map[string]string{"themes/sea/sea.css": "css/sea/sea.css",
			"themes/sea/img/wave.png": "css/sea/img/wave.png"}},
		{map[string]string{"themes/sea/sea.css": "css/x/sea.css"},
			map[string]string{"themes/sea/img/wave.png": "css/x/img/wave.png"}},
		{map[string]string{"themes/sea/img/wave.png": "pictures/img/wave.png"},
			map[string]string{"themes/sea/sea.css": "pictures/sea.css"}},
	} {
		wish.Places = tt.places
		pl, err := Place(d, s, wish)
		if err != nil {
			t.Errorf("%v: %v", tt.places, err)
			continue
		}
		for name, want := range tt.want {
			if got := pl.At[name].String(); got != want {
				t.Errorf("%v: %s is at %s, want %s", tt.places, name, got, want)
			}
		}
	}
	wish.Places = map[string]string{"themes/sea/sea.css": "css/sea.css", "themes/sea/img/wave.png": "img/wave.png"}
	var broken *BrokenError
	if _, err := Place(d, s, wish); !errors.As(err, &broken) || broken.From != "themes/sea/sea.css" ||
		broken.To != "themes/sea/img/wave.png" || broken.At != "css/img/wave.png" {
		t.Errorf("a broken reference gives %v", err)
	}
	for _, bad := range []map[string]string{{"nothing.js": "x.js"}, {"dist/winch.js": "../x.js"},
		{"dist/winch.js": ".htaccess"}, {"dist/winch.js": "js/a.js", "dist/winch.min.js": "js/A.js"}} {
		wish.Places = bad
		if _, err := Place(d, s, wish); problem.Of(err).Class != problem.Refused {
			t.Errorf("%v gives %v", bad, err)
		}
	}
}

// TestInto: a folder of its own keeps the source's arrangement, with room for the parts that may come later.
func TestInto(t *testing.T) {
	d := describe(t, "winch-1.0.0.zip", themed)
	core := d.Choose(func(name string) (string, bool) { return "core", path.Dir(name) == "dist" })
	all := d.Choose(func(name string) (string, bool) { return "all", true })
	wish := Wish{Library: "winch", Version: "1.0.0", Habits: habits, Into: "plugin/My Winch"}
	first, err := Place(d, core, wish)
	if err != nil {
		t.Fatal(err)
	}
	later, err := Place(d, all, wish)
	if err != nil {
		t.Fatal(err)
	}
	for name, at := range first.At {
		if later.At[name] != at {
			t.Errorf("%s is at %s first, and at %s with more", name, at, later.At[name])
		}
	}
	if at := later.At["mode/log.js"].String(); at != "plugin/My Winch/mode/log.js" {
		t.Errorf("a part is at %s", at)
	}
}

// TestThereStays: whatever exists already stays, or all is refused; and each file finds the others.
func TestThereStays(t *testing.T) {
	d := describe(t, "winch-1.0.0.zip", themed)
	s := d.Choose(func(string) (string, bool) { return "all", true })
	random := rand.New(rand.NewPCG(5, 6))
	folders, placed := []string{"js", "css", "lib/winch", "lib/winch/themes/sea", "a b", "."}, 0
	for range 400 {
		there := map[string]paths.InSite{}
		for i, c := range s.Choices {
			if random.IntN(3) == 0 {
				at := path.Join(folders[random.IntN(len(folders))], fmt.Sprintf("%d-%s", i, path.Base(c.Path)))
				there[c.Path], _ = paths.Site(at)
			}
		}
		pl, err := Place(d, s, Wish{Library: "winch", Version: "1.0.0", Habits: habits, There: there})
		if err != nil {
			continue
		}
		placed++
		for name, at := range there {
			if pl.At[name] != at {
				t.Fatalf("%v: %s went to %s", there, name, pl.At[name])
			}
		}
		css := pl.At["themes/sea/sea.css"]
		if want := path.Join(css.Dir(), "img/wave.png"); pl.At["themes/sea/img/wave.png"].String() != want {
			t.Fatalf("%v: the picture is at %s, and is looked for at %s", there, pl.At["themes/sea/img/wave.png"], want)
		}
	}
	if placed < 100 {
		t.Errorf("only %d of 400 could be placed", placed)
	}
	var none *packages.Selection = &packages.Selection{}
	if pl, err := Place(d, none, Wish{Library: "winch", Habits: habits}); err != nil || len(pl.At) != 0 {
		t.Errorf("nothing is placed as %v, %v", pl, err)
	}
}
