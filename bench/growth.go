package main

import (
	"archive/tar"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// A growing input is one of which twice as much may take at most growthMark times as long.
type growing struct {
	name string
	n    int // how many there are; half of that is timed, too
	// make writes so many into a folder that has a packing list, and returns the command that reads them.
	make func(dir string, n int) (args []string, err error)
}

// growthMark is how many times as long twice the input may take.
const growthMark = 2.3

var growings = []growing{
	{"inline scripts, each reading the next one's", 1000, func(dir string, n int) ([]string, error) {
		return []string{"check"}, onPage(dir, each(n, func(i int) string {
			return fmt.Sprintf("<script>var v%d=v%d</script>\n", i, i+1)
		}))
	}},
	{"files that a stylesheet lacks", 20_000, func(dir string, n int) ([]string, error) {
		return []string{"check"}, withSheet(dir, each(n, func(i int) string {
			return fmt.Sprintf(".c%d{background:url(img/x%d.png)}\n", i, i)
		}))
	}},
	{"imports of a stylesheet", 20_000, func(dir string, n int) ([]string, error) {
		return []string{"check"}, withSheet(dir, each(n, func(i int) string {
			return fmt.Sprintf("@import 'b%d.css';\n", i)
		}))
	}},
	{"attributes of an element", 20_000, func(dir string, n int) ([]string, error) {
		return []string{"check"}, onPage(dir, "<p"+each(n, func(i int) string {
			return fmt.Sprintf(" data-a%d=v%d", i, i)
		})+"></p>")
	}},
	{"equal script tags", 20_000, func(dir string, n int) ([]string, error) {
		if err := put(dir, "js/a.js", "var a = 1\n"); err != nil {
			return nil, err
		}
		return []string{"check", "--no-rehearse"}, onPage(dir, strings.Repeat("<script src=\"js/a.js\"></script>\n", n))
	}},
	{"libraries in a chain of needs", 12_000, func(dir string, n int) ([]string, error) {
		list := each(n, func(i int) string {
			needs := ""
			if i+1 < n {
				needs = fmt.Sprintf(", needs: [lib%d]", i+1)
			}
			return fmt.Sprintf("  lib%d: {version: 1.0.0, from: \"registry:lib%d\"%s, take: [a.js]}\n", i, i, needs)
		})
		if err := put(dir, "crate.yaml", "format: 1\nlibraries:\n"+list); err != nil {
			return nil, err
		}
		return []string{"check"}, onPage(dir, "")
	}},
	{"scopes of an import map", 12_000, func(dir string, n int) ([]string, error) {
		if err := put(dir, "js/m.js", "export default 1\n"); err != nil {
			return nil, err
		}
		scopes := strings.TrimSuffix(each(n, func(i int) string {
			return fmt.Sprintf("\"/s%d/\":{\"m\":\"./js/m.js\"},\n", i)
		}), ",\n")
		return []string{"check"}, onPage(dir, `<script type="importmap">{"imports":{"m":"./js/m.js"},"scopes":{`+scopes+
			`}}</script><script type="module">import "m"</script>`)
	}},
	{"repeats of a tar's last file", 45_000, func(dir string, n int) ([]string, error) {
		names := make([]string, 0, 2*n)
		for i := range n {
			names = append(names, fmt.Sprintf("reef/f%d.js", i))
		}
		for range n {
			names = append(names, names[n-1])
		}
		return []string{"peek", "../reef-1.0.0.tar"}, tarOf(filepath.Join(dir, "../reef-1.0.0.tar"), names,
			"var reef;\n")
	}},
	{"stylesheets of a package", 6000, func(dir string, n int) ([]string, error) {
		names := make([]string, n)
		for i := range names {
			names[i] = fmt.Sprintf("reef/css/s%d.css", i)
		}
		return []string{"peek", "../reef-1.0.0.tar"}, tarOf(filepath.Join(dir, "../reef-1.0.0.tar"), names,
			"@import 'base.css';\n.reef-a, .reef-b { color: navy }\n")
	}},
	{"globals of a script", 20_000, func(dir string, n int) ([]string, error) {
		if err := put(dir, "../reef/reef.js", each(n, func(i int) string {
			return fmt.Sprintf("window.g%d = %d;\n", i, i)
		})); err != nil {
			return nil, err
		}
		return []string{"peek", "../reef"}, nil
	}},
	{"scripts, each reading the last one's", 2000, func(dir string, n int) ([]string, error) {
		for i := range n {
			if err := put(dir, fmt.Sprintf("js/i%d.js", i), fmt.Sprintf("var i%d = {}; i%d.x = 1;\n", i,
				max(0, i-1))); err != nil {
				return nil, err
			}
		}
		return []string{"order", "index.html"}, onPage(dir, each(n, func(i int) string {
			return fmt.Sprintf("<script src=\"js/i%d.js\"></script>\n", i)
		}))
	}},
}

// twice times each growing input and half of it, and prints how the processor times compare.
func (b *bench) twice(only string) error {
	fmt.Printf("\n%-46s %8s %8s  %6s  %6s\n", "twice as many", "half", "all", "ratio", "mark")
	for _, g := range growings {
		if !strings.Contains("twice "+g.name, only) {
			continue
		}
		half, err := b.least(g, g.n/2)
		if err != nil {
			return fmt.Errorf("%s: %w", g.name, err)
		}
		all, err := b.least(g, g.n)
		if err != nil {
			return fmt.Errorf("%s: %w", g.name, err)
		}
		fmt.Printf("%-46s %8.3f %8.3f  %6.2f  %6.1f\n", fmt.Sprintf("%d %s", g.n, g.name), half.Seconds(),
			all.Seconds(), all.Seconds()/half.Seconds(), growthMark)
	}
	return nil
}

// least is the least processor time that a command takes for so many of an input, with nothing remembered.
func (b *bench) least(g growing, n int) (time.Duration, error) {
	base := filepath.Join(b.dir, "growing")
	if err := os.RemoveAll(base); err != nil {
		return 0, err
	}
	site := filepath.Join(base, "site")
	if err := put(site, "crate.yaml", "format: 1\n"); err != nil {
		return 0, err
	}
	args, err := g.make(site, n)
	if err != nil {
		return 0, err
	}
	least := time.Hour
	for range b.runs {
		if err := os.RemoveAll(filepath.Join(base, "home")); err != nil {
			return 0, err
		}
		cmd := exec.Command(b.merry, args...)
		cmd.Dir = site
		cmd.Env = append(os.Environ(), "MERRY_HOME="+filepath.Join(base, "home"))
		if err := cmd.Run(); err != nil && cmd.ProcessState.ExitCode() != 1 {
			return 0, fmt.Errorf("merry %s: %w", strings.Join(args, " "), err)
		}
		least = min(least, cmd.ProcessState.UserTime()+cmd.ProcessState.SystemTime())
	}
	return least, nil
}

func each(n int, text func(i int) string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(text(i))
	}
	return b.String()
}

func put(dir, name, text string) error {
	full := filepath.Join(dir, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(full), 0o755); err != nil {
		return err
	}
	return os.WriteFile(full, []byte(text), 0o644)
}

func onPage(dir, body string) error {
	return put(dir, "index.html", "<!doctype html>\n<html lang=\"en\"><head><meta "+
		"charset=\"utf-8\"><title>Log</title></head>\n<body>\n"+body+"</body></html>\n")
}

// withSheet writes a page with one stylesheet.
func withSheet(dir, rules string) error {
	if err := put(dir, "css/a.css", rules); err != nil {
		return err
	}
	return onPage(dir, `<link rel="stylesheet" href="css/a.css">`)
}

// tarOf writes an archive whose files all hold one text.
func tarOf(name string, files []string, text string) error {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	defer f.Close()
	w := tar.NewWriter(f)
	for _, file := range files {
		if err := w.WriteHeader(&tar.Header{Name: file, Mode: 0o644, Size: int64(len(text))}); err != nil {
			return err
		}
		if _, err := w.Write([]byte(text)); err != nil {
			return err
		}
	}
	return w.Close()
}
