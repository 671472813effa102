package cli

import (
	"fmt"
	"io"
	"os"
	"sync"
	"time"

	"github.com/charmbracelet/x/ansi"
	"golang.org/x/term"
)

// doing names the step of a long command, for its progress line.
var doing = map[string]string{
	"peek": "reading the source", "take": "reading the source and writing", "adopt": "identifying the tags",
	"include": "updating the pages", "omit": "updating the pages", "switch": "updating the pages",
	"order": "reading the pages and their scripts", "move": "moving files and updating references",
	"drop": "updating the pages", "check": "checking the pages", "look": "opening the pages in the browser",
	"contents": "reading the crate", "bill": "reading the crate", "seal": "reading the files",
	"versions": "asking the registry", "compare": "comparing the versions", "repin": "moving the versions",
	"settle": "comparing with the packing list",
	"refill": "getting the files", "sources": "asking the registries", "learn": "asking the CDN",
	"try": "asking the CDNs",
}

// A waiting tells on a terminal what is being waited for, on one line and once that takes longer than a moment. It
// takes the line off before anything else is printed.
type waiting struct {
	out   io.Writer
	width int
	what  string
	begun time.Time

	mu    sync.Mutex
	shown bool
	ended bool
	stop  chan struct{}
}

// wait begins to tell what a command is busy with, where somebody would see it.
func (a *app) wait(command string) {
	what := doing[command]
	if what == "" || a.json || a.quiet || !isTerminal(os.Stderr) || a.waits != nil {
		return
	}
	width, _, err := term.GetSize(int(os.Stderr.Fd()))
	if err != nil {
		width = 80
	}
	a.waits = startWaiting(os.Stderr, width, what)
}

func startWaiting(out io.Writer, width int, what string) *waiting {
	w := &waiting{out: out, width: width, what: what, begun: time.Now(), stop: make(chan struct{})}
	go func() {
		tick := time.NewTicker(noticed / 2)
		defer tick.Stop()
		for {
			select {
			case <-w.stop:
				return
			case <-tick.C:
				w.tell()
			}
		}
	}()
	return w
}

// tell writes the line again.
func (w *waiting) tell() {
	w.mu.Lock()
	defer w.mu.Unlock()
	since := time.Since(w.begun)
	if w.ended || since < noticed {
		return
	}
	w.shown = true
	line := fmt.Sprintf("%s … %d s", w.what, int(since.Seconds()))
	fmt.Fprint(w.out, "\r"+ansi.Truncate(line, max(1, w.width-1), "…")+"\x1b[K")
}

// End takes the line off the terminal, for good.
func (w *waiting) end() {
	if w == nil {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.ended {
		return
	}
	w.ended = true
	close(w.stop)
	if w.shown {
		fmt.Fprint(w.out, "\r\x1b[K")
	}
}

// behind is an output that waits for the line to be taken off.
type behind struct {
	app *app
	to  io.Writer
}

// Write takes the line off, and writes.
func (b behind) Write(p []byte) (int, error) {
	b.app.waits.end()
	return b.to.Write(p)
}
