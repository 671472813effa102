package cli

import (
	"context"
	"fmt"
	"maps"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/google/renameio/v2/maybe"
	"github.com/spf13/cobra"

	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/cdn"
	"merrycrate.example/merry/crate/disk"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// settingsFile is where the user's settings are.
func settingsFile() (string, error) {
	dir, err := homeFolder(os.UserConfigDir)
	return filepath.Join(dir, "settings.yaml"), err
}

// settings reads the user's settings; without a file they are empty.
func settings() (*record.Settings, error) {
	name, err := settingsFile()
	if err != nil {
		return nil, err
	}
	b, err := disk.ReadOwn(name)
	if err != nil {
		return nil, err
	}
	s, err := record.ReadSettings(b)
	if err != nil {
		return nil, problem.Refuse(problem.SettingsBad, "correct that file", "%s: %s", name,
			strings.TrimPrefix(err.Error(), record.ListFile+":"))
	}
	return s, nil
}

func saveSettings(s *record.Settings) error {
	name, err := settingsFile()
	if err != nil {
		return err
	}
	b, err := s.Bytes()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	return maybe.WriteFile(name, b, 0o600)
}

func (a *app) sources() *cobra.Command {
	var measure bool
	c := &cobra.Command{
		Use:   "sources",
		Short: "List the registries and CDNs in use",
		Long: `Sources lists the package registries in your settings and asks each whether it
answers. It also lists the CDNs of this project's packing list. No address is built
in: set one with sources set.`,
		Example: "  merry sources\n  merry sources --measure\n  merry sources set registry " +
			"https://registry.harbour.example\n  merry sources set registry https://own.harbour.example " +
			"--scope @gull " +
			"--token-from GULL_TOKEN",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := settings()
			if err != nil {
				return err
			}
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			if measure {
				return a.measured(cmd.Context(), door)
			}
			list, err := door.TrySources(cmd.Context(), s.Registries, func(name string) bool {
				return os.Getenv(name) != ""
			})
			if err != nil {
				return err
			}
			patterns := door.CDNs(cmd.Context())
			if patterns == nil {
				patterns = map[string]cdn.Pattern{}
			}
			return a.answer(sourcesAnswer{list, patterns}, func() {
				defer a.printCDNs(patterns)
				if len(list) == 0 {
					a.printf("no registry is set\n")
					a.next("set the address of your registry: merry sources set registry URL")
					return
				}
				t := &show.Table{}
				t.Add("registry", "for", "token from", "state")
				for _, r := range list {
					t.Add(show.Text(r.URL), orWord(r.Scope, "all packages"), r.TokenFrom, show.Text(r.State))
				}
				a.printf("%s", t.Text(a.paint, ""))
			})
		},
	}
	c.Flags().BoolVar(&measure, "measure", false, "ask each host that pages link to a few times, and report how "+
		"it answers")
	c.AddCommand(a.sourcesSet(), a.sourcesLearn(), a.sourcesTry())
	return c
}

// measured prints how the hosts answer that pages link to.
func (a *app) measured(ctx context.Context, door *crate.Crate) error {
	list, err := door.MeasureHosts(ctx)
	if err != nil {
		return err
	}
	return a.answer(hostsAnswer{list}, func() {
		if len(list) == 0 {
			a.printf("no page links to another host\n")
			return
		}
		t := &show.Table{Right: map[int]bool{1: true, 4: true, 8: true, 9: true}}
		t.Add("host", "pages", "answers", "protocol", "bytes", "packed", "caching", "CORS", "connect", "first byte")
		for _, m := range list {
			if m.Failure != "" {
				t.Add(show.Text(m.Host), plain(m.Pages), show.Text(m.Failure))
				continue
			}
			protocol := m.Protocol
			if m.Offers != "" {
				protocol += ", offers " + m.Offers
			}
			t.Add(show.Text(m.Host), plain(m.Pages), plain(m.Status), show.Text(protocol), show.Bytes(m.Wire),
				orWord(show.Text(m.Compressed), "no"), orWord(show.Text(m.Caching), "no header"),
				orWord(show.Text(m.CORS), "no"),
				fmt.Sprintf("%d ms", m.Connect), fmt.Sprintf("%d ms", m.First))
		}
		a.printf("%s", t.Text(a.paint, ""))
		a.printf("\nA link to a host without CORS can have no integrity. Files without caching are requested on " +
			"every visit.\n")
	})
}

// printCDNs lists the CDNs of the project that the command was given in, if there is one.
func (a *app) printCDNs(patterns map[string]cdn.Pattern) {
	if len(patterns) == 0 {
		a.next("to learn a CDN, copy the address of a tag that loads a file of the crate: merry sources learn URL")
		return
	}
	t := &show.Table{}
	t.Add("CDN", "pattern")
	for _, name := range slices.Sorted(maps.Keys(patterns)) {
		t.Add(show.Text(name), show.Text(string(patterns[name])))
	}
	a.printf("\n")
	a.printf("%s", t.Text(a.paint, ""))
}

