package cli

import (
	"bytes"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/spf13/cobra"
)

// kept keeps what is written, by several at once.
type kept struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (k *kept) Write(p []byte) (int, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.b.Write(p)
}

func (k *kept) String() string {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.b.String()
}

// TestWaiting: what is waited for is reported once the wait is long, fits the window, and is taken off before anything
// else is printed.
func TestWaiting(t *testing.T) {
	var terminal kept
	w := startWaiting(&terminal, 20, "checking the pages of the club")
	if w.tell(); terminal.String() != "" {
		t.Errorf("at once it says %q", terminal.String())
	}
	for begun := time.Now(); terminal.String() == "" && time.Since(begun) < time.Minute; {
		time.Sleep(10 * time.Millisecond)
	}
	a := &app{waits: w}
	behind{a, &terminal}.Write([]byte("3 pages\n"))
	behind{a, &terminal}.Write([]byte("done\n"))
	w.tell() // too late
	text := terminal.String()
	if !strings.HasPrefix(text, "\rchecking the pages…\x1b[K") || !strings.HasSuffix(text, "\r\x1b[K3 pages\ndone\n") {
		t.Errorf("it says %q", text)
	}
	// A short wait leaves no trace, and none is begun where nobody would see it.
	var quick bytes.Buffer
	startWaiting(&quick, 80, "checking").end()
	if a := (&app{}); quick.String() != "" {
		t.Errorf("a short wait says %q", quick.String())
	} else if a.wait("check"); a.waits != nil {
		t.Error("it waits where there is no terminal")
	}
}

// TestDoing: what is said while one waits is of commands that there are.
func TestDoing(t *testing.T) {
	there := map[string]bool{}
	var visit func(c *cobra.Command)
	visit = func(c *cobra.Command) {
		there[c.Name()] = true
		for _, sub := range c.Commands() {
			visit(sub)
		}
	}
	visit((&app{out: &bytes.Buffer{}, err: &bytes.Buffer{}}).root())
	for name := range doing {
		if !there[name] {
			t.Errorf("there is no command %s", name)
		}
	}
}
