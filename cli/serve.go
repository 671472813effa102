package cli

import (
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
)

func (a *app) serve() *cobra.Command {
	req := crate.ServeRequest{}
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the site on this machine and print browser messages",
		Long: `Serve answers on loopback as a web server would, with index files, the site's own
404.html, types, ranges and compression. It sends the headers from the files that
headers: names. When a file changes, open pages reload; stylesheets are swapped in place.

It prints what the browser's console says, each line once: the position (through
source maps), the cause if check knows it, and what to type. For that, served
pages get a small script; nothing is written to disk.

--profile shows the pages as that profile would leave them. --offline answers
links to other hosts from the cache. --behind passes requests for pages to the
server that fills in their templates.`,
		Example: "  merry serve\n  merry serve --port 8000 --profile live\n  merry serve --behind " +
			"http://127.0.0.1:8080\n  merry serve --offline",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			t := &notifier{app: a}
			req.Reload = func() (*crate.Crate, error) { return a.open(sourceFlags{}) }
			req.Ready, req.OnPage, req.OnMessage, req.OnError = t.ready, t.shown, t.said, t.trouble
			err = door.Serve(cmd.Context(), req)
			if cmd.Context().Err() != nil {
				return quietStatus(0) // it was ended as it is meant to be
			}
			return err
		},
	}
	f := c.Flags()
	f.StringVar(&req.Port, "port", "0", "answer on this `PORT` (default: a free one)")
	f.StringVar(&req.Host, "host", "127.0.0.1", "answer on this `ADDRESS`, so that other machines can connect "+
		"(default: loopback)")
	f.DurationVar(&req.Cache, "cache", 0, "let browsers cache files for `TIME`, such as 1h (default: no caching)")
	f.StringVar(&req.Behind, "behind", "", "the `URL` of a server that fills in the pages' templates")
	f.StringVar(&req.Profile, "profile", "", "show the pages as this `NAME`d profile of the packing list would "+
		"leave them")
	return c
}

// A notifier prints what happens while a site is served. Its methods are called from several goroutines.
type notifier struct {
	*app
	mu sync.Mutex
}

// print prints a text, or with --json a line of JSON, at once.
func (t *notifier) print(event string, v any, text func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.json {
		if line, err := encode(map[string]any{"event": event, event: v}); err == nil {
			t.printf("%s\n", line)
		}
	} else {
		text()
	}
	t.flush()
}

func (t *notifier) ready(address string) {
	t.print("address", address, func() {
		t.printf("%s  serves the site until you press Ctrl-C\n", t.paint.Bold(address+"/"))
	})
}

func (t *notifier) shown(names []string) {
	t.print("changed", names, func() {
		what := "all"
		if len(names) > 0 {
			what = some(names)
		}
		t.printf("%s\n", t.paint.Dim(time.Now().Format("15:04:05")+"  changed, and reloaded: "+show.Text(what)))
	})
}

func (t *notifier) said(m *crate.Message) {
	t.print("message", m, func() {
		on := ""
		if m.File != "" && m.File != m.Page {
			on = "on:   " + m.Page
		}
		t.printMessage("", t.paint.Bold(show.Text(m.Place()))+"  ", on, m)
	})
}

func (t *notifier) trouble(err error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	p := problem.Of(err)
	fmt.Fprintf(t.err, "merry: %s\n%s", show.Lines(p.What), show.Steps("next:  ", strings.Join(p.Next, "; ")))
}

// printMessage prints what a browser said of a page: after a heading, with where that was, and what check knows of it.
func (a *app) printMessage(indent, heading, where string, m *crate.Message) {
	kind := a.paint.Red(string(m.Kind))
	if !m.Wrong() {
		kind = a.paint.Yellow(string(m.Kind))
	}
	a.printf("%s%s%s: %s\n", indent, heading, kind, show.Text(m.Text))
	for _, line := range []string{where, show.Before("why:  ", m.Cause)} {
		if line != "" {
			a.printf("%s  %s\n", indent, show.Text(line))
		}
	}
	if m.Next != "" {
		a.printf("%s", show.Steps(indent+"  next: ", m.Next))
	}
}
