// Package sandbox runs this program as a process that can only rehearse. It has no arguments, environment, files or
// connections, and limited memory.
package sandbox

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
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"strings"
	"sync"
	"time"
)

// Command is the hidden command that a rehearsal's own process runs.
const Command = "rehearsal-room"

// MaxMemory is how much memory a rehearsal may take, in bytes.
const MaxMemory = 512 << 20

// maxReport is how long a rehearsal's report may be, in bytes.
const maxReport = 16 << 20

// A Pool has requests answered in rooms. A room that has answered is used again for the next request, which gets an
// engine of its own there; one that was ended, or that could not answer, is not. The zero value is ready for use, by
// several goroutines at once.
type Pool struct {
	mu   sync.Mutex
	idle []*process
}

// Ask has a request answered in a process of its own, whose standard input and output are for requests and reports. Its
// input stays open as long as this process is there: the room ends with it.
func (k *Pool) Ask(ctx context.Context, request []byte) ([]byte, error) {
	if p := k.take(); p != nil {
		report, err := p.ask(ctx, request)
		if err == nil {
			k.put(p)
			return report, nil
		}
		p.end()
		if ctx.Err() != nil {
			return nil, err
		}
		// It may have been spent by what came before: what a new one says counts.
	}
	p, err := startProcess()
	if err != nil {
		return nil, err
	}
	report, err := p.ask(ctx, request)
	if err != nil {
		return nil, p.why(err)
	}
	k.put(p)
	return report, nil
}

func (k *Pool) take() *process {
	k.mu.Lock()
	defer k.mu.Unlock()
	n := len(k.idle) - 1
	if n < 0 {
		return nil
	}
	p := k.idle[n]
	k.idle = k.idle[:n]
	return p
}

func (k *Pool) put(p *process) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.idle = append(k.idle, p)
}

// A process is one room, as it is seen from outside.
type process struct {
	cmd     *exec.Cmd
	in      io.WriteCloser
	out     *io.LimitedReader // of one report
	reports *json.Decoder
	said    *bounded
}

func startProcess() (*process, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	p := &process{cmd: exec.Command(self, Command), said: &bounded{most: 64 << 10}}
	p.cmd.Env = []string{}
	p.cmd.Dir = string(filepath.Separator)
	p.cmd.Stderr = p.said
	if p.in, err = p.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	p.out = &io.LimitedReader{R: out}
	p.reports = json.NewDecoder(p.out)
	return p, p.cmd.Start()
}

// ask hands a request in and waits for its report. After an error the process is of no use.
func (p *process) ask(ctx context.Context, request []byte) ([]byte, error) {
	stop := context.AfterFunc(ctx, func() { p.cmd.Process.Kill() })
	defer stop()
	go p.in.Write(append(request, '\n'))
	p.out.N = maxReport
	var report json.RawMessage
	err := p.reports.Decode(&report)
	switch {
	case ctx.Err() != nil:
		return nil, ctx.Err()
	case p.out.N <= 0:
		return nil, errTooLong
	}
	return report, err
}

var errTooLong = errors.New("its report is too long")

// end ends the process.
func (p *process) end() error {
	p.cmd.Process.Kill()
	return p.cmd.Wait()
}

// why ends a process that did not answer, and says why it did not: by what it said itself, where it said something.
func (p *process) why(err error) error {
	if err == errTooLong || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		p.end()
		return err
	}
	p.in.Close()
	ended := p.cmd.Wait()
	said := p.said.String()
	if strings.Contains(said, "memory") {
		said = "it used too much memory"
	}
	line, _, _ := strings.Cut(said, "\n")
	if line = strings.TrimPrefix(line, "merry: "); line != "" || ended == nil {
		return fmt.Errorf("%s", cmp.Or(line, err.Error()))
	}
	return ended
}

// maxIdle is how long a room waits for another request.
const maxIdle = 30 * time.Second

// Serve runs in the sandbox's process. It confines the process, reads requests, and writes a report for each. It
// returns when the parent process has ended.
//
// The channel for an answer closes once the process has used the request's limit of processor time. So a busy machine
// gives the same answers as an idle one.
func Serve(in io.Reader, out io.Writer, limit func(request []byte) time.Duration, answer func(request []byte,
	stop <-chan struct{}) ([]byte, error)) error {
	debug.SetMemoryLimit(MaxMemory / 2)
	debug.SetGCPercent(200)
	limitMemory(MaxMemory)
	time.Local = time.UTC // the file that says otherwise can't be read from here
	confine()             // where the system can't, the engine alone is what holds
	go func() {
		for range time.Tick(20 * time.Millisecond) {
			if memoryInUse() > MaxMemory {
				fmt.Fprintln(os.Stderr, "out of memory")
				os.Exit(outside)
			}
		}
	}()
	requests := make(chan json.RawMessage)
	go func() {
		for list := json.NewDecoder(in); ; {
			var request json.RawMessage
			if list.Decode(&request) != nil {
				os.Exit(outside)
			}
			requests <- request
		}
	}()
	for {
		select {
		case request := <-requests:
			stop, done := afterProcessorTime(limit(request))
			report, err := answer(request, stop)
			done()
			if err != nil {
				return err
			}
			if _, err := out.Write(append(report, '\n')); err != nil {
				return err
			}
			if memoryInUse() > MaxMemory/16 {
				runtime.GC() // the next one is to have the same room
			}
		case <-time.After(maxIdle):
			return nil
		}
	}
}

// started is when this process began.
var started = time.Now()

// afterProcessorTime returns a channel that closes when this process has used an amount of processor time, and a
// function that gives the watch up.
func afterProcessorTime(amount time.Duration) (stop <-chan struct{}, done func()) {
	closed, ended := make(chan struct{}), make(chan struct{})
	end := processorTime() + amount
	go func() {
		tick := time.NewTicker(10 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-ended:
				return
			case <-tick.C:
				if processorTime() >= end {
					close(closed)
					return
				}
			}
		}
	}()
	return closed, func() { close(ended) }
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
