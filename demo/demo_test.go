package demo

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestArchivesAreTheSameEachTime(t *testing.T) {
	for library, versions := range Published() {
		for _, v := range versions {
			var zips, tarballs [2][]byte
			for i := range 2 {
				files, err := Library(library, v)
				if err != nil {
					t.Fatal(err)
				}
				if zips[i], err = Zip(library, files); err != nil {
					t.Fatal(err)
				}
				if tarballs[i], err = Tarball(files); err != nil {
					t.Fatal(err)
				}
			}
			if !bytes.Equal(zips[0], zips[1]) || !bytes.Equal(tarballs[0], tarballs[1]) {
				t.Errorf("%s %s: two archives differ", library, v)
			}
			if _, err := zip.NewReader(bytes.NewReader(zips[0]), int64(len(zips[0]))); err != nil {
				t.Errorf("%s %s: %v", library, v, err)
			}
		}
	}
}

func TestLibrariesAreWhole(t *testing.T) {
	for library, versions := range Published() {
		if len(versions) == 0 {
			t.Errorf("%s has no version", library)
		}
		for _, v := range versions {
			files, err := Library(library, v)
			if err != nil {
				t.Fatal(err)
			}
			for name, b := range files {
				if len(b) == 0 {
					t.Errorf("%s %s: %s is empty", library, v, name)
				}
				if strings.HasSuffix(name, ".map") {
					var m struct {
						Version int
						File    string
						Sources []string
					}
					if err := json.Unmarshal(b, &m); err != nil || m.Version != 3 || len(m.Sources) != 1 ||
						files[filepath.ToSlash(filepath.Join(filepath.Dir(name), m.Sources[0]))] == nil {
						t.Errorf("%s %s: %s maps to nothing: %s %v", library, v, name, b, err)
					}
				}
				if strings.Contains(name, ".min.") && !strings.HasSuffix(name, ".map") {
					readable := files[strings.Replace(name, ".min.", ".", 1)]
					if len(readable) == 0 || len(b) > len(readable)+60 ||
						!bytes.Contains(b, []byte("sourceMappingURL=")) {
						t.Errorf("%s %s: %s is no minified build", library, v, name)
					}
				}
			}
			if manifest := files["package.json"]; manifest != nil && !bytes.Contains(manifest, []byte(`"`+v+`"`)) {
				t.Errorf("%s %s: its manifest has another version: %s", library, v, manifest)
			}
		}
	}
	if _, err := Library("oarlock", "9.9.9"); err == nil {
		t.Error("a version that there is not was made")
	}
}

// TestFontIsSound checks what a browser's font sanitiser looks at first: the tables' places and sums.
func TestFontIsSound(t *testing.T) {
	font := iconFont("Trial")
	n := int(binary.BigEndian.Uint16(font[4:]))
	if n != 10 {
		t.Fatalf("%d tables", n)
	}
	last := ""
	for i := range n {
		e := font[12+16*i:]
		tag, want := string(e[:4]), binary.BigEndian.Uint32(e[4:])
		offset, size := binary.BigEndian.Uint32(e[8:]), binary.BigEndian.Uint32(e[12:])
		if tag <= last || offset%4 != 0 || int(offset+size) > len(font) {
			t.Errorf("table %s stands at %d, %d long", tag, offset, size)
		}
		if tag != "head" && sum(font[offset:offset+size]) != want {
			t.Errorf("table %s has the wrong checksum", tag)
		}
		last = tag
	}
	if sum(font) != 0xb1b0afba {
		t.Errorf("the font's own checksum is %x", sum(font))
	}
	w := woff(font)
	if string(w[:4]) != "wOFF" || int(binary.BigEndian.Uint32(w[8:])) != len(w) ||
		int(binary.BigEndian.Uint32(w[16:])) != len(font) {
		t.Error("the WOFF header does not fit")
	}
}

func TestSites(t *testing.T) {
	for _, habit := range Habits {
		dir := t.TempDir()
		if err := WriteSiteOf(dir, habit); err != nil {
			t.Fatal(err)
		}
		for _, page := range []string{"index.html", "tides.html", "crews/index.html"} {
			b, err := os.ReadFile(filepath.Join(dir, page))
			if err != nil {
				t.Fatal(err)
			}
			if crlf := bytes.Contains(b, []byte("\r\n")); crlf != (page == "crews/index.html") {
				t.Errorf("%s of %s: CRLF is %v", page, habit, crlf)
			}
			if habit == "versioned" && bytes.Contains(b, []byte("js/club.js")) &&
				!bytes.Contains(b, []byte("scripts/club.js")) {
				t.Errorf("%s of %s refers to a folder that is not there", page, habit)
			}
		}
	}
	dir := t.TempDir()
	if err := WriteDownloads(dir); err != nil {
		t.Fatal(err)
	}
	if found, _ := filepath.Glob(filepath.Join(dir, "*.zip")); len(found) != 3 {
		t.Errorf("the downloads are %v", found)
	}
}
