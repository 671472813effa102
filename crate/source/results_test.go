package source

import (
	"os"
	"path/filepath"
	"testing"
)

// TestResults: what was determined comes back as it was, and what is damaged is not there.
func TestResults(t *testing.T) {
	c := NewCache(t.TempDir())
	if _, ok := c.Result("kind-1", "x"); ok {
		t.Error("something is there that nobody kept")
	}
	for _, text := range []string{"", "short", string(make([]byte, 100_000))} {
		if err := c.PutResult("kind-1", "x", []byte(text)); err != nil {
			t.Fatal(err)
		}
		if b, ok := c.Result("kind-1", "x"); !ok || string(b) != text {
			t.Errorf("%d bytes came back as %d, %v", len(text), len(b), ok)
		}
	}
	for _, other := range [][2]string{{"kind-2", "x"}, {"kind-1", "y"}, {"kind-1\x00x", ""}} {
		if _, ok := c.Result(other[0], other[1]); ok {
			t.Errorf("%q gives what was kept under another name", other)
		}
	}
	name := filepath.Join(c.dir, c.worked("kind-1", "x"))
	whole, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	for _, damage := range [][]byte{nil, whole[:7], whole[:len(whole)-1], append([]byte("x"), whole...)} {
		if err := os.WriteFile(name, damage, 0o644); err != nil {
			t.Fatal(err)
		}
		if _, ok := c.Result("kind-1", "x"); ok {
			t.Errorf("%d damaged bytes are believed", len(damage))
		}
	}
	// It counts, and is trimmed, with all else.
	if n, _, err := c.Use(); err != nil || n != 1 {
		t.Errorf("%d entries, %v", n, err)
	}
	if n, _, err := c.Trim(0); err != nil || n != 1 {
		t.Errorf("%d trimmed, %v", n, err)
	}
	// A folder that can't be written to is an error for the caller to weigh.
	blocked := NewCache(filepath.Join(t.TempDir(), "file"))
	os.WriteFile(blocked.dir, nil, 0o644)
	if err := blocked.PutResult("kind-1", "x", nil); err == nil {
		t.Error("kept in a folder that is none")
	}
}
