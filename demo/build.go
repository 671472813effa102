package demo

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"iter"
	"maps"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/tdewolff/minify/v2"
	"github.com/tdewolff/minify/v2/css"
	"github.com/tdewolff/minify/v2/js"
)

func mapKeys(m map[string][]byte) iter.Seq[string] { return maps.Keys(m) }

// published is the one time that every entry of every archive has.
var published = time.Date(2019, 5, 4, 6, 0, 0, 0, time.UTC)

// addBuilds adds the minified build of a script or stylesheet that is meant for pages, with a source
// map that leads from its first position to the readable file.
func addBuilds(out map[string][]byte, file string) error {
	dir, base := path.Split(file)
	ext := path.Ext(base)
	if bytes.Contains(out[file], []byte("\nexport ")) {
		return nil // modules are published as they are
	}
	if dir != "dist/" && dir != "css/" && dir != "js/" && !strings.HasPrefix(dir, "dist/") || ext != ".js" &&
		ext != ".css" {
		return nil
	}
	m := minify.New()
	m.AddFunc(".js", js.Minify)
	m.AddFunc(".css", css.Minify)
	source := string(out[file])
	banner, body := "", source
	if strings.HasPrefix(source, "/*!") {
		i := strings.Index(source, "*/") + len("*/")
		banner, body = source[:i], source[i:]
		words := strings.Fields(strings.NewReplacer("/*!", "", "*/", "", " * ", " ").Replace(banner))
		banner = "/*! " + strings.Join(words, " ") + " */"
	}
	short, err := m.String(ext, body)
	if err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	name := strings.TrimSuffix(base, ext) + ".min" + ext
	tail := "\n//# sourceMappingURL=" + name + ".map\n"
	if ext == ".css" {
		tail = "\n/*# sourceMappingURL=" + name + ".map */\n"
	}
	if banner != "" {
		banner += "\n"
	}
	out[dir+name] = []byte(banner + short + tail)
	sourceMap, err := json.Marshal(map[string]any{"version": 3, "file": name, "sources": []string{base},
		"names": []string{}, "mappings": "AAAA"})
	out[dir+name+".map"] = sourceMap
	return err
}

// Zip packs files into a zip archive, below one top folder.
func Zip(top string, content map[string][]byte) ([]byte, error) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, name := range slices.Sorted(maps.Keys(content)) {
		f, err := w.CreateHeader(&zip.FileHeader{Name: path.Join(top, name), Method: zip.Deflate, Modified: published})
		if err != nil {
			return nil, err
		}
		if _, err := f.Write(content[name]); err != nil {
			return nil, err
		}
	}
	err := w.Close() // it writes the directory, so it comes before the bytes are taken
	return b.Bytes(), err
}

// Tarball packs files as a package registry does: a gzipped tar archive below package/.
func Tarball(content map[string][]byte) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	for _, name := range slices.Sorted(maps.Keys(content)) {
		h := &tar.Header{Name: "package/" + name, Mode: 0o644, Size: int64(len(content[name])), ModTime: published,
			Format: tar.FormatUSTAR}
		if err := w.WriteHeader(h); err != nil {
			return nil, err
		}
		if _, err := w.Write(content[name]); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	err := z.Close()
	return b.Bytes(), err
}
