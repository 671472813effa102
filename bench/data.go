package main

import (
	"archive/zip"
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"

	"merrycrate.example/merry/crate/integrity"
)

var words = strings.Fields("oar tide slip crew bow stern cox blade row current harbour lamp rope wave salt gull " +
	"anchor knot sail keel drift moor ebb flood spray")

func prose(r *rand.Rand, n int) string {
	var s strings.Builder
	for s.Len() < n {
		s.WriteString(words[r.IntN(len(words))])
		s.WriteByte(' ')
	}
	return s.String()
}

func makeData(dir string) error {
	if err := makePages(filepath.Join(dir, "pages")); err != nil {
		return err
	}
	if err := makeArchive(filepath.Join(dir, "big.zip")); err != nil {
		return err
	}
	if err := makePackage(filepath.Join(dir, "halyard-4.2.0.zip")); err != nil {
		return err
	}
	if err := makeShapes(dir); err != nil {
		return err
	}
	return makeTree(filepath.Join(dir, "tree"))
}

// makePages writes 10,000 pages, 90 MB, in ten folders, with a packing list and one library.
func makePages(dir string) error {
	if err := os.RemoveAll(dir); err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(1, 2))
	for _, d := range []string{"js", "css"} {
		if err := os.MkdirAll(filepath.Join(dir, d), 0o755); err != nil {
			return err
		}
	}
	beacon, readable := "(function(){window.beacon=function(){return 1}})();\n",
		"(function () {\n  window.beacon = function () {\n    return 1;\n  };\n})();\n"
	files := map[string]string{
		"js/club.js": "var club = 1;\n", "js/beacon.min.js": beacon, "js/beacon.js": readable,
		"css/club.css": "body { margin: 0 }\n",
		"crate.yaml": "format: 1\nlibraries:\n  beacon:\n    version: 1.0.0\n    from: beacon.zip\n" +
			"    take: [beacon.js, beacon.min.js]\n",
		"crate.seal.json": fmt.Sprintf(`{"format":1,"libraries":{"beacon":{"version":"1.0.0","origin":"beacon.zip",`+
			`"files":[{"path":"beacon.min.js","at":"js/beacon.min.js","size":%d,"integrity":%q,"build":"minified",`+
			`"pair":"beacon.js","page":true},{"path":"beacon.js","at":"js/beacon.js","size":%d,"integrity":%q,`+
			`"build":"readable","pair":"beacon.min.js","page":true}]}}}`,
			len(beacon), integrity.Of([]byte(beacon)), len(readable), integrity.Of([]byte(readable))),
	}
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			return err
		}
	}
	for i := range 10_000 {
		folder := filepath.Join(dir, fmt.Sprintf("p%d", i/1000))
		if i%1000 == 0 {
			if err := os.MkdirAll(folder, 0o755); err != nil {
				return err
			}
		}
		if err := os.WriteFile(filepath.Join(folder, fmt.Sprintf("page%d.html", i)), []byte(pageText(r, i)),
			0o644); err != nil {
			return err
		}
	}
	return nil
}

func pageText(r *rand.Rand, i int) string {
	var s strings.Builder
	fmt.Fprintf(&s, "<!doctype html>\n<html lang=\"en\">\n<head>\n  <meta charset=\"utf-8\">\n"+
		"  <meta name=\"viewport\" content=\"width=device-width\">\n  <title>Page %d of gullpoint</title>\n"+
		"  <link rel=\"stylesheet\" href=\"../css/club.css\">\n</head>\n<body>\n", i)
	for s.Len() < 8800 {
		fmt.Fprintf(&s, "  <div class=\"%s %s\" id=\"x%d\"><p title=\"%s\">%s <a href=\"page%d.html\">%s</a> "+
			"%s</p></div>\n", words[r.IntN(len(words))], words[r.IntN(len(words))],
			r.IntN(9999), words[r.IntN(len(words))], prose(r, 120), i/1000*1000+r.IntN(1000), words[r.IntN(len(words))],
			prose(r, 60))
	}
	s.WriteString("  <script src=\"../js/club.js\"></script>\n</body>\n</html>\n")
	return s.String()
}

