//go:build unix

package faults

import (
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
)

// everyCommand is a run of each command that reads or changes a project.
var everyCommand = []string{"contents", "check", "check --rehearse", "check --fix", "order **", "order ** --fix",
	"refill", "refill --overwrite", "bill", "versions oarlock", "peek oarlock", "undo --list",
	"take ../downloads/brinework-1.2.0.zip --dry-run",
	"take ../downloads/brinework-1.2.0.zip --page **", "include oarlock --page index.html", "omit oarlock",
	"drop oarlock", "switch --readable", "hold oarlock --because wind", "adopt --all", "compare oarlock 1.4.2 2.0.3",
	"start", "cache"}

// TestForeignChange: a change that came with a clone is applied by no command. Those that read say so and go on, those
// that change something are refused, and there is a way out.
func TestForeignChange(t *testing.T) {
	t.Parallel()
	for _, path := range []string{"../../home/stolen", ".git/hooks/post-checkout", ".merry/lock", "index.html",
		"/etc/x"} {
		base := merrytest.Started(t)
		plant := func(s *merrytest.Site) string {
			s.Write(".merry/changes/000009.going/000001", "#!/bin/sh\n")
			s.Write(".merry/changes/000009.going/journal.json", fmt.Sprintf(`{"format": 1, "title": "x", "entries": `+
				`[{"path": %q, "draft": "000001", "create": true, "hash": 1, "size": 10, "seen": {"Size": 0, `+
				`"ModTime": 0}}]}`, path))
			return s.State()
		}
		commands := everyCommand
		if path != "index.html" {
			commands = []string{"check", "take ../downloads/brinework-1.2.0.zip", "undo"}
		}
		for _, command := range commands {
			s := base.Copy()
			before := plant(s)
			r := s.Try(strings.Fields(command)...)
			if s.State() != before {
				t.Fatalf("%s: merry %s changed the project:\n%s%s", path, command, r.Out, r.Err)
			}
			if strings.HasPrefix(command, "undo") || command == "cache" || strings.HasPrefix(command, "compare") ||
				strings.HasPrefix(command, "peek") {
				continue
			}
			if !strings.Contains(r.Err, "you did not write it on this machine") ||
				!strings.Contains(r.Err, "--abandon") {
				t.Errorf("%s: merry %s, status %d, does not say so:\n%s%s", path, command, r.Status, r.Out, r.Err)
			}
		}
		s := base.Copy()
		before := plant(s)
		if out := s.Run("undo", "--abandon"); !strings.Contains(out, ".merry/changes/000009.aside") ||
			s.State() != before {
			t.Errorf("abandoning says\n%s", out)
		}
		s.Run("take", "../downloads/brinework-1.2.0.zip")
		if _, err := os.Stat(filepath.Join(s.Home, "stolen")); err == nil {
			t.Error("a file was written outside")
		}
	}
}

// TestOwnFolderIsNoLink: merry's own folder, and its lock, lead nowhere else.
func TestOwnFolderIsNoLink(t *testing.T) {
	t.Parallel()
	for _, link := range []string{".merry", ".merry/lock", ".merry/changes"} {
		s := merrytest.Started(t)
		outside := filepath.Join(s.Home, "outside")
		os.MkdirAll(outside, 0o755)
		os.RemoveAll(filepath.Join(s.Dir, link))
		target := outside
		if link == ".merry/lock" {
			target = filepath.Join(outside, "made")
		}
		if err := os.Symlink(target, filepath.Join(s.Dir, link)); err != nil {
			t.Fatal(err)
		}
		s.Fail(1, []string{"next:"}, "take", "../downloads/brinework-1.2.0.zip")
		s.Run("check")
		if left, _ := os.ReadDir(outside); len(left) > 0 {
			t.Errorf("%s: %v was made outside", link, left)
		}
	}
}

