package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/source"
)

// sourceFlags are the flags of commands that open a source.
type sourceFlags struct {
	integrity string
	plain     bool
	fresh     bool
	downloads string
}

func (s *sourceFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&s.integrity, "integrity", "", "the source's bytes must have this integrity `VALUE` before anything is opened")
	c.Flags().BoolVar(&s.plain, "plain", false, "allow an address without TLS")
	c.Flags().BoolVar(&s.fresh, "fresh", false, "fetch an address again that was fetched before")
	c.Flags().StringVar(&s.downloads, "downloads", "", "the `DIR` where downloads arrive")
}

// reach is what a command may get at: the user's cache and the network.
func (a *app) reach(s sourceFlags) (*crate.Reach, error) {
	own, err := settings()
	if err != nil {
		return nil, err
	}
	stall := time.Duration(0)
	if p := os.Getenv(patienceVariable); p != "" {
		if stall, err = time.ParseDuration(p); err != nil {
			return nil, usageError{fmt.Errorf("%s: write a time such as 30s", patienceVariable)}
		}
	}
	return &crate.Reach{
		Cache:      source.NewCache(filepath.Join(homeFolder(os.UserCacheDir), "cache")),
		Client:     &source.Client{AllowPlain: s.plain, Progress: a.progress(), Certificates: own.Certificates, Hosts: own.Hosts, Stall: stall, Wait: min(stall, 500*time.Millisecond)},
		Registries: registries(own),
		Room:       openRoom,
		Offline:    a.offline,
		Fresh:      s.fresh,
	}, nil
}

// homeVariable names the environment variable that puts cache and settings into one folder, instead of
// where the platform keeps such things.
const homeVariable = "MERRY_HOME"

// patienceVariable names the environment variable that says how long a silent server is waited for.
const patienceVariable = "MERRY_PATIENCE"

func homeFolder(platform func() (string, error)) string {
	if dir := os.Getenv(homeVariable); dir != "" {
		return dir
	}
	dir, err := platform()
	if err != nil {
		// A machine's own user, without a home, can still check a site: what is kept then is kept for a while.
		dir = os.TempDir()
	}
	return filepath.Join(dir, "merry-crate")
}

// progress shows how far a fetch is, on a terminal and only once the wait is long enough to notice.
func (a *app) progress() func(name string, done, total int64) {
	if !isTerminal(os.Stderr) || a.json {
		return nil
	}
	from := time.Now()
	var last time.Time
	shown := false
	return func(name string, done, total int64) {
		now := time.Now()
		if done == total && shown {
			fmt.Fprintf(os.Stderr, "\r\x1b[K")
			return
		}
		if now.Sub(from) < 400*time.Millisecond || now.Sub(last) < 100*time.Millisecond {
			return
		}
		last, shown = now, true
		of := ""
		if total > 0 {
			of = " of " + bytesText(total)
		}
		fmt.Fprintf(os.Stderr, "\r\x1b[Kfetching %s: %s%s", clean(name), bytesText(done), of)
	}
}

func isTerminal(v any) bool {
	f, ok := v.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// downloadFolder is where downloads arrive: what a flag or the settings say, else the platform's folder.
func downloadFolder(flag string) (string, error) {
	if flag != "" {
		return flag, nil
	}
	s, err := settings()
	if err != nil {
		return "", err
	}
	if s.Downloads != "" {
		return s.Downloads, nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", err
	}
	if dir := os.Getenv("XDG_DOWNLOAD_DIR"); dir != "" {
		return dir, nil
	}
	if config, err := os.UserConfigDir(); err == nil {
		// The desktop's own note of where the folder is, on Linux.
		b, _ := os.ReadFile(filepath.Join(config, "user-dirs.dirs"))
		for line := range strings.Lines(string(b)) {
			if v, ok := strings.CutPrefix(strings.TrimSpace(line), "XDG_DOWNLOAD_DIR="); ok {
				return strings.ReplaceAll(strings.Trim(v, `"`), "$HOME", home), nil
			}
		}
	}
	return filepath.Join(home, "Downloads"), nil
}

// numbered turns a number of the download list into the file that it stands for.
func (a *app) numbered(arg string, s sourceFlags) (string, error) {
	n, err := strconv.Atoi(arg)
	if err != nil || n < 1 {
		return arg, nil
	}
	if _, err := os.Stat(filepath.Join(a.dir, arg)); err == nil {
		return arg, nil
	}
	dir, err := downloadFolder(s.downloads)
	if err != nil {
		return "", err
	}
	list, err := crate.Downloads(dir)
	if err != nil {
		return "", err
	}
	if n > len(list) {
		return "", usageError{fmt.Errorf("there is no download %d; merry peek lists %d of them", n, len(list))}
	}
	return list[n-1].File, nil
}

func (a *app) cache() *cobra.Command {
	var trim string
	c := &cobra.Command{
		Use:   "cache",
		Short: "Show the cache of everything seen, or trim it",
		Long: `The cache keeps every delivery and file that was taken, for all projects of this user, so that nothing
has to be fetched twice. Trimming removes what was not used for longest.`,
		Example: "  merry cache\n  merry cache --trim 500MB\n  merry cache --trim 0",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			reach, err := a.reach(sourceFlags{})
			if err != nil {
				return err
			}
			type answer struct {
				Dir     string `json:"dir"`
				Entries int    `json:"entries"`
				Size    int64  `json:"size"`
				Gone    int    `json:"gone,omitempty"`
				Freed   int64  `json:"freed,omitempty"`
			}
			out := answer{Dir: reach.Cache.Dir()}
			if trim != "" {
				most, err := parseBytes(trim)
				if err != nil {
					return usageError{fmt.Errorf("--trim %s: write a size such as 500MB, or 0 for all", trim)}
				}
				if out.Gone, out.Freed, err = reach.Cache.Trim(most); err != nil {
					return err
				}
			}
			if out.Entries, out.Size, err = reach.Cache.Use(); err != nil {
				return err
			}
			return a.answer(out, func() {
				if trim != "" {
					a.printf("removed %s, %s\n", plural(out.Gone, "entry", "entries"), bytesText(out.Freed))
				}
				a.printf("%s: %s, %s\n", out.Dir, plural(out.Entries, "entry", "entries"), bytesText(out.Size))
			})
		},
	}
	c.Flags().StringVar(&trim, "trim", "", "keep at most this `SIZE`")
	return c
}
