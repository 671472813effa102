package crate

import (
	"cmp"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/source"
)

// A Note is a text from inside a delivery, for people.
type Note struct {
	Path string `json:"path"`
	Text string `json:"text"` // without terminal escapes
}

// Notes returns a library's own readme, change notes and licence, or, with start set, only the examples
// for a page that its readme shows.
func Notes(reach *Reach, name, dir, wanted string, start bool) ([]Note, error) {
	o, err := reach.open(name, dir, wanted)
	if err != nil {
		return nil, err
	}
	defer o.close()
	var notes []Note
	for _, want := range []string{"readme", "change", "history", "release", "licen", "copying"} {
		for _, f := range o.Files {
			base := strings.ToLower(filepath.Base(f.Path))
			if strings.Contains(f.Path, "/") || !strings.HasPrefix(base, want) || f.Size > 1<<20 || f.Kind == delivery.Script {
				continue
			}
			b, err := o.tree.ReadFile(f.Path)
			if err != nil {
				return nil, err
			}
			n := Note{Path: f.Path, Text: printableText(string(b))}
			if start {
				if want != "readme" {
					continue
				}
				n.Text = startExamples(n.Text)
			}
			if n.Text != "" {
				notes = append(notes, n)
			}
		}
	}
	if len(notes) == 0 {
		what := "readme, change notes or licence file"
		if start {
			what = "start-up example in its readme"
		}
		return nil, refused("merry peek "+name+" --all", "%s has no %s", o.tree.Name, what)
	}
	return notes, nil
}

// printableText takes terminal escapes and other control characters out of a text, line by line.
func printableText(s string) string {
	var out strings.Builder
	for line := range strings.Lines(s) {
		body := strings.TrimRight(line, "\r\n")
		for i, part := range strings.Split(body, "\t") {
			if i > 0 {
				out.WriteString("    ")
			}
			for len(part) > 300 { // Printable shortens what is too long for a name
				cut := strings.LastIndexByte(part[:300], ' ') + 1
				if cut == 0 {
					cut = 300
				}
				out.WriteString(source.Printable(part[:cut]))
				part = part[cut:]
			}
			out.WriteString(source.Printable(part))
		}
		out.WriteByte('\n')
	}
	return out.String()
}

var fence = regexp.MustCompile("(?ms)^[ \t]*```[a-zA-Z]*[ \t]*\n(.*?)^[ \t]*```")

// startExamples finds the pieces of a readme that show tags for a page.
func startExamples(text string) string {
	var found []string
	for _, m := range fence.FindAllStringSubmatch(text, -1) {
		if strings.Contains(m[1], "<script") || strings.Contains(m[1], "<link") {
			found = append(found, strings.TrimRight(m[1], "\n"))
		}
	}
	if found == nil {
		for line := range strings.Lines(text) {
			if t := strings.TrimSpace(line); strings.HasPrefix(t, "<script") || strings.HasPrefix(t, "<link") {
				found = append(found, t)
			}
		}
		return strings.Join(found, "\n")
	}
	return strings.Join(found, "\n\n")
}

// A Download is an archive of the user's download folder that looks like a library.
type Download struct {
	Number  int       `json:"number"`
	File    string    `json:"file"` // its whole path
	Name    string    `json:"name"`
	Version string    `json:"version,omitempty"`
	Size    int64     `json:"size"`
	Time    time.Time `json:"time"`
}

const mostDownloads = 12

// Downloads lists the newest archives of a folder that hold scripts or stylesheets.
func Downloads(dir string) ([]Download, error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, refused("say where yours are: merry peek --downloads DIR", "the download folder %s can't be read", dir)
	}
	var files []os.FileInfo
	for _, e := range entries {
		name := strings.ToLower(e.Name())
		archive := slices.ContainsFunc([]string{".zip", ".tgz", ".tar.gz", ".tar", ".tar.xz", ".tar.bz2", ".tar.zst", ".js", ".css"}, func(ext string) bool { return strings.HasSuffix(name, ext) })
		if info, err := e.Info(); err == nil && archive && info.Mode().IsRegular() {
			files = append(files, info)
		}
	}
	slices.SortFunc(files, func(a, b os.FileInfo) int {
		return cmp.Or(b.ModTime().Compare(a.ModTime()), strings.Compare(a.Name(), b.Name()))
	})
	var list []Download
	for _, info := range files {
		if len(list) == mostDownloads {
			break
		}
		full := filepath.Join(dir, info.Name())
		t, err := source.OpenPath(full)
		if err != nil {
			continue // peek at it by name tells why
		}
		looks := slices.ContainsFunc(t.Entries, func(e source.Entry) bool {
			k := delivery.KindOf(e.Path)
			return k == delivery.Script || k == delivery.Stylesheet
		})
		t.Close()
		if looks {
			name, version := delivery.NameVersion(info.Name())
			list = append(list, Download{Number: len(list) + 1, File: full, Name: name, Version: version, Size: info.Size(), Time: info.ModTime()})
		}
	}
	return list, nil
}
