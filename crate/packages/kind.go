package packages

import (
	"path"
	"strings"

	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/record"
	"merrycrate.example/merry/crate/script"
)

// A Kind is the kind of a file.
type Kind string

// The kinds of file.
const (
	Script     Kind = "script"
	Stylesheet Kind = "stylesheet"
	Map        Kind = "source map"
	Font       Kind = "font"
	Image      Kind = "image"
	Document   Kind = "document"
	Licence    Kind = "licence"
	About      Kind = "manifest"
	Source     Kind = "source"
	Types      Kind = "types"
	Data       Kind = "data"
	Archive    Kind = "archive"
	Other      Kind = "other"
)

// KindOf returns a file's kind by its name.
func KindOf(name string) Kind {
	base := strings.ToLower(path.Base(name))
	switch {
	case strings.HasPrefix(base, "license"), strings.HasPrefix(base, "licence"), strings.HasPrefix(base, "copying"),
		base == "notice", base == "notice.txt", base == "ofl.txt":
		if ext := path.Ext(base); ext != ".js" && ext != ".css" {
			return Licence
		}
	case strings.HasSuffix(base, ".zip"), strings.HasSuffix(base, ".tgz"), strings.HasSuffix(base, ".tar"),
		strings.Contains(base, ".tar."):
		return Archive
	case strings.HasSuffix(base, ".d.ts"), strings.HasSuffix(base, ".d.mts"), strings.HasSuffix(base, ".d.cts"),
		strings.HasSuffix(base, ".flow"):
		return Types
	}
	switch path.Ext(base) {
	case ".js", ".mjs", ".cjs":
		return Script
	case ".css":
		return Stylesheet
	case ".map":
		return Map
	case ".woff", ".woff2", ".ttf", ".otf", ".eot":
		return Font
	case ".png", ".jpg", ".jpeg", ".gif", ".svg", ".webp", ".avif", ".ico", ".cur":
		return Image
	case ".md", ".markdown", ".txt", ".html", ".htm", ".rst", ".pdf":
		return Document
	case ".ts", ".tsx", ".jsx", ".mts", ".cts", ".scss", ".sass", ".less", ".styl", ".coffee", ".vue":
		return Source
	case ".json", ".xml", ".yml", ".yaml", ".wasm", ".csv":
		return Data
	case "":
		switch strings.TrimSuffix(base, path.Ext(base)) {
		case "readme", "changelog", "changes", "history", "authors", "contributors", "contributing":
			return Document
		}
	}
	return Other
}

// otherPackages is why files are excluded that are copies of other libraries.
const otherPackages = "other packages"

// asideFolders are folders whose files are for the library's makers or readers, not for a page.
var asideFolders = map[string]string{
	"src": "sources", "source": "sources", "sources": "sources", "scss": "sources", "sass": "sources",
	"less": "sources",
	"test": "tests", "tests": "tests", "spec": "tests", "specs": "tests", "__tests__": "tests", "fixtures": "tests",
	"benchmark": "tests", "benchmarks": "tests", "perf": "tests", "coverage": "tests", "lcov-report": "tests",
	"doc": "documentation", "docs": "documentation", "documentation": "documentation", "site": "documentation",
	"_site": "documentation", "website": "documentation",
	"demo": "examples", "demos": "examples", "example": "examples", "examples": "examples", "sample": "examples",
	"samples": "examples", "sandbox": "examples", "playground": "examples",
	"template": "examples", "templates": "examples", "blueprints": "examples", "blueprint": "examples",
	"generators": "examples", "scaffolds": "examples", "bench": "tests", "benches": "tests",
	"vendor": otherPackages, "third_party": otherPackages, "third-party": otherPackages, "thirdparty": otherPackages,
	"node_modules": otherPackages, "bower_components": otherPackages, "site-packages": otherPackages,
	"gems": otherPackages, "pods": otherPackages,
	"build-tools": "tools", "tools": "tools", "scripts": "tools", "tasks": "tools", "bin": "tools",
	"types": "types", "media": "documentation",
}

// excludedFile says why a script is excluded by its own name alone.
func excludedFile(base string) string {
	base = strings.ToLower(base)
	stem := strings.TrimSuffix(base, path.Ext(base))
	switch {
	case strings.HasPrefix(base, "."):
		return "tools"
	case strings.HasSuffix(stem, ".config"), strings.HasSuffix(stem, ".conf"):
		return "tools"
	case strings.HasSuffix(stem, ".test"), strings.HasSuffix(stem, ".spec"), strings.HasSuffix(stem, "_test"):
		return "tests"
	}
	switch stem {
	case "makefile", "server", "build":
		return "tools"
	case "docs", "demo", "demos", "example", "examples", "website", "homepage":
		return "examples"
	}
	return ""
}

// platform is how a script asks for what only a program on a developer's machine has: files, processes, paths.
var platform = memo.Regexp(`(?:require\(\s*|from\s*)["'](?:node:[a-z_/]+|fs|path|child_process|os|process)` +
	`["']|\b__dirname\b|\bprocess\.(?:argv|cwd)\b`)

// taskList is how a script of build steps describes them: a list of names that a runner is handed.
var taskList = memo.Regexp(`(?m)\.\s*(?:registerTask|loadTasks|task)\(\s*["']|module\.exports\s*=\s*(?:async\s+)?(?:` +
	`function\s*\w*\s*\(\w+\)|\(?\w+\)?\s*=>)\s*\{?\s*\w+\.\w+\(\s*\{`)

// runsBuild tells a script that configures or runs a build, or a server, by what it requires and calls.
func runsBuild(f *File, b []byte) bool {
	return !strings.Contains(f.Path, "/") && f.Script != nil && (f.Script.Form == script.Server ||
		f.Script.Form == script.Module) && (platform().Match(b) || taskList().Match(b))
}

// excludedBecause says why a file is excluded, "" if it is not. The files of a package that has scripts
// nowhere but in one of these folders are not excluded by it; that is for the caller to see.
func excludedBecause(name string) string {
	dir, base := path.Split(name)
	for _, part := range strings.Split(strings.TrimSuffix(dir, "/"), "/") {
		if why := asideFolders[strings.ToLower(part)]; why != "" {
			return why
		}
		if strings.HasPrefix(part, ".") {
			return "tools"
		}
		if strings.HasPrefix(strings.ToLower(part), "docs") {
			return "documentation" // docstheme
		}
		for word := range strings.FieldsFuncSeq(strings.ToLower(part), func(r rune) bool {
			return r == '-' || r == '_' || r == '.' || r == ' '
		}) {
			if why := asideFolders[word]; why == "examples" || why == "documentation" && word != "media" &&
				word != "site" || why == "tests" {
				return why // demo-resources, docs_old
			}
		}
	}
	switch KindOf(name) {
	case Script, Stylesheet:
		return excludedFile(base)
	case Document:
		return "documentation"
	case Source:
		return "sources"
	case Types:
		return "types"
	case Other:
		if strings.HasPrefix(base, ".") {
			return "tools"
		}
	}
	return ""
}

// The builds, as records have them.
const (
	NoBuild  = record.NoBuild
	Minified = record.Minified
	Readable = record.Readable
)

// serverByName tells a script that its name, or its folder's, says to be for servers.
func serverByName(name string) bool {
	dir, base := path.Split(strings.ToLower(name))
	return strings.HasSuffix(base, ".cjs") || strings.Contains(base, ".cjs.") || strings.Contains("/"+dir, "/cjs/") ||
		strings.Contains("/"+dir, "/commonjs/")
}
