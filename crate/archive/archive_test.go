package archive

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"

	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/internal/merrytest"
)

type entry struct {
	name, body string
	mode       fs.FileMode
}

func zipOf(entries ...entry) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, e := range entries {
		h := &zip.FileHeader{Name: e.name, Method: zip.Deflate}
		h.SetMode(0o644 | e.mode)
		f, _ := w.CreateHeader(h)
		f.Write([]byte(e.body))
	}
	w.Close()
	return b.Bytes()
}

func tarOf(entries ...entry) []byte {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for _, e := range entries {
		h := &tar.Header{Name: e.name, Mode: 0o644, Size: int64(len(e.body)), Typeflag: tar.TypeReg}
		switch e.mode {
		case fs.ModeSymlink:
			h.Typeflag, h.Linkname, h.Size = tar.TypeSymlink, e.body, 0
		case fs.ModeDevice:
			h.Typeflag, h.Size = tar.TypeChar, 0
		}
		w.WriteHeader(h)
		if h.Size > 0 {
			w.Write([]byte(e.body))
		}
	}
	w.Close()
	return b.Bytes()
}

func gz(b []byte) []byte {
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	w.Write(b)
	w.Close()
	return out.Bytes()
}

func xzOf(b []byte) []byte {
	var out bytes.Buffer
	w, _ := xz.NewWriter(&out)
	w.Write(b)
	w.Close()
	return out.Bytes()
}

func zstdOf(b []byte) []byte {
	w, _ := zstd.NewWriter(nil)
	return w.EncodeAll(b, nil)
}

func open(t testing.TB, name string, b []byte) (*Tree, error) {
	t.Helper()
	full := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(full, b, 0o644); err != nil {
		t.Fatal(err)
	}
	return OpenPath(full)
}

// bzipped is the same archive by bzip2, which the standard library reads and does not write.
const bzipped = "QlpoOTFBWSZTWfAQlaIAAJd/gMmAAAhAA+2IAAIQAHg0HwoIiCAAdBKT1U9J6jGibUwAmaQSUgAZDIAAPtysIi9gAeSpIQ5/" +
	"A8qCEHFhSIQwBihmUjxZq10hwNeHoQMY5eBj2+OIrsJFAnQKIeVF4ZR4Odx87lyLfupsOndExEyrXuQzB/F3JFOFCQ8BCVog"

