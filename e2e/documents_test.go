package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/pasted"
)

// TestFirstCommands: the five commands of the README's first screen, typed as they are there, work on the club's site.
func TestFirstCommands(t *testing.T) {
	t.Parallel()
	b, err := os.ReadFile("../README.md")
	if err != nil {
		t.Fatal(err)
	}
	block := regexp.MustCompile("(?s)```sh\n(.*?)```").FindSubmatch(b)
	if block == nil {
		t.Fatal("the README has no commands")
	}
	s := merrytest.Club(t)
	before := s.Pages()
	lines := strings.Split(strings.TrimSpace(string(block[1])), "\n")
	for i, line := range lines {
		if r := s.Shell(line); r.Status != 0 {
			t.Errorf("%s ends with %d\n%s%s", line, r.Status, r.Out, r.Err)
		}
		if included := strings.Contains(s.Read("index.html"), "oarlock.min.js"); included != (i == 2 || i == 3) {
			t.Errorf("after %s the page has the library: %v", line, included)
		}
	}
	if len(lines) != 5 || s.Pages() != before {
		t.Errorf("of %d commands the last does not lead back", len(lines))
	}
}

// TestDocumentsNameWhatThereIs: every command in the documents is one that there is, with flags and arguments that it
// takes, and every link leads somewhere.
func TestDocumentsNameWhatThereIs(t *testing.T) {
	t.Parallel()
	documents, err := filepath.Glob("../docs/*.md")
	if err != nil {
		t.Fatal(err)
	}
	commands := 0
	for _, name := range append(documents, "../README.md") {
		b, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		text := string(b)
		for _, line := range typedIn(text) {
			if filepath.Base(name) == "ARCHITECTURE.md" {
				continue // what is there is a drawing
			}
			if err := pasted.Fault(line); err != nil {
				t.Errorf("%s: %s: %v", name, line, err)
			}
			commands++
		}
		for _, m := range regexp.MustCompile(`\]\(([^)#:]+)(?:#([^)]*))?\)`).FindAllStringSubmatch(text, -1) {
			to := filepath.Join(filepath.Dir(name), m[1])
			linked, err := os.ReadFile(to)
			if info, serr := os.Stat(to); serr != nil || err != nil && !info.IsDir() {
				t.Errorf("%s links to %s, which is not there", name, m[1])
				continue
			}
			found := m[2] == ""
			for _, h := range regexp.MustCompile(`(?m)^#+ (.*)$`).FindAllStringSubmatch(string(linked), -1) {
				anchor := strings.ReplaceAll(regexp.MustCompile(`[^a-z0-9 -]`).ReplaceAllString(strings.ToLower(h[1]),
					""), " ", "-")
				found = found || anchor == m[2]
			}
			if !found {
				t.Errorf("%s links to %s#%s, which is not there", name, m[1], m[2])
			}
		}
	}
	if commands < 70 {
		t.Errorf("only %d commands were found", commands)
	}
}

// typedIn are the commands of this program that a document has in its code.
func typedIn(text string) []string {
	var list []string
	fence := ""
	for line := range strings.Lines(text) {
		if after, ok := strings.CutPrefix(line, "```"); ok {
			fence = strings.TrimSpace(after)
			continue
		}
		var command string
		var typed bool
		switch fence {
		case "":
			command, typed = strings.CutPrefix(line, "    ")
		case "console":
			command, typed = strings.CutPrefix(line, "$ ")
		default:
			command, typed = strings.TrimPrefix(line, "exec "), true
		}
		for _, end := range []string{" | ", " >", " ||", " &&"} {
			command, _, _ = strings.Cut(command, end)
		}
		if typed && strings.HasPrefix(command, "merry ") {
			list = append(list, strings.TrimSpace(command))
		}
	}
	return list
}

// TestArchitectureNamesFiles: every file and folder that docs/ARCHITECTURE.md names exists.
func TestArchitectureNamesFiles(t *testing.T) {
	t.Parallel()
	b, err := os.ReadFile("../docs/ARCHITECTURE.md")
	if err != nil {
		t.Fatal(err)
	}
	named := 0
	for _, m := range regexp.MustCompile("`((?:crate|cli|e2e)/[a-z_/]+(?:\\.go)?)`").FindAllStringSubmatch(string(b),
		-1) {
		named++
		if _, err := os.Stat(filepath.Join("..", m[1])); err != nil {
			t.Errorf("docs/ARCHITECTURE.md names %s, which does not exist", m[1])
		}
	}
	for _, m := range regexp.MustCompile("(?m)^([a-z]+)  +[a-z]").FindAllStringSubmatch(string(b), -1) {
		if m[1] == "cli" || m[1] == "crate" {
			continue
		}
		named++
		if _, err := os.Stat(filepath.Join("../crate", m[1])); err != nil {
			t.Errorf("docs/ARCHITECTURE.md names the package %s, which does not exist", m[1])
		}
	}
	if named < 60 {
		t.Errorf("only %d files and packages are named", named)
	}
}

// TestReadmeConnects: the commands of the README that connect a registry and a CDN work, in this order, after its first
// commands. Stand-ins take the places of the two hosts.
func TestReadmeConnects(t *testing.T) {
	merrytest.Long(t)
	t.Parallel()
	b, err := os.ReadFile("../README.md")
	if err != nil {
		t.Fatal(err)
	}
	block := regexp.MustCompile(`(?m)(?:^    merry sources set registry .*\n)(?:^    merry .*\n)+`).FindString(
		string(b))
	if strings.Count(block, "\n") != 4 {
		t.Fatalf("the README connects with\n%s", block)
	}
	s := merrytest.Empty(t)
	club := filepath.Join(t.TempDir(), "club")
	said := stoodBy(t, s, club)
	s.Dir = filepath.Join(club, "site")
	s.Run("sources", "set", "certificates", said["CERTIFICATE"])
	s.Run("sources", "set", "host", "cdn.harbour.example", said["CDN"])
	s.Run("start")
	s.Run("take", "../downloads/oarlock-2.0.3.zip", "--page", "**")
	for line := range strings.Lines(strings.ReplaceAll(block, "https://registry.harbour.example", said["REGISTRY"])) {
		if r := s.Shell(strings.TrimSpace(line)); r.Status != 0 {
			t.Errorf("%s ends with %d\n%s%s", line, r.Status, r.Out, r.Err)
		}
	}
}
