// Package start makes the packing list of a new project, and a first page for an empty folder.
package start

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"merrycrate.example/merry/crate/change"
	"merrycrate.example/merry/crate/csp"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/inspect"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/reconcile"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/texts"
	"merrycrate.example/merry/crate/walk"
)

// A Request says what to start.
type Request struct {
	Page string // create this page if it does not exist
	Site string // the served folder, relative to the project
}

// Started says what start learned and did.
type Started struct {
	reconcile.Result
	Root    string            `json:"root"`               // absolute path of the project
	Already bool              `json:"already,omitempty"`  // there was a packing list
	Pages   int               `json:"pages"`              // number of pages
	Page    string            `json:"page,omitempty"`     // an example of a page
	Folders record.Folders    `json:"folders"`            // the folders that new files go to
	Learned map[string]string `json:"learned"`            // kind of folder to why it was chosen
	NewPage string            `json:"new_page,omitempty"` // the page that was created
	Headers []string          `json:"headers,omitempty"`  // files with the server's headers
	LeftOut []walk.LeftOut    `json:"left_out,omitempty"` // what no command counts or changes
}

// Start finds a site's folders and pages, and plans its packing list in set. read reads the project, if there is one;
// notify gets what a person should know beside the answer.
func Start(ctx context.Context, set *change.Set, on *disk.Folder, req Request, dry bool, read func() (*project.Project,
	error), notify func(string)) (*Started, error) {
	abs := string(on.Path())
	var err error
	out := &Started{Root: abs, Learned: map[string]string{}}
	list := &record.List{Format: record.Format, Site: "."}
	if req.Site != "" {
		if list.Site, err = siteFolder(on, req.Site); err != nil {
			return nil, err
		}
	}
	if p, err := read(); err == nil {
		out.Already, list = true, p.List
	} else if _, gone := on.Stat(record.ListFile); !errors.Is(gone, fs.ErrNotExist) {
		return nil, err
	}
	site, err := walk.Folder(ctx, on, list.Site, false, func(name string) bool {
		ext := strings.ToLower(path.Ext(name))
		return ext == ".html" || ext == ".htm"
	}, project.Excluding(list.Exclude))
	if err != nil {
		return nil, err
	}
	if !out.Already {
		learned := project.LearnPages(on, list.Site, site)
		if len(learned) == 0 || endsIn(site, ".html") {
			list.Pages = append(list.Pages, "**/*.html")
		}
		list.Pages = append(list.Pages, learned...)
		for _, folder := range generated(ctx, on, list.Site, site) {
			list.Exclude = append(list.Exclude, folder+"/**")
		}
		if len(list.Exclude) > 0 {
			site.Leave(project.Excluding(list.Exclude))
		}
		list.Headers = csp.FindHeaders(on, list.Site)
		list.Folders, out.Learned = inspect.LearnFolders(site, on, list.Site)
		if endsIn(site, ".htm") {
			list.Pages = append(list.Pages, "**/*.htm")
		}
	}
	out.Folders, out.Headers, out.LeftOut = list.Folders, list.Headers, site.LeftOut()
	newPage := req.Page
	if newPage == "" && len(site.Pages) == 0 && !out.Already {
		newPage = "index.html"
	}
	if newPage != "" {
		if newPage, err = firstPage(set, list, site, filepath.ToSlash(newPage), filepath.Base(abs)); err != nil {
			return nil, err
		}
		out.NewPage = newPage
	}
	if !out.Already {
		if err := set.Write(project.ListPath, firstList(list), disk.Stamp{}); err != nil {
			return nil, err
		}
	}
	wrote, err := ignore(set, on)
	if err != nil {
		return nil, err
	}
	if wrote && !dry {
		notify("wrote .gitignore: version control ignores " + change.Folder + "/ now")
	}
	if err := set.Commit(ctx); err != nil {
		return nil, err
	}
	out.count(site, newPage)
	out.Result = *reconcile.ResultOf(set)
	return out, nil
}

// endsIn reports whether the site has a page with an ending.
func endsIn(site *walk.Site, ending string) bool {
	return slices.ContainsFunc(site.Pages, func(n paths.InSite) bool { return strings.HasSuffix(n.String(), ending) })
}

// count says how many pages there are, with an example.
func (out *Started) count(site *walk.Site, newPage string) {
	out.Pages = len(site.Pages)
	if len(site.Pages) > 0 {
		out.Page = site.Pages[0].String()
	}
	if newPage != "" {
		out.Pages++
		out.Page = newPage
	}
}

