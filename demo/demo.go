// Package demo holds the Gull Point Rowing Club's site and its made-up libraries: small, but real code
// that runs in a browser. The libraries' archives are made from their readable sources, and are the
// same bytes each time.
package demo

import (
	"bytes"
	"embed"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
)

//go:embed all:site all:libraries all:filled
var files embed.FS

// WriteSite writes the club's site, as it is before any library, into a folder.
func WriteSite(dir string) error {
	return fs.WalkDir(files, "site", func(name string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		to := filepath.Join(dir, filepath.FromSlash(strings.TrimPrefix(name, "site")))
		if e.IsDir() {
			return os.MkdirAll(to, 0o755)
		}
		b, err := files.ReadFile(name)
		if err != nil {
			return err
		}
		return os.WriteFile(to, b, 0o644)
	})
}

// Documented is a page as one makes it from tags of libraries' documentation.
const Documented = `<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>Regatta · Gull Point Rowing Club</title>
  <link rel="icon" href="img/gull.svg">
  <link rel="stylesheet" href="https://cdn.harbour.example/lib/@gull/pennants/1.1.0/css/pennants.css">
  <link rel="stylesheet" href="css/club.css">
</head>
<body>
  <header class="bw-bar">
    <h1>Regatta</h1>
    <button class="bw-button" id="menu-button">Menu</button>
    <nav class="bw-menu" id="menu"><a href="index.html">Home</a></nav>
  </header>
  <main class="bw-page"><p>Eights and fours, from the lighthouse to the slipway.</p></main>
  <script src="https://cdn.harbour.example/lib/oarlock/2.0.3/dist/oarlock.js" crossorigin="anonymous"></script>
  <script src="https://cdn.harbour.example/latest/quickbrine.js"></script>
  <script src="js/config.js"></script>
  <script src="js/club.js"></script>
</body>
</html>
`

// Fog is a page of modules, and FogScript the one of its own: it imports a library by its name, and an add-on of it.
const (
	Fog = `<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>Fog · Gull Point Rowing Club</title>
  <link rel="icon" href="img/gull.svg">
  <link rel="stylesheet" href="css/club.css">
</head>
<body>
  <h1>In fog</h1>
  <p>Off Gull Point you hear: <output id="fog-signal"></output></p>
  <script type="module" src="own/fog.js"></script>
</body>
</html>
`
	FogScript = `import { signal } from "foghorn";
import { echo, describeEcho } from "foghorn/examples/harbour-echo.js";

document.getElementById("fog-signal").textContent = describeEcho(echo(signal(3, 2)));
`
)

// WriteFog writes the page of modules into a site of one of the habits, its script beside the club's own.
func WriteFog(dir, habit string) error {
	page := Fog
	if habit == "versioned" {
		page = otherFolders.Replace(page)
	}
	if err := os.WriteFile(filepath.Join(dir, "fog.html"), []byte(page), 0o644); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Join(dir, "own"), 0o755); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, "own", "fog.js"), []byte(FogScript), 0o644)
}

// Typed is a page with mistakes that people make while they type, to be tried in an editor.
const Typed = `<!doctype html>
<html lang="en">
<head>
  <meta charset="utf-8">
  <meta name="viewport" content="width=device-width, initial-scale=1">
  <title>Boats</title>
  <link rel="stylesheet" href="css/brinwork.min.css">
  <link rel="stylesheet" href="css/club.css">
</head>
<body>
  <main class="bw-page">
    <p class="bw-">Complete this class. Ask what bw-page is, and rename club.js.</p>
  </main>
  <script src="js/brinework.min.js"></script>
  <script src="js/Club.js"></script>
  ` + Pasted + `</body>
</html>
`

// Pasted is a tag as documentation shows it, to be copied.
const Pasted = `<script src="https://cdn.harbour.example/lib/tidechart/3.1.0/dist/tidechart.js" crossorigin="anonymous"></script>
`

// WriteDocumented writes the documented page into a site of one of the habits.
func WriteDocumented(dir, habit string) error {
	page := Documented
	if habit == "versioned" {
		page = otherFolders.Replace(page)
	}
	return os.WriteFile(filepath.Join(dir, "regatta.html"), []byte(page), 0o644)
}

// otherFolders gives the site's own references the folders of the habit "versioned".
var otherFolders = strings.NewReplacer(`"js/c`, `"scripts/c`, `"css/c`, `"styles/c`)

