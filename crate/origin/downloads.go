package origin

import (
	"cmp"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/crate/delivery"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/source"
)

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
		return nil, problem.Refuse(problem.FileUnknown, "say where yours are: merry peek --downloads DIR", "the download folder %s can't be read", dir)
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
