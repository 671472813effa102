package crate

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/record"
)

// StartRequest asks for a packing list for the site in Dir.
type StartRequest struct {
	Dir  string
	Page string // make this page where it is not there
	Site string // the served folder, from Dir
}

// Started says what start learned and did.
type Started struct {
	Outcome
	Root     string            `json:"root"`
	Already  bool              `json:"already,omitempty"` // there was a packing list
	Pages    int               `json:"pages"`
	Page     string            `json:"page,omitempty"` // an example of a page
	Folders  record.Folders    `json:"folders"`
	Learned  map[string]string `json:"learned"` // kind of folder to why it was chosen
	NewPage  string            `json:"new_page,omitempty"`
	PutRight []string          `json:"put_right,omitempty"`
}

// Start learns a site's folders and pages and writes its packing list.
func Start(req StartRequest, opt change.Options) (*Started, error) {
	root, err := filepath.Abs(req.Dir)
	if err != nil {
		return nil, err
	}
	if info, err := os.Stat(root); err != nil || !info.IsDir() {
		return nil, refused("make the folder first", "%s is no folder", req.Dir)
	}
	putRight, err := recoverAbove(root)
	if err != nil {
		return nil, err
	}
	if above, err := findRoot(root); err == nil && above != root {
		return nil, refused("work from there, or remove that file", "%s lies inside a project already: %s is in %s", root, record.ListFile, above)
	}
	out := &Started{Root: root, Learned: map[string]string{}, PutRight: putRight}
	list := &record.List{Format: record.Format, Site: ".", Pages: []string{"**/*.html"}}
	if req.Site != "" {
		list.Site = filepath.ToSlash(req.Site)
	}
	if p, err := Open(root, nil, opt); err == nil {
		out.Already, list = true, p.List
	} else if _, serr := os.Stat(filepath.Join(root, record.ListFile)); serr == nil {
		return nil, err
	}
	siteDir := filepath.Join(root, filepath.FromSlash(list.Site))
	site, err := walk(siteDir, func(name string) bool {
		ext := strings.ToLower(path.Ext(name))
		return ext == ".html" || ext == ".htm"
	})
	if err != nil {
		return nil, err
	}
	if !out.Already {
		list.Folders, out.Learned = learnFolders(site, siteDir)
		if slices.ContainsFunc(site.Pages, func(n string) bool { return strings.HasSuffix(n, ".htm") }) {
			list.Pages = append(list.Pages, "**/*.htm")
		}
	}
	out.Folders = list.Folders

	set, err := change.Begin(root, "start", opt)
	if err != nil {
		return nil, err
	}
	defer set.Close()
	newPage := req.Page
	if newPage == "" && len(site.Pages) == 0 && !out.Already {
		newPage = "index.html"
	}
	if newPage != "" {
		if newPage, err = firstPage(set, list, site, filepath.ToSlash(newPage), filepath.Base(root)); err != nil {
			return nil, err
		}
		out.NewPage = newPage
	}
	if !out.Already {
		if err := set.Write(record.ListFile, firstList(list), change.Stamp{}); err != nil {
			return nil, err
		}
	}
	if err := ignore(set, root); err != nil {
		return nil, err
	}
	if err := set.Commit(); err != nil {
		return nil, err
	}
	out.Pages = len(site.Pages)
	if len(site.Pages) > 0 {
		out.Page = site.Pages[0]
	}
	if newPage != "" {
		out.Pages++
		out.Page = newPage
	}
	out.Outcome = Outcome{DryRun: set.Dry(), Files: touched(set.Entries())}
	return out, nil
}

func firstList(l *record.List) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "# The packing list: what this site takes from others. See merry help.\nformat: %d\n", record.Format)
	fmt.Fprintf(&b, "site: %s   # the folder that is served at \"/\"\n", l.Site)
	fmt.Fprintf(&b, "pages: [%s]\n", `"`+strings.Join(l.Pages, `", "`)+`"`)
	f := l.Folders
	fmt.Fprintf(&b, "folders: {scripts: %s, styles: %s, fonts: %s, images: %s, together: %s}\n", f.Scripts, f.Styles, f.Fonts, f.Images, f.Together)
	return []byte(b.String())
}

