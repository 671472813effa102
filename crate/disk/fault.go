//go:build faults

package disk

import (
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

// StoppedStatus is the exit status of a process that a fault has stopped.
const StoppedStatus = 86

// FaultVariable names the environment variable that makes writes go wrong: "stop@N" ends the process in the middle of
// the Nth write, "fail@N" fails that one, "full@N" fails every one from the Nth on, "slow@N" waits N milliseconds at
// each.
const FaultVariable = "MERRY_FAULT"

var (
	writes atomic.Int64
	fault  = sync.OnceValue(func() (f struct {
		kind string
		at   int64
		err  error // of a text that is no fault: every write fails with it
	}) {
		text := os.Getenv(FaultVariable)
		if text == "" {
			return f
		}
		kind, n, _ := strings.Cut(text, "@")
		f.kind = kind
		if f.at, f.err = strconv.ParseInt(n, 10, 64); f.err != nil ||
			!slices.Contains([]string{"stop", "fail", "full", "slow"}, kind) {
			f.err = fmt.Errorf("%s=%q is no fault: write stop@N, fail@N, full@N or slow@N", FaultVariable, text)
		}
		return f
	})
)

// faultPoint counts a write, and makes it go wrong if it is the one. Half is what the write does before it is cut off.
func faultPoint(op, name string, half func()) error {
	f := fault()
	n := writes.Add(1)
	switch {
	case f.err != nil:
		return f.err
	case f.kind == "stop" && n == f.at:
		if half != nil {
			half()
		}
		os.Exit(StoppedStatus)
	case f.kind == "fail" && n == f.at:
		return &fs.PathError{Op: op, Path: name, Err: syscall.EIO}
	case f.kind == "full" && n >= f.at && op != "remove": // removing needs no room
		return &fs.PathError{Op: op, Path: name, Err: syscall.ENOSPC}
	case f.kind == "slow":
		time.Sleep(time.Duration(f.at) * time.Millisecond)
	}
	return nil
}
