package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestMutantsApply: the text that a mutant replaces is in its file exactly once, and gives way to another one.
func TestMutantsApply(t *testing.T) {
	for _, m := range list {
		b, err := os.ReadFile(filepath.Join("../..", m.File))
		if err != nil {
			t.Error(err)
			continue
		}
		if n := strings.Count(string(b), m.Old); n != 1 {
			t.Errorf("%s has %q %d times", m.File, m.Old, n)
		}
		if m.Old == m.New || m.Promise == "" {
			t.Errorf("the mutant %q of %s changes nothing, or names no promise", m.Old, m.File)
		}
	}
}
