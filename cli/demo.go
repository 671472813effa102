package cli

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/demo"
	"merrycrate.example/merry/standin"
)

func (a *app) demo() *cobra.Command {
	var to, habit string
	var bare, standIns, step, filled bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "Play a whole example, offline",
		Long: `Demo writes the website of the Gull Point Rowing Club and a few downloaded
libraries into a folder. It then plays the whole job on them, command by command,
and leaves the folder for you to try things in. With --step it waits for Enter
before each command. With --bare it plays nothing. With --stand-ins it plays
nothing either, and runs the demo's registry and CDN until you stop it. With
--filled it plays on a site of templates, with a server that fills them in.`,
		Example: "  merry demo\n  merry demo --filled\n  merry demo --to /tmp/club --bare\n  merry demo --to " +
			"/tmp/club --stand-ins",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			dir := to
			if dir == "" {
				made, err := os.MkdirTemp("", "merry-demo-")
				if err != nil {
					return err
				}
				dir = made
			}
			switch {
			case filled && (bare || standIns || habit != "kind"):
				return misuse("--filled plays another site, and goes with --to and --step alone")
			case filled:
				return a.playFilled(cmd.Context(), dir, step)
			case bare && standIns:
				return misuse("--bare and --stand-ins exclude each other")
			case step && (bare || standIns):
				return misuse("--step waits between commands, and --bare and --stand-ins play none")
			case standIns:
				return a.standBy(cmd.Context(), dir, habit)
			case bare:
				return a.writeDemo(dir, habit)
			}
			return a.play(cmd.Context(), dir, habit, step)
		},
	}
	c.Flags().StringVar(&to, "to", "", "use this `DIR`, which must be new or empty (default: a new folder)")
	c.Flags().StringVar(&habit, "habit", "kind", "the site's `HABIT` of keeping files: "+strings.Join(demo.Habits,
		", "))
	c.Flags().BoolVar(&step, "step", false, "wait for Enter before each command")
	c.Flags().BoolVar(&filled, "filled", false, "play the club's second site, whose pages a server fills in")
	c.Flags().BoolVar(&bare, "bare", false, "write the site, the downloads and more pages, and play nothing")
	c.Flags().BoolVar(&standIns, "stand-ins", false, "write the site if it is not there, and run the registry and the "+
		"CDN until stopped")
	return c
}

// layOut writes the demo's site, its downloads, and pages that come later, into a folder that is new or empty.
func layOut(dir, habit string) (site string, err error) {
	if !slices.Contains(demo.Habits, habit) {
		return "", misuse("--habit %s: use %s", habit, strings.Join(demo.Habits, ", "))
	}
	if err := empty(dir); err != nil {
		return "", err
	}
	return demo.LayOut(dir, habit)
}

// empty refuses a folder that has something in it.
func empty(dir string) error {
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return misuse("--to %s: the folder is not empty", dir)
	}
	return nil
}

// writeDemo writes the demo's folders, and plays nothing.
func (a *app) writeDemo(dir, habit string) error {
	site, err := layOut(dir, habit)
	if err != nil {
		return err
	}
	of := demoFoldersAnswer{site, filepath.Join(dir, "downloads"), filepath.Join(dir, "more")}
	return a.answer(of, func() { a.printf("%s\n%s\n%s\n", of.Site, of.Downloads, of.More) })
}

// standBy is the demo's registry and CDN until it is stopped.
func (a *app) standBy(ctx context.Context, dir, habit string) error {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	site := filepath.Join(dir, "site")
	if _, err := os.Stat(filepath.Join(dir, "downloads")); err != nil { // else it was written before
		if site, err = layOut(dir, habit); err != nil {
			return err
		}
	}
	registry, err := standin.NewRegistry()
	if err != nil {
		return err
	}
	defer registry.Close()
	cdn, err := standin.NewCDN()
	if err != nil {
		return err
	}
	defer cdn.Close()
	certificate := filepath.Join(dir, "certificate.pem")
	if err := os.WriteFile(certificate, cdn.Certificate, 0o644); err != nil {
		return err
	}
	if err := a.answer(standInsAnswer{site, registry.URL, cdn.Secure, certificate}, func() {
		a.printf("The demo's registry and CDN run until you press Ctrl-C. In another terminal:\n\n")
		a.printf("  cd %s\n  export REGISTRY=%s CDN=%s CERTIFICATE=%s\n", show.Word(site), registry.URL, cdn.Secure,
			show.Word(certificate))
	}); err != nil {
		return err
	}
	a.flush()
	<-ctx.Done()
	return nil
}

// A played step is one command of the demo, and what it printed.
type played struct {
	Say     string `json:"say,omitempty"` // what it is for
	Command string `json:"command"`       // the command
	Status  int    `json:"status"`        // its exit status
	Printed string `json:"printed"`       // what it printed
}

// A stage shows the commands of the demo, and waits between them if it steps.
type stage struct {
	*app
	steps bool
	lines *bufio.Reader // what the user types
}

// announce shows a command and what it is for. If the demo steps, it then waits for Enter; at the end of the input it
// waits no more.
func (s *stage) announce(say, command string) {
	if s.json {
		return
	}
	if say != "" {
		s.printf("%s\n", s.paint.Dim("# "+say))
	}
	s.printf("%s", s.paint.Bold("$ "+command))
	s.flush()
	if s.steps {
		_, err := s.lines.ReadString('\n')
		if err == nil && isTerminal(s.in) {
			return // the terminal has moved to the next line
		}
		s.steps = err == nil
	}
	s.printf("\n")
	s.flush()
}

