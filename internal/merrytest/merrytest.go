// Package merrytest drives the built program in tests: it builds merry once, and runs it on files in
// temporary folders.
package merrytest

import (
	"bytes"
	"errors"
	"flag"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"sort"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/gofrs/flock"

	"merrycrate.example/merry/demo"
)

// Main runs a package's tests. Where the system has a file system in memory, the sites are there: tests of a program
// that waits for the disk at each change would spend most of their time so.
func Main(m *testing.M) { run(m) }

// MainOfLong runs the tests of a package that is left out of a short run as a whole.
func MainOfLong(m *testing.M) {
	flag.Parse()
	if testing.Short() {
		return
	}
	run(m)
}

// Long leaves a test that takes seconds out of a short run.
func Long(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("a short run leaves this test out")
	}
}

// perProcessor is how many tests run at once for each processor: they wait for servers, browsers and the program as
// long as they compute.
const perProcessor = 3

// ends end what all tests of a package share.
var ends struct {
	sync.Mutex
	list []func()
}

// atEnd has something done when all tests have been run.
func atEnd(end func()) {
	ends.Lock()
	defer ends.Unlock()
	ends.list = append(ends.list, end)
}

func run(m *testing.M) {
	flag.Parse()
	if f := flag.Lookup("test.parallel"); f != nil && f.Value.String() == f.DefValue {
		f.Value.Set(strconv.Itoa(perProcessor * runtime.GOMAXPROCS(0)))
	}
	dir := ""
	if os.Getenv(OnDisk) == "" && runtime.GOOS == "linux" {
		if made, err := os.MkdirTemp("/dev/shm", "merry-test-"); err == nil {
			dir = made
			os.Setenv("TMPDIR", dir)
		}
	}
	status := m.Run()
	for _, end := range ends.list {
		end()
	}
	if dir != "" {
		os.RemoveAll(dir)
	}
	os.Exit(status)
}

// OnDisk names the environment variable that, if it is set, keeps the tests' sites on the disk.
const OnDisk = "MERRY_TEST_ON_DISK"

// Tags names the environment variable with the build tags of the tested program, such as portable: the disk's other
// implementation.
const Tags = "MERRY_TEST_TAGS"

var build = sync.OnceValues(func() (string, error) {
	// All packages share one program. The go command links it again only if a source changed.
	cache, err := os.UserCacheDir()
	if err != nil {
		return "", err
	}
	dir := filepath.Join(cache, "merry-test")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", err
	}
	name := filepath.Join(dir, "merry"+strings.ReplaceAll(os.Getenv(Tags), ",", "-"))
	if RaceDetector {
		name += "-race"
	}
	if runtime.GOOS == "windows" {
		name += ".exe"
	}
	lock := flock.New(name + ".lock")
	if err := lock.Lock(); err != nil {
		return "", err
	}
	defer lock.Unlock()
	cmd := exec.Command("go", "build", "-tags", "faults,"+os.Getenv(Tags), "-o", name,
		"merrycrate.example/merry/cmd/merry")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	if RaceDetector {
		cmd = exec.Command("go", "build", "-race", "-tags", "faults,"+os.Getenv(Tags), "-o", name,
			"merrycrate.example/merry/cmd/merry")
	}
	if out, err := cmd.CombinedOutput(); err != nil {
		return "", errors.New(string(out))
	}
	return ownCopy(name)
})

// ownCopy copies a program for these tests alone: the shared one may be built again meanwhile, from sources that
// somebody has changed.
func ownCopy(program string) (string, error) {
	dir, err := os.MkdirTemp("", "program-")
	if err != nil {
		return "", err
	}
	atEnd(func() { os.RemoveAll(dir) })
	b, err := os.ReadFile(program)
	if err != nil {
		return "", err
	}
	name := filepath.Join(dir, "merry")
	if runtime.GOOS == "windows" {
		name += ".exe"
	}
	// A process that another test starts at this moment would have the file open for writing, and a program that is
	// can't be run.
	syscall.ForkLock.RLock()
	defer syscall.ForkLock.RUnlock()
	return name, os.WriteFile(name, b, 0o755)
}

// Program returns the path of the built program.
func Program(t testing.TB) string {
	t.Helper()
	name, err := build()
	if err != nil {
		t.Fatalf("building merry: %v", err)
	}
	return name
}

// A Site is a folder with a site in it, and a home of its own for the cache and the settings.
type Site struct {
	T    testing.TB
	Dir  string // the site
	Home string
	Env  []string // more of the environment
	// Untyped says that next steps are not typed: the test counts what commands do.
	Untyped bool
}

// Empty makes an empty site.
func Empty(t testing.TB) *Site {
	t.Helper()
	return emptyIn(t, t.TempDir())
}

