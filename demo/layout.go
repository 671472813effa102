package demo

import (
	"os"
	"path/filepath"
	"strings"
)

// LayOut writes the club's site, its downloads, and pages that come later, into a folder, and returns the site's.
func LayOut(dir, habit string) (site string, err error) {
	site = filepath.Join(dir, "site")
	if err := WriteSiteOf(site, habit); err != nil {
		return "", err
	}
	if err := WriteDownloads(filepath.Join(dir, "downloads")); err != nil {
		return "", err
	}
	more := filepath.Join(dir, "more")
	if err := os.MkdirAll(more, 0o755); err != nil {
		return "", err
	}
	if err := WriteDocumented(more, habit); err != nil {
		return "", err
	}
	if err := os.WriteFile(filepath.Join(more, "tag.html"), []byte(Pasted), 0o644); err != nil {
		return "", err
	}
	if err := os.WriteFile(filepath.Join(more, "boats.html"), []byte(Typed), 0o644); err != nil {
		return "", err
	}
	return site, WriteFog(more, habit)
}

// ByHand does what people do by hand before a step of the demo, and returns the shell command for it, "" for nothing.
func ByHand(before, site, habit string) (command string, err error) {
	switch before {
	case "checkout":
		for _, name := range []string{"js/tidechart.js", "lib/tidechart", "scripts/tidechart-3.1.0.js"} {
			full := filepath.Join(site, filepath.FromSlash(name))
			if _, err := os.Stat(full); err == nil {
				return "rm -r " + name, os.RemoveAll(full)
			}
		}
	case "regatta":
		return "cp ../more/regatta.html .", WriteDocumented(site, habit)
	case "profiles":
		return "printf " + quoted(Profiles) + " >> crate.yaml", AddProfiles(site)
	case "fog":
		return "cp -r ../more/fog.html ../more/own .", WriteFog(site, habit)
	}
	return "", nil
}

// quoted is a text as one word of a shell.
func quoted(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }
