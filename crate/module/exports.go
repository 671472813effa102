package module

import (
	"encoding/json"
	"path"
	"slices"
	"strings"
)

// conditions are those of a manifest's exports under which a browser imports a module, the most particular first.
var conditions = []string{"browser", "import", "module", "production", "default"}

// A Package is what a package's manifest says about its modules.
type Package struct {
	Name    string
	Exports json.RawMessage // the manifest's exports, nil if it has none
	Entries []string        // what else it names as its own, such as module and main, the best first
}

// Own lists the files that the manifest gives to importers, the best first.
func (p Package) Own() []string {
	var by map[string]json.RawMessage
	own := p.Exports
	if json.Unmarshal(own, &by) == nil && by["."] != nil {
		own = by["."]
	}
	var list []string
	for _, file := range append(files(own, 0), p.Entries...) {
		if file = path.Clean(file); file != "." && !slices.Contains(list, file) {
			list = append(list, file)
		}
	}
	return list
}

// Specifiers are the names under which modules of a package are imported, each with its file: the package's own name,
// and those of its exports, patterns with a star among them. The modules that there are are given.
func (p Package) Specifiers(modules []string) map[string]string {
	list := map[string]string{}
	is := func(name string) bool { return slices.Contains(modules, name) }
	put := func(specifier, file string) {
		file = path.Clean(file)
		for _, name := range []string{file, file + ".js", file + ".mjs", file + "/index.js"} {
			if list[specifier] == "" && is(name) {
				list[specifier] = name
			}
		}
	}
	var by map[string]json.RawMessage
	if json.Unmarshal(p.Exports, &by) == nil {
		for key, what := range by {
			rest, sub := strings.CutPrefix(key, "./")
			if !sub {
				continue
			}
			for _, file := range files(what, 0) {
				if strings.Contains(rest, "*") {
					p.star(list, rest, path.Clean(file), modules)
				} else if !strings.Contains(file, "*") {
					put(p.Name+"/"+rest, file)
				}
			}
		}
		if own, has := by["."]; has {
			by = nil
			for _, file := range files(own, 0) {
				put(p.Name, file)
			}
		}
	}
	if list[p.Name] == "" && len(p.Exports) > 0 {
		for _, file := range files(p.Exports, 0) {
			put(p.Name, file)
		}
	}
	for _, file := range p.Entries {
		if file != "" {
			put(p.Name, file)
		}
	}
	return list
}

// star adds what an export with a star names: the star stands for the same in both.
func (p Package) star(list map[string]string, key, file string, modules []string) {
	before, behind, _ := strings.Cut(file, "*")
	for _, name := range modules {
		if rest, ok := strings.CutPrefix(name, before); ok && strings.Contains(file, "*") &&
			strings.HasSuffix(rest, behind) && len(rest) > len(behind) {
			if specifier := p.Name + "/" + strings.Replace(key, "*", strings.TrimSuffix(rest, behind),
				1); list[specifier] == "" {
				list[specifier] = name
			}
		}
	}
}

// deepest is how deep conditions may lie in each other: a manifest may be a maze.
const deepest = 8

// files are the files that an export means in a browser, the best first.
func files(raw json.RawMessage, depth int) []string {
	var file string
	if json.Unmarshal(raw, &file) == nil {
		return []string{file}
	}
	var list []json.RawMessage
	if json.Unmarshal(raw, &list) == nil && depth < deepest {
		var all []string
		for _, one := range list[:min(len(list), 20)] {
			all = append(all, files(one, depth+1)...)
		}
		return all
	}
	var by map[string]json.RawMessage
	if json.Unmarshal(raw, &by) != nil || depth == deepest {
		return nil
	}
	var all []string
	for _, condition := range conditions {
		if sub, ok := by[condition]; ok {
			all = append(all, files(sub, depth+1)...)
		}
	}
	return all
}

// PackageOf is the name of the package that a specifier is of: @scope/name/file is of @scope/name.
func PackageOf(specifier string) string {
	parts := strings.SplitN(specifier, "/", 3)
	if strings.HasPrefix(specifier, "@") && len(parts) > 1 {
		return parts[0] + "/" + parts[1]
	}
	return parts[0]
}