func TestFormats(t *testing.T) {
	files := []entry{{"lib-1.0.0/a.js", "var a;", 0}, {"lib-1.0.0/css/b.css", "b{}", 0}}
	plain := tarOf(files...)
	bz, err := base64.StdEncoding.DecodeString(bzipped)
	if err != nil {
		t.Fatal(err)
	}
	for name, b := range map[string][]byte{"l.tar.bz2": bz, "l.zip": zipOf(files...), "l.tar": plain,
		"l.tgz": gz(plain), "l.tar.gz": gz(plain), "l.tar.xz": xzOf(plain), "l.tar.zst": zstdOf(plain),
		"misnamed.zip": gz(plain)} {
		tree, err := open(t, name, b)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		got, err := tree.ReadFile("css/b.css")
		if string(got) != "b{}" || err != nil || tree.Top != "lib-1.0.0" || len(tree.Entries) != 2 {
			t.Errorf("%s: %q %v %+v", name, got, err, tree.Entries)
		}
		if _, err := tree.ReadFile("nothing"); !errors.Is(err, fs.ErrNotExist) {
			t.Errorf("%s: a file that is not there: %v", name, err)
		}
		if d, err := tree.Digest(); !strings.HasPrefix(d, "sha384-") || err != nil {
			t.Errorf("%s: digest %q, %v", name, d, err)
		}
		tree.Close()
	}
	dir := t.TempDir()
	os.MkdirAll(filepath.Join(dir, "css"), 0o755)
	os.WriteFile(filepath.Join(dir, "css/b.css"), []byte("b{}"), 0o644)
	for _, name := range []string{dir, filepath.Join(dir, "css/b.css")} {
		tree, err := OpenPath(name)
		if err != nil || len(tree.Entries) != 1 {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// overlapping is a zip whose directory names the same packed bytes many times.
func overlapping() []byte {
	b := zipOf(entry{"a.js", strings.Repeat("a", 1<<20), 0})
	dir := bytes.Index(b, []byte("PK\x01\x02"))
	end := bytes.Index(b, []byte("PK\x05\x06"))
	var out bytes.Buffer
	out.Write(b[:dir])
	for i := range 60 {
		rec := bytes.Clone(b[dir:end])
		copy(rec[46:], fmt.Sprintf("%04d", i))
		out.Write(rec)
	}
	tail := bytes.Clone(b[end:])
	binary.LittleEndian.PutUint16(tail[8:], 60)
	binary.LittleEndian.PutUint16(tail[10:], 60)
	binary.LittleEndian.PutUint32(tail[12:], uint32(60*(end-dir)))
	out.Write(tail)
	return out.Bytes()
}

func patched(b []byte, old, new string) []byte {
	return bytes.Replace(b, []byte(old), []byte(new), 1) // the first one is the local header's
}

// hidden puts bytes after an archive's last entry, after some zeros, and makes its end lead to its directory again.
func hidden(b, extra []byte, zeros int) []byte {
	dir := bytes.Index(b, []byte("PK\x01\x02"))
	extra = append(make([]byte, zeros), extra...)
	b = slices.Concat(b[:dir], extra, b[dir:])
	end := bytes.LastIndex(b, []byte("PK\x05\x06"))
	binary.LittleEndian.PutUint32(b[end+16:], uint32(dir+len(extra)))
	return b
}

// header changes two bytes of the first entry's own header.
func header(b []byte, at int, value uint16) []byte {
	binary.LittleEndian.PutUint16(b[at:], value)
	return b
}

func encrypted() []byte {
	b := zipOf(entry{"a.js", "var a;", 0})
	dir := bytes.Index(b, []byte("PK\x01\x02"))
	b[dir+8] |= 1
	return b
}

func lying() []byte {
	b := zipOf(entry{"a.js", "var a = 'much longer than it says';", 0})
	dir := bytes.Index(b, []byte("PK\x01\x02"))
	binary.LittleEndian.PutUint32(b[dir+24:], 4)
	return b
}

// stored is a zip with one stored entry whose checksum is wrong.
func wrongChecksum() []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	f, _ := w.CreateRaw(&zip.FileHeader{Name: "a.js", Method: zip.Store, CRC32: crc32.ChecksumIEEE([]byte("other")),
		CompressedSize64: 5, UncompressedSize64: 5})
	f.Write([]byte("var a"))
	w.Close()
	return b.Bytes()
}

func many(n int) []byte {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for i := range n {
		w.WriteHeader(&tar.Header{Name: fmt.Sprintf("f%d", i), Typeflag: tar.TypeReg})
	}
	w.Close()
	return gz(b.Bytes())
}

// TestHostileArchives: each class is refused with its reason, in bounded time and memory.
// local is a zip archive less its directory.
func local(b []byte) []byte { return b[:bytes.Index(b, []byte("PK\x01\x02"))] }

func TestHostileArchives(t *testing.T) {
	ok := entry{"a.js", "var a;", 0}
	tests := []struct {
		name, file, want string
		b                []byte
	}{
		{"climbing out, zip", "x.zip", "leads out", zipOf(ok, entry{"../../b.js", "b", 0})},
		{"climbing out, tar", "x.tar", "leads out", tarOf(ok, entry{"a/../../b.js", "b", 0})},
		{"absolute", "x.zip", "absolute path", zipOf(entry{"/etc/b.js", "b", 0})},
		{"absolute, tar", "x.tgz", "absolute path", gz(tarOf(entry{"/etc/b.js", "b", 0}))},
		{"drive", "x.zip", "drive letter", zipOf(entry{"C:/b.js", "b", 0})},
		{"backslash", "x.zip", "backslash", zipOf(entry{`..\b.js`, "b", 0})},
		{"device", "x.zip", "device's on Windows", zipOf(entry{"js/aux.js", "b", 0})},
		{"device with port", "x.zip", "device's on Windows", zipOf(entry{"COM1", "b", 0})},
		{"trailing dot", "x.zip", "dot or a space", zipOf(entry{"a.js.", "b", 0})},
		{"stream name", "x.zip", "Windows does not allow", zipOf(entry{"aa:b.js", "b", 0})},
		{"link, zip", "x.zip", "link", zipOf(entry{"a.js", "/etc/passwd", fs.ModeSymlink})},
		{"link, tar", "x.tar", "link to /etc/passwd", tarOf(entry{"a.js", "/etc/passwd", fs.ModeSymlink})},
		{"device file", "x.tar", "device", tarOf(entry{"a.js", "", fs.ModeDevice})},
		{"twice", "x.zip", "two entries", zipOf(ok, ok)},
		{"case", "x.zip", "only by case", zipOf(ok, entry{"A.js", "b", 0})},
		{"Unicode form", "x.zip", "Unicode form", zipOf(entry{"\u00e9.js", "a", 0}, entry{"e\u0301.js", "b", 0})},
		{"terminal escape", "x.zip", `\u001b[2J`, zipOf(entry{"a\x1b[2J.js", "b", 0})},
		{"broken name", "x.zip", "UTF-8", zipOf(entry{"a\xff.js", "b", 0})},
		{"long name", "x.zip", "longer than", zipOf(entry{strings.Repeat("a", 5000), "b", 0})},
		{"deep", "x.zip", "folders deep", zipOf(entry{strings.Repeat("a/", 500) + "a.js", "b", 0})},
		{"encrypted", "x.zip", "encrypted", encrypted()},
		{"empty archive", "x.zip", "no files", zipOf()},
		{"empty tar", "x.tar.gz", "no tar archive", gz(make([]byte, 1024))},
		{"overlapping", "x.zip", "would disagree", overlapping()},
		{"two names", "x.zip", "would disagree", patched(zipOf(ok), "a.js", "b.js")},
		{"hidden entry", "x.zip", "directory does not list", append(local(zipOf(entry{"b.js", "hidden", 0})),
			zipOf(ok)...)},
		{"hidden entry behind the last", "x.zip", "directory does not list",
			hidden(zipOf(ok), local(zipOf(entry{"b.js", "hidden", 0})), 0)},
		{"hidden entry in a gap", "x.zip", "directory does not list",
			hidden(zipOf(ok), local(zipOf(entry{"b.js", "hidden", 0})), 100)},
		{"another method in the header", "x.zip", "different methods", header(zipOf(ok), 8, 0)},
		{"another checksum in the header", "x.zip", "different checksums", header(zipOf(ok), 14, 7)},
		{"another size in the header", "x.zip", "different sizes", header(zipOf(ok), 22, 7)},
		{"other flags in the header", "x.zip", "different flags", header(zipOf(ok), 6, 1<<11|1<<3)},
		{"a file where a folder must be, zip", "x.zip", "can't hold both", zipOf(entry{"x", "a", 0},
			entry{"X/a.js", "b", 0})},
		{"a folder where a file must be, tar", "x.tar", "can't hold both", tarOf(entry{"X/Y/a.js", "b", 0},
			entry{"x", "a", 0})},
		{"two archives at once", "x.tgz", "two archives at once", append(gz(tarOf(ok)), zipOf(ok)...)},
		{"bomb, tar", "x.tgz", "times its size", gz(tarOf(entry{"a.js", strings.Repeat("\x00", 70<<20), 0}))},
		{"bomb, zip", "x.zip", "times its size", zipOf(entry{"a.js", strings.Repeat("\x00", 70<<20), 0})},
		{"gzip of gzip", "x.tgz", "another gzip file", gz(gz(tarOf(ok)))},
		{"zip in gzip", "x.gz", "a zip archive", gz(zipOf(ok))},
		{"a hundred thousand empty files", "x.tgz", "more than 100000 files", many(100_001)},
		{"cut off, zip", "x.zip", "cut off", zipOf(ok)[:60]},
		{"cut off, tgz", "x.tgz", "cut off", gz(tarOf(ok))[:60]},
		{"cut off, tar", "x.tar", "cut off", tarOf(entry{"a.js", strings.Repeat("a", 4096), 0})[:1500]},
		{"rar", "x.rar", "RAR", []byte("Rar!\x1a\x07\x01\x00")},
		{"seven zip", "x.7z", "7z", []byte("7z\xbc\xaf\x27\x1c\x00")},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			from := time.Now()
			tree, err := open(t, tt.file, tt.b)
			if err == nil {
				tree.Close()
			}
			var r *problem.Problem
			if !errors.As(err, &r) || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("got %v, want %q", err, tt.want)
			}
			if err != nil && strings.ContainsRune(err.Error(), '\x1b') {
				t.Errorf("the error carries a terminal escape: %q", err)
			}
			runtime.ReadMemStats(&after)
			// The race detector makes sync.Pool forget a quarter of what it is given, so figures mean nothing there.
			if used := after.TotalAlloc - before.TotalAlloc; used > 256<<20 && !merrytest.RaceDetector {
				t.Errorf("it took %d MB", used>>20)
			}
			if took := time.Since(from); took > time.Minute {
				t.Errorf("it took %v", took)
			}
		})
	}
}