// TestSomebodyElses: a project, or records, of another user are worked with only if the user says so.
func TestSomebodyElses(t *testing.T) {
	t.Parallel()
	if os.Getuid() != 0 {
		t.Skip("only the system's own user can give a file to somebody else")
	}
	for _, theirs := range []string{".", "crate.yaml", "crate.seal.json", ".merry"} {
		s := merrytest.Started(t)
		if err := os.Chown(filepath.Join(s.Dir, theirs), 12345, 12345); err != nil {
			t.Skip("files can't be given away here: ", err)
		}
		for _, command := range []string{"contents", "take ../downloads/brinework-1.2.0.zip"} {
			s.Fail(1, []string{"belongs to another user", "--in", "trust:"}, strings.Fields(command)...)
		}
		s.Run("contents", "--in", s.Dir)
		s.Write("../home/.merry/settings.yaml", "format: 1\ntrust: ["+s.Dir+"]\n")
		s.Run("contents")
		os.Chmod(filepath.Join(s.Home, ".merry/settings.yaml"), 0o666)
		s.Fail(1, []string{"others may write to it"}, "contents")
	}
	// Above a folder that is somebody else's nothing is looked for, nor above home.
	s := merrytest.Started(t)
	below := filepath.Join(s.Dir, "theirs/mine")
	os.MkdirAll(below, 0o755)
	if err := os.Chown(filepath.Dir(below), 12345, 12345); err != nil {
		t.Fatal(err)
	}
	cmd := s.Command("contents")
	cmd.Dir = below
	if out, err := cmd.CombinedOutput(); err == nil || !strings.Contains(string(out), "there is no crate.yaml") {
		t.Errorf("%v: %s", err, out)
	}
	cmd = s.Command("contents")
	cmd.Dir = filepath.Join(s.Dir, "crews")
	cmd.Env = append(cmd.Env, "HOME="+cmd.Dir)
	if out, err := cmd.CombinedOutput(); err == nil || !strings.Contains(string(out), "there is no crate.yaml") {
		t.Errorf("above home: %v: %s", err, out)
	}
}

// TestNothingBelowVersionControl: whatever an archive, a record or a list says, nothing is written where another
// program would carry it out.
func TestNothingBelowVersionControl(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	source := s.Archive("sly-1.0.0.zip", map[string]string{
		"sly/dist/sly.js": "var Sly = {};", "sly/dist/sly.css": "a { background: url(.git/config) } b { background: " +
			"url(../.htaccess) } c { background: url(../x/.git/hooks/post-checkout) }",
		"sly/dist/.git/config": "[core]\n fsmonitor = true\n", "sly/.htaccess": "Options +Indexes",
		"sly/x/.git/hooks/post-checkout": "#!/bin/sh\n", "sly/.GIT/config": "x",
		"sly/.merry/changes/000001.going/journal.json": "{}", "sly/git~1/config": "x",
	})
	for _, args := range [][]string{{"take", source, "--together"}, {"take", source}, {"take", source, "--files", "**"},
		{"take", source, "--files", "**/*", "--together"}} {
		c := s.Copy()
		c.Try(args...)
		filepath.Walk(c.Dir, func(name string, info os.FileInfo, err error) error {
			rel, _ := filepath.Rel(c.Dir, name)
			if rel == ".merry" {
				return filepath.SkipDir
			}
			if rel != "." && (strings.HasPrefix(info.Name(), ".") || strings.Contains(rel, "git")) {
				t.Errorf("%v wrote %s", args, rel)
			}
			return nil
		})
	}
	c := s.Copy()
	c.Run("take", source, "--files", ".htaccess", "--together")
	if _, err := os.Stat(filepath.Join(c.Dir, "lib/sly/.htaccess")); err != nil {
		t.Error("a dot file that was named one by one was not taken")
	}
	// The seal is a record that may be somebody else's.
	for _, at := range []string{".git/commondir", ".merry/changes/000001.going/journal.json", "js/.svn/x", "../out.js",
		"/tmp/out.js", "js/com1.js", `js\\x.js`, "js/a\\u202eb.js", "js/con¹.js", strings.Repeat("a", 256) + ".js"} {
		c := s.Copy()
		c.Write("crate.seal.json", strings.Replace(c.Read("crate.seal.json"), `"js/oarlock.min.js"`, `"`+at+`"`, 1))
		if strings.Contains(at, "con¹") {
			continue // a name like any other, but for com and lpt
		}
		before := c.State()
		c.Fail(1, []string{"crate.seal", "next:"}, "refill", "--overwrite")
		if c.State() != before {
			t.Errorf("%s: refill changed something", at)
		}
	}
	c = s.Copy()
	c.Write("crate.seal.json", strings.Replace(c.Read("crate.seal.json"), `"version": "2.0.3"`, `"version": "../../x"`,
		1))
	c.Fail(1, []string{"can't be a version"}, "contents")
	c.Write("crate.seal.json", `{"format": 1, "libraries": {"a": null}}`)
	c.Fail(1, []string{"crate.seal"}, "contents")
}

