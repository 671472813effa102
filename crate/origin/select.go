package origin

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"merrycrate.example/merry/crate/packages"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/problem"
	"merrycrate.example/merry/crate/texts"
)

// Select picks the files to take: those that patterns name, else the suggested set with the named parts.
func Select(o *Opened, patterns, parts []string, options ...packages.Option) (*packages.Selection, error) {
	if len(patterns) == 0 {
		return suggested(o, parts, options)
	}
	for _, pat := range patterns {
		found := false
		for i := range o.Files {
			ok, err := doublestar.Match(pat, o.Files[i].Path)
			if err != nil {
				return nil, problem.Misuse("write a pattern such as 'dist/*.js'", "%s is not a pattern", pat)
			}
			found = found || o.Files[i].Path == pat || ok && !paths.Hidden(o.Files[i].Path)
		}
		if !found {
			return nil, problem.Refuse(problem.FileUnknown,
				"merry peek "+strings.ReplaceAll(texts.Word(cmp.Or(o.Spec, o.Tree.Name)), "%", "%%")+
					" --all  # lists all files", "nothing in %[2]s matches %[1]s", pat, o.Tree.Name)
		}
	}
	return o.Choose(func(name string) (string, bool) {
		for _, pat := range patterns {
			if pat == name || !paths.Hidden(name) && doublestar.MatchUnvalidated(pat, name) {
				return pat, true
			}
		}
		return "", false
	}), nil
}

// builds lists files with their other builds behind each, each once.
func builds(o *Opened, files []string) (list []string) {
	for _, name := range files {
		for _, build := range []string{name, o.File(name).OtherBuild} {
			if build != "" && !slices.Contains(list, build) {
				list = append(list, build)
			}
		}
	}
	return list
}

// suggested picks the suggested set with the named parts, and what those require.
func suggested(o *Opened, parts []string, options []packages.Option) (*packages.Selection, error) {
	var last []string
	for _, name := range parts {
		found := o.OptionsNamed(name)
		if len(found) > 1 {
			var files []string
			for _, f := range found[:min(len(found), 6)] {
				files = append(files, f.Files[0])
			}
			return nil, problem.Refuse(problem.NothingThere, "name one: "+strings.Join(files, ", "),
				"--part %s: %s has %d such parts", name, o.Tree.Name, len(found))
		}
		if len(found) == 0 {
			var known []string
			for _, k := range o.Options() {
				known = append(known, k.Name)
			}
			next := "leave --part out: the library has no parts"
			if len(known) > 0 {
				next = "it has " + strings.Join(known, ", ")
			}
			return nil, problem.Refuse(problem.NothingThere, next, "--part %s: %s has no such part", name,
				o.Tree.Name)
		}
		var needed []string
		if found[0].Kind == packages.Part {
			var err error
			if needed, err = o.requires(found[0].Files[0]); err != nil {
				return nil, err
			}
		}
		if len(needed) > 0 {
			last = append(last, append(needed, found[0].Files[0])...)
		}
		for _, file := range needed {
			options = append(options, packages.Option{Name: file, Kind: packages.Part, Files: []string{file},
				Why: name + " requires it"})
		}
		options = append(options, found[0])
	}
	sel := o.SuggestWith(options)
	sel.Last = builds(o, last)
	if len(sel.Choices) == 0 {
		next := "merry peek " + texts.Word(cmp.Or(o.Spec, o.Tree.Name)) + " --all  # then take with --files"
		for i := range o.Files {
			if f := &o.Files[i]; f.Kind == packages.Archive && f.ExcludedBecause == "" {
				next = "unpack it; then: merry peek " + texts.Word(f.Path)
				if o.Tree.Format == "folder" {
					next = "merry peek " + texts.Word(path.Join(o.Spec, f.Path))
				}
				break
			}
		}
		return nil, problem.Refuse(problem.NothingThere, next, "%s: %s", o.Tree.Name, strings.Join(sel.Notes, "; "))
	}
	return sel, nil
}
