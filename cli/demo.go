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
	c.Flags().StringVar(&habit, "habit", "kind", "how the site keeps its files: "+strings.Join(demo.Habits, ", "))
	c.Flags().BoolVar(&bare, "bare", false, "only write the site and the downloads, and play nothing")
	return c
}

// step is one command of the demo, with what it is for. Its folder is the site.
type step struct {
	say    string
	args   []string
	status int    // what it is expected to end with
	first  string // what happens before it: one of the names in happen
}

var demoSteps = []step{
	{"The club's site is five years old. Merry learns how it keeps its files.", []string{"start"}, 0, ""},
	{"A stylesheet with its fonts and script came as a download. What is in it?", []string{"peek", "../downloads/brinework-1.2.0.zip"}, 0, ""},
	{"It needs a page helper. That one first, and on every page.", []string{"take", "../downloads/oarlock-2.0.3.zip", "--because", "the menu and brinework are built on it", "--page", "**"}, 0, ""},
	{"Then the stylesheet, but first: what would that change?", []string{"take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "tides.html", "--dry-run"}, 0, ""},
	{"Good. On all pages, then.", []string{"take", "../downloads/brinework-1.2.0.zip", "--needs", "oarlock", "--page", "**"}, 0, ""},
	{"What is in the crate now?", []string{"contents"}, 0, ""},
	{"And does a browser have anything to complain about?", []string{"check"}, 0, ""},
	{"A colleague takes a library off a page that another one there needs …", []string{"omit", "oarlock", "--page", "tides.html"}, 0, ""},
	{"… and check says so before a visitor sees it.", []string{"check"}, 1, ""},
	{"Undo takes that back.", []string{"undo"}, 0, ""},
	{"A chart comes from a package registry; a stand-in for one runs on this machine.", []string{"sources", "set", "registry", "REGISTRY"}, 0, ""},
	{"What it needs on a page is read from its code, and the crate has that already.", []string{"take", "tidechart", "--page", "tides.html"}, 0, ""},
	{"The kiosk in the boathouse has an old browser. Nobody will have to remember why:", []string{"hold", "oarlock", "--below", "2.1.0", "--because", "2.1 uses class syntax; the boathouse kiosk's browser has none"}, 0, ""},
	{"What is there of it?", []string{"versions", "oarlock"}, 0, ""},
	{"The chart back one version, files and references and all …", []string{"repin", "tidechart@3.0.0"}, 0, ""},
	{"… and on again, offline: everything seen once is in the cache.", []string{"undo"}, 0, ""},
	{"A colleague's fresh checkout has the records, and not yet the files.", []string{"refill", "--offline"}, 0, "checkout"},
	{"The whole crate:", []string{"contents"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"An integrity string, for use anywhere:", []string{"seal", "js/oarlock.min.js"}, 0, ""},
	{"Somebody makes a page from the tags that libraries' documentation shows.", []string{"adopt", "regatta.html"}, 0, "regatta"},
	{"A tag from another page of documentation, pasted: it goes where it belongs.", []string{"adopt", "-", "--page", "regatta.html"}, 0, "paste"},
	{"", []string{"sources"}, 0, ""},
	{"What is for the desk only comes off, and all the rest becomes local …", []string{"omit", "quickbrine"}, 0, ""},
	{"", []string{"switch", "--local", "--page", "regatta.html"}, 0, ""},
	{"… and minified, as on the other pages.", []string{"switch", "--minified", "--page", "regatta.html", "--dry-run"}, 0, ""},
	{"", []string{"switch", "--minified"}, 0, ""},
	{"Live, the club serves from the CDN, and falls back on its own copies:", []string{"switch", "--profile", "live", "--page", "crews/index.html", "--dry-run"}, 0, "profiles"},
	{"", []string{"switch", "--profile", "live"}, 0, ""},
	{"", []string{"check", "--profile", "live", "--online"}, 0, ""},
	{"The CDN goes down. The pages work all the same, by their fallbacks; check says what visitors meet.", []string{"check", "regatta.html", "--online"}, 1, "down"},
	{"Back to local copies: the pages are as they were.", []string{"switch", "--local"}, 0, ""},
	{"", []string{"check"}, 0, ""},
	{"A year later. What is behind?", []string{"versions", "--newer"}, 0, ""},
	{"What would the new major version do to these pages?", []string{"compare", "brinework", "2.0.0"}, 0, ""},
	{"Up, with the renames that are sure.", []string{"repin", "brinework@2.0.0", "--rename-sure"}, 0, ""},
	{"The club's own stylesheet is the club's to edit; now it says what the new version says.", []string{"check"}, 0, "own"},
	{"The chart wants a newer page helper, and that is held for the kiosk:", []string{"repin", "tidechart@4.0.0"}, 1, ""},
	{"What the site ships from others:", []string{"bill"}, 0, ""},
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
	for _, s := range demoSteps {
		switch s.first {
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
		case "own":
			err = demo.EditOwnStyles(site)
		case "down":
			cdn.Down()
			err = os.Setenv(patienceVariable, "1s")
		}
		if err != nil {
			return err
		}
		for i, arg := range s.args {
			if arg == "REGISTRY" {
				s.args = slices.Clone(s.args)
				s.args[i] = registry.URL
			}
		}
		if habit != "kind" && s.args[0] == "seal" {
			continue // the file has another name there
		}
		if s.say != "" {
			a.printf("%s\n", a.paint.dim("# "+s.say))
		}
		a.printf("%s\n", a.paint.bold("$ merry "+shellWords(s.args)))
		if out, ok := a.out.(*bufio.Writer); ok {
			out.Flush()
		}
		if status := Run(ctx, append([]string{"--in", site}, s.args...), input, a.out, a.out); status != s.status {
			return fmt.Errorf("the demo went wrong at merry %s: status %d, expected %d", shellWords(s.args), status, s.status)
		}
		a.printf("\n")
	}
	a.printf("The site is in %s, the downloads beside it.\n", site)
	a.next("cd %s, and try things", site)
	return nil
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

// shellWords writes arguments as one would type them.
func shellWords(args []string) string {
	words := make([]string, len(args))
	for i, w := range args {
		words[i] = w
		if strings.ContainsAny(w, " *?[]{}$&;|<>()!\"'") {
			words[i] = "'" + strings.ReplaceAll(w, "'", `'\''`) + "'"
		}
	}
	return strings.Join(words, " ")
}