// TestSpecialFiles: no pipe, device, socket, dangling link or editor's lock holds a command up or makes it fail.
func TestSpecialFiles(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	make := map[string]func(name string) error{
		"pipe":   func(name string) error { return syscall.Mkfifo(name, 0o644) },
		"device": func(name string) error { return os.Symlink("/dev/zero", name) },
		"gone":   func(name string) error { return os.Symlink("nowhere", name) },
		"circle": func(name string) error { return os.Symlink(filepath.Base(name), name) },
		"large": func(name string) error {
			f, err := os.Create(name)
			if err == nil {
				err = f.Truncate(10 << 30)
				f.Close()
			}
			return err
		},
	}
	for kind, plant := range make {
		c := s.Copy()
		for _, name := range []string{".#index.html", "news.html", "js/own.js", "css/own.css", "img.json"} {
			if err := plant(filepath.Join(c.Dir, name)); err != nil {
				t.Fatal(kind, ": ", err)
			}
		}
		c.Replace("index.html", "</body>", `<script src="js/own.js"></script></body>`)
		for _, command := range everyCommand {
			if kind == "large" && strings.HasPrefix(command, "adopt") {
				continue
			}
			cmd := c.Command(strings.Fields(command)...)
			var out bytes.Buffer
			cmd.Stdout, cmd.Stderr = &out, &out
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			timer := time.AfterFunc(2*time.Minute, func() { cmd.Process.Kill() })
			cmd.Wait()
			if !timer.Stop() {
				t.Errorf("%s: merry %s does not end", kind, command)
			}
			usage := cmd.ProcessState.SysUsage().(*syscall.Rusage)
			if usage.Maxrss > 600<<10 || strings.Contains(out.String(), "goroutine ") ||
				cmd.ProcessState.ExitCode() > 2 {
				t.Errorf("%s: merry %s: status %d, %d kB\n%s", kind, command, cmd.ProcessState.ExitCode(), usage.Maxrss,
					out.String())
			}
		}
		if out := c.Try("check").Err; kind != "large" && !strings.Contains(out, "skipped: ") {
			t.Errorf("%s: check does not say what it passes over: %s", kind, out)
		}
	}
	for _, record := range []string{"crate.yaml", "crate.seal.json", ".merry/changes/000001.done/journal.json"} {
		for kind, plant := range make {
			c := s.Copy()
			os.Remove(filepath.Join(c.Dir, record))
			if err := plant(filepath.Join(c.Dir, record)); err != nil {
				t.Fatal(err)
			}
			for _, command := range []string{"contents", "undo"} {
				cmd := c.Command(command)
				timer := time.AfterFunc(2*time.Minute, func() { cmd.Process.Kill() })
				out, _ := cmd.CombinedOutput()
				if !timer.Stop() || cmd.ProcessState.ExitCode() > 2 && cmd.ProcessState.ExitCode() != 3 ||
					strings.Contains(string(out), "goroutine ") {
					t.Errorf("%s as a %s: merry %s: status %d\n%s", record, kind, command, cmd.ProcessState.ExitCode(),
						out)
				}
			}
		}
	}
}