// TestLyingContent: what only shows on reading is refused on reading.
func TestLyingContent(t *testing.T) {
	for name, b := range map[string][]byte{"longer than its directory says": lying(), "checksum": wrongChecksum()} {
		tree, err := open(t, "x.zip", b)
		if err == nil {
			_, err = tree.ReadFile("a.js")
		}
		var r *problem.Problem
		if !errors.As(err, &r) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func fuzzOpen(f *testing.F, name string, seeds ...[]byte) {
	for _, s := range seeds {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		tree, err := open(t, name, b)
		if err != nil {
			return
		}
		defer tree.Close()
		for _, e := range tree.Entries {
			if !fs.ValidPath(e.Path) {
				t.Fatalf("%q passed", e.Path)
			}
			if e.Size < 1<<20 {
				tree.ReadFile(e.Path)
			}
		}
	})
}

func FuzzZip(f *testing.F) {
	fuzzOpen(f, "x.zip", zipOf(entry{"lib/a.js", "var a;", 0}), overlapping(), lying())
}

func FuzzTar(f *testing.F) {
	t := tarOf(entry{"lib/a.js", "var a;", 0})
	fuzzOpen(f, "x.tar", t, gz(t), xzOf(t), zstdOf(t))
}

// TestLimitsOfEntries: one file and all files together have a largest size, and a file can't be larger than the archive
// that it is stored in.
func TestLimitsOfEntries(t *testing.T) {
	c := newEntryRules("x.zip", Limits{Entries: 10, Total: 100, File: 60, Ratio: 200, From: 1 << 20})
	if _, err := c.take("a.js", 60, 1); err != nil {
		t.Fatal(err)
	}
	if _, err := c.take("b.js", 61, 1); err == nil || !strings.Contains(err.Error(), "limit for one file") {
		t.Errorf("a file over the limit: %v", err)
	}
	if _, err := c.take("c.js", 41, 1); err == nil || !strings.Contains(err.Error(), "more than 100 bytes") {
		t.Errorf("a set over the limit: %v", err)
	}
	if _, err := c.take("d.js", -1, 1); err == nil {
		t.Error("a negative size is taken")
	}
}

// TestSparse: a tar archive whose file is larger than the archive, with holes for what is not there, is refused.
func TestSparse(t *testing.T) {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	records := map[string]string{"GNU.sparse.major": "0", "GNU.sparse.minor": "1", "GNU.sparse.name": "a.js",
		"GNU.sparse.size": "9000", "GNU.sparse.numblocks": "1", "GNU.sparse.map": "0,4"}
	header := &tar.Header{Name: "a.js", Mode: 0o644, Size: 4, Typeflag: tar.TypeReg}
	if err := w.WriteHeader(header); err != nil {
		t.Fatal(err)
	}
	w.Write([]byte("boat"))
	if err := w.WriteHeader(&tar.Header{Name: "b.js", Mode: 0o644, Size: 9000, Typeflag: tar.TypeReg}); err != nil {
		t.Fatal(err)
	}
	w.Write(make([]byte, 9000)) // so that the hole of the first ends within the archive
	w.Close()
	// The writer makes no sparse files, so the extended header is put before by hand.
	var text strings.Builder
	for _, key := range []string{"GNU.sparse.major", "GNU.sparse.minor", "GNU.sparse.name", "GNU.sparse.size",
		"GNU.sparse.numblocks", "GNU.sparse.map"} {
		line := " " + key + "=" + records[key] + "\n"
		n := len(line)
		for len(strconv.Itoa(n))+len(line) != n {
			n = len(strconv.Itoa(n)) + len(line)
		}
		text.WriteString(strconv.Itoa(n) + line)
	}
	var pax bytes.Buffer
	pw := tar.NewWriter(&pax)
	if err := pw.WriteHeader(&tar.Header{Name: "PaxHeaders/a.js", Size: int64(text.Len()), Typeflag: tar.TypeReg,
		Mode: 0o644}); err != nil {
		t.Fatal(err)
	}
	pw.Write([]byte(text.String()))
	pw.Flush()
	head := pax.Bytes()
	head[156] = tar.TypeXHeader
	sum := 0
	copy(head[148:156], "        ")
	for _, c := range head[:512] {
		sum += int(c)
	}
	copy(head[148:156], fmt.Sprintf("%06o\x00 ", sum))
	tree, err := open(t, "x.tar", append(head, b.Bytes()...))
	if err == nil {
		tree.Close()
	}
	if err == nil || !strings.Contains(err.Error(), "as sparse files do") {
		t.Errorf("a sparse file: %v", err)
	}
}

// TestFilesHaveTheirSize: a file that is longer or shorter than its archive's directory says is not read.
func TestFilesHaveTheirSize(t *testing.T) {
	name := filepath.Join(t.TempDir(), "x.zip")
	if err := os.WriteFile(name, zipOf(entry{"lib/a.js", "var a;", 0}), 0o644); err != nil {
		t.Fatal(err)
	}
	tree, err := OpenPath(name)
	if err != nil {
		t.Fatal(err)
	}
	defer tree.Close()
	real := tree.Entries[0].Size
	for size, want := range map[int64]string{real: "", real - 1: "longer", real + 1: "shorter"} {
		tree.Entries[0].Size = size
		if _, err := tree.ReadFile(tree.Entries[0].Path); (err == nil) != (want == "") || err != nil &&
			!strings.Contains(err.Error(), want) {
			t.Errorf("with %d bytes in its directory and %d in truth: %v", size, real, err)
		}
	}
}
