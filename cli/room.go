package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"runtime/debug"
	"runtime/metrics"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/crate"
)

// roomCommand is the hidden command that a rehearsal's own process runs.
const roomCommand = "rehearsal-room"

// roomMemory is how much memory a rehearsal may take, in bytes.
const roomMemory = 512 << 20

// openRoom runs this very program as a process that can do nothing but rehearse: no arguments, no environment, its
// standard input and output for the request and the report.
func openRoom(ctx context.Context, request []byte) ([]byte, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.CommandContext(ctx, self, roomCommand)
	cmd.Env = []string{}
	cmd.Dir = os.TempDir()
	var out, errOut bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = bytes.NewReader(request), &out, &errOut
	if err := cmd.Run(); err != nil {
		why := errOut.String()
		if strings.Contains(why, "memory") {
			why = "it asked for too much memory"
		}
		line, _, _ := strings.Cut(why, "\n")
		return nil, fmt.Errorf("%s", orWord(strings.TrimPrefix(line, "merry: "), err.Error()))
	}
	return out.Bytes(), nil
}

func (a *app) room() *cobra.Command {
	return &cobra.Command{
		Use:    roomCommand,
		Hidden: true,
		Args:   cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			debug.SetMemoryLimit(roomMemory / 2)
			debug.SetGCPercent(200)
			limitMemory(roomMemory)
			go func() {
				for range time.Tick(20 * time.Millisecond) {
					if memoryInUse() > roomMemory {
						fmt.Fprintln(os.Stderr, "out of memory")
						os.Exit(int(crate.Outside))
					}
				}
			}()
			request, err := io.ReadAll(a.in)
			if err != nil {
				return err
			}
			report, err := crate.RunRehearsal(request)
			if err != nil {
				return err
			}
			_, err = a.out.Write(report)
			return err
		},
	}
}

// memoryInUse is what the heap holds, in bytes.
func memoryInUse() uint64 {
	sample := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
	metrics.Read(sample)
	return sample[0].Value.Uint64()
}