// TestCantBeCarriedOut: what can't be done is known before anything is, and nothing has changed then.
func TestCantBeCarriedOut(t *testing.T) {
	t.Parallel()
	refused := func(s *merrytest.Site, words []string, args ...string) {
		t.Helper()
		before := s.State()
		s.Fail(1, words, args...)
		if s.State() != before {
			t.Errorf("merry %s changed something", strings.Join(args, " "))
		}
		if left := leftovers(s); len(left) > 0 {
			t.Errorf("%v is left", left)
		}
		s.Run("contents")
	}
	s := merrytest.Started(t)
	clash := s.Archive("clash-1.0.0.zip", map[string]string{"clash/dist/clash.js": "var Clash = {};",
		"clash/dist/clash.css": "a { background: url(a.png) } b { background: url(a.png/b.png) }",
		"clash/dist/a.png":     "x", "clash/x.txt": ""})
	s.Write("css/a", "")
	if r := s.Try("take", clash, "--together"); r.Status > 1 {
		t.Errorf("%+v", r)
	}
	long := s.Archive("long-1.0.0.zip", map[string]string{"long/dist/long.js": "var Long = {};",
		"long/dist/long.css":                             "a { background: url(" + strings.Repeat("n", 251) + ".png) }",
		"long/dist/" + strings.Repeat("n", 251) + ".png": "x"})
	if r := s.Copy().Try("take", long, "--names", "versioned"); r.Status > 1 {
		t.Errorf("%+v", r)
	}
	if os.Getuid() != 0 {
		return
	}
	// A file that nobody can change; the attribute is that of Linux's own file systems.
	c := s.Copy()
	page := filepath.Join(c.Dir, "index.html")
	if exec.Command("chattr", "+i", page).Run() == nil {
		refused(c, []string{"nobody can change it"}, "omit", "oarlock")
		exec.Command("chattr", "-i", page).Run()
	}
	// Another file system below.
	c = s.Copy()
	below := filepath.Join(c.Dir, "lib")
	os.MkdirAll(below, 0o755)
	if exec.Command("mount", "-t", "tmpfs", "tmpfs", below).Run() == nil {
		defer exec.Command("umount", below).Run()
		refused(c, []string{"another file system"}, "take", "../downloads/brinework-1.2.0.zip", "--together")
	}
}

// TestHiddenText: whatever is in a name, a page or a record, no control character and no mark that reorders or hides
// text reaches a terminal, a pipe or an answer in JSON.
func TestHiddenText(t *testing.T) {
	t.Parallel()
	const evil = "\x1b[31mred\x1b]0;title\x07\u202egnp\u200b\u0085\x9b"
	s := merrytest.Started(t)
	s.Write("index.html", strings.Replace(s.Read("index.html"), "</body>", "<script src=\"js/"+evil+
		".js\"></script><script src=\"http://"+evil+".example/x.js\"></script><link rel=stylesheet href='"+evil+
		"'><script>throw new Error('"+evil+"')</script></body>", 1))
	s.Write("p"+strings.Trim(evil, "\x00")+".html", s.Read("index.html"))
	s.Write("js/o"+evil+".js", "var O = {}; document.title = '"+evil+"'; "+evil)
	s.Write("css/o.css", "a { background: url('"+evil+"') }")
	source := s.Archive("evil-1.0.0.zip", map[string]string{"evil/dist/evil.js": "/*! " + evil + " v1 | " + evil +
		" */\nvar Evil = {};", "evil/package.json": `{"name": "evil", "version": "1.0.0", "license": "` +
		"\u202e\u200b" + `", "description": "\u001b[31m"}`, "evil/README.md": evil + "\n```html\n<script src=\"" +
		evil + "\"></script>\n```\n", "evil/LICENSE": evil})
	list := s.Read("crate.yaml")
	runs := []string{"check", "check --rehearse", "contents", "order **", "bill", "bill --form cyclonedx",
		"undo --list", "take " + source + " --dry-run", "take " + source, "peek " + source, "peek " + source + " --all",
		"peek evil --text", "peek evil --start", "include evil --page ** --dry-run", "include evil --page **",
		"adopt --all", "switch --readable --dry-run", "check --form sarif", "refill", "versions evil",
		"drop evil --dry-run", "undo", "check " + evil, "take " + evil, "repin " + evil, evil, "check --" + evil,
		"--in " + evil + " check", "sources set cdn " + evil + " https://" + evil, "seal js"}
	try := func(s *merrytest.Site, command string) {
		for _, json := range []bool{false, true} {
			args := strings.Split(command, " ")
			if json {
				args = append(args, "--json")
			}
			r := s.Try(args...)
			for _, out := range []string{r.Out, r.Err} {
				for i, c := range out {
					if c != '\n' && c != '\t' && (c < 0x20 || c >= 0x7f && c < 0xa0 || c == 0x202e || c == 0x200b ||
						c == 0xfffd) {
						t.Fatalf("merry %q lets %q through: %q", args, c, out[max(0, i-60):min(len(out), i+20)])
					}
				}
			}
			if strings.Contains(r.Err, "goroutine ") {
				t.Errorf("merry %q:\n%s", args, r.Err)
			}
		}
	}
	for _, command := range runs {
		try(s, command)
	}
	// In the records themselves.
	for _, text := range []string{`format: 1` + "\n" + `libraries: {"e\u202e\e[31m": {version: 1.0.0, from: ` +
		`"x\e[31m\u202e"}}` + "\n", "format: 1\nsite: \"\\e[31m\"\n", "format: 1\npages: [\"\\u202e\"]\n", "\x1b[31m",
		list + "profiles: {\"\\e[31m\": {serve: cdn}}\n"} {
		s.Write("crate.yaml", text)
		for _, command := range []string{"check", "contents", "order **", "bill", "check --profile \x1b[31m",
			"drop x"} {
			try(s, command)
		}
	}
	s.Write("crate.yaml", list)
	for _, text := range []string{"\x1b[31m", `{"format": 1, "libraries": {"\u001b[31m\u202e": {"version": "1", ` +
		`"origin": "\u001b[31m", "files": []}}}`, `{"format": 1, "libraries": {"a": {"version": "\u001b[31m"}}}`} {
		s.Write("crate.seal.json", text)
		try(s, "contents")
		try(s, "check")
	}
}

