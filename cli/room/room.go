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

// A process is one that waits for its request.
type process struct {
	cmd         *exec.Cmd
	in          io.WriteCloser
	out, errOut *bounded
}

// begin starts a process. Its input stays open until its report has come: where that ends first, this process has, and the room ends with it.
func begin() (*process, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	p := &process{cmd: exec.Command(self, Command), out: &bounded{most: mostReport}, errOut: &bounded{most: 64 << 10}}
	p.cmd.Env = []string{}
	p.cmd.Dir = string(filepath.Separator)
	p.cmd.Stdout, p.cmd.Stderr = p.out, p.errOut
	if p.in, err = p.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	return p, p.cmd.Start()
}

// ready are processes that were started early.
var ready = make(chan *process, 16)

// Warm starts processes early, side by side with whatever comes before the first rehearsals. Each is for one of them; those that are not
// needed end with this process.
func Warm(n int) {
	for range n {
		go func() {
			if p, err := begin(); err == nil {
				select {
				case ready <- p:
				default:
					p.cmd.Process.Kill()
				}
			}
		}()
	}
}

// Ask has a request answered in a process of its own, whose standard input and output are for the request and the report.
func Ask(ctx context.Context, request []byte) (report []byte, err error) {
	var p *process
	select {
	case p = <-ready:
	default:
		if p, err = begin(); err != nil {
			return nil, err
		}
	}
	end := context.AfterFunc(ctx, func() { p.cmd.Process.Kill() })
	defer end()
	go p.in.Write(request) // it is closed by Wait, once the room has ended
	err = p.cmd.Wait()
	if p.out.over {
		return nil, errors.New("its report is too long")
	}
	if err != nil {
		why := p.errOut.String()
		if strings.Contains(why, "memory") {
			why = "it asked for too much memory"
		}
		line, _, _ := strings.Cut(why, "\n")
		return nil, fmt.Errorf("%s", cmp.Or(strings.TrimPrefix(line, "merry: "), err.Error()))
	}
	return p.out.Bytes(), nil
}

// Serve is what runs in that process: it closes the room behind itself, makes itself ready, reads a request, and writes the report.
func Serve(in io.Reader, out io.Writer, prepare func(), answer func(request []byte) ([]byte, error)) error {
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
	prepare()
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