// AddProfiles writes two profiles into a site's packing list, as a person would.
func AddProfiles(dir string) error {
	f, err := os.OpenFile(filepath.Join(dir, "crate.yaml"), os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = f.WriteString(strings.ReplaceAll(Profiles, `\n`, "\n"))
	return err
}

// Profiles are the lines that AddProfiles writes, as printf takes them.
const Profiles = `profiles:\n  desk: {serve: local, build: readable}\n  live: {serve: cdn, build: minified, ` +
	`fallback: ` +
	`true, without: [quickbrine]}\n`

// Habits are the ways in which the club's site can arrange its files.
var Habits = []string{"kind", "together", "versioned"}

// WriteSiteOf writes the club's site with another habit: "kind" has a folder for each kind of file,
// "together" a folder for each library, "versioned" other names for the folders, and the version in
// each file's name.
func WriteSiteOf(dir, habit string) error {
	if err := WriteSite(dir); err != nil {
		return err
	}
	var list string
	switch habit {
	case "kind":
		return nil
	case "together":
		list =
			"format: 1\npages: [\"**/*.html\"]\nfolders: {scripts: js, styles: css, images: img, together: lib}\n" +
				"arrange: together   # a folder for each library\n"
	case "versioned":
		list =
			"format: 1\npages: [\"**/*.html\"]\nfolders: {scripts: scripts, styles: styles, fonts: fonts, images: " +
				"img}\nnames: versioned   # the version in each file's name\n"
		for _, page := range []string{"index.html", "tides.html", "crews/index.html"} {
			name := filepath.Join(dir, filepath.FromSlash(page))
			b, err := os.ReadFile(name)
			if err != nil {
				return err
			}
			text := strings.NewReplacer("js/c", "scripts/c", "css/c", "styles/c").Replace(string(b))
			if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
				return err
			}
		}
		for old, new := range map[string]string{"js": "scripts", "css": "styles"} {
			if err := os.Rename(filepath.Join(dir, old), filepath.Join(dir, new)); err != nil {
				return err
			}
		}
	}
	return os.WriteFile(filepath.Join(dir, "crate.yaml"), []byte(list), 0o644)
}

// Versions lists the versions of a made-up library, as its folders are called.
func Versions(library string) []string {
	entries, err := files.ReadDir(path.Join("libraries", library))
	if err != nil {
		return nil
	}
	var list []string
	for _, e := range entries {
		list = append(list, e.Name())
	}
	return list
}

// earlier are versions that differ from the one named by their number alone.
var earlier = map[string]map[string]string{
	"oarlock":   {"1.0.0": "1.4.2", "1.3.0": "1.4.2", "1.4.0": "1.4.2", "2.0.0": "2.0.3", "3.0.0-beta.1": "2.1.0"},
	"tidechart": {"3.0.0": "3.1.0"},
}

// Loose are scripts that only a CDN has, under no version: quickbrine writes styles while one tries things out,
// and its makers say that it is not for production.
var Loose = map[string][]byte{
	"quickbrine.js": []byte(`/* quickbrine: styles from class names, while you try things out. Not for production. */
(function (root) {
  function apply() {
    document.querySelectorAll("[class*='qb-']").forEach(function (e) { e.style.padding = "1rem"; });
  }
  root.quickbrine = { apply: apply };
  document.addEventListener("DOMContentLoaded", apply);
})(window);
`)}

// PackageName returns a library's name in a registry.
func PackageName(library string) string {
	if library == "pennants" {
		return "@gull/pennants"
	}
	return library
}

// Published lists every library that the registry has, with all its versions.
func Published() map[string][]string {
	all := map[string][]string{}
	libraries, err := files.ReadDir("libraries")
	if err != nil {
		return nil
	}
	for _, l := range libraries {
		all[l.Name()] = Versions(l.Name())
		for v := range earlier[l.Name()] {
			all[l.Name()] = append(all[l.Name()], v)
		}
		slices.Sort(all[l.Name()])
	}
	return all
}

// Library returns the files of one version of a library, with the builds that its makers publish:
// minified scripts and styles with their source maps, and fonts.
func Library(name, version string) (map[string][]byte, error) {
	if of := earlier[name][version]; of != "" {
		out, err := Library(name, of)
		for file, b := range out {
			out[file] = bytes.ReplaceAll(b, []byte(of), []byte(version))
		}
		return out, err
	}
	root := path.Join("libraries", name, version)
	out := map[string][]byte{}
	err := fs.WalkDir(files, root, func(at string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		b, err := files.ReadFile(at)
		if err != nil {
			return err
		}
		out[strings.TrimPrefix(at, root+"/")] = b
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, file := range slices.Sorted(mapKeys(out)) {
		if err := addBuilds(out, file); err != nil {
			return nil, err
		}
	}
	switch name {
	case "brinework":
		font := iconFont("Brinework Icons")
		out["fonts/brinework.ttf"] = font
		out["fonts/brinework.woff"] = woff(font)
	case "pennants":
		out["fonts/pennants.woff"] = woff(iconFont("Pennants"))
	}
	return out, nil
}

// downloaded are the archives that a person has downloaded.
var downloaded = map[string][]string{"brinework": {"1.2.0"}, "oarlock": {"1.4.2", "2.0.3"}}

// WriteDownloads writes archives of libraries into a folder, as a person would have downloaded them.
func WriteDownloads(dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(downloaded)) {
		for _, v := range downloaded[name] {
			content, err := Library(name, v)
			if err != nil {
				return err
			}
			base := name + "-" + v
			b, err := Zip(base, content)
			if err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(dir, base+".zip"), b, 0o644); err != nil {
				return err
			}
		}
	}
	return nil
}