// TestHostileServers: no server holds a command up without end, sends it into this network, or makes it wait for years.
func TestHostileServers(t *testing.T) {
	t.Parallel()
	var inside int
	within := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		inside++
		w.Write([]byte("var Secret = 1;"))
	}))
	defer within.Close()
	mux := http.NewServeMux()
	later := 0
	mux.HandleFunc("/later/", func(w http.ResponseWriter, _ *http.Request) {
		later++
		w.Header().Set("Retry-After", "999999999")
		w.WriteHeader(http.StatusServiceUnavailable)
	})
	mux.HandleFunc("/drip/", func(w http.ResponseWriter, r *http.Request) {
		for r.Context().Err() == nil {
			w.Write([]byte("a"))
			w.(http.Flusher).Flush()
			time.Sleep(50 * time.Millisecond)
		}
	})
	server := httptest.NewServer(mux)
	defer server.Close()
	s := merrytest.Started(t)
	s.Env = []string{"MERRY_PATIENCE=200ms"}
	for path, words := range map[string]string{"/later/x.js": "503", "/drip/x.js": "x.js"} {
		from := time.Now()
		s.Fail(3, []string{words, "next:"}, "take", server.URL+path)
		if took := time.Since(from); took > 60*time.Second {
			t.Errorf("%s took %v", path, took)
		}
	}
	if later != 1 {
		t.Errorf("a server that wants to be left alone for years was asked %d times", later)
	}
	// An address that a record has, and that this user never fetched, leads to no machine of this network.
	s.Write("crate.yaml", s.Read("crate.yaml")+"cdns: {sly: \""+within.URL+"/{name}/{version}/{path}\"}\n")
	s.Write("crate.seal.json", strings.Replace(s.Read("crate.seal.json"), `"origin": "oarlock-2.0.3.zip"`,
		`"origin": "`+within.URL+`/oarlock-2.0.3.zip"`, 1))
	os.RemoveAll(filepath.Join(s.Home, ".merry/cache"))
	os.Remove(filepath.Join(s.Dir, "js/oarlock.js"))
	for _, command := range []string{"refill", "check --online", "switch --cdn", "compare oarlock 2.0.3 1.4.2",
		"peek oarlock"} {
		s.Try(strings.Fields(command)...)
	}
	if inside > 0 {
		t.Errorf("%d requests went to a machine of this network that only a record names", inside)
	}
	if left, _ := filepath.Glob(filepath.Join(s.Home, ".merry/cache/new/*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

// TestSameTimeAndSize: a page, a script or a library's file with other content of the same size and the same time is
// seen.
func TestSameTimeAndSize(t *testing.T) {
	t.Parallel()
	s := merrytest.Started(t)
	old := time.Now().Add(-time.Hour)
	age := func() {
		filepath.Walk(s.Dir, func(name string, info os.FileInfo, err error) error { return os.Chtimes(name, old, old) })
	}
	age()
	time.Sleep(2100 * time.Millisecond) // what changed a moment ago is not remembered
	s.Run("check")
	s.Run("check")
	for file, change := range map[string][2]string{"index.html": {"js/club.js", "js/clob.js"},
		"js/oarlock.min.js": {"oarlock=t()", "oarlook=t()"}} {
		before := s.Read(file)
		if strings.Replace(before, change[0], change[1], 1) == before {
			t.Fatalf("%s has no %s", file, change[0])
		}
		s.Write(file, strings.Replace(before, change[0], change[1], 1))
		age()
		s.Fail(1, []string{file}, "check")
		s.Write(file, before)
		age()
		s.Run("check")
	}
}

// TestRoomEndsWithItsParent: a rehearsal does not go on when the command that asked for it is gone.
func TestRoomEndsWithItsParent(t *testing.T) {
	t.Parallel()
	if runtime.GOOS != "linux" {
		t.Skip("goes by what Linux says of processes")
	}
	s := merrytest.Started(t)
	s.Write("js/club.js", "for (;;) {}\n")
	cmd := s.Command("check", "--rehearse")
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	parent := fmt.Sprintf("PPid:\t%d\n", cmd.Process.Pid)
	var rooms []string
	// Its system calls are taken from it before it reads what to run.
	for from, closed := time.Now(), false; !closed; time.Sleep(5 * time.Millisecond) {
		rooms = nil
		names, _ := filepath.Glob("/proc/[0-9]*/cmdline")
		for _, name := range names {
			command, _ := os.ReadFile(name)
			status, _ := os.ReadFile(filepath.Join(filepath.Dir(name), "status"))
			if bytes.Contains(command, []byte("\x00rehearsal-room")) && strings.Contains(string(status), parent) {
				rooms = append(rooms, name)
				closed = closed || strings.Contains(string(status), "Seccomp:\t2\n")
			}
		}
		if time.Since(from) > time.Minute {
			t.Fatalf("no rehearsal without system calls is to be seen: %v", rooms)
		}
	}
	cmd.Process.Kill()
	cmd.Wait()
	alive := func(name string) bool {
		command, _ := os.ReadFile(name)
		return bytes.Contains(command, []byte("\x00rehearsal-room"))
	}
	for from := time.Now(); slices.ContainsFunc(rooms, alive); time.Sleep(10 * time.Millisecond) {
		if time.Since(from) > time.Minute {
			t.Fatal("the rehearsal goes on alone")
		}
	}
}

// TestStrangersList: a packing list that came with a clone opens nothing outside of its project, and writes nothing
// that sets up servers or editors.
func TestStrangersList(t *testing.T) {
	t.Parallel()
	s := merrytest.Club(t)
	s.Write("../secret/key.js", "var key = 1;\n")
	for _, tt := range []struct{ from, places, word string }{
		{"../secret", "", "neither in the project nor in the download folder"},
		{filepath.Join(filepath.Dir(s.Dir), "secret"), "", "neither in the project nor in the download folder"},
		{"..", "", "neither in the project nor in the download folder"},
		{"../downloads/oarlock-2.0.3.zip", "    places: {dist/oarlock.js: .vscode/tasks.json}\n",
			"can't go to .vscode/tasks.json"},
		{"../downloads/oarlock-2.0.3.zip", "    places: {dist/oarlock.js: ../out.js}\n", "can't be a path in the site"},
		{"../downloads/oarlock-2.0.3.zip", "    into: .git/hooks\n", "can't be a path in the site"},
	} {
		take := "key.js"
		if tt.places != "" || strings.HasSuffix(tt.from, ".zip") {
			take = "dist/oarlock.js"
		}
		s.Write("crate.yaml", "format: 1\nlibraries:\n  x:\n    from: "+tt.from+"\n"+tt.places+"    take: ["+take+"]\n")
		before := s.State()
		s.Fail(1, []string{tt.word, "next:"}, "settle", "--from", "../downloads")
		if s.State() != before {
			t.Fatalf("%s %s: something was written", tt.from, tt.places)
		}
	}
}
