package origin

import (
	"cmp"
	"path"
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
		for _, name := range parts {
			op, ok := o.Option(name)
			if !ok {
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
			options = append(options, op)
		}
		sel := o.SuggestWith(options)
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
