//go:build linux && !portable

package disk

import (
	"encoding/binary"
	"io/fs"
	"testing"
)

// record is an entry as the system writes it.
func record(kind byte, name string) []byte {
	b := make([]byte, 19, 64)
	b[18] = kind
	b = append(append(b, name...), 0)
	for len(b)%8 != 0 {
		b = append(b, 0)
	}
	binary.NativeEndian.PutUint16(b[16:], uint16(len(b)))
	return b
}

// TestEntriesOfUnknownType: where a file system does not say what an entry is, a look at it does.
func TestEntriesOfUnknownType(t *testing.T) {
	f, _ := folder(t, "a/sub/x", "a/one")
	l := &listed{folder: f, dir: "a"}
	for _, name := range []string{".", "..", "one", "sub", "gone"} {
		l.read(record(0, name))
	}
	if len(l.entries) != 2 || l.entries[0].name != "one" || l.entries[0].kind != 0 || l.entries[1].kind != fs.ModeDir {
		t.Errorf("%+v", l.entries)
	}
}

// FuzzEntries: no piece of a list makes reading it fail.
func FuzzEntries(f *testing.F) {
	f.Add(append(record(8, "one"), record(4, "sub")...))
	f.Fuzz(func(t *testing.T, b []byte) {
		for i := 18; i < len(b); i++ {
			if b[i] == 0 {
				b[i] = 8 // nothing is looked at
			}
		}
		(&listed{folder: &Folder{}}).read(b)
	})
}
