package sandbox

import (
	"bytes"
	"testing"
)

// TestMemoryInUse: the room's own process can tell what it holds, which is less than it may.
func TestMemoryInUse(t *testing.T) {
	if memoryInUse() == 0 || memoryInUse() > MaxMemory {
		t.Errorf("%d bytes in use", memoryInUse())
	}
}

// TestReportsAreBounded: whoever writes more than a report may be is ended by that.
func TestReportsAreBounded(t *testing.T) {
	out := &bounded{most: 10}
	if _, err := out.Write(bytes.Repeat([]byte("a"), 10)); err != nil || out.over {
		t.Error("ten bytes are too long")
	}
	if _, err := out.Write([]byte("b")); err == nil || !out.over || out.Len() != 10 {
		t.Error("eleven bytes were kept")
	}
}
