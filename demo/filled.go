package demo

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// WriteFilled writes the club's other site into a folder: templates that a server fills in, and static files.
func WriteFilled(dir string) error {
	for from, to := range map[string]string{"filled": "", "site/css": "static/css", "site/js": "static/js",
		"site/img": "static/img"} {
		err := fs.WalkDir(files, from, func(name string, e fs.DirEntry, err error) error {
			if err != nil {
				return err
			}
			at := filepath.Join(dir, filepath.FromSlash(to+strings.TrimPrefix(name, from)))
			if e.IsDir() {
				return os.MkdirAll(at, 0o755)
			}
			b, err := files.ReadFile(name)
			if err != nil {
				return err
			}
			return os.WriteFile(at, b, 0o644)
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// FilledSteps are the job on the site that a server fills in; FILLED stands for that server's address.
var FilledSteps = []Step{
	{"The club has a second site. A server fills its templates in: a layout, a menu, scripts, and a part for each " +
		"page.",
		[]string{"start"}, 0, ""},
	{"Merry puts each page together as a visitor receives it, and judges that.", []string{"check"}, 1, ""},
	{"The tag goes into the part that has its place. Which pages would that change?", []string{"take",
		"../downloads/oarlock-2.0.3.zip", "--page", "**", "--dry-run"}, 0, ""},
	{"Good. It is written as the other tags are, by the templates' own helper.", []string{"take",
		"../downloads/oarlock-2.0.3.zip", "--page", "**"}, 0, ""},
	{"A stylesheet goes into the head that all pages share.", []string{"take", "../downloads/brinework-1.2.0.zip",
		"--needs", "oarlock", "--page", "**"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"What runs when on one page, and in which file each tag is:", []string{"order", "templates/tides.html"}, 0, ""},
	{"References that a helper makes follow a file that moves.", []string{"move", "static/js/club.js",
		"static/js/own/club.js"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"What the server sends, in this machine's browser:", []string{"look", "/", "/tides", "/crews", "--behind",
		"FILLED"},
		0, "browser"},
	{"And back.", []string{"undo"}, 0, ""},
	{"", []string{"contents"}, 0, ""},
}
