package main

import (
	"archive/zip"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
)

// Packages in the shapes of real ones that took long when they were first looked at. Each is an archive of its own.
var shapes = []struct {
	name, file string
	mark       float64 // how many times as long as unpacking the first look may take
	make       func(name string) error
}{
	{"thousands of modules", "pontoon-3.0.0.zip", 2, makeModules},
	{"an editor with 300 parts", "logbook-5.1.0.zip", 2, makeEditor},
	{"5,000 classes, a script of 2 MB", "bunting-2.0.0.zip", 15, makeClasses},
}

func makeShapes(dir string) error {
	for _, s := range shapes {
		if err := s.make(filepath.Join(dir, s.file)); err != nil {
			return err
		}
	}
	return nil
}

// makeModules writes an archive of 4,000 small modules in folders, with one build of them for pages.
func makeModules(name string) error {
	r := rand.New(rand.NewPCG(21, 22))
	return writeZip(name, zip.Deflate, 4003, func(i int) (string, []byte) {
		switch i {
		case 0:
			return "package.json", []byte(`{"name":"pontoon","version":"3.0.0","main":"cjs/index.js",` +
				`"module":"esm/part3.js"}`)
		case 1, 2:
			return "dist/pontoon" + []string{".js", ".min.js"}[i-1], build(r, 900_000, i == 2)
		}
		other := r.IntN(i-2) + 3
		return fmt.Sprintf("esm/%s/part%d.js", words[i%len(words)], i),
			[]byte(fmt.Sprintf("import { part%d } from '../%s/part%d.js';\n\nexport function part%d(x) {\n"+
				"  return part%d(x) + %q;\n}\n", other, words[other%len(words)], other, i, other, prose(r, 900)))
	})
}

// makeEditor writes an archive of an editor: a script, 300 parts in folders with a script and a stylesheet each, and
// skins.
func makeEditor(name string) error {
	r := rand.New(rand.NewPCG(23, 24))
	return writeZip(name, zip.Deflate, 2+600+40, func(i int) (string, []byte) {
		switch {
		case i == 0:
			return "package.json", []byte(`{"name":"logbook","version":"5.1.0","main":"logbook.js"}`)
		case i == 1:
			text := string(build(r, 700_000, true))
			return "logbook.js", []byte(text + ";document.currentScript.src+'plugins/'+name+'/plugin.js';")
		case i < 602:
			part := fmt.Sprintf("plugins/%s%d/", words[i%len(words)], i/2)
			if i%2 == 0 {
				return part + "plugin.js", []byte(strings.ReplaceAll(string(build(r, 9_000, true)), "root.halyard",
					fmt.Sprintf("root.logbook.part%d", i)))
			}
			return part + "styles.css", content(r, "css", 6_000)
		}
		return fmt.Sprintf("skins/%s%d/editor.css", words[i%len(words)], i), content(r, "css", 40_000)
	})
}

// makeClasses writes an archive of a stylesheet with 5,000 classes, beside looks for it and a script of 2 MB.
func makeClasses(name string) error {
	r := rand.New(rand.NewPCG(25, 26))
	return writeZip(name, zip.Deflate, 12, func(i int) (string, []byte) {
		switch i {
		case 0:
			return "package.json", []byte(`{"name":"bunting","version":"2.0.0","main":"dist/bunting.js"}`)
		case 1:
			return "dist/bunting.js", build(r, 2_000_000, false)
		}
		var css strings.Builder
		for n := range 5_000 {
			fmt.Fprintf(&css, ".bt-%s-%d{width:%dpx;color:#%06x}\n", words[n%len(words)], n, r.IntN(999), r.IntN(1<<24))
		}
		return fmt.Sprintf("dist/looks/%s.css", words[i]), []byte(css.String())
	})
}
