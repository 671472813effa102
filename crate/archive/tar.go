package archive

import (
	"archive/tar"
	"bytes"
	"compress/bzip2"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"github.com/ulikunitz/xz"

	"merrycrate.example/merry/crate/paths"
)

// inMemory is how much of an unpacked tar archive is kept in memory; the rest goes to a temporary
// file.
const inMemory = 8 << 20

// copied is how much is written to that file at once.
const copied = 1 << 20

func (t *Tree) openTar(format string, r io.ReaderAt, size int64) error {
	t.Format = "tar"
	plain, plainSize := r, size
	if format != "tar" {
		s, err := unpack(t.Name, format, io.NewSectionReader(r, 0, size), size)
		if err != nil {
			return err
		}
		closeFile := t.close
		t.close = func() error { return errors.Join(s.close(), closeFile()) }
		plain, plainSize = s, s.size
		if err := holdsTar(t.Name, s); err != nil {
			return err
		}
	}
	section := io.NewSectionReader(plain, 0, plainSize)
	tr := tar.NewReader(section)
	c := newEntryRules(t.Name, DefaultLimits)
	var offsets []int64
	for entries := 0; ; entries++ {
		h, err := tr.Next()
		if err == io.EOF {
			break
		}
		if err != nil && !errors.Is(err, tar.ErrInsecurePath) {
			return refuse(t.Name, "", "it can't be read as a tar archive: "+tarTrouble(err))
		}
		if entries > 2*c.limits.Entries {
			return refuse(t.Name, "", fmt.Sprintf("it has more than %d entries, the limit for a library",
				2*c.limits.Entries))
		}
		name := withoutDots(h.Name)
		if paths.Reserved(name) {
			continue // version control's, or a system's own: no part of a library
		}
		switch plainFile, why := kindOf(h, name); {
		case why != "":
			return refuse(t.Name, h.Name, why)
		case !plainFile:
			continue
		}
		at, err := section.Seek(0, io.SeekCurrent)
		if err != nil {
			return err
		}
		if i, again := c.number(name); again && t.Entries[i].Size == h.Size && same(plain, offsets[i], at, h.Size) {
			continue // some archivers write a file twice; it can be known which is meant, since both are the same
		}
		e, err := c.take(name, h.Size, 0)
		if err != nil {
			return err
		}
		if at+h.Size > plainSize {
			return refuse(t.Name, h.Name, "the archive ends before this file does; the download may have been cut "+
				"off: fetch it again")
		}
		if c.total > plainSize {
			return refuse(t.Name, h.Name, "its header claims a size beyond the archive's, as sparse files do; a "+
				"library has plain files only")
		}
		t.Entries = append(t.Entries, e)
		offsets = append(offsets, at)
	}
	if len(t.Entries) == 0 {
		return refuse(t.Name, "", "the archive has no files in it")
	}
	t.sortEntries(offsets)
	t.setIndex()
	if format != "tar" {
		t.offsets = offsets
	}
	t.open = func(i int) (io.ReadCloser, error) {
		return io.NopCloser(io.NewSectionReader(plain, offsets[i], t.Entries[i].Size)), nil
	}
	return nil
}

// kindOf reports whether an entry is a plain file, and why it can't be in a library's archive, "" if it can.
func kindOf(h *tar.Header, name string) (plainFile bool, why string) {
	switch h.Typeflag {
	case tar.TypeReg:
		return true, ""
	case tar.TypeXGlobalHeader:
		return false, ""
	case tar.TypeDir:
		if dir := strings.TrimRight(name, "/"); dir != "" && dir != "." {
			if err := paths.Validate(dir); err != nil {
				return false, err.Error()
			}
		}
		return false, ""
	case tar.TypeSymlink, tar.TypeLink:
		return false, "it is a link to " + h.Linkname + "; a library has plain files only"
	}
	return false, "it is a device or another special file; a library has plain files only"
}

// same reports whether two places of an archive hold the same bytes. What is too large to compare in memory counts as
// other.
func same(r io.ReaderAt, first, second, size int64) bool {
	if size > inMemory {
		return false
	}
	a, b := make([]byte, size), make([]byte, size)
	_, aerr := r.ReadAt(a, first)
	_, berr := r.ReadAt(b, second)
	return (aerr == nil || aerr == io.EOF) && (berr == nil || berr == io.EOF) && bytes.Equal(a, b)
}