func emptyIn(t testing.TB, base string) *Site {
	t.Helper()
	s := &Site{T: t, Dir: filepath.Join(base, "site"), Home: filepath.Join(base, "home")}
	for _, d := range []string{s.Dir, s.Home} {
		if err := os.MkdirAll(d, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	return s
}

// Club makes the rowing club's site, with the demo's downloads in ../downloads.
func Club(t testing.TB) *Site {
	t.Helper()
	s := Empty(t)
	s.furnish()
	return s
}

// furnish writes the club's pages and downloads.
func (s *Site) furnish() {
	s.T.Helper()
	if err := demo.WriteSite(s.Dir); err != nil {
		s.T.Fatal(err)
	}
	if err := demo.WriteDownloads(filepath.Join(s.Dir, "../downloads")); err != nil {
		s.T.Fatal(err)
	}
}

// Copy makes another site in the state of this one, with a home of its own.
func (s *Site) Copy() *Site {
	s.T.Helper()
	c, err := s.copied()
	if err != nil {
		s.T.Fatal(err)
	}
	return c
}

func (s *Site) copied() (*Site, error) {
	base := s.T.TempDir()
	c := &Site{T: s.T, Dir: filepath.Join(base, "site"), Home: filepath.Join(base, "home"), Env: s.Env}
	return c, s.copyTo(c)
}

// copyTo copies all files of a site, its home and its downloads.
func (s *Site) copyTo(c *Site) error {
	for from, to := range map[string]string{s.Dir: c.Dir, s.Home: c.Home,
		filepath.Join(s.Dir, "../downloads"): filepath.Join(c.Dir, "../downloads")} {
		if err := os.CopyFS(to, os.DirFS(from)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// Result is what a run of the program left behind.
type Result struct {
	Status   int
	Out, Err string
}

// Command prepares a run of the program in the site's folder.
func (s *Site) Command(args ...string) *exec.Cmd {
	cmd := exec.Command(Program(s.T), args...)
	cmd.Dir = s.Dir
	cmd.Env = append(os.Environ(), "HOME="+s.Home, "MERRY_HOME="+filepath.Join(s.Home, ".merry"), "NO_COLOR=1")
	cmd.Env = append(cmd.Env, s.Env...)
	return cmd
}

// Try runs the program and returns how it ended.
func (s *Site) Try(args ...string) Result {
	s.T.Helper()
	return s.TryWith("", args...)
}

// TryWith runs the program with a text on its standard input.
func (s *Site) TryWith(input string, args ...string) Result {
	s.T.Helper()
	cmd := s.Command(args...)
	var out, errOut bytes.Buffer
	cmd.Stdin, cmd.Stdout, cmd.Stderr = strings.NewReader(input), &out, &errOut
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		s.T.Fatal(err)
	}
	r := Result{cmd.ProcessState.ExitCode(), out.String(), errOut.String()}
	for _, step := range r.steps() {
		if Pasted == nil {
			continue
		}
		if err := Pasted(step.line); err != nil {
			s.T.Errorf("merry %s says next: %s\n%v", strings.Join(args, " "), step.line, err)
		} else if step.ready && !s.Untyped {
			s.follow(step.line, args)
		}
	}
	return r
}

// Run runs the program, which must succeed, and returns what it printed.
func (s *Site) Run(args ...string) string {
	s.T.Helper()
	r := s.Try(args...)
	if r.Status != 0 {
		s.T.Fatalf("merry %s: status %d\n%s%s", strings.Join(args, " "), r.Status, r.Out, r.Err)
	}
	return r.Out
}

// Fail runs the program, which must end with status and say every one of the words.
func (s *Site) Fail(status int, words []string, args ...string) Result {
	s.T.Helper()
	r := s.Try(args...)
	if r.Status != status {
		s.T.Errorf("merry %s: status %d, want %d\n%s%s", strings.Join(args, " "), r.Status, status, r.Out, r.Err)
	}
	for _, w := range words {
		if !strings.Contains(r.Out+r.Err, w) {
			s.T.Errorf("merry %s does not say %q:\n%s%s", strings.Join(args, " "), w, r.Out, r.Err)
		}
	}
	if strings.Contains(r.Err, "goroutine ") {
		s.T.Errorf("merry %s shows a stack trace:\n%s", strings.Join(args, " "), r.Err)
	}
	return r
}

// Write writes a file of the site.
func (s *Site) Write(name, content string) {
	s.T.Helper()
	full := filepath.Join(s.Dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		s.T.Fatal(err)
	}
	if err := os.WriteFile(full, []byte(content), 0o644); err != nil {
		s.T.Fatal(err)
	}
}

// Replace replaces all of one text in a file of the site, which must have it.
func (s *Site) Replace(name, old, new string) {
	s.T.Helper()
	b := s.Read(name)
	if !strings.Contains(b, old) {
		s.T.Fatalf("%s does not hold %q:\n%s", name, old, b)
	}
	s.Write(name, strings.ReplaceAll(b, old, new))
}

// Remove removes a file of the site.
func (s *Site) Remove(name string) {
	s.T.Helper()
	if err := os.Remove(filepath.Join(s.Dir, filepath.FromSlash(name))); err != nil {
		s.T.Fatal(err)
	}
}

// Read reads a file of the site.
func (s *Site) Read(name string) string {
	s.T.Helper()
	b, err := os.ReadFile(filepath.Join(s.Dir, filepath.FromSlash(name)))
	if err != nil {
		s.T.Fatal(err)
	}
	return string(b)
}

// State writes down every file of the site but merry's own folder: two states are the same if and
// only if their texts are.
func (s *Site) State() string {
	s.T.Helper()
	var lines []string
	err := filepath.WalkDir(s.Dir, func(name string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(s.Dir, name)
		if e.IsDir() {
			if e.Name() == ".merry" {
				return fs.SkipDir
			}
			lines = append(lines, filepath.ToSlash(rel)+"/")
			return nil
		}
		b, err := os.ReadFile(name)
		lines = append(lines, filepath.ToSlash(rel)+"\x00"+string(b))
		return err
	})
	if err != nil {
		s.T.Fatal(err)
	}
	sort.Strings(lines)
	return strings.Join(lines, "\n")
}
