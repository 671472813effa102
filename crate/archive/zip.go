package archive

import (
	"archive/zip"
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"

	"github.com/klauspost/compress/flate"

	"merrycrate.example/merry/crate/paths"
)

func (t *Tree) openZip(r io.ReaderAt, size int64) error {
	t.Format = "zip"
	z, err := zip.NewReader(r, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return refuse(t.Name, "", zipTrouble(err))
	}
	z.RegisterDecompressor(zip.Deflate, inflate)
	c := newEntryRules(t.Name, DefaultLimits)
	if len(z.File) > 2*c.limits.Entries {
		return refuse(t.Name, "", fmt.Sprintf("it has %d entries, more than the limit for a library", len(z.File)))
	}
	var files []*zip.File
	var place []int64
	for _, f := range z.File {
		if paths.Reserved(f.Name) {
			continue // version control's, or a system's own: no part of a library
		}
		switch mode := f.Mode(); {
		case f.Flags&1 != 0:
			return refuse(t.Name, f.Name, "it is encrypted; unpack the archive with its password and name the "+
				"folder instead")
		case strings.HasSuffix(f.Name, "/"):
			if err := paths.Validate(strings.TrimRight(f.Name, "/")); err != nil {
				return refuse(t.Name, f.Name, err.Error())
			}
			continue
		case mode.Type() != 0:
			return refuse(t.Name, f.Name, "it is a link or another special file; a library has plain files only")
		case f.Method != zip.Store && f.Method != zip.Deflate:
			return refuse(t.Name, f.Name, fmt.Sprintf("it is packed by method %d, which merry does not support",
				f.Method))
		}
		if f.UncompressedSize64 > 1<<62 || f.CompressedSize64 > uint64(size) {
			return refuse(t.Name, f.Name, "its size in the directory can't be true")
		}
		e, err := c.take(f.Name, int64(f.UncompressedSize64), int64(f.CompressedSize64))
		if err != nil {
			return err
		}
		if c.packed > size {
			return refuse(t.Name, f.Name, "its packed bytes overlap those of other entries, as in harmful archives")
		}
		if _, err := sameLocalHeader(r, f); err != nil {
			return refuse(t.Name, f.Name, err.Error())
		}
		t.Entries = append(t.Entries, e)
		place = append(place, int64(len(files)))
		files = append(files, f)
	}
	if err := noHidden(r, size, z.File); err != nil {
		return refuse(t.Name, "", err.Error())
	}
	if len(files) == 0 {
		return refuse(t.Name, "", "the archive has no files in it")
	}
	t.sortEntries(place)
	t.setIndex()
	t.open = func(i int) (io.ReadCloser, error) {
		r, err := files[place[i]].Open()
		if err != nil {
			return nil, refuse(t.Name, t.Entries[i].Path, zipTrouble(err))
		}
		return r, nil
	}
	return nil
}

// inflaters are used again: making one costs more than inflating a small file.
var inflaters sync.Pool

type inflater struct{ io.ReadCloser }

func inflate(r io.Reader) io.ReadCloser {
	f, ok := inflaters.Get().(*inflater)
	if !ok {
		return &inflater{flate.NewReader(r)}
	}
	f.ReadCloser.(flate.Resetter).Reset(r, nil)
	return f
}

func (f *inflater) Close() error {
	err := f.ReadCloser.Close()
	inflaters.Put(f)
	return err
}

