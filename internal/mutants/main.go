// Mutants breaks the program in one place at a time and makes sure that the tests of the package concerned notice. A
// mutant that survives is a promise that no test holds.
//
//	go run ./internal/mutants           # all
//	go run ./internal/mutants order     # those whose package or file has this in its name
package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"time"
)

// A mutant is one text of a source file in the place of another.
type mutant struct {
	File    string // from the repository's root
	Old     string // is in it exactly once
	New     string
	Package string // whose tests must fail, "" for the file's own
	Promise string // that the mutant breaks
}

// timeout bounds the tests of one mutant: one that hangs is noticed, too.
const timeout = 3 * time.Minute

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	chosen := list
	if len(os.Args) > 1 {
		chosen = nil
		for _, m := range list {
			if strings.Contains(m.File+" "+m.Package, os.Args[1]) {
				chosen = append(chosen, m)
			}
		}
	}
	survived, err := run(ctx, chosen)
	if err != nil {
		fmt.Fprintln(os.Stderr, "mutants:", err)
		os.Exit(2)
	}
	fmt.Printf("%d mutants, %d survived\n", len(chosen), survived)
	if survived > 0 {
		os.Exit(1)
	}
}

// run tries mutants, several at once, and counts those that no test noticed.
func run(ctx context.Context, chosen []mutant) (survived int, err error) {
	dir, err := os.MkdirTemp("", "mutants-")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	var mu sync.Mutex
	var all sync.WaitGroup
	next := make(chan int)
	for range max(1, runtime.NumCPU()) {
		all.Go(func() {
			for i := range next {
				noticed, merr := try(ctx, filepath.Join(dir, fmt.Sprint(i)), chosen[i])
				mu.Lock()
				err = errors.Join(err, merr)
				if merr == nil && !noticed {
					survived++
					fmt.Printf("survived: %s: %s\n", chosen[i].File, chosen[i].Promise)
				}
				mu.Unlock()
			}
		})
	}
	for i := range chosen {
		if ctx.Err() != nil {
			break
		}
		next <- i
	}
	close(next)
	all.Wait()
	if err == nil {
		err = ctx.Err()
	}
	return survived, err
}

// try runs a package's tests with one mutant. The repository itself is not changed: the go command reads the one file
// from dir.
func try(ctx context.Context, dir string, m mutant) (noticed bool, err error) {
	source, err := os.ReadFile(m.File)
	if err != nil {
		return false, err
	}
	if n := strings.Count(string(source), m.Old); n != 1 {
		return false, fmt.Errorf("%s has %q %d times; name a text that stands there once", m.File, m.Old, n)
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return false, err
	}
	mutated, overlay := filepath.Join(dir, filepath.Base(m.File)), filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(mutated, []byte(strings.Replace(string(source), m.Old, m.New, 1)), 0o644); err != nil {
		return false, err
	}
	original, err := filepath.Abs(m.File)
	if err != nil {
		return false, err
	}
	text, err := json.Marshal(map[string]any{"Replace": map[string]string{original: mutated}})
	if err != nil {
		return false, err
	}
	if err := os.WriteFile(overlay, text, 0o644); err != nil {
		return false, err
	}
	pkg := m.Package
	if pkg == "" {
		pkg = filepath.ToSlash(filepath.Dir(m.File))
	}
	ctx, cancel := context.WithTimeout(ctx, timeout)
	defer cancel()
	args := []string{"test", "./" + pkg}
	if strings.HasPrefix(pkg, "e2e") { // the tests of the built program take minutes
		args = append(args, "-short", "-count=1") // the mutant is in the program, not in the test
	}
	cmd := exec.CommandContext(ctx, "go", args...)
	cmd.Env = append(os.Environ(), "GOFLAGS=-overlay="+overlay) // the tests build the program
	out, err := cmd.CombinedOutput()
	if err != nil && strings.Contains(string(out), "[build failed]") {
		return false, fmt.Errorf("%s: with %q it does not compile:\n%s", m.File, m.New, out)
	}
	return err != nil, nil
}