func (a *app) sourcesLearn() *cobra.Command {
	var name string
	c := &cobra.Command{
		Use:   "learn URL",
		Short: "Learn a CDN's address pattern from one link",
		Long: `Learn fetches a link to a file of the crate and derives how the CDN makes its
addresses. It checks the pattern with a second file of the same library, byte for
byte, and writes it into the packing list.`,
		Example: "  merry sources learn https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.min.js",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			l, err := door.LearnCDN(cmd.Context(), args[0], name)
			if err != nil {
				return err
			}
			if err := trustHost(a.dry, args[0]); err != nil {
				return err
			}
			return a.answer(l, func() {
				a.printf("the file is %s of %s, so the pattern of the CDN %s is\n  %s\n", show.Text(l.File),
					show.Text(l.Library), show.Text(l.Name), show.Text(string(l.Pattern)))
				if l.Checked != "" {
					a.printf("verified with %s\n", show.Text(l.Checked))
				}
				a.remarks(l.Notes)
				if l.DryRun {
					a.touched(l.Result)
					return
				}
				a.next("merry sources try %s  # asks for all files; merry switch --cdn=%s --dry-run", l.Name, l.Name)
			})
		},
	}
	c.Flags().StringVar(&name, "name", "", "call the CDN `NAME` (default: from its host)")
	return a.changes(c)
}

// trustHost keeps the host of an address that the user named for a CDN in the settings: it may be in the user's own
// network.
func trustHost(dry bool, address string) error {
	u, err := url.Parse(address)
	if dry || err != nil || u.Hostname() == "" || strings.ContainsAny(u.Hostname(), "{}") {
		return nil
	}
	s, err := settings()
	if err != nil || slices.Contains(s.OwnHosts, u.Hostname()) {
		return err
	}
	s.OwnHosts = append(s.OwnHosts, u.Hostname())
	return saveSettings(s)
}

func (a *app) sourcesTry() *cobra.Command {
	return &cobra.Command{
		Use:   "try [CDN…]",
		Short: "Check whether CDNs have every file of the crate",
		Long: `Try fetches each tagged file from the CDNs of the packing list and reports which
have the sealed bytes. The exit status is 1 if one does not.`,
		Example: "  merry sources try\n  merry sources try harbour",
		RunE: func(cmd *cobra.Command, args []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			list, err := door.TryCDNs(cmd.Context(), args)
			if err != nil {
				return err
			}
			err = a.answer(cdnFilesAnswer{list}, func() {
				t := &show.Table{}
				t.Add("CDN", "library", "file", "state")
				for _, f := range list {
					t.Add(show.Text(f.CDN), show.Text(f.Library), show.Text(f.File), show.Text(f.State))
				}
				a.printf("%s", t.Text(a.paint, ""))
			})
			if err == nil && slices.ContainsFunc(list, func(f crate.CDNFile) bool { return f.State != "same" }) {
				return quietStatus(problem.Refused)
			}
			return err
		},
	}
}

func orWord(s, word string) string {
	if s == "" {
		return word
	}
	return s
}

