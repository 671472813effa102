package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"merrycrate.example/merry/internal/merrytest"
)

// The variables that turn TestPackages on: a file with a package a line, and the address of a registry.
const (
	packagesVariable = "MERRY_PACKAGES"
	registryVariable = "MERRY_PACKAGES_FROM"
)

// TestPackages takes packages of a registry, each by one command into a site of its own, opens the page in a browser,
// and prints what went wrong: what the console says, what was not found, globals that are not there, styles that do
// nothing, and where check and the browser do not agree. It judges by the share; it is off unless a list of packages is
// named.
func TestPackages(t *testing.T) {
	t.Parallel()
	list, err := os.ReadFile(os.Getenv(packagesVariable))
	if err != nil {
		t.Skipf("%s names no list of packages", packagesVariable)
	}
	ctx := merrytest.BrowserFor(t, time.Hour)
	home := merrytest.Empty(t)
	if kept := os.Getenv("MERRY_PACKAGES_HOME"); kept != "" {
		home.Home = kept
	}
	home.Run("sources", "set", "registry", os.Getenv(registryVariable))
	well, all := 0, 0
	for line := range strings.Lines(string(list)) {
		line, _, _ = strings.Cut(line, "#")
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		all++
		s := merrytest.Empty(t)
		s.Home = home.Home
		s.Run("start")
		from := time.Now()
		r := s.Try(append([]string{"take"}, append(strings.Fields(line), "--with-needs", "--page", "index.html")...)...)
		took := time.Since(from)
		wrong := []string{}
		if r.Status != 0 {
			wrong = append(wrong, strings.TrimSpace(r.Err))
		} else {
			wrong = onAPage(t, s, func(url, expression string) (console, failed []string, value any) {
				return merrytest.Visit(t, ctx, url, expression)
			})
		}
		if len(wrong) == 0 {
			well++
			t.Logf("well   %-40s %v", line, took.Round(10*time.Millisecond))
			continue
		}
		t.Logf("WRONG  %-40s %v\n    %s", line, took.Round(10*time.Millisecond), strings.Join(wrong, "\n    "))
	}
	t.Logf("%d of %d packages work by one command", well, all)
}

// onAPage opens a site's page and says what is wrong with it.
func onAPage(t *testing.T, s *merrytest.Site, visit func(url, expression string) (console, failed []string,
	value any)) []string {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/favicon.ico" { // every browser asks for it, and no library brings it
			w.WriteHeader(http.StatusNoContent)
			return
		}
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	defer server.Close()
	var answer struct {
		Pages []struct {
			Steps []struct {
				Name    string
				Defines []string
			}
		}
	}
	err := json.Unmarshal([]byte(s.Try("order", "index.html", "--json").Out), &answer)
	pages := answer.Pages
	if err != nil || len(pages) == 0 {
		return []string{fmt.Sprint("order can't be read: ", err)}
	}
	defines := []string{}
	scripts := 0
	for _, step := range pages[0].Steps {
		scripts++
		defines = append(defines, step.Defines...)
	}
	wanted, err := json.Marshal(defines)
	if err != nil {
		t.Fatal(err)
	}
	console, failed, value := visit(server.URL+"/index.html", `JSON.stringify({
		missing: `+string(wanted)+`.filter(n => { try { return !(n in window) && typeof (0, eval)(n) === 'undefined' } catch (e) { return !(e instanceof TypeError) } }),
		empty: [...document.styleSheets].filter(s => { try { return s.href && !s.href.includes('style.css') && s.cssRules.length === 0 } catch (e) { return true } }).map(s => s.href),
		tags: document.querySelectorAll('script[src]:not([src*="main.js"]), link[rel=stylesheet]:not([href*="style.css"])').length})`)
	var seen struct {
		Missing, Empty []string
		Tags           int
	}
	if text, ok := value.(string); !ok || json.Unmarshal([]byte(text), &seen) != nil {
		return []string{fmt.Sprintf("the page answers %v", value)}
	}
	wrong := []string{}
	for _, c := range console {
		if !strings.HasPrefix(c, "log:") && !strings.HasPrefix(c, "info:") && !strings.HasPrefix(c, "debug:") {
			wrong = append(wrong, "console: "+c)
		}
	}
	for _, f := range failed {
		wrong = append(wrong, "not there: "+f)
	}
	broken := slices.ContainsFunc(wrong, func(w string) bool {
		return strings.Contains(w, "exception") || strings.HasPrefix(w, "not there")
	})
	if seen.Tags == 0 {
		wrong = append(wrong, "nothing of it is on the page")
	}
	if len(seen.Missing) > 0 {
		wrong = append(wrong, "defined, says order, and not there: "+
			strings.Join(seen.Missing[:min(8, len(seen.Missing))], ", "))
	}
	if len(seen.Empty) > 0 {
		wrong = append(wrong, "stylesheets without a rule: "+strings.Join(seen.Empty, ", "))
	}
	var checked struct {
		Findings []struct{ Name, Severity, Message string } `json:"findings"`
	}
	out := s.Try("check", "index.html", "--json").Out
	if err := json.Unmarshal([]byte(out), &checked); err != nil {
		return append(wrong, "check can't be read: "+out)
	}
	complains := false
	for _, f := range checked.Findings {
		if f.Severity == "error" {
			complains = true
			if !broken {
				wrong = append(wrong, "check complains of a page that runs: "+f.Name+": "+f.Message)
			}
		}
	}
	if broken && !complains {
		wrong = append(wrong, "check is silent of it")
	}
	return append(wrong, scriptless(t, s, scripts)...)
}

// scriptless says that a page got no script though files with one were taken.
func scriptless(t *testing.T, s *merrytest.Site, scripts int) []string {
	t.Helper()
	taken, err := filepath.Glob(filepath.Join(s.Dir, "js/*.js"))
	if err != nil {
		t.Fatal(err)
	}
	if scripts == 0 && len(taken) > 1 {
		return []string{"scripts were taken and are on no page"}
	}
	return nil
}