// makeArchive writes an archive of 1,500 files, 100 MB: scripts, styles and pictures that do not pack.
func makeArchive(name string) error {
	r := rand.New(rand.NewPCG(3, 4))
	return writeZip(name, zip.Deflate, 1500, func(i int) (string, []byte) {
		kind, size := []string{"js", "css", "png"}[i%3], 20_000+r.IntN(94_000)
		return fmt.Sprintf("%s/part%d.%s", kind, i, kind), content(r, kind, size)
	})
}

func content(r *rand.Rand, kind string, size int) []byte {
	if kind == "png" {
		b := make([]byte, size)
		for i := range b {
			b[i] = byte(r.Uint32())
		}
		return b
	}
	var s strings.Builder
	for s.Len() < size {
		if kind == "js" {
			fmt.Fprintf(&s, "function %s%d(%s) {\n  return %s.%s(%d, \"%s\");\n}\n", words[r.IntN(len(words))],
				r.IntN(999), words[r.IntN(len(words))], words[r.IntN(len(words))], words[r.IntN(len(words))],
				r.IntN(99999), prose(r, 30))
		} else {
			fmt.Fprintf(&s, ".%s-%s { width: %dpx; color: #%06x; }\n", words[r.IntN(len(words))],
				words[r.IntN(len(words))], r.IntN(999), r.IntN(1<<24))
		}
	}
	return []byte(s.String())
}

// makePackage writes an archive in the shape of a large package: twelve builds of one script, of 1 to 3 MB each, the
// minified ones on long lines; a thousand small modules; languages; source maps. It has 1,239 files and 53 MB.
func makePackage(name string) error {
	r := rand.New(rand.NewPCG(7, 8))
	builds := []string{"", ".min", ".basic", ".basic.min", ".slim", ".slim.min", ".geo", ".geo.min", ".strict",
		".strict.min", ".full", ".full.min"}
	return writeZip(name, zip.Deflate, 1239, func(i int) (string, []byte) {
		switch {
		case i < len(builds):
			min := strings.HasSuffix(builds[i], ".min")
			return "halyard/dist/halyard" + builds[i] + ".js", build(r, 1_000_000+i*180_000, min)
		case i < 2*len(builds):
			return "halyard/dist/halyard" + builds[i-len(builds)] + ".js.map",
				[]byte(`{"version":3,"mappings":"` + strings.Repeat("AACA,EAAE;", 180_000) + `"}`)
		case i == 24:
			return "halyard/package.json", []byte(`{"name":"halyard","version":"4.2.0","main":"dist/halyard.js"}`)
		case i < 225:
			return fmt.Sprintf("halyard/lang/%d.js", i),
				[]byte(fmt.Sprintf("halyard.lang(%d, %q);\n", i, prose(r, 400)))
		}
		return fmt.Sprintf("halyard/src/parts/part%d.js", i),
			[]byte(fmt.Sprintf("import { part%d } from './part%d.js';\n\nexport function part%d(x) {\n"+
				"  return part%d(x) + %q;\n}\n", i-1, i-1, i, i-1, prose(r, 60)))
	})
}

// build is a universal script of about a size.
func build(r *rand.Rand, size int, min bool) []byte {
	var s strings.Builder
	s.WriteString("(function (root, factory) {\n  if (typeof define === 'function' && define.amd) { define([], " +
		"factory); }\n  else if (typeof module === 'object' && module.exports) { module.exports = factory(); }\n" +
		"  else { root.halyard = factory(); }\n})(this, function () {\n  var lib = {};\n")
	for i := 0; s.Len() < size; i++ {
		fmt.Fprintf(&s, "  lib.%s%d = function (a, b) {\n    var c = a ? a.%s : b, d = [%d, c];\n"+
			"    for (var e = 0; e < d.length; e++) {\n      if (d[e] === %q) { return lib.%s(d, e); }\n    }\n"+
			"    return { left: c, right: d };\n  };\n", words[r.IntN(len(words))], i, words[r.IntN(len(words))],
			r.IntN(9999), words[r.IntN(len(words))], words[r.IntN(len(words))])
	}
	s.WriteString("  return lib;\n});\n")
	text := s.String()
	if min {
		for _, pair := range [][2]string{{"\n", ""}, {"  ", ""}, {" = ", "="}, {", ", ","}, {" {", "{"}, {" }", "}"},
			{"{ ", "{"}, {" === ", "==="}, {" ? ", "?"}, {" : ", ":"}, {": ", ":"}, {"; ", ";"}, {" < ", "<"},
			{" (", "("}} {
			text = strings.ReplaceAll(text, pair[0], pair[1])
		}
	}
	return []byte(text)
}

