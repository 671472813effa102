package look

import (
	"fmt"
	"html"
	"os"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/page"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/project"
	"merrycrate.example/merry/crate/script"
	"merrycrate.example/merry/crate/tags"
)

// Teach writes each page of which check and the browser say different things as a case of its own below a folder: its tags in their order,
// scripts that read and define what the page's own do, and what was said. No text, style or code of the site is in it. It returns the
// folders. A folder that is there already is not written over.
func Teach(p *project.Project, dir string, seen *Report) ([]string, error) {
	var list []string
	told := map[string][]string{}
	var order []string
	for _, d := range seen.Disagreements {
		if told[d.Page] == nil {
			order = append(order, d.Page)
		}
		told[d.Page] = append(told[d.Page], d.What)
	}
	for n, name := range order {
		into := filepath.Join(dir, fmt.Sprintf("case-%d", n+1))
		if _, err := os.Lstat(into); err == nil {
			return list, problem.Refuse(problem.FileInTheWay, "name another folder, or move this one away", "%s exists already", into)
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
		files := lesson(p, v)
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

// lesson writes a page as a case: its files by their names.
func lesson(p *project.Project, v *tags.Page) map[string]string {
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
					ref = "absent-" + ref
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
	files["page.html"] = doctype + "<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>A case</title>\n" + head.String() + "</head>\n<body>\n" + body.String() + "</body>\n</html>\n"
	return files
}

// stub is a script that reads and defines what another does, and does nothing else.
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
			fmt.Fprintf(&b, "%s; // read while it loads\n", n.Name)
		} else {
			fmt.Fprintf(&b, "typeof %s; // asked for first, or read later\n", n.Name)
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
