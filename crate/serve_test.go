package crate

import (
	"testing"

	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/origin"
	"merrycrate.example/merry/crate/paths"
)

// TestGenerations: of states of a project that follow each other the last two stay open, and no more.
func TestGenerations(t *testing.T) {
	var folders []*disk.Folder
	g := &generations{}
	for range 5 {
		on, err := disk.Open(paths.OnDisk(t.TempDir()))
		if err != nil {
			t.Fatal(err)
		}
		folders = append(folders, on)
		g.add(&Crate{Origin: &origin.Opener{}, opened: []*disk.Folder{on}})
	}
	open := func() (n int) {
		for _, on := range folders {
			if _, err := on.Enter("."); err == nil {
				n++
			}
		}
		return n
	}
	if n := open(); n != 2 {
		t.Errorf("%d are open", n)
	}
	if g.close(); open() != 0 {
		t.Errorf("%d are open in the end", open())
	}
}
