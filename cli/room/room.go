// Package room runs this very program as a process that can do nothing but rehearse: no arguments, no environment, no file, no
// connection, a limit on its memory; and it is what runs there.
package room

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"runtime/metrics"
	"strings"
	"time"
)

// Command is the hidden command that a rehearsal's own process runs.
const Command = "rehearsal-room"

// Memory is how much memory a rehearsal may take, in bytes.
const Memory = 512 << 20

// mostReport is how long a rehearsal's report may be, in bytes.
const mostReport = 16 << 20

// Ask has a request answered in a process of its own, whose standard input and output are for the request and the report. Its input stays open until its report has come: where that
// ends first, this process has, and the room ends with it.
func Ask(ctx context.Context, request []byte) ([]byte, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.CommandContext(ctx, self, Command)
	cmd.Env = []string{}
	cmd.Dir = string(filepath.Separator)
	out, errOut := &bounded{most: mostReport}, &bounded{most: 64 << 10}
	cmd.Stdout, cmd.Stderr = out, errOut
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	go in.Write(request) // it is closed by Wait, once the room has ended
	err = cmd.Wait()
	if out.over {
		return nil, errors.New("its report is too long")
	}
	if err != nil {
		why := errOut.String()
		if strings.Contains(why, "memory") {
			why = "it asked for too much memory"
		}
		line, _, _ := strings.Cut(why, "\n")
		return nil, fmt.Errorf("%s", cmp.Or(strings.TrimPrefix(line, "merry: "), err.Error()))
	}
	return out.Bytes(), nil
}

// Serve is what runs in that process: it closes the room behind itself, reads a request, and writes the report.
func Serve(in io.Reader, out io.Writer, answer func(request []byte) ([]byte, error)) error {
	debug.SetMemoryLimit(Memory / 2)
	debug.SetGCPercent(200)
	limitMemory(Memory)
	time.Local = time.UTC // the file that says otherwise can't be read from here
	closeRoom()           // where the system can't, the engine alone is what holds
	go func() {
		for range time.Tick(20 * time.Millisecond) {
			if memoryInUse() > Memory {
				fmt.Fprintln(os.Stderr, "out of memory")
				os.Exit(outside)
			}
		}
	}()
	var request json.RawMessage
	if err := json.NewDecoder(in).Decode(&request); err != nil {
		return err
	}
	go func() {
		io.Copy(io.Discard, in)
		os.Exit(outside) // whoever asked is gone
	}()
	report, err := answer(request)
	if err != nil {
		return err
	}
	_, err = out.Write(report)
	return err
}

// outside is the exit status for a fault outside of the program.
const outside = 3

// bounded keeps what is written to it, up to a limit.
type bounded struct {
	bytes.Buffer
	most int
	over bool
}

// Write keeps b, or tells that it is too much; whoever writes it is ended by that.
func (b *bounded) Write(p []byte) (int, error) {
	if b.Len()+len(p) > b.most {
		b.over = true
		return 0, errors.New("too long")
	}
	return b.Buffer.Write(p)
}

// memoryInUse is what the heap holds, in bytes.
func memoryInUse() uint64 {
	sample := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
	metrics.Read(sample)
	return sample[0].Value.Uint64()
}