func (a *app) sourcesSet() *cobra.Command {
	set := &cobra.Command{
		Use:   "set",
		Short: "Set a registry, CDN, host, browser, download folder or certificates",
		Long: `Set stores where libraries come from. A registry, the download folder,
certificates, a browser and hosts go into your settings, for all projects. A CDN
goes into this project's packing list.`,
		Example: "  merry sources set registry https://registry.harbour.example\n  merry sources set downloads " +
			"../downloads",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return problem.Misuse(c.CommandPath()+" --help", "name what to set: registry, cdn, host, browser, "+
				"downloads or certificates")
		},
	}
	var r record.Registry
	registry := &cobra.Command{
		Use:   "registry URL",
		Short: "Set the package registry for all packages or one scope",
		Long: `The address goes into your settings, for all projects. A token is never stored:
--token-from names the environment variable that holds it. It is sent only to the
registry's own host, over TLS.`,
		Example: "  merry sources set registry https://registry.harbour.example\n  merry sources set registry " +
			"https://own.harbour.example --scope @gull --token-from GULL_TOKEN",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			u, err := url.Parse(args[0])
			if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
				return misuse("%s is not a registry's address: it must begin with https://", args[0])
			}
			if err := crate.RefuseUser(args[0]); err != nil {
				return err
			}
			if public, hidden := cdn.WithoutSecrets(args[0]); len(hidden) > 0 {
				return misuse("%s contains a credential (%s), which would be stored; name the variable that holds it: "+
					"--token-from GULL_TOKEN", public, strings.Join(hidden, ", "))
			}
			if r.Scope != "" && (!strings.HasPrefix(r.Scope, "@") || strings.Contains(r.Scope, "/")) {
				return misuse("--scope %s: a scope looks like @gull", r.Scope)
			}
			if strings.ContainsAny(r.TokenFrom, " =$") {
				return misuse("--token-from takes the name of an environment variable, not a token")
			}
			s, err := settings()
			if err != nil {
				return err
			}
			r.URL = strings.TrimSuffix(args[0], "/")
			s.SetRegistry(r)
			if err := saveSettings(s); err != nil {
				return err
			}
			return a.answer(registryAnswer{r}, func() {
				a.printf("set the registry for %s: %s\n", orWord(r.Scope, "all packages"), r.URL)
				a.next("merry sources  # asks it; then take a package from it: merry take NAME")
			})
		},
	}
	registry.Flags().StringSliceVar(&r.ArchivesOn, "archives-on", nil, "another `HOST` from which the registry may "+
		"serve its archives")
	registry.Flags().StringVar(&r.Scope, "scope", "", "only for packages of this `SCOPE`, such as @gull")
	registry.Flags().StringVar(&r.TokenFrom, "token-from", "", "the environment `VARIABLE` that holds the token")
	set.AddCommand(registry, a.sourcesSetCDN(), a.sourcesSetHost(), a.setText("browser FILE", "Set the browser that "+
		"look and --look use", "/usr/bin/chromium", func(s *record.Settings, v string) { s.Browser = v }),
		a.setText("downloads DIR", "Set the folder where downloads arrive", "../downloads",
			func(s *record.Settings, v string) { s.Downloads = v }),
		a.setText("certificates FILE", "Set a file of certificate authorities to trust, in PEM", "harbour.pem",
			func(s *record.Settings, v string) { s.Certificates = v }))
	return set
}

func (a *app) sourcesSetCDN() *cobra.Command {
	return a.changes(&cobra.Command{
		Use:   "cdn NAME PATTERN",
		Short: "Set a CDN's address pattern in the packing list",
		Long: `A pattern is an address with placeholders: {name} of the library, {version}, and
the file: {path} in the package, {short} (the path without its first folder) or
{file} (the name only). Also {plain} (the name without its scope), {brief} (the
version without a trailing .0), {stem} and {ending} (of the file name).`,
		Example: "  merry sources set cdn harbour 'https://cdn.harbour.example/lib/{name}/{version}/{path}'",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			out, err := door.SetCDN(cmd.Context(), args[0], args[1])
			if err != nil {
				return err
			}
			if err := trustHost(a.dry, args[1]); err != nil {
				return err
			}
			return a.answer(out, func() {
				if out.DryRun {
					a.touched(*out)
					return
				}
				a.printf("set the CDN %s: %s\n", show.Text(args[0]), show.Text(args[1]))
				a.next("merry switch --cdn=%s --dry-run", args[0])
			})
		},
	})
}

func (a *app) sourcesSetHost() *cobra.Command {
	return &cobra.Command{
		Use:   "host NAME ADDRESS",
		Short: "Set a host's address, past the machine's resolver",
		Long: `The address, with its port, goes into your settings. Use it for trials, such as a
local server under another host name. Nothing else on the machine changes.`,
		Example: "  merry sources set host cdn.harbour.example 127.0.0.1:8080",
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			if _, _, err := net.SplitHostPort(args[1]); err != nil || strings.ContainsAny(args[0]+args[1], "@/") {
				return misuse("%s is not an address with a port, such as 127.0.0.1:8080", args[1])
			}
			s, err := settings()
			if err != nil {
				return err
			}
			if s.Hosts == nil {
				s.Hosts = map[string]string{}
			}
			s.Hosts[args[0]] = args[1]
			if err := saveSettings(s); err != nil {
				return err
			}
			return a.answer(hostAddressesAnswer{s.Hosts}, func() {
				a.printf("%s is at %s\n", show.Text(args[0]), show.Text(args[1]))
			})
		},
	}
}

func (a *app) setText(use, short, example string, put func(*record.Settings, string)) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Args: cobra.ExactArgs(1), Example: "  merry sources set " + strings.Fields(use)[0] +
			" " + example,
		RunE: func(cmd *cobra.Command, args []string) error {
			full := a.full(args[0])
			if _, err := os.Stat(full); err != nil {
				return misuse("there is no %s", args[0])
			}
			s, err := settings()
			if err != nil {
				return err
			}
			put(s, full)
			if err := saveSettings(s); err != nil {
				return err
			}
			return a.answer(settingAnswer{full}, func() { a.printf("set %s\n", full) })
		},
	}
}
