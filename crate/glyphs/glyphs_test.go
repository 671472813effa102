package glyphs

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"
)

// The fonts of testdata are made up: icons.ttf has a wave, a ring, a pennant and one that is made of two (U+E001, 2, 3,
// 9), in three containers; drawn.otf has the ring and the pennant on another grid, as cubic outlines, under other
// characters (U+E001, 2), and a box (U+F0003).
func font(t testing.TB, name string) *Font {
	t.Helper()
	b, err := os.ReadFile(filepath.Join("testdata", name))
	if err != nil {
		t.Fatal(err)
	}
	f, err := Read(b)
	if err != nil {
		t.Fatal(name, err)
	}
	return f
}

func TestOneDrawingInEachContainer(t *testing.T) {
	plain := font(t, "icons.ttf")
	for _, name := range []string{"icons.woff", "icons.woff2"} {
		f := font(t, name)
		for _, r := range []rune{0xe001, 0xe002, 0xe003, 0xe009} {
			a, b := plain.Draw(r), f.Draw(r)
			if a == nil || b == nil || *a != *b {
				t.Errorf("%s draws %x otherwise", name, r)
			}
		}
		if f.Draw(' ') != nil || f.Draw(0xe004) != nil || f.Draw('x') != nil {
			t.Errorf("%s draws what it has not", name)
		}
	}
}

func TestLike(t *testing.T) {
	plain, other := Set{font(t, "icons.ttf")}, Set{font(t, "drawn.otf"), font(t, "icons.woff")}
	for _, tt := range []struct {
		a, b rune
		same bool
	}{{0xe002, 0xe001, true}, {0xe003, 0xe002, true}, {0xe001, 0xe001, true}, {0xe001, 0xe002, false},
		{0xe001, 0xf0003, false}, {0xe009, 0xe002, false}, {0xe009, 0xe009, true}} {
		like, known := Like(plain.Draw(tt.a), other.Draw(tt.b))
		if !known || tt.same && like < Same || !tt.same && like > Other {
			t.Errorf("%x and %x are alike by %.2f (%v)", tt.a, tt.b, like, known)
		}
	}
	if like, known := Like(plain.Draw(0xe001), plain.Draw(0xe00f)); known || like != 0 {
		t.Error("what is not there is like something")
	}
}

func TestBrokenFonts(t *testing.T) {
	for _, name := range []string{"icons.ttf", "icons.woff", "icons.woff2", "drawn.otf"} {
		b, err := os.ReadFile(filepath.Join("testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		for _, cut := range []int{0, 3, 11, 40, len(b) / 2} {
			if _, err := Read(b[:cut]); err == nil {
				t.Errorf("the first %d bytes of %s are a font", cut, name)
			}
		}
	}
	huge, _ := os.ReadFile(filepath.Join("testdata", "icons.woff"))
	copy(huge[44+12:], []byte{0x7f, 0xff, 0xff, 0xff}) // a table that says it is two gigabytes
	if _, err := Read(huge); err == nil {
		t.Error("a table of two gigabytes is read")
	}
	if _, err := Read(bytes.Repeat([]byte("wOF2"), 40)); err == nil {
		t.Error("nonsense is a font")
	}
}

// FuzzRead reads anything, which must end soon, and draws of it what it can.
func FuzzRead(f *testing.F) {
	for _, name := range []string{"icons.ttf", "icons.woff", "icons.woff2", "drawn.otf"} {
		b, err := os.ReadFile(filepath.Join("testdata", name))
		if err != nil {
			f.Fatal(err)
		}
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		font, err := Read(b)
		if err != nil {
			return
		}
		for _, r := range []rune{0xe001, 0xe002, 0xe003, 0xe009} {
			if d := font.Draw(r); d != nil && d.Like(d) != 1 {
				t.Errorf("a drawing is like itself by %v", d.Like(d))
			}
		}
	})
}