// learnFolders finds out which of a site's folders hold what. The pages' own references count most:
// a folder that pages refer to is in use.
func learnFolders(site *Site, siteDir string) (record.Folders, map[string]string) {
	counts := map[delivery.Kind]map[string]int{}
	count := func(kind delivery.Kind, dir string, n int) {
		if counts[kind] == nil {
			counts[kind] = map[string]int{}
		}
		counts[kind][dir] += n
	}
	for name := range site.Files {
		if kind := delivery.KindOf(name); kind == delivery.Script || kind == delivery.Stylesheet || kind == delivery.Font || kind == delivery.Image {
			count(kind, path.Dir(name), 1)
		}
	}
	for _, name := range site.Pages[:min(len(site.Pages), 50)] {
		b, err := os.ReadFile(filepath.Join(siteDir, filepath.FromSlash(name)))
		if err != nil {
			continue
		}
		pg, err := page.Read(b)
		if err != nil {
			continue
		}
		for i := range pg.Includes {
			in := &pg.Includes[i]
			if t := targetOf(name, pg.Base, in.Ref); t.Path != "" {
				switch in.Kind {
				case page.Script:
					count(delivery.Script, path.Dir(t.Path), 10)
				case page.Stylesheet:
					count(delivery.Stylesheet, path.Dir(t.Path), 10)
				}
			}
		}
	}
	usual := map[delivery.Kind][]string{
		delivery.Script: {"js", "scripts", "script", "javascript", "assets/js", "static/js"}, delivery.Stylesheet: {"css", "styles", "style", "stylesheets", "assets/css", "static/css"},
		delivery.Font: {"fonts", "font", "assets/fonts", "static/fonts"}, delivery.Image: {"img", "images", "pictures", "assets/img", "assets/images", "static/img"},
	}
	learned := map[string]string{}
	pick := func(kind delivery.Kind, word string) string {
		best, most := "", 0
		for dir, n := range counts[kind] {
			if dir != "." && (n > most || n == most && dir < best) {
				best, most = dir, n
			}
		}
		if best != "" {
			learned[word] = fmt.Sprintf("the site keeps its %s there", word)
			return best
		}
		for _, dir := range usual[kind] {
			if hasFolder(siteDir, dir) {
				learned[word] = "the folder is there"
				return dir
			}
		}
		return ""
	}
	f := record.Folders{Scripts: pick(delivery.Script, "scripts"), Styles: pick(delivery.Stylesheet, "styles"),
		Fonts: pick(delivery.Font, "fonts"), Images: pick(delivery.Image, "images")}
	// What the site does not have yet goes beside what it has.
	beside := ""
	for _, dir := range []string{f.Scripts, f.Styles} {
		if d := path.Dir(dir); dir != "" && d != "." {
			beside = d
		}
	}
	for _, x := range []struct {
		to         *string
		word, name string
	}{{&f.Scripts, "scripts", "js"}, {&f.Styles, "styles", "css"}, {&f.Fonts, "fonts", "fonts"}, {&f.Images, "images", "img"}, {&f.Together, "together", "lib"}} {
		if *x.to == "" {
			*x.to = path.Join(beside, x.name)
			learned[x.word] = "usual; the site has none yet"
			if hasFolder(siteDir, *x.to) {
				learned[x.word] = "the folder is there"
			}
		}
	}
	return f, learned
}

func hasFolder(siteDir, dir string) bool {
	info, err := os.Stat(filepath.Join(siteDir, filepath.FromSlash(dir)))
	return err == nil && info.IsDir()
}

const pageTemplate = `<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>%s</title>
  <link rel="stylesheet" href="%s">
</head>
<body>

  <script src="%s"></script>
</body>
</html>
`

// firstPage makes a page as the trade starts one, with an own stylesheet and an own script.
func firstPage(set *change.Set, list *record.List, site *Site, name, title string) (string, error) {
	if !fs.ValidPath(name) {
		return "", usage("", "--page %s leads out of the site", name)
	}
	if ext := path.Ext(name); ext != ".html" && ext != ".htm" {
		return "", usage("merry start --page "+name+".html", "--page %s: a page's name ends in .html", name)
	}
	if _, there := site.Files[name]; there {
		return "", nil
	}
	h := habitsOf(list)
	style, script := path.Join(h.Styles, "style.css"), path.Join(h.Scripts, "main.js")
	dir := path.Dir(name)
	text := fmt.Sprintf(pageTemplate, htmlText(title), delivery.Relative(dir, style), delivery.Relative(dir, script))
	at := func(n string) string { return path.Join(path.Clean(list.Site), n) }
	if err := set.Write(at(name), []byte(text), change.Stamp{}); err != nil {
		return "", err
	}
	for _, own := range []string{style, script} {
		if _, there := site.Files[own]; !there {
			if err := set.Write(at(own), nil, change.Stamp{}); err != nil {
				return "", err
			}
		}
	}
	return name, nil
}

func htmlText(s string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;").Replace(s)
}

// ignore sees to it that version control leaves the product's own folder alone.
func ignore(set *change.Set, root string) error {
	const name = ".gitignore"
	b, stamp, err := change.Read(root, name)
	if errors.Is(err, fs.ErrNotExist) {
		if _, err := os.Stat(filepath.Join(root, ".git")); err != nil {
			return nil
		}
	} else if err != nil {
		return err
	}
	newline := "\n"
	if bytes.Contains(b, []byte("\r\n")) {
		newline = "\r\n"
	}
	for line := range strings.Lines(string(b)) {
		switch strings.TrimSpace(line) {
		case change.Folder, change.Folder + "/", "/" + change.Folder, "/" + change.Folder + "/":
			return nil
		}
	}
	if len(b) > 0 && !bytes.HasSuffix(b, []byte("\n")) {
		b = append(b, newline...)
	}
	return set.Write(name, append(b, change.Folder+"/"+newline...), stamp)
}
