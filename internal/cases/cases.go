// Command cases writes the pages of a site on which check and the browser disagree as test cases, without the site's
// content.
//
//	go run ./internal/cases SITE DIR
package main

import (
	"context"
	"fmt"
	"html"
	"os"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/facts"
	"merrycrate.example/merry/crate/look"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/source"
	"merrycrate.example/merry/crate/tags"
)

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "usage: go run ./internal/cases SITE DIR")
		os.Exit(2)
	}
	folders, err := run(context.Background(), os.Args[1], os.Args[2])
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	fmt.Printf("%d cases in %s\n", len(folders), os.Args[2])
}

// run opens the site's pages in the browser and writes the cases.
func run(ctx context.Context, site, dir string) ([]string, error) {
	root, err := filepath.Abs(site)
	if err != nil {
		return nil, err
	}
	home, err := os.MkdirTemp("", "cases-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(home)
	on, err := disk.Open(paths.OnDisk(root))
	if err != nil {
		return nil, err
	}
	defer on.Close()
	cache := source.NewCache(home)
	opener := &origin.Opener{Cache: cache, Offline: true, Client: &source.Client{}}
	defer opener.Close()
	reader := &facts.Reader{Cache: cache}
	opener.Scripts = reader.OfPackages()
	p, err := project.Read(on, opener, reader)
	if err != nil {
		return nil, err
	}
	var window look.Window
	defer window.Close()
	seen, err := look.Look(ctx, &window, p, look.Request{})
	if err != nil {
		return nil, err
	}
	return writeCases(p, dir, seen.Disagreements)
}

// writeCases writes each page on which check and the browser disagree into a folder of its own below dir: its tags in
// their order, scripts that use and define what the page's own do, and what the two said. It returns the folders, and
// refuses to overwrite one.
func writeCases(p *project.Project, dir string, disagreements []look.Disagreement) ([]string, error) {
	var list []string
	told := map[string][]string{}
	var order []string
	for _, d := range disagreements {
		if told[d.Page] == nil {
			order = append(order, d.Page)
		}
		told[d.Page] = append(told[d.Page], d.What)
	}
	for n, name := range order {
		into := filepath.Join(dir, fmt.Sprintf("case-%d", n+1))
		if _, err := os.Lstat(into); err == nil {
			return list, problem.Refuse(problem.FileInTheWay, "name another folder, or move this one away",
				"%s exists already", into)
		}
		if err := os.MkdirAll(into, 0o755); err != nil {
			return list, err
		}
		at := paths.Found(name)
		b, err := p.ReadInSite(at)
		if err != nil {
			return list, err
		}
		v, err := tags.Read(p, at, b)
		if err != nil {
			return list, err
		}
		files := caseOf(p, v)
		files["said.txt"] = strings.Join(told[name], "\n") + "\n"
		for file, text := range files {
			if err := os.WriteFile(filepath.Join(into, file), []byte(text), 0o644); err != nil {
				return list, err
			}
		}
		list = append(list, into)
	}
	return list, nil
}

// caseOf returns the files of a page as a case, by name.
func caseOf(p *project.Project, v *tags.Page) map[string]string {
	files := map[string]string{}
	scripts := tags.NewScripts(p)
	var head, body strings.Builder
	for i := range v.Includes {
		in := &v.Includes[i]
		to := &body
		if in.InHead {
			to = &head
		}
		attributes := ""
		for _, name := range []string{"type", "defer", "async", "nomodule", "crossorigin", "media", "rel"} {
			if value, has := v.Attr(in, name); has {
				attributes += " " + name + `="` + html.EscapeString(value) + `"`
			}
		}
		ref, file := v.Targets[i].URL, fmt.Sprint(len(files)+1)
		switch {
		case in.Inert != "" && !in.NoModule:
		case in.Kind == page.InlineScript:
			fmt.Fprintf(to, "<script%s>\n%s</script>\n", attributes, stub(scripts.OfInclude(v, i)))
		case in.Kind == page.Script:
			if ref == "" {
				ref = file + ".js"
				if k := scripts.OfInclude(v, i); k != nil {
					files[ref] = stub(k)
				} else {
					ref = "missing-" + ref
				}
			}
			fmt.Fprintf(to, "<script%s src=%q></script>\n", attributes, ref)
		case in.Kind == page.Stylesheet:
			if ref == "" {
				ref = file + ".css"
				files[ref] = ""
			}
			fmt.Fprintf(to, "<link%s href=%q>\n", attributes, ref)
		}
	}
	doctype := ""
	if v.Doctype {
		doctype = "<!doctype html>\n"
	}
	files["page.html"] = doctype + "<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>A case</title>\n" +
		head.String() + "</head>\n<body>\n" + body.String() + "</body>\n</html>\n"
	return files
}

// stub returns a script that uses and defines the globals of another one, and does nothing else.
func stub(k *tags.Script) string {
	if k == nil || k.Report == nil {
		return ""
	}
	var b strings.Builder
	for _, from := range k.ModuleImport {
		fmt.Fprintf(&b, "import %q;\n", from)
	}
	for _, n := range k.Needs {
		if n.Strength == script.Hard {
			fmt.Fprintf(&b, "%s; // used while loading\n", n.Name)
		} else {
			fmt.Fprintf(&b, "typeof %s; // tested first, or used later\n", n.Name)
		}
	}
	for _, n := range k.PartNeeds {
		fmt.Fprintf(&b, "%s;\n", n.Name)
	}
	for _, d := range k.Parts {
		fmt.Fprintf(&b, "%s = {};\n", d.Name)
	}
	for _, d := range k.Defines {
		fmt.Fprintf(&b, "window[%q] = {};\n", d.Name)
	}
	return b.String()
}