func (a *app) play(ctx context.Context, dir, habit string, step bool) error {
	site, err := layOut(dir, habit)
	if err != nil {
		return err
	}
	registry, cdn, err := a.standIns(ctx, dir)
	if err != nil {
		return err
	}
	defer registry.Close()
	defer cdn.Close()
	shown := &stage{app: a, steps: step, lines: bufio.NewReader(a.in)}
	var input io.Reader = shown.lines
	var steps []played
	for _, s := range demo.Steps {
		redirect := ""
		edit, err := demo.ByHand(s.First, site, habit)
		if err != nil {
			return err
		}
		switch s.First {
		case "paste":
			input, redirect = strings.NewReader(demo.Pasted), " < ../more/tag.html"
		case "down":
			cdn.Down()
			err = os.Setenv(patienceVariable, "1s")
		case "browser":
			if !a.hasBrowser() {
				continue // what there is to see, check has said
			}
		}
		if err != nil {
			return err
		}
		for i, arg := range s.Args {
			if arg == "REGISTRY" {
				s.Args = slices.Clone(s.Args)
				s.Args[i] = registry.URL
			}
		}
		if habit != "kind" && s.Args[0] == "seal" {
			continue // the file has another name there
		}
		step := played{Say: s.Say, Command: "merry " + show.Command(s.Args) + redirect}
		if edit != "" {
			shown.announce(step.Say, edit)
			steps = append(steps, played{Say: step.Say, Command: edit})
			step.Say = ""
		}
		if step, err = a.playStep(ctx, shown, step, site, s.Args, s.Status, input); err != nil {
			return err
		}
		steps = append(steps, step)
	}
	return a.answerPlayed(site, steps)
}

// playFilled plays the job on the site that a server fills in.
func (a *app) playFilled(ctx context.Context, dir string, step bool) error {
	if err := empty(dir); err != nil {
		return err
	}
	site := filepath.Join(dir, "site")
	if err := demo.WriteFilled(site); err != nil {
		return err
	}
	if err := demo.WriteDownloads(filepath.Join(dir, "downloads")); err != nil {
		return err
	}
	// The demo has a cache and settings of its own, and leaves the user's alone.
	if err := os.Setenv(homeVariable, filepath.Join(dir, "home")); err != nil {
		return err
	}
	server, err := standin.NewFilled(site)
	if err != nil {
		return err
	}
	defer server.Close()
	shown := &stage{app: a, steps: step, lines: bufio.NewReader(a.in)}
	var steps []played
	for _, s := range demo.FilledSteps {
		if s.First == "browser" && !a.hasBrowser() {
			continue
		}
		args := slices.Clone(s.Args)
		if at := slices.Index(args, "FILLED"); at >= 0 {
			args[at] = server.URL
		}
		step, err := a.playStep(ctx, shown, played{Say: s.Say, Command: "merry " + show.Command(args)}, site, args,
			s.Status,
			shown.lines)
		if err != nil {
			return err
		}
		steps = append(steps, step)
	}
	return a.answerPlayed(site, steps)
}

// playStep shows a command of the demo and runs it. It fails if that ends with another status than it should.
func (a *app) playStep(ctx context.Context, shown *stage, step played, site string, args []string, status int,
	input io.Reader) (played, error) {
	shown.announce(step.Say, step.Command)
	var printed bytes.Buffer
	out := io.Writer(&printed)
	if !a.json {
		out = a.out
	}
	if step.Status = Run(ctx, append([]string{"--in", site}, args...), input, out, out); step.Status != status {
		return step, fmt.Errorf("the demo failed at %s: status %d, expected %d", step.Command, step.Status, status)
	}
	if step.Printed = printed.String(); !a.json {
		a.printf("\n")
	}
	return step, nil
}

// answerPlayed says where the site is that was played on.
func (a *app) answerPlayed(site string, steps []played) error {
	return a.answer(demoAnswer{site, steps}, func() {
		a.printf("The site is in %s; the downloads are next to it.\n", site)
		a.next("try things yourself: cd %s", show.Word(site))
	})
}

// hasBrowser reports whether this machine has a browser that pages can be looked at with.
func (a *app) hasBrowser() bool {
	door, err := a.open(sourceFlags{})
	if err != nil {
		return false
	}
	defer door.Close()
	return door.HasBrowser()
}

// standIns starts the demo's registry and CDN, and settings that know them. The caller closes both.
func (a *app) standIns(ctx context.Context, dir string) (*standin.Registry, *standin.CDN, error) {
	registry, err := standin.NewRegistry()
	if err != nil {
		return nil, nil, err
	}
	// The demo has a cache and settings of its own, and leaves the user's alone.
	if err := os.Setenv(homeVariable, filepath.Join(dir, "home")); err != nil {
		return nil, nil, err
	}
	cdn, err := standin.NewCDN()
	if err != nil {
		return nil, nil, err
	}
	certificates := filepath.Join(dir, "home", "harbour.pem")
	if err := os.MkdirAll(filepath.Dir(certificates), 0o755); err != nil {
		return nil, nil, err
	}
	if err := os.WriteFile(certificates, cdn.Certificate, 0o644); err != nil {
		return nil, nil, err
	}
	// A name under .example is nowhere; the settings say where it is today.
	for _, set := range [][]string{{"sources", "set", "certificates", certificates}, {"sources", "set", "host",
		"cdn.harbour.example", cdn.Secure}} {
		if status := Run(ctx, set, a.in, io.Discard, a.out); status != 0 {
			return nil, nil, fmt.Errorf("the demo's CDN could not be set")
		}
	}
	return registry, cdn, nil
}
