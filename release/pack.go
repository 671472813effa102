package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/md5"
	"fmt"
	"path"
	"strings"
	"time"
)

// file is one file to be packed; runs says that it is a program.
type file struct {
	name string
	data []byte
	runs bool
}

// mode is the file's mode on systems that have such.
func (f file) mode() int64 {
	if f.runs {
		return 0o755
	}
	return 0o644
}

// tarred packs files under a folder ("" or one that ends in "/") into a gzipped tar archive: no owner's name, one time
// for all.
func tarred(folder string, files []file, when time.Time) ([]byte, error) {
	var b bytes.Buffer
	g, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	t := tar.NewWriter(g)
	made := map[string]bool{".": true}
	var folders func(string) error
	folders = func(dir string) error {
		if made[dir] {
			return nil
		}
		made[dir] = true
		if err := folders(path.Dir(dir)); err != nil {
			return err
		}
		return t.WriteHeader(&tar.Header{Typeflag: tar.TypeDir, Name: folder + dir + "/", Mode: 0o755, ModTime: when,
			Format: tar.FormatUSTAR})
	}
	for _, f := range files {
		if err := folders(path.Dir(f.name)); err != nil {
			return nil, err
		}
		if err := t.WriteHeader(&tar.Header{Typeflag: tar.TypeReg, Name: folder + f.name, Mode: f.mode(),
			Size: int64(len(f.data)), ModTime: when, Format: tar.FormatUSTAR}); err != nil {
			return nil, err
		}
		if _, err := t.Write(f.data); err != nil {
			return nil, err
		}
	}
	if err := t.Close(); err != nil {
		return nil, err
	}
	if err := g.Close(); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// zipped packs files under a folder into a zip archive.
func zipped(folder string, files []file, when time.Time) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		w, err := z.CreateHeader(&zip.FileHeader{Name: folder + "/" + f.name, Method: zip.Deflate, Modified: when})
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(f.data); err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return b.Bytes(), err
}

// debianVersion is the version as Debian's policy (5.6.12) orders it: what comes before a release has a tilde.
func (r release) debianVersion() string { return strings.Replace(r.version, "-", "~", 1) }

// debian packs the files of the Linux archive into a Debian package (deb(5)): an ar archive of the format's number,
// what the package manager reads, and what is put on the disk.
func (r release) debian(processor string, files []file, parts []part) ([]byte, error) {
	changes, err := gzipped(r.changelog())
	if err != nil {
		return nil, err
	}
	data := []file{{name: "usr/share/doc/merry/changelog.gz", data: changes},
		{name: "usr/share/lintian/overrides/merry",
			data: []byte(overrides)}}
	for _, f := range files {
		switch name := path.Base(f.name); {
		case f.runs:
			f.name = "usr/bin/merry"
		case f.name == "NOTICES.txt":
			f.name, f.data = "usr/share/doc/merry/copyright", r.copyright(parts)
		case name == "merry.bash":
			f.name = "usr/share/bash-completion/completions/merry"
		case name == "_merry":
			f.name = "usr/share/zsh/vendor-completions/_merry"
		case name == "merry.fish":
			f.name = "usr/share/fish/vendor_completions.d/merry.fish"
		case name == "merry.ps1":
			continue
		case strings.HasSuffix(name, ".1"):
			page, err := gzipped(f.data)
			if err != nil {
				return nil, err
			}
			f.name, f.data = "usr/share/man/man1/"+name+".gz", page
		default:
			f.name = "usr/share/doc/merry/" + name
		}
		data = append(data, f)
	}
	size, sums := 0, strings.Builder{}
	for _, f := range data {
		size += len(f.data)
		fmt.Fprintf(&sums, "%x  %s\n", md5.Sum(f.data), f.name)
	}
	control := fmt.Sprintf(`Package: merry
Version: %s
Architecture: %s
Maintainer: %s
Installed-Size: %d
Section: web
Priority: optional
Description: brings third-party libraries into a web project
 Merry looks inside a download, takes the files that a page wants, seals them
 with hashes, includes them on pages in the right order, and checks what a
 browser would trip over. It never harms a page.
`, r.debianVersion(), processor, maintainer, (size+1023)/1024)
	about, err := tarred("./", []file{{name: "control", data: []byte(control)},
		{name: "md5sums", data: []byte(sums.String())}}, r.when)
	if err != nil {
		return nil, err
	}
	put, err := tarred("./", data, r.when)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	b.WriteString("!<arch>\n")
	for _, f := range []file{{name: "debian-binary", data: []byte("2.0\n")}, {name: "control.tar.gz", data: about},
		{name: "data.tar.gz", data: put}} {
		fmt.Fprintf(&b, "%-16s%-12d%-6d%-6d%-8o%-10d`\n", f.name, r.when.Unix(), 0, 0, 0o100644, len(f.data))
		b.Write(f.data)
		if len(f.data)%2 == 1 {
			b.WriteByte('\n')
		}
	}
	return b.Bytes(), nil
}

// gzipped compresses a manual page, without a name or a time.
func gzipped(data []byte) ([]byte, error) {
	var b bytes.Buffer
	g, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	if _, err := g.Write(data); err != nil {
		return nil, err
	}
	err = g.Close()
	return b.Bytes(), err
}