func makeTree(dir string) error {
	r := rand.New(rand.NewPCG(5, 6))
	for i := range 400 {
		sub := filepath.Join(dir, fmt.Sprintf("d%d", i%20))
		if err := os.MkdirAll(sub, 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(sub, fmt.Sprintf("f%d.bin", i)),
			content(r, "png", 100_000+r.IntN(300_000)), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// makeLibrary writes an archive of 20 files, about 600 kB.
func makeLibrary(name string, seed uint64) error {
	return writeZip(name, zip.Deflate, 20, func(i int) (string, []byte) {
		r := rand.New(rand.NewPCG(seed, uint64(i)))
		kind := []string{"js", "css", "png"}[i%3]
		return fmt.Sprintf("%s/part%d.%s", kind, i, kind), content(r, kind, 10_000+r.IntN(50_000))
	})
}

// makeHuge writes an archive of 1 GB: mostly pictures and films, and a few scripts.
func makeHuge(name string) error {
	r := rand.New(rand.NewPCG(7, 8))
	block := content(r, "png", 32<<20)
	return writeZip(name, zip.Store, 36, func(i int) (string, []byte) {
		if i >= 32 {
			return fmt.Sprintf("js/part%d.js", i), content(r, "js", 100_000)
		}
		return fmt.Sprintf("film/part%d.webm", i), block
	})
}

func writeZip(name string, method uint16, files int, file func(i int) (string, []byte)) error {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	defer f.Close()
	buffered := bufio.NewWriter(f)
	z := zip.NewWriter(buffered)
	for i := range files {
		path, b := file(i)
		w, err := z.CreateHeader(&zip.FileHeader{Name: "big-1.0.0/" + path, Method: method})
		if err != nil {
			return err
		}
		if _, err := w.Write(b); err != nil {
			return err
		}
	}
	if err := z.Close(); err != nil {
		return err
	}
	return buffered.Flush()
}

// makeSheets writes an archive of a library's version: a stylesheet of 250 KB, of which the second version calls each
// tenth class otherwise, and a script of 500 KB.
func makeSheets(name string, version int) error {
	r := rand.New(rand.NewPCG(9, 10))
	var css, js strings.Builder
	for i := 0; css.Len() < 250_000; i++ {
		class := fmt.Sprintf("sheet-%s-%d", words[i%len(words)], i)
		if version == 2 && i%10 == 0 {
			class = fmt.Sprintf("sheet-%s-no%d", words[i%len(words)], i)
		}
		fmt.Fprintf(&css, ".%s {\n  width: %dpx;\n  color: #%06x;\n  margin: 0 %dpx;\n}\n", class, r.IntN(9999),
			r.IntN(1<<24), i)
	}
	js.WriteString("window.sheet = {};\n")
	for i := 0; js.Len() < 500_000; i++ {
		fmt.Fprintf(&js, "window.sheet.%s%d = function (%s) {\n  return %s + %d;\n};\n", words[i%len(words)], i,
			words[0], words[0], r.IntN(99999))
	}
	files := []string{"sheet.css", "sheet.js"}
	texts := []string{css.String(), js.String()}
	return writeZip(name, zip.Deflate, 2, func(i int) (string, []byte) {
		return files[i], []byte(fmt.Sprintf("/*! sheet v%d.0.0 */\n%s", version, texts[i]))
	})
}

// makeSheetPages writes 1,000 pages that use some of the library's classes.
func makeSheetPages(dir string) error {
	r := rand.New(rand.NewPCG(11, 12))
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for i := range 1000 {
		text := strings.ReplaceAll(pageText(r, i), "class=\"", fmt.Sprintf("class=\"sheet-%s-%d ", words[i%len(words)],
			i))
		text = strings.NewReplacer("../css/club.css", "club.css", "../js/club.js", "club.js").Replace(text)
		if err := os.WriteFile(filepath.Join(dir, fmt.Sprintf("page%d.html", i)), []byte(text), 0o644); err != nil {
			return err
		}
	}
	for _, name := range []string{"club.css", "club.js"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte("\n"), 0o644); err != nil {
			return err
		}
	}
	return nil
}