// holdsTar refuses what was packed and is no tar archive inside.
func holdsTar(name string, r io.ReaderAt) error {
	head := make([]byte, 512)
	n, _ := r.ReadAt(head, 0)
	if n >= 262 && (string(head[257:262]) == "ustar" || oldTar(head[:n])) {
		return nil
	}
	inner := "something else"
	for magic, what := range map[string]string{"\x1f\x8b": "another gzip file", "PK\x03\x04": "a zip archive",
		"BZh": "a bzip2 file", "\xfd7zXZ": "an xz file"} {
		if bytes.HasPrefix(head[:n], []byte(magic)) {
			inner = what
		}
	}
	return refuse(name, "", "it contains no tar archive but "+inner)
}

// oldTar tells a tar archive of the oldest form, which has no mark, by its header's checksum.
func oldTar(head []byte) bool {
	if len(head) < 512 {
		return false
	}
	_, err := tar.NewReader(bytes.NewReader(head)).Next()
	return err == nil
}

func tarTrouble(err error) string {
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return "it ends early; the download may have been cut off: fetch it again"
	}
	return strings.TrimPrefix(err.Error(), "archive/tar: ")
}

// A spool is an unpacked stream, in memory while it is small.
type spool struct {
	mem  []byte
	file *os.File
	size int64
}

func (s *spool) ReadAt(p []byte, off int64) (int, error) {
	if s.file != nil {
		return s.file.ReadAt(p, off)
	}
	if off >= int64(len(s.mem)) {
		return 0, io.EOF
	}
	n := copy(p, s.mem[off:])
	if n < len(p) {
		return n, io.EOF
	}
	return n, nil
}

func (s *spool) close() error {
	if s.file == nil {
		return nil
	}
	err := s.file.Close()
	os.Remove(s.file.Name())
	return err
}

func unpack(name, format string, r io.Reader, packed int64) (*spool, error) {
	var in io.Reader
	var err error
	switch format {
	case "gzip":
		in, err = gzip.NewReader(r)
	case "bzip2":
		in = bzip2.NewReader(r)
	case "xz":
		in, err = xz.ReaderConfig{DictCap: 64 << 20}.NewReader(r)
	case "zstd":
		var z *zstd.Decoder
		z, err = zstd.NewReader(r, zstd.WithDecoderMaxMemory(64<<20), zstd.WithDecoderConcurrency(1))
		if err == nil {
			defer z.Close()
			in = z
		}
	}
	if err != nil {
		return nil, refuse(name, "", format+": "+unpackTrouble(err))
	}
	most := max(DefaultLimits.From, packed*DefaultLimits.Ratio)
	most = min(most, DefaultLimits.Total+DefaultLimits.Total/8)
	s := &spool{}
	buf := bytes.NewBuffer(make([]byte, 0, min(inMemory, most+1, 5*packed)+bytes.MinRead))
	n, err := io.Copy(buf, io.LimitReader(in, min(most+1, inMemory)))
	s.size, s.mem = n, buf.Bytes()
	if err == nil && n == inMemory {
		if s.file, err = os.CreateTemp("", "merry-unpacked-"); err != nil {
			return nil, err
		}
		os.Remove(s.file.Name()) // where the system allows it, so that a killed command leaves nothing
		if _, err = s.file.Write(s.mem); err == nil {
			n, err = io.CopyBuffer(struct{ io.Writer }{s.file}, io.LimitReader(in, most+1-inMemory), s.mem[:copied])
			s.size += n
		}
		s.mem = nil
	}
	if err != nil {
		s.close()
		var pe *os.PathError
		if errors.As(err, &pe) {
			return nil, err
		}
		return nil, refuse(name, "", format+": "+unpackTrouble(err))
	}
	if s.size > most {
		s.close()
		return nil, refuse(name, "", fmt.Sprintf("it unpacks to more than %d times its size, as harmful archives do",
			DefaultLimits.Ratio))
	}
	return s, nil
}

func unpackTrouble(err error) string {
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		return "it ends early; the download may have been cut off: fetch it again"
	}
	return "it can't be unpacked: " + err.Error()
}
