package browser

import (
	"os"
	"os/exec"
	"path/filepath"
	"runtime"

	"merrycrate.example/merry/crate/problem"
)

// Find finds the browser of this machine: the one that is named, else in the places where the three systems have one.
// All are of the family that speaks the protocol by which it is driven.
func Find(named string) (string, error) {
	if named != "" {
		if p, err := exec.LookPath(named); err == nil {
			return p, nil
		}
		return "", problem.Fault(problem.BrowserMissing, "set another: merry sources set browser FILE",
			"there is no browser at %s, which your settings name", named)
	}
	for _, name := range places(runtime.GOOS) {
		if p, err := exec.LookPath(name); err == nil {
			return p, nil
		}
	}
	return "", problem.Fault(problem.BrowserMissing, "install Chromium (Debian: apt install chromium), or set a "+
		"browser: merry sources set browser FILE", "no supported browser was found on this machine")
}

// places are where a system has browsers: names on the search path, and files.
func places(system string) []string {
	switch system {
	case "darwin":
		home, _ := os.UserHomeDir()
		var list []string
		for _, dir := range []string{"/Applications", filepath.Join(home, "Applications")} {
			for _, app := range []string{"Chromium", "Google Chrome", "Microsoft Edge"} {
				list = append(list, filepath.Join(dir, app+".app", "Contents", "MacOS", app))
			}
		}
		return list
	case "windows":
		list := []string{"chrome", "chromium", "msedge"}
		for _, variable := range []string{"ProgramFiles", "ProgramFiles(x86)", "LocalAppData"} {
			if dir := os.Getenv(variable); dir != "" {
				list = append(list, filepath.Join(dir, "Google", "Chrome", "Application", "chrome.exe"),
					filepath.Join(dir, "Chromium", "Application", "chrome.exe"), filepath.Join(dir, "Microsoft", "Edge",
						"Application", "msedge.exe"))
			}
		}
		return list
	}
	return []string{"chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "microsoft-edge",
		"/snap/bin/chromium", "/usr/lib/chromium/chromium"}
}