// sameLocalHeader holds an entry's own header (APPNOTE, section 4.3.7) against the directory: a
// program that reads the archive from its beginning must see the same names and sizes. It returns where that header
// begins.
func sameLocalHeader(r io.ReaderAt, f *zip.File) (int64, error) {
	data, err := f.DataOffset()
	if err != nil {
		return 0, errors.New("its own header can't be read: " + zipTrouble(err))
	}
	const fixed = 30
	window := min(data, fixed+int64(len(f.Name))+1024)
	b := make([]byte, window)
	if _, err := r.ReadAt(b, data-window); err != nil {
		return 0, errors.New("its own header can't be read: " + zipTrouble(err))
	}
	le := binary.LittleEndian
	for at := len(b) - fixed - len(f.Name); at >= 0; at-- {
		if le.Uint32(b[at:]) != 0x04034b50 {
			continue
		}
		nameSize, extraSize := int(le.Uint16(b[at+26:])), int(le.Uint16(b[at+28:]))
		if at+fixed+nameSize+extraSize != len(b) {
			continue
		}
		if name := string(b[at+fixed : at+fixed+nameSize]); name != f.Name {
			return 0, fmt.Errorf("its own header calls it %s; programs would disagree on the archive's contents", name)
		}
		if why := differs(b[at:], f); why != "" {
			return 0, errors.New("its own header and the directory give " + why + "; programs would disagree on the " +
				"archive's contents")
		}
		return data - window + int64(at), nil
	}
	return 0, errors.New("its own header contradicts the directory; programs would disagree on the archive's contents")
}

// differs says what an entry's own header says otherwise than the directory, "" if nothing. Checksum and sizes may be 0
// if they follow the bytes, and all ones where an extra field has them (APPNOTE, sections 4.4.4, 4.4.7 to 4.4.9).
func differs(header []byte, f *zip.File) string {
	le := binary.LittleEndian
	flags := le.Uint16(header[6:])
	const (
		follows = 1 << 3      // checksum and sizes follow the bytes
		howHard = 1<<1 | 1<<2 // how hard the packer tried, which matters to nobody
		ones    = uint32(1<<32 - 1)
	)
	value := func(at int, want uint64) bool {
		v := le.Uint32(header[at:])
		return uint64(v) == want || v == ones || v == 0 && flags&follows != 0
	}
	switch {
	case (flags^f.Flags)&^howHard != 0:
		return "different flags"
	case le.Uint16(header[8:]) != f.Method:
		return "different methods"
	case !value(14, uint64(f.CRC32)):
		return "different checksums"
	case !value(18, f.CompressedSize64), !value(22, f.UncompressedSize64):
		return "different sizes"
	}
	return ""
}

// noHidden refuses entries that the directory does not list: a program that reads the archive from its beginning would
// find them. They show by their headers, between listed entries or behind the last one.
func noHidden(r io.ReaderAt, size int64, files []*zip.File) error {
	type span struct{ from, to int64 }
	var spans []span
	for _, f := range files {
		from, err := sameLocalHeader(r, f)
		data, derr := f.DataOffset()
		if err != nil || derr != nil {
			continue // it is refused by its own name
		}
		spans = append(spans, span{from, data + int64(min(f.CompressedSize64, 1<<62))})
	}
	slices.SortFunc(spans, func(a, b span) int { return cmp.Compare(a.from, b.from) })
	at := int64(0)
	for _, s := range append(spans, span{size, size}) {
		if found := headerIn(r, at, s.from); found >= 0 {
			return fmt.Errorf("it has an entry at byte %d that its directory does not list; programs would disagree "+
				"on its contents", found)
		}
		at = max(at, s.to)
	}
	return nil
}

// headerIn returns where an entry's header begins in a part of an archive, -1 if nowhere.
func headerIn(r io.ReaderAt, from, to int64) int64 {
	const mark = "PK\x03\x04"
	buf := make([]byte, min(max(to-from, 0), 64<<10))
	for at := from; at < to; {
		n, err := r.ReadAt(buf[:min(int64(len(buf)), to-at)], at)
		if i := bytes.Index(buf[:n], []byte(mark)); i >= 0 {
			return at + int64(i)
		}
		if err != nil || n < len(mark) {
			break
		}
		at += int64(n)
		if at < to {
			at -= int64(len(mark)) - 1 // one may lie across two readings
		}
	}
	return -1
}

func zipTrouble(err error) string {
	switch {
	case errors.Is(err, zip.ErrFormat), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		return "its directory can't be read; the download may have been cut off: fetch it again"
	case errors.Is(err, zip.ErrChecksum):
		return "its bytes do not match the archive's checksum"
	}
	return err.Error()
}