func firstList(l *record.List) []byte {
	var b strings.Builder
	b.WriteString(record.SchemaLine)
	fmt.Fprintf(&b, "# The packing list: the third-party libraries this site uses. See merry help crate.yaml.\n"+
		"format: %d\n", record.Format)
	fmt.Fprintf(&b, "site: %s   # the folder that is served at \"/\"\n", l.Site)
	fmt.Fprintf(&b, "pages: [%s]\n", `"`+strings.Join(l.Pages, `", "`)+`"`)
	if len(l.Exclude) > 0 {
		fmt.Fprintf(&b, "exclude: [%s]   # generated output\n", quotedList(l.Exclude))
	}
	if len(l.Headers) > 0 {
		fmt.Fprintf(&b, "headers: [%s]\n", quotedList(l.Headers))
	}
	f := l.Folders
	fmt.Fprintf(&b, "folders: {scripts: %s, styles: %s, fonts: %s, images: %s, together: %s}\n", quoted(f.Scripts),
		quoted(f.Styles), quoted(f.Fonts), quoted(f.Images), quoted(f.Together))
	return []byte(b.String())
}

// quotedList writes texts as a list of YAML.
func quotedList(list []string) string {
	var quoted []string
	for _, text := range list {
		quoted = append(quoted, strconv.Quote(text))
	}
	return strings.Join(quoted, ", ")
}

// quoted writes a path so that YAML reads it back: in quotes where it has marks that YAML knows.
func quoted(name string) string {
	if strings.ContainsFunc(name, func(r rune) bool {
		return r > unicode.MaxASCII || !unicode.IsLetter(r) && !unicode.IsDigit(r) && !strings.ContainsRune("/._-", r)
	}) {
		return strconv.Quote(name)
	}
	return name
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
func firstPage(set *change.Set, list *record.List, site *walk.Site, name, title string) (string, error) {
	at, err := paths.Site(name)
	if err != nil {
		return "", problem.Misuse("name a page of the site, such as index.html", "--page %s leads out of the site, or "+
			"can't be a file's name: %s", name, paths.Validate(name))
	}
	if ext := path.Ext(name); ext != ".html" && ext != ".htm" {
		return "", problem.Misuse("merry start --page "+texts.Word(name+".html"), "--page %s: a page's name "+
			"ends in .html", name)
	}
	if site.Has(at) {
		return "", nil
	}
	h := project.Habits(list)
	style, script := path.Join(h.Styles, "style.css"), path.Join(h.Scripts, "main.js")
	text := fmt.Sprintf(pageTemplate, htmlText(title), paths.Relative(at.Dir(), style),
		paths.Relative(at.Dir(), script))
	write := func(name string, text []byte) error {
		at, err := paths.Site(name)
		if err != nil {
			return problem.Refuse(problem.NameBad, "correct folders: in "+record.ListFile, "%w", err)
		}
		return set.Write(at.In(path.Clean(list.Site)), text, disk.Stamp{})
	}
	if err := write(name, []byte(text)); err != nil {
		return "", err
	}
	for _, own := range []string{style, script} {
		if !site.Has(paths.Found(own)) {
			if err := write(own, nil); err != nil {
				return "", err
			}
		}
	}
	return name, nil
}

func htmlText(s string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;").Replace(s)
}

// siteFolder is the folder that --site names, which must be there.
func siteFolder(on *disk.Folder, name string) (string, error) {
	dir := path.Clean(filepath.ToSlash(name))
	if dir != "." && paths.Validate(dir) != nil {
		return "", problem.Misuse("name a folder below this one", "--site %s leads out of the project", name)
	}
	info, err := on.Stat(dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "", problem.Misuse("create the folder first, or name another", "--site %s: there is no such folder",
			name)
	case err != nil:
		return "", err
	case !info.IsDir():
		return "", problem.Misuse("name the folder that contains it", "--site %s: it is a file, not a folder", name)
	}
	return dir, nil
}

// ignore sees to it that version control leaves the product's own folder alone, and reports whether it wrote that down.
func ignore(set *change.Set, on *disk.Folder) (wrote bool, err error) {
	name := paths.FoundInProject(".gitignore")
	b, stamp, err := on.Read(name.String(), disk.MaxRecord, nil)
	if errors.Is(err, fs.ErrNotExist) {
		if _, err := on.Stat(".git"); err != nil {
			return false, nil
		}
	} else if err != nil {
		return false, err
	}
	newline := "\n"
	if bytes.Contains(b, []byte("\r\n")) {
		newline = "\r\n"
	}
	for line := range strings.Lines(string(b)) {
		switch strings.TrimSpace(line) {
		case change.Folder, change.Folder + "/", "/" + change.Folder, "/" + change.Folder + "/":
			return false, nil
		}
	}
	if len(b) > 0 && !bytes.HasSuffix(b, []byte("\n")) {
		b = append(b, newline...)
	}
	return true, set.Write(name, append(b, change.Folder+"/"+newline...), stamp)
}
