package main

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

func TestTarIsWholeAndTheSameEachTime(t *testing.T) {
	files := []file{{name: "bin/oar", data: []byte("pull"), runs: true}, {name: "bin/read", data: []byte("me")}}
	when := time.Unix(1_700_000_000, 0)
	one, err := tarred("boat/", files, when)
	if err != nil {
		t.Fatal(err)
	}
	two, err := tarred("boat/", files, when)
	if err != nil || !bytes.Equal(one, two) {
		t.Error("the same files at the same time made other bytes", err)
	}
	g, err := gzip.NewReader(bytes.NewReader(one))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for r := tar.NewReader(g); ; {
		h, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		got = append(got, fmt.Sprintf("%s %o", h.Name, h.Mode))
	}
	if want := []string{"boat/bin/ 755", "boat/bin/oar 755", "boat/bin/read 644"}; !slices.Equal(got, want) {
		t.Errorf("packed %q, wanted %q", got, want)
	}
}

func TestDebianPackageIsAnArOfThree(t *testing.T) {
	r := release{version: "1.4.0-rc.1", when: time.Unix(1_700_000_000, 0)}
	deb, err := r.debian("amd64", []file{{name: "merry", data: []byte("x"), runs: true},
		{name: "man/merry.1", data: []byte(".TH")}}, nil)
	if err != nil {
		t.Fatal(err)
	}
	rest, ok := bytes.CutPrefix(deb, []byte("!<arch>\n"))
	var names []string
	for ok && len(rest) >= 60 {
		var size int
		if _, err := fmt.Sscanf(string(rest[48:58]), "%d", &size); err != nil || string(rest[58:60]) != "`\n" ||
			len(rest) < 60+size {
			t.Fatalf("a header of ar is wrong: %q", rest[:60])
		}
		names = append(names, strings.TrimSpace(string(rest[:16])))
		rest = rest[60+size+size%2:]
	}
	if want := []string{"debian-binary", "control.tar.gz", "data.tar.gz"}; !slices.Equal(names, want) || len(rest) > 0 {
		t.Errorf("the package holds %q and %d bytes more", names, len(rest))
	}
	if v := r.debianVersion(); v != "1.4.0~rc.1" {
		t.Errorf("the version is %s", v)
	}
}

func TestWrongVersionsAndFullFoldersAreRefused(t *testing.T) {
	full := t.TempDir()
	if err := os.WriteFile(filepath.Join(full, "kept"), nil, 0o644); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{}, {"v1"}, {"1.2"}, {"1.2.0", "--only", "plan/9"}, {"1.2.0", "--to", full}} {
		if err := run(t.Context(), args); err == nil {
			t.Errorf("release %q was made", args)
		}
	}
}

// TestManualPagesKeepNames: names with signs that mean something in markup come out of a manual page as they were
// written.
func TestManualPagesKeepNames(t *testing.T) {
	c := &cobra.Command{Use: "row", Short: "Take js/*_old.js and *.min.js", Long: "Row takes <part>.js, __init__.js " +
		"and pages: [\"**/*.html\"].", Run: func(*cobra.Command, []string) {}}
	c.Flags().String("keep", "", "keep *_a_*.js in `DIR`")
	escapeTexts(c)
	var page bytes.Buffer
	if err := doc.GenMan(c, &doc.GenManHeader{Title: "ROW", Section: "1"}, &page); err != nil {
		t.Fatal(err)
	}
	text := strings.NewReplacer(`\&`, "", `\`, "").Replace(page.String())
	for _, want := range []string{"js/*_old.js and *.min.js", "<part>.js", "__init__.js", `["**/*.html"]`, "*_a_*.js"} {
		if !strings.Contains(text, want) {
			t.Errorf("the page lacks %s:\n%s", want, page.String())
		}
	}
}

// TestManualPagesNameValues: a page's title is its command's, and flags show what to write for their value.
func TestManualPagesNameValues(t *testing.T) {
	files, err := release{version: "1.2.3"}.manual()
	if err != nil {
		t.Fatal(err)
	}
	pages := map[string]string{}
	for _, f := range files {
		pages[f.name] = string(f.data)
	}
	take := pages["man/merry-take.1"]
	for _, want := range []string{`.TH "MERRY-TAKE" "1"`, `--as\fP \fINAME\fP`, `--dry-run\fP` + "\n",
		`--files\fP \fIGLOB\fP`} {
		if !strings.Contains(take, want) {
			t.Errorf("the page of take lacks %s:\n%s", want, take)
		}
	}
	for _, never := range []string{`=""`, "=[]", "=false", "`"} {
		if strings.Contains(take, never) {
			t.Errorf("the page of take has %s:\n%s", never, take)
		}
	}
	if page := pages["man/merry-switch.1"]; !strings.Contains(page, `--cdn\fP[=\fINAME\fP]`) {
		t.Errorf("the page of switch:\n%s", page)
	}
	if pages["man/merry-sources-set-registry.1"] == "" || pages["man/merry-sandbox.1"] != "" {
		t.Error("pages are missing, or of hidden commands")
	}
}
