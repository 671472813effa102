// Bench measures merry against public tools that do the nearest simple thing, in one run, in turn,
// several times, and prints medians and ratios beside the marks. It makes its own data.
//
// Of inputs that grow it prints how much longer twice as many take.
//
//	go run ./bench [-runs 5] [-only check|twice|…] [-write FILE] [-against FILE]
package main

import (
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"merrycrate.example/merry/standin"
)

// A race times merry against another command on the same data.
type race struct {
	name   string
	merry  func() *exec.Cmd
	other  func() *exec.Cmd
	says   string // what the other one is
	mark   float64
	before func() error // puts the data back before each run of either
}

type bench struct {
	dir, merry string
	runs       int
	rows       []string           // names of the races that were run, in order
	ratios     map[string]float64 // of each, merry's time by the other's
}

func main() {
	runs := flag.Int("runs", 5, "how often each command is timed")
	huge := flag.Bool("huge", false, "also make an archive of 1 GB, and print what peeking and taking from it costs")
	only := flag.String("only", "", "run the races whose name holds this")
	data := flag.String("make-data", "", "only make the data in this folder; bench calls itself so")
	keep := flag.String("dir", "", "make the data in this folder, and leave it there")
	write := flag.String("write", "", "write the ratios of the rows to this file")
	against := flag.String("against", "", "fail if a row is a quarter worse than in this file, which -write made")
	flag.Parse()
	if *data != "" {
		if err := makeData(*data); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	b := &bench{runs: *runs, ratios: map[string]float64{}}
	err := b.run(*only, *keep, *huge)
	if err == nil && *write != "" {
		err = b.write(*write)
	}
	if err == nil && *against != "" {
		err = b.compare(*against)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func (b *bench) run(only, dir string, huge bool) error {
	if dir == "" {
		made, err := os.MkdirTemp("", "merry-bench-")
		if err != nil {
			return err
		}
		dir = made
		defer os.RemoveAll(dir)
	}
	b.dir, b.merry = dir, filepath.Join(dir, "merry")
	build := exec.Command("go", "build", "-o", b.merry, "./cmd/merry")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		return fmt.Errorf("%s%w", out, err)
	}
	// In a process of its own: the memory that a parent once held is counted as its children's.
	self, err := os.Executable()
	if err != nil {
		return err
	}
	if out, err := exec.Command(self, "-make-data", dir).CombinedOutput(); err != nil {
		return fmt.Errorf("%s%w", out, err)
	}
	if strings.Contains("refill of 30 libraries", only) {
		if err := b.makeLibraries(); err != nil {
			return err
		}
	}
	if strings.Contains("compare over 1,000 pages", only) {
		if err := b.makeUpgrade(); err != nil {
			return err
		}
	}
	fmt.Printf("%d cores, %d runs each, medians in seconds\n\n", runtime.NumCPU(), b.runs)
	fmt.Printf("%-34s %8s  %-34s %8s  %6s  %6s\n", "merry", "median", "against", "median", "ratio", "mark")
	for _, r := range b.races() {
		if strings.Contains(r.name, only) {
			if err := b.race(r); err != nil {
				return err
			}
		}
	}
	if huge {
		if err := b.huge(); err != nil {
			return err
		}
	}
	if strings.Contains("serve", only) {
		if err := b.serving(); err != nil {
			return err
		}
	}
	if strings.Contains("look", only) {
		if err := b.looking(); err != nil {
			return err
		}
	}
	if strings.Contains("typing", only) {
		if err := b.typing(); err != nil {
			return err
		}
	}
	if strings.Contains("registry", only) {
		if err := b.registry(); err != nil {
			return err
		}
	}
	if err := b.growth(only); err != nil {
		return err
	}
	return b.twice(only)
}

// makeLibraries takes 30 libraries into a project, and keeps a copy of what they put there.
func (b *bench) makeLibraries() error {
	site := filepath.Join(b.dir, "libs")
	if err := os.MkdirAll(site, 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(site, "crate.yaml"), []byte("format: 1\narrange: together\n"),
		0o644); err != nil {
		return err
	}
	for i := range 30 {
		name := fmt.Sprintf("lib%d.zip", i)
		if err := makeLibrary(filepath.Join(b.dir, name), uint64(i)); err != nil {
			return err
		}
		if out, err := b.command(site, b.merry, "take", "../"+name, "--files", "**", "--as",
			fmt.Sprintf("lib%d", i)).CombinedOutput(); err != nil {
			return fmt.Errorf("%s%w", out, err)
		}
	}
	return exec.Command("cp", "-r", filepath.Join(site, "lib"), filepath.Join(b.dir, "libs-whole")).Run()
}

// makeUpgrade makes 1,000 pages with a library on them, and two versions of that library: stylesheets of 250 KB and
// scripts of 500 KB.
func (b *bench) makeUpgrade() error {
	site := filepath.Join(b.dir, "upgrade")
	for v, name := range []string{"sheet-1.zip", "sheet-2.zip"} {
		if err := makeSheets(filepath.Join(b.dir, name), v+1); err != nil {
			return err
		}
	}
	if err := makeSheetPages(site); err != nil {
		return err
	}
	for _, args := range [][]string{{"start"}, {"take", "../sheet-1.zip", "--as", "sheet", "--page", "**"}} {
		if out, err := b.command(site, b.merry, args...).CombinedOutput(); err != nil {
			return fmt.Errorf("%s%w", out, err)
		}
	}
	return nil
}

// huge prints time and memory of an archive of 1 GB.
func (b *bench) huge() error {
	if err := makeHuge(filepath.Join(b.dir, "huge.zip")); err != nil {
		return err
	}
	site := filepath.Join(b.dir, "huge")
	if err := os.MkdirAll(site, 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(site, "crate.yaml"), []byte("format: 1\n"), 0o644); err != nil {
		return err
	}
	for _, args := range [][]string{{"peek", "../huge.zip"}, {"take", "../huge.zip", "--files", "js/*"}} {
		cmd := b.command(site, b.merry, args...)
		from := time.Now()
		if out, err := cmd.CombinedOutput(); err != nil {
			return fmt.Errorf("%s%w", out, err)
		}
		fmt.Printf("%s of an archive of 1 GB: %.2f s, %d MB (mark 200 MB)\n", args[0], time.Since(from).Seconds(),
			maxRSS(cmd)>>20)
	}
	return nil
}

func (b *bench) command(dir, name string, args ...string) *exec.Cmd {
	c := exec.Command(name, args...)
	c.Dir = dir
	c.Env = append(os.Environ(), "HOME="+b.dir, "XDG_CACHE_HOME="+filepath.Join(b.dir, "cache"),
		"XDG_CONFIG_HOME="+filepath.Join(b.dir, "config"))
	return c
}

func (b *bench) tool(dir string, args ...string) func() *exec.Cmd {
	return func() *exec.Cmd { return b.command(dir, b.merry, args...) }
}

func (b *bench) shell(dir, script string) func() *exec.Cmd {
	return func() *exec.Cmd { return b.command(dir, "sh", "-c", script) }
}

func (b *bench) races() []race {
	pages := filepath.Join(b.dir, "pages")
	out := filepath.Join(b.dir, "out")
	cores := fmt.Sprint(runtime.NumCPU())
	fresh := func() error {
		if err := os.RemoveAll(out); err != nil {
			return err
		}
		if err := os.MkdirAll(out, 0o755); err != nil {
			return err
		}
		return os.WriteFile(filepath.Join(out, "crate.yaml"), []byte("format: 1\nfolders: {together: lib}\n"), 0o644)
	}
	// What reading files told is remembered by their bytes: a race of what was never seen begins without.
	forget := "rm -rf '" + filepath.Join(b.dir, "cache", "merry-crate", "cache", "findings") + "'; "
	libs := filepath.Join(b.dir, "libs")
	empty := func() error {
		os.RemoveAll(filepath.Join(b.dir, "copy"))
		return os.RemoveAll(filepath.Join(libs, "lib"))
	}
	sed := "find . -name '*.html' -print0 | xargs -0 -P" + cores + " -n 500 sed -i 's|js/club.js|js/klub.js|'"
	list := []race{
		{name: "check 10,000 pages", merry: b.shell(pages, forget+b.merry+" check"),
			other: b.shell(pages, "rg -c gullpoint . >/dev/null"), says: "rg -c", mark: 1.5},
		{name: "check 10,000 pages again", merry: b.tool(pages, "check"),
			other: b.shell(pages, "rg -c gullpoint . >/dev/null"), says: "rg -c", mark: 0.5},
		{name: "include over 10,000 pages", merry: b.tool(pages, "include", "beacon", "--page", "**"),
			other: b.shell(pages, sed), says: "sed -i, " + cores + " processes", mark: 1.2,
			before: func() error { return makePages(pages) }},
		{name: "switch over 10,000 pages", merry: b.tool(pages, "switch", "--readable"), other: b.shell(pages, sed),
			says: "sed -i, " + cores + " processes", mark: 0.3,
			before: func() error {
				if err := makePages(pages); err != nil {
					return err
				}
				return b.command(pages, b.merry, "include", "beacon", "--page", "**").Run()
			}},
		{name: "compare over 1,000 pages", merry: b.shell(filepath.Join(b.dir, "upgrade"),
			forget+b.merry+" compare sheet ../sheet-2.zip"),
			other: b.shell(filepath.Join(b.dir, "upgrade"), forget+"rg -c sheet-tide . >/dev/null; "+b.merry+
				" peek ../sheet-1.zip >/dev/null; "+b.merry+" peek ../sheet-2.zip >/dev/null"),
			says: "rg -c, and reading both once", mark: 4},
		{name: "peek 1,500 files, 100 MB", merry: b.tool(b.dir, "peek", "big.zip"),
			other: b.shell(b.dir, "rm -rf un; unzip -q big.zip -d un"), says: "unzip", mark: 1},
		{name: "peek a large package, never seen", merry: b.shell(b.dir, forget+b.merry+" peek halyard-4.2.0.zip"),
			other: b.shell(b.dir, "rm -rf un; unzip -q halyard-4.2.0.zip -d un"), says: "unzip", mark: 2},
		{name: "peek a large package again", merry: b.tool(b.dir, "peek", "halyard-4.2.0.zip"),
			other: b.shell(b.dir, "rm -rf un; unzip -q halyard-4.2.0.zip -d un"), says: "unzip", mark: 1},
		{name: "take 1,500 files, 100 MB", merry: b.tool(out, "take", "../big.zip", "--files", "**", "--together",
			"--as", "big"), other: b.shell(out, "unzip -q ../big.zip -d un"), says: "unzip", mark: 1, before: fresh},
		{name: "refill of 30 libraries", merry: b.tool(libs, "refill"), other: b.shell(b.dir, "cp -r libs-whole copy"),
			says: "cp -r", mark: 1.5, before: empty},
		{name: "seal a tree of 100 MB", merry: b.tool(b.dir, "seal", "tree"),
			other: b.shell(b.dir, "find tree -type f -print0 | xargs -0 openssl dgst -sha384 >/dev/null"),
			says:  "openssl dgst -sha384", mark: 0.85},
	}
	for _, s := range shapes {
		list = append(list, race{name: "peek " + s.name, merry: b.shell(b.dir, forget+b.merry+" peek "+s.file),
			other: b.shell(b.dir, "rm -rf un; unzip -q "+s.file+" -d un"), says: "unzip", mark: s.mark})
	}
	return list
}

// race runs both in turn and prints the medians. A command that ends with status 1 has found
// something, which is no failure here.
func (b *bench) race(r race) error {
	var mine, theirs, ratios []float64
	for i := range b.runs + 1 {
		var pair [2]float64
		for j, make := range []func() *exec.Cmd{r.merry, r.other} {
			if r.before != nil {
				if err := r.before(); err != nil {
					return err
				}
			}
			exec.Command("sync").Run() // nobody pays for what another left to be written
			cmd := make()
			var output strings.Builder
			cmd.Stderr = &output
			from := time.Now()
			if err := cmd.Run(); err != nil && cmd.ProcessState.ExitCode() != 1 {
				return fmt.Errorf("%s: %s: %w", r.name, output.String(), err)
			}
			pair[j] = time.Since(from).Seconds()
		}
		if i > 0 { // the first round warms the page cache
			mine, theirs, ratios = append(mine, pair[0]), append(theirs, pair[1]), append(ratios, pair[0]/pair[1])
		}
	}
	b.rows, b.ratios[r.name] = append(b.rows, r.name), median(ratios)
	verdict := ""
	if median(ratios) > r.mark {
		verdict = "  over"
	}
	fmt.Printf("%-34s %8.3f  %-34s %8.3f  %6.2f  %6.2f%s\n", r.name, median(mine), r.says, median(theirs),
		median(ratios), r.mark, verdict)
	return nil
}

func median(list []float64) float64 {
	list = slices.Sorted(slices.Values(list))
	return list[len(list)/2]
}

// registry times the taking of 30 libraries, each with a need, from a stand-in that answers after 5 ms,
// against the slowest chain of requests that this takes: document and tarball of one, document and
// tarball of what it needs, by one client one after the other.
//
// It is longer than 80 lines because it is one list of measurements.
func (b *bench) registry() error {
	r, err := standin.NewRegistry()
	if err != nil {
		return err
	}
	defer r.Close()
	site := filepath.Join(b.dir, "registry")
	args := []string{"take", "--with-needs"}
	for i := range 30 {
		name := fmt.Sprintf("float%d", i)
		args = append(args, name)
		files := map[string][]byte{"dist/" + name + ".js": []byte("oarlock.fn." + name +
			" = function () {\n  return 1;\n};\n"), "package.json": []byte(`{"dependencies":{"oarlock":"^2.0.0"}}`)}
		if err := r.Publish(name, "1.0.0", files); err != nil {
			return err
		}
	}
	r.Delay(5 * time.Millisecond)
	var cold, chains, warm []float64
	var before, asked, bodies int64
	for range b.runs {
		home := filepath.Join(b.dir, "registry-home")
		run := func(args ...string) (float64, error) {
			cmd := b.command(site, b.merry, args...)
			cmd.Env = append(cmd.Env, "MERRY_HOME="+home)
			from := time.Now()
			if out, err := cmd.CombinedOutput(); err != nil {
				return 0, fmt.Errorf("%s%w", out, err)
			}
			return time.Since(from).Seconds(), nil
		}
		fresh := func() error {
			os.RemoveAll(site)
			os.MkdirAll(site, 0o755)
			return os.WriteFile(filepath.Join(site, "crate.yaml"), []byte("format: 1\n"), 0o644)
		}
		os.RemoveAll(home)
		if err := fresh(); err != nil {
			return err
		}
		if _, err := run("sources", "set", "registry", r.URL); err != nil {
			return err
		}
		t, err := run(args...)
		if err != nil {
			return err
		}
		cold = append(cold, t)
		from := time.Now()
		for _, path := range []string{"/float0", "/-/float0/1.0.0.tgz", "/oarlock", "/-/oarlock/2.1.0.tgz"} {
			resp, err := http.Get(r.URL + path)
			if err != nil {
				return err
			}
			io.Copy(io.Discard, resp.Body)
			resp.Body.Close()
		}
		chains = append(chains, time.Since(from).Seconds())
		if err := fresh(); err != nil {
			return err
		}
		before, bodies = r.Requests(), r.Bodies()
		if t, err = run(args...); err != nil {
			return err
		}
		warm = append(warm, t)
		asked, bodies = r.Requests()-before, r.Bodies()-bodies
		if err := fresh(); err != nil {
			return err
		}
		before = r.Requests()
		if _, err := run(append(args, "--offline")...); err != nil {
			return err
		}
		before = r.Requests() - before
	}
	fmt.Printf("\ntaking 30 libraries with a need from a registry 5 ms away: %.3f s, the slowest chain of requests "+
		"%.3f s: %.2f (mark 1.3)\n", median(cold), median(chains), median(cold)/median(chains))
	fmt.Printf("warm %.3f s: %d requests, %d of them answered with a body; offline: %d requests\n", median(warm), asked,
		bodies, before)
	return nil
}

// growth times check on ten times the pages, and prints start-up and memory of a small command.
func (b *bench) growth(only string) error {
	if !strings.Contains("growth small", only) && only != "" {
		return nil
	}
	small := filepath.Join(b.dir, "pages", "p0")
	one := func(dir string, args ...string) (float64, int64, error) {
		var times []float64
		var peak int64
		for range b.runs + 1 {
			cmd := b.command(dir, b.merry, args...)
			from := time.Now()
			if err := cmd.Run(); err != nil && cmd.ProcessState.ExitCode() != 1 {
				return 0, 0, err
			}
			times = append(times, time.Since(from).Seconds())
			peak = max(peak, maxRSS(cmd))
		}
		return median(times), peak, nil
	}
	list := []byte("format: 1\n")
	if err := os.WriteFile(filepath.Join(small, "crate.yaml"), list, 0o644); err != nil {
		return err
	}
	tenth, tenthPeak, err := one(small, "check")
	if err != nil {
		return err
	}
	os.Remove(filepath.Join(small, "crate.yaml"))
	all, allPeak, err := one(filepath.Join(b.dir, "pages"), "check")
	if err != nil {
		return err
	}
	fmt.Printf("\ncheck of 1,000 pages %.3f s, %d MB; of 10,000 %.3f s, %d MB: %.1f times the time (mark 11)\n", tenth,
		tenthPeak>>20, all, allPeak>>20, all/tenth)
	club := filepath.Join(b.dir, "club")
	os.RemoveAll(club)
	if out, err := b.command(b.dir, b.merry, "demo", "--to", club).CombinedOutput(); err != nil {
		return fmt.Errorf("%s%w", out, err)
	}
	for _, args := range [][]string{{"check"}, {"contents"}, {"include", "oarlock", "--page", "**"}} {
		t, peak, err := one(filepath.Join(club, "site"), args...)
		if err != nil {
			return err
		}
		fmt.Printf("%-20s on the demo's site: %3.0f ms, %d MB (mark 20 ms, 40 MB)\n", strings.Join(args[:1], " "),
			t*1000, peak>>20)
	}
	return nil
}
