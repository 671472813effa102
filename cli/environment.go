package cli

import (
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"github.com/adrg/xdg"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"merrycrate.example/merry/cli/sandbox"
	"merrycrate.example/merry/cli/show"
	"merrycrate.example/merry/crate"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/record"
)

// sourceFlags are the flags of commands that open a source.
type sourceFlags struct {
	integrity string
	plain     bool
	fresh     bool
	downloads string
}

func (s *sourceFlags) add(c *cobra.Command) {
	c.Flags().StringVar(&s.integrity, "integrity", "", "refuse the source unless its bytes have this integrity `VALUE`")
	c.Flags().BoolVar(&s.plain, "plain", false, "allow an address without TLS")
	c.Flags().BoolVar(&s.fresh, "fresh", false, "fetch again what is in the cache")
	c.Flags().StringVar(&s.downloads, "downloads", "", "the `DIR` where downloads arrive (default: your "+
		"download folder)")
}

// open makes the front door for a command. The caller closes it.
func (a *app) open(s sourceFlags) (*crate.Crate, error) {
	own, err := settings()
	if err != nil {
		return nil, err
	}
	patience := time.Duration(0)
	if p := os.Getenv(patienceVariable); p != "" {
		if patience, err = time.ParseDuration(p); err != nil {
			return nil, problem.Misuse("set it to a time such as 30s, or to nothing", "%s=%s is not a time",
				patienceVariable, p)
		}
	}
	cache, err := homeFolder(os.UserCacheDir)
	if err != nil {
		return nil, err
	}
	state, err := stateDir()
	if err != nil {
		return nil, err
	}
	rooms := a.rooms
	if rooms == nil {
		rooms = new(sandbox.Pool)
	}
	return crate.Open(crate.Environment{
		Dir: a.dir, CacheDir: filepath.Join(cache, "cache"), StateDir: state, Bounds: a.bounds(own), Settings: own,
		Secret: os.Getenv, AllowPlain: s.plain, Patience: patience,
		Progress: a.progress(), Offline: a.offline, Fresh: s.fresh, Dry: a.dry, Sandbox: rooms.Ask,
		Unsaved: a.unsaved, Keep: a.keep,
		Notify: func(note string) { fmt.Fprintln(a.err, show.Lines(note)) },
	}), nil
}

// homeVariable names the environment variable that puts cache and settings into one folder, instead of
// where the platform keeps such things.
const homeVariable = "MERRY_HOME"

// patienceVariable names the environment variable that says how long a silent server is waited for.
const patienceVariable = "MERRY_PATIENCE"

func homeFolder(platform func() (string, error)) (string, error) {
	if dir := os.Getenv(homeVariable); dir != "" {
		return dir, nil
	}
	dir, err := platform()
	if err != nil || !filepath.IsAbs(dir) {
		// A folder of temporary files is everybody's, so it can't stand in.
		return "", problem.Refuse(problem.SettingsBad, "set "+homeVariable+" to a folder of your own, such as the "+
			"cache of a continuous integration", "there is no home folder for settings and cache")
	}
	return filepath.Join(dir, "merry-crate"), nil
}

// stateHome is where the platform keeps what programs remember of a user (XDG Base Directory Specification).
func stateHome() (string, error) {
	_, err := os.UserHomeDir()
	return xdg.StateHome, err
}

// bounds say where a project is looked for, and whose it may be.
func (a *app) bounds(s *record.Settings) crate.Bounds {
	home, err := os.UserHomeDir()
	if err != nil {
		home = ""
	}
	file, err := settingsFile()
	if err != nil {
		file = "your settings"
	}
	return crate.Bounds{Home: filepath.Clean(home), Trusted: s.Trust, Named: a.named, Settings: file}
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
	return xdg.UserDirs.Download, nil
}

// places are the files and folders that --from names, which must be there, and the download folder where it is.
func (a *app) places(from []string) ([]string, error) {
	list := make([]string, 0, len(from)+1)
	for _, name := range from {
		full := a.full(name)
		if _, err := os.Stat(full); err != nil {
			return nil, problem.Refuse(problem.FileUnknown, "name an archive, or a folder of archives",
				"--from %s: there is no such file or folder", name)
		}
		list = append(list, full)
	}
	if dir, err := downloadFolder(""); err == nil && dir != "" {
		list = append(list, dir)
	}
	return list, nil
}

// full is a path of the command line as an absolute one.
func (a *app) full(name string) string {
	if filepath.IsAbs(name) {
		return name
	}
	return filepath.Join(cmp.Or(a.top, a.dir), name)
}

// numbered turns a number of the download list into the file that it stands for.
func (a *app) numbered(arg string, s sourceFlags) (string, error) {
	n, err := strconv.Atoi(arg)
	if err != nil || n < 1 {
		return arg, nil
	}
	if _, err := os.Stat(a.full(arg)); err == nil {
		return arg, nil
	}
	dir, err := downloadFolder(s.downloads)
	if err != nil {
		return "", err
	}
	list, err := crate.Downloads(dir, s.downloads == "")
	if err != nil {
		return "", err
	}
	if n > len(list) {
		return "", misuse("there is no download %d; merry peek lists %d of them", n, len(list))
	}
	return list[n-1].File, nil
}

func (a *app) cache() *cobra.Command {
	var trim string
	c := &cobra.Command{
		Use:   "cache",
		Short: "Show or trim the cache of everything fetched",
		Long: `The cache keeps every package and file that was taken, for all projects of this
user, so that nothing is fetched twice. --trim removes what was not used for
longest.`,
		Example: "  merry cache\n  merry cache --trim 500MB\n  merry cache --trim 0",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			door, err := a.open(sourceFlags{})
			if err != nil {
				return err
			}
			defer door.Close()
			most := int64(-1)
			if trim != "" {
				if most, err = show.ParseBytes(trim); err != nil {
					return misuse("--trim %s: write a size such as 500MB, or 0 for all", trim)
				}
			}
			out, err := door.Cache(cmd.Context(), most)
			if err != nil {
				return err
			}
			return a.answer(out, func() {
				if trim != "" {
					a.printf("removed %s, %s\n", show.Count(out.Gone, "entry", "entries"), show.Bytes(out.Freed))
				}
				a.printf("%s: %s, %s\n", out.Dir, show.Count(out.Entries, "entry", "entries"), show.Bytes(out.Size))
			})
		},
	}
	c.Flags().StringVar(&trim, "trim", "", "keep at most this `SIZE` (default: trim nothing)")
	return c
}

// stateDir is the folder for what this program keeps of its own for the user.
func stateDir() (string, error) { return homeFolder(stateHome) }
