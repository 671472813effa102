package cli

import (
	"bufio"
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
	var bare bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "A whole example, offline",
		Long: `Demo writes the site of the Gull Point Rowing Club and a few downloaded libraries into a folder,
plays the whole job on it, command by command, and leaves the folder to try things in.`,
		Example: "  merry demo\n  merry demo --to /tmp/club --bare",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			dir := to
			if dir == "" {
				made, err := os.MkdirTemp("", "merry-demo-")
				if err != nil {
					return err
				}
				dir = made
			}
			return a.play(cmd.Context(), dir, habit, bare)
		},
	}
	c.Flags().StringVar(&to, "to", "", "use this `DIR`, which must be new or empty")
	c.Flags().StringVar(&habit, "habit", "kind", "the `HABIT` by which the site keeps its files: "+strings.Join(demo.Habits, ", "))
	c.Flags().BoolVar(&bare, "bare", false, "only write the site and the downloads, and play nothing")
	return c
}

func (a *app) play(ctx context.Context, dir, habit string, bare bool) error {
	if !slices.Contains(demo.Habits, habit) {
		return misuse("--habit %s: there is %s", habit, strings.Join(demo.Habits, ", "))
	}
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return misuse("--to %s: the folder is not empty", dir)
	}
	site := filepath.Join(dir, "site")
	if err := demo.WriteSiteOf(site, habit); err != nil {
		return err
	}
	if err := demo.WriteDownloads(filepath.Join(dir, "downloads")); err != nil {
		return err
	}
	if bare {
		a.printf("%s\n%s\n", site, filepath.Join(dir, "downloads"))
		return nil
	}
	registry, cdn, err := a.standIns(ctx, dir)
	if err != nil {
		return err
	}
	defer registry.Close()
	defer cdn.Close()
	input := a.in
	for _, s := range demo.Steps {
		switch s.First {
		case "checkout":
			for _, gone := range []string{"js/tidechart.js", "lib/tidechart", "scripts/tidechart-3.1.0.js"} {
				os.RemoveAll(filepath.Join(site, filepath.FromSlash(gone)))
			}
		case "regatta":
			err = demo.WriteDocumented(site, habit)
		case "paste":
			input = strings.NewReader(demo.Pasted)
		case "profiles":
			err = demo.AddProfiles(site)
		case "fog":
			err = demo.WriteFog(site, habit)
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
		if s.Say != "" {
			a.printf("%s\n", a.paint.Dim("# "+s.Say))
		}
		a.printf("%s\n", a.paint.Bold("$ merry "+show.Command(s.Args)))
		if out, ok := a.out.(*bufio.Writer); ok {
			out.Flush()
		}
		if status := Run(ctx, append([]string{"--in", site}, s.Args...), input, a.out, a.out); status != s.Status {
			return fmt.Errorf("the demo went wrong at merry %s: status %d, expected %d", show.Command(s.Args), status, s.Status)
		}
		a.printf("\n")
	}
	a.printf("The site is in %s, the downloads beside it.\n", site)
	a.next("cd %s, and try things", site)
	return nil
}

// hasBrowser tells whether this machine has a browser that pages can be looked at with.
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
	for _, set := range [][]string{{"sources", "set", "certificates", certificates}, {"sources", "set", "host", "cdn.harbour.example", cdn.Secure}} {
		if status := Run(ctx, set, a.in, io.Discard, a.out); status != 0 {
			return nil, nil, fmt.Errorf("the demo's stand-in for a CDN could not be set")
		}
	}
	return registry, cdn, nil
}
