package problem

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"syscall"
	"testing"
)

// TestOf: every error has a code, a class and a next step, and what nobody made as a problem is never a refusal.
func TestOf(t *testing.T) {
	_, notThere := os.Open("/nowhere/at/all")
	for _, tt := range []struct {
		err   error
		class Class
		code  Code
	}{
		{Refuse(Held, "x", "held"), Refused, Held},
		{fmt.Errorf("brinework: %w", Refuse(Held, "x", "held")), Refused, Held},
		{Misuse("x", "no"), Misused, Usage},
		{Fault(Offline, "x", "no"), Outside, Offline},
		{notThere, Outside, DiskFault},
		{&fs.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}, Outside, DiskFull},
		{&os.LinkError{Op: "rename", Err: syscall.EACCES}, Outside, NoPermission},
		{context.Canceled, Stopped, Cancelled},
		{fmt.Errorf("reading: %w", context.Canceled), Stopped, Cancelled},
		{errors.New("index out of range"), Internal, Bug},
	} {
		p := Of(tt.err)
		if p.Class != tt.class || p.Code != tt.code || len(p.Next) == 0 || p.Next[0] == "" || p.What == "" {
			t.Errorf("%v: %+v", tt.err, p)
		}
	}
	if p := Of(fmt.Errorf("brinework needs oarlock: %w",
		Refuse(Held, "wait", "it is held"))); p.What != "brinework needs oarlock: it is held" || p.Next[0] != "wait" {
		t.Errorf("%+v", p)
	}
}
